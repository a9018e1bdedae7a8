"""A change that bounds forbid, made possible by moving the other bound along."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final

from ruvex.plan import Change, EditError, Plan, change_many, find_item, get_setting

_LOWER: Final[Mapping[str, tuple[str, ...]]] = {
    "memory.floor": (), "memory.boot": ("memory.floor",), "memory.ceiling": ("memory.boot", "memory.floor"),
    "memory.size": ("memory.reservation",), "memory.limit": ("memory.reservation",), "cpu.limit": ("cpu.reservation",),
}  # fmt: skip
"""What has to be at most each of these."""
_UPPER: Final[Mapping[str, tuple[str, ...]]] = {
    "memory.floor": ("memory.boot", "memory.ceiling"), "memory.boot": ("memory.ceiling",),
    "memory.reservation": ("memory.limit", "memory.size"), "cpu.reservation": ("cpu.limit",),
}  # fmt: skip
"""What has to be at least each of these."""


def moved_along(plan: Plan, changes: Sequence[Change]) -> list[Change] | None:
    """Give changes that move along what stands in the way of some, or None where that does not help.

    Examples
    --------
    >>> from ruvex.plan import Guest, Plan
    >>> guest = Guest.model_validate({"id": "a", "memory": {"mode": "elastic", "boot": 4096, "ceiling": 8192}})
    >>> moved_along(Plan(guests=(guest,)), [("a", {"memory.ceiling": 3072})])
    [('a', {'memory.ceiling': 3072, 'memory.boot': 3072})]
    """
    found: list[Change] = []
    has_moved = False
    for target, change in changes:
        item, wider = find_item(plan, target), dict(change)
        if item is None:
            return None
        for key, value in change.items():
            if not isinstance(value, int | float):
                continue
            for others, is_wrong in ((_LOWER.get(key, ()), 1), (_UPPER.get(key, ()), -1)):
                for other in others:
                    now = _number(item, other)
                    if now is not None and other not in change and is_wrong * (now - value) > 0:
                        wider[other] = value
                        has_moved = True
        found.append((target, wider))
    try:
        change_many(plan, found)
    except EditError:
        return None
    return found if has_moved else None


def _number(item: Any, key: str) -> float | None:
    try:
        value = get_setting(item, key)
    except KeyError:
        return None
    return float(value) if isinstance(value, int | float) else None
