"""The List view: what is looked for and of what above, the table below."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any, Final

from PyQt6.QtCore import QItemSelection, QItemSelectionModel, QModelIndex, QPersistentModelIndex, Qt
from PyQt6.QtGui import QAction, QContextMenuEvent, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import (
    QAbstractItemDelegate,
    QAbstractItemView,
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QStackedLayout,
    QTableView,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.empty_state import EmptyState
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.panels.view import Bench, View
from ruvex.desktop.views.guest_list.cells import ROW, Cells
from ruvex.desktop.views.guest_list.columns import COLUMNS
from ruvex.desktop.views.guest_list.model import HIT, GuestTable, Period
from ruvex.plan import write_text
from ruvex.words import counted

_FIRST_STEPS: Final = (ActionName.NEW_GUEST, ActionName.PASTE, ActionName.DEMO)
_BAR: Final = 34
_WIDTHS: Final = {
    "name": 114, "pool": 112, "host": 74, "cause": 192, "spark": 85, "wait": 56, "by_chance": 54, "need": 54,
    "backed": 54, "balloon": 54, "met": 54,
}  # fmt: skip
_WIDTH: Final = 60
_FIRST: Final = 81
"""Of a column of figures, and of the first of a group, over which the name of the group stands."""
_NOT_HERE: Final = (ActionName.UPWARD, ActionName.DOWNWARD, ActionName.SELECT_ALL)
"""Actions of the rows that mean their tree there."""


class _Grid(QTableView):
    """Paints its own ground, so that scrolling moves what is painted; else every cell would be painted anew."""

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme, self._seen = theme, self.viewport()
        assert self._seen is not None
        self._seen.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self._typed_into = QPersistentModelIndex()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the ground, then the cells."""
        if event is not None:
            with painting(self._seen) as painter:
                painter.fillRect(event.rect(), self._theme.colours.paper)
        super().paintEvent(event)

    def type_into(self, index: QModelIndex) -> None:
        """Let somebody type into a cell."""
        self._typed_into = QPersistentModelIndex(index)
        self.edit(index)

    def end_typing(self, *, taken: bool) -> None:
        """Put away the cell that is typed into, if there is one; what was typed is taken or not."""
        editor = self.indexWidget(QModelIndex(self._typed_into))
        if editor is not None:
            if taken:
                self.commitData(editor)
            self.closeEditor(editor, QAbstractItemDelegate.EndEditHint.NoHint)
        # Of a guest that is gone the cell went without its editor being closed.
        self.setState(QAbstractItemView.State.NoState)


