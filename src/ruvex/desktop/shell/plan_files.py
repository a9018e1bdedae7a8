"""Opening and saving plans from the window: asking, telling, and never losing anything on the way."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, Final

from PyQt6.QtCore import QObject, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog, QWidget

from ruvex.desktop.kit.notice import Choice
from ruvex.desktop.shell.demo import demo_path, story_paths
from ruvex.desktop.shell.frame import Frame
from ruvex.desktop.shell.reading import Read, Reading, read_small
from ruvex.desktop.state.document import OtherTraces
from ruvex.desktop.state.own_file import OwnFile
from ruvex.desktop.state.recovery import Leftover, Recovery
from ruvex.plan import (
    SUFFIX,
    OtherTracesError,
    PlanError,
    PlanFileError,
    ReadOnlyFileError,
    read_plan,
)

_FILTER: Final = f"Ruvex plans (*{SUFFIX});;Tables (*.csv *.tsv);;All files (*)"
_LONGEST_NAME: Final = 80


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


class PlanFiles(QObject):
    """The files behind the window.

    Attributes
    ----------
    recovery, own_file
        Copies of what is not saved, and the watch over the plan's file.
    """

    def __init__(self, window: Frame) -> None:
        super().__init__(window)
        self._window, self._desk = window, window.desk
        self.recovery = Recovery(window.desk, window.preferences.folder)
        self.own_file = OwnFile(window.desk)
        self._asked = self._told = self._told_gone = ""
        self._reading = Reading(window.desk.background, self)
        self._reading.told.connect(self._on_reading)
        window.desk.document.opened.connect(self._stop_reading)
        window.desk.document.named.connect(self._on_named)
        for speaker in (self.recovery, self.own_file):
            speaker.noted.connect(lambda text: window.notice.tell(text))
        self.own_file.changed.connect(self._on_changed_on_disk)
        self.own_file.gone.connect(self._on_gone)
        application = QGuiApplication.instance()
        assert isinstance(application, QGuiApplication)
        # Not every file system tells of changes; who comes back to the window sees what has become of the file.
        application.applicationStateChanged.connect(self._on_looked_at)

    def open_path(self, path: Path, *, as_copy: bool = False) -> bool:
        """Open a plan; says in the window why, if it cannot. Tells whether it did, or has begun to read a large one.

        A copy has no file of its own: saving it asks where, so that what came with Ruvex stays as it came.
        """
        self._window.notice.hide()
        self._stop_reading()
        try:
            file = read_small(path)
        except (PlanError, PlanFileError) as error:
            self.tell_faults(path, error)
            return False
        if file is None:
            self._open_beside(path, as_copy=as_copy)
        else:
            self.show_read(path, (file, None), as_copy=as_copy)
        return True

    def tell_faults(self, path: Path, error: PlanError | PlanFileError) -> None:
        """Say why a plan was not opened."""
        reasons = map(str, error.problems) if isinstance(error, PlanError) else [str(error)]
        self._window.notice.tell("\n".join([f"{path.name} was not opened.", *reasons]))

    def _open_beside(self, path: Path, *, as_copy: bool) -> None:
        """Read a large plan beside the window; what is open stays open, and can be worked with, until it is there."""

        def show(read: Read | None, problem: Exception | None) -> None:
            self._window.notice.withdraw(self._told)
            if isinstance(problem, PlanError | PlanFileError):
                self.tell_faults(path, problem)
            elif read is None:
                raise problem or RuntimeError("nothing was read")
            else:
                self.after_saving(partial(self.show_read, path, read, as_copy=as_copy))

        self._reading.begin(path, show)
        self._told = self._reading.text
        self._window.notice.tell(self._told, [("Stay with what is open", self._stop_reading)])

    def _on_reading(self, text: str) -> None:
        self._window.notice.go_on_telling(self._told, text)
        self._told = text

    def _stop_reading(self) -> None:
        """Let what is being read not be opened, if anything is."""
        if self._reading.is_running:
            self._reading.stop()
            self._window.notice.withdraw(self._told)

    def show_read(self, path: Path, read: Read, *, as_copy: bool = False) -> None:
        """Show a plan that was read, as that of its file or as a copy of it."""
        file, site = read
        self._desk.document.show_file(file, None if as_copy else path, site=site)
        if not as_copy:
            self._window.preferences.add_recent(path)

    def save(self) -> bool:
        """Write the plan to its file, asking for one if it has none. Tells whether it did."""
        if not self._desk.document.path:
            return self.save_as()
        if self.own_file.is_changed:
            self._window.notice.tell(
                f"{self._desk.document.path.name} was changed on disk by someone else since it was opened.",
                [("Save over it", self._save_over), ("Save as…", self.save_as), ("Reload it", self._reload),
                 ("Stay", lambda: None)],
            )  # fmt: skip
            return False
        return self.write(self._desk.document.path)

    def save_as(self) -> bool:
        """Ask for a file and write the plan to it. Tells whether it did."""
        name = self._desk.look.plan.name.lower().replace(" ", "-").replace("/", "-")[:_LONGEST_NAME] or "plan"
        suggestion = self._desk.document.path or Path.home() / f"{name}{SUFFIX}"
        path = self._window.ask_save(self._window, str(suggestion))
        return path is not None and self.write(path)

    def write(self, path: Path, *, other_traces: OtherTraces = "ask", even_read_only: bool = False) -> bool:
        """Write the plan to a file; asks or says in the window why, if it cannot. Tells whether it did."""

        def again(**how: Any) -> Callable[[], bool]:
            return partial(self.write, path, **{"other_traces": other_traces, "even_read_only": even_read_only, **how})

        elsewhere: list[Choice] = [("Save as…", self.save_as), ("Stay", lambda: None)]
        try:
            self._desk.document.save(path, other_traces=other_traces, even_read_only=even_read_only)
        except OtherTracesError as error:
            it = "it" if len(error.names) == 1 else "them"
            self._window.notice.tell(
                f"The plan was not saved: {error}. Which is to count?",
                [("What is there", again(other_traces="keep")), (f"Write over {it}", again(other_traces="replace")),
                 *elsewhere],
            )  # fmt: skip
            return False
        except ReadOnlyFileError:
            self._window.notice.tell(
                f"The plan was not saved: {path.name} is read-only.",
                [("Save over it", again(even_read_only=True)), *elsewhere],
            )
            return False
        except (PlanFileError, PlanError) as error:
            self._window.notice.tell(
                f"The plan was not saved.\n{error}", [("Save as…", self.save_as), ("Close", lambda: None)]
            )
            return False
        self._window.preferences.add_recent(path)
        return True

    def _save_over(self) -> None:
        self.own_file.accept()
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
            [("Reload it", self._reload), ("Keep what is here", self._desk.document.mark_unsaved)],
        )

    def _on_looked_at(self, state: Qt.ApplicationState) -> None:
        if state == Qt.ApplicationState.ApplicationActive:
            self.own_file.look()

    def _on_gone(self) -> None:
        path = self._desk.document.path
        assert path is not None
        # What is nowhere on disk counts as not saved: it is asked about before it goes, and a copy is kept.
        self._desk.document.mark_unsaved()
        self._told_gone = (
            f"{path.name} is not there any more: somebody deleted it or moved it away. The plan is still here."
        )
        self._window.notice.tell(
            self._told_gone,
            [("Save it there again", self.save), ("Save as…", self.save_as), ("Leave it", lambda: None)],
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
            self.after_saving(lambda: self.open_path(path, as_copy=True))

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
            if self.open_path(path, as_copy=True):
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
            self._window.notice.withdraw(self._told_gone)

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
        found, damaged = self.recovery.leftovers()
        aside = ""
        if damaged:
            are = "One recovery copy was" if len(damaged) == 1 else f"{len(damaged)} recovery copies were"
            aside = f"{are} damaged, and set aside as {damaged[0]}."
        if not found:
            if aside:
                self._window.notice.tell(aside)
            return bool(damaged)
        leftover, more = found[0], len(found) - 1
        others = f" There {'is' if more == 1 else 'are'} {more} more." if more else ""
        self._window.notice.tell(
            f"Ruvex ended while {leftover.facts.name} had changes that were not saved. They are kept.{others}"
            + (f"\n{aside}" if aside else ""),
            [("Recover them", partial(self._recover, leftover)), ("Discard them", partial(self._discard, leftover)),
             ("Later", lambda: None)],
        )  # fmt: skip
        return True

    def _recover(self, leftover: Leftover) -> None:
        self.after_saving(partial(self._open_recovered, leftover))

    def _open_recovered(self, leftover: Leftover) -> None:
        try:
            self.recovery.recover(leftover)
        except (PlanError, PlanFileError) as error:
            aside = self.recovery.set_aside(leftover.copy)
            self._window.notice.tell(
                f"The recovery copy cannot be read; it was set aside as {aside}.\n{error}",
                [("Go on", self.offer_recovery)],
            )

    def _discard(self, leftover: Leftover) -> None:
        self.recovery.discard(leftover.copy)
        self.offer_recovery()

    def close(self) -> None:
        """Let go of everything: the window closes in good order."""
        self._reading.stop()
        self.recovery.close()
        self.own_file.close()
