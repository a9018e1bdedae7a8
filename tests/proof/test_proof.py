"""A plan put to the running kernel: what it is scaled to, what the kernel gives, and that nothing stays behind."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from typing import Any
from unittest.mock import patch

from hypothesis import given, settings

from ruvex.cores import trace
from ruvex.divide import PlacePart, divide, places_of
from ruvex.plan import EditError, Plan, StoppedError, UnitError
from ruvex.proof import QUIET, NoGroupsError, Proof, Scaled, prove, scaled_to
from ruvex.proof import _groups as groups
from ruvex.site import site_of
from tests.builders import cpu_guest, plan_of
from tests.cli.inside import run
from tests.cores.host import MHZ, guest, plan_on
from tests.demo import DEMO
from tests.divide.strategies import plans
from tests.thorough import IS_FULL, many

CASES: dict[str, tuple[list[dict[str, Any]], list[dict[str, Any]]]] = {
    "three weights": ([], [guest("a", shares=100), guest("b", shares=250), guest("c", shares=50)]),
    "a pool beside a guest": (
        [{"id": "p", "cpu": {"shares": 120}}],
        [guest("a", pool="p", shares=100), guest("b", pool="p", shares=300), guest("c", shares=100)],
    ),
    "a limit gives way to the other": ([], [guest("a", shares=300, limit=200), guest("b", shares=100)]),
}
NEAR = 0.03


_SEEN: set[int] = set()


def own_groups() -> list[Path]:
    """Find groups that proofs of this process, or of those it started, have made and not taken away."""
    with contextlib.suppress(NoGroupsError):
        return [path for path in groups._place()[1].glob("ruvex-proof-*") if int(path.name.split("-")[2]) in family()]
    return []


def family() -> set[int]:
    """Give this process and all that were below it once: other tests run beside these, and prove as well."""
    above: dict[int, int] = {}
    for path in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            above[int(path.parent.name)] = int(path.read_text().rpartition(")")[2].split()[1])
    found, more = {os.getpid()}, {os.getpid()}
    while more:
        more = {pid for pid, parent in above.items() if parent in more}
        found |= more
    _SEEN.update(found)  # when one is killed, those below it stand below it no longer
    return set(_SEEN)


def burners() -> list[str]:
    """Find processes below this one that want a part of a processor for a proof."""
    found = []
    for pid in family():
        with contextlib.suppress(OSError):
            text = Path(f"/proc/{pid}/cmdline").read_bytes().decode("utf-8", "replace")
            if "proof/_burner.py" in text:
                found.append(text)
    return found


class ScaledPlans(unittest.TestCase):
    """What is put to the kernel."""

    def test_by_hand(self) -> None:
        """Ten cores become two processors; a pool alone has what it gets; reservations are left out and told."""
        plan = plan_of(
            [cpu_guest("a", 6000, pool="p", limit=1500), cpu_guest("b", 9000, shares=300, reservation=500),
             cpu_guest("c", 4000, pool="p")],
            [{"id": "p"}, {"id": "empty"}],
        )  # fmt: skip
        division = divide(site_of(plan, {}))
        scaled = scaled_to(division, 2)
        figures = {p.item: (p.wants, p.limit, round(p.expected, 6)) for p in scaled.parties}
        # 7 500 of 10 000 are b's by shares; a is bound by its limit no more than by its half of the pool.
        self.assertEqual(figures, {
            "p": (2.0, None, 0.5), "a": (1.2, 0.3, 0.25), "c": (0.8, None, 0.25), "b": (1.8, None, 1.5),
        })  # fmt: skip
        self.assertEqual(scaled.mhz, 5000)
        self.assertIn("Reservations are left out", scaled.told[0])
        alone = scaled_to(division, 1, pool="p")
        self.assertEqual({p.item: (p.parent, round(p.expected, 6)) for p in alone.parties},
                         {"a": (None, 0.5), "c": (None, 0.5)})  # fmt: skip
        self.assertEqual(alone.mhz, 2500)
        for wrong in ({"pool": "empty"}, {"pool": "x"}, {"host": "x"}):
            with self.assertRaises(EditError):
                scaled_to(division, 1, **wrong)

    @settings(max_examples=many(100))
    @given(plans(host_counts=(1, 2, 3), all_up=True))
    def test_without_reservations_it_is_the_division_itself(self, plan: Plan) -> None:
        """On each host, whatever pools span: delivered there, times processors by supply."""
        data = plan.model_dump()
        for item in (*data["pools"], *data["guests"]):
            item["cpu"]["reservation"] = 0
        division = divide(site_of(Plan.model_validate(data), {}))
        for place in places_of(division.cpu):
            part = PlacePart(division, division.cpu, place)
            try:
                scaled = scaled_to(division, 3, host=part.host)
            except EditError:
                continue
            there = {row["id"]: row for row in part.rows}
            if any(party.limit == 0.01 for party in scaled.parties):
                continue
            for party in scaled.parties:
                self.assertAlmostEqual(party.expected, there[party.item]["delivered"] / scaled.mhz, delta=1e-6)

    def test_too_many(self) -> None:
        """Bounded in guests, time and processes, each with a word that helps."""
        many = plan_of([cpu_guest(f"g{i}", 10) for i in range(201)])
        with self.assertRaisesRegex(EditError, "201 guests"):
            scaled_to(divide(site_of(many, {})), 1)
        scaled = scaled_to(divide(site_of(plan_of([cpu_guest("a", 10_000)]), {})), 1)
        for seconds, runs in ((31.0, 1), (0.1, 1), (1.0, 11), (1.0, 0)):
            with self.assertRaises(UnitError):
                prove(scaled, seconds=seconds, runs=runs)
        with self.assertRaisesRegex(UnitError, "processors, not 4096"):
            prove(Scaled(scaled.parties, 4096, 1.0, ()))


class OnTheKernel(unittest.TestCase):
    """The kernel's own groups; skipped where none can be made or the processor is too busy."""

    def proved(self, scaled: Scaled, **how: Any) -> Proof:
        """Put it to the kernel."""
        try:
            proof = prove(scaled, **how)
        except NoGroupsError as error:
            self.skipTest(str(error))
        self.assertEqual((own_groups(), burners()), ([], []))
        return proof

    def test_the_kernel_gives_each_group_what_turns_and_division_give_its_guest(self) -> None:
        """Weights, a nested pool and a limit, each with one process that always wants, on one processor."""
        for name, (pools, guests) in CASES.items():
            with self.subTest(name):
                division = divide(site_of(plan_on(1, guests, pools), {}))
                window = trace(division, "h", for_s=10)
                proof = self.measured(scaled_to(division, 1))
                # What something else took of the processor may all be one group's: who is at a limit loses none of it.
                near = NEAR + max(0.0, 1.0 - proof.part_had)
                for row in proof.rows:
                    if not row.party.is_pool:
                        delivered = float(division.cpu.delivered[division.position[row.party.item]]) / MHZ
                        self.assertAlmostEqual(row.party.expected, delivered)
                        self.assertAlmostEqual(row.mean, window.of_things[row.party.item].run, delta=near)
                        self.assertAlmostEqual(row.mean, delivered, delta=near)

    def measured(self, scaled: Scaled) -> Proof:
        """Measure up to three times: what else runs on this machine may take a processor away in any one of them."""
        for _ in range(3):
            proof = self.proved(scaled, seconds=2.0 if IS_FULL else 1.0, runs=1)
            if proof.part_had >= QUIET and all(abs(row.mean - row.party.expected) < NEAR / 2 for row in proof.rows):
                break
        if proof.part_had < QUIET:
            self.skipTest(f"the processor is not quiet: {proof.part_had:.0%} of it was for the groups")
        return proof

    def test_stopped_half_way(self) -> None:
        """Who stops it gets nothing, and nothing stays behind."""
        scaled = scaled_to(divide(site_of(plan_of([cpu_guest("a", 9000), cpu_guest("b", 9000)]), {})), 1)

        def tell(_what: str, part: float) -> None:
            if part > 0.05:
                seen.append(len(burners()))
                raise StoppedError("stopped")

        seen: list[int] = []
        with self.assertRaises(StoppedError):
            self.proved(scaled, seconds=5.0, tell=tell)
        self.assertEqual((seen, own_groups(), burners()), ([2], [], []))

    def test_a_parent_that_is_gone_already(self) -> None:
        """A burner whose parent was killed while it started ends by itself: its input ended, so it would burn on."""
        burner = Path(groups.__file__).with_name("_burner.py")
        for parent, status in ((os.getpid(), None), (1, 0)):
            with subprocess.Popen([sys.executable, "-E", "-S", str(burner), "0.01", str(parent)],
                                  stdin=subprocess.PIPE) as process:  # fmt: skip
                assert process.stdin is not None
                process.stdin.close()
                try:
                    found: int | None = process.wait(timeout=60 if status is not None else 1.0)
                except subprocess.TimeoutExpired:
                    found = None
                    process.kill()
                self.assertEqual(found, status)

    def test_killed(self) -> None:
        """A proof that is killed, or interrupted, leaves neither groups nor processes behind."""
        command = [sys.executable, "-c", "from ruvex.cli import main; main()", "prove", str(DEMO), "--for", "20"]
        for number, status in ((signal.SIGKILL, -9), (signal.SIGINT, 130)):
            with (
                self.subTest(number),
                subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as proof,
            ):
                while not burners() and proof.poll() is None:
                    time.sleep(0.02)
                if proof.poll() == 2:
                    self.skipTest(proof.communicate()[1])
                self.assertTrue(own_groups())
                proof.send_signal(number)
                self.assertEqual(proof.wait(timeout=60), status)
                for _ in range(1500):
                    if not own_groups() and not burners():
                        break
                    time.sleep(0.02)
                self.assertEqual((own_groups(), burners()), ([], []))

    def test_by_command(self) -> None:
        """A table and a document of the demo's morning, the same rows; what it cannot use is said."""
        done = run("prove", str(DEMO), "--for", "0.5", "--runs", "2", "--processors", "1", "--within", "100")
        if done.returncode == 2:
            self.skipTest(done.stderr)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertIn("on 1 processor of this machine", done.stdout)
        self.assertIn("Farthest apart:", done.stdout)
        plain = run(
            "prove", str(DEMO), "--pool", "booking", "--for", "0.5", "--runs", "1", "--processors", "1", "--json",
            "--within", "0",
        )  # fmt: skip
        found = json.loads(plain.stdout)
        self.assertEqual(plain.returncode, 1)
        self.assertEqual({row["id"] for row in found["rows"]}, {"ticket-db", "web-front-1", "seat-maps"})
        self.assertEqual(run("prove", str(DEMO), "--host", "x").returncode, 2)


class WhereItMayNot(unittest.TestCase):
    """What it needs is told, and nothing is tried."""

    def test_no_groups(self) -> None:
        """Without control groups, or without their controller of CPU."""
        scaled = scaled_to(divide(site_of(plan_of([cpu_guest("a", 10_000)]), {})), 1)
        with tempfile.TemporaryDirectory() as folder, patch.object(groups, "_ROOT", Path(folder)):
            with self.assertRaisesRegex(NoGroupsError, "needs Linux"):
                prove(scaled)
            Path(folder, "cgroup.controllers").write_text("memory pids\n", encoding="ascii")
            with patch.object(os, "geteuid", return_value=0), self.assertRaisesRegex(NoGroupsError, "Delegate=yes"):
                prove(scaled)
            self.assertEqual(burners(), [])
            done = run("prove", str(DEMO))
            self.assertEqual((done.returncode, "Delegate=yes" in done.stderr), (2, True))
