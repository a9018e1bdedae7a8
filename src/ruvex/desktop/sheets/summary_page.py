"""What the day came to, guest by guest and in sentences: to be read, copied and saved."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QApplication,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.playing import same_to_play
from ruvex.exchange import cells_text
from ruvex.plan import PlanFileError, format_time, write_text
from ruvex.play import Player
from ruvex.words import SUMMARY_HEADINGS, guest_cells, summary_facts

_ROW: Final = 22
_MOST_ROWS: Final = 14
_MIDDLE: Final = Qt.AlignmentFlag.AlignCenter & ~Qt.AlignmentFlag.AlignHCenter


class SummaryPage(Page):
    """The summary that ``ruvex run`` prints, of the day as the plan has it.

    Attributes
    ----------
    head, table, facts
        What day it is of; guests, the worst hit first; and the rest in sentences.
    copy_button, save_button
        Copy the cells for a spreadsheet; write them to a file.
    """

    wide = True

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self.head, self.facts = QLabel(self), QLabel(self)
        for label in (self.head, self.facts):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.table = QTableWidget(0, 1 + len(SUMMARY_HEADINGS), self)
        self.table.setHorizontalHeaderLabels(["guest", *SUMMARY_HEADINGS])
        self.table.setAccessibleName("The day, guest by guest")
        self.table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setShowGrid(False)
        side = self.table.verticalHeader()
        assert side is not None
        side.hide()
        self.copy_button, self.save_button = QPushButton("Copy", self), QPushButton("Save…", self)
        self.copy_button.clicked.connect(self.copy)
        self.save_button.clicked.connect(self._on_save)
        row = QHBoxLayout()
        row.addWidget(self.copy_button)
        row.addWidget(self.save_button)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(8)
        column.addWidget(self.head)
        column.addLayout(row)
        column.addWidget(self.table)
        column.addWidget(self.facts)
        column.addStretch(1)
        self.table.itemSelectionChanged.connect(self._on_chosen)
        for signal in (desk.waits.changed, desk.playing.ended, desk.playing.restarted, desk.rehearsal.changed):
            signal.connect(self._on_changed)
        self._ids: list[str] = []

    @property
    def title(self) -> str:
        """Name the page."""
        return "The day's summary"

    def enter(self) -> None:
        """Show what the day came to, as far as it has been played."""
        self._desk.playing.want(wanted=True)
        self._show()

    def _on_changed(self) -> None:
        if self.isVisible():
            self._show()

    def _player(self) -> Player | None:
        playing, base = self._desk.playing, self._desk.rehearsal.base
        return playing.player if playing.player is not None and not playing.is_outdated else base

    def rows(self) -> list[tuple[str, ...]]:
        """Give the cells of all guests that were on, the worst hit first."""
        player = self._player()
        if player is None:
            return []
        # The day is that of a plan, which has all that it tells of; the plan that is shown may have lost some since.
        labels = player.site.plan.labels
        there = [guest for guest in player.summary().guests if guest.on_s > 0]
        there.sort(key=lambda guest: -guest.short_s)
        self._ids = [guest.id for guest in there]
        waits, index = self._desk.waits.of(player), player.recording.guest_index
        by_chance = [0.0 if waits is None else float(waits.of_guests[index[guest.id]]) for guest in there]
        cells = [guest_cells(guest, wait) for guest, wait in zip(there, by_chance, strict=True)]
        return [(labels[guest.id], *told) for guest, told in zip(there, cells, strict=True)]

    def sentences(self) -> list[str]:
        """Give all that is not of a guest."""
        player = self._player()
        return [] if player is None else summary_facts(player.summary(), player.site.plan)

    def _show(self) -> None:
        player, rows = self._player(), self.rows()
        if player is None:
            self.head.setText("The day has not been played yet.")
        else:
            played = f"Played from 00:00 to {format_time(player.now_s)}"
            is_now = same_to_play(player.site.plan, self._desk.document.plan)
            told = "a click selects the guest" if is_now else "as the plan was; it is being played anew"
            self.head.setText(f"{played}; {told}.")
        self.table.blockSignals(True)
        self.table.setRowCount(len(rows))
        for number, cells in enumerate(rows):
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                side = Qt.AlignmentFlag.AlignLeft if column in (0, 5) else Qt.AlignmentFlag.AlignRight
                item.setTextAlignment(side | _MIDDLE)
                self.table.setItem(number, column, item)
        self.table.blockSignals(False)
        self.table.resizeColumnsToContents()
        self.facts.setText("\n\n".join(self.sentences()))
        self._fit()

    def _fit(self) -> None:
        row, head = self._theme.px(_ROW), self.table.horizontalHeader()
        assert head is not None
        shown = min(self.table.rowCount(), _MOST_ROWS)
        self.table.setFixedHeight(row * shown + head.sizeHint().height() + 14)

    def _on_chosen(self) -> None:
        number = self.table.currentRow()
        if 0 <= number < len(self._ids) and self._ids[number] in self._desk.look.division.position:
            self._desk.selection.select(self._ids[number])

    def text(self, separator: str) -> str:
        """Give all of it as cells: guests, then a line for each sentence."""
        table = [("guest", *SUMMARY_HEADINGS), *self.rows()]
        return cells_text(table, separator) + "".join(f"{line}\n" for line in ["", *self.sentences()])

    def copy(self) -> None:
        """Put all of it on the clipboard, for a spreadsheet or a letter."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.text("\t"))

    def save(self, path: Path) -> None:
        """Write all of it to a file.

        Raises
        ------
        PlanFileError
            It cannot be written.
        """
        write_text(path, self.text(","))

    def _on_save(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Save the summary as", "summary.csv", "CSV (*.csv)")
        if name:
            try:
                self.save(Path(name))
            except PlanFileError as error:
                self.head.setText(str(error))

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for widget in (self.head, self.facts, self.copy_button, self.save_button, self.table):
            widget.setFont(self._theme.font(12))
        side = self.table.verticalHeader()
        assert side is not None
        side.setDefaultSectionSize(self._theme.px(_ROW))
        self._fit()
