"""How sure it is: random days, how often each guest is short, and when batch work is done."""

from __future__ import annotations

import math
from typing import Final

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QProgressBar, QPushButton, QToolTip, QWidget

from ruvex.advise import Days, Risk
from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.wrapped_label import WrappedLabel
from ruvex.desktop.panels.view import Bench
from ruvex.desktop.views.room.section import Section, SectionCanvas, Spots
from ruvex.plan import RuvexError, format_time, parse_time
from ruvex.words import label_of, short_span

COUNTS: Final = (60, 200, 500)
_ROW: Final = 19
_MOST: Final = 16


class Risks(SectionCanvas):
    """Draws on which part of the days each guest is short, the most first; the mean and what 95 of 100 days keep to."""

    def __init__(self, bench: Bench, parent: QWidget) -> None:
        super().__init__(bench.theme, None, parent)
        self._desk = bench.desk
        self._spots = Spots()
        self._days: Days | None = None
        self._risks: list[Risk] = []

    @property
    def high(self) -> float:
        """A line for each guest."""
        return _ROW * max(len(self._risks) + 1, 3) + 6

    def show_days(self, days: Days | None) -> None:
        """Show other days."""
        if days is not self._days:
            self._days = days
            risks = [one for one in days.of_guests() if one.short_part > 0] if days is not None else []
            self._risks = sorted(risks, key=lambda one: (-one.short_part, -one.short_s))[:_MOST]
            self.updateGeometry()
        self.update()

    def draw(self, painter: QPainter) -> None:
        """Draw the lines."""
        px, colours = self.theme.px, self.theme.colours
        self._spots.clear()
        if self._days is None:
            self.words(
                painter, 4, 4, self.width() - 8, "Peaks shift, heights and lengths vary; see the rules, random days."
            )
            return
        plan, division = self._desk.document.plan, self._desk.look.division
        name, right = px(130), px(150)
        wide = self.width() - name - right
        self.words(painter, name, 0, wide, "short on this part of the days")
        self.words(painter, self.width() - right + px(8), 0, right, "mean, 95 of 100 days")
        face = self.theme.face(12)
        for number, one in enumerate(self._risks, 1):
            y = number * px(_ROW)
            row = division.position.get(one.item, -1)
            top = int(division.top_pool[row]) if row >= 0 else -1
            bar = self.theme.bar_colours(None if top < 0 else top)
            painter.setPen(colours.ink)
            face.draw(painter, 4, y, px(_ROW), face.elided(label_of(plan, one.item), name - px(8)))
            place = QRectF(name, y + px(4), max(wide * one.short_part, 1.0), px(_ROW - 8))
            painter.fillRect(place, bar.soft)
            painter.setPen(QPen(bar.edge, 1))
            painter.drawRect(place)
            told = f"{short_span(one.short_s)}, {short_span(one.short_most_s)}"
            self.words(painter, self.width() - right + px(8), y + px(1), right, told)
            line = QRectF(0, y, self.width(), px(_ROW))
            self._spots.add(
                line, one.item, f"{label_of(plan, one.item)}: short on {100 * one.short_part:.0f} of 100 days"
            )

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Tell how often."""
        found = self._spots.at(event)
        if event is not None:
            QToolTip.showText(event.globalPosition().toPoint(), found[1] if found else "", self)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose the guest."""
        found = self._spots.at(event)
        if found is not None:
            self._desk.selection.select(found[0])


