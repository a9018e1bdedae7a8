"""Rules that only show at an edge: what a loss lets go of, when copying ends, who goes first, ties of room."""

from __future__ import annotations

import copy
import unittest

import numpy as np

from ruvex.play import Player
from ruvex.play._log import told_pressures
from ruvex.play.happenings import Boots
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest
from tests.play.site import check
from tests.play.test_moves import MOVE, THERE, plan_with, played, refusals, working

BANK = {"size_mib": 8000, "max_mib": 8000}
FLAT = {"guest_overhead": {"fixed_mib": 0, "per_vcpu_mib": 0, "percent_of_size": 0}}


def reserved(name: str, mib: float, **more: object) -> dict[str, object]:
    """Describe a guest of 8000 MiB that is promised some of it."""
    return working(name, 500) | {"memory": {"mode": "thin", "size": 8000, "reservation": mib}} | more


class Losses(unittest.TestCase):
    """After a loss, and where hosts are down."""

    def test_what_is_kept_for_a_loss_no_longer_counts_after_it(self) -> None:
        """Of 10 000 MiB a host, 45 % set aside: 5000 + 5000 are on after the loss, and 5000 + 5001 are not."""
        down = [{"at": 20, "do": "host-down", "target": "h"}]
        hosts = [host | {"memory_mib": 10_000} for host in (HOST, THERE)]
        for mib, is_back in ((5000, True), (5001, False)):
            guests = [reserved("a", mib), reserved("b", 5000) | {"host": "there"}]
            rules = FLAT | {"set_aside_percent": {"memory": 45}}
            player = played(plan_with(guests, down, hosts=hosts, rules=rules))
            self.assertEqual(bool(player.state.on[0]), is_back, mib)

    def test_a_host_that_is_down_takes_nobody(self) -> None:
        """Who names no host goes to the roomiest that is up, not to the roomier one that is down."""
        guests = [working("a", 500) | {"host": None, "power": "off"}]
        hosts = [HOST | {"memory_mib": 20_000}, THERE | {"memory_mib": 90_000}]
        on = {"at": 30, "do": "power-on", "target": "a"}
        for events, at in (([on], 1), ([{"at": 5, "do": "host-down", "target": "there"}, on], 0)):
            player = played(plan_with(guests, events, hosts=hosts))
            self.assertEqual(player.site.standing.host.tolist(), [at])

    def test_ties_of_room_go_by_cpu_and_then_by_the_plan(self) -> None:
        """With as much memory left the host with more CPU takes it, be it by one MHz; of two alike the first."""
        guests = [working("a", 500) | {"host": None, "power": "off"}]
        on = [{"at": 30, "do": "power-on", "target": "a"}]
        for mhz, at in ((1000, 0), (1001, 1), (999, 0)):
            player = played(plan_with(guests, on, hosts=[HOST, THERE | {"mhz": mhz}]))
            self.assertEqual(player.site.standing.host.tolist(), [at], mhz)

    def test_overhead_counts_at_the_top(self) -> None:
        """Two of 4900 MiB and their overhead: 100 each fill 10 000 to the last MiB, 101 each do not."""
        guests = [cpu_guest(name, 0) | {"host": "h", "memory": {"mode": "fixed", "size": 4900}} for name in "ab"]
        guests[1]["power"] = "off"
        on = [{"at": 30, "do": "power-on", "target": "b"}]
        for overhead, is_on in ((100, True), (101, False)):
            rules = {"guest_overhead": {"fixed_mib": overhead, "per_vcpu_mib": 0, "percent_of_size": 0}}
            player = played(plan_with(guests, on, hosts=[HOST | {"memory_mib": 10_000}], rules=rules))
            self.assertEqual(bool(player.state.on[1]), is_on, overhead)


