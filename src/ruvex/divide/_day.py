"""What a plan wants against what there is, over its day: the data of the day strip."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._asks import guest_cpu, guest_memory_wanted, shared_pages, supply_at
from ruvex.divide._compiled import Compiled
from ruvex.divide._signals import CPU, TOUCHED, WORKING

Floats = NDArray[np.float64]

_BLOCK: Final = 1_000_000
"""Signals times moments evaluated at once; bounds the memory of a plan of many guests."""


@dataclass(frozen=True, slots=True, eq=False)
class Day:
    """Wanted and supply over the day.

    Attributes
    ----------
    times_s
        Shape (moments,): seconds since the start of the day, from 0 to its end.
    wanted, supply
        Shape (2, moments): CPU in MHz, memory in MiB.
    """

    times_s: Floats
    wanted: Floats
    supply: Floats


def day_of(compiled: Compiled, *, moments: int = 289) -> Day:
    """Sum up what all guests want, before limits, at evenly spaced moments of the day.

    Parameters
    ----------
    compiled
        The plan as arrays.
    moments
        How many, both ends of the day included; 289 are five minutes apart.
    """
    times = np.linspace(0.0, compiled.plan.day_s, moments)
    wanted, supply = np.zeros((2, moments)), np.zeros((2, moments))
    guests = compiled.guests
    step = max(1, _BLOCK // max(1, 3 * guests.shape[1]))
    for start in range(0, moments, step):
        part = slice(start, start + step)
        now = compiled.signals.at(times[part])
        high = compiled.signals.highest_until(times[part])
        cap, cpu = guest_cpu(guests, now[:, CPU])
        touched = np.maximum(high[:, WORKING], high[:, TOUCHED])
        shared, copies = shared_pages(compiled, touched)
        memory = guest_memory_wanted(guests, now[:, WORKING], touched, shared)
        wanted[:, part] = cpu.sum(axis=1), memory.sum(axis=1)
        supply[:, part] = supply_at(compiled, cap, copies).T
    return Day(times, wanted, supply)
