"""The steps of taking turns: who wakes, whose turn or budget is over, who is let go, and who goes on which thread."""

from __future__ import annotations

import math
from typing import Any

from ruvex.engine import turn_rows as t
from ruvex.engine._jit import kernel, part
from ruvex.engine._queue import SAME, mean_time, next_member, time_of
from ruvex.engine._turn_parts import (
    NEARLY,
    NO,
    add_ready,
    begin_turn,
    come_in_all,
    count_state,
    end_turn,
    go_out_all,
    is_spent,
    least_progress,
    note_turn,
    note_wait,
    work_off,
)

_EASE_MS = 1.0
"""A vCPU that is held back goes on once it is that much less ahead: else it would be held again at once."""


@kernel
def choose(
    floats: Any, ints: Any, vcpus: Any, allowed: Any, is_free: bool, thread: int, now: float, turn: float
) -> int:
    """Go down from the root to the vCPU that goes next on a thread; −1 if none can."""
    party = 0
    while ints[t.P_IS_VCPU, party] == 0:
        party = next_member(floats, ints, vcpus, allowed, is_free, party, thread, now, turn, NO)
        if party < 0:
            return NO
    return ints[t.P_FIRST_VCPU, party]


@part
def has_busy_sibling(thread: int, on: Any, width: int) -> bool:
    """Tell whether another thread of the same core has somebody on it; those of a core are neighbours."""
    if width == 1:
        return False
    first = thread - thread % width
    busy = False
    for other in range(first, first + width):
        busy = busy or (other != thread and on[other] >= 0)
    return busy


@kernel
def thread_for(vcpu: int, vcpus: Any, allowed: Any, on: Any, width: int, node_of: Any, homes: Any, freed: Any) -> int:
    """Give the idle thread for a vCPU: its last, else one of an idle core, else the lowest; at its NUMA home first."""
    row, last = vcpus[t.C_ALLOWED, vcpu], vcpus[t.C_THREAD, vcpu]
    if last >= 0 and on[last] < 0 and allowed[row, last] > 0:
        return last
    best, best_rank = NO, 8
    for thread in range(on.shape[0]):
        if on[thread] < 0 and allowed[row, thread] > 0:
            rank = 0 if homes[vcpu] < 0 or homes[vcpu] == node_of[thread] else 4
            rank += 2 * has_busy_sibling(thread, on, width)
            if freed[thread] >= 0:
                # Who ran there just now may be about to go on.
                rank += 1
            if rank < best_rank:
                best, best_rank = thread, rank
    return best


@kernel
def victim_of(
    vcpu: int, now: float, floats: Any, ints: Any, vcpus: Any, allowed: Any, is_free: bool, on: Any, turn: float
) -> int:
    """Give the thread on whose vCPU one that wakes may cut in: the one furthest ahead of it; −1 if on none.

    At the nearest party they have in common it must be the next one, and the other neither safe nor due before it.
    """
    found, most, row = NO, -math.inf, vcpus[t.C_ALLOWED, vcpu]
    mine = vcpus[t.C_PARTY, vcpu]
    while ints[t.P_ABOVE, mine] >= 0:
        above = ints[t.P_ABOVE, mine]
        if next_member(floats, ints, vcpus, allowed, True, above, 0, now, turn, NO) == mine:
            mean, _ = mean_time(floats, ints, above, now, NO)
            its = time_of(floats, ints, mine, now)
            is_owed = floats[t.V_RESERVED, mine] > floats[t.V_SERVED, mine] + SAME
            for thread in range(on.shape[0]):
                runs = on[thread]
                if (
                    runs < ints[t.P_FIRST_VCPU, above]
                    or runs >= ints[t.P_LAST_VCPU, above]
                    or allowed[row, thread] == 0
                ):
                    continue
                if runs >= ints[t.P_FIRST_VCPU, mine] and runs < ints[t.P_LAST_VCPU, mine]:
                    continue
                other = vcpus[t.C_PARTY, runs]
                while ints[t.P_ABOVE, other] != above:
                    other = ints[t.P_ABOVE, other]
                others = time_of(floats, ints, other, now)
                is_in_time = others <= mean + SAME
                if is_in_time and others < floats[t.V_SAFE, other] - SAME:
                    continue
                due = floats[t.V_DUE, other]
                if others >= due - SAME:
                    due = others + turn / floats[t.V_WEIGHT_OF, other]
                wins = floats[t.V_DUE, mine] <= due + SAME if is_in_time else its < others
                ahead = (others - its) * floats[t.V_WEIGHT_OF, mine]
                if (is_owed or wins) and ahead > most:
                    found, most = thread, ahead
        mine = above
    return found


