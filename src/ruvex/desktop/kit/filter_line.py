"""A line to look for rows in: Esc empties it, and with Enter or Down the attention goes back to the rows."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

_LEAST = 120
_HINT = "Show only rows with these words in name or tags"


class FilterLine(QLineEdit):
    """The line; ``rows`` is where the attention goes back to."""

    def __init__(self, rows: QWidget, parent: QWidget) -> None:
        super().__init__(parent)
        self._rows = rows
        self.setPlaceholderText("Show only\u2026  ( / )")
        self.setToolTip(_HINT)
        self.setAccessibleName(_HINT)
        self.setMinimumWidth(_LEAST)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Go back to the rows with Enter or Down, and with Esc show all of them again."""
        if event is None:
            return
        if event.key() == Qt.Key.Key_Escape:
            self.clear()
            self._rows.setFocus()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Down):
            self._rows.setFocus()
        else:
            super().keyPressEvent(event)
