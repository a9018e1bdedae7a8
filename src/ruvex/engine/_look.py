"""One look of the memory controllers: what is asked for, the division as everyone's target, moves limited by rates.

Sections 6 and 7 of docs/model.md.
"""

from __future__ import annotations

import math
from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._asks import ask_memory, host_overhead, memory_supplies, need_of, share_pages
from ruvex.engine._causes import find_stops, why
from ruvex.engine._changes import NEVER, NOISE, cut_growth, make_change, plan_change
from ruvex.engine._follow import follow_work, resize_banks, share
from ruvex.engine._jit import kernel, part
from ruvex.engine._layers import balloon_most, cover, lost_of_working, pace_of, spread_far
from ruvex.engine._moment import divide_resource
from ruvex.engine._tally import count_memory, count_place

_MET = 1e-6
"""A guest that has all but this part of its need has all of it."""
_SHORT_BY = 0.002
"""A host is short when free is below what is kept by more than this part of its supply."""

_TAKEN, _LESS, _MORE, _PRESSED, _URGENT, _CUT, _EXTRA = range(7)
_HELD, _GROWTH = range(2)
"""Of nodes: what their guests hold, and would grow by."""


@kernel
def ask_all(guests: Any, standing: Any, guest_slots: Any, asks: Any, values: Any) -> None:
    """Let every guest ask for memory, with the pages touched so far."""
    for guest in range(guests.shape[1]):
        slot = guest_slots[1, guest]
        if slot >= 0:
            own = values[r.X_TOUCHED, guest] - values[r.X_SHARED, guest]
            ask_memory(guest, slot, values[r.X_WORKING, guest], own, values[r.X_BRIDGED, guest], guests, standing, asks)


