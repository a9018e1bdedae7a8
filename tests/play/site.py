"""Playing small plans in tests, with every invariant checked after every tick."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from ruvex.divide import columns, compile_plan, copies_of, memory_supply
from ruvex.plan import Plan
from ruvex.play import Player, Summary
from ruvex.play import _state as s

AT_ONCE = {
    "look_s": 1,
    "elastic": {"grow_mib_s": None, "shrink_mib_s": None, "settle_s": 0, "shrink_step_s": 1},
    "starting": {"agent_s": 0},
    "reclaim": {
        "balloon_mib_s": None, "urgent_mib_s": None, "squeeze_mib_s": None, "spill_mib_s": None, "return_mib_s": None,
    },
    "pressure": {"tidying_percent": 0, "reclaiming_percent": 0, "refusing_percent": 0, "hysteresis_percent": 0},
    "workload": {"sample_s": 1, "cache_mib_s": None, "greedy_mib_s": None},
    "sharing_mib_s": None,
}  # fmt: skip
"""Rules under which everything moves at once and nothing is kept free."""


def check(player: Player) -> None:
    """Raise AssertionError where an invariant of section 7 does not hold."""
    state, ground, g = player.state, player.ground, player.ground.guests
    names = [name for name in type(state).__slots__ if getattr(state, name).dtype.kind == "f"]
    for name in names:
        values = getattr(state, name)
        assert np.isfinite(values).all(), f"{name} is {values}"
        assert (values >= -1e-6).all(), f"{name} is negative: {values}"
    off = ~state.on
    for name in ("given", "touched", "balloon", "spilled", "delivered", "wanted", "bridged"):
        assert not getattr(state, name)[off].any(), f"{name} of a guest that is off"
    thin = ground.thin & state.on
    parts = state.backed + state.shared + state.balloon + state.squeezed + state.spilled
    assert np.allclose(parts[thin], state.touched[thin], atol=1e-6), "touched is not the sum of its parts"
    elastic = ground.elastic & state.on
    seen = state.given + state.balloon + state.bridged
    assert np.allclose(seen[elastic], state.visible[elastic], atol=1e-6), "visible is not the sum of its parts"
    ratio = player.compiled.plan.rules.squeeze.ratio
    spent = np.where(thin, state.backed + state.squeezed / ratio, state.given)
    assert np.allclose(spent, state.given, atol=1e-6), "given is not what is backed"
    slack = 1e-6 * max(1.0, float(g[columns.SIZE].sum()))
    for place in player.memory.places:
        here = player.memory.is_here(place)
        assert state.given[here].sum() <= place.supply + slack, f"{state.given[here].sum()} backed of {place.supply}"
    whole = float(memory_supply(ground.compiled, copies_of(ground.compiled, state.shared)))
    assert state.given.sum() <= whole + slack, "the hosts back more than they have"
    assert state.delivered.sum() <= player.processor.supply * (1 + 1e-9) + 1e-6, "more CPU than there is"
    assert (state.delivered <= np.where(g[columns.DEDICATED] > 0, ground.speed, g[columns.CPU_LIMIT]) + 1e-6).all()
    held = ground.breathing & state.on
    if not any(place.is_broken for place in player.memory.places):
        assert (state.given[held] >= g[columns.FLOOR][held] - slack).all(), "an elastic guest is below its floor"
    assert (state.met <= 1).all() and (state.pace <= 1).all()
    assert not state.cause[state.phase < s.BOOTING].any()


class PlayCase(unittest.TestCase):
    """Plays plans and reads what became of them."""

    def play(self, plan: Plan, *, until_s: float | None = None, **rest: Any) -> Player:
        """Play a plan with invariants checked after every tick."""
        player = Player(compile_plan(plan, {}), until_s=until_s, watch=check, **rest)
        player.run()
        return player

    def of(self, player: Player, guest: str, name: str) -> float:
        """Give a quantity of a guest's state now."""
        index = player.compiled.plan.guest_index[guest]
        return float(getattr(player.state, name)[player.compiled.tree.guest_place[index]])

    def series(self, player: Player, guest: str, channel: str) -> Any:
        """Give a recorded channel of a guest."""
        recording = player.recording
        return recording.series(channel)[recording.guest_index[guest]]

    def kinds(self, player: Player, target: str) -> list[str]:
        """Give the kinds of the log's entries about something."""
        return [entry.kind for entry in player.log if entry.target == target]


def guest_of(summary: Summary, guest: str) -> Any:
    """Give a guest's part of a summary."""
    return next(found for found in summary.guests if found.id == guest)
