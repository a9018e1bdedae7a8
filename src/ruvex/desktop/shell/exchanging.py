"""Bringing guests in from open formats, and giving the plan out in them, from the window."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from ruvex.desktop.shell.frame import AskPath, Frame
from ruvex.desktop.state.editing import Editor
from ruvex.exchange import GROUPS, OVF_SUFFIXES, Brought, give_out, read_brought
from ruvex.plan import PlanError, PlanFileError, RuvexError, UnitError

_BRING_FILTER: Final = "Envelopes and tables (*.ovf *.ova *.csv *.tsv);;All files (*)"
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

    def __init__(self, window: Frame, editor: Editor) -> None:
        super().__init__(window)
        self._window, self._desk, self._editor = window, window.desk, editor
        self.ask_bring: AskPath = ask_bring_path
        self.ask_give: AskGive = ask_give_path
        self.groups = GROUPS

    def takes(self, path: Path) -> bool:
        """Whether something is brought into the plan that is open, rather than opened."""
        return path.suffix.lower() in OVF_SUFFIXES or path.is_dir()

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
