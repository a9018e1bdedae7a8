"""Dividing an amount among the members of a node, and a forest from its roots down: section 4 of docs/model.md."""

from __future__ import annotations

import math
from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._jit import kernel, part

ROUNDING = 1e-9
"""Promises that exceed an amount by no more than this part of it are kept: the excess is rounding."""

_BY_FLOOR, _ON_TOP, _HEADROOM = 0, 1, 2
_MOST_STEPS = 400
"""More than any search takes: Newton's steps settle in a few, and halving the bracket in some sixty."""
_LEFT = 1e-9
_SAME = 1e-14
"""Levels that differ by no more than this part of them lie on one piece, but for rounding."""


@part
def _bounds(asks: Any, slot: int, tier: int) -> tuple[float, float, float, float]:
    """Give what a member has in any case, the least and most a level adds to it, and where idle pages begin."""
    floor, use = asks[r.A_FLOOR, slot], asks[r.A_USE, slot]
    if tier == _HEADROOM:
        return use, 0.0, max(asks[r.A_CAP, slot] - use, 0.0), math.inf
    if tier == _ON_TOP:
        return floor, 0.0, max(use - floor, 0.0), max(asks[r.A_KNEE, slot] - floor, 0.0)
    return 0.0, floor, use, asks[r.A_KNEE, slot]


@kernel
def _find_level(asks: Any, first: int, last: int, amount: float, tier: int, idle: float, start: float) -> Any:
    """Find the level at which what members get adds up to an amount, and put that into ``A_GIVEN``.

    Every step takes the linear piece on which each member is and solves for the level exactly; where that leads out
    of the bracket known so far, the bracket is halved. The level is right when its own piece leads back to it, so
    the bits of the answer do not depend on where the search began.

    Returns
    -------
    tuple
        The level, and by how much the sum differs from the amount.
    """
    low, high = 0.0, math.inf
    level = start
    if not (level > 0.0 and level < 1e290):
        # As if nobody were at a bound: what is left beyond what all have in any case, by weight.
        weights, left = 0.0, amount
        for slot in range(first, last):
            base, least, most, _ = _bounds(asks, slot, tier)
            left -= base
            if most > least:
                weights += asks[r.A_WEIGHT, slot]
        level = left / weights if weights > 0.0 and left > 0.0 else 1.0
    is_last, residual = False, math.inf
    for _ in range(_MOST_STEPS):
        total, fixed, slope = 0.0, 0.0, 0.0
        for slot in range(first, last):
            base, least, most, knee = _bounds(asks, slot, tier)
            weight = asks[r.A_WEIGHT, slot]
            y, constant, rise = level * weight, 0.0, weight
            if y > knee:
                y, constant, rise = knee + (y - knee) / idle, knee - knee / idle, weight / idle
            if y < least:
                got, constant, rise = least, least, 0.0
            elif y >= most:
                got, constant, rise = most, most, 0.0
            else:
                got = y
            asks[r.A_GIVEN, slot] = base + got
            total += base + got
            fixed += base + constant
            slope += rise
        residual = total - amount
        if is_last or (residual == 0.0 and slope == 0.0):
            break
        if residual < 0.0:
            low = max(low, level)
        else:
            high = min(high, level)
        if slope > 0.0:
            wish = (amount - fixed) / slope
            if residual == 0.0 or abs(wish - level) <= _SAME * level:
                # The right piece: what it leads to is the level, whichever neighbour of it was looked at. Several
                # neighbours may add up to the amount to the bit; the first that is met depends on the start.
                if wish == level:
                    break
                level, is_last = wish, True
                continue
        else:
            wish = _next_break(asks, first, last, tier, idle, level, residual < 0.0)
        if not (wish > low and wish < high):
            wish = 0.5 * (low + high) if high < math.inf else 2.0 * low + 1e-300
            is_last = wish in (low, high)
        level = wish
    return level, residual


@kernel
def _next_break(asks: Any, first: int, last: int, tier: int, idle: float, level: float, upwards: bool) -> float:
    """Give the nearest level at which a member begins to gain (upwards) or to lose, where none does so here."""
    found = math.inf if upwards else 0.0
    for slot in range(first, last):
        _, least, most, knee = _bounds(asks, slot, tier)
        weight = asks[r.A_WEIGHT, slot]
        edge = least if upwards else most
        if weight <= 0.0 or most <= least:
            continue
        at = (edge if edge <= knee else knee + (edge - knee) * idle) / weight
        if upwards and at >= level:
            found = min(found, at)
        elif not upwards and at <= level:
            found = max(found, at)
    return found if upwards else found * (1.0 - _LEFT)


