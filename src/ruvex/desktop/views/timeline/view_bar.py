"""A narrow bar that shows which part of the day is in view; it can be dragged in its middle and at both ends."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme, blend
from ruvex.desktop.kit.time_scale import TimeScale
from ruvex.desktop.state.desk import Desk

_HEIGHT: Final = 15
_REACH: Final = 6.0
_STEP: Final = 0.1


class ViewBar(QWidget):
    """The whole day small, and over it what is in view.

    Signals
    -------
    chosen(scale)
        Another part of the day is to be shown.
    """

    chosen = pyqtSignal(object)

    def __init__(self, desk: Desk, theme: Theme, scale: Callable[[], TimeScale], parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._theme, self._scale = desk, theme, scale
        self._held: tuple[str, float, TimeScale] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setAccessibleName("Part of the day in view; arrows move it, Home shows all")
        self.setToolTip("Drag the middle or an end; Ctrl and wheel zoom in the lanes, Home shows the whole day")
        desk.look.day_changed.connect(self.update)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def _on_theme_changed(self) -> None:
        self.setFixedHeight(self._theme.px(_HEIGHT))
        self.update()

    def _x(self, at_s: float) -> float:
        scale = self._scale()
        return scale.left + (scale.right - scale.left) * at_s / scale.whole_s

    def _time(self, x: float) -> float:
        scale = self._scale()
        return (x - scale.left) / max(1, scale.right - scale.left) * scale.whole_s

    @property
    def shown(self) -> QRectF:
        """Where the frame of what is in view stands."""
        scale = self._scale()
        left, right = self._x(scale.start_s), self._x(scale.end_s)
        return QRectF(left, 2, right - left, self.height() - 4)

    def _part_at(self, x: float) -> str:
        place = self.shown
        if abs(x - place.left()) <= _REACH:
            return "start"
        if abs(x - place.right()) <= _REACH:
            return "end"
        return "middle" if place.left() < x < place.right() else ""

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take the middle or an end; beside both, bring the view there."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        x, scale = event.position().x(), self._scale()
        part = self._part_at(x)
        if not part:
            self.chosen.emit(scale.at(self._time(x) - scale.span_s / 2, scale.span_s))
            part = "middle"
        self._held = (part, self._time(x), self._scale())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag what is held."""
        if event is None:
            return
        if self._held is None or not event.buttons() & Qt.MouseButton.LeftButton:
            is_end = self._part_at(event.position().x()) in ("start", "end")
            self.setCursor(Qt.CursorShape.SizeHorCursor if is_end else Qt.CursorShape.ArrowCursor)
            return
        part, taken_s, scale = self._held
        by_s = self._time(event.position().x()) - taken_s
        start, end = scale.start_s, scale.end_s
        least = min(scale.least_s, scale.whole_s)
        if part == "middle":
            self.chosen.emit(scale.moved(by_s))
        elif part == "start":
            start = min(max(start + by_s, 0.0), end - least)
            self.chosen.emit(scale.at(start, end - start))
        else:
            end = max(min(end + by_s, scale.whole_s), start + least)
            self.chosen.emit(scale.at(start, end - start))

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """Let go."""
        self._held = None

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Move and zoom by keys."""
        if event is None:
            return
        scale = self._scale()
        steps = {Qt.Key.Key_Left: -_STEP, Qt.Key.Key_Right: _STEP}
        key = Qt.Key(event.key())
        if key in steps:
            self.chosen.emit(scale.moved(steps[key] * scale.span_s))
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            factor = 0.8 if key == Qt.Key.Key_Up else 1.25
            self.chosen.emit(scale.zoomed((scale.left + scale.right) / 2, factor))
        elif key == Qt.Key.Key_Home:
            self.chosen.emit(scale.at(0.0, scale.whole_s))
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the day's CPU small, and the frame over it."""
        with painting(self) as painter:
            colours = self._theme.colours
            painter.fillRect(self.rect(), colours.panel)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            day, left, right = self._desk.look.day, self._x(0.0), self._x(self._scale().whole_s)
            ground = QRectF(left, 2, right - left, self.height() - 4)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(colours.band_row)
            painter.drawRoundedRect(ground, 3, 3)
            wanted = day.wanted[0]
            top = float(max(wanted.max(initial=0.0), 1.0)) * 1.1
            xs = left + (right - left) * day.times_s / self._scale().whole_s
            ys = ground.bottom() - ground.height() * np.asarray(wanted) / top
            points = [QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]
            if points:
                edge = [QPointF(points[0].x(), ground.bottom()), *points, QPointF(points[-1].x(), ground.bottom())]
                painter.setBrush(blend(colours.band_row, colours.ink, 0.22))
                painter.drawPolygon(QPolygonF(edge))
            place = self.shown
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(colours.ink, 2 if self.hasFocus() else 1.3))
            painter.drawRoundedRect(place, 4, 4)
            painter.setBrush(colours.paper)
            for x in (place.left(), place.right()):
                painter.drawRoundedRect(QRectF(x - 2.5, place.center().y() - 4, 5, 8), 2, 2)
