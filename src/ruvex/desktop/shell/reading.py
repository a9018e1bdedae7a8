"""Reading a plan beside the window: told how far it is, and stopped when nobody wants it any more."""

from __future__ import annotations

import contextlib
from collections.abc import Callable
from pathlib import Path
from typing import Final

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ruvex.desktop.state.background import Background
from ruvex.desktop.state.figures import percent
from ruvex.plan import (
    PlanFile,
    PlanFileError,
    StoppedError,
    Tell,
    find_item,
    read_document,
    read_traces_of,
    trace_files,
    trace_path,
)
from ruvex.site import Site, site_of

LARGE_BYTES: Final = 1_000_000
"""A plan of more, some 2 000 guests, takes so long to read that the window would be seen to stand still."""
_TOLD_MS: Final = 150

Read = tuple[PlanFile, Site | None]
"""A plan, and the same as arrays where they are at hand."""


def read_small(path: Path) -> PlanFile | None:
    """Read a plan at once; gives None where that would take long, as it or its traces are large.

    Raises
    ------
    PlanError, PlanFileError
        It cannot be used.
    """
    with contextlib.suppress(OSError):
        if path.stat().st_size > LARGE_BYTES:
            return None
    file = read_document(path)
    size = 0
    for name in trace_files(file.plan):
        with contextlib.suppress(OSError, PlanFileError):
            size += trace_path(name, path.parent).stat().st_size
    return None if size > LARGE_BYTES else read_traces_of(file, path)


def read_whole(path: Path, tell: Tell) -> Read:
    """Read a plan and its traces, and turn it into arrays; raises as ``read_plan``."""
    file = read_traces_of(read_document(path, tell=tell), path, tell=tell)
    tell("making it ready", 0.0)
    # The plan's indexes are made when they are first asked for: here, where they hold nobody up.
    find_item(file.plan, "")
    return file, site_of(file.plan, file.traces)


class Reading(QObject):
    """Reads one plan at a time in a thread of its own.

    Signals
    -------
    told(text)
        How far it is, in words.
    """

    told = pyqtSignal(str)

    def __init__(self, background: Background, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._background = background
        self._asked: object | None = None
        self._name, self._now = "", ("", 0.0)
        self._pulse = QTimer(self)
        self._pulse.setInterval(_TOLD_MS)
        self._pulse.timeout.connect(lambda: self.told.emit(self.text))

    @property
    def is_running(self) -> bool:
        """Whether something is being read."""
        return self._asked is not None

    @property
    def text(self) -> str:
        """What is being read, and how far that is."""
        what, part = self._now
        done = f", {percent(part, 1.0)}" if 0.0 < part < 1.0 else ""
        far = f" ({what}{done})" if what else ""
        return f"{self._name} is being read{far}; it will open here."

    def begin(self, path: Path, answer: Callable[[Read | None, Exception | None], None]) -> None:
        """Read a plan; ``answer`` gets it or the error, unless it was stopped."""
        self.stop()
        # An object of its own for each time: the same file may be asked for again while this answer is on its way.
        asked = self._asked = object()
        self._name, self._now = path.name, ("", 0.0)

        def tell(what: str, part: float) -> None:
            if asked is not self._asked:
                raise StoppedError(f"{path}: not wanted any more")
            self._now = what, part

        def show(read: Read | None, problem: Exception | None) -> None:
            if asked is self._asked:
                self.stop()
                answer(read, problem)

        self._pulse.start()
        self._background.run("read", lambda: read_whole(path, tell), show, lane="reading")

    def stop(self) -> None:
        """Let what is being read be."""
        self._asked = None
        self._pulse.stop()
