"""CPU from tick to tick: what is wanted, what the division gives, boots, and batch work that is carried over."""

from __future__ import annotations

import math
from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._asks import ask_alike, ask_cpu, ask_pool, ask_pools, cpu_supplies, note_as_one
from ruvex.engine._fill import ask_as_pool, fill_place, sum_up
from ruvex.engine._jit import kernel, part
from ruvex.engine._kept import fit_to_cores
from ruvex.engine._moment import fill_as_one, fill_places
from ruvex.engine._tally import count_cpu, count_unmet

_JOB_ENDS = 0.5
"""A job ends where the demand has fallen below this part of the highest it had since the job began."""
_NOISE = 1e-9
_FAR = 1e12
"""Ticks that no plan lasts."""
_DIRTY, _UNMET, _USED = range(3)


@part
def wish(guest: int, now: Any, guests: Any, standing: Any, hosts: Any, values: Any, codes: Any, batch: Any) -> float:
    """Give what a guest that is on wants of CPU, MHz.

    Whoever boots, or is behind with batch work, wants all of its vCPUs; who waits for pages needs more of them for the
    same work.
    """
    speed = guests[r.G_VCPUS, guest] * hosts[r.H_MHZ, standing[r.S_HOST, guest]]
    full = speed if speed < math.inf else 0.0
    if codes[r.C_PHASE, guest] == r.BOOTING:
        return full
    demand = now[r.W_CPU, guest]
    if guests[r.G_BATCH, guest] > 0.0:
        demand = demand / values[r.X_PACE, guest]
        if batch[r.B_BEHIND, guest] > 0.0:
            demand = max(full, demand)
    return min(demand, speed)


@kernel
def divide_cpu(
    tick: int, anew: bool, now: Any, site: Any, forest: Any, one: Any, play: Any, batch: Any, sums: Any, room: Any
) -> bool:  # fmt: skip
    """Divide CPU on every host on which somebody asks for something else than before.

    Parameters
    ----------
    tick, anew
        Now, and whether everything is to be divided.
    now
        Shape (5, guests): the demand.
    site, forest, one, play, sums
        As ``look`` takes them.
    batch
        Batch work of guests.
    room
        Shape (3, places), (guests,) and (pools + 1,): the last tells whether there was enough as one machine; and what
        ``fit_to_cores`` takes.
    """
    guests, numbers, pools, parent, order, hosts, rules, standing, disks, images, homes = site
    places, nodes, slots, guest_slots, first, pool_nodes, place_of, is_spread = forest
    one_places, one_nodes, one_slots, one_guest_slots, one_first, one_pool_nodes, one_values, one_asks, one_known = one
    values, codes, place_values, asks, known, weights = play
    of_places, caps, of_pools, kept = room
    count, host_count = guests.shape[1], hosts.shape[1]
    any_dirty, doubles = anew, False
    for host in range(host_count):
        of_places[_DIRTY, host] = 1.0 if anew else 0.0
        doubles = doubles or (hosts[r.H_YIELD, host] > 0.0 and hosts[r.H_FURTHER, host] > 0.0)
    any_other = False
    for pool in range(parent.shape[0]):
        of_pools[pool] = 0.0
    for guest in range(count):
        slot = guest_slots[0, guest]
        if slot < 0:
            caps[guest] = 0.0
            continue
        wanted = wish(guest, now, guests, standing, hosts, values, codes, batch)
        if wanted != values[r.X_WANTED, guest] or anew:
            if wanted != values[r.X_WANTED, guest]:
                any_other = True
                count_cpu(guest, tick, values, codes, sums)
                values[r.X_WANTED, guest] = wanted
            floor, cap = asks[r.A_FLOOR, slot], asks[r.A_CAP, slot]
            # Who is held still at the end of a move wants its processors, and has none.
            ask_cpu(guest, slot, 0.0 if codes[r.C_HELD, guest] > 0 else wanted, guests, standing, hosts, asks)
            if asks[r.A_FLOOR, slot] != floor or asks[r.A_CAP, slot] != cap or anew:
                of_places[_DIRTY, place_of[0, guest]] = 1.0
                any_dirty = True
                if is_spread[0]:
                    ask_alike(slot, asks, one_guest_slots[0, guest], one_asks)
                    _note_chain(slot, nodes, slots, asks, known, of_pools)
        caps[guest] = asks[r.A_CAP, slot]
    if not any_dirty:
        if any_other:
            _tell_unmet(tick, guest_slots, place_of, host_count, values, place_values, of_places, sums)
        return any_other
    if doubles or anew:
        cpu_supplies(guests, standing, hosts, caps, places, place_values)
    rule = (rules[0], rules[2])
    if is_spread[0]:
        fill_as_one(
            0, places, place_values, pools, order, weights, one_places, one_values, one_nodes, one_first,
            one_pool_nodes, one_asks, one_known, rule,
        )  # fmt: skip
        had_enough, has_enough = of_pools[parent.shape[0]] > 0.0, _has_all(0, one_places, one_known)
        of_pools[parent.shape[0]] = 1.0 if has_enough else 0.0
        if anew or not had_enough or not has_enough:
            note_as_one(0, places, nodes, slots, guest_slots, asks, known, one_guest_slots, one_asks)
            ask_pools(0, first, pool_nodes, order, pools, weights, nodes, asks, known)
            fill_places(0, places, place_values, nodes, asks, known, rule)
            for place in range(host_count):
                fit_to_cores(place, places, nodes, slots, place_values, asks, known, rule, guests, hosts, kept)
        else:
            _follow_pools(first, pool_nodes, order, pools, weights, nodes, asks, known, of_places, of_pools)
            for place in range(host_count):
                if of_places[_DIRTY, place] > 0.0:
                    fill_place(place, places, nodes, place_values, asks, known, rule)
                    fit_to_cores(place, places, nodes, slots, place_values, asks, known, rule, guests, hosts, kept)
    else:
        for place in range(host_count):
            if of_places[_DIRTY, place] > 0.0:
                for node in range(places[r.L_LAST, place] - 1, places[r.L_FIRST, place], -1):
                    pool = nodes[r.N_POOL, node]
                    sum_up(node, nodes, asks)
                    reservation, limit = pools[r.P_RESERVATION, 0, pool], pools[r.P_LIMIT, 0, pool]
                    ask_as_pool(node, reservation, limit, weights[0, pool], nodes, asks, known)
                fill_place(place, places, nodes, place_values, asks, known, rule)
                fit_to_cores(place, places, nodes, slots, place_values, asks, known, rule, guests, hosts, kept)
    for guest in range(count):
        slot = guest_slots[0, guest]
        if slot >= 0 and asks[r.A_GIVEN, slot] != values[r.X_DELIVERED, guest]:
            count_cpu(guest, tick, values, codes, sums)
            values[r.X_DELIVERED, guest] = asks[r.A_GIVEN, slot]
    _tell_unmet(tick, guest_slots, place_of, host_count, values, place_values, of_places, sums)
    return True


