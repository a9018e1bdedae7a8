"""How commands end when something is wrong: one reason, one status, never a traceback."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from ruvex.plan import plan_text
from tests.builders import cpu_guest, plan_of
from tests.cli.inside import run
from tests.demo import DEMO

_MAIN = "from ruvex.cli import main; main()"


class Boundary(unittest.TestCase):
    """Statuses and sentences."""

    def setUp(self) -> None:
        """Make a folder for reports, and a small plan."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.plan = self.folder / "a.ruvex.json"
        self.plan.write_text(plan_text(plan_of([cpu_guest("a", 900)])))

    def run_code(self, code: str, *arguments: str, shell: str = "") -> subprocess.CompletedProcess[str]:
        """Run some code and then the command, in a process of its own, its output going where the shell says."""
        command = [sys.executable, "-c", f"{code}\n{_MAIN}", *arguments]
        return subprocess.run(
            ["bash", "-c", f'"$@" {shell}', "bash", *command], capture_output=True, text=True, check=False, timeout=120,
            env=os.environ | {"RUVEX_STATE_DIR": str(self.folder / "state")},
        )  # fmt: skip

    def ends(self, done: subprocess.CompletedProcess[str], status: int, *words: str) -> None:
        """See that a command ended with a status and a reason of one line."""
        self.assertEqual(done.returncode, status, done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        self.assertLessEqual(len(done.stderr.splitlines()), 1, done.stderr)
        for word in words:
            self.assertIn(word, done.stderr)

    def test_output_that_cannot_be_written(self) -> None:
        """Full or closed is said; a reader who goes early is nothing to speak of."""
        for arguments in (("schema",), ("--help",), ("divide", str(self.plan), "--json")):
            with self.subTest(arguments):
                self.ends(
                    self.run_code("", *arguments, shell="> /dev/full"), 2, "the output cannot be written: No space"
                )
                self.ends(self.run_code("", *arguments, shell=">&-"), 2, "there is no output to write to")
                done = self.run_code("", *arguments, shell="| true; exit ${PIPESTATUS[0]}")
                self.ends(done, 0)
                self.assertEqual(done.stderr, "")
        self.assertEqual(self.run_code("", "divide", "none.json", shell="2>&-").returncode, 2, "nowhere to say it")

    def test_our_own_faults(self) -> None:
        """Status 3, one sentence, and where the report was written; also for a check of ours that fails."""
        for code, words in (
            ("import ruvex.cli._schema as s; s.print_schema = lambda: 1 / 0", "division by zero"),
            ("import ruvex.cli._schema as s; s.print_schema = lambda: [].pop()", "pop from empty list"),
            ("import ruvex.cli._schema as s, ruvex.plan as p\ndef f(): raise p.OurFaultError('sums differ')\n"
             "s.print_schema = f", "sums differ"),
        ):  # fmt: skip
            with self.subTest(words):
                done = self.run_code(code, "schema")
                log = self.folder / "state" / "errors.log"
                self.ends(done, 3, "Ruvex itself made a mistake", words, str(log))
                self.assertIn("Traceback", log.read_text())
                self.assertIn(words, log.read_text())
        (self.folder / "state" / "errors.log").unlink()
        os.mkfifo(self.folder / "state" / "errors.log")
        done = self.run_code("import ruvex.cli._schema as s; s.print_schema = lambda: 1 / 0", "schema")
        self.ends(done, 3, "division by zero")
        self.assertNotIn("written in", done.stderr)
        code = "import ruvex.cli._schema as s\ndef f(): raise MemoryError\ns.print_schema = f"
        self.ends(self.run_code(code, "schema"), 3, "not enough memory")

    def test_a_division_that_cannot_be_is_not_shown(self) -> None:
        """More than there is, more than one may have, or no number: an error of ours that names plan and time."""
        wrong = (
            "import numpy as np, ruvex.divide._solve as s\nfrom ruvex.engine import rows as r\nreal = s.Solved\n"
            "def solved(*args):\n    args[3][r.A_GIVEN] {}\n    return real(*args)\ns.Solved = solved"
        )
        for change, words in (
            ("*= 20.0", "18000 is delivered of 10000"),
            ("[:] = np.nan", "a guest gets no number"),
            ("-= 1e6", "a guest gets -"),
        ):
            with self.subTest(change):
                done = self.run_code(wrong.format(change), "divide", str(self.plan), "--json", "--at", "09:30")
                self.ends(done, 3, "the division of test at 09:30 is wrong", words)
                self.assertEqual(done.stdout, "")

    def test_ctrl_c_at_any_time(self) -> None:
        """While loading, reading, playing or writing: status 130, and no half file."""
        now = "import os, signal\ndef stop(*a, **k): os.kill(os.getpid(), signal.SIGINT)\n"
        wrap = "\ndef f(*a, **k):\n    stop()\n    return real(*a, **k)\n"
        importing = (
            "import sys\nclass Finder:\n    def find_spec(self, name, *a):\n        if name == 'numpy': stop()\n"
            "sys.meta_path.insert(0, Finder())"
        )
        out = self.folder / "series.csv"
        for name, code in (
            ("loading", importing),
            ("reading", "import ruvex.cli._run as m\nreal = m.read_plan" + wrap + "m.read_plan = f"),
            ("preparing", "import ruvex.cli._run as m\nreal = m.Player" + wrap + "m.Player = f"),
            ("writing", "import ruvex.exchange._series as m\nreal = m._write_csv" + wrap + "m._write_csv = f"),
            ("printing", "import ruvex.cli._run as m\nreal = m.summary_facts" + wrap + "m.summary_facts = f"),
        ):
            with self.subTest(name):
                done = self.run_code(now + code, "run", str(self.plan), "--until", "00:10", "--out", str(out))
                self.ends(done, 130, "interrupted")
                names = [path.name for path in self.folder.iterdir() if path.name != "state"]
                self.assertEqual(sorted(names), ["a.ruvex.json"] + ["series.csv"] * (name == "printing"))

    def test_numbers_that_are_none(self) -> None:
        """Only what people write as a number is one; too little or too much is refused before any work."""
        big = json.loads(DEMO.read_text())
        guests = [{"id": f"g{i}"} for i in range(2000)]
        large = self.folder / "large.ruvex.json"
        large.write_text(
            json.dumps({"format": "ruvex-plan", "version": 1, "hosts": big["hosts"][:1], "guests": guests})
        )
        out = str(self.folder / "o.csv")
        for every, plan, words in (
            ("1_0", self.plan, "'1_0' is not a number"),
            ("nan", self.plan, "'nan' is not a number"),
            ("0", self.plan, "rows are at least 0.001 s apart"),
            ("1", large, "recording a row every 1 s takes"),
        ):
            with self.subTest(every):
                self.ends(run("run", str(plan), "--out", out, "--every", every), 2, words)
        self.ends(run("divide", str(self.plan), "--at", "1_0"), 2, "'1_0' is not a time")

    def test_a_series_keeps_links(self) -> None:
        """As saving does: what the link points to is replaced."""
        target = self.folder / "series" / "today.csv"
        target.parent.mkdir()
        target.write_text("old")
        target.chmod(0o640)
        link = self.folder / "link.csv"
        link.symlink_to(target)
        self.ends(run("run", str(self.plan), "--until", "00:01", "--out", str(link)), 0)
        self.assertTrue(link.is_symlink())
        self.assertTrue(target.read_text().startswith("time_s,place,guest"))
        self.assertEqual(target.stat().st_mode & 0o777, 0o640)
        self.ends(run("run", str(self.plan), "--until", "00:01", "--out", "/dev/null/x.csv"), 2)
