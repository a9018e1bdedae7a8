"""A table: what its rows and columns are, with samples; what is not clear is assigned or left out here."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.letting_go import let_go
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.editing import Editor
from ruvex.exchange import COLUMNS, KIND_WORDS, TABLE_KINDS, Brought, headings_of, kind_of, read_cells, with_traces
from ruvex.plan import PlanError, PlanFileError

_SAMPLES: Final = 3
_MOST_SAMPLE: Final = 26
_MOST_PROBLEMS: Final = 12
_LEFT_OUT: Final = "leave it out"


class TablePage(Page):
    """A row for each column of the table: heading, samples, and what it holds.

    Attributes
    ----------
    rows_are
        What the rows are.
    choosers
        What each column holds.
    told, add_button, leave_button
        What would be added or is wrong; does it; leaves it.
    """

    wide = True

    def __init__(self, desk: Desk, editor: Editor, theme: Theme) -> None:
        super().__init__()
        self._desk, self._editor, self._theme = desk, editor, theme
        self._cells: list[list[str]] = []
        self._source: Path | None = None
        self._found: Brought | None = None
        self.rows_are = Chooser(self)
        self.rows_are.setAccessibleName("What the rows are")
        for kind in TABLE_KINDS:
            self.rows_are.addItem(KIND_WORDS[kind], kind)
        self.rows_are.currentIndexChanged.connect(lambda _index: self._lay_out())
        self.choosers: list[Chooser] = []
        self._labels: list[tuple[QLabel, bool]] = []
        self._hint, self.told = QLabel(self), QLabel(self)
        for label in (self._hint, self.told):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        set_role(self._hint, "muted")
        self._rows = QWidget(self)
        self.add_button, self.leave_button = QPushButton("Add", self), QPushButton("Leave it", self)
        self.add_button.clicked.connect(self._on_add)
        self.leave_button.clicked.connect(self._on_leave)
        buttons = QHBoxLayout()
        buttons.addWidget(self.add_button)
        buttons.addWidget(self.leave_button)
        buttons.addStretch(1)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 6, 0)
        self._column.setSpacing(10)
        for widget in (self._hint, self.rows_are, self._rows, self.told):
            self._column.addWidget(widget)
        self._column.addLayout(buttons)
        self._column.addStretch(1)

    @property
    def title(self) -> str:
        """Name the page."""
        return "From a table"

    def show_cells(self, cells: Sequence[Sequence[str]], source: Path | None) -> None:
        """Show another table; ``source`` is its file, None for the clipboard."""
        self._cells, self._source = [list(row) for row in cells], source
        self.rows_are.blockSignals(True)
        self.rows_are.setCurrentIndex(self.rows_are.findData(kind_of(self._cells[0])))
        self.rows_are.blockSignals(False)
        self._lay_out()

    def _lay_out(self) -> None:
        """Show the columns as far as they are known for what the rows are."""
        kind = self.rows_are.currentData()
        let_go(self._rows, self._column)
        self._rows = QWidget(self)
        grid = QGridLayout(self._rows)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(4)
        self.choosers, self._labels = [], []
        for number, heading in enumerate(headings_of(self._cells[0], kind)):
            samples = [row[number].strip() for row in self._cells[1 : 1 + _SAMPLES] if number < len(row)]
            shown = ", ".join(s if len(s) <= _MOST_SAMPLE else s[: _MOST_SAMPLE - 1] + "…" for s in samples if s)
            for column, text in enumerate((heading.text or f"column {number + 1}", shown or "empty")):
                label = QLabel(text, self._rows)
                label.setTextFormat(Qt.TextFormat.PlainText)
                if column:
                    set_role(label, "muted")
                self._labels.append((label, not column))
                grid.addWidget(label, number, column)
            chooser = Chooser(self._rows)
            chooser.setAccessibleName(f"What the column {heading.text or number + 1} holds")
            chooser.addItem(_LEFT_OUT, None)
            for known in COLUMNS[kind]:
                chooser.addItem(known.heading, known.setting)
            chooser.setCurrentIndex(max(chooser.findData(heading.setting), 0) if heading.setting else 0)
            chooser.currentIndexChanged.connect(lambda _index: self._look())
            self.choosers.append(chooser)
            grid.addWidget(chooser, number, 2)
        grid.setColumnStretch(1, 1)
        self._column.insertWidget(2, self._rows)
        self.style_anew()
        self._look()

    def enter(self) -> None:
        """Look again: pools and hosts may be others by now."""
        if self._cells:
            self._look()

    def _look(self) -> None:
        """Try to read the table so, and say what would come of it."""
        rows, kind = sum(any(cell.strip() for cell in row) for row in self._cells[1:]), self.rows_are.currentData()
        source = self._source.name if self._source is not None else "the clipboard"
        self._hint.setText(
            f"{rows} row{'s' if rows != 1 else ''} from {source}. Say what the rows are and"
            " what each column holds; a bare number is in GHz or GiB unless its heading names a unit."
        )
        settings = [chooser.currentData() for chooser in self.choosers]
        twice = {setting for setting in settings if setting is not None and settings.count(setting) > 1}
        self._found = None
        if twice:
            names = " and ".join(column.heading for column in COLUMNS[kind] if column.setting in twice)
            self.told.setText(f"Two columns cannot both hold {names}.")
        else:
            try:
                self._found = read_cells(self._cells, kind, settings, self._desk.document.plan)
            except PlanError as error:
                lines = [str(problem) for problem in error.problems]
                more = len(lines) - _MOST_PROBLEMS
                told = [*lines[:_MOST_PROBLEMS], *([f"and {more} more"] if more > 0 else [])]
                self.told.setText("\n".join(told))
        found = self._found
        self.add_button.setEnabled(found is not None)
        self.add_button.setText(f"Add {found.counted}" if found is not None else "Add")
        if found is not None:
            pools = ", ".join(pool.name for pool in found.pools) if kind == "guests" else ""
            lines = [f"New pools: {pools}."] if pools else []
            self.told.setText("\n".join([*lines, *found.told]))

    def _on_add(self) -> None:
        found, source = self._found, self._source
        if found is None:
            return
        if source is None:
            is_done = self._editor.paste_in(found)
        else:
            try:
                found = with_traces(found, source.parent, self._desk.document.site.traces)
            except (PlanError, PlanFileError) as error:
                self.told.setText(str(error))
                return
            is_done = self._editor.bring(found, source.name)
        if is_done:
            self._on_leave()

    def _on_leave(self) -> None:
        self._cells = []
        self.left.emit()

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for widget in (self._hint, self.told, self.add_button, self.leave_button, self.rows_are, *self.choosers):
            widget.setFont(self._theme.font(12))
        for label, is_heading in self._labels:
            label.setFont(self._theme.font(12, bold=is_heading))
