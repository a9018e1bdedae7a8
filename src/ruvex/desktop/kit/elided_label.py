"""A line of text that shortens itself where there is not room for all of it."""

from __future__ import annotations

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QColor, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme


class ElidedLabel(QWidget):
    """A label that takes the room it is given; what it leaves out is in its tool tip.

    Unlike a QLabel it never asks for a new layout when its text changes, so it may change while a dial moves.
    """

    def __init__(
        self, theme: Theme, px: float, *, at_right: bool = False, in_head: bool = False, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._theme, self._px, self._at_right = theme, px, at_right
        self._in_head = in_head
        self._text = self._short = ""
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)

    def text(self) -> str:
        """Give the whole text."""
        return self._text

    def set_text(self, text: str, *, short: str = "") -> None:
        """Show another text, or where that does not fit a short form of it."""
        if text != self._text:
            self._text, self._short = text, short
            self.setToolTip(text)
            self.setAccessibleName(text)
            self.update()

    @property
    def colour(self) -> QColor:
        """What the text is drawn in."""
        colours = self._theme.colours
        return colours.head_muted if self._in_head else colours.muted

    def sizeHint(self) -> QSize:
        """Ask for the height of a line."""
        return QSize(10, round(self._theme.metrics(self._px).height()) + 2)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint as much of the text as there is room for."""
        with painting(self) as painter:
            face = self._theme.face(self._px)
            painter.setPen(self.colour)
            text = self._short if self._short and face.width(self._text) > self.width() else self._text
            text = face.metrics.elidedText(text, Qt.TextElideMode.ElideRight, self.width())
            face.draw(painter, self.width() - face.width(text) if self._at_right else 0, 0, self.height(), text)
