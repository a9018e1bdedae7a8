"""Demand over the day: each form by hand, all guests at once, and the exact running maximum."""

from __future__ import annotations

import unittest
from array import array
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.divide import day_of, demand_at, divide
from ruvex.plan import Traces, TraceTable
from ruvex.site import SignalBank, gather_signals, site_of
from tests.builders import memory_guest, plan_of

DAY = 86_400.0
TABLE = TraceTable(array("d", [3600.0, 7200.0, 10_800.0]), {"a": array("d", [10.0, 30.0, 20.0])})


def bank(signals: list[Any], traces: Traces | None = None) -> SignalBank:
    """Gather signals as the CPU demand of one guest each."""
    guests = [{"id": f"g{i}", "demand": {"cpu": signal}} for i, signal in enumerate(signals)]
    return gather_signals(plan_of(guests).guests, traces or {}, DAY)


def at(signal: Any, *times: float, traces: Traces | None = None) -> list[float]:
    """Evaluate one signal."""
    return bank([signal], traces).at(times)[:, 0, 0].round(9).tolist()


class Forms(unittest.TestCase):
    """Every form of signal, worked by hand."""

    def test_number_daily_steps_bursts_trace(self) -> None:
        """Levels at chosen times."""
        self.assertEqual(at(7, 0, DAY), [7, 7])
        daily = {"kind": "daily", "low": 100, "high": 500, "peak_at": "23:00", "width_h": 4}
        self.assertEqual(at(daily, 23 * 3600, 21 * 3600, 3600), [500, 300, 300])
        steps = {"kind": "steps", "at": [["06:00", 5], ["18:00", 9]]}
        self.assertEqual(at(steps, 0, 21_599, 21_600, 64_800), [9, 9, 5, 9])
        bursts = {"kind": "bursts", "base": 1, "high": 8, "every_s": 100, "for_s": 30}
        self.assertEqual(at(bursts, 0, 29.5, 30, 99, 100), [8, 8, 1, 1, 8])
        trace = {"kind": "trace", "file": "t", "column": "a"}
        self.assertEqual(at(trace, 0, 3600, 5400, 9000, DAY, traces={"t": TABLE}), [10, 10, 20, 25, 20])

    def test_all_guests_and_times_at_once(self) -> None:
        """Many signals evaluated together equal each evaluated alone."""
        forms: list[Any] = [
            3, {"kind": "steps", "at": [[0, 1], [50, 2]]}, {"kind": "trace", "file": "t", "column": "a"},
            {"kind": "bursts", "base": 0, "high": 1, "every_s": 7, "for_s": 3},
            {"kind": "daily", "low": 5, "high": 1, "peak_at": 500, "width_h": 1},
        ]  # fmt: skip
        times = np.linspace(0, DAY, 97)
        together = bank(forms * 3, {"t": TABLE}).at(times)[:, 0]
        for i, form in enumerate(forms * 3):
            np.testing.assert_array_equal(together[:, i], bank([form], {"t": TABLE}).at(times)[:, 0, 0])

    @settings(max_examples=60, deadline=None)
    @given(st.data())
    def test_running_maximum_is_exact(self, data: st.DataObject) -> None:
        """The highest value so far is that of a dense sampling, and never below it."""
        level = st.floats(0, 1000)
        form = data.draw(st.sampled_from(["daily", "steps", "bursts", "trace"]))
        traces: Traces = {}
        if form == "daily":
            signal: Any = {"kind": form, "low": data.draw(level), "high": data.draw(level)}
            signal |= {"peak_at": data.draw(st.floats(0, DAY)), "width_h": data.draw(st.floats(0.5, 20))}
        elif form == "bursts":
            signal = {"kind": form, "base": data.draw(level), "high": data.draw(level)}
            signal |= {"every_s": 900, "for_s": data.draw(st.sampled_from([0, 300, 900, 2000]))}
        else:
            times = sorted(data.draw(st.sets(st.integers(0, 86_400), min_size=1, max_size=6)))
            values = [data.draw(level) for _ in times]
            signal = {"kind": form, "at": list(zip(times, values, strict=True))}
            if form == "trace":
                traces = {"t": TraceTable(array("d", times), {"a": array("d", values)})}
                signal = {"kind": form, "file": "t", "column": "a"}
        gathered = bank([signal], traces)
        samples = np.linspace(0, DAY, 2881)
        sampled = np.maximum.accumulate(gathered.at(samples)[:, 0, 0])
        exact = gathered.highest_until(samples)[:, 0, 0]
        self.assertTrue(np.all(exact >= sampled - 1e-9))
        # Between two samples 30 s apart no signal here rises by more than the steepest one does.
        steepest = 1000.0 if form in ("trace", "steps") else 60.0
        self.assertTrue(np.all(exact <= sampled + steepest))
        self.assertTrue(np.all(np.diff(exact) >= 0))

    def test_touched_is_what_was_ever_touched(self) -> None:
        """Once touched, pages stay: the working set of the morning counts in the evening."""
        working = {"kind": "steps", "at": [["00:00", 100], ["08:00", 900], ["09:00", 200]]}
        guest = memory_guest("g", 0, mode="thin", size=1000)
        guest["demand"] |= {"working": working, "touched": 150}
        compiled = site_of(plan_of([guest]), {})
        found = [demand_at(compiled, hour * 3600.0).values[2, 0] for hour in (7, 8, 20)]
        self.assertEqual(found, [150, 900, 900])
        self.assertEqual(divide(compiled, 20 * 3600.0).memory.delivered[0], 900)

    def test_day_sums_what_divisions_say(self) -> None:
        """The day strip's sums are those of the division at each of its moments."""
        guests = [memory_guest(f"g{i}", 300 * i, 500, mode="thin", size=900) for i in range(4)]
        guests[2]["demand"]["cpu"] = {
            "kind": "daily",
            "low": 10,
            "high": 900,
            "peak_at": "10:00",
            "width_h": 3,
        }
        compiled = site_of(plan_of(guests), {})
        day = day_of(compiled, moments=25)
        for i in (0, 9, 10, 24):
            division = divide(compiled, float(day.times_s[i]))
            np.testing.assert_allclose(day.wanted[:, i], [division.cpu.total_wanted, division.memory.total_wanted])
            np.testing.assert_allclose(day.supply[:, i], [division.cpu.supply, division.memory.supply])