@kernel
def renew(floats: Any, ints: Any, numbers: Any, vcpus: Any, now: float, turn: float) -> None:
    """Begin a new period: budgets are filled, what was overdrawn is paid back, and promises begin anew."""
    for party in range(floats.shape[1]):
        floats[t.V_SERVED, party] = 0.0
        budget = floats[t.V_BUDGET, party]
        if budget < math.inf:
            floats[t.V_LEFT, party] = min(budget, floats[t.V_LEFT, party] + budget)
            if ints[t.P_SPENT, party] > 0 and floats[t.V_LEFT, party] > SAME:
                ints[t.P_SPENT, party] = 0
                add_ready(ints, ints[t.P_ABOVE, party], ints[t.P_READY, party])
                if ints[t.P_READY, party] > 0:
                    come_in_all(floats, ints, party, now, turn)
                for vcpu in range(ints[t.P_FIRST_VCPU, party], ints[t.P_LAST_VCPU, party]):
                    if vcpus[t.C_STATE, vcpu] == t.SPENT and not is_spent(ints, vcpus[t.C_PARTY, vcpu]):
                        count_state(numbers, vcpus, vcpu, now, False, False)
                        vcpus[t.C_STATE, vcpu] = t.WAITING


@kernel
def spend(
    thread: int, now: float, floats: Any, ints: Any, numbers: Any, vcpus: Any, on: Any, begun: Any, promised: Any,
    turns: Any, counts: Any, most: float, warm: float,
) -> bool:  # fmt: skip
    """Take off their threads all whose budget, or one above, is spent; tells whether the one on this thread is."""
    party, is_off = vcpus[t.C_PARTY, on[thread]], False
    while party >= 0:
        if floats[t.V_LEFT, party] <= SAME and ints[t.P_SPENT, party] == 0:
            is_off = True
            for other in range(on.shape[0]):
                vcpu = on[other]
                if vcpu >= ints[t.P_FIRST_VCPU, party] and vcpu < ints[t.P_LAST_VCPU, party] and vcpu >= 0:
                    count_state(numbers, vcpus, vcpu, now, False, False)
                    end_turn(other, t.WAITING, now, floats, ints, numbers, vcpus, on, promised)
                    note_turn(turns, counts, other, vcpu, begun[other], now, t.BUDGET_SPENT, warm)
            add_ready(ints, ints[t.P_ABOVE, party], -ints[t.P_READY, party])
            ints[t.P_SPENT, party] = 1
            for vcpu in range(ints[t.P_FIRST_VCPU, party], ints[t.P_LAST_VCPU, party]):
                if vcpus[t.C_STATE, vcpu] == t.WAITING or vcpus[t.C_STATE, vcpu] == t.HELD:
                    count_state(numbers, vcpus, vcpu, now, False, False)
                    if vcpus[t.C_STATE, vcpu] == t.HELD:
                        add_ready(ints, vcpus[t.C_PARTY, vcpu], 1)
                    vcpus[t.C_STATE, vcpu] = t.SPENT
            go_out_all(floats, ints, party, now, most, False)
        party = ints[t.P_ABOVE, party]
    return is_off


@kernel
def is_over(floats: Any, ints: Any, party: int, now: float, turn: float) -> bool:
    """Tell whether a turn is over, and somebody else could run.

    Pools and guests have turns too, but only with one vCPU on a thread: with several their virtual time is no measure
    of how long one of these has run.
    """
    while ints[t.P_ABOVE, party] >= 0:
        above, is_vcpu = ints[t.P_ABOVE, party], ints[t.P_IS_VCPU, party] > 0
        its = time_of(floats, ints, party, now)
        promised = floats[t.V_RESERVED, party]
        if promised > 0.0 and abs(promised - floats[t.V_SERVED, party]) <= NEARLY and ints[t.P_READY, above] > 0:
            return True
        if (is_vcpu or ints[t.P_ON_THREADS, party] == 1) and its >= floats[t.V_DUE, party] - NEARLY:
            if ints[t.P_READY, 0 if is_vcpu else above] > 0:
                return True
            floats[t.V_DUE, party] = its + turn / floats[t.V_WEIGHT_OF, party]
        party = above
    return False


