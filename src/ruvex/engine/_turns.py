"""vCPUs on the hardware threads of one host, turn by turn: section 8 of docs/model.md."""

from __future__ import annotations

import math
from typing import Any

from ruvex.engine import turn_rows as t
from ruvex.engine._jit import kernel
from ruvex.engine._queue import SAME, time_of
from ruvex.engine._turn_parts import (
    LEAST_MS,
    NO,
    chance,
    count_state,
    draw,
    end_turn,
    go_out_all,
    least_progress,
    note_turn,
    sift_up,
    take_first,
    work_off,
)
from ruvex.engine._turn_steps import fill_threads, has_busy_sibling, is_over, let_go, renew, spend, wake


@kernel
def end_of(
    thread: int, now: float, floats: Any, ints: Any, numbers: Any, vcpus: Any, on: Any, speed: Any, how: Any
) -> float:
    """Give when something becomes of what runs on a thread: burst over, budget spent, turn over, too far ahead."""
    turn, tick, fellows, lead = how[0], how[1], how[4], how[5]
    vcpu = on[thread]
    if vcpu < 0:
        return math.inf
    end = now + max(numbers[t.C_BURST_LEFT, vcpu], 0.0) / speed[thread]
    party, due = vcpus[t.C_PARTY, vcpu], math.inf
    while party >= 0:
        if floats[t.V_BUDGET, party] < math.inf:
            end = min(end, now + max(floats[t.V_LEFT, party], 0.0) / ints[t.P_ON_THREADS, party])
        owed = floats[t.V_RESERVED, party] - floats[t.V_SERVED, party]
        if owed > SAME:
            # With its promise met it has no more right to go first.
            end = min(end, now + owed / speed[thread] / ints[t.P_ON_THREADS, party])
        is_alone = ints[t.P_ON_THREADS, party] == 1 or ints[t.P_IS_VCPU, party] > 0
        if ints[t.P_ABOVE, party] >= 0 and is_alone:
            left = (floats[t.V_DUE, party] - time_of(floats, ints, party, now)) * floats[t.V_WEIGHT_OF, party]
            if left <= SAME:
                left = turn
            due = min(due, now + left)
        party = ints[t.P_ABOVE, party]
    if tick > 0.0:
        due = max(math.ceil(due / tick - SAME), math.floor(now / tick + SAME) + 1.0) * tick
    end = min(end, max(due, now + LEAST_MS))
    if fellows == t.LEAD:
        guest = vcpus[t.C_RULE, vcpu]
        ahead = numbers[t.C_PROGRESS, vcpu] - least_progress(numbers, vcpus, ints, guest)
        end = min(end, now + max(lead - ahead, LEAST_MS))
    return end


