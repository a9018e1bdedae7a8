"""Ruvex as scripts use it: what is documented runs, figures are those of the packages, and errors say what is wrong."""

from __future__ import annotations

import doctest
import subprocess
import sys
import tempfile
import types
import unittest
from pathlib import Path
from typing import Any
from unittest.mock import patch

import numpy as np

import ruvex
from ruvex.divide import divide
from ruvex.interface import DividedSite, NoPandasError, Played
from ruvex.plan import EditError, PlanFileError, UnitError, read_plan
from ruvex.play import Player
from ruvex.site import site_of
from tests.builders import HOST, plan_of
from tests.demo import DEMO, ROOT


class Scripts(unittest.TestCase):
    """The documented names."""

    def test_the_page_runs_as_it_stands(self) -> None:
        """Each example of docs/python.md gives what is printed there, in a process that has imported nothing else."""
        script = f"import doctest; found = doctest.testfile({str(ROOT / 'docs/python.md')!r}, module_relative=False); "
        done = subprocess.run([sys.executable, "-c", script + "print(found)"], cwd=ROOT, capture_output=True, text=True,
                              check=True)  # fmt: skip
        self.assertIn("failed=0, attempted=11", done.stdout)
        self.assertIsNotNone(doctest)

    def test_figures_are_those_of_the_division(self) -> None:
        """Of every guest and pool that is on, in order; as an array too."""
        file = read_plan(DEMO)
        expected = divide(site_of(file.plan, file.traces), 12 * 3600.0)
        found = ruvex.read(DEMO).divide(at="12:00")
        assert isinstance(found, DividedSite)
        there = [item for row, item in enumerate(expected.ids) if expected.on[row]]
        self.assertEqual(list(found.cpu), there)
        for item in there:
            row = expected.position[item]
            self.assertEqual(found.cpu[item].delivered, expected.cpu.delivered[row])
            self.assertEqual(found.memory[item].promised, expected.memory.claim[row])
        array = found.memory.to_numpy()
        self.assertEqual(array["id"].tolist(), there)
        np.testing.assert_array_equal(array["unmet"], [found.memory[item].unmet for item in there])

    def test_disks_and_network(self) -> None:
        """A guest's two disks add up, the one as slow as the limit of the other; without stores nobody is there."""
        disks = [{"id": "d", "store": "s"}, {"id": "e", "store": "s", "limit_ops": 30}]
        guests = [{"id": "a", "disks": disks, "demand": {"ops": 100, "net_mib_s": 5}}]
        plan = plan_of(guests, stores=[{"id": "s"}], host=HOST | {"links": [{"id": "x", "mib_s": 9}]})
        found = DividedSite(divide(site_of(plan, {})))
        one = found.disks["a"]
        self.assertEqual((one.wanted, one.delivered, one.unmet, one.cause), (100, 60, 40, "own limit"))
        self.assertEqual((found.network["a"].delivered, found.network["a"].cause), (3, "elsewhere"))
        self.assertEqual(list(ruvex.read(DEMO).divide(at="12:00").disks), [])
        day = Played(Player(site_of(plan, {}), record_s=60))
        day.player.run(600)
        self.assertEqual(day.series("ops_delivered").max(), 60)

    def test_a_changed_site_leaves_the_first_one_as_it_was(self) -> None:
        """And what is written is read again, traces and all."""
        site = ruvex.read(DEMO)
        other = site.change("mail", {"vcpus": 1})
        self.assertEqual([s.plan.guests[s.plan.guest_index["mail"]].vcpus for s in (site, other)], [4, 1])
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "other.ruvex.json"
            other.write(path)
            self.assertEqual(ruvex.read(str(path)).plan, other.plan)

    def test_a_day(self) -> None:
        """Its series have a row every ten seconds; channels that are not there are named."""
        day = ruvex.read(DEMO).play(until=600)
        assert isinstance(day, Played)
        self.assertEqual(day.series("pace").shape, (39, 61))
        self.assertEqual(day.times_s[-1], 600)
        with self.assertRaisesRegex(UnitError, "no channel 'speed'; there are cpu_wanted"):
            day.series("speed")

    def test_tables_of_pandas_where_it_is_installed(self) -> None:
        """Columns and index as said; without it the error says how to get it."""
        made: list[tuple[Any, Any]] = []
        pandas = types.ModuleType("pandas")
        pandas.DataFrame = lambda columns, index: made.append((columns, index)) or "table"  # type: ignore[attr-defined]
        site = ruvex.read(DEMO)
        found, day = site.divide(), site.play(until="00:10")
        with patch.dict(sys.modules, {"pandas": pandas}):
            self.assertEqual((found.cpu.to_pandas(), day.to_pandas("backed")), ("table", "table"))
        columns = {"kind", "parent", "wanted", "delivered", "unmet", "lacks", "promised", "cause"}
        self.assertEqual(set(made[0][0]), columns)
        self.assertEqual(made[0][1], list(found.cpu))
        self.assertEqual(len(made[1][0]["mail"]), len(day.times_s))
        with patch.dict(sys.modules, {"pandas": None}), self.assertRaisesRegex(NoPandasError, "pip install pandas"):
            found.cpu.to_pandas()

    def test_what_is_wrong_is_said(self) -> None:
        """A file that is not there, a time beyond the day, a setting that is none."""
        with self.assertRaises(PlanFileError):
            ruvex.read("nothing.ruvex.json")
        site = ruvex.read(DEMO)
        for time in ("25:00", -1.0):
            with self.assertRaises(UnitError):
                site.divide(at=time)
        with self.assertRaises(EditError):
            site.change("mail", {"colour": 3})
        with self.assertRaises(AttributeError):
            _ = ruvex.nothing

    def test_importing_it_loads_nothing_heavy(self) -> None:
        """Neither NumPy nor the compiler, until something is asked for."""
        script = "import ruvex, sys; print('numpy' in sys.modules, 'numba' in sys.modules)"
        done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.split(), ["False", "False"])
