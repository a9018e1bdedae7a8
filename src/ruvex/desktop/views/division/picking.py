"""Selecting rows, one or several, by clicks and keys."""

from __future__ import annotations

from PyQt6.QtCore import Qt

from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.rows import RowList


class Picking:
    """Selects among the visible rows; a span is counted from the row that was last selected alone."""

    def __init__(self, row_list: RowList, desk: Desk) -> None:
        self._row_list, self._desk = row_list, desk
        self._anchor: str | None = None
        self._number = -1

    def pick(self, number: int, modifiers: Qt.KeyboardModifier) -> None:
        """Select a row: alone, with Ctrl beside the others, with Shift all from the last one on."""
        self._number, item_id = number, self._row_list.rows[number].item_id
        selection = self._desk.selection.ids
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            if item_id in selection and len(selection) > 1:
                rest = [item for item in selection if item != item_id]
                self._desk.selection.select_many(rest, rest[-1])
            else:
                self._desk.selection.select_many((*selection, item_id), item_id)
        elif modifiers & Qt.KeyboardModifier.ShiftModifier and self._anchor is not None:
            self._span_to(item_id)
            return
        elif item_id not in selection or len(selection) < 2:
            self._desk.selection.select(item_id)
        self._anchor = item_id

    def pick_all(self) -> None:
        """Select every row that shows."""
        ids = [row.item_id for row in self._row_list.rows]
        current = self._desk.selection.current
        self._desk.selection.select_many(ids, current if current in ids else next(iter(ids), None))

    def step(self, steps: int, *, extend: bool) -> None:
        """Go so many rows down or up, alone or selecting on the way; up from the first is the supply row."""
        rows, selected = self._row_list.rows, self._desk.selection.row_id
        here = self.number()
        start = here if here is not None else (-1 if steps > 0 else len(rows))
        target = start + steps
        if target < 0 and steps == -1 and not extend:
            self._desk.selection.select(None)
            return
        self._number = min(max(target, 0), len(rows) - 1)
        item_id = rows[self._number].item_id
        if extend and selected is not None:
            if self._anchor not in self._desk.selection.ids:
                self._anchor = selected
            self._span_to(item_id)
        else:
            self._desk.selection.select(item_id)
            self._anchor = item_id

    def number(self) -> int | None:
        """Give the number of the current row; of a pool that shows host by host the part that was gone to."""
        rows, row_id = self._row_list.rows, self._desk.selection.row_id
        if 0 <= self._number < len(rows) and rows[self._number].item_id == row_id:
            return self._number
        return self._row_list.number_of(row_id)

    def _span_to(self, item_id: str) -> None:
        first, last = self._row_list.number_of(self._anchor), self._row_list.number_of(item_id)
        if first is None or last is None:
            self._desk.selection.select(item_id)
            return
        span = range(min(first, last), max(first, last) + 1)
        self._desk.selection.select_many([self._row_list.rows[i].item_id for i in span], item_id)
