"""What the mouse and ± do in the rows: drag settings at their ends, drag names onto pools, step shares."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QObject, QPoint, QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import QApplication

from ruvex.desktop.kit.axis import Axis
from ruvex.desktop.kit.track import Handle
from ruvex.desktop.panels.dial_settings import dial_settings
from ruvex.desktop.panels.host_chips import HostChip
from ruvex.desktop.panels.setting_text import setting_edit_text
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.moving import guests_meant
from ruvex.desktop.state.rows import Row
from ruvex.desktop.state.steps import PromiseRefusedError, settings_step
from ruvex.desktop.views.division.weighing import Target, Weighed, weigh
from ruvex.desktop.views.division.wings import WingField
from ruvex.plan import RESOURCES, EditError, Guest, Pool, Resource, find_item, get_setting, has_setting

_REACH: Final = 5.0
_STARTS_AFTER: Final = 4.0
_NO_LIMIT_FROM: Final = 0.995
_SHARES_STEP: Final = 10.0
_SHARES_REST_MS: Final = 900


@dataclass(frozen=True, slots=True)
class Edge:
    """The end of a bar, or a bracket, that can be dragged."""

    row: Row
    resource: Resource
    handle: Handle
    axis: Axis
    snap: float


class Gestures(QObject):
    """Follows the mouse over the rows.

    Attributes
    ----------
    edge
        The edge that is held or hovered, or None.
    carried
        The guests and pools whose names are being dragged.
    target
        Where they would go; meaningless while nothing is carried.
    weighed
        What that would do.
    pointer_y
        How far down the pointer is with them.

    Signals
    -------
    dropped(target)
        Names were dropped on a pool, at the top, or on a host.
    """

    dropped = pyqtSignal(object)

    def __init__(self, field: WingField, desk: Desk) -> None:
        super().__init__(field)
        self._field, self._desk = field, desk
        self.edge: Edge | None = None
        self.carried: tuple[str, ...] = ()
        self.target = Target(None)
        self.weighed: Weighed | None = None
        self._chip: HostChip | None = None
        self.pointer_y = 0.0
        self._pressed: QPointF | None = None
        self._name_pressed: str | None = None
        self._is_dragging = False
        self._refused: PromiseRefusedError | None = None
        self._shares_rest = QTimer(self)
        self._shares_rest.setSingleShot(True)
        self._shares_rest.setInterval(_SHARES_REST_MS)
        self._shares_rest.timeout.connect(desk.trial.settle)

    # Edges

    def edge_at(self, point: QPointF) -> Edge | None:
        """Give the end of the solid part, or the bracket, within reach of a point."""
        row = self._field.row_at(point.toPoint())
        name = self._field.wing_at(point.x())
        if row is None or name is None or not row.is_on:
            return None
        item = find_item(self._desk.look.plan, row.item_id)
        if not isinstance(item, Guest | Pool):
            return None
        axis = self._field.axes_of(row)[name]
        settings = dial_settings(self._desk.look.plan, self._desk.look.division, item, name)
        best, least = None, _REACH
        for handle in settings.handles:
            if handle.value is None or not 0 <= handle.value <= axis.top or handle.key.endswith(".boot"):
                continue
            away = abs(axis.x(handle.value) - point.x())
            if away <= least:
                best, least = handle, away
        return Edge(row, name, best, axis, settings.snap) if best is not None else None

    def press(self, point: QPointF, *, on_name: str | None) -> None:
        """Take what is under the pointer; nothing happens before it is moved."""
        self._desk.trial.settle()
        self._pressed, self._name_pressed = point, on_name
        self.edge = None if on_name is not None else self.edge_at(point)

    def move(self, point: QPointF, *, is_pressed: bool, fine: bool, on_screen: QPoint | None = None) -> None:
        """Follow the pointer."""
        if not is_pressed or self._pressed is None:
            self.edge = self.edge_at(point)
            self._field.viewport().setCursor(
                Qt.CursorShape.SizeHorCursor if self.edge is not None else Qt.CursorShape.ArrowCursor
            )
            return
        away = point - self._pressed
        if not self._is_dragging and math.hypot(away.x(), away.y()) < _STARTS_AFTER:
            return
        if self.edge is not None:
            self._is_dragging = True
            self._drag_edge(self.edge, point, fine=fine)
        elif self._name_pressed is not None:
            self._is_dragging = True
            self._carry(point, on_screen)

    def _drag_edge(self, edge: Edge, point: QPointF, *, fine: bool) -> None:
        axis, handle = edge.axis, edge.handle
        part = (point.x() - axis.zero) / (axis.end - axis.zero)
        if handle.can_be_none and part >= _NO_LIMIT_FROM:
            value = None
        else:
            snap = edge.snap / 10 if fine else edge.snap
            value = min(max(round(max(part, 0.0) * axis.top / snap) * snap, handle.low), handle.high)
        self._preview(edge.row.item_id, handle.key, value)

    def _preview(self, item_id: str, key: str, value: float | None, *, settles: str = "") -> None:
        ids = self._alike(item_id, key)
        text = setting_edit_text(self._desk, ids, key, value)
        self._refused = None
        try:
            self._desk.trial.try_(settings_step(text, [(target, {key: value}) for target in ids], settles=settles))
        except PromiseRefusedError as error:
            self._refused = error
            self._desk.trial.not_accepted.emit(str(error))
        except EditError as error:
            self._desk.trial.not_accepted.emit(str(error))
        else:
            self._desk.trial.not_accepted.emit("")

    def _alike(self, item_id: str, key: str) -> list[str]:
        """Give what an edit of a row concerns: all that is selected and has the setting, if the row is among it."""
        plan, selection = self._desk.document.plan, self._desk.selection.ids
        if item_id not in selection:
            return [item_id]
        return [item_id, *(other for other in selection if other != item_id and has_setting(plan, other, key))]

    def release(self) -> None:
        """Let go: make what was dragged."""
        dragging, carried, refused, target = self._is_dragging, self.carried, self._refused, self.target
        edge, self.edge = self.edge, None
        self._forget()
        if dragging and edge is not None:
            if refused is not None:
                self._desk.trial.give_up()
                self._desk.trial.refuse(refused)
            else:
                self._desk.trial.keep()
        elif dragging and carried:
            self.dropped.emit(target)
        self._field.viewport().update()

    def cancel(self) -> bool:
        """Give up what is being dragged or stepped; tells whether there was anything."""
        pending = self._desk.trial.step
        was_busy = self._is_dragging or (pending is not None and bool(pending.settles))
        if was_busy:
            self._desk.trial.give_up()
            self._desk.trial.not_accepted.emit("")
        self.edge = None
        self._shares_rest.stop()
        self._forget()
        self._field.viewport().update()
        return was_busy

    def _forget(self) -> None:
        self._pressed, self._name_pressed, self._is_dragging = None, None, False
        self.carried, self._refused, self.weighed = (), None, None
        self._point_at(None)

    @property
    def is_dragging(self) -> bool:
        """Whether something is being dragged."""
        return self._is_dragging

    # Names

    def _carry(self, point: QPointF, on_screen: QPoint | None) -> None:
        """Carry the pressed name, and all that is selected with it, over the rows or to a host in the head band."""
        assert self._name_pressed is not None
        self.pointer_y = point.y()
        selection = self._desk.selection.ids
        was, self.carried = self.carried, selection if self._name_pressed in selection else (self._name_pressed,)
        self._field.scroll_at_edge(point.y())
        widget = QApplication.widgetAt(on_screen) if on_screen is not None else None
        self._point_at(widget if isinstance(widget, HostChip) else None)
        target = Target(None, self._chip.host) if self._chip is not None else self._target_at(point)
        if target != self.target or was != self.carried:
            self.target = target
            self.weighed = weigh(self._desk, self.carried, target)
        self._field.viewport().update()

    def _target_at(self, point: QPointF) -> Target:
        row, plan = self._field.row_at(point.toPoint()), self._desk.document.plan
        if row is None:
            return Target(None)
        if row.is_part and row.host >= 0:
            guests = guests_meant(self._desk, self.carried)
            standing = self._desk.document.site.standing
            if row.is_place or any(int(standing.host[plan.guest_index[guest]]) != row.host for guest in guests):
                return Target(None, plan.hosts[row.host].id)
        if row.is_place:
            return Target(None)
        return Target(row.item_id if row.is_pool else self._desk.look.division.parents[row.index])

    def _point_at(self, chip: HostChip | None) -> None:
        if chip is not self._chip:
            for one, is_target in ((self._chip, False), (chip, True)):
                if one is not None:
                    one.set_target(is_target=is_target)
            self._chip = chip

    # Shares

    def step_shares(self, item_id: str, resource: Resource, steps: int) -> None:
        """Preview other shares of a row; they are made after a rest, or when something else is done."""
        item = find_item(self._desk.look.plan, item_id)
        key = f"{resource}.shares"
        if not isinstance(item, Guest | Pool) or resource not in RESOURCES:
            return
        value = max(_SHARES_STEP, round(get_setting(item, key) / _SHARES_STEP + steps) * _SHARES_STEP)
        self._preview(item_id, key, value, settles=f"{item_id} {key}")
        self._shares_rest.start()
