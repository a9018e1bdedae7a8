"""A player that is copied, pickled, not recorded, or read in between."""

from __future__ import annotations

import copy
import math
import pickle
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from ruvex.plan import read_plan
from ruvex.play import Player
from ruvex.site import site_of

STORY = Path(__file__).resolve().parents[2] / "demo" / "stories" / "7-lost-host.ruvex.json"


def story_player(**settings: Any) -> Player:
    """Give a player of a story in which starts wait, a host goes down and guests come back."""
    file = read_plan(STORY)
    return Player(site_of(file.plan, file.traces), **settings)


class Copies(unittest.TestCase):
    """What plays on by itself comes to the same bits."""

    def assert_same(self, one: Player, other: Player) -> None:
        """Both have the same recording, summary and state, to the bit."""
        for name, values in one.recording.arrays().items():
            np.testing.assert_array_equal(values, other.recording.arrays()[name], err_msg=name)
        self.assertEqual(one.summary(), other.summary())
        np.testing.assert_array_equal(one.state.values, other.state.values)
        np.testing.assert_array_equal(one.state.codes, other.state.codes)

    def test_copied_and_pickled_at_any_time(self) -> None:
        """Wherever in the day: the copy, the pickled one and the first one end alike, and do not touch each other."""
        whole = story_player()
        whole.run()
        for part in (0.0, 0.13, 0.41, 0.415, 0.42, 0.77):
            player = story_player()
            player.run(part * whole.now_s)
            others = [player.copy(), copy.deepcopy(player), pickle.loads(pickle.dumps(player))]
            before = player.state.values.copy()
            for other in others:
                other.run()
                self.assert_same(whole, other)
            np.testing.assert_array_equal(player.state.values, before)
            player.run()
            self.assert_same(whole, player)

    def test_recording_left_out_or_thinned(self) -> None:
        """What is recorded changes nothing of what is played; left out there are no rows, thinned every sixth."""
        whole, none, few = story_player(), story_player(record_s=math.inf), story_player(record_s=60.0)
        for player in (whole, none, few):
            player.run()
        self.assertEqual(whole.summary(), none.summary())
        self.assertEqual(none.recording.rows, 0)
        for channel in ("backed", "cpu_delivered", "phase", "pace"):
            np.testing.assert_array_equal(few.recording.series(channel), whole.recording.series(channel)[:, ::6])

    def test_every_step_leaves_its_rows_readable(self) -> None:
        """After each step the rows up to now hold what the state was, none of them a guest that is off."""
        player = story_player(record_s=1.0)
        while not player.is_over:
            begun = player.tick
            player.step()
            self.assertGreaterEqual(player.recording.rows, player.tick)
            phases = player.recording.series("phase")[:, begun:]
            np.testing.assert_array_equal(phases, np.repeat(player.state.phase[:, None], phases.shape[1], axis=1))
            backed = player.recording.series("backed")[:, -1]
            np.testing.assert_allclose(backed, player.state.backed, rtol=1e-6)
