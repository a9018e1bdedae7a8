"""The figures of a day that was played and recorded."""

from __future__ import annotations

from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Contended
from ruvex.ledger._look import SHORT_PART
from ruvex.play import PHASES, Player

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

_HOUR_S: Final = 3600.0
_BOOTING: Final = PHASES.index("booting")
_ROUNDING: Final = 1e-6
_CHANNELS: Final[dict[Contended, tuple[str, str]]] = {
    "cpu": ("cpu_wanted", "cpu_delivered"), "store": ("ops_wanted", "ops_delivered"),
    "link": ("net_wanted", "net_delivered"),
}  # fmt: skip


class DayFigures:
    """Every figure of a day, at each time that was recorded; each made when it is first asked for, and once.

    Parameters
    ----------
    day
        A play with what it recorded.
    """

    def __init__(self, day: Player) -> None:
        self.day, self.recording = day, day.recording
        self._made: dict[tuple[str, Contended], Floats] = {}

    @property
    def hours(self) -> float:
        """How long each recorded time stands for."""
        return self.recording.every_s / _HOUR_S

    @cached_property
    def on(self) -> Bools:
        """Who boots or runs, shape (guests, times)."""
        return np.asarray(self.recording.series("phase") >= _BOOTING)

    def series(self, channel: str) -> Floats:
        """Give a recorded channel by guest, exact enough to be summed, 0 where it is off; shape (guests, times)."""
        return np.where(self.on, np.asarray(self.recording.series(channel), dtype=np.float64), 0.0)

    def wanted(self, of: Contended) -> Floats:
        """Give what is asked for, of memory the need; shape (guests, times), units as a look has them."""
        if ("wanted", of) not in self._made:
            self._made["wanted", of] = self.series("need" if of == "memory" else _CHANNELS[of][0])
        return self._made["wanted", of]

    def lacks(self, of: Contended) -> Floats:
        """Give what is asked for and not there; shape (guests, times)."""
        if ("lacks", of) not in self._made:
            wanted = self.wanted(of)
            if of == "memory":
                found = wanted * np.clip(1.0 - self.series("met"), 0.0, 1.0)
            else:
                found = np.maximum(wanted - self.series(_CHANNELS[of][1]), 0.0)
            self._made["lacks", of] = found
        return self._made["lacks", of]

    def is_short(self, of: Contended) -> Bools:
        """Tell who lacks more than a thousandth of what it wants, at each time; shape (guests, times)."""
        return np.asarray(self.lacks(of) > SHORT_PART * self.wanted(of) + _ROUNDING)