@part
def _has_all(place: int, places: Any, known: Any) -> bool:
    """Tell whether everybody in a place has all it may have: then no node has a level."""
    lowest = math.inf
    for node in range(places[r.L_FIRST, place], places[r.L_LAST, place]):
        lowest = min(lowest, known[r.V_LEVEL, node])
    return lowest == math.inf


@part
def _note_chain(slot: int, nodes: Any, slots: Any, asks: Any, known: Any, of_pools: Any) -> None:
    """Take note, at all nodes above a guest, of what it asks for now; as one machine it gets just that."""
    node = slots[r.T_OWNER, slot]
    while nodes[r.N_POOL, node] >= 0:
        total = 0.0
        for member in range(nodes[r.N_FIRST, node], nodes[r.N_LAST, node]):
            child = slots[r.T_NODE, member]
            total += asks[r.A_CAP, member] if child < 0 else known[r.V_AS_ONE, child]
        known[r.V_AS_ONE, node] = total
        of_pools[nodes[r.N_POOL, node]] = 1.0
        node = nodes[r.N_PARENT, node]


@part
def _follow_pools(
    first: Any, pool_nodes: Any, order: Any, pools: Any, weights: Any, nodes: Any, asks: Any, known: Any,
    of_places: Any, of_pools: Any,
) -> None:  # fmt: skip
    """Apportion anew what belongs to pools some guest of which asks for something else, and to no others.

    That is all there is to do while as one machine everybody has enough: no other pool's parts change then.
    """
    for i in range(order.shape[0] - 1, -1, -1):
        pool = order[i]
        if of_pools[pool] > 0.0:
            ask_pool(0, pool, first, pool_nodes, pools, weights, nodes, asks, known)
            for at in range(first[0, pool], first[0, pool + 1]):
                of_places[_DIRTY, nodes[r.N_PLACE, pool_nodes[at]]] = 1.0


