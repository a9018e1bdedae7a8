"""Drawing one bar: the whole story of a row and a resource, in the rows and, enlarged, in the dials.

Solid is promised, soft is won by shares, hatched is wanted and not delivered, a dotted outline is held or lent
though idle, a bracket is the limit.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from ruvex.desktop.theme import BarColours, hatch_brush
from ruvex.desktop.widgets.axis import Axis
from ruvex.divide import Parts

_THIN: Final = 0.75
"""Parts narrower than this many pixels are not drawn."""


@dataclass(frozen=True, slots=True)
class Bar:
    """The figures of one bar, MHz or MiB; ``limit`` is infinite where there is none."""

    promised: float
    won: float
    held: float
    lent: float
    unmet: float
    limit: float

    @property
    def delivered(self) -> float:
        """What the division gives."""
        return self.promised + self.won + self.held


def bars_of(parts: Parts, limit: list[float]) -> list[Bar]:
    """Give the bars of all rows of one resource."""
    columns = (parts.promised, parts.won, parts.held, parts.lent, parts.unmet)
    return [Bar(*values) for values in zip(*(column.tolist() for column in columns), limit, strict=True)]


def _span(axis: Axis, low: float, high: float, top: float, height: float) -> QRectF:
    a, b = axis.x(low), axis.x(high)
    return QRectF(min(a, b), top, abs(b - a), height)


def draw_bar(
    painter: QPainter, axis: Axis, bar: Bar, top: float, height: float, colours: BarColours, ink: QColor
) -> None:
    """Draw a bar along an axis, from ``top`` downwards by ``height`` pixels."""
    used = bar.promised + bar.won
    for low, high, colour in ((0.0, bar.promised, colours.solid), (bar.promised, used, colours.soft)):
        span = _span(axis, low, high, top, height)
        if span.width() >= _THIN / 2:
            painter.fillRect(span, colour)
    delivered = bar.delivered
    for low, high in ((used, delivered), (delivered, delivered + bar.lent)):
        span = _span(axis, low, high, top, height)
        if span.width() >= _THIN:
            pen = QPen(colours.edge, 1, Qt.PenStyle.DotLine)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(span.adjusted(0.5, 0.5, -0.5, -0.5))
    span = _span(axis, delivered, delivered + bar.unmet, top, height)
    if span.width() >= _THIN:
        device = painter.device()
        painter.fillRect(span, hatch_brush(colours.edge, device.devicePixelRatio() if device else 1.0))
        painter.setPen(QPen(colours.edge, 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(span.adjusted(0.5, 0.5, -0.5, -0.5))
    if math.isfinite(bar.limit) and bar.limit <= axis.top:
        draw_bracket(painter, axis, bar.limit, top, height, ink)


def draw_bracket(painter: QPainter, axis: Axis, value: float, top: float, height: float, ink: QColor) -> None:
    """Draw the bracket of a limit, open towards zero."""
    x = axis.x(value)
    inward = 4.0 if axis.zero > axis.end else -4.0
    points = [(x + inward, top - 2), (x, top - 2), (x, top + height + 2), (x + inward, top + height + 2)]
    painter.setPen(QPen(ink, 2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in points]))


def draw_ghost(
    painter: QPainter, axis: Axis, delivered: float, top: float, height: float, ink: QColor
) -> None:
    """Draw the thin ghost of what was delivered before: an open outline from zero to there."""
    x = axis.x(delivered)
    painter.setPen(QPen(ink, 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    low, high = top - 2.5, top + height + 1.5
    points = [(axis.zero, low), (x, low), (x, high), (axis.zero, high)]
    painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in points]))
