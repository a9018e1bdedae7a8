"""``ruvex cores``, as a person runs it."""

from __future__ import annotations

import csv
import json
import tempfile
import unittest
from collections import defaultdict
from itertools import pairwise
from pathlib import Path

from ruvex.cores import trace
from ruvex.plan import plan_text, read_plan
from ruvex.play import Player, division_at
from ruvex.site import site_of
from tests.cli.inside import run
from tests.cores.host import guest, plan_on
from tests.demo import DEMO


class Cores(unittest.TestCase):
    """Table, document, turns, refusals."""

    def setUp(self) -> None:
        """Make a folder."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_table_and_document(self) -> None:
        """Both name every guest of the host; states add up to vCPUs; the same seed says the same."""
        arguments = ("cores", str(DEMO), "--host", "breakwater", "--windows", "2", "--seed", "7")
        done = run(*arguments)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertIn("breakwater at 08:10, core by core", done.stdout)
        self.assertIn("10 cores, 20 threads", done.stdout)
        self.assertLessEqual(max(map(len, done.stdout.splitlines())), 100)
        document = json.loads(run(*arguments, "--json").stdout)
        self.assertEqual(document, json.loads(run(*arguments, "--json").stdout))
        keys = "plan host at for_s seed windows turn_ms moves threads guests pools"
        self.assertEqual(list(document), keys.split())
        self.assertEqual(len(document["threads"]), 20)
        single = json.loads(run("cores", str(DEMO), "--host", "breakwater", "--json").stdout)
        for row in single["guests"]:
            self.assertIn(row["id"], done.stdout)
            self.assertAlmostEqual(
                sum(row[key] for key in ("run", "wait", "held", "off", "asleep")), row["vcpus"], places=6
            )

    def test_a_played_moment_has_what_the_day_has_then(self) -> None:
        """Batch work that is behind wants more than it would settle at; the command says which is told."""
        file = read_plan(DEMO)
        player = Player(site_of(file.plan, file.traces), until_s=18_600, record_s=10)
        player.run()
        division = division_at(player, 18_000)
        assert division is not None
        settled, played = (
            json.loads(run("cores", str(DEMO), "--host", "skerry-1", "--at", "05:00", "--json", *more).stdout)
            for more in ((), ("--played",))
        )
        expected = trace(division, "skerry-1").of_things
        for row in played["guests"]:
            self.assertAlmostEqual(row["run"], expected[row["id"]].run, places=6)
        self.assertNotEqual(settled["guests"], played["guests"])
        told = run("cores", str(DEMO), "--host", "skerry-1", "--at", "05:00", "--played")
        self.assertIn("skerry-1 at 05:00 as played, core by core", told.stdout)
        self.assertEqual(run("cores", str(DEMO), "--host", "skerry-1", "--at", "0", "--played").returncode, 0)

    def test_turns_in_both_forms(self) -> None:
        """The trace events are the lines of the CSV; on no thread two turns at once."""
        for suffix in ("csv", "json"):
            done = run(
                "cores", str(DEMO), "--host", "skerry-2", "--for", "0.3", "--out", str(self.folder / f"t.{suffix}")
            )
            self.assertEqual((done.returncode, done.stderr), (0, ""))
        with (self.folder / "t.csv").open(encoding="utf-8", newline="") as file:
            lines = list(csv.DictReader(file))
        events = [e for e in json.loads((self.folder / "t.json").read_text())["traceEvents"] if e["ph"] == "X"]
        self.assertEqual(len(lines), len(events))
        by_thread: dict[int, list[tuple[float, float]]] = defaultdict(list)
        for line, event in zip(lines, events, strict=True):
            self.assertEqual((f"{line['guest']} {line['vcpu']}", int(line["thread"])), (event["name"], event["tid"]))
            self.assertAlmostEqual(float(line["from_ms"]) * 1000, event["ts"], delta=0.01)
            by_thread[event["tid"]].append((event["ts"], event["ts"] + event["dur"]))
        for turns in by_thread.values():
            turns.sort()
            self.assertTrue(all(later[0] >= earlier[1] - 0.01 for earlier, later in pairwise(turns)))

    def test_wide_names_keep_the_columns(self) -> None:
        """A name of characters twice as wide is cut with dots where the terminal shows it cut."""
        plan = self.folder / "wide.ruvex.json"
        plan.write_text(plan_text(plan_on(1, [guest("a") | {"name": "渡" * 30}])), encoding="utf-8")
        for command in ("cores", "run"):
            line = next(line for line in run(command, str(plan)).stdout.splitlines() if "渡" in line)
            self.assertRegex(line, r"^渡{10,}… ")

    def test_refusals(self) -> None:
        """Which host, how long, where to: each a reason, and status 2."""
        for arguments, words in (
            ((), "say which host"),
            (("--host", "x"), "there is no host 'x'"),
            (("--host", "skerry-1", "--for", "90"), "take up to 60 s"),
            (("--host", "skerry-1", "--for", "1_0"), "is not a number"),
            (("--host", "skerry-1", "--windows", "0"), "--windows 0"),
            (("--host", "skerry-1", "--out", "x.pdf"), "turns go to a file ending in .csv or .json"),
        ):
            with self.subTest(words):
                done = run("cores", str(DEMO), *arguments)
                self.assertEqual(done.returncode, 2)
                self.assertIn(words, done.stderr)
                self.assertNotIn("Traceback", done.stderr)
