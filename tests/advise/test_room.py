"""How many more fit, by promises and by need, against counting one by one; and by command."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.advise import MOST, as_elastic, as_fixed, emptied_host, lacks_text, room_for, typed_pattern
from ruvex.divide import divide
from ruvex.plan import EditError, Guest, Plan, add_items, plan_text
from ruvex.promise import claims_of, refusal_between
from ruvex.site import Site, site_of
from tests.builders import HOST, cpu_guest, plan_of
from tests.cli.inside import run
from tests.thorough import many

HOSTS = [HOST | {"id": "one"}, HOST | {"id": "two", "cores_per_socket": 4, "memory_mib": 30_000}]


def site_with(guests: list[dict[str, Any]], hosts: list[dict[str, Any]] = HOSTS, **rest: Any) -> Site:
    """Give a site of 10 GHz and 100 000 MiB, and of 4 GHz and 30 000 MiB."""
    return site_of(plan_of(guests, hosts=hosts, **rest), {})


def pattern_of(site: Site, guest: str) -> Guest:
    """Give a guest of the plan."""
    return site.plan.guests[site.plan.guest_index[guest]]


def with_more(plan: Plan, pattern: Guest, host: str, count: int) -> Plan:
    """Add so many guests like one on a host."""
    more = [pattern.model_copy(update={"id": f"copy{i}", "name": "", "host": host}) for i in range(count)]
    return add_items(plan, more)


def one_by_one(site: Site, pattern: Guest, host: str, at_s: float, most: int) -> tuple[int, int]:
    """Count how many fit on a host by adding one after the other: on paper, and with nobody short at a moment."""
    paper = now = -1
    base = divide(site, at_s)
    before = {g: (base.cpu.unmet[base.position[g]], base.layers.met[base.position[g]]) for g in site.plan.guest_index}
    for count in range(1, most + 1):
        tried = site_of(with_more(site.plan, pattern, host, count), site.traces)
        ids = [f"copy{i}" for i in range(count)]
        if paper < 0 and refusal_between(claims_of(site), claims_of(tried, booting=ids[-1:]), ids) is not None:
            paper = count - 1
        found = divide(tried, at_s)
        for guest in tried.plan.guests:
            row = found.position[guest.id]
            unmet, met = before.get(guest.id, (0.0, 1.0))
            wanted = max(float(found.cpu.wanted[row]), 1e-9)
            worse = (found.cpu.unmet[row] - unmet) / wanted > 0.001 + 1e-7 or met - found.layers.met[row] > 0.001 + 1e-7
            if worse and now < 0:
                now = count - 1
    return (paper if paper >= 0 else most), (now if now >= 0 else most)


class HowManyMore(unittest.TestCase):
    """Both answers, each host."""

    @settings(max_examples=many(25))
    @given(
        st.integers(500, 4000), st.integers(100, 9000), st.integers(0, 3000), st.booleans(),
        st.lists(
            st.tuples(st.sampled_from(["one", "two"]), st.integers(0, 5000), st.integers(100, 20_000)), max_size=3),
    )  # fmt: skip
    def test_as_many_as_when_they_are_added_one_by_one(
        self, mhz: int, mib: int, reserved: int, is_fixed: bool, there: list[tuple[str, int, int]]
    ) -> None:
        """Whatever is on already, the counts are those of adding guests until one is refused or somebody lacks."""
        memory = {"mode": "fixed", "size": mib + reserved} if is_fixed else {"size": mib + reserved,
                                                                              "reservation": reserved}  # fmt: skip
        guests = [cpu_guest("like", mhz, vcpus=4) | {"host": "one", "memory": memory}]
        guests[0]["demand"] |= {"working": mib, "touched": mib}
        for number, (host, wants, size) in enumerate(there):
            guests.append(cpu_guest(f"g{number}", wants, vcpus=4) | {"host": host, "memory": {"size": size}})
            guests[-1]["demand"] |= {"working": size / 2, "touched": size / 2}
        site = site_with(guests)
        pattern = pattern_of(site, "like")
        found = room_for(site, pattern)
        for host in found.hosts:
            paper, now = one_by_one(site, pattern, host.host, site.plan.moment, 14)
            self.assertEqual((min(host.paper, 14), min(host.now, 14)), (paper, now), host.host)
            # Nothing changes over this day.
            self.assertEqual(host.worst, host.now)

    def test_by_hand(self) -> None:
        """2 GHz and 10 000 MiB with overhead left out: CPU ends it on both hosts, promises never before memory."""
        like = cpu_guest("like", 2000, vcpus=2) | {"host": "one", "memory": {"mode": "fixed", "size": 9000}}
        like["demand"] |= {"working": 4500}
        found = room_for(site_with([like], rules={"guest_overhead": {
            "fixed_mib": 0, "per_vcpu_mib": 0, "percent_of_size": 0}}), Guest.model_validate(like))  # fmt: skip
        one, two = found.hosts
        # 91 000 and 30 000 MiB are left: 10 and 3 of 9000. 8 and 4 GHz are left: 4 and 2 of 2 GHz.
        self.assertEqual([(h.paper, h.now, h.worst) for h in (one, two)], [(10, 4, 4), (3, 2, 2)])
        self.assertEqual((found.paper, found.now, found.worst), (13, 6, 6))
        assert one.refusal is not None and one.lacks_now is not None
        self.assertEqual((one.refusal.kind, one.refusal.place), ("host-memory", "one"))
        # Six of 2 GHz on 10 GHz: each gets 5/6, the five new ones lack 1.67 together, and the old one pays a third.
        self.assertAlmostEqual(one.lacks_now.amounts["cpu"], 5 * 2000 / 6, places=3)
        ((payer, resource, amount),) = [(p.guest, p.resource, p.amount) for p in one.lacks_now.payers]
        self.assertEqual((payer, resource), ("like", "cpu"))
        self.assertAlmostEqual(amount, 2000 / 6, places=3)

    def test_disks_and_network_count(self) -> None:
        """A store of 1000 and a link of 100: by 300 transfers two more fit beside one, by 40 MiB a second one more."""
        like: dict[str, Any] = {"id": "like", "disks": [{"id": "d", "store": "s"}],
                                "demand": {"cpu": 10, "working": 10, "touched": 10, "ops": 300}}  # fmt: skip
        stores, host = [{"id": "s", "ops": 1000, "mib_s": 900}], HOST | {"links": [{"id": "l", "mib_s": 100}]}
        site = site_of(plan_of([like], stores=stores, host=host), {})
        (one,) = room_for(site, pattern_of(site, "like")).hosts
        self.assertEqual((one.now, one.worst), (2, 2))
        assert one.lacks_now is not None
        # Of four each has 250: the three new ones lack 50 each, and the old one pays as much.
        self.assertAlmostEqual(one.lacks_now.amounts["store"], 150)
        self.assertEqual(
            [(p.guest, p.resource, round(p.amount)) for p in one.lacks_now.payers], [("like", "store", 50)]
        )
        self.assertEqual(lacks_text(one.lacks_now, site.plan, with_time=False),
                         "the next one lacks 150 ops/s and takes 50 ops/s from like")  # fmt: skip
        self.assertEqual(one.lacks_now.to_json()["ops"], one.lacks_now.amounts["store"])
        like["demand"]["net_mib_s"] = 40
        site = site_of(plan_of([like], stores=stores, host=host), {})
        (one,) = room_for(site, pattern_of(site, "like")).hosts
        self.assertEqual(one.now, 1)
        assert one.lacks_now is not None
        self.assertAlmostEqual(one.lacks_now.amounts["link"], 2 * 20 / 3)

    def test_the_worst_time_counts_and_is_named(self) -> None:
        """At the moment nobody else wants anything; at the peak of another guest nothing is left."""
        peak = {"kind": "daily", "low": 0, "high": 9000, "peak_at": 14 * 3600, "width_h": 3}
        site = site_with([cpu_guest("like", 3000, vcpus=3) | {"host": "two"},
                          {**cpu_guest("peak", 0), "host": "one", "demand": {"cpu": peak, "working": 0, "touched": 0}}],
                         moment=3600)  # fmt: skip
        one = room_for(site, pattern_of(site, "like")).hosts[0]
        self.assertEqual((one.now, one.worst), (3, 0))
        assert one.lacks_worst is not None
        self.assertAlmostEqual(one.lacks_worst.at_s, 14 * 3600, delta=3600)
        self.assertEqual(one.lacks_worst.payers[0].guest, "peak")

    def test_a_pool_of_two_hosts_has_no_more_than_its_limit(self) -> None:
        """Of 2 GiB that are held whole, a limit of 24 takes twelve, on either host: a thirteenth leaves all short."""
        hosts = [HOST | {"id": "h0"}, HOST | {"id": "h1"}]
        memory = {"mode": "fixed", "size": 2048}
        like = {
            "id": "a",
            "host": "h0",
            "pool": "p",
            "memory": memory,
            "demand": {"cpu": 9, "working": 2048, "touched": 2048},
        }
        pools = [{"id": "p", "memory": {"limit": 12 * 2048}}]
        site = site_with([like], pools=pools, hosts=hosts)
        found = room_for(site, pattern_of(site, "a"))
        self.assertEqual([(one.paper, one.now, one.worst) for one in found.hosts], [(11, 11, 11)] * 2)
        self.assertEqual((found.paper, found.now, found.worst), (11, 11, 11))
        many = [like | {"id": f"a{i}", "host": "h1" if i > 2 else "h0"} for i in range(16)]
        division = divide(site_with(many, pools=pools, hosts=hosts))
        self.assertTrue(division.memory.broken)
        self.assertAlmostEqual(division.memory.delivered[division.position["p"]], 12 * 2048)
        self.assertAlmostEqual(float(np.nanmin(division.layers.met)), 12 / 16)

    def test_a_pool_binds_all_hosts_together(self) -> None:
        """A pool that may promise 5 GHz takes two of 2 GHz on each host alone, and two in all."""
        pool = {"id": "p", "cpu": {"reservation": 5000, "draws": False}}
        like = cpu_guest("like", 0, pool="p", vcpus=2, reservation=2000) | {"host": "one", "power": "off"}
        site = site_with([like], pools=[pool])
        found = room_for(site, pattern_of(site, "like"))
        self.assertEqual(([h.paper for h in found.hosts], found.paper), ([2, 2], 2))

    def test_rules_say_no(self) -> None:
        """A host that is down, one without a bank, a lower level, a rule that keeps it elsewhere."""
        bank = {"size_mib": 1000, "max_mib": 1000, "spill_volumes": [{"id": "v", "mib": 500}, {"id": "w", "mib": 900}]}
        hosts = [HOSTS[0] | {"bank": bank}, HOSTS[1] | {"cpu_level": 0}]
        in_bank = {"size": 400, "bank": True}
        guests = [cpu_guest("like", 10, vcpus=1) | {"host": "one", "memory": in_bank},
                  cpu_guest("seen", 10, vcpus=1) | {"host": "one", "cpu_level": 1}]  # fmt: skip
        rule = [{"kind": "stays", "guests": ["seen"], "hosts": ["one"]}]
        site = site_with(guests, hosts, placement=rule)
        banked = room_for(site, pattern_of(site, "like"))
        self.assertEqual([(h.paper, h.rule) for h in banked.hosts], [(1, ""), (0, "two has no bank")])
        assert banked.hosts[0].refusal is not None
        self.assertEqual(banked.hosts[0].refusal.kind, "volume")
        seen = room_for(site, pattern_of(site, "seen"))
        self.assertIn("of a lower level", seen.hosts[1].rule)
        down = site_with([cpu_guest("x", 1) | {"host": "one"}], [HOSTS[0], HOSTS[1] | {"up": False}])
        self.assertEqual(room_for(down, pattern_of(down, "x")).hosts[1].rule, "two is down")

    def test_more_than_can_be_counted(self) -> None:
        """A guest that wants nothing fits as often as is counted."""
        free = {"guest_overhead": {"fixed_mib": 0, "per_vcpu_mib": 0, "percent_of_size": 0}}
        site = site_with([cpu_guest("like", 0, vcpus=1) | {"host": "one", "memory": {"size": 1}}], rules=free)
        found = room_for(site, pattern_of(site, "like"))
        self.assertEqual((found.paper, found.worst), (MOST, MOST))

    def test_other_kinds_of_memory(self) -> None:
        """As fixed it has the size it would have otherwise; as elastic what its work needs, up to its size."""
        like = cpu_guest("like", 0, vcpus=1) | {"host": "one", "memory": {
            "mode": "elastic", "boot": 500, "floor": 200, "ceiling": 4000}, "otherwise_mib": 3000}  # fmt: skip
        site = site_with([like])
        fixed = as_fixed(site, pattern_of(site, "like")).memory
        self.assertEqual((fixed.mode, fixed.size), ("fixed", 3000))
        thin = typed_pattern(site.plan, vcpus=2, memory_mib=4000)
        elastic = as_elastic(site, thin).memory
        assert elastic.mode == "elastic"
        self.assertEqual((elastic.floor, elastic.ceiling), (2000, 4000))
        with self.assertRaises(EditError):
            room_for(site, typed_pattern(site.plan, vcpus=2, memory_mib=4000, working_mib=5000, mode="elastic"))

    def test_the_command(self) -> None:
        """Numbers on paper and in need for each host and why no more; status 1 where none fits, 2 for no pattern."""
        like = cpu_guest("like", 2000, vcpus=2) | {"host": "one", "memory": {"mode": "fixed", "size": 9000}}
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.ruvex.json"
            path.write_text(plan_text(site_with([like]).plan), encoding="utf-8")
            said = run("room", str(path), "--like", "like")
            self.assertEqual(said.returncode, 0)
            self.assertIn("how many more like like", said.stdout)
            self.assertIn("the next one is refused: one is short of memory", said.stdout)
            typed = json.loads(run("room", str(path), "--vcpus", "2", "--memory", "9000MiB", "--cpu", "2GHz",
                                   "--working", "8GiB", "--mode", "fixed", "--json").stdout)  # fmt: skip
            self.assertEqual((typed["now"], [h["now"] for h in typed["hosts"]]), (6, [4, 2]))
            self.assertIn("as_elastic", typed["instead"])
            self.assertEqual(
                run("room", str(path), "--vcpus", "2", "--memory", "900GiB", "--mode", "fixed").returncode, 1
            )
            for wrong in (["--like", "nobody"], ["--vcpus", "1", "--memory", "1GiB", "--mode", "x"]):
                self.assertEqual(run("room", str(path), *wrong).returncode, 2)


class Emptying(unittest.TestCase):
    """A host emptied as it is played."""

    def test_one_after_the_other_with_times(self) -> None:
        """6000 MiB at 600 a second, nothing rewritten while nothing is worked with: 10 s; then 3000 in 5 s."""
        guests = [
            cpu_guest("large", 100, vcpus=1) | {"host": "one", "memory": {"mode": "fixed", "size": 6000}},
            cpu_guest("small", 100, vcpus=1) | {"host": "one", "memory": {"mode": "fixed", "size": 3000}},
            cpu_guest("off", 100, vcpus=1) | {"host": "one", "power": "off"},
            cpu_guest("own", 0, vcpus=1) | {"host": "one", "dedicated_cores": True},
        ]
        hosts = [HOSTS[0], HOST | {"id": "two"}]
        found = emptied_host(site_with(guests, hosts, day_s=600, moment=0), "one", 100)
        self.assertEqual([(one.guest, one.to, one.is_off) for one in found.going],
                         [("large", "two", False), ("small", "two", False), ("off", "two", True)])  # fmt: skip
        self.assertAlmostEqual(found.going[0].took_s, 10, delta=0.2)
        self.assertAlmostEqual(found.going[1].took_s, 5, delta=0.2)
        self.assertGreaterEqual(found.going[1].at_s, found.going[0].at_s + found.going[0].took_s)
        self.assertEqual(found.staying, (("own", "own has cores of its own, so it moves only while off"),))

    def test_what_finds_no_room_stays(self) -> None:
        """The other host cannot be promised it; its day may also end too soon."""
        guests = [cpu_guest("large", 100, vcpus=1) | {"host": "one", "memory": {"mode": "fixed", "size": 60_000}}]
        found = emptied_host(site_with(guests, day_s=600, moment=0), "one", 100)
        self.assertEqual((found.going, found.staying[0][0]), ((), "large"))
        self.assertIn("short of memory", found.staying[0][1])
        hosts = [HOSTS[0], HOST | {"id": "two"}]
        found = emptied_host(site_with(guests, hosts, day_s=600, moment=0), "one", 580)
        self.assertEqual(found.staying, (("large", "the day ends before it has moved"),))


class OfAnyKind(unittest.TestCase):
    """Patterns with disks, in banks, with cores of their own: each is counted, and what is counted can be added."""

    def test_counted_by_command_and_as_it_can_be_added(self) -> None:
        """A guest with a disk, and one in a bank, by command in both forms; n can be added, n + 1 is refused."""
        bank = {"size_mib": 9000, "max_mib": 9000, "spill_volumes": [{"id": f"v{i}", "mib": 3000} for i in range(3)]}
        hosts = [HOST | {"id": "one", "bank": bank, "store": "disks", "links": [{"id": "l"}]}, HOST | {"id": "two"}]
        work = {"cpu": 500, "working": 900, "touched": 1000}
        plan = plan_of(
            [
                {"id": "disky", "host": "one", "demand": work | {"ops": 50, "net_mib_s": 3},
                 "memory": {"size": 2000, "reservation": 2000}, "disks": [{"id": "d", "store": "disks"}]},
                {"id": "banked", "host": "one", "memory": {"size": 2000, "bank": True}, "demand": work},
                {"id": "kept", "host": "one", "memory": {"size": 2000, "reservation": 1900}, "demand": work,
                 "cores": {"only": [9]}},
            ],
            hosts=hosts, stores=[{"id": "disks"}],
        )  # fmt: skip
        site = site_of(plan, {})
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.ruvex.json"
            path.write_text(plan_text(plan), encoding="utf-8")
            for guest in ("disky", "banked", "kept"):
                found = json.loads(run("room", str(path), "--like", guest, "--json").stdout)
                text = run("room", str(path), "--like", guest)
                self.assertEqual((text.returncode, text.stderr), (0, ""))
                paper = {one["host"]: one["paper"] for one in found["hosts"]}
                with self.subTest(guest=guest):
                    self.assertGreater(paper["one"], 0)
                    for count, fits in ((paper["one"], True), (paper["one"] + 1, False)):
                        after = site.with_plan(with_more(plan, pattern_of(site, guest), "one", count))
                        ids = [f"copy{i}" for i in range(count)]
                        refused = refusal_between(claims_of(site), claims_of(after, booting=ids[-1:]), ids)
                        self.assertEqual(refused is None, fits)

    def test_what_a_host_cannot_have_is_said(self) -> None:
        """A guest that is kept to core 9 cannot be on a host of four cores, nor one of a bank where there is none."""
        site = site_with([cpu_guest("a", 100) | {"host": "one", "cores": {"only": [9]}}])
        found = room_for(site, pattern_of(site, "a"))
        self.assertIn("has no core 9", found.hosts[1].rule)
        self.assertEqual((found.hosts[1].paper, found.hosts[1].worst), (0, 0))
