"""Long work beside the window: one gateway, through which all of it goes.

A worker gets frozen input and gives a value back; it touches no widget. The answer arrives on the window's thread.
"""

from __future__ import annotations

import gc
import itertools
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final, Literal, get_args
from weakref import WeakSet

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, QTimer, pyqtSignal

Work = Callable[[], Any]
Answer = Callable[[Any, Exception | None], None]
Lane = Literal["short", "long", "reading", "turns", "questions", "many"]


class _Speaker(QObject):
    """Carries an answer to the window's thread."""

    answered = pyqtSignal(int, object, object)


class _Job(QRunnable):
    """One piece of work; skipped when a newer one of its subject has come meanwhile.

    It knows no widget, not even by the function that takes its answer: what a worker is the last to let go of is taken
    apart in its thread.
    """

    def __init__(self, number: int, work: Work, speaker: _Speaker, subject: str, latest: dict[str, int]) -> None:
        super().__init__()
        self._number, self._work, self._speaker, self._subject, self._latest = number, work, speaker, subject, latest

    def run(self) -> None:
        """Do the work in the worker's thread."""
        value: Any = None
        problem: Exception | None = None
        if self._latest[self._subject] == self._number:
            try:
                value = self._work()
            except Exception as error:
                problem = error
        else:
            value = _SKIPPED
        self._speaker.answered.emit(self._number, value, problem)


@dataclass(frozen=True)
class _Given:
    """Work that was given and has not been answered."""

    subject: str
    work: Work
    answer: Answer
    lane: Lane


_SKIPPED: Final = object()
_LET_GO_MS: Final = 20
_at_work: WeakSet[Background] = WeakSet()
"""Those that have work under way: whether garbage is collected is one question for all windows."""


class Background(QObject):
    """Runs work in threads of its own, each in the order it was given.

    While it works nothing is garbage-collected: a collection that happens to begin in a worker would take widgets
    apart there, which only the window's thread may do. For the same reason work and the function that takes its
    answer are kept here until its thread is at rest.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pools: dict[Lane, QThreadPool] = {}
        for lane in get_args(Lane):
            self._pools[lane] = QThreadPool(self)
            self._pools[lane].setMaxThreadCount(1)
        self._latest: dict[str, int] = {}
        self._dropped: dict[str, int] = {}
        self._numbers = itertools.count(1)
        self._given: dict[int, _Given] = {}
        self._ended: list[_Given] = []
        self._rest = QTimer(self)
        self._rest.setInterval(_LET_GO_MS)
        self._rest.timeout.connect(self._let_go)
        self._speaker = _Speaker(self)
        # Emitted in another thread than this object's, an answer waits for the window's next round of events.
        self._speaker.answered.connect(self._on_answered)

    def run(self, subject: str, work: Work, answer: Answer, *, lane: Lane = "short") -> None:
        """Do some work; ``answer`` gets its value and None, or None and the error, on the window's thread.

        What waits of the same subject and has not begun answers an older question: it is dropped. Long work, reading
        of large files, turns of vCPUs, questions, and what is played many times have a thread each: nothing short
        waits for them.
        """
        number = self._latest[subject] = next(self._numbers)
        self._given[number] = _Given(subject, work, answer, lane)
        _at_work.add(self)
        gc.disable()
        self._pools[lane].start(_Job(number, work, self._speaker, subject, self._latest))

    def drop(self, subject: str) -> None:
        """Forget what waits of a subject; what is under way is not answered."""
        self._dropped[subject] = self._latest[subject] = next(self._numbers)

    def wait(self) -> None:
        """Wait until all work is done; the answers follow with the next events."""
        for pool in self._pools.values():
            pool.waitForDone()
        self._let_go()

    def _let_go(self) -> None:
        """Let go of what has ended where the thread is at rest; where all are, collect garbage again."""
        busy = {lane for lane, pool in self._pools.items() if pool.activeThreadCount()}
        self._ended = [given for given in self._ended if given.lane in busy]
        if busy:
            return
        self._rest.stop()
        # Unless another window's work goes on.
        _at_work.discard(self)
        if not _at_work:
            gc.enable()

    def _on_answered(self, number: int, value: Any, problem: Exception | None) -> None:
        given = self._given.pop(number)
        self._ended.append(given)
        if not self._rest.isActive():
            self._rest.start()
        if value is not _SKIPPED and number > self._dropped.get(given.subject, 0):
            given.answer(value, problem)
