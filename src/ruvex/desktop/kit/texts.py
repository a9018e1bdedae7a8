"""Drawing short texts fast: each is shaped once and kept, for as long as its font is in use."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QFont, QFontMetricsF, QPainter, QStaticText, QTransform

_MOST_KEPT: Final = 4000


class Face:
    """A font with its measures and the texts shaped in it so far.

    Attributes
    ----------
    font, metrics
        The font and its measures.
    """

    def __init__(self, font: QFont) -> None:
        self.font = font
        self.metrics = QFontMetricsF(font)
        self._height = self.metrics.height()
        self._shaped: dict[str, tuple[QStaticText, float]] = {}
        self._elided: dict[tuple[str, float], str] = {}

    def _shape(self, text: str) -> tuple[QStaticText, float]:
        shaped = self._shaped.get(text)
        if shaped is None:
            if len(self._shaped) >= _MOST_KEPT:
                self._shaped.clear()
            static = QStaticText(text)
            static.setTextFormat(Qt.TextFormat.PlainText)
            static.setPerformanceHint(QStaticText.PerformanceHint.AggressiveCaching)
            static.prepare(QTransform(), self.font)
            shaped = self._shaped[text] = (static, self.metrics.horizontalAdvance(text))
        return shaped

    def width(self, text: str) -> float:
        """Give the width of a text in pixels."""
        return (self._shaped.get(text) or self._shape(text))[1]

    def elided(self, text: str, room: float) -> str:
        """Give a text shortened in its middle to a width in pixels."""
        key = (text, room)
        if key not in self._elided:
            if len(self._elided) >= _MOST_KEPT:
                self._elided.clear()
            self._elided[key] = self.metrics.elidedText(text, Qt.TextElideMode.ElideMiddle, room)
        return self._elided[key]

    def draw(self, painter: QPainter, x: float, top: float, height: float, text: str) -> None:
        """Draw a text from ``x`` on, centred in a height."""
        painter.setFont(self.font)
        shaped = self._shaped.get(text) or self._shape(text)
        painter.drawStaticText(QPointF(round(x), round(top + (height - self._height) / 2)), shaped[0])

    def draw_right(self, painter: QPainter, x: float, top: float, height: float, text: str) -> None:
        """Draw a text that ends at ``x``."""
        self.draw(painter, x - self.width(text), top, height, text)

    def draw_centred(self, painter: QPainter, place: QRectF, text: str) -> None:
        """Draw a text in the middle of a place."""
        x = place.left() + (place.width() - self.width(text)) / 2
        self.draw(painter, x, place.top(), place.height(), text)
