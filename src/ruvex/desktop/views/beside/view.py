"""The Side by side view: what is compared above, guests from then to now, parts of the site and a day below."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any, Final

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QHideEvent, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QFileDialog, QLineEdit, QPushButton, QSplitter, QStackedLayout, QVBoxLayout, QWidget

from ruvex.advise import differences_text, short_names
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.elided_label import ElidedLabel
from ruvex.desktop.kit.empty_state import EmptyState
from ruvex.desktop.kit.tool_row import ToolRow
from ruvex.desktop.kit.wrapped_label import WrappedLabel
from ruvex.desktop.panels.look_tools import work_tools
from ruvex.desktop.panels.view import Bench, View
from ruvex.desktop.views.beside.day import DayBeside
from ruvex.desktop.views.beside.parts import PartsOfChange
from ruvex.desktop.views.beside.rows import Rows
from ruvex.plan import RuvexError

_FIRST_STEPS: Final = (ActionName.NEW_GUEST, ActionName.PASTE, ActionName.DEMO)
_OTHER_FILE: Final = "another plan\u2026"
_ROOMY: Final = 900
_TALL: Final = 430
"""Where a view is lower, px at the standard text size, the lower part is left out."""


class BesideView(View):
    """Two states side by side.

    Attributes
    ----------
    chooser, edits
        What the plan is compared with; before how many edits.
    keep_button
        Keeps the plan as it is as a yardstick.
    spans
        The moment, or the whole day.
    short, since
        Who is newly short and who no longer is; what is set differently.
    rows, parts, day
        The guests, their parts of the site, the selected one's day.
    """

    def __init__(self, bench: Bench, parent: QWidget) -> None:
        super().__init__(parent)
        self._bench, self._desk, self._theme = bench, bench.desk, bench.theme
        self._of_day = False
        rows = QWidget(self)
        self._bar = ToolRow(self._theme, rows)
        self.chooser = Chooser(self._bar)
        self.chooser.setAccessibleName("What the plan is compared with")
        self.chooser.setSizeAdjustPolicy(Chooser.SizeAdjustPolicy.AdjustToContents)
        self.chooser.activated.connect(self._on_chosen)
        self.edits = QLineEdit("1", self._bar)
        self.edits.setAccessibleName("Before how many edits")
        self.edits.setToolTip("Before how many edits: the plan as it was then")
        self.edits.setFixedWidth(self._theme.px(34))
        self.edits.editingFinished.connect(self._on_edits)
        self.keep_button = QPushButton("Keep now as yardstick", self._bar)
        self.keep_button.setToolTip("Keep the plan as it is; what you change from now on is compared with it")
        self.keep_button.clicked.connect(lambda _checked=False: self._desk.yardstick.keep())
        self.spans = self._bar.segments(("moment", "whole day"), "What is compared", self._on_span)
        self._bar.add([self.chooser, self.edits], rank=0)
        self._bar.add([self.keep_button], rank=0)
        self._bar.add(self.spans, rank=0)
        self._bar.add(work_tools(self._bar, bench), rank=2)
        self._bar.add([ElidedLabel(self._theme, 12, parent=self._bar)], rank=1, stretch=1)
        self.short = WrappedLabel(self._theme, 12.5)
        self.since = WrappedLabel(self._theme, 12, muted=True)
        words = QWidget(rows)
        self._words = QVBoxLayout(words)
        self._words.addWidget(self.short)
        self._words.addWidget(self.since)
        self.rows = Rows(self._desk, self._theme, rows)
        self.rows.chosen.connect(self._desk.selection.select)
        self.parts, self.day = PartsOfChange(self._desk, self._theme, rows), DayBeside(self._desk, self._theme, rows)
        self._below = QSplitter(Qt.Orientation.Horizontal, rows)
        self._below.addWidget(self.parts)
        self._below.addWidget(self.day)
        self._below.setStretchFactor(0, 5)
        self._below.setStretchFactor(1, 7)
        column = QVBoxLayout(rows)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._bar)
        column.addWidget(words)
        column.addWidget(self.rows, 3)
        column.addWidget(self._below, 2)
        steps = [bench.actions[name] for name in _FIRST_STEPS]
        text = "Add guests or open a plan; then what changes between two states of it stands here."
        self.empty = EmptyState(self._theme, "Nothing to compare yet", text, steps, self)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(rows)
        self._stack.addWidget(self.empty)
        self.setFocusProxy(self.rows)
        for name, action in bench.actions.items():
            if name.value.in_rows and name not in (ActionName.UPWARD, ActionName.DOWNWARD, ActionName.SELECT_ALL):
                self.rows.addAction(action)
        self._names: list[str] = []
        self._desk.yardstick.changed.connect(self._on_changed)
        self._desk.document.edited.connect(lambda _text: self._on_changed())
        self._theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    @property
    def is_behind(self) -> bool:
        """Whether a comparison is on its way."""
        return self._desk.yardstick.is_behind

    @property
    def legend(self) -> Sequence[str]:
        """What its wedges and lines mean."""
        return "then", "now", "still wanted"

    def showEvent(self, event: QShowEvent | None) -> None:
        """Compare, from now on at each change."""
        super().showEvent(event)
        self._desk.yardstick.want(wanted=True)
        self._on_changed()

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Rest while another view shows."""
        super().hideEvent(event)
        self._desk.yardstick.want(wanted=False)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave the lower part out where there is little height, and one half of it where there is little width."""
        super().resizeEvent(event)
        px = self._theme.px
        self._below.setVisible(self.height() >= px(_TALL))
        self.parts.setVisible(self.width() >= px(_ROOMY))

    # What is chosen

    def _on_chosen(self, at: int) -> None:
        choices = self._desk.yardstick.choices()
        if at < len(choices):
            self._desk.yardstick.choose(choices[at].kind, choices[at].text)
        else:
            self.ask_file()

    def ask_file(self) -> None:
        """Ask for the plan of a file to compare with."""
        name, _ = QFileDialog.getOpenFileName(self, "Compare with", "", "Plans (*.ruvex.json)")
        if name:
            self.compare_with(Path(name))
        self._on_changed()

    def compare_with(self, path: Path) -> None:
        """Compare with the plan of a file; says in the window why, if it cannot be used."""
        try:
            self._desk.yardstick.open(path)
        except RuvexError as error:
            self.told.emit(str(error))

    def _on_edits(self) -> None:
        text = self.edits.text().strip()
        if text.isdecimal() and int(text) > 0:
            self._desk.yardstick.edits = int(text)
            number = int(text)
            name = "before the last edit" if number == 1 else f"before the last {number} edits"
            self._desk.yardstick.choose("edits", name)
        else:
            self.edits.setText(str(self._desk.yardstick.edits))

    def _on_span(self, number: int) -> None:
        self._of_day = bool(number)
        self._on_changed()

    # What is shown

    def _on_changed(self) -> None:
        plan, yardstick = self._desk.look.plan, self._desk.yardstick
        self._stack.setCurrentIndex(0 if plan.guests else 1)
        if not self.isVisible():
            return
        choices, chosen = yardstick.choices(), yardstick.chosen
        names = [one.text for one in choices] + [_OTHER_FILE]
        if names != self._names:
            self._names = names
            self.chooser.clear()
            self.chooser.addItems(names)
        at = next((i for i, one in enumerate(choices) if chosen is not None and one.text == chosen.text), -1)
        self.chooser.setCurrentIndex(at)
        for number, button in enumerate(self.spans):
            button.setChecked(self._of_day == bool(number))
        found = yardstick.found
        if chosen is None:
            self.short.set_text(
                "There is nothing to compare with yet: change something, or keep the plan as a yardstick."
            )
            self.since.set_text("")
        elif found is None:
            self.short.set_text("Being compared\u2026")
        else:
            newly, no_longer = short_names(found.beside)
            parts = [f"Newly short: {newly}." if newly else "Nobody is newly short."]
            if no_longer:
                parts.append(f"No longer: {no_longer}.")
            self.short.set_text(" ".join(parts))
            since = differences_text(found.differences)
            self.since.set_text(f"set since: {since}" if since else "nothing is set differently")
        self.rows.refresh(of_day=self._of_day)
        self.parts.refresh()
        self.day.update()

    def arrangement(self) -> dict[str, Any]:
        """Give whether the moment or the day is compared."""
        return {"of_day": self._of_day}

    def arrange(self, kept: Mapping[str, Any]) -> None:
        """Take it."""
        self._of_day = kept.get("of_day") is True

    def _on_theme_changed(self) -> None:
        px = self._theme.px
        self._words.setContentsMargins(px(12), px(6), px(12), px(4))
        self._words.setSpacing(px(2))
        self.edits.setFixedWidth(px(34))
        self._on_changed()
