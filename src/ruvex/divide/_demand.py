"""What the guests' work asks for at a moment."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.site import Site

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Asked:
    """The demand of every guest at one moment, shape (5, guests): MHz, MiB, MiB, transfers a second, MiB/s."""

    values: Floats


def demand_at(site: Site, at_s: float) -> Asked:
    """Evaluate all signals at a moment; touched is the running maximum since the start of the day (section 2)."""
    values = site.signals.at(at_s)
    high = site.signals.highest_until(at_s)
    np.maximum(high[1], high[2], out=values[2])
    return Asked(values)
