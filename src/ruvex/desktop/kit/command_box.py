"""The command box: finds any guest, pool, time or action by typing."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QEvent, QObject, QSize, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from ruvex.desktop.kit.theme import Theme

_MOST_SHOWN: Final = 12
_WIDTH: Final = 460
_ROW: Final = 26


@dataclass(frozen=True, slots=True)
class Offer:
    """One thing that can be found: what it is called, what it is, what choosing it does."""

    label: str
    what: str
    run: Callable[[], object]


def matching(entries: Sequence[Offer], text: str) -> list[Offer]:
    """Give the entries that hold every typed word, those that begin with the text first, else in their order."""
    words = text.lower().split()
    found = [entry for entry in entries if all(word in f"{entry.label} {entry.what}".lower() for word in words)]
    return sorted(found, key=lambda entry: not entry.label.lower().startswith(text.lower().strip()))


class CommandBox(QFrame):
    """A line to type in over the window, with what matches below it.

    Attributes
    ----------
    line, found
        Where one types, and the list of what matches.
    """

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self._entries: Sequence[Offer] = ()
        self._more: Callable[[str], Sequence[Offer]] = lambda _text: ()
        self._shown: list[Offer] = []
        self._back_to: QWidget | None = None
        self.line = QLineEdit(self)
        self.line.setPlaceholderText("A guest, a pool, a time, or what to do")
        self.line.setAccessibleName("Find a guest, a pool, a time or an action")
        self.found = QListWidget(self)
        self.found.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.found.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.found.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 8, 8, 8)
        column.setSpacing(6)
        column.addWidget(self.line)
        column.addWidget(self.found)
        self.line.textChanged.connect(self._on_text_changed)
        self.line.installEventFilter(self)
        self.found.itemClicked.connect(self._on_clicked)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()
        self.hide()

    def open(self, entries: Sequence[Offer], more: Callable[[str], Sequence[Offer]]) -> None:
        """Show the box; ``more`` gives further entries made from the typed text itself, such as a time."""
        parent = self.parentWidget()
        assert parent is not None
        self._entries, self._more = entries, more
        self._back_to = parent.focusWidget()
        self.line.clear()
        self._on_text_changed("")
        width = min(self._theme.px(_WIDTH), parent.width() - 40)
        self.setGeometry((parent.width() - width) // 2, self._theme.px(112), width, 10)
        self._fit()
        self.show()
        self.raise_()
        self.line.setFocus()

    def leave(self) -> None:
        """Close the box and give the focus back."""
        self.hide()
        if self._back_to is not None:
            self._back_to.setFocus()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Walk through what is found with the arrows, choose with Enter, leave with Esc or by going elsewhere."""
        if event is not None and event.type() == QEvent.Type.FocusOut and self.isVisible():
            self.hide()
        if not isinstance(event, QKeyEvent) or event.type() != QEvent.Type.KeyPress:
            return super().eventFilter(watched, event)
        steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}
        key = Qt.Key(event.key())
        if key in steps and self._shown:
            self.found.setCurrentRow((self.found.currentRow() + steps[key]) % len(self._shown))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._choose(self.found.currentRow())
        elif key == Qt.Key.Key_Escape:
            self.leave()
        else:
            return super().eventFilter(watched, event)
        return True

    def _on_text_changed(self, text: str) -> None:
        self._shown = [*self._more(text), *matching(self._entries, text)][:_MOST_SHOWN]
        self.found.clear()
        for entry in self._shown:
            item = QListWidgetItem(f"{entry.label}    {entry.what}")
            item.setSizeHint(QSize(10, self._theme.px(_ROW)))
            self.found.addItem(item)
        if not self._shown:
            item = QListWidgetItem("Nothing of that name")
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.found.addItem(item)
        self.found.setCurrentRow(0 if self._shown else -1)
        self._fit()

    def _fit(self) -> None:
        rows = max(1, len(self._shown))
        self.found.setFixedHeight(rows * self._theme.px(_ROW) + 4)
        self.resize(self.width(), self.line.sizeHint().height() + self.found.height() + 24)

    def _on_clicked(self, item: QListWidgetItem) -> None:
        self._choose(self.found.row(item))

    def _choose(self, row: int) -> None:
        if 0 <= row < len(self._shown):
            entry = self._shown[row]
            self.leave()
            entry.run()

    def _on_theme_changed(self) -> None:
        self.line.setFont(self._theme.font(15))
        self.found.setFont(self._theme.font(13))
