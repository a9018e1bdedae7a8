"""A field of rows with two wings: which columns it has, and along which axes bars are drawn."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from PyQt6.QtCore import QRect, pyqtSignal
from PyQt6.QtWidgets import QWidget

from ruvex.desktop.kit.axis import Axis, binary_step, decimal_step
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.panels.row_field import RowField
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.rows import Row
from ruvex.desktop.views.division.flow_wing import FlowWing
from ruvex.desktop.views.division.frame import RowFrame, frame_for
from ruvex.desktop.views.division.row_painter import RowPainter
from ruvex.plan import RESOURCES, Resource

_MOST_TICKS: Final = 6
_TICK_ROOM: Final = 44
_AXIS_AIR: Final = 1.02
AXES: Final = {"common": "one axis", "held": "one axis, held", "own": "each its own want"}
"""Along what bars are drawn: who is big, the same while the time changes, or who is hurt."""


class WingField(RowField):
    """Rows with CPU to the left of their names and memory to the right.

    Attributes
    ----------
    columns
        Where names, bars and figures stand.
    axes
        The common axis of each resource.
    axis_mode
        One of ``AXES``.
    by_host
        Whether rows are shown host by host.
    row_painter, flow_wing
        Know the bars of every row; the second those of its disks.

    Signals
    -------
    axes_changed()
        Columns or axes are others now; what is drawn above the rows must follow.
    """

    axes_changed = pyqtSignal()
    keeps_heads = True

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(desk, theme, parent)
        self.columns: RowFrame = frame_for(1000, 1.0)
        self.axes: dict[Resource, Axis] = {name: Axis(0, 1, 1, 1) for name in RESOURCES}
        self.axis_mode, self.by_host = "common", False
        self.row_painter, self.flow_wing = RowPainter(desk, theme), FlowWing(desk, theme)
        self._held_for: tuple[bool, tuple[str, ...]] = (False, ())

    def wing_rect(self, name: str, height: int) -> QRect:
        """Give the part of a given height that a resource's wing covers, up to the names."""
        left, right = self.columns.names
        return QRect(0, 0, left, height) if name == "cpu" else QRect(right, 0, self.columns.width - right, height)

    def wing_at(self, x: float) -> Resource | None:
        """Give the resource whose wing covers an x, None between them."""
        left, right = self.columns.names
        if self.columns.flow is not None and x >= self.columns.flow[0]:
            return None
        return "cpu" if x < left else "memory" if x >= right else None

    def is_over_names(self, x: float) -> bool:
        """Whether an x lies in the column of the names."""
        left, right = self.columns.names
        return left <= x < right

    def lay_out_axes(self, *, anew: bool = False) -> None:
        """Find columns and axes; an axis that is held grows where it must, and never shrinks."""
        self.columns = frame_for(self.viewport().width(), self._theme.scale, with_flow=self.flow_wing.is_shown)
        division = self._desk.look.division
        columns = self.columns
        for name in RESOURCES:
            zero, end, step_of = (
                (columns.cpu_zero, columns.cpu_end, decimal_step)
                if name == "cpu"
                else (columns.memory_zero, columns.memory_end, binary_step)
            )
            r = division.of(name)
            if self._desk.units.is_of_own(name):
                self.axes[name] = self._own_percents(name, zero, end)
                continue
            unit = self._desk.units.common(name)
            parts = self._desk.look.figures.parts(name)
            tallest = (parts.promised + parts.won + parts.held + parts.unmet, r.claim)
            if self.by_host:
                parts = division.pool_parts(name).parts
                of_guests = [values[division.layout.is_guest] for values in tallest]
                tallest = (*of_guests, parts.promised + parts.won + parts.held + parts.unmet)  # type: ignore[assignment]
            top = max([float(values.max()) for values in tallest if values.size] + [0.0]) * _AXIS_AIR
            top = top or float(r.supply) or 1.0
            if self.axis_mode == "held" and not anew and self._held_for == (self.by_host, division.ids):
                top = max(top, self.axes[name].top)
            step_in_unit = decimal_step if unit.name != "GiB" else step_of
            most = max(1, min(_MOST_TICKS, int(abs(end - zero) / self._theme.px(_TICK_ROOM))))
            self.axes[name] = Axis(zero, end, top, step_in_unit(top / unit.per, most) * unit.per)
        self._held_for = (self.by_host, division.ids)
        self.axes_changed.emit()

    def _own_percents(self, name: Resource, zero: float, end: float) -> Axis:
        """Give the axis in percent of each row's own vCPUs: the same lines mean the same part of every guest."""
        parts, top = self._desk.look.figures.parts(name), 100.0
        for row, ends in enumerate((parts.promised + parts.won + parts.held + parts.unmet).tolist()):
            per = self._desk.units.of(name, self._desk.look.division.ids[row]).per
            top = max(top, ends / per)
        most = max(1, min(_MOST_TICKS, int(abs(end - zero) / self._theme.px(_TICK_ROOM))))
        return Axis(zero, end, top * _AXIS_AIR, decimal_step(top, most))

    def axes_of(self, row: Row) -> Mapping[Resource, Axis]:
        """Give the axes along which the bars of a row are drawn."""
        if row.is_place:
            return self.axes
        if self.axis_mode != "own":
            return {name: self._scaled(name, row) for name in self.axes}
        own: dict[Resource, Axis] = {}
        for name, axis in self.axes.items():
            bar = self.row_painter.bar(name, row)
            top = max(self.row_painter.wanted(name, row), bar.delivered, 1.0)
            own[name] = Axis(axis.zero, axis.end, top, top / 4)
        return own

    def _scaled(self, name: Resource, row: Row) -> Axis:
        """Give the common axis for a row; in percent of own vCPUs each row's hundred is its own."""
        axis = self.axes[name]
        if not self._desk.units.is_of_own(name):
            return axis
        per = self._desk.units.of(name, row.item_id).per
        return Axis(axis.zero, axis.end, axis.top * per, axis.step * per)
