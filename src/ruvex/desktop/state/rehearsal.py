"""The day played beside the window, as the plan has it and as what is being tried would have it."""

from __future__ import annotations

import time
from typing import Final

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.advise import DayShift, day_shift
from ruvex.desktop.state.background import Background
from ruvex.desktop.state.document import Document
from ruvex.desktop.state.playing import same_to_play
from ruvex.plan import Plan
from ruvex.play import Player, obstacle_to_play
from ruvex.site import Site

_MOST_GUESTS: Final = 2000
"""A day of more guests takes too long to follow a handle."""
_PIECE_TICKS: Final = 2000
_PATIENCE_S: Final = 2.0
"""A play that has been overtaken by a newer setting is brought to its end, unless it takes longer than this."""
_SUBJECT: Final = "rehearsal"


class Rehearsal(QObject):
    """Plays the whole day of the newest setting, again and again while a handle moves; the next begins when one ends.

    Attributes
    ----------
    base
        The day of the document's plan, None while it is not there yet.
    tried
        The day of what is being tried, None while nothing is or it is not there yet.
    shift
        What the tried day does to the base; None without both.

    Signals
    -------
    changed()
        Another day is there, or one has gone.
    """

    changed = pyqtSignal()

    def __init__(self, document: Document, background: Background, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self._background = document, background
        self._is_over = False
        self.base: Player | None = None
        self.tried: Player | None = None
        self.shift: DayShift | None = None
        self._trying: Site | None = None
        self._is_busy = False
        document.opened.connect(self._on_opened)
        document.edited.connect(self._on_edited)

    @property
    def is_possible(self) -> bool:
        """Whether the day can follow: there is somebody, and there are not too many."""
        plan = self._document.plan
        return 0 < len(plan.guests) <= _MOST_GUESTS and not obstacle_to_play(plan)

    @property
    def as_set(self) -> Plan:
        """The plan as it is set, with what is being tried: what an event does to it over the day is not among that."""
        return self._document.plan if self._trying is None else self._trying.plan

    @property
    def is_current(self) -> bool:
        """Whether the days that are there are those of the newest settings."""
        return self._next() is None

    @property
    def is_of_plan(self) -> bool:
        """Whether ``base`` is the day of the plan as it is now."""
        return self.base is not None and _is_of(self.base, self._document.plan)

    def try_(self, site: Site) -> None:
        """Play the day of what is being tried; a handle that is brought back to where it was asks for none."""
        if same_to_play(site.plan, self._document.plan):
            self.give_up()
        else:
            self._trying = site
            self._go_on()

    def give_up(self) -> None:
        """Nothing is being tried any more."""
        if self._trying is not None or self.tried is not None:
            self._trying = self.tried = self.shift = None
            self.changed.emit()

    def end(self) -> None:
        """Play no more: the window closes."""
        self._is_over = True

    def _on_opened(self) -> None:
        self._trying = self.base = self.tried = self.shift = None
        self.changed.emit()
        self._go_on()

    def _on_edited(self, _text: str) -> None:
        if self.tried is not None and _is_of(self.tried, self._document.plan):
            self.base = self.tried
        self._trying = self.tried = self.shift = None
        self.changed.emit()
        self._go_on()

    def _next(self) -> Site | None:
        """Give whose day is to be played next: first the plan's own, then what is being tried."""
        if not self.is_possible:
            return None
        if self.base is None or not _is_of(self.base, self._document.plan):
            return self._document.site
        trying = self._trying
        if trying is not None and (self.tried is None or not _is_of(self.tried, trying.plan)):
            return trying
        return None

    def _go_on(self) -> None:
        site = None if self._is_busy or self._is_over else self._next()
        if site is None:
            return
        self._is_busy = True
        base = self.base if site is self._trying else None

        def work() -> tuple[Player, DayShift | None] | None:
            begun = time.monotonic()
            player = Player(site)
            while not player.is_over:
                player.run(most_ticks=_PIECE_TICKS)
                # Read beside the window's thread: at worst one piece more is played.
                is_late = time.monotonic() - begun > _PATIENCE_S and self._next() not in (None, site)
                if is_late or self._is_over:
                    return None
            return player, None if base is None else day_shift(base, player)

        def answer(found: tuple[Player, DayShift | None] | None, problem: Exception | None) -> None:
            self._is_busy = False
            if problem is not None:
                raise problem
            if found is not None:
                self._take(*found)
            self._go_on()

        self._background.run(_SUBJECT, work, answer, lane="long")

    def _take(self, player: Player, shift: DayShift | None) -> None:
        if _is_of(player, self._document.plan):
            self.base = player
        elif self._trying is not None and shift is not None:
            # An older setting of the same handle is nearer than none.
            self.tried, self.shift = player, shift
        else:
            return
        self.changed.emit()


def _is_of(player: Player, plan: Plan) -> bool:
    """Tell whether it is a plan's day that was played."""
    return same_to_play(player.plans[0][1], plan)
