"""What happens to one vCPU, guest or pool while vCPUs take turns: states counted, turns begun and ended, noted down."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from ruvex.engine import turn_rows as t
from ruvex.engine._jit import kernel, part
from ruvex.engine._queue import come_in, go_out, put_down

NO = -1
LEAST_MS = 1e-6
NEARLY = 1e-7


@part
def chance(seeds: Any, vcpu: int) -> float:
    """Draw a number from 0 to 1 (xorshift64*, Vigna 2016); each vCPU has a row of its own."""
    x = seeds[vcpu]
    x ^= x >> np.uint64(12)
    x ^= x << np.uint64(25)
    x ^= x >> np.uint64(27)
    seeds[vcpu] = x
    return float((x * np.uint64(2685821657736338717)) >> np.uint64(11)) / 9007199254740992.0


@part
def draw(seeds: Any, vcpu: int, demand: int, mean: float) -> float:
    if demand == t.ALWAYS:
        return math.inf
    if demand == t.EVEN:
        return mean
    return -mean * math.log(1.0 - chance(seeds, vcpu))


@part
def _wakes_before(one: int, other: int, numbers: Any) -> bool:
    """Tell whether a vCPU wakes before another; at the same time the one that is listed first does."""
    a, b = numbers[t.C_WAKES_AT, one], numbers[t.C_WAKES_AT, other]
    return a < b or (a == b and one < other)


@kernel
def sift_up(heap: Any, at: int, numbers: Any) -> None:
    """Let the vCPU at a place of the heap rise to where it belongs."""
    while at > 0:
        above = (at - 1) // 2
        if not _wakes_before(heap[at], heap[above], numbers):
            return
        heap[above], heap[at] = heap[at], heap[above]
        at = above


@kernel
def take_first(heap: Any, size: int, numbers: Any) -> None:
    """Take the vCPU that wakes first off the heap; the heap is one shorter then."""
    heap[0] = heap[size - 1]
    size -= 1
    at = 0
    while True:
        least = 2 * at + 1
        if least >= size:
            return
        if least + 1 < size and _wakes_before(heap[least + 1], heap[least], numbers):
            least += 1
        if not _wakes_before(heap[least], heap[at], numbers):
            return
        heap[at], heap[least] = heap[least], heap[at]
        at = least


@part
def count_state(numbers: Any, vcpus: Any, vcpu: int, now: float, has_idle: bool, is_gang: bool) -> None:
    """Count the time since a vCPU's state was counted last.

    Who is kept off a thread by its fellows was held only while there was a thread to be had; else it waited.
    """
    state, passed = vcpus[t.C_STATE, vcpu], now - numbers[t.C_STATE_SINCE, vcpu]
    numbers[t.C_STATE_SINCE, vcpu] = now
    if state == t.ON_THREAD:
        numbers[t.C_RAN, vcpu] += passed
        numbers[t.C_PROGRESS, vcpu] += passed
    elif state == t.SPENT:
        numbers[t.C_WAS_SPENT, vcpu] += passed
    elif state == t.ASLEEP:
        numbers[t.C_SLEPT, vcpu] += passed
    elif has_idle and (state == t.HELD or is_gang):
        numbers[t.C_WAS_HELD, vcpu] += passed
    else:
        numbers[t.C_WAITED, vcpu] += passed


@kernel
def is_spent(ints: Any, party: int) -> bool:
    while party >= 0:
        if ints[t.P_SPENT, party] > 0:
            return True
        party = ints[t.P_ABOVE, party]
    return False


@kernel
def add_ready(ints: Any, party: int, by: int) -> None:
    """Count vCPUs that could run at a party and above, up to one whose budget is spent."""
    while party >= 0:
        ints[t.P_READY, party] += by
        if ints[t.P_SPENT, party] > 0:
            return
        party = ints[t.P_ABOVE, party]


@kernel
def come_in_all(floats: Any, ints: Any, party: int, now: float, turn: float) -> None:
    while ints[t.P_ABOVE, party] >= 0 and ints[t.P_SPENT, party] == 0:
        come_in(floats, ints, party, now, turn)
        party = ints[t.P_ABOVE, party]


@kernel
def go_out_all(floats: Any, ints: Any, party: int, now: float, most: float, sleeps: bool) -> None:
    """Take a party, and those above that have nobody left who could run, out of line."""
    while ints[t.P_ABOVE, party] >= 0:
        has_some = ints[t.P_ON_THREADS, party] + ints[t.P_READY, party] > 0
        if has_some and ints[t.P_SPENT, party] == 0:
            return
        if ints[t.P_IN_LINE, party] == t.IN_LINE:
            go_out(floats, ints, party, now, most, sleeps)
        if ints[t.P_SPENT, party] > 0:
            return
        party = ints[t.P_ABOVE, party]


@kernel
def work_off(
    floats: Any,
    ints: Any,
    numbers: Any,
    vcpus: Any,
    on: Any,
    since: Any,
    speed: Any,
    busy: Any,
    thread: int,
    now: float,
) -> None:
    """Take what a thread has done off its vCPU's burst and off all budgets above."""
    vcpu = on[thread]
    if vcpu >= 0 and now > since[thread]:
        busy[0, thread] += now - since[thread]
        done = (now - since[thread]) * speed[thread]
        numbers[t.C_BURST_LEFT, vcpu] -= done
        numbers[t.C_WORKED, vcpu] += done
        party = vcpus[t.C_PARTY, vcpu]
        while party >= 0:
            floats[t.V_LEFT, party] -= done
            floats[t.V_SERVED, party] += done
            party = ints[t.P_ABOVE, party]
    since[thread] = now


