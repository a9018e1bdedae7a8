"""A few short walks over the real window; ``scripts/monkey`` walks for hours."""

from __future__ import annotations

import unittest

from ruvex.cores import prepare
from tests.monkey.walk import walk

WALKS, STEPS = 4, 40
ONCE_WRONG = {
    2330089: (4, 6, 7, 8, 20, 21, 22, 25, 26),
    2330121: (10, 14, 15, 16, 17, 30, 31, 42, 43, 125, 126, *range(137, 143)),
    2340028: (10, 13, 17, 19, 22, 23, 40),
    7720188: (45, 46, 47, 54, 73, 74),
    7830051: (11, 12, 21, 22, 86),
    7830136: (50, 51, 98, 100, 125, 134, 136, 137, 139),
    7500052: (0, 1, 2, 3, 10, 12, 18, 23, 28, *range(38, 45), *range(48, 52)),
}
"""Steps after which something was wrong: remedies of a copied pool, the list's cell, lanes with a guest less, a guest
that turns did not have yet, a name typed for a guest that went, places to move to of a plan that was closed, a page
that was opened while another was put away."""


class Walks(unittest.TestCase):
    """Any action in any order, on any plan."""

    def test_nothing_goes_wrong(self) -> None:
        """No mishap after any step; figures are as of a site made anew; undo and redo to the ends are exact.

        ``tests.monkey.walk.walk`` with the seed that is named does the same again.
        """
        prepare()
        for seed in range(1, WALKS + 1):
            self.assertIsNone(walk(seed, range(STEPS)), f"seed {seed}")

    def test_what_once_went_wrong(self) -> None:
        """A few short walks that were not to their end."""
        prepare()
        for seed, steps in ONCE_WRONG.items():
            self.assertIsNone(walk(seed, steps), f"seed {seed}")
