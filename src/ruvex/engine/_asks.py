"""What guests ask for, what there is, and what of a pool falls to each place: sections 1 to 3 of docs/model.md."""

from __future__ import annotations

import math
from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._fill import add_up, ask_as_pool, sum_up
from ruvex.engine._jit import kernel, part

MIB_PER_SHARE_UNIT = 1024.0
WHOLE_VCPU = 1e-9
"""A cap that exceeds whole vCPUs by no more than this is counted as whole: it comes from rounding."""
LEAST_WEIGHT = 1e-9
"""No part of an apportioned weight is below this part of the whole."""
_NOTHING = 1e-200
"""Sums of no more than this are none: of 1e-320 MHz one over the sum is no number any more."""


# Guests


@part
def weight_of(guests: Any, guest: int, resource: int, per_size: bool) -> float:
    """Give a guest's weight among its peers (section 2)."""
    if resource == 0:
        weight = guests[r.G_CPU_SHARES, guest] * (guests[r.G_VCPUS, guest] if per_size else 1.0)
    else:
        weight = guests[r.G_SHARES, guest] * (guests[r.G_SIZE, guest] / MIB_PER_SHARE_UNIT if per_size else 1.0)
    return max(weight, r.LEAST_WEIGHT)


@part
def cpu_wanted(guests: Any, standing: Any, hosts: Any, guest: int, demand: float) -> float:
    """Give what a guest that is on wants of CPU before any limit, MHz."""
    speed = guests[r.G_VCPUS, guest] * hosts[r.H_MHZ, standing[r.S_HOST, guest]]
    return min(demand, speed)


@part
def ask_cpu(guest: int, slot: int, wanted: float, guests: Any, standing: Any, hosts: Any, asks: Any) -> None:
    """Put down what a guest asks for of CPU; cores of its own are its, even while they idle."""
    speed = guests[r.G_VCPUS, guest] * hosts[r.H_MHZ, standing[r.S_HOST, guest]]
    if guests[r.G_DEDICATED, guest] > 0.0 and speed < math.inf:
        cap = floor = speed
    else:
        cap = min(wanted, guests[r.G_CPU_LIMIT, guest])
        floor = min(guests[r.G_CPU_RESERVATION, guest], cap)
    asks[r.A_FLOOR, slot] = asks[r.A_OWN, slot] = floor
    asks[r.A_KNEE, slot] = asks[r.A_USE, slot] = asks[r.A_CAP, slot] = cap
    asks[r.A_KEEP, slot], asks[r.A_BOUND, slot] = max(floor, cap), 0.0


@part
def need_of(guests: Any, guest: int, working: float) -> float:
    """Give what an elastic guest needs before its ceiling, MiB: working set and headroom, no less than its floor."""
    return max(guests[r.G_FLOOR, guest], working * (1.0 + guests[r.G_HEADROOM, guest]))


@part
def ask_memory(
    guest: int, slot: int, working: float, own: float, bridged: float, guests: Any, standing: Any, asks: Any
) -> None:
    """Put down what a guest asks for of memory (section 2).

    Parameters
    ----------
    guest, slot
        Which one, and where it stands.
    working
        Its working set, MiB.
    own
        What a thin guest has touched less what it shares, no more than its size, MiB.
    bridged
        What disk stands in for since a restart, MiB.
    """
    mode = guests[r.G_MODE, guest]
    if mode == r.THIN:
        floor = guests[r.G_RESERVATION, guest]
        cap = max(floor, min(own, guests[r.G_LIMIT, guest]))
        use, knee = cap, min(working, cap)
    elif mode == r.ELASTIC and standing[r.S_AGENT, guest] != 0 and standing[r.S_BOOTING, guest] == 0:
        floor = guests[r.G_FLOOR, guest]
        cap = max(floor, min(need_of(guests, guest, working), guests[r.G_CEILING, guest]))
        use = min(max(working, floor), cap)
        knee = use
    else:
        # Fixed guests hold their size, elastic ones without an agent their boot size.
        floor = cap = use = knee = guests[r.G_SIZE, guest] - bridged
    asks[r.A_FLOOR, slot] = asks[r.A_OWN, slot] = floor
    asks[r.A_KNEE, slot], asks[r.A_USE, slot], asks[r.A_CAP, slot] = knee, use, cap
    asks[r.A_KEEP, slot] = max(floor, knee)


@part
def settled_working(guests: Any, guest: int, working: float) -> float:
    """Give the working set as it would settle: greedy work comes to rest where its rate of taking ends."""
    return max(working, guests[r.G_AIM, guest]) if guests[r.G_GREEDY, guest] > 0.0 else working


