"""The lanes of hosts, and of stores and links: what is wanted against what there is."""

from __future__ import annotations

from typing import Final

import numpy as np
from PyQt6.QtGui import QColor, QImage

from ruvex.desktop.kit.theme import Colours
from ruvex.desktop.views.timeline.columns import LaneColumns
from ruvex.desktop.views.timeline.raster import Canvas, Values
from ruvex.engine import rows as r
from ruvex.play import Recording

AIR: Final = 1.06
_CPU_PART: Final = 0.5
_STRIP_PART: Final = 0.1


def host_lane_image(
    recording: Recording, at: int, columns: LaneColumns, size: tuple[int, int], colours: Colours, ratio: float,
    ground: QColor,
) -> QImage:  # fmt: skip
    """Draw the lane of a host.

    Parameters
    ----------
    recording, at, columns
        What was played, the position of the host, and which rows each pixel column shows.
    size
        Width and height in device pixels.
    """
    width, height = size

    def of(channel: str) -> Values:
        return columns.highest(recording.of_places(channel)[at])

    canvas = Canvas(width, height, ground, ratio)
    gap = max(1, round(ratio))
    split, strip = round(height * _CPU_PART), max(2, round(height * _STRIP_PART))
    wanted, supply = of("cpu_wanted"), of("cpu_supply")
    delivered = np.minimum(of("cpu_delivered"), wanted)
    nothing = np.zeros_like(wanted)
    top = float(max(wanted.max(initial=0.0), supply.max(initial=0.0), 1.0)) * AIR
    low, high = split - gap, gap
    canvas.area(nothing, delivered, top, low, high, colours.aside)
    canvas.area(delivered, wanted, top, low, high, colours.ink, "missing")
    canvas.line(wanted, top, low, high, colours.supply, shown=wanted > 0)
    canvas.line(supply, top, low, high, colours.ink, shown=(supply > 0) & canvas.dashes(wanted.size))

    given, there, kept = of("given"), of("memory_supply"), of("kept")
    top = float(max(there.max(initial=0.0), 1.0)) * AIR
    low, high = height - strip - gap, split + gap
    canvas.area(nothing, given, top, low, high, colours.aside)
    canvas.line(there, top, low, high, colours.supply, shown=there > 0)
    canvas.line(there - kept, top, low, high, colours.ink, shown=(there > 0) & canvas.dashes(wanted.size))

    pressure = of("pressure")
    ones = np.ones_like(pressure)
    for level, colour in ((r.SHORT, colours.aside), (r.DIRE, colours.ink)):
        canvas.area(nothing, np.where(pressure == level, ones, 0).astype(np.float32), 1.0, height - 1,
                    height - strip, colour)  # fmt: skip
    return canvas.image()


def flow_lane_image(
    recording: Recording, at: int, columns: LaneColumns, size: tuple[int, int], colours: Colours, ratio: float,
    ground: QColor,
) -> QImage:  # fmt: skip
    """Draw the lane of a store, or of a host's links: what is had as an area on top of what paging or moves take.

    Arguments as ``host_lane_image`` takes them; ``at`` is the position among stores and links.
    """
    width, height = size

    def of(channel: str) -> Values:
        return columns.highest(recording.of_flows(channel)[at])

    canvas = Canvas(width, height, ground, ratio)
    supply, taken, wanted, had = of("supply"), of("taken"), of("wanted"), of("delivered")
    had = np.minimum(had, wanted)
    top = float(max((taken + wanted).max(initial=0.0), supply.max(initial=0.0), 1.0)) * AIR
    low, high = height - max(1, round(ratio)), max(1, round(ratio))
    canvas.area(np.zeros_like(taken), taken, top, low, high, colours.ink, "spilled")
    canvas.area(taken, taken + had, top, low, high, colours.aside)
    canvas.area(taken + had, taken + wanted, top, low, high, colours.ink, "missing")
    canvas.line(taken + wanted, top, low, high, colours.supply, shown=wanted > 0)
    canvas.line(supply, top, low, high, colours.ink, shown=(supply > 0) & canvas.dashes(wanted.size))
    return canvas.image()
