"""Edits of any field of a whole plan: what another drawn plan has there, or what is there twice, moved or gone."""

from __future__ import annotations

import random
from collections.abc import Callable
from typing import Any

from pydantic import BaseModel

from ruvex.plan import (
    EditError,
    Guest,
    Plan,
    PlanError,
    add_items,
    change_settings,
    copies_of,
    move_items,
    move_moment,
    remove_items,
    rename_plan,
    replace_item,
    shift_item,
    with_events,
    with_placement,
)
from tests.laws.whole import Seeded, Size, Whole


class Edits:
    """Draws edits of a plan from a seed."""

    def __init__(self, seed: int) -> None:
        self._random = random.Random(seed)
        self._other = Whole(Seeded(seed + 1), Size(3, 4, 12, 4)).plan()

    def _value(self, plan: Plan) -> Plan:
        """Take one setting, at any depth, from another plan's item of the same kind, or of the rules."""
        kind = self._random.choice(("guests", "guests", "guests", "pools", "hosts", "stores", "rules"))
        if kind == "rules":
            return change_settings(plan, "rules", self._setting(self._other.rules))
        mine, others = getattr(plan, kind), getattr(self._other, kind)
        if not mine or not others:
            return plan
        return change_settings(plan, self._random.choice(mine).id, self._setting(self._random.choice(others)))

    def _setting(self, item: BaseModel) -> dict[str, Any]:
        path, here = [], item
        while True:
            names = [one for one in type(here).model_fields if one not in ("id", "parent", "pool")]
            # Most that matters is set in these two; of a guest's twenty-odd fields they would come up rarely.
            names += [one for one in ("cpu", "memory") if one in names] * 6
            name = self._random.choice(names)
            path.append(name)
            value = getattr(here, name)
            if isinstance(value, BaseModel) and self._random.random() < 0.8:
                here = value
                continue
            return {".".join(path): _plain(value)}

    def _whole_guest(self, plan: Plan) -> Plan:
        """Make a guest another one, all but its id and where it lies."""
        if not plan.guests or not self._other.guests:
            return plan
        mine, other = self._random.choice(plan.guests), self._random.choice(self._other.guests)
        data = _plain(other) | {"id": mine.id, "pool": mine.pool, "host": mine.host, "disks": []}
        return replace_item(plan, Guest.model_validate(data))

    def _place(self, plan: Plan) -> Plan:
        if not plan.guests:
            return plan
        guest = self._random.choice(plan.guests).id
        if self._random.random() < 0.5:
            return move_items(plan, [guest], self._random.choice([None, *(pool.id for pool in plan.pools)]))
        return change_settings(plan, guest, {"host": self._random.choice([None, *(host.id for host in plan.hosts)])})

    def _items(self, plan: Plan) -> Plan:
        items = [*plan.guests, *plan.pools, *plan.hosts, *plan.stores]
        if not items:
            return plan
        one = self._random.choice(items).id
        what = self._random.choice(("copy", "remove", "shift"))
        if what == "remove":
            return remove_items(plan, [one])
        if what == "shift":
            return shift_item(plan, one, self._random.choice((-1, 1, 3)))
        return add_items(plan, copies_of(plan, [one]))

    def _around(self, plan: Plan) -> Plan:
        what = self._random.choice(("placement", "events", "moment", "name", "power"))
        if what == "placement":
            keep = [rule for rule in plan.placement if self._random.random() < 0.5]
            return with_placement(plan, keep)
        if what == "events":
            return with_events(plan, [event for event in plan.events if self._random.random() < 0.5])
        if what == "power" and plan.guests:
            guest = self._random.choice(plan.guests)
            return change_settings(plan, guest.id, {"power": "off" if guest.is_powered else "on"})
        return (
            move_moment(plan, self._random.choice((0.0, 30_000.0))) if what == "moment" else rename_plan(plan, "other")
        )

    def of(self, plan: Plan) -> Plan:
        """Edit a plan once; gives it as it was where the edit is refused."""
        edit: Callable[[Plan], Plan] = self._random.choice(
            (self._value, self._value, self._value, self._whole_guest, self._place, self._items, self._around)
        )
        try:
            return edit(plan)
        except (EditError, PlanError, ValueError):
            return plan


def _plain(value: Any) -> Any:
    if isinstance(value, BaseModel):
        return value.model_dump(mode="json")
    return [_plain(one) for one in value] if isinstance(value, tuple) else value
