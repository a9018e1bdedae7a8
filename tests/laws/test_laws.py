"""Every law over whole plans: some hundred here, thousands by ``scripts/torture --laws``, and all that once failed."""

from __future__ import annotations

import unittest
from pathlib import Path

from ruvex.plan import read_plan
from tests.laws.case import Case
from tests.laws.laws import LAWS
from tests.laws.whole import whole_plan

CORPUS = Path(__file__).parent / "corpus"
PLANS = {"fresh": 100, "possible": 100, "copied": 20, "monotone": 60, "complete": 15, "offered": 12, "one size": 25}
"""How many plans each law is tried on; those that play days are slower.
Sweeps are too slow for the suite: ``scripts/torture --laws`` holds them."""


class Laws(unittest.TestCase):
    """Plans that nobody drew by hand."""

    def test_each_on_whole_plans(self) -> None:
        """No plan breaks a law; the seed that is named draws it again."""
        for name, count in PLANS.items():
            for seed in range(count):
                broken = list(LAWS[name](Case(whole_plan(seed), seed)))
                if broken:
                    self.fail(f"{name}, seed {seed}: {broken[0]}")

    def test_what_once_failed(self) -> None:
        """Small plans on which a law did not hold."""
        for path in sorted(CORPUS.glob("*.json")):
            for name in PLANS:
                with self.subTest(plan=path.name, law=name):
                    self.assertEqual(list(LAWS[name](Case(read_plan(path).plan, 0))), [])
