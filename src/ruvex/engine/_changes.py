"""How far one guest goes towards its target in one look, and what it holds after that.

Section 6 of docs/model.md. A change is written as five rows by guest: row 1 what it is given, rows 2 to 4 balloon,
squeezed and spilled.
"""

from __future__ import annotations

import math
from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._jit import part
from ruvex.engine._layers import balloon_most, cover

NOISE = 1e-9
NEVER = 2**62
_READ_AHEAD = 0.1
"""Of the rate of return, what pages come back with that nobody works with."""


@part
def plan_change(
    guest: int, tick: int, elapsed_s: float, is_limited: bool, is_pressed: bool, is_urgent: bool, guests: Any,
    standing: Any, disks: Any, rules: Any, values: Any, codes: Any, plan: Any,
) -> int:  # fmt: skip
    """Work out how far a guest goes towards its target in this look; gives the tick at which it will go by itself.

    ``plan`` is written: what it is given, balloon, squeezed and spilled, rows 1 to 4.
    """
    mode, size, given, target = (
        guests[r.G_MODE, guest],
        guests[r.G_SIZE, guest],
        values[r.X_GIVEN, guest],
        values[r.X_TARGET, guest],
    )
    # Nobody moves for what rounding makes of a target: at rest is at rest to the bit.
    least = NOISE * max(1.0, size)
    reclaim = (rules[r.R_URGENT] if is_urgent else rules[r.R_BALLOON]) * elapsed_s
    due = NEVER
    if mode == r.THIN:
        _plan_thin(
            guest, is_limited or is_pressed, reclaim, elapsed_s, least, guests, standing, disks, rules, values, plan
        )
        return due
    plan[2, guest] = values[r.X_BALLOON, guest]
    plan[3, guest] = plan[4, guest] = 0.0
    plan[1, guest] = given
    if target >= given - least:
        codes[r.C_LOW_SINCE, guest] = -1
        if target > given + least:
            plan[1, guest] = given + min(target - given, rules[r.R_GROW] * elapsed_s)
        return due
    is_breathing = mode == r.ELASTIC and standing[r.S_AGENT, guest] != 0 and codes[r.C_PHASE, guest] == r.RUNNING
    if codes[r.C_LOW_SINCE, guest] < 0:
        codes[r.C_LOW_SINCE, guest] = tick
    if is_pressed or is_limited or not is_breathing:
        plan[1, guest] = given - min(given - target, reclaim)
        return due
    tick_s, step_s = rules[r.R_TICK_S], rules[r.R_SHRINK_STEP_S]
    settled = codes[r.C_LOW_SINCE, guest] + math.ceil(rules[r.R_SETTLE_S] / tick_s - NOISE)
    if tick < settled:
        return int(settled)
    step = math.floor(tick * tick_s / step_s + NOISE)
    if step > math.floor(max(tick * tick_s - elapsed_s, -1.0) / step_s + NOISE):
        plan[1, guest] = given - min(given - target, rules[r.R_SHRINK] * step_s)
    return math.ceil((step + 1) * step_s / tick_s - NOISE)


@part
def _plan_thin(
    guest: int, gives: bool, reclaim: float, elapsed_s: float, least: float, guests: Any, standing: Any, disks: Any,
    rules: Any, values: Any, plan: Any,
) -> None:  # fmt: skip
    """Move balloon, squeezed and spilled pages of a thin guest towards where its target puts them."""
    touched, working = values[r.X_TOUCHED, guest], values[r.X_WORKING, guest]
    own = touched - values[r.X_SHARED, guest]
    balloon, squeezed, spilled = (
        values[r.X_BALLOON, guest],
        values[r.X_SQUEEZED, guest],
        values[r.X_SPILLED, guest],
    )
    saved = 1.0 - 1.0 / rules[r.R_RATIO]
    has = own - balloon - squeezed * saved - spilled
    target = min(values[r.X_TARGET, guest], own)
    # Its own limit binds on an idle host too.
    gives = gives or guests[r.G_LIMIT, guest] < own
    if target >= own and balloon == 0.0 and squeezed == 0.0 and spilled == 0.0:
        plan[1, guest] = own
        plan[2, guest] = plan[3, guest] = plan[4, guest] = 0.0
        return
    if gives or target >= has - least:
        most = balloon_most(guests, guest, standing[r.S_AGENT, guest] != 0, rules)
        is_spill_first = disks[r.D_SPILL, guest] < disks[r.D_OWN, guest]
        to_balloon, to_squeezed, to_spilled = cover(touched, own, working, target, most, is_spill_first, rules)
        used = min(1.0, max(working / touched if touched > 0.0 else 0.0, _READ_AHEAD))
        balloon = _towards(balloon, to_balloon, reclaim, reclaim, least)
        rate = rules[r.R_SQUEEZE] * elapsed_s
        squeezed = _towards(squeezed, to_squeezed, rate, rate, least)
        spilled = _towards(
            spilled, to_spilled, rules[r.R_RETURN] * elapsed_s * used, rules[r.R_SPILL] * elapsed_s, least
        )
    spilled = min(spilled, max(own - balloon - squeezed, 0.0))
    plan[1, guest] = own - balloon - squeezed * saved - spilled
    plan[2, guest], plan[3, guest], plan[4, guest] = balloon, squeezed, spilled


