"""Long work beside the window: one gateway, through which all of it goes.

A worker gets frozen input and gives a value back; it touches no widget. The answer arrives on the window's thread.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QRunnable, QThreadPool, pyqtSignal

Work = Callable[[], Any]
Answer = Callable[[Any, Exception | None], None]


class _Speaker(QObject):
    """Carries an answer to the window's thread."""

    answered = pyqtSignal(object, object, object)


class _Job(QRunnable):
    """One piece of work."""

    def __init__(self, work: Work, answer: Answer, speaker: _Speaker) -> None:
        super().__init__()
        self._work, self._answer, self._speaker = work, answer, speaker

    def run(self) -> None:
        """Do the work in the worker's thread."""
        value, problem = None, None
        try:
            value = self._work()
        except Exception as error:
            problem = error
        self._speaker.answered.emit(self._answer, value, problem)


class Background(QObject):
    """Runs work in threads of its own, in the order it was given."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._speaker = _Speaker(self)
        # Emitted in another thread than this object's, an answer waits for the window's next round of events.
        self._speaker.answered.connect(self._on_answered)

    def run(self, work: Work, answer: Answer) -> None:
        """Do some work; ``answer`` gets its value and None, or None and the error, on the window's thread."""
        # What waits and has not begun answers to an older question.
        self._pool.clear()
        self._pool.start(_Job(work, answer, self._speaker))

    def wait(self) -> None:
        """Wait until all work is done; the answers follow with the next events."""
        self._pool.waitForDone()

    def _on_answered(self, answer: Answer, value: Any, problem: Exception | None) -> None:
        answer(value, problem)
