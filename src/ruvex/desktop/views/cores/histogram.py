"""How long waits were: counts in steps of half a doubling, on an axis that all of them share."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

Floats = NDArray[np.float64]

LEAST_MS: Final = 0.5
MOST_MS: Final = 128.0
_BINS: Final = 16


def counts_of(waits: Floats) -> Floats:
    """Give how many waits (ms) are in each step from ``LEAST_MS`` to ``MOST_MS``; longer ones are in the last."""
    # Whoever was served nearly at once stands in no bar: of light guests they are so many that nothing else is seen.
    seen = waits[waits >= LEAST_MS]
    at = np.floor(2 * np.log2(seen / LEAST_MS)).astype(np.int64)
    return np.bincount(np.clip(at, 0, _BINS - 1), minlength=_BINS).astype(np.float64)


def x_of(ms: float, place: QRectF) -> float:
    """Give where a length of wait stands on the axis."""
    part = math.log2(max(ms, LEAST_MS) / LEAST_MS) / math.log2(MOST_MS / LEAST_MS)
    return place.left() + place.width() * min(part, 1.0)


def paint_bars(painter: QPainter, place: QRectF, counts: Floats, colour: QColor) -> None:
    """Paint filled bars, the highest as high as the place."""
    most, wide = counts.max(initial=0.0), place.width() / _BINS
    if most <= 0:
        return
    for number, count in enumerate((counts / most).tolist()):
        if count > 0:
            high = max(count * place.height(), 1.0)
            painter.fillRect(QRectF(place.left() + number * wide + 0.5, place.bottom() - high, wide - 1, high), colour)


def paint_outline(painter: QPainter, place: QRectF, counts: Floats, ink: QColor) -> None:
    """Paint what was before: the outline of its bars, dashed."""
    most, wide = counts.max(initial=0.0), place.width() / _BINS
    if most <= 0:
        return
    points = [QPointF(place.left(), place.bottom())]
    for number, count in enumerate((counts / most).tolist()):
        y = place.bottom() - count * place.height()
        points += [QPointF(place.left() + number * wide, y), QPointF(place.left() + (number + 1) * wide, y)]
    points.append(QPointF(place.right(), place.bottom()))
    painter.setPen(QPen(ink, 1, Qt.PenStyle.DashLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPolyline(QPolygonF(points))


def paint_foot(painter: QPainter, place: QRectF, line: QColor) -> None:
    """Paint the foot on which bars stand."""
    painter.setPen(line)
    painter.drawLine(QLineF(place.left(), place.bottom(), place.right(), place.bottom()))


def paint_tick(painter: QPainter, place: QRectF, ms: float, ink: QColor) -> None:
    """Paint an upright at a length of wait, such as the longest."""
    painter.setPen(QPen(ink, 1.5))
    x = x_of(ms, place)
    painter.drawLine(QLineF(x, place.top() - 1, x, place.bottom() + 1))
