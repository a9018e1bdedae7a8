"""The threads as lines, each turn in the hue of its guest's pool, and below each line who waits."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np
from PyQt6.QtCore import QEvent, QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QWidget

from ruvex.desktop.kit.endings import draw_ending
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme, blend, legible
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.views.cores.area import ZOOM, PaneArea
from ruvex.desktop.views.cores.pane import Pane
from ruvex.desktop.views.cores.pixels import Bools, BusyTime, Floats, Pixels, Sheet, blended, covered, runs_of
from ruvex.desktop.views.cores.strips import HAIRS, Strips
from ruvex.desktop.views.cores.words import ENDING_MARKS, ms_text

NAMES: Final = 132
RIGHT: Final = 16
_HEAD: Final = 22
_PITCH: Final = 36
_BAR: Final = 17
_GHOST: Final = 4
_HAIR: Final = 2.4
_THICK: Final = 1.2
_WAKE: Final = 2.0
"""How far the mark of a wake hangs below the line."""
_PALE: Final = 0.6
_CHOSEN: Final = 0.25
_LEAST_MARKED: Final = 8.0
_LEAST_PARTED: Final = 3.0
_TICK_ROOM: Final = 76
_CLASS_CHOSEN: Final = 1000
"""The class of the selected guest's turns, beside those of hues."""