@kernel
def share_pages(
    touched: Any, shared: Any, guests: Any, numbers: Any, standing: Any, images: int, hosts: Any, copies: Any, room: Any
) -> None:
    """Find what thin guests of one image on a host need not back, and what each host holds for them (section 6).

    A lone guest of an image on a host shares with nobody. The host's copy holds as much as the guest with most of
    these pages has touched of them. ``shared`` and ``copies`` are written; ``room`` has the shape (2, hosts, images).
    """
    copies[:] = 0.0
    if images == 0:
        shared[:] = 0.0
        return
    room[:] = 0.0
    for again in range(2):
        for guest in range(touched.shape[0]):
            image = numbers[r.I_IMAGE, guest]
            could = 0.0
            if image >= 0 and standing[r.S_ON, guest] != 0 and guests[r.G_MODE, guest] == r.THIN:
                could = min(min(touched[guest], guests[r.G_SIZE, guest]), guests[r.G_COMMON, guest])
            if could <= 0.0:
                shared[guest] = 0.0
                continue
            host = standing[r.S_HOST, guest]
            if again == 0:
                room[0, host, image] += 1.0
                room[1, host, image] = max(room[1, host, image], could)
            else:
                shared[guest] = could if room[0, host, image] > 1.0 else 0.0
    for host in range(hosts.shape[1]):
        for image in range(images):
            if room[0, host, image] > 1.0:
                copies[host] += room[1, host, image]


# Supplies


@kernel
def host_overhead(guests: Any, standing: Any, overhead: Any) -> None:
    """Add up by host what its guests that are on cost beside their own memory, MiB."""
    overhead[:] = 0.0
    for guest in range(guests.shape[1]):
        if standing[r.S_ON, guest] != 0:
            overhead[standing[r.S_HOST, guest]] += guests[r.G_OVERHEAD, guest]


@kernel
def cpu_supplies(guests: Any, standing: Any, hosts: Any, caps: Any, places: Any, values: Any) -> None:
    """Put down the CPU supply of every host (section 1); ``caps`` are the guests' CPU caps, MHz."""
    for place in range(places.shape[1]):
        if places[r.L_KIND, place] == r.CPU_PLACE:
            values[r.Q_SUPPLY, place] = 0.0
    for guest in range(guests.shape[1]):
        if standing[r.S_ON, guest] != 0:
            host = standing[r.S_HOST, guest]
            if hosts[r.H_YIELD, host] > 0.0 and hosts[r.H_FURTHER, host] > 0.0:
                vcpus = math.ceil(caps[guest] / hosts[r.H_MHZ, host] - WHOLE_VCPU)
                values[r.Q_SUPPLY, host] += min(guests[r.G_VCPUS, guest], max(vcpus, 0.0))
    for host in range(hosts.shape[1]):
        cores = hosts[r.H_CORES, host]
        if cores <= 0.0 or hosts[r.H_UP, host] <= 0.0:
            values[r.Q_SUPPLY, host] = values[r.Q_KEPT, host] = values[r.Q_AMOUNT, host] = 0.0
            continue
        doubled = min(hosts[r.H_FURTHER, host], max(0.0, values[r.Q_SUPPLY, host] - cores))
        speed = hosts[r.H_MHZ, host] * (cores + hosts[r.H_YIELD, host] * doubled)
        values[r.Q_SUPPLY, host] = max(0.0, speed - hosts[r.H_OVERHEAD_MHZ, host])
        values[r.Q_KEPT, host] = 0.0
        values[r.Q_AMOUNT, host] = values[r.Q_SUPPLY, host]


@kernel
def memory_supplies(hosts: Any, overhead: Any, copies: Any, places: Any, values: Any, rules: Any) -> None:
    """Put down what the memory of every host and bank comes to, and what is kept free of it (sections 1 and 4)."""
    count = hosts.shape[1]
    for place in range(count, places.shape[1]):
        host = places[r.L_HOST, place]
        is_up = hosts[r.H_UP, host] > 0.0
        if places[r.L_KIND, place] == r.BANK_PLACE:
            # A bank that is to be smaller is divided as such, while it keeps what is still used of it.
            values[r.Q_SUPPLY, place] = min(values[r.Q_SIZE, place], hosts[r.H_BANK, host]) if is_up else 0.0
            values[r.Q_KEPT, place] = 0.0
        else:
            values[r.Q_COPIES, place] = copies[host]
            supply = hosts[r.H_GROSS, host] - overhead[host] - copies[host]
            values[r.Q_SUPPLY, place] = supply if is_up else 0.0
    for place in range(count, places.shape[1]):
        if places[r.L_KIND, place] == r.BANK_PLACE:
            values[r.Q_SUPPLY, count + places[r.L_HOST, place]] -= (
                values[r.Q_SIZE, place] if hosts[r.H_UP, places[r.L_HOST, place]] > 0.0 else 0.0
            )
    for place in range(count, 2 * count):
        supply = max(0.0, values[r.Q_SUPPLY, place])
        values[r.Q_SUPPLY, place] = supply
        values[r.Q_KEPT, place] = min(rules[r.R_KEPT_PART] * supply, rules[r.R_KEPT_MOST])