@kernel
def let_go(
    floats: Any, ints: Any, numbers: Any, vcpus: Any, now: float, turn: float, lead: float, has_idle: bool
) -> None:
    """Let those go on who were held for their fellows and are no longer so far ahead."""
    for vcpu in range(numbers.shape[1]):
        if vcpus[t.C_STATE, vcpu] == t.HELD:
            guest = vcpus[t.C_RULE, vcpu]
            for fellow in range(ints[t.P_FIRST_VCPU, guest], ints[t.P_LAST_VCPU, guest]):
                if vcpus[t.C_STATE, fellow] == t.ON_THREAD:
                    count_state(numbers, vcpus, fellow, now, False, False)
            ahead = numbers[t.C_PROGRESS, vcpu] - least_progress(numbers, vcpus, ints, guest)
            if ahead <= max(lead - _EASE_MS, 0.5 * lead):
                count_state(numbers, vcpus, vcpu, now, has_idle, False)
                vcpus[t.C_STATE, vcpu] = t.WAITING
                add_ready(ints, vcpus[t.C_PARTY, vcpu], 1)
                come_in_all(floats, ints, vcpus[t.C_PARTY, vcpu], now, turn)


@kernel
def wake(
    vcpu: int, now: float, floats: Any, ints: Any, numbers: Any, vcpus: Any, allowed: Any, is_free: bool, on: Any,
    since: Any, speed: Any, busy: Any, begun: Any, promised: Any, turns: Any, waits: Any, counts: Any, turn: float,
    warm: float, fellows: int,
) -> None:  # fmt: skip
    """Let a vCPU wake; where no thread is idle for it, it may cut in."""
    party = vcpus[t.C_PARTY, vcpu]
    count_state(numbers, vcpus, vcpu, now, False, False)
    numbers[t.C_WAKES_AT, vcpu] = math.inf
    numbers[t.C_READY_SINCE, vcpu] = now
    vcpus[t.C_BY_WAKE, vcpu] = vcpus[t.C_DEMAND, vcpu] != t.ALWAYS
    least = least_progress(numbers, vcpus, ints, vcpus[t.C_RULE, vcpu])
    if least < math.inf:
        # Sleep is not being behind one's fellows.
        numbers[t.C_PROGRESS, vcpu] = max(numbers[t.C_PROGRESS, vcpu], least)
    if fellows == t.TOGETHER and _is_too_wide(vcpus[t.C_RULE, vcpu], ints, vcpus, allowed):
        vcpus[t.C_STATE, vcpu] = t.HELD
        return
    add_ready(ints, party, 1)
    off = is_spent(ints, party)
    vcpus[t.C_STATE, vcpu] = t.SPENT if off else t.WAITING
    come_in_all(floats, ints, party, now, turn)
    if off or fellows == t.TOGETHER:
        return
    for thread in range(on.shape[0]):
        if on[thread] < 0 and allowed[vcpus[t.C_ALLOWED, vcpu], thread] > 0:
            return
    thread = victim_of(vcpu, now, floats, ints, vcpus, allowed, is_free, on, turn)
    if thread >= 0:
        other = on[thread]
        work_off(floats, ints, numbers, vcpus, on, since, speed, busy, thread, now)
        count_state(numbers, vcpus, other, now, False, False)
        end_turn(thread, t.WAITING, now, floats, ints, numbers, vcpus, on, promised)
        note_turn(turns, counts, thread, other, begun[thread], now, t.CUT_IN_ON, warm)
        count_state(numbers, vcpus, vcpu, now, False, False)
        note_wait(waits, counts, numbers, vcpus, vcpu, thread, now, warm)
        begin_turn(thread, vcpu, now, floats, ints, numbers, vcpus, on, since, False)
        begun[thread] = now