@kernel
def _tell_unmet(
    tick: int, guest_slots: Any, place_of: Any, hosts: int, values: Any, place_values: Any, of_places: Any, sums: Any
) -> None:
    """Take note which hosts have too little CPU: somebody's want is not met there, and nothing is left.

    Who is held back by a limit of its own or of its pool on a host that is half idle lacks CPU; the host does not.
    """
    for host in range(hosts):
        of_places[_UNMET, host] = of_places[_USED, host] = 0.0
    for guest in range(guest_slots.shape[1]):
        if guest_slots[0, guest] >= 0:
            wanted, host = values[r.X_WANTED, guest], place_of[0, guest]
            of_places[_USED, host] += values[r.X_DELIVERED, guest]
            if wanted - values[r.X_DELIVERED, guest] > r.SHORT_PART * wanted:
                of_places[_UNMET, host] = 1.0
    for host in range(hosts):
        amount = place_values[r.Q_AMOUNT, host]
        if of_places[_USED, host] < amount * (1.0 - r.SHORT_PART):
            of_places[_UNMET, host] = 0.0
        if of_places[_UNMET, host] != sums[2][r.U_IS_UNMET, host]:
            count_unmet(host, tick, of_places[_UNMET, host], sums)


@kernel
def boot(guests: Any, standing: Any, hosts: Any, rules: Any, values: Any, codes: Any) -> bool:
    """Do a tick's work of those that boot, slower where CPU or boot memory is short; tells whether one has booted."""
    done = False
    for guest in range(guests.shape[1]):
        if codes[r.C_PHASE, guest] == r.BOOTING:
            speed = guests[r.G_VCPUS, guest] * hosts[r.H_MHZ, standing[r.S_HOST, guest]]
            by_cpu = min(1.0, values[r.X_DELIVERED, guest] / speed) if 0.0 < speed < math.inf else 1.0
            held = values[r.X_GIVEN, guest] + rules[r.R_BRIDGE_SPEED] * values[r.X_BRIDGED, guest]
            is_thin = guests[r.G_MODE, guest] == r.THIN
            by_memory = values[r.X_PACE, guest] if is_thin else min(1.0, held / guests[r.G_SIZE, guest])
            values[r.X_BOOT_LEFT, guest] = max(
                0.0, values[r.X_BOOT_LEFT, guest] - by_cpu * by_memory * rules[r.R_TICK_S]
            )
            done = done or values[r.X_BOOT_LEFT, guest] <= _NOISE
    return done


@kernel
def sample_number(tick: int, rules: Any) -> int:
    """Count how often demands that change smoothly have been read by a tick.

    Only then, and when a demand changes at once, does work notice that it has fallen behind. Noticed in each tick, it
    would want all vCPUs for a tick, catch up, want less, and fall behind again for ever wherever what a pool gets on a
    host depends on what its guests there want.
    """
    return math.floor(tick * rules[r.R_TICK_S] / rules[r.R_SAMPLE_S] + _NOISE)


@kernel
def next_sample(tick: int, rules: Any) -> int:
    """Give the first tick after one in which such demands are read."""
    following = sample_number(tick, rules) + 1
    return max(tick + 1, math.ceil(following * rules[r.R_SAMPLE_S] / rules[r.R_TICK_S] - _NOISE))


