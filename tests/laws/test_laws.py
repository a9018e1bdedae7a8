"""Every law over whole plans: some hundred here, thousands by ``scripts/torture --laws``, and all that once failed."""

from __future__ import annotations

import unittest
from pathlib import Path

from ruvex.plan import read_plan
from tests.laws.case import Case
from tests.laws.laws import LAWS
from tests.laws.whole import SMALL, whole_plan
from tests.thorough import IS_FULL, many

CORPUS = Path(__file__).parent / "corpus"
PLANS = {
    "fresh": 100, "possible": 120, "copied": 60, "monotone": 120, "rest": 100, "read back": 60, "fits": 60, "lost": 60,
    "complete": 60, "one size": 60, "offered": 20, "answered": 12, "swept": 20, "silent": 30, "placed": 40,
    "helped": 40, "split": 60, "alike": 60,
}  # fmt: skip
"""How many plans each law is tried on, in full."""
OF_SLOW = {
    "complete": ("limit-behind-limit", "short-beside-peaks-that-coincide"), "one size": (),
    "offered": ("ceiling-that-binds-later", "batch-late-with-more-vcpus"),
    "answered": ("volumes-one-at-a-time",), "swept": ("spill-for-who-is-back",),
    "placed": ("exchange-of-who-are-kept-apart", "on-once-another-has-moved", "without-a-host-among-two",
               "exchange-that-is-refused-as-one", "move-that-puts-others-elsewhere"),
}  # fmt: skip
"""What is kept of each slow law in a quick run."""
SLOW = ("complete", "one size", "offered", "answered", "swept", "placed")
"""Laws that play many days: here on small plans, by ``scripts/torture --laws`` on those of all sizes."""


class Laws(unittest.TestCase):
    """Plans that nobody drew by hand."""

    def test_each_on_whole_plans(self) -> None:
        """No plan breaks a law; the seed that is named draws it again."""
        self.assertEqual(set(PLANS), set(LAWS))
        for name, count in PLANS.items():
            for seed in range(many(count, max(count // 4, 4))):
                broken = list(LAWS[name](Case(whole_plan(seed, SMALL if name in SLOW else None), seed)))
                if broken:
                    self.fail(f"{name}, seed {seed}: {broken[0]}")

    def test_what_once_failed(self) -> None:
        """Small plans on which a law did not hold."""
        for path in sorted(CORPUS.glob("*.json")):
            for name in PLANS:
                if name in SLOW and not IS_FULL and path.stem not in OF_SLOW[name]:
                    continue
                with self.subTest(plan=path.name, law=name):
                    self.assertEqual(list(LAWS[name](Case(read_plan(path).plan, 0))), [])
