"""The log of the day that was played: all entries, filtered by words; a click goes to where one happened."""

from __future__ import annotations

from typing import Final

from PyQt6.QtWidgets import QCheckBox, QLabel, QLineEdit, QVBoxLayout

from ruvex.desktop.kit.plain_list import PlainList
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.plan import find_item, format_time
from ruvex.play import LogEntry
from ruvex.words import entry_text

_MOST: Final = 2000


class LogPage(Page):
    """What happened, in the order of time.

    Attributes
    ----------
    line, only
        Words to look for; whether only what concerns the selected guest, pool or host shows.
    entries
        What shows.
    count
        How many there are.
    """

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._shown: list[LogEntry] = []
        self.line = QLineEdit(self)
        self.line.setPlaceholderText("Show only entries with…")
        self.line.setAccessibleName("Show only entries with these words")
        self.only = QCheckBox("only what is selected", self)
        self.count = QLabel(self)
        set_role(self.count, "muted")
        self.entries = PlainList(theme, "Log", self, grows=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(8)
        for widget in (self.line, self.only, self.count):
            column.addWidget(widget)
        column.addWidget(self.entries, 1)
        self.line.textChanged.connect(self._show)
        self.only.toggled.connect(self._show)
        self.entries.chosen.connect(self._go_to)
        for signal in (desk.playing.went_on, desk.playing.ended, desk.playing.restarted, desk.rehearsal.changed):
            signal.connect(self._on_changed)
        desk.selection.changed.connect(self._on_selected)

    @property
    def title(self) -> str:
        """Name the page."""
        return "Log"

    def enter(self) -> None:
        """Show what has happened by now."""
        self._desk.playing.want(wanted=True)
        self._show()

    def _on_changed(self) -> None:
        if self.isVisible():
            self._show()

    def _on_selected(self) -> None:
        if self.isVisible() and self.only.isChecked():
            self._show()

    def _log(self) -> list[tuple[LogEntry, str]]:
        player = self._desk.playing.player or self._desk.rehearsal.base
        return [] if player is None else [(entry, entry_text(entry, player.site.plan)) for entry in player.log]

    def _show(self) -> None:
        words = self.line.text().casefold().split()
        row, log = self._desk.selection.row_id, self._log()
        found = []
        for entry, told in log:
            if self.only.isChecked() and row is not None and entry.target != row:
                continue
            text = f"{format_time(entry.at_s)} {entry.kind} {told}".casefold()
            if all(word in text for word in words):
                found.append((entry, told))
        self._shown = [entry for entry, _ in found[:_MOST]]
        lines = [(i, f"{format_time(entry.at_s)}   {told}") for i, (entry, told) in enumerate(found[:_MOST])]
        self.entries.show_lines(lines)
        shown = len(self._shown)
        self.count.setText(f"{shown} of {len(log)} entries" if shown != len(log) else f"{len(log)} entries")

    def _go_to(self, number: int) -> None:
        entry = self._shown[number]
        if find_item(self._desk.look.plan, entry.target) is not None and entry.target != "rules":
            self._desk.selection.select(entry.target)
        self._desk.look.set_moment(entry.at_s)

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for widget in (self.line, self.only, self.count):
            widget.setFont(self._theme.font(12))
        self.entries.style_anew()
