"""The ledger: each figure by hand, what it comes to over others, and where it once stood otherwise."""

from __future__ import annotations

import importlib.util
import unittest

import numpy as np

from ruvex.advise import ladder_lines, moves_for, savings_over
from ruvex.divide import BEYOND_NEED, CONTENDED, Division, divide, ladder_of, who_has_it
from ruvex.ledger import DayFigures, LookFigures, owners_of
from ruvex.plan import RESOURCES, size_otherwise
from ruvex.play import GuestSummary, Player, division_at
from ruvex.site import site_of
from ruvex.words import guest_cells, summary_facts
from tests.builders import HOST, cpu_guest, plan_of
from tests.demo import ROOT

HOUR_S = 3600.0


def day_of(site: object) -> Player:
    """Play a day and record it."""
    day = Player(site, record_s=60.0)  # type: ignore[arg-type]
    day.run()
    return day


class ByHand(unittest.TestCase):
    """Lacking, short, could use."""

    def test_equal_pages_are_not_lacking(self) -> None:
        """Two guests that work with 3 000 MiB share 2 000 of them: neither lacks any, at no time, nor does an owner."""
        one = {"memory": {"mode": "thin", "size": 4000}, "image": "same", "pool": "p",
               "demand": {"cpu": 0, "working": 3000, "touched": 3000}}  # fmt: skip
        rules = {"page_sharing": {"same": 2000}, "sharing_mib_s": 1e6, "pressure": {"kept_percent": 0}}
        plan = plan_of([{"id": "a"} | one, {"id": "b"} | one], [{"id": "p", "owner": "Ann"}], rules=rules,
                       host=HOST | {"memory_mib": 5000, "overhead_mib": 0}, day_s=HOUR_S)  # fmt: skip
        site = site_of(plan, {})
        day = day_of(site)
        look = LookFigures(divide(site))
        self.assertEqual(look.lacks("memory").total, 0)
        self.assertEqual(look.how_many_short("memory"), 0)
        self.assertEqual(float(DayFigures(day).lacks("memory")[:, 5:].sum()), 0)
        backed = np.asarray(day.recording.series("backed"), dtype=np.float64)[:, 5:]
        self.assertLess(float(backed.max()), 3000)  # less stands behind it than it works with
        (ann,) = owners_of(divide(site), day)
        self.assertAlmostEqual(ann.memory.unmet_hours, float(DayFigures(day).lacks("memory").sum()) / 60, places=3)

    def test_one_that_has_much_makes_up_for_no_other(self) -> None:
        """A fixed guest that uses a third of its 6 000 MiB stands beside one that lacks: what lacks is the other's."""
        fixed = {"id": "rich", "memory": {"mode": "fixed", "size": 6000}, "demand": {"cpu": 0, "working": 2000,
                                                                                     "touched": 2000}}  # fmt: skip
        thin = {"id": "poor", "memory": {"mode": "thin", "size": 8000}, "agent": False,
                "demand": {"cpu": 0, "working": 7000, "touched": 7000}}  # fmt: skip
        rules = {"squeeze": {"max_percent": 0}, "pressure": {"kept_percent": 0}}
        plan = plan_of([fixed, thin], rules=rules, day_s=HOUR_S,
                       host=HOST | {"memory_mib": 9000, "overhead_mib": 0, "spill_mib": 50_000})  # fmt: skip
        site = site_of(plan, {})
        look = LookFigures(divide(site))
        lacks = look.lacks("memory")
        self.assertEqual(lacks.values[0], 0)
        self.assertAlmostEqual(lacks.total, 4000, delta=1)
        self.assertEqual(lacks.by_host.tolist(), [lacks.total])
        self.assertEqual((look.how_many_short("memory"), look.is_short("memory").tolist()), (1, [False, True]))
        day = day_of(site)
        (nobody,) = owners_of(divide(site), day)
        # The chart of an owner hatches what its table adds up: before, 9 000 wanted less 9 000 had was nothing.
        self.assertAlmostEqual(float(nobody.memory.lacking_over.sum()) / 60, nobody.memory.unmet_hours, places=6)
        self.assertGreater(nobody.memory.unmet_hours, 3000)

    def test_what_was_touched_and_is_not_needed_is_no_lack(self) -> None:
        """One that touched 6 000 MiB and works with 1 000 gives way to one that needs 8 000: it lacks nothing.

        The steps lead to what it has, what it could use is told beside, and nobody is asked to pay for it.
        """

        def steps(first: float, then: float, at: float) -> dict[str, object]:
            return {"kind": "steps", "at": [[0, first], [at, then]]}

        a = {"id": "a", "memory": {"mode": "thin", "size": 8000},
             "demand": {"cpu": 0, "working": steps(6000, 1000, 600), "touched": 6000}}  # fmt: skip
        b = {"id": "b", "memory": {"mode": "thin", "size": 8000},
             "demand": {"cpu": 0, "working": steps(1000, 8000, 1200), "touched": steps(1000, 8000, 1200)}}  # fmt: skip
        plan = plan_of([a, b], host=HOST | {"memory_mib": 10_500, "overhead_mib": 0}, day_s=HOUR_S, moment=3300,
                       rules={"pressure": {"kept_percent": 0}})  # fmt: skip
        site = site_of(plan, {})
        played = division_at(day_of(site), 3300.0)
        assert isinstance(played, Division)
        look, ladder = LookFigures(played), ladder_of(played, "a", "memory")
        self.assertAlmostEqual(look.lacks("memory").values[0], 0, delta=1)
        beyond = float(look.could_use.values[0])
        self.assertGreater(beyond, 500)
        self.assertEqual([(stop.cause, round(stop.amount)) for stop in ladder.stops], [(BEYOND_NEED, round(beyond))])
        lines = ladder_lines(ladder, plan, lambda value: f"{value:.0f}")
        self.assertEqual(lines[-1][1], "touched or kept in hand beyond what it needs: nobody is asked for it")
        self.assertEqual(moves_for(site, played, "a")["memory"], [])
        self.assertNotIn("memory", who_has_it(site, played, "a"))

    def test_a_host_is_short_of_cpu_where_it_has_none_left(self) -> None:
        """A limit of a pool holds one guest at a quarter on a host half idle: the guest is short, the host is not."""
        plan = plan_of([cpu_guest("a", 4000, vcpus=4, pool="p")], [{"id": "p", "cpu": {"limit": 1000}}], day_s=HOUR_S)
        summary = day_of(site_of(plan, {})).summary()
        self.assertEqual((summary.guests[0].unmet_s, summary.places[0].cpu_unmet_s), (HOUR_S, 0))
        self.assertNotIn("CPU short", " ".join(summary_facts(summary, plan)))
        plan = plan_of([cpu_guest(i, 6000, vcpus=6) for i in "ab"], day_s=HOUR_S)
        summary = day_of(site_of(plan, {})).summary()
        self.assertEqual((summary.guests[0].unmet_s, summary.places[0].cpu_unmet_s), (HOUR_S, HOUR_S))
        self.assertIn("CPU short for 1h00", " ".join(summary_facts(summary, plan)))

    def test_how_long_short_of_each_and_of_anything(self) -> None:
        """Disks for the first ten minutes, CPU from five to fifteen, network in the last five: twenty in all."""

        def steps(*levels: tuple[float, float]) -> dict[str, object]:
            return {"kind": "steps", "at": [[at, level] for at, level in levels]}

        one = {"id": "a", "vcpus": 2, "boot_s": 0, "cpu": {"limit": 1000}, "disks": [{"id": "d", "store": "s"}],
               "demand": {"cpu": steps((0, 900), (300, 1500), (900, 900)), "working": 10, "touched": 10,
                          "ops": steps((0, 200), (600, 90)), "net_mib_s": steps((0, 10), (3300, 80))}}  # fmt: skip
        plan = plan_of([one], stores=[{"id": "s", "ops": 100, "mib_s": 900}], day_s=HOUR_S,
                       host=HOST | {"links": [{"id": "l", "mib_s": 40}]})  # fmt: skip
        (guest,) = day_of(site_of(plan, {})).summary().guests
        # While it waits for its disk its traffic waits with it, and is lacking as well.
        found = guest.unmet_s, guest.disks_short_s, guest.network_short_s, guest.slowed_s, guest.short_s
        for had, expected in zip(found, (600, 900, 900, 900, 1200), strict=True):
            self.assertAlmostEqual(had, expected, delta=2)

    def test_a_ceiling_beyond_what_any_host_has_is_no_saving(self) -> None:
        """A ceiling of 2 TiB on a host of 16 GiB saves of 16; one of 12 of 12; one that says 14 of 14."""
        host = HOST | {"memory_mib": 16 * 1024, "overhead_mib": 0}
        for ceiling, says, expected in ((2 << 20, None, 16), (12 << 10, None, 12), (2 << 20, 14 << 10, 14)):
            memory = {"mode": "elastic", "floor": 1024, "boot": 2048, "ceiling": ceiling}
            work = {"cpu": 10, "working": 1000, "touched": 1000}
            one = {"id": "a", "memory": memory, "otherwise_mib": says, "boot_s": 0, "demand": work}
            plan = plan_of([one], host=host, day_s=HOUR_S)
            day = day_of(site_of(plan, {}))
            saved = day.summary().savings
            assert saved is not None
            self.assertEqual(
                (saved.otherwise_mib, size_otherwise(plan, plan.guests[0])), (expected * 1024, expected * 1024)
            )
            self.assertEqual(savings_over(day).guests[0].otherwise_mib, expected * 1024)

    def test_without_a_host(self) -> None:
        """Guests of a plan that has no host lack all they ask for, and no host lacks any of it."""
        look = LookFigures(divide(site_of(plan_of([cpu_guest("a", 700)], host=None), {})))
        self.assertEqual((look.lacks("cpu").total, look.lacks("cpu").by_host.tolist()), (700, []))

    def test_below_need_by_two_causes(self) -> None:
        """25 s growing and 10 s by a limit are not 35 s of growing."""
        guest = GuestSummary("a", 60, 0, 0, 1, 0.5, {"still growing": 25.0, "own limit": 10.0}, 0, 0)
        self.assertEqual(guest_cells(guest, 0.0)[4], "25 s still growing and 10 s")
        guest = GuestSummary("a", 60, 0, 0, 1, 0.5, {"still growing": 25.0}, 0, 0)
        self.assertEqual(guest_cells(guest, 0.0)[4], "25 s still growing")

    def test_short_from_a_thousandth_on(self) -> None:
        """Who lacks 0.9 MHz of 1 000 is not short, at a look or over the day; who lacks 1.1 is."""
        for limit, is_short in ((999.1, False), (998.9, True)):
            plan = plan_of([cpu_guest("a", 1000, vcpus=2, limit=limit)], day_s=HOUR_S)
            site = site_of(plan, {})
            day = day_of(site)
            self.assertEqual(LookFigures(divide(site)).is_short("cpu").tolist(), [is_short])
            self.assertEqual(bool(DayFigures(day).is_short("cpu")[:, 5:].all()), is_short)
            (guest,) = day.summary().guests
            self.assertEqual((guest.unmet_s, guest.short_s), (HOUR_S, HOUR_S) if is_short else (0, 0))

    def test_what_is_free_to_promise_on_hosts_adds_up(self) -> None:
        """With a fifth and a quarter kept out of promises two hosts have what the site has, and what a pool holds."""
        hosts = [HOST | {"id": "h0"}, HOST | {"id": "h1", "cores_per_socket": 4}]
        guests = [cpu_guest("a", 900, vcpus=2, reservation=600, pool="p") | {"host": "h0"},
                  cpu_guest("b", 900, vcpus=2, reservation=700) | {"host": "h1"}]  # fmt: skip
        plan = plan_of(guests, [{"id": "p", "cpu": {"reservation": 1500}}], host=None, hosts=hosts,
                       rules={"set_aside_percent": {"cpu": 20, "memory": 25}})  # fmt: skip
        division = divide(site_of(plan, {}))
        promises = LookFigures(division).promises
        self.assertEqual(promises.free_of_hosts[0].tolist(), [8000 - 600, 3200 - 700])
        self.assertEqual(promises.of_no_host[0], 900)
        for k, name in enumerate(RESOURCES):
            free = float(promises.free_of_hosts[k].sum() - promises.of_no_host[k])
            self.assertAlmostEqual(free, division.of(name).free)

    def test_a_host_that_is_down_is_not_ample(self) -> None:
        """Down from ten minutes on it is ample for ten, and one that is down all day for none: it says so."""
        hosts = [HOST | {"id": "h0"}, HOST | {"id": "h1", "up": False}]
        events = [{"at": 600, "do": "host-down", "target": "h0"}]
        plan = plan_of([cpu_guest("a", 900) | {"host": "h0"}], host=None, hosts=hosts, events=events, day_s=1200)
        day = day_of(site_of(plan, {}))
        places = {place.id: place for place in day.summary().places}
        self.assertEqual([sum(places[name].pressure_s.values()) for name in ("h0", "h1")], [600, 0])
        self.assertIn("h1: down all the time", summary_facts(day.summary(), plan))
        self.assertTrue(
            any(line.startswith("h0: ample 10 min; least free") for line in summary_facts(day.summary(), plan))
        )

    def test_a_guest_is_short_from_a_thousandth_on(self) -> None:
        """Of 10 000 MHz that there are two of equal shares want 5 004.9 and 5 005.1 each: told by a thousandth."""
        for wants, short in ((5004.9, 0), (5005.1, 2)):
            site = site_of(plan_of([cpu_guest(name, wants, vcpus=8) for name in "ab"]), {})
            look = LookFigures(divide(site))
            self.assertEqual(look.how_many_short("cpu"), short)
            self.assertAlmostEqual(look.lacks("cpu").total, 2 * (wants - 5000), places=6)

    def test_sums_over_pools_and_hosts_add_up(self) -> None:
        """Rows of pools are the sums of their guests; hosts and who is on none come to the total, of each resource."""
        hosts = [HOST | {"id": "h0"}, HOST | {"id": "h1"}]
        guests = [
            cpu_guest(f"g{i}", 4000, vcpus=8, pool="p" if i % 2 else None) | {"host": f"h{i % 2}"} for i in range(6)
        ]
        division = divide(site_of(plan_of(guests, [{"id": "p"}], host=None, hosts=hosts), {}))
        look = LookFigures(division)
        for of in CONTENDED:
            lacks = look.lacks(of)
            self.assertAlmostEqual(float(lacks.by_host.sum()), lacks.total)
            self.assertAlmostEqual(float(lacks.by_row[division.position["p"]]), float(lacks.values[1::2].sum()))
            self.assertIs(look.of_rows, look.of_rows)
        self.assertAlmostEqual(look.lacks("cpu").total, 4000)


class Page(unittest.TestCase):
    """The page of all figures."""

    def test_it_is_made_from_the_code(self) -> None:
        """docs/figures.md is what scripts/pages makes of the ledger and of the modules that read it."""
        spec = importlib.util.spec_from_file_location("figures_page", ROOT / "scripts" / "figures_page.py")
        assert spec is not None and spec.loader is not None
        page = importlib.util.module_from_spec(spec)
        spec.loader.exec_module(page)
        self.assertEqual((ROOT / "docs" / "figures.md").read_text(encoding="utf-8"), page.figures_page())
