"""What lies under and over the rows: the ground of pools, the grid, the selection, names that are carried."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRect, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk

if TYPE_CHECKING:
    from ruvex.desktop.views.division.butterfly import Butterfly


class Underlay:
    """Paints around the rows of a butterfly."""

    def __init__(self, butterfly: Butterfly, desk: Desk, theme: Theme) -> None:
        self._butterfly, self._desk, self._theme = butterfly, desk, theme

    def paint_pools(self, painter: QPainter, numbers: Iterable[int]) -> None:
        """Paint the ground of pools among some rows."""
        for number in numbers:
            row = self._butterfly.row_list.rows[number]
            if row.is_pool:
                place = self._butterfly.row_rect(row.item_id)
                painter.fillRect(place.adjusted(0, 1, 0, -1), self._theme.colours.band_row)

    def paint_grid(self, painter: QPainter, area: QRect, bottom: int) -> None:
        """Paint the lines of the axes, from the top of an area to where the rows end."""
        for axis in self._butterfly.axes.values():
            painter.setPen(self._theme.colours.grid)
            quarters = [axis.top * part / 4 for part in range(1, 5)]
            for tick in axis.ticks if self._butterfly.axis_mode == "common" else quarters:
                x = round(axis.x(tick))
                painter.drawLine(x, area.top(), x, bottom)
            painter.setPen(self._theme.colours.faint)
            painter.drawLine(round(axis.zero), area.top(), round(axis.zero), bottom)

    def paint_selection(self, painter: QPainter) -> None:
        """Frame what is selected; dashed where it was refused something."""
        butterfly, colours, refused = self._butterfly, self._theme.colours, self._desk.trial.refused
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for item_id in self._desk.selection.ids:
            place = butterfly.row_rect(item_id)
            if place.isEmpty() or place.bottom() < 0 or place.top() > butterfly.viewport().height():
                continue
            is_current = item_id == self._desk.selection.current
            pen = QPen(colours.selected_line if is_current else colours.muted, 1)
            if is_current and butterfly.hasFocus():
                pen.setWidthF(1.8)
            if refused is not None and item_id in refused.step.changed:
                pen.setStyle(Qt.PenStyle.DashLine)
            painter.setPen(pen)
            painter.setBrush(colours.selected)
            painter.drawRoundedRect(QRectF(4, place.top() + 0.5, place.width() - 8, place.height() - 1), 5, 5)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)

    def paint_carried(self, painter: QPainter) -> None:
        """Mark where dragged names would go, and say so."""
        butterfly, theme = self._butterfly, self._theme
        gestures = butterfly.gestures
        if not gestures.carried:
            return
        left, right = butterfly.columns.names
        labels = {row.item_id: row.label for row in butterfly.row_list.rows}
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.colours.ink, 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        where = "the top"
        if gestures.target is not None:
            where = labels.get(gestures.target, gestures.target)
            place = butterfly.row_rect(gestures.target)
            painter.drawRoundedRect(QRectF(left + 1, place.top() + 1, right - left - 2, place.height() - 2), 5, 5)
        count = len(gestures.carried)
        what = labels.get(gestures.carried[0], "") if count == 1 else f"{count} selected"
        text, face = f"move {what} to {where}", theme.face(12, bold=True)
        y = min(max(gestures.pointer_y + theme.px(14), 0), butterfly.viewport().height() - theme.px(26))
        box = QRectF(left + theme.px(20), y, face.width(text) + theme.px(20), theme.px(24))
        painter.setBrush(theme.colours.panel)
        painter.drawRoundedRect(box, 5, 5)
        face.draw(painter, box.left() + theme.px(10), box.top(), box.height(), text)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
