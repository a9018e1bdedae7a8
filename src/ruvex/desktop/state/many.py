"""Long work asked for by a person, a sweep, random days, a proof: beside the window, with progress, and stoppable."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.advise import Days, Range, Sweep, Watch, here, play_days, sweep
from ruvex.desktop.state.background import Background
from ruvex.desktop.state.document import Document
from ruvex.plan import RuvexError, StoppedError
from ruvex.proof import Proof, Scaled, prove


class Many(QObject):
    """One thing that is played many times.

    Attributes
    ----------
    swept, days, proof
        What was found last; None before anything was, or once another plan is open.
    problem
        Why it could not be done, or nothing.

    Signals
    -------
    changed()
        It began, is further, ended or was forgotten.
    """

    changed = pyqtSignal()
    _further = pyqtSignal(int, int)

    def __init__(self, document: Document, background: Background, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self._background = document, background
        self.swept: Sweep | None = None
        self.days: Days | None = None
        self.proof: Proof | None = None
        self.problem = ""
        self._running, self._done, self._of, self._is_stopped = "", 0, 0, False
        self._further.connect(self._on_further)
        document.opened.connect(self._forget)

    @property
    def running(self) -> str:
        """What is going on: ``sweep``, ``days``, ``proof`` or nothing."""
        return self._running

    @property
    def progress(self) -> tuple[int, int]:
        """How many plays of how many are done."""
        return self._done, self._of

    def sweep(self, ranges: Sequence[Range], watches: Sequence[Watch]) -> None:
        """Play the day with each value of a setting, or pair of values."""
        site = self._document.site

        def work() -> Sweep:
            return sweep(site, ranges, watches, told=self._told)

        def take(found: Sweep) -> None:
            self.swept = found

        self._run("sweep", work, take)

    def play_days(self, count: int) -> None:
        """Play so many random days of the plan."""
        plan, traces = self._document.plan, self._document.site.traces

        def work() -> Days:
            return play_days(plan, traces, count, here, told=self._told)

        def take(found: Days) -> None:
            self.days = found

        self._run("days", work, take)

    def prove(self, scaled: Scaled, seconds: float, runs: int) -> None:
        """Put what was scaled to this machine to its kernel."""

        def tell(_what: str, part: float) -> None:
            self._told(round(part * 100), 100)

        def take(found: Proof) -> None:
            self.proof = found

        self._run("proof", lambda: prove(scaled, seconds=seconds, runs=runs, tell=tell), take)

    def stop(self) -> None:
        """Stop what is going on; what was done is kept."""
        self._is_stopped = True

    def _run(self, what: str, work: Callable[[], Any], take: Callable[[Any], None]) -> None:
        if self._running:
            return
        self._running, self._done, self._of, self._is_stopped, self.problem = what, 0, 0, False, ""

        def answer(found: Any, problem: Exception | None) -> None:
            self._running = ""
            if isinstance(problem, RuvexError):
                self.problem = str(problem)
            elif problem is not None:
                raise problem
            elif found is not None:
                take(found)
            self.changed.emit()

        self._background.run(what, work, answer, lane="many")
        self.changed.emit()

    def _told(self, done: int, of: int) -> None:
        """Take note, in the worker's thread, how far it is."""
        self._further.emit(done, of)
        if self._is_stopped:
            raise StoppedError("stopped")

    def _on_further(self, done: int, of: int) -> None:
        self._done, self._of = done, of
        self.changed.emit()

    def _forget(self) -> None:
        self.stop()
        self.swept = self.days = self.proof = None
        self.changed.emit()

    def end(self) -> None:
        """The window closes."""
        self.stop()
