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

_MOST_ROUNDS = 1500
_AGREED = 1e-12
"""Parts of what is asked for that differ by no more than this are the same."""
_FREE = 4
"""So many rounds go all of their way: where nobody waits for each other, all agree by then."""
_BACK, _ON, _ON_LATER, _LATER = 0.5, 1.1, 1.02, 100
"""A part that turns round goes this much less far from then on, and one that goes on as before this much farther;
less so after so many rounds. Five disks of a guest on one store, each of which asks for what the others leave, would
go to and fro for ever by half of their way."""
_LEAST_STEP = 0.01

_PART, _COULD, _STEP, _WAY = range(4)
"""Of slots: which part of what is asked for all else lets the guest use, which part it could have here, how much of
the way to it the part goes in a round, and which way it went last."""
_LOWEST, _NEXT = range(2)
"""Of guests: the lowest part it could have anywhere, and the next that is more than that."""
_ALIKE = 1.0 + 1e-9
"""Parts that differ by no more hold a guest alike: two disks alike on one store do not wait for each other."""


@part
def _wanted(slot: int, demand: Any, slots: Any, numbers: Any) -> float:
    """Give what a guest asks for on a disk or link, in transfers as its store counts them, or MiB/s."""
    return demand[slots[r.F_KIND, slot], slots[r.F_GUEST, slot]] * numbers[r.F_PART, slot] * numbers[r.F_COST, slot]


@part
def _ask(slot: int, wanted: float, numbers: Any, asks: Any) -> None:
    """Put down what a guest asks for on a disk or link."""
    cap = min(wanted, numbers[r.F_LIMIT, slot] * numbers[r.F_COST, slot])
    floor = min(numbers[r.F_RESERVATION, slot] * numbers[r.F_COST, slot], cap)
    asks[r.A_FLOOR, slot] = asks[r.A_OWN, slot] = floor
    asks[r.A_KNEE, slot] = asks[r.A_USE, slot] = asks[r.A_CAP, slot] = asks[r.A_KEEP, slot] = cap
    asks[r.A_WEIGHT, slot] = max(numbers[r.F_WEIGHT, slot], r.LEAST_WEIGHT)


@part
def _could_have(slot: int, wanted: float, level: float, numbers: Any, asks: Any) -> float:
    """Give which part of what it asks for in full a guest could have at the level of its place."""
    if wanted <= 0.0:
        return 1.0
    most = min(wanted, numbers[r.F_LIMIT, slot] * numbers[r.F_COST, slot])
    if asks[r.A_GIVEN, slot] < asks[r.A_CAP, slot] * (1.0 - _AGREED):
        return asks[r.A_GIVEN, slot] / wanted
    floor = min(numbers[r.F_RESERVATION, slot] * numbers[r.F_COST, slot], most)
    return min(max(level * asks[r.A_WEIGHT, slot], floor), most) / wanted


