"""``ruvex run``, as a person runs it."""

from __future__ import annotations

import csv
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np

from ruvex.advise import day_waits
from ruvex.plan import plan_text, read_plan
from ruvex.play import Player
from ruvex.site import site_of
from ruvex.words import entry_text
from tests.builders import cpu_guest, plan_of
from tests.cli.inside import run
from tests.demo import ROOT

STORY = ROOT / "demo" / "stories" / "2-tight-restart.ruvex.json"


class Run(unittest.TestCase):
    """Summary, series, refusals, interruption."""

    def setUp(self) -> None:
        """Make an empty folder, and play the story here too."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        file = read_plan(STORY)
        self.player = Player(site_of(file.plan, file.traces))
        self.player.run()

    def test_json_is_the_summary(self) -> None:
        """The document is the summary of the same play, to the bit."""
        done = run("run", str(STORY), "--json")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        expected = json.loads(json.dumps(self.player.summary().to_json() | {"interrupted": False}))
        document = json.loads(done.stdout)
        texts = [entry.pop("text") for entry in document["log"]]
        chance = {guest["id"]: guest.pop("chance_wait") for guest in document["guests"]}
        self.assertEqual(document, expected)
        in_rows = dict(zip(self.player.recording.guest_ids, day_waits(self.player).of_guests, strict=True))
        for name, wait in chance.items():
            self.assertAlmostEqual(wait, in_rows[name], delta=0.002, msg="as of any other spacing of rows")
        self.assertEqual(texts, [entry_text(entry, self.player.site.plan) for entry in self.player.log])

    def test_table_and_log(self) -> None:
        """People read who was below its need and why, the pressure, the savings and the log, in 100 columns."""
        done = run("run", str(STORY), "--until", "01:00")
        self.assertIn("played from 00:00 to 01:00", done.stdout)
        for words in ("boot from disk", "dire 1 min", "Elastic memory saves", "does not start", "ramp-control"):
            self.assertIn(words, done.stdout)
        table = done.stdout.split("\n\n")[1].splitlines()
        self.assertLessEqual(max(map(len, table)), 100)

    def test_series_in_both_forms(self) -> None:
        """The long CSV holds the same as the NPZ: each line the value from then on."""
        arrays = self.player.recording.arrays()
        for suffix in ("csv", "npz"):
            done = run("run", str(STORY), "--out", str(self.folder / f"s.{suffix}"))
            self.assertEqual((done.returncode, done.stderr), (0, ""))
        with np.load(self.folder / "s.npz") as found:
            self.assertEqual(set(found), set(arrays))
            for name, values in arrays.items():
                np.testing.assert_array_equal(found[name], values, err_msg=name)
        guests, times = arrays["guests"].tolist(), arrays["times_s"].tolist()
        with (self.folder / "s.csv").open(encoding="utf-8", newline="") as file:
            lines = list(csv.DictReader(file))
        self.assertEqual(list(lines[0]), ["time_s", "place", "guest", "channel", "value"])
        self.assertEqual(sorted(float(line["time_s"]) for line in lines), [float(line["time_s"]) for line in lines])
        backed = np.zeros(len(times))
        for line in lines:
            if (line["guest"], line["channel"]) == ("ramp-control", "backed"):
                backed[times.index(float(line["time_s"])) :] = float(line["value"])
        np.testing.assert_allclose(backed, arrays["backed"][guests.index("ramp-control")], rtol=1e-6)
        self.assertIn("booting", {line["value"] for line in lines if line["channel"] == "phase"})

    def test_unusable_wishes(self) -> None:
        """A time after the day, another ending, a folder that is not there: a reason, no traceback, no file."""
        for arguments, reason in (
            (["--until", "99:00"], "not within the plan's day"),
            (["--out", str(self.folder / "s.txt")], "ending in .csv or .npz"),
            (["--out", str(self.folder / "no" / "s.csv")], "cannot be written"),
        ):
            done = run("run", str(STORY), *arguments)
            self.assertEqual((done.returncode, done.stdout), (2, ""))
            self.assertIn(reason, done.stderr)
            self.assertNotIn("Traceback", done.stderr)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_interrupting_keeps_what_was_played(self) -> None:
        """An interrupt in a long run ends it with the summary and the series so far."""
        guests = [cpu_guest(f"g{i}", 0) for i in range(300)]
        for i, guest in enumerate(guests):
            guest["demand"]["cpu"] = {"kind": "bursts", "base": 10, "high": 900, "every_s": 7 + i % 13, "for_s": 3}
        path = self.folder / "long.ruvex.json"
        path.write_text(plan_text(plan_of(guests)), encoding="utf-8")
        # The process interrupts itself once it has played a while, wherever it is then.
        code = (
            "import os, signal\nfrom ruvex.cli import main\nfrom ruvex.play import Player\nplay = Player.run\n"
            "def run(self, *words, **more):\n    play(self, *words, **more)\n"
            "    if self.tick > 9000: os.kill(os.getpid(), signal.SIGINT)\n"
            "Player.run = run\nmain()"
        )
        out = self.folder / "s.npz"
        command = [sys.executable, "-c", code, "run", str(path), "--json", "--out", str(out)]
        process = subprocess.run(command, capture_output=True, text=True, check=False, timeout=120)
        self.assertEqual(process.returncode, 130)
        document = json.loads(process.stdout)
        self.assertTrue(document["interrupted"])
        self.assertGreater(document["played_s"], 0)
        self.assertLess(document["played_s"], 86_400)
        with np.load(out) as found:
            self.assertGreaterEqual(found["times_s"][-1], document["played_s"] - 20)
