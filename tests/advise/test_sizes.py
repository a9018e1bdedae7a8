"""Right sizes and savings, from days that can be worked out."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from ruvex.advise import RightSize, right_sizes, savings_over
from ruvex.advise._size import elastic_size_of
from ruvex.plan import Rules, plan_text
from ruvex.play import Player
from ruvex.site import Site, site_of
from tests.builders import HOST, cpu_guest, plan_of
from tests.cli.inside import run

QUIET = {"day_s": 7200, "moment": 0}


def played(guests: list[dict[str, Any]], **rest: Any) -> tuple[Player, Site]:
    """Play two hours of some guests on one host of ten cores."""
    site = site_of(plan_of(guests, **(QUIET | rest)), {})
    day = Player(site)
    day.run()
    return day, site


def sizes(guests: list[dict[str, Any]], **rest: Any) -> dict[str, RightSize]:
    """Give what size guests should be, by name."""
    return {one.guest: one for one in right_sizes(*played(guests, **rest))}


def elastic(name: str, working: Any, **more: Any) -> dict[str, Any]:
    """Describe an elastic guest of up to 16 GiB."""
    guest = cpu_guest(name, 500, vcpus=1) | {
        "memory": {"mode": "elastic", "floor": 512, "boot": 4096, "ceiling": 16_384} | more}  # fmt: skip
    guest["demand"] |= {"working": working, "touched": working}
    return guest


class RightSizes(unittest.TestCase):
    """vCPUs by use, memory by need."""

    def test_vcpus_by_the_work_of_the_peak(self) -> None:
        """2.1 of 8 vCPUs at a peak: three are 70 % busy. Batch, cores of its own and what fits are left."""
        batch = cpu_guest("batch", 2100, vcpus=8)
        batch["demand"]["kind"] = "batch"
        found = sizes([cpu_guest("wide", 2100, vcpus=8), cpu_guest("fits", 5600, vcpus=8), batch,
                       cpu_guest("own", 300, vcpus=4) | {"dedicated_cores": True}])  # fmt: skip
        self.assertEqual({name: one.vcpus for name, one in found.items()}, {"wide": (8, 3)})
        self.assertEqual(found["wide"].change, ("wide", {"vcpus": 3}))
        self.assertIn("wide wants 2.10", found["wide"].text)
        self.assertIn("the work of 2.1 of its 8 vCPUs: 3 would do", found["wide"].text)

    def test_fewer_vcpus_and_the_waits_of_all(self) -> None:
        """With every guest of the right size, what they wait by chance is worked out anew."""
        crowd = [cpu_guest(f"g{i}", 900, vcpus=4) for i in range(10)]
        found = sizes(crowd)
        self.assertEqual(len(found), 10)
        was, now = found["g0"].wait
        self.assertGreater(was, 0)
        self.assertNotEqual(was, now)

    def test_memory_of_a_fixed_size(self) -> None:
        """Works with 2000 of 16 000: a fifth more is 2400, in steps of 128 MiB 2432; short in no second."""
        guest = cpu_guest("large", 500, vcpus=1) | {"memory": {"mode": "fixed", "size": 16_000}}
        guest["demand"] |= {"working": 2000, "touched": 2000}
        small = cpu_guest("small", 500, vcpus=1) | {"memory": {"mode": "fixed", "size": 2000}}
        small["demand"] |= {"working": 2500, "touched": 2500}
        found = sizes([guest, small])
        self.assertEqual(found["large"].memory, (("memory.size", 16_000, 2432),))
        self.assertEqual(found["large"].risk, (0, 0))
        # It lacked memory all day, and would no more.
        self.assertEqual(found["small"].memory, (("memory.size", 2000, 3072),))
        self.assertEqual(found["small"].risk, (1, 0))

    def test_bounds_of_an_elastic_guest(self) -> None:
        """Works with 2000, in the last quarter with 5000: floor and ceiling follow, headroom the jump, at most 60 %."""
        jump = {"kind": "steps", "at": [[0, 2000], [5400, 5000]]}
        one = sizes([elastic("e", jump)])["e"]
        wishes = {name: then for name, _, then in one.memory}
        self.assertEqual(wishes["memory.floor"], 1920)
        self.assertEqual(wishes["memory.headroom_percent"], 60)
        self.assertEqual(wishes["memory.ceiling"], 8064)
        self.assertEqual(one.fixed_mib, 6016)
        # A quarter of the time is spent above anything below 5000.
        self.assertAlmostEqual(one.curve[20][1], 0.25, delta=0.01)
        self.assertEqual(one.curve[-1][1], 0)

    def test_who_starves_is_not_called_right(self) -> None:
        """A limit of its own is raised to the size that would do; a pool's limit is told of with how long it holds."""
        held = cpu_guest("held", 500, vcpus=1) | {"memory": {"mode": "thin", "size": 8000, "limit": 2000}}
        member = cpu_guest("member", 500, vcpus=1, pool="p") | {"memory": {"mode": "thin", "size": 3600}}
        beside = cpu_guest("beside", 500, vcpus=1) | {"memory": {"mode": "thin", "size": 3600}}
        for guest in (held, member, beside):
            guest["demand"] |= {"working": 3000, "touched": 3000}
        found = sizes([held, member, beside], pools=[{"id": "p", "memory": {"limit": 2000}}])
        self.assertEqual(set(found), {"held", "member"})
        # A fifth more than 3000 is 3600, in steps of 128 MiB 3712: less than its size, so the limit stands at that.
        self.assertEqual(found["held"].change, ("held", {"memory.limit": 3712}))
        self.assertIsNone(found["held"].held)
        self.assertEqual(found["member"].change, ("member", {}))
        self.assertEqual(found["member"].held, ("the memory limit of a pool above it", 7200))
        self.assertIn(
            "for which its size is right and is held below its need by the memory limit", found["member"].text
        )

    def test_told_from_a_fifth_fewer_vcpus_on(self) -> None:
        """Four of five are a fifth fewer; nine of eleven are less than that."""
        found = sizes(
            [cpu_guest("five", 2800, vcpus=5), cpu_guest("eleven", 6300, vcpus=11)], host=HOST | {"mhz": 1000}
        )
        self.assertEqual({name: one.vcpus for name, one in found.items()}, {"five": (5, 4)})

    def test_told_from_a_quarter_of_an_hour_below_need_on(self) -> None:
        """A pool's limit holds one for 800 s, and another for 1000."""
        told = {}
        for name, lasts in (("short", 800), ("long", 1000)):
            works = {"kind": "steps", "at": [[0, 1000], [3600, 3000], [3600 + lasts, 1000]]}
            guest = cpu_guest(name, 500, vcpus=1, pool="p") | {"memory": {"mode": "thin", "size": 3600}}
            guest["demand"] |= {"working": works, "touched": works}
            told[name] = list(sizes([guest], pools=[{"id": "p", "memory": {"limit": 2000}}]))
        self.assertEqual(told, {"short": [], "long": ["long"]})

    def test_headroom_has_a_least(self) -> None:
        """What never grows has 5 % all the same; a twentieth more in a row of the record is 6 %, rounded up."""
        for grown, percent in ((0, 5), (1.051, 6)):
            working = np.full(20, 2000.0)
            working[10:] *= grown or 1.0
            self.assertEqual(elastic_size_of(working, 10.0, Rules()).headroom_percent, percent)

    def test_greedy_work_and_who_is_never_on_have_no_right_size(self) -> None:
        """What is taken says nothing of what is needed; nothing was seen of the other."""
        greedy = elastic("greedy", 2000)
        greedy["demand"]["greedy"] = True
        self.assertEqual(sizes([greedy, elastic("off", 2000) | {"power": "off"}]), {})


