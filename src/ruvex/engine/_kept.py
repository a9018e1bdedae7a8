"""Guests that are kept to some cores of their host: what those cannot give them goes to the others. Section 4."""

from __future__ import annotations

import math
from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._fill import ask_as_pool, fill_place, sum_up
from ruvex.engine._jit import kernel

_NOISE = 1e-9
_MOST_ROUNDS = 400
"""More than any division takes: each round binds a further set, or hands on what is left of one."""
_WHOLE_VCPU = 1e-9

_SUM, _BLOCK, _LEFT, _REACHED, _COMPONENT, _VCPUS = range(6)
"""Of sets: what their guests get, in which block they are bound, what of it found no core, whether the search came to
it, with which others it shares cores, and how many vCPUs want to run there."""
_CAN, _OF_BLOCK, _FREE, _SEEN, _FROM = range(5)
"""Of cores: what each gives, which block has it, what is free of it, whether the search came to it, and from where."""


@kernel
def fit_to_cores(
    place: int, places: Any, nodes: Any, slots: Any, values: Any, asks: Any, known: Any, rule: Any, guests: Any,
    hosts: Any, kept: Any,
) -> None:  # fmt: skip
    """Let nobody have more of a host than the cores give that it is kept to, once the host has been filled.

    Guests of a set that is too small share it as if it were a machine with only them on it: by their shares in their
    pools, promises first. What one of them does not get elsewhere goes to its fellows there, and what none of them can
    use to the others of the host. Sets that overlap are bound the one first that is too small by most (Fujishige's
    decomposition): in a host without pools that is the one division in which no level can be raised.

    Parameters
    ----------
    place
        Of which host; CPU places are numbered as hosts are.
    places, nodes, slots, values, asks, known, rule
        As ``fill_place`` takes them; ``A_GIVEN`` and ``A_BOUND`` are written, and levels.
    guests, hosts
        The site.
    kept
        By guest the set it is kept to (−1: none), where the sets of each host begin, the cores of each set (1 or 0),
        and room.
    """
    set_of, first, allowed, room = kept
    begin, end = first[place], first[place + 1]
    if begin == end:
        return
    asks_a, known_a, asks_b, known_b, values_b, most, held, of_sets, of_cores, flow = room
    first_node, last_node = places[r.L_FIRST, place], places[r.L_LAST, place]
    first_slot, last_slot = nodes[r.N_FIRST, first_node], nodes[r.N_LAST, last_node - 1]
    for slot in range(first_slot, last_slot):
        asks[r.A_BOUND, slot] = 0.0
        most[slot] = held[slot] = math.inf
    _find_capacities(place, begin, end, first_slot, last_slot, slots, asks, guests, hosts, values, kept)
    for at in range(begin, end):
        of_sets[_BLOCK, at] = -1.0
    for core in range(of_cores.shape[1]):
        of_cores[_OF_BLOCK, core] = -1.0
    _sum_sets(first_slot, last_slot, slots, asks, kept)
    if _fits(-1, begin, end, kept):
        return
    blocks = 0
    for slot in range(first_slot, last_slot):
        for row in range(asks.shape[0]):
            asks_a[row, slot] = asks[row, slot]
    for _ in range(_MOST_ROUNDS):
        is_other = False
        _sum_sets(first_slot, last_slot, slots, asks_a, kept)
        if not _fits(-1, begin, end, kept):
            _bind(-1, blocks, begin, end, kept)
            _share(blocks, place, places, nodes, slots, asks, known, rule, begin, end, kept)
            blocks += 1
            is_other = True
        block = 0
        while block < blocks:
            # A block that was shared out may hold a smaller set that is too small for its part of it.
            _sum_most(first_slot, last_slot, slots, kept)
            if not _fits(block, begin, end, kept):
                _bind(block, blocks, begin, end, kept)
                _share(block, place, places, nodes, slots, asks, known, rule, begin, end, kept)
                _share(blocks, place, places, nodes, slots, asks, known, rule, begin, end, kept)
                blocks += 1
                is_other = True
            else:
                block += 1
        for block in range(blocks):
            if not is_other and _has_left(block, first_slot, last_slot, slots, asks, kept):
                _share(block, place, places, nodes, slots, asks, known, rule, begin, end, kept)
                is_other = True
        if not is_other:
            break
        _fill_again(place, places, nodes, slots, values, asks, known, rule, kept)
    for slot in range(first_slot, last_slot):
        guest = slots[r.T_GUEST, slot]
        asks[r.A_GIVEN, slot] = asks_a[r.A_GIVEN, slot]
        if guest >= 0 and set_of[guest] >= 0 and of_sets[_BLOCK, set_of[guest]] >= 0.0:
            cap = asks[r.A_CAP, slot]
            is_full = asks_a[r.A_GIVEN, slot] >= most[slot] - _NOISE * max(1.0, most[slot])
            is_bound = is_full and most[slot] < cap - _NOISE * max(1.0, cap)
            asks[r.A_BOUND, slot] = 1.0 if is_bound else 0.0
    for node in range(first_node, last_node):
        for row in (r.V_LEVEL, r.V_HEADROOM, r.V_BROKEN):
            known[row, node] = known_a[row, node]
    for block in range(blocks):
        if _is_overpromised(block, first_slot, last_slot, slots, asks, kept):
            known[r.V_BROKEN, first_node] = r.BROKEN


