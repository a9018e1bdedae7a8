"""Kernels as plain Python give the same bits as compiled, and a command on a small plan does without a compiler."""

from __future__ import annotations

import hashlib
import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Final

import numpy as np

from ruvex.divide import divide, solve_as_one
from ruvex.engine import kernels, work_plainly
from ruvex.plan import plan_text
from ruvex.promise import claims_of
from tests.builders import cpu_guest, plan_of
from tests.demo import ROOT
from tests.laws.case import Case
from tests.laws.whole import whole_plan
from tests.thorough import many

PLANS: Final = many(400, 60)
_FIRST: Final = 52_000


def bits(seed: int) -> str:
    """Divide a whole plan, and give a digest of all that came of it."""
    case = Case(whole_plan(seed), seed)
    division = divide(case.site, case.plan.moment)
    solved, claims = division.solved, claims_of(case.site)
    arrays = (
        solved.demand.values, solved.values, solved.given(), solved.known[:2], solved.layers, solved.weights,
        solved.flowing, claims.claimed, claims.allowed, division.cpu.delivered, solve_as_one(solved),
    )  # fmt: skip
    return hashlib.sha256(b"".join(np.ascontiguousarray(array).tobytes() for array in arrays)).hexdigest()


def tell_plainly(count: int) -> None:
    """Print the digests of some plans, divided in plain Python."""
    work_plainly()
    for seed in range(_FIRST, _FIRST + count):
        print(bits(seed))
    assert "numba" not in sys.modules


class Plain(unittest.TestCase):
    """In processes of their own: how kernels are made is decided once."""

    def _run(self, code: str, *arguments: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [sys.executable, "-c", code, *arguments], cwd=ROOT, capture_output=True, text=True, check=False,
            env=os.environ | {"PYTHONPATH": f"{ROOT / 'src'}:{ROOT}"},
        )  # fmt: skip

    def test_the_same_bits(self) -> None:
        """Whole plans: demands, floors, levels, layers, disks, links and promises are equal to the last bit."""
        kernels.load()
        done = self._run(f"from tests.divide.test_plain import tell_plainly; tell_plainly({PLANS})")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        told = done.stdout.split()
        self.assertEqual(len(told), PLANS)
        differ = [seed for seed, digest in enumerate(told, _FIRST) if digest != bits(seed)]
        self.assertEqual(differ, [])

    def test_small_plans_need_no_compiler(self) -> None:
        """A command divides a plan of 200 guests in plain Python, one of 201 compiled, and says the same."""
        show = "import sys; from ruvex.cli._divide import print_division; from pathlib import Path\n" \
               "print_division(Path(sys.argv[1]), None, None, by_host=False, as_json=True)\n" \
               "print('numba' in sys.modules, file=sys.stderr)"  # fmt: skip
        with tempfile.TemporaryDirectory() as folder:
            for count, is_compiled in ((200, False), (201, True)):
                path = Path(folder) / "a.ruvex.json"
                path.write_text(plan_text(plan_of([cpu_guest(f"g{i}", 300) for i in range(count)])), encoding="utf-8")
                self.assertEqual(self._run(show, str(path)).stderr.strip(), str(is_compiled))
