"""The figures of a day that was played and recorded."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Contended, Division, used_of_pools
from ruvex.engine import rows as r
from ruvex.ledger._short import falls_short
from ruvex.plan import Resource

if TYPE_CHECKING:
    # Named only: whoever divides once, and plays nothing, does not wait for what plays.
    from ruvex.play import Player, Recording

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

_HOUR_S: Final = 3600.0
_CHANNELS: Final[dict[Contended, tuple[str, str]]] = {
    "cpu": ("cpu_wanted", "cpu_delivered"), "memory": ("need", "met"), "store": ("ops_wanted", "ops_delivered"),
    "link": ("net_wanted_mib_s", "net_delivered_mib_s"),
}  # fmt: skip


class TimeFigures:
    """The figures of some recorded times of a day, by guest; 0 for those that are off.

    Parameters
    ----------
    recording
        What was recorded.
    times, guests
        Positions: one, or a slice; arrays are of shape (guests, times), without the axis of which one is chosen.
    """

    def __init__(self, recording: Recording, times: int | slice, guests: int | slice = slice(None)) -> None:
        self._recording, self._at, self._times = recording, (guests, times), times
        self._made: dict[tuple[str, Contended], Floats] = {}

    @cached_property
    def on(self) -> Bools:
        """Who boots or runs."""
        return np.asarray(self._recording.series("phase")[self._at] >= r.BOOTING)

    def series(self, channel: str) -> Floats:
        """Give a recorded channel, exact enough to be summed."""
        return np.where(self.on, np.asarray(self._recording.series(channel)[self._at], dtype=np.float64), 0.0)

    def wanted(self, of: Contended) -> Floats:
        """Give what is asked for, of memory the need; units as a look has them."""
        if ("wanted", of) not in self._made:
            self._made["wanted", of] = self.series(_CHANNELS[of][0])
        return self._made["wanted", of]

    def met(self, of: Contended) -> Floats:
        """Give what of that is there: wanted less lacks."""
        if ("met", of) not in self._made:
            found = self.series(_CHANNELS[of][1])
            # Of memory the part is recorded; what is had beyond the need makes up for nothing.
            self._made["met", of] = (
                self.wanted(of) * np.clip(found, 0.0, 1.0) if of == "memory" else np.minimum(found, self.wanted(of))
            )
        return self._made["met", of]

    def lacks(self, of: Contended) -> Floats:
        """Give what is asked for and not there."""
        return np.asarray(self.wanted(of) - self.met(of))

    def is_short(self, of: Contended) -> Bools:
        """Tell who lacks more than a thousandth of what it wants."""
        return falls_short(self.lacks(of), self.wanted(of))

    @property
    def flows_lack(self) -> Floats:
        """What is asked of each store and of the links of each host and not had there; shape (places, times)."""
        return self._missing(*(self._recording.of_flows(name) for name in ("wanted", "delivered")))

    @property
    def hosts_lack_cpu(self) -> Floats:
        """The CPU that is asked of each host and not had there; shape (places, times)."""
        return self._missing(*(self._recording.of_places(name) for name in ("cpu_wanted", "cpu_delivered")))

    def _missing(self, wanted: NDArray[np.float32], had: NDArray[np.float32]) -> Floats:
        found = wanted[:, self._times].astype(np.float64) - had[:, self._times]
        return np.asarray(np.maximum(found, 0.0))


class DayFigures(TimeFigures):
    """Every figure of a day, at each time that was recorded; each made when it is first asked for, and once.

    Parameters
    ----------
    day
        A play with what it recorded.
    """

    def __init__(self, day: Player) -> None:
        self.recording = day.recording
        super().__init__(day.recording, slice(None))

    @property
    def hours(self) -> float:
        """How long each recorded time stands for."""
        return self.recording.every_s / _HOUR_S

    def lent(self, division: Division, of: Resource) -> tuple[Floats, Floats]:
        """Give what is promised and neither used nor lacking, so that others have it.

        Parameters
        ----------
        division, of
            The division whose promises count, of the same plan; and of which resource.

        Returns
        -------
        tuple of ndarray
            Of guests, shape (guests, times), and of pools what they lend beside that of what they are promised, shape
            (pools, times); MHz or MiB.
        """
        resource, sums = division.of(of), division.claims
        k, layout, used = resource.k, resource.layout, self.series("backed" if of == "memory" else "cpu_delivered")
        # What one in a bank is promised is the bank's.
        there = resource.has_of_pools[:, None]
        claims = sums.guests[k][:, None] * there
        won = np.maximum(used - claims, 0.0) * there
        _, idle = used_of_pools(layout, (sums.pools[k][:, None], claims), won)
        nested = np.flatnonzero(layout.parent >= 0)
        own = idle.copy()
        np.subtract.at(own, layout.parent[nested], idle[nested])
        return np.maximum(claims - used - self.lacks(of), 0.0), own
