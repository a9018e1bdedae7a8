"""What was measured: values over time, each series told apart by its labels."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Series:
    """One series.

    Attributes
    ----------
    metric, labels
        What was measured, and of what.
    seconds, values
        Times, rising, and what was measured at each, finite and never below 0; shape (samples,).
    """

    metric: str
    labels: Mapping[str, str]
    seconds: Floats
    values: Floats


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """All series of a file.

    Attributes
    ----------
    series
        In the order of the file.
    counters
        The metrics that only grow, so that what they grow by a second is what counts.
    units
        The unit each metric names, where it names one.
    clock
        What the times are: ``utc`` since 1970, ``wall`` the same by the clock on the wall, ``day`` since midnight of a
        day that is not named.
    left_out
        How many samples were of no use: without a time, no number, or below 0.
    """

    series: tuple[Series, ...]
    counters: frozenset[str]
    units: Mapping[str, str]
    clock: str
    left_out: int

    @property
    def metrics(self) -> tuple[str, ...]:
        """The metrics, each once."""
        return tuple(dict.fromkeys(one.metric for one in self.series))


def series_of(metric: str, labels: Mapping[str, str], samples: Mapping[float, float]) -> Series:
    """Give a series of samples by their times."""
    times = np.array(sorted(samples))
    return Series(metric, labels, times, np.array([samples[time] for time in times.tolist()]))