@part
def _fill_one(node: int, slot: int, amount: float, asks: Any, known: Any, on_top: bool, idle: float) -> None:
    """Give the only member of a node its amount, and find the level at which it has that.

    Where pools span hosts most nodes have one member, so no search is spent on them.
    """
    floor, use, cap, weight = asks[r.A_FLOOR, slot], asks[r.A_USE, slot], asks[r.A_CAP, slot], asks[r.A_WEIGHT, slot]
    is_broken = floor > amount + ROUNDING * max(amount, 1.0)
    known[r.V_BROKEN, node] = r.BROKEN if is_broken else 0.0
    level, headroom, given = 0.0, 0.0, amount
    if amount >= cap:
        level, headroom, given = math.inf, math.inf, cap
    elif amount >= use:
        level, headroom = math.inf, (amount - use) / weight
    elif amount <= floor and not is_broken:
        given = floor
    elif not is_broken:
        base = floor if on_top else 0.0
        y, knee = amount - base, max(asks[r.A_KNEE, slot] - base, 0.0)
        level = (y if y <= knee else knee + (y - knee) * idle) / weight
    known[r.V_LEVEL, node], known[r.V_HEADROOM, node], asks[r.A_GIVEN, slot] = level, headroom, given


@part
def _fill_node(node: int, amount: float, nodes: Any, asks: Any, known: Any, on_top: bool, idle: float) -> float:
    """Divide an amount among the members of a node; gives by how much their sum differs from what it should be."""
    first, last = nodes[r.N_FIRST, node], nodes[r.N_LAST, node]
    if last - first == 1:
        _fill_one(node, first, amount, asks, known, on_top, idle)
        return 0.0
    if (
        nodes[r.N_POOL, node] >= 0
        and known[r.V_LIMITED, node] == 0.0
        and amount >= asks[r.A_CAP, nodes[r.N_SLOT, node]]
    ):
        # The pool asks for just what its members ask for, and has it.
        known[r.V_BROKEN, node] = 0.0
        known[r.V_LEVEL, node] = known[r.V_HEADROOM, node] = math.inf
        for slot in range(first, last):
            asks[r.A_GIVEN, slot] = asks[r.A_CAP, slot]
        return 0.0
    floors, uses, caps, owns = 0.0, 0.0, 0.0, 0.0
    for slot in range(first, last):
        floors += asks[r.A_FLOOR, slot]
        uses += asks[r.A_USE, slot]
        caps += asks[r.A_CAP, slot]
        owns += asks[r.A_OWN, slot]
    known[r.V_BROKEN, node] = 0.0
    if floors > amount + ROUNDING * max(amount, 1.0):
        known[r.V_BROKEN, node] = r.BROKEN
        known[r.V_LEVEL, node] = known[r.V_HEADROOM, node] = 0.0
        if owns <= amount:
            part = (amount - owns) / (floors - owns)
            for slot in range(first, last):
                own = asks[r.A_OWN, slot]
                asks[r.A_GIVEN, slot] = own + part * (asks[r.A_FLOOR, slot] - own)
        else:
            for slot in range(first, last):
                asks[r.A_GIVEN, slot] = asks[r.A_OWN, slot] * (amount / owns)
        return 0.0
    if amount >= caps:
        known[r.V_LEVEL, node] = known[r.V_HEADROOM, node] = math.inf
        for slot in range(first, last):
            asks[r.A_GIVEN, slot] = asks[r.A_CAP, slot]
        return 0.0
    if amount >= uses:
        known[r.V_LEVEL, node] = math.inf
        level, residual = _find_level(asks, first, last, amount, _HEADROOM, 1.0, known[r.V_HEADROOM, node])
        known[r.V_HEADROOM, node] = level
        return residual
    known[r.V_HEADROOM, node] = 0.0
    if amount <= floors:
        # Nobody gets more than the floor, of which rounding may be missing.
        known[r.V_LEVEL, node] = 0.0
        for slot in range(first, last):
            asks[r.A_GIVEN, slot] = asks[r.A_FLOOR, slot]
        return 0.0
    tier = _ON_TOP if on_top else _BY_FLOOR
    level, residual = _find_level(asks, first, last, amount, tier, idle, known[r.V_LEVEL, node])
    known[r.V_LEVEL, node] = level
    return residual


