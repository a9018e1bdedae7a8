"""The waits by guest below the threads, on the same axis: a hair a vCPU, then how often and how long."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme, blend
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.views.cores import histogram
from ruvex.desktop.views.cores.area import PaneArea
from ruvex.desktop.views.cores.pane import Pane
from ruvex.desktop.views.cores.pixels import Floats, Sheet, covered, runs_of
from ruvex.desktop.views.cores.strips import HELD, SOLID, SPENT, Strips
from ruvex.desktop.views.cores.words import wait_text

_HEAD: Final = 24
_ROW: Final = 21
_TALL: Final = 28
_NAMES: Final = 132
_HISTOGRAM: Final = 100
_COLUMNS: Final = ("ran", "waited", "95th", "longest")
_COLUMN: Final = 48
_PALE: Final = 0.25
_DOTS: Final = 4
_DASHES: Final = 10
_THICK: Final = 1.4


class WaitRows(PaneArea):
    """The lower half of the view."""

    def __init__(self, desk: Desk, theme: Theme, pane: Pane, parent: QWidget) -> None:
        super().__init__(desk, theme, pane, "Waits by guest, the longest first: up and down select guests", parent)
        self._counts: dict[tuple[int, int], Floats] = {}
        for signal in (pane.scale_changed, pane.lit_changed):
            signal.connect(self._on_moved)
        pane.replaced.connect(self._on_replaced)
        desk.selection.changed.connect(self._on_selected)
        theme.changed.connect(self._on_replaced)

    def _on_replaced(self) -> None:
        self._counts.clear()
        self._on_selected()

    def _on_selected(self) -> None:
        self._set_range()
        guest = self.chosen
        if guest is not None and self._pane.strips is not None:
            figures = self._pane.strips.figures[guest]
            self.setAccessibleDescription(
                f"{self._name(guest)}: 95 % of waits within {wait_text(figures.p95_ms)} ms,"
                f" the longest {wait_text(figures.longest_ms)} ms"
            )
        self._seen.update()

    def _on_moved(self) -> None:
        """Paint the strips anew; what stands left and right of them stays."""
        scale = self._pane.scale
        self._seen.update(scale.left - 1, 0, scale.right - scale.left + 2, self._seen.height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fit the rows."""
        super().resizeEvent(event)
        self._set_range()

    def _set_range(self) -> None:
        px, rows = self._theme.px, self.rows
        high = len(rows) * px(_ROW) + (px(_TALL) - px(_ROW) if self.chosen is not None else 0)
        # What it does not need is the threads'.
        self.setMinimumHeight(px(_HEAD + _TALL + _ROW))
        self.setMaximumHeight(px(_HEAD) + max(high, px(_TALL + _ROW)) + px(4))
        self._scroll_over(high, px(_HEAD), px(_ROW))

    # Rows

    @property
    def chosen(self) -> int | None:
        """The selected guest, by position in the plan, if it is here."""
        strips = self._pane.strips
        if strips is None:
            return None
        found = strips.division.site.plan.guest_index.get(self._desk.selection.current or "")
        return found if found in strips.vcpus_of else None

    @property
    def rows(self) -> list[int]:
        """The guests from top to bottom: the selected one, then the longest wait first."""
        strips, chosen = self._pane.strips, self.chosen
        if strips is None:
            return []
        others = [guest for guest in strips.guests if guest != chosen]
        return others if chosen is None else [chosen, *others]

    def _name(self, guest: int) -> str:
        assert self._pane.strips is not None
        return self._pane.strips.division.site.plan.guests[guest].label

    def places(self) -> list[tuple[int, QRectF]]:
        """Give the guests from top to bottom, and where each one's row is in the viewport."""
        px, chosen = self._theme.px, self.chosen
        found, top = [], float(px(_HEAD) - self._bar.value())
        for guest in self.rows:
            high = px(_TALL) if guest == chosen else px(_ROW)
            found.append((guest, QRectF(0, top, self._seen.width(), high)))
            top += high
        return found

    def _row_at(self, y: float) -> int | None:
        at = (number for number, (_, place) in enumerate(self.places()) if place.top() <= y < place.bottom())
        return next(at, None)

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint heads and the rows in sight."""
        with painting(self._seen) as painter:
            scale = self._pane.scale
            is_whole = event is None or event.rect().left() < scale.left - 1 or event.rect().right() > scale.right + 1
            self.paint(painter, self._seen.height(), is_whole=is_whole)

    def paint(self, painter: QPainter, height: int, *, is_whole: bool = True) -> None:
        """Paint what has room: all of it, or the strips alone."""
        theme, strips, scale = self._theme, self._pane.strips, self._pane.scale
        colours, head = theme.colours, theme.px(_HEAD)
        painter.fillRect(0, 0, self.width(), height, colours.paper)
        if strips is None:
            return
        painter.setClipRect(0, head, self.width(), height - head)
        device = painter.device()
        ratio = device.devicePixelRatio() if device is not None else 1.0
        count = max(1, round((scale.right - scale.left) * ratio))
        edges = np.linspace(scale.start_s * 1000.0, scale.end_s * 1000.0, count + 1)
        lit = self._lit_waits(strips)
        seen = [(guest, place) for guest, place in self.places() if place.bottom() >= head and place.top() <= height]
        self._paint_hairs(painter, strips, seen, height, edges, ratio)
        for guest, place in seen:
            if is_whole:
                self._paint_row(painter, strips, guest, place)
            self._paint_frame(painter, place, is_chosen=guest == self.chosen)
            self._paint_lit(painter, strips, guest, place, lit.get(guest, []))
        painter.setClipping(False)
        self._paint_heads(painter)

    def _right(self) -> float:
        return self._pane.scale.right + self._theme.px(16)

    def _paint_heads(self, painter: QPainter) -> None:
        theme, px = self._theme, self._theme.px
        high, place = px(_HEAD), self._histogram(0, px(_HEAD))
        painter.fillRect(0, 0, self.width(), high, theme.colours.paper)
        painter.setPen(theme.colours.ink)
        theme.face(12, bold=True).draw(painter, px(12), 0, high, "Waits")
        face = theme.face(11)
        painter.setPen(theme.colours.muted)
        for ms in (1.0, 8.0, 64.0):
            text = f"{ms:g}" if ms < 64 else "64 ms"
            face.draw(painter, histogram.x_of(ms, place) - (face.width(f"{ms:g}") / 2), 0, high, text)
        for number, text in enumerate(_COLUMNS):
            face.draw_right(painter, self._column(number), 0, high, text)

    def _histogram(self, top: float, high: float) -> QRectF:
        px = self._theme.px
        return QRectF(self._right(), top + 3, px(_HISTOGRAM), high - 6)

    def _column(self, number: int) -> float:
        """Give where a column of figures ends."""
        px = self._theme.px
        first = self._right() + px(_HISTOGRAM)
        wide = min(px(_COLUMN + 6), (self._seen.width() - px(10) - first) / len(_COLUMNS))
        return first + wide * (number + 1)

    def _paint_row(self, painter: QPainter, strips: Strips, guest: int, place: QRectF) -> None:
        theme, px, colours = self._theme, self._theme.px, self._theme.colours
        bar = theme.bar_colours(strips.hue(guest))
        is_chosen = guest == self.chosen
        top, high = place.top(), place.height()
        painter.fillRect(QRectF(px(6), top + 4, px(3), high - 8), bar.edge)
        painter.setPen(colours.ink)
        face = theme.face(12, bold=is_chosen)
        face.draw(painter, px(14), top, high, face.elided(self._name(guest), px(_NAMES - 20)))
        self._paint_figures(painter, strips, guest, top, high)

    def _paint_frame(self, painter: QPainter, place: QRectF, *, is_chosen: bool) -> None:
        px, colours, top, high = self._theme.px, self._theme.colours, place.top(), place.height()
        painter.setPen(colours.grid)
        painter.drawLine(px(12), round(top + high) - 1, self._seen.width() - px(8), round(top + high) - 1)
        if is_chosen:
            painter.setPen(QPen(colours.ink, 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(2, top + 1, self._seen.width() - 4, high - 2), 4, 4)

    def _paint_figures(self, painter: QPainter, strips: Strips, guest: int, top: float, high: float) -> None:
        theme, colours, px = self._theme, self._theme.colours, self._theme.px
        figures, place = strips.figures[guest], self._histogram(top, high)
        solid = theme.bar_colours(strips.hue(guest)).solid
        histogram.paint_foot(painter, place, colours.line)
        colour = solid if guest == self.chosen else blend(solid, colours.paper, 0.45)
        histogram.paint_bars(painter, place, self._counts_of(strips, guest), colour)
        before = self._pane.before
        there = before is not None and before.trace is not None and guest in before.figures
        if before is not None and there:
            histogram.paint_outline(painter, place, self._counts_of(before, guest), colours.ink)
        if figures.longest_ms > 0:
            histogram.paint_tick(painter, place, figures.longest_ms, colours.ink)
        was = before.figures[guest] if before is not None and there else None
        texts = [
            f"{100 * figures.run / figures.vcpus:.0f} %",
            f"{100 * (figures.wait + figures.held + figures.off) / figures.vcpus:.0f} %",
            wait_text(figures.p95_ms),
            wait_text(figures.longest_ms),
        ]
        for number, text in enumerate(texts):
            strong = number == len(texts) - 1
            face = theme.face(12, bold=strong)
            painter.setPen(colours.ink if strong else colours.muted)
            x = self._column(number)
            face.draw_right(painter, x, top, high, text)
            if strong and was is not None and wait_text(was.longest_ms) != text:
                small = theme.face(11)
                painter.setPen(colours.muted)
                small.draw_right(painter, x - face.width(text) - px(2), top, high, f"{wait_text(was.longest_ms)}\u2192")

    def _counts_of(self, strips: Strips, guest: int) -> Floats:
        key = id(strips), guest
        if key not in self._counts:
            self._counts[key] = histogram.counts_of(strips.waits_of(guest))
        return self._counts[key]

    def _pitch(self, guest: int, high: float) -> float:
        assert self._pane.strips is not None
        return min((high - 6) / max(len(self._pane.strips.vcpus_of[guest]), 1), self._theme.px(6))

    def _hair_top(self, guest: int, place: QRectF, at: int) -> float:
        assert self._pane.strips is not None
        count, pitch = len(self._pane.strips.vcpus_of[guest]), self._pitch(guest, place.height())
        return place.top() + (place.height() - count * pitch) / 2 + at * pitch

    def _paint_hairs(
        self,
        painter: QPainter,
        strips: Strips,
        seen: Sequence[tuple[int, QRectF]],
        height: int,
        edges: Floats,
        ratio: float,
    ) -> None:
        """Paint the waits of each vCPU of the guests in sight as a hair."""
        theme, scale, colours = self._theme, self._pane.scale, self._theme.colours
        row_of = np.full(strips.guest_of.size, -1, dtype=np.int64)
        lines: list[tuple[float, QColor]] = []
        for guest, place in seen:
            hair = blend(theme.bar_colours(strips.hue(guest)).edge, colours.paper, _PALE)
            half = self._pitch(guest, place.height()) / 2
            for at, vcpu in enumerate(strips.vcpus_of[guest]):
                row_of[vcpu] = len(lines)
                lines.append((self._hair_top(guest, place, at) + half, hair))
        sheet = Sheet(edges.size - 1, round(height * ratio), colours.paper, ratio)
        band = self.lit_band
        if band is not None:
            sheet.tint(band[0] - scale.left, band[1] - scale.left, colours.band_row)
        every = strips.waits_within(float(edges[0]), float(edges[-1]))
        every = every[row_of[strips.wait_vcpu[every]] >= 0]
        columns = np.arange(edges.size - 1)
        patterns = {HELD: columns % round(_DOTS * ratio) < ratio, SPENT: columns % round(_DASHES * ratio) < 6 * ratio}
        shown = np.zeros((len(lines), edges.size - 1), dtype=np.bool_)
        for kind in (SOLID, HELD, SPENT):
            its = every[strips.wait_kind[every] == kind]
            if its.size:
                rows = row_of[strips.wait_vcpu[its]]
                found = covered(rows, strips.wait_begin[its], strips.wait_end[its], len(lines), edges)
                shown |= found & patterns[kind] if kind in patterns else found
        if self._pane.as_shapes:
            for (y, hair), row in zip(lines, shown, strict=True):
                for first, last in runs_of(row):
                    painter.fillRect(QRectF(scale.left + first / ratio, y, (last - first) / ratio, _THICK), hair)
            return
        for (y, hair), row in zip(lines, shown, strict=True):
            sheet.fill(y, y + _THICK, hair.rgb(), row)
        painter.drawImage(QPointF(scale.left, 0), sheet.image())

    def _lit_waits(self, strips: Strips) -> dict[int, list[int]]:
        found: dict[int, list[int]] = {}
        if self._pane.lit is not None:
            for wait in strips.waiting(self._pane.lit).tolist():
                found.setdefault(int(strips.guest_of[strips.wait_vcpu[wait]]), []).append(wait)
        return found

    def _paint_lit(self, painter: QPainter, strips: Strips, guest: int, place: QRectF, waits: list[int]) -> None:
        if not waits:
            return
        scale, at = self._pane.scale, {vcpu: i for i, vcpu in enumerate(strips.vcpus_of[guest])}
        colour = self._theme.bar_colours(strips.hue(guest)).edge
        half = self._pitch(guest, place.height()) / 2
        for wait in waits:
            y = self._hair_top(guest, place, at[int(strips.wait_vcpu[wait])]) + half
            left, right = (scale.x(float(ms[wait]) / 1000.0) for ms in (strips.wait_begin, strips.wait_end))
            left, right = max(left, scale.left), min(right, scale.right)
            painter.fillRect(QRectF(left, y - 0.6, max(right - left, 1.0), 2.2), colour)

    # Mouse and keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select the guest of a row."""
        number = None if event is None else self._row_at(event.position().y())
        if number is not None:
            self._select(number)

    def _select(self, number: int) -> None:
        assert self._pane.strips is not None
        self._desk.selection.select(self._pane.strips.division.site.plan.guests[self.rows[number]].id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Go from guest to guest in the order of their waits."""
        strips = self._pane.strips
        if event is None or strips is None or event.key() not in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            super().keyPressEvent(event)
            return
        order, chosen = strips.guests, self.chosen
        step = 1 if event.key() == Qt.Key.Key_Down else -1
        at = 0 if chosen is None else min(max(order.index(chosen) + step, 0), len(order) - 1)
        if order:
            self._desk.selection.select(strips.division.site.plan.guests[order[at]].id)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Leave the menu to the view."""
        if event is not None:
            event.ignore()
