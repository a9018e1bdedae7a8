"""The rows as a tree that screen readers can walk: it holds the focus of the rows and lies unseen under them."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QAbstractItemModel, QModelIndex, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QTreeView, QWidget

from ruvex.desktop.state.rows import Row, RowList

Story = Callable[[Row], str]
"""Tells in words what a row shows."""


class RowsModel(QAbstractItemModel):
    """The visible rows as a tree; what a row says is worked out when it is asked for."""

    def __init__(self, story: Story, parent: QObject) -> None:
        super().__init__(parent)
        self._story = story
        self._rows: list[Row] = []
        self._below: dict[int, list[int]] = {}
        self._parent: list[int] = []
        self._rank: list[int] = []

    def show_rows(self, row_list: RowList) -> None:
        """Take other rows."""
        self.beginResetModel()
        self._rows = list(row_list.rows)
        self._below, self._parent, self._rank = {}, [], []
        open_rows: list[int] = []
        for number, row in enumerate(self._rows):
            del open_rows[row.depth :]
            parent = open_rows[-1] if open_rows else -1
            peers = self._below.setdefault(parent, [])
            self._parent.append(parent)
            self._rank.append(len(peers))
            peers.append(number)
            open_rows.append(number)
        self.endResetModel()

    def index_of(self, number: int) -> QModelIndex:
        """Give the index of a visible row by its number."""
        return self.createIndex(self._rank[number], 0, number) if 0 <= number < len(self._rows) else QModelIndex()

    def index(self, row: int, column: int, parent: QModelIndex | None = None) -> QModelIndex:
        """Give the index of a member of a row, or of a row at the top."""
        below = self._below.get(self._number(parent), [])
        return self.createIndex(row, 0, below[row]) if column == 0 and 0 <= row < len(below) else QModelIndex()

    @staticmethod
    def _number(index: QModelIndex | None) -> int:
        return int(index.internalId()) if index is not None and index.isValid() else -1

    def parent(self, index: QModelIndex | None = None) -> Any:
        """Give the row a row is a member of."""
        if index is None:
            return super().parent()
        number = self._number(index)
        return self.index_of(self._parent[number]) if number >= 0 else QModelIndex()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """Give how many members a row shows."""
        return len(self._below.get(self._number(parent), []))

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        """Give the one column."""
        return 1

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Give the name of a row, and for readers its whole story."""
        number = self._number(index)
        if number < 0:
            return None
        row = self._rows[number]
        if role == Qt.ItemDataRole.DisplayRole:
            return row.label
        if role == Qt.ItemDataRole.AccessibleTextRole:
            folded = ", folded" if row.is_folded else ""
            return f"{row.kind}{folded}: {self._story(row)}".replace("\n", "; ")
        return None


class ReaderTree(QTreeView):
    """Takes the keys for the rows, and stands for them where they cannot be seen.

    Signals
    -------
    focus_moved()
        The focus came or went.
    """

    focus_moved = pyqtSignal()

    def __init__(self, name: str, story: Story, on_key: Callable[[QKeyEvent | None], None], parent: QWidget) -> None:
        super().__init__(parent)
        self._on_key = on_key
        self.rows = RowsModel(story, self)
        self.setModel(self.rows)
        self.setHeaderHidden(True)
        self.setUniformRowHeights(True)
        self.setAccessibleName(name)
        self.lower()

    def show_rows(self, row_list: RowList) -> None:
        """Take other rows, all that show open: readers find no members of a closed one."""
        self.rows.show_rows(row_list)
        self.expandAll()

    def follow(self, number: int | None) -> None:
        """Make a visible row the current one."""
        self.setCurrentIndex(self.rows.index_of(-1 if number is None else number))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Leave the keys to the rows."""
        self._on_key(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Let the rows show that they have the focus."""
        super().focusInEvent(event)
        self.focus_moved.emit()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Let the rows show that they lost the focus."""
        super().focusOutEvent(event)
        self.focus_moved.emit()
