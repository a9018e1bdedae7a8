"""The charts of a report as SVG that stands in the page: greys and line styles, so that any printer shows them."""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from dataclasses import dataclass
from html import escape
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.plan import format_time

Floats = NDArray[np.float64]
_INK, _FILL, _LINE = "#22303c", "#c9d1d8", "#5b6b79"
_MOST_POINTS: Final = 360
_PIXELS_AN_INCH: Final = 96
_LETTERS_AN_INCH: Final = 11
_HEIGHT: Final = 168
_LEFT, _RIGHT, _TOP, _BOTTOM = 44, 18, 32, 38
_LETTER: Final = 5.6
"""About how wide a letter of the legend is: only where its parts begin depends on it."""
_STEPS_H: Final = (1 / 60, 1 / 30, 1 / 12, 1 / 6, 0.25, 0.5, 1.0, 2.0, 3.0, 6.0, 12.0, 24.0, 48.0, 96.0, 168.0)
_MOST_TIMES: Final = 6
_MOST_VALUES: Final = 5


def day_chart(
    times_s: Floats,
    wanted: Floats,
    used: Floats,
    lacking: Floats,
    bound: tuple[str, float],
    unit: str,
    title: str,
    *,
    words: tuple[str, str] = ("wanted", "had"),
    wide: float = 3.5,
) -> str:
    """Draw a day: what was had as an area, what lacked hatched on it, what was wanted as a line, a bound dashed.

    What one guest has beyond its want makes up for no other's lack, so the two together may pass the line.

    Parameters
    ----------
    times_s, wanted, used, lacking
        Seconds since the start of the day, and figures already in ``unit``; shape (rows,).
    bound
        What the dashed line is called and where it is.
    words
        What line and area are called.
    wide
        Inches.

    Returns
    -------
    str
        An element of HTML with nothing from outside, and a name for screen readers.

    Examples
    --------
    >>> day = day_chart(np.array([0.0, 86_400.0]), np.ones(2), np.ones(2), np.zeros(2), ("supply", 2.0), "GHz", "CPU")
    >>> day.startswith('<svg role="img" aria-label="CPU"')
    True
    """
    hours, (upper, lower, missing) = _thinned(times_s / 3600.0, (wanted, used, lacking))
    name, value = bound
    most = max((float(line.max(initial=0.0)) for line in (upper, lower + missing)), default=0.0)
    scale = _Scale(
        round(wide * _PIXELS_AN_INCH), max(float(hours[-1]) if hours.size else 24.0, 0.1), max(most, value, 1e-9)
    )
    # Each chart of a page has a texture of its own name.
    texture = f"lacking-{zlib.crc32(f'{title} {unit}'.encode()):08x}"
    parts = [
        f'<pattern id="{texture}" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">'
        f'<line x1="0" y1="0" x2="0" y2="5" stroke="{_LINE}" stroke-width="1.2"/></pattern>',
        *_frame(scale, unit, title),
    ]
    if hours.size:
        parts += [
            f'<path class="had" d="{scale.area(hours, np.zeros_like(lower), lower)}" fill="{_FILL}"/>',
            f'<path class="lacking" d="{scale.area(hours, lower, lower + missing)}" fill="url(#{texture})"/>',
            f'<path class="wanted" d="M{scale.points(hours, upper)}" fill="none" stroke="{_INK}" stroke-width="1.4"/>',
        ]
    if value > 0:
        y = scale.y(value)
        parts.append(
            f'<line class="bound" x1="{_LEFT}" y1="{y:.1f}" x2="{scale.wide - _RIGHT}" y2="{y:.1f}" stroke="{_INK}"'
            f' stroke-dasharray="5 3"/>'
        )
    swatches = [
        ("box", _FILL, words[1]), ("box", f"url(#{texture})", "lacking"), ("line", "", words[0]),
        *([("line", ' stroke-dasharray="5 3"', name)] if value > 0 else []),
    ]  # fmt: skip
    parts += _legend(scale.wide, swatches)
    return (
        f'<svg role="img" aria-label="{escape(title, quote=True)}" xmlns="http://www.w3.org/2000/svg"'
        f' viewBox="0 0 {scale.wide} {_HEIGHT}" width="{scale.wide}" height="{_HEIGHT}"'
        f' font-family="Inter, DejaVu Sans, sans-serif" font-size="10.5" fill="{_INK}">{"".join(parts)}</svg>'
    )


