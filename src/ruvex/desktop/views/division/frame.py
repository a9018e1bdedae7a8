"""Where things stand across the butterfly: number columns, wings and names."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

_NAMES_PART: Final = 0.2
_NAMES_LEAST: Final = 190
_NAMES_MOST: Final = 320
_NUMBERS: Final = 104
_NARROW: Final = 800
_NARROW_NUMBERS: Final = 52
_NARROW_NAMES: Final = 150
_MARGIN: Final = 14
_FLOW: Final = 128
_NARROW_FLOW: Final = 84
_GAP: Final = 12


@dataclass(frozen=True, slots=True)
class RowFrame:
    """The columns of the butterfly in pixels, from left to right."""

    width: int
    cpu_numbers: tuple[int, int]
    cpu_end: int
    cpu_zero: int
    names: tuple[int, int]
    memory_zero: int
    memory_end: int
    memory_numbers: tuple[int, int]
    is_narrow: bool = False
    """There is room for what is delivered only, not for what was wanted beside it."""
    flow: tuple[int, int] | None = None
    """The narrow wing of disks, where there is one."""


def frame_for(width: int, scale: float, *, with_flow: bool = False) -> RowFrame:
    """Divide a width among the columns; ``scale`` is the text size against the standard.

    With the wing of disks the others share what that leaves.
    """
    whole, flow = width, None
    if with_flow:
        width -= round((_NARROW_FLOW if width < _NARROW * scale else _FLOW) * scale)
        flow = (width, whole - _MARGIN)
    is_narrow = width < _NARROW * scale
    numbers = round((_NARROW_NUMBERS if is_narrow else _NUMBERS) * scale)
    gap, margin = round(_GAP * scale), _MARGIN
    least = _NARROW_NAMES if is_narrow else _NAMES_LEAST
    names = round(min(max(width * _NAMES_PART, least * scale), _NAMES_MOST * scale))
    left = (width - names) // 2
    return RowFrame(
        width=whole,
        cpu_numbers=(margin, margin + numbers),
        cpu_end=margin + numbers + gap,
        cpu_zero=left - gap,
        names=(left, left + names),
        memory_zero=left + names + gap,
        memory_end=width - margin - numbers - gap,
        memory_numbers=(width - margin - numbers, width - margin),
        is_narrow=is_narrow,
        flow=flow,
    )
