"""A button that offers a step: its effect shows while the pointer or the focus is on it, a click makes it."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QCursor, QEnterEvent, QFocusEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QPushButton, QSizePolicy, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.steps import Step
from ruvex.plan import EditError

_TAKEN_AT: Final = "offer_taken_at"
"""What the window remembers: where the pointer stood when an offer was taken. Another one that comes under it there is
not pointed at."""


class OfferButton(QPushButton):
    """Offers one step."""

    def __init__(
        self, desk: Desk, theme: Theme, step: Step, text: str, figure: str, parent: QWidget, *, below: str = ""
    ) -> None:
        super().__init__(parent)
        self._below = below
        self._desk, self._theme, self.step = desk, theme, step
        self._label, self._figure = text, figure
        self.setAccessibleName(f"{figure} {text}{f', {below}' if below else ''}".strip())
        self.setToolTip(f"{figure}  {text}\n{below}\nPoint at it to see what it would do; press it to do it.".strip())
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(theme.px(40 if below else 24))
        self.setMouseTracking(True)
        self.clicked.connect(self._on_clicked)

    def text(self) -> str:
        """Give what is offered."""
        return f"{self._figure} {self._label}{f', {self._below}' if self._below else ''}".strip()

    def _preview(self) -> None:
        try:
            self._desk.trial.try_(self.step)
        except EditError as error:
            self._desk.trial.not_accepted.emit(str(error))
        self.update()

    def _give_up(self) -> None:
        if self._desk.trial.step is self.step:
            self._desk.trial.give_up()
        self.update()

    def _top(self) -> QWidget:
        window = self.window()
        return self if window is None else window

    def _on_clicked(self) -> None:
        self._top().setProperty(_TAKEN_AT, QCursor.pos())
        # Offers are made anew by it. Were the focus on this one, the next would get it, and be tried at once.
        around = self.parentWidget()
        if self.hasFocus() and around is not None:
            around.setFocus()
        self._desk.trial.take(self.step)

    def enterEvent(self, event: QEnterEvent | None) -> None:
        """Show what it would do."""
        super().enterEvent(event)
        if QCursor.pos() != self._top().property(_TAKEN_AT):
            self._preview()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Show what it would do, where it came under the pointer by itself."""
        super().mouseMoveEvent(event)
        if self._desk.trial.step is not self.step:
            self._preview()

    def leaveEvent(self, event: QEvent | None) -> None:
        """Take the effect off again."""
        super().leaveEvent(event)
        if not self.hasFocus():
            self._give_up()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Show what it would do, when the keyboard comes here."""
        super().focusInEvent(event)
        self._preview()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Take the effect off again."""
        super().focusOutEvent(event)
        self._give_up()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint figure and text, framed while it is looked at."""
        with painting(self) as painter:
            theme, colours = self._theme, self._theme.colours
            active = self.hasFocus() or self.underMouse()
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(colours.ink if active else colours.edge, 1.6 if active else 1))
            painter.setBrush(colours.field if active else colours.panel)
            painter.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), 4, 4)
            x, right = theme.px(10), self.width() - theme.px(10)
            half = self.height() / 2 if self._below else float(self.height())
            bold, face = theme.face(12, bold=True), theme.face(12)
            painter.setPen(colours.ink)
            if self._figure:
                bold.draw_right(painter, right, theme.px(1), half, self._figure)
                right -= round(bold.width(self._figure)) + theme.px(8)
            strong = bold if self._below else face
            label = strong.metrics.elidedText(self._label, Qt.TextElideMode.ElideRight, right - x)
            strong.draw(painter, x, theme.px(1), half, label)
            if self._below:
                painter.setPen(colours.muted)
                room = self.width() - 2 * x
                told = face.metrics.elidedText(self._below, Qt.TextElideMode.ElideRight, room)
                face.draw(painter, x, half - theme.px(1), half, told)
