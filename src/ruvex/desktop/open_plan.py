"""The open plan: its division at the moment, the selection, edits with preview, and the undo stack."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoStack

from ruvex.desktop.background import Background
from ruvex.desktop.undo import PlanEdit
from ruvex.divide import (
    RESOURCES,
    Compiled,
    Day,
    DemandAt,
    Division,
    Shifts,
    compile_plan,
    day_of,
    demand_at,
    divide,
    shifts_between,
)
from ruvex.plan import (
    Guest,
    Plan,
    PlanFile,
    Pool,
    change_settings,
    find_item,
    get_setting,
    move_moment,
    read_plan,
    write_plan,
)

_COARSE_DAY = 25
"""Moments of the day strip that are worked out at once on opening; the full day follows from the background."""

_DAY_DELAY_MS = 60
"""The day strip is redrawn this long after the last edit: it need not follow a dial step by step."""


@dataclass(frozen=True, slots=True)
class Effect:
    """What an edit does to the guests.

    Attributes
    ----------
    text
        What was changed, such as ``mail CPU shares 100 → 200``.
    ids
        The id of each row of the division.
    shifts
        For each resource that moved, who gains and who pays, the largest change first.
    """

    text: str
    ids: tuple[str, ...]
    shifts: Mapping[str, Shifts]


class OpenPlan(QObject):
    """One open plan and everything that is shown of it.

    Attributes
    ----------
    plan
        The plan as shown, a preview included.
    division, day
        The division at the moment, and the day strip's data.
    background
        Where long work runs.
    before
        While an edit is previewed, the division without it; else None.
    selected
        The id of the selected guest or pool, or None for the supply row.
    undo_stack
        Every edit; its clean state is what is on disk.

    Signals
    -------
    replaced()
        Another plan is open, or the tree is another one.
    divided()
        The division is a new one; its rows are the same.
    day_changed()
        The day strip's data are new; they come from the background.
    selection_changed()
        ``selected`` is another row.
    effect_changed()
        ``effect`` is new: an edit is being previewed, was made, undone or given up.
    named()
        The path or the dirty mark changed.
    """

    replaced = pyqtSignal()
    divided = pyqtSignal()
    day_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    effect_changed = pyqtSignal()
    named = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.path: Path | None = None
        self.undo_stack = QUndoStack(self)
        self.undo_stack.cleanChanged.connect(self._on_clean_changed)
        self.selected: str | None = None
        self.before: Division | None = None
        self.effect: Effect | None = None
        self._file = PlanFile(Plan())
        self._base = self._file.plan
        self._compiled: Compiled = compile_plan(self._base, {})
        self._demand: DemandAt = demand_at(self._compiled, self._base.moment)
        self.division: Division = divide(self._compiled, demand=self._demand)
        self.background = Background(self)
        self.day: Day = day_of(self._compiled, moments=_COARSE_DAY)
        self._day_timer = QTimer(self)
        self._day_timer.setSingleShot(True)
        self._day_timer.setInterval(_DAY_DELAY_MS)
        self._day_timer.timeout.connect(self._on_day_due)

    @property
    def plan(self) -> Plan:
        """The plan as shown, a preview included."""
        return self._compiled.plan

    @property
    def is_dirty(self) -> bool:
        """Whether there are edits that are not on disk."""
        return not self.undo_stack.isClean()

    @property
    def selected_item(self) -> Guest | Pool | None:
        """The selected guest or pool, as shown."""
        item = find_item(self.plan, self.selected) if self.selected else None
        return item if isinstance(item, Guest | Pool) else None

    def open(self, path: Path) -> None:
        """Read a plan file and show it.

        Raises
        ------
        PlanError, PlanFileError
            It cannot be used; what was open stays open.
        """
        file = read_plan(path)
        self._show_file(file, path)

    def new(self) -> None:
        """Show an empty plan."""
        self._show_file(PlanFile(Plan()), None)

    def save(self, path: Path) -> None:
        """Write the plan; the path becomes its own.

        Raises
        ------
        PlanFileError
            It cannot be written; nothing is lost, and the plan stays dirty.
        """
        plan = move_moment(self._base, self.plan.moment)
        traces_from = self.path.parent if self.path else None
        write_plan(plan, path, layout=self._file.layout, traces_from=traces_from)
        self.path = path
        self.undo_stack.setClean()
        self.named.emit()

    def _show_file(self, file: PlanFile, path: Path | None) -> None:
        self._file, self.path, self._base = file, path, file.plan
        self._compiled = compile_plan(file.plan, file.traces)
        self.selected, self.before, self.effect = None, None, None
        self.undo_stack.clear()
        self._look_at(file.plan.moment)
        self.day = day_of(self._compiled, moments=_COARSE_DAY)
        self._on_day_due()
        self.replaced.emit()
        self.divided.emit()
        self.day_changed.emit()
        self.selection_changed.emit()
        self.effect_changed.emit()
        self.named.emit()

    def select(self, item_id: str | None) -> None:
        """Select a guest or pool, or with None the supply row."""
        if item_id != self.selected:
            self.selected = item_id
            self.selection_changed.emit()

    def set_moment(self, at_s: float) -> None:
        """Look at another time of the day. This is looking, not editing: it makes no undo entry."""
        at_s = min(max(at_s, 0.0), self.plan.day_s)
        if at_s != self.plan.moment:
            self.give_up()
            self._look_at(at_s)
            self._clear_effect()
            self.divided.emit()

    def _look_at(self, at_s: float) -> None:
        self._base = move_moment(self._base, at_s)
        self._compiled = self._compiled.with_plan(move_moment(self._compiled.plan, at_s))
        self._demand = demand_at(self._compiled, at_s)
        self.division = divide(self._compiled, demand=self._demand)

    def setting_before(self, target: str, setting: str) -> Any:
        """Give a setting as it is without the previewed change."""
        item = find_item(self._base, target)
        assert item is not None
        return get_setting(item, setting)

    def preview(self, target: str, change: Mapping[str, Any], text: str) -> None:
        """Show what a change would do, without making it.

        Raises
        ------
        EditError
            The change breaks a rule; what was shown before stays.
        """
        plan = change_settings(self._base, target, change)
        if self.before is None:
            self.before = self.division
        self._divide_again(plan)
        self._set_effect(text, self.before, self.division)

    def commit(self, text: str) -> None:
        """Make the previewed change, as one undo entry."""
        if self.before is None:
            return
        before, after = self._base, self.plan
        self.before = None
        if after != before:
            self._base = after
            self.undo_stack.push(PlanEdit(text, before, after, self._on_undo_or_redo))
            self._day_timer.start()
        self.divided.emit()

    def give_up(self) -> None:
        """Drop the previewed change."""
        if self.before is not None:
            self.before = None
            self._divide_again(self._base)
            self._clear_effect()

    def change(self, target: str, change: Mapping[str, Any], text: str) -> None:
        """Make a change at once.

        Raises
        ------
        EditError
            The change breaks a rule; nothing is changed.
        """
        self.preview(target, change, text)
        self.commit(text)

    def _divide_again(self, plan: Plan) -> None:
        compiled = self._compiled.with_plan(plan)
        same_rows = compiled.tree is self._compiled.tree
        if not same_rows:
            self._demand = demand_at(compiled, plan.moment)
        self._compiled = compiled
        self.division = divide(compiled, demand=self._demand)
        if not same_rows:
            self.replaced.emit()
        self.divided.emit()

    def _on_undo_or_redo(self, plan: Plan, text: str) -> None:
        """Show a plan that an undo entry gives; the moment stays where the person put it."""
        self.give_up()
        before = self.division
        self._base = move_moment(plan, self.plan.moment)
        self._divide_again(self._base)
        self._set_effect(text, before, self.division)
        self._day_timer.start()

    def _set_effect(self, text: str, before: Division, after: Division) -> None:
        shifts = {
            name: shifts_between(getattr(before, name), getattr(after, name))
            for name in RESOURCES
            if before.ids is after.ids
        }
        self.effect = Effect(text, after.ids, {name: found for name, found in shifts.items() if found.rows.size})
        self.effect_changed.emit()

    def _clear_effect(self) -> None:
        if self.effect is not None:
            self.effect = None
            self.effect_changed.emit()

    def _on_clean_changed(self, _clean: bool) -> None:
        self.named.emit()

    def _on_day_due(self) -> None:
        compiled = self._compiled

        def show(day: Day | None, problem: Exception | None) -> None:
            if problem is not None:
                raise problem
            # Another plan may have been opened meanwhile; its own day is on its way then.
            if day is not None and compiled.tree is self._compiled.tree:
                self.day = day
                self.day_changed.emit()

        self.background.run(lambda: day_of(compiled), show)
