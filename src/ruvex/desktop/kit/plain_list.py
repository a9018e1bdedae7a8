"""A plain list of lines in a sheet: each has a key, and one of them is current."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QSizePolicy, QWidget

from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme

_MOST_SHOWN: Final = 12
_KEY: Final = Qt.ItemDataRole.UserRole


class PlainList(QListWidget):
    """The list.

    Signals
    -------
    chosen(key)
        A line was gone to, by a click or a key.
    opened(key)
        A line was taken, by a double click or Enter.
    """

    chosen = pyqtSignal(object)
    opened = pyqtSignal(object)

    def __init__(self, theme: Theme, name: str, parent: QWidget, *, grows: bool = False) -> None:
        super().__init__(parent)
        self._theme, self._grows = theme, grows
        set_role(self, "plain")
        self.setAccessibleName(name)
        self.setWordWrap(True)
        self.setUniformItemSizes(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        upright = QSizePolicy.Policy.Expanding if grows else QSizePolicy.Policy.Fixed
        self.setSizePolicy(QSizePolicy.Policy.Expanding, upright)
        self.currentItemChanged.connect(self._on_current)
        self.itemActivated.connect(lambda item: self.opened.emit(item.data(_KEY)))

    def show_lines(self, lines: Sequence[tuple[Any, str]], current: Any = None) -> None:
        """Show other lines, each a key and a text; one of them is current."""
        self.blockSignals(True)
        was = [(self.item(i), i) for i in range(self.count())]
        if [(item.data(_KEY), item.text()) for item, _ in was if item is not None] != list(lines):
            self.clear()
            for key, text in lines:
                item = QListWidgetItem(text)
                item.setData(_KEY, key)
                self.addItem(item)
        rows = [i for i, (key, _) in enumerate(lines) if key == current and current is not None]
        self.setCurrentRow(rows[0] if rows else -1)
        self.blockSignals(False)
        self.updateGeometry()

    @property
    def current_key(self) -> Any:
        """The key of the current line, None where there is none."""
        item = self.currentItem()
        return None if item is None else item.data(_KEY)

    def _on_current(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.chosen.emit(item.data(_KEY))

    def sizeHint(self) -> QSize:
        """Ask for the lines that there are, up to some."""
        line = self._theme.px(22)
        if self._grows:
            return QSize(200, line * _MOST_SHOWN)
        high = sum(max(line, self.sizeHintForRow(i) + 2) for i in range(min(self.count(), _MOST_SHOWN)))
        return QSize(200, max(line, high) + 4)

    def minimumSizeHint(self) -> QSize:
        """Ask for three lines at least where it may grow."""
        return QSize(80, self._theme.px(66)) if self._grows else self.sizeHint()

    def style_anew(self) -> None:
        """Take the font from the theme."""
        self.setFont(self._theme.font(12))
        self.updateGeometry()
