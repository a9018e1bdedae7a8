"""Painting one row of the butterfly: name, bars, ghosts, figures, cause."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

from PyQt6.QtCore import QPointF, QRect, QRectF
from PyQt6.QtGui import QPainter, QPen

from ruvex.desktop.kit.axis import Axis
from ruvex.desktop.kit.bars import Bar, draw_bar, draw_ghost
from ruvex.desktop.kit.theme import BarColours, Theme
from ruvex.desktop.kit.triangle import paint_triangle
from ruvex.desktop.panels.row_bars import Bars, bars_of
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import figure
from ruvex.desktop.state.rows import Row, host_label
from ruvex.desktop.views.division.frame import RowFrame
from ruvex.divide import Division, causes_of
from ruvex.ledger import LookFigures, falls_short
from ruvex.plan import RESOURCES, Resource

GUEST_BAR: Final = 12
POOL_BAR: Final = 14
_INDENT: Final = 14

_FILLS: Final = 0.985
"""A bar of this part of its axis fills it: each bar has an axis of its own then, and no other place for words."""


_TELLING: Final[Mapping[Resource, float]] = {"cpu": 120.0, "memory": 256.0}
"""What a guest would get as one machine is marked where it differs by more than this, MHz and MiB."""


def pool_of(division: Division, row: Row) -> int:
    """Give the position of a pool's row among the pools of the plan."""
    return int(division.layout.things[row.index])


def _is_pool_part(row: Row) -> bool:
    return row.is_part and row.is_pool and row.host >= 0


def _delivered(division: Division, name: Resource, row: Row) -> float:
    if _is_pool_part(row):
        return part_bar(division, name, row).delivered
    return float(division.of(name).delivered[row.index])


def part_bar(division: Division, name: Resource, row: Row) -> Bar:
    """Give the bar of the part of a pool that lives on a host."""
    of, at = division.pool_parts(name), (pool_of(division, row), row.host)
    parts = of.parts
    figures = (float(column[at]) for column in (parts.promised, parts.won, parts.held, parts.lent, parts.unmet))
    promised, won, held, lent, unmet = figures
    return Bar(promised, won, held, lent, unmet, float(of.limit[at]))


