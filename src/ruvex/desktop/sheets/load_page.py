"""Measured load: what is taken of a file, the typical day of each guest, and whose it is, before it is taken."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Any, Final
from zoneinfo import available_timezones

from PyQt6.QtCore import Qt, QTimeZone
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.day_band import DayBand
from ruvex.desktop.kit.letting_go import let_go
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.editing import Editor
from ruvex.exchange import (
    DAYS,
    FILLS,
    NEW,
    UNITS,
    Choice,
    LoadRow,
    Measured,
    first_choice,
    labels_of,
    likely_unit,
    matched,
    rows_of,
    with_load,
)
from ruvex.plan import EditError, format_number

_SHOWN: Final = 40
_PERCENTILES: Final = (
    ("the median of the days", 50.0), ("what 3 of 4 days keep to", 75.0), ("what 9 of 10 days keep to", 90.0),
    ("the highest of the days", 100.0),
)  # fmt: skip
_NOBODY, _NEW_ONE = "nobody", "a new guest"


class GuestChoice(Chooser):
    """Whose a row is; all guests are listed once it is gone to, as a thousand lists of a thousand would take long."""

    def __init__(
        self, current: str | None, label: str, fill: Callable[[], Sequence[tuple[str, str]]], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._fill = fill
        self.addItem(_NOBODY, None)
        self.addItem(_NEW_ONE, NEW)
        if current not in (None, NEW):
            self.addItem(label, current)
        self.setCurrentIndex(max(self.findData(current), 0))

    def _fill_up(self) -> None:
        have = {self.itemData(i) for i in range(self.count())}
        self.blockSignals(True)
        for label, guest in self._fill():
            if guest not in have:
                self.addItem(label, guest)
        self.blockSignals(False)

    def focusInEvent(self, event: Any) -> None:
        """List all guests."""
        self._fill_up()
        super().focusInEvent(event)

    def showPopup(self) -> None:
        """List all guests, then open."""
        self._fill_up()
        super().showPopup()


class LoadPage(Page):
    """What is taken, a row for each guest that was measured, what is worth knowing, and the button that takes it.

    Attributes
    ----------
    what, label, fill, unit, percentile, days, zone
        The choices.
    guests
        Whose each row is, by what the file calls it.
    told, take_button, leave_button
        What would come of it or is wrong; does it; leaves it.
    """

    wide = True

    def __init__(self, desk: Desk, editor: Editor, theme: Theme) -> None:
        super().__init__()
        self._desk, self._editor, self._theme = desk, editor, theme
        self._measured: Measured | None = None
        self._source = ""
        self._rows: list[LoadRow] = []
        self._whose: dict[str, str | None] = {}
        self.guests: dict[str, GuestChoice] = {}
        self._labels: list[tuple[QLabel, bool]] = []
        self._hint, self.told = QLabel(self), QLabel(self)
        for label in (self._hint, self.told):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        set_role(self._hint, "muted")
        self.what, self.label, self.fill, self.unit = (Chooser(self) for _ in range(4))
        self.percentile, self.days, self.zone = (Chooser(self) for _ in range(3))
        self._form = QGridLayout()
        self._form.setHorizontalSpacing(12)
        self._form.setVerticalSpacing(6)
        self._captions: list[QLabel] = []
        for number, (text, chooser) in enumerate((
            ("Measured", self.what), ("Whose it is, says", self.label), ("It is the", self.fill), ("in", self.unit),
            ("A typical day is", self.percentile), ("of", self.days), ("by the clock of", self.zone),
        )):  # fmt: skip
            caption = QLabel(text, self)
            caption.setBuddy(chooser)
            chooser.setAccessibleName(text)
            self._captions.append(caption)
            self._form.addWidget(caption, number, 0)
            self._form.addWidget(chooser, number, 1)
        self._form.setColumnStretch(1, 1)
        for text, fill in ((text, fill) for fill, text in FILLS.items()):
            self.fill.addItem(text, fill)
        for text, part in _PERCENTILES:
            self.percentile.addItem(text, part)
        for text in DAYS:
            self.days.addItem(text, text)
        self._table = QWidget(self)
        self.take_button, self.leave_button = QPushButton("Take it", self), QPushButton("Leave it", self)
        self.take_button.clicked.connect(self._on_take)
        self.leave_button.clicked.connect(self._on_leave)
        desk.document.edited.connect(lambda _text: self.enter())
        self.what.currentIndexChanged.connect(lambda _i: self._choose(self.what.currentData()))
        self.fill.currentIndexChanged.connect(lambda _i: self._list_units())
        for chooser in (self.label, self.unit, self.percentile, self.days, self.zone):
            chooser.currentIndexChanged.connect(lambda _i: self._work_out())
        buttons = QHBoxLayout()
        buttons.addWidget(self.take_button)
        buttons.addWidget(self.leave_button)
        buttons.addStretch(1)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 6, 0)
        self._column.setSpacing(10)
        self._column.addWidget(self._hint)
        self._column.addLayout(self._form)
        # What would come of it stands above the rows: with many of them nobody would find it below.
        self._column.addLayout(buttons)
        self._column.addWidget(self.told)
        self._column.addWidget(self._table)
        self._column.addStretch(1)

    @property
    def title(self) -> str:
        """Name the page."""
        return "Measured load"

    def show_load(self, measured: Measured, source: Path) -> None:
        """Show what was measured, with what is probably meant of it."""
        self._measured, self._source = measured, source.name
        with _quiet(self.what, self.zone):
            self.what.clear()
            for metric in measured.metrics:
                self.what.addItem(metric, metric)
            if not self.zone.count():
                for zone in sorted({"UTC", *available_timezones()}):
                    self.zone.addItem(zone, zone)
                here = QTimeZone.systemTimeZoneId().data().decode()
                self.zone.setCurrentIndex(max(self.zone.findData(here), self.zone.findData("UTC")))
        self.zone.setEnabled(measured.clock == "utc")
        left = f" {format_number(measured.left_out)} samples without a time or a number do not count."
        self._hint.setText(
            f"{source.name} has {_count(len(measured.series), 'series', 'series')}.{left if measured.left_out else ''}"
        )
        self._choose(measured.metrics[0])

    def _choose(self, metric: str) -> None:
        """Take another metric, and for all else what is probably meant."""
        measured = self._measured
        if measured is None:
            return
        try:
            choice = first_choice(measured, self._desk.document.plan, metric)
        except EditError as error:
            self._rows = []
            self._lay_out()
            self._tell(str(error))
            return
        with _quiet(self.what, self.label, self.fill):
            self.what.setCurrentIndex(self.what.findData(metric))
            self.label.clear()
            for label in labels_of(measured, metric):
                self.label.addItem("the heading" if label == "column" else label, label)
            self.label.setCurrentIndex(self.label.findData(choice.label))
            self.fill.setCurrentIndex(self.fill.findData(choice.fill))
        self._list_units()

    def _list_units(self) -> None:
        """List the units of what it is, the likely one chosen."""
        measured, metric, fill = self._measured, self.what.currentData(), self.fill.currentData()
        if measured is None:
            return
        with _quiet(self.unit):
            self.unit.clear()
            for unit in UNITS[fill]:
                self.unit.addItem(unit, unit)
            self.unit.setCurrentIndex(self.unit.findData(likely_unit(metric, measured.units.get(metric, ""), fill)))
        self._work_out()

    @property
    def choice(self) -> Choice:
        """What is chosen."""
        return Choice(
            self.what.currentData(), self.label.currentData(), fill=self.fill.currentData(),
            unit=self.unit.currentData(), percentile=self.percentile.currentData(), days=self.days.currentData(),
            zone=self.zone.currentData() or "UTC",
        )  # fmt: skip

    def _work_out(self) -> None:
        """Make the typical days anew, beside the window."""
        measured, choice = self._measured, self.choice
        if measured is None or choice.label is None:
            return
        self.take_button.setEnabled(False)
        self.told.setText("Working out the typical days…")

        def show(rows: list[LoadRow] | None, problem: Exception | None) -> None:
            if rows is None:
                raise problem or RuntimeError("no days were worked out")
            if measured is self._measured and choice == self.choice:
                self._rows, self._whose = rows, matched(rows, self._desk.document.plan)
                self._lay_out()
                self._look()

        self._desk.background.run("typical days", lambda: rows_of(measured, choice), show, lane="reading")

    def _lay_out(self) -> None:
        """Show the rows, those first that are nobody's yet."""
        let_go(self._table, self._column)
        self._table = QWidget(self)
        grid = QGridLayout(self._table)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(4)
        self.guests, self._labels = {}, []
        plan = self._desk.document.plan
        rows = sorted(self._rows, key=lambda row: self._whose.get(row.name) is not None)
        for number, row in enumerate(rows[:_SHOWN]):
            day, guest = row.day, self._whose[row.name]
            most = f"{format_number(max(day.values, default=0.0), 2)} {self.unit.currentText()}"
            for place, text in ((0, row.name), (2, f"at most {most}")):
                label = QLabel(text, self._table)
                label.setTextFormat(Qt.TextFormat.PlainText)
                label.setWordWrap(True)
                if place:
                    set_role(label, "muted")
                self._labels.append((label, not place))
                grid.addWidget(label, number, place)
            band = DayBand(
                self._theme, day.seconds.tolist(), day.values.tolist(), (day.low.tolist(), day.high.tolist()),
                day.step_s, self._table,
            )  # fmt: skip
            band.setAccessibleName(f"Typical day of {row.name}: at most {most}, of {day.days} days")
            grid.addWidget(band, number, 1)
            named = plan.labels[guest] if guest not in (None, NEW) else ""
            chooser = GuestChoice(guest, named, self._all_guests, self._table)
            chooser.setAccessibleName(f"Whose {row.name} is")
            chooser.currentIndexChanged.connect(lambda _i, name=row.name: self._on_whose(name))
            self.guests[row.name] = chooser
            grid.addWidget(chooser, number, 3)
        if len(rows) > _SHOWN:
            more = QLabel(f"and {len(rows) - _SHOWN} more, whose they are by their names", self._table)
            set_role(more, "muted")
            self._labels.append((more, False))
            grid.addWidget(more, _SHOWN, 0, 1, 4)
        grid.setColumnStretch(0, 1)
        self._column.insertWidget(4, self._table)
        self.style_anew()

    def _all_guests(self) -> list[tuple[str, str]]:
        return sorted((guest.label, guest.id) for guest in self._desk.document.plan.guests)

    def _on_whose(self, name: str) -> None:
        self._whose[name] = self.guests[name].currentData()
        self._look()

    def _look(self) -> None:
        """Try it, and say what would come of it."""
        document = self._desk.document
        try:
            filled = with_load(document.plan, document.site.traces, self.choice, self._rows, self._whose, self._source)
        except EditError as error:
            self._tell(str(error))
            return
        nobody = sum(guest is None for guest in self._whose.values())
        lines = list(filled.told[1:])
        lines += [f"{_count(nobody, 'row is', 'rows are')} nobody's and left out."] if nobody else []
        lines += [f"{_count(len(filled.new), 'new guest', 'new guests')}."] if filled.new else []
        self.told.setText("\n".join(lines))
        self.take_button.setText(f"Take it for {_count(len(filled.changed), 'guest', 'guests')}")
        self.take_button.setEnabled(True)

    def _tell(self, text: str) -> None:
        self.told.setText(text)
        self.take_button.setText("Take it")
        self.take_button.setEnabled(False)

    def enter(self) -> None:
        """Look again: guests may be others by now."""
        if self._measured is not None and self._rows:
            known = {guest.id for guest in self._desk.document.plan.guests} | {None, NEW}
            self._whose = {name: guest if guest in known else None for name, guest in self._whose.items()}
            self._look()

    def forget(self) -> None:
        """Let go of what was measured for the plan that closes."""
        self._measured, self._rows, self._whose = None, [], {}

    def _on_take(self) -> None:
        """Take it, and go on to the next metric if there is one."""
        self.enter()
        measured, choice = self._measured, self.choice
        rows, whose, source = self._rows, dict(self._whose), self._source
        if measured is None or not self._editor.follow(choice, rows, whose, source):
            return
        left = measured.metrics[measured.metrics.index(choice.metric) + 1 :]
        if left:
            self._choose(left[0])
        else:
            self._on_leave()

    def _on_leave(self) -> None:
        self._measured, self._rows = None, []
        self.left.emit()

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        choosers = (self.what, self.label, self.fill, self.unit, self.percentile, self.days, self.zone)
        widgets: list[QWidget] = [self._hint, self.told, self.take_button, self.leave_button, *choosers]
        for widget in (*widgets, *self.guests.values(), *self._captions):
            widget.setFont(self._theme.font(12))
        for label, is_heading in self._labels:
            label.setFont(self._theme.font(12, bold=is_heading))


@contextmanager
def _quiet(*choosers: Chooser) -> Iterator[None]:
    """Let choices change and tell nobody."""
    for chooser in choosers:
        chooser.blockSignals(True)
    try:
        yield
    finally:
        for chooser in choosers:
            chooser.blockSignals(False)


def _count(number: int, one: str, many: str) -> str:
    return f"{format_number(number)} {one if number == 1 else many}"
