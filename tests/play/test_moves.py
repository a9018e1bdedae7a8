"""Guests that move between hosts, and hosts that are lost and come back."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from ruvex.exchange import write_series
from ruvex.plan import Plan, plan_from
from ruvex.play import Player, Summary
from ruvex.play.happenings import Boots
from ruvex.site import site_of
from ruvex.words import entry_text, summary_facts
from tests.builders import HOST, PLAIN, cpu_guest
from tests.play.site import check

THERE = HOST | {"id": "there"}


def working(guest_id: str, mib: float, **more: Any) -> dict[str, Any]:
    """Describe a thin guest of 8000 MiB on the first host that works with all it has touched, and reserves nothing."""
    guest = cpu_guest(guest_id, 900, vcpus=2) | {"host": "h", "memory": {"mode": "thin", "size": 8000}}
    guest["demand"] |= {"working": mib, "touched": mib}
    return guest | more


def plan_with(guests: list[dict[str, Any]], events: list[dict[str, Any]], **rest: Any) -> Plan:
    """Build a plan of two alike hosts, or of those that are given, with events."""
    data = {"format": "ruvex-plan", "version": 1, "hosts": [HOST, THERE], "guests": guests, "day_s": 300, "moment": 0}
    return plan_from(data | {"events": events} | rest | {"rules": PLAIN | rest.get("rules", {})})


def played(plan: Plan, until_s: float | None = None) -> Player:
    """Play a plan, its invariants checked after every tick."""
    player = Player(site_of(plan, {}), watch=check, record_s=1)
    player.run(until_s)
    return player


def refusals(player: Player) -> str:
    """Give what was refused, in words."""
    return "\n".join(entry_text(entry, player.site.plan) for entry in player.log if entry.kind == "refused")


MOVE = {"at": 10, "do": "move", "target": "a", "host": "there"}


class MovingWhileOn(unittest.TestCase):
    """Rounds, what they cost, and what forbids them."""

    def test_rounds_by_hand(self) -> None:
        """6000 MiB at 600 a second, 2 % rewritten: 10 s, then 1200 in 2 s, 240 in 0.4 s, 48 held still for 0.08 s."""
        player = played(plan_with([working("a", 6000)], [MOVE]))
        (move,) = player.summary().moves
        self.assertEqual((move.guest, move.source, move.target, move.at_s), ("a", "h", "there", 10))
        self.assertAlmostEqual(move.took_s, 10 + 2 + 0.4 + 0.08)
        self.assertAlmostEqual(move.held_still_s, 0.08)
        self.assertEqual(player.site.standing.host.tolist(), [1])
        # Only the tick in which it is held still takes from its work, and both hosts pay while it copies.
        wanted = player.recording.of_places("cpu_delivered")
        self.assertAlmostEqual(float(wanted[0, 5]), 900)
        self.assertAlmostEqual(float(wanted[0, 40]), 0)
        self.assertAlmostEqual(float(wanted[1, 40]), 900)
        supply = player.recording.of_places("cpu_supply")
        self.assertEqual([round(float(supply[host, 15])) for host in (0, 1)], [9700, 9700])
        self.assertEqual([round(float(supply[host, 40])) for host in (0, 1)], [10_000, 10_000])

    def test_it_goes_over_the_links_of_both_hosts(self) -> None:
        """Links of 100 and 130 MiB/s: 90 for the move, a tenth stays for others.

        900 MiB take 10 s, 180 MiB 2 s, and the last 36, under 1 % of its size, are moved while it is held still. What
        another guest's traffic lacks meanwhile is counted, and written with the series.
        """
        hosts = [host | {"links": [{"id": "a", "mib_s": mib_s}]} for host, mib_s in ((HOST, 100), (THERE, 130))]
        other = working("b", 10)
        other["demand"] |= {"net_mib_s": 95}
        player = played(plan_with([working("a", 900), other], [MOVE], hosts=hosts))
        (move,) = player.summary().moves
        self.assertAlmostEqual(move.took_s, 10 + 2 + 0.4)
        self.assertAlmostEqual(move.held_still_s, 0.4)
        series = player.recording
        self.assertEqual(series.flow_ids, ("h:link", "there:link"))
        for at_s, taken, traffic in ((5, 0, 95), (15, 90, 10), (30, 0, 95)):
            row = series.row_at(at_s)
            np.testing.assert_allclose(series.of_flows("taken")[:, row], [taken, taken], rtol=1e-6)
            self.assertAlmostEqual(float(series.series("net_delivered_mib_s")[1, row]), traffic, places=4)
        (summary,) = (one for one in player.summary().guests if one.id == "b")
        self.assertTrue(12 <= summary.slowed_s <= 14, summary.slowed_s)
        self.assertAlmostEqual(summary.net_wait, 85 * summary.slowed_s / (95 * summary.on_s), delta=0.003)
        self.assertIn("Slowed by disks or network: b 1", "\n".join(summary_facts(player.summary(), player.site.plan)))
        with tempfile.TemporaryDirectory() as folder:
            write_series(series, Path(folder) / "s.csv")
            lines = (Path(folder) / "s.csv").read_text(encoding="utf-8").splitlines()
        self.assertIn("0,h:link,,supply,100", lines)
        self.assertIn("0,,b,net_delivered_mib_s,95", lines)

    def test_two_at_once_share_the_rate(self) -> None:
        """Two moves from one host copy at half the rate each."""
        guests = [working("a", 6000), working("b", 6000)]
        player = played(plan_with(guests, [MOVE, MOVE | {"target": "b"}]))
        first, second = player.summary().moves
        # A round of twice the time leaves twice as much: 6000 in 20 s, 2400 in 8, 960 in 3.2, 384 in 1.28, ...
        self.assertGreater(first.took_s, 30)
        self.assertAlmostEqual(first.took_s, second.took_s, delta=1)

    def test_it_claims_on_both_hosts_until_it_is_there(self) -> None:
        """What the guest has promised is free on the old host only after the move, and taken on the new one before."""
        guests = [working("a", 6000), cpu_guest("b", 0, reservation=5000) | {"host": "h", "power": "off"}]
        guests[0]["cpu"] = {"reservation": 2000}
        guests.append(cpu_guest("c", 0, reservation=9000) | {"host": "there", "power": "off"})
        guests.append(cpu_guest("d", 0, reservation=4000) | {"host": "h"})
        events = [
            MOVE, {"at": 15, "do": "power-on", "target": "b"}, {"at": 17, "do": "power-on", "target": "c"},
            {"at": 60, "do": "power-on", "target": "b"},
        ]  # fmt: skip
        player = played(plan_with(guests, events))
        told = [(entry.at_s, entry.kind, entry.target) for entry in player.log if entry.target in ("b", "c")]
        self.assertIn((15, "refused", "b"), told)
        self.assertIn((17, "refused", "c"), told)
        self.assertTrue(any(at >= 60 and kind == "start" and who == "b" for at, kind, who in told), told)

    def test_what_it_needs_over_there_is_kept_for_it(self) -> None:
        """A neighbour there that grows to all of the host leaves what the guest on its way needs: it is in time."""
        guests = [working("a", 6000), working("b", 1000) | {"host": "there"}]
        steps = {"kind": "steps", "at": [[0, 1000], [12, 9500]]}
        guests[1]["memory"] = {"mode": "thin", "size": 9500}
        guests[1]["demand"] |= {"working": steps, "touched": steps}
        player = played(plan_with(guests, [MOVE], hosts=[HOST, THERE | {"memory_mib": 10_000}]))
        (move,) = player.summary().moves
        self.assertAlmostEqual(move.took_s, 10 + 2 + 0.4 + 0.08)

    def test_what_forbids_a_move(self) -> None:
        """Maker, level, memory, promises, rules, cores of its own, a bank, a host that is down: each in words."""
        bank = {"size_mib": 4000, "max_mib": 4000, "spill_volumes": [{"id": "v", "mib": 9000}]}
        cases: list[tuple[dict[str, Any], dict[str, Any], dict[str, Any], str]] = [
            ({}, {"cpu_maker": "x"}, {}, "processors of another maker"),
            ({"cpu_level": 3}, {"cpu_level": 2}, {}, "of a lower level than the programs of a see"),
            ({}, {"memory_mib": 2000}, {}, "of memory cannot be found on there now"),
            (
                {},
                {"cores_per_socket": 1},
                {"cpu": {"reservation": 1500}},
                "short of CPU that its guests can be promised by 500",
            ),
            ({}, {"up": False}, {}, "there is down"),
            ({}, {}, {"dedicated_cores": True}, "cores of its own, so it moves only while off"),
            ({"bank": bank}, {}, {"memory": {"mode": "thin", "size": 3000, "bank": True}}, "lives in a bank"),
        ]
        for here, there, guest, words in cases:
            with self.subTest(words):
                plan = plan_with([working("a", 2900) | guest], [MOVE], hosts=[HOST | here, THERE | there])
                player = played(plan)
                self.assertEqual(player.summary().moves, ())
                self.assertIn("a does not move to there", refusals(player))
                self.assertIn(words, refusals(player))
        apart = [{"kind": "apart", "guests": ["a", "b"]}]
        guests = [working("a", 2900), working("b", 100) | {"host": "there"}]
        self.assertIn("does not move", refusals(played(plan_with(guests, [MOVE], placement=apart))))

    def test_what_is_off_moves_at_once(self) -> None:
        """A guest that is off is on the other host from then on, maker and level aside."""
        guest = working("a", 2900) | {"power": "off"}
        events = [MOVE, {"at": 20, "do": "power-on", "target": "a"}]
        player = played(plan_with([guest], events, hosts=[HOST, THERE | {"cpu_maker": "x", "cpu_level": 0}]))
        self.assertEqual((player.site.standing.host.tolist(), refusals(player)), ([1], ""))
        self.assertTrue(player.state.on[0])


class LostHosts(unittest.TestCase):
    """What is on a lost host is off, and comes back elsewhere."""

    def summary_of(self, player: Player) -> Summary:
        """Give the summary, after checking that the day is over."""
        self.assertTrue(player.is_over)
        return player.summary()

    def test_they_come_back_in_order_after_the_notice(self) -> None:
        """43 s after the loss those that come back boot where there is room; one stays off; the host returns empty."""
        guests = [
            working("a", 500, comes_back=2), working("b", 500, comes_back="stays-off"), working("c", 500, comes_back=1),
            working("d", 500) | {"host": "there"},
        ]  # fmt: skip
        events = [{"at": 20, "do": "host-down", "target": "h"}, {"at": 200, "do": "host-up", "target": "h"}]
        player = Player(site_of(plan_with(guests, events), {}), watch=check, record_s=1)
        player.run(21)
        self.assertEqual(player.state.on.tolist(), [False, False, False, True])
        self.assertEqual(player.site.hosts[:, 0].any(), True)
        supply = player.recording.of_places("cpu_supply")[:, -1]
        self.assertEqual([round(float(value)) for value in supply], [0, 10_000])
        player.run(62)
        self.assertEqual(player.state.on.tolist(), [False, False, False, True])
        player.run()
        starts = [entry for entry in player.log if entry.kind == "start" and isinstance(entry.what, Boots)]
        self.assertEqual([(entry.at_s, entry.target) for entry in starts], [(63, "c"), (63, "a")])
        self.assertEqual(player.state.on.tolist(), [True, False, True, True])
        self.assertEqual(player.site.standing.host.tolist()[0::2], [1, 1])
        self.assertTrue(bool(player.state.up[0]), "it is up again")
        self.summary_of(player)

    def test_who_finds_no_room_waits_for_a_host(self) -> None:
        """What does not fit beside the others stays queued, and starts when its host is up again."""
        guests = [working("a", 500), working("b", 500) | {"host": "there"}]
        for guest in guests:
            guest["cpu"] = {"reservation": 900}
        hosts = [HOST | {"cores_per_socket": 1}, THERE | {"cores_per_socket": 1}]
        for guest in guests:
            guest["vcpus"] = 1
        events = [{"at": 20, "do": "host-down", "target": "h"}, {"at": 200, "do": "host-up", "target": "h"}]
        player = Player(site_of(plan_with(guests, events, hosts=hosts), {}), watch=check, record_s=1)
        player.run(199)
        self.assertEqual(player.state.on.tolist(), [False, True])
        player.run()
        self.assertEqual(player.state.on.tolist(), [True, True])
        self.assertEqual(player.site.standing.host.tolist(), [0, 1])