class RowPainter:
    """Paints rows of one division."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        self._desk, self._theme = desk, theme
        self._bars: dict[Resource, Bars] = {}
        self.show(desk.look.figures)

    def show(self, figures: LookFigures) -> None:
        """Take the figures of another look."""
        self._division, self._figures = figures.division, figures
        self._bars = {name: bars_of(self._figures, name) for name in RESOURCES}

    def bar(self, name: Resource, row: Row) -> Bar:
        """Give the bar of a row."""
        return part_bar(self._division, name, row) if _is_pool_part(row) else self._bars[name][row.index]

    def wanted(self, name: Resource, row: Row) -> float:
        """Give what a row wants."""
        if _is_pool_part(row):
            return float(self._division.pool_parts(name).wanted[pool_of(self._division, row), row.host])
        return float(self._division.of(name).wanted[row.index])

    def cause(self, name: Resource, row: int) -> str:
        """Give the cause of a row's shortfall."""
        return causes_of(self._division, name).word(row)

    def triangle_x(self, row: Row, columns: RowFrame) -> int:
        """Give where the name of a row begins, for a pool its triangle."""
        return columns.names[0] + self._theme.px(8 + _INDENT * (row.depth - row.is_part))

    def paint(
        self,
        painter: QPainter,
        row: Row,
        place: QRect,
        columns: RowFrame,
        axes: Mapping[Resource, Axis],
        wings: Sequence[Resource],
        *,
        with_name: bool,
    ) -> None:
        """Paint a row at a place; ``axes`` are those of this row."""
        theme = self._theme
        bar_height = theme.px(POOL_BAR if row.is_pool else GUEST_BAR)
        bar_top = place.top() + (place.height() - bar_height) // 2
        colours = theme.bar_colours(row.hue)
        if with_name:
            self._paint_name(painter, row, place, columns, colours)
        if not row.is_on:
            return
        before = self._desk.look.before
        if before is not None and before.ids is not self._division.ids:
            before = None
        for name in wings:
            bar, axis = self.bar(name, row), axes[name]
            draw_bar(painter, axis, bar, bar_top, bar_height, colours, theme.colours.ink)
            if row.is_part and row.kind == "guest":
                self._paint_as_one(painter, name, row, axis, bar_top, bar_height)
            if before is not None:
                old = _delivered(before, name, row)
                if abs(axis.x(old) - axis.x(bar.delivered)) >= 1:
                    draw_ghost(painter, axis, old, bar_top, bar_height, theme.colours.ink)
            hurt = self._paint_numbers(painter, name, row, place, columns, bar)
            if hurt and not row.is_pool:
                self._paint_cause(painter, name, row, place, axis, bar)

    def _paint_as_one(self, painter: QPainter, name: Resource, row: Row, axis: Axis, top: float, height: float) -> None:
        """Mark what a guest would get if all hosts were one machine, where that is not what it gets."""
        division = self._division
        if division.is_played:
            return  # what was played has no such comparison
        guest = int(division.layout.things[row.index]) - division.layout.parent.size
        k = RESOURCES.index(name)
        as_one = float(division.as_one[k, guest])
        if abs(as_one - float(division.of(name).given[guest])) < _TELLING[name]:
            return
        x = axis.x(as_one)
        painter.setPen(QPen(self._theme.colours.paper, 3.5))
        painter.drawLine(QPointF(x, top - 1), QPointF(x, top + height + 1))
        painter.setPen(QPen(self._theme.colours.ink, 1.5))
        painter.drawLine(QPointF(x, top - 2), QPointF(x, top + height + 2))

    def lacks(self, name: Resource, row: Row) -> bool:
        """Tell whether a row is short of what it asks for; what it could use beyond its need is no lack."""
        return self._figures.is_row_short(name, row.index)

    def _paint_numbers(
        self, painter: QPainter, name: Resource, row: Row, place: QRect, columns: RowFrame, bar: Bar
    ) -> bool:
        """Write what is delivered and, where not all of it is there, what it would use; tells whether it lacks some."""
        theme = self._theme
        left, right = columns.cpu_numbers if name == "cpu" else columns.memory_numbers
        middle = right if columns.is_narrow else left + (right - left) * 46 // 100
        # What is held though idle is no part of what is wanted: with it the two figures would not fit each other.
        unmet = bar.unmet
        delivered = bar.promised + bar.won if unmet > 0 else bar.delivered
        is_less = falls_short(unmet, self.wanted(name, row))
        is_hurt = is_less and (_is_pool_part(row) or self.lacks(name, row))
        unit = self._desk.units.of(name, row.item_id)
        painter.setPen(theme.colours.ink if is_hurt or row.is_pool else theme.colours.muted)
        face = theme.face(12, bold=row.is_pool)
        face.draw_right(painter, middle, place.top(), place.height(), figure(delivered, unit))
        if is_less and not columns.is_narrow:
            painter.setPen(theme.colours.muted)
            text = f"of {figure(delivered + unmet, unit)}"
            theme.face(12).draw(painter, middle + theme.px(4), place.top(), place.height(), text)
        return is_hurt

    def _paint_cause(self, painter: QPainter, name: Resource, row: Row, place: QRect, axis: Axis, bar: Bar) -> None:
        """Write why something is missing, beyond the bar, or where that has no room on a ground of its own over it."""
        cause = self.cause(name, row.index)
        if not cause:
            return
        face, gap = self._theme.face(10.5), self._theme.px(8)
        end = bar.delivered + bar.unmet + bar.lent
        if bar.limit <= axis.top:
            end = max(end, bar.limit)
        x, width, is_left = axis.x(end), face.width(cause), axis.end < axis.zero
        if abs(axis.end - x) >= width + gap:
            at = x - gap - width if is_left else x + gap
        elif abs(x - axis.x(bar.delivered)) < width + gap and end < _FILLS * axis.top:
            # It would hide what the guest has, and the bar stands where others show theirs.
            return
        else:
            at = axis.end + gap / 2 if is_left else axis.end - gap / 2 - width
            ground = QRectF(at - gap / 2, place.top() + 3, width + gap, place.height() - 6)
            painter.fillRect(ground, self._theme.colours.paper)
        painter.setPen(self._theme.colours.muted)
        face.draw(painter, at, place.top(), place.height(), cause)

    def _paint_name(self, painter: QPainter, row: Row, place: QRect, columns: RowFrame, colours: BarColours) -> None:
        theme = self._theme
        left, right = columns.names
        x = self.triangle_x(row, columns)
        if row.hue is not None:
            for edge in (left, right - 3):
                painter.fillRect(edge, place.top() + 3, 3, place.height() - 6, colours.solid)
        if row.is_pool:
            middle = QPointF(x, place.top() + place.height() / 2)
            paint_triangle(painter, middle, theme.px(4), colours.edge, folded=row.is_folded)
            x += theme.px(14)
        is_selected = row.item_id in self._desk.selection.ids
        face = theme.face(13 if row.is_pool else 12.5, bold=row.is_pool or is_selected)
        ink = colours.edge if row.is_pool else theme.colours.ink if row.is_on else theme.colours.faint
        painter.setPen(theme.colours.faint if row.is_context else ink)
        text = row.label if row.is_on else f"{row.label} · off"
        if any(self._division.of(name).node_broken[row.index] for name in RESOURCES):
            text = f"! {text}"
        end = right - theme.px(8)
        small = theme.face(11)
        room = end - theme.px(8) - x - face.width(text)
        host = next((told for told in self._asides(row) if small.width(told) <= room), "")
        if host:
            # A name goes before its host's: where both do not fit, only the name is shown.
            start = end - round(small.width(host))
            ink, end = painter.pen().color(), start - theme.px(8)
            painter.setPen(theme.colours.faint)
            small.draw(painter, start, place.top(), place.height(), host)
            painter.setPen(ink)
        face.draw(painter, x, place.top(), place.height(), face.elided(text, end - x))

    def _asides(self, row: Row) -> list[str]:
        """Give what may stand beside a name, the longest first: a guest's host, how many of a pool's are on here."""
        if not row.is_part:
            host = host_label(self._division, row.index)
            return [host] if host else []
        if not row.is_pool or row.host < 0:
            return []
        parts = self._division.memory_pool_parts
        pool = pool_of(self._division, row)
        count, banked = int(parts.count[pool, row.host]), int(parts.in_bank[pool, row.host])
        return [f"{count} here, {banked} in the bank", f"{count} here"] if banked else [f"{count} here"]
