"""Settings addressed by dotted names, such as ``cpu.shares`` of a guest; events and edits share them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel

from ruvex.plan._model import MEMORY_MODES, Guest, Host, Plan, Pool
from ruvex.plan._rules import Rules
from ruvex.plan._stores import Store

Part = Host | Store | Pool | Guest | Rules
NEVER_CHANGED = ("id",)


def find_item(plan: Plan, target: str) -> Part | None:
    """Give the host, store, pool or guest with an id, or the rules by the name ``rules``; None if there is none."""
    if target in plan.guest_index:
        return plan.guests[plan.guest_index[target]]
    if target in plan.pool_index:
        return plan.pools[plan.pool_index[target]]
    if target in plan.host_index:
        return plan.hosts[plan.host_index[target]]
    if target in plan.store_index:
        return plan.stores[plan.store_index[target]]
    return plan.rules if target == "rules" else None


def get_setting(item: BaseModel, setting: str) -> Any:
    """Read a setting of an item by its dotted name.

    Raises
    ------
    KeyError
        The item has no such setting.
    """
    value: Any = item
    for key in setting.split("."):
        if not (isinstance(value, BaseModel) and key in type(value).model_fields):
            raise KeyError(setting)
        value = getattr(value, key)
    return value


def has_setting(plan: Plan, target: str, setting: str) -> bool:
    """Tell whether the item with this id exists and has a setting of this name that may change."""
    item = find_item(plan, target)
    if item is None or setting in NEVER_CHANGED:
        return False
    try:
        get_setting(item, setting)
    except KeyError:
        return False
    return True


def with_settings(item: Part, change: Mapping[str, Any]) -> Part:
    """Give a copy of an item with some settings replaced, validated as on reading.

    Raises
    ------
    KeyError
        The item has no such setting.
    pydantic.ValidationError
        A value is not allowed.
    """
    data = item.model_dump(mode="python", exclude_unset=True)
    for setting, value in change.items():
        get_setting(item, setting)
        *path, last = setting.split(".")
        part = data
        for key in path:
            part = part.setdefault(key, {})
        part[last] = value
        if setting == "memory.mode" and isinstance(value, str) and value in MEMORY_MODES:
            # What the other mode does not know is left behind; what is not given with the change has its default.
            data["memory"] = {key: part[key] for key in part if key in MEMORY_MODES[value].model_fields}
    return type(item).model_validate(data)
