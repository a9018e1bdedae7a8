"""Handing a pool over to its owner, and taking it back, from the window."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from ruvex.desktop.sheets.handing_page import HandOverPage, TakeBackPage
from ruvex.desktop.sheets.side_sheet import SideSheet
from ruvex.desktop.shell.frame import AskPath, Frame
from ruvex.desktop.shell.pages import Pages
from ruvex.desktop.state.steps import Step
from ruvex.exchange import hand_over
from ruvex.plan import (
    PERMISSION_WORDS,
    SUFFIX,
    EditError,
    Permission,
    PlanError,
    PlanFileError,
    read_plan,
    with_handed_over,
    write_plan,
)

_FILTER = f"Ruvex plans (*{SUFFIX})"


def ask_out_path(window: QWidget, suggestion: str) -> Path | None:
    """Let the person choose where the owner's plan goes."""
    name, _ = QFileDialog.getSaveFileName(window, "Hand over", suggestion, _FILTER)
    return Path(name if not name or name.endswith(SUFFIX) else name + SUFFIX) if name else None


def ask_back_path(window: QWidget, folder: str) -> Path | None:
    """Let the person choose what is taken back."""
    name, _ = QFileDialog.getOpenFileName(window, "Take back", folder, _FILTER)
    return Path(name) if name else None


class Handing(QObject):
    """What goes to the owners of pools, and comes back from them.

    Attributes
    ----------
    ask_out, ask_back
        How a path is asked for; tests answer in the person's place.
    """

    def __init__(self, window: Frame, sheet: SideSheet, pages: Pages) -> None:
        super().__init__(window)
        self._window, self._desk, self._sheet = window, window.desk, sheet
        self.ask_out: AskPath = ask_out_path
        self.ask_back: AskPath = ask_back_path
        self._pages = pages
        window.desk.document.opened.connect(self._on_opened)

    def show_over(self) -> None:
        """Open the page on which a pool is handed over."""
        self._sheet.open(self.over_page)

    @property
    def over_page(self) -> HandOverPage:
        """The page that asks what an owner may."""
        return self._pages.get(HandOverPage, lambda page: page.wanted.connect(self.hand))

    @property
    def back_page(self) -> TakeBackPage:
        """The page that shows what comes back."""
        return self._pages.get(TakeBackPage)

    def hand(self, pool: str, may: tuple[Permission, ...]) -> None:
        """Write a pool as a plan of its own, and let this plan know of it."""
        document = self._desk.document
        label = document.plan.labels[pool]
        out = self.ask_out(self._window, str(self._folder() / f"{pool}{SUFFIX}"))
        if out is None:
            return
        try:
            child, home = hand_over(document.site, pool, may)
            write_plan(child, out, traces=document.site.traces)
        except (EditError, PlanError, PlanFileError) as error:
            self._window.notice.tell(f"{label} was not handed over.\n{error}")
            return
        records = home.handed_over
        self._desk.trial.take(Step(f"hand {label} over", lambda plan: with_handed_over(plan, records), ()))
        self._sheet.close_sheet()
        self._window.notice.tell(
            f"{out.name} is {label} for its owner. Save this plan too: by that it knows the file when it comes back."
        )

    def ask_and_take(self) -> None:
        """Ask for a file that comes back, and show what was changed there."""
        path = self.ask_back(self._window, str(self._folder()))
        if path is None:
            return
        try:
            self.back_page.show_back(read_plan(path), path)
        except (EditError, PlanError, PlanFileError) as error:
            reasons = map(str, error.problems) if isinstance(error, PlanError) else [str(error)]
            self._window.notice.tell("\n".join([f"{path.name} was not taken back.", *reasons]))
            return
        self._sheet.open(self.back_page)
        page = self.back_page
        next(iter(page.choosers.values()), page.take_button).setFocus()

    def _on_opened(self) -> None:
        handed = self._desk.document.plan.handed
        if handed is not None:
            allowed = " and ".join(PERMISSION_WORDS[one] for one in handed.may) or "only look"
            whose = f" from {handed.plan}" if handed.plan else ""
            self._window.notice.tell(f"This is a pool that was handed over{whose}. Its owner may {allowed}.")

    def _folder(self) -> Path:
        return self._desk.document.path.parent if self._desk.document.path else Path.home()
