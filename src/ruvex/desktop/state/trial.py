"""A step that is being tried: what it would do, or why promises do not allow it; kept or given up."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.advise import DayShift, moved_along
from ruvex.desktop.state.document import Document
from ruvex.desktop.state.look import Look
from ruvex.desktop.state.playing import Playing
from ruvex.desktop.state.rehearsal import Rehearsal
from ruvex.desktop.state.steps import PromiseRefusedError, Step, settings_step, would_need_off
from ruvex.divide import Contended, Division, Shifts, all_shifts, divide
from ruvex.plan import (
    EditError,
    check_bounds,
    find_item,
    format_time,
    get_setting,
    setting_word,
)
from ruvex.promise import claims_of, refusal_between
from ruvex.site import Site


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
        For each that moved, who gains and who pays, the largest change first.
    in_passing
        What else is to be known of it, or nothing.
    day
        What it does over the whole day; None while that has not been played.
    """

    text: str
    ids: tuple[str, ...]
    shifts: Mapping[Contended, Shifts]
    in_passing: str = ""
    day: DayShift | None = None


class Trial(QObject):
    """Tries steps, one at a time.

    Attributes
    ----------
    step
        The one that is being tried, or None.
    effect
        What it does, or what the last one did; None when there is nothing to tell.
    refused
        The last step that promises did not allow, until it is answered; else None.

    Signals
    -------
    effect_changed()
        ``effect`` is new: a step is being tried, was made, undone or given up.
    day_followed()
        ``effect`` is the same, with what it does over the day: that has been played now.
    refused_changed()
        ``refused`` is another one.
    mend_offered(text, label, step)
        What was just tried cannot be, why; and a step that does it by changing something else too.
    not_accepted(text)
        What was just tried cannot be, and why; empty when something else was accepted.
    """

    effect_changed = pyqtSignal()
    day_followed = pyqtSignal()
    refused_changed = pyqtSignal()
    mend_offered = pyqtSignal(str, str, object)
    not_accepted = pyqtSignal(str)

    def __init__(
        self, document: Document, look: Look, playing: Playing, rehearsal: Rehearsal, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._look, self._playing, self._rehearsal = document, look, playing, rehearsal
        self.step: Step | None = None
        self._site = document.site
        self.effect: Effect | None = None
        self.refused: PromiseRefusedError | None = None
        document.resting.connect(self.settle)
        document.leaving.connect(self.give_up)
        document.closing.connect(self._forget)
        document.edited.connect(self._on_edited)
        look.moment_changed.connect(self.clear_effect)
        rehearsal.changed.connect(self._on_rehearsed)

    def try_(self, step: Step) -> None:
        """Show what a step would do, without making it.

        Raises
        ------
        PromiseRefusedError
            Promises do not allow it; what was shown before stays.
        EditError
            It breaks a rule of the plan; what was shown before stays.
        """
        if step.settles != (self.step.settles if self.step is not None else ""):
            self.settle()
        document, look = self._document, self._look
        site = self._edited(step)
        plan = site.plan
        self.step, self._site = step, site
        look.show(site, before=look.before or look.division)
        assert look.before is not None
        in_passing = would_need_off(document.plan, plan, step.changed)
        if step.changes and self._playing.is_live:
            in_passing = in_passing or f"it happens in the play, from {format_time(self._playing.now_s)} on"
        else:
            self._rehearsal.try_(site)
        self._set_effect(step.text, look.before, in_passing)

    def _edited(self, step: Step) -> Site:
        """Give the document's plan with a step made, which its promises must allow."""
        document = self._document
        plan = step.edit(document.plan)
        check_bounds(document.plan, plan)
        site = document.site.with_plan(plan)
        refusal = refusal_between(document.claims, claims_of(site, booting=step.booting), step.changed)
        if refusal is not None:
            raise PromiseRefusedError(step, refusal, plan)
        return site

    def weigh(self, step: Step) -> tuple[Effect, Division, Division]:
        """Tell what a step would do at this moment without showing it, and give the divisions before and after.

        Both are settled ones: a day is not played for every place that names are carried over.

        Raises
        ------
        PromiseRefusedError, EditError
            As ``try_``.
        """
        document, look = self._document, self._look
        site = self._edited(step)
        before = divide(document.site, demand=look.demand) if look.is_played else look.division
        after = divide(site, demand=look.demand)
        moved = all_shifts(before, after)
        in_passing = would_need_off(document.plan, site.plan, step.changed)
        return Effect(step.text, after.ids, moved, in_passing), before, after

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
            self.try_(step)
        except EditError as error:
            self.give_up()
            if isinstance(error, PromiseRefusedError):
                self.refuse(error)
            elif step.changes:
                self._offer_along(step, error)
            raise
        self.keep()

    def take(self, step: Step) -> bool:
        """Make a step at once; what stands in its way is told, and nothing is changed. Tells whether it was made."""
        try:
            self.make(step)
        except EditError as error:
            self.not_accepted.emit(str(error))
            return False
        self.not_accepted.emit("")
        return True

    def misread(self, reason: str) -> None:
        """Tell that what was entered cannot be read, and drop what its first characters had been taken for."""
        self.give_up()
        self.not_accepted.emit(reason)

    def _offer_along(self, step: Step, error: EditError) -> None:
        """Offer to move along the bound that stands in the way, so that the order of typing does not matter."""
        wider = moved_along(self._document.plan, step.changes)
        if wider is None:
            return
        change, old = wider[0][1], step.changes[0][1]
        names = [setting_word(key) for key in change if key not in old]
        text = f"{step.text}, {' and '.join(names)} with it"
        self.mend_offered.emit(str(error), f"Move {' and '.join(names)} along", settings_step(text, wider))

    def keep(self) -> None:
        """Make the step that is being tried: in the play that is under way, or else in the plan."""
        step, site = self.step, self._site
        if step is None:
            return
        if step.changes and self._playing.take_changes(step.changes):
            self.give_up()
            return
        self.step = None
        if site.plan != self._document.plan:
            self._document.make(step.text, site, merges=step.merges)
        else:
            self._rehearsal.give_up()
            self._look.show(self._document.site, before=None)
        self.dismiss_refusal()

    def settle(self) -> None:
        """Make the step if it is one that only waits for a rest; else leave it."""
        if self.step is not None and self.step.settles:
            self.keep()

    def give_up(self) -> None:
        """Drop the step."""
        if self.step is not None:
            self.step = None
            self._rehearsal.give_up()
            self._look.show(self._document.site, before=None)
            self.clear_effect()

    def refuse(self, refused: PromiseRefusedError) -> None:
        """Keep a refused step, for the person to answer."""
        self.refused = refused
        self.refused_changed.emit()

    def dismiss_refusal(self) -> None:
        """Forget the refused step."""
        if self.refused is not None:
            self.refused = None
            self.refused_changed.emit()

    def clear_effect(self) -> None:
        """Forget what the last step did."""
        if self.effect is not None:
            self.effect = None
            self.effect_changed.emit()

    # In short

    def try_settings(self, target: str, change: Mapping[str, Any], text: str) -> None:
        """Show what other values of an item's settings would do; raises as ``try_``."""
        self.try_(settings_step(text, [(target, change)]))

    def change(self, target: str, change: Mapping[str, Any], text: str) -> None:
        """Set some settings of an item; raises as ``make``."""
        self.make(settings_step(text, [(target, change)]))

    def setting_before(self, target: str, setting: str) -> Any:
        """Give a setting as it is without what is being tried."""
        item = find_item(self._document.plan, target)
        assert item is not None
        return get_setting(item, setting)

    # Following the document

    def _forget(self) -> None:
        self.clear_effect()
        self.dismiss_refusal()

    def _on_edited(self, text: str) -> None:
        if text:
            self._set_effect(text, self._look.last, "")
            self.dismiss_refusal()

    def _set_effect(self, text: str, before: Division, in_passing: str) -> None:
        after = self._look.division
        day = self._rehearsal.shift if self.step is not None else None
        self.effect = Effect(text, after.ids, all_shifts(before, after), in_passing, day)
        self.effect_changed.emit()

    def _on_rehearsed(self) -> None:
        """Tell what is being tried once more, with what it does over the day."""
        if self.step is not None and self.effect is not None and self._rehearsal.shift is not None:
            self.effect = replace(self.effect, day=self._rehearsal.shift)
            self.day_followed.emit()
