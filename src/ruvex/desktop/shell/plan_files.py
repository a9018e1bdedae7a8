"""Opening and saving plans from the window: asking, telling, and never losing anything on the way."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QFileDialog, QWidget

from ruvex.desktop.kit.notice import Choice
from ruvex.desktop.shell.demo import demo_path, story_paths
from ruvex.desktop.shell.frame import Frame
from ruvex.desktop.state.recovery import Keeper, Leftover
from ruvex.exchange import cells_of
from ruvex.plan import SUFFIX, PlanError, PlanFile, PlanFileError, find_item, read_plan
from ruvex.site import Site, site_of

_FILTER: Final = f"Ruvex plans (*{SUFFIX});;Tables of guests (*.csv *.tsv);;All files (*)"
_TABLES: Final = (".csv", ".tsv", ".txt")
MAX_TABLE_BYTES: Final = 32_000_000
_LARGE_BYTES: Final = 1_000_000
"""A plan file of more, some 2 000 guests, takes so long to read that the window would be seen to stand still."""


def ask_open_path(window: QWidget, folder: str) -> Path | None:
    """Let the person choose a plan to open."""
    name, _ = QFileDialog.getOpenFileName(window, "Open a plan", folder, _FILTER)
    return Path(name) if name else None


def ask_save_path(window: QWidget, suggestion: str) -> Path | None:
    """Let the person choose where to write the plan."""
    name, _ = QFileDialog.getSaveFileName(window, "Save the plan as", suggestion, _FILTER)
    if not name:
        return None
    return Path(name) if name.endswith(".json") else Path(name + SUFFIX)


def _told_of_reading(path: Path) -> str:
    return f"{path.name} is being read; it will open here."


class PlanFiles(QObject):
    """The files behind the window.

    Attributes
    ----------
    keeper
        Recovery copies and the watch over the plan's file.
    """

    def __init__(self, window: Frame) -> None:
        super().__init__(window)
        self._window, self._desk = window, window.desk
        self.keeper = Keeper(window.desk, window.preferences.folder)
        self._asked = ""
        self._reading: Path | None = None
        window.desk.document.opened.connect(self._stop_reading)
        window.desk.document.named.connect(self._on_named)
        self.keeper.noted.connect(lambda text: window.notice.tell(text))
        self.keeper.changed_on_disk.connect(self._on_changed_on_disk)

    def open_path(self, path: Path) -> bool:
        """Open a plan; says in the window why, if it cannot. Tells whether it did, or has begun to read a large one."""
        self._window.notice.hide()
        self._stop_reading()
        if path.suffix.lower() in _TABLES:
            return self._open_table(path)
        with contextlib.suppress(OSError):
            if path.stat().st_size > _LARGE_BYTES:
                self._open_beside(path)
                return True
        try:
            self._desk.document.open(path)
        except (PlanError, PlanFileError) as error:
            self._tell_faults(path, error)
            return False
        self._window.preferences.add_recent(path)
        return True

    def _tell_faults(self, path: Path, error: PlanError | PlanFileError) -> None:
        reasons = map(str, error.problems) if isinstance(error, PlanError) else [str(error)]
        self._window.notice.tell("\n".join([f"{path.name} was not opened.", *reasons]))

    def _open_beside(self, path: Path) -> None:
        """Read a large plan beside the window; what is open stays open, and can be worked with, until it is there."""
        # A path of its own: the same file may be asked for once more while the first answer is on its way.
        asked = self._reading = Path(path)

        def work() -> tuple[PlanFile, Site]:
            file = read_plan(path)
            # The plan's indexes are made when they are first asked for: here, where they hold nobody up.
            find_item(file.plan, "")
            return file, site_of(file.plan, file.traces)

        def show(read: tuple[PlanFile, Site] | None, problem: Exception | None) -> None:
            if asked is not self._reading:
                return
            self._stop_reading()
            if isinstance(problem, PlanError | PlanFileError):
                self._tell_faults(path, problem)
            elif read is None:
                raise problem or RuntimeError("nothing was read")
            else:
                self.after_saving(partial(self._show_read, path, *read))

        self._window.notice.tell(_told_of_reading(path), [("Stay with what is open", self._stop_reading)])
        self._desk.background.run("read", work, show)

    def _stop_reading(self) -> None:
        """Let what is being read not be opened, if anything is."""
        if self._reading is not None:
            self._window.notice.withdraw(_told_of_reading(self._reading))
            self._reading = None

    def _show_read(self, path: Path, file: PlanFile, site: Site) -> None:
        self._desk.document.show_file(file, path, site=site)
        self._window.preferences.add_recent(path)

    def _open_table(self, path: Path) -> bool:
        """Show the columns of a table of guests, to be added to the plan that is open."""
        try:
            if path.stat().st_size > MAX_TABLE_BYTES:
                raise OSError(f"it is larger than {MAX_TABLE_BYTES // 1_000_000} MB")
            cells = cells_of(path.read_text(encoding="utf-8"))
        except (OSError, UnicodeDecodeError, PlanError) as error:
            reasons = [str(problem) for problem in error.problems] if isinstance(error, PlanError) else [str(error)]
            if isinstance(error, UnicodeDecodeError):
                reasons = ["it is not text in UTF-8; save it from the spreadsheet as CSV in UTF-8"]
            self._window.notice.tell("\n".join([f"{path.name} was not opened.", *reasons]))
            return False
        self._window.show_table(cells, path.name)
        return True

    def save(self) -> bool:
        """Write the plan to its file, asking for one if it has none. Tells whether it did."""
        if not self._desk.document.path:
            return self.save_as()
        if self.keeper.is_changed_on_disk():
            self._window.notice.tell(
                f"{self._desk.document.path.name} was changed on disk by someone else since it was opened.",
                [("Save over it", self._save_over), ("Save as…", self.save_as), ("Reload it", self._reload),
                 ("Stay", lambda: None)],
            )  # fmt: skip
            return False
        return self.write(self._desk.document.path)

    def save_as(self) -> bool:
        """Ask for a file and write the plan to it. Tells whether it did."""
        name = self._desk.look.plan.name.lower().replace(" ", "-").replace("/", "-") or "plan"
        suggestion = self._desk.document.path or Path.home() / f"{name}{SUFFIX}"
        path = self._window.ask_save(self._window, str(suggestion))
        return path is not None and self.write(path)

    def write(self, path: Path) -> bool:
        """Write the plan to a file; says in the window why, if it cannot. Tells whether it did."""
        try:
            self._desk.document.save(path)
        except PlanFileError as error:
            self._window.notice.tell(f"The plan was not saved.\n{error}")
            return False
        self._window.preferences.add_recent(path)
        return True

    def _save_over(self) -> None:
        self.keeper.accept_disk()
        self.save()

    def _reload(self) -> None:
        if self._desk.document.path is not None:
            self.open_path(self._desk.document.path)

    def _on_changed_on_disk(self) -> None:
        path = self._desk.document.path
        assert path is not None
        mine = " Your own changes are not saved yet." if self._desk.document.is_dirty else ""
        self._window.notice.tell(
            f"{path.name} was changed on disk by someone else.{mine}",
            [("Reload it", self._reload), ("Keep what is here", lambda: None)],
        )

    def new(self) -> None:
        """Start with an empty plan."""
        self.after_saving(self._desk.document.new)

    def ask_and_open(self) -> None:
        """Ask for a plan and open it."""
        folder = self._desk.document.path.parent if self._desk.document.path else Path.home()
        path = self._window.ask_open(self._window, str(folder))
        if path is not None:
            self.after_saving(lambda: self.open_path(path))

    def open_demo(self) -> None:
        """Open the demo plan."""
        try:
            path = demo_path()
        except PlanFileError as error:
            self._window.notice.tell(str(error))
        else:
            self.after_saving(lambda: self.open_path(path))

    def show_stories(self) -> None:
        """Fill the menu of stories."""
        menu = self._window.stories_menu
        menu.clear()
        menu.setToolTipsVisible(True)
        for path, name, notes in self.stories():
            action = menu.addAction(name)
            assert action is not None
            action.setToolTip(notes)
            action.triggered.connect(lambda _checked=False, p=path: self.open_story(p))
        if menu.isEmpty():
            action = menu.addAction("None were installed")
            assert action is not None
            action.setEnabled(False)

    def stories(self) -> list[tuple[Path, str, str]]:
        """Give each story's file, its name, and what to watch in it."""
        found = []
        for path in story_paths():
            with contextlib.suppress(PlanError, PlanFileError):
                plan = read_plan(path).plan
                found.append((path, plan.name, plan.notes))
        return found

    def open_story(self, path: Path) -> None:
        """Open a story and play it."""

        def go_on() -> None:
            if self.open_path(path):
                self._window.show_view("timeline")

        self.after_saving(go_on)

    def after_saving(self, go_on: Callable[[], object], *, without: str = "Go on without saving") -> None:
        """Do something that replaces the plan; with unsaved changes, ask first, in the window."""
        if not self._desk.document.is_dirty:
            go_on()
            return
        choices: list[Choice] = [
            ("Save first", lambda: go_on() if self.save() else None),
            (without, go_on),
            ("Stay", lambda: None),
        ]
        self._asked = f"{self._desk.look.plan.name or 'This plan'} has changes that are not saved."
        self._window.notice.tell(self._asked, choices)

    def _on_named(self) -> None:
        if not self._desk.document.is_dirty:
            self._window.notice.withdraw(self._asked)

    def show_recent(self) -> None:
        """Fill the menu of recent plans."""
        menu = self._window.recent_menu
        menu.clear()
        for path in self._window.preferences.recent:
            action = menu.addAction(f"{path.name.removesuffix(SUFFIX)}   {path.parent}")
            assert action is not None
            action.triggered.connect(lambda _checked=False, p=path: self.after_saving(lambda: self.open_path(p)))
        if not self._window.preferences.recent:
            action = menu.addAction("None yet")
            assert action is not None
            action.setEnabled(False)

    def offer_recovery(self) -> bool:
        """Ask what is to be done with work that a Ruvex left behind which ended without closing; tells if there is."""
        found = self.keeper.leftovers()
        if not found:
            return False
        leftover, more = found[0], len(found) - 1
        others = f" There {'is' if more == 1 else 'are'} {more} more." if more else ""
        self._window.notice.tell(
            f"Ruvex ended while {leftover.name} had changes that were not saved. They are kept.{others}",
            [("Recover them", partial(self._recover, leftover)), ("Discard them", partial(self._discard, leftover)),
             ("Later", lambda: None)],
        )  # fmt: skip
        return True

    def _recover(self, leftover: Leftover) -> None:
        try:
            self.keeper.recover(leftover)
        except (PlanError, PlanFileError) as error:
            self._window.notice.tell(f"The recovery copy {leftover.copy} cannot be read.\n{error}")

    def _discard(self, leftover: Leftover) -> None:
        self.keeper.discard(leftover)
        self.offer_recovery()
