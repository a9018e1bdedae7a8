"""The size that a guest should have: whoever proposes vCPUs, memory or a reservation for one asks here."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.cores import vcpu_change
from ruvex.plan import ElasticMemory, Guest, Host, Resource, Rules, ThinMemory
from ruvex.play import PHASES, Player

Floats = NDArray[np.float64]

BUSY: Final = 0.7
"""Of so many vCPUs a guest's peak may keep this part busy: with fewer it would stand in its own way."""
SPARE: Final = 1.2
"""A size is so many times the most that is worked with, a reservation the most that is used."""
STEP_MIB: Final = 128.0
STEP_MHZ: Final = 50.0
STEPS: Final[Mapping[Resource, float]] = {"cpu": STEP_MHZ, "memory": STEP_MIB}
_LEAST_HEADROOM: Final = 5.0
_MOST_HEADROOM: Final = 60.0
_RUNNING: Final = PHASES.index("running")


def vcpus_for(peak_mhz: float, mhz: float) -> int:
    """Give how many vCPUs the most that is wanted calls for, on cores of a speed in MHz.

    Examples
    --------
    >>> vcpus_for(4200.0, 3000.0)
    2
    """
    return max(1, math.ceil(peak_mhz / mhz / BUSY - 1e-9))


def with_vcpus(guest: Guest, host: Host, vcpus: int, used_mhz: float) -> dict[str, Any]:
    """Give the settings of a guest with fewer vCPUs; a reservation that they cannot use is lowered to what is used.

    Parameters
    ----------
    guest, host
        The guest, and on whose cores it runs.
    vcpus
        How many it shall have.
    used_mhz
        The most that it is given over the day.
    """
    change = vcpu_change(guest, host, vcpus)
    if "cpu.reservation" in change:
        change["cpu.reservation"] = min(change["cpu.reservation"], reservation_for(used_mhz, STEP_MHZ))
    return change


def size_for(works_mib: float) -> float:
    """Give the size, or limit of memory, for the most that is worked with, MiB.

    Examples
    --------
    >>> size_for(1000.0)
    1280.0
    """
    return max(whole_steps(works_mib * SPARE, STEP_MIB), STEP_MIB)


def reservation_for(used: float, step: float) -> float:
    """Give the reservation for the most that is used of one, in whole steps of the resource.

    Examples
    --------
    >>> reservation_for(900.0, STEP_MHZ)
    1100.0
    """
    return whole_steps(used * SPARE, step)


def whole_steps(amount: float, step: float) -> float:
    """Round an amount up to whole steps."""
    return math.ceil(amount / step - 1e-9) * step


@dataclass(frozen=True, slots=True)
class ElasticSize:
    """The settings of memory that an elastic guest should have, MiB and percent."""

    floor: float
    boot: float
    ceiling: float
    headroom_percent: float


def elastic_size_of(working: Floats, every_s: float, rules: Rules) -> ElasticSize:
    """Give the elastic settings for what a guest works with over a day.

    Parameters
    ----------
    working
        What it works with while it runs, MiB, shape (times,), at least one.
    every_s
        How far apart these are, s.
    rules
        Those of the plan: how often memory is looked at.
    """
    # How much more is worked with by the time memory has come: a look, then what grows in that time.
    ahead = max(1, round((rules.memory_every_s + every_s) / every_s))
    grown = float(((working[ahead:] - working[:-ahead]) / np.maximum(working[:-ahead], 1.0)).max(initial=0.0))
    headroom = float(min(max(math.ceil(100 * grown), _LEAST_HEADROOM), _MOST_HEADROOM))
    floor = max(STEP_MIB, math.floor(float(np.quantile(working, 0.02)) / STEP_MIB) * STEP_MIB)
    ceiling = max(whole_steps(float(working.max()) * (1 + headroom / 100), STEP_MIB), floor)
    boot = whole_steps(float(np.median(working)) * (1 + headroom / 100), STEP_MIB)
    return ElasticSize(floor, min(max(boot, floor), ceiling), ceiling, headroom)


def working_of(day: Player, position: int) -> Floats:
    """Give what a guest works with in a played day while it runs, MiB, shape (times,); none if it never does."""
    recording = day.recording
    if not recording.rows:
        return np.zeros(0)
    on = recording.series("phase")[position] == _RUNNING
    return np.asarray(recording.series("working")[position][on], dtype=np.float64)


def memory_size_of(guest: Guest, day: Player, position: int, rules: Rules) -> dict[str, float | None]:
    """Give the settings of memory that a guest should have, each by its dotted name; none for who never runs.

    Parameters
    ----------
    guest, position
        The guest, and where it stands in the plan.
    day
        The day of its plan, played.
    rules
        Those of the plan.

    Returns
    -------
    dict
        MiB and percent; a limit of None says that it needs none. Greedy work has no right size, as it fills any.
    """
    working, memory = working_of(day, position), guest.memory
    if guest.demand.greedy or not working.size or float(working.max()) <= 0:
        return {}
    if isinstance(memory, ElasticMemory):
        of = elastic_size_of(working, day.recording.every_s, rules)
        names = ("floor", "boot", "ceiling", "headroom_percent")
        return {f"memory.{name}": float(getattr(of, name)) for name in names}
    enough = size_for(float(working.max()))
    found: dict[str, float | None] = {"memory.size": max(enough, getattr(memory, "reservation", 0.0))}
    if isinstance(memory, ThinMemory) and memory.limit is not None:
        # The size holds it already where the limit would stand at or above it.
        found["memory.limit"] = None if enough >= memory.size else max(enough, memory.reservation)
    return found
