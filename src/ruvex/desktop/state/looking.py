"""What is worth a look in the open plan, found beside the window from the moment and the played day."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.advise import Effect, Finding, effect_of, findings_of
from ruvex.desktop.state.background import Background
from ruvex.desktop.state.document import Document
from ruvex.desktop.state.look import Look
from ruvex.desktop.state.rehearsal import Rehearsal
from ruvex.divide import Division, divide


@dataclass(frozen=True, slots=True)
class Found:
    """A finding, and what its remedy does to everyone at the moment (None without a remedy)."""

    finding: Finding
    effect: Effect | None


class Looking(QObject):
    """Looks through the plan while somebody wants to know.

    Attributes
    ----------
    found
        What was found, what hurts now first.
    division
        What it was found on; None before anything was.

    Signals
    -------
    changed()
        ``found`` is new, or out of date.
    """

    changed = pyqtSignal()

    def __init__(
        self,
        document: Document,
        look: Look,
        rehearsal: Rehearsal,
        background: Background,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._rehearsal, self._background = document, rehearsal, background
        self._is_wanted, self._asked, self._answered = False, 0, 0
        self.found: list[Found] = []
        self.division: Division | None = None
        for signal in (rehearsal.changed, look.moment_changed):
            signal.connect(self._find)
        document.edited.connect(lambda _text: self._find())
        document.opened.connect(self._forget)

    @property
    def is_behind(self) -> bool:
        """Whether something newer is on its way."""
        return self._is_wanted and (self._asked != self._answered or not self._is_played)

    @property
    def _is_played(self) -> bool:
        return self._rehearsal.base is not None or not self._rehearsal.is_possible

    def want(self, *, wanted: bool) -> None:
        """Begin or cease to follow the plan."""
        self._is_wanted = wanted
        self._find()

    def _forget(self) -> None:
        self.found, self.division = [], None
        self.changed.emit()
        self._find()

    def _find(self) -> None:
        day, site = self._rehearsal.base, self._document.site
        if not self._is_wanted or day is None or not self._rehearsal.is_of_plan:
            self.changed.emit()
            return
        number = self._asked = self._asked + 1

        def work() -> tuple[Division, list[Found]]:
            division = divide(site, site.plan.moment)
            return division, [Found(one, effect_of(one, division)) for one in findings_of(division, day)]

        def answer(result: tuple[Division, list[Found]] | None, problem: Exception | None) -> None:
            if problem is not None:
                raise problem
            if result is not None and number == self._asked:
                self._answered = number
                self.division, self.found = result
                self.changed.emit()

        self._background.run("findings", work, answer, lane="questions")
