"""One line a guest from then to now: CPU to the left of its name, memory to the right, who falls short first.

A wedge is thin at the hollow ring, then, and thick at the upright bar, now: pointing to the axis is a loss.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QAbstractScrollArea, QFrame, QToolTip, QWidget

from ruvex.advise import (
    CHANGES,
    NOTHING,
    Change,
    GuestBeside,
    Had,
    amount_lines,
    change_title,
    day_changes,
    days_text,
    flow_change_text,
)
from ruvex.desktop.kit.axis import Axis, binary_step, decimal_step
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import BarColours, Theme, blend
from ruvex.desktop.state.desk import Desk
from ruvex.plan import format_cpu, format_memory, format_number
from ruvex.words import short_span

ROW: Final = 19
BAND: Final = 20
_NAME: Final = 150
_FIGURES: Final = 206
_MINUS: Final = "\u2212"
_FOLDED: Final[tuple[Change, ...]] = ("as-before",)


@dataclass(frozen=True, slots=True)
class Line:
    """One line of the rows: the head of a group, or a guest of it."""

    change: Change
    guest: GuestBeside | None
    count: int = 0


class Rows(QAbstractScrollArea):
    """The lines.

    Attributes
    ----------
    lines
        What is shown, from top to bottom.
    of_day
        Whether the whole day is compared: hours short to the left, the part of CPU want unmet to the right.

    Signals
    -------
    chosen(guest)
        A line was clicked, or gone to.
    """

    is_chart = True
    chosen = pyqtSignal(str)

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self.lines: list[Line] = []
        self.of_day = False
        self._folded: set[Change] = set(_FOLDED)
        self._groups: list[tuple[Change, list[GuestBeside]]] = []
        self._axes = (Axis(0, 0, 1, 1), Axis(0, 0, 1, 1))
        self._hover = -1
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Guests then and now")
        seen = self.viewport()
        assert seen is not None
        seen.setMouseTracking(True)
        desk.selection.changed.connect(self.viewport_update)

    def viewport_update(self) -> None:
        """Paint anew."""
        seen = self.viewport()
        if seen is not None:
            seen.update()

    def sizeHint(self) -> QSize:
        """Ask for some lines."""
        return QSize(self._theme.px(600), self._theme.px(12 * ROW))

    def refresh(self, *, of_day: bool) -> None:
        """Show the comparison there is."""
        found = self._desk.yardstick.found
        self.of_day = of_day
        groups: dict[Change, list[tuple[float, GuestBeside]]] = {change: [] for change in CHANGES}
        tick_s = self._desk.document.plan.tick_s
        for one in found.beside.guests if found is not None else ():
            change, by = day_changes(one, tick_s) if of_day else (one.change, one.loss)
            groups[change].append((by, one))
        self._groups = []
        for change, its in groups.items():
            its.sort(key=lambda pair: -abs(pair[0]))
            if its:
                self._groups.append((change, [one for _, one in its]))
        self._lay_out()

    def _lay_out(self) -> None:
        self.lines = []
        for change, its in self._groups:
            self.lines.append(Line(change, None, len(its)))
            # Where nothing else has changed, who is as before is all there is to show.
            if change not in self._folded or len(self._groups) == 1:
                self.lines += [Line(change, one) for one in its]
        seen, bar = self.viewport(), self.verticalScrollBar()
        assert seen is not None and bar is not None
        total = sum(self._high(line) for line in self.lines) + self._head
        bar.setPageStep(seen.height())
        bar.setSingleStep(self._theme.px(ROW))
        bar.setRange(0, max(0, total - seen.height()))
        self._place_axes(seen.width())
        self.viewport_update()

    @property
    def _head(self) -> int:
        return self._theme.px(BAND)

    def _high(self, line: Line) -> int:
        return self._theme.px(BAND if line.guest is None else ROW)

    def _place_axes(self, width: int) -> None:
        px = self._theme.px
        shown = [one for change, its in self._groups if change != "as-before" or len(self._groups) == 1 for one in its]
        tops = [max((_reach(_pair(one, k, self.of_day)) for one in shown), default=1.0) for k in (0, 1)]
        figures = min(px(_FIGURES), width // 5)
        middle = width / 2
        half = px(_NAME) / 2
        left = Axis(middle - half, figures + px(12), max(tops[0], 1e-6) * 1.04, 1.0)
        right = Axis(middle + half, width - figures - px(12), max(tops[1], 1e-6) * 1.04, 1.0)
        self._axes = (left, right)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Lay the lines out anew."""
        super().resizeEvent(event)
        self._lay_out()

    # Painting

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint what is in sight."""
        seen, bar = self.viewport(), self.verticalScrollBar()
        assert seen is not None and bar is not None
        with painting(seen) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(seen.rect(), self._theme.colours.paper)
            y = self._head - bar.value()
            self._paint_grid(painter, seen.height())
            for number, line in enumerate(self.lines):
                high = self._high(line)
                if y + high > self._head and y < seen.height():
                    if line.guest is None:
                        self._paint_band(painter, line, y, high, seen.width())
                    else:
                        self._paint_guest(painter, line.guest, y, high, seen.width(), is_hovered=number == self._hover)
                y += high
            self._paint_head(painter, seen.width())

    def _paint_grid(self, painter: QPainter, high: int) -> None:
        painter.setPen(QPen(self._theme.colours.grid, 1))
        for k, axis in enumerate(self._axes):
            for tick in self._ticks(k):
                painter.drawLine(QPointF(axis.x(tick), self._head), QPointF(axis.x(tick), high))
            painter.drawLine(QPointF(axis.zero, self._head), QPointF(axis.zero, high))

    def _ticks(self, k: int) -> list[float]:
        axis = self._axes[k]
        many = max(2, int(abs(axis.end - axis.zero) // self._theme.px(84)))
        step = binary_step(axis.top, many) if k == 1 and not self.of_day else decimal_step(axis.top, many)
        return Axis(axis.zero, axis.end, axis.top, step).ticks

    def _paint_head(self, painter: QPainter, width: int) -> None:
        theme, px, colours = self._theme, self._theme.px, self._theme.colours
        face = theme.face(11.5)
        painter.fillRect(QRectF(0, 0, width, self._head), colours.paper)
        painter.setPen(colours.muted)
        titles = ("hours short", "CPU want unmet, %") if self.of_day else ("CPU, lost or won", "memory, lost or won")
        face.draw(painter, px(12), 0, self._head, titles[0])
        face.draw_right(painter, width - px(12), 0, self._head, titles[1])
        for k, axis in enumerate(self._axes):
            for tick in self._ticks(k):
                text, x = self._written(k, tick), axis.x(tick)
                edge = px(20) + max(face.width(title) for title in titles)
                if edge < x - face.width(text) / 2 and x + face.width(text) / 2 < width - edge:
                    face.draw(painter, x - face.width(text) / 2, 0, self._head, text)
        painter.setPen(colours.muted)
        face.draw_centred(
            painter, QRectF(self._axes[0].zero, 0, px(_NAME), self._head), "then  \u25cb\u2014\u25ae  now"
        )

    def _written(self, k: int, value: float) -> str:
        if self.of_day:
            return short_span(value * 3600) if k == 0 else format_number(value, 0)
        return format_cpu(round(value)) if k == 0 else format_memory(round(value))

    def _paint_band(self, painter: QPainter, line: Line, y: float, high: float, width: int) -> None:
        colours, px = self._theme.colours, self._theme.px
        painter.fillRect(QRectF(0, y, width, high), colours.band_row)
        painter.setPen(colours.ink)
        bold = self._theme.face(12, bold=True)
        mark = "\u25b8" if line.change in self._folded else "\u25be"
        text = f"{mark}  {change_title(line.change)}  {line.count}"
        bold.draw(painter, self._axes[0].zero + px(6), y, high, text)

    def _paint_guest(
        self, painter: QPainter, one: GuestBeside, y: float, high: float, width: int, *, is_hovered: bool
    ) -> None:  # fmt: skip
        theme, px, colours = self._theme, self._theme.px, self._theme.colours
        is_selected = one.guest in self._desk.selection.ids
        if is_hovered or is_selected:
            painter.fillRect(QRectF(0, y, width, high), colours.selected if is_selected else colours.band_row)
        bar = theme.bar_colours(self._hue(one))
        face = theme.face(12)
        painter.fillRect(QRectF(self._axes[0].zero + px(6), y + px(3), px(3), high - px(6)), bar.solid)
        painter.setPen(colours.ink)
        room = px(_NAME) - px(20)
        face.draw(painter, self._axes[0].zero + px(14), y, high, face.elided(one.label, room))
        for k in (0, 1):
            self._paint_wedge(painter, _pair(one, k, self.of_day), self._axes[k], y, high, bar)
            self._paint_figures(painter, one, k, y, high, width)
        if is_selected:
            painter.setPen(QPen(colours.selected_line, 1.6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(px(4), y + 1, width - px(8), high - 2), 4, 4)

    def _hue(self, one: GuestBeside) -> int | None:
        division = self._desk.look.division
        row = division.position.get(one.pool or "", -1)
        return int(division.top_pool[row]) if row >= 0 else None

    def _paint_wedge(
        self, painter: QPainter, pair: tuple[Had, Had], axis: Axis, y: float, high: float, bar: BarColours
    ) -> None:  # fmt: skip
        px, colours = self._theme.px, self._theme.colours
        then, now = axis.x(pair[0].got), axis.x(pair[1].got)
        middle = y + high / 2
        wanted = axis.x(pair[1].wanted)
        if pair[1].is_short and abs(wanted - now) > 2:
            painter.setPen(QPen(bar.edge, 1.2, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(now, middle), QPointF(wanted, middle))
            painter.setPen(QPen(bar.edge, 1.2))
            painter.drawLine(QPointF(wanted, middle - px(3)), QPointF(wanted, middle + px(3)))
        painter.setPen(Qt.PenStyle.NoPen)
        if abs(then - now) < 1.5:
            painter.setBrush(bar.solid)
            if pair[0].got > 0 or pair[1].got > 0:
                painter.drawEllipse(QPointF(now, middle), px(2.4), px(2.4))
            return
        painter.setBrush(blend(bar.solid, colours.paper, 0.45))
        wide = px(3.8)
        painter.drawPolygon(QPolygonF([QPointF(then, middle - 0.6), QPointF(now, middle - wide),
                                       QPointF(now, middle + wide), QPointF(then, middle + 0.6)]))  # fmt: skip
        painter.setPen(QPen(bar.edge, 1.4))
        painter.setBrush(colours.paper)
        painter.drawEllipse(QPointF(then, middle), px(2.8), px(2.8))
        painter.fillRect(QRectF(now - px(1.6), middle - px(5), px(3.2), px(10)), bar.edge)

    def _paint_figures(self, painter: QPainter, one: GuestBeside, k: int, y: float, high: float, width: int) -> None:
        theme, px, colours = self._theme, self._theme.px, self._theme.colours
        then, now = (had.got for had in _pair(one, k, self.of_day))
        is_same = abs(now - then) < 1e-6
        flow = flow_change_text(one) if k == 1 and is_same and not self.of_day else ""
        if is_same and not flow and (not then or self.of_day):
            return
        bold, face = theme.face(11.5, bold=True), theme.face(11.5)
        sign = "+" if now > then else _MINUS
        by = f"{sign}{self._written(k, abs(now - then))}" if not is_same else ""
        told = f"{self._written(k, then)} \u2192 {self._written(k, now)}" if by else self._written(k, now)
        told = flow or told  # where memory is as before there is room for what its disks or network have
        room = px(_FIGURES) - px(8)
        is_wide = bold.width(by) + face.width(told) + px(10) <= min(room, width // 5)
        if k == 0:
            painter.setPen(colours.ink)
            bold.draw(painter, px(10), y, high, by)
            painter.setPen(colours.muted)
            if is_wide or not by:
                face.draw(painter, px(10) + (bold.width(by) + px(8) if by else 0), y, high, told)
        else:
            painter.setPen(colours.ink)
            bold.draw_right(painter, width - px(10), y, high, by)
            painter.setPen(colours.muted)
            if is_wide or not by:
                face.draw_right(painter, width - px(10) - (bold.width(by) + px(8) if by else 0), y, high, told)

    # Going about

    def _at(self, y: float) -> int:
        bar = self.verticalScrollBar()
        top = self._head - (bar.value() if bar is not None else 0)
        if y < self._head:
            return -1
        for number, line in enumerate(self.lines):
            top += self._high(line)
            if y < top:
                return number
        return -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose a guest; a head folds its group."""
        at = self._at(event.position().y()) if event is not None else -1
        if at < 0:
            return
        line = self.lines[at]
        if line.guest is None:
            self.fold(line.change)
        else:
            self.chosen.emit(line.guest.guest)

    def fold(self, change: Change) -> None:
        """Fold a group, or unfold it."""
        self._folded ^= {change}
        self._lay_out()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Tell of the guest under the pointer."""
        if event is None:
            return
        at = self._at(event.position().y())
        if at != self._hover:
            self._hover = at
            self.viewport_update()
        guest = self.lines[at].guest if at >= 0 else None
        QToolTip.showText(event.globalPosition().toPoint(), self.told(guest) if guest is not None else "", self)

    def told(self, one: GuestBeside) -> str:
        """Say in words what is other for a guest."""
        day = days_text(one)
        parts = [one.label, *amount_lines(one, with_unchanged=True)]
        return "\n".join([*parts, *([f"over the day: {day}"] if day else [])])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Go up and down."""
        if event is None:
            return
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        guests = [line.guest.guest for line in self.lines if line.guest is not None]
        if step is None or not guests:
            super().keyPressEvent(event)
            return
        current = self._desk.selection.current
        at = guests.index(current) + step if current in guests else 0
        self.chosen.emit(guests[min(max(at, 0), len(guests) - 1)])
        self._show_chosen()

    def _show_chosen(self) -> None:
        bar, seen = self.verticalScrollBar(), self.viewport()
        assert bar is not None and seen is not None
        top = 0
        for line in self.lines:
            if line.guest is not None and line.guest.guest == self._desk.selection.current:
                if top < bar.value():
                    bar.setValue(top)
                elif top + self._high(line) + self._head > bar.value() + seen.height():
                    bar.setValue(top + self._high(line) + self._head - seen.height())
                return
            top += self._high(line)


def _pair(one: GuestBeside, k: int, of_day: bool) -> tuple[Had, Had]:
    """Give what is drawn of a guest at one side, then and now."""
    if not of_day:
        return one.cpu if k == 0 else one.memory
    if one.day is None:
        return NOTHING, NOTHING
    values = [(day.short_s / 3600, 100 * day.wait)[k] for day in one.day]
    return Had(values[0], values[0], 0.0, ""), Had(values[1], values[1], 0.0, "")


def _reach(pair: tuple[Had, Had]) -> float:
    """Give how far an axis must go for a guest."""
    return max(pair[0].got, pair[1].got, pair[1].wanted if pair[1].is_short else 0.0)