@kernel
def look(
    tick: int, elapsed_s: float, now: Any, site: Any, forest: Any, one: Any, play: Any, sums: Any, room: Any
) -> tuple[bool, int]:
    """Let the controllers look and move once.

    Parameters
    ----------
    tick, elapsed_s
        Now, and the time since the look before.
    now
        Shape (5, guests): the demand.
    site
        guests, numbers, pools, parent, order, hosts, rules, standing, disks, images, homes.
    forest, one
        places, nodes, slots, guest slots, first, pool nodes, place of each guest and resource, whether spread; the
        same with all hosts as one, and values, asks and known of that.
    play
        values, codes, place values, asks, known, weights.
    sums
        What is counted: of guests, of guests by cause, of places.
    room
        By guest (7 rows), by place (8 rows), by host (2 rows), by NUMA node, by node whole numbers, by host and
        image twice, by node (2 rows).

    Returns
    -------
    tuple
        Whether anything moved, and the first tick at which something will by itself.
    """
    guests, numbers, pools, parent, order, hosts, rules, standing, disks, images, homes = site
    places, nodes, slots, guest_slots, first, pool_nodes, place_of, is_spread = forest
    one_places, one_nodes, one_slots, one_guest_slots, one_first, one_pool_nodes, one_values, one_asks, one_known = one
    values, codes, place_values, asks, known, weights = play
    of_guests, of_places, of_hosts, asked, stops, pages, of_nodes = room
    count, place_count = guests.shape[1], places.shape[1]
    per_host = hosts.shape[1]

    moved = follow_work(now, elapsed_s, guests, standing, rules, values, codes)
    moved = (
        share(elapsed_s, guests, numbers, standing, images, hosts, rules, values, of_guests[0], of_hosts[1], pages)
        or moved
    )
    ask_all(guests, standing, guest_slots, asks, values)
    for place in range(per_host, place_count):
        of_places[_TAKEN, place] = 0.0
    for guest in range(count):
        if guest_slots[1, guest] >= 0:
            taken = max(values[r.X_GIVEN, guest], values[r.X_FLOOR, guest])
            of_places[_TAKEN, place_of[1, guest]] += taken
    moved = resize_banks(hosts, places, place_values, of_places[_TAKEN]) or moved
    host_overhead(guests, standing, of_hosts[0])
    memory_supplies(hosts, of_hosts[0], of_hosts[1], places, place_values, rules)
    _target(site, forest, one, play)
    find_stops(nodes, asks, known, stops)
    for place in range(per_host, place_count):
        of_places[_TAKEN, place] = of_places[_LESS, place] = of_places[_MORE, place] = of_places[_CUT, place] = 0.0
    for guest in range(count):
        slot = guest_slots[1, guest]
        if slot >= 0:
            target = asks[r.A_GIVEN, slot]
            values[r.X_TARGET, guest], values[r.X_FLOOR, guest] = target, min(asks[r.A_FLOOR, slot], target)
            of_places[_TAKEN, place_of[1, guest]] += max(values[r.X_GIVEN, guest], values[r.X_FLOOR, guest])
    for place in range(per_host, place_count):
        supply, kept = place_values[r.Q_SUPPLY, place], place_values[r.Q_KEPT, place]
        free = supply - of_places[_TAKEN, place] - place_values[r.Q_ARRIVING, place]
        waits = place_values[r.Q_WAITING, place] > 0.0
        if waits and rules[r.R_START_TAKES_ALL] > 0.0:
            place_values[r.Q_GIVES, place] = 1.0
        is_pressed = waits or place_values[r.Q_SHORT, place] > 0.0 or free < kept - NOISE * max(1.0, supply)
        is_pressed = is_pressed or place_values[r.Q_GIVES, place] > 0.0
        of_places[_PRESSED, place] = 1.0 if is_pressed else 0.0
        of_places[_URGENT, place] = 1.0 if waits or free < rules[r.R_DIRE_PART] * kept - NOISE * supply else 0.0

    timer = NEVER
    for guest in range(count):
        slot = guest_slots[1, guest]
        if slot >= 0:
            place = place_of[1, guest]
            is_limited = stops[slots[r.T_OWNER, slot]] >= 0
            due = plan_change(
                guest, tick, elapsed_s, is_limited, of_places[_PRESSED, place] > 0.0, of_places[_URGENT, place] > 0.0,
                guests, standing, disks, rules, values, codes, of_guests,
            )  # fmt: skip
            timer = min(timer, due)
            _keep_own_limit(guest, guests, rules, values, of_guests)
    _keep_pool_limits(nodes, slots, guest_slots, asks, known, guests, rules, values, of_guests, of_nodes)
    for guest in range(count):
        if guest_slots[1, guest] >= 0:
            place, floor = place_of[1, guest], values[r.X_FLOOR, guest]
            change = max(of_guests[1, guest], floor) - max(values[r.X_GIVEN, guest], floor)
            of_places[_LESS if change < 0.0 else _MORE, place] += change
    for place in range(per_host, place_count):
        supply = place_values[r.Q_SUPPLY, place]
        free = supply - of_places[_TAKEN, place] - of_places[_LESS, place]
        free = max(0.0, free - place_values[r.Q_WAITING, place] - place_values[r.Q_ARRIVING, place])
        if place_values[r.Q_WAITING, place] == 0.0 and of_places[_LESS, place] == 0.0:
            place_values[r.Q_GIVES, place] = 0.0
        growth = of_places[_MORE, place]
        is_short = growth > free + NOISE * max(supply, 1.0)
        of_places[_CUT, place] = 1.0 - free / growth if is_short else 0.0
        place_values[r.Q_SHORT, place] = 1.0 if is_short else 0.0
        of_places[_TAKEN, place] = of_places[_EXTRA, place] = 0.0
    for guest in range(count):
        if guest_slots[1, guest] >= 0:
            place, floor = place_of[1, guest], values[r.X_FLOOR, guest]
            growth = max(of_guests[1, guest], floor) - max(values[r.X_GIVEN, guest], floor)
            if growth > 0.0 and of_places[_CUT, place] > 0.0:
                cut_growth(guest, growth * of_places[_CUT, place], guests, rules, values, of_guests)
            of_places[_TAKEN, place] += max(of_guests[1, guest], floor)
            of_places[_EXTRA, place] += max(of_guests[1, guest] - floor, 0.0)
    for place in range(per_host, place_count):
        # The supply itself may have shrunk: whoever has more than its floor gives its part of it at once.
        there = place_values[r.Q_SUPPLY, place]
        if places[r.L_KIND, place] == r.BANK_PLACE and there > 0.0:
            # A bank that is made smaller is emptied by its means, as a limit is.
            there = max(there, place_values[r.Q_SIZE, place])
        over = of_places[_TAKEN, place] - there
        extra = of_places[_EXTRA, place]
        is_over = over > NOISE * max(place_values[r.Q_SUPPLY, place], 1.0) and extra > 0.0
        of_places[_CUT, place] = min(1.0, over / extra) if is_over else 0.0
        of_places[_TAKEN, place] = 0.0
    for guest in range(count):
        if guest_slots[1, guest] >= 0:
            place, floor = place_of[1, guest], values[r.X_FLOOR, guest]
            if of_places[_CUT, place] > 0.0:
                cut_growth(
                    guest,
                    max(of_guests[1, guest] - floor, 0.0) * of_places[_CUT, place],
                    guests,
                    rules,
                    values,
                    of_guests,
                )
            of_places[_TAKEN, place] += max(of_guests[1, guest], floor)
            moved = make_change(guest, elapsed_s, guests, rules, values, of_guests) or moved
    moved = _set_pressure(tick, per_host, places, place_values, of_places, rules, sums) or moved
    moved = (
        tell_outcomes(tick, guests, standing, disks, rules, homes, places, nodes, slots, guest_slots, place_of, asks,
                      place_values, stops, values, codes, sums, of_guests, asked) or moved
    )  # fmt: skip
    return moved, timer


