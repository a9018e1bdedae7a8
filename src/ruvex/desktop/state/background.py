"""Long work beside the window: one gateway, through which all of it goes.

A worker gets frozen input and gives a value back; it touches no widget. The answer arrives on the window's thread.
"""

from __future__ import annotations

import gc
from collections.abc import Callable
from typing import Any, Literal, get_args
from weakref import WeakSet

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

Work = Callable[[], Any]
Answer = Callable[[Any, Exception | None], None]
Lane = Literal["short", "long", "reading", "turns", "questions", "many"]


class _Speaker(QObject):
    """Carries an answer to the window's thread."""

    answered = pyqtSignal(object, object, object)


class _Job(QRunnable):
    """One piece of work; skipped when a newer one of its subject has come meanwhile."""

    def __init__(self, work: Work, answer: Answer, speaker: _Speaker, is_wanted: Callable[[], bool]) -> None:
        super().__init__()
        self._work, self._answer, self._speaker, self._is_wanted = work, answer, speaker, is_wanted

    def run(self) -> None:
        """Do the work in the worker's thread."""
        value, problem, is_wanted = None, None, self._is_wanted()
        if is_wanted:
            try:
                value = self._work()
            except Exception as error:
                problem = error
        self._speaker.answered.emit(self._answer if is_wanted else None, value, problem)


_at_work: WeakSet[Background] = WeakSet()
"""Those that have work under way: whether garbage is collected is one question for all windows."""


class Background(QObject):
    """Runs work in threads of its own, each in the order it was given.

    While it works nothing is garbage-collected: a collection that happens to begin in a worker would take widgets
    apart there, which only the window's thread may do.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pools: dict[Lane, QThreadPool] = {}
        for lane in get_args(Lane):
            self._pools[lane] = QThreadPool(self)
            self._pools[lane].setMaxThreadCount(1)
        self._latest: dict[str, int] = {}
        self._dropped: dict[str, int] = {}
        self._pending = 0
        self._speaker = _Speaker(self)
        # Emitted in another thread than this object's, an answer waits for the window's next round of events.
        self._speaker.answered.connect(self._on_answered)

    def run(self, subject: str, work: Work, answer: Answer, *, lane: Lane = "short") -> None:
        """Do some work; ``answer`` gets its value and None, or None and the error, on the window's thread.

        What waits of the same subject and has not begun answers an older question: it is dropped. Long work, reading
        of large files, turns of vCPUs, questions, and what is played many times have a thread each: nothing short
        waits for them.
        """
        number = self._latest[subject] = self._latest.get(subject, 0) + 1
        self._pending += 1
        _at_work.add(self)
        gc.disable()

        def take(value: Any, problem: Exception | None) -> None:
            if number > self._dropped.get(subject, 0):
                answer(value, problem)

        self._pools[lane].start(_Job(work, take, self._speaker, lambda: self._latest[subject] == number))

    def drop(self, subject: str) -> None:
        """Forget what waits of a subject; what is under way is not answered."""
        self._dropped[subject] = self._latest.get(subject, 0)
        self._latest[subject] = self._latest.get(subject, 0) + 1

    def wait(self) -> None:
        """Wait until all work is done; the answers follow with the next events."""
        for pool in self._pools.values():
            pool.waitForDone()
        self._collect_again()

    def _collect_again(self) -> None:
        """Collect garbage again, unless another window's work goes on."""
        _at_work.discard(self)
        if not _at_work:
            gc.enable()

    def _on_answered(self, answer: Answer | None, value: Any, problem: Exception | None) -> None:
        self._pending -= 1
        if self._pending == 0:
            self._collect_again()
        if answer is not None:
            answer(value, problem)
