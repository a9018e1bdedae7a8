"""All demand signals of a plan evaluated at once, as arrays over the guests."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ruvex.plan import Bursts, Daily, Guest, Signal, Steps, Trace, Traces

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

CPU, WORKING, TOUCHED = 0, 1, 2
"""Rows of the evaluated array."""

_SECONDS_PER_HOUR: Final = 3600.0
_TABLE_SPAN: Final = 2.0**26
"""Distance between the tables on the common time axis, s: two years, a power of two to keep seconds exact."""


@dataclass(frozen=True, slots=True)
class _DailySignals:
    """Peaks ``low + (high − low) · 2^−(2d/width)²`` at circular distance d from ``peak``; arrays of one shape."""

    at: Ints
    low: Floats
    high: Floats
    peak: Floats
    width_s: Floats
    day_s: float

    @property
    def jumps(self) -> bool:
        return False

    def jump_times(self, _end_s: float) -> Floats:
        return np.zeros(0)

    def values(self, times: Floats) -> Floats:
        half = self.day_s / 2
        distance = np.abs((times - self.peak + half) % self.day_s - half)
        return self.low + (self.high - self.low) * np.exp2(-((2 * distance / self.width_s) ** 2))

    def highest(self, times: Floats) -> Floats:
        # Between the peak and the point opposite to it the curve only rises or only falls, so its maximum
        # over a stretch is at one of the ends or at one of those two points.
        opposite = (self.peak + self.day_s / 2) % self.day_s
        candidates = [self.values(times), self.values(np.zeros_like(times))]
        for turn in (self.peak % self.day_s, opposite):
            there = self.values(np.broadcast_to(turn, times.shape[:-1] + turn.shape))
            candidates.append(np.where(times >= turn, there, -np.inf))
        highest: Floats = np.maximum.reduce(candidates)
        return highest


@dataclass(frozen=True, slots=True)
class _BurstSignals:
    """``high`` while ``t mod every < length``, else ``base``; arrays of one shape."""

    at: Ints
    base: Floats
    high: Floats
    every_s: Floats
    length_s: Floats

    @property
    def jumps(self) -> bool:
        return True

    def jump_times(self, end_s: float) -> Floats:
        kinds = np.unique(np.stack((self.every_s, self.length_s)), axis=1).T.tolist()
        starts = [(np.arange(0.0, end_s, every), length) for every, length in kinds]
        times = np.concatenate([part for start, length in starts for part in (start, start + length)])
        return times[times <= end_s]

    def values(self, times: Floats) -> Floats:
        return np.where(times % self.every_s < self.length_s, self.high, self.base)

    def highest(self, times: Floats) -> Floats:
        burst_seen = self.length_s > 0
        base_seen = (self.length_s < self.every_s) & (times >= self.length_s)
        return np.maximum(
            np.where(burst_seen, self.high, -np.inf), np.where(base_seen | ~burst_seen, self.base, -np.inf)
        )


@dataclass(frozen=True, slots=True)
class _TableSignals:
    """Steps and traces: knots of all tables on one time axis, each table ``_TABLE_SPAN`` after the one before."""

    at: Ints
    table: Ints
    start: Ints
    keys: Floats
    knots: Floats
    levels: Floats
    slopes: Floats
    so_far: Floats

    @property
    def jumps(self) -> bool:
        return not np.any(self.slopes)

    def jump_times(self, end_s: float) -> Floats:
        return self.knots[self.knots <= end_s]

    def _knot(self, times: Floats) -> Ints:
        keys = self.table * _TABLE_SPAN + np.minimum(times, _TABLE_SPAN / 2)
        found = np.searchsorted(self.keys, keys, side="right") - 1
        return np.maximum(found, self.start[self.table])

    def values(self, times: Floats) -> Floats:
        knot = self._knot(times)
        return self.levels[knot] + self.slopes[knot] * (times - self.knots[knot])

    def highest(self, times: Floats) -> Floats:
        return np.maximum(self.so_far[self._knot(times)], self.values(times))


_Group = _DailySignals | _BurstSignals | _TableSignals


@dataclass(frozen=True, slots=True)
class SignalBank:
    """Every demand signal of a plan, grouped by form; see ``gather_signals``.

    Attributes
    ----------
    constants
        Shape (3, guests): the signals that are plain numbers, 0 elsewhere. MHz, MiB, MiB.
    groups
        The other forms, each with the flat positions it fills.
    """

    constants: Floats
    groups: tuple[_Group, ...]

    def at(self, times_s: ArrayLike) -> Floats:
        """Give CPU (MHz), working (MiB) and touched (MiB) of every guest at each time.

        Parameters
        ----------
        times_s
            Seconds since the start of the day, any shape.

        Returns
        -------
        NDArray[np.float64]
            Shape (*times, 3, guests).
        """
        return self._evaluate(times_s, highest=False)

    def highest_until(self, times_s: ArrayLike) -> Floats:
        """Give the maximum of each signal from the start of the day up to each time; shape as ``at``.

        The maximum is exact, not taken over samples: the turning points of every form are known.
        """
        return self._evaluate(times_s, highest=True)

    @property
    def jumping(self) -> tuple[_Group, ...]:
        """The groups whose values change only in jumps: steps and bursts."""
        return tuple(group for group in self.groups if group.jumps)

    def jumps_until(self, end_s: float) -> Floats:
        """Give the times from 0 to an end at which any step or burst changes its value, in order, each once."""
        found = [group.jump_times(end_s) for group in self.jumping]
        return np.unique(np.concatenate(found)) if found else np.zeros(0)

    def read_jumping(self, at_s: float, into: Floats) -> None:
        """Put the values that steps and bursts have at a time into an array of shape (3, guests)."""
        flat = into.reshape(-1)
        for group in self.jumping:
            flat[group.at] = group.values(np.full(group.at.size, at_s))

    def in_order(self, guests: Ints) -> SignalBank:
        """Give the same signals for the guests in another order: at each place the guest that stands there now."""
        count, place = self.constants.shape[1], np.argsort(guests)
        groups = tuple(replace(group, at=group.at // count * count + place[group.at % count]) for group in self.groups)
        return SignalBank(self.constants[:, guests], groups)

    def _evaluate(self, times_s: ArrayLike, *, highest: bool) -> Floats:
        times = np.asarray(times_s, dtype=np.float64)
        flat = np.empty((*times.shape, self.constants.size))
        flat[...] = self.constants.ravel()
        for group in self.groups:
            spread = np.broadcast_to(times[..., None], (*times.shape, group.at.size))
            flat[..., group.at] = group.highest(spread) if highest else group.values(spread)
        return flat.reshape(*times.shape, *self.constants.shape)


def gather_signals(guests: Sequence[Guest], traces: Traces, day_s: float) -> SignalBank:
    """Collect the demand signals of guests into arrays, to be evaluated together."""
    signals: list[Signal] = [guest.demand.cpu for guest in guests]
    signals += [guest.demand.working for guest in guests]
    signals += [guest.demand.touched for guest in guests]
    constants = np.array([s if isinstance(s, float | int) else 0.0 for s in signals], dtype=np.float64)
    groups: list[_Group] = []
    daily = [(i, s) for i, s in enumerate(signals) if isinstance(s, Daily)]
    if daily:
        rows = [(s.low, s.high, s.peak_at, s.width_h * _SECONDS_PER_HOUR) for _, s in daily]
        low, high, peak, width_s = np.array(rows).T.copy()
        groups.append(_DailySignals(_positions(daily), low, high, peak, width_s, day_s))
    bursts = [(i, s) for i, s in enumerate(signals) if isinstance(s, Bursts)]
    if bursts:
        rows = [(s.base, s.high, s.every_s, s.for_s) for _, s in bursts]
        base, high, every_s, length_s = np.array(rows).T.copy()
        groups.append(_BurstSignals(_positions(bursts), base, high, every_s, length_s))
    for form in (Steps, Trace):
        tabled = [(i, s) for i, s in enumerate(signals) if isinstance(s, form)]
        if tabled:
            groups.append(_gather_tables(tabled, traces))
    return SignalBank(constants.reshape(3, len(guests)), tuple(groups))


def _positions(found: Sequence[tuple[int, object]]) -> Ints:
    return np.array([i for i, _ in found], dtype=np.int64)


def _gather_tables(found: Sequence[tuple[int, Steps | Trace]], traces: Traces) -> _TableSignals:
    numbers: dict[Steps | Trace, int] = {}
    table = np.array([numbers.setdefault(signal, len(numbers)) for _, signal in found], dtype=np.int64)
    parts = [_steps(s) if isinstance(s, Steps) else _trace(s, traces) for s in numbers]
    lengths = np.array([knots.size for knots, _, _ in parts])
    start = np.concatenate(([0], np.cumsum(lengths)[:-1]))
    knots = np.concatenate([part[0] for part in parts])
    return _TableSignals(
        at=_positions(found),
        table=table,
        start=start,
        keys=knots + np.repeat(np.arange(len(parts)), lengths) * _TABLE_SPAN,
        knots=knots,
        levels=np.concatenate([part[1] for part in parts]),
        slopes=np.concatenate([part[2] for part in parts]),
        so_far=np.concatenate([np.maximum.accumulate(part[1]) for part in parts]),
    )


def _steps(signal: Steps) -> tuple[Floats, Floats, Floats]:
    knots, levels = np.array(signal.at, dtype=np.float64).T.copy()
    if knots[0] > 0:
        # The day repeats: what held last yesterday holds until the first step of today.
        knots, levels = np.concatenate(([0.0], knots)), np.concatenate((levels[-1:], levels))
    return knots, levels, np.zeros_like(levels)


def _trace(signal: Trace, traces: Traces) -> tuple[Floats, Floats, Floats]:
    table = traces[signal.file]
    knots, levels = np.array(table.seconds), np.array(table.columns[signal.column])
    if knots[0] > 0:
        knots, levels = np.concatenate(([0.0], knots)), np.concatenate((levels[:1], levels))
    slopes = np.append(np.diff(levels) / np.diff(knots), 0.0)
    return knots, levels, slopes
