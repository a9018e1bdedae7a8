"""Drawing one bar: the whole story of a row and a resource, in the rows and, enlarged, in the dials.

Solid is promised, soft is won by shares, hatched is wanted and not delivered, a dotted outline is held or lent
though idle, a bracket is the limit. In memory other textures in place of the hatching tell what makes good the
missing part: rings for the balloon, upright lines for squeezed, a mesh for spilled, level lines for self-paged.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from ruvex.desktop.kit.axis import Axis
from ruvex.desktop.kit.theme import COVERS, BarColours, texture_brush

_FOOT: Final = 2.0
_THIN: Final = 0.75
"""Parts narrower than this many pixels are not drawn."""


@dataclass(frozen=True, slots=True)
class Bar:
    """The figures of one bar, MHz or MiB.

    ``limit`` is infinite where there is none; ``cover`` is how much of ``unmet`` the balloon, squeezing, spilling and
    the guest's own paging make good.
    """

    promised: float
    won: float
    held: float
    lent: float
    unmet: float
    limit: float
    cover: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)

    @property
    def delivered(self) -> float:
        """What the division gives."""
        return self.promised + self.won + self.held


def _span(axis: Axis, low: float, high: float, top: float, height: float) -> QRectF:
    a, b = axis.x(low), axis.x(high)
    return QRectF(a, top, b - a, height) if b > a else QRectF(b, top, a - b, height)


def draw_bar(
    painter: QPainter, axis: Axis, bar: Bar, top: float, height: float, colours: BarColours, ink: QColor
) -> None:
    """Draw a bar along an axis, from ``top`` downwards by ``height`` pixels."""
    used = bar.promised + bar.won
    delivered = used + bar.held
    # What is narrower than this is not drawn, so most parts of most bars cost one comparison.
    least = _THIN * axis.per_pixel
    if bar.promised > least / 2:
        painter.fillRect(_span(axis, 0.0, bar.promised, top, height), colours.solid)
    if bar.won > least / 2:
        span = _span(axis, bar.promised, used, top, height)
        painter.fillRect(span, colours.soft)
        # Pale alone is hard to tell from the ground; a foot of the full hue is not.
        painter.fillRect(QRectF(span.left(), span.bottom() - _FOOT, span.width(), _FOOT), colours.solid)
    if bar.held > least:
        _draw_idle(painter, _span(axis, used, delivered, top, height), colours.edge)
    if bar.lent > least:
        lacking = delivered + bar.unmet
        _draw_idle(painter, _span(axis, lacking, lacking + bar.lent, top, height), colours.edge)
    if bar.unmet > least:
        span = _span(axis, delivered, delivered + bar.unmet, top, height)
        device = painter.device()
        ratio = device.devicePixelRatio() if device else 1.0
        covered = delivered
        for texture, amount in zip(COVERS, bar.cover, strict=True):
            if amount > least:
                part = _span(axis, covered, covered + amount, top, height)
                painter.fillRect(part, texture_brush(texture, colours.edge, ratio))
            covered += amount
        if delivered + bar.unmet - covered > least:
            rest = _span(axis, covered, delivered + bar.unmet, top, height)
            painter.fillRect(rest, texture_brush("missing", colours.edge, ratio))
        painter.setPen(colours.edge)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(span.adjusted(0.5, 0.5, -0.5, -0.5))
    if bar.limit <= axis.top:
        draw_bracket(painter, axis, bar.limit, top, height, ink)


def _draw_idle(painter: QPainter, span: QRectF, colour: QColor) -> None:
    painter.setPen(QPen(colour, 1, Qt.PenStyle.DotLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(span.adjusted(0.5, 0.5, -0.5, -0.5))


def draw_bracket(painter: QPainter, axis: Axis, value: float, top: float, height: float, ink: QColor) -> None:
    """Draw the bracket of a limit, open towards zero."""
    x = axis.x(value)
    inward = 4.0 if axis.zero > axis.end else -4.0
    points = [(x + inward, top - 2), (x, top - 2), (x, top + height + 2), (x + inward, top + height + 2)]
    painter.setPen(QPen(ink, 2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in points]))


def draw_ghost(painter: QPainter, axis: Axis, delivered: float, top: float, height: float, ink: QColor) -> None:
    """Draw the thin ghost of what was delivered before: an open outline from zero to there."""
    x = axis.x(delivered)
    painter.setPen(QPen(ink, 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    low, high = top - 2.5, top + height + 1.5
    points = [(axis.zero, low), (x, low), (x, high), (axis.zero, high)]
    painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in points]))