@part
def fill_place(place: int, places: Any, nodes: Any, values: Any, asks: Any, known: Any, rule: Any) -> float:
    """Divide a place's amount from its root down; gives the largest residual of a node beside its amount.

    Parameters
    ----------
    place
        Which one.
    places, nodes
        Of the forest; the nodes of a place are neighbours, parents before children.
    values
        Of places; ``Q_AMOUNT`` is divided.
    asks
        By slot; ``A_GIVEN`` is written.
    known
        Of nodes; the levels are where the search begins, and what it finds; ``V_BROKEN`` is written.
    rule
        Whether floors come on top (1 or 0), and as how many busy pages an idle one counts.
    """
    worst = 0.0
    first, last = places[r.L_FIRST, place], places[r.L_LAST, place]
    if _has_enough(first, last, values[r.Q_AMOUNT, place], nodes, asks, known):
        return 0.0
    for node in range(first, last):
        amount = values[r.Q_AMOUNT, place] if node == first else asks[r.A_GIVEN, nodes[r.N_SLOT, node]]
        residual = _fill_node(node, amount, nodes, asks, known, rule[0] > 0.0, rule[1])
        worst = max(worst, abs(residual) / max(amount, 1.0))
    return worst


@part
def _has_enough(first: int, last: int, amount: float, nodes: Any, asks: Any, known: Any) -> bool:
    """Give all members of a place all they ask for, where there is as much and no pool stands at its limit."""
    caps = 0.0
    for slot in range(nodes[r.N_FIRST, first], nodes[r.N_LAST, first]):
        caps += asks[r.A_CAP, slot]
    if amount < caps:
        return False
    for node in range(first + 1, last):
        if known[r.V_LIMITED, node] > 0.0:
            return False
    for node in range(first, last):
        known[r.V_LEVEL, node] = known[r.V_HEADROOM, node] = math.inf
        known[r.V_BROKEN, node] = 0.0
    # The nodes of a place are neighbours, and so are the slots of theirs.
    for slot in range(nodes[r.N_FIRST, first], nodes[r.N_LAST, last - 1]):
        asks[r.A_GIVEN, slot] = asks[r.A_CAP, slot]
    return True


@part
def sum_up(node: int, nodes: Any, asks: Any) -> None:
    """Add up at a pool's node what its members there ask for."""
    floor, knee, use, cap, keep, own = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    for slot in range(nodes[r.N_FIRST, node], nodes[r.N_LAST, node]):
        floor += asks[r.A_FLOOR, slot]
        knee += asks[r.A_KNEE, slot]
        use += asks[r.A_USE, slot]
        cap += asks[r.A_CAP, slot]
        keep += asks[r.A_KEEP, slot]
        own += asks[r.A_OWN, slot]
    at = nodes[r.N_SLOT, node]
    asks[r.A_FLOOR, at], asks[r.A_KNEE, at], asks[r.A_USE, at] = floor, knee, use
    asks[r.A_CAP, at], asks[r.A_KEEP, at], asks[r.A_OWN, at] = cap, keep, own


@part
def ask_as_pool(node: int, reservation: float, limit: float, weight: float, nodes: Any, asks: Any, known: Any) -> None:
    """Turn what the members of a pool's node ask for into what the pool asks for there (section 3)."""
    slot = nodes[r.N_SLOT, node]
    known[r.V_RESERVATION, node], known[r.V_LIMIT, node], known[r.V_WEIGHT, node] = reservation, limit, weight
    all_caps = asks[r.A_CAP, slot]
    known[r.V_LIMITED, node] = 1.0 if all_caps > limit * (1.0 + ROUNDING) else 0.0
    cap, use = min(limit, all_caps), min(limit, asks[r.A_USE, slot])
    promised = min(cap, max(reservation, asks[r.A_FLOOR, slot]))
    asks[r.A_KNEE, slot] = min(use, asks[r.A_KNEE, slot])
    use = max(use, promised)
    asks[r.A_FLOOR, slot], asks[r.A_USE, slot], asks[r.A_CAP, slot] = promised, use, cap
    asks[r.A_KEEP, slot] = min(use, max(promised, asks[r.A_KEEP, slot]))
    asks[r.A_OWN, slot] = min(promised, asks[r.A_OWN, slot])
    asks[r.A_WEIGHT, slot] = max(weight, r.LEAST_WEIGHT)


@part
def add_up(row: int, place: int, places: Any, nodes: Any, slots: Any, asks: Any, known: Any, into: int) -> None:
    """Add up a row of ``asks`` over the guests below each node of a place, into a row of ``known``."""
    for node in range(places[r.L_LAST, place] - 1, places[r.L_FIRST, place] - 1, -1):
        total = 0.0
        for slot in range(nodes[r.N_FIRST, node], nodes[r.N_LAST, node]):
            child = slots[r.T_NODE, slot]
            total += asks[row, slot] if child < 0 else known[into, child]
        known[into, node] = total
