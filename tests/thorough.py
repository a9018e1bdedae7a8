"""How thorough a run is: quick with every change, in full before something is called done (``scripts/test --full``)."""

from __future__ import annotations

import os
import unittest
from typing import Final

IS_FULL: Final = os.environ.get("RUVEX_TESTS") == "full"
_QUICK_PART: Final = 3
_LEAST: Final = 8


def many(full: int, quick: int | None = None) -> int:
    """Give how many examples to draw: all in full, else a third of them and at least eight, or what is named.

    Parameters
    ----------
    full, quick
        How many in each.
    """
    if IS_FULL:
        return full
    return min(full, max(_LEAST, full // _QUICK_PART)) if quick is None else quick


only_in_full = unittest.skipUnless(IS_FULL, "it takes long: scripts/test --full runs it")
"""Marks what a quick run leaves out, as other tests hold the same in less time."""
