"""The charts of a report as SVG that stands in the page: greys and line styles, so that any printer shows them."""

from __future__ import annotations

import io
import warnings
from collections.abc import Sequence
from html import escape
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_INK, _FILL, _LINE = "#22303c", "#c9d1d8", "#5b6b79"
_MOST_POINTS: Final = 360
_LETTERS_AN_INCH: Final = 11
_RC: Final[dict[Any, Any]] = {
    "svg.fonttype": "none", "font.family": "sans-serif", "font.sans-serif": ["Inter", "DejaVu Sans"], "font.size": 8.5,
    "axes.edgecolor": _LINE, "axes.labelcolor": _INK, "xtick.color": _LINE, "ytick.color": _LINE,
    "svg.hashsalt": "ruvex", "text.parse_math": False, "hatch.linewidth": 0.6,
}  # fmt: skip


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
    """
    from matplotlib import rc_context
    from matplotlib.figure import Figure

    with rc_context(_RC):
        figure = Figure(figsize=(wide, 1.75), layout="constrained")
        axes = figure.add_subplot()
        hours, (upper, lower, missing) = _thinned(times_s / 3600.0, (wanted, used, lacking))
        axes.fill_between(hours, lower, color=_FILL, linewidth=0, label=words[1])
        axes.fill_between(
            hours, lower, lower + missing, facecolor="none", hatch="////", edgecolor=_LINE, linewidth=0,
            label="lacking",
        )  # fmt: skip
        axes.plot(hours, upper, color=_INK, linewidth=1.1, label=words[0])
        name, value = bound
        if value > 0:
            axes.axhline(value, color=_INK, linewidth=0.9, linestyle=(0, (4, 2)), label=name)
        _finish(axes, hours, unit, title)
        return _svg(figure, title)


def _thinned(hours: Floats, lines: Sequence[Floats]) -> tuple[Floats, list[Floats]]:
    step = max(1, hours.size // _MOST_POINTS)
    return hours[::step], [line[::step] for line in lines]


def _finish(axes: Any, hours: Floats, unit: str, title: str) -> None:
    # A title that is wider than its chart would leave the chart no room; the whole of it is the chart's name for
    # screen readers, and the owner's whole name stands above.
    most = int(axes.figure.get_figwidth() * _LETTERS_AN_INCH)
    shown = title if len(title) <= most else f"{title[: most - 1].rstrip()}…"
    axes.set_title(shown, loc="left", fontsize=9, color=_INK)
    axes.set_ylabel(unit)
    axes.set_ylim(bottom=0)
    end = float(hours[-1]) if hours.size else 24.0
    axes.set_xlim(0, max(end, 0.1))
    if end >= 12:
        ticks = np.arange(0, end + 1e-9, 6)
        axes.set_xticks(ticks, [f"{int(tick):02d}:00" for tick in ticks])
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    axes.legend(loc="upper center", bbox_to_anchor=(0.5, -0.16), ncols=4, frameon=False, handlelength=1.6, fontsize=8)


def _svg(figure: Any, title: str) -> str:
    """Give the figure as an element of HTML: no declaration, nothing from outside, a name for screen readers."""
    stream = io.StringIO()
    with warnings.catch_warnings():
        # The text is written as text, and who reads it has the letters; here they are only measured.
        warnings.filterwarnings("ignore", r"Glyph .* missing from font")
        figure.savefig(stream, format="svg", metadata={"Date": None, "Creator": None, "Format": None, "Type": None})
    text = stream.getvalue()
    start = text.index("<svg ")
    return f'<svg role="img" aria-label="{escape(title, quote=True)}" ' + text[start + len("<svg ") :]
