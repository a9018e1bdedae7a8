"""Limits of memory while it moves: they bind at every look, and growth waits for what is still held."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from ruvex.plan import Plan
from ruvex.play import Player
from ruvex.site import site_of
from tests.builders import HOST, plan_of

_STEP_S = 1800


def steps(before: float, after: float) -> dict[str, Any]:
    """Describe a demand that changes once."""
    return {"kind": "steps", "at": [[0, before], [_STEP_S, after]]}


def guest(name: str, before: float, after: float, *, pool: str | None = "p", **memory: Any) -> dict[str, Any]:
    """Describe a guest that works with one amount of memory, then with another."""
    return {
        "id": name,
        "pool": pool,
        "memory": memory,
        "demand": {"cpu": 9, "working": steps(before, after), "touched": 0},
    }


def elastic(name: str, before: float, after: float) -> dict[str, Any]:
    """Describe an elastic one with a headroom of 10 %."""
    return guest(name, before, after, mode="elastic", floor=500, boot=4000, ceiling=16_000, headroom_percent=10)


def backed(plan: Plan, until_s: float = 4000.0) -> np.ndarray[Any, Any]:
    """Play a plan; gives what every guest has backed, every 5 s."""
    player = Player(site_of(plan, {}), until_s=until_s, record_s=5.0)
    player.run()
    return np.asarray(player.recording.series("backed"))


class WhileMemoryMoves(unittest.TestCase):
    """Pools limited to 9 000 MiB, guests limited to 1 536, a bank made smaller."""

    def test_an_elastic_guest_rises_as_another_falls(self) -> None:
        """One falls from 7 000 to 1 000 as the other rises: the pool never holds more than it may, and both arrive."""
        found = backed(
            plan_of([elastic("a", 7000, 1000), elastic("b", 1000, 7000)], [{"id": "p", "memory": {"limit": 9000}}])
        )
        self.assertLessEqual(found.sum(axis=0).max(), 9000.001)
        np.testing.assert_allclose(found[:, -1], [1100, 7700], atol=1)
        at = _STEP_S // 5
        self.assertTrue((np.diff(found[0, at:]) <= 1e-6).all() and (np.diff(found[1, at:]) >= -1e-6).all())

    def test_the_same_in_an_inner_pool(self) -> None:
        """The limit of an outer pool binds the guests of the inner one as well."""
        pools = [{"id": "o", "memory": {"limit": 9000}}, {"id": "p", "parent": "o"}]
        found = backed(plan_of([elastic("a", 7000, 1000), elastic("b", 1000, 7000)], pools))
        self.assertLessEqual(found.sum(axis=0).max(), 9000.001)

    def test_thin_guests(self) -> None:
        """Pages that a thin guest touches over the limit of its pool go to disk at once."""
        guests = [guest("a", 7000, 1000, size=12_000), guest("b", 1000, 7000, size=12_000)]
        found = backed(plan_of(guests, [{"id": "p", "memory": {"limit": 9000}}]))
        self.assertLessEqual(found.sum(axis=0).max(), 9000.001)

    def test_a_guests_own_limit(self) -> None:
        """A thin guest without an agent that may have 1 536 and steps from 1 000 to 6 000 never has more."""
        plan = plan_of([guest("a", 1000, 6000, pool=None, size=12_000, limit=1536) | {"agent": False}])
        self.assertLessEqual(backed(plan).max(), 1536.001)

    def test_a_limit_that_is_lowered_is_reached_by_its_means(self) -> None:
        """What is held above a new limit is given up at a rate, without growing meanwhile."""
        change = {"at": _STEP_S, "do": "set", "target": "a", "change": {"memory.limit": 2000}}
        found = backed(plan_of([guest("a", 6000, 6000, pool=None, size=8000)], events=[change]))[0]
        after = found[_STEP_S // 5 + 1 :]
        self.assertTrue((np.diff(after) <= 1e-6).all())
        self.assertGreater(after[0], 3000)
        self.assertLess(after[-1], 2001)

    def test_a_bank_made_smaller_is_emptied(self) -> None:
        """From 6 144 to 3 072 MiB with 6 000 in use: it ends at 3 072 as it would settle, and the host has the rest."""
        bank = {"size_mib": 6144, "max_mib": 8192, "spill_volumes": [{"id": "v", "mib": 9000}]}
        change = {"at": 600, "do": "set", "target": "h", "change": {"bank.size_mib": 3072}}
        one = {
            "id": "a",
            "host": "h",
            "memory": {"size": 8000, "bank": True},
            "demand": {"cpu": 1, "working": 5000, "touched": 6000},
        }
        player = Player(
            site_of(plan_of([one], host=HOST | {"bank": bank}, events=[change]), {}), until_s=3000.0, record_s=5.0
        )
        player.run()
        supply = player.recording.of_places("memory_supply")
        self.assertAlmostEqual(float(supply[1, -1]), 3072, delta=1)
        self.assertAlmostEqual(float(supply[0, -1]), 100_000 - 3072, delta=1)
        found = player.recording.series("backed")[0]
        self.assertGreater(float(found[120]), 3072)
        self.assertLessEqual(float(found[-1]), 3072)
