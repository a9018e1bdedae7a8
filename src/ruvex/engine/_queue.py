"""Virtual times of the parties that compete for the threads of a host, and which of them goes next.

Each party has a virtual time v that grows by what it runs, divided by its weight; V is the weighted mean of those of a
party's members that stand in line. Who is not ahead of V may go, and of those the one whose turn is due first does. Who
leaves keeps what it was behind; who leaves ahead of V stays weighed in until it would be taken.
"""

from __future__ import annotations

from typing import Any

from ruvex.engine import turn_rows as t
from ruvex.engine._jit import kernel, part

SAME = 1e-9


@part
def time_of(floats: Any, ints: Any, party: int, now: float) -> float:
    """Give a party's virtual time."""
    counted = ints[t.P_ON_THREADS, party] - ints[t.P_BY_PROMISE, party]
    return floats[t.V_TIME, party] + counted * (now - floats[t.V_SINCE, party]) / floats[t.V_WEIGHT_OF, party]


@part
def put_down(floats: Any, ints: Any, party: int, now: float) -> None:
    """Put a party's virtual time down as it is now, before how many of it run changes."""
    floats[t.V_TIME, party] = time_of(floats, ints, party, now)
    floats[t.V_SINCE, party] = now


@kernel
def mean_time(floats: Any, ints: Any, party: int, now: float, without: int) -> Any:
    """Give the weighted mean of the virtual times of a party's members in line but one, and the sum of weights."""
    weights, total = 0.0, 0.0
    for member in range(ints[t.P_FIRST_MEMBER, party], ints[t.P_LAST_MEMBER, party]):
        if ints[t.P_IN_LINE, member] != t.OUT_OF_LINE and member != without:
            weight = floats[t.V_WEIGHT_OF, member]
            weights += weight
            total += weight * time_of(floats, ints, member, now)
    if weights <= 0.0:
        return floats[t.V_MEAN, party], 0.0
    floats[t.V_MEAN, party] = total / weights
    return total / weights, weights


@kernel
def come_in(floats: Any, ints: Any, party: int, now: float, turn: float) -> None:
    """Let a party stand in line: as far behind the others as it was when it left."""
    above, weight = ints[t.P_ABOVE, party], floats[t.V_WEIGHT_OF, party]
    if ints[t.P_IN_LINE, party] == t.IN_LINE:
        return
    if ints[t.P_IN_LINE, party] == t.IN_DEBT:
        ints[t.P_IN_LINE, party] = t.IN_LINE
        mean, _ = mean_time(floats, ints, above, now, -1)
        if time_of(floats, ints, party, now) <= mean + SAME:
            # Its debt is paid: it begins where the others are.
            mean, _ = mean_time(floats, ints, above, now, party)
            floats[t.V_TIME, party], floats[t.V_SINCE, party] = mean, now
            floats[t.V_DUE, party] = mean + turn / weight
        return
    mean, weights = mean_time(floats, ints, above, now, party)
    behind = floats[t.V_LAG, party] * (weights + weight) / weights if weights > 0.0 else 0.0
    floats[t.V_TIME, party], floats[t.V_SINCE, party] = mean - behind, now
    floats[t.V_DUE, party] = mean - behind + turn / weight
    ints[t.P_IN_LINE, party] = t.IN_LINE


@kernel
def go_out(floats: Any, ints: Any, party: int, now: float, most: float, sleeps: bool) -> None:
    """Take a party out of line; one that sleeps and is ahead stays weighed in until its debt is paid.

    ``most`` is how far behind it may be when it comes back, ms.
    """
    above, weight = ints[t.P_ABOVE, party], floats[t.V_WEIGHT_OF, party]
    mean, weights = mean_time(floats, ints, above, now, -1)
    put_down(floats, ints, party, now)
    behind = min(max(mean - floats[t.V_TIME, party], -most / weight), most / weight)
    if behind < 0.0 and sleeps and weights > weight * (1.0 + SAME):
        ints[t.P_IN_LINE, party] = t.IN_DEBT
        return
    floats[t.V_LAG, party] = behind
    ints[t.P_IN_LINE, party] = t.OUT_OF_LINE


@kernel
def may_run(ints: Any, vcpus: Any, allowed: Any, party: int, thread: int) -> bool:
    """Tell whether some vCPU of a party that is ready may run on a thread."""
    if ints[t.P_READY, party] <= 0 or ints[t.P_SPENT, party] > 0:
        return False
    for vcpu in range(ints[t.P_FIRST_VCPU, party], ints[t.P_LAST_VCPU, party]):
        if vcpus[t.C_STATE, vcpu] == t.WAITING and allowed[vcpus[t.C_ALLOWED, vcpu], thread] > 0:
            return True
    return False


@kernel
def next_member(
    floats: Any, ints: Any, vcpus: Any, allowed: Any, is_free: bool, party: int, thread: int, now: float, turn: float,
    runs: int,
) -> int:  # fmt: skip
    """Give the member of a party that goes next on a thread, −1 if none can.

    Parameters
    ----------
    is_free
        Whether every vCPU may run on every thread.
    runs
        The member that runs there now and would go on, −1 for none: it is safe for the turn it has begun.
    """
    while True:
        mean, _ = mean_time(floats, ints, party, now, -1)
        if runs >= 0:
            its = time_of(floats, ints, runs, now)
            if its <= mean + SAME and its < floats[t.V_SAFE, runs] - SAME:
                return runs
        best, due, last, furthest, promised, least = -1, 0.0, -1, 0.0, -1, 1.0
        for member in range(ints[t.P_FIRST_MEMBER, party], ints[t.P_LAST_MEMBER, party]):
            state = ints[t.P_IN_LINE, member]
            if state == t.OUT_OF_LINE:
                continue
            its = time_of(floats, ints, member, now)
            its_due = floats[t.V_DUE, member]
            if state == t.IN_LINE:
                if member != runs:
                    if ints[t.P_READY, member] <= 0 or ints[t.P_SPENT, member] > 0:
                        continue
                    if not is_free and not may_run(ints, vcpus, allowed, member, thread):
                        continue
                if its >= its_due - SAME:
                    # Its turn is over: it is due anew.
                    its_due = its + turn / floats[t.V_WEIGHT_OF, member]
                    if ints[t.P_ON_THREADS, member] == 0:
                        floats[t.V_DUE, member] = its_due
                if floats[t.V_RESERVED, member] > 0.0:
                    had = floats[t.V_SERVED, member] / floats[t.V_RESERVED, member]
                    if had < least - SAME:
                        promised, least = member, had
                if last < 0 or its < furthest - SAME:
                    last, furthest = member, its
            # Who runs gives way where another is due at the same time.
            if its <= mean + SAME and (best < 0 or its_due < due - SAME or (best == runs and its_due <= due + SAME)):
                best, due = member, its_due
        if promised >= 0:
            return promised
        if best < 0:
            return last
        if ints[t.P_IN_LINE, best] == t.IN_LINE:
            return best
        # It would be taken, but sleeps: its debt is paid.
        put_down(floats, ints, best, now)
        ints[t.P_IN_LINE, best] = t.OUT_OF_LINE
        floats[t.V_LAG, best] = 0.0
