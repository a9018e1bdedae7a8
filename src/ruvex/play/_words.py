"""Sentences of the log: names rather than ids, quantities with their units, settings in words."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from ruvex.plan import Guest, Host, Plan, Pool, find_item, format_cpu, format_memory, format_number, setting_word
from ruvex.promise import Refusal, Waiting, is_cpu

_WHAT: Final[Mapping[str, str]] = {
    "cpu": "CPU that can be promised", "memory": "memory that can be promised",
    "host-cpu": "CPU that can be promised there", "host-memory": "memory that can be found there",
    "spill": "spill space", "bank": "memory in its bank", "volume": "a spill volume in its bank",
}  # fmt: skip


def label_of(plan: Plan, item_id: str | None) -> str:
    """Give the name people read of a guest, pool or host; the supply for none."""
    item = find_item(plan, item_id) if item_id is not None else None
    return item.label if isinstance(item, Guest | Pool | Host) else "the supply" if item is None else "the rules"


def shortage(plan: Plan, lacking: Refusal | Waiting) -> str:
    """Say what is short, where and by how much."""
    amount = format_cpu(lacking.shortfall) if is_cpu(lacking.kind) else format_memory(lacking.shortfall)
    where = label_of(plan, lacking.place)
    if lacking.kind == "volume":
        return f"the bank of {where} would have no spill volume of {amount} left"
    of_bank = "the bank of " if lacking.kind == "bank" else ""
    return f"{of_bank}{where} is short of {_WHAT[lacking.kind]} by {amount}"


def change_text(change: Mapping[str, Any]) -> str:
    """Say which settings change to what.

    Examples
    --------
    >>> change_text({"memory.floor": 2048, "hot_add": ["vcpus", "memory"], "agent": True})
    'floor 2.00\u202fGiB, what can be added while on vcpus and memory, agent yes'
    """
    return ", ".join(f"{setting_word(name)} {_value(name, value)}" for name, value in change.items())


def _value(name: str, value: Any) -> str:
    if value is None:
        return "none"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, list | tuple):
        names = [str(item.get("id", "?")) if isinstance(item, Mapping) else str(item) for item in value]
        return " and ".join(names) or "none"
    if isinstance(value, Mapping):
        return str(value.get("kind", "other"))
    if not isinstance(value, int | float):
        return str(value)
    is_amount = name.rpartition(".")[2] in ("reservation", "limit", "size", "boot", "floor", "ceiling")
    if (
        (name.startswith("memory.") and is_amount)
        or name.endswith("_mib")
        or name in ("demand.working", "demand.touched")
    ):
        return format_memory(value)
    if (name.startswith("cpu.") and is_amount) or name.endswith("_mhz") or name == "demand.cpu":
        return format_cpu(value)
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
