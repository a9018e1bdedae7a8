"""Memory over time by worked examples: growth, giving back, balloons, pressure, spilling, sharing, banks."""

from __future__ import annotations

from typing import Any

from ruvex.plan import Plan, plan_from
from ruvex.play import Player
from tests.builders import HOST, memory_guest, plan_of
from tests.play.site import PlayCase, guest_of

CALM = {"pressure": {"tidying_percent": 0, "reclaiming_percent": 0, "refusing_percent": 0, "hysteresis_percent": 0}}


def elastic(guest_id: str, working: Any, **memory: Any) -> dict[str, Any]:
    """Describe an elastic guest: boot 4000, floor 1000, ceiling 16 000 MiB, no headroom."""
    settings = {"mode": "elastic", "boot": 4000, "floor": 1000, "ceiling": 16_000, "headroom_percent": 0}
    return memory_guest(guest_id, working, **(settings | memory))


def steps(*at: tuple[float, float]) -> dict[str, Any]:
    """Describe a demand that jumps."""
    return {"kind": "steps", "at": [list(step) for step in at]}


class Elastic(PlayCase):
    """An elastic guest grows in seconds and gives back in minutes."""

    def test_grows_at_its_rate_and_gives_back_late(self) -> None:
        """From 2000 to 6000 MiB at 200 a second takes 20 s; 240 s after the need fell it gives back in steps."""
        rules = {"elastic": {"grow_mib_s": 200, "shrink_mib_s": 10, "shrink_step_s": 30, "settle_s": 240}, "look_s": 1}
        rules["reclaim"] = {"balloon_mib_s": None}
        plan = plan_of([elastic("a", steps((0, 2000), (100, 6000), (300, 3000)))], rules=rules | CALM)
        player = self.play(plan, until_s=1200, record_s=1)
        backed = self.series(player, "a", "backed")
        self.assertEqual(backed[99], 2000)
        self.assertEqual([float(backed[100 + i]) for i in (0, 9, 19, 25)], [2200, 4000, 6000, 6000])
        self.assertEqual(float(backed[300 + 239]), 6000)
        # 300 + 240 s is 540, on the grid of 30 s: there the first step of 300 MiB goes.
        self.assertEqual([float(backed[t]) for t in (539, 540, 570, 840)], [6000, 5700, 5400, 3000])
        self.assertEqual(float(self.series(player, "a", "visible")[1000]), 6000)
        summary = player.summary()
        self.assertEqual(guest_of(summary, "a").below_s, {"still growing": 19.0})
        self.assertEqual(guest_of(summary, "a").reclaimed_mib, 3000)
        self.assertEqual(guest_of(summary, "a").peak_backed_mib, 6000)

    def test_a_short_dip_is_waited_out(self) -> None:
        """A need that comes back before it settles takes nothing away."""
        plan = plan_of([elastic("a", steps((0, 6000), (100, 2000), (300, 6000)))], rules=CALM)
        player = self.play(plan, until_s=600)
        self.assertEqual(float(self.series(player, "a", "backed").min()), 6000)

    def test_self_pages_while_growth_lags(self) -> None:
        """What the working set exceeds the backed memory by is on the guest's own disk, and slows it."""
        rules = {"elastic": {"grow_mib_s": 100}, "look_s": 1} | CALM
        plan = plan_of([elastic("a", steps((0, 2000), (10, 4000)))], rules=rules)
        player = self.play(plan, until_s=60, record_s=1)
        self.assertEqual(float(self.series(player, "a", "self_paged")[10]), 1900)
        self.assertAlmostEqual(float(self.series(player, "a", "pace")[10]), 1 / (1 + 25 * 1900 / 4000), places=5)
        self.assertEqual(float(self.series(player, "a", "pace")[40]), 1.0)

    def test_greedy_work_takes_all_it_sees(self) -> None:
        """A greedy guest grows until its ceiling, as fast as its work and the host let it."""
        guest = elastic("a", 2000, ceiling=9000, headroom_percent=20)
        guest["demand"]["greedy"] = True
        guest["power"] = "off"
        events = [{"at": 10, "do": "power-on", "target": "a"}]
        player = self.play(plan_of([guest], rules=CALM, events=events), until_s=1800)
        self.assertEqual(self.of(player, "a", "visible"), 9000)
        self.assertEqual(self.of(player, "a", "working"), 9000)


