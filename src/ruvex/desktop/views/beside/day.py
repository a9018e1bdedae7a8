"""The selected guest's day, then and now: CPU, wait and memory of two plays over each other."""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.advise import days_text
from ruvex.desktop.kit.marks import draw_mark
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.kit.time_scale import TimeScale
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.yardstick import Compared
from ruvex.ledger import TimeFigures
from ruvex.plan import format_cpu, format_memory, format_time
from ruvex.play import Player

Floats = NDArray[np.float64]

_LEFT: Final = 58
_RIGHT: Final = 70
_HEAD: Final = 36
_FOOT: Final = 20
_LANES: Final = (("CPU", 0.42), ("wait", 0.26), ("memory", 0.32))


class DayBeside(QWidget):
    """Draws both days; a drag looks at another moment."""

    is_chart = True

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("The selected guest's day, then and now")
        desk.selection.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        """Ask for some room."""
        return self._theme.size(600, 200)

    @property
    def scale(self) -> TimeScale:
        """Where each time of the day stands."""
        px = self._theme.px
        day_s = self._desk.document.plan.day_s
        return TimeScale(px(_LEFT), max(self.width() - px(_RIGHT), px(_LEFT) + 1), 0.0, day_s, day_s)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the three lanes."""
        with painting(self) as painter:
            theme, px, colours = self._theme, self._theme.px, self._theme.colours
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), colours.paper)
            found, current = self._desk.yardstick.found, self._desk.selection.current
            one = next((g for g in found.beside.guests if g.guest == current), None) if found is not None else None
            bold, face = theme.face(12, bold=True), theme.face(11.5)
            painter.setPen(colours.ink)
            if one is None:
                painter.setPen(colours.muted)
                face.draw(painter, px(12), px(2), px(17), "Choose a guest; its day is drawn here, then and now.")
            elif found is None or found.days is None:
                painter.setPen(colours.muted)
                face.draw(painter, px(12), px(2), px(17), "Both days are being played\u2026")
            else:
                title = f"{one.label} over the day, played"
                bold.draw(painter, px(12), px(2), px(17), title)
                painter.setPen(colours.muted)
                x = px(24) + bold.width(title)
                told = days_text(one) or "as before"
                room = self.width() - x - px(12)
                face.draw(painter, x, px(2), px(17), face.metrics.elidedText(told, Qt.TextElideMode.ElideRight, room))
                face.draw(painter, px(12), px(18), px(15), "dashed: then; filled: now")
                self._paint_lanes(painter, found, one.guest)
                self._paint_marks(painter, one.day)

    def _paint_lanes(self, painter: QPainter, found: Compared, guest: str) -> None:
        assert found.days is not None
        theme, px, colours, scale = self._theme, self._theme.px, self._theme.colours, self.scale
        division = self._desk.look.division
        row = division.position.get(guest, -1)
        top_pool = int(division.top_pool[row]) if row >= 0 else -1
        bar = theme.bar_colours(None if top_pool < 0 else top_pool)
        face = theme.face(11.5)
        room = self.height() - px(_HEAD) - px(_FOOT)
        y = float(px(_HEAD))
        for tick in scale.ticks(px(70), least_s=60.0):
            painter.setPen(QPen(colours.grid, 1))
            painter.drawLine(QPointF(scale.x(tick), y), QPointF(scale.x(tick), y + room))
            painter.setPen(colours.muted)
            text = format_time(tick)
            face.draw(painter, scale.x(tick) - face.width(text) / 2, self.height() - px(_FOOT), px(_FOOT), text)
        for name, part in _LANES:
            high = room * part - px(5)
            series = [_series(day, guest, name) for day in found.days]
            top = max((float(values.max(initial=0.0)) for _, values in series), default=0.0)
            bottom = y + high
            painter.setPen(colours.muted)
            face.draw_right(painter, px(_LEFT) - px(6), bottom - px(15), px(15), name)
            told = "" if top <= 0 else _written(name, top)
            face.draw(painter, scale.right + px(5), y - px(2), px(15), told)
            painter.setPen(QPen(colours.edge, 1))
            painter.drawLine(QPointF(scale.left, bottom), QPointF(scale.right, bottom))
            for number, (times, values) in reversed(list(enumerate(series))):
                if not times.size or top <= 0:
                    continue
                points = _points(scale, times, values / top, y, high)
                if number == 1:
                    painter.setPen(Qt.PenStyle.NoPen)
                    painter.setBrush(bar.soft)
                    closed = QPolygonF([QPointF(points[0].x(), bottom), *points, QPointF(points[-1].x(), bottom)])
                    painter.drawPolygon(closed)
                    painter.setPen(QPen(bar.edge, 1.3))
                else:
                    painter.setPen(QPen(colours.ink, 1.2, Qt.PenStyle.DashLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF(points))
            y += room * part
        moment = scale.x(self._desk.look.plan.moment)
        painter.setPen(QPen(colours.ink, 1.3))
        painter.drawLine(QPointF(moment, px(_HEAD)), QPointF(moment, self.height() - px(_FOOT)))

    def _paint_marks(self, painter: QPainter, days: Any) -> None:
        if days is None:
            return
        px, scale, y = self._theme.px, self.scale, self._theme.px(_HEAD)
        for kind, day in (("before", days[0]), ("done", days[1])):
            for due, done in day.finishes:
                draw_mark(painter, "due", QPointF(scale.x(due), y), px(5), self._theme.colours)
                if done is not None:
                    is_late = kind == "done" and done - due > 60
                    mark = "late" if is_late else kind
                    draw_mark(painter, mark, QPointF(scale.x(done), y), px(4), self._theme.colours)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Look at another moment."""
        if event is not None and event.position().y() > self._theme.px(_HEAD):
            self._desk.look.set_moment(round(self.scale.time(event.position().x()) / 60) * 60.0)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Go on looking while the button is down."""
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self.mousePressEvent(event)


def _series(day: Player, guest: str, name: str) -> tuple[Floats, Floats]:
    """Give times and values of a lane: CPU in MHz, the part of it that is not met in %, backed memory in MiB."""
    recording = day.recording
    at = recording.guest_index.get(guest)
    if at is None or not recording.rows:
        return np.zeros(0), np.zeros(0)
    times = recording.times_s[: recording.rows]
    figures = TimeFigures(recording, slice(None), at)
    if name != "wait":
        return times, figures.series("cpu_delivered" if name == "CPU" else "backed")
    wanted, lacks = figures.wanted("cpu"), figures.lacks("cpu")
    return times, np.divide(100 * lacks, wanted, out=np.zeros_like(lacks), where=wanted > 1e-9)


def _points(scale: TimeScale, times: Floats, values: Floats, y: float, high: float) -> list[QPointF]:
    """Give the line of a lane: one point a pixel, the highest value there is in it."""
    x = np.round(scale.left + (scale.right - scale.left) * (times - scale.start_s) / scale.span_s).astype(np.int64)
    columns, first = np.unique(x, return_index=True)
    most = np.maximum.reduceat(values, first)
    return [QPointF(at, y + high * (1 - value)) for at, value in zip(columns.tolist(), most.tolist(), strict=True)]


def _written(name: str, value: float) -> str:
    if name == "wait":
        return f"{value:.0f} %"
    return format_cpu(round(value)) if name == "CPU" else format_memory(round(value))
