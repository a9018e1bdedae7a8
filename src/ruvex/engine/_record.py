"""Recording a play, row by row."""

from __future__ import annotations

from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._jit import kernel

_KEPT = (
    r.X_WANTED, r.X_DELIVERED, r.X_VISIBLE, r.X_BACKED, r.X_WORKING, r.X_NEED, r.X_BALLOON, r.X_SQUEEZED, r.X_SPILLED,
    r.X_SHARED, r.X_SELF_PAGED, r.X_BRIDGED, r.X_CACHE, r.X_PACE, r.X_MET,
)  # fmt: skip
"""The rows of the state behind ``CHANNELS``."""


@kernel
def put_rows(
    until: int, hosts: int, guests: Any, places: Any, place_of: Any, guest_slots: Any, place_values: Any, values: Any,
    codes: Any, counters: Any, flows: Any, record: Any,
) -> None:  # fmt: skip
    """Fill the rows up to one, that one not included, with the state as it is.

    ``record`` is what is kept of guests, shape (channels, rows, guests), their codes (2, rows, guests), of places
    (places, channels, rows), of what guests transfer (4, rows, guests) and of stores and links (places, 4, rows).
    """
    channels, of_codes, of_places, flowing, of_flows = record
    first = counters[r.Z_ROWS]
    _put_places(first, until, hosts, guests, places, place_of, guest_slots, place_values, values, of_places)
    count = guests.shape[1]
    for channel in range(len(_KEPT)):
        kept, having = _KEPT[channel], 0
        for guest in range(count):
            having += 1 if values[kept, guest] != 0.0 else 0
        # What nobody has is left as it is: memory that nobody writes to is never asked for.
        if having > 0:
            for row in range(first, until):
                for guest in range(count):
                    channels[channel, row, guest] = values[kept, guest]
    for row in range(first, until):
        for guest in range(count):
            of_codes[0, row, guest], of_codes[1, row, guest] = codes[r.C_PHASE, guest], codes[r.C_CAUSE, guest]
    if flows[0][1].shape[1] > 0:
        _put_flows(first, until, count, values, flows, flowing, of_flows)
    counters[r.Z_ROWS] = max(first, until)


@kernel
def _put_flows(first: int, until: int, count: int, values: Any, flows: Any, flowing: Any, of_flows: Any) -> None:
    """Fill the rows of what guests transfer, and of stores and links."""
    places, place_values, of_slots = flows[0][0], flows[2][0], flows[2][1]
    for row in range(first, until):
        for channel in range(4):
            for guest in range(count):
                flowing[channel, row, guest] = values[r.X_OPS_WANTED + channel, guest]
        for place in range(of_flows.shape[0]):
            given = 0.0
            for slot in range(places[r.L_FIRST, place], places[r.L_LAST, place]):
                given += of_slots[r.TAP_GIVEN, slot]
            of_flows[place, 0, row] = place_values[r.Q_SUPPLY, place]
            of_flows[place, 1, row] = place_values[r.Q_KEPT, place]
            of_flows[place, 2, row], of_flows[place, 3, row] = place_values[r.Q_ASKED, place], given


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
