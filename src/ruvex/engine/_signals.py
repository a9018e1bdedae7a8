"""Evaluating the demand signals of all guests."""

from __future__ import annotations

from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._jit import exp2, kernel, part


@part
def _knot(knots: Any, start: int, end: int, at_s: float) -> int:
    """Find the last knot of a table that is not after a time; the first one where none is."""
    low, high = start, end
    while high - low > 1:
        middle = (low + high) // 2
        if knots[0, middle] <= at_s:
            low = middle
        else:
            high = middle
    return low


@part
def _daily(numbers: Any, i: int, day_s: float, at_s: float) -> float:
    half = day_s / 2
    distance = abs((at_s - numbers[2, i] + half) % day_s - half)
    return numbers[0, i] + (numbers[1, i] - numbers[0, i]) * exp2(-((2 * distance / numbers[3, i]) ** 2))


@part
def signal_at(forms: Any, numbers: Any, tables: Any, knots: Any, i: int, day_s: float, at_s: float) -> float:
    """Give one signal at a time of the day.

    Parameters
    ----------
    forms, numbers
        By signal: its form, and four numbers (constant: value; daily: low, high, peak and width in s; bursts: base,
        high, every and for in s).
    tables, knots
        By signal the first knot of its table and the one after its last; by knot its time, level, slope up to the
        next, and the highest level so far.
    """
    form = forms[i]
    if form == r.DAILY:
        return _daily(numbers, i, day_s, at_s)
    if form == r.BURSTS:
        return numbers[1, i] if at_s % numbers[2, i] < numbers[3, i] else numbers[0, i]
    if form == r.TABLE:
        knot = _knot(knots, tables[0, i], tables[1, i], at_s)
        return knots[1, knot] + knots[2, knot] * (at_s - knots[0, knot])
    return numbers[0, i]


@kernel
def _highest(forms: Any, numbers: Any, tables: Any, knots: Any, i: int, day_s: float, at_s: float) -> float:
    """Give the maximum of one signal from the start of the day up to a time, exactly."""
    form = forms[i]
    now = signal_at(forms, numbers, tables, knots, i, day_s, at_s)
    if form == r.DAILY:
        # Between the peak and the point opposite to it the curve only rises or only falls, so its maximum over a
        # stretch is at one of the ends or at one of those two points.
        highest = max(now, _daily(numbers, i, day_s, 0.0))
        for turn in (numbers[2, i] % day_s, (numbers[2, i] + day_s / 2) % day_s):
            if at_s >= turn:
                highest = max(highest, _daily(numbers, i, day_s, turn))
        return highest
    if form == r.BURSTS:
        begins_high = numbers[3, i] > 0.0
        is_over = numbers[3, i] < numbers[2, i] and at_s >= numbers[3, i]
        if not begins_high:
            return numbers[0, i]
        return max(numbers[1, i], numbers[0, i]) if is_over else numbers[1, i]
    if form == r.TABLE:
        return max(now, knots[3, _knot(knots, tables[0, i], tables[1, i], at_s)])
    return now


@kernel
def signals_at(forms: Any, numbers: Any, tables: Any, knots: Any, day_s: float, at_s: float, found: Any) -> None:
    """Put all signals at a time into an array of shape (signals,)."""
    for i in range(forms.shape[0]):
        found[i] = signal_at(forms, numbers, tables, knots, i, day_s, at_s)


@kernel
def highest_until(forms: Any, numbers: Any, tables: Any, knots: Any, day_s: float, at_s: float, found: Any) -> None:
    """Put the maximum of every signal up to a time into an array of shape (signals,)."""
    for i in range(forms.shape[0]):
        found[i] = _highest(forms, numbers, tables, knots, i, day_s, at_s)
