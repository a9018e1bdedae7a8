"""Everything that once did harm, a minute of new harm, and windows that are killed while somebody works in them."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from ruvex.desktop.state.recovery_copy import SUFFIX, read_copy, read_facts
from ruvex.exchange import read_table
from ruvex.plan import Plan, PlanError, PlanFileError, UnitError, parse_cpu, parse_time, read_plan
from tests.demo import ROOT
from tests.thorough import many
from tests.torture import corpus
from tests.torture.inputs import KINDS, TRACE, TRACED
from tests.torture.session import inputs
from tests.torture.watchdog import Watchdog
from tests.torture.window_kills import number_in

INPUTS = many(2500, 300)
"""About a minute's, in full."""
WINDOWS = many(5, 1)


class Corpus(unittest.TestCase):
    """Each is refused with its sentence, or taken, and then everything holds."""

    def setUp(self) -> None:
        """Make a folder."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def refusal(self, content: str) -> str:
        """Read a plan; gives why it is refused."""
        path = self.folder / "a.ruvex.json"
        path.write_text(content, encoding="utf-8")
        try:
            read_plan(path)
        except (PlanError, PlanFileError) as error:
            return str(error)
        return ""

    def look(self, kind: str, content: str, said: str, expected: str) -> None:
        """Compare what is said, and try the rest."""
        if expected:
            self.assertIn(expected, said)
        else:
            self.assertEqual(said, "")
        KINDS[kind](content.encode("utf-8"))

    def test_plans(self) -> None:
        """Documents that were taken and did harm, or were refused after a long time, or not in words."""
        for name, (document, expected) in corpus.PLANS.items():
            with self.subTest(name):
                head = {"format": "ruvex-plan", "version": 1}
                content = document if isinstance(document, str) else json.dumps(head | document)
                self.look("plan", content, self.refusal(content), expected)

    def test_traces(self) -> None:
        """Slopes without end, numbers that are none."""
        for name, (content, expected) in corpus.TRACES.items():
            with self.subTest(name):
                (self.folder / TRACE).write_text(content, encoding="utf-8")
                self.look("trace", content, self.refusal(json.dumps(TRACED)), expected)

    def test_tables_and_quantities(self) -> None:
        """Headings and numbers that took long, or were more than they seemed."""
        for name, (content, expected) in corpus.TABLES.items():
            with self.subTest(name):
                said = ""
                try:
                    read_table(content, Plan())
                except PlanError as error:
                    said = str(error)
                self.look("table", content, said, expected)
        for text in corpus.QUANTITIES:
            with self.subTest(text[:20]):
                KINDS["quantity"](text.encode())
        for text in ("1.7e308G", "1_0", "\u0661"):
            with self.assertRaises(UnitError):
                parse_cpu(text)
        with self.assertRaises(UnitError):
            parse_time("99999:00")

    def test_recovery_copies(self) -> None:
        """Damaged ones are refused in words; what unpacks to more than it is, before it is unpacked."""
        for name, content in corpus.recovery_copies().items():
            with self.subTest(name):
                copy = self.folder / f"a{SUFFIX}"
                copy.write_bytes(content)
                with self.assertRaises((PlanError, PlanFileError)):
                    read_facts(copy)


class Minute(unittest.TestCase):
    """New harm, the same each time."""

    def test_mutations(self) -> None:
        """Plans, traces, tables, settings, recovery copies, quantities: taken or refused, never hanging or dying."""
        command = [sys.executable, "-m", "tests.torture.test_torture"]
        done = subprocess.run(command, cwd=ROOT, capture_output=True, text=True, check=False)
        self.assertEqual((done.returncode, done.stderr), (0, ""), done.stdout)


def minute() -> int:
    """Try so many inputs; tells what was found."""
    # Generous: a machine may have a slow spell, and nothing here may depend on the time it takes.
    watchdog = Watchdog(KINDS, seconds=60.0, more_bytes=1 << 30)
    found = 0
    for number, (kind, content) in enumerate(inputs(20_260_301)):
        if number == INPUTS:
            break
        finding = watchdog.try_input(kind, content)
        if finding is not None:
            found += 1
            print(f"input {number} ({kind}): {finding.what}\n{finding.content[:3000]!r}")
    watchdog.close()
    for kind in KINDS:
        if not watchdog.taken[kind]:
            found += 1
            print(f"no {kind} was taken: the damage is too great to try anything")
    return 1 if found else 0


class Windows(unittest.TestCase):
    """Whatever was told to be on the disk is there after a kill."""

    def test_killed_while_at_work(self) -> None:
        """The recovery copy or the saved plan has at least the last edit that was told; the plan's file is whole."""
        for seed in range(WINDOWS):
            with self.subTest(seed), tempfile.TemporaryDirectory() as name:
                folder = Path(name)
                demo = ROOT / "demo"
                shutil.copy(demo / "orrin-sound.ruvex.json", folder / "plan.ruvex.json")
                shutil.copytree(demo / "traces", folder / "traces")
                command = [sys.executable, "-m", "tests.torture.window_kills", name, str(seed)]
                with subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, text=True) as window:
                    assert window.stdout is not None
                    told = 0
                    for line in window.stdout:
                        told = int(line)
                        if told > 1010 + 9 * seed:
                            window.send_signal(signal.SIGKILL)
                            break
                    told = max([told, *map(int, window.stdout.read().split())])
                self.assertEqual(window.returncode, -signal.SIGKILL)
                has = [number_in(read_plan(folder / "plan.ruvex.json").plan)]
                copies = list((folder / "state" / "recovery").glob(f"*{SUFFIX}"))
                has += [number_in(read_copy(copy).plan) for copy in copies]
                self.assertLessEqual(len(copies), 1)
                self.assertGreaterEqual(max(has), told)


if __name__ == "__main__":
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    sys.exit(minute())
