"""Where thin memory comes from: worked examples of section 6, and its identities on any plan."""

from __future__ import annotations

import json
import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings

from ruvex.divide import Division, causes_of, day_of, divide
from ruvex.ledger import LookFigures
from ruvex.plan import Plan
from ruvex.play import Player
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
from tests.divide.strategies import plans
from tests.thorough import many


def division_of(guests: list[dict[str, Any]], **rest: Any) -> Division:
    """Divide a small plan at midnight."""
    return divide(site_of(plan_of(guests, **rest), {}), 0.0)


def layers(division: Division, guest: str) -> dict[str, float]:
    """Give a guest's layers, rounded, those that are 0 left out."""
    found = division.layers.to_json(division.position[guest])
    return {name: round(value, 6) for name, value in found.items() if value}


def cause(division: Division, item: str, resource: str = "memory") -> str:
    """Give the cause of a row's shortfall."""
    return causes_of(division, resource).word(division.position[item])


class WorkedExamples(unittest.TestCase):
    """By hand."""

    def test_a_limit_has_its_price_on_an_empty_host(self) -> None:
        """8 GiB touched under a limit of 4: balloon to its half of the size, at the cost of no working set."""
        division = division_of([memory_guest("a", 3000, 8192, mode="thin", size=8192, limit=4096)])
        expected = {"touched": 8192, "visible": 8192, "backed": 4096, "balloon": 4096, "working": 3000}
        expected |= {"pace": 1, "met": 1}
        self.assertEqual(layers(division, "a"), expected)
        self.assertEqual(cause(division, "a"), "own limit")

    def test_balloon_then_squeezed_then_spilled(self) -> None:
        """Missing 6000 of 8000: balloon 2000, squeezed a fifth at 2.5 to 1, the rest on disk."""
        guest = memory_guest("a", 4000, 8000, mode="thin", size=8000, limit=2000)
        division = division_of([guest], rules={"balloon_max_percent": 25})
        found = layers(division, "a")
        # 1600 squeezed take 640 of the 2000; 1360 stay plain; 8000 = 1360 + 2000 + 1600 + 3040.
        self.assertEqual([found[k] for k in ("backed", "balloon", "squeezed", "spilled")], [1360, 2000, 1600, 3040])
        self.assertNotIn("self_paged", found)
        # Of 6000 pages left 4000 are worked with; 2000 idle ones count as spilled: 1040 spilled and all squeezed hurt.
        self.assertAlmostEqual(found["pace"], 1 / (1 + (1.5 * 1600 + 25 * 1040) / 4000), places=6)
        evenly = layers(division_of([guest], rules={"balloon_max_percent": 25, "settling_by_use": 0}), "a")
        self.assertAlmostEqual(evenly["pace"], 1 / (1 + (1.5 * 1600 + 25 * 3040) / 6000), places=6)

    def test_the_faster_disk_takes_what_is_worked_with(self) -> None:
        """2000 of 5000 pages at work are missing in a bank: they go where they come back from sooner.

        That is its volume where the guest's own disk is the slower one, and the guest's own disk, through its balloon,
        where the volume is.
        """
        guest = memory_guest("a", 5000, 5000, mode="thin", size=6000, bank=True)
        for own, volume, taken, left in (("hdd", "ssd", "spilled", "balloon"), ("ssd", "hdd", "balloon", "spilled")):
            with self.subTest(own=own, volume=volume):
                bank = {
                    "size_mib": 3000, "max_mib": 3000, "spill_volumes": [{"id": "v", "mib": 6000, "kind": volume}]
                }  # fmt: skip
                plan = plan_of([guest], host=HOST | {"bank": bank, "spill_kind": own})
                found = layers(divide(site_of(plan, {}), 0.0), "a")
                self.assertGreater(found[taken], 1000)
                self.assertNotIn(left, found)
                player = Player(site_of(plan, {}), until_s=900)
                player.run()
                self.assertAlmostEqual(float(getattr(player.state, taken)[0]), found[taken], places=3)
                self.assertEqual(float(getattr(player.state, left)[0]), 0)

    def test_without_agent_there_is_no_balloon(self) -> None:
        """All of it is squeezed and spilled, which the agent would have spared."""
        guest = memory_guest("a", 1000, 8000, mode="thin", size=8000, limit=4000) | {"agent": False}
        division = division_of([guest], rules={"squeeze": {"max_percent": 0}})
        self.assertEqual(layers(division, "a")["spilled"], 4000)
        with_agent = division_of([guest | {"agent": True}], rules={"squeeze": {"max_percent": 0}})
        self.assertEqual(layers(with_agent, "a")["pace"], 1)

    def test_a_balloon_reaches_the_working_set_last(self) -> None:
        """Of 4000 missing 1000 idle pages go first, then 1600 squeezed save 960, and the balloon takes 2040 more."""
        guest = memory_guest("a", 7000, 8000, mode="thin", size=8000, limit=4000)
        host = dict(HOST) | {"spill_kind": "hdd"}
        division = division_of([guest], host=host)
        found = layers(division, "a")
        self.assertEqual((found["balloon"], found["self_paged"], found["squeezed"]), (3040, 2040, 1600))
        self.assertAlmostEqual(found["pace"], 1 / (1 + (300 * 2040 + 1.5 * 1600) / 7000), places=6)

    def test_common_pages_are_backed_once(self) -> None:
        """Two of one image share 2000 each, the host holds 2000; a third image is alone and shares nothing."""
        guests = [memory_guest(g, 3000, 5000, mode="thin", size=8000) | {"image": "sea"} for g in ("a", "b")]
        guests.append(memory_guest("c", 3000, 5000, mode="thin", size=8000) | {"image": "shore"})
        division = division_of(guests, rules={"page_sharing": {"sea": 2000, "shore": 2000}})
        self.assertEqual(division.memory.supply, 98_000)
        self.assertEqual([layers(division, g).get("shared", 0) for g in "abc"], [2000, 2000, 0])
        self.assertEqual([layers(division, g)["backed"] for g in "abc"], [3000, 3000, 5000])

    def test_a_host_holds_what_the_guest_with_most_of_an_image_has(self) -> None:
        """One of two has touched 2000 of its common pages, the other, which stands after it, 1000."""
        guests = [
            memory_guest(g, 500, touched, mode="thin", size=8000) | {"image": "sea"}
            for g, touched in (("a", 2000), ("b", 1000))
        ]
        division = division_of(guests, rules={"page_sharing": {"sea": 3000}})
        self.assertEqual(division.memory.supply, 98_000)

    def test_a_host_that_is_down_has_nothing(self) -> None:
        """Neither CPU nor memory, and its guest is off."""
        plan = plan_of([cpu_guest("a", 500) | {"host": "h"}], host=HOST | {"up": False})
        division = divide(site_of(plan, {}), 0.0)
        self.assertEqual(division.by_host.supply.tolist(), [[0.0], [0.0]])

    def test_a_need_is_the_floor_at_least(self) -> None:
        """500 worked with and 20 % of headroom are 600: the floor of 1024 is more, 1000 and 20 % are more than that."""
        elastic = {"mode": "elastic", "boot": 4096, "floor": 1024, "ceiling": 8192, "headroom_percent": 20}
        division = division_of([memory_guest("a", 500, **elastic), memory_guest("b", 1000, **elastic)])
        self.assertEqual(LookFigures(division).wanted("memory").values.tolist(), [1024, 1200])

    def test_who_needs_nothing_has_all_of_it(self) -> None:
        """Nothing is worked with, so nothing is missing, whatever has been touched."""
        found = layers(division_of([memory_guest("a", 0, 3000, mode="thin", size=8000)]), "a")
        self.assertEqual((found["met"], found["pace"], found.get("need", 0)), (1, 1, 0))

    def test_held_memory_belongs_to_nobody_else(self) -> None:
        """A reservation above what was touched is held on top."""
        division = division_of([memory_guest("a", 500, 1000, mode="thin", size=8000, reservation=3000)])
        self.assertEqual((layers(division, "a")["backed"], layers(division, "a")["held"]), (1000, 2000))

    def test_elastic_gives_back_through_the_balloon(self) -> None:
        """Booted with 4096 and given 2300 it keeps seeing 4096."""
        elastic = {"mode": "elastic", "boot": 4096, "floor": 1024, "ceiling": 8192}
        found = layers(division_of([memory_guest("a", 2000, **elastic)]), "a")
        self.assertEqual((found["visible"], found["backed"], found["balloon"]), (4096, 2300, 1796))

    def test_causes(self) -> None:
        """Each kind of shortfall is named after what binds."""
        elastic = {"mode": "elastic", "boot": 2048, "floor": 1024, "ceiling": 4096}
        guests = [
            memory_guest("ceiling", 6000, **elastic),
            memory_guest("agent", 6000, **elastic) | {"agent": False},
            memory_guest("size", 9000, mode="fixed", size=8000),
            memory_guest("pooled", 9000, 9000, mode="thin", size=9000, pool="low"),
            memory_guest("fine", 100, 100, mode="thin", size=9000),
        ]
        pools = [{"id": "high", "memory": {"limit": 8000}}, {"id": "low", "parent": "high"}]
        division = division_of(guests, pools=pools)
        names = ("ceiling", "agent", "size", "pooled", "low", "fine")
        expected = ["own ceiling", "agent missing", "own size", "pool's limit", "pool's limit", ""]
        self.assertEqual([cause(division, name) for name in names], expected)
        row = causes_of(division, "memory").pool_row[division.position["pooled"]]
        self.assertEqual(division.ids[row], "high")

    def test_causes_of_cpu(self) -> None:
        """A limit that binds is named; who could have more is stopped by the supply."""
        division = division_of([cpu_guest("a", 9000, limit=2000), cpu_guest("b", 9000), cpu_guest("c", 9000)])
        self.assertEqual([cause(division, g, "cpu") for g in "abc"], ["own limit", "supply", "supply"])

    def test_json_carries_the_layers(self) -> None:
        """Guests have layers with pace and cause; pools have none, and neither has CPU."""
        pools = [{"id": "p"}]
        division = division_of([memory_guest("a", 100, 300, mode="thin", size=800, limit=200, pool="p")], pools=pools)
        document = json.loads(json.dumps(division.to_json()))
        pool, guest = document["memory"]["rows"]
        self.assertNotIn("layers", pool)
        self.assertEqual((guest["layers"]["balloon"], guest["layers"]["cause"]), (100, "own limit"))
        self.assertNotIn("layers", document["cpu"]["rows"][1])


