"""A few short walks over the real window; ``scripts/monkey`` walks for hours."""

from __future__ import annotations

import unittest

from ruvex.cores import prepare
from tests.monkey.walk import walk

WALKS, STEPS = 4, 40


class Walks(unittest.TestCase):
    """Any action in any order, on any plan."""

    def test_nothing_goes_wrong(self) -> None:
        """No mishap after any step; figures are as of a site made anew; undo and redo to the ends are exact.

        ``tests.monkey.walk.walk`` with the seed that is named does the same again.
        """
        prepare()
        for seed in range(1, WALKS + 1):
            self.assertIsNone(walk(seed, range(STEPS)), f"seed {seed}")