@kernel
def _is_too_wide(guest: int, ints: Any, vcpus: Any, allowed: Any) -> bool:
    """Tell whether a guest has more vCPUs than threads it may run on: all at once they never run."""
    first, last, room = ints[t.P_FIRST_VCPU, guest], ints[t.P_LAST_VCPU, guest], 0
    for thread in range(allowed.shape[1]):
        room += allowed[vcpus[t.C_ALLOWED, first], thread] > 0
    return last - first > room


@kernel
def _fits(guest: int, ints: Any, vcpus: Any, allowed: Any, on: Any) -> bool:
    """Tell whether all of a guest's vCPUs that do not sleep find a thread now."""
    row, free = vcpus[t.C_ALLOWED, ints[t.P_FIRST_VCPU, guest]], 0
    for thread in range(on.shape[0]):
        free += on[thread] < 0 and allowed[row, thread] > 0
    return ints[t.P_READY, guest] <= free


@kernel
def fill_threads(
    now: float, floats: Any, ints: Any, numbers: Any, vcpus: Any, allowed: Any, is_free: bool, homes: Any, width: int,
    node_of: Any, on: Any, since: Any, begun: Any, freed: Any, chosen: Any, promised: Any, turns: Any, waits: Any,
    counts: Any, turn: float, warm: float, fellows: int, on_top: bool,
) -> None:  # fmt: skip
    """Give every idle thread to who goes next; first all are chosen, then each goes to its last thread if it can."""
    picked = 0
    for thread in range(on.shape[0]):
        if on[thread] >= 0 or ints[t.P_READY, 0] <= 0:
            continue
        vcpu = choose(floats, ints, vcpus, allowed, is_free, thread, now, turn)
        if vcpu < 0:
            continue
        guest = vcpus[t.C_RULE, vcpu]
        if fellows == t.TOGETHER and ints[t.P_ON_THREADS, guest] == 0 and not _fits(guest, ints, vcpus, allowed, on):
            # The thread is kept for those who must run at once, until there are enough.
            break
        chosen[0, picked] = vcpu
        picked += 1
        # As if it ran: the next is chosen among the others.
        vcpus[t.C_STATE, vcpu] = t.ON_THREAD
        add_ready(ints, vcpus[t.C_PARTY, vcpu], -1)
    for at in range(picked):
        vcpu = chosen[0, at]
        vcpus[t.C_STATE, vcpu] = t.WAITING
        add_ready(ints, vcpus[t.C_PARTY, vcpu], 1)
    for step in range(3):
        for at in range(picked):
            vcpu = chosen[0, at]
            if vcpu < 0:
                continue
            last = vcpus[t.C_THREAD, vcpu]
            goes_on = last >= 0 and freed[last] == vcpu and on[last] < 0
            if step == 0 and not goes_on:
                continue
            if step == 1 and not (last >= 0 and on[last] < 0 and allowed[vcpus[t.C_ALLOWED, vcpu], last] > 0):
                continue
            thread = last if step < 2 else thread_for(vcpu, vcpus, allowed, on, width, node_of, homes, freed)
            chosen[0, at] = NO
            if thread < 0:
                continue
            count_state(numbers, vcpus, vcpu, now, False, False)
            if goes_on and step == 0:
                freed[thread] = NO
            else:
                note_wait(waits, counts, numbers, vcpus, vcpu, thread, now, warm)
            was = freed[thread]
            if was >= 0:
                note_turn(turns, counts, thread, was, begun[thread], now, t.TURN_OVER, warm)
                freed[thread] = NO
            is_owed = on_top and _is_owed(floats, ints, vcpus[t.C_PARTY, vcpu])
            begin_turn(thread, vcpu, now, floats, ints, numbers, vcpus, on, since, is_owed)
            promised[thread] = is_owed
            if not (goes_on and step == 0):
                begun[thread] = now
    for thread in range(on.shape[0]):
        if freed[thread] >= 0:
            note_turn(turns, counts, thread, freed[thread], begun[thread], now, t.TURN_OVER, warm)
            freed[thread] = NO


@kernel
def _is_owed(floats: Any, ints: Any, party: int) -> bool:
    """Tell whether a promise of a party or of one above is not met yet in this period."""
    while party >= 0:
        if floats[t.V_RESERVED, party] > floats[t.V_SERVED, party] + SAME:
            return True
        party = ints[t.P_ABOVE, party]
    return False