@part
def memory_amount(place: int, places: Any, nodes: Any, asks: Any, values: Any) -> None:
    """Put down how much of a place's memory is divided: what is kept free comes out of headroom and idle pages only."""
    keep, floors, root = 0.0, 0.0, places[r.L_FIRST, place]
    for slot in range(nodes[r.N_FIRST, root], nodes[r.N_LAST, root]):
        keep += asks[r.A_KEEP, slot]
        floors += asks[r.A_FLOOR, slot]
    # What a start or a guest on its way needs comes out of working sets too, but of no promise.
    supply = values[r.Q_SUPPLY, place]
    left = supply - values[r.Q_WAITING, place] - values[r.Q_ARRIVING, place]
    left = max(left, min(supply, floors))
    values[r.Q_AMOUNT, place] = min(max(left - values[r.Q_KEPT, place], min(left, keep)), left)


# Pools


@kernel
def pool_weights(
    pools: Any, by_members: Any, parent: Any, guests: Any, numbers: Any, standing: Any, per_size: bool, weights: Any
) -> None:
    """Put down the whole weight of every pool, shape (2, pools); one that weighs by its members counts those on."""
    weights[:] = 0.0
    for guest in range(guests.shape[1]):
        if standing[r.S_ON, guest] != 0:
            pool = numbers[r.I_POOL, guest]
            while pool >= 0:
                weights[0, pool] += guests[r.G_VCPUS, guest] if per_size else 1.0
                weights[1, pool] += guests[r.G_SIZE, guest] / MIB_PER_SHARE_UNIT if per_size else 1.0
                pool = parent[pool]
    for pool in range(parent.shape[0]):
        for resource in range(2):
            times = weights[resource, pool] if by_members[pool] else 1.0
            weights[resource, pool] = pools[r.P_SHARES, resource, pool] * times


@kernel
def put_weights(guests: Any, guest_slots: Any, asks: Any, per_size: bool) -> None:
    """Put down the weights of all guests."""
    for guest in range(guests.shape[1]):
        for resource in range(2):
            slot = guest_slots[resource, guest]
            if slot >= 0:
                asks[r.A_WEIGHT, slot] = weight_of(guests, guest, resource, per_size)


@kernel
def ask_pools_whole(
    resource: int, first: Any, pool_nodes: Any, order: Any, pools: Any, weights: Any, nodes: Any, asks: Any, known: Any
) -> None:
    """Work out what every pool asks for where no setting is split."""
    for i in range(order.shape[0] - 1, -1, -1):
        pool = order[i]
        reservation, limit = pools[r.P_RESERVATION, resource, pool], pools[r.P_LIMIT, resource, pool]
        for at in range(first[resource, pool], first[resource, pool + 1]):
            sum_up(pool_nodes[at], nodes, asks)
            ask_as_pool(pool_nodes[at], reservation, limit, weights[resource, pool], nodes, asks, known)


@kernel
def ask_pools(
    resource: int, first: Any, pool_nodes: Any, order: Any, pools: Any, weights: Any, nodes: Any, asks: Any, known: Any
) -> None:
    """Work out what every pool asks for in each place, its settings apportioned (section 3).

    ``known[r.V_AS_ONE]`` is what the guests below each node would get as one machine.
    """
    for i in range(order.shape[0] - 1, -1, -1):
        ask_pool(resource, order[i], first, pool_nodes, pools, weights, nodes, asks, known)


@part
def ask_pool(
    resource: int, pool: int, first: Any, pool_nodes: Any, pools: Any, weights: Any, nodes: Any, asks: Any, known: Any
) -> None:
    """Work out what one pool asks for in each place, once its members have asked."""
    start, end = first[resource, pool], first[resource, pool + 1]
    reservation, limit = pools[r.P_RESERVATION, resource, pool], pools[r.P_LIMIT, resource, pool]
    for at in range(start, end):
        sum_up(pool_nodes[at], nodes, asks)
    if end - start == 1:
        ask_as_pool(pool_nodes[start], reservation, limit, weights[resource, pool], nodes, asks, known)
    elif end > start:
        _apportion(start, end, pool_nodes, reservation, limit, weights[resource, pool], nodes, asks, known)


