"""A step of work on the plan: an edit as a value, and what is known when promises do not allow it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from ruvex.advise import Edit, Remedy
from ruvex.plan import Changes, EditError, Guest, Plan, change_many, find_item, needs_off, needs_other_processor
from ruvex.promise import Refusal
from ruvex.words import refusal_text


@dataclass(frozen=True, slots=True)
class Step:
    """One edit.

    Attributes
    ----------
    text
        What is done, as the undo entry and the effect line name it.
    edit
        The edit itself.
    changed
        The guests, pools or hosts it concerns, as they are called after it.
    booting
        Those among them that are powered on by it.
    setting
        Where it sets one number: the item, the setting and the value; the nearest value that passes is offered.
    merges
        Steps that follow each other with the same text here become one undo entry; empty for a step of its own.
    changes
        The settings it sets, where it does nothing else.
    settles
        While it is previewed, anything else that is done makes it first, unless that has the same text here; empty
        for a preview that is dropped instead.
    """

    text: str
    edit: Edit
    changed: tuple[str, ...]
    booting: tuple[str, ...] = ()
    setting: tuple[str, str, float] | None = None
    merges: str = ""
    settles: str = ""
    changes: tuple[tuple[str, Mapping[str, Any]], ...] = ()

    def after(self, remedy: Remedy) -> Step:
        """Give the step that takes a remedy first and then does this one."""

        def both(plan: Plan) -> Plan:
            return self.edit(change_many(plan, remedy.changes))

        changed = (*self.changed, *(target for target, _ in remedy.changes))
        return Step(f"{self.text}, and {remedy.text}", both, changed, self.booting)


def settings_step(text: str, changes: Changes, *, merges: str = "", settles: str = "") -> Step:
    """Give the step that sets some settings to new values."""
    changes = [(target, dict(change)) for target, change in changes]
    setting = None
    if len(changes) == 1 and len(changes[0][1]) == 1:
        key, value = next(iter(changes[0][1].items()))
        if isinstance(value, int | float) and not isinstance(value, bool):
            setting = (changes[0][0], key, float(value))
    return Step(
        text,
        lambda plan: change_many(plan, changes),
        tuple(t for t, _ in changes),
        setting=setting,
        merges=merges,
        settles=settles,
        changes=tuple(changes),
    )


class PromiseRefusedError(EditError):
    """A step that promises do not allow; ``plan`` is what it would have made."""

    def __init__(self, step: Step, refusal: Refusal, plan: Plan) -> None:
        super().__init__(refusal_text(plan, refusal))
        self.step, self.refusal, self.plan = step, refusal, plan


def would_need_off(before: Plan, after: Plan, changed: Iterable[str]) -> str:
    """Say which running guests would have to be powered off for a change, or give nothing."""
    told: Mapping[str, Any] = {
        new.label: [*needs_off(old, new, before.rules), *filter(None, [needs_other_processor(before, old, new)])]
        for item_id in changed
        if isinstance(old := find_item(before, item_id), Guest)
        and isinstance(new := find_item(after, item_id), Guest)
        and old.is_powered
        and new.is_powered
    }
    named = [(label, what) for label, what in told.items() if what]
    if not named:
        return ""
    label, what = named[0]
    more = f" and {len(named) - 1} more" if len(named) > 1 else ""
    return f"a running {label}{more} would have to be off for {' and '.join(what)}"
