"""Power, events and CPU work over time, by worked examples."""

from __future__ import annotations

from typing import Any

from ruvex.advise import savings_over
from ruvex.plan import EditError, add_events, remove_items
from ruvex.play import PHASES, Plain
from ruvex.play.happenings import Boots
from ruvex.words import entry_text
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
from tests.play.site import PlayCase, guest_of
from tests.play.test_memory import CALM, elastic, steps


def fixed(guest_id: str, size: float, **rest: Any) -> dict[str, Any]:
    """Describe a fixed guest that boots for 40 s."""
    return memory_guest(guest_id, size / 2, mode="fixed", size=size) | rest


def on(at: float, *targets: str) -> list[dict[str, Any]]:
    """Describe power-on events."""
    return [{"at": at, "do": "power-on", "target": target} for target in targets]


class Starting(PlayCase):
    """Booting is work; starts wait for memory; a restart is bridged, a cold start is refused."""

    def test_booting_takes_its_seconds_at_full_speed(self) -> None:
        """40 s with all vCPUs free; 80 s where half of their speed is there."""
        for others, expected in ((0.0, 40.0), (10_000.0, 80.0)):
            with self.subTest(others=others):
                guests = [fixed("a", 1000, power="off", vcpus=10), cpu_guest("busy", others)]
                player = self.play(plan_of(guests, events=on(10, "a")), until_s=200)
                booted = next(e.at_s for e in player.log if e.what is Plain.BOOTED)
                self.assertAlmostEqual(booted - 10, expected, delta=1)

    def test_starts_together_go_by_shares_and_wait(self) -> None:
        """Of three elastic guests of boot size 40 000 two fit; the third, of least shares, boots when they shrink."""
        guests = [
            elastic(name, 2000, boot=40_000, ceiling=40_000, shares=shares) | {"power": "off"}
            for name, shares in (("a", 50), ("b", 200), ("c", 100))
        ]
        player = self.play(plan_of(guests, events=on(0, "a", "b", "c")), until_s=600)
        starts = [e.target for e in player.log if isinstance(e.what, Boots)]
        self.assertEqual(starts, ["b", "c", "a"])
        self.assertEqual(self.kinds(player, "a")[0], "wait")
        self.assertEqual(PHASES[int(self.of(player, "a", "phase"))], "running")

    def test_who_was_asked_while_others_started_waits_for_memory(self) -> None:
        """Two starts that find nothing wait, and one boots when memory appears at 1800 s; a lone one is refused."""
        held = [fixed("big", 60_000), fixed("huge", 40_000)]
        late = [fixed(name, 39_000, power="off") for name in ("a", "b")]
        events = [*on(60, "a", "b"), {"at": 1800, "do": "power-off", "target": "huge"}]
        player = self.play(plan_of([*held, *late], events=events, rules=CALM), until_s=2400)
        boots = [(e.at_s, e.target) for e in player.log if isinstance(e.what, Boots)]
        self.assertEqual(boots, [(1800, "a")])
        self.assertEqual(self.kinds(player, "b"), ["wait"])
        alone = self.play(plan_of([*held, late[0]], events=[*on(60, "a"), events[-1]], rules=CALM), until_s=2400)
        self.assertEqual(self.kinds(alone, "a"), ["refused"])

    def test_a_start_leaves_what_is_free_below_the_dire_mark(self) -> None:
        """Of 860 kept free 258 are the dire mark: a start that waits takes what is reclaimed for it, not these."""
        guests = [memory_guest("thin", 12_000, 19_100, size=20_000), fixed("a", 3000, power="off")]
        # Slowly reclaimed, so that the second in which it starts adds no more than 20 MiB.
        slow = {"balloon_mib_s": 20, "urgent_mib_s": 20}
        rules = {"pressure": {}, "idle_counts_as": 8, "memory_every_s": 1, "reclaim": slow}
        plan = plan_of(guests, host=HOST | {"memory_mib": 20_000}, events=on(60, "a"), rules=rules)
        player = self.play(plan, until_s=600, record_s=1)
        free = player.recording.of_places("free")[0]
        started = int(next(e.at_s for e in player.log if isinstance(e.what, Boots)))
        self.assertGreaterEqual(float(free[started]), 258 - 1)
        self.assertLess(float(free[started]), 860)
        self.assertIn("wait", self.kinds(player, "a"))

    def test_a_start_on_paper_sets_off_urgent_reclaim(self) -> None:
        """A guest whose boot size is promised but taken waits while thin guests' idle pages are reclaimed for it."""
        guests = [
            memory_guest("thin", 20_000, 95_000, size=96_000),
            elastic("a", 2000, boot=30_000, ceiling=40_000) | {"power": "off"},
        ]
        player = self.play(plan_of(guests, events=on(60, "a")), until_s=900)
        self.assertIn("wait", self.kinds(player, "a"))
        started = next(e.at_s for e in player.log if isinstance(e.what, Boots))
        # Some 25 000 MiB through a balloon of 320 MiB a second, and no further than half the size.
        self.assertGreater(started, 60 + 60)
        self.assertLess(started, 60 + 300)
        self.assertGreater(guest_of(player.summary(), "thin").reclaimed_mib, 20_000)

    def test_a_start_takes_what_it_lacks_or_all_above_need(self) -> None:
        """Of 20 000 MiB one holds 12 000 and needs 3000 by now; who starts with 10 000 lacks 2000 of them.

        At 320 a second two looks, five seconds apart, find 3200; the rest it gives up from 240 s on, 6 MiB a second.
        With all above need it goes on at 48, 240 a look: 5800 are 24 looks and a part, from 70 s on.
        """
        host = HOST | {"memory_mib": 20_000}
        wide = elastic("wide", {"kind": "steps", "at": [[0, 12_000], [40, 3000]]}, boot=12_000, ceiling=16_000)
        starter = elastic("a", 10_000, boot=10_000, floor=10_000, ceiling=10_000, headroom_percent=0) | {"power": "off"}
        wide["memory"]["headroom_percent"] = 0
        held = {}
        for takes in ("what-is-lacked", "all-above-need"):
            rules = CALM | {"start_takes": takes}
            plan = plan_of([wide, starter], host=host, events=on(60, "a"), rules=rules)
            player = self.play(plan, until_s=301, record_s=1)
            held[takes] = self.series(player, "wide", "backed")
            started = next(e.at_s for e in player.log if isinstance(e.what, Boots) and e.target == "a")
            self.assertEqual(started, 66)
        lacked, above = held.values()
        self.assertEqual([float(lacked[at]) for at in (59, 60, 65, 299, 300)], [12_000, 10_400, 8800, 8800, 8440])
        self.assertEqual([float(above[at]) for at in (65, 70, 189, 190, 300)], [8800, 8560, 3040, 3000, 3000])

    def test_a_restart_is_bridged_and_a_cold_start_is_refused(self) -> None:
        """With floors of 5000 twice on 12 000 MiB, a boot size of 4000 is not there: only a restart goes ahead."""
        others = [elastic(name, 5000, boot=5000, floor=5000, ceiling=6000) for name in ("x", "y")]
        tight = elastic("a", 1200, boot=4000, floor=1000, ceiling=4000)
        host = HOST | {"memory_mib": 12_000}
        events = [{"at": 60, "do": "restart", "target": "a"}]
        player = self.play(plan_of([*others, tight], host=host, events=events, rules=CALM), until_s=600, record_s=1)
        self.assertEqual(float(self.series(player, "a", "bridged").max()), 2000)
        self.assertIn("boot from disk", guest_of(player.summary(), "a").below_s)
        self.assertEqual(self.of(player, "a", "bridged"), 0)
        self.assertEqual(PHASES[int(self.of(player, "a", "phase"))], "running")
        booted = next(e.at_s for e in player.log if e.target == "a" and e.what is Plain.BOOTED)
        # Half the boot size in memory and half from disk at 35 % of the speed: 40 / 0.675 seconds.
        self.assertAlmostEqual(booted - 60, 40 / 0.675, delta=1.5)
        cold = plan_of([*others, tight | {"power": "off"}], host=host, events=on(60, "a"), rules=CALM)
        player = self.play(cold, until_s=120)
        self.assertEqual(self.kinds(player, "a"), ["refused"])
        self.assertEqual(PHASES[int(self.of(player, "a", "phase"))], "off")


