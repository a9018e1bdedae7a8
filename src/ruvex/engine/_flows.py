"""Stores and links: what guests transfer a second, divided as CPU is, and how their work is slowed where it is short.

Section 10 of docs/model.md.
"""

from __future__ import annotations

import math
from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._fill import ROUNDING
from ruvex.engine._jit import kernel, part
from ruvex.engine._layers import lost_of_working
from ruvex.engine._tally import count_cpu, count_memory

_MOST_ROUNDS = 500
_MOST_STEPS = 400
"""More than any search takes: steps along the pieces settle in a few, and halving the bracket in some sixty."""
_AGREED = 1e-12
"""Parts of what is asked for that differ by no more than this are the same."""
_FREE = 4
"""So many rounds go all of their way: where nobody waits for each other, all agree by then."""
_BACK, _ON, _ON_LATER, _LATER = 0.5, 1.1, 1.02, 100
"""A part that turns round goes this much less far from then on, and one that goes on as before this much farther;
less so after so many rounds. Two guests, each of whom is first on the store where the other waits, would go to and
fro for ever by all of their way."""
_LEAST_STEP = 0.01
_ALIKE = 1.0 + 1e-9
"""Parts that differ by no more hold a guest alike."""
_LOWEST, _NEXT = range(2)
"""Of guests: the lowest part that a place could give it, and the next that is more than that."""


@part
def _could_have(slot: int, level: float, is_broken: bool, numbers: Any, of_slots: Any) -> tuple[float, float]:
    """Give which part of what it asks for a disk or link could have at a level of its place, and how that rises.

    Where promises cannot all be kept, everybody's is what a level is of: at 0.5 each has half of what it is promised.
    """
    wanted, cost = of_slots[r.TAP_WANTED, slot], numbers[r.F_COST, slot]
    most = min(wanted, numbers[r.F_LIMIT, slot] * cost)
    floor = min(numbers[r.F_RESERVATION, slot] * cost, most)
    weight = max(numbers[r.F_WEIGHT, slot], r.LEAST_WEIGHT)
    if is_broken:
        floor, most, weight = 0.0, floor, floor
    had = level * weight
    if had < floor:
        return floor / wanted, 0.0
    if had >= most:
        return most / wanted, 0.0
    return had / wanted, weight / wanted


@kernel
def _used(first: int, last: int, level: float, is_broken: bool, slots: Any, numbers: Any, of_slots: Any) -> Any:
    """Give what a place transfers at a level, and how that rises; ``TAP_COULD`` is written.

    The disks that a guest has on one store are neighbours: it has the same part of what it asks for on each.
    """
    total, slope, slot = 0.0, 0.0, first
    while slot < last:
        begin, guest, wanted, could, rise = slot, slots[r.F_GUEST, slot], 0.0, 1.0, 0.0
        while slot < last and slots[r.F_GUEST, slot] == guest:
            if of_slots[r.TAP_WANTED, slot] > 0.0:
                wanted += of_slots[r.TAP_WANTED, slot]
                part_here, rise_here = _could_have(slot, level, is_broken, numbers, of_slots)
                if part_here < could:
                    could, rise = part_here, rise_here
            slot += 1
        of_slots[r.TAP_COULD, begin:slot] = could
        asks = of_slots[r.TAP_ASKS, begin]
        total += wanted * min(could, asks)
        slope += wanted * rise if could < asks else 0.0
    return total, slope


@kernel
def _share_out(place: int, places: Any, slots: Any, numbers: Any, values: Any, of_slots: Any) -> float:
    """Find the level at which all that guests ask for of a place adds up to what it has; infinite where it has more.

    Each step goes to where the linear piece that all are on leads; where that is out of the bracket known so far, the
    bracket is halved. ``TAP_COULD`` is written, and ``Q_LEVEL`` and what follows of the place.

    Returns
    -------
    float
        By how much the sum differs from the amount, as a part of it.
    """
    first, last, amount = places[r.L_FIRST, place], places[r.L_LAST, place], values[r.Q_AMOUNT, place]
    top, weights = 0.0, 0.0
    for slot in range(first, last):
        if of_slots[r.TAP_WANTED, slot] > 0.0:
            weight = max(numbers[r.F_WEIGHT, slot], r.LEAST_WEIGHT)
            weights += weight
            most = min(of_slots[r.TAP_WANTED, slot], numbers[r.F_LIMIT, slot] * numbers[r.F_COST, slot])
            top = max(top, most / weight)
    values[r.Q_LEVEL, place], values[r.Q_BROKEN, place] = math.inf, 0.0
    values[r.Q_ASKED, place], _ = _used(first, last, math.inf, False, slots, numbers, of_slots)
    if values[r.Q_ASKED, place] <= amount:
        return 0.0
    promised, _ = _used(first, last, 0.0, False, slots, numbers, of_slots)
    is_broken = promised > amount + ROUNDING * max(amount, 1.0)
    low, high, level = 0.0, top, min(amount / weights, top)
    if is_broken:
        values[r.Q_BROKEN, place], high, level = 1.0, 1.0, amount / promised
    residual = math.inf
    for _ in range(_MOST_STEPS):
        total, slope = _used(first, last, level, is_broken, slots, numbers, of_slots)
        residual = total - amount
        if residual == 0.0:
            break
        if residual < 0.0:
            low = level
        else:
            high = level
        wish = level - residual / slope if slope > 0.0 else -1.0
        if wish == level:
            break
        if not low < wish < high:
            wish = 0.5 * (low + high)
            if wish in (low, high):
                break
        level = wish
    values[r.Q_LEVEL, place] = level
    return abs(residual) / max(amount, 1.0)


