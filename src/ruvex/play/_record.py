"""What a played plan was like at evenly spaced times: every channel of every guest and place."""

from __future__ import annotations

import contextlib
import math
import mmap
from collections.abc import Mapping
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.engine.rows import CHANNELS, FLOW_CHANNELS, FLOW_PLACE_CHANNELS, PLACE_CHANNELS

Floats = NDArray[np.float64]

CODES: Final = ("phase", "cause")
"""What is kept of guests as positions in ``PHASES`` and ``CAUSES``."""


def _large_zeros(shape: tuple[int, ...]) -> NDArray[np.float32]:
    """Give an array of zeros in pages as large as the system has.

    A day of 1 000 guests is 500 MiB: paid for by pages of 4 KiB, that takes as long as playing it.
    """
    size = math.prod(shape) * np.dtype(np.float32).itemsize
    if size < mmap.PAGESIZE:
        return np.zeros(shape, dtype=np.float32)
    memory = mmap.mmap(-1, size, flags=mmap.MAP_PRIVATE | mmap.MAP_ANONYMOUS)
    # A system without large pages says so; its usual ones do as well.
    with contextlib.suppress(OSError):
        memory.madvise(mmap.MADV_HUGEPAGE)
    return np.frombuffer(memory, dtype=np.float32).reshape(shape)


class Recording:
    """The channels of a played plan.

    Attributes
    ----------
    guest_ids, place_ids
        In the order of the second axis: guests, and the hosts and then banks (``host:bank``).
    flow_ids
        The stores, then the hosts that have links (``host:link``).
    every_s
        Seconds between two rows; infinity where nothing is recorded.
    times_s
        Shape (rows,): seconds since the start of the day; only the first ``rows`` are filled yet.
    rows
        How many rows can be read by now.
    """

    def __init__(
        self,
        guest_ids: tuple[str, ...],
        place_ids: tuple[str, ...],
        every_s: float | None,
        end_s: float,
        flow_ids: tuple[str, ...] = (),
    ) -> None:
        self.guest_ids, self.place_ids, self.flow_ids = guest_ids, place_ids, flow_ids
        self.every_s = np.inf if every_s is None else every_s
        count = 0 if every_s is None else int(np.floor(end_s / every_s + 1e-9)) + 1
        self.times_s: Floats = np.arange(count, dtype=np.float64) * (every_s or 0.0)
        guests, self.rows = len(guest_ids), 0
        # Written row by row as the play goes on; what reads them guest by guest sees them turned round.
        self._channels = _large_zeros((len(CHANNELS), count, guests))
        self._codes = np.zeros((len(CODES), count, guests), dtype=np.uint8)
        self._places = np.zeros((len(place_ids), len(PLACE_CHANNELS), count), dtype=np.float32)
        # Where there are neither stores nor links there is nothing to keep of them.
        flowing = count if flow_ids else 0
        self._flowing = np.zeros((len(FLOW_CHANNELS), flowing, guests), dtype=np.float32)
        self._flows = np.zeros((len(flow_ids), len(FLOW_PLACE_CHANNELS), flowing), dtype=np.float32)

    @property
    def guest_index(self) -> Mapping[str, int]:
        """Position of each guest by id."""
        return {guest: i for i, guest in enumerate(self.guest_ids)}

    @property
    def place_index(self) -> Mapping[str, int]:
        """Position of each host, and of what else has memory, by id."""
        return {place: i for i, place in enumerate(self.place_ids)}

    @property
    def flow_index(self) -> Mapping[str, int]:
        """Position of each store, and of the links of each host, by id."""
        return {place: i for i, place in enumerate(self.flow_ids)}

    @property
    def arrays_to_write(self) -> tuple[NDArray[Any], ...]:
        """What the kernel writes rows into."""
        return self._channels, self._codes, self._places, self._flowing, self._flows

    def series(self, channel: str) -> NDArray[Any]:
        """Give a channel of all guests, shape (guests, rows): float32, or uint8 for codes."""
        if channel in CODES:
            return self._codes[CODES.index(channel), : self.rows].T
        if channel in FLOW_CHANNELS:
            if not self.flow_ids:
                return np.zeros((len(self.guest_ids), self.rows), dtype=np.float32)
            return self._flowing[FLOW_CHANNELS.index(channel), : self.rows].T
        return self._channels[CHANNELS.index(channel), : self.rows].T

    def of_places(self, channel: str) -> NDArray[np.float32]:
        """Give a channel of all hosts and banks, shape (places, rows)."""
        return self._places[:, PLACE_CHANNELS.index(channel), : self.rows]

    def of_flows(self, channel: str) -> NDArray[np.float32]:
        """Give a channel of all stores and hosts' links, shape (stores and links, rows)."""
        return self._flows[:, FLOW_PLACE_CHANNELS.index(channel), : self.rows]

    def row_at(self, at_s: float) -> int:
        """Give the row in force at a time, kept within those that are there."""
        return min(max(int(at_s / self.every_s + 1e-9), 0), max(self.rows - 1, 0))

    def arrays(self) -> dict[str, NDArray[Any]]:
        """Give everything by name: ``times_s``, ``guests``, ``places``, and one array a channel."""
        named: dict[str, NDArray[Any]] = {
            "times_s": self.times_s[: self.rows], "guests": np.array(self.guest_ids), "places": np.array(self.place_ids)
        }  # fmt: skip
        named |= {channel: self.series(channel) for channel in (*CHANNELS, *CODES)}
        if self.flow_ids:
            named["flows"] = np.array(self.flow_ids)
            named |= {channel: self.series(channel) for channel in FLOW_CHANNELS}
            named |= {f"flow_{channel}": self.of_flows(channel) for channel in FLOW_PLACE_CHANNELS}
        return named | {f"place_{channel}": self.of_places(channel) for channel in PLACE_CHANNELS}