class Events(PlayCase):
    """What may change while on changes; everything else is refused in the log and changes nothing."""

    def test_settings_that_may_change_while_on(self) -> None:
        """Shares act at once; a higher ceiling lets a guest grow; hot add brings memory and vCPUs."""
        guests = [
            cpu_guest("a", 10_000), cpu_guest("b", 10_000),
            elastic("e", 9000, ceiling=6000), fixed("f", 4000, hot_add=["memory", "vcpus"]),
        ]  # fmt: skip
        change: dict[str, dict[str, Any]] = {
            "a": {"cpu.shares": 300}, "e": {"memory.ceiling": 12_000}, "f": {"memory.size": 6000, "vcpus": 4},
        }  # fmt: skip
        events = [{"at": 60, "do": "set", "target": name, "change": what} for name, what in change.items()]
        player = self.play(plan_of(guests, events=events), until_s=180)
        self.assertAlmostEqual(self.of(player, "a", "delivered"), 7500, delta=1)
        self.assertEqual(self.of(player, "e", "given"), 9000)
        self.assertEqual((self.of(player, "f", "given"), self.of(player, "f", "visible")), (6000, 6000))
        self.assertEqual([e.kind for e in player.log], ["set"] * 3)

    def test_what_needs_the_guest_off_is_refused(self) -> None:
        """Each is refused with its reason, and the plan in force stays."""
        guests = [elastic("e", 2000), fixed("f", 4000), cpu_guest("c", 100, vcpus=2)]
        refused: list[tuple[str, dict[str, Any], str]] = [
            ("e", {"memory.floor": 3000}, "a higher floor"), ("e", {"memory.ceiling": 8000}, "a lower ceiling"),
            ("e", {"memory.mode": "thin"}, "e would have to be off for another memory mode"),
            ("f", {"memory.size": 5000}, "more memory"),
            ("c", {"vcpus": 1}, "fewer vCPUs"), ("c", {"dedicated_cores": True}, "cores of its own"),
            ("c", {"power": "off"}, "power events"), ("h", {"memory_mib": 5000}, "the machine is made of"),
            ("c", {"cpu_level": 3}, "another processor level"),
            ("c", {"cpu.reservation": 50_000}, ""), ("f", {"cpu.reservation": 2000}, ""),
        ]  # fmt: skip
        guests[1]["cpu"] = {"reservation": 0}
        guests.append(cpu_guest("r", 0, reservation=9500))
        events = [{"at": 10, "do": "set", "target": name, "change": what} for name, what, _ in refused]
        player = self.play(plan_of(guests, events=events, rules={"bounds_while_on": "widen"}), until_s=20)
        self.assertEqual([e.kind for e in player.log], ["refused"] * len(refused))
        for entry, (_, _, reason) in zip(player.log, refused, strict=True):
            self.assertIn(reason, entry_text(entry, player.site.plan))
            self.assertNotIn("key", entry_text(entry, player.site.plan))
        self.assertEqual(player.site.plan.guests, plan_of(guests).guests)

    def test_floors_and_ceilings_move_while_on(self) -> None:
        """Without such a rule a floor may rise and a ceiling fall; vCPUs fall where the guest says so."""
        guests = [elastic("e", 2000), cpu_guest("c", 9000, vcpus=8) | {"hot_remove": ["vcpus"]}]
        change: dict[str, dict[str, Any]] = {"e": {"memory.floor": 3000, "memory.ceiling": 8000}, "c": {"vcpus": 3}}
        events = [{"at": 10, "do": "set", "target": name, "change": what} for name, what in change.items()]
        player = self.play(plan_of(guests, events=events, rules=CALM), until_s=120)
        told = [entry_text(e, player.site.plan).replace("\u202f", " ") for e in player.log]
        self.assertEqual(told, ["e: floor 2.93 GiB, ceiling 7.81 GiB", "c: vCPUs 3"])
        self.assertEqual((self.of(player, "e", "given"), self.of(player, "c", "delivered")), (3000, 3000))

    def test_a_volume_in_use_stays(self) -> None:
        """A guest that an event has powered on keeps its spill volume: it cannot be taken away or shrunk under it."""
        volume = {"id": "v", "mib": 6000, "kind": "ssd"}
        host = HOST | {"bank": {"size_mib": 8000, "max_mib": 8000, "spill_volumes": [volume]}}
        guest = memory_guest("a", 1000, size=6000, mode="thin", bank=True) | {"power": "off"}
        changes: list[dict[str, Any]] = [
            {"bank.spill_volumes": volumes} for volumes in ([], [volume | {"mib": 5000}], [volume | {"mib": 9000}])
        ]
        events = [{"at": 20 + i, "do": "set", "target": "h", "change": what} for i, what in enumerate(changes)]
        player = self.play(plan_of([guest], host=host, events=[*on(0, "a"), *events]), until_s=60)
        self.assertEqual(self.kinds(player, "h"), ["refused", "refused", "set"])
        told = entry_text(next(e for e in player.log if e.target == "h"), player.site.plan)
        self.assertIn("the bank of h has no spill volume", told)
        self.assertEqual(player.state.volumes, {("h", "v"): "a"})

    def test_a_guest_powered_on_by_an_event_is_protected(self) -> None:
        """Its promise stands against later changes, although the plan has it off."""
        guests = [cpu_guest("a", 0, reservation=6000) | {"power": "off"}, cpu_guest("b", 0)]
        events = [*on(0, "a"), {"at": 30, "do": "set", "target": "b", "change": {"cpu.reservation": 5000}}]
        player = self.play(plan_of(guests, events=events), until_s=60)
        self.assertEqual(self.kinds(player, "b"), ["refused"])
        self.assertIn("the supply is short of CPU promises by 1.00", entry_text(player.log[1], player.site.plan))

    def test_a_surge_lasts_its_time(self) -> None:
        """Three times the demand of a pool's guests, for a minute."""
        plan = plan_of(
            [cpu_guest("a", 1000, pool="p"), cpu_guest("b", 1000)], [{"id": "p"}],
            events=[{"at": 30, "do": "surge", "target": "p", "factor": 3, "for_s": 60}],
        )  # fmt: skip
        player = self.play(plan, until_s=120, record_s=1)
        wanted = self.series(player, "a", "cpu_wanted")
        self.assertEqual([float(wanted[t]) for t in (29, 30, 89, 90)], [1000, 3000, 3000, 1000])
        self.assertEqual(float(self.series(player, "b", "cpu_wanted").max()), 1000)

    def test_what_makes_no_sense_is_said(self) -> None:
        """A move to where it is, and power on of what is on, are refused; later events do not happen."""
        events = [
            {"at": 10, "do": "move", "target": "a", "host": "h"}, {"at": 12, "do": "host-up", "target": "h"},
            {"at": 13, "do": "power-on", "target": "a"}, {"at": 500, "do": "power-off", "target": "a"},
        ]  # fmt: skip
        player = self.play(plan_of([cpu_guest("a", 100)], events=events), until_s=100)
        self.assertEqual([e.kind for e in player.log], ["refused"] * 3)
        self.assertIn("on already", entry_text(player.log[-1], player.site.plan))
        self.assertEqual(PHASES[int(self.of(player, "a", "phase"))], "running")

    def test_plans_with_nothing_to_divide(self) -> None:
        """Without guests, or without a host, a plan can be played: nothing is delivered, nothing fails."""
        empty = self.play(plan_of([], host=None), until_s=100)
        self.assertEqual((empty.summary().guests, empty.summary().savings), ((), None))
        bare = self.play(plan_of([cpu_guest("a", 100), elastic("e", 2000)], host=None), until_s=100)
        self.assertEqual(self.of(bare, "a", "delivered"), 0)
        self.assertEqual(self.of(bare, "e", "given"), 0)
        self.assertEqual(guest_of(bare.summary(), "a").fluid_wait, 1.0)

    def test_events_are_kept_in_the_order_of_their_times(self) -> None:
        """Events that are added go among those that are there, and leave with what they concern."""
        plan = plan_of([cpu_guest("a", 100), cpu_guest("b", 100)], events=on(50, "a"))
        more = plan_of([cpu_guest("a", 100), cpu_guest("b", 100)], events=[*on(90, "b"), *on(20, "b")]).events
        both = add_events(plan, more)
        self.assertEqual([(event.at, event.target) for event in both.events], [(20, "b"), (50, "a"), (90, "b")])
        self.assertEqual([event.at for event in remove_items(both, ["b"]).events], [50])
        with self.assertRaisesRegex(EditError, "there is no guest 'b'"):
            add_events(remove_items(both, ["b"]), more)


