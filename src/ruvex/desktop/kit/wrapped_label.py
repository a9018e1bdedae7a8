"""Words that wrap, and change while a dial moves."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme

_LEAST: Final = 40


class WrappedLabel(QWidget):
    """A label whose text wraps at its width.

    Unlike a QLabel it asks for a new layout only when its height changes. A QLabel asks with every text, and with a
    page of wrapping labels around it each layout takes milliseconds, at every step of a handle.
    """

    def __init__(self, theme: Theme, px: float, *, muted: bool = False, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._px, self._is_muted = theme, px, muted
        self._text = ""
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def text(self) -> str:
        """Give the text."""
        return self._text

    def set_text(self, text: str) -> None:
        """Show another text."""
        if text != self._text:
            high = self._high()
            self._text = text
            self.setAccessibleName(text)
            if self._high() != high:
                self.updateGeometry()
            self.update()

    def _high(self) -> int:
        if not self._text:
            return 0
        room = QRectF(0, 0, max(self.width(), _LEAST), 10_000)
        wraps = int(Qt.TextFlag.TextWordWrap)
        return round(self._theme.metrics(self._px).boundingRect(room, wraps, self._text).height()) + 2

    def sizeHint(self) -> QSize:
        """Ask for as many lines as the text takes."""
        return QSize(self._theme.px(200), self._high())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Wrap anew."""
        super().resizeEvent(event)
        self.updateGeometry()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the lines."""
        with painting(self) as painter:
            colours = self._theme.colours
            painter.setFont(self._theme.face(self._px).font)
            painter.setPen(colours.muted if self._is_muted else colours.ink)
            painter.drawText(QRectF(self.rect()), int(Qt.TextFlag.TextWordWrap), self._text)