@kernel
def do_batch(
    tick: int, guests: Any, now: Any, rules: Any, values: Any, codes: Any, batch: Any, jobs: Any, notes: Any,
    counters: Any,
) -> None:  # fmt: skip
    """Do a tick's batch work.

    What is behind is told from the tick since which it goes on evenly, so that the bits are the same whichever ticks
    are passed over.
    """
    tick_s = rules[r.R_TICK_S]
    for guest in range(guests.shape[1]):
        if guests[r.G_BATCH, guest] <= 0.0:
            continue
        runs = codes[r.C_PHASE, guest] == r.RUNNING
        asked = now[r.W_CPU, guest] if runs else 0.0
        useful = min(values[r.X_DELIVERED, guest], values[r.X_WANTED, guest]) * values[r.X_PACE, guest] if runs else 0.0
        if asked != batch[r.B_WANTS, guest]:
            _note_job(guest, tick * tick_s, asked, batch, jobs, counters)
        if asked != batch[r.B_WANTS, guest] or useful != batch[r.B_GETS, guest] or batch[r.B_SINCE, guest] < 0.0:
            batch[r.B_SINCE, guest], batch[r.B_WANTS, guest], batch[r.B_GETS, guest] = tick, asked, useful
            batch[r.B_LEFT, guest], batch[r.B_TOTAL, guest] = (
                values[r.X_BACKLOG, guest],
                batch[r.B_ASKED, guest],
            )
        seconds = (tick + 1 - batch[r.B_SINCE, guest]) * tick_s
        left = max(batch[r.B_LEFT, guest] + (asked - useful) * seconds, 0.0)
        # What rounding leaves of a tick's work is done.
        if left <= _NOISE * max(asked, 1.0) * tick_s or not runs:
            left = 0.0
        batch[r.B_ASKED, guest] = batch[r.B_TOTAL, guest] + asked * seconds
        values[r.X_BACKLOG, guest] = left
    _note_done((tick + 1) * tick_s, values, batch, jobs, notes, counters)


@kernel
def _note_job(guest: int, now_s: float, asked: float, batch: Any, jobs: Any, counters: Any) -> None:
    """Notice where a job ends: its work has all been asked for then."""
    if asked < batch[r.B_HIGHEST, guest] * _JOB_ENDS:
        at = counters[r.Z_JOBS]
        total = batch[r.B_ASKED, guest]
        jobs[r.J_GUEST, at], jobs[r.J_DUE_S, at] = guest, now_s
        jobs[r.J_TOTAL, at], jobs[r.J_AMOUNT, at] = total, total - batch[r.B_START, guest]
        counters[r.Z_JOBS] = at + 1
        batch[r.B_START, guest], batch[r.B_HIGHEST, guest] = total, 0.0
    batch[r.B_HIGHEST, guest] = max(batch[r.B_HIGHEST, guest], asked)


@kernel
def _note_done(now_s: float, values: Any, batch: Any, jobs: Any, notes: Any, counters: Any) -> None:
    kept = 0
    for at in range(counters[r.Z_JOBS]):
        guest = int(jobs[r.J_GUEST, at])
        done = batch[r.B_ASKED, guest] - values[r.X_BACKLOG, guest]
        if done >= jobs[r.J_TOTAL, at] * (1.0 - _NOISE):
            note = counters[r.Z_NOTES]
            notes[0, note], notes[1, note], notes[2, note] = r.K_JOB_DONE, now_s, guest
            notes[3, note], notes[4, note] = jobs[r.J_DUE_S, at], jobs[r.J_AMOUNT, at]
            counters[r.Z_NOTES] = note + 1
        else:
            for row in range(4):
                jobs[row, kept] = jobs[row, at]
            kept += 1
    counters[r.Z_JOBS] = kept


@kernel
def next_batch_change(tick: int, guests: Any, rules: Any, values: Any, batch: Any, jobs: Any, counters: Any) -> float:
    """Give the next tick in which batch work wants another amount of CPU, or a job may be done."""
    tick_s, soonest = rules[r.R_TICK_S], math.inf
    for guest in range(guests.shape[1]):
        if guests[r.G_BATCH, guest] > 0.0:
            left = values[r.X_BACKLOG, guest]
            if left > 0.0 and batch[r.B_BEHIND, guest] <= 0.0:
                soonest = min(soonest, max(1.0, next_sample(tick, rules) - tick + 1.0))
            elif left <= 0.0 and batch[r.B_BEHIND, guest] > 0.0:
                return tick + 1.0
            falling = (batch[r.B_GETS, guest] - batch[r.B_WANTS, guest]) * tick_s
            if left > 0.0 and falling > 0.0:
                soonest = min(soonest, left / falling)
    for at in range(counters[r.Z_JOBS]):
        guest = int(jobs[r.J_GUEST, at])
        useful = batch[r.B_GETS, guest] * tick_s
        if useful > 0.0:
            rest = jobs[r.J_TOTAL, at] - (batch[r.B_ASKED, guest] - values[r.X_BACKLOG, guest])
            soonest = min(soonest, rest / useful)
    # One tick less than the sum says: rounding must not skip the tick in which it happens.
    return tick + max(1.0, math.floor(soonest) - 1.0) if soonest < _FAR else math.inf
