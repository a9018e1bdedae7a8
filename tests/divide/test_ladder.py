"""Why a row gets what it gets: worked examples, and sums that are exact on any plan."""

from __future__ import annotations

import math
import unittest
from unittest.mock import patch

from hypothesis import given, settings

from ruvex.advise import ladder_lines
from ruvex.divide import (
    Division,
    Ladder,
    UnsoundDivisionError,
    causes_of,
    divide,
    ladder_of,
    overcommit_of,
    site_shares,
    who_has_it,
)
from ruvex.plan import RESOURCES, Plan
from ruvex.site import site_of
from tests.builders import cpu_guest, memory_guest, plan_of
from tests.divide.strategies import plans
from tests.thorough import many


def cpu_ladder(plan: Plan, item: str) -> Ladder:
    """Explain a CPU figure."""
    return ladder_of(divide(site_of(plan, {}), 0.0), item, "cpu")


def rungs(ladder: Ladder) -> list[tuple[str, float]]:
    """Give the steps with rounded amounts."""
    return [(rung.kind, round(rung.amount, 6)) for rung in ladder.rungs]


class WorkedExamples(unittest.TestCase):
    """By hand; the host has 10 000 MHz."""

    def test_one_that_does_not_add_up_is_a_mistake_of_ours(self) -> None:
        """It is told as such, with the figures, and not shown."""
        division = divide(site_of(plan_of([cpu_guest("a", 9000, vcpus=9), cpu_guest("b", 9000, vcpus=9)]), {}))
        self.assertEqual(len(ladder_of(division, "a", "cpu").stops), 1)
        with (
            patch("ruvex.divide._ladder._stops", return_value=()),
            self.assertRaisesRegex(UnsoundDivisionError, "why a of .* has so much cpu does not add up: 5000 of 9000"),
        ):
            ladder_of(division, "a", "cpu")

    def test_promised_and_won(self) -> None:
        """100 shares win 2500 each; 200 shares 5000, of which 4000 were promised."""
        plan = plan_of([cpu_guest("a", 9000, reservation=4000, shares=200), cpu_guest("b", 9000), cpu_guest("c", 9000)])
        ladder = cpu_ladder(plan, "a")
        self.assertEqual(rungs(ladder), [("promised", 4000), ("won", 1000)])
        self.assertEqual((ladder.level * 100, ladder.weight, ladder.peer_weight), (2500, 200, 400))
        self.assertEqual([(s.cause, s.amount) for s in ladder.stops], [("supply", 4000)])
        self.assertEqual(ladder.peers, ("b", "c"))

    def test_lent(self) -> None:
        """Reserved CPU that is idle goes to others; the step takes it off again."""
        plan = plan_of([cpu_guest("a", 1000, reservation=4000), cpu_guest("b", 9000)])
        self.assertEqual(rungs(cpu_ladder(plan, "a")), [("promised", 4000), ("lent", -3000)])
        self.assertEqual(cpu_ladder(plan, "a").stops, ())

    def test_stops_name_what_keeps_back(self) -> None:
        """Of 8000 missing, 3000 are cut by its own limit and 5000 by the limit of its pool."""
        pools = [{"id": "p", "cpu": {"limit": 1000}}]
        ladder = cpu_ladder(plan_of([cpu_guest("a", 9000, limit=6000, pool="p")], pools), "a")
        self.assertEqual(
            [(s.cause, s.pool, s.amount) for s in ladder.stops],
            [("pool's limit", "p", 5000), ("own limit", None, 3000)],
        )
        self.assertEqual(ladder.path, ((None, 10_000, 9000), ("p", 1000, 9000), ("a", 1000, 9000)))

    def test_a_pool_is_kept_back_by_what_keeps_back_its_guests(self) -> None:
        """Of 15 000 missing in the outer pool its inner pool's limit keeps back 8000, the supply 4000, own limits 3000.

        The host has 10 000: the inner pool is at its limit of 1000; b and c share 9000, c has what it may.
        """
        pools = [{"id": "outer"}, {"id": "inner", "parent": "outer", "cpu": {"limit": 1000}}]
        guests = [
            cpu_guest("a", 9000, pool="inner"), cpu_guest("b", 10_000, pool="outer"),
            cpu_guest("c", 6000, limit=3000, pool="outer"),
        ]  # fmt: skip
        plan = plan_of(guests, pools)
        division = divide(site_of(plan, {}), 0.0)
        row = division.position["outer"]
        ladder = ladder_of(division, "outer", "cpu")
        self.assertEqual(
            [(s.cause, s.pool, round(s.amount, 6)) for s in ladder.stops],
            [("pool's limit", "inner", 8000), ("supply", None, 4000), ("own limit", None, 3000)],
        )
        self.assertEqual(causes_of(division, "cpu").word(row), "pool's limit")
        texts = [line for _, line in ladder_lines(ladder, plan, str)]
        self.assertIn("kept back by the limit of inner", texts)
        self.assertIn("kept back by its guests: limits of their own", texts)

    def test_headroom_and_broken(self) -> None:
        """Headroom is a step of its own; a promise that is not there is taken off."""
        elastic = memory_guest("a", 2000, mode="elastic", boot=2000, floor=1000, ceiling=8000, headroom_percent=50)
        division = divide(site_of(plan_of([elastic]), {}), 0.0)
        self.assertEqual(
            rungs(ladder_of(division, "a", "memory")), [("promised", 1000), ("won", 1000), ("headroom", 1000)]
        )
        plan = plan_of([cpu_guest("a", 9000, reservation=9000), cpu_guest("b", 9000, reservation=6000)])
        self.assertEqual(rungs(cpu_ladder(plan, "a")), [("promised", 9000), ("broken", -3000)])

    def test_who_has_what_it_lacks(self) -> None:
        """A guest in a pool lacks 4000: its peer in the pool and the stranger beside it would pay."""
        plan = plan_of(
            [cpu_guest("a", 6000, pool="p"), cpu_guest("b", 6000, pool="p"), cpu_guest("c", 6000)], [{"id": "p"}]
        )
        compiled = site_of(plan, {})
        division = divide(compiled, 0.0)
        found = who_has_it(compiled, division, "a")
        self.assertEqual(set(found), {"cpu"})
        amounts = {
            division.ids[row]: amount for row, amount in zip(found["cpu"].rows, found["cpu"].amounts, strict=True)
        }
        self.assertEqual(amounts, {"b": -2500, "c": -1000})

    def test_own_limit_is_nobody_elses(self) -> None:
        """What a limit of its own keeps back, nobody else has."""
        compiled = site_of(plan_of([cpu_guest("a", 9000, limit=1000), cpu_guest("b", 9000)]), {})
        self.assertEqual(who_has_it(compiled, divide(compiled, 0.0), "a"), {})

    def test_part_of_the_site(self) -> None:
        """A third of a third is a ninth; off counts nothing."""
        guests = [cpu_guest(name, 100, pool="p") for name in "abc"]
        plan = plan_of(
            [*guests, cpu_guest("d", 1) | {"power": "off"}], [{"id": "p"}, {"id": "q", "cpu": {"shares": 200}}]
        )
        division = divide(site_of(plan, {}), 0.0)
        part = site_shares(division, division.cpu)
        self.assertAlmostEqual(part[division.position["a"]], 1 / 9)
        self.assertAlmostEqual(part[division.position["q"]], 2 / 3)
        self.assertEqual(part[division.position["d"]], 0)

    def test_overcommit(self) -> None:
        """Ratios against cores and memory supply."""
        guests = [
            cpu_guest("a", 0, vcpus=15) | {"memory": {"mode": "fixed", "size": 50_000}},
            memory_guest("b", 10_000, mode="elastic", boot=4000, floor=1000, ceiling=75_000, headroom_percent=0),
            cpu_guest("c", 0) | {"power": "off"},
        ]
        compiled = site_of(plan_of(guests), {})
        found = overcommit_of(compiled, divide(compiled, 0.0))
        assert found is not None
        self.assertEqual((found.vcpus_per_core, found.configured, found.promised, found.wanted), (1.7, 1.25, 0.51, 0.6))
        self.assertIsNone(overcommit_of(site_of(plan_of([], host=None), {}), divide(compiled, 0.0)))


