"""Placing guests over time: every so often the move that helps most is begun. Section 9 of docs/model.md."""

from __future__ import annotations

from ruvex.divide import Asked
from ruvex.engine import rows as r
from ruvex.placing import moves_now
from ruvex.play._moves import Moves
from ruvex.play._ticks import Ticks


class Balance:
    """Begins moves by itself, where the rules say so; one at a time, and none while a guest is on its way."""

    def __init__(self, ticks: Ticks, moves: Moves) -> None:
        self._ticks, self._moves = ticks, moves

    def _every(self) -> int:
        """Give how many ticks lie between two looks, 0 where nobody looks."""
        plan = self._ticks.site.plan
        if plan.rules.balancing != "over-time" or len(plan.hosts) < 2:
            return 0
        return max(1, round(plan.rules.balance_every_s / plan.tick_s))

    @property
    def next_due(self) -> int:
        """The next tick after this one at which it looks."""
        every = self._every()
        return (self._ticks.tick // every + 1) * every if every else r.NEVER

    @property
    def is_due(self) -> bool:
        """Whether it looks at this tick."""
        every, tick = self._every(), self._ticks.tick
        return bool(every) and tick > 0 and tick % every == 0

    def step(self, demand: Asked) -> None:
        """Begin the move that takes most away of what its host's guests lack, if there is one that is allowed."""
        if self._moves.under_way:
            return
        least = self._ticks.site.plan.rules.balance_least_percent / 100
        for move in moves_now(self._ticks.site, demand, least):
            if self._moves.problem(move.guest, move.to) is None:
                self._moves.begin(move.guest, move.to, relieves=move.part)
                return
