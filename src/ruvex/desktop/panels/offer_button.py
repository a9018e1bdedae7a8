"""A button that offers a step: its effect shows while the pointer or the focus is on it, a click makes it."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QEnterEvent, QFocusEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QPushButton, QSizePolicy, QWidget

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.steps import Step
from ruvex.plan import EditError


class OfferButton(QPushButton):
    """Offers one step."""

    def __init__(self, desk: Desk, theme: Theme, step: Step, text: str, figure: str, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._theme, self.step = desk, theme, step
        self._label, self._figure = text, figure
        self.setAccessibleName(f"{figure} {text}".strip())
        self.setToolTip(f"{figure}  {text}\nPoint at it to see what it would do; press it to do it.".strip())
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(theme.px(22))
        self.clicked.connect(self._on_clicked)

    def text(self) -> str:
        """Give what is offered."""
        return f"{self._figure} {self._label}".strip()

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

    def _on_clicked(self) -> None:
        try:
            self._desk.trial.make(self.step)
        except EditError as error:
            self._desk.trial.not_accepted.emit(str(error))

    def enterEvent(self, event: QEnterEvent | None) -> None:
        """Show what it would do."""
        super().enterEvent(event)
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
        theme, colours = self._theme, self._theme.colours
        painter = QPainter(self)
        active = self.hasFocus() or self.underMouse()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colours.ink if active else colours.line, 1.6 if active else 1))
        painter.setBrush(colours.field if active else colours.panel)
        painter.drawRoundedRect(self.rect().adjusted(1, 1, -1, -1), 4, 4)
        x = theme.px(8)
        if self._figure:
            face = theme.face(12, bold=True)
            painter.setPen(colours.ink)
            face.draw_right(painter, x + theme.px(66), 0, self.height(), self._figure)
            x += theme.px(74)
        face = theme.face(12)
        painter.setPen(colours.ink)
        label = face.metrics.elidedText(self._label, Qt.TextElideMode.ElideRight, self.width() - x - theme.px(6))
        face.draw(painter, x, 0, self.height(), label)
        painter.end()
