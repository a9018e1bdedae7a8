"""The rows of the butterfly: bars to both sides of the names, painted only where they show."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from PyQt6.QtCore import QEvent, QPoint, QRect, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QShowEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QAbstractScrollArea, QFrame, QSizePolicy, QToolTip, QWidget

from ruvex.desktop.kit.axis import Axis, binary_step, decimal_step
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.rows import Row, RowList
from ruvex.desktop.views.division.frame import Frame, frame_for
from ruvex.desktop.views.division.gestures import Gestures
from ruvex.desktop.views.division.name_line import NameLine
from ruvex.desktop.views.division.picking import Picking
from ruvex.desktop.views.division.reader_tree import ReaderTree
from ruvex.desktop.views.division.row_painter import RowPainter
from ruvex.desktop.views.division.story import row_story
from ruvex.desktop.views.division.underlay import Underlay
from ruvex.divide import looks_same
from ruvex.plan import RESOURCES, Resource

GUEST_ROW: Final = 22
POOL_ROW: Final = 26
_LEAST_HEIGHT: Final = 40
_MOST_TICKS: Final = 6
_TICK_ROOM: Final = 44
_AXIS_AIR: Final = 1.02
_TRIANGLE: Final = 14
_WHEEL_STEP: Final = 120
AXES: Final = {"common": "one axis for all", "own": "each against its own want"}
"""Along what bars are drawn: who is big, or who is hurt."""


class Butterfly(QAbstractScrollArea):
    """All guests and pools as rows; CPU grows to the left, memory to the right.

    Attributes
    ----------
    row_list
        The visible rows.
    columns
        Where names, bars and figures stand.
    axes
        The common axis of each resource.
    picking, gestures
        How rows are selected, and what the mouse is doing.
    reader
        The rows for those who cannot see them; it has the focus.

    Signals
    -------
    axes_changed()
        Columns or axes are others now; what is drawn above the rows must follow.
    dials_asked()
        Enter was pressed on a row: go to its dials.
    menu_asked(point)
        The menu of the selected rows is wanted at a place of the screen.
    renamed(item_id, name)
        A name was typed in its row.
    """

    axes_changed = pyqtSignal()
    dials_asked = pyqtSignal()
    menu_asked = pyqtSignal(QPoint)
    renamed = pyqtSignal(str, str)

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self._folded: set[str] = set()
        self._order, self._wanted, self._axis_mode = "tree", "", "common"
        self.row_list = RowList()
        self.columns: Frame = frame_for(1000, 1.0)
        self.axes: dict[Resource, Axis] = {name: Axis(0, 1, 1, 1) for name in RESOURCES}
        self._row_painter = RowPainter(desk, theme)
        self._shown = desk.look.division
        self._named = desk.look.plan
        self._sorted_for = desk.look.division
        self._was_moving = False
        self.picking = Picking(self.row_list, desk)
        self.gestures = Gestures(self, desk)
        self._name_line = NameLine(theme, self.viewport())
        self._name_line.entered.connect(self.renamed)
        self._name_line.left.connect(self.setFocus)
        self.reader = ReaderTree(desk, self)
        self.reader.focus_moved.connect(self._on_focus_moved)
        self.setFocusProxy(self.reader)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(_LEAST_HEIGHT)
        self.viewport().setMouseTracking(True)
        self.viewport().setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        desk.look.rows_changed.connect(self._on_replaced)
        desk.document.edited.connect(self._on_edited)
        desk.look.changed.connect(self._on_divided)
        desk.selection.changed.connect(self._on_selection_changed)
        desk.trial.refused_changed.connect(self.viewport().update)
        desk.units.changed.connect(self._on_divided)
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
        self._folded = {pool.id for pool in self._desk.look.plan.pools} if folded else set()
        self._lay_out_rows()

    @property
    def order(self) -> str:
        """How peers follow each other: one of ``ORDERS``."""
        return self._order

    def set_order(self, order: str) -> None:
        """Let peers follow each other in another order; while a dial moves they stay where they are."""
        self._order = order
        self._lay_out_rows()

    def look_for(self, words: str) -> None:
        """Show only rows that have these words in their name or tags, with the pools they are in."""
        self._wanted = words
        self._lay_out_rows()

    @property
    def axis_mode(self) -> str:
        """Along what bars are drawn: one of ``AXES``."""
        return self._axis_mode

    def set_axis_mode(self, mode: str) -> None:
        """Draw bars along one common axis, or each along its own want."""
        self._axis_mode = mode
        self._on_divided()

    def _on_replaced(self) -> None:
        self._folded &= {pool.id for pool in self._desk.look.plan.pools}
        self._name_line.hide()
        self._lay_out_rows()

    def _lay_out_rows(self) -> None:
        heights = (self._theme.px(GUEST_ROW), self._theme.px(POOL_ROW))
        self._sorted_for = self._desk.look.division
        self.row_list.rebuild(
            self._desk.look.division, self._desk.look.plan, self._folded, heights,
            order=self._order, wanted=self._wanted,
        )  # fmt: skip
        self.reader.rows.show_rows(self.row_list)
        self.reader.follow(self.row_list.number_of(self._desk.selection.current))
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

    def _on_edited(self) -> None:
        """Show another name at once; everything else that changes rows comes with another tree or division."""
        plan, named = self._desk.look.plan, self._named
        self._named = plan
        pairs = (*zip(plan.pools, named.pools, strict=False), *zip(plan.guests, named.guests, strict=False))
        if any(new is not old and new.label != old.label for new, old in pairs):
            self._lay_out_rows()

    def _on_divided(self) -> None:
        division, shown = self._desk.look.division, self._shown
        self._row_painter.show(division)
        self._shown = division
        # While a dial moves the axes stand still: bars must be seen to grow, not the scale to shrink. And a wing
        # in which nothing moves is not painted again.
        is_moving = self._desk.look.before is not None
        if is_moving and self._was_moving and shown.ids is division.ids:
            for name in RESOURCES:
                if not looks_same(shown.of(name), division.of(name)):
                    self.viewport().update(self.wing_rect(name, self.viewport().height()))
        else:
            if not is_moving:
                self._lay_out_axes()
                if self._order == "hurt" and self._sorted_for is not division:
                    self._lay_out_rows()
                    return
                if any(row.is_on != division.on[row.index] for row in self.row_list.rows):
                    self._lay_out_rows()
                    return
            self.viewport().update()
        self._was_moving = is_moving

    def wing_rect(self, name: str, height: int) -> QRect:
        """Give the part of a given height that a resource's wing covers, up to the names."""
        left, right = self.columns.names
        return QRect(0, 0, left, height) if name == "cpu" else QRect(right, 0, self.columns.width - right, height)

    def wing_at(self, x: float) -> Resource | None:
        """Give the resource whose wing covers an x, None between them."""
        left, right = self.columns.names
        return "cpu" if x < left else "memory" if x >= right else None

    def _lay_out_axes(self) -> None:
        self.columns = frame_for(self.viewport().width(), self._theme.scale)
        division = self._desk.look.division
        columns = self.columns
        for name in RESOURCES:
            zero, end, step_of = (
                (columns.cpu_zero, columns.cpu_end, decimal_step)
                if name == "cpu"
                else (columns.memory_zero, columns.memory_end, binary_step)
            )
            r = division.of(name)
            unit = self._desk.units.common(name)
            tallest = (r.delivered + r.unmet, r.claim)
            top = max([float(values.max()) for values in tallest if values.size] + [0.0]) * _AXIS_AIR
            top = top or float(r.supply) or 1.0
            step_in_unit = decimal_step if unit.name != "GiB" else step_of
            most = max(1, min(_MOST_TICKS, int(abs(end - zero) / self._theme.px(_TICK_ROOM))))
            self.axes[name] = Axis(zero, end, top, step_in_unit(top / unit.per, most) * unit.per)
        self.axes_changed.emit()

    def axes_of(self, row: Row) -> Mapping[Resource, Axis]:
        """Give the axes along which the bars of a row are drawn."""
        if self._axis_mode == "common":
            return self.axes
        own: dict[Resource, Axis] = {}
        for name, axis in self.axes.items():
            r = (self._desk.look.before or self._desk.look.division).of(name)
            if row.index >= r.wanted.size:
                r = self._desk.look.division.of(name)
            top = max(float(r.wanted[row.index]), float(r.delivered[row.index]), 1.0)
            own[name] = Axis(axis.zero, axis.end, top, top / 4)
        return own

    def _on_theme_changed(self) -> None:
        self._name_line.style_anew()
        self._lay_out_rows()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Lay out again."""
        super().resizeEvent(event)
        self._set_scroll_range()
        self._lay_out_axes()
        self._bring_into_view()

    # Selection

    def _on_selection_changed(self) -> None:
        self._desk.trial.settle()
        selected, division = self._desk.selection.current, self._desk.look.division
        if selected is not None and self.row_list.number_of(selected) is None and not self._wanted:
            # What is selected must be seen: unfold the pools around it.
            above = division.parents[division.position[selected]]
            while above is not None:
                self._folded.discard(above)
                above = division.parents[division.position[above]]
            self._lay_out_rows()
        self.reader.follow(self.row_list.number_of(selected))
        self._bring_into_view()
        self.viewport().update()

    def _bring_into_view(self) -> None:
        number = self.row_list.number_of(self._desk.selection.current)
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

    def scroll_at_edge(self, y: float) -> None:
        """Scroll by a row where something is carried close to the upper or lower edge."""
        bar, edge = self.verticalScrollBar(), self._theme.px(GUEST_ROW)
        assert bar is not None
        if y < edge:
            bar.setValue(bar.value() - bar.singleStep())
        elif y > self.viewport().height() - edge:
            bar.setValue(bar.value() + bar.singleStep())

    def row_at(self, point: QPoint) -> Row | None:
        """Give the row at a place of the viewport."""
        number = self.row_list.at(point.y() + self._scrolled)
        return None if number is None else self.row_list.rows[number]

    def rename(self, item_id: str) -> None:
        """Let the name of a row be typed in its place."""
        self._on_selection_changed()
        place = self.row_rect(item_id)
        number = self.row_list.number_of(item_id)
        if number is not None:
            row = self.row_list.rows[number]
            left = self._row_painter.triangle_x(row, self.columns)
            right = self.columns.names[1]
            self._name_line.open(item_id, row.label, QRect(left, place.top(), right - left, place.height()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select the row, or fold its pool where the triangle is; take an edge or a name."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        row, x = self.row_at(event.position().toPoint()), event.position().x()
        # Beside the rows too: what is pasted next is meant for them, not for the field that was typed in before.
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        if row is None:
            self._desk.selection.select(None)
            return
        triangle = self._row_painter.triangle_x(row, self.columns)
        if row.is_pool and triangle - 6 <= x <= triangle + self._theme.px(_TRIANGLE):
            self.fold(row.item_id, folded=not row.is_folded)
            return
        self.picking.pick(row.item_id, event.modifiers())
        self.gestures.press(event.position(), on_name=row.item_id if self.wing_at(x) is None else None)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag what is held."""
        if event is not None:
            is_pressed = bool(event.buttons() & Qt.MouseButton.LeftButton)
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self.gestures.move(event.position(), is_pressed=is_pressed, fine=fine)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let go; a plain click on one of several selected rows leaves it alone selected."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        row = self.row_at(event.position().toPoint())
        is_plain = not self.gestures.is_dragging and not event.modifiers()
        if is_plain and row is not None and row.item_id in self._desk.selection.ids:
            self._desk.selection.select(row.item_id)
        self.gestures.release()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Fold or unfold the pool, or type a name anew."""
        row = self.row_at(event.position().toPoint()) if event is not None else None
        if row is not None and row.is_pool:
            self.fold(row.item_id, folded=not row.is_folded)
        elif row is not None and event is not None and self.wing_at(event.position().x()) is None:
            self.rename(row.item_id)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Ask for the menu of what is selected, selecting the row under the pointer first."""
        if event is None:
            return
        row = self.row_at(event.pos())
        if row is not None and row.item_id not in self._desk.selection.ids:
            self._desk.selection.select(row.item_id)
        self.menu_asked.emit(event.globalPos())

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Scroll; with Ctrl step the shares of the row under the pointer."""
        if event is None:
            return
        row = self.row_at(event.position().toPoint())
        if not event.modifiers() & Qt.KeyboardModifier.ControlModifier or row is None:
            super().wheelEvent(event)
            return
        steps = round(event.angleDelta().y() / _WHEEL_STEP)
        if steps:
            self.gestures.step_shares(row.item_id, self.wing_at(event.position().x()) or "cpu", steps)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Move the selection, fold and unfold, step shares, give up a drag."""
        if event is None:
            return
        rows = self.row_list.rows
        here = self.row_list.number_of(self._desk.selection.current)
        page = max(1, self.viewport().height() // self._theme.px(GUEST_ROW) - 1)
        steps = {
            Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_PageUp: -page, Qt.Key.Key_PageDown: page,
            Qt.Key.Key_Home: -len(rows), Qt.Key.Key_End: len(rows),
        }  # fmt: skip
        shares = {Qt.Key.Key_Plus: 1, Qt.Key.Key_Equal: 1, Qt.Key.Key_Minus: -1}
        key = Qt.Key(event.key())
        row = rows[here] if here is not None else None
        if key in steps and rows:
            self.picking.step(steps[key], extend=bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
        elif key in shares and row is not None:
            name: Resource = "memory" if event.modifiers() & Qt.KeyboardModifier.AltModifier else "cpu"
            self.gestures.step_shares(row.item_id, name, shares[key])
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and row is not None:
            folded = key == Qt.Key.Key_Left
            parent = self._desk.look.division.parents[row.index]
            if row.is_pool and row.is_folded != folded:
                self.fold(row.item_id, folded=folded)
            elif folded and parent is not None:
                self._desk.selection.select(parent)
        elif key == Qt.Key.Key_Escape:
            if not self.gestures.cancel():
                self._desk.selection.select(None)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and row is not None:
            self._desk.trial.settle()
            self.dials_asked.emit()
        else:
            super().keyPressEvent(event)
        self._bring_into_view()

    def _on_focus_moved(self) -> None:
        """Make the shares that are being stepped before the attention goes elsewhere."""
        if not self.hasFocus():
            self._desk.trial.settle()
        self.viewport().update()

    def viewportEvent(self, event: QEvent | None) -> bool:
        """Tell a row's story where the pointer rests."""
        if isinstance(event, QHelpEvent):
            row = self.row_at(event.pos())
            text = row_story(self._desk, row.item_id) if row is not None else ""
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
        under = Underlay(self, self._desk, self._theme)
        under.paint_pools(painter, numbers)
        under.paint_grid(painter, area, min(area.bottom(), self.row_list.height - offset))
        under.paint_selection(painter)
        wings = [name for name in RESOURCES if area.intersects(self.wing_rect(name, self.viewport().height()))]
        with_name = area.left() < self.columns.names[1] and area.right() >= self.columns.names[0]
        for number in numbers:
            row, top = self.row_list.rows[number], self.row_list.tops[number] - offset
            place = QRect(0, top, self.viewport().width(), self.row_list.tops[number + 1] - offset - top)
            self._row_painter.paint(painter, row, place, self.columns, self.axes_of(row), wings, with_name=with_name)
        under.paint_carried(painter)
        painter.end()
