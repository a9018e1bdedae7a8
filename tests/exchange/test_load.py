"""Measured load: what is read, the typical day of it, and the guests that follow it."""

from __future__ import annotations

import math
import statistics
import tempfile
import unittest
from collections.abc import Mapping
from datetime import datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.exchange import (
    NEW,
    Filled,
    LoadRow,
    first_choice,
    is_load,
    labels_of,
    matched,
    read_load,
    rows_of,
    with_load,
    with_zone,
)
from ruvex.exchange.load._measured import series_of
from ruvex.exchange.load._typical import DAYS, typical_day
from ruvex.plan import Plan, PlanError, RuvexError, Trace, plan_text, read_plan
from ruvex.site import site_of
from tests.builders import plan_of
from tests.cli.inside import run
from tests.exchange.damage import DAMAGED, damaged
from tests.thorough import many

NOON = 1_790_000_000 - 1_790_000_000 % 86_400 + 43_200
"""A noon by UTC, on a Monday."""
OPENMETRICS = "\n".join([
    "# TYPE cpu_used_seconds counter", "# UNIT cpu_used_seconds seconds",
    *(f'cpu_used_seconds_total{{instance="mail.orrin.example:9100",cpu="{cpu}"}} {(cpu + 1) * 150 * i} {NOON + 300 * i}'
      for cpu in range(2) for i in range(40)),
    "# TYPE memory_used_bytes gauge",
    *(f'memory_used_bytes{{instance="{name}"}} {(3 + k) * 2**30} {NOON + 300 * i}'
      for k, name in enumerate(("mail", "web-9")) for i in range(40) if not 10 < i < 14),
    "# EOF", "",
])  # fmt: skip


def slow_day(samples: Mapping[float, float], step: float, percentile: float) -> dict[float, float]:
    """Work out a typical day sample by sample, by the middles of its steps."""
    days: dict[int, dict[int, list[float]]] = {}
    for time, value in samples.items():
        day = math.floor(time / 86_400)
        days.setdefault(day, {}).setdefault(math.floor((time - day * 86_400) / step), []).append(value)
    by_step: dict[int, list[float]] = {}
    for steps in days.values():
        for number, values in steps.items():
            by_step.setdefault(number, []).append(statistics.fmean(values))
    found = {}
    for number, means in by_step.items():
        means.sort()
        place = (len(means) - 1) * percentile / 100
        low, part = math.floor(place), place - math.floor(place)
        found[(number + 0.5) * step] = means[low] + part * (means[min(low + 1, len(means) - 1)] - means[low])
    return found


class TypicalDays(unittest.TestCase):
    """Many days made one."""

    @settings(max_examples=many(200))
    @given(
        st.dictionaries(st.integers(0, 5 * 86_400 - 1), st.floats(0, 1e6), min_size=1, max_size=200),
        st.sampled_from([300.0, 900.0, 3600.0]), st.sampled_from([0.0, 50.0, 90.0, 100.0]),
    )  # fmt: skip
    def test_as_worked_out_sample_by_sample(self, samples: dict[int, float], step: float, percentile: float) -> None:
        """The percentile over the days of the means of each step; steps without any are missing, and only those."""
        shifted = {NOON + float(time): value for time, value in samples.items()}
        day = typical_day(
            [series_of("m", {}, shifted)], is_counter=False, clock="wall", zone=ZoneInfo("UTC"), percentile=percentile,
            days=DAYS[0], step_s=step,
        )  # fmt: skip
        expected = slow_day(shifted, step, percentile)
        self.assertEqual(day.seconds.tolist(), sorted(expected))
        for time, value in zip(day.seconds.tolist(), day.values.tolist(), strict=True):
            self.assertAlmostEqual(value, expected[time], delta=1e-9 * max(1.0, value))
        lacking = sum(b - a for a, b in day.missing)
        self.assertAlmostEqual(lacking, 86_400 - step * len(expected))

    def test_the_clock_on_the_wall(self) -> None:
        """A job at 02:00 in London stands at 02:00 in the typical day, summer time or not."""
        zone = ZoneInfo("Europe/London")
        samples = {}
        for days in range(10):
            wall = datetime(2026, 10, 20, tzinfo=zone) + timedelta(days=days)
            for hour in range(24):
                samples[wall.replace(hour=hour).timestamp()] = 9.0 if hour == 2 else 1.0
        one = series_of("m", {}, samples)
        for clock, expected in ((zone, [9.0, 9.0]), (ZoneInfo("UTC"), [1.0, 9.0])):
            day = typical_day(
                [one], is_counter=False, clock="utc", zone=clock, percentile=0 if expected[0] == 9.0 else 100,
                days=DAYS[0], step_s=3600.0,
            )  # fmt: skip
            self.assertEqual([day.values[2], day.values.max()], [9.0, 9.0])
            self.assertEqual(bool(day.values[1] == 9.0), expected[0] == 1.0)

    def test_days_of_the_week(self) -> None:
        """Only those that are asked for count."""
        samples = {NOON + 86_400.0 * i: float(i) for i in range(14)}
        for days, expected in ((DAYS[0], 14), (DAYS[1], 10), (DAYS[2], 4)):
            day = typical_day(
                [series_of("m", {}, samples)], is_counter=False, clock="utc", zone=ZoneInfo("UTC"), percentile=100,
                days=days, step_s=3600.0,
            )  # fmt: skip
            self.assertEqual(day.days, expected)
        self.assertEqual(day.values.tolist(), [13.0])

    def test_a_counter_that_began_anew_or_stood_still_unread(self) -> None:
        """It counts by what it grew a second; a restart counts from 0, and a long pause was not measured."""
        samples = {0.0: 500.0, 60.0: 560.0, 120.0: 30.0, 180.0: 90.0, 7200.0: 9000.0, 7260.0: 9060.0}
        day = typical_day(
            [series_of("m", {}, samples)], is_counter=True, clock="day", zone=ZoneInfo("UTC"), percentile=50,
            days=DAYS[0], step_s=60.0,
        )  # fmt: skip
        self.assertEqual(dict(zip(day.seconds.tolist(), day.values.tolist(), strict=True)),
                         {30.0: 1.0, 90.0: 0.5, 150.0: 1.0, 7230.0: 1.0})  # fmt: skip


