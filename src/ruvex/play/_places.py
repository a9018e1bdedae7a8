"""Where memory is while it is played, and what guests ask of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.play import _state as s

Floats = NDArray[np.float64]


@dataclass(slots=True, eq=False)
class PlaceState:
    """The memory of the hosts, or of one bank, while it is played; MiB.

    Attributes
    ----------
    number, host
        As ``Place`` has them: 0 for the hosts, and the position of a bank's host.
    supply, free
        What there is for guests, and what of it nobody holds.
    pressure
        Position in ``PRESSURES``.
    size
        Of a bank, how large it is by now.
    wanted_by_start
        What waiting starts need beside what is free.
    out_of_memory
        At the last look not all growth found memory.
    is_broken
        More is promised here than there is.
    """

    number: int
    supply: float = 0.0
    free: float = 0.0
    pressure: int = s.AMPLE
    size: float = 0.0
    wanted_by_start: float = 0.0
    out_of_memory: bool = False
    is_broken: bool = False


@dataclass(slots=True, eq=False)
class MemoryAsks:
    """What guests ask of memory at a look, as section 2 has it; shape (guests,), MiB."""

    floor: Floats
    knee: Floats
    use: Floats
    cap: Floats

    def within(self, most: Floats) -> MemoryAsks:
        """Give the same asks where nobody may have more than this."""
        # Floors and knees stay where they were, or what is left would be divided differently.
        most = np.maximum(most, self.floor)
        if (self.cap <= most).all():
            return self
        return MemoryAsks(self.floor, self.knee, np.minimum(self.use, most), np.minimum(self.cap, most))
