"""The figures of a finding as a small picture: bars on one scale, as it is or with the remedy."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme, blend

_BAR: Final = 10
_LINE: Final = 29
_CURVE: Final = 40
WIDE: Final = 200
_PALE: Final = 0.45


class Evidence(QWidget):
    """A bar for each figure, its name below; figures that are no amounts stand as words."""

    is_chart = True

    def __init__(
        self, theme: Theme, hue: int | None, texts: Sequence[str], values: Sequence[float], top: float, parent: QWidget,
        *, curve: Sequence[float] = (), line: float = 0.0,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._curve, self._line = curve, line
        self._theme, self._hue, self._texts, self._values, self._top = theme, hue, texts, values, top
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("; ".join(texts))

    def sizeHint(self) -> QSize:
        """Ask for a line for each figure."""
        px = self._theme.px
        if self._curve:
            return QSize(px(WIDE), px(_CURVE) + px(17) * len(self._texts) + px(6))
        return QSize(px(WIDE), max(len(self._texts), 1) * px(_LINE if self._values else 17) + px(4))

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the bars: the first in full, what it is held against paler."""
        with painting(self) as painter:
            theme, px, colours = self._theme, self._theme.px, self._theme.colours
            face, y = theme.face(11.5), float(px(2))
            bar = theme.bar_colours(self._hue)
            if self._curve:
                self._paint_curve(painter, y)
                y += px(_CURVE) + px(2)
            for number, text in enumerate(self._texts):
                if self._values and number < len(self._values) and not self._curve:
                    wide = (self.width() - px(4)) * min(self._values[number] / self._top, 1.0) if self._top > 0 else 0.0
                    solid = bar.solid if number == 0 else blend(bar.solid, colours.paper, _PALE)
                    place = QRectF(0.5, y + 0.5, max(wide, 1.0), px(_BAR))
                    if wide > 0:
                        painter.fillRect(place, solid)
                        painter.setPen(QPen(bar.edge, 1, Qt.PenStyle.SolidLine))
                        painter.drawRect(place)
                    y += px(_BAR) + 2
                painter.setPen(colours.muted)
                face.draw(painter, 0, y, px(16), face.elided(text, self.width()))
                y += px(17)

    def _paint_curve(self, painter: QPainter, y: float) -> None:
        """Paint the day's curve, and the bound that it is held against as a dashed line; without one it is gone."""
        px, colours = self._theme.px, self._theme.colours
        bar = self._theme.bar_colours(self._hue)
        wide, high = self.width() - px(4), px(_CURVE)
        top = max(self._top, *self._curve, self._line) * 1.05 or 1.0
        step = wide / max(len(self._curve) - 1, 1)
        points = [QPointF(at * step, y + high * (1 - value / top)) for at, value in enumerate(self._curve)]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(bar.soft)
        painter.drawPolygon(QPolygonF([QPointF(0, y + high), *points, QPointF(points[-1].x(), y + high)]))
        painter.setPen(QPen(bar.edge, 1.2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(points))
        painter.setPen(QPen(colours.edge, 1))
        painter.drawLine(QPointF(0, y + high), QPointF(wide, y + high))
        if self._line > 0:
            at = y + high * (1 - self._line / top)
            painter.setPen(QPen(colours.ink, 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(0, at), QPointF(wide, at))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
