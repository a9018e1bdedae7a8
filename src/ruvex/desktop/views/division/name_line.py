"""The line over a row in which its name is typed."""

from __future__ import annotations

from PyQt6.QtCore import QRect, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from ruvex.desktop.kit.theme import Theme


class NameLine(QLineEdit):
    """Shown over one name at a time; Enter or leaving takes the name, Esc leaves it as it was.

    Signals
    -------
    entered(item_id, name)
        Another name was typed.
    left()
        The line was closed by a key.
    """

    entered = pyqtSignal(str, str)
    left = pyqtSignal()

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self._item_id, self._name = "", ""
        self.setAccessibleName("Name")
        self.setMaxLength(200)
        self.style_anew()
        self.hide()

    def open(self, item_id: str, name: str, place: QRect) -> None:
        """Type the name of an item at a place."""
        self._item_id, self._name = item_id, name
        self.setText(name)
        self.selectAll()
        self.setGeometry(place)
        self.show()
        self.setFocus()

    def _close(self, *, take: bool) -> None:
        if self.isHidden():
            return
        name = self.text().strip()
        self.hide()
        if take and name and name != self._name:
            self.entered.emit(self._item_id, name)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Take the name with Enter, leave it with Esc."""
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Escape):
            self._close(take=event.key() != Qt.Key.Key_Escape)
            self.left.emit()
        else:
            super().keyPressEvent(event)

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Take the name when the attention goes elsewhere."""
        self._close(take=True)
        super().focusOutEvent(event)

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        self.setFont(self._theme.font(12.5))
