"""The third, narrow wing: the transfers of each row's disks, where the plan has stores."""

from __future__ import annotations

import math
from typing import Final

from PyQt6.QtCore import QRect, QRectF
from PyQt6.QtGui import QPainter

from ruvex.desktop.kit.axis import Axis
from ruvex.desktop.kit.bars import Bar, draw_bar
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.rows import Row
from ruvex.desktop.views.division.frame import RowFrame
from ruvex.ledger import LookFigures, falls_short
from ruvex.plan import format_number

GUEST_BAR: Final = 10
_FIGURE: Final = 50


class FlowWing:
    """Paints what the disks of guests and pools want and have, on an axis common to all guests."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        self._desk, self._theme = desk, theme
        self._figures = desk.look.figures
        self.top = 1.0
        self.show(desk.look.figures)

    @property
    def is_shown(self) -> bool:
        """Whether the plan has stores."""
        return bool(self._desk.look.plan.stores)

    def show(self, figures: LookFigures) -> None:
        """Take the figures of another look; the axis stands still while a dial moves."""
        self._figures = figures
        if self._desk.look.before is None:
            self.top = max(float(figures.wanted("store").values.max(initial=0.0)), 1.0) * 1.02

    def amounts(self, row: Row) -> tuple[float, float, float]:
        """Give what the disks of a row want and have, transfers a second, and what it is short of."""
        wanted, had, lacks = (
            float(of.by_row[row.index])
            for of in (self._figures.wanted("store"), self._figures.met("store"), self._figures.lacks("store"))
        )
        return wanted, had, lacks if falls_short(lacks, wanted) else 0.0

    def text(self, row: Row) -> str:
        """Say it; nothing where nothing is wanted."""
        wanted, had, lacks = self.amounts(row)
        if wanted <= 0:
            return ""
        return f"{format_number(had)} of {format_number(wanted)} ops/s" if lacks else f"{format_number(had)} ops/s"

    def _limit(self, row: Row) -> float:
        """Give what all disks of a guest may have together, where it lies on the axis; else infinity."""
        plan = self._desk.look.plan
        limits = [disk.limit_ops for disk in plan.guests[plan.guest_index[row.item_id]].disks]
        limit = sum(math.inf if one is None else one for one in limits)
        return limit if limit <= self.top else math.inf

    def paint(self, painter: QPainter, row: Row, place: QRect, columns: RowFrame) -> None:
        """Paint a row: a bar for a guest, a figure for everybody; what lacks is hatched."""
        if columns.flow is None or row.is_place or not row.is_on or (row.is_part and row.is_pool):
            return
        wanted, had, lacks = self.amounts(row)
        if wanted <= 0:
            return
        theme, (left, right) = self._theme, columns.flow
        figure_left = right - theme.px(_FIGURE)
        if row.kind == "guest":
            axis = Axis(left, figure_left - theme.px(6), self.top, self.top)
            height = theme.px(GUEST_BAR)
            bar = Bar(0.0, min(had, self.top), 0.0, 0.0, min(lacks, self.top), self._limit(row))
            top = place.top() + (place.height() - height) // 2
            draw_bar(painter, axis, bar, top, height, theme.bar_colours(row.hue), theme.colours.ink)
        painter.setPen(theme.colours.ink if lacks or row.is_pool else theme.colours.muted)
        theme.face(12, bold=row.is_pool).draw_right(painter, right, place.top(), place.height(), format_number(had))

    def paint_head(self, painter: QPainter, columns: RowFrame, sums_height: int, supply: QRect) -> None:
        """Paint what all stores together do: the sum above, and how much of it is had below."""
        if columns.flow is None:
            return
        theme, (left, right) = self._theme, columns.flow
        places = [place for place in self._desk.look.division.flowing.places if place.kind == "store"]
        whole = sum(place.supply for place in places)
        had = sum(place.delivered + place.taken for place in places)
        wanted = sum(place.wanted + place.taken for place in places)
        painter.setPen(theme.colours.ink)
        face = theme.face(13, bold=True)
        face.draw(painter, left, theme.px(3), sums_height - theme.px(3), face.elided("Disks", right - left))
        if supply.height() > 0 and whole > 0:
            width = right - left
            painter.fillRect(QRectF(left, supply.top(), width, supply.height()), theme.colours.supply_free)
            part = min(had / whole, 1.0)
            painter.fillRect(QRectF(left, supply.top(), width * part, supply.height()), theme.colours.aside)
            if falls_short(wanted - whole, wanted):
                painter.fillRect(QRectF(right - 3, supply.top() - 3, 3, supply.height() + 6), theme.colours.ink)
