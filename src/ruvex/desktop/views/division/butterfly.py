"""The rows of the butterfly: bars to both sides of the names, painted only where they show."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QShowEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QFrame, QSizePolicy, QToolTip, QWidget

from ruvex.desktop.open_plan import OpenPlan
from ruvex.desktop.theme import BarColours, Theme
from ruvex.desktop.views.division.frame import Frame, frame_for
from ruvex.desktop.views.division.rows import Row, RowList
from ruvex.desktop.views.division.story import row_story
from ruvex.desktop.widgets.axis import Axis, binary_step, decimal_step
from ruvex.desktop.widgets.bars import Bars, draw_bar, draw_ghost
from ruvex.desktop.widgets.figures import figure
from ruvex.divide import RESOURCES, looks_same

GUEST_ROW: Final = 22
POOL_ROW: Final = 26
_GUEST_BAR: Final = 12
_POOL_BAR: Final = 16
_INDENT: Final = 14
_MOST_TICKS: Final = 6
_AXIS_AIR: Final = 1.02


class Butterfly(QAbstractScrollArea):
    """All guests and pools as rows; CPU grows to the left, memory to the right.

    Attributes
    ----------
    row_list
        The visible rows.
    frame
        The columns.
    axes
        The common axis of each resource.

    Signals
    -------
    axes_changed()
        Columns or axes are others now; what is drawn above the rows must follow.
    dials_asked()
        Enter was pressed on a row: go to its dials.
    """

    axes_changed = pyqtSignal()
    dials_asked = pyqtSignal()

    def __init__(self, open_plan: OpenPlan, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._open_plan, self._theme = open_plan, theme
        self._folded: set[str] = set()
        self.row_list = RowList()
        self.columns: Frame = frame_for(1000, 1.0)
        self.axes: dict[str, Axis] = {name: Axis(0, 1, 1, 1) for name in RESOURCES}
        self._bars = {name: Bars(getattr(open_plan.division, name)) for name in RESOURCES}
        self._shown = open_plan.division
        self._was_moving = False
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Guests and pools: CPU to the left, memory to the right")
        self.viewport().setMouseTracking(True)
        self.viewport().setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        open_plan.replaced.connect(self._on_replaced)
        open_plan.divided.connect(self._on_divided)
        open_plan.selection_changed.connect(self._on_selection_changed)
        theme.changed.connect(self._on_theme_changed)
        self._on_replaced()

    def viewport(self) -> QWidget:
        """Give the widget the rows are painted on."""
        viewport = super().viewport()
        assert viewport is not None
        return viewport

    # What is shown

    def fold(self, pool_id: str, *, folded: bool) -> None:
        """Hide or show the members of a pool."""
        if folded:
            self._folded.add(pool_id)
        else:
            self._folded.discard(pool_id)
        self._lay_out_rows()

    def fold_all(self, *, folded: bool) -> None:
        """Hide or show the members of all pools."""
        self._folded = {pool.id for pool in self._open_plan.plan.pools} if folded else set()
        self._lay_out_rows()

    def _on_replaced(self) -> None:
        self._folded &= {pool.id for pool in self._open_plan.plan.pools}
        self._lay_out_rows()

    def _lay_out_rows(self) -> None:
        heights = (self._theme.px(GUEST_ROW), self._theme.px(POOL_ROW))
        self.row_list.rebuild(self._open_plan.division, self._open_plan.plan, self._folded, heights)
        bar = self.verticalScrollBar()
        assert bar is not None
        bar.setSingleStep(heights[0])
        self._set_scroll_range()
        self._on_divided()

    def _set_scroll_range(self) -> None:
        bar = self.verticalScrollBar()
        assert bar is not None
        bar.setPageStep(self.viewport().height())
        bar.setRange(0, max(0, self.row_list.height - self.viewport().height()))

    def _on_divided(self) -> None:
        division, shown = self._open_plan.division, self._shown
        for name in RESOURCES:
            self._bars[name] = Bars(getattr(division, name))
        self._shown = division
        # While a dial moves the axes stand still: bars must be seen to grow, not the scale to shrink. And a wing
        # in which nothing moves is not painted again.
        is_moving = self._open_plan.before is not None
        if is_moving and self._was_moving and shown.ids is division.ids:
            for name in RESOURCES:
                if not looks_same(getattr(shown, name), getattr(division, name)):
                    self.viewport().update(self.wing_rect(name, self.viewport().height()))
        else:
            if not is_moving:
                self._lay_out_axes()
            self.viewport().update()
        self._was_moving = is_moving

    def wing_rect(self, name: str, height: int) -> QRect:
        """Give the part of a given height that a resource's wing covers, up to the names."""
        left, right = self.columns.names
        return QRect(0, 0, left, height) if name == "cpu" else QRect(right, 0, self.columns.width - right, height)

    def _lay_out_axes(self) -> None:
        self.columns = frame_for(self.viewport().width(), self._theme.scale)
        division = self._open_plan.division
        for name, zero, end, step_of in (
            ("cpu", self.columns.cpu_zero, self.columns.cpu_end, decimal_step),
            ("memory", self.columns.memory_zero, self.columns.memory_end, binary_step),
        ):
            r = getattr(division, name)
            tallest = (r.delivered + r.unmet, r.claim)
            top = max([float(values.max()) for values in tallest if values.size] + [0.0]) * _AXIS_AIR
            top = top or float(r.supply) or 1.0
            self.axes[name] = Axis(zero, end, top, step_of(top, _MOST_TICKS))
        self.axes_changed.emit()

    def _on_theme_changed(self) -> None:
        self._lay_out_rows()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Lay out again."""
        super().resizeEvent(event)
        self._set_scroll_range()
        self._lay_out_axes()

    # Selection

    def _on_selection_changed(self) -> None:
        selected, division = self._open_plan.selected, self._open_plan.division
        if selected is not None and self.row_list.number_of(selected) is None:
            # What is selected must be seen: unfold the pools around it.
            above = division.parents[division.position[selected]]
            while above is not None:
                self._folded.discard(above)
                above = division.parents[division.position[above]]
            self._lay_out_rows()
        self._bring_into_view()
        self.viewport().update()

    def _bring_into_view(self) -> None:
        number = self.row_list.number_of(self._open_plan.selected)
        if number is not None and self.isVisible():
            bar = self.verticalScrollBar()
            assert bar is not None
            top, bottom = self.row_list.tops[number], self.row_list.tops[number + 1]
            if top < bar.value():
                bar.setValue(top)
            elif bottom > bar.value() + self.viewport().height():
                bar.setValue(bottom - self.viewport().height())

    def showEvent(self, event: QShowEvent | None) -> None:
        """Show the selected row; before there is a place for the rows, none can be brought into view."""
        super().showEvent(event)
        self._bring_into_view()

    def row_rect(self, item_id: str) -> QRect:
        """Give where a row stands in the viewport; empty if it does not show."""
        number = self.row_list.number_of(item_id)
        if number is None:
            return QRect()
        top, bottom = self.row_list.tops[number], self.row_list.tops[number + 1]
        return QRect(0, top - self._scrolled, self.viewport().width(), bottom - top)

    @property
    def _scrolled(self) -> int:
        bar = self.verticalScrollBar()
        return bar.value() if bar is not None else 0

    def _row_at(self, point: QPoint) -> Row | None:
        number = self.row_list.at(point.y() + self._scrolled)
        return None if number is None else self.row_list.rows[number]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select the row, or fold its pool where the triangle is."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        row = self._row_at(event.position().toPoint())
        if (
            row is not None
            and row.is_pool
            and self._triangle_x(row) - 6 <= event.position().x() <= (self._triangle_x(row) + self._theme.px(14))
        ):
            self.fold(row.item_id, folded=not row.is_folded)
        else:
            self._open_plan.select(row.item_id if row is not None else None)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Fold or unfold the pool."""
        row = self._row_at(event.position().toPoint()) if event is not None else None
        if row is not None and row.is_pool:
            self.fold(row.item_id, folded=not row.is_folded)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Move the selection, fold and unfold."""
        if event is None:
            return
        rows = self.row_list.rows
        here = self.row_list.number_of(self._open_plan.selected)
        page = max(1, self.viewport().height() // self._theme.px(GUEST_ROW) - 1)
        steps = {
            Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_PageUp: -page, Qt.Key.Key_PageDown: page,
            Qt.Key.Key_Home: -len(rows), Qt.Key.Key_End: len(rows),
        }  # fmt: skip
        key = Qt.Key(event.key())
        row = rows[here] if here is not None else None
        if key in steps and rows:
            start = here if here is not None else (-1 if steps[key] > 0 else len(rows))
            target = start + steps[key]
            if target < 0 and key == Qt.Key.Key_Up:
                self._open_plan.select(None)
            else:
                self._open_plan.select(rows[min(max(target, 0), len(rows) - 1)].item_id)
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and row is not None:
            folded = key == Qt.Key.Key_Left
            parent = self._open_plan.division.parents[row.index]
            if row.is_pool and row.is_folded != folded:
                self.fold(row.item_id, folded=folded)
            elif folded and parent is not None:
                self._open_plan.select(parent)
        elif key == Qt.Key.Key_Escape:
            self._open_plan.select(None)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and row is not None:
            self.dials_asked.emit()
        else:
            super().keyPressEvent(event)
        self._bring_into_view()

    def viewportEvent(self, event: QEvent | None) -> bool:
        """Tell a row's story where the pointer rests."""
        if isinstance(event, QHelpEvent):
            row = self._row_at(event.pos())
            text = row_story(self._open_plan.division, row.index, row.label) if row is not None else ""
            QToolTip.showText(event.globalPos(), text, self.viewport())
            return True
        return super().viewportEvent(event)

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the rows that show."""
        painter = QPainter(self.viewport())
        area = event.rect() if event is not None else self.viewport().rect()
        painter.fillRect(area, self._theme.colours.paper)
        offset = self._scrolled
        numbers = self.row_list.between(area.top() + offset, area.bottom() + 1 + offset)
        for number in numbers:
            self._paint_ground(painter, number, offset)
        self._paint_grid(painter, area)
        self._paint_selection(painter, offset)
        wings = [name for name in RESOURCES if area.intersects(self.wing_rect(name, self.viewport().height()))]
        with_names = area.left() < self.columns.names[1] and area.right() >= self.columns.names[0]
        for number in numbers:
            self._paint_row(painter, number, offset, wings, with_names=with_names)
        painter.end()

    def _paint_ground(self, painter: QPainter, number: int, offset: int) -> None:
        row, colours = self.row_list.rows[number], self._theme.colours
        top, bottom = self.row_list.tops[number] - offset, self.row_list.tops[number + 1] - offset
        if row.is_pool:
            painter.fillRect(0, top + 1, self.viewport().width(), bottom - top - 2, colours.band_row)

    def _paint_selection(self, painter: QPainter, offset: int) -> None:
        number = self.row_list.number_of(self._open_plan.selected)
        if number is None:
            return
        colours = self._theme.colours
        top, bottom = self.row_list.tops[number] - offset, self.row_list.tops[number + 1] - offset
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(colours.selected_line, 1.8 if self.hasFocus() else 1))
        painter.setBrush(colours.selected)
        painter.drawRoundedRect(QRectF(4, top + 0.5, self.viewport().width() - 8, bottom - top - 1), 5, 5)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)

    def _paint_grid(self, painter: QPainter, area: QRect) -> None:
        bottom = min(area.bottom(), self.row_list.height - self._scrolled)
        for axis in self.axes.values():
            painter.setPen(self._theme.colours.grid)
            for tick in axis.ticks:
                x = round(axis.x(tick))
                painter.drawLine(x, area.top(), x, bottom)
            painter.setPen(self._theme.colours.faint)
            painter.drawLine(round(axis.zero), area.top(), round(axis.zero), bottom)

    def _paint_row(
        self, painter: QPainter, number: int, offset: int, wings: Sequence[str], *, with_names: bool
    ) -> None:
        row, theme = self.row_list.rows[number], self._theme
        top = self.row_list.tops[number] - offset
        height = self.row_list.tops[number + 1] - self.row_list.tops[number]
        bar_height = theme.px(_POOL_BAR if row.is_pool else _GUEST_BAR)
        bar_top = top + (height - bar_height) // 2
        colours = theme.bar_colours(row.hue)
        if with_names:
            self._paint_name(painter, row, QRect(self.columns.names[0], top, 0, height), colours)
        if not row.is_on:
            return
        before = self._open_plan.before
        for name in wings:
            bar, axis = self._bars[name][row.index], self.axes[name]
            draw_bar(painter, axis, bar, bar_top, bar_height, colours, theme.colours.ink)
            if before is not None:
                old = float(getattr(before, name).delivered[row.index])
                if abs(axis.x(old) - axis.x(bar.delivered)) >= 1:
                    draw_ghost(painter, axis, old, bar_top, bar_height, theme.colours.ink)
            self._paint_numbers(painter, name, row, QRect(0, top, 0, height))

    def _paint_numbers(self, painter: QPainter, name: str, row: Row, place: QRect) -> None:
        """Write what is delivered and, where something is missing, what was wanted."""
        theme, resource = self._theme, getattr(self._open_plan.division, name)
        left, right = self.columns.cpu_numbers if name == "cpu" else self.columns.memory_numbers
        middle = left + (right - left) * 46 // 100
        delivered, unmet = float(resource.delivered[row.index]), float(resource.unmet[row.index])
        is_hurt = unmet >= 0.005 * max(1.0, float(resource.wanted[row.index]))
        painter.setPen(theme.colours.ink if is_hurt or row.is_pool else theme.colours.muted)
        face = theme.face(12, bold=row.is_pool)
        face.draw_right(painter, middle, place.top(), place.height(), figure(delivered, name))
        if is_hurt:
            painter.setPen(theme.colours.muted)
            text = f"of {figure(delivered + unmet, name)}"
            theme.face(12).draw(painter, middle + theme.px(4), place.top(), place.height(), text)

    def _triangle_x(self, row: Row) -> int:
        return self.columns.names[0] + self._theme.px(8 + _INDENT * row.depth)

    def _paint_name(self, painter: QPainter, row: Row, place: QRect, colours: BarColours) -> None:
        theme = self._theme
        left, right = self.columns.names
        x = self._triangle_x(row)
        if row.hue is not None:
            for edge in (left, right - 3):
                painter.fillRect(edge, place.top() + 3, 3, place.height() - 6, colours.solid)
        if row.is_pool:
            self._paint_triangle(painter, QPointF(x, place.top() + place.height() / 2), colours.edge, row.is_folded)
            x += theme.px(14)
        is_selected = row.item_id == self._open_plan.selected
        face = theme.face(13 if row.is_pool else 12.5, bold=row.is_pool or is_selected)
        painter.setPen(colours.edge if row.is_pool else theme.colours.ink if row.is_on else theme.colours.faint)
        text = row.label if row.is_on else f"{row.label} · off"
        if any(getattr(self._open_plan.division, name).node_broken[row.index] for name in RESOURCES):
            text = f"! {text}"
        face.draw(painter, x, place.top(), place.height(), face.elided(text, right - theme.px(8) - x))

    def _paint_triangle(self, painter: QPainter, middle: QPointF, colour: QColor, folded: bool) -> None:
        r = self._theme.px(4)
        shape = [(0, -r), (r + 1, 0), (0, r)] if folded else [(-1, -r / 2), (2 * r - 1, -r / 2), (r - 1, r / 2 + 1)]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawPolygon(QPolygonF([QPointF(middle.x() + a, middle.y() + b) for a, b in shape]))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
