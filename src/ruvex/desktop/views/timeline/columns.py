"""Series of many rows as one value a pixel: the level of detail that the eye can see."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvex.desktop.kit.time_scale import TimeScale

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class LaneColumns:
    """Which recorded rows each pixel column shows.

    Attributes
    ----------
    first
        By column, its first row; columns between two rows share the one before.
    last
        By column, the row after its last.
    is_coarse
        Some columns show several rows: then the highest of each counts.
    filled
        How many columns there is anything to show for.
    """

    first: NDArray[np.int64]
    last: NDArray[np.int64]
    is_coarse: bool
    filled: int

    def highest(self, series: NDArray[Any]) -> NDArray[np.float32]:
        """Give the highest value of each filled column; the last axis of the series are its rows."""
        if not self.filled:
            return np.zeros((*series.shape[:-1], 0), dtype=np.float32)
        first = self.first[: self.filled]
        if not self.is_coarse:
            return np.asarray(series[..., first], dtype=np.float32)
        start, end = int(first[0]), int(self.last[self.filled - 1])
        return np.asarray(np.maximum.reduceat(series[..., start:end], first - start, axis=-1), dtype=np.float32)

    def sample(self, series: NDArray[Any]) -> NDArray[Any]:
        """Give the first value of each filled column."""
        return np.asarray(series[..., self.first[: self.filled]])


def columns_of(scale: TimeScale, width: int, rows: int, every_s: float) -> LaneColumns:
    """Tell which rows each of so many pixel columns shows.

    Parameters
    ----------
    scale
        The time axis; its x may be in other pixels than the columns.
    width
        How many columns there are.
    rows, every_s
        How many rows are recorded, and how far apart they are.
    """
    edges = scale.start_s + scale.span_s * np.arange(width + 1) / max(1, width)
    numbers = np.floor(edges / every_s + 1e-9).astype(np.int64)
    first = np.minimum(numbers[:-1], max(rows - 1, 0))
    last = np.minimum(np.maximum(numbers[1:], first + 1), rows)
    filled = int(np.searchsorted(numbers[:-1], rows)) if rows else 0
    is_coarse = bool(np.any(np.diff(numbers) > 1))
    if is_coarse:
        # Groups of a reduction must begin at rising places; columns that share a row are drawn from samples then.
        is_coarse = bool(np.all(np.diff(first[:filled]) > 0)) if filled > 1 else False
    return LaneColumns(first, last, is_coarse, filled)
