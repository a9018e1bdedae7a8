"""The triangle that shows whether a pool is folded."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPolygonF


def paint_triangle(painter: QPainter, middle: QPointF, r: float, colour: QColor, *, folded: bool) -> None:
    """Paint it around a point: pointing right where the pool is folded, down where it is open."""
    shape = [(0, -r), (r + 1, 0), (0, r)] if folded else [(-1, -r / 2), (2 * r - 1, -r / 2), (r - 1, r / 2 + 1)]
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(colour)
    painter.drawPolygon(QPolygonF([QPointF(middle.x() + a, middle.y() + b) for a, b in shape]))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