@kernel
def _find_capacities(
    place: int, begin: int, end: int, first_slot: int, last_slot: int, slots: Any, asks: Any, guests: Any, hosts: Any,
    values: Any, kept: Any,
) -> None:  # fmt: skip
    """Put down what each core gives: second threads help where more vCPUs want to run than a group of sets has cores.

    What the hypervisor needs itself slows all cores alike.
    """
    set_of, first, allowed, room = kept
    of_sets, of_cores = room[7], room[8]
    cores, mhz = hosts[r.H_CORES, place], hosts[r.H_MHZ, place]
    supply = values[r.Q_SUPPLY, place]
    slowed = supply / (supply + hosts[r.H_OVERHEAD_MHZ, place]) if supply > 0.0 else 0.0
    for core in range(of_cores.shape[1]):
        of_cores[_CAN, core] = 0.0
    for at in range(begin, end):
        of_sets[_COMPONENT, at], of_sets[_VCPUS, at] = at, 0.0
    for _ in range(end - begin):
        for at in range(begin, end):
            for other in range(begin, end):
                for core in range(allowed.shape[1]):
                    if allowed[at, core] > 0 and allowed[other, core] > 0:
                        lower = min(of_sets[_COMPONENT, at], of_sets[_COMPONENT, other])
                        of_sets[_COMPONENT, at] = of_sets[_COMPONENT, other] = lower
    for slot in range(first_slot, last_slot):
        guest = slots[r.T_GUEST, slot]
        if guest >= 0 and set_of[guest] >= 0:
            running = math.ceil(asks[r.A_CAP, slot] / mhz - _WHOLE_VCPU)
            component = int(of_sets[_COMPONENT, set_of[guest]])
            of_sets[_VCPUS, component] += min(guests[r.G_VCPUS, guest], max(running, 0.0))
    for component in range(begin, end):
        count = 0.0
        for core in range(allowed.shape[1]):
            if _is_in(core, component, begin, end, kept):
                count += 1.0
        if count > 0.0:
            further = min(hosts[r.H_FURTHER, place] / cores, max(0.0, of_sets[_VCPUS, component] / count - 1.0))
            for core in range(allowed.shape[1]):
                if _is_in(core, component, begin, end, kept):
                    of_cores[_CAN, core] = mhz * (1.0 + hosts[r.H_YIELD, place] * further) * slowed