@part
def _keep_own_limit(guest: int, guests: Any, rules: Any, values: Any, plan: Any) -> None:
    """Let a thin guest hold no more than its limit, or what of more it held before and has not given up yet."""
    if guests[r.G_MODE, guest] == r.THIN and guests[r.G_LIMIT, guest] < math.inf:
        most = max(guests[r.G_LIMIT, guest], guests[r.G_RESERVATION, guest])
        over = plan[1, guest] - max(most, values[r.X_GIVEN, guest])
        if over > 0.0:
            cut_growth(guest, over, guests, rules, values, plan)


@kernel
def _keep_pool_limits(
    nodes: Any, slots: Any, guest_slots: Any, asks: Any, known: Any, guests: Any, rules: Any, values: Any, plan: Any,
    of_nodes: Any,
) -> None:  # fmt: skip
    """Let the guests of a pool grow only by what its limit leaves beside what they still hold.

    Who is to give up memory does so at a rate, and who is to have it grows at another: without this a pool would hold
    more than it may while they are on their way.
    """
    of_nodes[:] = 0.0
    for guest in range(guests.shape[1]):
        slot = guest_slots[1, guest]
        if slot < 0:
            continue
        held = max(min(plan[1, guest], values[r.X_GIVEN, guest]), values[r.X_FLOOR, guest])
        growth = max(max(plan[1, guest], values[r.X_FLOOR, guest]) - held, 0.0)
        node = slots[r.T_OWNER, slot]
        while nodes[r.N_POOL, node] >= 0:
            of_nodes[_HELD, node] += held
            of_nodes[_GROWTH, node] += growth
            node = nodes[r.N_PARENT, node]
    for guest in range(guests.shape[1]):
        slot = guest_slots[1, guest]
        if slot < 0:
            continue
        growth = plan[1, guest] - max(values[r.X_GIVEN, guest], values[r.X_FLOOR, guest])
        if growth <= 0.0:
            continue
        part, node = 1.0, slots[r.T_OWNER, slot]
        while nodes[r.N_POOL, node] >= 0:
            limit = known[r.V_LIMIT, node]
            if limit < math.inf and of_nodes[_GROWTH, node] > 0.0:
                left = max(0.0, max(limit, asks[r.A_GIVEN, nodes[r.N_SLOT, node]]) - of_nodes[_HELD, node])
                if of_nodes[_GROWTH, node] > left + NOISE * max(1.0, limit):
                    part = min(part, left / of_nodes[_GROWTH, node])
            node = nodes[r.N_PARENT, node]
        if part < 1.0:
            cut_growth(guest, growth * (1.0 - part), guests, rules, values, plan)


