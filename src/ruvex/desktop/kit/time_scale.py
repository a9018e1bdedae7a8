"""A time axis: which part of a whole shows, and where each time stands."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Final

_STEPS_S: Final = (
    0.0001, 0.0002, 0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 30, 60, 120, 300, 600,
    900, 1800, 3600, 7200, 10_800, 14_400, 21_600, 43_200, 86_400,
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class TimeScale:
    """Times between two x.

    Attributes
    ----------
    left, right
        In pixels.
    start_s, end_s
        The times that stand there.
    whole_s
        The length of the whole, which begins at 0.
    least_s
        The least time that can be shown across.
    """

    left: int
    right: int
    start_s: float
    end_s: float
    whole_s: float
    least_s: float = 3.0

    @property
    def span_s(self) -> float:
        """How much time shows."""
        return self.end_s - self.start_s

    def x(self, at_s: float) -> float:
        """Give where a time stands."""
        return self.left + (self.right - self.left) * (at_s - self.start_s) / self.span_s

    def time(self, x: float) -> float:
        """Give the time at an x, kept within the whole."""
        at_s = self.start_s + self.span_s * (x - self.left) / max(1, self.right - self.left)
        return min(max(at_s, 0.0), self.whole_s)

    def zoomed(self, x: float, factor: float) -> TimeScale:
        """Give the scale that shows ``factor`` times as much time, with the time at an x where it is."""
        span = min(max(self.span_s * factor, min(self.least_s, self.whole_s)), self.whole_s)
        part = (x - self.left) / max(1, self.right - self.left)
        return self.at(self.time(x) - part * span, span)

    def moved(self, by_s: float) -> TimeScale:
        """Give the scale that shows later times, or earlier ones."""
        return self.at(self.start_s + by_s, self.span_s)

    def at(self, start_s: float, span_s: float) -> TimeScale:
        """Give the scale that shows a stretch, kept within the whole."""
        start_s = min(max(start_s, 0.0), self.whole_s - span_s)
        return replace(self, start_s=start_s, end_s=start_s + span_s)

    def ticks(self, room: int, *, least_s: float = 1.0) -> list[float]:
        """Give the times at which ticks stand, at least so many pixels and so much time apart."""
        least = max(self.span_s * room / max(1, self.right - self.left), least_s)
        step = next((step for step in _STEPS_S if step >= least * (1 - 1e-9)), _STEPS_S[-1])
        first = int(self.start_s // step) + (self.start_s % step > 0)
        return [float(i * step) for i in range(first, int(self.end_s // step + 1e-9) + 1)]