@kernel
def _is_in(core: int, component: int, begin: int, end: int, kept: Any) -> bool:
    """Tell whether a core belongs to some set of a group of sets that share cores."""
    allowed, of_sets = kept[2], kept[3][7]
    is_in = False
    for at in range(begin, end):
        is_in = is_in or (allowed[at, core] > 0 and of_sets[_COMPONENT, at] == component)
    return is_in


@kernel
def _sum_sets(first_slot: int, last_slot: int, slots: Any, asks: Any, kept: Any) -> None:
    """Add up what the guests of each set get."""
    set_of, of_sets = kept[0], kept[3][7]
    of_sets[_SUM] = 0.0
    for slot in range(first_slot, last_slot):
        guest = slots[r.T_GUEST, slot]
        if guest >= 0 and set_of[guest] >= 0:
            of_sets[_SUM, set_of[guest]] += asks[r.A_GIVEN, slot]


@kernel
def _sum_most(first_slot: int, last_slot: int, slots: Any, kept: Any) -> None:
    """Add up what the guests of each set may get of their block."""
    set_of, most, of_sets = kept[0], kept[3][5], kept[3][7]
    of_sets[_SUM] = 0.0
    for slot in range(first_slot, last_slot):
        guest = slots[r.T_GUEST, slot]
        if guest >= 0 and set_of[guest] >= 0 and most[slot] < math.inf:
            of_sets[_SUM, set_of[guest]] += most[slot]


@kernel
def _fits(block: int, begin: int, end: int, kept: Any) -> bool:
    """Tell whether what the sets of a block get finds cores of it; if not, mark the sets that are too small by most.

    Augmenting paths from sets to cores, the shortest first.
    """
    allowed, room = kept[2], kept[3]
    of_sets, of_cores, flow = room[7], room[8], room[9]
    cores, total = allowed.shape[1], 0.0
    for core in range(cores):
        of_cores[_FREE, core] = of_cores[_CAN, core] if of_cores[_OF_BLOCK, core] == block else 0.0
    for at in range(begin, end):
        of_sets[_LEFT, at] = of_sets[_SUM, at] if of_sets[_BLOCK, at] == block else 0.0
        total += of_sets[_LEFT, at]
        for core in range(cores):
            flow[at, core] = 0.0
            if allowed[at, core] > 0:
                sent = min(of_sets[_LEFT, at], of_cores[_FREE, core])
                flow[at, core] = sent
                of_sets[_LEFT, at] -= sent
                of_cores[_FREE, core] -= sent
    least = _NOISE * max(1.0, total)
    for _ in range(4 * (end - begin) * cores + 4):
        core = _reach(block, begin, end, least, kept)
        if core < 0:
            break
        _send(core, begin, least, kept)
    most = 0.0
    for at in range(begin, end):
        most = max(most, of_sets[_LEFT, at])
    return most <= least


@kernel
def _reach(block: int, begin: int, end: int, least: float, kept: Any) -> int:
    """Go out from all sets that have something left; gives a core that is reached and has room, or −1.

    ``_FROM`` of a core is the set it was reached from; ``_REACHED`` of a set is 1 where it has something left itself,
    else the core it was reached from, as a number from 2.
    """
    allowed, room = kept[2], kept[3]
    of_sets, of_cores, flow = room[7], room[8], room[9]
    for core in range(allowed.shape[1]):
        of_cores[_SEEN, core] = 0.0
    for at in range(begin, end):
        is_mine = of_sets[_BLOCK, at] == block
        of_sets[_REACHED, at] = 1.0 if is_mine and of_sets[_LEFT, at] > least else 0.0
    is_new = True
    while is_new:
        is_new = False
        for core in range(allowed.shape[1]):
            if of_cores[_SEEN, core] > 0.0 or of_cores[_OF_BLOCK, core] != block:
                continue
            for at in range(begin, end):
                if of_sets[_REACHED, at] > 0.0 and allowed[at, core] > 0:
                    of_cores[_SEEN, core], of_cores[_FROM, core] = 1.0, at
                    is_new = True
                    break
            if of_cores[_SEEN, core] > 0.0:
                if of_cores[_FREE, core] > least:
                    return core
                for at in range(begin, end):
                    if of_sets[_REACHED, at] == 0.0 and of_sets[_BLOCK, at] == block and flow[at, core] > 0.0:
                        of_sets[_REACHED, at] = 2.0 + core
    return -1


