"""The ruler above the lanes: the times, the events, the host's pressure, and how far it has been played."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from ruvex.desktop.kit.theme import Theme, blend, texture_brush
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.playing import Playing
from ruvex.desktop.views.timeline.scale import TimeScale
from ruvex.plan import Event, MoveEvent, Plan, SetEvent, SurgeEvent, format_time
from ruvex.play import PRESSURES, change_text, label_of

_HEIGHT: Final = 50
_NEAR: Final = 6
_SHADES: Final = (0.0, 0.3, 0.8)


def event_text(event: Event, plan: Plan) -> str:
    """Say in a few words what an event does, and its note."""
    if isinstance(event, SetEvent):
        what = change_text(event.change)
    elif isinstance(event, SurgeEvent):
        what = f"surge, {event.factor:g} times the demand for {event.for_s:g} s"
    elif isinstance(event, MoveEvent):
        what = f"move to {label_of(plan, event.host)}"
    else:
        what = event.do.replace("-", " ")
    note = f" ({event.note})" if event.note else ""
    return f"{format_time(event.at)}  {label_of(plan, event.target)}: {what}{note}"


class Ruler(QWidget):
    """Times, events and pressure along the time axis."""

    def __init__(
        self, desk: Desk, playing: Playing, theme: Theme, scale: Callable[[], TimeScale],
        events: Callable[[], list[Event]], parent: QWidget,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._desk, self._playing, self._theme, self._scale, self._events = (
            desk,
            playing,
            theme,
            scale,
            events,
        )
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setAccessibleName("Times, events and the highest pressure of any host")
        playing.went_on.connect(self.update)
        playing.changed.connect(self.update)
        desk.look.changed.connect(self.update)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def sizeHint(self) -> QSize:
        """Ask for a low, wide place."""
        return self._theme.size(400, _HEIGHT)

    def _on_theme_changed(self) -> None:
        self.setFixedHeight(self._theme.px(_HEIGHT))
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint it."""
        theme, colours, scale = self._theme, self._theme.colours, self._scale()
        painter = QPainter(self)
        painter.fillRect(self.rect(), colours.panel)
        painter.setPen(colours.line)
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        face, line = theme.face(11), theme.px(16)
        painter.setPen(colours.muted)
        for at_s in scale.ticks(theme.px(70)):
            text = format_time(at_s)
            x = min(max(scale.x(at_s) - face.width(text) / 2, 0), self.width() - face.width(text))
            face.draw(painter, x, theme.px(2), line, text)
        self._paint_pressure(painter, QRectF(scale.left, theme.px(36), scale.right - scale.left, theme.px(8)))
        painter.setPen(colours.muted)
        face.draw(painter, theme.px(10), theme.px(31), line, self.pressure_text())
        self._paint_events(painter)
        self._paint_legend(painter)
        painter.end()

    def _paint_legend(self, painter: QPainter) -> None:
        """Tell solid from pale in the memory lanes, and what the dark line above CPU is."""
        theme, bar = self._theme, self._theme.bar_colours(None)
        x, top, line = float(theme.px(10)), theme.px(3), theme.px(14)
        for brush, text in ((bar.solid, "working set"), (bar.soft, "cache, idle"), (None, "wait")):
            box = QRectF(x, top + theme.px(4), theme.px(9), theme.px(8))
            if brush is None:
                painter.setPen(QPen(theme.colours.ink, 1.4))
                painter.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()))
            else:
                painter.fillRect(box, brush)
            painter.setPen(theme.colours.muted)
            face = theme.face(10.5)
            face.draw(painter, box.right() + theme.px(4), top, line, text)
            x = box.right() + theme.px(12) + face.width(text)

    def pressure_text(self) -> str:
        """Say what pressure the host is under at the moment, or how far it has been played."""
        recording = self._playing.recording
        at_s = self._desk.look.plan.moment
        if recording is None or not recording.rows or at_s > self._playing.now_s:
            return "not played yet"
        return f"highest pressure: {PRESSURES[int(recording.of_places('pressure')[:, recording.row_at(at_s)].max())]}"

    def _paint_pressure(self, painter: QPainter, place: QRectF) -> None:
        """Draw the pressure as steps from pale to dark, what is not played yet as an open band."""
        scale, recording, colours = self._scale(), self._playing.recording, self._theme.colours
        painter.setPen(QPen(colours.line, 1, Qt.PenStyle.DotLine))
        painter.drawRect(place.adjusted(0.5, 0.5, -0.5, -0.5))
        if recording is None or not recording.rows:
            return
        pressure = recording.of_places("pressure").max(axis=0).astype(np.int64)
        starts = np.flatnonzero(np.concatenate(([True], pressure[1:] != pressure[:-1])))
        ends = np.append(starts[1:], pressure.size)
        for start, end in zip(starts.tolist(), ends.tolist(), strict=True):
            level = int(pressure[start])
            left = max(scale.x(start * recording.every_s), place.left())
            right = min(scale.x(min(end * recording.every_s, self._playing.now_s)), place.right())
            if right > left:
                part = QRectF(left, place.top(), max(1.0, right - left), place.height())
                painter.fillRect(part, blend(colours.paper, colours.ink, _SHADES[level]))
                if level == len(PRESSURES) - 1:
                    painter.fillRect(part, texture_brush("missing", colours.paper, self.devicePixelRatioF()))
        painter.setPen(QPen(colours.line, 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        done = min(max(scale.x(self._playing.now_s), place.left()), place.right())
        painter.drawRect(
            QRectF(place.left(), place.top(), done - place.left(), place.height()).adjusted(0.5, 0.5, -0.5, -0.5)
        )

    def _paint_events(self, painter: QPainter) -> None:
        """Draw a flag for every event; one that is only in the play has an open flag."""
        scale, theme = self._scale(), self._theme
        top, size = theme.px(20), theme.px(6)
        kept = set(map(id, self._playing.kept))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for event in self._events():
            if scale.start_s <= event.at <= scale.end_s:
                x = scale.x(event.at)
                painter.setPen(QPen(theme.colours.ink, 1.2))
                painter.setBrush(Qt.BrushStyle.NoBrush if id(event) in kept else theme.colours.ink)
                painter.drawPolygon(
                    QPolygonF([QPointF(x, top), QPointF(x + size, top + size / 2), QPointF(x, top + size)])
                )
                painter.drawLine(QPointF(x, top), QPointF(x, top + theme.px(13)))

    def events_near(self, point: QPoint) -> list[Event]:
        """Give the events whose flags stand near a point."""
        scale = self._scale()
        return [event for event in self._events() if abs(scale.x(event.at) - point.x()) <= _NEAR]

    def event(self, event: QEvent | None) -> bool:
        """Tell what happens at a flag."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            near = self.events_near(event.pos())
            QToolTip.showText(
                event.globalPos(), "\n".join(event_text(event, self._desk.look.plan) for event in near[:20]), self
            )
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Look at the time that was clicked."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._set_from(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the moment along."""
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._set_from(event)

    def _set_from(self, event: QMouseEvent) -> None:
        scale = self._scale()
        if event.position().x() >= scale.left:
            self._desk.look.set_moment(round(scale.time(event.position().x())))
