"""The engine against slow, plain simulations of single rules, written from section 7 of the model."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from hypothesis import example, given, settings
from hypothesis import strategies as st

from ruvex.plan import plan_from
from ruvex.play import Player
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, plan_of
from tests.play.site import PlayCase
from tests.play.test_memory import CALM, elastic
from tests.thorough import many

Steps = Sequence[tuple[int, float]]


def level(steps: Steps, second: int) -> float:
    """Give what a demand that jumps is in a second; before its first step holds the last one."""
    found = steps[-1][1]
    for at, value in steps:
        if at <= second:
            found = value
    return found


@st.composite
def jumps(draw: st.DrawFn, values: st.SearchStrategy[float], end: int) -> list[tuple[int, float]]:
    """Draw a demand that jumps a few times until an end."""
    times = sorted({0, *draw(st.lists(st.integers(1, end - 1), max_size=4))})
    return [(time, draw(values)) for time in times]


def as_signal(steps: Steps) -> dict[str, Any]:
    """Write a demand as a plan has it."""
    return {"kind": "steps", "at": [list(step) for step in steps]}


@dataclass
class SlowElastic:
    """One elastic guest with memory to spare, second by second."""

    floor: float
    ceiling: float
    headroom: float
    grow: float
    shrink: float
    step: int
    settle: int
    backed: float = 0.0
    visible: float = 0.0
    low_since: int | None = None

    def need(self, working: float) -> float:
        """Give what it is to have."""
        return min(max(working * (1 + self.headroom), self.floor), self.ceiling)

    def second(self, now: int, working: float) -> None:
        """Let one second pass; the controllers look in each, and nobody is pressed for memory."""
        need = self.need(working)
        if need >= self.backed:
            self.low_since = None
            self.backed = min(need, self.backed + self.grow)
        else:
            self.low_since = now if self.low_since is None else self.low_since
            if now - self.low_since >= self.settle and now % self.step == 0:
                self.backed = max(need, self.backed - self.shrink * self.step)
        self.visible = max(self.visible, self.backed)


def slow_shares(wants: Sequence[float], weights: Sequence[float], supply: float) -> list[float]:
    """Divide by weight, none getting more than it wants, by taking out whoever has enough, again and again."""
    given, open_ = [0.0] * len(wants), set(range(len(wants)))
    left = supply
    while open_:
        each = left / sum(weights[i] for i in open_)
        full = {i for i in open_ if wants[i] <= each * weights[i]}
        if not full:
            for i in open_:
                given[i] = each * weights[i]
            break
        for i in full:
            given[i] = wants[i]
            left -= wants[i]
        open_ -= full
    return given


class Slow(PlayCase):
    """Each rule by itself."""

    @given(
        jumps(st.floats(100, 9000), 300), st.sampled_from([50.0, 333.0, 4000.0]), st.sampled_from([3.0, 40.0]),
        st.sampled_from([1, 7, 30]), st.sampled_from([0, 5, 60]),
    )  # fmt: skip
    @example([(0, 3374.0), (98, 100.0), (104, 3369.0), (118, 100.0)], 50.0, 3.0, 1, 5)
    @settings(max_examples=many(25))
    def test_elastic_guest(self, steps: Steps, grow: float, shrink: float, step: int, settle: int) -> None:
        """Backed and visible of every second are those of the plain simulation."""
        slow = SlowElastic(500, 8000, 0.2, grow, shrink, step, settle)
        # The day begins at rest.
        slow.backed = slow.need(level(steps, 0))
        slow.visible = max(2000.0, slow.backed)
        rules = CALM | {
            "memory_every_s": 1,
            "elastic": {"grow_mib_s": grow, "shrink_mib_s": shrink, "shrink_step_s": step, "settle_s": settle},
        }  # fmt: skip
        guest = elastic("a", as_signal(steps), boot=2000, floor=500, ceiling=8000, headroom_percent=20)
        player = self.play(plan_of([guest], rules=rules), until_s=300, record_s=1)
        backed, visible = (self.series(player, "a", name) for name in ("backed", "visible"))
        for now in range(1, 300):
            slow.second(now, level(steps, now))
            self.assertAlmostEqual(float(backed[now]), slow.backed, delta=1e-3, msg=f"backed at {now}")
            self.assertAlmostEqual(float(visible[now]), slow.visible, delta=1e-3, msg=f"visible at {now}")

    @given(
        st.lists(jumps(st.sampled_from([0.0, 500.0, 2500.0, 6000.0]), 200), min_size=1, max_size=4),
        st.lists(st.sampled_from([50.0, 100.0, 400.0]), min_size=4, max_size=4),
    )
    @settings(max_examples=many(20))
    def test_batch_work_is_a_queue(self, demands: list[Steps], weights: list[float]) -> None:
        """What each batch guest has done by every second is what a plain queue of its work has."""
        guests = [cpu_guest(f"g{i}", 0, vcpus=5, shares=weights[i]) for i in range(len(demands))]
        for guest, steps in zip(guests, demands, strict=True):
            guest["demand"] |= {"cpu": as_signal(steps), "kind": "batch"}
        player = Player(site_of(plan_of(guests, moment=0, day_s=400), {}), record_s=1)
        player.run()
        behind, catches_up, before = [0.0] * len(guests), [False] * len(guests), [-1.0] * len(guests)
        for now in range(400):
            asked = [min(level(steps, now), 1e12) for steps in demands]
            # That work has fallen behind is noticed where a demand changes, and once a minute; the end of it at once.
            is_read, before = now % 60 == 0 or asked != before, asked
            catches_up = [left > 0 and (is_read or was) for left, was in zip(behind, catches_up, strict=True)]
            wants = [5000.0 if late else min(ask, 5000.0) for ask, late in zip(asked, catches_up, strict=True)]
            given_ = slow_shares(wants, weights[: len(guests)], 10_000.0)
            for i, guest in enumerate(guests):
                found = float(self.series(player, guest["id"], "cpu_delivered")[now])
                self.assertAlmostEqual(found, given_[i], delta=0.01, msg=f"{guest['id']} at {now}")
                left = behind[i] + asked[i] - given_[i]
                behind[i] = left if left > 1e-6 * max(asked[i], 1.0) else 0.0
        for i, guest in enumerate(guests):
            self.assertAlmostEqual(self.of(player, guest["id"], "backlog"), behind[i], delta=1 + 1e-6 * behind[i])

    def test_finishes_are_first_in_first_out(self) -> None:
        """Two jobs of 5000 MHz for 40 s on 4000 MHz: 200 000 each, so due at 40 and 140, done at 50 and 150."""
        guest = cpu_guest("a", 0, vcpus=4)
        guest["demand"] |= {"cpu": as_signal([(0, 5000), (40, 0), (100, 5000), (140, 0)]), "kind": "batch"}
        player = self.play(plan_of([guest], moment=0, day_s=300))
        found = [(f.due_s, f.finished_s, f.work_mhz_s) for f in player.summary().finishes]
        self.assertEqual(found, [(40, 50, 200_000), (140, 150, 200_000)])
        # Without a pause between them the second waits for the first.
        guest["demand"]["cpu"] = as_signal([(0, 5000), (40, 0), (42, 5000), (82, 0)])
        player = self.play(plan_of([guest], moment=0, day_s=300))
        self.assertEqual([(f.due_s, f.finished_s) for f in player.summary().finishes], [(40, 50), (82, 100)])

    def test_pace_slows_batch_work(self) -> None:
        """Work that waits for its pages takes longer: half the pace, twice the time."""
        guest = cpu_guest("a", 0, vcpus=1)
        guest["demand"] |= {"cpu": as_signal([(0, 1000), (100, 0)]), "kind": "batch", "working": 1000, "touched": 0}
        # A twenty-fifth of the working set on an ssd of cost 25: pace 1/2.
        guest["memory"] = {"mode": "fixed", "size": 960}
        player = self.play(plan_of([guest], moment=0, day_s=400))
        (finish,) = player.summary().finishes
        self.assertEqual((finish.due_s, finish.finished_s), (100, 200))
        self.assertAlmostEqual(self.of(player, "a", "pace"), 0.5)


class Demands(PlayCase):
    """Signals as they are read from tick to tick."""

    @given(
        st.integers(1, 90), st.integers(0, 60), jumps(st.floats(0, 5000), 600),
        st.lists(st.tuples(st.integers(0, 500), st.integers(1, 200), st.sampled_from([0.0, 0.5, 3.0])), max_size=4),
    )  # fmt: skip
    @settings(max_examples=many(50))
    def test_reading(self, every: int, length: int, steps: Steps, surges: list[tuple[int, int, float]]) -> None:
        """Jumps act in their tick, and surges multiply, whichever ticks are passed over."""
        guest = cpu_guest("a", 0)
        guest["demand"] = {
            "cpu": {"kind": "bursts", "base": 100, "high": 900, "every_s": every, "for_s": length},
            "working": as_signal(steps),
            "touched": 0,
        }
        events = [
            {"at": start, "do": "surge", "target": "a", "factor": by, "for_s": span} for start, span, by in surges
        ]
        site = site_of(plan_of([guest], moment=0, day_s=600, events=events), {})
        player = Player(site, record_s=1)
        player.run()
        wanted, working = (self.series(player, "a", name) for name in ("cpu_wanted", "working"))
        for tick in range(600):
            factor = math.prod(by for start, span, by in surges if start <= tick < start + span)
            bank = site.signals.at(float(tick))
            self.assertAlmostEqual(float(wanted[tick]), min(10_000, float(bank[0, 0]) * factor), delta=1e-2)
            # The working set is followed when the controllers look, every five seconds.
            looked = max(0, tick // 5 * 5)
            if looked:
                factor = math.prod(by for start, span, by in surges if start <= looked < start + span)
                expected = float(site.signals.at(float(looked))[1, 0]) * factor
                self.assertAlmostEqual(float(working[tick]), expected, delta=1e-5 * expected + 1e-2)

    def test_longer_ticks_keep_their_times(self) -> None:
        """With ticks of 7 s a burst from 20 s on is seen at 21 s, and a look every 5 s is one a tick."""
        guest = elastic("a", as_signal([(0, 2000), (20, 4000)]))
        player = self.play(plan_of([guest], tick_s=7, rules=CALM), until_s=70, record_s=7)
        self.assertEqual([float(v) for v in self.series(player, "a", "working")[:5]], [2000, 2000, 2000, 4000, 4000])
        # 192 MiB a second: one look of 7 s brings 1344 of the 2000, the next the rest.
        self.assertEqual([float(v) for v in self.series(player, "a", "backed")[2:6]], [2000, 3344, 4000, 4000])


class Recorded(PlayCase):
    """What is kept of a play."""

    def test_rows_hold_what_was_then(self) -> None:
        """Rows of any distance are those of the finest recording at their times; the last one is the end."""
        guests = [elastic("a", as_signal([(0, 2000), (333, 5000)])), cpu_guest("b", 0)]
        guests[1]["demand"]["cpu"] = {"kind": "bursts", "base": 10, "high": 700, "every_s": 37, "for_s": 11}
        plan = plan_of(guests, moment=0, day_s=1000)
        fine = self.play(plan, record_s=1).recording
        for every in (1, 10, 130):
            coarse = self.play(plan, record_s=every).recording
            self.assertEqual(coarse.rows, math.floor(1000 / every) + 1)
            for name in ("cpu_wanted", "backed", "working", "pace", "phase"):
                rows = [min(int(time), 999) for time in coarse.times_s.tolist()]
                np.testing.assert_array_equal(coarse.series(name), fine.series(name)[:, rows], err_msg=name)
            self.assertEqual([coarse.row_at(time) for time in (-5, 0, every, 1e9)], [0, 0, 1, coarse.rows - 1])

    def test_a_part_can_be_read_while_it_goes_on(self) -> None:
        """After any piece the rows so far are those of the whole."""
        plan = plan_of([elastic("a", as_signal([(0, 2000), (333, 5000)]))], moment=0, day_s=3600)
        whole = self.play(plan).recording
        player = Player(site_of(plan, {}))
        for end in (40, 41, 399, 1300, 2570, 3600):
            player.run(end)
            rows = player.recording.rows
            self.assertGreaterEqual(rows, end // 10)
            backed = player.recording.series("backed")
            np.testing.assert_array_equal(backed, whole.series("backed")[:, :rows])

    def test_a_longer_day_is_recorded_more_coarsely(self) -> None:
        """Three days make no more rows than one."""
        data = plan_of([cpu_guest("a", 10)], host=HOST).model_dump(mode="json") | {"day_s": 3 * 86_400}
        player = Player(site_of(plan_from(data), {}))
        player.run()
        self.assertEqual((player.recording.every_s, player.recording.rows), (30, 8641))
        crowd = Player(site_of(plan_of([cpu_guest(f"g{i}", 1) for i in range(5000)]), {}))
        self.assertEqual(crowd.recording.times_s.size, 601)
