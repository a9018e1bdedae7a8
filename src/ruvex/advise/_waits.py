"""What guests wait by chance over a played day: the play says who wants what, ``ruvex.cores`` what comes of it."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.cores import ChanceGround, ground_of, waits_on
from ruvex.play import PHASES, Player

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

WAITS_MOMENTS: Final = 289
"""A day is looked at every five minutes: demand rarely moves faster, and more would take longer than a second."""
_BOOTING: Final = PHASES.index("booting")


@dataclass(frozen=True, eq=False)
class DayWaits:
    """What guests wait by chance over a played day.

    Attributes
    ----------
    rows
        The rows of the recording that were looked at.
    chance
        Shape (guests, moments): the part of their time in which the vCPUs of a guest could run and had no thread,
        beyond the fluid wait; 0 while it is off.
    wanted
        Shape (guests, moments): what each wanted, MHz.
    """

    rows: Ints
    chance: Floats
    wanted: Floats

    @cached_property
    def of_guests(self) -> Floats:
        """Of each guest over the day, weighed by what it wants, as fluid wait is."""
        sums = self.wanted.sum(axis=1)
        lost = (self.wanted * self.chance).sum(axis=1)
        return np.asarray(np.divide(lost, sums, out=np.zeros(sums.size), where=sums > 0))

    def at_row(self, row: int) -> Floats:
        """Give what guests waited by chance about a row of the recording."""
        if not self.rows.size:
            return np.zeros(self.chance.shape[0])
        return np.asarray(self.chance[:, min(int(np.searchsorted(self.rows, row)), self.rows.size - 1)])

    def series(self, guest: int, rows: Ints) -> Floats:
        """Give the wait by chance of a guest at rows of the recording, between those looked at by a straight line."""
        if not self.rows.size:
            return np.zeros(rows.size)
        return np.asarray(np.interp(rows, self.rows, self.chance[guest]))


def day_waits(player: Player, *, moments: int = WAITS_MOMENTS) -> DayWaits:
    """Find what guests waited by chance over what has been played and recorded.

    Parameters
    ----------
    player
        A play that records.
    moments
        How many evenly spaced rows are looked at, at most.
    """
    recording, site = player.recording, player.site
    guests = site.guests.shape[1]
    count = min(recording.rows, moments)
    rows = np.unique(np.linspace(0, max(recording.rows - 1, 0), count).round().astype(np.int64))
    if not count or not guests or not site.plan.hosts:
        return DayWaits(rows[:0], np.zeros((guests, 0)), np.zeros((guests, 0)))
    on = (recording.series("phase")[:, rows] >= _BOOTING).T
    wanted, delivered = (
        np.where(on, np.asarray(recording.series(name)[:, rows], dtype=np.float64).T, 0.0)
        for name in ("cpu_wanted", "cpu_delivered")
    )
    grounds: list[ChanceGround] = []
    known: dict[object, int] = {}
    of_moment = np.zeros(rows.size, dtype=np.int64)
    for moment, row in enumerate(rows.tolist()):
        at_s = math.ceil(row * recording.every_s / player.tick_s - 1e-9) * player.tick_s
        standing = (player.settings_number(at_s), on[moment].tobytes())
        if standing not in known:
            there = site.with_plan(player.plan_at(at_s, on[moment].tolist())).standing_as_planned()
            known[standing] = len(grounds)
            grounds.append(ground_of(there))
        of_moment[moment] = known[standing]
    found = waits_on(site, grounds, of_moment, wanted, delivered)
    return DayWaits(rows, found.by_chance.T, wanted.T)
