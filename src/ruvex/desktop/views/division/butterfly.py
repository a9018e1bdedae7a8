"""The rows of the butterfly: bars to both sides of the names, painted only where they show."""

from __future__ import annotations

from typing import Final

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QRect, Qt, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QToolTip, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.panels.row_story import story_of
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.rows import Heights, Row
from ruvex.desktop.views.division.gestures import Gestures
from ruvex.desktop.views.division.name_line import NameLine
from ruvex.desktop.views.division.picking import Picking
from ruvex.desktop.views.division.place_painter import BANK_ROW, HOST_ROW, PlacePainter
from ruvex.desktop.views.division.underlay import Underlay
from ruvex.desktop.views.division.wings import WingField
from ruvex.divide import Division, looks_same
from ruvex.plan import RESOURCES, Resource, Rules, find_item

GUEST_ROW: Final = 20
POOL_ROW: Final = 23
_TRIANGLE: Final = 14
_WHEEL_STEP: Final = 120


class Butterfly(WingField):
    """All guests and pools as rows; CPU grows to the left, memory to the right.

    Attributes
    ----------
    picking, gestures
        How rows are selected, and what the mouse is doing.

    Signals
    -------
    dials_asked()
        Enter was pressed on a row: go to its dials.
    menu_asked(point)
        The menu of the selected rows is wanted at a place of the screen.
    renamed(item_id, name)
        A name was typed in its row.
    """

    dials_asked = pyqtSignal()
    menu_asked = pyqtSignal(QPoint)
    renamed = pyqtSignal(str, str)

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(desk, theme, parent)
        self._order, self._wanted = "tree", ""
        self._place_painter = PlacePainter(desk, theme)
        self._shown = desk.look.division
        self._named = desk.look.plan
        self._sorted_for = desk.look.division
        self._standing = desk.look.division.site.standing
        self._was_moving = False
        self.picking = Picking(self.row_list, desk)
        self.gestures = Gestures(self, desk)
        self._name_line = NameLine(theme, self.viewport())
        self._name_line.entered.connect(self.renamed)
        self._name_line.left.connect(self.setFocus)
        name = "Guests and pools: CPU to the left, memory to the right"
        self.set_reader(name, lambda row: story_of(desk, row))
        self.reader.focus_moved.connect(self._on_focus_moved)
        desk.look.rows_changed.connect(self._on_replaced)
        desk.document.edited.connect(self._on_edited)
        desk.look.changed.connect(self._on_divided)
        desk.selection.changed.connect(self._on_selection_changed)
        desk.trial.refused_changed.connect(self.viewport().update)
        desk.units.changed.connect(self._on_divided)
        theme.changed.connect(self._on_theme_changed)
        self._on_replaced()

    # What is shown

    @property
    def order(self) -> str:
        """How peers follow each other: one of ``ORDERS``."""
        return self._order

    def set_order(self, order: str) -> None:
        """Let peers follow each other in another order; while a dial moves they stay where they are."""
        self._order = order
        self.lay_out_rows()

    def look_for(self, words: str) -> None:
        """Show only rows that have these words in their name or tags, with the pools they are in."""
        self._wanted = words
        self.lay_out_rows()

    def set_by_host(self, *, by_host: bool) -> None:
        """Show the pool tree as one, or host by host with what lives there."""
        self.by_host = by_host
        self.lay_out_rows()
        self.bring_into_view()

    def set_axis_mode(self, mode: str) -> None:
        """Draw bars along one common axis, or each along its own want."""
        self.axis_mode = mode
        self.lay_out_axes(anew=True)
        self._on_divided()

    def _on_replaced(self) -> None:
        self.settle_folds()
        self._name_line.hide()
        self.lay_out_rows()

    def lay_out_rows(self) -> None:
        """Find out anew which rows show, and along which axes."""
        px = self._theme.px
        heights = Heights(px(GUEST_ROW), px(POOL_ROW), px(HOST_ROW), px(BANK_ROW))
        self._sorted_for, self._standing = self._desk.look.division, self._desk.look.division.site.standing
        self.row_list.rebuild(
            self._desk.look.division, self._desk.look.plan, self.folded, heights,
            order=self._order, wanted=self._wanted, by_host=self.by_host,
        )  # fmt: skip
        self.reader.show_rows(self.row_list)
        self.reader.follow(self.current_number())
        self.set_scroll_range(self._theme.px(GUEST_ROW))
        self._on_divided()

    def _on_edited(self) -> None:
        """Show another name at once; everything else that changes rows comes with another tree or division."""
        plan, named = self._desk.look.plan, self._named
        self._named = plan
        pairs = (*zip(plan.pools, named.pools, strict=False), *zip(plan.guests, named.guests, strict=False))
        if any(new is not old and new.label != old.label for new, old in pairs):
            self.lay_out_rows()

    def _on_divided(self) -> None:
        division, shown = self._desk.look.division, self._shown
        self.row_painter.show(self._desk.look.figures)
        self.flow_wing.show(self._desk.look.figures)
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
                self.lay_out_axes()
                if self._order == "hurt" and self._sorted_for is not division:
                    self.lay_out_rows()
                    return
                if self._is_elsewhere(division):
                    self.lay_out_rows()
                    return
            self.viewport().update()
        self._was_moving = is_moving

    def _is_elsewhere(self, division: Division) -> bool:
        """Tell whether somebody was switched on or off, or is on another host than the rows show."""
        standing, was = division.site.standing, self._standing
        if standing is was:
            return False
        self._standing = standing
        if self.by_host and not np.array_equal(standing.host, was.host):
            return True
        return any(not row.is_place and row.is_on != division.on[row.index] for row in self.row_list.rows)

    def _on_theme_changed(self) -> None:
        self._name_line.style_anew()
        self.lay_out_rows()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Lay out again."""
        super().resizeEvent(event)
        self.set_scroll_range(self._theme.px(GUEST_ROW))
        self.lay_out_axes()
        self.bring_into_view()

    # Selection

    def current_number(self) -> int | None:
        """Give the number of the current row; of a pool that shows host by host the part that was gone to."""
        return self.picking.number()

    def _on_selection_changed(self) -> None:
        self._desk.trial.settle()
        selected, division = self._desk.selection.row_id, self._desk.look.division
        if (
            selected is not None
            and selected in division.position
            and self.row_list.number_of(selected) is None
            and not self._wanted
        ):
            # What is selected must be seen.
            self.unfold_around(selected)
            self.lay_out_rows()
        self.reader.follow(self.current_number())
        self.bring_into_view()
        self.viewport().update()

    def rename(self, item_id: str) -> None:
        """Let the name of a row be typed in its place."""
        self._on_selection_changed()
        place = self.row_rect(item_id)
        number = self.row_list.number_of(item_id)
        if number is not None:
            row = self.row_list.rows[number]
            left = self.row_painter.triangle_x(row, self.columns)
            right = self.columns.names[1]
            item = find_item(self._desk.look.plan, item_id)
            name = row.label if item is None or isinstance(item, Rules) else item.called
            self._name_line.open(item_id, name, QRect(left, place.top(), right - left, place.height()))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Select the row, or fold its pool where the triangle is; take an edge or a name."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        number, x = self.number_at(event.position().y()), event.position().x()
        # Beside the rows too: what is pasted next is meant for them, not for the field that was typed in before.
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        if number is None:
            self._desk.selection.select(None)
            return
        row = self.row_list.rows[number]
        triangle = self.row_painter.triangle_x(row, self.columns)
        if row.folds and triangle - 6 <= x <= triangle + self._theme.px(_TRIANGLE):
            self.fold(row.item_id, folded=not row.is_folded)
            return
        self.picking.pick(number, event.modifiers())
        is_name = self.is_over_names(x) and not row.is_place
        self.gestures.press(event.position(), on_name=row.item_id if is_name else None)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag what is held."""
        if event is not None:
            is_pressed = bool(event.buttons() & Qt.MouseButton.LeftButton)
            fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            on_screen = event.globalPosition().toPoint()
            self.gestures.move(event.position(), is_pressed=is_pressed, fine=fine, on_screen=on_screen)

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
        if row is not None and row.folds:
            self.fold(row.item_id, folded=not row.is_folded)
        elif row is not None and not row.is_place and event is not None and self.is_over_names(event.position().x()):
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
        # Over the wing of disks there is nothing to step.
        if steps and not (self.columns.flow is not None and event.position().x() >= self.columns.flow[0]):
            self.gestures.step_shares(row.item_id, self.wing_at(event.position().x()) or "cpu", steps)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Move the selection, fold and unfold, step shares, give up a drag."""
        if event is None:
            return
        rows = self.row_list.rows
        here = self.current_number()
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
            parent = self._parent_of(row)
            if row.folds and row.is_folded != folded:
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
        self.bring_into_view()

    def _parent_of(self, row: Row) -> str | None:
        """Give the row that a row is a member of."""
        if row.kind == "host":
            return None
        above = None if row.is_place else self._desk.look.division.parents[row.index]
        if above is None and row.is_part and row.host >= 0:
            return self._desk.look.plan.hosts[row.host].id
        return above

    def _on_focus_moved(self) -> None:
        """Make the shares that are being stepped before the attention goes elsewhere."""
        if not self.hasFocus():
            self._desk.trial.settle()
        self.viewport().update()

    def viewportEvent(self, event: QEvent | None) -> bool:
        """Tell a row's story where the pointer rests."""
        if isinstance(event, QHelpEvent):
            row = self.row_at(event.pos())
            text = story_of(self._desk, row) if row is not None else ""
            QToolTip.showText(event.globalPos(), text, self.viewport())
            return True
        return super().viewportEvent(event)

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint the rows that show."""
        with painting(self.viewport()) as painter:
            area = event.rect() if event is not None else self.viewport().rect()
            painter.fillRect(area, self._theme.colours.paper)
            numbers = self.rows_between(area.top(), area.bottom() + 1)
            under = Underlay(self, self.gestures, self._desk, self._theme)
            under.paint_pools(painter, numbers)
            under.paint_grid(painter, area, min(area.bottom(), self.row_list.height - self.bar.value()))
            under.paint_selection(painter, numbers)
            wings = [name for name in RESOURCES if area.intersects(self.wing_rect(name, self.viewport().height()))]
            with_name = area.left() < self.columns.names[1] and area.right() >= self.columns.names[0]
            kept = self.kept_in_sight()
            places = [(number, self.place_of(number)) for number in numbers]
            places += [] if kept is None else [(kept, self.kept_place(kept))]
            for number, place in places:
                row = self.row_list.rows[number]
                if number == kept:
                    colours = self._theme.colours
                    painter.fillRect(place, colours.host_row if row.is_place else colours.band_row)
                if row.is_place:
                    self._place_painter.paint(painter, row, place, self.columns)
                else:
                    axes = self.axes_of(row)
                    self.row_painter.paint(painter, row, place, self.columns, axes, wings, with_name=with_name)
                    if "memory" in wings:
                        self.flow_wing.paint(painter, row, place, self.columns)
            under.paint_carried(painter)