class Pressure(PlayCase):
    """The host's pressure rises as free memory falls, and each level adds a means."""

    def host(self, memory_mib: float) -> dict[str, Any]:
        """Give a host of one size, without overhead."""
        return HOST | {"memory_mib": memory_mib}

    def grown(self, working: float, touched: float, **rest: Any) -> Plan:
        """Two thin guests on 20 000 MiB; the second one touches as much as is given, from 60 s on."""
        late = steps((0, 500), (60, working))
        guests = [
            memory_guest("idle", 1000, 9800, size=10_000) | rest,
            memory_guest("busy", late, steps((0, 500), (60, touched)), size=16_000) | rest,
        ]
        return plan_of(guests, host=self.host(20_000))

    def test_tidying_takes_idle_pages_only(self) -> None:
        """With 18 900 of 20 000 touched the balloon takes idle pages of the larger guest, and nobody is slowed."""
        player = self.play(self.grown(9000, 9100), until_s=900)
        self.assertEqual([e.text for e in player.log if e.kind == "pressure"], ["h: tidying, it was ample"])
        # 7 % are to be free again.
        self.assertAlmostEqual(player.memory.places[0].free, 1400, delta=1)
        self.assertGreater(self.of(player, "idle", "balloon"), 0)
        self.assertEqual(self.of(player, "idle", "spilled") + self.of(player, "busy", "spilled"), 0)
        self.assertEqual(guest_of(player.summary(), "busy").worst_pace, 1.0)

    def test_without_an_agent_pages_are_squeezed_then_spilled(self) -> None:
        """Where there is no balloon, reclaiming squeezes, and only refusing spills; spilling slows the guest."""
        player = self.play(self.grown(14_500, 15_000, agent=False), until_s=1200)
        levels = [e.text.split(": ")[1].split(",")[0] for e in player.log if e.kind == "pressure"]
        self.assertIn("refusing", levels)
        self.assertGreater(self.of(player, "busy", "squeezed"), 0)
        self.assertGreater(self.of(player, "busy", "spilled"), 0)
        self.assertLess(guest_of(player.summary(), "busy").worst_pace, 0.9)

    def test_spilled_pages_return_when_used(self) -> None:
        """After the other guest is off, spilled pages come back at the rule's rate times the part in use."""
        plan = self.grown(14_500, 15_000, agent=False)
        events = [{"at": 1200, "do": "power-off", "target": "idle"}]
        data = plan.model_dump(mode="json") | {"events": events}
        player = self.play(plan_from(data), until_s=1260, record_s=1)
        spilled = self.series(player, "busy", "spilled")
        used = 14_500 / 15_000
        self.assertAlmostEqual(float(spilled[1214] - spilled[1224]), 10 * 40 * used, delta=1e-2)

    def test_cache_fills_spare_memory(self) -> None:
        """A cache of half the spare memory grows at its rate, and is touched for good."""
        guest = memory_guest("a", 1000, 0, size=9000)
        guest["demand"]["cache_percent"] = 50
        guest["power"] = "off"
        guest["boot_s"] = 0
        events = [{"at": 0, "do": "power-on", "target": "a"}]
        plan = plan_of([guest], rules={"workload": {"cache_mib_s": 10}} | CALM, events=events)
        player = self.play(plan, until_s=100, record_s=1)
        self.assertAlmostEqual(float(self.series(player, "a", "backed")[96]), 1000 + 950, delta=60)
        self.assertEqual(self.of(self.play(plan, until_s=600), "a", "touched"), 5000)

    def test_equal_pages_are_found_by_scanning(self) -> None:
        """Two guests of one image share what the scan has found: 10 MiB a second each, up to the rule's 1000."""
        guests = [memory_guest(name, 2000, 2000, size=4000) | {"image": "sea"} for name in "ab"]
        for guest in guests:
            guest |= {"power": "off", "boot_s": 0}
        events = [{"at": 0, "do": "power-on", "target": name} for name in "ab"]
        rules = {"page_sharing": {"sea": 1000}, "sharing_mib_s": 10} | CALM
        player = self.play(plan_of(guests, rules=rules, events=events), until_s=300, record_s=1)
        shared = self.series(player, "a", "shared")
        self.assertEqual(float(shared[55] - shared[25]), 300)
        self.assertEqual(float(shared[250]), 1000)
        # Together they hold their own 1000 each and one copy.
        self.assertEqual(player.memory.places[0].free, 100_000 - 3000)

    def test_a_limit_hurts_on_an_idle_host(self) -> None:
        """A thin guest's own limit is kept although nearly all memory is free, and named as the cause."""
        plan = plan_of([memory_guest("a", 5000, 6000, size=8000, limit=3000)])
        player = self.play(plan, until_s=1800)
        self.assertEqual(self.of(player, "a", "given"), 3000)
        self.assertEqual(list(guest_of(player.summary(), "a").below_s), ["own limit"])

    def test_memory_limit_of_a_pool_is_a_cause(self) -> None:
        """Guests of a pool that has reached its limit name it."""
        pools = [{"id": "p", "memory": {"limit": 4000}}]
        guests = [memory_guest(name, 3000, 3000, pool="p", size=4000) for name in "ab"]
        summary = self.play(plan_of(guests, pools), until_s=600).summary()
        self.assertEqual(list(guest_of(summary, "a").below_s), ["pool's limit"])


