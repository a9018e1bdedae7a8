"""Rates of the rules as numbers."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def rate(value: float | None) -> float:
    """Give a rate of the rules as a number: infinite where it is ``None``, at once."""
    return math.inf if value is None else value


def times(factor: float, part: Floats) -> Floats:
    """Multiply where an infinite factor times nothing is nothing."""
    return np.where(part > 0, factor * np.where(part > 0, part, 1.0), 0.0)
