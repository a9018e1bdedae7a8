"""What a view shows when it has nothing to show: what to do next, with a button for each."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ruvex.desktop.kit.theme import Theme


class EmptyState(QWidget):
    """A heading, a sentence and the actions that lead on.

    Attributes
    ----------
    buttons
        One for each action.
    """

    def __init__(self, theme: Theme, heading: str, text: str, actions: Sequence[QAction], parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self._heading, self._text = QLabel(heading, self), QLabel(text, self)
        self.buttons = [self._button(action) for action in actions]
        row = QHBoxLayout()
        row.addStretch(1)
        for button in self.buttons:
            row.addWidget(button)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setSpacing(12)
        column.addStretch(2)
        for label in (self._heading, self._text):
            label.setAlignment(Qt.AlignmentFlag.AlignCenter)
            column.addWidget(label)
        column.addLayout(row)
        column.addStretch(3)
        self.setAutoFillBackground(True)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def _button(self, action: QAction) -> QPushButton:
        button = QPushButton(action.text(), self)
        button.setToolTip(action.toolTip())
        button.clicked.connect(action.trigger)
        return button

    def _on_theme_changed(self) -> None:
        colours = self._theme.colours
        self._heading.setFont(self._theme.font(18, bold=True))
        for widget in (self._text, *self.buttons):
            widget.setFont(self._theme.font())
        palette = self.palette()
        palette.setColor(self.backgroundRole(), colours.paper)
        self.setPalette(palette)