@kernel
def run_turns(
    floats: Any, ints: Any, numbers: Any, vcpus: Any, seeds: Any, allowed: Any, is_free: bool, homes: Any, width: int,
    node_of: Any, speeds: Any, how: Any, warm: float, end: float, heap: Any, on: Any, places: Any, freed: Any,
    chosen: Any, turns: Any, waits: Any, counts: Any, busy: Any,
) -> None:  # fmt: skip
    """Run the vCPUs of a host on its threads for a window of time.

    Parameters
    ----------
    floats, ints
        Of parties (``turn_rows.V_…``, ``P_…``); the root is the first.
    numbers, vcpus, seeds
        Of vCPUs (``C_…``), and the state of each one's chances.
    allowed, is_free
        Which threads each row of ``C_ALLOWED`` may run on, shape (rows, threads); whether all may everywhere.
    homes, width, node_of
        The NUMA node at which each vCPU is at home (−1: none), how many threads a core has (those of a core are
        neighbours), the node of each thread.
    speeds
        Of a thread whose core is its own, and of one that shares it, parts of 1.
    how
        Turn, tick at which its end is noticed (0: at once), most that who sleeps may be behind, period (ms each), how
        fellows keep to each other, how far one may lead (ms), whether promises come on top.
    warm, end
        From when on it is counted, and until when, ms.
    heap, on, places, freed, chosen
        Room: (vCPUs,); (threads,); (4, threads): since when, until when, speed, begin; (threads,); (4, threads).
    turns, waits, counts
        What is recorded (``TURN_…``, ``WAIT_…``): how many turns there were and were recorded, waits, moves. The run
        breaks off where there is no more room for either; what it leaves then is no window.
    busy
        Of threads: time with somebody on it, and time kept idle by a policy while somebody could have run, ms.
    """
    turn, most, period, fellows, on_top = how[0], how[2], how[3], int(how[4]), how[6] > 0.0
    count, threads, parties = numbers.shape[1], on.shape[0], floats.shape[1]
    since, ends, speed, begun = places[0], places[1], places[2], places[3]
    promised, was, stale = chosen[1], chosen[2], chosen[3]
    now, next_period, asleep, is_warm = 0.0, period, 0, warm <= 0.0
    for thread in range(threads):
        on[thread], since[thread], ends[thread], speed[thread] = NO, 0.0, math.inf, speeds[0]
        promised[thread], was[thread] = 0, NO
    is_exact = fellows == t.LEAD
    for party in range(parties):
        floats[t.V_LEFT, party] = floats[t.V_BUDGET, party]
        is_exact = is_exact or floats[t.V_BUDGET, party] < math.inf or floats[t.V_RESERVED, party] > 0.0
    for vcpu in range(count):
        demand = vcpus[t.C_DEMAND, vcpu]
        top = vcpus[t.C_PARTY, vcpu]
        while ints[t.P_ABOVE, top] > 0:
            top = ints[t.P_ABOVE, top]
        vcpus[t.C_TOP, vcpu] = top
        numbers[t.C_BURST_LEFT, vcpu] = draw(seeds, vcpu, demand, numbers[t.C_BURST_MS, vcpu])
        vcpus[t.C_STATE, vcpu], vcpus[t.C_THREAD, vcpu] = t.ASLEEP, NO
        if demand == t.ALWAYS:
            numbers[t.C_WAKES_AT, vcpu] = 0.0
        elif demand == t.EVEN:
            numbers[t.C_WAKES_AT, vcpu] = chance(seeds, vcpu) * numbers[t.C_SLEEP_MS, vcpu]
        else:
            numbers[t.C_WAKES_AT, vcpu] = draw(seeds, vcpu, demand, numbers[t.C_SLEEP_MS, vcpu])
        if numbers[t.C_WAKES_AT, vcpu] < math.inf:
            heap[asleep] = vcpu
            asleep += 1
            sift_up(heap, asleep - 1, numbers)
    while True:
        # What comes next: something on a thread, somebody who wakes, a new period.
        at = end
        for thread in range(threads):
            at = min(at, ends[thread])
        wakes = asleep > 0 and numbers[t.C_WAKES_AT, heap[0]] < at
        if wakes:
            at = numbers[t.C_WAKES_AT, heap[0]]
        renews = next_period < at
        if renews:
            at, wakes = next_period, False
        has_idle = False
        for thread in range(threads):
            has_idle = has_idle or on[thread] < 0
        if not is_warm and warm <= at:
            is_warm = True
            for vcpu in range(count):
                is_gang = fellows == t.TOGETHER
                count_state(numbers, vcpus, vcpu, warm, has_idle, is_gang)
                for row in range(t.C_RAN, t.C_SLEPT + 1):
                    numbers[row, vcpu] = 0.0
            for thread in range(threads):
                work_off(floats, ints, numbers, vcpus, on, since, speed, busy, thread, warm)
                busy[0, thread] = busy[1, thread] = 0.0
            for vcpu in range(count):
                numbers[t.C_WORKED, vcpu] = 0.0
            now = warm
            continue
        passed, now = at - now, at
        if has_idle and ints[t.P_READY, 0] > 0:
            for thread in range(threads):
                busy[1, thread] += passed if on[thread] < 0 else 0.0
        if has_idle and fellows != t.OWN:
            # Who is held, was held only while a thread was to be had.
            for vcpu in range(count):
                if vcpus[t.C_STATE, vcpu] == t.HELD or vcpus[t.C_STATE, vcpu] == t.WAITING:
                    count_state(numbers, vcpus, vcpu, now, True, fellows == t.TOGETHER)
        if now >= end or counts[1] >= turns.shape[1] or counts[2] >= waits.shape[1]:
            break
        for thread in range(threads):
            freed[thread] = NO
            if is_exact or ends[thread] <= now + SAME:
                work_off(floats, ints, numbers, vcpus, on, since, speed, busy, thread, now)
        if renews:
            next_period += period
            renew(floats, ints, numbers, vcpus, now, turn)
        elif wakes:
            vcpu = heap[0]
            take_first(heap, asleep, numbers)
            asleep -= 1
            wake(
                vcpu, now, floats, ints, numbers, vcpus, allowed, is_free, on, since, speed, busy, begun, promised,
                turns, waits, counts, turn, warm, fellows,
            )  # fmt: skip
        else:
            for thread in range(threads):
                vcpu = on[thread]
                if vcpu < 0 or ends[thread] > now + SAME:
                    continue
                party = vcpus[t.C_PARTY, vcpu]
                if numbers[t.C_BURST_LEFT, vcpu] <= SAME:
                    count_state(numbers, vcpus, vcpu, now, False, False)
                    end_turn(thread, t.ASLEEP, now, floats, ints, numbers, vcpus, on, promised)
                    note_turn(turns, counts, thread, vcpu, begun[thread], now, t.SLEPT, warm)
                    go_out_all(floats, ints, party, now, most, True)
                    demand = vcpus[t.C_DEMAND, vcpu]
                    numbers[t.C_BURST_LEFT, vcpu] = draw(seeds, vcpu, demand, numbers[t.C_BURST_MS, vcpu])
                    numbers[t.C_WAKES_AT, vcpu] = now + draw(seeds, vcpu, demand, numbers[t.C_SLEEP_MS, vcpu])
                    heap[asleep] = vcpu
                    asleep += 1
                    sift_up(heap, asleep - 1, numbers)
                    continue
                if spend(thread, now, floats, ints, numbers, vcpus, on, begun, promised, turns, counts, most, warm):
                    continue
                guest = vcpus[t.C_RULE, vcpu]
                if fellows == t.LEAD:
                    count_state(numbers, vcpus, vcpu, now, False, False)
                    ahead = numbers[t.C_PROGRESS, vcpu] - least_progress(numbers, vcpus, ints, guest)
                    if ahead >= how[5] - 2.0 * LEAST_MS:
                        end_turn(thread, t.HELD, now, floats, ints, numbers, vcpus, on, promised)
                        note_turn(turns, counts, thread, vcpu, begun[thread], now, t.HELD_BACK, warm)
                        go_out_all(floats, ints, party, now, most, False)
                        continue
                if is_over(floats, ints, party, now, turn):
                    for other in range(threads):
                        # Those who run together end together.
                        its = on[other]
                        is_with = fellows == t.TOGETHER and its >= 0 and vcpus[t.C_RULE, its] == guest
                        if other == thread or is_with:
                            work_off(floats, ints, numbers, vcpus, on, since, speed, busy, other, now)
                            count_state(numbers, vcpus, its, now, False, False)
                            freed[other] = end_turn(other, t.WAITING, now, floats, ints, numbers, vcpus, on, promised)
        if fellows == t.LEAD:
            let_go(floats, ints, numbers, vcpus, now, turn, how[5], has_idle)
        fill_threads(
            now, floats, ints, numbers, vcpus, allowed, is_free, homes, width, node_of, on, since, begun, freed, chosen,
            promised, turns, waits, counts, turn, warm, fellows, on_top,
        )  # fmt: skip
        # Another end there is only where somebody else runs now, or beside on the same core, or in the same part of the
        # tree, whose turns are measured otherwise with several on threads; with budgets, promises and fellows all over.
        for thread in range(threads):
            stale[thread] = is_exact or ends[thread] <= now + SAME
        for thread in range(threads):
            if on[thread] != was[thread]:
                first = thread - thread % width
                for beside in range(first, first + width):
                    stale[beside] = 1
                gone = vcpus[t.C_TOP, was[thread]] if was[thread] >= 0 else NO
                come = vcpus[t.C_TOP, on[thread]] if on[thread] >= 0 else NO
                for other in range(threads):
                    if on[other] >= 0:
                        top = vcpus[t.C_TOP, on[other]]
                        if top in (gone, come):
                            stale[other] = 1
        for thread in range(threads):
            if stale[thread] > 0:
                work_off(floats, ints, numbers, vcpus, on, since, speed, busy, thread, now)
                speed[thread] = speeds[1] if has_busy_sibling(thread, on, width) else speeds[0]
                ends[thread] = end_of(thread, now, floats, ints, numbers, vcpus, on, speed, how)
            was[thread] = on[thread]
    for thread in range(threads):
        work_off(floats, ints, numbers, vcpus, on, since, speed, busy, thread, end)
        if on[thread] >= 0:
            note_turn(turns, counts, thread, on[thread], begun[thread], end, t.WINDOW_OVER, warm)
    has_idle = False
    for thread in range(threads):
        has_idle = has_idle or on[thread] < 0
    for vcpu in range(count):
        count_state(numbers, vcpus, vcpu, end, has_idle, fellows == t.TOGETHER)