class Copying(unittest.TestCase):
    """When the rounds of a move end."""

    def test_a_round_that_no_longer_shrinks_ends_it(self) -> None:
        """6000 MiB in 10 s; 10 % of them rewritten a second are all 6000 again: held still for them, 10 s.

        With 9.9 % the second round has 5940 and goes on: twelve rounds, each 0.99 of the one before.
        """
        still = {10: 10.0, 20: 10.0, 9.9: 10 * 0.99**12}
        for percent, copied_s in ((10, 10.0), (20, 10.0), (9.9, sum(10 * 0.99**k for k in range(12)))):
            player = Player(site_of(plan_with([working("a", 6000)], [MOVE], rules={
                "moving": {"rewrite_percent_s": percent}}), {}), watch=check)  # fmt: skip
            player.run()
            (move,) = player.summary().moves
            self.assertAlmostEqual(move.took_s - move.held_still_s, copied_s, places=6)
            self.assertAlmostEqual(move.held_still_s, still[percent], places=6, msg="no more than it works with")

    def test_it_arrives_only_where_its_memory_is_to_be_had(self) -> None:
        """On its way it grows from 6000 to 7900 MiB, and 7000 are free there: held still until a neighbour is off."""
        grows = {"kind": "steps", "at": [[0, 6000], [12, 7900]]}
        guest = working("a", 6000)
        guest["demand"] |= {"working": grows, "touched": grows}
        near = cpu_guest("near", 0) | {"host": "there", "memory": {"mode": "fixed", "size": 3000}}
        off = {"at": 100, "do": "power-off", "target": "near"}
        hosts = [HOST, THERE | {"memory_mib": 10_000}]
        player = played(plan_with([guest, near], [MOVE, off], hosts=hosts, rules=FLAT))
        (move,) = player.summary().moves
        self.assertTrue(89 <= move.took_s <= 97, move.took_s)
        self.assertAlmostEqual(move.held_still_s, move.took_s - 13.5, delta=0.2)

    def test_it_needs_its_overhead_over_there_too(self) -> None:
        """6000 MiB and 100 of overhead find 6100 there, and not 6099."""
        rules = {"guest_overhead": {"fixed_mib": 100, "per_vcpu_mib": 0, "percent_of_size": 0}}
        for mib, moves in ((6100, 1), (6099, 0)):
            hosts = [HOST, THERE | {"memory_mib": mib}]
            player = played(plan_with([working("a", 6000)], [MOVE], hosts=hosts, rules=rules))
            self.assertEqual(len(player.summary().moves), moves, mib)

    def test_who_boots_does_not_move(self) -> None:
        """It is asked to at once after its start, and once more when it runs."""
        guest = working("a", 500) | {"power": "off", "boot_s": 20}
        events = [{"at": 5, "do": "power-on", "target": "a"}, MOVE, MOVE | {"at": 60}]
        player = played(plan_with([guest], events))
        self.assertIn("a has not booted yet", refusals(player))
        self.assertEqual([move.at_s for move in player.summary().moves], [60])

    def test_what_moves_from_a_host_that_is_lost_is_lost(self) -> None:
        """The copy ends with the host; 43 s later the guest starts anew over there."""
        player = Player(site_of(plan_with([working("a", 6000)], [
            MOVE, {"at": 15, "do": "host-down", "target": "h"}]), {}), watch=check)  # fmt: skip
        player.run(16)
        self.assertEqual((player.moves.under_way, player.state.on.tolist()), ([], [False]))
        player.run()
        self.assertEqual(player.summary().moves, ())
        self.assertEqual(player.site.standing.host.tolist(), [1])

    def test_copied_with_a_notice_and_a_move_under_way(self) -> None:
        """A player that is copied between a loss and its notice, while another guest is copied, goes on to the same."""
        hosts = [HOST, THERE, HOST | {"id": "third"}]
        guests = [working("a", 6000), working("b", 500) | {"host": "third"}]
        plan = plan_with(guests, [MOVE, {"at": 12, "do": "host-down", "target": "third"}], hosts=hosts)
        whole, half = (Player(site_of(plan, {}), record_s=1) for _ in range(2))
        whole.run()
        half.run(15)
        self.assertEqual((len(half.moves.under_way), half.state.on.tolist()), (1, [True, False]))
        other = copy.copy(half) if not hasattr(half, "copy") else half.copy()
        half.run()
        other.run()
        for one in (half, other):
            np.testing.assert_array_equal(one.state.values, whole.state.values)
            self.assertEqual(one.summary(), whole.summary())


class Restarts(unittest.TestCase):
    """A restart is another thing than a start."""

    def test_it_keeps_its_spill_volume(self) -> None:
        """Of two volumes that would do it has the smaller; after another guest freed the smallest it keeps its own."""
        volumes = [{"id": "small", "mib": 3000}, {"id": "middle", "mib": 3500}]
        guests = [working(name, 500) | {"memory": {"mode": "thin", "size": 3000, "bank": True}} for name in ("a", "b")]
        events = [{"at": 20, "do": "power-off", "target": "a"}, {"at": 40, "do": "restart", "target": "b"}]
        hosts = [HOST | {"bank": BANK | {"spill_volumes": volumes}}]
        player = played(plan_with(guests, events, hosts=hosts))
        self.assertEqual(player.state.volumes, {("h", "middle"): "b"})

    def test_a_bridge_leaves_its_floor_to_memory(self) -> None:
        """2000 are its floor and 1000 are left beside a neighbour: disk stands in for 4000 of its 6000, not 5000."""
        elastic = {"mode": "elastic", "floor": 2000, "boot": 6000, "ceiling": 8000}
        guests = [
            cpu_guest("a", 0) | {"host": "h", "memory": elastic},
            cpu_guest("b", 0) | {"host": "h", "memory": {"mode": "fixed", "size": 9000}},
        ]
        restart = {"at": 20, "do": "restart", "target": "a"}
        for mib, is_on in ((10_000, False), (11_000, True)):
            player = played(plan_with(guests, [restart], hosts=[HOST | {"memory_mib": mib}], rules=FLAT))
            self.assertEqual(bool(player.state.on[0]), is_on, mib)

    def test_it_goes_before_a_start(self) -> None:
        """Both ask in the same second, and the start was asked for first: only one of 6000 finds its memory at once."""

        def fixed(name: str, mib: float, **more: object) -> dict[str, object]:
            return cpu_guest(name, 0) | {"host": "h", "memory": {"mode": "fixed", "size": mib}} | more

        guests = [fixed("a", 6000), fixed("b", 6000, power="off")]
        events = [{"at": 20, "do": "power-on", "target": "b"}, {"at": 20, "do": "restart", "target": "a"}]
        player = played(plan_with(guests, events, hosts=[HOST | {"memory_mib": 10_000}], rules=FLAT))
        starts = [entry.target for entry in player.log if isinstance(entry.what, Boots)]
        self.assertEqual(starts, ["a"])
        self.assertEqual(player.state.on.tolist(), [True, False])


class Pressures(unittest.TestCase):
    """Which changes of pressure are told."""

    def test_a_fall_is_told_once_it_has_lasted(self) -> None:
        """Short at 10 s, ample again from 15 s on: told when it has been calm for 150 s, and not a second before."""
        noted = [(10.0, 1), (15.0, 0)]
        self.assertEqual(list(told_pressures(noted, 164.9)), [(10.0, 1, 0)])
        self.assertEqual(list(told_pressures(noted, 165.0)), [(10.0, 1, 0), (15.0, 0, 1)])
