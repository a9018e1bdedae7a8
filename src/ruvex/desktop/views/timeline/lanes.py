"""The lanes: the rows to the left, what was played of each to the right, and a crosshair that reads all of them."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.kit.time_scale import TimeScale
from ruvex.desktop.panels.row_field import RowField
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.rows import Row
from ruvex.desktop.views.timeline.days import DaysBand
from ruvex.desktop.views.timeline.jobs import job_text, paint_jobs
from ruvex.desktop.views.timeline.lane import AIR
from ruvex.desktop.views.timeline.pictures import COMPACT, OFF_LANE, TALL, Pictures
from ruvex.desktop.views.timeline.readout import Readout
from ruvex.plan import RESOURCES, Event, format_number, format_time

NAMES: Final = 232
RIGHT: Final = 64
POOL_LANE: Final = 22
HOST_LANE: Final = 34
FLOW_LANE: Final = 26
DENSITIES: Final = {"compact": "compact", "mixed": "mixed", "tall": "tall"}
"""How tall lanes are: all low, those chosen or worst hit tall, or all tall; and what that is called."""
_WORST: Final = 4
_DRAW_AGAIN_MS: Final = 30
_ZOOM: Final = 0.8
_WHEEL_STEP: Final = 120
_PAN: Final = 0.1


class Lanes(RowField):
    """All hosts, guests and pools as lanes over the day.

    Attributes
    ----------
    scale
        The time axis.
    cross_s
        The time under the crosshair.
    days
        Which day is drawn.
    density
        One of ``DENSITIES``.

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

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget) -> None:
        super().__init__(desk, theme, parent)
        self._playing = desk.playing
        self.days = DaysBand(desk, self)
        self.scale = TimeScale(0, 1, 0.0, desk.look.plan.day_s, desk.look.plan.day_s)
        self.cross_s = desk.look.plan.moment
        self.density = "compact"
        self._taller: set[str] = set()
        self._wanted = ""
        self._readout = Readout(desk, theme)
        self._pictures = Pictures(desk, theme, self.days)
        self._ground: QPixmap | None = None
        self._drawn: object = None
        name = "Hosts, guests and pools over the day: arrows left and right move the crosshair, up and down select rows"
        self.set_reader(name, self._story)
        self.reader.focus_moved.connect(self._draw_more)
        desk.look.rows_changed.connect(self.lay_out_rows)
        desk.look.changed.connect(self._on_divided)
        desk.selection.changed.connect(self._on_selection_changed)
        desk.rehearsal.changed.connect(self._on_rehearsed)
        desk.trial.effect_changed.connect(self._on_rehearsed)
        desk.units.changed.connect(self._draw_anew)
        desk.waits.changed.connect(self._draw_anew)
        desk.document.edited.connect(lambda _text: self._draw_anew())
        self._playing.restarted.connect(self._on_restarted)
        self._playing.advanced.connect(self._on_advanced)
        self._playing.ended.connect(self._on_ended)
        theme.changed.connect(self.lay_out_rows)
        self.lay_out_rows()

    # What is shown

    @property
    def is_behind(self) -> bool:
        """Whether some lane in sight still shows less than was played; it is drawn anew a moment later."""
        return self._pictures.are_behind(row.item_id for row, _ in self._rows_shown())

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

    def set_density(self, density: str) -> None:
        """Let all lanes be low, or tall, or only some of them tall."""
        self.density = density
        self._taller.clear()
        self.lay_out_rows()

    def look_for(self, words: str) -> None:
        """Show only rows that have these words in their name or tags."""
        self._wanted = words
        self.lay_out_rows()

    def lay_out_rows(self) -> None:
        """Find out anew which lanes show, and how tall each is."""
        plan = self._desk.look.plan
        self.settle_folds()
        px, tall = self._theme.px, self._tall()

        def height(row: Row) -> int:
            if row.kind == "host":
                return px(HOST_LANE)
            if row.kind == "flow":
                return px(FLOW_LANE)
            if row.is_pool:
                return px(POOL_LANE)
            if not self._is_ever_on(row):
                return px(OFF_LANE)
            return px(TALL if row.item_id in tall else COMPACT)

        self.row_list.rebuild(
            self._desk.look.division, plan, self.folded, height, wanted=self._wanted, hosts_first=True
        )
        self.reader.show_rows(self.row_list)
        self.reader.follow(self.current_number())
        self._lay_out()
        self.bring_into_view()

    def _tall(self) -> set[str]:
        """Give the guests whose lanes are tall."""
        guests = [guest.id for guest in self._desk.look.plan.guests]
        if self.density == "tall":
            return set(guests) - self._taller
        chosen = set(self._taller)
        player = self._playing.player
        if self.density == "mixed":
            chosen ^= set(self._desk.selection.ids)
            if player is not None and player.is_over:
                hurt = sorted(player.summary().guests, key=lambda guest: -guest.short_s)
                chosen |= {guest.id for guest in hurt[:_WORST]}
        return chosen

    def _is_ever_on(self, row: Row) -> bool:
        if row.is_on:
            return True
        recording, members = self.days.recording, self._pictures.members(row.item_id)
        return recording is not None and bool(members.size) and bool(recording.series("phase")[members].any())

    def _lay_out(self) -> None:
        day_s, px = self._desk.look.plan.day_s, self._theme.px
        left = px(NAMES)
        right = max(left + 50, self.viewport().width() - px(RIGHT))
        start, end = (0.0, day_s) if self.scale.whole_s != day_s else (self.scale.start_s, self.scale.end_s)
        self.scale = TimeScale(left, right, start, end, day_s)
        self.set_scroll_range(px(COMPACT))
        self.scale_changed.emit()
        self._draw_anew()

    def _on_restarted(self) -> None:
        self._pictures.forget()
        self.lay_out_rows()

    def _on_ended(self) -> None:
        """The whole day is known: who was on at all, who was worst hit."""
        self.lay_out_rows()

    def _on_advanced(self) -> None:
        """Let every lane be drawn anew, a few at a time: until its turn comes each shows what it had."""
        self._pictures.age()
        self._ground = None
        self.viewport().update()

    def _on_rehearsed(self) -> None:
        """Draw the day of what is being tried, or again the one that was played."""
        drawn = (self.days.player, self.days.before)
        if drawn != self._drawn:
            self._drawn = drawn
            self._on_advanced()

    def _draw_anew(self) -> None:
        self._pictures.forget()
        self._ground = None
        self.viewport().update()

    def _on_divided(self) -> None:
        goes_along = self._playing.is_running and self._playing.speed > 0
        if self._desk.look.plan.moment != self.cross_s and not goes_along:
            self.set_cross(self._desk.look.plan.moment)

    def _on_selection_changed(self) -> None:
        selected = self._desk.selection.current
        if selected is not None and self.row_list.number_of(selected) is None and not self._wanted:
            self.unfold_around(selected)
            self.lay_out_rows()
        elif self.density == "mixed":
            self.lay_out_rows()
        self.reader.follow(self.current_number())
        self.bring_into_view()
        self._ground = None
        self.viewport().update()

    def _story(self, row: Row) -> str:
        """Say what the crosshair reads of a row, as it stands beside its lane."""
        self._readout.begin(self.days.player, self.cross_s)
        cpu, memory, told = self._readout.texts(row, self._pictures.members(row.item_id))
        parts = [f"{row.label} at {format_time(round(self.cross_s))}"]
        for name, (got, of) in (("CPU", cpu), ("memory", memory)) if row.kind != "flow" else (("", cpu),):
            if got:
                parts.append(f"{name} {got} {of}".strip())
        jobs = self.days.jobs().get(row.item_id, [])
        parts += [f"batch due {format_time(job.due_s)}, {job_text(job)}" for job in jobs]
        return ", ".join([*parts, *([told] if told else [])])

    # Painting

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint lanes from their picture, and what the crosshair reads over them."""
        with painting(self.viewport()) as painter:
            ratio = self.devicePixelRatioF()
            if self._ground is None or self._ground.devicePixelRatio() != ratio:
                self._ground = self._draw_ground(ratio)
            painter.drawPixmap(0, 0, self._ground)
            self._readout.begin(self.days.player, self.cross_s)
            for row, place in self._rows_shown():
                self._readout.paint(painter, row, place, self._pictures.members(row.item_id))
            x = round(self.scale.x(self.cross_s))
            if self.scale.left <= x <= self.scale.right:
                painter.setPen(QPen(self._theme.colours.ink, 1))
                painter.drawLine(x, 0, x, self.viewport().height())

    def _rows_shown(self) -> list[tuple[Row, QRect]]:
        return [(self.row_list.rows[number], self.place_of(number)) for number in self.rows_in_sight]

    def _draw_ground(self, ratio: float) -> QPixmap:
        size = self.viewport().size()
        pixmap = QPixmap(max(1, round(size.width() * ratio)), max(1, round(size.height() * ratio)))
        pixmap.setDevicePixelRatio(ratio)
        colours, theme = self._theme.colours, self._theme
        pixmap.fill(colours.paper)
        with painting(pixmap) as painter:
            self._pictures.begin()
            shown = self._rows_shown()
            for row, place in shown:
                ground = place.adjusted(0, 0, 0, -1)
                if row.folds or row.is_place:
                    painter.fillRect(ground, colours.host_row if row.is_place else colours.band_row)
                image = self._pictures.image(row, place, self.scale, ratio)
                if image is not None:
                    painter.drawImage(QPointF(self.scale.left, place.top() + 1), image)
                    self._paint_tops(painter, row, place)
                elif not (row.folds or row.is_place):
                    painter.setPen(QPen(colours.muted, 1, Qt.PenStyle.DotLine))
                    y = place.center().y()
                    painter.drawLine(self.scale.left, y, self.scale.right, y)
                painter.setPen(colours.grid)
                painter.drawLine(0, place.bottom(), place.width(), place.bottom())
            painter.setPen(QPen(colours.grid, 1, Qt.PenStyle.DotLine))
            for at_s in self.scale.ticks(theme.px(70)):
                x = self.scale.x(at_s)
                painter.drawLine(QPointF(x, 0), QPointF(x, self.row_list.height))
            self._paint_events(painter, shown)
            jobs = self.days.jobs()
            for row, place in shown:
                if row.item_id in jobs:
                    paint_jobs(painter, theme, self.scale, place, jobs[row.item_id])
            self._paint_selection(painter, shown)
        if self.is_behind:
            QTimer.singleShot(_DRAW_AGAIN_MS, self._draw_more)
        return pixmap

    def _draw_more(self) -> None:
        self._ground = None
        self.viewport().update()

    def _paint_tops(self, painter: QPainter, row: Row, place: QRect) -> None:
        """Write what the upper edges of the lanes stand for; where there is room for one, that of CPU."""
        theme, units = self._theme, self._desk.units
        face = theme.face(11)
        painter.setPen(theme.colours.muted)
        height, texts = theme.px(15), []
        if row.kind == "flow":
            place_of = self._desk.look.division.flowing.places
            supply = place_of[row.index].supply if row.index < len(place_of) else 0.0
            face.draw(painter, self.scale.right + theme.px(5), place.top(), place.height(), format_number(supply))
            return
        if row.kind == "host":
            figures = self._desk.look.division.by_host
            tops = [float(figures.supply[k, row.index]) for k in range(len(RESOURCES))]
        else:
            of_row = self._pictures.tops(row.item_id)
            # Where nothing ever was there is nothing to write.
            tops = [top / AIR if top > AIR else 0.0 for top in (of_row.cpu, of_row.memory)]
        for name, top in zip(RESOURCES, tops, strict=True):
            unit = units.of(name, row.item_id) if row.kind != "host" else units.common(name)
            texts.append(f"{top / unit.per:.3g} {unit.name}" if top > 0 else "")
        lines = texts if place.height() >= 2 * height else texts[:1]
        step = place.height() / len(lines)
        for number, text in enumerate(lines):
            face.draw(painter, self.scale.right + theme.px(5), place.top() + number * step, step, text)

    def _paint_events(self, painter: QPainter, shown: list[tuple[Row, QRect]]) -> None:
        """Mark events in the lanes of what they concern."""
        events = self.events()
        painter.setPen(QPen(self._theme.colours.ink, 1, Qt.PenStyle.DashLine))
        for row, place in shown:
            for at_s in (event.at for event in events if event.target == row.item_id):
                if self.scale.start_s <= at_s <= self.scale.end_s:
                    x = self.scale.x(at_s)
                    painter.drawLine(QPointF(x, place.top() + 1), QPointF(x, place.bottom() - 1))

    def _paint_selection(self, painter: QPainter, shown: list[tuple[Row, QRect]]) -> None:
        selection, colours = self._desk.selection, self._theme.colours
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for row, place in shown:
            is_current = row.item_id == selection.row_id
            if is_current or row.item_id in selection.ids:
                thick = 2 if is_current and self.hasFocus() else 1.4
                painter.setPen(QPen(colours.selected_line if is_current else colours.muted, thick))
                painter.drawRoundedRect(QRectF(place).adjusted(3, 0.5, -3, -1.5), 5, 5)

    def events(self) -> list[Event]:
        """Give the plan's events and those put in while playing."""
        return [*self._desk.look.plan.events, *self._playing.kept]

    # Mouse and keys

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Lay out again."""
        super().resizeEvent(event)
        self._lay_out()

    def scrollContentsBy(self, _dx: int, _dy: int) -> None:
        """Draw the lanes that show now."""
        self._ground = None
        self.viewport().update()

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
        row = self.row_at(event.position().toPoint())
        if row is not None:
            if row.is_pool and event.position().x() < self._theme.px(24 + 14 * row.depth):
                self.fold(row.item_id, folded=not row.is_folded)
                return
            self._desk.selection.select(row.item_id)
        if event.position().x() >= self.scale.left:
            at_s = self.scale.time(event.position().x())
            self.set_cross(at_s)
            self._desk.look.set_moment(round(at_s))

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Let a lane be tall, or low again; fold or unfold a pool."""
        row = self.row_at(event.position().toPoint()) if event is not None else None
        if row is not None and row.is_pool:
            self.fold(row.item_id, folded=not row.is_folded)
        elif row is not None and row.kind == "guest":
            self._taller ^= {row.item_id}
            self.lay_out_rows()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Ask for the menu of a row; it is selected, if it was not."""
        row = self.row_at(event.pos()) if event is not None else None
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
        """Move the crosshair and the selection, fold and unfold."""
        if event is None:
            return
        key, shift = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        step = self.scale.span_s / max(1, self.scale.right - self.scale.left)
        step = max(step, self.days.recording.every_s if self.days.recording is not None else 10.0)
        moves = {Qt.Key.Key_Left: -step, Qt.Key.Key_Right: step}
        number = self.current_number()
        row = self.row_list.rows[number] if number is not None else None
        if key in moves:
            self._desk.look.set_moment(self.cross_s + moves[Qt.Key(key)] * (10 if shift else 1))
            self.set_cross(self._desk.look.plan.moment)
        elif key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            rows = self.row_list.rows
            then = 0 if number is None else number + (1 if key == Qt.Key.Key_Down else -1)
            if rows:
                self._desk.selection.select(rows[min(max(then, 0), len(rows) - 1)].item_id)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and row is not None:
            if row.is_pool:
                self.fold(row.item_id, folded=not row.is_folded)
            elif row.kind == "guest":
                self._taller ^= {row.item_id}
                self.lay_out_rows()
        elif key == Qt.Key.Key_Home:
            self.set_scale(self.scale.at(0.0, self.scale.whole_s))
        else:
            super().keyPressEvent(event)

    def lane_rect(self, item_id: str) -> QRectF:
        """Give where the lanes of a row stand in the viewport."""
        place = self.row_rect(item_id)
        return QRectF(self.scale.left, place.top(), self.scale.right - self.scale.left, place.height())
