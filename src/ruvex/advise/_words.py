"""A refusal in sentences, the same on the command line and in the window."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Final

from ruvex.divide import Refusal, Tried, Waiting
from ruvex.plan import Host, Plan, Pool, Rules, find_item, format_cpu, format_memory

_MOST_HOLDERS: Final = 4
_WHAT: Final[Mapping[str, str]] = {
    "cpu": "CPU promises", "memory": "memory promises", "host-memory": "memory that can be found now",
    "spill": "spill space", "bank": "memory of its bank that can be found now",
    "volume": "spill volumes in its bank",
}  # fmt: skip


def _amount(value: float, kind: str) -> str:
    return format_cpu(value) if kind == "cpu" else format_memory(value)


def _label(plan: Plan, place: str | None) -> str:
    item = find_item(plan, place) if place is not None else None
    return "The supply" if item is None or isinstance(item, Rules) else item.label


def refusal_text(plan: Plan, refusal: Refusal | Waiting) -> str:
    """Say in one sentence what is short, where and by how much."""
    short = _amount(refusal.shortfall, refusal.kind)
    return f"{_label(plan, refusal.place)} is short of {_WHAT[refusal.kind]} by {short}"


def chain_lines(plan: Plan, refusal: Refusal) -> list[str]:
    """Say for each place that was tried what would be claimed there and what may be."""
    return [_tried_line(plan, tried, refusal.kind) for tried in refusal.chain]


def _tried_line(plan: Plan, tried: Tried, kind: str) -> str:
    label, claimed = _label(plan, tried.place), _amount(tried.claimed, kind)
    item = find_item(plan, tried.place) if tried.place is not None else None
    if isinstance(item, Host):
        what = "needed" if kind in ("spill", "volume") else "held at all times"
        return f"{label}: {claimed} {what}, of {_amount(tried.allowed, kind)}"
    if tried.place is None:
        return f"{label}: {claimed} claimed, of {_amount(tried.allowed, kind)} that can be promised"
    line = f"{label}: {claimed} claimed"
    if isinstance(item, Pool):
        settings = item.cpu if kind == "cpu" else item.memory
        line += f", {_amount(settings.reservation, kind)} reserved"
        if settings.draws:
            line += f", {_amount(tried.drawn, kind)} drawn from above" if tried.drawn else ""
            line += f", limit {_amount(tried.allowed, kind)}" if math.isfinite(tried.allowed) else ""
        else:
            line += ", does not draw on its parent"
    return line


def holders_text(plan: Plan, refusal: Refusal) -> str:
    """Name those who hold most there, or give nothing where nobody does."""
    named = [f"{_label(plan, item)} {_amount(amount, refusal.kind)}" for item, amount in refusal.holders]
    more = len(named) - _MOST_HOLDERS
    return ", ".join(named[:_MOST_HOLDERS] + ([f"and {more} more"] if more > 0 else []))
