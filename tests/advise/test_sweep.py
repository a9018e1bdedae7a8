"""Settings swept over a range, by days that can be worked out."""

from __future__ import annotations

import json
import math
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from ruvex.advise.many import Range, Sweep, Watch, parse_range, parse_watch, range_of, sweep
from ruvex.plan import EditError, StoppedError, UnitError, plan_text
from ruvex.site import Site, site_of
from tests.builders import cpu_guest, plan_of
from tests.cli.inside import run

DAY = {"day_s": 3600, "moment": 0}
GUESTS = [cpu_guest("a", 8000), cpu_guest("b", 8000)]


def site_with(guests: list[dict[str, Any]], **rest: Any) -> Site:
    """Give a site of ten cores and an hour."""
    return site_of(plan_of(guests, **(DAY | rest)), {})


class Sweeping(unittest.TestCase):
    """One setting, two settings, knees, refusals, stopping."""

    def test_one_setting_by_hand(self) -> None:
        """16 GHz of 10: with a limit of x a has x and b the rest; b is never short from a limit of 2 GHz down."""
        site = site_with(GUESTS)
        limits = range_of(site.plan, "a", "cpu.limit", 1000, 5000, 5)
        found = sweep(site, [limits], [Watch("a", "wait"), Watch("b", "short")])
        self.assertEqual(limits.values, (1000, 2000, 3000, 4000, 5000))
        self.assertIsNone(limits.now)
        for value, wait in zip(limits.values, found.table[0, :, 0].tolist(), strict=True):
            self.assertAlmostEqual(wait, 100 * (1 - value / 8000))
        self.assertEqual(found.table[1, :, 0].round(6).tolist(), [0, 0, 1, 1, 1])
        self.assertAlmostEqual(float(found.now[0]), 100 * 3 / 8)

    def test_two_settings_make_a_map(self) -> None:
        """What b waits, with a's limit down and b's limit across: the smaller of what is left and its own limit."""
        site = site_with(GUESTS)
        ranges = [range_of(site.plan, guest, "cpu.limit", 3000, 7000, 3) for guest in ("a", "b")]
        found = sweep(site, ranges, [Watch("b", "wait")])
        self.assertEqual(found.table.shape, (1, 3, 3))
        for row, mine in enumerate(ranges[0].values):
            for column, its in enumerate(ranges[1].values):
                got = max(min(its, 10_000 - mine), min(its, 5000))
                self.assertAlmostEqual(float(found.table[0, row, column]), 100 * (1 - got / 8000))
        self.assertIsNone(found.knee())

    def test_what_is_refused_is_told_and_left_out(self) -> None:
        """Promises end at 10 GHz, a limit below a reservation breaks a rule; both say why."""
        site = site_with([cpu_guest("a", 8000, reservation=4000), cpu_guest("b", 8000)])
        found = sweep(site, [range_of(site.plan, "b", "cpu.reservation", 2000, 8000, 3)], [Watch("b", "wait")])
        self.assertEqual(np.isnan(found.table[0, :, 0]).tolist(), [False, False, True])
        self.assertIn("short of CPU", found.refused[2, 0])
        found = sweep(site, [range_of(site.plan, "a", "cpu.limit", 2000, 6000, 2)], [Watch("b", "wait")])
        self.assertIn("limit", found.refused[0, 0])

    def test_knees(self) -> None:
        """Furthest from the straight line between the ends; none on a line, nor where nothing moves."""
        values = tuple(float(x) for x in range(11))

        def knee(of: list[float]) -> int | None:
            table = np.array(of).reshape(1, -1, 1)
            ranges = (Range("a", "cpu.shares", values, None),)
            return Sweep(ranges, (Watch("a", "pace"),), table, {}, np.zeros(1)).knee()

        self.assertEqual(knee([min(x, 4) / 4 for x in values]), 4)
        self.assertEqual(knee([1 - min(x, 7) / 7 for x in values]), 7)
        self.assertIsNone(knee(list(values)))
        self.assertIsNone(knee([3.0] * 11))
        self.assertEqual(knee([math.nan, *(min(x, 4) / 4 for x in values[1:])]), 4)

    def test_stopped_keeps_what_was_done(self) -> None:
        """After three plays it is stopped: the plan as it is, and two values."""
        site = site_with(GUESTS)

        def told(done: int, of: int) -> None:
            self.assertEqual(of, 5)
            if done == 2:
                raise StoppedError("stopped")

        limits = range_of(site.plan, "a", "cpu.limit", 1000, 5000, 5)
        found = sweep(site, [limits], [Watch("a", "wait")], told=told, workers=1)
        self.assertEqual(int(np.isfinite(found.table).sum()), 2)
        self.assertTrue(math.isfinite(float(found.now[0])))

    def test_on_any_number_of_threads(self) -> None:
        """To the bit."""
        site = site_with(GUESTS)
        limits = range_of(site.plan, "a", "cpu.shares", 10, 500, 7)
        one, three = (sweep(site, [limits], [Watch("a", "wait")], workers=count) for count in (1, 3))
        np.testing.assert_array_equal(one.table, three.table)

    def test_all_outcomes(self) -> None:
        """Pace, need backed, free memory, lateness: read off days that are known."""
        batch = cpu_guest("batch", 0)
        batch["demand"] = {"cpu": {"kind": "steps", "at": [[0, 8000], [900, 0]]}, "working": 0, "touched": 0,
                           "kind": "batch"}  # fmt: skip
        thin = cpu_guest("thin", 10) | {"memory": {"size": 20_000}}
        thin["demand"] |= {"working": 10_000, "touched": 10_000}
        site = site_with([batch, thin])
        watches = [Watch("batch", "late"), Watch("thin", "met"), Watch("thin", "pace"), Watch("h", "free")]
        found = sweep(site, [range_of(site.plan, "batch", "cpu.limit", 4000, 8000, 2)], watches)
        self.assertAlmostEqual(float(found.table[0, 0, 0]), 0.25, delta=0.002)
        self.assertAlmostEqual(float(found.table[0, 1, 0]), 0, delta=0.002)
        self.assertEqual(found.table[1, :, 0].tolist(), [100, 100])
        self.assertEqual(found.table[2, :, 0].tolist(), [1, 1])
        self.assertAlmostEqual(float(found.table[3, 0, 0]), 90_000)

    def test_whole_numbers_stay_whole(self) -> None:
        """VCPUs from 1 to 4 in six steps are four."""
        site = site_with(GUESTS)
        self.assertEqual(range_of(site.plan, "a", "vcpus", 1, 4, 6).values, (1, 2, 3, 4))