@kernel
def least_progress(numbers: Any, vcpus: Any, ints: Any, guest: int) -> float:
    """Give the least progress of a guest's vCPUs that do not sleep."""
    least = math.inf
    for vcpu in range(ints[t.P_FIRST_VCPU, guest], ints[t.P_LAST_VCPU, guest]):
        if vcpus[t.C_STATE, vcpu] != t.ASLEEP:
            least = min(least, numbers[t.C_PROGRESS, vcpu])
    return least


@kernel
def begin_turn(
    thread: int, vcpu: int, now: float, floats: Any, ints: Any, numbers: Any, vcpus: Any, on: Any, since: Any,
    by_promise: bool,
) -> None:  # fmt: skip
    """Put a vCPU on a thread."""
    party = vcpus[t.C_PARTY, vcpu]
    while party >= 0:
        put_down(floats, ints, party, now)
        ints[t.P_ON_THREADS, party] += 1
        ints[t.P_READY, party] -= 1
        ints[t.P_BY_PROMISE, party] += by_promise
        floats[t.V_SAFE, party] = floats[t.V_DUE, party]
        party = ints[t.P_ABOVE, party]
    vcpus[t.C_STATE, vcpu], vcpus[t.C_THREAD, vcpu] = t.ON_THREAD, thread
    on[thread], since[thread] = vcpu, now


@kernel
def end_turn(
    thread: int, state: int, now: float, floats: Any, ints: Any, numbers: Any, vcpus: Any, on: Any, promised: Any
) -> int:
    """Take a vCPU off its thread; gives which. Who could still run is counted as ready."""
    vcpu = on[thread]
    party = vcpus[t.C_PARTY, vcpu]
    while party >= 0:
        put_down(floats, ints, party, now)
        ints[t.P_ON_THREADS, party] -= 1
        ints[t.P_BY_PROMISE, party] -= promised[thread]
        party = ints[t.P_ABOVE, party]
    promised[thread] = 0
    vcpus[t.C_STATE, vcpu] = state
    numbers[t.C_READY_SINCE, vcpu], vcpus[t.C_BY_WAKE, vcpu] = now, 0
    on[thread] = NO
    if state == t.WAITING:
        add_ready(ints, vcpus[t.C_PARTY, vcpu], 1)
    return vcpu


@kernel
def note_turn(turns: Any, counts: Any, thread: int, vcpu: int, begun: float, now: float, why: int, warm: float) -> None:
    if now > warm:
        counts[0] += 1
        at = counts[1]
        if at < turns.shape[1]:
            turns[t.TURN_THREAD, at], turns[t.TURN_VCPU, at] = thread, vcpu
            turns[t.TURN_FROM, at], turns[t.TURN_TO, at], turns[t.TURN_WHY, at] = max(begun, warm), now, why
            counts[1] += 1


@kernel
def note_wait(
    waits: Any, counts: Any, numbers: Any, vcpus: Any, vcpu: int, thread: int, now: float, warm: float
) -> None:
    if now >= warm:
        before = vcpus[t.C_THREAD, vcpu]
        counts[3] += before >= 0 and before != thread
        at = counts[2]
        if at < waits.shape[1]:
            since = numbers[t.C_READY_SINCE, vcpu]
            waits[t.WAIT_VCPU, at], waits[t.WAIT_FROM, at], waits[t.WAIT_MS, at] = vcpu, since, now - since
            waits[t.WAIT_BY_WAKE, at] = vcpus[t.C_BY_WAKE, vcpu]
            counts[2] += 1