class Work(PlayCase):
    """Interactive work that is not done is lost; batch work is carried over and ends later."""

    def test_batch_work_ends_late(self) -> None:
        """10 000 MHz for 100 s beside an equal rival takes 200 s: due at 100, done at 200."""
        guests = [cpu_guest("a", 0), cpu_guest("rival", 0)]
        for guest in guests:
            guest["demand"]["cpu"] = steps((0, 10_000), (100, 0))
            guest["demand"]["kind"] = "batch"
        guests[1]["demand"] = {"cpu": 10_000, "working": 0, "touched": 0}
        player = self.play(plan_of(guests, day_s=400, moment=0))
        (finish,) = player.summary().finishes
        self.assertEqual((finish.guest, finish.due_s, finish.finished_s), ("a", 100, 200))
        self.assertAlmostEqual(finish.work_mhz_s, 1e6)
        self.assertAlmostEqual(guest_of(player.summary(), "rival").fluid_wait, 200 / 800, places=6)
        self.assertEqual(guest_of(player.summary(), "rival").unmet_s, 200)

    def test_batch_work_that_waits_for_pages_wants_more_of_a_processor(self) -> None:
        """800 of 4000 pages are squeezed and 1520 spilled: 300 MHz of work take 10.8 times as much; none is left."""
        guest = memory_guest("a", 4000, 4000, mode="thin", size=4000, limit=2000) | {"vcpus": 10, "agent": False}
        guest["demand"] |= {"cpu": 300, "kind": "batch"}
        player = self.play(plan_of([guest]), until_s=900)
        self.assertAlmostEqual(self.of(player, "a", "wanted"), 300 * 10.8, places=6)
        self.assertEqual(self.of(player, "a", "backlog"), 0)

    def test_a_job_that_never_ends_is_told_as_unfinished(self) -> None:
        """Work that is still behind at the end has no finish."""
        guest = cpu_guest("a", 0, limit=1000)
        guest["demand"] |= {"cpu": steps((0, 5000), (100, 0)), "kind": "batch"}
        (finish,) = self.play(plan_of([guest], day_s=300, moment=0)).summary().finishes
        self.assertEqual((finish.due_s, finish.finished_s, finish.late_s), (100, None, None))

    def test_savings_are_of_the_time_somebody_elastic_is_on(self) -> None:
        """Off for half of the time, with 8 192 otherwise and 2 000 needed: of 8 192 as much is saved, mean and least.

        Over the whole time it would be half of that on average, and more *at least* than there is on average.
        """
        guest = elastic("a", 2000) | {"otherwise_mib": 8192}
        events = [{"at": 600, "do": "power-off", "target": "a"}]
        day = self.play(plan_of([guest], rules=CALM, events=events, day_s=1200), until_s=1200)
        savings = day.summary().savings
        assert savings is not None
        self.assertEqual((savings.on_s, savings.otherwise_mib), (600, 8192))
        self.assertAlmostEqual(savings.mean_mib, 6192, delta=60)
        self.assertAlmostEqual(savings.least_mib, 6192, delta=1)
        self.assertLessEqual(savings.least_mib, savings.mean_mib + 1e-6)
        over = savings_over(day)
        self.assertEqual((over.mean_mib, over.least_mib), (savings.mean_mib, savings.least_mib))
        again = self.play(plan_of([guest | {"power": "off"}], rules=CALM, day_s=1200), until_s=1200)
        self.assertIsNone(again.summary().savings)

    def test_savings_count_ceilings_against_what_is_backed(self) -> None:
        """An elastic guest of ceiling 16 000 at a need of 2000, then 6000: 14 000 and 10 000 are saved."""
        player = self.play(plan_of([elastic("a", steps((0, 2000), (300, 6000)))], rules=CALM), until_s=600)
        savings = player.summary().savings
        assert savings is not None
        self.assertEqual((savings.guests, savings.least_mib), (1, 10_000))
        self.assertAlmostEqual(savings.mean_mib, 12_000, delta=150)
        self.assertEqual(savings.otherwise_mib, 16_000)
