"""What stands above the rows: the sums of both wings, the supply row and the axes' figures."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.desktop.kit.axis import Axis
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme, texture_brush
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, figure
from ruvex.desktop.state.units import Unit
from ruvex.desktop.views.division.butterfly import Butterfly
from ruvex.divide import ResourceDivision, looks_same
from ruvex.plan import RESOURCES, Resource, format_number
from ruvex.words import counted

_SUMS: Final = 26
_SUPPLY: Final = 24
_TICKS: Final = 17
_BAR: Final = 14


class WingHead(QWidget):
    """The sums, the supply row and the tick figures; stays in place while the rows scroll."""

    def __init__(self, desk: Desk, theme: Theme, butterfly: Butterfly, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._theme, self._butterfly = desk, theme, butterfly
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setAccessibleName("Supply: what there is, promised, set aside, free")
        self._shown = desk.look.division
        self._with_supply = True
        desk.look.changed.connect(self._on_divided)
        desk.selection.changed.connect(self.update)
        butterfly.axes_changed.connect(self._on_axes_changed)
        theme.changed.connect(self.updateGeometry)
        desk.units.changed.connect(self.update)

    def _on_divided(self) -> None:
        division, shown = self._desk.look.division, self._shown
        self._shown = division
        parts = []
        for name in RESOURCES:
            r, unit = division.of(name), self._desk.units.common(name)
            amounts = (("wanted", r.total_wanted), ("promised", r.promised), ("free of promises", r.free))
            told = ", ".join(f"{what} {figure(amount, unit)}" for what, amount in amounts)
            parts.append(f"{NAME[name]} {figure(r.supply, unit)} {unit.name}, {told}")
        self.setAccessibleName(f"Supply: {'; '.join(parts)}")
        for name in RESOURCES:
            if shown.ids is not division.ids or not looks_same(shown.of(name), division.of(name)):
                self.update(self._butterfly.wing_rect(name, self.height()))

    def sizeHint(self) -> QSize:
        """Give the height of the three lines."""
        return QSize(400, self._theme.px(_SUMS + self._supply + _TICKS))

    @property
    def _supply(self) -> int:
        """How tall the supply row is; host by host each band has its own."""
        return _SUPPLY if self._with_supply else 0

    def _on_axes_changed(self) -> None:
        if self._with_supply == self._butterfly.by_host:
            self._with_supply = not self._butterfly.by_host
            self.updateGeometry()
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select the supply row."""
        self._desk.selection.select(None)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the three lines."""
        with painting(self) as painter:
            painter.fillRect(self.rect(), self._theme.colours.paper)
            area = event.rect() if event is not None else self.rect()
            for name in RESOURCES:
                if not area.intersects(self._butterfly.wing_rect(name, self.height())):
                    continue
                resource: ResourceDivision = self._desk.look.division.of(name)
                self._paint_sums(painter, name, resource)
                if self._with_supply:
                    self._paint_supply(painter, name, resource)
                if self._butterfly.axis_mode != "own":
                    self._paint_ticks(painter, self._butterfly.axes[name], name)
                else:
                    self._paint_quarters(painter, self._butterfly.axes[name], name)
            px = self._theme.px
            bar = QRect(0, px(_SUMS + (_SUPPLY - _BAR) / 2), 0, px(_BAR) if self._with_supply else 0)
            self._butterfly.flow_wing.paint_head(painter, self._butterfly.columns, px(_SUMS), bar)
            if self._butterfly.columns.flow is not None:
                first, last = self._butterfly.columns.flow
                painter.setPen(self._theme.colours.faint)
                place = QRectF(first, px(_SUMS + self._supply), last - first, px(_TICKS))
                self._theme.face(10.5).draw_right(painter, last, place.top(), place.height(), "ops/s")
            left, right = self._butterfly.columns.names
            painter.setPen(self._theme.colours.ink)
            place = QRectF(left, self._theme.px(_SUMS * self._with_supply), right - left, self._theme.px(_SUPPLY))
            hosts = len(self._desk.look.plan.hosts)
            title = "No host yet" if not hosts else "Supply" if self._with_supply else counted(hosts, "host")
            self._theme.face(12, bold=True).draw_centred(painter, place, title)

    def _paint_sums(self, painter: QPainter, name: Resource, resource: ResourceDivision) -> None:
        theme, axis = self._theme, self._butterfly.axes[name]
        unit = self._desk.units.common(name)
        parts = [(f"{NAME[name]} {figure(resource.supply, unit)} {unit.name}", True)]
        parts += [
            (f"wanted {figure(resource.total_wanted, unit)}{self._behind(name, unit)}", False),
            (f"promised {figure(resource.promised, unit)}", False),
        ]
        if resource.set_aside > 0:
            parts.append((f"set aside {figure(resource.set_aside, unit)}", False))
        if resource.broken:
            parts.append(("cannot run as it is", True))
        is_left = axis.end < axis.zero
        x = axis.zero
        if self._butterfly.columns.is_narrow:
            parts = parts[:1]
        for text, strong in parts if not is_left else reversed(parts):
            face = theme.face(13 if strong else 12, bold=strong)
            painter.setPen(theme.colours.ink if strong else theme.colours.muted)
            width = face.width(text) + theme.px(14)
            start = x - width + theme.px(14) if is_left else x
            face.draw(painter, start, theme.px(3), theme.px(_SUMS - 3), text)
            x += -width if is_left else width

    def _behind(self, name: Resource, unit: Unit) -> str:
        """Say how much of what is wanted is work left from earlier."""
        division = self._desk.look.division
        behind = float(division.behind_of_guests.sum()) if name == "cpu" else 0.0
        return f", {figure(behind, unit)} of it behind" if behind > 0.005 * division.cpu.total_wanted else ""

    def _paint_supply(self, painter: QPainter, name: Resource, resource: ResourceDivision) -> None:
        theme = self._theme
        rows_axis = self._butterfly.axes[name]
        whole = max(resource.supply, resource.total_wanted, resource.promised) or 1.0
        axis = Axis(rows_axis.zero, rows_axis.end, whole, whole)
        top, height = theme.px(_SUMS + (_SUPPLY - _BAR) / 2), theme.px(_BAR)
        if self._desk.selection.current is None and self._desk.look.plan.hosts:
            painter.setPen(QPen(theme.colours.line, 1))
            painter.drawRoundedRect(QRectF(4.5, theme.px(_SUMS), self.width() - 9, theme.px(_SUPPLY)), 5, 5)
        promisable = min(resource.promisable, resource.supply)
        aside = min(resource.set_aside, promisable)
        # What second threads give beyond the cores cannot be promised; it stands at the end, as free as it is faint.
        spans = (
            (0.0, min(resource.promised, resource.supply), theme.colours.supply),
            (min(resource.promised, resource.supply), promisable - aside, theme.colours.supply_free),
            (promisable - aside, promisable, theme.colours.aside),
            (promisable, resource.supply, theme.colours.band_row),
        )
        for low, high, colour in spans:
            a, b = axis.x(low), axis.x(high)
            if high > low:
                painter.fillRect(QRectF(min(a, b), top, abs(b - a), height), colour)
        if resource.total_wanted > resource.supply:
            a, b = axis.x(resource.supply), axis.x(resource.total_wanted)
            span = QRectF(min(a, b), top, abs(b - a), height)
            painter.fillRect(span, texture_brush("missing", theme.colours.supply, self.devicePixelRatioF()))
            painter.setPen(theme.colours.supply)
            painter.drawRect(span.adjusted(0.5, 0.5, -0.5, -0.5))
        self._paint_free(painter, name, resource.free)

    def _paint_free(self, painter: QPainter, name: Resource, free: float) -> None:
        """Write how much can still be promised, or by how much the promises exceed what there is."""
        columns = self._butterfly.columns
        left, right = columns.cpu_numbers if name == "cpu" else columns.memory_numbers
        face = self._theme.face(12, bold=free < 0)
        painter.setPen(self._theme.colours.muted if free >= 0 else self._theme.colours.ink)
        top, height = self._theme.px(_SUMS), self._theme.px(_SUPPLY)
        unit = self._desk.units.common(name)
        text = f"{figure(free, unit)} free" if free >= 0 else f"{figure(-free, unit)} over"
        face.draw(painter, right - face.width(text) if name == "cpu" else left, top, height, text)

    def _paint_quarters(self, painter: QPainter, axis: Axis, name: Resource) -> None:
        """Write the figures of the axis along which each bar stands against its own want."""
        theme = self._theme
        top, height, half = theme.px(_SUMS + self._supply), theme.px(_TICKS), theme.px(30)
        face = theme.face(10.5)
        painter.setPen(theme.colours.faint)
        for part in (0, 25, 50, 75, 100):
            place = QRectF(axis.x(axis.top * part / 100) - half, top, 2 * half, height)
            face.draw_centred(painter, place, f"{part} %")
        self._paint_heading(painter, name)

    def _paint_ticks(self, painter: QPainter, axis: Axis, name: Resource) -> None:
        theme = self._theme
        top, height = theme.px(_SUMS + self._supply), theme.px(_TICKS)
        face = theme.face(10.5)
        painter.setPen(theme.colours.faint)
        half, unit = theme.px(30), self._desk.units.common(name)
        ticks = [0.0, *axis.ticks]
        for tick in ticks:
            if self._desk.units.is_of_own(name):
                text = f"{tick:.0f} %"
            else:
                text = format_number(tick / unit.per, 0 if axis.step >= unit.per * (1 - 1e-9) else 2)
                text += f" {unit.name}" if tick == ticks[-1] and tick > 0 else ""
            place = QRectF(axis.x(tick) - half, top, 2 * half, height)
            face.draw_centred(painter, place, text)
        self._paint_heading(painter, name)

    def _paint_heading(self, painter: QPainter, name: Resource) -> None:
        theme, columns = self._theme, self._butterfly.columns
        left, right = columns.cpu_numbers if name == "cpu" else columns.memory_numbers
        place = QRectF(left, theme.px(_SUMS + self._supply), right - left, theme.px(_TICKS))
        unit = self._desk.units.chosen(name)
        text = unit if columns.is_narrow else f"delivered, {unit}"
        theme.face(10.5).draw_centred(painter, place, text)
