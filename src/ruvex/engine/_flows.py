"""Stores and links: what guests transfer a second, divided as CPU is, and how their work is slowed where it is short.

Section 10 of docs/model.md.
"""

from __future__ import annotations

from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._fill import fill_place
from ruvex.engine._jit import kernel, part
from ruvex.engine._layers import lost_of_working
from ruvex.engine._tally import count_cpu, count_memory


@part
def _ask(slot: int, demand: Any, slots: Any, numbers: Any, asks: Any) -> None:
    """Put down what a guest asks for on a disk or link, in transfers as its store counts them, or MiB/s."""
    wanted = demand[slots[r.F_KIND, slot], slots[r.F_GUEST, slot]] * numbers[r.F_PART, slot] * numbers[r.F_COST, slot]
    cap = min(wanted, numbers[r.F_LIMIT, slot] * numbers[r.F_COST, slot])
    floor = min(numbers[r.F_RESERVATION, slot] * numbers[r.F_COST, slot], cap)
    asks[r.A_FLOOR, slot] = asks[r.A_OWN, slot] = floor
    asks[r.A_KNEE, slot] = asks[r.A_USE, slot] = asks[r.A_CAP, slot] = asks[r.A_KEEP, slot] = cap
    asks[r.A_WEIGHT, slot] = max(numbers[r.F_WEIGHT, slot], r.LEAST_WEIGHT)


@kernel
def divide_flows(flows: Any, demand: Any, lost: Any, per_mib: float, moving: Any, work: Any, found: Any) -> float:
    """Divide the transfers of every store and the traffic of every host's links.

    Parameters
    ----------
    flows
        places, nodes (one a place), slots (guest and kind of demand), numbers (``r.F_…``), supply of each place, and
        for each guest the places of the store it is spilled to and of its own first disk, −1 where there is none.
    demand
        Shape (5, guests).
    lost
        Shape (2, guests): the working set that is spilled, and paged out by the guest itself, MiB.
    per_mib
        Transfers a second that each such MiB asks for.
    moving
        Shape (places,): MiB/s of moves on each place.
    work
        Of places (``r.Q_…``), of slots (``r.A_…``) and of nodes (``r.V_…``); written.
    found
        Shape (5, guests): transfers wanted and had, MiB/s wanted and had, and how far work is slowed; written.

    Returns
    -------
    float
        The largest residual of a place beside its amount.
    """
    places, nodes, slots, numbers, supply, paging = flows
    values, asks, known = work
    worst = 0.0
    found[:4] = 0.0
    found[r.O_PACE] = 1.0
    for place in range(places.shape[1]):
        values[r.Q_KEPT, place] = moving[place]
    for guest in range(lost.shape[1]):
        for kind in range(2):
            if paging[kind, guest] >= 0:
                values[r.Q_KEPT, paging[kind, guest]] += lost[kind, guest] * per_mib
    for slot in range(slots.shape[1]):
        _ask(slot, demand, slots, numbers, asks)
    for place in range(places.shape[1]):
        kept = min(values[r.Q_KEPT, place], supply[place] * (1.0 - r.LEFT))
        values[r.Q_SUPPLY, place], values[r.Q_KEPT, place] = supply[place], kept
        values[r.Q_AMOUNT, place] = supply[place] - kept
        worst = max(worst, fill_place(place, places, nodes, values, asks, known, (0.0, 1.0)))
    for slot in range(slots.shape[1]):
        guest, at = slots[r.F_GUEST, slot], 0 if slots[r.F_KIND, slot] == r.W_OPS else 2
        found[at, guest] += demand[slots[r.F_KIND, slot], guest] * numbers[r.F_PART, slot]
        found[at + 1, guest] += asks[r.A_GIVEN, slot] / numbers[r.F_COST, slot]
    for guest in range(lost.shape[1]):
        for at in range(0, 4, 2):
            if found[at, guest] > 0.0:
                found[r.O_PACE, guest] = min(found[r.O_PACE, guest], found[at + 1, guest] / found[at, guest])
        found[r.O_PACE, guest] = max(found[r.O_PACE, guest], r.LEAST_PACE)
    return worst


@kernel
def follow_flows(
    tick: int, now: Any, guests: Any, standing: Any, rules: Any, flows: Any, moving: Any, work: Any, room: Any,
    values: Any, codes: Any, sums: Any,
) -> bool:  # fmt: skip
    """Divide transfers and traffic as they are asked for now; tells whether anybody's work goes at another pace.

    ``room`` has the shapes (2, guests) and (5, guests).
    """
    lost, found = room
    for guest in range(guests.shape[1]):
        lost[0, guest] = lost[1, guest] = 0.0
        if standing[r.S_ON, guest] != 0:
            own = values[r.X_TOUCHED, guest] - values[r.X_SHARED, guest]
            balloon = values[r.X_BALLOON, guest] if guests[r.G_MODE, guest] == r.THIN else 0.0
            _, lost[0, guest] = lost_of_working(
                values[r.X_WORKING, guest], own, balloon, values[r.X_SQUEEZED, guest], values[r.X_SPILLED, guest],
                values[r.X_SELF_PAGED, guest], values[r.X_USED, guest],
            )  # fmt: skip
            lost[1, guest] = values[r.X_SELF_PAGED, guest]
    divide_flows(flows, now, lost, rules[r.R_PAGING], moving, work, found)
    is_other = False
    for guest in range(guests.shape[1]):
        if standing[r.S_ON, guest] == 0:
            continue
        is_new = False
        for row in range(4):
            is_new = is_new or found[row, guest] != values[r.X_OPS_WANTED + row, guest]
        if is_new:
            count_cpu(guest, tick, values, codes, sums)
            for row in range(4):
                values[r.X_OPS_WANTED + row, guest] = found[row, guest]
        values[r.X_FLOW, guest] = found[r.O_PACE, guest]
        pace = min(values[r.X_MEMORY_PACE, guest], found[r.O_PACE, guest])
        if pace != values[r.X_PACE, guest]:
            count_memory(guest, tick, guests, values, codes, sums)
            values[r.X_PACE, guest] = pace
            is_other = True
    return is_other
