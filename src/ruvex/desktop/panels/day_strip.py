"""The day strip: wanted against supply over the day, with the moment as its handle."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme, blend, texture_brush
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, percent
from ruvex.divide import Day
from ruvex.plan import RESOURCES, format_cpu, format_time

STEP_S: Final = 300.0
LONG_STEP_S: Final = 3600.0
_SNAP_S: Final = 60.0
_LEAST_TOP: Final = 1.25
"""The bands reach at least this many times the supply, so that a calm day looks calm."""
_LABELS: Final = 62
_RIGHT: Final = 54
_PILL: Final = 19
_HOURS: Final = 15
_HOUR_TICKS: Final = (8, 4, 2, 1)
_MOST_SPANS: Final = 3
_FOOT: Final = 5
"""How high the mark of a full bank is."""

_HINT: Final = "Drag to another time of the day; [ and ] step five minutes, { and } an hour"


_SAME: Final = 0.004
"""Two days whose curves differ by less than this part of the supply are drawn as one."""


def _parts(day: Day, index: int) -> NDArray[np.float64]:
    """Give what is wanted as a part of the supply; 0 where there is none."""
    supply = np.where(day.supply[index] > 0, day.supply[index], np.nan)
    return np.asarray(np.nan_to_num(day.wanted[index] / supply, nan=0.0))


class DayStrip(QWidget):
    """CPU above, memory below, each as a part of its supply; what exceeds the supply is hatched."""

    is_chart = True

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self._ground: QPixmap | None = None
        self._told: tuple[object, ...] = ()
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip(_HINT)
        desk.look.day_changed.connect(self._on_day_changed)
        desk.look.changed.connect(self._on_divided)
        theme.changed.connect(self._on_day_changed)

    def sizeHint(self) -> QSize:
        """Ask for a wide, low strip."""
        return self._theme.size(640, 88)

    def x_of(self, at_s: float) -> float:
        """Give where a time of the day stands."""
        left, right = self._span()
        return left + (right - left) * at_s / self._desk.look.plan.day_s

    def step(self, by_s: float) -> None:
        """Move the moment to the next full step, earlier for a negative one."""
        now, size = self._desk.look.plan.moment, abs(by_s)
        steps = now / size
        target = np.floor(steps + 1e-9) + 1 if by_s > 0 else np.ceil(steps - 1e-9) - 1
        self._desk.look.set_moment(float(target) * size)

    def _span(self) -> tuple[float, float]:
        return float(self._theme.px(_LABELS)), float(self.width() - self._theme.px(_RIGHT))

    def _band(self, name: str) -> QRectF:
        left, right = self._span()
        top, bottom = self._theme.px(_PILL) + 3, self.height() - self._theme.px(_HOURS)
        gap = 5
        height = (bottom - top - gap) / 2
        return QRectF(left, top + (name == "memory") * (height + gap), right - left, height)

    def _on_divided(self) -> None:
        # Most dials change neither what is wanted nor what there is: then nothing is told anew here.
        cpu, memory = self._desk.look.division.cpu, self._desk.look.division.memory
        behind = float(self._desk.look.division.behind_of_guests.sum())
        told = f"{self._desk.look.told}\n"
        told += (
            f"{format_cpu(round(behind))} of the CPU that is wanted is work left from earlier\n" if behind > 1 else ""
        )
        full = self._full_banks()
        told += f"{full}, hatched at the foot\n" if full else ""
        self.setToolTip(f"{told}{_HINT}")
        self.setAccessibleName(f"Moment {format_time(self._desk.look.plan.moment)}; arrows left and right step it")
        parts = ", ".join(
            f"{NAME[n]} {percent(r.total_wanted, r.supply)}" for n, r in zip(RESOURCES, (cpu, memory), strict=True)
        )
        full = self._full_banks()
        self.setAccessibleDescription(f"{self._desk.look.told}; wanted of the supply: {parts}{full and f'; {full}'}")
        shown = (self._desk.look.told, cpu.total_wanted, cpu.supply, memory.total_wanted, memory.supply)
        if shown != self._told:
            self._told = shown
            self.update()

    def _on_day_changed(self) -> None:
        self._ground, self._told = None, ()
        self._on_divided()
        self.update()

    def _full_spans(self) -> list[tuple[float, float]]:
        """Give from when to when guests of some bank want more than it has."""
        day = self._desk.look.day
        is_full = np.concatenate(([False], day.is_bank_full, [False]))
        first, last = np.flatnonzero(~is_full[:-1] & is_full[1:]), np.flatnonzero(is_full[:-1] & ~is_full[1:])
        ends = np.minimum(last, day.times_s.size - 1)
        return list(zip(day.times_s[first].tolist(), day.times_s[ends].tolist(), strict=True))

    def _full_banks(self) -> str:
        """Say when guests of a bank want more than it has, to five minutes; nothing where none do."""
        spans = self._full_spans()
        if not spans:
            return ""
        hours = sum(last - first for first, last in spans) / 3600
        at = ", ".join(f"{format_time(first)[:5]} to {format_time(last)[:5]}" for first, last in spans[:_MOST_SPANS])
        more = f" and {len(spans) - _MOST_SPANS} times more" if len(spans) > _MOST_SPANS else ""
        return f"Guests of a bank want more than it has for {hours:.1f} h: {at}{more}"

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Draw the curves anew."""
        super().resizeEvent(event)
        self._ground = None

    def _set_from(self, x: float) -> None:
        left, right = self._span()
        at_s = (x - left) / max(1.0, right - left) * self._desk.look.plan.day_s
        self._desk.look.set_moment(round(at_s / _SNAP_S) * _SNAP_S)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take the handle."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._set_from(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the handle."""
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._set_from(event.position().x())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Step the moment."""
        if event is None:
            return
        size = LONG_STEP_S if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else STEP_S
        if event.key() == Qt.Key.Key_Left:
            self.step(-size)
        elif event.key() == Qt.Key.Key_Right:
            self.step(size)
        elif event.key() == Qt.Key.Key_Home:
            self._desk.look.set_moment(0.0)
        elif event.key() == Qt.Key.Key_End:
            self._desk.look.set_moment(self._desk.look.plan.day_s)
        else:
            super().keyPressEvent(event)

    # Painting

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the curves from their picture, and the handle over them."""
        with painting(self) as painter:
            ratio = self.devicePixelRatioF()
            if self._ground is None or self._ground.devicePixelRatio() != ratio:
                self._ground = self._draw_ground(ratio)
            painter.drawPixmap(0, 0, self._ground)
            self._paint_now(painter)
            self._paint_handle(painter)

    def _draw_ground(self, ratio: float) -> QPixmap:
        pixmap = QPixmap(max(1, round(self.width() * ratio)), max(1, round(self.height() * ratio)))
        pixmap.setDevicePixelRatio(ratio)
        pixmap.fill(self._theme.colours.head)
        with painting(pixmap) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            colours = self._theme.colours
            foot = self._band("memory")
            for first, last in self._full_spans():
                left, high = self.x_of(first), self._theme.px(_FOOT)
                mark = QRectF(left, foot.bottom() - high, max(self.x_of(last) - left, 2.0), high)
                painter.fillRect(mark, texture_brush("missing", colours.head_text, ratio))
            for index, (name, colour) in enumerate(
                zip(RESOURCES, (colours.cpu_curve, colours.memory_curve), strict=True)
            ):
                self._draw_band(painter, name, index, colour)
            painter.setFont(self._theme.font(11))
            painter.setPen(colours.head_muted)
            day, top = self._desk.look.plan.day_s, self.height() - self._theme.px(_HOURS)
            for part in self._hour_parts(painter.fontMetrics().horizontalAdvance("00:00")):
                place = QRectF(self.x_of(day * part) - 60, top, 120, self._theme.px(_HOURS))
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, format_time(day * part)[:5])
        return pixmap

    def _hour_parts(self, wide: float) -> list[float]:
        """Give at which parts of the day an hour is written: fewer as text grows, none where two have no room."""
        left, right = self._span()
        for ticks in _HOUR_TICKS:
            if (right - left) / ticks >= wide + self._theme.px(14):
                return [i / ticks for i in range(ticks + 1)]
        return []

    def _draw_band(self, painter: QPainter, name: str, index: int, colour: QColor) -> None:
        colours, look, band = self._theme.colours, self._desk.look, self._band(name)
        parts, before = _parts(look.day, index), None if look.day_before is None else _parts(look.day_before, index)
        highest = max(float(of.max(initial=0.0)) for of in (parts, before) if of is not None)
        top = max(_LEAST_TOP, highest * 1.04)
        line_y = band.bottom() - band.height() / top
        curve = self._curve(look.day, parts, band, top)
        area = QPainterPath(QPointF(band.left(), band.bottom()))
        for point in curve:
            area.lineTo(point)
        area.lineTo(band.right(), band.bottom())
        painter.save()
        painter.setClipRect(QRectF(band.left(), line_y, band.width(), band.bottom() - line_y + 1))
        painter.fillPath(area, blend(colours.head, colour, 0.42))
        painter.setClipRect(QRectF(band.left(), band.top() - 2, band.width(), line_y - band.top() + 2))
        painter.fillPath(area, texture_brush("missing", colour, self.devicePixelRatioF()))
        painter.restore()
        painter.setPen(QPen(colour, 1.3))
        painter.drawPolyline(QPolygonF(curve))
        if before is not None and look.day_before is not None and not np.allclose(before, parts, atol=_SAME):
            painter.setPen(QPen(colours.head_text, 1.2, Qt.PenStyle.DashLine))
            painter.drawPolyline(QPolygonF(self._curve(look.day_before, before, band, top)))
        painter.setPen(QPen(colours.head_muted, 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(band.left(), line_y), QPointF(band.right(), line_y))
        painter.setPen(colours.head_text)
        self._theme.face(11).draw_right(painter, band.left() - 8, band.top(), band.height(), NAME[name])

    def _curve(self, day: Day, parts: NDArray[np.float64], band: QRectF, top: float) -> list[QPointF]:
        xs = band.left() + band.width() * day.times_s / self._desk.look.plan.day_s
        ys = band.bottom() - band.height() * parts / top
        return [QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]

    def _paint_now(self, painter: QPainter) -> None:
        """Write at the right what is wanted now, in percent of the supply."""
        for name in RESOURCES:
            resource, band = self._desk.look.division.of(name), self._band(name)
            is_tight = resource.total_wanted > resource.supply
            painter.setPen(self._theme.colours.head_text if is_tight else self._theme.colours.head_muted)
            text = percent(resource.total_wanted, resource.supply) if resource.supply > 0 else "–"
            self._theme.face(12, bold=is_tight).draw(painter, band.right() + 8, band.top(), band.height(), text)

    def _paint_handle(self, painter: QPainter) -> None:
        theme = self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x = self.x_of(self._desk.look.plan.moment)
        bottom = self._band("memory").bottom()
        painter.setPen(QPen(theme.colours.head_text, 2))
        painter.drawLine(QPointF(x, theme.px(_PILL)), QPointF(x, bottom))
        text = format_time(self._desk.look.plan.moment)
        painter.setFont(theme.font(12, bold=True))
        width = painter.fontMetrics().horizontalAdvance(text) + theme.px(16)
        left = min(max(x - width / 2, 0.0), self.width() - width)
        pill = QRectF(left, 1, width, theme.px(_PILL))
        painter.setPen(QPen(theme.colours.cpu_curve, 2) if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.setBrush(theme.colours.head_text)
        painter.drawRoundedRect(pill, 5, 5)
        painter.setPen(theme.colours.head)
        painter.drawText(pill, Qt.AlignmentFlag.AlignCenter, text)
        self._paint_words(painter, pill)

    def _paint_words(self, painter: QPainter, pill: QRectF) -> None:
        """Write beside the time what is shown of it, on the side that has room; where none has, the tip says it."""
        face, words, gap = self._theme.face(11), self._desk.look.told, self._theme.px(8)
        width = face.metrics.horizontalAdvance(words)
        right = pill.right() + gap
        x = right if right + width <= self.width() else pill.left() - gap - width
        if x >= 0:
            painter.setPen(self._theme.colours.head_text)
            face.draw(painter, x, pill.top(), pill.height(), words)

    def handle_rect(self) -> QRect:
        """Give where the handle can be taken."""
        x = round(self.x_of(self._desk.look.plan.moment))
        return QRect(x - 4, 0, 8, self.height())
