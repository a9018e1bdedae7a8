"""The state that the plan is compared with: kept, saved, before the last edits, another rule or another file."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final, Literal

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.advise import Beside, Difference, beside, differences
from ruvex.desktop.state.background import Background
from ruvex.desktop.state.document import Document
from ruvex.desktop.state.look import Look
from ruvex.desktop.state.playing import same_to_play
from ruvex.desktop.state.rehearsal import Rehearsal
from ruvex.divide import Division, divide
from ruvex.plan import EditError, Plan, Traces, change_settings, format_time, read_plan, setting_word
from ruvex.play import Player, division_at, obstacle_to_play
from ruvex.site import Site, site_of

Kind = Literal["saved", "edits", "kept", "rule", "file"]
RULES: Final = (
    ("reservation_rule", ("floor", "on-top")), ("shares_count", ("per-guest", "per-size")),
    ("balancing", ("none", "at-power-on", "over-time")), ("bounds_while_on", ("free", "widen")),
)  # fmt: skip
"""Rules that have a few settings: each other one than that in force can be compared with."""
_RECORD_S: Final = 60.0
_MOST_GUESTS: Final = 2000


@dataclass(frozen=True, slots=True, eq=False)
class YardstickChoice:
    """Something to compare with: what kind, how it is called, and its plan with its traces."""

    kind: Kind
    text: str
    plan: Plan
    traces: Traces


@dataclass(frozen=True, slots=True, eq=False)
class Compared:
    """What was found: both states, their days where they were played, and what is set differently."""

    beside: Beside
    then: Division
    now: Division
    days: tuple[Player, Player] | None
    differences: tuple[Difference, ...]


class Yardstick(QObject):
    """Keeps states, and compares the plan with one of them while somebody wants to know.

    Attributes
    ----------
    kept
        States that were kept, the newest first.
    chosen
        The one that is compared with; None where the plan is compared with itself.
    found
        The comparison; None while there is none.

    Signals
    -------
    changed()
        Another choice, or another comparison.
    """

    changed = pyqtSignal()

    def __init__(
        self, document: Document, look: Look, rehearsal: Rehearsal, background: Background,
        parent: QObject | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._document, self._look, self._rehearsal, self._background = document, look, rehearsal, background
        self.kept: list[YardstickChoice] = []
        self.edits = 1
        self._picked: Kind = "edits"
        self._name = ""
        self._file: YardstickChoice | None = None
        self.found: Compared | None = None
        self._is_wanted, self._asked, self._answered = False, 0, 0
        self._day: tuple[Plan, Player | None] | None = None
        self._sites: tuple[Plan, Site] | None = None
        document.opened.connect(self._forget)
        document.edited.connect(lambda _text: self._drop_before())
        for signal in (look.changed, rehearsal.changed):
            signal.connect(self._compare)

    def want(self, *, wanted: bool) -> None:
        """Begin or cease to compare."""
        self._is_wanted = wanted
        self._compare()

    @property
    def is_behind(self) -> bool:
        """Whether a comparison is on its way."""
        return self._is_wanted and (self._asked != self._answered or self._waits_for_day)

    @property
    def _waits_for_day(self) -> bool:
        possible = self._rehearsal.is_possible and self.chosen is not None
        return possible and (self.found is None or self.found.days is None)

    # What can be chosen

    def keep(self, name: str = "") -> None:
        """Keep the plan as it is as a yardstick, and compare with it."""
        document = self._document
        text = f"kept at {format_time(document.plan.moment)}" + (f" \u201c{name}\u201d" if name else "")
        number = sum(one.text.startswith(text) for one in self.kept)
        text += f" ({number + 1})" if number else ""
        self.kept.insert(0, YardstickChoice("kept", text, document.plan, document.site.traces))
        self.choose("kept", text)

    def choices(self) -> list[YardstickChoice]:
        """Give everything that the plan can be compared with."""
        document, found = self._document, list(self.kept)
        plan, traces = document.plan, document.site.traces
        if document.path is not None:
            found.append(YardstickChoice("saved", "as it was saved", document.file.plan, document.file.traces))
        before = document.before(self.edits)
        if before is not None:
            text = "before the last edit" if self.edits == 1 else f"before the last {self.edits} edits"
            found.append(YardstickChoice("edits", text, before, traces))
        for rule, values in RULES:
            for value in values:
                if getattr(plan.rules, rule) == value:
                    continue
                try:
                    other = change_settings(plan, "rules", {rule: value})
                except EditError:
                    continue
                found.append(YardstickChoice("rule", f"{setting_word(rule)} {value}", other, traces))
        if self._file is not None:
            found.append(self._file)
        return found

    def choose(self, kind: Kind, text: str) -> None:
        """Compare with something else."""
        self._picked, self._name = kind, text
        self.found = None
        self._compare()

    def open(self, path: Path) -> None:
        """Compare with the plan of a file.

        Raises
        ------
        PlanError, PlanFileError
            It cannot be used.
        """
        file = read_plan(path)
        self._file = YardstickChoice("file", path.name, file.plan, file.traces)
        self.choose("file", path.name)

    @property
    def chosen(self) -> YardstickChoice | None:
        """What is compared with: what was chosen, or the last edit, or how the plan was saved."""
        choices = self.choices()
        named = next((one for one in choices if one.kind == self._picked and one.text == self._name), None)
        same_kind = next((one for one in choices if one.kind == self._picked and one.kind == "edits"), None)
        usual = next((one for one in choices if one.kind in ("kept", "edits", "saved")), None)
        return named or same_kind or usual

    # Comparing

    def _forget(self) -> None:
        self.kept, self._file, self.found, self._day, self._sites = [], None, None, None, None
        self._picked, self._name, self.edits = "edits", "", 1
        self.changed.emit()
        self._compare()

    def _drop_before(self) -> None:
        """Let go of a comparison of the plan before: what is undone is not shown a moment longer."""
        if self.found is not None and not same_to_play(self.found.now.site.plan, self._look.plan):
            self.found = None
            self.changed.emit()

    def _compare(self) -> None:
        if not self._is_wanted:
            return
        chosen, now, is_played = self.chosen, self._look.division, self._look.is_played
        if chosen is None:
            self.found = None
            self.changed.emit()
            return
        number = self._asked = self._asked + 1
        base = self._rehearsal.tried or self._rehearsal.base
        is_current = self._rehearsal.is_current and base is not None
        known_day, known_site = self._day, self._sites
        at_s = min(self._look.plan.moment, chosen.plan.day_s)
        as_set = self._rehearsal.as_set if is_played else now.site.plan
        may_play = len(chosen.plan.guests) <= _MOST_GUESTS and not obstacle_to_play(chosen.plan)

        def work() -> Any:
            site = known_site[1] if known_site is not None and known_site[0] is chosen.plan else None
            site = site or site_of(chosen.plan, chosen.traces)
            day = known_day[1] if known_day is not None and known_day[0] is chosen.plan else None
            if day is None and may_play and is_current:
                day = Player(site, record_s=max(_RECORD_S, chosen.plan.day_s / 1440))
                day.run()
            then = division_at(day, at_s) if is_played and day is not None else None
            then = then or divide(site, at_s)
            days = (day, base) if day is not None and base is not None and is_current else None
            found = Compared(beside(then, now, days), then, now, days, tuple(differences(chosen.plan, as_set)))
            return site, day, found

        def answer(result: Any, problem: Exception | None) -> None:
            if problem is not None:
                raise problem
            if result is not None and number == self._asked:
                self._answered = number
                site, day, self.found = result
                self._sites, self._day = (chosen.plan, site), (chosen.plan, day)
                self.changed.emit()

        self._background.run("beside", work, answer, lane="questions")
