"""A refusal in sentences, the same on the command line and in the window."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Final

from ruvex.placing import Obstacle
from ruvex.plan import Host, Plan, Pool, find_item, format_cpu, format_memory
from ruvex.promise import Kind, Refusal, Tried, Waiting, is_cpu
from ruvex.words._settings import counted, label_of

_MOST_HOLDERS: Final = 4
_WHAT: Final[Mapping[Kind, str]] = {
    "cpu": "CPU promises", "memory": "memory promises", "host-cpu": "CPU that its guests can be promised",
    "host-memory": "memory that its guests can be promised", "spill": "spill space",
    "bank": "memory that the guests of its bank can be promised", "volume": "a spill volume for the bank",
    "cores": "CPU on the cores that guests are kept to",
}  # fmt: skip
_HELD: Final[Mapping[Kind, str]] = {
    "host-cpu": "promised to its guests", "host-memory": "promised to its guests, their overhead and its bank",
    "spill": "needed", "bank": "promised to the guests of its bank",
    "cores": "promised to guests that are kept to the same cores",
}  # fmt: skip


def _amount(value: float, kind: Kind) -> str:
    return format_cpu(value) if is_cpu(kind) else format_memory(value)


def _label(plan: Plan, place: str | None) -> str:
    return label_of(plan, place) if place is not None else "The supply"


def shortage_text(plan: Plan, lacking: Refusal | Waiting) -> str:
    """Say within a sentence what is short, where and by how much."""
    where, amount = label_of(plan, lacking.place), _amount(lacking.shortfall, lacking.kind)
    if lacking.kind == "volume":
        return f"the bank of {where} has no spill volume of {amount} left"
    return f"{where} is short of {_WHAT[lacking.kind]} by {amount}"


def refusal_text(plan: Plan, refusal: Refusal | Waiting) -> str:
    """Say in one sentence what is short, where and by how much."""
    text = shortage_text(plan, refusal)
    # Names keep their own first letter.
    return f"T{text[1:]}" if refusal.place is None or refusal.kind == "volume" else text


def obstacle_text(plan: Plan, obstacle: Obstacle) -> str:
    """Say in one sentence why a guest cannot be on a host."""
    return obstacle.rule if obstacle.refusal is None else refusal_text(plan, obstacle.refusal)


def chain_lines(plan: Plan, refusal: Refusal) -> list[str]:
    """Say for each place that was tried what would be claimed there and what may be."""
    return [_tried_line(plan, tried, refusal) for tried in refusal.chain]


def _tried_line(plan: Plan, tried: Tried, refusal: Refusal) -> str:
    kind = refusal.kind
    label, claimed = _label(plan, tried.place), _amount(tried.claimed, kind)
    item = find_item(plan, tried.place) if tried.place is not None else None
    if isinstance(item, Host):
        if kind == "volume":
            # Those who have a volume, and the one that finds none.
            return f"{label}: {_volumes_text(item, len(refusal.holders) + 1)}"
        return f"{label}: {claimed} {_HELD[kind]}, of {_amount(tried.allowed, kind)}"
    if tried.place is None:
        return f"{label}: {claimed} claimed, of {_amount(tried.allowed, kind)} that can be promised"
    line = f"{label}: {claimed} claimed"
    if isinstance(item, Pool):
        settings = item.of("cpu" if kind == "cpu" else "memory")
        line += f", {_amount(settings.reservation, kind)} reserved"
        if settings.draws:
            line += f", {_amount(tried.drawn, kind)} drawn from above" if tried.drawn else ""
            line += f", limit {_amount(tried.allowed, kind)}" if math.isfinite(tried.allowed) else ""
        else:
            line += ", does not draw on its parent"
    return line


def _volumes_text(host: Host, guests: int) -> str:
    """Say which volumes the bank of a host has, and how many guests there are for them."""
    volumes = host.bank.spill_volumes if host.bank is not None else ()
    sizes = ", ".join(format_memory(volume.mib) for volume in volumes) or "none"
    return f"spill volumes of {sizes}, for {counted(guests, 'guest')} that need{'s' if guests == 1 else ''} one each"


def holders_text(plan: Plan, refusal: Refusal) -> str:
    """Name those who hold most there, or give nothing where nobody does."""
    named = [f"{_label(plan, item)} {_amount(amount, refusal.kind)}" for item, amount in refusal.holders]
    more = len(named) - _MOST_HOLDERS
    return ", ".join(named[:_MOST_HOLDERS] + ([f"and {more} more"] if more > 0 else []))