@part
def _towards(now: float, goal: float, down: float, up: float, least: float) -> float:
    way = goal - now
    if abs(way) <= least:
        return now
    return now + min(max(way, -down), up)


@part
def cut_growth(guest: int, amount: float, guests: Any, rules: Any, values: Any, plan: Any) -> None:
    """Take back what finds no memory: a balloon stays filled, and other pages of a thin guest go to disk.

    Where squeezed pages alone would take more than is left, some of them go to disk as well.
    """
    plan[1, guest] -= amount
    if guests[r.G_MODE, guest] == r.THIN:
        kept = min(amount, max(values[r.X_BALLOON, guest] - plan[2, guest], 0.0))
        plan[2, guest] += kept
        plan[4, guest] += amount - kept
        most = max(plan[1, guest], 0.0) * rules[r.R_RATIO]
        if plan[3, guest] > most:
            own = values[r.X_TOUCHED, guest] - values[r.X_SHARED, guest]
            plan[3, guest] = most
            plan[4, guest] = max(own - plan[2, guest] - most, 0.0)


@part
def make_change(guest: int, elapsed_s: float, guests: Any, rules: Any, values: Any, plan: Any) -> bool:
    """Put down where a guest's memory lies now; tells whether that is elsewhere than before."""
    mode, size = guests[r.G_MODE, guest], guests[r.G_SIZE, guest]
    given, balloon, squeezed, spilled = plan[1, guest], plan[2, guest], plan[3, guest], plan[4, guest]
    working = values[r.X_WORKING, guest]
    moved = given != values[r.X_GIVEN, guest]
    if mode == r.THIN:
        moved = moved or balloon != values[r.X_BALLOON, guest] or squeezed != values[r.X_SQUEEZED, guest]
        moved = moved or spilled != values[r.X_SPILLED, guest]
        values[r.X_RECLAIMED, guest] += max(balloon - values[r.X_BALLOON, guest], 0.0)
        values[r.X_RECLAIMED, guest] += max(squeezed - values[r.X_SQUEEZED, guest], 0.0)
        values[r.X_RECLAIMED, guest] += max(spilled - values[r.X_SPILLED, guest], 0.0)
        aside, before = squeezed + spilled, values[r.X_SQUEEZED, guest] + values[r.X_SPILLED, guest]
        values[r.X_VISIBLE, guest] = size
        own = values[r.X_TOUCHED, guest] - values[r.X_SHARED, guest]
        in_balloon = max(0.0, balloon - max(0.0, own - working))
        values[r.X_SELF_PAGED, guest] = min(working, in_balloon + max(0.0, working - size))
        by_use = _by_use(
            values[r.X_USED, guest], aside, before, own - balloon, working - values[r.X_SELF_PAGED, guest],
            rules[r.R_RETURN] * elapsed_s, rules[r.R_BY_USE],
        )  # fmt: skip
        moved = moved or by_use != values[r.X_USED, guest]
        values[r.X_USED, guest] = by_use
    else:
        values[r.X_RECLAIMED, guest] += max(values[r.X_GIVEN, guest] - given, 0.0)
        if mode == r.ELASTIC:
            values[r.X_VISIBLE, guest] = max(max(values[r.X_VISIBLE, guest], size), given)
            balloon = max(0.0, values[r.X_VISIBLE, guest] - given - values[r.X_BRIDGED, guest])
        else:
            values[r.X_VISIBLE, guest], balloon = size, 0.0
        values[r.X_SELF_PAGED, guest] = max(0.0, working - given)
    values[r.X_GIVEN, guest], values[r.X_BALLOON, guest] = given, balloon
    values[r.X_SQUEEZED, guest], values[r.X_SPILLED, guest] = squeezed, spilled
    return moved


@part
def _by_use(by_use: float, aside: float, before: float, pages: float, busy: float, back: float, most: float) -> float:
    """Let the pages that are worked with come back: p rises at the rate of return, and falls as new pages go."""
    if aside <= 0.0 or pages <= 0.0:
        return most
    if aside > before:
        by_use *= before / aside
    busy = min(max(busy, 0.0), pages)
    way = aside * busy / pages - max(0.0, aside - (pages - busy))
    return most if way <= NOISE * pages else min(most, by_use + back / way)
