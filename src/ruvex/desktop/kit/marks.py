"""Marks of batch work on a time axis. Their form tells them apart, never a colour."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from ruvex.desktop.kit.theme import Colours


def draw_mark(painter: QPainter, kind: str, at: QPointF, size: float, colours: Colours) -> None:
    """Draw a mark around a point.

    Parameters
    ----------
    kind
        ``due`` (a small flag), ``done`` (a filled diamond), ``late`` (an open one), ``before`` (a dashed one).
    size
        Half of its height, px.
    """
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    if kind == "due":
        painter.setPen(QPen(colours.ink, 1.3))
        painter.setBrush(colours.paper)
        painter.drawLine(QPointF(at.x(), at.y() - size), QPointF(at.x(), at.y() + size))
        flag = [(0.0, -size), (size * 1.5, -size), (size * 1.5, size * 0.1), (0.0, size * 0.1)]
        painter.drawPolygon(QPolygonF([QPointF(at.x() + dx, at.y() + dy) for dx, dy in flag]))
    else:
        style = Qt.PenStyle.DotLine if kind == "before" else Qt.PenStyle.SolidLine
        painter.setPen(QPen(colours.ink, 1.3, style))
        painter.setBrush(colours.ink if kind == "done" else colours.paper)
        corners = ((0.0, -size), (size, 0.0), (0.0, size), (-size, 0.0))
        painter.drawPolygon(QPolygonF([QPointF(at.x() + dx, at.y() + dy) for dx, dy in corners]))
    painter.restore()
