"""What comes from outside and goes there: formulas in cells, shared and long names, links in a ring, idle groups."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

from ruvex.exchange import read_brought
from ruvex.exchange.tables import cells_of, cells_text
from ruvex.plan import Plan, UnitError, plan_from, plan_text, read_plan
from ruvex.site import site_of
from tests.cli.inside import run


class Cells(unittest.TestCase):
    """A spreadsheet runs what begins as a formula."""

    def test_what_begins_as_a_formula_goes_out_as_text(self) -> None:
        """Cells that begin with = + - @ are kept from being run, numbers stay numbers, and all are read back."""
        cells = ["=1+1", "+cmd", "-x", "@SUM(A1)", "'quoted", "it's", "-12.5", "+3", "plain", "'=twice", ""]
        text = cells_text([["a"] * len(cells), cells])
        self.assertIn("'=1+1,'+cmd,'-x,'@SUM(A1),''quoted,it's,-12.5,+3,plain", text)
        self.assertEqual(cells_of(text)[1], cells)
        self.assertEqual(cells_of("a,b\n'single,x\n")[1], ["'single", "x"])


class Folders(unittest.TestCase):
    """All tables of a plan, out and in again."""

    def test_an_empty_folder_says_so(self) -> None:
        """There is nothing to bring in, and it is not taken for a host's control groups."""
        with tempfile.TemporaryDirectory() as folder, self.assertRaisesRegex(UnitError, "is an empty folder"):
            read_brought(Path(folder), Plan(), {})

    def back(self, plan: Plan) -> Plan:
        """Write a plan as a folder of tables, and read it into an empty one."""
        with tempfile.TemporaryDirectory() as name:
            path, out, new = Path(name) / "p.ruvex.json", Path(name) / "tables", Path(name) / "new.ruvex.json"
            path.write_text(plan_text(plan), encoding="utf-8")
            self.assertEqual(run("give", str(path), "--as", "csv", "--out", str(out)).returncode, 0)
            done = run("bring", str(out), "--out", str(new))
            self.assertEqual(done.returncode, 0, done.stderr)
            return read_plan(new).plan

    def test_a_pool_and_a_guest_of_one_name(self) -> None:
        """Both keep it, and each keeps its id; so do two guests of one name, and one named like a formula."""
        plan = plan_from({
            "format": "ruvex-plan", "version": 1, "hosts": [{"id": "h", "name": "Quay"}],
            "pools": [{"id": "p", "name": "Quay"}, {"id": "q", "name": "Crew", "parent": "p"}],
            "guests": [{"id": "a", "name": "Crew", "pool": "q"}, {"id": "b", "name": "Crew", "pool": "p"},
                       {"id": "c", "name": "=cmd|x", "pool": "q"}, {"id": "d" * 150, "name": "n" * 1000}],
            "events": [{"at": 60, "do": "restart", "target": "b"},
                       {"at": 70, "do": "surge", "target": "q", "factor": 2, "for_s": 9}],
            "placement": [{"kind": "apart", "guests": ["a", "b"]}],
        })  # fmt: skip
        found = self.back(plan)
        for part in ("pools", "guests", "placement", "events"):
            self.assertEqual(
                [one.model_dump() for one in getattr(found, part)],
                [one.model_dump() for one in getattr(plan, part)],
                part,
            )


class Outside(unittest.TestCase):
    """Links that lead in a ring, groups that are idle, spacings that are none."""

    def setUp(self) -> None:
        """Make an empty folder."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_a_trace_that_is_a_ring_of_links(self) -> None:
        """It is refused in words, as a file that cannot be read."""
        for one, other in (("a.csv", "b.csv"), ("b.csv", "a.csv")):
            (self.folder / one).symlink_to(other)
        plan = '{"format": "ruvex-plan", "version": 1, "guests": [{"id": "g", "demand": {"cpu": %s}}]}'
        signal = '{"kind": "trace", "file": "a.csv", "column": "x"}'
        path = self.folder / "p.ruvex.json"
        path.write_text(plan % signal, encoding="utf-8")
        done = run("divide", str(path))
        self.assertEqual(done.returncode, 2)
        self.assertIn("lead in a ring", done.stderr)

    def test_every_is_looked_at_without_out(self) -> None:
        """A spacing that is no number is refused even where nothing is written."""
        path = self.folder / "p.ruvex.json"
        path.write_text(
            plan_text(plan_from({"format": "ruvex-plan", "version": 1, "hosts": [{"id": "h"}]})), encoding="utf-8"
        )
        for wrong in ("abc", "0", "-5"):
            done = run("run", str(path), "--every", wrong)
            self.assertEqual((done.returncode, done.stdout), (2, ""), wrong)

    def test_an_idle_group_does_not_refuse_the_host(self) -> None:
        """A group of weight 0 comes in with the least weight, and that is told."""
        group = self.folder / "idle.service"
        group.mkdir()
        for name, text in (("cpu.weight", "0"), ("cgroup.events", "populated 1"), ("cpu.max", "max 100000")):
            (group / name).write_text(text + "\n", encoding="utf-8")
        (self.folder / "cgroup.controllers").write_text("cpu memory\n", encoding="utf-8")
        plan = Plan()
        brought = read_brought(self.folder, plan, site_of(plan, {}).traces)
        self.assertEqual([guest.cpu.shares for guest in brought.guests], [1.0])
        self.assertIn("least weight: idle", " ".join(brought.told))