class RiskSection(Section):
    """The question, and how sure it is.

    Attributes
    ----------
    count, play, stop, bar
        How many days; begins and stops; how far it is.
    job, by
        Whose batch work, and by when it is to be done.
    told, sure
        What the days came to; how often that work is done by then.
    """

    def __init__(self, bench: Bench, parent: QWidget) -> None:
        self.risks = Risks(bench, parent)
        super().__init__(bench.theme, "How sure is that?", self.risks, parent)
        self._desk, theme = bench.desk, bench.theme
        self.count = Chooser(self)
        self.count.setAccessibleName("How many random days")
        self.count.addItems([f"{count} random days" for count in COUNTS])
        self.play, self.stop = QPushButton("Play them", self), QPushButton("Stop", self)
        self.bar = QProgressBar(self)
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(theme.px(6))
        buttons = QHBoxLayout()
        for button in (self.play, self.stop):
            buttons.addWidget(button)
        buttons.addStretch(1)
        self.left.addWidget(self.count)
        self.left.addLayout(buttons)
        self.left.addWidget(self.bar)
        self.job, self.by = Chooser(self), QLineEdit(self)
        self.job.setAccessibleName("Whose batch work")
        self.by.setAccessibleName("By when it is to be done")
        self.by.setPlaceholderText("done by, 05:00")
        self.left.addWidget(self.job)
        self.left.addWidget(self.by)
        self.told = WrappedLabel(theme, 12.5, parent=self)
        self.sure = WrappedLabel(theme, 13, parent=self)
        self.finishes = WrappedLabel(theme, 12, muted=True, parent=self)
        for label in (self.sure, self.told, self.finishes):
            self.right.addWidget(label)
        self.play.clicked.connect(lambda _checked=False: self._play())
        self.stop.clicked.connect(lambda _checked=False: self._desk.many.stop())
        self.job.activated.connect(lambda _at: self._tell_sure())
        self.by.textChanged.connect(lambda _text: self._tell_sure())
        self._jobs: list[str] = []
        self.finish()

    def _play(self) -> None:
        self._desk.many.play_days(COUNTS[max(self.count.currentIndex(), 0)])

    def refresh(self) -> None:
        """Show the days there are, and how far others are."""
        plan, many = self._desk.document.plan, self._desk.many
        jobs = [guest.id for guest in plan.guests if guest.demand.kind == "batch"]
        if jobs != self._jobs:
            self._jobs = jobs
            self.job.clear()
            self.job.addItems([label_of(plan, guest) for guest in jobs])
        self.job.setVisible(bool(jobs))
        self.by.setVisible(bool(jobs))
        is_running = many.running == "days"
        self.play.setEnabled(not many.running and bool(plan.guests))
        self.stop.setVisible(is_running)
        self.bar.setVisible(is_running)
        self.bar.setMaximum(max(many.progress[1], 1))
        self.bar.setValue(many.progress[0])
        days = many.days
        self.risks.show_days(days)
        if is_running:
            self.told.set_text(f"{many.progress[0]} of {many.progress[1]} days played\u2026")
        elif days is not None:
            old = "" if days.plan.guests is plan.guests else " (of the plan as it was then)"
            text = f"{days.count} random days{old}: {days.short_hours:.1f} guest-hours short on a day, on average."
            self.told.set_text(text)
        else:
            self.told.set_text(many.problem or "Ask how often guests are short, and when batch work is done.")
        self._tell_sure()

    def _tell_sure(self) -> None:
        days, plan, at = self._desk.many.days, self._desk.document.plan, self.job.currentIndex()
        if days is None or not 0 <= at < len(self._jobs) or self._jobs[at] not in days.plan.guest_index:
            self.sure.set_text("")
            self.finishes.set_text("")
            return
        guest = self._jobs[at]
        risk = days.of_guests()[days.plan.guest_index[guest]]
        told = [f"due {format_time(round(due / 60) * 60)}: by {_when(done)}" for due, done in risk.finishes]
        self.finishes.set_text(f"{label_of(plan, guest)} in 95 of 100 days, {'; '.join(told)}" if told else "")
        try:
            by_s = parse_time(self.by.text())
        except RuvexError:
            self.sure.set_text("")
            return
        part = days.done_by(guest, by_s)
        text = "has no batch work" if math.isnan(part) else (
            f"is done by {format_time(by_s)} on {100 * part:.0f} of 100 days"
        )  # fmt: skip
        self.sure.set_text(f"{label_of(plan, guest)} {text}.")


def _when(done_s: float) -> str:
    return format_time(round(done_s / 60) * 60) if math.isfinite(done_s) else "never"
