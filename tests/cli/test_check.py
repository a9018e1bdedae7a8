"""``ruvex check`` and what else pipelines ask: statuses, kinds of findings, standard input, ``python -m ruvex``."""

from __future__ import annotations

import io
import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any
from unittest.mock import patch

from ruvex.advise.worth._finding import KINDS
from ruvex.plan import plan_text
from tests.builders import HOST, cpu_guest, plan_of
from tests.cli.inside import run
from tests.demo import DEMO


class Check(unittest.TestCase):
    """Fit, unfit, unreadable."""

    def setUp(self) -> None:
        """Make an empty folder."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.path = Path(folder.name) / "p.ruvex.json"

    def check(self, guests: list[dict[str, Any]], **rest: Any) -> tuple[int, list[dict[str, Any]]]:
        """Check a plan; gives the status and the faults."""
        self.path.write_text(plan_text(plan_of(guests, **rest)), encoding="utf-8")
        done = run("check", str(self.path), "--json")
        document = json.loads(done.stdout)
        self.assertEqual(document["fit"], done.returncode == 0)
        return done.returncode, document["faults"]

    def test_fit(self) -> None:
        """The demo is fit, and says so; exactly all that there is may be promised."""
        done = run("check", str(DEMO))
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertIn("is fit", done.stdout)
        self.assertEqual(self.check([cpu_guest("a", 1, reservation=10_000)]), (0, []))

    def test_promises_that_cannot_be_kept(self) -> None:
        """1 MHz more than there is: said of the site and of the host, with who holds it."""
        status, faults = self.check([cpu_guest("a", 1, reservation=5000), cpu_guest("b", 1, reservation=5001)])
        self.assertEqual((status, {fault["kind"] for fault in faults}), (1, {"promise"}))
        self.assertEqual(faults[0]["about"], ["b", "a"])
        self.assertIn("by 1 MHz", faults[0]["text"].replace("\N{NARROW NO-BREAK SPACE}", " "))

    def test_cores_banks_and_rules(self) -> None:
        """Cores that guests are kept to, a bank without a volume, a rule of placement: each is found."""
        kept = {"cores": {"only": [0]}}
        guests = [cpu_guest("a", 1, reservation=600) | kept, cpu_guest("b", 1, reservation=600) | kept]
        self.assertIn("cores that guests are kept to", self.check(guests)[1][0]["text"])
        bank = HOST | {"bank": {"size_mib": 900, "max_mib": 900}}
        status, faults = self.check([{"id": "a", "host": "h", "memory": {"size": 800, "bank": True}}], host=bank)
        self.assertEqual((status, "no spill volume" in faults[0]["text"]), (1, True))
        apart = [{"kind": "apart", "guests": ["a", "b"]}]
        status, faults = self.check([{"id": "a"}, {"id": "b"}], placement=apart)
        self.assertEqual((status, faults[0]["kind"]), (1, "rule"))

    def test_who_is_to_be_on_and_cannot_be(self) -> None:
        """A guest on a host that is down."""
        status, faults = self.check([{"id": "a", "host": "h"}], host=HOST | {"up": False})
        self.assertEqual((status, [(f["kind"], f["about"]) for f in faults]), (1, [("off", ["a"])]))

    def test_faults_of_the_plan_itself_and_what_cannot_be_read(self) -> None:
        """A wrong value is a fault, status 1; what is no plan is status 2, without a document."""
        self.path.write_text(
            '{"format": "ruvex-plan", "version": 1, "guests": [{"id": "a", "vcpus": 0}]}', encoding="utf-8"
        )
        done = run("check", str(self.path), "--json")
        self.assertEqual((done.returncode, json.loads(done.stdout)["faults"][0]["about"]), (1, ["a"]))
        for content in ("{", "[]", '{"format": "else"'):
            self.path.write_text(content, encoding="utf-8")
            done = run("check", str(self.path))
            self.assertEqual((done.returncode, done.stdout), (2, ""), content)
        self.assertEqual(run("check", str(self.path) + "not").returncode, 2)

    def test_standard_input_and_python_m(self) -> None:
        """A dash is standard input for every command that reads a plan; the package runs as a module."""
        text = plan_text(plan_of([cpu_guest("a", 1)]))
        for command in (["check"], ["divide"], ["findings"], ["room", "--like", "a"]):
            stream = io.TextIOWrapper(io.BytesIO(text.encode()))
            with patch.object(sys, "stdin", stream):
                done = run(command[0], "-", *command[1:])
            self.assertEqual((done.returncode, done.stderr), (0, ""), command)
        done = subprocess.run(
            [sys.executable, "-m", "ruvex", "check", "-"],
            input=text,
            capture_output=True,
            text=True,
            check=False,
            cwd="/",
        )
        self.assertEqual((done.returncode, done.stderr), (0, ""))


class Kinds(unittest.TestCase):
    """Findings of some kinds only."""

    def test_kind_and_not_kind(self) -> None:
        """Only what is asked for, status 1 if there is any; all but what is not; other words are refused."""
        every = json.loads(run("findings", str(DEMO), "--json").stdout)["findings"]
        kinds = {one["kind"] for one in every}
        self.assertLessEqual(kinds, set(KINDS))
        kind = every[0]["kind"]
        done = run("findings", str(DEMO), "--kind", kind, "--json")
        self.assertEqual({one["kind"] for one in json.loads(done.stdout)["findings"]}, {kind})
        self.assertEqual(done.returncode, 1)
        rest = json.loads(run("findings", str(DEMO), "--not-kind", kind, "--json").stdout)["findings"]
        self.assertEqual({one["kind"] for one in rest}, kinds - {kind})
        absent = next(one for one in KINDS if one not in kinds)
        self.assertEqual(run("findings", str(DEMO), "--kind", absent).returncode, 0)
        wrong = run("findings", str(DEMO), "--kind", "nonsense")
        self.assertEqual((wrong.returncode, "biting-limit" in wrong.stderr), (2, True))