@kernel
def divide_flows(
    flows: Any, demand: Any, paces: Any, lost: Any, per_mib: float, moving: Any, work: Any, found: Any
) -> float:
    """Divide the transfers of every store and the traffic of every host's links.

    Work goes on as fast as the scarcest of what it needs lets it, and uses no more of the others than that: a guest
    that has half of its transfers sends half of its traffic. So each asks of a place for the part that all others let
    it use, until all of them agree.

    Parameters
    ----------
    flows
        places, nodes (one a place), slots (guest and kind of demand), numbers (``r.F_…``), supply of each place, and
        for each guest the places of the store it is spilled to and of its own first disk, −1 where there is none.
    demand
        Shape (5, guests).
    paces
        Shape (guests,): how far memory slows the work of each.
    lost
        Shape (2, guests): the working set that is spilled, and paged out by the guest itself, MiB.
    per_mib
        Transfers a second that each such MiB asks for.
    moving
        Shape (places,): MiB/s of moves on each place.
    work
        Of places (``r.Q_…``), of slots (``r.A_…``), of nodes (``r.V_…``), and room by slot (4 rows) and by guest (2
        rows); written.
    found
        Shape (5, guests): transfers wanted and had, MiB/s wanted and had, and how far work is slowed; written.

    Returns
    -------
    float
        The largest residual of a place beside its amount.
    """
    places, nodes, slots, numbers, supply, paging = flows
    values, asks, known, of_slots, of_guests = work
    worst = 0.0
    found[:4] = 0.0
    found[r.O_PACE] = 1.0
    for place in range(places.shape[1]):
        values[r.Q_KEPT, place] = moving[place]
    for guest in range(lost.shape[1]):
        for kind in range(2):
            if paging[kind, guest] >= 0:
                values[r.Q_KEPT, paging[kind, guest]] += lost[kind, guest] * per_mib
    for place in range(places.shape[1]):
        kept = min(values[r.Q_KEPT, place], supply[place] * (1.0 - r.LEFT))
        values[r.Q_SUPPLY, place], values[r.Q_KEPT, place] = supply[place], kept
        values[r.Q_AMOUNT, place] = supply[place] - kept
    for slot in range(slots.shape[1]):
        of_slots[_PART, slot] = min(paces[slots[r.F_GUEST, slot]], 1.0)
        of_slots[_STEP, slot], of_slots[_WAY, slot] = 1.0, 0.0
    for again in range(_MOST_ROUNDS):
        worst = 0.0
        for slot in range(slots.shape[1]):
            _ask(slot, _wanted(slot, demand, slots, numbers) * of_slots[_PART, slot], numbers, asks)
        for place in range(places.shape[1]):
            worst = max(worst, fill_place(place, places, nodes, values, asks, known, (0.0, 1.0)))
        if not _use_no_more(again, demand, paces, nodes, slots, numbers, asks, known, of_slots, of_guests):
            break
    for slot in range(slots.shape[1]):
        guest, at = slots[r.F_GUEST, slot], 0 if slots[r.F_KIND, slot] == r.W_OPS else 2
        wanted = _wanted(slot, demand, slots, numbers) / numbers[r.F_COST, slot]
        given = asks[r.A_GIVEN, slot] / numbers[r.F_COST, slot]
        found[at, guest] += wanted
        found[at + 1, guest] += given
    for guest in range(lost.shape[1]):
        for at in range(0, 4, 2):
            if found[at, guest] > 0.0:
                found[r.O_PACE, guest] = min(found[r.O_PACE, guest], found[at + 1, guest] / found[at, guest])
        found[r.O_PACE, guest] = max(found[r.O_PACE, guest], r.LEAST_PACE)
    return worst


@kernel
def _use_no_more(
    again: int, demand: Any, paces: Any, nodes: Any, slots: Any, numbers: Any, asks: Any, known: Any, of_slots: Any,
    of_guests: Any,
) -> bool:  # fmt: skip
    """Let guests ask for no more of a place than all others let them use; tells whether that is another part now."""
    of_guests[_LOWEST] = of_guests[_NEXT] = 1.0
    for place in range(nodes.shape[1]):
        level = known[r.V_LEVEL, place]
        for slot in range(nodes[r.N_FIRST, place], nodes[r.N_LAST, place]):
            guest = slots[r.F_GUEST, slot]
            could = _could_have(slot, _wanted(slot, demand, slots, numbers), level, numbers, asks)
            of_slots[_COULD, slot] = could
            of_guests[_LOWEST, guest] = min(of_guests[_LOWEST, guest], could)
    for slot in range(slots.shape[1]):
        guest, could = slots[r.F_GUEST, slot], of_slots[_COULD, slot]
        if could > of_guests[_LOWEST, guest] * _ALIKE:
            of_guests[_NEXT, guest] = min(of_guests[_NEXT, guest], could)
    is_other = False
    for slot in range(slots.shape[1]):
        guest = slots[r.F_GUEST, slot]
        is_lowest = of_slots[_COULD, slot] <= of_guests[_LOWEST, guest] * _ALIKE
        others = of_guests[_NEXT if is_lowest else _LOWEST, guest]
        goal = min(min(paces[guest], 1.0), others)
        now = of_slots[_PART, slot]
        if abs(goal - now) <= _AGREED:
            continue
        is_other, step, way = True, of_slots[_STEP, slot], goal - now
        if again >= _FREE:
            if way * of_slots[_WAY, slot] < 0.0:
                step = max(step * _BACK, _LEAST_STEP)
            else:
                step = min(step * (_ON if again < _LATER else _ON_LATER), 1.0)
        of_slots[_STEP, slot], of_slots[_WAY, slot] = step, way
        of_slots[_PART, slot] = goal if step == 1.0 else now + step * way
    return is_other


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
    paces = values[r.X_MEMORY_PACE]
    divide_flows(flows, now, paces, lost, rules[r.R_PAGING], moving, work, found)
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
