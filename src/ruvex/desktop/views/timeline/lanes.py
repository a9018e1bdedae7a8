"""The lanes: the rows to the left, what was played of each to the right, and a crosshair that reads all of them."""

from __future__ import annotations

import time
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QFrame, QSizePolicy, QWidget

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.playing import Playing
from ruvex.desktop.state.rows import Heights, Row, RowList
from ruvex.desktop.views.timeline.columns import Columns, columns_of
from ruvex.desktop.views.timeline.lane import AIR, LaneSeries, Tops, lane_image, tops_of
from ruvex.desktop.views.timeline.readout import paint_readout
from ruvex.desktop.views.timeline.scale import TimeScale
from ruvex.plan import RESOURCES, Event, pools_within

NAMES: Final = 224
RIGHT: Final = 64
GUEST_LANE: Final = 62
POOL_LANE: Final = 48
_CPU_PART: Final = 0.42
_DRAW_S: Final = 0.025
_DRAW_AGAIN_MS: Final = 30
"""While a plan is played lanes are drawn for so long, then others have their turn."""
_TALLER: Final = 2.2
_ZOOM: Final = 0.8
_WHEEL_STEP: Final = 120
_PAN: Final = 0.1


class Lanes(QAbstractScrollArea):
    """All guests and pools as lanes over the day.

    Attributes
    ----------
    row_list
        The visible rows.
    scale
        The time axis.
    cross_s
        The time under the crosshair.

    Signals
    -------
    scale_changed()
        Another part of the day shows.
    crossed()
        The crosshair stands at another time.
    menu_asked(point)
        The menu of the selected rows is wanted at a place of the screen.
    """

    scale_changed = pyqtSignal()
    crossed = pyqtSignal()
    menu_asked = pyqtSignal(QPoint)

    def __init__(self, desk: Desk, playing: Playing, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._playing, self._theme = desk, playing, theme
        self.row_list = RowList()
        self.scale = TimeScale(0, 1, 0.0, desk.look.plan.day_s, desk.look.plan.day_s)
        self.cross_s = desk.look.plan.moment
        self._folded: set[str] = set()
        self._members: dict[str, NDArray[np.int64]] = {}
        self._tops: dict[str, Tops] = {}
        self._images: dict[str, QImage] = {}
        self._stale: set[str] = set()
        self._ground: QPixmap | None = None
        self._columns: Columns | None = None
        self._draw_until = 0.0
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Timeline: arrows left and right move the crosshair, up and down select rows")
        self.viewport().setMouseTracking(True)
        self.viewport().setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        desk.look.rows_changed.connect(self._on_replaced)
        desk.look.changed.connect(self._on_divided)
        desk.selection.changed.connect(self._on_selection_changed)
        desk.units.changed.connect(self._draw_anew)
        playing.restarted.connect(self._on_restarted)
        playing.advanced.connect(self._on_advanced)
        theme.changed.connect(self._on_replaced)
        self._on_replaced()

    def viewport(self) -> QWidget:
        """Give the widget the lanes are painted on."""
        viewport = super().viewport()
        assert viewport is not None
        return viewport

    # What is shown

    @property
    def is_behind(self) -> bool:
        """Whether some lane in sight still shows less than was played; it is drawn anew a moment later."""
        return bool(self._stale & {row.item_id for row, _ in self._rows_shown()})

    def set_scale(self, scale: TimeScale) -> None:
        """Show another part of the day."""
        if scale != self.scale:
            self.scale = scale
            self._draw_anew()
            self.scale_changed.emit()

    def set_cross(self, at_s: float) -> None:
        """Move the crosshair."""
        at_s = min(max(at_s, 0.0), self._desk.look.plan.day_s)
        if at_s != self.cross_s:
            self.cross_s = at_s
            self.viewport().update()
            self.crossed.emit()

    def fold(self, pool_id: str, *, folded: bool) -> None:
        """Hide or show the members of a pool."""
        (self._folded.add if folded else self._folded.discard)(pool_id)
        self._on_replaced()

    def _on_replaced(self) -> None:
        plan, theme = self._desk.look.plan, self._theme
        self._folded &= {pool.id for pool in plan.pools}
        heights = (theme.px(GUEST_LANE), theme.px(POOL_LANE))
        self.row_list.rebuild(self._desk.look.division, plan, self._folded, Heights(*heights))
        spare = self.viewport().height() / max(1, self.row_list.height)
        if spare > 1:
            # Few rows are drawn taller, so that more is seen of each.
            taller = min(spare, _TALLER)
            heights = (int(heights[0] * taller), int(heights[1] * taller))
            self.row_list.rebuild(self._desk.look.division, plan, self._folded, Heights(*heights))
        self._members.clear()
        self._lay_out()

    def _lay_out(self) -> None:
        day_s, theme = self._desk.look.plan.day_s, self._theme
        left = theme.px(NAMES)
        right = max(left + 50, self.viewport().width() - theme.px(RIGHT))
        if self.scale.day_s != day_s:
            self.scale = TimeScale(left, right, 0.0, day_s, day_s)
        else:
            self.scale = TimeScale(left, right, self.scale.start_s, self.scale.end_s, day_s)
        bar = self.verticalScrollBar()
        assert bar is not None
        bar.setSingleStep(theme.px(GUEST_LANE))
        bar.setPageStep(self.viewport().height())
        bar.setRange(0, max(0, self.row_list.height - self.viewport().height()))
        self.scale_changed.emit()
        self._draw_anew()

    def _on_restarted(self) -> None:
        self._tops.clear()
        self._members.clear()
        self._on_replaced()

    def _on_advanced(self) -> None:
        """Let every lane be drawn anew, a few at a time: until its turn comes each shows what it had."""
        self._stale = set(self._images)
        self._ground, self._columns = None, None
        self.viewport().update()

    def _draw_anew(self) -> None:
        self._images.clear()
        self._stale.clear()
        self._tops.clear()
        self._ground, self._columns = None, None
        self.viewport().update()

    def _on_divided(self) -> None:
        goes_along = self._playing.is_running and self._playing.speed > 0
        if self._desk.look.plan.moment != self.cross_s and not goes_along:
            self.set_cross(self._desk.look.plan.moment)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Show the selected row; before there is a place for the rows, none can be brought into view."""
        super().showEvent(event)
        self._on_selection_changed()

    def _on_selection_changed(self) -> None:
        number = self.row_list.number_of(self._desk.selection.current)
        bar = self.verticalScrollBar()
        if number is not None and bar is not None and self.isVisible():
            top, bottom = self.row_list.tops[number], self.row_list.tops[number + 1]
            if top < bar.value():
                bar.setValue(top)
            elif bottom > bar.value() + self.viewport().height():
                bar.setValue(bottom - self.viewport().height())
        self._ground = None
        self.viewport().update()

    def members(self, item_id: str) -> NDArray[np.int64]:
        """Give the places of a row's guests in the recording."""
        found = self._members.get(item_id)
        recording, plan = self._playing.recording, self._desk.look.plan
        if found is None and recording is not None:
            index = recording.guest_index
            inside = pools_within(plan, item_id) if item_id in plan.pool_index else set()
            names = [g.id for g in plan.guests if g.id == item_id or (g.pool is not None and g.pool in inside)]
            found = self._members[item_id] = np.array([index[n] for n in names if n in index], dtype=np.int64)
        return np.zeros(0, dtype=np.int64) if found is None else found

    def tops(self, item_id: str) -> Tops:
        """Give the values at the upper edges of a row's lanes."""
        found = self._tops.get(item_id)
        recording = self._playing.recording
        if found is None:
            members = self.members(item_id)
            found = Tops(1.0, 1.0) if recording is None else tops_of(recording, members)
            self._tops[item_id] = found
        return found

    # Painting

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint lanes from their picture, and what the crosshair reads over them."""
        ratio = self.devicePixelRatioF()
        if self._ground is None or self._ground.devicePixelRatio() != ratio:
            self._ground = self._draw_ground(ratio)
        painter = QPainter(self.viewport())
        painter.drawPixmap(0, 0, self._ground)
        for row, place in self._rows_shown():
            paint_readout(painter, self._desk, self._playing, self._theme, row, place, self.members(row.item_id),
                          self.cross_s)  # fmt: skip
        x = round(self.scale.x(self.cross_s))
        if self.scale.left <= x <= self.scale.right:
            painter.setPen(QPen(self._theme.colours.ink, 1))
            painter.drawLine(x, 0, x, self.viewport().height())
        painter.end()

    def _rows_shown(self) -> list[tuple[Row, QRect]]:
        bar = self.verticalScrollBar()
        offset = bar.value() if bar is not None else 0
        numbers = self.row_list.between(offset, offset + self.viewport().height())
        return [(self.row_list.rows[number], self._place(number, offset)) for number in numbers]

    def _place(self, number: int, offset: int) -> QRect:
        tops = self.row_list.tops
        return QRect(0, tops[number] - offset, self.viewport().width(), tops[number + 1] - tops[number])

    def _draw_ground(self, ratio: float) -> QPixmap:
        size = self.viewport().size()
        pixmap = QPixmap(max(1, round(size.width() * ratio)), max(1, round(size.height() * ratio)))
        pixmap.setDevicePixelRatio(ratio)
        colours, theme = self._theme.colours, self._theme
        pixmap.fill(colours.paper)
        painter = QPainter(pixmap)
        self._draw_until = time.perf_counter() + _DRAW_S
        for row, place in self._rows_shown():
            ground = place.adjusted(0, 0, 0, -1)
            if row.item_id in self._desk.selection.ids:
                painter.fillRect(ground, colours.selected)
            elif row.is_pool:
                painter.fillRect(ground, colours.band_row)
            image = self._image(row, place, ratio)
            if image is not None:
                painter.drawImage(QPointF(self.scale.left, place.top() + 1), image)
                self._paint_tops(painter, row, place)
            painter.setPen(colours.grid)
            painter.drawLine(0, place.bottom(), place.width(), place.bottom())
        painter.setPen(QPen(colours.grid, 1, Qt.PenStyle.DotLine))
        for at_s in self.scale.ticks(theme.px(70)):
            x = self.scale.x(at_s)
            painter.drawLine(QPointF(x, 0), QPointF(x, self.row_list.height))
        self._paint_events(painter)
        painter.end()
        if self.is_behind:
            QTimer.singleShot(_DRAW_AGAIN_MS, self._draw_more)
        return pixmap

    def _draw_more(self) -> None:
        self._ground = None
        self.viewport().update()

    def _image(self, row: Row, place: QRect, ratio: float) -> QImage | None:
        recording = self._playing.recording
        members = self.members(row.item_id)
        if recording is None or not members.size or not recording.rows:
            return None
        image = self._images.get(row.item_id)
        if image is None or (row.item_id in self._stale and time.perf_counter() < self._draw_until):
            if row.item_id in self._stale:
                self._stale.discard(row.item_id)
                self._tops.pop(row.item_id, None)
            width = round((self.scale.right - self.scale.left) * ratio)
            if self._columns is None:
                self._columns = columns_of(self.scale, width, recording.rows, recording.every_s)
            height = round((place.height() - 3) * ratio)
            series = LaneSeries(recording, members, self._columns)
            bar = self._theme.bar_colours(row.hue)
            tops, split = self.tops(row.item_id), round(height * _CPU_PART)
            image = lane_image(series, tops, (width, height), split, self._theme.colours, bar, ratio)
            self._images[row.item_id] = image
        return image

    def _paint_tops(self, painter: QPainter, row: Row, place: QRect) -> None:
        """Write what the upper edges of the lanes stand for."""
        theme, units = self._theme, self._desk.units
        tops, face = self.tops(row.item_id), theme.face(9.5)
        painter.setPen(theme.colours.faint)
        height = face.metrics.height()
        middle = place.top() + place.height() * _CPU_PART
        for name in RESOURCES:
            top, y = (tops.cpu, place.top() + 1) if name == "cpu" else (tops.memory, middle + 2)
            if top <= AIR:
                continue  # nothing was ever there
            unit = units.of(name, row.item_id)
            face.draw(painter, self.scale.right + theme.px(5), y, height, f"{top / AIR / unit.per:.3g} {unit.name}")

    def _paint_events(self, painter: QPainter) -> None:
        """Mark events in the lanes of what they concern, and in all of them where they concern all."""
        for row, place in self._rows_shown():
            times = [event.at for event in self.events() if event.target == row.item_id]
            painter.setPen(QPen(self._theme.colours.ink, 1, Qt.PenStyle.DashLine))
            for at_s in times:
                if self.scale.start_s <= at_s <= self.scale.end_s:
                    x = self.scale.x(at_s)
                    painter.drawLine(QPointF(x, place.top() + 1), QPointF(x, place.bottom() - 1))

    def events(self) -> list[Event]:
        """Give the plan's events and those put in while playing."""
        return [*self._desk.look.plan.events, *self._playing.kept]

    # Mouse and keys

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Lay out again."""
        super().resizeEvent(event)
        self._on_replaced()

    def scrollContentsBy(self, _dx: int, _dy: int) -> None:
        """Draw the lanes that show now."""
        self._ground = None
        self.viewport().update()

    def row_at(self, y: float) -> Row | None:
        """Give the row at a height of the viewport."""
        bar = self.verticalScrollBar()
        number = self.row_list.at(round(y) + (bar.value() if bar is not None else 0))
        return None if number is None else self.row_list.rows[number]

    def row_rect(self, item_id: str) -> QRect:
        """Give where a row stands in the viewport; empty if it does not show."""
        number, bar = self.row_list.number_of(item_id), self.verticalScrollBar()
        return QRect() if number is None or bar is None else self._place(number, bar.value())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Let the crosshair follow, and with the button down the moment too."""
        if event is None or event.position().x() < self.scale.left:
            return
        at_s = self.scale.time(event.position().x())
        self.set_cross(at_s)
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._desk.look.set_moment(round(at_s))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select a row; in the lanes, look at that time."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        row = self.row_at(event.position().y())
        if row is not None:
            if row.is_pool and event.position().x() < self._theme.px(24 + 14 * row.depth):
                self.fold(row.item_id, folded=not row.is_folded)
                return
            self._desk.selection.select(row.item_id)
        if event.position().x() >= self.scale.left:
            at_s = self.scale.time(event.position().x())
            self.set_cross(at_s)
            self._desk.look.set_moment(round(at_s))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Ask for the menu of a row; it is selected, if it was not."""
        row = self.row_at(event.pos().y()) if event is not None else None
        if event is not None and row is not None:
            if row.item_id not in self._desk.selection.ids:
                self._desk.selection.select(row.item_id)
            self.menu_asked.emit(event.globalPos())

    def leaveEvent(self, event: QEvent | None) -> None:
        """Put the crosshair back to the moment, or to where it plays."""
        super().leaveEvent(event)
        if not self._playing.is_running:
            self.set_cross(self._desk.look.plan.moment)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Scroll; zoom in the lanes with Ctrl, move with Shift."""
        if event is None:
            return
        steps = event.angleDelta().y() / _WHEEL_STEP
        if steps and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.set_scale(self.scale.moved(-steps * _PAN * self.scale.span_s))
        elif steps and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.set_scale(self.scale.zoomed(event.position().x(), _ZOOM**steps))
        else:
            super().wheelEvent(event)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Move the crosshair and the selection."""
        if event is None:
            return
        key = event.key()
        step = self.scale.span_s / max(1, self.scale.right - self.scale.left)
        step = max(step, self._playing.recording.every_s if self._playing.recording is not None else 10.0)
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            step *= 10
        moves = {Qt.Key.Key_Left: -step, Qt.Key.Key_Right: step}
        if key in moves:
            self._desk.look.set_moment(self.cross_s + moves[Qt.Key(key)])
            self.set_cross(self._desk.look.plan.moment)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            rows = self.row_list.rows
            now = self.row_list.number_of(self._desk.selection.current)
            then = 0 if now is None else now + (1 if key == Qt.Key.Key_Down else -1)
            if rows:
                self._desk.selection.select(rows[min(max(then, 0), len(rows) - 1)].item_id)
        elif key == Qt.Key.Key_Home:
            self.set_scale(self.scale.at(0.0, self.scale.day_s))
        else:
            super().keyPressEvent(event)

    def lane_rect(self, item_id: str) -> QRectF:
        """Give where the lanes of a row stand in the viewport."""
        place = self.row_rect(item_id)
        return QRectF(self.scale.left, place.top(), self.scale.right - self.scale.left, place.height())