class Loads(unittest.TestCase):
    """Files, and plans that follow them."""

    def setUp(self) -> None:
        """Have a place for a file."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "load.om"

    def taken(
        self, text: str, plan: Plan, metric: str | None = None, zone: str = "UTC"
    ) -> tuple[Filled, list[LoadRow]]:
        """Take what was probably meant."""
        self.path.write_text(text, encoding="utf-8")
        measured = read_load(self.path)
        choice = with_zone(first_choice(measured, plan, metric), zone)
        rows = rows_of(measured, choice)
        return with_load(plan, {}, choice, rows, matched(rows, plan), self.path.name), rows

    def test_openmetrics_becomes_demand(self) -> None:
        """A counter of CPU seconds of two processors is 0.5 + 1 cores of the host; what was not measured is said."""
        plan = plan_of([{"id": "mail", "vcpus": 2}, {"id": "web"}])
        filled, rows = self.taken(OPENMETRICS, plan)
        self.assertEqual([row.name for row in rows], ["mail.orrin.example:9100"])
        self.assertEqual((filled.changed, filled.new), (("mail",), ()))
        signal = filled.plan.guests[0].demand.cpu
        assert isinstance(signal, Trace)
        table = filled.traces[signal.file]
        np.testing.assert_allclose(table.columns["mail"], 1500.0)
        self.assertEqual(table.seconds[0], 43_350)
        said = " ".join(filled.told).replace("\u202f", " ")
        self.assertIn("mail: nothing was measured on any day from 00:00 to 12:00, from 15:15 to 24:00", said)
        memory, rows = self.taken(OPENMETRICS, plan, "memory_used_bytes")
        self.assertEqual([row.name for row in rows], ["mail", "web-9"])
        self.assertEqual(memory.changed, ("mail",))
        self.assertIn("from 12:55 to 13:10", " ".join(memory.told))
        values = site_of(memory.plan, memory.traces).signals.at([13 * 3600.0])
        self.assertEqual(values[0, 1].tolist(), [3072.0, 3000.0])

    def test_guests_of_what_was_measured(self) -> None:
        """In a plan without guests each series makes one, with the vCPUs it needs and a size that holds it."""
        filled, _ = self.taken(OPENMETRICS, Plan())
        self.assertEqual([(g.id, g.vcpus) for g in filled.plan.guests], [("mail", 2)])
        text = OPENMETRICS.replace(f"{3 * 2**30} ", f"{13 * 2**30 + 5} ")
        memory, _ = self.taken(text, filled.plan, "memory_used_bytes")
        self.assertEqual(memory.plan.guests[0].memory.size, 14 * 1024)
        self.assertIn("mail gets a size of 14", " ".join(memory.told))

    def test_wide_and_long_tables(self) -> None:
        """A column a guest, or a row a sample with the guest in one of them, say the same; days on the wall."""
        plan = plan_of([{"id": "mail", "vcpus": 4}, {"id": "web", "vcpus": 4}])
        wide = "Date;mail (GHz);web (GHz)\n" + "".join(
            f"2026-11-0{day} {hour:02}:00;{hour / 10:.1f};{day}\n".replace(".", ",")
            for day in (2, 3, 4) for hour in range(24)
        )  # fmt: skip
        long = "ts,host name,cpu GHz\n" + "".join(
            f"2026-11-0{day}T{hour:02}:00,{name},{value}\n" for day in (2, 3, 4) for hour in range(24)
            for name, value in (("mail", hour / 10), ("web", day))
        )  # fmt: skip
        for text in (wide, long):
            self.assertTrue(is_load(text))
            self.path = self.path.with_suffix(".csv")
            filled, _ = self.taken(text, plan)
            signals = site_of(filled.plan, filled.traces).signals.at([8.5 * 3600.0, 20.5 * 3600.0])
            np.testing.assert_allclose(signals[:, 0], [[800, 3000], [2000, 3000]])
            self.assertEqual(len(filled.told), 1)

    def test_two_labels_and_a_condition(self) -> None:
        """The label whose values are names of guests is taken; others add up, or are asked for."""
        lines = ["# TYPE cpu_cores gauge"]
        lines += [f'cpu_cores{{a="{a}",vm="{vm}"}} {1 + i} {NOON}' for i, (a, vm) in enumerate(
            (a, vm) for a in ("user", "wait", "rest") for vm in ("mail", "web"))]  # fmt: skip
        self.path.write_text("\n".join([*lines, "# EOF", ""]), encoding="utf-8")
        measured, plan = read_load(self.path), plan_of([{"id": "mail"}, {"id": "web"}])
        self.assertEqual(labels_of(measured, "cpu_cores"), ("a", "vm"))
        choice = first_choice(measured, plan)
        self.assertEqual((choice.label, choice.unit), ("vm", "cores"))
        self.assertEqual([row.day.values.tolist() for row in rows_of(measured, choice)], [[9.0], [12.0]])

    def test_what_cannot_be_used_is_said(self) -> None:
        """Lines are named; nothing is half taken."""
        for text, expected in (
            (OPENMETRICS.replace("# EOF", ""), "# EOF"),
            ("# TYPE a gauge\na 1\n# EOF\n", "no sample has a time"),
            ("# TYPE a gauge\na 1 x\n# EOF\n", "load.om line 2: it is no OpenMetrics text"),
            ("# TYPE a gauge\na 1 5\n# EOF\n", "no label that says whose it is"),
            ('# TYPE a gauge\na{b="c"} ' + "1" * 30_000 + " 5\n# EOF\n", "line 2: it is too long"),
        ):
            with self.subTest(expected), self.assertRaisesRegex(RuvexError, expected):
                self.taken(text, plan_of([{"id": "c"}]))
        self.path = self.path.with_suffix(".csv")
        for text, expected in (
            ("a,b\n1,2\n", "no column holds times"),
            ("time,b\n00:10,2\nlater,3\n", "line 3: .*'later'.* is no time"),
            ("time,b\n00:10,2\n2026-11-02 00:10,3\n", "several kinds"),
            ("time,b\n00:10,-2\n", "no sample"),
        ):
            with self.subTest(expected), self.assertRaisesRegex(RuvexError, expected):
                self.taken(text, plan_of([{"id": "c"}]))
        with self.assertRaisesRegex(RuvexError, "no time zone"):
            self.taken("time,mail\n00:10,2\n", plan_of([{"id": "mail"}]), zone="Orrin/Sound")

    def test_damaged_files(self) -> None:
        """Ten thousand in full: an error of ours or a plan, nothing else."""
        wide = "time,mail,web\n" + "".join(f"2026-11-02 {h:02}:00,{h},{9 - h / 4}\n" for h in range(24))
        plan, kept = plan_of([{"id": "mail"}, {"id": "web"}]), "\n".join(OPENMETRICS.split("\n")[50:])
        whole = [wide.encode(), ("# TYPE memory_used_bytes gauge\n" + kept.partition("gauge\n")[2]).encode()]
        taken = 0
        for number, content in enumerate(damaged(whole, DAMAGED)):
            path = self.path.with_suffix(".om" if number % 2 else ".csv")
            path.write_bytes(content)
            try:
                measured = read_load(path)
                choice = first_choice(measured, plan)
                rows = rows_of(measured, choice)
                with_load(plan, {}, choice, rows, dict.fromkeys((row.name for row in rows), NEW), "x")
                taken += 1
            except RuvexError as error:
                self.assertTrue(str(error))
        self.assertGreater(taken, DAMAGED // 50)

    def test_by_command(self) -> None:
        """Told first, then taken: the plan and its traces are written, and it plays."""
        plan = self.path.parent / "site.ruvex.json"
        self.path.write_text(OPENMETRICS, encoding="utf-8")
        told = run("load", str(self.path))
        self.assertEqual(told.returncode, 0)
        self.assertIn("metrics: cpu_used_seconds_total, memory_used_bytes", told.stdout)
        self.assertEqual(run("load", str(self.path), "--out", str(plan)).returncode, 0)
        memory = run("load", str(self.path), "--into", str(plan), "--metric", "memory_used_bytes", "--percentile", "90")
        self.assertEqual((memory.returncode, memory.stderr), (0, ""))
        self.assertIn("no guest is called so: web-9", memory.stdout)
        file = read_plan(plan)
        self.assertEqual(sorted(file.traces), ["traces/cpu-measured.csv", "traces/working-measured.csv"])
        self.assertEqual(run("divide", str(plan)).returncode, 0)
        before = plan_text(file.plan)
        for wrong in (["--metric", "x"], ["--label", "x"], ["--as", "x"], ["--unit", "bytes"], ["--days", "x"],
                      ["--zone", "x/y"], ["--where", "x"], ["--where", "cpu=7"]):  # fmt: skip
            told = run("load", str(self.path), "--into", str(plan), *wrong)
            self.assertEqual((told.returncode, bool(told.stderr)), (2, True), wrong)
        self.assertEqual(plan_text(read_plan(plan).plan), before)
        with self.assertRaises(PlanError):
            read_load(plan)