class Threads(PaneArea):
    """The upper half of the view."""

    def __init__(self, desk: Desk, theme: Theme, pane: Pane, parent: QWidget) -> None:
        name = "Threads: arrows go from turn to turn, with Shift to the guest's next, + and − zoom, Home shows all"
        super().__init__(desk, theme, pane, name, parent)
        self._busy: dict[tuple[int, int, int], BusyTime] = {}
        self._held_x: float | None = None
        self._seen.setMouseTracking(True)
        for signal in (pane.scale_changed, pane.lit_changed):
            signal.connect(self._seen.update)
        pane.replaced.connect(self._on_replaced)
        desk.selection.changed.connect(self._seen.update)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    # Places

    def _on_replaced(self) -> None:
        self._busy.clear()
        self._set_range()
        self._seen.update()

    def _on_theme_changed(self) -> None:
        self._busy.clear()
        self.setMinimumHeight(self._theme.px(_HEAD + 2 * _PITCH))
        self._set_range()
        self._lay_axis()
        self._seen.update()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fit axis and lines."""
        super().resizeEvent(event)
        self._set_range()
        self._lay_axis()

    def _lay_axis(self) -> None:
        px = self._theme.px
        left = px(NAMES)
        self._pane.set_ends(left, max(self.width() - px(RIGHT), left + 40))

    def _set_range(self) -> None:
        strips, px = self._pane.strips, self._theme.px
        self._scroll_over(0 if strips is None else strips.threads * px(_PITCH), px(_HEAD), px(_PITCH))

    def line_top(self, thread: int) -> int:
        """Give the y at which the line of a thread begins, in the viewport."""
        return self._theme.px(_HEAD) + thread * self._theme.px(_PITCH) - self._bar.value()

    def bar_of(self, turn: int) -> QRectF:
        """Give where a turn is drawn, in the viewport."""
        strips = self._pane.strips
        assert strips is not None
        scale, px = self._pane.scale, self._theme.px
        left, right = scale.x(strips.begin[turn] / 1000.0), scale.x(strips.end[turn] / 1000.0)
        top = self.line_top(int(strips.thread[turn])) + px(_GHOST + 1)
        return QRectF(left, top, max(right - left, 1.0), px(_BAR))

    def _thread_at(self, y: float) -> int | None:
        strips = self._pane.strips
        at = int((y - self._theme.px(_HEAD) + self._bar.value()) // self._theme.px(_PITCH))
        is_there = strips is not None and y >= self._theme.px(_HEAD) and 0 <= at < strips.threads
        return at if is_there else None

    def turn_at(self, x: float, y: float) -> int | None:
        """Give the turn at a place of the viewport."""
        thread, strips, scale = self._thread_at(y), self._pane.strips, self._pane.scale
        if thread is None or strips is None or not scale.left <= x <= scale.right:
            return None
        top = self.line_top(thread)
        if y > top + self._theme.px(_GHOST + 1 + _BAR):
            return None
        return strips.turn_at(thread, scale.time(x) * 1000.0)

    # Painting

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the axis, the lines in sight, and what is lit."""
        with painting(self._seen) as painter:
            self.paint(painter, self._seen.height())

    def paint(self, painter: QPainter, height: int, *, first: int | None = None) -> None:
        """Paint as many lines as a height has room for; in sight, or from a first one on."""
        theme, colours, strips = self._theme, self._theme.colours, self._pane.strips
        painter.fillRect(0, 0, self.width(), height, colours.paper)
        if strips is None:
            return
        px, scale = theme.px, self._pane.scale
        head, pitch = px(_HEAD), px(_PITCH)
        ticks = scale.ticks(px(_TICK_ROOM), least_s=0.0)
        shift = self._bar.value() if first is None else first * pitch
        low = max(0, shift // pitch)
        threads = range(low, min(strips.threads, (shift + height - head) // pitch + 1))
        painter.setClipRect(0, head, self.width(), height - head)
        if self._pane.as_shapes:
            self._paint_shapes(painter, strips, threads, head - shift)
        else:
            device = painter.device()
            ratio = device.devicePixelRatio() if device is not None else 1.0
            sheet = self._sheet(strips, threads, head - shift, height, ratio)
            painter.drawImage(QPointF(scale.left, 0), sheet.image())
        inks = self._inks(strips)
        for thread in threads:
            self._paint_line(painter, strips, thread, head + thread * pitch - shift, inks)
        self._paint_lit(painter, strips, threads, head - shift)
        painter.setClipping(False)
        self._paint_axis(painter, ticks)
        painter.setPen(colours.line)
        painter.drawLine(0, height - 1, self.width(), height - 1)

    def _paint_axis(self, painter: QPainter, ticks: Sequence[float]) -> None:
        theme, scale = self._theme, self._pane.scale
        face, high = theme.face(11), theme.px(_HEAD)
        painter.fillRect(0, 0, self.width(), high, theme.colours.paper)
        bold = theme.face(12, bold=True)
        painter.setPen(theme.colours.ink)
        bold.draw(painter, theme.px(12), 0, high, "Threads")
        painter.setPen(theme.colours.muted)
        for at in ticks:
            text, x = ms_text(at * 1000.0, scale.span_s), scale.x(at)
            wide = face.width(text)
            face.draw(painter, min(max(x - wide / 2, scale.left), self.width() - wide - 4), 0, high, text)

    def _columns(self, ratio: float) -> Floats:
        scale = self._pane.scale
        count = max(1, round((scale.right - scale.left) * ratio))
        return np.linspace(scale.start_s * 1000.0, scale.end_s * 1000.0, count + 1)

    def _paint_line(
        self, painter: QPainter, strips: Strips, thread: int, top: float, inks: Mapping[int, QColor]
    ) -> None:
        """Paint the name of a thread, and the marks of its turns."""
        theme, px = self._theme, self._theme.px
        colours, parties = theme.colours, strips.trace.parties
        core, second = divmod(thread, parties.width)
        is_lit = self._pane.lit is not None and int(strips.thread[self._pane.lit]) == thread
        painter.setPen(colours.ink)
        theme.face(12, bold=is_lit).draw(painter, px(12), top + px(2), px(16), f"thread {thread}")
        painter.setPen(colours.muted)
        words = f"core {core}" + ("" if second == 0 else ", second" if parties.width == 2 else f", {second + 1}")
        theme.face(11).draw(painter, px(12), top + px(18), px(14), words)
        self._paint_marks(painter, strips, thread, top + px(_GHOST + 1), inks)

    def _colour(self, number: int, chosen: int | None) -> QColor:
        paper = self._theme.colours.paper
        if number == _CLASS_CHOSEN:
            return blend(self._theme.bar_colours(chosen).solid, paper, _CHOSEN)
        return blend(self._theme.bar_colours(None if number < 0 else number).solid, paper, _PALE)

    def _inks(self, strips: Strips) -> Mapping[int, QColor]:
        """Give by guest the colour in which its name can be read on its turns."""
        chosen, colours = self._chosen(strips), self._theme.colours
        found = {}
        for guest in strips.vcpus_of:
            hue = strips.hue(guest)
            ground = self._colour(_CLASS_CHOSEN if guest == chosen else -1 if hue is None else hue, hue)
            found[guest] = legible(ground, colours.ink, colours.paper)
        return found

    def _chosen(self, strips: Strips) -> int:
        """Give the selected guest's position in the plan, −1 if none is."""
        return strips.division.site.plan.guest_index.get(self._desk.selection.current or "", -1)

    def _busy_row(self, strips: Strips, thread: int, edges: Floats) -> Pixels:
        """Give a line of turns as one row of pixels."""
        chosen = self._chosen(strips)
        key = id(strips), thread, chosen
        busy = self._busy.get(key)
        if busy is None:
            by_thread = strips.turns_by_thread
            low, high = int(by_thread.first[thread]), int(by_thread.first[thread + 1])
            vcpus = strips.vcpu[by_thread.which[low:high]]
            classes = np.where(strips.guest_of[vcpus] == chosen, _CLASS_CHOSEN, strips.hues[vcpus])
            busy = self._busy[key] = BusyTime(by_thread.begin[low:high], by_thread.end[low:high], classes)
        hue = strips.hue(chosen) if chosen in strips.vcpus_of else None
        parts = busy.parts(edges)
        colours = {number: self._colour(number, hue) for number in parts}
        return blended(parts, colours, self._theme.colours.paper, edges.size - 1)

    def _paint_shapes(self, painter: QPainter, strips: Strips, threads: range, shift: float) -> None:
        """Paint every turn in sight, and every wait, as a rectangle of its own."""
        scale, by_thread, px = self._pane.scale, strips.turns_by_thread, self._theme.px
        chosen, edges = self._chosen(strips), self._columns(1.0)
        hairs, dark = self._hairs(strips, threads, edges), self._hair_colour()
        wakes = self._wakes(strips, threads, edges)
        for number, thread in enumerate(threads):
            top = shift + thread * px(_PITCH) + px(_GHOST + 1)
            for at in by_thread.within(thread, scale.start_s * 1000.0, scale.end_s * 1000.0).tolist():
                guest = int(strips.guest_of[strips.vcpu[by_thread.which[at]]])
                hue = strips.hue(guest)
                colour = self._colour(_CLASS_CHOSEN if guest == chosen else -1 if hue is None else hue, hue)
                left, right = (scale.x(float(ms[at]) / 1000.0) for ms in (by_thread.begin, by_thread.end))
                left, right = max(left, scale.left), min(right, scale.right)
                painter.fillRect(QRectF(left, top, right - left, px(_BAR)), colour)
            for at, _ in runs_of(wakes[number]):
                painter.fillRect(QRectF(scale.left + at, top + px(_BAR), 1.0, _WAKE), self._theme.colours.muted)
            for line in range(HAIRS):
                for first, last in runs_of(hairs[number * HAIRS + line]):
                    y = self._hair_top(top, line)
                    painter.fillRect(QRectF(scale.left + first, y, last - first, _THICK), dark)

    def _paint_marks(
        self, painter: QPainter, strips: Strips, thread: int, top: float, inks: Mapping[int, QColor]
    ) -> None:
        """Part turns that are wide enough, and tell why each ended and whose it was."""
        theme, scale = self._theme, self._pane.scale
        ink, high = theme.colours.ink, theme.px(_BAR)
        per_ms = (scale.right - scale.left) / scale.span_s / 1000.0
        by_thread = strips.turns_by_thread
        here = by_thread.within(thread, scale.start_s * 1000.0, scale.end_s * 1000.0)
        wide = (by_thread.end[here] - by_thread.begin[here]) * per_ms
        here, wide = here[wide >= _LEAST_PARTED], wide[wide >= _LEAST_PARTED]
        begin = scale.left + (by_thread.begin[here] - scale.start_s * 1000.0) * per_ms
        end = np.minimum(begin + wide, scale.right)
        begin = np.maximum(begin, scale.left)
        painter.setPen(theme.colours.paper)
        for x in end.tolist():
            painter.drawLine(QLineF(x, top, x, top + high))
        plan, face = strips.division.site.plan, theme.face(11)
        for number, left, right in zip(by_thread.which[here].tolist(), begin.tolist(), end.tolist(), strict=True):
            if right - left < _LEAST_MARKED:
                continue
            place = QRectF(left, top, right - left, high)
            draw_ending(painter, ENDING_MARKS[int(strips.why[number])], place, ink)
            vcpu = int(strips.vcpu[number])
            guest = plan.guests[int(strips.guest_of[vcpu])]
            text = guest.label if guest.vcpus == 1 else f"{guest.label} {int(strips.number_of[vcpu])}"
            # A name stands only where it fits whole.
            if face.width(text) + 14 <= right - left:
                painter.setPen(inks[int(strips.guest_of[vcpu])])
                face.draw(painter, left + 4, top, high, text)

    def _sheet(self, strips: Strips, threads: range, shift: float, height: int, ratio: float) -> Sheet:
        """Give turns and waits of the lines in sight as pixels."""
        scale, px, colours = self._pane.scale, self._theme.px, self._theme.colours
        edges = self._columns(ratio)
        sheet = Sheet(edges.size - 1, round(height * ratio), colours.paper, ratio)
        for at in scale.ticks(px(_TICK_ROOM), least_s=0.0):
            sheet.tint(scale.x(at) - scale.left, scale.x(at) - scale.left + 1, colours.grid)
        band = self.lit_band
        if band is not None:
            sheet.tint(band[0] - scale.left, band[1] - scale.left, colours.band_row)
        before = self._pane.before
        hairs, wakes = self._hairs(strips, threads, edges), self._wakes(strips, threads, edges)
        ink = self._theme.colours.muted.rgb()
        dark = self._hair_colour().rgb()
        for number, thread in enumerate(threads):
            top = shift + thread * px(_PITCH)
            if before is not None and thread < before.threads:
                sheet.fill(top, top + px(_GHOST - 1), self._busy_row(before, thread, edges))
            top += px(_GHOST + 1)
            sheet.fill(top, top + px(_BAR), self._busy_row(strips, thread, edges))
            sheet.fill(top + px(_BAR), top + px(_BAR) + _WAKE, ink, wakes[number])
            for line in range(HAIRS):
                y = self._hair_top(top, line)
                sheet.fill(y, y + _THICK, dark, hairs[number * HAIRS + line])
        return sheet

    def _hair_top(self, bar_top: float, line: int) -> float:
        return bar_top + self._theme.px(_BAR + 2) + line * self._theme.scale * _HAIR

    def _hair_colour(self) -> QColor:
        return blend(self._theme.colours.muted, self._theme.colours.paper, 0.25)

    def _hairs(self, strips: Strips, threads: range, edges: Floats) -> Bools:
        """Tell which pixels of the lines below each thread in sight have somebody waiting."""
        its = strips.waits_within(float(edges[0]), float(edges[-1]))
        rows = (strips.wait_thread[its] - threads.start) * HAIRS + strips.wait_line[its]
        is_seen = (strips.wait_line[its] >= 0) & (rows >= 0) & (rows < len(threads) * HAIRS)
        its, rows = its[is_seen], rows[is_seen]
        return covered(rows, strips.wait_begin[its], strips.wait_end[its], len(threads) * HAIRS, edges)

    def _wakes(self, strips: Strips, threads: range, edges: Floats) -> Bools:
        """Tell in which pixels of each thread in sight a sleeper of that thread wakes."""
        its = strips.waits_within(float(edges[0]), float(edges[-1]))
        rows = strips.wait_thread[its] - threads.start
        begin = strips.wait_begin[its]
        is_seen = strips.is_wake[its] & (rows >= 0) & (rows < len(threads)) & (begin >= edges[0])
        # As long as nothing, it is still a pixel.
        return covered(rows[is_seen], begin[is_seen], begin[is_seen] + 1e-9, len(threads), edges)

    def _paint_lit(self, painter: QPainter, strips: Strips, threads: range, shift: float) -> None:
        """Paint the lit turn, its fellows with their numbers, and who waited for it."""
        theme, lit = self._theme, self._pane.lit
        if lit is None:
            return
        px, scale, face = theme.px, self._pane.scale, theme.face(11, bold=True)
        painter.save()
        painter.setClipRect(QRectF(scale.left, px(_HEAD), scale.right - scale.left, self.height()))
        solid = theme.bar_colours(strips.hue(int(strips.guest_of[strips.vcpu[lit]]))).solid
        for turn in (*strips.fellows(lit).tolist(), lit):
            thread = int(strips.thread[turn])
            if thread not in threads:
                continue
            left, right = (scale.x(float(at[turn]) / 1000.0) for at in (strips.begin, strips.end))
            top = shift + thread * px(_PITCH) + px(_GHOST + 1)
            place = QRectF(left, top, max(right - left, 2.0), px(_BAR))
            painter.fillRect(place, solid)
            draw_ending(painter, ENDING_MARKS[int(strips.why[turn])], place, theme.colours.ink)
            text = str(int(strips.number_of[strips.vcpu[turn]]))
            if face.width(text) + 8 <= place.width():
                painter.setPen(legible(solid, theme.colours.paper, theme.colours.ink))
                face.draw(painter, max(left, scale.left) + 4, top, px(_BAR), text)
            if turn == lit:
                painter.setPen(QPen(theme.colours.ink, 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(place.adjusted(-1, -1, 1, 1))
        self._paint_waiting(painter, strips, lit, threads, shift)
        painter.restore()

    def _paint_waiting(self, painter: QPainter, strips: Strips, lit: int, threads: range, shift: float) -> None:
        theme, scale, px = self._theme, self._pane.scale, self._theme.px
        for wait in strips.waiting(lit).tolist():
            thread = int(strips.wait_thread[wait])
            line = int(strips.wait_line[wait])
            if thread not in threads or line < 0:
                continue
            hue = strips.hue(int(strips.guest_of[strips.wait_vcpu[wait]]))
            y = self._hair_top(shift + thread * px(_PITCH) + px(_GHOST + 1), line) + 0.6
            left, right = (scale.x(float(at[wait]) / 1000.0) for at in (strips.wait_begin, strips.wait_end))
            painter.setPen(QPen(theme.bar_colours(hue).edge, 2.2))
            painter.drawLine(QPointF(max(left, scale.left), y), QPointF(min(right, scale.right), y))

    # Mouse and keys

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Light the turn below the pointer; move along while the button is held."""
        if event is None:
            return
        x, y = event.position().x(), event.position().y()
        if self._held_x is not None and event.buttons() & Qt.MouseButton.LeftButton:
            scale = self._pane.scale
            by_s = (self._held_x - x) * scale.span_s / max(1, scale.right - scale.left)
            if abs(self._held_x - x) >= 3:
                self._pane.set_scale(scale.moved(by_s))
                self._held_x = x
            return
        self._pane.light(self.turn_at(x, y))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select the guest whose turn it is."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        self._held_x = event.position().x()
        strips, turn = self._pane.strips, self.turn_at(event.position().x(), event.position().y())
        if strips is not None and turn is not None:
            guest = int(strips.guest_of[strips.vcpu[turn]])
            self._desk.selection.select(strips.division.site.plan.guests[guest].id)

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """Let go."""
        self._held_x = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Show the turn below the pointer large."""
        turn = None if event is None else self.turn_at(event.position().x(), event.position().y())
        strips = self._pane.strips
        if turn is not None and strips is not None:
            begin, end = float(strips.begin[turn]) / 1000.0, float(strips.end[turn]) / 1000.0
            span = max(2 * (end - begin), self._pane.scale.least_s)
            self._pane.set_scale(self._pane.scale.at((begin + end - span) / 2, min(span, self._pane.scale.whole_s)))

    def leaveEvent(self, event: QEvent | None) -> None:
        """Light nothing."""
        super().leaveEvent(event)
        if not self.hasFocus():
            self._pane.light(None)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Go from turn to turn, zoom, show all."""
        strips = self._pane.strips
        if event is None or strips is None or not strips.thread.size:
            super().keyPressEvent(event)
            return
        key, shift = event.key(), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        scale, lit = self._pane.scale, self._pane.lit
        middle = (scale.left + scale.right) / 2
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._pane.set_scale(scale.zoomed(middle, ZOOM))
        elif key == Qt.Key.Key_Minus:
            self._pane.set_scale(scale.zoomed(middle, 1 / ZOOM))
        elif key == Qt.Key.Key_Home:
            self._pane.show_all()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._go(strips, lit, Qt.Key(key), of_guest=shift)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and lit is not None:
            guest = int(strips.guest_of[strips.vcpu[lit]])
            self._desk.selection.select(strips.division.site.plan.guests[guest].id)
        elif key == Qt.Key.Key_Escape and self._desk.trial.step is None:
            self._pane.light(None)
        else:
            super().keyPressEvent(event)

    def _go(self, strips: Strips, lit: int | None, key: Qt.Key, *, of_guest: bool) -> None:
        if lit is None:
            at_ms = self._pane.scale.start_s * 1000.0
            begun = np.flatnonzero(strips.end > at_ms)
            turn = int(begun[np.lexsort((strips.begin[begun], strips.thread[begun]))[0]]) if begun.size else 0
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            turn = strips.next_turn(lit, 1 if key == Qt.Key.Key_Right else -1, of_guest=of_guest)
        else:
            turn = self._beside(strips, lit, 1 if key == Qt.Key.Key_Down else -1)
        self._pane.bring(turn)
        bar, top = self._bar, self.line_top(int(strips.thread[turn]))
        head, pitch = self._theme.px(_HEAD), self._theme.px(_PITCH)
        if top < head:
            bar.setValue(bar.value() + top - head)
        elif top + pitch > self._seen.height():
            bar.setValue(bar.value() + top + pitch - self._seen.height())

    @staticmethod
    def _beside(strips: Strips, lit: int, step: int) -> int:
        """Give the turn at the same time on the next thread where somebody ran then."""
        middle = float(strips.begin[lit] + strips.end[lit]) / 2
        thread = int(strips.thread[lit]) + step
        while 0 <= thread < strips.threads:
            found = strips.turn_at(thread, middle)
            if found is not None:
                return found
            thread += step
        return lit
