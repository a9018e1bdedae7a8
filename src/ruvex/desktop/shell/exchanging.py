"""Bringing guests in from formats that others write, and giving the plan out in them, from the window."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from ruvex.desktop.sheets.load_page import LoadPage
from ruvex.desktop.sheets.side_sheet import SideSheet
from ruvex.desktop.sheets.table_page import TablePage
from ruvex.desktop.shell.frame import AskPath, Frame
from ruvex.desktop.shell.pages import Pages
from ruvex.desktop.state.editing import Editor
from ruvex.exchange import (
    GROUPS,
    LOAD_SUFFIXES,
    OVF_SUFFIXES,
    TABLE_SUFFIXES,
    Brought,
    Measured,
    cells_of,
    give_out,
    is_load,
    read_brought,
    read_load,
    read_table_text,
)
from ruvex.plan import PlanError, PlanFileError, RuvexError, UnitError

_BRING_FILTER: Final = (
    "Envelopes, tables, measured load (*.ovf *.ova *.csv *.tsv *.txt *.om *.prom *.openmetrics);;All files (*)"
)
_GIVE: Final[Mapping[str, tuple[str, str]]] = {
    "OVF envelope (*.ovf)": ("ovf", ".ovf"),
    "Table of guests (*.csv)": ("csv", ".csv"),
    "Tables of everything, a new folder (*)": ("csv", ""),
    "Units of systemd, a new folder (*)": ("systemd", ""),
}
"""What a plan can be given out as: what the choice is called, the format, and how names of files end."""
AskGive = Callable[[QWidget, str], tuple[str, Path] | None]


def ask_bring_path(window: QWidget, folder: str) -> Path | None:
    """Let the person choose what to bring in."""
    name, _ = QFileDialog.getOpenFileName(window, "Bring in", folder, _BRING_FILTER)
    return Path(name) if name else None


def ask_give_path(window: QWidget, suggestion: str) -> tuple[str, Path] | None:
    """Let the person choose as what the plan goes out, and where: a file or a new folder."""
    name, chosen = QFileDialog.getSaveFileName(window, "Give out", suggestion, ";;".join(_GIVE))
    if not name:
        return None
    form, ending = _GIVE.get(chosen, ("ovf", ".ovf"))
    return form, Path(name if name.endswith(ending) else name + ending)


class Exchanging(QObject):
    """What comes into the open plan from elsewhere, and goes out of it.

    Attributes
    ----------
    ask_bring, ask_give
        How a path is asked for; tests answer in the person's place.
    groups
        Where the control groups of this machine are.
    """

    def __init__(self, window: Frame, editor: Editor, sheet: SideSheet, pages: Pages) -> None:
        super().__init__(window)
        self._sheet = sheet
        window.desk.document.closing.connect(self._on_closing)
        self._pages = pages
        self._window, self._desk, self._editor = window, window.desk, editor
        self.ask_bring: AskPath = ask_bring_path
        self.ask_give: AskGive = ask_give_path
        self.groups = GROUPS

    def _on_closing(self) -> None:
        """Let nothing come into the next plan that was asked for by this one."""
        self._desk.background.drop("bringing in")
        self._desk.background.drop("typical days")
        self._sheet.forget()

    @property
    def table_page(self) -> TablePage:
        """The page that asks what a table means."""
        return self._pages.get(TablePage)

    @property
    def load_page(self) -> LoadPage:
        """The page that asks what measured load means."""
        return self._pages.get(LoadPage)

    def takes(self, path: Path) -> bool:
        """Whether something is brought into the plan that is open, rather than opened."""
        return path.suffix.lower() in (*OVF_SUFFIXES, *LOAD_SUFFIXES, *TABLE_SUFFIXES) or path.is_dir()

    def ask_and_bring(self) -> None:
        """Ask for a file and bring it in."""
        path = self.ask_bring(self._window, str(self._folder()))
        if path is not None:
            self._window.open_path(path)

    def bring_here(self) -> None:
        """Bring in what runs on this machine."""
        self.bring(self.groups)

    def bring(self, path: Path) -> bool:
        """Read a file, or the groups of a host, beside the window, and add it in one undo step. Tells that it began."""
        if path.suffix.lower() in LOAD_SUFFIXES:
            return self.bring_load(path)
        if path.suffix.lower() in TABLE_SUFFIXES:
            return self._bring_table(path)
        site, told = self._desk.document.site, f"Reading {path.name}…"

        def add(found: Brought | None, problem: Exception | None) -> None:
            self._window.notice.withdraw(told)
            if isinstance(problem, RuvexError):
                reasons = map(str, problem.problems) if isinstance(problem, PlanError) else [str(problem)]
                self._window.notice.tell("\n".join([f"{path.name} was not brought in.", *reasons]))
            elif found is None:
                raise problem or RuntimeError("nothing was read")
            else:
                self._editor.bring(found, path.name)

        self._window.notice.tell(told)
        self._desk.background.run(
            "bringing in", lambda: read_brought(path, site.plan, site.traces), add, lane="reading"
        )
        return True

    def _bring_table(self, path: Path) -> bool:
        """Show the columns of a table, or the load it holds, to be added to the plan that is open."""
        try:
            text = read_table_text(path)
            if is_load(text):
                return self.bring_load(path)
            cells = cells_of(text)
        except (PlanError, PlanFileError) as error:
            reasons = map(str, error.problems) if isinstance(error, PlanError) else [str(error)]
            self._window.notice.tell("\n".join([f"{path.name} was not brought in.", *reasons]))
            return False
        self._window.notice.hide()
        self.show_table(cells, path)
        return True

    def show_table(self, cells: Sequence[Sequence[str]], source: Path | None) -> None:
        """Ask what the columns of a table hold, and offer to add what it has."""
        self.table_page.show_cells(cells, source)
        self._sheet.open(self.table_page)
        self.table_page.choosers[0].setFocus()

    def bring_load(self, path: Path) -> bool:
        """Read measured load beside the window, and show it before anything of it is taken. Tells that it began."""
        told = f"Reading {path.name}…"

        def show(measured: Measured | None, problem: Exception | None) -> None:
            self._window.notice.withdraw(told)
            if isinstance(problem, RuvexError):
                reasons = map(str, problem.problems) if isinstance(problem, PlanError) else [str(problem)]
                self._window.notice.tell("\n".join([f"{path.name} was not brought in.", *reasons]))
            elif measured is None:
                raise problem or RuntimeError("nothing was read")
            else:
                self.load_page.show_load(measured, path)
                self._sheet.open(self.load_page)
                self.load_page.what.setFocus()

        self._window.notice.tell(told)
        self._desk.background.run("bringing in", lambda: read_load(path), show, lane="reading")
        return True

    def ask_and_give(self) -> None:
        """Ask where the plan goes and write it there: an envelope, tables, or a folder of systemd's units."""
        name = self._desk.document.path.stem.partition(".")[0] if self._desk.document.path else "plan"
        chosen = self.ask_give(self._window, str(self._folder() / f"{name}.ovf"))
        if chosen is None:
            return
        try:
            told = give_out(self._desk.document.site, *chosen)
        except (PlanFileError, UnitError) as error:
            told = f"Nothing was written.\n{error}"
        self._window.notice.tell(told)

    def _folder(self) -> Path:
        return self._desk.document.path.parent if self._desk.document.path else Path.home()
