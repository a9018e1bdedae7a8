"""Playing small plans in tests, with every invariant checked after every tick."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from ruvex.engine import rows as r
from ruvex.plan import Plan
from ruvex.play import Player, Summary
from ruvex.site import site_of

AT_ONCE = {
    "memory_every_s": 1,
    "elastic": {"grow_mib_s": None, "shrink_mib_s": None, "settle_s": 0, "shrink_step_s": 1},
    "starting": {"agent_s": 0},
    "reclaim": {
        "balloon_mib_s": None, "urgent_mib_s": None, "squeeze_mib_s": None, "spill_mib_s": None, "return_mib_s": None,
    },
    "workload": {"sample_s": 1, "cache_mib_s": None, "greedy_mib_s": None},
    "sharing_mib_s": None,
}  # fmt: skip
"""Rules under which everything moves at once."""


def check(player: Player) -> None:
    """Raise AssertionError where an invariant of section 7 does not hold."""
    state, site = player.state, player.site
    g, standing, trees = site.guests, site.standing.of_guests, site.forest.trees
    assert np.isfinite(state.values).all(), "a value is no number"
    assert (state.values >= -1e-6).all(), f"negative: {np.argwhere(state.values < -1e-6).tolist()}"
    off = ~state.on
    for name in ("given", "touched", "balloon", "spilled", "delivered", "wanted", "bridged"):
        assert not getattr(state, name)[off].any(), f"{name} of a guest that is off"
    thin = (g[r.G_MODE] == r.THIN) & state.on
    own = state.touched - state.shared
    backed = own - state.balloon - state.squeezed - state.spilled
    assert (backed[thin] >= -1e-6).all(), "more is away than was touched"
    elastic = (g[r.G_MODE] == r.ELASTIC) & state.on
    seen = state.given + state.balloon + state.bridged
    assert np.allclose(seen[elastic], state.visible[elastic], atol=1e-6), "visible is not the sum of its parts"
    ratio = site.plan.rules.squeeze.ratio
    spent = np.where(thin, backed + state.squeezed / ratio, state.given)
    assert np.allclose(spent[state.on], state.given[state.on], atol=1e-6), "given is not what is backed"
    values, place_of = player.ticks.place_values, site.forest.place_of
    for place in range(site.hosts.shape[1], values.shape[1]):
        here = (place_of[1] == place) & state.on
        slack = 1e-6 * max(1.0, float(g[r.G_SIZE].sum()))
        supply = float(values[r.Q_SUPPLY, place])
        assert state.given[here].sum() <= supply + slack, f"{state.given[here].sum()} backed of {supply}"
        broken = trees.nodes[r.N_PLACE] == place
        held = here & (standing[r.S_AGENT] != 0) & elastic
        if not player.ticks.known[r.V_BROKEN, broken].any():
            floors = np.minimum(g[r.G_FLOOR], state.target)
            assert (np.maximum(state.given, state.floor)[held] >= floors[held] - slack).all(), "below its floor"
    for host in range(site.hosts.shape[1]):
        here = (site.standing.host == host) & state.on
        supply = float(values[r.Q_SUPPLY, host])
        assert state.delivered[here].sum() <= supply * (1 + 1e-9) + 1e-6, "more CPU than there is"
        assert player.state.up[host] or not here.any(), "somebody is on where the host is down"
    speed = g[r.G_VCPUS] * site.hosts[r.H_MHZ, np.maximum(site.standing.host, 0)]
    assert (state.delivered <= np.where(g[r.G_DEDICATED] > 0, speed, g[r.G_CPU_LIMIT]) + 1e-6).all()
    assert (state.met <= 1).all() and (state.pace <= 1).all()
    assert not state.cause[state.phase < r.BOOTING].any()
    assert len(set(state.volumes.values())) == len(state.volumes), "a guest has two volumes"


class PlayCase(unittest.TestCase):
    """Plays plans and reads what became of them."""

    def play(self, plan: Plan, *, until_s: float | None = None, **rest: Any) -> Player:
        """Play a plan with invariants checked after every tick."""
        player = Player(site_of(plan, {}), until_s=until_s, watch=check, **rest)
        player.run()
        return player

    def of(self, player: Player, guest: str, name: str) -> float:
        """Give a quantity of a guest's state now."""
        return float(getattr(player.state, name)[player.site.plan.guest_index[guest]])

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
