"""Names, changes of settings and lengths of time in words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import BaseModel

from ruvex.plan import (
    RESOURCE_KINDS,
    Plan,
    Rules,
    find_item,
    format_number,
    setting_amount,
    setting_word,
)


def label_of(plan: Plan, item_id: str | None) -> str:
    """Give the name people read of a guest, pool, host or store; the supply for none."""
    item = find_item(plan, item_id) if item_id is not None else None
    return "the supply" if item is None else "the rules" if isinstance(item, Rules) else item.label


def counted(number: int, noun: str) -> str:
    """Say how many of something there are.

    Examples
    --------
    >>> counted(1, "guest"), counted(0, "guest")
    ('1 guest', '0 guests')
    """
    return f"{number} {noun}{'' if number == 1 else 's'}"


def first_names(names: Sequence[str], most: int = 3) -> str:
    """Give the first of several names, and how many more there are.

    Examples
    --------
    >>> first_names(["a", "b", "c", "d", "e"])
    'a, b, c and 2 more'
    """
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more


def change_text(change: Mapping[str, Any]) -> str:
    """Say which settings change to what.

    Examples
    --------
    >>> change_text({"memory.floor": 2048, "hot_add": ["vcpus", "memory"], "agent": True})
    'floor 2.00\u202fGiB, what can be added while on vcpus and memory, agent yes'
    """
    return ", ".join(f"{setting_word(name)} {setting_text(name, value)}" for name, value in change.items())


def setting_text(name: str, value: Any) -> str:
    """Say what a setting is, with its unit.

    Examples
    --------
    >>> setting_text("cpu.limit", None), setting_text("vcpus", 4)
    ('none', '4')
    """
    if isinstance(value, BaseModel):
        value = value.model_dump(mode="json")
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list | tuple):
        names = [str(item.get("id", "?")) if isinstance(item, Mapping) else str(item) for item in value]
        return " and ".join(names) or "none"
    if isinstance(value, Mapping):
        words = [str(one) for key, one in value.items() if key != "kind" and isinstance(one, int | float | str)]
        return " ".join([str(value.get("kind") or value.get("mode") or ""), *words[:5]]).strip()
    if not isinstance(value, int | float):
        return str(value)
    amount = setting_amount(name)
    if amount is not None:
        return RESOURCE_KINDS[amount].write(value)
    return format_number(value, 3).rstrip("0").rstrip(".") + (" %" if name.endswith("percent") else "")


def span(seconds: float) -> str:
    """Write a length of time as people say it.

    Examples
    --------
    >>> span(45), span(600), span(4_740)
    ('45 s', '10 min', '1 h 19 min')
    """
    whole = round(seconds)
    if whole < 60:
        return f"{whole} s"
    hours, minutes = whole // 3600, whole // 60 % 60
    if not hours:
        rest = whole % 60
        return f"{minutes} min" + (f" {rest} s" if rest and minutes < 10 else "")
    return f"{hours} h" + (f" {minutes} min" if minutes else "")
