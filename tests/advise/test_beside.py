"""Two states side by side, by cases that can be worked out, and by command."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

from ruvex.advise import Beside, beside, change_title, day_changes, days_text, differences, short_names
from ruvex.divide import divide
from ruvex.plan import Plan, change_many, change_settings, plan_text, remove_items
from ruvex.play import Player
from ruvex.site import site_of
from tests.builders import cpu_guest, memory_guest, plan_of
from tests.cli.inside import run

GUESTS = [cpu_guest("a", 5000), cpu_guest("b", 5000), cpu_guest("c", 2000)]
"""12 GHz wanted of 10: a and b get 4 each, c all of its 2."""


def both(then: Plan, now: Plan, *, day: bool = False) -> Beside:
    """Put two plans side by side at their moments."""
    sites = site_of(then, {}), site_of(now, {})
    days = None
    if day:
        days = Player(sites[0]), Player(sites[1])
        for player in days:
            player.run()
    return beside(divide(sites[0]), divide(sites[1]), days)


class AtAMoment(unittest.TestCase):
    """Who gets less, who gets more, who falls short."""

    def test_groups_and_amounts_by_hand(self) -> None:
        """With 300 shares a gets all its 5, and b and c share 5: c falls short of nothing, b loses 1 GHz."""
        then = plan_of(GUESTS)
        found = both(then, change_settings(then, "a", {"cpu.shares": 300}))
        changes = {one.guest: (one.change, one.cpu[0].got, one.cpu[1].got) for one in found.guests}
        self.assertEqual(
            {guest: (change, round(was), round(now)) for guest, (change, was, now) in changes.items()},
            {"b": ("gets-less", 4000, 3000), "a": ("gets-more", 4000, 5000), "c": ("as-before", 2000, 2000)},
        )
        self.assertEqual([one.guest for one in found.guests], ["b", "a", "c"])
        self.assertAlmostEqual(found.guests[0].loss, 0.1)
        self.assertEqual(found.guests[0].cpu[1].cause, "supply")
        self.assertTrue(found.guests[1].no_longer_short)

    def test_who_falls_short_comes_first(self) -> None:
        """With the limit a loses more, but c did not lack anything before."""
        then = plan_of(GUESTS)
        now = change_many(then, [("a", {"cpu.shares": 100, "cpu.limit": 1000}), ("c", {"cpu.limit": 1500})])
        found = both(then, now)
        self.assertEqual([(one.guest, one.change) for one in found.guests],
                         [("c", "newly-short"), ("a", "gets-less"), ("b", "gets-more")])  # fmt: skip
        self.assertEqual(short_names(found), ("c", "b"))
        self.assertEqual(found.guests[0].cpu[1].cause, "own limit")

    def test_memory_counts_as_well(self) -> None:
        """70 and 50 GiB on 97: the second one has all, and lacks some once the first has a reservation."""
        then = plan_of([memory_guest("a", 70_000, 70_000, size=80_000), memory_guest("b", 50_000, 50_000, size=80_000)])
        found = both(then, change_settings(then, "a", {"memory.reservation": 70_000}))
        b = next(one for one in found.guests if one.guest == "b")
        self.assertEqual(b.change, "newly-short")
        self.assertLess(b.memory[1].got, b.memory[0].got)
        self.assertEqual(b.memory[0].wanted, 50_000)

    def test_parts_then_and_now(self) -> None:
        """One of three in a pool has a third of it; with six more it has a ninth, and the pool what it had."""
        pools = [{"id": "p"}, {"id": "q"}]
        members = [cpu_guest(f"m{i}", 100, pool="p") for i in range(9)]
        others = [cpu_guest("x", 100, pool="q")]
        found = both(plan_of([*members[:3], *others], pools), plan_of([*members, *others], pools))
        parts = {part.item: part.cpu for part in found.parts}
        self.assertAlmostEqual(parts["p"][0], 0.5)
        self.assertAlmostEqual(parts["p"][1], 0.5)
        self.assertAlmostEqual(parts["m0"][0], 1 / 6)
        self.assertAlmostEqual(parts["m0"][1], 1 / 18)
        self.assertEqual(parts["m8"][0], 0)

    def test_who_came_and_who_went(self) -> None:
        """What is not there has nothing; what came is not short for want of a past."""
        then = plan_of(GUESTS)
        found = both(then, remove_items(then, ["b"]))
        b = next(one for one in found.guests if one.guest == "b")
        self.assertEqual((b.change, round(b.cpu[0].got), b.cpu[1].got), ("gets-less", 4000, 0))
        again = both(remove_items(then, ["c"]), then)
        c = next(one for one in again.guests if one.guest == "c")
        self.assertEqual((c.change, c.cpu[0].got), ("gets-more", 0))

    def test_what_is_set_differently(self) -> None:
        """Settings by their names, what came and went, and rules; nothing for the same plan."""
        then = plan_of(GUESTS, [{"id": "p"}])
        now = change_many(then, [("a", {"cpu.shares": 300, "pool": "p"}), ("rules", {"idle_counts_as": 4})])
        now = remove_items(now, ["c"])
        self.assertEqual([(one.item, one.text) for one in differences(then, now)],
                         [("c", "is gone, a guest"), ("a", "pool p, CPU shares 300"),
                          ("rules", "an idle page counts as 4")])  # fmt: skip
        self.assertEqual(differences(then, then), [])


class OverTheDay(unittest.TestCase):
    """Hours short, finish times, pace."""

    def _plans(self) -> tuple[Plan, Plan]:
        batch = cpu_guest("batch", 0)
        work = {"kind": "steps", "at": [[0, 8000], [3600, 0]]}
        batch["demand"] = {"cpu": work, "working": 0, "touched": 0, "kind": "batch"}
        then = plan_of([batch, cpu_guest("other", 2000)], day_s=4 * 3600, moment=0)
        return then, change_settings(then, "batch", {"cpu.limit": 4000})

    def test_batch_that_is_done_later(self) -> None:
        """8 GHz for an hour at 4 GHz takes two: done at 02:00 instead of 01:00, short meanwhile."""
        then, now = self._plans()
        one = next(one for one in both(then, now, day=True).guests if one.guest == "batch")
        assert one.day is not None
        ((due, done),) = one.day[1].finishes
        self.assertAlmostEqual(due, 3600, delta=2)
        self.assertAlmostEqual(done or 0, 7200, delta=3)
        self.assertIn("done 01:00 \u2192 02:00", days_text(one))
        change, by = day_changes(one, 1.0)
        self.assertEqual(change, "newly-short")
        self.assertAlmostEqual(by, 7200, delta=5)

    def test_a_day_that_is_as_before(self) -> None:
        """Nothing is told of who has the same day."""
        then, now = self._plans()
        other = next(one for one in both(then, now, day=True).guests if one.guest == "other")
        self.assertEqual((day_changes(other, 1.0), days_text(other)), (("as-before", 0.0), ""))


class ByCommand(unittest.TestCase):
    """``ruvex beside``."""

    def test_two_plans_and_two_rules(self) -> None:
        """Groups with what was and is, what is set since, the day; the same under another rule; JSON; status 2."""
        then = plan_of(GUESTS, day_s=3600, moment=0)
        now = change_settings(then, "a", {"cpu.shares": 300})
        with tempfile.TemporaryDirectory() as folder:
            paths = [Path(folder) / f"{name}.ruvex.json" for name in ("then", "now")]
            for path, plan in zip(paths, (then, now), strict=True):
                path.write_text(plan_text(plan), encoding="utf-8")
            arguments: list[Any] = [str(path) for path in paths]
            said = run("beside", *arguments, "--day").stdout.replace("\u202f", " ")
            self.assertIn("set since: a CPU shares 300", said)
            self.assertIn(f"{change_title('gets-less')}  1\n  b ", said)
            self.assertIn("CPU 4.00 GHz \u2192 3.00 GHz of 5.00 GHz, supply", said)
            self.assertIn("Over the day", said)
            document = json.loads(run("beside", *arguments, "--json").stdout)
            self.assertEqual([one["id"] for one in document["guests"]], ["b", "a", "c"])
            ruled = run("beside", arguments[0], "--rule", "shares_count=per-size").stdout
            self.assertIn("the rules shares count per-size", ruled)
            for wrong in ([arguments[0]], [arguments[0], "--rule", "x=1"]):
                self.assertEqual(run("beside", *wrong).returncode, 2)