class OverTheDay(unittest.TestCase):
    """The day strip and the division tell the same."""

    def test_sums_agree_at_every_moment(self) -> None:
        """Wanted and supply of the day are those of divisions at its moments, common pages counted once."""
        signal = {"kind": "daily", "low": 500, "high": 7000, "peak_at": "09:00", "width_h": 4}
        guests = [
            memory_guest(name, 0, 0, mode="thin", size=8000)
            | {"image": image, "demand": {"cpu": signal, "working": signal, "touched": 300}}
            for name, image in (("a", "sea"), ("b", "sea"), ("c", "sea"), ("d", "shore"))
        ]
        host = HOST | {"smt_yield": 0.25, "threads_per_core": 2, "memory_mib": 20_000}
        compiled = site_of(plan_of(guests, host=host, rules={"page_sharing": {"sea": 1000, "shore": 900}}), {})
        day = day_of(compiled, moments=25)
        for number, at_s in enumerate(day.times_s.tolist()):
            division = divide(compiled, at_s)
            for k, r in enumerate((division.cpu, division.memory)):
                self.assertAlmostEqual(day.wanted[k, number], r.total_wanted, places=6)
                self.assertAlmostEqual(day.supply[k, number], r.supply, places=6)
        self.assertEqual(day.supply[1, -1], 19_000)


