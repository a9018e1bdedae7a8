"""The ticks of a play, from signals to record: section 7 of docs/model.md.

What events and power ask for stands before them, and is done by whoever calls.
"""

from __future__ import annotations

import math
from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._flows import follow_flows
from ruvex.engine._jit import kernel
from ruvex.engine._look import look
from ruvex.engine._record import put_rows
from ruvex.engine._signals import signal_at
from ruvex.engine._work import boot, divide_cpu, do_batch, next_batch_change, sample_number

_ALMOST = 1e-9
NEVER = 2**62


@kernel
def read_signals(tick: int, signals: Any, factors: Any, raw: Any, now: Any, counters: Any) -> bool:
    """Bring the demand to a tick; tells whether it changed.

    ``signals`` is forms, numbers, tables, knots, seconds of a day and of a tick; the signals that jump; the ticks at
    which something is due, and whether smooth signals are read then too.
    """
    forms, numbers, tables, knots, day_s, tick_s, jumping, due, is_sample = signals
    at, count = counters[r.Z_DUE], now.shape[1]
    while at < due.shape[0] and due[at] < tick:
        at += 1
    at_s = (tick * tick_s) % day_s
    is_due, anew = at < due.shape[0] and due[at] == tick, counters[r.Z_REREAD]
    counters[r.Z_DUE] = at + 1 if is_due else at
    counters[r.Z_REREAD] = 0
    if anew == 2 or (is_due and is_sample[at]):
        for i in range(forms.shape[0]):
            raw[i] = signal_at(forms, numbers, tables, knots, i, day_s, at_s)
    elif is_due:
        for i in jumping:
            raw[i] = signal_at(forms, numbers, tables, knots, i, day_s, at_s)
    elif anew == 0:
        return False
    changed = False
    for row in range(r.W_ROWS):
        for guest in range(count):
            value = raw[row * count + guest]
            if row != r.W_TOUCHED:
                value *= factors[guest]
            if value != now[row, guest]:
                now[row, guest] = value
                changed = True
                if row in (r.W_WORKING, r.W_TOUCHED):
                    counters[r.Z_MOVED] = 1
    return changed


@kernel
def look_number(tick: int, rules: Any) -> int:
    """Count how often the memory controllers have looked by a tick."""
    return int(tick * rules[r.R_TICK_S] / rules[r.R_LOOK_S] + _ALMOST)


@kernel
def _next_look(tick: int, rules: Any) -> int:
    """Give the first tick from one on in which the memory controllers look."""
    if tick > 0 and look_number(tick, rules) > look_number(tick - 1, rules):
        return tick
    return math.ceil((look_number(tick, rules) + 1) * rules[r.R_LOOK_S] / rules[r.R_TICK_S] - _ALMOST)


@kernel
def note_savings(tick: int, guests: Any, values: Any, codes: Any, least: Any) -> None:
    """Keep the least that elastic memory has saved while anybody elastic was on, MiB, and for how many ticks one was.

    ``least`` holds the two, then the tick up to which was counted, and whether anybody elastic has been on since.
    """
    least[1] += (tick - least[2]) * least[3]
    least[2] = tick
    saved, any_elastic = 0.0, False
    for guest in range(guests.shape[1]):
        if codes[r.C_PHASE, guest] >= r.BOOTING and guests[r.G_MODE, guest] == r.ELASTIC:
            saved += guests[r.G_OTHERWISE, guest] - values[r.X_BACKED, guest]
            any_elastic = True
    least[3] = 1.0 if any_elastic else 0.0
    if any_elastic:
        least[0] = min(least[0], saved)


