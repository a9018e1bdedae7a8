"""Marks at the end of a stretch of running. Their form tells them apart, never a colour."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QLineF, QPointF, QRectF
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

ENDINGS: Final = ("bar", "angle", "two bars", "bracket")
_WIDE: Final = 1.6


def draw_ending(painter: QPainter, kind: str, place: QRectF, ink: QColor) -> None:
    """Draw one of ``ENDINGS`` at the right end of a stretch; anything else has none."""
    right, top, bottom = place.right(), place.top(), place.bottom()
    painter.setPen(QPen(ink, _WIDE))
    if kind == "bar":
        painter.drawLine(QLineF(right - 1, top, right - 1, bottom))
    elif kind == "two bars":
        painter.drawLine(QLineF(right - 1, top, right - 1, bottom))
        painter.drawLine(QLineF(right - 4, top, right - 4, bottom))
    elif kind == "angle":
        middle = (top + bottom) / 2
        painter.drawPolyline(QPolygonF([QPointF(right, top), QPointF(right - 4.5, middle), QPointF(right, bottom)]))
    elif kind == "bracket":
        points = [(right - 4, top), (right - 1, top), (right - 1, bottom), (right - 4, bottom)]
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points]))
