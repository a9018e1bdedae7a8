"""What lies under and over the rows: the ground of pools, the grid, the selection, names that are carried."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from PyQt6.QtCore import QRect, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.views.division.gestures import Gestures
from ruvex.desktop.views.division.wings import WingField
from ruvex.plan import find_item


class Underlay:
    """Paints around the rows of a field."""

    def __init__(self, field: WingField, gestures: Gestures, desk: Desk, theme: Theme) -> None:
        self._field, self._gestures, self._desk, self._theme = field, gestures, desk, theme

    def paint_pools(self, painter: QPainter, numbers: Iterable[int]) -> None:
        """Paint the ground of pools among some rows."""
        for number in numbers:
            row = self._field.row_list.rows[number]
            if row.folds:
                colours = self._theme.colours
                ground = colours.host_row if row.is_place else colours.band_row
                painter.fillRect(self._field.place_of(number).adjusted(0, 1, 0, -1), ground)

    def paint_grid(self, painter: QPainter, area: QRect, bottom: int) -> None:
        """Paint the lines of the axes, from the top of an area to where the rows end."""
        for axis in self._field.axes.values():
            painter.setPen(self._theme.colours.grid)
            quarters = [axis.top * part / 4 for part in range(1, 5)]
            for tick in axis.ticks if self._field.axis_mode != "own" else quarters:
                x = round(axis.x(tick))
                painter.drawLine(x, area.top(), x, bottom)
            painter.setPen(self._theme.colours.faint)
            painter.drawLine(round(axis.zero), area.top(), round(axis.zero), bottom)

    def paint_selection(self, painter: QPainter, numbers: Iterable[int]) -> None:
        """Frame what is selected among some rows; dashed where it was refused something."""
        field, colours, refused = self._field, self._theme.colours, self._desk.trial.refused
        selection = self._desk.selection
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for number in numbers:
            row = field.row_list.rows[number]
            is_current = row.item_id == selection.row_id
            if not is_current and row.item_id not in selection.ids:
                continue
            place = field.place_of(number)
            pen = QPen(colours.selected_line if is_current else colours.muted, 1)
            if is_current and field.hasFocus():
                pen.setWidthF(1.8)
            if refused is not None and row.item_id in refused.step.changed:
                pen.setStyle(Qt.PenStyle.DashLine)
            painter.setPen(pen)
            painter.setBrush(Qt.BrushStyle.NoBrush if row.is_place else colours.selected)
            painter.drawRoundedRect(QRectF(4, place.top() + 0.5, place.width() - 8, place.height() - 1), 5, 5)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)

    def paint_carried(self, painter: QPainter) -> None:
        """Mark where carried names would go, and say what that would do: who pays, or why they cannot go there."""
        field, colours = self._field, self._theme.colours
        gestures = self._gestures
        if not gestures.carried:
            return
        self._paint_gains(painter)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        plan, target = self._desk.look.plan, gestures.target
        wanted, where = target.host or target.pool, "the top"
        if wanted is not None:
            where = getattr(find_item(plan, wanted), "label", wanted)
            number = field.row_list.number_of(wanted)
            if number is not None:
                place = field.place_of(number)
                left, right = (4, place.width() - 4) if target.host else field.columns.names
                painter.setPen(QPen(colours.ink, 2, Qt.PenStyle.DashLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(QRectF(left + 1, place.top() + 1, right - left - 2, place.height() - 2), 5, 5)
        count = len(gestures.carried)
        what = f"{count} selected" if count > 1 else getattr(find_item(plan, gestures.carried[0]), "label", "")
        lines = [("move", f"{what} to {where}"), *(gestures.weighed.lines if gestures.weighed is not None else ())]
        self._paint_panel(painter, lines)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)

    def _paint_panel(self, painter: QPainter, lines: Sequence[tuple[str, str]]) -> None:
        """Write lines in two columns near the pointer, never over it."""
        field, theme, colours = self._field, self._theme, self._theme.colours
        bold, plain = theme.face(12, bold=True), theme.face(12)
        line, pad, first = theme.px(19), theme.px(10), theme.px(104)
        room = field.viewport().width() - theme.px(60)
        width = min(first + 2 * pad + max(plain.width(text) for _, text in lines), room)
        height = line * len(lines) + pad
        y = self._gestures.pointer_y + theme.px(26)
        if y + height > field.viewport().height():
            y = self._gestures.pointer_y - height - theme.px(14)
        x = (field.viewport().width() - width) / 2
        y = max(y, 2.0)
        painter.setPen(QPen(colours.ink, 1.4))
        painter.setBrush(colours.panel)
        painter.drawRoundedRect(QRectF(x, y, width, height), 6, 6)
        for number, (heading, text) in enumerate(lines):
            top = y + pad / 2 + number * line
            painter.setPen(colours.ink)
            bold.draw(painter, x + pad, top, line, heading)
            shown = plain.metrics.elidedText(text, Qt.TextElideMode.ElideRight, width - first - 2 * pad)
            plain.draw(painter, x + pad + first, top, line, shown)

    def _paint_gains(self, painter: QPainter) -> None:
        """Dash in the bars of guests what a drop here would give or take."""
        field, weighed = self._field, self._gestures.weighed
        if weighed is None or weighed.after is None:
            return
        before, after, px = self._desk.look.division, weighed.after, self._theme.px
        for number, row in enumerate(field.row_list.rows):
            place = field.place_of(number)
            is_shown = place.bottom() >= 0 and place.top() <= field.viewport().height()
            if row.kind != "guest" or not is_shown or row.item_id not in after.position:
                continue
            for name, axis in field.axes_of(row).items():
                old = axis.x(float(before.of(name).delivered[row.index]))
                new = axis.x(float(after.of(name).delivered[after.position[row.item_id]]))
                if abs(new - old) >= 1:
                    painter.setPen(QPen(self._theme.colours.ink, 1.2, Qt.PenStyle.DashLine))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    left, right = sorted((old, new))
                    painter.drawRect(QRectF(left, place.top() + px(3), right - left, place.height() - px(7)))
