"""A line of text that shortens itself where there is not room for all of it."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy, QWidget


class ElidedLabel(QLabel):
    """A label that never asks for more room than there is; what it leaves out is in its tool tip."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(text, parent)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def setText(self, text: str | None) -> None:
        """Show another text."""
        super().setText(text)
        self.setToolTip(text or "")

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint as much of the text as there is room for."""
        painter = QPainter(self)
        text = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.setPen(self.palette().windowText().color())
        painter.drawText(self.rect(), self.alignment(), text)
        painter.end()