class OnAnyPlan(unittest.TestCase):
    """Whatever the plan."""

    @settings(max_examples=many(70))
    @given(plans())
    def test_the_steps_add_up(self, plan: Plan) -> None:
        """Rungs add up to what is delivered; stops to what is missing; a shortfall has a stop."""
        compiled = site_of(plan, {})
        division: Division = divide(compiled, 0.0)
        for name in RESOURCES:
            r = division.of(name)
            for item in division.ids:
                row = division.position[item]
                if not division.on[row]:
                    continue
                ladder = ladder_of(division, item, name)
                largest = max((abs(rung.amount) for rung in ladder.rungs), default=0.0)
                total = sum((rung.amount for rung in ladder.rungs), 0.0)
                self.assertLessEqual(abs(total - ladder.delivered), math.ulp(largest))
                unmet = float(r.unmet[row])
                if unmet > 1e-6 * max(1.0, r.supply):
                    self.assertTrue(ladder.stops)
                    self.assertTrue(math.isclose(sum(s.amount for s in ladder.stops), unmet, rel_tol=1e-9))
                    self.assertTrue(all(stop.cause for stop in ladder.stops))

    @settings(max_examples=many(40))
    @given(plans())
    def test_parts_of_the_site_add_up(self, plan: Plan) -> None:
        """The members of every node that is on have together what the node has."""
        division = divide(site_of(plan, {}), 0.0)
        part = site_shares(division, division.memory)
        for row in (-1, *range(len(division.ids))):
            below = [i for i, parent in enumerate(division.parent_row) if parent == row and part[i] > 0]
            if below:
                whole = 1.0 if row < 0 else float(part[row])
                self.assertTrue(math.isclose(float(part[below].sum()), whole, rel_tol=1e-9))
