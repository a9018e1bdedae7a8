"""What is worth a look in the open plan, found beside the window from the moment and the played day."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.advise import Finding, RemedyEffect, effect_of, findings_of
from ruvex.desktop.state.answers import Answers, Of
from ruvex.desktop.state.background import Background
from ruvex.desktop.state.document import Document
from ruvex.desktop.state.look import Look
from ruvex.desktop.state.rehearsal import Rehearsal
from ruvex.divide import Division, divide

_FINDINGS: Final = "all"


@dataclass(frozen=True, slots=True)
class FoundWorth:
    """A finding, and what its remedy does to everyone at the moment (None without a remedy)."""

    finding: Finding
    effect: RemedyEffect | None


class Looking(QObject):
    """Looks through the plan while somebody wants to know.

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
        self._document, self._rehearsal = document, rehearsal
        self._is_wanted = False
        self._answers = Answers(background, "questions", "findings", self)
        self._answers.changed.connect(self.changed)
        for signal in (rehearsal.changed, look.moment_changed):
            signal.connect(self._find)
        document.edited.connect(lambda _text: self._find())
        document.closing.connect(self._answers.drop)
        document.opened.connect(self._find)

    @property
    def found(self) -> list[FoundWorth]:
        """What was found in the plan as it is, what hurts now first; nothing while that is not known."""
        known = self._answers.get(_FINDINGS, self._of)
        return [] if known is None else known[1]

    @property
    def division(self) -> Division | None:
        """What it was found on; None while nothing is known of the plan as it is."""
        known = self._answers.get(_FINDINGS, self._of)
        return None if known is None else known[0]

    @property
    def is_behind(self) -> bool:
        """Whether something newer is on its way."""
        return self._is_wanted and self._rehearsal.is_possible and not self._answers.is_there(_FINDINGS, self._of)

    def want(self, *, wanted: bool) -> None:
        """Begin or cease to follow the plan."""
        self._is_wanted = wanted
        self._find()

    @property
    def _of(self) -> Of:
        plan = self._document.plan
        return Of(plan, plan.moment)

    def _find(self) -> None:
        day, site = self._rehearsal.base, self._document.site
        if not self._is_wanted or day is None or not self._rehearsal.is_of_plan:
            self.changed.emit()
            return

        def work() -> tuple[Division, list[FoundWorth]]:
            division = divide(site, site.plan.moment)
            return division, [FoundWorth(one, effect_of(one, division)) for one in findings_of(division, day)]

        is_known = self._answers.is_there(_FINDINGS, self._of)
        self._answers.ask(_FINDINGS, self._of, work)
        if not is_known:
            self.changed.emit()
