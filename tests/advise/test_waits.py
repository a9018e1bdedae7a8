"""Waits by chance over a played day, put together from the play and the closed form."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np

from ruvex.advise import day_waits
from ruvex.cores import waits_of
from ruvex.play import Player, division_at
from ruvex.site import site_of
from tests.builders import plan_of
from tests.cores.host import MHZ, guest

HOUR = 3600
ONE = {"id": "one", "sockets": 1, "cores_per_socket": 2, "threads_per_core": 1, "mhz": MHZ, "memory_mib": 9000}


def played(hosts: list[dict[str, Any]], guests: list[dict[str, Any]], **more: Any) -> Player:
    """Play four hours of a plan to their end, a row a minute."""
    player = Player(site_of(plan_of(hosts=hosts, guests=guests, day_s=4 * HOUR, **more), {}), record_s=60)
    player.run()
    return player


class OverTheDay(unittest.TestCase):
    """What a day says of waits by chance is what each of its moments says."""

    def test_each_moment_waits_as_its_division_says_and_a_move_or_a_start_is_seen(self) -> None:
        """At every time the waits are those of the division that was played then."""
        guests = [
            guest("a", 2, 0.5, host="one"), guest("b", 2, 0.6, host="one"), guest("c", 2, 0.4, host="two"),
            guest("late", 2, 0.7, host="two", power="off"),
        ]  # fmt: skip
        events = [
            {"at": HOUR, "do": "power-on", "target": "late"},
            {"at": 2 * HOUR, "do": "move", "target": "b", "host": "two"},
            {"at": 3 * HOUR, "do": "set", "target": "c", "change": {"cpu.shares": 700}},
        ]
        player = played([ONE, ONE | {"id": "two"}], guests, events=events)
        waits, index = day_waits(player), player.recording.guest_index
        for hour in (0.5, 1.5, 2.5, 3.5):
            row = player.recording.row_at(hour * HOUR)
            division = division_at(player, hour * HOUR)
            assert division is not None
            np.testing.assert_allclose(waits.at_row(row), waits_of(division).by_chance[0], atol=1e-6)
        rows = [player.recording.row_at(hour * HOUR) for hour in (0.5, 1.5, 2.5)]
        late, a = (waits.series(index[name], np.array(rows)).tolist() for name in ("late", "a"))
        self.assertEqual(late[0], 0.0, "who is off waits for nothing")
        self.assertGreater(late[1], 0.01)
        self.assertGreater(a[0], 0.01)
        self.assertEqual(a[2], 0.0, "its host's two threads are its own after the other has gone")

    def test_the_day_of_a_guest_is_the_mean_of_its_moments_weighed_by_what_it_wants(self) -> None:
        """As fluid wait is: a busy hour counts for more than a quiet one."""
        steps = {"kind": "steps", "at": [[0, 400.0], [2 * HOUR, 1200.0]]}
        busy = guest("b", 2, 0.5)
        busy["demand"]["cpu"] = steps
        player = played([ONE], [guest("a", 2, 0.3), busy])
        waits, index = day_waits(player), player.recording.guest_index["b"]
        wanted = player.recording.series("cpu_wanted")[index, waits.rows].astype(float)
        by_hand = sum(w * c for w, c in zip(wanted, waits.chance[index], strict=True)) / sum(wanted)
        self.assertAlmostEqual(float(waits.of_guests[index]), by_hand, places=9)
        early, late = waits.series(index, np.array([60, 200]))
        self.assertGreater(late, early)

    def test_nothing_played_or_no_host_is_no_wait(self) -> None:
        """Nothing recorded, or no host: zeros."""
        unplayed = Player(site_of(plan_of(hosts=[ONE], guests=[guest("a")], day_s=HOUR), {}), record_s=np.inf)
        self.assertEqual(day_waits(unplayed).of_guests.tolist(), [0.0])
        nowhere = played([], [guest("a", power="off")])
        self.assertEqual(day_waits(nowhere).of_guests.tolist(), [0.0])
