"""A typical day of what was measured over many."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Final
from zoneinfo import ZoneInfo

import numpy as np

from ruvex.exchange.load._measured import Floats, Series

DAY_S: Final = 86_400.0
DAYS: Final = ("all days", "Monday to Friday", "Saturday and Sunday")
"""Which days are looked at."""
_USUAL_STEP_S: Final = 300.0
_LONGEST_PAUSE: Final = 5.0
"""A counter that was not read for so many of its usual spacings was not measured in between."""


@dataclass(frozen=True, slots=True, eq=False)
class TypicalDay:
    """A day made of many.

    Attributes
    ----------
    seconds, values
        The middles of the steps in which something was measured on any day, and the typical value there, (steps,).
    low, high
        The lowest and highest of the days, for a picture.
    days
        How many days have a measurement.
    thin
        How many of these lack at least one step that others have.
    missing
        Stretches of the day that no day has, from and to, in seconds.
    step_s
        How long a step is.
    """

    seconds: Floats
    values: Floats
    low: Floats
    high: Floats
    days: int
    thin: int
    missing: tuple[tuple[float, float], ...]
    step_s: float


def typical_day(
    series: Iterable[Series],
    *,
    is_counter: bool,
    clock: str,
    zone: ZoneInfo,
    percentile: float,
    days: str,
    step_s: float | None,
) -> TypicalDay:
    """Make a typical day of the sum of some series.

    In each step of each day the samples of a series are averaged, and the series are added; the typical value of a step
    is the percentile over those days that have one.

    Parameters
    ----------
    series
        What is added, such as the processors of one guest.
    is_counter
        Whether what they grow by a second is meant.
    clock, zone
        What their times are; the zone whose midnight begins a day where they are ``utc``.
    percentile
        50 for the median of the days.
    days
        One of ``DAYS``.
    step_s
        None for five minutes, or as far apart as samples are, if that is more.
    """
    kept: list[tuple[Floats, Floats]] = []
    spacing = 0.0
    for one in series:
        seconds, values = _rates(one) if is_counter else (one.seconds, one.values)
        if not seconds.size:
            continue
        if seconds.size > 1:
            spacing = max(spacing, float(np.median(np.diff(seconds))))
        kept.append((_on_the_wall(seconds, zone) if clock == "utc" else seconds, values))
    step = step_s if step_s is not None else min(DAY_S / 2, max(_USUAL_STEP_S, 60.0 * np.ceil(spacing / 60.0)))
    steps = max(1, int(np.ceil(DAY_S / step)))
    sums: dict[int, Floats] = {}
    for seconds, values in kept:
        for day, found in _by_day(seconds, values, step, steps):
            if clock == "day" or days == DAYS[0] or (_is_weekend(day) == (days == DAYS[2])):
                before = sums.get(day)
                sums[day] = (
                    found if before is None else np.where(np.isnan(before), found, before + np.nan_to_num(found))
                )
    if not sums:
        empty = np.empty(0)
        return TypicalDay(empty, empty, empty, empty, 0, 0, ((0.0, DAY_S),), step)
    table = np.stack([sums[day] for day in sorted(sums)])
    there = np.flatnonzero(~np.all(np.isnan(table), axis=0))
    table = table[:, there]
    typical = np.nanpercentile(table, [percentile, 0.0, 100.0], axis=0)
    return TypicalDay(
        (there + 0.5) * step, typical[0], typical[1], typical[2], len(sums),
        int(np.any(np.isnan(table), axis=1).sum()), _stretches(there, steps, step), step,
    )  # fmt: skip


def _rates(one: Series) -> tuple[Floats, Floats]:
    """Give what a counter grew by a second, at the middle between two readings; one that began anew grew from 0."""
    if one.seconds.size < 2:
        return np.empty(0), np.empty(0)
    apart, grown = np.diff(one.seconds), np.diff(one.values)
    grown = np.where(grown < 0, one.values[1:], grown)
    is_near = apart <= _LONGEST_PAUSE * np.median(apart)
    middle = one.seconds[:-1] + apart / 2
    return middle[is_near], (grown / apart)[is_near]


def _on_the_wall(seconds: Floats, zone: ZoneInfo) -> Floats:
    """Give times since 1970 as the clock on the wall had them; clocks are changed on a quarter of an hour at most."""
    quarters, of = np.unique(np.floor(seconds / 900.0), return_inverse=True)
    offsets = []
    for quarter in quarters.tolist():
        try:
            offset = datetime.fromtimestamp(quarter * 900.0, zone).utcoffset()
        except (ValueError, OverflowError, OSError):
            offset = None
        offsets.append(offset.total_seconds() if offset is not None else 0.0)
    return seconds + np.asarray(offsets, dtype=np.float64)[of]


def _by_day(seconds: Floats, values: Floats, step: float, steps: int) -> list[tuple[int, Floats]]:
    """Give each day's means of the steps; NaN where nothing was measured."""
    days = np.floor(seconds / DAY_S)
    inside = np.minimum(((seconds - days * DAY_S) / step).astype(np.int64), steps - 1)
    numbers, of = np.unique(days, return_inverse=True)
    cells = of * steps + inside
    count = np.bincount(cells, minlength=numbers.size * steps)
    total = np.bincount(cells, weights=values, minlength=numbers.size * steps)
    means = np.full(count.shape, np.nan)
    np.divide(total, count, out=means, where=count > 0)
    return list(zip(numbers.astype(np.int64).tolist(), means.reshape(numbers.size, steps), strict=True))


def _is_weekend(day: int) -> bool:
    # The first of January 1970 was a Thursday.
    return (day + 3) % 7 >= 5


def _stretches(there: np.ndarray, steps: int, step: float) -> tuple[tuple[float, float], ...]:
    lacking = np.setdiff1d(np.arange(steps), there)
    found: list[tuple[float, float]] = []
    for part in np.split(lacking, np.flatnonzero(np.diff(lacking) > 1) + 1):
        if part.size:
            found.append((float(part[0]) * step, min(DAY_S, float(part[-1] + 1) * step)))
    return tuple(found)
