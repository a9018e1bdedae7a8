"""What who-is-where and the forest read of guests: made anew only when its bytes differ."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r
from ruvex.plan import Guest, Plan, ThinMemory

Floats = NDArray[np.float64]

_ROWS: Final = np.array([
    r.G_VCPUS, r.G_CPU_RESERVATION, r.G_MODE, r.G_SIZE, r.G_RESERVATION, r.G_SHARES, r.G_FLOOR, r.G_CEILING,
    r.G_DEDICATED, r.G_BANKED, r.G_OVERHEAD, r.G_AGENT,
])  # fmt: skip
"""What promises and placement of guests are made of, and how wide they are on NUMA nodes."""


@dataclass(frozen=True, slots=True, eq=False)
class Ground:
    """The part of a plan's guests that a standing and a forest depend on.

    Whoever makes those is given this and not the guests' own array: what is not in it reads as nothing, so that a
    setting that is missing here is wrong at once, and not only after an edit.

    Attributes
    ----------
    guests
        Shape as ``Site.guests``; rows that do not matter are 0.
    wishes
        Of each guest what is no number: power, host, level of the processor, the spill volume it names, and cores.
    wishing
        The positions of those that are kept to some cores, or have cores of their own.
    """

    guests: Floats
    wishes: tuple[tuple[object, ...], ...]
    wishing: tuple[int, ...]

    def patched(self, guests: Floats, plan: Plan, changed: Sequence[int]) -> Ground:
        """Give that of a plan in which some guests are others; this very one where nothing of it differs."""
        wishes = [_wish(plan.guests[i]) for i in changed]
        same = all(wish == self.wishes[i] for i, wish in zip(changed, wishes, strict=True))
        at = np.array(changed, dtype=np.int64)
        if same and guests[_ROWS[:, None], at].tobytes() == self.guests[_ROWS[:, None], at].tobytes():
            return self
        return ground_of(plan, guests)


def ground_of(plan: Plan, guests: Floats) -> Ground:
    """Give what a standing and a forest read; ``guests`` as ``Site.guests`` has them."""
    read = np.zeros_like(guests)
    read[_ROWS] = guests[_ROWS]
    wishing = tuple(
        i for i, guest in enumerate(plan.guests)
        if guest.dedicated_cores or guest.cores.only is not None or guest.cores.side_by_side
    )  # fmt: skip
    return Ground(read, tuple(_wish(guest) for guest in plan.guests), wishing)


def _wish(guest: Guest) -> tuple[object, ...]:
    volume = guest.memory.spill_volume if isinstance(guest.memory, ThinMemory) else None
    return guest.power, guest.host, guest.cpu_level, volume, guest.cores