@dataclass(frozen=True, slots=True)
class _Scale:
    """Where hours and values lie in a chart.

    Attributes
    ----------
    wide
        The chart's width.
    end, most
        The last hour, and the largest value that is drawn.
    """

    wide: int
    end: float
    most: float

    @property
    def values(self) -> list[float]:
        """Where the axis of values has a mark: from 0 on, the last one at or above the largest value."""
        rough = self.most / (_MOST_VALUES - 1)
        power = 10.0 ** np.floor(np.log10(rough))
        step = next(power * k for k in (1.0, 2.0, 2.5, 5.0, 10.0) if power * k >= rough * (1 - 1e-9))
        return [step * k for k in range(int(np.ceil(self.most / step - 1e-9)) + 1)]

    @property
    def hours(self) -> list[float]:
        """Where the axis of time has a mark."""
        step = next((one for one in _STEPS_H if self.end / one <= _MOST_TIMES), self.end / _MOST_TIMES)
        return [step * k for k in range(int(self.end / step + 1e-9) + 1)]

    def x(self, hour: float) -> float:
        return _LEFT + (self.wide - _LEFT - _RIGHT) * hour / self.end

    def y(self, value: float) -> float:
        return _HEIGHT - _BOTTOM - (_HEIGHT - _TOP - _BOTTOM) * value / self.values[-1]

    def points(self, hours: Floats, values: Floats) -> str:
        """Give the places of a line."""
        across = (_LEFT + (self.wide - _LEFT - _RIGHT) * hours / self.end).tolist()
        down = (_HEIGHT - _BOTTOM - (_HEIGHT - _TOP - _BOTTOM) * values / self.values[-1]).tolist()
        return "L".join(f"{x:.1f} {y:.1f}" for x, y in zip(across, down, strict=True))

    def area(self, hours: Floats, low: Floats, high: Floats) -> str:
        """Give the outline of what lies between two lines."""
        return f"M{self.points(hours, high)}L{self.points(hours[::-1], low[::-1])}Z"


def _thinned(hours: Floats, lines: Sequence[Floats]) -> tuple[Floats, list[Floats]]:
    step = max(1, hours.size // _MOST_POINTS)
    return hours[::step], [line[::step] for line in lines]


def _frame(scale: _Scale, unit: str, title: str) -> list[str]:
    """Give title and axes."""
    # A title that is wider than its chart is cut; the whole of it is the chart's name for screen readers, and the
    # owner's whole name stands above.
    most = scale.wide * _LETTERS_AN_INCH // _PIXELS_AN_INCH
    shown = title if len(title) <= most else f"{title[: most - 1].rstrip()}…"
    bottom, end = _HEIGHT - _BOTTOM, scale.wide - _RIGHT
    found = [
        f'<text x="{_LEFT}" y="13" font-size="11.5" font-weight="600">{escape(shown)}</text>',
        f'<text x="{_LEFT - 6}" y="{_TOP - 8}" text-anchor="end" fill="{_LINE}">{escape(unit)}</text>',
        f'<path class="axes" d="M{_LEFT} {_TOP - 4}V{bottom}H{end}" fill="none" stroke="{_LINE}" stroke-width="0.8"/>',
    ]
    for value in scale.values:
        y = scale.y(value)
        found.append(
            f'<path d="M{_LEFT - 3} {y:.1f}h3" stroke="{_LINE}" stroke-width="0.8"/>'
            f'<text x="{_LEFT - 6}" y="{y + 3.5:.1f}" text-anchor="end" fill="{_LINE}">{value:.4g}</text>'
        )
    for hour in scale.hours:
        x = scale.x(hour)
        found.append(
            f'<path d="M{x:.1f} {bottom}v3" stroke="{_LINE}" stroke-width="0.8"/>'
            f'<text x="{x:.1f}" y="{bottom + 14}" text-anchor="middle" fill="{_LINE}">{format_time(hour * 3600)}</text>'
        )
    return found


def _legend(wide: int, swatches: Sequence[tuple[str, str, str]]) -> list[str]:
    """Give what areas and lines are called, in the middle below the chart."""
    widths = [22 + len(word) * _LETTER + 12 for _, _, word in swatches]
    x, y, found = max((wide - sum(widths) + 12) / 2, 4.0), _HEIGHT - 6, list[str]()
    for (kind, look, word), width in zip(swatches, widths, strict=True):
        if kind == "box":
            found.append(f'<rect x="{x:.1f}" y="{y - 8}" width="16" height="8" fill="{look}" stroke="{_LINE}"'
                         f' stroke-width="0.5"/>')  # fmt: skip
        else:
            found.append(f'<path d="M{x:.1f} {y - 4}h16" fill="none" stroke="{_INK}" stroke-width="1.4"{look}/>')
        found.append(f'<text x="{x + 21:.1f}" y="{y}" font-size="10">{escape(word)}</text>')
        x += width
    return found
