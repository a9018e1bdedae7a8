"""What a played plan was like at evenly spaced times: every channel of every guest."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.play._state import State

Floats = NDArray[np.float64]

CHANNELS: Final = (
    "cpu_wanted", "cpu_delivered", "visible", "backed", "working", "need", "balloon", "squeezed", "spilled", "shared",
    "self_paged", "bridged", "pace", "met",
)  # fmt: skip
"""What is kept of every guest; CPU in MHz, memory in MiB, pace and met as parts of 1."""
CODES: Final = ("phase", "cause")
"""What is kept as positions in ``PHASES`` and ``SHORTFALLS``."""
SITE_CHANNELS: Final = ("cpu_supply", "memory_supply", "free", "pressure", "saved")
"""What is kept of the site: its supply, what is free, the pressure, and what elastic memory saves, MHz and MiB."""
_BLOCK: Final = 128
"""Rows gathered before they are turned round: written row by row, read guest by guest."""


class Recording:
    """The channels of a played plan.

    Attributes
    ----------
    guest_ids
        In the order of the second axis.
    times_s
        Shape (rows,): seconds since the start of the day; only the first ``rows`` are filled yet.
    rows
        How many rows are there by now.
    """

    def __init__(self, guest_ids: tuple[str, ...], every_s: float, end_s: float) -> None:
        self.guest_ids = guest_ids
        self.every_s = every_s
        count = int(np.floor(end_s / every_s + 1e-9)) + 1
        self.times_s: Floats = np.arange(count, dtype=np.float64) * float(every_s)
        guests = len(guest_ids)
        self._series = np.zeros((len(CHANNELS), guests, count), dtype=np.float32)
        self._codes = np.zeros((len(CODES), guests, count), dtype=np.uint8)
        self._site = np.zeros((len(SITE_CHANNELS), count))
        self._block = np.zeros((len(CHANNELS), _BLOCK, guests), dtype=np.float32)
        self._code_block = np.zeros((len(CODES), _BLOCK, guests), dtype=np.uint8)
        self._written = self.rows = 0

    @property
    def guest_index(self) -> Mapping[str, int]:
        """Position of each guest by id."""
        return {guest: i for i, guest in enumerate(self.guest_ids)}

    def put(self, state: State, site: tuple[float, ...], until_row: int) -> None:
        """Fill the rows up to one, that one not included, with a state and the figures of the site."""
        while self.rows < until_row:
            first = self.rows - self._written
            count = min(until_row - self.rows, _BLOCK - first)
            rows = slice(first, first + count)
            columns = (
                state.wanted, state.delivered, state.visible, state.backed, state.working, state.need, state.balloon,
                state.squeezed, state.spilled, state.shared, state.self_paged, state.bridged, state.pace, state.met,
            )  # fmt: skip
            for channel, values in enumerate(columns):
                self._block[channel, rows] = values
            self._code_block[0, rows], self._code_block[1, rows] = state.phase, state.cause
            self._site[:, self.rows : self.rows + count] = np.array(site)[:, None]
            self.rows += count
            if self.rows - self._written == _BLOCK:
                self.flush()

    def flush(self) -> None:
        """Turn the gathered rows round, so that they can be read."""
        done = self.rows - self._written
        if done:
            rows = slice(self._written, self.rows)
            self._series[:, :, rows] = self._block[:, :done].transpose(0, 2, 1)
            self._codes[:, :, rows] = self._code_block[:, :done].transpose(0, 2, 1)
            if done == _BLOCK:
                self._written = self.rows

    def series(self, channel: str) -> NDArray[Any]:
        """Give a channel of all guests, shape (guests, rows): float32, or uint8 for codes; flushed rows only."""
        if channel in CODES:
            return self._codes[CODES.index(channel), :, : self.rows]
        return self._series[CHANNELS.index(channel), :, : self.rows]

    def site(self, channel: str) -> Floats:
        """Give a channel of the site, shape (rows,)."""
        return np.asarray(self._site[SITE_CHANNELS.index(channel), : self.rows])

    def row_at(self, at_s: float) -> int:
        """Give the row in force at a time, kept within those that are there."""
        return min(max(int(at_s / self.every_s + 1e-9), 0), max(self.rows - 1, 0))

    def arrays(self) -> dict[str, NDArray[Any]]:
        """Give everything by name: ``times_s``, ``guests``, and one array a channel."""
        named: dict[str, NDArray[Any]] = {"times_s": self.times_s[: self.rows], "guests": np.array(self.guest_ids)}
        named |= {channel: self.series(channel) for channel in (*CHANNELS, *CODES)}
        return named | {f"site_{channel}": self.site(channel) for channel in SITE_CHANNELS}