@part
def _apportion(
    start: int, end: int, pool_nodes: Any, reservation: float, limit: float, weight: float, nodes: Any, asks: Any,
    known: Any,
) -> None:  # fmt: skip
    """Split reservation, limit and weight of a pool among its nodes, whose members have been summed up by now."""
    floors, as_one, caps, over_floor, below_cap, count = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    least = 0.0
    for at in range(start, end):
        node = pool_nodes[at]
        slot = nodes[r.N_SLOT, node]
        floor, cap, x = asks[r.A_FLOOR, slot], asks[r.A_CAP, slot], known[r.V_AS_ONE, node]
        floors += floor
        caps += cap
        as_one += x
        over_floor += max(0.0, x - floor)
        below_cap += max(0.0, cap - max(x, floor))
        least += max(x, floor)
        count += nodes[r.N_COUNT, node]
    more_reserved, more_allowed = max(0.0, reservation - floors), max(0.0, limit - least)
    # A bank is a machine by itself there: what a pool has in it and beside it may be more than its limit together.
    over = max(0.0, least - limit) * _one_over(over_floor)
    # Where a sum is 0, what is split goes by caps, and where those are 0 too, by how many guests are there.
    by_cap, by_count = (1.0 / caps, 0.0) if caps > _NOTHING else (0.0, 1.0 / count)
    by_more, by_less = _one_over(over_floor), _one_over(below_cap)
    by_x = _one_over(as_one)
    for at in range(start, end):
        node = pool_nodes[at]
        slot = nodes[r.N_SLOT, node]
        floor, cap, x = asks[r.A_FLOOR, slot], asks[r.A_CAP, slot], known[r.V_AS_ONE, node]
        otherwise = cap * by_cap + nodes[r.N_COUNT, node] * by_count
        part_reserved = max(0.0, x - floor) * by_more if over_floor > _NOTHING else otherwise
        here = math.inf
        if limit < math.inf:
            part_allowed = max(0.0, cap - max(x, floor)) * by_less if below_cap > _NOTHING else otherwise
            if floors > limit:
                # What is promised in it is more than it may have: all of that is cut alike, wherever it is.
                here = floor * limit / floors
            else:
                here = max(floor, max(x, floor) + more_allowed * part_allowed - over * max(0.0, x - floor))
        part_weight = x * by_x if as_one > _NOTHING else otherwise
        ask_as_pool(
            node, floor + more_reserved * part_reserved, here, weight * max(part_weight, LEAST_WEIGHT), nodes, asks,
            known,
        )  # fmt: skip


@part
def _one_over(total: float) -> float:
    return 1.0 / total if total > _NOTHING else 0.0


@kernel
def note_as_one(
    resource: int, places: Any, nodes: Any, slots: Any, guest_slots: Any, asks: Any, known: Any, one_slots: Any,
    one: Any,
) -> None:  # fmt: skip
    """Take what guests would get as one machine over to the nodes of the forest of places."""
    for guest in range(guest_slots.shape[1]):
        slot = guest_slots[resource, guest]
        if slot >= 0:
            asks[r.A_GIVEN, slot] = one[r.A_GIVEN, one_slots[resource, guest]]
    for place in range(places.shape[1]):
        if (places[r.L_KIND, place] == r.CPU_PLACE) == (resource == 0):
            add_up(r.A_GIVEN, place, places, nodes, slots, asks, known, r.V_AS_ONE)


@kernel
def copy_asks(resource: int, guest_slots: Any, asks: Any, one_slots: Any, one: Any) -> None:
    """Let guests ask the same of the forest in which all hosts are one."""
    for guest in range(guest_slots.shape[1]):
        slot = guest_slots[resource, guest]
        if slot >= 0:
            ask_alike(slot, asks, one_slots[resource, guest], one)


@part
def ask_alike(slot: int, asks: Any, one_slot: int, one: Any) -> None:
    """Let a guest ask the same of the forest in which all hosts are one."""
    for row in range(r.A_WEIGHT + 1):
        one[row, one_slot] = asks[row, slot]


@kernel
def one_supplies(resource: int, places: Any, values: Any, one_places: Any, one_values: Any) -> None:
    """Add up the supplies of all hosts; a bank stays by itself."""
    at = 1
    for place in range(places.shape[1]):
        kind = places[r.L_KIND, place]
        if kind == r.BANK_PLACE:
            at += 1
            one = at
        else:
            one = 0 if kind == r.CPU_PLACE else 1
        if (kind == r.CPU_PLACE) != (resource == 0):
            continue
        if kind == r.BANK_PLACE or places[r.L_HOST, place] == 0:
            one_values[r.Q_SUPPLY, one] = one_values[r.Q_KEPT, one] = one_values[r.Q_WAITING, one] = 0.0
            one_values[r.Q_ARRIVING, one] = 0.0
        one_values[r.Q_SUPPLY, one] += values[r.Q_SUPPLY, place]
        one_values[r.Q_KEPT, one] += values[r.Q_KEPT, place]
        one_values[r.Q_WAITING, one] += values[r.Q_WAITING, place]
        one_values[r.Q_ARRIVING, one] += values[r.Q_ARRIVING, place]
        one_values[r.Q_AMOUNT, one] = one_values[r.Q_SUPPLY, one]