@kernel
def divide_flows(
    flows: Any, demand: Any, paces: Any, lost: Any, per_mib: float, moving: Any, work: Any, found: Any
) -> float:
    """Divide the transfers of every store and the traffic of every host's links.

    Work goes on as fast as the scarcest of what it needs lets it, and uses no more of the others than that: a guest
    that has half of its transfers sends half of its traffic. So each asks of a place for the part that all others let
    it use, until all of them agree. What a guest has on several disks of one store is found at once, at the level of
    that store at which all adds up.

    Parameters
    ----------
    flows
        places (first and last slot of each), slots (guest and kind of demand; those of a place together, and in it
        those of a guest), numbers (``r.F_…``), supply of each place, and for each guest the places of the store it is
        spilled to and of its own first disk, −1 where there is none.
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
        Of places (``r.Q_…``), of slots (``r.TAP_…``), and room by guest (2 rows); written.
    found
        Shape (5, guests): transfers wanted and had, MiB/s wanted and had, and how far work is slowed; written.

    Returns
    -------
    float
        The largest residual of a place beside its amount.
    """
    places, slots, numbers, supply, paging = flows
    values, of_slots, of_guests = work
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
        guest, part_here, cost = slots[r.F_GUEST, slot], numbers[r.F_PART, slot], numbers[r.F_COST, slot]
        of_slots[r.TAP_WANTED, slot] = demand[slots[r.F_KIND, slot], guest] * part_here * cost
        of_slots[r.TAP_ASKS, slot] = min(paces[guest], 1.0)
        of_slots[r.TAP_STEP, slot], of_slots[r.TAP_WAY, slot] = 1.0, 0.0
    for again in range(_MOST_ROUNDS):
        worst = 0.0
        for place in range(places.shape[1]):
            worst = max(worst, _share_out(place, places, slots, numbers, values, of_slots))
        if not _use_no_more(again, paces, slots, of_slots, of_guests):
            break
    for place in range(places.shape[1]):
        is_broken = values[r.Q_BROKEN, place] > 0.0
        for slot in range(places[r.L_FIRST, place], places[r.L_LAST, place]):
            guest, at = slots[r.F_GUEST, slot], 0 if slots[r.F_KIND, slot] == r.W_OPS else 2
            wanted, had = of_slots[r.TAP_WANTED, slot], min(min(paces[guest], 1.0), of_guests[_LOWEST, guest])
            of_slots[r.TAP_GIVEN, slot], of_slots[r.TAP_HELD, slot] = wanted * had, 0.0
            if wanted > 0.0 and values[r.Q_LEVEL, place] < math.inf:
                could, _ = _could_have(slot, values[r.Q_LEVEL, place], is_broken, numbers, of_slots)
                of_slots[r.TAP_HELD, slot] = 1.0 if could <= had * _ALIKE else 0.0
            found[at, guest] += wanted / numbers[r.F_COST, slot]
            found[at + 1, guest] += wanted * had / numbers[r.F_COST, slot]
    for guest in range(lost.shape[1]):
        for at in range(0, 4, 2):
            if found[at, guest] > 0.0:
                found[r.O_PACE, guest] = min(found[r.O_PACE, guest], found[at + 1, guest] / found[at, guest])
        found[r.O_PACE, guest] = max(found[r.O_PACE, guest], r.LEAST_PACE)
    return worst


@kernel
def _use_no_more(again: int, paces: Any, slots: Any, of_slots: Any, of_guests: Any) -> bool:
    """Let guests ask for no more of a place than all others let them use; tells whether that is another part now."""
    of_guests[_LOWEST] = of_guests[_NEXT] = 1.0
    for slot in range(slots.shape[1]):
        guest = slots[r.F_GUEST, slot]
        of_guests[_LOWEST, guest] = min(of_guests[_LOWEST, guest], of_slots[r.TAP_COULD, slot])
    for slot in range(slots.shape[1]):
        guest, could = slots[r.F_GUEST, slot], of_slots[r.TAP_COULD, slot]
        if could > of_guests[_LOWEST, guest] * _ALIKE:
            of_guests[_NEXT, guest] = min(of_guests[_NEXT, guest], could)
    is_other = False
    for slot in range(slots.shape[1]):
        guest = slots[r.F_GUEST, slot]
        is_lowest = of_slots[r.TAP_COULD, slot] <= of_guests[_LOWEST, guest] * _ALIKE
        others = of_guests[_NEXT if is_lowest else _LOWEST, guest]
        goal = min(min(paces[guest], 1.0), others)
        now = of_slots[r.TAP_ASKS, slot]
        if abs(goal - now) <= _AGREED:
            continue
        is_other, step, way = True, of_slots[r.TAP_STEP, slot], goal - now
        if again >= _FREE:
            if way * of_slots[r.TAP_WAY, slot] < 0.0:
                step = max(step * _BACK, _LEAST_STEP)
            else:
                step = min(step * (_ON if again < _LATER else _ON_LATER), 1.0)
        of_slots[r.TAP_STEP, slot], of_slots[r.TAP_WAY, slot] = step, way
        of_slots[r.TAP_ASKS, slot] = goal if step == 1.0 else now + step * way
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
