"""All demand signals of a plan as arrays over the guests."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ruvex.engine import kernels
from ruvex.engine import rows as r
from ruvex.plan import SIGNALS, Bursts, Daily, Guest, MissingTraceError, Signal, Steps, Trace, Traces

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

_SECONDS_PER_HOUR: Final = 3600.0


@dataclass(frozen=True, slots=True, eq=False)
class SignalBank:
    """Every demand signal of a plan: CPU of all guests, then working, touched, transfers and traffic.

    Attributes
    ----------
    forms, numbers, tables, knots
        As ``signal_at`` of the engine takes them.
    day_s
        When they begin anew.
    """

    forms: Ints
    numbers: Floats
    tables: Ints
    knots: Floats
    day_s: float

    def at(self, times_s: ArrayLike) -> Floats:
        """Give what every guest asks for at each time: MHz, MiB, MiB, transfers a second, MiB/s (``rows.W_…``).

        Parameters
        ----------
        times_s
            Seconds since the start of the day, any shape.

        Returns
        -------
        NDArray[np.float64]
            Shape (*times, 5, guests).
        """
        return self._evaluate(times_s, kernels.signals_at)

    def highest_until(self, times_s: ArrayLike) -> Floats:
        """Give the maximum of each signal from the start of the day up to each time; shape as ``at``.

        The maximum is exact, not taken over samples: the turning points of every form are known.
        """
        return self._evaluate(times_s, kernels.highest_until)

    def _evaluate(self, times_s: ArrayLike, evaluate: object) -> Floats:
        times = np.asarray(times_s, dtype=np.float64)
        found = np.empty((times.size, self.forms.size))
        for at, time in enumerate(times.ravel().tolist()):
            evaluate(self.forms, self.numbers, self.tables, self.knots, self.day_s, time, found[at])  # type: ignore[operator]
        return found.reshape(*times.shape, r.W_ROWS, self.forms.size // r.W_ROWS)

    def jumps_until(self, end_s: float) -> Iterator[Floats]:
        """Give the times from 0 to an end at which steps and bursts change their value, those of one form at once."""
        for start, end in self._stepped():
            times = self.knots[0, start:end]
            yield times[times <= end_s]
        for every_s, length_s in np.unique(self.numbers[2:, self.forms == r.BURSTS], axis=1).T.tolist():
            starts = np.arange(0.0, end_s, every_s)
            yield starts
            yield starts[starts + length_s <= end_s] + length_s

    def jumping(self) -> Ints:
        """Give the signals that change only in jumps."""
        stepped = {start for start, _ in self._stepped()}
        is_stepped = (self.forms == r.TABLE) & np.isin(self.tables[0], list(stepped))
        return np.flatnonzero((self.forms == r.BURSTS) | is_stepped)

    def _stepped(self) -> set[tuple[int, int]]:
        tables = {(int(start), int(end)) for start, end in self.tables.T[self.forms == r.TABLE]}
        return {(start, end) for start, end in tables if not np.any(self.knots[2, start:end])}


def gather_signals(guests: Sequence[Guest], traces: Traces, day_s: float) -> SignalBank:
    """Collect the demand signals of guests into arrays, to be evaluated together."""
    signals: list[Signal] = [getattr(guest.demand, name) for name in SIGNALS for guest in guests]
    forms = np.zeros(len(signals), dtype=np.int64)
    numbers, tables = np.zeros((4, len(signals))), np.zeros((2, len(signals)), dtype=np.int64)
    places: dict[Steps | Trace, tuple[int, int]] = {}
    knots: list[Floats] = [np.zeros((4, 1))]
    count = 1
    for i, signal in enumerate(signals):
        if isinstance(signal, Daily):
            forms[i] = r.DAILY
            numbers[:, i] = signal.low, signal.high, signal.peak_at, signal.width_h * _SECONDS_PER_HOUR
        elif isinstance(signal, Bursts):
            forms[i] = r.BURSTS
            numbers[:, i] = signal.base, signal.high, signal.every_s, signal.for_s
        elif isinstance(signal, Steps | Trace):
            forms[i] = r.TABLE
            if signal not in places:
                knots.append(_steps(signal) if isinstance(signal, Steps) else _trace(signal, traces))
                places[signal] = count, count + knots[-1].shape[1]
                count = places[signal][1]
            tables[:, i] = places[signal]
        else:
            numbers[0, i] = signal
    return SignalBank(forms, numbers, tables, np.concatenate(knots, axis=1), day_s)


def _steps(signal: Steps) -> Floats:
    times, levels = np.array(signal.at, dtype=np.float64).T.copy()
    if times[0] > 0:
        # The day repeats: what held last yesterday holds until the first step of today.
        times, levels = np.concatenate(([0.0], times)), np.concatenate((levels[-1:], levels))
    return np.stack((times, levels, np.zeros_like(levels), np.maximum.accumulate(levels)))


def _trace(signal: Trace, traces: Traces) -> Floats:
    if signal.file not in traces or signal.column not in traces[signal.file].columns:
        raise MissingTraceError(signal.file, signal.column)
    table = traces[signal.file]
    times, levels = np.array(table.seconds), np.array(table.columns[signal.column])
    if times[0] > 0:
        times, levels = np.concatenate(([0.0], times)), np.concatenate((levels[:1], levels))
    slopes = np.append(np.diff(levels) / np.diff(times), 0.0)
    return np.stack((times, levels, slopes, np.maximum.accumulate(levels)))
