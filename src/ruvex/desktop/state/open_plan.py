"""The open plan: its division at the moment, the selection, edits with preview, and the undo stack."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoStack

from ruvex.desktop.state.background import Background
from ruvex.desktop.state.steps import PromiseRefusedError, Step, settings_step, would_need_off
from ruvex.desktop.state.undo import PlanEdit
from ruvex.desktop.state.units import Units
from ruvex.divide import (
    RESOURCES,
    Day,
    Demand,
    Division,
    Shifts,
    day_of,
    demand_at,
    divide,
    shifts_by_guest,
)
from ruvex.plan import (
    EditError,
    Guest,
    Plan,
    PlanFile,
    Pool,
    find_item,
    get_setting,
    move_moment,
    read_plan,
    write_plan,
)
from ruvex.promise import Claims, claims_of, refusal_between
from ruvex.site import Site, site_of

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
    in_passing
        What else is to be known of it, or nothing.
    """

    text: str
    ids: tuple[str, ...]
    shifts: Mapping[str, Shifts]
    in_passing: str = ""


Live = Callable[[list[tuple[str, Mapping[str, Any]]]], bool]
"""Takes changes of settings into a play that is under way, or tells that there is none."""

Played = Callable[[float, Plan], tuple[Plan, Demand] | None]
"""Gives the settings in force and what was asked for at a time that has been played, or None."""


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
        The id of the current guest or pool, or None for the supply row.
    selection
        All selected guests and pools, the current one among them.
    refused
        The last step that promises did not allow, until it is answered; else None.
    live, played
        What a play of this plan takes and gives while it is looked at.
    units
        The units in which figures are read and typed.
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
    refused_changed()
        ``refused`` is another one.
    not_accepted(text)
        What was just tried cannot be, and why; empty when something else was accepted.
    edited()
        The plan itself is another one: an edit was made, undone or made again.
    named()
        The path or the dirty mark changed.
    """

    replaced = pyqtSignal()
    divided = pyqtSignal()
    day_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    effect_changed = pyqtSignal()
    refused_changed = pyqtSignal()
    not_accepted = pyqtSignal(str)
    edited = pyqtSignal()
    named = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.path: Path | None = None
        self.undo_stack = QUndoStack(self)
        self.undo_stack.cleanChanged.connect(self._on_clean_changed)
        self.selected: str | None = None
        self.selection: tuple[str, ...] = ()
        self.before: Division | None = None
        self.effect: Effect | None = None
        self.refused: PromiseRefusedError | None = None
        self.units = Units(self)
        self.live: Live | None = None
        self.played: Played | None = None
        self._step: Step | None = None
        self._file = PlanFile(Plan())
        self._base = self._file.plan
        self._site: Site = site_of(self._base, {})
        self._base_site = self._site
        self._base_claims: Claims | None = None
        self._demand: Demand = demand_at(self._site, self._base.moment)
        self.division: Division = divide(self._site, demand=self._demand)
        self.background = Background(self)
        self.day: Day = day_of(self._site, moments=_COARSE_DAY)
        self._day_timer = QTimer(self)
        self._day_timer.setSingleShot(True)
        self._day_timer.setInterval(_DAY_DELAY_MS)
        self._day_timer.timeout.connect(self._on_day_due)

    @property
    def plan(self) -> Plan:
        """The plan as shown, a preview included."""
        return self._site.plan

    @property
    def base(self) -> Plan:
        """The plan without the previewed change."""
        return self._base

    @property
    def site(self) -> Site:
        """The plan as shown, as arrays."""
        return self._site

    @property
    def base_site(self) -> Site:
        """The plan without the previewed change, as arrays."""
        return self._base_site

    @property
    def claims(self) -> Claims:
        """The promises of the plan without the previewed change."""
        if self._base_claims is None:
            self._base_claims = claims_of(self._base_site)
        return self._base_claims

    @property
    def pending(self) -> Step | None:
        """The step that is being previewed."""
        return self._step

    @property
    def file(self) -> PlanFile:
        """The file as it was read: its traces and its layout."""
        return self._file

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
        self.show_file(read_plan(path), path)

    def new(self) -> None:
        """Show an empty plan."""
        self.show_file(PlanFile(Plan()), None)

    def save(self, path: Path) -> None:
        """Write the plan; the path becomes its own.

        Raises
        ------
        PlanFileError
            It cannot be written; nothing is lost, and the plan stays dirty.
        """
        self.settle()
        plan = move_moment(self._base, self.plan.moment)
        traces_from = self.path.parent if self.path else None
        write_plan(plan, path, layout=self._file.layout, traces_from=traces_from)
        self.path = path
        self.undo_stack.setClean()
        self.named.emit()

    def show_file(self, file: PlanFile, path: Path | None, *, is_saved: bool = True) -> None:
        """Show a plan that was read, as that of a path; one that is not saved there is dirty from the start."""
        self._file, self.path, self._base = file, path, file.plan
        self._site = site_of(file.plan, file.traces)
        self._set_base_site()
        self.selected, self.selection, self.before, self.effect = None, (), None, None
        self.undo_stack.clear()
        if not is_saved:
            self.undo_stack.resetClean()
        self.dismiss_refusal()
        self._look_at(file.plan.moment)
        self.day = day_of(self._site, moments=_COARSE_DAY)
        self._on_day_due()
        self.replaced.emit()
        self.divided.emit()
        self.day_changed.emit()
        self.selection_changed.emit()
        self.effect_changed.emit()
        self.named.emit()

    def select(self, item_id: str | None) -> None:
        """Select one guest or pool, or with None the supply row."""
        self.select_many(() if item_id is None else (item_id,), item_id)

    def select_many(self, ids: Iterable[str], current: str | None) -> None:
        """Select guests and pools; the current one is what the dials show."""
        selection = tuple(dict.fromkeys(ids))
        if (selection, current) != (self.selection, self.selected):
            self.selection, self.selected = selection, current
            self.selection_changed.emit()

    def _keep_selection(self) -> None:
        """Forget what is selected and no longer there."""
        there = self.division.position
        selection = tuple(item for item in self.selection if item in there)
        current = self.selected if self.selected in there else next(iter(selection), None)
        self.select_many(selection, current)

    def set_moment(self, at_s: float) -> None:
        """Look at another time of the day. This is looking, not editing: it makes no undo entry."""
        at_s = min(max(at_s, 0.0), self.plan.day_s)
        if at_s != self.plan.moment:
            self.settle()
            self.give_up()
            self._look_at(at_s)
            self._clear_effect()
            self.divided.emit()

    def look_again(self) -> None:
        """Look at the moment anew: what was played of it is another."""
        self.settle()
        self.give_up()
        self._look_at(self.plan.moment)
        self.divided.emit()

    def _look_at(self, at_s: float) -> None:
        self._base = move_moment(self._base, at_s)
        played = None if self.played is None else self.played(at_s, self._base)
        self._site = self._site.with_plan(self._base if played is None else played[0])
        self._set_base_site()
        self._demand = demand_at(self._site, at_s) if played is None else played[1]
        self.division = divide(self._site, demand=self._demand)

    def setting_before(self, target: str, setting: str) -> Any:
        """Give a setting as it is without the previewed change."""
        item = find_item(self._base, target)
        assert item is not None
        return get_setting(item, setting)

    def preview_step(self, step: Step) -> None:
        """Show what a step would do, without making it.

        Raises
        ------
        PromiseRefusedError
            Promises do not allow it; what was shown before stays.
        EditError
            It breaks a rule of the plan; what was shown before stays.
        """
        if step.settles != (self._step.settles if self._step is not None else ""):
            self.settle()
        plan = step.edit(self._base)
        site = self._base_site.with_plan(plan)
        refusal = refusal_between(self.claims, claims_of(site, booting=step.booting), step.changed)
        if refusal is not None:
            raise PromiseRefusedError(step, refusal, plan)
        if self.before is None:
            self.before = self.division
        self._step = step
        self._divide_again(plan, site)
        self._set_effect(step.text, self.before, self.division, would_need_off(self._base, plan, step.changed))

    def make(self, step: Step) -> None:
        """Make a step at once, as one undo entry.

        Raises
        ------
        PromiseRefusedError
            Promises do not allow it; it is kept in ``refused`` to be answered.
        EditError
            It breaks a rule of the plan; nothing is changed.
        """
        try:
            self.preview_step(step)
        except EditError as error:
            self.give_up()
            if isinstance(error, PromiseRefusedError):
                self.refuse(error)
            raise
        self.commit()

    def commit(self) -> None:
        """Make the previewed step."""
        if self.before is None or self._step is None:
            return
        if self.live is not None and self._step.changes and self.live(list(self._step.changes)):
            # It happens in the play; the plan stays as it is.
            self.give_up()
            return
        step, before, after = self._step, self._base, self.plan
        self.before, self._step = None, None
        if after != before:
            self._base = after
            self._set_base_site()
            self.undo_stack.push(PlanEdit(step.text, before, after, self._on_undo_or_redo, merges=step.merges))
            self._day_timer.start()
            self.edited.emit()
        self.dismiss_refusal()
        self.divided.emit()

    def settle(self) -> None:
        """Make the previewed step if it is one that only waits for a rest; else leave it."""
        if self._step is not None and self._step.settles:
            self.commit()

    def give_up(self) -> None:
        """Drop the previewed step."""
        if self.before is not None:
            self.before, self._step = None, None
            self._divide_again(self._base, self._base_site)
            self._clear_effect()

    def refuse(self, refused: PromiseRefusedError) -> None:
        """Keep a refused step, for the person to answer."""
        self.refused = refused
        self.refused_changed.emit()

    def dismiss_refusal(self) -> None:
        """Forget the refused step."""
        if self.refused is not None:
            self.refused = None
            self.refused_changed.emit()

    def preview(self, target: str, change: Mapping[str, Any], text: str) -> None:
        """Show what other values of an item's settings would do; raises as ``preview_step``."""
        self.preview_step(settings_step(text, [(target, change)]))

    def change(self, target: str, change: Mapping[str, Any], text: str) -> None:
        """Set some settings of an item; raises as ``make``."""
        self.make(settings_step(text, [(target, change)]))

    def _set_base_site(self) -> None:
        self._base_site = self._site if self._site.plan is self._base else (self._site.with_plan(self._base))
        self._base_claims = None

    def _divide_again(self, plan: Plan, site: Site | None = None) -> None:
        site = site or self._site.with_plan(plan)
        same_rows = site.layout is self._site.layout
        if site.signals is not self._site.signals:
            self._demand = demand_at(site, plan.moment)
        self._site = site
        self.division = divide(site, demand=self._demand, levels=self.division.levels)
        if not same_rows:
            self._keep_selection()
            self.replaced.emit()
        self.divided.emit()

    def undo(self) -> None:
        """Take back the last edit, one that only waits for a rest too."""
        self.settle()
        self.undo_stack.undo()

    def redo(self) -> None:
        """Make the edit again that was taken back last."""
        self.settle()
        self.undo_stack.redo()

    def _on_undo_or_redo(self, plan: Plan, text: str) -> None:
        """Show a plan that an undo entry gives; the moment stays where the person put it."""
        self.give_up()
        before = self.division
        self._base = move_moment(plan, self.plan.moment)
        self._divide_again(self._base)
        self._set_base_site()
        self._set_effect(text, before, self.division, "")
        self._day_timer.start()
        self.dismiss_refusal()
        self.edited.emit()

    def _set_effect(self, text: str, before: Division, after: Division, in_passing: str) -> None:
        shifts = {name: shifts_by_guest(before, after, name) for name in RESOURCES}
        moved = {name: found for name, found in shifts.items() if found.rows.size}
        self.effect = Effect(text, after.ids, moved, in_passing)
        self.effect_changed.emit()

    def _clear_effect(self) -> None:
        if self.effect is not None:
            self.effect = None
            self.effect_changed.emit()

    def _on_clean_changed(self, _clean: bool) -> None:
        self.named.emit()

    def _on_day_due(self) -> None:
        site = self._base_site

        def show(day: Day | None, problem: Exception | None) -> None:
            if problem is not None:
                raise problem
            # Another plan may have been opened meanwhile; its own day is on its way then.
            if day is not None and site.layout is self._site.layout:
                self.day = day
                self.day_changed.emit()

        self.background.run("day", lambda: day_of(site), show)
