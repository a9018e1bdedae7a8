"""What a plan wants against what there is, over its day: the data of the day strip."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import kernels
from ruvex.site import Site

Floats = NDArray[np.float64]

MOMENTS: Final = 289
"""Five minutes apart over a whole day, both ends included."""
_ROUNDING: Final = 1e-6


@dataclass(frozen=True, slots=True, eq=False)
class Day:
    """Wanted and supply over the day.

    Attributes
    ----------
    times_s
        Shape (moments,): seconds since the start of the day, from 0 to its end.
    of_hosts
        Shape (2, 2, hosts, moments): wanted and supply, of CPU in MHz and of memory in MiB (banks included), by host.
    is_bank_full
        Shape (moments,): whether the guests of some bank want more than it has.
    """

    times_s: Floats
    of_hosts: Floats
    is_bank_full: NDArray[np.bool_]

    @property
    def wanted(self) -> Floats:
        """Wanted of all hosts together, shape (2, moments)."""
        return np.asarray(self.of_hosts[0].sum(axis=1))

    @property
    def supply(self) -> Floats:
        """Supply of all hosts together, shape (2, moments)."""
        return np.asarray(self.of_hosts[1].sum(axis=1))


def day_of(site: Site, *, moments: int = MOMENTS) -> Day:
    """Sum up what guests want on each host, before limits, at evenly spaced moments of the day.

    Parameters
    ----------
    site
        The plan as arrays.
    moments
        How many, both ends of the day included.
    """
    times = np.linspace(0.0, site.plan.day_s, moments)
    found = np.zeros((2, 3, site.hosts.shape[1], moments))
    signals = site.signals
    kernels.sum_day(
        signals.forms, signals.numbers, signals.tables, signals.knots, signals.day_s, times, site.guests,
        site.numbers, site.standing.of_guests, site.images, site.hosts, found,
    )  # fmt: skip
    wanted, size = found[:, 2]
    return Day(times, found[:, :2], is_bank_full(wanted, size))


def is_bank_full(wanted: Floats, size: Floats) -> NDArray[np.bool_]:
    """Tell when some bank is full, of what its guests want and what it has, both of shape (banks, moments)."""
    return np.asarray((wanted > size * (1.0 + _ROUNDING)).any(axis=0))
