"""The table of the list: which guests, in which order, and what each cell says."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final, Literal

import numpy as np
from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, Qt, pyqtSignal

from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import figure
from ruvex.desktop.views.guest_list.columns import COLUMNS, Floats, ListColumn, ListFigures
from ruvex.exchange import cells_text
from ruvex.plan import format_number

Period = Literal["look", "day"]
HIT: Final = "hit"
"""The order at first: the worst hit first."""
FIGURE: Final = Qt.ItemDataRole.UserRole
"""The role under which a cell gives its number."""
_NOTHING: Final = ("balloon", "squeezed", "spilled", "short")
"""Columns in which 0 is nothing to be told."""
_SETTINGS: Final = ("size",)
"""Columns that say something of guests that are off."""
_STATES: Final = ("on", "off", "short")
_RIGHT: Final = Qt.AlignmentFlag.AlignRight


class GuestTable(QAbstractTableModel):
    """All guests that are looked for, one a row.

    Attributes
    ----------
    figures
        What the cells say.
    shown
        The positions of the guests in the plan, in the order of the rows.
    period, order, is_falling
        Figures of the look or of the day; the column that orders the rows, and which way.

    Signals
    -------
    renamed(guest, name)
        Another name was typed.
    """

    renamed = pyqtSignal(str, str)

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self.period: Period = "look"
        self.order, self.is_falling = HIT, True
        self.left_out = {column.key for column in COLUMNS if column.is_optional}
        self._words: tuple[str, ...] = ()
        self._values: dict[str, Any] = {}
        self._highest: dict[str, float] = {}
        self.columns: list[ListColumn] = []
        self.shown: list[int] = []
        self._ids: list[str] = []
        self.figures = ListFigures(desk.look.plan, desk.look.division, None)
        self.refresh()

    def refresh(self) -> None:
        """Take the figures of what is shown now."""
        desk = self._desk
        day = desk.rehearsal.tried or desk.rehearsal.base
        # Days that follow a handle come and go: only where it shows is one asked for its waits.
        waits = desk.waits.of(day) if self.period == "day" else None
        self.figures = ListFigures(desk.look.plan, desk.look.division, day, waits)
        self._values, self._highest = {}, {}
        self._lay_out()

    def _lay_out(self) -> None:
        self.layoutAboutToBeChanged.emit()
        plan = self.figures.plan
        before = [(index, self._ids[index.row()], index.column()) for index in self.persistentIndexList()]
        has = {"": True, "stores": bool(plan.stores), "links": any(host.links for host in plan.hosts)}
        self.columns = [
            c for c in COLUMNS if c.of in (self.period, "both") and c.key not in self.left_out and has[c.only_with]
        ]
        self.shown = self._in_order(self._found())
        self._ids = [plan.guests[guest].id for guest in self.shown]
        # Whoever keeps a cell, as what has the keyboard does, goes with its guest; a guest that is gone leaves none.
        rows = {guest: row for row, guest in enumerate(self._ids)}
        for index, guest, column in before:
            is_there = guest in rows and column < len(self.columns)
            self.changePersistentIndex(index, self.index(rows[guest], column) if is_there else QModelIndex())
        self.layoutChanged.emit()

    def look_for(self, text: str) -> None:
        """Show only guests with some words in name, tags, pool, host, cause, or in whether they are on or short."""
        self._words = tuple(text.casefold().split())
        self._lay_out()

    def sort_by(self, key: str) -> None:
        """Order the rows by a column; once more turns the order round."""
        texts = {column.key for column in COLUMNS if column.kind == "text"}
        self.is_falling = not self.is_falling if key == self.order else key not in texts
        self.order = key
        self._lay_out()

    def values(self, key: str) -> Any:
        """Give a whole column, in plan order."""
        if key not in self._values:
            column = next(column for column in COLUMNS if column.key == key)
            self._values[key] = column.values(self.figures)
        return self._values[key]

    def _found(self) -> list[int]:
        guests = self.figures.plan.guests
        if not self._words:
            return list(range(len(guests)))
        pools, causes, on = self.values("pool"), self.figures.causes, self.figures.division.site.standing.on
        found = []
        for i, guest in enumerate(guests):
            states = {"on" if on[i] else "off", "short" if causes[i] else ""}
            told = (guest.label, guest.id, *guest.tags, pools[i], self.figures.hosts[i], causes[i])
            text = " ".join(told).casefold()
            # Whole words of their own: "off" would be found in every office.
            if all(word in states if word in _STATES else word in text for word in self._words):
                found.append(i)
        return found

    def _in_order(self, found: list[int]) -> list[int]:
        key = self.figures.hit if self.order == HIT else self.values(self.order)
        if isinstance(key, np.ndarray):
            part = np.nan_to_num(key[found], nan=-np.inf)
            order = np.argsort(-part if self.is_falling else part, kind="stable")
            return [found[i] for i in order.tolist()]
        return sorted(found, key=lambda i: key[i].casefold(), reverse=self.is_falling)

    # What Qt asks

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """Give how many guests there are."""
        return 0 if parent is not None and parent.isValid() else len(self.shown)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        """Give how many columns there are."""
        return 0 if parent is not None and parent.isValid() else len(self.columns)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Give a cell's text, number, alignment, or what it says to a screen reader."""
        if not index.isValid():
            return None
        column, guest = self.columns[index.column()], self.shown[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return self.text(column, guest)
        if role == Qt.ItemDataRole.EditRole and column.key == "name":
            return self.figures.plan.guests[guest].called
        if role == FIGURE and column.kind not in ("text", "spark"):
            return float(self.values(column.key)[guest])
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return None if column.kind == "text" else _RIGHT
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{self.figures.plan.guests[guest].label}: {self.title(column)} {self.text(column, guest)}"
        if role == Qt.ItemDataRole.ToolTipRole:
            return self.text(column, guest) or None
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        """Let names be typed."""
        is_name = index.isValid() and self.columns[index.column()].key == "name"
        return super().flags(index) | (Qt.ItemFlag.ItemIsEditable if is_name else Qt.ItemFlag.NoItemFlags)

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        """Take another name."""
        guest, name = self.figures.plan.guests[self.shown[index.row()]], str(value).strip()
        if role != Qt.ItemDataRole.EditRole or not name or name == guest.called:
            return False
        self.renamed.emit(guest.id, name)
        return True

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Give the group and the name of a column, in two lines."""
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return "\n".join(self.title_lines(section))
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.TextAlignmentRole:
            left = Qt.AlignmentFlag.AlignLeft if self.columns[section].kind in ("text", "spark") else _RIGHT
            return left | Qt.AlignmentFlag.AlignBottom
        return None

    def title_lines(self, section: int) -> tuple[str, str]:
        """Give what stands above a column: its group where it begins, with the unit, and its own name."""
        column = self.columns[section]
        before = self.columns[section - 1].group if section else ""
        if not column.group or column.group == before:
            return "", column.title
        unit = {"CPU": self._desk.units.common("cpu").name, "memory": self._desk.units.common("memory").name}
        return f"{column.group}{', ' + unit[column.group] if column.group in unit else ''}", column.title

    def title(self, column: ListColumn) -> str:
        """Give the name of a column with its group."""
        return " ".join(part for part in (column.group, column.title) if part)

    def text(self, column: ListColumn, guest: int) -> str:
        """Give what a cell says."""
        value = self.values(column.key)[guest]
        if column.kind == "text":
            return str(value)
        if column.kind == "spark":
            return ""
        is_on = column.of != "look" or column.key in _SETTINGS or bool(self.figures.division.site.standing.on[guest])
        number = float(value) if is_on else np.nan
        if np.isnan(number) or (number == 0.0 and column.key in _NOTHING):
            return "–"
        if column.kind in ("cpu", "memory"):
            resource: Literal["cpu", "memory"] = "cpu" if column.kind == "cpu" else "memory"
            return figure(number, self._desk.units.common(resource))
        if column.kind == "percent":
            return f"{number * 100:.0f}\u202f%"
        return format_number(number, {"pace": 2, "ops": 0}.get(column.kind, 1))

    def as_csv(self, delimiter: str = ",") -> str:
        """Give the table as it is shown, with its heads, as CSV (RFC 4180)."""
        columns = [column for column in self.columns if column.kind != "spark"]
        cells = ([self.text(column, guest) for column in columns] for guest in self.shown)
        return cells_text([[self._head(column) for column in columns], *cells], delimiter)

    def _head(self, column: ListColumn) -> str:
        if column.kind not in ("cpu", "memory"):
            return self.title(column)
        unit = self._desk.units.common("cpu" if column.kind == "cpu" else "memory").name
        return f"{self.title(column)} ({unit})"

    def row_of(self, guest: int) -> int | None:
        """Give the row in which a guest stands."""
        return self.shown.index(guest) if guest in self.shown else None

    def ids(self, rows: Sequence[int]) -> list[str]:
        """Give the ids of the guests in some rows."""
        return [self._ids[row] for row in rows]

    def highest(self, column: ListColumn) -> float:
        """Give the largest figure of a column, the scale of its bars."""
        if column.key not in self._highest:
            values: Floats = self.values(column.key)
            self._highest[column.key] = float(values[~np.isnan(values)].max(initial=0.0))
        return self._highest[column.key]
