"""Recording a play: rows are gathered in blocks and turned round, written row by row and read guest by guest."""

from __future__ import annotations

from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._jit import kernel

_KEPT = (
    r.X_WANTED, r.X_DELIVERED, r.X_VISIBLE, r.X_BACKED, r.X_WORKING, r.X_NEED, r.X_BALLOON, r.X_SQUEEZED, r.X_SPILLED,
    r.X_SHARED, r.X_SELF_PAGED, r.X_BRIDGED, r.X_CACHE, r.X_PACE, r.X_MET,
)  # fmt: skip
"""The rows of the state behind ``CHANNELS``."""
_TILE = 16
"""Values of four bytes that one line of a processor's cache holds."""


@kernel
def put_rows(
    until: int, hosts: int, guests: Any, places: Any, place_of: Any, guest_slots: Any, place_values: Any, values: Any,
    codes: Any, counters: Any, record: Any,
) -> None:  # fmt: skip
    """Fill the rows up to one, that one not included, with the state as it is.

    ``record`` is the block of channels (channels, rows, guests), of codes (2, rows, guests), of places (places,
    channels, rows), and what they are turned into: (channels, guests, rows) and (2, guests, rows).
    """
    block, code_block, of_places, series, code_series = record
    size = block.shape[1]
    _put_places(
        counters[r.Z_ROWS], until, hosts, guests, places, place_of, guest_slots, place_values, values, of_places
    )
    while counters[r.Z_ROWS] < until:
        row = counters[r.Z_ROWS] - counters[r.Z_WRITTEN]
        for channel in range(len(_KEPT)):
            kept = _KEPT[channel]
            for guest in range(guests.shape[1]):
                block[channel, row, guest] = values[kept, guest]
        for guest in range(guests.shape[1]):
            code_block[0, row, guest], code_block[1, row, guest] = (
                codes[r.C_PHASE, guest],
                codes[r.C_CAUSE, guest],
            )
        counters[r.Z_ROWS] += 1
        if counters[r.Z_ROWS] - counters[r.Z_WRITTEN] == size:
            flush(counters, record)
            counters[r.Z_WRITTEN] = counters[r.Z_ROWS]


@kernel
def flush(counters: Any, record: Any) -> None:
    """Turn the gathered rows round, so that they can be read."""
    block, code_block, of_places, series, code_series = record
    written, guests = counters[r.Z_WRITTEN], block.shape[2]
    done = counters[r.Z_ROWS] - written
    # Some guests at a time, so that both what is read and what is written stays at hand.
    for channel in range(block.shape[0]):
        for first in range(0, guests, _TILE):
            for row in range(done):
                for guest in range(first, min(first + _TILE, guests)):
                    # What is 0 from the start is left so: memory that nobody writes to is never asked for.
                    if block[channel, row, guest] != 0.0:
                        series[channel, guest, written + row] = block[channel, row, guest]
    for channel in range(2):
        for first in range(0, guests, _TILE):
            for row in range(done):
                for guest in range(first, min(first + _TILE, guests)):
                    code_series[channel, guest, written + row] = code_block[channel, row, guest]


@kernel
def _put_places(
    first: int, until: int, hosts: int, guests: Any, places: Any, place_of: Any, guest_slots: Any, place_values: Any,
    values: Any, of_places: Any,
) -> None:  # fmt: skip
    """Fill the rows of hosts and banks; the memory of host h stands at place hosts + h, and so on."""
    if until <= first:
        return
    for at in range(of_places.shape[0]):
        memory = hosts + at
        is_bank = places[r.L_KIND, memory] == r.BANK_PLACE
        of_places[at, 0, first] = 0.0 if is_bank else place_values[r.Q_SUPPLY, places[r.L_HOST, memory]]
        of_places[at, 1, first] = of_places[at, 2, first] = of_places[at, 8, first] = 0.0
        of_places[at, 3, first] = place_values[r.Q_SUPPLY, memory]
        of_places[at, 4, first] = place_values[r.Q_SUPPLY, memory] - place_values[r.Q_FREE, memory]
        of_places[at, 5, first], of_places[at, 6, first] = (
            place_values[r.Q_KEPT, memory],
            place_values[r.Q_FREE, memory],
        )
        of_places[at, 7, first] = place_values[r.Q_PRESSURE, memory]
    for guest in range(guests.shape[1]):
        if guest_slots[0, guest] >= 0:
            of_places[place_of[0, guest], 1, first] += values[r.X_WANTED, guest]
            of_places[place_of[0, guest], 2, first] += values[r.X_DELIVERED, guest]
            if guests[r.G_MODE, guest] == r.ELASTIC:
                saved = guests[r.G_OTHERWISE, guest] - values[r.X_BACKED, guest]
                of_places[place_of[1, guest] - hosts, 8, first] += saved
    for at in range(of_places.shape[0]):
        for channel in range(of_places.shape[1]):
            for row in range(first + 1, until):
                of_places[at, channel, row] = of_places[at, channel, first]
