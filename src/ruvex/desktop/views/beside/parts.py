"""Parts of the site, then and now: pools as pieces of a column, each cut into its members, with ribbons between."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from ruvex.advise import Part
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme, blend
from ruvex.desktop.state.desk import Desk
from ruvex.plan import RESOURCES, Resource

_COLUMN: Final = 20
_HEAD: Final = 34
_PALE: Final = 0.62
_NAMES: Final = {"cpu": "CPU", "memory": "memory"}


class PartsOfChange(QWidget):
    """Draws both resources; the selected guest's ribbon is full.

    Attributes
    ----------
    spans
        Where each pool and guest stands, by resource and id: from and to, then and now, as parts of 1.
    """

    is_chart = True

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self.spans: dict[tuple[Resource, str], tuple[float, float, float, float]] = {}
        self._parts: dict[str, Part] = {}
        self._tops: list[Part] = []
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Parts of the site, then and now")
        desk.selection.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        """Ask for some room."""
        return self._theme.size(460, 200)

    def refresh(self) -> None:
        """Find where everybody stands in the comparison there is."""
        found = self._desk.yardstick.found
        parts = found.beside.parts if found is not None else ()
        self._parts = {part.item: part for part in parts}
        self._tops = [part for part in parts if part.parent is None]
        below: dict[str, list[Part]] = {}
        for part in parts:
            if part.parent is not None:
                below.setdefault(part.parent, []).append(part)
        self.spans = {}
        for resource in RESOURCES:
            to_do = [(self._tops, 0.0, 0.0)]
            while to_do:
                its, then, now = to_do.pop()
                for part in its:
                    before, after = part.of(resource)
                    self.spans[resource, part.item] = then, then + before, now, now + after
                    if part.item in below:
                        to_do.append((below[part.item], then, now))
                    then, now = then + before, now + after
        self.update()

    # Painting

    def _columns(self, number: int) -> tuple[float, float, float]:
        """Give where the columns of a resource stand, then and now, and how wide they are; memory is mirrored."""
        px, half = self._theme.px, self.width() / 2
        wide = px(_COLUMN)
        if number == 0:
            return px(40), half - px(98), wide
        return self.width() - px(40) - wide, half + px(98) - wide, wide

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint both."""
        with painting(self) as painter:
            theme, px, colours = self._theme, self._theme.px, self._theme.colours
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.fillRect(self.rect(), colours.paper)
            painter.setPen(colours.ink)
            theme.face(12, bold=True).draw(painter, px(12), px(2), px(17), "Parts of the site")
            face = theme.face(11.5)
            painter.setPen(colours.muted)
            x = px(22) + theme.face(12, bold=True).width("Parts of the site")
            note = "in %, when all want all"
            if x + face.width(note) < self.width():
                face.draw(painter, x, px(2), px(17), note)
            for number, resource in enumerate(RESOURCES):
                self._paint_resource(painter, number, resource)
            self._paint_names(painter)

    def _y(self, part: float) -> float:
        top = self._theme.px(_HEAD)
        return top + (self.height() - top - self._theme.px(6)) * part

    def _paint_resource(self, painter: QPainter, number: int, resource: Resource) -> None:
        theme, px, colours = self._theme, self._theme.px, self._theme.colours
        then, now, wide = self._columns(number)
        face = theme.face(11.5)
        painter.setPen(colours.muted)
        for x, text in ((then, "then"), (now, "now")):
            face.draw_centred(painter, QRectF(x - px(20), px(18), wide + px(40), px(15)), text)
        painter.setPen(colours.ink)
        middle = QRectF(min(then, now) + wide, px(18), abs(now - then) - wide, px(15))
        theme.face(11.5, bold=True).draw_centred(painter, middle, _NAMES[resource])
        selected = self._desk.selection.current
        inner = (then + wide, now) if now > then else (then, now + wide)
        for part in self._tops:
            self._paint_ribbon(painter, (resource, part.item), inner, is_full=False)
        if selected is not None and (resource, selected) in self.spans:
            self._paint_ribbon(painter, (resource, selected), inner, is_full=True)
        for item, part in self._parts.items():
            span = self.spans.get((resource, item))
            if span is None or (part.is_pool and part.parent is not None):
                continue
            bar = theme.bar_colours(self._hue(item))
            for x, (low, high) in ((then, span[:2]), (now, span[2:])):
                place = QRectF(x, self._y(low), wide, self._y(high) - self._y(low))
                if place.height() <= 0:
                    continue
                if part.is_pool or part.parent is None:
                    painter.fillRect(place, bar.soft)
                if not part.is_pool and item == selected:
                    painter.fillRect(place, bar.solid)
                if not part.is_pool and place.height() > 1.5:
                    painter.setPen(QPen(colours.paper, 0.8))
                    painter.drawLine(place.topLeft(), place.topRight())
        painter.setPen(QPen(colours.paper, 2.2))
        for part in self._parts.values():
            if part.is_pool:
                span = self.spans[resource, part.item]
                for x, at in ((then, span[0]), (now, span[2])):
                    painter.drawLine(QPointF(x, self._y(at)), QPointF(x + wide, self._y(at)))

    def _paint_ribbon(
        self, painter: QPainter, key: tuple[Resource, str], inner: tuple[float, float], *, is_full: bool
    ) -> None:  # fmt: skip
        low_then, high_then, low_now, high_now = self.spans[key]
        bar = self._theme.bar_colours(self._hue(key[1]))
        start, end = inner
        bend = (start + end) / 2
        path = QPainterPath(QPointF(start, self._y(low_then)))
        path.cubicTo(QPointF(bend, self._y(low_then)), QPointF(bend, self._y(low_now)), QPointF(end, self._y(low_now)))
        path.lineTo(QPointF(end, self._y(high_now)))
        path.cubicTo(QPointF(bend, self._y(high_now)), QPointF(bend, self._y(high_then)),
                     QPointF(start, self._y(high_then)))  # fmt: skip
        painter.setPen(Qt.PenStyle.NoPen)
        pale = blend(bar.soft, self._theme.colours.paper, _PALE)
        painter.fillPath(path, bar.soft if is_full else pale)

    def _paint_names(self, painter: QPainter) -> None:
        """Write the pools between the columns of now, with their parts; then the selected guest's."""
        theme, px, colours = self._theme, self._theme.px, self._theme.colours
        face, bold = theme.face(11.5), theme.face(11.5, bold=True)
        _, now_cpu, wide = self._columns(0)
        _, now_memory, _ = self._columns(1)
        left, right = now_cpu + wide + px(4), now_memory - px(4)
        last = -1e9
        for part in self._tops:
            if not part.is_pool:
                continue
            span = self.spans["cpu", part.item]
            y = max((self._y(span[2]) + self._y(span[3])) / 2 - px(8), last + px(15))
            if y + px(15) > self.height():
                break
            painter.setPen(colours.ink)
            for x, resource, is_left in ((left, "cpu", True), (right, "memory", False)):
                kind: Resource = "cpu" if resource == "cpu" else "memory"
                text = f"{100 * part.of(kind)[1]:.1f}"
                draw = bold.draw if is_left else bold.draw_right
                draw(painter, x, y, px(16), text)
            painter.setPen(theme.bar_colours(self._hue(part.item)).edge)
            room = right - left - px(68)
            face.draw_centred(painter, QRectF(left + px(34), y, room, px(16)), face.elided(part.label, room))
            last = y
        current = self._parts.get(self._desk.selection.current or "")
        if current is not None and not current.is_pool:
            span = self.spans["cpu", current.item]
            y = max((self._y(span[2]) + self._y(span[3])) / 2 - px(8), px(_HEAD))
            if abs(y - last) >= px(14) and last + px(31) <= self.height():
                told = f"{current.label} {100 * current.cpu[0]:.1f} \u2192 {100 * current.cpu[1]:.1f}"
                place = QRectF(left, min(last + px(15), self.height() - px(16)), right - left, px(16))
                painter.setPen(colours.ink)
                face.draw_centred(painter, place, face.elided(told, right - left))

    def _hue(self, item: str) -> int | None:
        division = self._desk.look.division
        row = division.position.get(item, -1)
        top = int(division.top_pool[row]) if row >= 0 else -1
        return None if top < 0 else top

    # Pointing

    def _at(self, event: QMouseEvent) -> str | None:
        x, y = event.position().x(), event.position().y()
        for number, resource in enumerate(RESOURCES):
            then, now, wide = self._columns(number)
            for column, (low, high) in ((then, (0, 1)), (now, (2, 3))):
                if not column <= x <= column + wide:
                    continue
                hits = [
                    item for (kind, item), span in self.spans.items()
                    if kind == resource and self._y(span[low]) <= y <= self._y(span[high])
                ]  # fmt: skip
                guests = [item for item in hits if not self._parts[item].is_pool]
                return (guests or hits)[-1] if hits else None
        return None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Tell of the part under the pointer."""
        if event is None:
            return
        item = self._at(event)
        text = ""
        if item is not None:
            part = self._parts[item]
            told = [
                f"{_NAMES[name]} {100 * part.of(name)[0]:.2f} \u2192 {100 * part.of(name)[1]:.2f} %"
                for name in RESOURCES
            ]
            text = f"{part.label}: {', '.join(told)} of the site"
        QToolTip.showText(event.globalPosition().toPoint(), text, self)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose the guest or pool under the pointer."""
        item = self._at(event) if event is not None else None
        if item is not None:
            self._desk.selection.select(item)