@kernel
def _send(core: int, begin: int, least: float, kept: Any) -> None:
    """Send as much as goes along the way that led to a core."""
    room = kept[3]
    of_sets, of_cores, flow = room[7], room[8], room[9]
    amount, here = of_cores[_FREE, core], core
    at = int(of_cores[_FROM, here])
    while of_sets[_REACHED, at] > 1.0:
        here = int(of_sets[_REACHED, at]) - 2
        amount = min(amount, flow[at, here])
        at = int(of_cores[_FROM, here])
    amount = min(amount, of_sets[_LEFT, at])
    of_cores[_FREE, core] -= amount
    here = core
    at = int(of_cores[_FROM, here])
    while of_sets[_REACHED, at] > 1.0:
        flow[at, here] += amount
        here = int(of_sets[_REACHED, at]) - 2
        flow[at, here] -= amount
        at = int(of_cores[_FROM, here])
    flow[at, here] += amount
    of_sets[_LEFT, at] -= amount


@kernel
def _bind(of: int, block: int, begin: int, end: int, kept: Any) -> None:
    """Make a block of the sets that were reached, with all their cores that were in the block they are taken from."""
    allowed, of_sets, of_cores = kept[2], kept[3][7], kept[3][8]
    for at in range(begin, end):
        if of_sets[_BLOCK, at] == of and of_sets[_REACHED, at] > 0.0:
            of_sets[_BLOCK, at] = block
            for core in range(allowed.shape[1]):
                if allowed[at, core] > 0 and of_cores[_OF_BLOCK, core] == of:
                    of_cores[_OF_BLOCK, core] = block


@kernel
def _share(
    block: int, place: int, places: Any, nodes: Any, slots: Any, asks: Any, known: Any, rule: Any, begin: int, end: int,
    kept: Any,
) -> None:  # fmt: skip
    """Divide the cores of a block among its guests as if there were nobody else; what each gets is the most it may."""
    set_of, first, allowed, room = kept
    asks_b, known_b, values_b, most, held, of_sets, of_cores = (
        room[2],
        room[3],
        room[4],
        room[5],
        room[6],
        room[7],
        room[8],
    )
    amount = 0.0
    for core in range(allowed.shape[1]):
        if of_cores[_OF_BLOCK, core] == block:
            amount += of_cores[_CAN, core]
    first_node, last_node = places[r.L_FIRST, place], places[r.L_LAST, place]
    for slot in range(nodes[r.N_FIRST, first_node], nodes[r.N_LAST, last_node - 1]):
        guest = slots[r.T_GUEST, slot]
        is_in = guest >= 0 and set_of[guest] >= 0 and of_sets[_BLOCK, set_of[guest]] == block
        _ask_at_most(slot, held[slot] if is_in else 0.0, asks, asks_b)
    values_b[r.Q_AMOUNT, place] = amount
    _fill(place, places, nodes, values_b, known, asks_b, known_b, rule)
    for slot in range(nodes[r.N_FIRST, first_node], nodes[r.N_LAST, last_node - 1]):
        guest = slots[r.T_GUEST, slot]
        if guest >= 0 and set_of[guest] >= 0 and of_sets[_BLOCK, set_of[guest]] == block:
            most[slot] = asks_b[r.A_GIVEN, slot]