@kernel
def _target(site: Any, forest: Any, one: Any, play: Any) -> None:
    """Divide memory in every place; what it gives is everyone's target."""
    guests, numbers, pools, parent, order, hosts, rules, standing, disks, images, homes = site
    places, nodes, slots, guest_slots, first, pool_nodes, place_of, is_spread = forest
    one_places, one_nodes, one_slots, one_guest_slots, one_first, one_pool_nodes, one_values, one_asks, one_known = one
    values, codes, place_values, asks, known, weights = play
    divide_resource(
        1, first, pool_nodes, order, pools, weights, places, place_values, nodes, slots, guest_slots, asks, known,
        one_first, one_pool_nodes, one_places, one_values, one_nodes, one_slots, one_guest_slots, one_asks, one_known,
        (rules[0], rules[2]), is_spread[1],
    )  # fmt: skip


@kernel
def _set_pressure(
    tick: int, first: int, places: Any, place_values: Any, of_places: Any, rules: Any, sums: Any
) -> bool:  # fmt: skip
    """Tell what is free in each place, and how urgent that is; tells whether either is another one."""
    moved = False
    for place in range(first, places.shape[1]):
        supply, kept = place_values[r.Q_SUPPLY, place], place_values[r.Q_KEPT, place]
        free = supply - of_places[_TAKEN, place]
        if place_values[r.Q_WAITING, place] > 0.0 or free < rules[r.R_DIRE_PART] * kept - NOISE * max(supply, 1.0):
            pressure = r.DIRE
        elif place_values[r.Q_SHORT, place] > 0.0 or free < kept - _SHORT_BY * supply:
            pressure = r.SHORT
        else:
            pressure = r.AMPLE
        if free != place_values[r.Q_FREE, place] or pressure != place_values[r.Q_PRESSURE, place]:
            count_place(place, tick, place_values, sums)
            place_values[r.Q_FREE, place], place_values[r.Q_PRESSURE, place] = free, pressure
            moved = True
    return moved


@kernel
def tell_outcomes(
    tick: int, guests: Any, standing: Any, disks: Any, rules: Any, homes: Any, places: Any, nodes: Any, slots: Any,
    guest_slots: Any, place_of: Any, asks: Any, place_values: Any, stops: Any, values: Any, codes: Any, sums: Any,
    plan: Any, asked: Any,
) -> bool:  # fmt: skip
    """Tell need, met, pace and cause of every guest that is on; tells whether any of them is another one."""
    count, moved = guests.shape[1], False
    for guest in range(count):
        if guest_slots[1, guest] >= 0:
            backed = values[r.X_GIVEN, guest]
            if guests[r.G_MODE, guest] == r.THIN:
                own = values[r.X_TOUCHED, guest] - values[r.X_SHARED, guest]
                gone = values[r.X_BALLOON, guest] + values[r.X_SQUEEZED, guest] + values[r.X_SPILLED, guest]
                backed = max(0.0, own - gone)
            plan[0, guest] = backed
    first_home, home_nodes, node_mib = homes
    if node_mib.shape[0] > 0:
        spread_far(first_home, home_nodes, node_mib, standing, plan[0], values[r.X_FAR], asked)
    for guest in range(count):
        slot = guest_slots[1, guest]
        if slot < 0:
            continue
        mode, size, working = guests[r.G_MODE, guest], guests[r.G_SIZE, guest], values[r.X_WORKING, guest]
        own = values[r.X_TOUCHED, guest] - values[r.X_SHARED, guest]
        balloon = values[r.X_BALLOON, guest] if mode == r.THIN else 0.0
        squeezed, spilled = lost_of_working(
            working, own, balloon, values[r.X_SQUEEZED, guest], values[r.X_SPILLED, guest],
            values[r.X_SELF_PAGED, guest], values[r.X_USED, guest],
        )  # fmt: skip
        pace = pace_of(
            working, squeezed, spilled, values[r.X_SELF_PAGED, guest], values[r.X_FAR, guest], disks[r.D_OWN, guest],
            disks[r.D_SPILL, guest], rules,
        )  # fmt: skip
        if mode == r.THIN:
            need, have = working, working - squeezed - spilled - values[r.X_SELF_PAGED, guest]
        else:
            at_work = mode == r.ELASTIC and codes[r.C_PHASE, guest] != r.BOOTING
            need, have = need_of(guests, guest, working) if at_work else size, values[r.X_GIVEN, guest]
        met = min(1.0, max(0.0, have / need)) if need > 0.0 else 1.0
        if met >= 1.0 - _MET:
            met = 1.0
        cause = r.NO_CAUSE
        if met < 1.0 or values[r.X_SELF_PAGED, guest] > _MET * max(1.0, working):
            cause = _cause(guest, slot, place_of[1, guest], guests, standing, places, nodes, slots, asks, place_values,
                           stops, values)  # fmt: skip
        values[r.X_MEMORY_PACE, guest] = pace
        pace = min(pace, values[r.X_FLOW, guest])
        is_new = cause != codes[r.C_CAUSE, guest] or met != values[r.X_MET, guest] or pace != values[r.X_PACE, guest]
        if is_new or plan[0, guest] != values[r.X_BACKED, guest]:
            moved = True
            count_memory(guest, tick, guests, values, codes, sums)
            codes[r.C_CAUSE, guest], values[r.X_MET, guest], values[r.X_PACE, guest] = cause, met, pace
            values[r.X_BACKED, guest] = plan[0, guest]
        values[r.X_NEED, guest] = need
    return moved


