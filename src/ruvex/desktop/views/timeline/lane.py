"""One lane as a picture: CPU above, the layers of memory below."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor, QImage

from ruvex.desktop.kit.theme import BarColours, Colours, blend
from ruvex.desktop.views.timeline.columns import LaneColumns
from ruvex.desktop.views.timeline.raster import Canvas, Values
from ruvex.play import PHASES, Recording

AIR: Final = 1.04
"""The lanes reach so many times as high as what they show."""
_BOOTING, _QUEUED = PHASES.index("booting"), PHASES.index("queued")
_LAYERS: Final = ("backed", "shared", "balloon", "squeezed", "spilled", "bridged")
_LOW: Final = 34
"""A lane lower than this, px, leaves out the line of the wait: there is no room to read it."""
_GHOST: Final = 0.03
_JOIN: Final = 5
_WAIT: Final = 0.004
"""A wait below this part of the time is not drawn."""


@dataclass(frozen=True, slots=True, eq=False)
class Tops:
    """The values at the upper edges of a guest's two lanes, MHz and MiB."""

    cpu: float
    memory: float


def tops_of(recording: Recording, guests: NDArray[np.int64]) -> Tops:
    """Give what reaches highest of some guests together over all that was played."""
    if not recording.rows or not guests.size:
        return Tops(1.0, 1.0)
    cpu = recording.series("cpu_wanted")[guests].sum(axis=0).max(initial=0.0)
    memory = recording.series("visible")[guests].sum(axis=0).max(initial=0.0)
    return Tops(max(float(cpu), 1.0) * AIR, max(float(memory), 1.0) * AIR)


class LaneSeries:
    """The series of one guest, or of several added up, as one value a pixel column."""

    def __init__(self, recording: Recording, guests: NDArray[np.int64], columns: LaneColumns) -> None:
        self._recording, self._guests, self._columns = recording, guests, columns
        self.is_one = guests.size == 1

    def of(self, channel: str) -> Values:
        """Give a channel: its peaks of one guest, its sum at each column's first row of several."""
        series = self._recording.series(channel)
        if self.is_one:
            return self._columns.highest(series[int(self._guests[0])])
        summed: Values = self._columns.sample(series[self._guests]).sum(axis=0, dtype=np.float32)
        return summed

    def phases(self) -> NDArray[Any]:
        """Give the phase of one guest."""
        return self._columns.sample(self._recording.series("phase")[int(self._guests[0])])


def lane_image(
    series: LaneSeries, tops: Tops, size: tuple[int, int], split: int, colours: Colours, bar: BarColours, ratio: float,
    *, ground: QColor, before: LaneSeries | None = None, chance: Values | None = None,
) -> QImage:  # fmt: skip
    """Draw a lane.

    Parameters
    ----------
    series, tops
        What is drawn, and the values at the upper edges.
    size, split
        Width and height in device pixels, and the row at which CPU ends and memory begins.
    colours, bar, ratio
        Those of the theme and of the row, and device pixels a pixel.
    ground
        What it is drawn on.
    before
        The same of the day without what is being tried: drawn as a dashed ghost where it differs.
    chance
        What is waited by chance beside the fluid wait, by column: drawn as a dotted line above that.
    """
    width, height = size
    gap = max(1, round(ratio if height < _LOW * ratio else 2 * ratio))
    canvas = Canvas(width, height, ground, ratio)
    low, high = split - gap, gap
    wanted, delivered = series.of("cpu_wanted"), series.of("cpu_delivered")
    delivered = np.minimum(delivered, wanted)
    nothing = np.zeros_like(wanted)
    if series.is_one:
        booting = np.where(series.phases() == _BOOTING, np.float32(1), np.float32(0))
        canvas.area(nothing, booting, 1.0, height - gap, gap, colours.grid, "missing")
        queued = np.where(series.phases() == _QUEUED, np.float32(1), np.float32(0))
        canvas.area(nothing, queued, 1.0, height - gap, gap, colours.line, "squeezed")
    canvas.area(nothing, delivered, tops.cpu, low, high, blend(bar.solid, colours.paper, 0.25))
    canvas.area(delivered, wanted, tops.cpu, low, high, bar.edge, "missing")
    canvas.line(wanted, tops.cpu, low, high, bar.edge, shown=wanted > 0)
    wait = 1 - np.divide(delivered, wanted, out=np.ones_like(wanted), where=wanted > 0)
    if height >= _LOW * ratio:
        canvas.line(wait, 1.0, low, high, colours.ink, shown=wait > _WAIT)
        if chance is not None:
            count = min(chance.size, wait.size)
            seen = (chance[:count] > _WAIT) & canvas.dashes(count)
            canvas.line(wait[:count] + chance[:count], 1.0, low, high, colours.ink, shown=seen)
    if before is not None:
        _ghost(canvas, before.of("cpu_delivered"), delivered, tops.cpu, (low, high), colours.ink)

    low, high = height - gap, split + gap
    parts = {channel: series.of(channel) for channel in _LAYERS}
    working = np.minimum(series.of("working"), parts["backed"])
    level = working
    canvas.area(nothing, working, tops.memory, low, high, bar.solid)
    canvas.area(working, parts["backed"], tops.memory, low, high, bar.soft)
    level = parts["backed"]
    for channel in _LAYERS[1:]:
        above = level + parts[channel]
        if channel == "shared":
            canvas.area(level, above, tops.memory, low, high, blend(bar.soft, colours.paper, 0.55))
        else:
            canvas.area(level, above, tops.memory, low, high, bar.edge, channel)
        level = above
    visible = series.of("visible")
    canvas.line(visible, tops.memory, low, high, colours.muted, shown=visible > 0)
    if before is not None:
        _ghost(canvas, before.of("backed"), parts["backed"], tops.memory, (low, high), colours.ink)
    return canvas.image()


def _ghost(canvas: Canvas, before: Values, now: Values, top: float, edges: tuple[int, int], colour: QColor) -> None:
    """Draw what was before as a dashed line, only where it differs by what can be seen."""
    count = min(before.size, now.size)
    differs = np.abs(before[:count] - now[:count]) > _GHOST * top
    # A difference that comes and goes from pixel to pixel is drawn as one.
    wide = np.convolve(differs, np.ones(_JOIN), mode="same") > 0
    canvas.line(before[:count], top, *edges, colour, shown=wide & canvas.dashes(count))