class Banks(PlayCase):
    """A bank counts as a host of its own, and each of its guests needs a spill volume."""

    def plan(self, volumes: list[float], *, size: float = 8000, events: Any = (), **memory: Any) -> Plan:
        """Three guests of 6000 MiB in a bank, and one outside of it."""
        bank = {
            "size_mib": size, "max_mib": 20_000,
            "spill_volumes": [{"id": f"v{i}", "mib": mib} for i, mib in enumerate(volumes)],
        }  # fmt: skip
        agent = memory.pop("agent", True)
        guests = [
            memory_guest(n, 3000, 5000, mode="thin", size=6000, bank=True, **memory) | {"agent": agent}
            for n in ("a", "b", "c")
        ]
        guests.append(memory_guest("out", 3000, 3000, size=4000))
        return plan_of(guests, host=HOST | {"bank": bank}, events=list(events))

    def test_guests_of_a_bank_share_its_memory_only(self) -> None:
        """15 000 MiB touched in a bank of 8000: spilling there, while 92 000 outside stay free."""
        player = self.play(self.plan([6000, 6000, 6000]), until_s=900)
        given = [self.of(player, name, "given") for name in "abc"]
        self.assertLessEqual(sum(given), 8000 + 1e-6)
        self.assertAlmostEqual(given[0], given[1], delta=1)
        self.assertEqual(self.of(player, "out", "given"), 3000)
        self.assertLess(guest_of(player.summary(), "a").worst_pace, 1)

    def test_a_guest_without_a_volume_does_not_start(self) -> None:
        """One volume too few: the last by shares and plan order stays off, and says why."""
        player = self.play(self.plan([6000, 7000]), until_s=60)
        self.assertEqual(player.state.on.sum(), 3)
        entry = next(e for e in player.log if e.kind == "refused")
        self.assertEqual(entry.target, "c")
        self.assertIn("no spill volume", entry.text)

    def test_a_far_too_large_volume_is_remarked_on(self) -> None:
        """A volume of ten times what the guest can need is named."""
        player = self.play(self.plan([6000, 6000, 60_000]), until_s=60)
        self.assertEqual([e.target for e in player.log if e.kind == "remark"], ["c"])

    def test_a_bank_is_resized_while_it_runs(self) -> None:
        """Raised within its largest size it takes free memory of the host; above that it is refused."""
        events = [
            {"at": 300, "do": "set", "target": "h", "change": {"bank.size_mib": 16_000}},
            {"at": 400, "do": "set", "target": "h", "change": {"bank.size_mib": 21_000}},
        ]
        player = self.play(self.plan([6000, 6000, 6000], events=events), until_s=2400)
        self.assertEqual(player.memory.places[1].size, 16_000)
        self.assertEqual(player.memory.places[0].supply, 84_000)
        self.assertEqual(self.kinds(player, "h").count("refused"), 1)
        self.assertEqual(self.of(player, "a", "spilled"), 0)

    def test_a_volume_of_hard_disk_costs_more(self) -> None:
        """The same shortfall is slower on a hard disk, and a rule that changes its cost acts at once."""
        paces = []
        for kind in ("ssd", "hdd"):
            plan = self.plan([6000, 6000, 6000], agent=False)
            host = plan.hosts[0].model_dump(mode="json")
            for volume in host["bank"]["spill_volumes"]:
                volume["kind"] = kind
            events = [{"at": 600, "do": "set", "target": "rules", "change": {"pace_cost.hdd": 25.0}}]
            data = plan.model_dump(mode="json") | {"hosts": [host], "events": events}
            player = self.play(plan_from(data), until_s=900, record_s=5)
            pace = self.series(player, "a", "pace")
            paces.append((float(pace[100]), float(pace[-1])))
        self.assertLess(paces[1][0], paces[0][0] / 4)
        self.assertAlmostEqual(paces[1][1], paces[0][1], places=5)

    def test_dedicated_cores_leave_the_supply_of_others(self) -> None:
        """Four cores of its own are a guest's although it idles: the others share the six that are left."""
        guests: list[dict[str, Any]] = [
            {"id": "own", "vcpus": 4, "dedicated_cores": True, "demand": {"cpu": 100, "working": 0, "touched": 0}},
            {"id": "rest", "vcpus": 10, "demand": {"cpu": 10_000, "working": 0, "touched": 0}},
        ]
        player = self.play(plan_of(guests), until_s=60)
        self.assertEqual(self.of(player, "rest", "delivered"), 6000)
        self.assertEqual(guest_of(player.summary(), "own").fluid_wait, 0)


class Ticks(PlayCase):
    """Periods are in seconds, so a tick of another length comes to the same."""

    def test_halving_the_tick(self) -> None:
        """Half the tick changes no summary figure of a pressed site by 2 %."""
        guests = [elastic(f"e{i}", steps((0, 2000), (300 + 60 * i, 9000), (1500, 2500)), agent=True) for i in range(6)]
        for guest in guests:
            guest["memory"].pop("agent")
        guests += [memory_guest(f"t{i}", steps((0, 3000), (600, 8000)), size=12_000) for i in range(4)]
        found: list[Player] = []
        for tick_s in (1.0, 0.5):
            found.append(self.play(plan_of(guests, host=HOST | {"memory_mib": 70_000}, tick_s=tick_s), until_s=3600))
        for one, half in zip(*(player.summary().guests for player in found), strict=True):
            self.assertAlmostEqual(one.peak_backed_mib, half.peak_backed_mib, delta=0.02 * one.peak_backed_mib)
            self.assertAlmostEqual(one.reclaimed_mib, half.reclaimed_mib, delta=0.02 * max(one.reclaimed_mib, 500))
            self.assertAlmostEqual(sum(one.below_s.values()), sum(half.below_s.values()), delta=40)
