"""Axes along which bars are drawn, and the steps between their ticks."""

from __future__ import annotations

import math
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Axis:
    """An axis: values from 0 to ``top`` between two x; either may lie to the left.

    Attributes
    ----------
    zero, end
        x of the value 0 and of ``top``, in pixels.
    top
        The largest value that fits, MHz or MiB.
    step
        Between ticks.
    """

    zero: float
    end: float
    top: float
    step: float

    def x(self, value: float) -> float:
        """Give the place of a value, kept within the axis."""
        if value <= 0 or self.top <= 0:
            return self.zero
        return self.end if value >= self.top else self.zero + (self.end - self.zero) * value / self.top

    @property
    def per_pixel(self) -> float:
        """How much one pixel stands for."""
        return self.top / max(1.0, abs(self.end - self.zero))

    @property
    def ticks(self) -> list[float]:
        """The values at which grid lines stand, from the first after 0."""
        count = int(self.top / self.step + 1e-6) if self.step > 0 else 0
        return [self.step * i for i in range(1, count + 1)]


def decimal_step(top: float, most: int) -> float:
    """Give the smallest step of 1, 2 or 5 times a power of ten that makes at most so many ticks.

    Examples
    --------
    >>> decimal_step(36.0, 8)
    5.0
    """
    if top <= 0:
        return 0.0
    rough = top / most
    power = 10.0 ** math.floor(math.log10(rough))
    return next(power * factor for factor in (1.0, 2.0, 5.0, 10.0) if power * factor >= rough * (1 - 1e-9))


def binary_step(top: float, most: int) -> float:
    """Give the smallest power of two that makes at most so many ticks.

    Examples
    --------
    >>> binary_step(75 * 1024.0, 8) / 1024
    16.0
    """
    return 2.0 ** math.ceil(math.log2(top / most) - 1e-9) if top > 0 else 0.0
