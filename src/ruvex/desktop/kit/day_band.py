"""A day as a small picture: a line, and behind it the band between the lowest and the highest of many days."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme

_WIDE, _HIGH = 150, 28
_DAY_S: Final = 86_400.0


class DayBand(QWidget):
    """Draws what was seen over a day; where nothing was, nothing is drawn."""

    is_chart = True

    def __init__(
        self,
        theme: Theme,
        seconds: Sequence[float],
        line: Sequence[float],
        band: tuple[Sequence[float], Sequence[float]],
        step_s: float,
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self._theme, self._seconds, self._line, self._band, self._step_s = theme, seconds, line, band, step_s
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """Ask for the room of a line of text."""
        return self._theme.size(_WIDE, _HIGH)

    def _parts(self) -> list[list[int]]:
        """Give the stretches without a gap."""
        parts: list[list[int]] = []
        for at, time in enumerate(self._seconds):
            if not parts or time - self._seconds[at - 1] > 1.5 * self._step_s:
                parts.append([])
            parts[-1].append(at)
        return parts

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the band and the line over it."""
        with painting(self) as painter:
            colours = self._theme.colours
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            wide, high = self.width() - 2.0, self.height() - 3.0
            low, top = self._band
            most = max(top, default=0.0) or 1.0
            bar = self._theme.bar_colours(None)

            def points(values: Sequence[float], part: list[int]) -> list[QPointF]:
                return [
                    QPointF(1 + self._seconds[at] / _DAY_S * wide, 1 + high * (1 - values[at] / most)) for at in part
                ]

            painter.setPen(QPen(colours.line, 1))
            painter.drawLine(QPointF(0, high + 2), QPointF(wide + 2, high + 2))
            for part in self._parts():
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(bar.soft)
                painter.drawPolygon(QPolygonF([*points(top, part), *reversed(points(low, part))]))
                painter.setPen(QPen(bar.edge, 1.4))
                if len(part) == 1:
                    painter.drawPoint(points(self._line, part)[0])
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF(points(self._line, part)))
