"""What the guests' work asks for as time goes on: signals read in blocks, and surges."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Compiled
from ruvex.play._state import NEVER

Floats = NDArray[np.float64]

CPU, WORKING, TOUCHED = range(3)
_BLOCK: Final = 400_000
"""Values read at once: enough to spread the cost of a call, small enough for the cache."""
_ALMOST: Final = 1e-9


class Work:
    """The demand of every guest from tick to tick.

    Smooth curves and traces are read every ``rules.workload.sample_s``; steps and bursts in the tick they change.

    Attributes
    ----------
    now
        Shape (3, guests): CPU in MHz, working and touched in MiB, surges included.
    """

    def __init__(self, compiled: Compiled, tick_s: float, end_tick: int) -> None:
        self._tick_s, self._end = tick_s, end_tick
        self._factor = np.ones(compiled.guests.shape[1])
        self._surges: list[tuple[int, NDArray[np.int64], float]] = []
        self._raw = np.zeros((3, compiled.guests.shape[1]))
        self.now = self._raw.copy()
        self.take(compiled)

    def take(self, compiled: Compiled) -> None:
        """Go on with another plan's signals, over the same guests."""
        self._bank = compiled.signals
        self._day_s = compiled.plan.day_s
        sample_s = compiled.plan.rules.workload.sample_s
        count = int(np.floor(self._end * self._tick_s / sample_s + _ALMOST)) + 1
        times = np.arange(count) * sample_s
        self._samples = np.unique(np.ceil(times / self._tick_s - _ALMOST).astype(np.int64))
        self._samples = self._samples[self._samples < self._end]
        if len(self._bank.jumping) == len(self._bank.groups):
            self._samples = self._samples[:1]
        jumps = np.ceil(self._bank.jumps_until(self._end * self._tick_s) / self._tick_s - _ALMOST).astype(np.int64)
        self._jumps = np.setdiff1d(jumps[jumps < self._end], self._samples)
        self._due = np.union1d(self._samples, self._jumps)
        self._rows = max(1, _BLOCK // max(1, self._raw.size))
        self._block: Floats | None = None
        self._block_start = 0
        self._surged = False

    def next_due(self, tick: int) -> int:
        """Give the first tick from here on at which the demand may change."""
        at = int(np.searchsorted(self._due, tick))
        due = int(self._due[at]) if at < self._due.size else NEVER
        return min([due, *(end for end, _, _ in self._surges if end >= tick)])

    def read(self, tick: int, *, anew: bool = False) -> bool:
        """Bring ``now`` to a tick; tells whether it changed. With ``anew`` everything is read, due or not."""
        ended = [surge for surge in self._surges if surge[0] <= tick]
        if ended:
            self._surges = [surge for surge in self._surges if surge[0] > tick]
            self._weigh_surges()
        at = int(np.searchsorted(self._samples, tick))
        if anew:
            self._raw[...] = self._bank.at(tick * self._tick_s % self._day_s)
        elif at < self._samples.size and self._samples[at] == tick:
            self._raw[...] = self._sample(at)
        elif self._is_jump(tick):
            self._bank.read_jumping(tick * self._tick_s % self._day_s, self._raw)
        elif not self._surged:
            return False
        self._surged = False
        before = self.now
        self.now = self._raw.copy()
        self.now[:TOUCHED] *= self._factor
        return not np.array_equal(before, self.now)

    def _is_jump(self, tick: int) -> bool:
        at = int(np.searchsorted(self._jumps, tick))
        return at < self._jumps.size and int(self._jumps[at]) == tick

    def _sample(self, at: int) -> Floats:
        block = self._block
        if block is None or not 0 <= at - self._block_start < block.shape[0]:
            self._block_start = at
            times = self._samples[at : at + self._rows] * self._tick_s % self._day_s
            block = self._block = self._bank.at(times)
        return np.asarray(block[at - self._block_start])

    def surge(self, guests: NDArray[np.int64], factor: float, end_tick: int) -> None:
        """Multiply the CPU and the working set of some guests by a factor until a tick."""
        self._surges.append((end_tick, guests, factor))
        self._weigh_surges()

    def _weigh_surges(self) -> None:
        self._surged = True
        self._factor[:] = 1.0
        for _, guests, factor in self._surges:
            self._factor[guests] *= factor