@kernel
def _fill_again(
    place: int, places: Any, nodes: Any, slots: Any, values: Any, asks: Any, known: Any, rule: Any, kept: Any
) -> None:
    """Divide the host with what guests may have at most of their cores."""
    room = kept[3]
    asks_a, known_a, most = room[0], room[1], room[5]
    first_node, last_node = places[r.L_FIRST, place], places[r.L_LAST, place]
    for slot in range(nodes[r.N_FIRST, first_node], nodes[r.N_LAST, last_node - 1]):
        _ask_at_most(slot, most[slot], asks, asks_a)
    _fill(place, places, nodes, values, known, asks_a, known_a, rule)


@kernel
def _fill(place: int, places: Any, nodes: Any, values: Any, known: Any, asks: Any, found: Any, rule: Any) -> None:
    """Let the pools of a place ask anew, their settings as they are apportioned, and fill it."""
    first_node, last_node = places[r.L_FIRST, place], places[r.L_LAST, place]
    for node in range(first_node, last_node):
        for row in range(known.shape[0]):
            found[row, node] = known[row, node]
    for node in range(last_node - 1, first_node, -1):
        sum_up(node, nodes, asks)
        ask_as_pool(
            node, known[r.V_RESERVATION, node], known[r.V_LIMIT, node], known[r.V_WEIGHT, node], nodes, asks, found
        )
    fill_place(place, places, nodes, values, asks, found, rule)


@kernel
def _ask_at_most(slot: int, most: float, asks: Any, into: Any) -> None:
    """Let a guest ask for no more than some amount; pools ask for what their members do."""
    for row in range(r.A_WEIGHT):
        into[row, slot] = min(asks[row, slot], most)
    into[r.A_WEIGHT, slot] = asks[r.A_WEIGHT, slot]


@kernel
def _has_left(block: int, first_slot: int, last_slot: int, slots: Any, asks: Any, kept: Any) -> bool:
    """Tell whether a block has something left that some of its guests could use.

    Who gets less than it may, because its pool has no more for it, is held there: its fellows may have the rest.
    """
    set_of, first, allowed, room = kept
    asks_a, most, held, of_sets, of_cores = room[0], room[5], room[6], room[7], room[8]
    left, amount, wish = 0.0, 0.0, False
    for core in range(allowed.shape[1]):
        if of_cores[_OF_BLOCK, core] == block:
            amount += of_cores[_CAN, core]
    left = amount
    least = _NOISE * max(1.0, amount)
    for slot in range(first_slot, last_slot):
        guest = slots[r.T_GUEST, slot]
        if guest >= 0 and set_of[guest] >= 0 and of_sets[_BLOCK, set_of[guest]] == block:
            left -= asks_a[r.A_GIVEN, slot]
            is_full = asks_a[r.A_GIVEN, slot] >= most[slot] - least
            wish = wish or (is_full and most[slot] < asks[r.A_CAP, slot] - least)
    if left <= least or not wish:
        return False
    for slot in range(first_slot, last_slot):
        guest = slots[r.T_GUEST, slot]
        if guest >= 0 and set_of[guest] >= 0 and of_sets[_BLOCK, set_of[guest]] == block:
            given = asks_a[r.A_GIVEN, slot]
            if given < most[slot] - least:
                held[slot] = given
    return True


@kernel
def _is_overpromised(block: int, first_slot: int, last_slot: int, slots: Any, asks: Any, kept: Any) -> bool:
    """Tell whether the cores of a block cannot give what its guests are promised."""
    set_of, first, allowed, room = kept
    of_sets, of_cores = room[7], room[8]
    amount, promised = 0.0, 0.0
    for core in range(allowed.shape[1]):
        if of_cores[_OF_BLOCK, core] == block:
            amount += of_cores[_CAN, core]
    for slot in range(first_slot, last_slot):
        guest = slots[r.T_GUEST, slot]
        if guest >= 0 and set_of[guest] >= 0 and of_sets[_BLOCK, set_of[guest]] == block:
            promised += asks[r.A_FLOOR, slot]
    return promised > amount + _NOISE * max(1.0, amount)