@part
def _cause(
    guest: int, slot: int, place: int, guests: Any, standing: Any, places: Any, nodes: Any, slots: Any, asks: Any,
    place_values: Any, stops: Any, values: Any,
) -> int:  # fmt: skip
    if values[r.X_BRIDGED, guest] > 0.0:
        return r.BOOT_FROM_DISK
    least = _MET * max(asks[r.A_CAP, slot], 1.0)
    has = max(values[r.X_GIVEN, guest], values[r.X_FLOOR, guest])
    is_full = has >= asks[r.A_CAP, slot] - least and values[r.X_TARGET, guest] >= asks[r.A_CAP, slot] - least
    if not is_full and has < values[r.X_TARGET, guest] - least and place_values[r.Q_SHORT, place] == 0.0:
        return r.STILL_GROWING
    own = values[r.X_TOUCHED, guest] - values[r.X_SHARED, guest]
    return why(1, guest, slot, is_full, guests[r.G_LIMIT, guest] < own, guests, standing, places, nodes, slots, stops)


@kernel
def settle(now: Any, site: Any, forest: Any, one: Any, play: Any, sums: Any, room: Any) -> None:
    """Put every guest where it has come to rest under a demand: how the day is found at its start."""
    guests, numbers, pools, parent, order, hosts, rules, standing, disks, images, homes = site
    places, nodes, slots, guest_slots, first, pool_nodes, place_of, is_spread = forest
    values, codes, place_values, asks, known, weights = play
    of_guests, of_places, of_hosts, asked, stops, pages, of_nodes = room
    count, place_count, per_host = guests.shape[1], places.shape[1], hosts.shape[1]
    for guest in range(count):
        if standing[r.S_ON, guest] != 0:
            values[r.X_VISIBLE, guest] = guests[r.G_SIZE, guest]
            # Greedy work has taken all there is for it; that it can have less is seen below.
            values[r.X_GIVEN, guest] = values[r.X_HOARD, guest] / max(1.0 - guests[r.G_LEAVES, guest], 1e-9)
    follow_work(now, math.inf, guests, standing, rules, values, codes)
    share(math.inf, guests, numbers, standing, images, hosts, rules, values, of_guests[0], of_hosts[1], pages)
    share_pages(values[r.X_TOUCHED], values[r.X_SHARED], guests, numbers, standing, images, hosts, of_hosts[1], pages)
    ask_all(guests, standing, guest_slots, asks, values)
    host_overhead(guests, standing, of_hosts[0])
    memory_supplies(hosts, of_hosts[0], of_hosts[1], places, place_values, rules)
    _target(site, forest, one, play)
    find_stops(nodes, asks, known, stops)
    for place in range(per_host, place_count):
        of_places[_TAKEN, place] = place_values[r.Q_SHORT, place] = 0.0
    for guest in range(count):
        slot = guest_slots[1, guest]
        if slot < 0:
            continue
        target = asks[r.A_GIVEN, slot]
        values[r.X_TARGET, guest], values[r.X_FLOOR, guest] = target, min(asks[r.A_FLOOR, slot], target)
        of_places[_TAKEN, place_of[1, guest]] += target
        plan_balloon, plan_squeezed, plan_spilled, given = 0.0, 0.0, 0.0, target
        if guests[r.G_MODE, guest] == r.THIN:
            own = values[r.X_TOUCHED, guest] - values[r.X_SHARED, guest]
            most = balloon_most(guests, guest, standing[r.S_AGENT, guest] != 0, rules)
            is_spill_first = disks[r.D_SPILL, guest] < disks[r.D_OWN, guest]
            plan_balloon, plan_squeezed, plan_spilled = cover(
                values[r.X_TOUCHED, guest],
                own,
                values[r.X_WORKING, guest],
                min(target, own),
                most,
                is_spill_first,
                rules,
            )
            saved = 1.0 - 1.0 / rules[r.R_RATIO]
            given = own - plan_balloon - plan_squeezed * saved - plan_spilled
        elif guests[r.G_GREEDY, guest] > 0.0 and guests[r.G_MODE, guest] == r.ELASTIC:
            values[r.X_HOARD, guest] = min(values[r.X_HOARD, guest], (1.0 - guests[r.G_LEAVES, guest]) * target)
            values[r.X_WORKING, guest] = max(now[r.W_WORKING, guest], values[r.X_HOARD, guest])
        of_guests[1, guest], of_guests[2, guest] = given, plan_balloon
        of_guests[3, guest], of_guests[4, guest] = plan_squeezed, plan_spilled
        make_change(guest, math.inf, guests, rules, values, of_guests)
        values[r.X_RECLAIMED, guest] = 0.0
        values[r.X_USED, guest] = rules[r.R_BY_USE]
    follow_work(now, math.inf, guests, standing, rules, values, codes)
    _set_pressure(0, per_host, places, place_values, of_places, rules, sums)
    tell_outcomes(
        0, guests, standing, disks, rules, homes, places, nodes, slots, guest_slots, place_of, asks, place_values,
        stops, values, codes, sums, of_guests, asked,
    )  # fmt: skip


@kernel
def tell_places(tick: int, site: Any, forest: Any, play: Any, sums: Any, room: Any) -> None:
    """Bring what is free in every place up to who is on now, between two looks."""
    guests, numbers, pools, parent, order, hosts, rules, standing, disks, images, homes = site
    places, nodes, slots, guest_slots, first, pool_nodes, place_of, is_spread = forest
    values, codes, place_values, asks, known, weights = play
    of_guests, of_places, of_hosts, asked, stops, pages, of_nodes = room
    host_overhead(guests, standing, of_hosts[0])
    for host in range(hosts.shape[1]):
        of_hosts[1, host] = place_values[r.Q_COPIES, hosts.shape[1] + host]
    memory_supplies(hosts, of_hosts[0], of_hosts[1], places, place_values, rules)
    for place in range(hosts.shape[1], places.shape[1]):
        of_places[_TAKEN, place] = 0.0
    for guest in range(guests.shape[1]):
        if guest_slots[1, guest] >= 0:
            of_places[_TAKEN, place_of[1, guest]] += max(values[r.X_GIVEN, guest], values[r.X_FLOOR, guest])
    _set_pressure(tick, hosts.shape[1], places, place_values, of_places, rules, sums)