class ListView(View):
    """Every guest in one flat table.

    Attributes
    ----------
    table, grid
        The table's model, and the widget that shows it.
    line
        Words to look for.
    period_buttons
        Of the look, or of the day.
    """

    def __init__(self, bench: Bench, parent: QWidget) -> None:
        super().__init__(parent)
        desk, self._theme = bench.desk, bench.theme
        self._desk = desk
        self._is_following = False
        self.table = GuestTable(desk, self)
        rows = QWidget(self)
        self.line = QLineEdit(rows)
        self.line.setPlaceholderText("Show only… a name, tag, pool, host, cause, on, off or short")
        self.line.setAccessibleName("Show only guests with these words")
        self.line.textChanged.connect(self.table.look_for)
        self.period_buttons = {name: self._period_button(name, rows) for name in ("look", "day")}
        self.columns_button = QToolButton(rows)
        self.columns_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.columns_menu = QMenu(self.columns_button)
        self.columns_button.setMenu(self.columns_menu)
        self.copy_button = self._button("Copy", "Copy this table, to be pasted into a spreadsheet", self.copy, rows)
        self.save_button = self._button("Save as CSV…", "Write this table to a file", self.ask_and_save, rows)
        self.count = QLabel(rows)
        self.grid = self._make_grid(rows)
        self._lay_out(rows)
        steps = [bench.actions[name] for name in _FIRST_STEPS]
        text = "Add guests or open a plan; then all of them stand here in one table."
        self.empty = EmptyState(self._theme, "No guests yet", text, steps, self)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(rows)
        self._stack.addWidget(self.empty)
        self.setFocusProxy(self.grid)
        for name, action in bench.actions.items():
            if name.value.in_rows and name not in _NOT_HERE:
                self.grid.addAction(action)
        for signal in (desk.look.changed, desk.units.changed, desk.rehearsal.changed, desk.waits.changed):
            signal.connect(self._on_changed)
        desk.selection.changed.connect(self._show_selection)
        self.bind_here(bench.actions, {ActionName.RENAME: lambda: self._rename(desk.selection.current)})
        self.table.renamed.connect(bench.editor.rename)
        bench.editor.naming.connect(self._rename)
        # A guest of another plan may have the same id: what was typed for the one here is not its name.
        desk.document.opened.connect(lambda: self.grid.end_typing(taken=False))
        self._theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    # Parts

    def _period_button(self, name: Period, parent: QWidget) -> QPushButton:
        hints = {"look": "What is shown of this time", "day": "What the whole day comes to"}
        button = self._button(f"of the {name}", hints[name], lambda: self.show_period(name), parent)
        button.setCheckable(True)
        return button

    def _button(self, text: str, hint: str, run: Any, parent: QWidget) -> QPushButton:
        button = QPushButton(text, parent)
        button.setToolTip(hint)
        button.clicked.connect(lambda _checked=False: run())
        return button

    def _make_grid(self, parent: QWidget) -> _Grid:
        grid = _Grid(self._theme, parent)
        grid.setModel(self.table)
        grid.setItemDelegate(Cells(self._desk, self._theme, self.table, grid))
        grid.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        grid.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        grid.setShowGrid(False)
        grid.setWordWrap(False)
        # A name is typed when that is asked for, by key or menu: any key and a double click mean other things in rows.
        grid.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        grid.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        grid.setHorizontalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        grid.setAccessibleName("All guests")
        head, side = grid.horizontalHeader(), grid.verticalHeader()
        assert head is not None and side is not None
        side.hide()
        head.setSectionsClickable(True)
        head.setHighlightSections(False)
        head.setSortIndicatorShown(True)
        head.sectionClicked.connect(self._on_head_clicked)
        chosen = grid.selectionModel()
        assert chosen is not None
        chosen.selectionChanged.connect(self._on_selected)
        return grid

    def _lay_out(self, rows: QWidget) -> None:
        self._bar = QWidget(rows)
        bar = QHBoxLayout(self._bar)
        bar.setContentsMargins(12, 2, 12, 2)
        bar.setSpacing(6)
        for widget in (self.columns_button, self.copy_button, self.save_button):
            bar.addWidget(widget)
        bar.addSpacing(8)
        for button in self.period_buttons.values():
            bar.addWidget(button)
        bar.addSpacing(8)
        bar.addWidget(self.line, 1)
        bar.addSpacing(8)
        bar.addWidget(self.count)
        column = QVBoxLayout(rows)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._bar)
        column.addWidget(self.grid, 1)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Ask for the menu of the selected rows."""
        if event is not None:
            self.menu_asked.emit(event.globalPos())

    # What is shown

    def showEvent(self, event: QShowEvent | None) -> None:
        """Bring the table up to what is shown: while another view shows, it rests."""
        super().showEvent(event)
        self._on_changed()

    def show_period(self, period: Period) -> None:
        """Show figures of the look, or of the day."""
        self.table.period = period
        if self.table.order not in {c.key for c in COLUMNS if c.of in (period, "both")}:
            self.table.order, self.table.is_falling = HIT, True
        self._on_changed()

    def _on_changed(self) -> None:
        self._stack.setCurrentIndex(0 if self._desk.look.plan.guests else 1)
        if not self.isVisible():
            return
        before = [column.key for column in self.table.columns]
        self.table.refresh()
        if before != [column.key for column in self.table.columns] or not self.columns_menu.actions():
            self._on_columns_changed()
        for name, button in self.period_buttons.items():
            button.setChecked(name == self.table.period)
        self._show_selection()

    def _on_columns_changed(self) -> None:
        for number, column in enumerate(self.table.columns):
            wide = _FIRST if self.table.title_lines(number)[0] else _WIDTH
            self.grid.setColumnWidth(number, self._theme.px(_WIDTHS.get(column.key, wide)))
        head = self.grid.horizontalHeader()
        assert head is not None
        keys = [column.key for column in self.table.columns]
        head.setSectionResizeMode(QHeaderView.ResizeMode.Interactive)
        head.setStretchLastSection(True)
        self._show_order()
        of_period = [column for column in COLUMNS if column.of in (self.table.period, "both")]
        self.columns_button.setText(f"Columns: {len(keys)} of {len(of_period)}")
        self.columns_menu.clear()
        for column in of_period:
            action = QAction(self.table.title(column), self.columns_menu)
            action.setCheckable(True)
            action.setChecked(column.key in keys)
            action.setEnabled(column.key != "name")
            action.toggled.connect(lambda on, key=column.key: self.show_column(key, shown=on))
            self.columns_menu.addAction(action)

    def show_column(self, key: str, *, shown: bool) -> None:
        """Show a column, or leave it out."""
        (self.table.left_out.discard if shown else self.table.left_out.add)(key)
        self.table.refresh()
        self._on_columns_changed()
        self._show_selection()

    def _on_head_clicked(self, section: int) -> None:
        self.table.sort_by(self.table.columns[section].key)
        self._show_order()
        self._show_selection()

    def _show_order(self) -> None:
        head = self.grid.horizontalHeader()
        keys = [column.key for column in self.table.columns]
        order = Qt.SortOrder.DescendingOrder if self.table.is_falling else Qt.SortOrder.AscendingOrder
        assert head is not None
        head.setSortIndicator(keys.index(self.table.order) if self.table.order in keys else -1, order)

    # Selecting

    def _on_selected(self, _now: QItemSelection, _before: QItemSelection) -> None:
        chosen = self.grid.selectionModel()
        if self._is_following or chosen is None:
            return
        ids = self.table.ids([index.row() for index in chosen.selectedRows()])
        current = self.table.ids([self.grid.currentIndex().row()])[0] if self.grid.currentIndex().isValid() else None
        self._desk.selection.select_many(ids, current if current in ids else next(iter(ids), None))

    def _show_selection(self) -> None:
        """Select in the table what is selected elsewhere."""
        chosen, plan = self.grid.selectionModel(), self._desk.look.plan
        if not self.isVisible() or chosen is None:
            return
        self._is_following = True
        chosen.clearSelection()
        flags = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
        for item in self._desk.selection.ids:
            row = self.table.row_of(plan.guest_index[item]) if item in plan.guest_index else None
            if row is not None:
                index = self.table.index(row, 0)
                chosen.select(index, flags)
                if item == self._desk.selection.current:
                    chosen.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.NoUpdate)
                    self.grid.scrollTo(index)
        self._is_following = False
        count, selected = len(plan.guests), len([i for i in self._desk.selection.ids if i in plan.guest_index])
        chosen_text = f" · {selected} chosen" if selected > 1 else ""
        self.count.setText(f"{len(self.table.shown)} of {counted(count, 'guest')}{chosen_text}")
        viewport = self.grid.viewport()
        assert viewport is not None
        viewport.update()

    def _rename(self, item: str | None) -> None:
        """Type another name of a guest, where its row shows."""
        if not self.isVisible():
            return
        # What is typed in another row is taken first: it may put the rows in another order.
        self.grid.end_typing(taken=True)
        plan = self._desk.look.plan
        row = self.table.row_of(plan.guest_index[item]) if item in plan.guest_index else None
        if row is not None:
            self.grid.type_into(self.table.index(row, [column.key for column in self.table.columns].index("name")))

    # Out

    def copy(self) -> None:
        """Copy the table as cells, tab-separated."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.table.as_csv("\t"))
            self.told.emit(f"Copied {counted(len(self.table.shown), 'guest')}, with a row of heads.")

    def ask_and_save(self) -> None:
        """Ask for a file and write the table to it."""
        name, _ = QFileDialog.getSaveFileName(self, "Save the list as", "guests.csv", "CSV (*.csv)")
        if name:
            self.save(Path(name))

    def save(self, path: Path) -> None:
        """Write the table to a file; says in the window why, if it cannot."""
        try:
            write_text(path, self.table.as_csv())
        except OSError as error:
            self.told.emit(f"{path.name} was not written: {error.strerror or error}.")

    # As it was left

    def arrangement(self) -> dict[str, Any]:
        """Give the columns that are left out, the order, and of what the figures are."""
        table = self.table
        return {"left_out": sorted(table.left_out), "period": table.period, "order": table.order}

    def arrange(self, kept: Mapping[str, Any]) -> None:
        """Take them."""
        keys = {column.key for column in COLUMNS}
        if isinstance(kept.get("left_out"), list):
            self.table.left_out = {str(key) for key in kept["left_out"]} & (keys - {"name"})
        if str(kept.get("period")) in ("look", "day"):
            self.table.period = "day" if kept["period"] == "day" else "look"
        if str(kept.get("order")) in keys and str(kept["order"]) != self.table.order:
            self.table.sort_by(str(kept["order"]))

    def _on_theme_changed(self) -> None:
        theme = self._theme
        self._bar.setFixedHeight(theme.px(_BAR))
        head, side = self.grid.horizontalHeader(), self.grid.verticalHeader()
        assert head is not None and side is not None
        head.setFont(theme.font(11.5))
        head.setFixedHeight(theme.px(36))
        side.setDefaultSectionSize(theme.px(ROW))
        side.setMinimumSectionSize(theme.px(ROW))
        buttons = (*self.period_buttons.values(), self.copy_button, self.save_button, self.columns_button)
        for widget in (*buttons, self.line, self.count):
            widget.setFont(theme.font(12))
        self._on_columns_changed()