class Identities(unittest.TestCase):
    """Section 6 on any plan."""

    @settings(max_examples=many(80))
    @given(plans())
    def test_every_page_is_accounted_for(self, plan: Plan) -> None:
        """Touched pages add up, delivered covers what it must, nothing is negative, pools are sums."""
        compiled = site_of(plan, {})
        division = divide(compiled, 0.0)
        found, memory = division.layers, division.memory
        thin = {g.id for g in plan.guests if g.is_powered and g.memory.mode == "thin"}
        rows = [division.position[guest] for guest in thin]
        covered = found.backed + found.shared + found.balloon + found.squeezed + found.spilled
        np.testing.assert_allclose(covered[rows], found.touched[rows], rtol=1e-9, atol=1e-6)
        ratio = plan.rules.squeeze.ratio
        taken = found.backed + found.squeezed / ratio + found.held
        np.testing.assert_allclose(taken[rows], memory.delivered[rows], rtol=1e-9, atol=1e-6)
        for name in ("backed", "shared", "balloon", "squeezed", "spilled", "self_paged", "held"):
            self.assertTrue(np.all(getattr(found, name) >= 0), name)
        self.assertTrue(np.all(found.self_paged <= found.working + 1e-9))
        self.assertTrue(np.all(found.cover.sum(axis=0) <= memory.unmet * (1 + 1e-9) + 1e-6))
        np.testing.assert_allclose(found.cover[:, rows].sum(axis=0), memory.unmet[rows], rtol=1e-9, atol=1e-6)
        pace = found.pace[~np.isnan(found.pace)]
        self.assertTrue(np.all((pace > 0) & (pace <= 1)))
        causes = causes_of(division, "memory")
        lacking = memory.unmet > 1e-6 * max(1.0, memory.supply)
        self.assertTrue(np.all(causes.code[lacking & division.on] > 0), "every shortfall has its cause")
        for row, kind in enumerate(division.kinds):
            if kind == "pool":
                below = [i for i in range(len(division.ids)) if division.parent_row[i] == row]
                self.assertAlmostEqual(float(found.balloon[row]), float(found.balloon[below].sum()), places=5)
        if not memory.broken and all(host.spill_mib is None for host in plan.hosts):
            for guest in plan.guests:
                if guest.id in thin:
                    need = guest.memory.size - getattr(guest.memory, "reservation", 0.0)
                    self.assertLessEqual(float(found.spilled[division.position[guest.id]]), need + 1e-6)
