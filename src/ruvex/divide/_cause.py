"""The causes of section 6 by name, and by row."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

CAUSES: Final = (
    "", "own limit", "own ceiling", "own size", "agent missing", "pool's limit", "bank", "supply", "agent loading",
    "still growing", "boot from disk", "cores it is kept to",
)  # fmt: skip
"""Why a guest is below its need; the first is that it is not.

Three take time, so a division has none of them: the agent loads, it is still growing, it boots from disk.
"""


@dataclass(frozen=True, slots=True, eq=False)
class Causes:
    """By row, the cause of its shortfall.

    Attributes
    ----------
    code
        Position in ``CAUSES``; 0 where nothing is missing.
    pool_row
        The row of the pool whose limit it is, where the cause is a pool's limit; else −1.
    """

    code: NDArray[np.int64]
    pool_row: NDArray[np.int64]

    def word(self, row: int) -> str:
        """Give the cause of a row in the words of the glossary, empty where nothing is missing."""
        return CAUSES[self.code[row]]