class Saved(unittest.TestCase):
    """Against the sizes guests would have otherwise."""

    def test_each_guest_and_the_site(self) -> None:
        """Two that would have 16 GiB and 10 000 MiB have 2000 and 3000 with 15 % headroom."""
        day, _ = played([elastic("a", 2000), elastic("b", 3000) | {"otherwise_mib": 10_000}])
        saved = savings_over(day)
        self.assertEqual([one.guest for one in saved.guests], ["a", "b"])
        self.assertAlmostEqual(saved.guests[0].mean_mib, 2300, delta=20)
        self.assertAlmostEqual(saved.mean_mib, 16_384 + 10_000 - 2300 - 3450, delta=60)
        # 20 634 MiB are one guest of 13 192, not two.
        self.assertEqual(saved.more_guests, 1)

    def test_without_elastic_guests(self) -> None:
        """Nothing is saved, and nothing told."""
        self.assertEqual(savings_over(played([cpu_guest("a", 10)])[0]).guests, ())


class ByCommand(unittest.TestCase):
    """``ruvex sizes``."""

    def test_all_and_one(self) -> None:
        """Every guest that is not right, or one; the same as JSON; status 2 for a guest that is not there."""
        plan = plan_of([cpu_guest("wide", 2100, vcpus=8), cpu_guest("fits", 5600, vcpus=8), elastic("e", 2000)],
                       host=HOST, **QUIET)  # fmt: skip
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.ruvex.json"
            path.write_text(plan_text(plan), encoding="utf-8")
            said = run("sizes", str(path)).stdout
            self.assertIn("wide wants", said)
            self.assertIn("Elastic memory saves", said)
            self.assertIn("The size of fits is right.", run("sizes", str(path), "fits").stdout)
            document = json.loads(run("sizes", str(path), "wide", "--json").stdout)
            self.assertEqual([one["vcpus"] for one in document["sizes"]], [[8, 3]])
            self.assertEqual(run("sizes", str(path), "nobody").returncode, 2)