@kernel
def run_ticks(
    end: int, most: int, skip: bool, waits: bool, every: float, signals: Any, factors: Any, raw: Any, now: Any,
    site: Any, forest: Any, one: Any, play: Any, batch: Any, jobs: Any, notes: Any, sums: Any, least_saved: Any,
    room: Any, cpu_room: Any, flows: Any, record: Any, counters: Any,
) -> int:  # fmt: skip
    """Play ticks up to one, that one not included.

    Parameters
    ----------
    end, most
        Where to stop, and how many ticks are worked out at most.
    skip
        Whether to pass over ticks in which nothing changes.
    waits
        Whether starts wait: then it stops after every look.
    every
        Ticks between two recorded rows; infinity where nothing is recorded.
    signals, factors, raw, now
        As ``read_signals`` takes them.
    site, forest, one, play, sums, room
        As ``look`` takes them.
    batch, jobs, notes
        Batch work, the jobs under way, and what is noted for the log.
    least_saved
        One number, MiB.
    cpu_room
        As ``divide_cpu`` takes it.
    flows
        Stores and links, moves on them, work and room, as ``follow_flows`` takes them.
    record
        As ``put_rows`` takes it.
    counters
        What goes on from tick to tick (``r.Z_…``).

    Returns
    -------
    int
        Why it stopped (``r.E_…``).
    """
    guests, rules, standing, hosts = site[0], site[6], site[7], site[5]
    places, guest_slots, place_of = forest[0], forest[3], forest[6]
    values, codes, place_values = play[0], play[1], play[2]
    worked, host_count, before = 0, hosts.shape[1], room[1][7]
    while counters[r.Z_TICK] < end and worked < most:
        tick = counters[r.Z_TICK]
        # A tick notes each place and each job once at most, twice where ticks are passed over after it.
        if counters[r.Z_NOTES] + 2 * jobs.shape[1] + places.shape[1] > notes.shape[1]:
            return r.E_ROOM
        if counters[r.Z_JOBS] + guests.shape[1] > jobs.shape[1]:
            return r.E_ROOM
        worked += 1
        counters[r.Z_WORKED] += 1
        memory_anew = counters[r.Z_MEMORY_ANEW] > 0
        is_read = read_signals(tick, signals, factors, raw, now, counters)
        cpu_moved = is_read or counters[r.Z_CPU_ANEW] > 0
        is_read = is_read or sample_number(tick, rules) != sample_number(tick - 1, rules)
        has_looked = False
        if tick > 0 and look_number(tick, rules) != look_number(tick - 1, rules):
            is_due = counters[r.Z_MOVED] > 0 or counters[r.Z_SETTLED] == 0 or tick >= counters[r.Z_TIMER]
            if is_due or not skip or counters[r.Z_BOOTS] > 0:
                last = math.ceil(look_number(tick - 1, rules) * rules[r.R_LOOK_S] / rules[r.R_TICK_S] - _ALMOST)
                for place in range(host_count, places.shape[1]):
                    before[place] = place_values[r.Q_PRESSURE, place]
                moved, timer = look(tick, (tick - last) * rules[r.R_TICK_S], now, site, forest, one, play, sums, room)
                counters[r.Z_MOVED], counters[r.Z_SETTLED], counters[r.Z_TIMER] = 0, 0 if moved else 1, timer
                counters[r.Z_LOOKS] += 1
                has_looked = True
                cpu_moved, memory_anew = cpu_moved or moved, memory_anew or moved
                _note_pressures(tick, host_count, place_values, before, notes, counters)
        if memory_anew:
            note_savings(tick, guests, values, codes, least_saved)
            counters[r.Z_MEMORY_ANEW] = 0
        for guest in range(guests.shape[1]):
            if guests[r.G_BATCH, guest] > 0.0:
                behind = 1.0 if values[r.X_BACKLOG, guest] > 0.0 else 0.0
                if not is_read:
                    behind = min(behind, batch[r.B_BEHIND, guest])
                cpu_moved = cpu_moved or behind != batch[r.B_BEHIND, guest]
                batch[r.B_BEHIND, guest] = behind
        if cpu_moved or counters[r.Z_CPU_ANEW] > 0:
            if flows[0][1].shape[1] > 0:
                # Before the processors: batch work wants more of them where it waits for disk or network.
                is_slower = follow_flows(
                    tick, now, guests, standing, rules, flows[0], flows[1], flows[2], flows[3], values, codes, sums
                )
                counters[r.Z_MEMORY_ANEW] = 1 if is_slower else counters[r.Z_MEMORY_ANEW]
            anew = counters[r.Z_CPU_ANEW] > 0
            divide_cpu(tick, anew, now, site, forest, one, play, batch, sums, cpu_room)
            counters[r.Z_CPU_ANEW] = 0
        has_booted = counters[r.Z_BOOTS] > 0 and boot(guests, standing, hosts, rules, values, codes)
        do_batch(tick, guests, now, rules, values, codes, batch, jobs, notes, counters)
        following = tick + 1
        # A start that waits is tried in the tick after a look that moved something, not after those passed over.
        is_tried = waits and has_looked and counters[r.Z_SETTLED] == 0
        if skip and counters[r.Z_BOOTS] == 0 and not is_tried:
            due = end
            at = counters[r.Z_DUE]
            if at < signals[7].shape[0]:
                due = min(due, signals[7][at])
            if counters[r.Z_MOVED] > 0 or counters[r.Z_SETTLED] == 0:
                due = min(due, _next_look(following, rules))
            elif counters[r.Z_TIMER] < NEVER:
                due = min(due, _next_look(max(following, counters[r.Z_TIMER]), rules))
            due = int(min(due, next_batch_change(tick, guests, rules, values, batch, jobs, counters)))
            following = max(following, due)
        if following > tick + 1:
            do_batch(following - 1, guests, now, rules, values, codes, batch, jobs, notes, counters)
        if every < math.inf:
            until = min(math.ceil(following / every - _ALMOST), record[0].shape[1])
            put_rows(
                until,
                host_count,
                guests,
                places,
                place_of,
                guest_slots,
                place_values,
                values,
                codes,
                counters,
                flows,
                record,
            )
        counters[r.Z_TICK] = following
        if has_booted:
            return r.E_BOOTED
        if is_tried:
            return r.E_LOOKED
    return r.E_REACHED


@kernel
def _note_pressures(tick: int, first: int, place_values: Any, before: Any, notes: Any, counters: Any) -> None:
    """Note down which places are under another pressure than before."""
    for place in range(first, place_values.shape[1]):
        if before[place] != place_values[r.Q_PRESSURE, place]:
            at = counters[r.Z_NOTES]
            notes[0, at], notes[1, at], notes[2, at] = r.K_PRESSURE, tick, place
            notes[3, at], notes[4, at] = before[place], place_values[r.Q_PRESSURE, place]
            counters[r.Z_NOTES] = at + 1