class ByCommand(unittest.TestCase):
    """``ruvex sweep``."""

    def test_what_is_written_is_read(self) -> None:
        """Units, steps; and what cannot be read says how it should be."""
        plan = plan_of([cpu_guest("a", 10) | {"memory": {"size": 9000}}])
        self.assertEqual(parse_range(plan, "a:memory.reservation=1GiB..2GiB:3", 9).values, (1024, 1536, 2048))
        self.assertEqual(parse_range(plan, "a:cpu.limit=1GHz..2GHz", 2).values, (1000, 2000))
        for wrong in ("a:cpu.limit", "a=1..2", "a:cpu.limit=1", "a:cpu.limit=1..2:x", "a:cpu.limit=1..2:1"):
            with self.assertRaises(UnitError, msg=wrong):
                parse_range(plan, wrong, 5)
        for wrong in ("b:cpu.limit=1..2", "a:nothing=1..2", "a:agent=0..1", "a:cpu.limit=2..1"):
            with self.assertRaises(EditError, msg=wrong):
                parse_range(plan, wrong, 5)
        for wrong in ("a:nothing", "b:pace", "a:free", "a"):
            with self.assertRaises(UnitError, msg=wrong):
                parse_watch(plan, wrong)

    def test_line_map_and_json(self) -> None:
        """A row for each value, the knee by its name; a map for two; the same as JSON; status 2 for bad input."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.ruvex.json"
            path.write_text(plan_text(plan_of(GUESTS, **DAY)), encoding="utf-8")
            said = run("sweep", str(path), "--set", "a:cpu.limit=1GHz..9GHz:9", "--watch", "a:wait").stdout
            self.assertIn("CPU limit of a (not set)", said)
            self.assertIn("37.50  knee of 1", said)
            both = ["--set", "a:cpu.limit=1GHz..9GHz:2", "--set", "b:cpu.limit=1GHz..9GHz:3", "--watch", "b:wait"]
            self.assertIn("down CPU limit, across CPU limit", run("sweep", str(path), *both).stdout)
            document = json.loads(run("sweep", str(path), *both, "--json").stdout)
            self.assertEqual([len(row) for row in document["watched"][0]["values"]], [3, 3])
            too_many = ["--set", "a:cpu.limit=1..9999:2000", "--set", "b:cpu.limit=1..9:2", "--watch", "a:wait"]
            for wrong in (["--set", "a:cpu.limit=1..2"], too_many):
                self.assertEqual(run("sweep", str(path), *wrong).returncode, 2)
