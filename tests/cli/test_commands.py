"""The commands, run as a person runs them."""

from __future__ import annotations

import json
import re
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from ruvex.divide import divide
from ruvex.plan import THIN_SPACE, plan_schema, plan_text, read_plan
from ruvex.site import site_of
from tests.builders import cpu_guest, plan_of
from tests.cli.inside import run
from tests.demo import DEMO

KEYS = "supply wanted promised delivered lacks broken placement rows places"


class Commands(unittest.TestCase):
    """Output, exit status and error manner."""

    def setUp(self) -> None:
        """Make an empty folder."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_divide_table(self) -> None:
        """The table names every guest that is on, in 100 columns."""
        done = run("divide", str(DEMO))
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertLessEqual(max(map(len, done.stdout.splitlines())), 100)
        for guest in read_plan(DEMO).plan.guests:
            self.assertEqual(guest.label in done.stdout, guest.is_powered, guest.label)
        self.assertIn("Orrin Sound Ferries at 08:10", done.stdout)
        # What would be used is what they have, less what lies idle, and what is missing: to the digit shown.
        lines = done.stdout.replace(THIN_SPACE, " ").splitlines()
        cpu, memory = lines[1], " ".join(lines[2:4])
        of = [{word: float(value) for word, value in re.findall(r"([a-z][a-z ]*[a-z]) ([0-9.]+)", told)}
              for told in (cpu, memory)]  # fmt: skip
        self.assertAlmostEqual(of[0]["wanted"], of[0]["delivered"] + of[0]["lacks"], delta=0.02)
        missing = of[1]["lacks"] + of[1]["could use besides"]
        held = of[1]["of it idle"] + of[1]["with squeezed pages"]
        self.assertAlmostEqual(of[1]["would use"], of[1]["delivered"] - held + missing, delta=0.03)
        columns = [float(line[-7:]) if line[-1] != "·" else 0.0 for line in lines[6:] if line[:1].strip("! ")]
        self.assertAlmostEqual(sum(columns), of[1]["lacks"], delta=0.2)

    def test_divide_json(self) -> None:
        """The JSON document has exactly the specified keys and full precision."""
        done = run("divide", str(DEMO), "--json", "--at", "17:20:30")
        document = json.loads(done.stdout)
        file = read_plan(DEMO)
        self.assertEqual(document, divide(site_of(file.plan, file.traces), 62_430).to_json())
        self.assertEqual(list(document), ["plan", "at", "cpu", "memory"])
        self.assertEqual(list(document["cpu"]), KEYS.split())
        row = document["memory"]["rows"][0]
        keys = "id kind parent reservation limit shares weight floor use cap wanted delivered unmet lacks broken"
        self.assertEqual(list(row), keys.split())
        self.assertIsNone(row["limit"])
        seen: set[str] = set()
        for row in document["cpu"]["rows"]:
            self.assertTrue(row["parent"] is None or row["parent"] in seen)
            seen.add(row["id"])

    def test_divide_by_host(self) -> None:
        """By host, each one's guests stand under its name, and supplies and parts of all hosts add up to the site's."""
        done = run("divide", str(DEMO), "--by-host")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        plan = read_plan(DEMO).plan
        told = re.findall(r"^(CPU|Memory) of ([^,]+), ", done.stdout, re.MULTILINE)
        names = [host.label for host in plan.hosts]
        banks = [f"the bank of {host.label}" for host in plan.hosts if host.bank is not None]
        self.assertEqual([name for kind, name in told if kind == "CPU"], names)
        self.assertEqual([name for kind, name in told if kind == "Memory"], names + banks)
        for part in re.split(r"^(?=CPU|Memory)", done.stdout, flags=re.MULTILINE)[1:]:
            host = part.split(",")[0].split()[-1]
            for guest in plan.guests:
                shown = re.search(rf"^ *{re.escape(guest.label)}  ", part, re.MULTILINE)
                self.assertTrue(shown is None or guest.host == host, f"{guest.label} under {host}")
        document = json.loads(run("divide", str(DEMO), "--json").stdout)
        for resource in ("cpu", "memory"):
            part = document[resource]
            for key in ("supply", "delivered"):
                total = sum(place[key] for place in part["places"])
                self.assertAlmostEqual(total, part[key], delta=1e-6 * part[key])
            where = {row["id"]: row["host"] for row in part["rows"] if row["kind"] == "guest"}
            for host in plan.hosts:
                given = sum(row["delivered"] for row in part["rows"] if where.get(row["id"]) == host.id)
                there = sum(place["delivered"] for place in part["places"] if place["host"] == host.id)
                self.assertAlmostEqual(given, there, delta=1e-6 * part["supply"])

    def test_schema(self) -> None:
        """``ruvex schema`` prints the schema."""
        self.assertEqual(json.loads(run("schema").stdout), plan_schema())

    def test_unusable_input(self) -> None:
        """Bad plans, times and arguments end with status 2, the reason on standard error, and no traceback."""
        bad = self.folder / "bad.ruvex.json"
        bad.write_text('{"format": "ruvex-plan", "version": 1, "guests": [{"id": "a", "vcpus": 0}]')
        good = self.folder / "good.ruvex.json"
        good.write_text(plan_text(plan_of([cpu_guest("a", 1)])))
        for arguments, expected in (
            (("divide", str(bad)), "line 1 column"),
            (("divide", str(self.folder / "none")), "No such file"),
            (("divide", str(good), "--at", "noon"), "'noon' is not a time"),
            (("divide", str(good), "--at", "30:00"), "after the end of the plan's day"),
            (("divide",), "PLAN"),
            (("juggle",), "juggle"),
        ):
            with self.subTest(arguments):
                done = run(*arguments)
                self.assertEqual((done.returncode, done.stdout), (2, ""))
                self.assertIn(expected, done.stderr)
                self.assertNotIn("Traceback", done.stderr)

    def test_why(self) -> None:
        """The steps of a figure, who has what it lacks, and what would help, in words and as JSON."""
        done = run("divide", str(DEMO), "--at", "08:10", "--why", "ticket-db")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        told = done.stdout.replace("\u202f", " ")
        for words in (
            "6.20 GHz  promised",
            "kept back by the supply of skerry-1",
            "Who has it: web-front-1",
            "+4.44 GHz  reserve",
        ):
            self.assertIn(words, told)
        document = json.loads(run("divide", str(DEMO), "--at", "08:10", "--why", "booking", "--json").stdout)
        steps = [rung["amount"] for rung in document["memory"]["rungs"]]
        self.assertEqual(sum(steps), document["memory"]["delivered"])
        self.assertGreater(document["cpu"]["would_help"][0]["gain"], 0)
        for item in ("nobody", "lagoon-sim"):
            self.assertEqual(run("divide", str(DEMO), "--why", item).returncode, 2)

    def test_admit(self) -> None:
        """Whether a guest powers on is the exit status; a refusal tells chain, holders and what would help."""
        guests = [cpu_guest("a", 0, reservation=4000), cpu_guest("b", 0, reservation=7000) | {"power": "off"}]
        path = self.folder / "c.ruvex.json"
        path.write_text(plan_text(plan_of(guests)))
        fits = run("admit", str(path), "a")
        self.assertEqual((fits.returncode, fits.stderr), (0, ""))
        self.assertIn("a would power on (it is on", fits.stdout)
        refused = run("admit", str(path), "b")
        self.assertEqual((refused.returncode, refused.stderr), (1, ""))
        told = refused.stdout.replace("\u202f", " ")
        for words in ("short of CPU promises by 1.00 GHz", "11.0 GHz claimed, of 10.0 GHz", "Held by: a 4.00 GHz"):
            self.assertIn(words, told)
        self.assertIn("lower the CPU reservation of a from 4.00 GHz to 3.00 GHz", told)
        document = json.loads(run("admit", str(path), "b", "--json").stdout)
        self.assertEqual((document["admitted"], document["refusal"]["shortfall"]), (False, 1000))
        unknown = run("admit", str(path), "c")
        self.assertEqual(unknown.returncode, 2)
        self.assertIn("there is no guest 'c'", unknown.stderr)

    def test_broken_promises_are_told(self) -> None:
        """A plan that cannot run as it is still divides, and says so."""
        path = self.folder / "b.ruvex.json"
        path.write_text(
            plan_text(plan_of([cpu_guest("a", 9000, reservation=8000), cpu_guest("b", 9000, reservation=8000)]))
        )
        done = run("divide", str(path))
        self.assertEqual(done.returncode, 0)
        self.assertIn("promises cannot all be kept", done.stdout)

    def test_ten_thousand_guests(self) -> None:
        """A plan of 10 000 guests works, as a table and as JSON."""
        guests = [cpu_guest(f"g{i}", 100 + i % 7, pool=f"p{i % 500}") for i in range(10_000)]
        path = self.folder / "large.ruvex.json"
        path.write_text(plan_text(plan_of(guests, [{"id": f"p{i}"} for i in range(500)])))
        document = json.loads(run("divide", str(path), "--json").stdout)
        self.assertEqual(len(document["cpu"]["rows"]), 10_500)
        self.assertAlmostEqual(document["cpu"]["delivered"], document["cpu"]["supply"], places=6)
        self.assertIn("g9999", run("divide", str(path)).stdout)

    def test_help_imports_nothing_heavy(self) -> None:
        """The help comes without Qt, NumPy, SciPy, pydantic or the compiler."""
        code = (
            "import sys\nfrom ruvex.cli import main\nsys.argv = ['ruvex', '--help']\n"
            "try: main()\nexcept SystemExit: pass\n"
            "print([m for m in ('PyQt6', 'numpy', 'scipy', 'pydantic', 'numba') if m in sys.modules])"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.splitlines()[-1], "[]")
        self.assertIn("divide", done.stdout)
