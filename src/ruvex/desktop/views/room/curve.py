"""What a sweep found: a line for one setting, a map for two; the knee, the value in force, a handle to try others."""

from __future__ import annotations

import math
from typing import Final

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QToolTip, QWidget

from ruvex.advise import Range, Sweep
from ruvex.desktop.kit.theme import Theme, blend, legible, texture_brush
from ruvex.desktop.views.room.section import SectionCanvas
from ruvex.plan import RESOURCE_KINDS, format_number, setting_amount

_LEFT, _RIGHT, _TOP, _FOOT = 54, 20, 14, 34
_TICKS: Final = 4


def value_text(setting: str, value: float) -> str:
    """Write a value of a setting with its unit."""
    amount = setting_amount(setting)
    if amount is not None:
        return RESOURCE_KINDS[amount].write(round(value))
    return format_number(value, 1).removesuffix(".0")


class SweepCurve(SectionCanvas):
    """Draws what was found, and lets a value be chosen.

    Attributes
    ----------
    found
        The sweep; None before one.
    chosen
        The places in the ranges that are tried now, None while none is.

    Signals
    -------
    tried(first, second)
        A value, or a pair, is tried; −1 for none.
    """

    tried = pyqtSignal(int, int)

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(theme, None, parent)
        self.found: Sweep | None = None
        self.chosen: tuple[int, int] | None = None
        self.hint = ""
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("What the sweep found")

    @property
    def high(self) -> float:
        """Room for a line or a map."""
        return 210

    def show_sweep(self, found: Sweep | None, hint: str) -> None:
        """Show another sweep, or say why there is none."""
        if found is not self.found:
            self.chosen = None
        self.found, self.hint = found, hint
        self.update()

    def _place(self) -> QRectF:
        px = self.theme.px
        return QRectF(px(_LEFT), px(_TOP), max(self.width() - px(_LEFT + _RIGHT), 10), self.height() - px(_TOP + _FOOT))

    def draw(self, painter: QPainter) -> None:
        """Draw the line or the map."""
        place = self._place()
        if self.found is None:
            self.words(painter, place.left(), place.top(), place.width(), self.hint)
        elif len(self.found.ranges) == 1:
            self._draw_line(painter, place, self.found)
        else:
            self._draw_map(painter, place, self.found)

    # One setting

    def _x(self, place: QRectF, value: float) -> float:
        assert self.found is not None
        low, high = self.found.ranges[0].values[0], self.found.ranges[0].values[-1]
        return place.left() + place.width() * (value - low) / max(high - low, 1e-12)

    def _draw_line(self, painter: QPainter, place: QRectF, found: Sweep) -> None:
        px, colours = self.theme.px, self.theme.colours
        only, values = found.ranges[0], found.table[0, :, 0]
        there = np.isfinite(values)
        everything = np.concatenate((values[there], found.now[:1][np.isfinite(found.now[:1])]))
        low, high = _bounds(everything)

        def y(value: float) -> float:
            return place.bottom() - place.height() * (value - low) / (high - low)

        face = self.theme.face(11.5)
        for number in range(_TICKS + 1):
            value = low + (high - low) * number / _TICKS
            painter.setPen(QPen(colours.grid, 1))
            painter.drawLine(QPointF(place.left(), y(value)), QPointF(place.right(), y(value)))
            painter.setPen(colours.muted)
            face.draw_right(painter, place.left() - px(7), y(value) - px(8), px(16), _figure(value))
        self._draw_axis(painter, place, only)
        painter.setPen(QPen(colours.ink, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        path, is_begun = QPainterPath(), False
        for at, value in enumerate(only.values):
            point = QPointF(self._x(place, value), y(float(values[at]))) if there[at] else None
            if point is None:
                x = self._x(place, value)
                brush = texture_brush("missing", colours.muted, self.devicePixelRatioF())
                painter.fillRect(QRectF(x - px(3), place.top(), px(6), place.height()), brush)
            elif is_begun:
                path.lineTo(point)
            else:
                path.moveTo(point)
            is_begun = point is not None
        painter.drawPath(path)
        knee = found.knee()
        if knee is not None:
            at_knee = QPointF(self._x(place, only.values[knee]), y(float(values[knee])))
            painter.setBrush(colours.paper)
            painter.drawEllipse(at_knee, px(5), px(5))
            text = f"knee {value_text(only.setting, only.values[knee])}"
            self.words(painter, at_knee.x() + px(8), at_knee.y() + px(4), px(160), text, bold=True)
        if only.now is not None and only.values[0] <= only.now <= only.values[-1] and math.isfinite(found.now[0]):
            at_now = QPointF(self._x(place, only.now), y(float(found.now[0])))
            painter.setBrush(colours.ink)
            painter.setPen(QPen(colours.ink, 1.3))
            painter.drawLine(at_now, QPointF(at_now.x(), place.bottom()))
            painter.drawEllipse(at_now, px(4), px(4))
            text = f"now {value_text(only.setting, only.now)}: {_figure(float(found.now[0]))}"
            wide = self.theme.face(11.5, bold=True).width(text)
            x = at_now.x() - wide - px(8) if at_now.x() - wide - px(8) > place.left() else at_now.x() + px(8)
            self.words(painter, x, at_now.y() - px(18), wide + px(4), text, bold=True)
        if self.chosen is not None:
            x = self._x(place, only.values[self.chosen[0]])
            painter.setPen(QPen(colours.ink, 1.4, Qt.PenStyle.DashLine))
            painter.drawLine(QPointF(x, place.top()), QPointF(x, place.bottom()))
        handle = self.chosen[0] if self.chosen is not None else None
        low, high = only.values[0], only.values[-1]
        held = only.values[handle] if handle is not None else low if only.now is None else min(max(only.now, low), high)
        x = self._x(place, held)
        painter.setPen(QPen(colours.ink, 2 if self.hasFocus() else 1.6))
        painter.setBrush(colours.field)
        painter.drawRoundedRect(QRectF(x - px(4), place.bottom() - px(8), px(8), px(16)), 3, 3)

    def _draw_axis(self, painter: QPainter, place: QRectF, only: Range) -> None:
        px, colours, face = self.theme.px, self.theme.colours, self.theme.face(11.5)
        painter.setPen(QPen(colours.edge, 1))
        painter.drawLine(place.bottomLeft(), place.bottomRight())
        painter.setPen(colours.muted)
        ticks = max(1, min(_TICKS, int(place.width() // px(90))))
        for number in range(ticks + 1):
            value = only.values[0] + (only.values[-1] - only.values[0]) * number / ticks
            text = value_text(only.setting, value)
            x = min(self._x(place, value) - face.width(text) / 2, self.width() - face.width(text) - 2)
            face.draw(painter, x, place.bottom() + px(9), px(16), text)

    # Two settings

    def _draw_map(self, painter: QPainter, place: QRectF, found: Sweep) -> None:
        px, colours, face = self.theme.px, self.theme.colours, self.theme.face(11.5)
        down, across = found.ranges
        values = found.table[0]
        low, high = _bounds(values[np.isfinite(values)])
        wide, tall = place.width() / len(across.values), place.height() / len(down.values)
        for (row, column), value in np.ndenumerate(values):
            cell = QRectF(place.left() + column * wide, place.top() + row * tall, wide - 1, tall - 1)
            if not math.isfinite(value):
                painter.fillRect(cell, texture_brush("missing", colours.muted, self.devicePixelRatioF()))
                continue
            part = (value - low) / (high - low)
            part = 1 - part if found.watches[0].more_is_better else part
            ground = blend(colours.paper, colours.ink, 0.06 + 0.64 * part)
            painter.fillRect(cell, ground)
            text = _figure(value)
            if face.width(text) < wide - 4 and tall > px(14):
                painter.setPen(legible(ground, colours.ink, colours.paper))
                face.draw_centred(painter, cell, text)
            if self.chosen == (row, column):
                painter.setPen(QPen(colours.ink, 2.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(cell.adjusted(1, 1, -1, -1))
        painter.setPen(colours.muted)
        for row in {0, len(down.values) - 1}:
            text = value_text(down.setting, down.values[row])
            face.draw_right(painter, place.left() - px(6), place.top() + row * tall, tall, text)
        for column in {0, len(across.values) - 1}:
            text = value_text(across.setting, across.values[column])
            x = place.left() + column * wide + (wide - face.width(text)) / 2
            face.draw(painter, min(x, self.width() - face.width(text)), place.bottom() + px(4), px(16), text)
        if down.now is not None and across.now is not None:
            at = [
                (now - one.values[0]) / max(one.values[-1] - one.values[0], 1e-12)
                for one, now in ((down, down.now), (across, across.now))
            ]
            if all(0 <= part <= 1 for part in at):
                centre = QPointF(
                    place.left() + wide / 2 + at[1] * (place.width() - wide),
                    place.top() + tall / 2 + at[0] * (place.height() - tall),
                )
                painter.setPen(QPen(colours.ink, 2))
                painter.setBrush(colours.field)
                painter.drawEllipse(centre, px(5), px(5))

    # Trying

    def _at(self, event: QMouseEvent) -> tuple[int, int] | None:
        found, place = self.found, self._place()
        if found is None:
            return None
        x = (event.position().x() - place.left()) / place.width()
        if len(found.ranges) == 1:
            values = np.array(found.ranges[0].values)
            value = values[0] + x * (values[-1] - values[0])
            return int(np.argmin(np.abs(values - value))), 0
        y = (event.position().y() - place.top()) / place.height()
        rows, columns = (len(one.values) for one in found.ranges)
        return min(max(int(y * rows), 0), rows - 1), min(max(int(x * columns), 0), columns - 1)

    def choose(self, at: tuple[int, int] | None) -> None:
        """Try a value or a pair, or with None none."""
        if at != self.chosen:
            self.chosen = at
            self.tried.emit(*(at if at is not None else (-1, -1)))
            self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin to try values."""
        if event is not None and (at := self._at(event)) is not None:
            self.setFocus()
            self.choose(at)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Try the value under the pointer while the button is down; else tell of it."""
        if event is None or self.found is None:
            return
        at = self._at(event)
        if event.buttons() & Qt.MouseButton.LeftButton:
            self.choose(at)
        elif at is not None:
            told = self.found.refused.get(at) or _figure(float(self.found.table[0, at[0], at[1]]))
            values = [value_text(one.setting, one.values[place])
                      for one, place in zip(self.found.ranges, at, strict=False)]  # fmt: skip
            QToolTip.showText(event.globalPosition().toPoint(), f"{' and '.join(values)}: {told}", self)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Try the next value with the arrows; Esc gives up."""
        if event is None or self.found is None:
            return
        steps = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0), Qt.Key.Key_Down: (1, 0)}
        step = steps.get(Qt.Key(event.key()))
        if step is not None:
            row, column = self.chosen or self._begin()
            down, across = step
            if len(self.found.ranges) == 1:
                self.choose((min(max(row + across, 0), len(self.found.ranges[0].values) - 1), 0))
            else:
                rows, columns = (len(one.values) for one in self.found.ranges)
                self.choose((min(max(row + down, 0), rows - 1), min(max(column + across, 0), columns - 1)))
        elif event.key() == Qt.Key.Key_Escape and self.chosen is not None:
            self.choose(None)
        else:
            super().keyPressEvent(event)

    def _begin(self) -> tuple[int, int]:
        """Give the places next to what is set."""
        assert self.found is not None
        places = [
            int(np.argmin(np.abs(np.array(one.values) - (one.values[0] if one.now is None else one.now))))
            for one in self.found.ranges
        ]
        return places[0], places[1] if len(places) > 1 else 0


def _bounds(values: np.ndarray[tuple[int, ...], np.dtype[np.float64]]) -> tuple[float, float]:
    """Give the ends of an axis that holds some values: from 0 where they are not far from it."""
    if not values.size:
        return 0.0, 1.0
    low, high = float(values.min()), float(values.max())
    low = 0.0 if low >= 0 and low < 0.6 * high else low - 0.1 * (high - low)
    return (low, high + 0.06 * (high - low)) if high - low > 1e-9 else (low - 0.5, low + 0.5)


def _figure(value: float) -> str:
    if not math.isfinite(value):
        return "none"
    return format_number(value, 2 if abs(value) < 10 else 1 if abs(value) < 1000 else 0)
