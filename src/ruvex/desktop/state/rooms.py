"""What is asked about room in the open plan: how many more, without a host, better places, right sizes.

Each answer is found beside the window, one after the other, while somebody wants to know.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.advise import (
    RightSize,
    Room,
    SiteSavings,
    Without,
    as_elastic,
    as_fixed,
    right_sizes,
    room_for,
    savings_over,
    without_host,
    worst_time,
)
from ruvex.desktop.state.answers import Answers, Of
from ruvex.desktop.state.background import Background
from ruvex.desktop.state.document import Document
from ruvex.desktop.state.look import Look
from ruvex.desktop.state.rehearsal import Rehearsal
from ruvex.desktop.state.selection import Selection
from ruvex.placing import BetterPlaces, DayLack, Loads, Losses, Reserve, SettledLoss, better_places
from ruvex.plan import Guest
from ruvex.play import Player
from ruvex.site import Site

Floats = NDArray[np.float64]
Question = Literal["more", "lost", "places", "played", "sizes"]
QUESTIONS: Final[tuple[Question, ...]] = ("more", "lost", "places", "sizes", "played")
"""In the order in which they are answered: the quick ones first."""
_NEEDS_DAY: Final = ("sizes", "played")
MOST_GUESTS: Final = 5000
"""Of more guests each answer would take minutes: whoever wants it asks by command."""
MOST_PLAYED: Final = 12
"""The loss of each host is only played where there are no more of them."""


@dataclass(frozen=True, slots=True)
class More:
    """How many more fit: as the pattern is, and with fixed or elastic memory instead (None where it has that)."""

    room: Room
    fixed: Room | None
    elastic: Room | None


@dataclass(frozen=True, slots=True, eq=False)
class Lost:
    """What the loss of each host comes to, as it would settle.

    Attributes
    ----------
    losses, reserve
        One for each host that is up; and what must be set aside.
    loads, row
        What is wanted over the day, and at which sample most is, for the pictures.
    """

    losses: tuple[SettledLoss, ...]
    reserve: Reserve
    loads: Loads
    row: int


@dataclass(frozen=True, slots=True)
class Sizes:
    """Guests that are not of the right size, and what elastic memory saves."""

    sizes: tuple[RightSize, ...]
    savings: SiteSavings


class Rooms(QObject):
    """Asks and keeps the answers, each with the site it is of.

    Attributes
    ----------
    pattern
        What *how many more* counts: the id of a guest, or one that was typed.

    Signals
    -------
    changed()
        An answer is there, or one is out of date.
    """

    changed = pyqtSignal()

    def __init__(
        self, document: Document, look: Look, selection: Selection, rehearsal: Rehearsal, background: Background,
        parent: QObject | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._document, self._look, self._rehearsal = document, look, rehearsal
        self._selection = selection
        self._is_wanted = False
        self.pattern: str | Guest | None = None
        self.answers = Answers(background, "questions", "room", self)
        self.answers.changed.connect(self.changed)
        document.closing.connect(self._forget)
        document.opened.connect(self._ask)
        document.edited.connect(lambda _text: self._ask())
        for signal in (look.moment_changed, rehearsal.changed):
            signal.connect(self._ask)

    def want(self, *, wanted: bool) -> None:
        """Begin or cease to follow the plan."""
        self._is_wanted = wanted
        if wanted and self.pattern is None:
            self._choose_pattern()
        self._ask()

    def set_pattern(self, pattern: str | Guest) -> None:
        """Count by another guest."""
        self.pattern = pattern
        self._ask()

    @property
    def pattern_guest(self) -> Guest | None:
        """The guest that is counted by."""
        plan = self._document.plan
        if isinstance(self.pattern, Guest):
            return self.pattern
        if self.pattern in plan.guest_index:
            return plan.guests[plan.guest_index[self.pattern]]
        return plan.guests[0] if plan.guests else None

    @property
    def is_behind(self) -> bool:
        """Whether answers are on their way."""
        return self._is_wanted and any(not self.is_current(name) for name in self._wanted())

    def is_current(self, name: Question) -> bool:
        """Whether the answer to a question is that of the plan as it is now."""
        return self.answers.is_there(name, self._of(name))

    def has_before(self, name: Question) -> bool:
        """Whether what is known of a question is of the plan before."""
        return self.answers.has_before(name, self._of(name))

    def problem(self, name: Question) -> str:
        """Why there is no answer to a question, or nothing."""
        return self.answers.problem(name, self._of(name))

    @property
    def more(self) -> More | None:
        """How many more; None while nothing is known."""
        found: More | None = self._known("more")
        return found

    @property
    def lost(self) -> Lost | None:
        """Without each host."""
        found: Lost | None = self._known("lost")
        return found

    @property
    def places(self) -> BetterPlaces | None:
        """Better places."""
        found: BetterPlaces | None = self._known("places")
        return found

    @property
    def played(self) -> dict[str, Without] | None:
        """Without each host as it is played, by host; empty where there are too many."""
        found: dict[str, Without] | None = self._known("played")
        return found

    @property
    def sizes(self) -> Sizes | None:
        """Right sizes and savings."""
        found: Sizes | None = self._known("sizes")
        return found

    def _known(self, name: Question) -> Any:
        return self.answers.get(name, self._of(name))

    # Asking

    def _forget(self) -> None:
        self.pattern = None
        self.answers.drop()

    def _choose_pattern(self) -> None:
        plan, current = self._document.plan, self._selection.current
        self.pattern = current if current in plan.guest_index else plan.guests[0].id if plan.guests else None

    def _wanted(self) -> list[Question]:
        plan = self._document.plan
        if not plan.guests or not plan.hosts or len(plan.guests) > MOST_GUESTS:
            return []
        is_played = self._rehearsal.is_possible
        return [name for name in QUESTIONS if is_played or name not in _NEEDS_DAY]

    def _of(self, name: Question) -> Of:
        plan = self._document.plan
        return Of(plan, plan.moment, self.pattern) if name == "more" else Of(plan)

    def _ask(self) -> None:
        if not self._is_wanted:
            return
        if self.pattern is None:
            self._choose_pattern()
        for name in self._wanted():
            work = self._work(name)
            if work is not None:
                self.answers.ask(name, self._of(name), work)
        self.changed.emit()

    def _work(self, name: Question) -> Callable[[], Any] | None:
        site, day, pattern = self._document.site, self._rehearsal.base, self.pattern_guest
        at_s = site.plan.moment
        if name in _NEEDS_DAY and (day is None or not self._rehearsal.is_of_plan):
            return None
        if name == "more":
            return None if pattern is None else lambda: _more(site, pattern, at_s)
        if name == "lost":
            return lambda: _lost(site)
        if name == "places":
            return lambda: better_places(site)
        assert day is not None
        return (lambda: _sizes(day, site)) if name == "sizes" else (lambda: _played(day, site))


def _more(site: Site, pattern: Guest, at_s: float) -> More:
    others = [one if one != pattern else None for one in (as_fixed(site, pattern), as_elastic(site, pattern))]
    fixed, elastic = (None if one is None else room_for(site, one, at_s=at_s) for one in others)
    return More(room_for(site, pattern, at_s=at_s), fixed, elastic)


def _lost(site: Site) -> Lost:
    day = DayLack(site)
    losses, loads = Losses(site, day=day), day.loads()
    wanted, there = loads.wanted.sum(axis=2), loads.supply.sum(axis=2)
    row = int(np.argmax((wanted / np.maximum(there, 1.0)).sum(axis=0)))
    found = tuple(losses.of(host.id) for host in site.plan.hosts if host.up)
    return Lost(found, losses.reserve(), loads, row)


def _played(day: Player, site: Site) -> dict[str, Without]:
    hosts = [host.id for host in site.plan.hosts if host.up]
    if len(hosts) > MOST_PLAYED:
        return {}
    at_s = worst_time(day)
    return {host: without_host(site, host, at_s) for host in hosts}


def _sizes(day: Player, site: Site) -> Sizes:
    return Sizes(tuple(right_sizes(day, site)), savings_over(day))
