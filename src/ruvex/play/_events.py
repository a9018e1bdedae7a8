"""What events do to a plan that is being played: allowed or refused, in the order of their times."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any, Final

import numpy as np

from ruvex.divide import Compiled, claims_of, columns, refusal_between
from ruvex.plan import (
    EditError,
    Guest,
    Host,
    Plan,
    change_settings,
    find_item,
    format_cpu,
    format_memory,
    needs_off,
)

_HARDWARE: Final = (
    "sockets", "cores_per_socket", "threads_per_core", "mhz", "memory_mib", "numa_nodes", "cpu_maker", "cpu_level",
)  # fmt: skip
"""What of a host does not change while it runs."""
_LIFE_CYCLE: Final = ("power", "host")
"""What of a guest other events change."""


def changed_plan(live: Compiled, target: str, change: Mapping[str, Any]) -> Plan:
    """Give the plan in force with some settings changed by an event.

    Parameters
    ----------
    live
        The plan in force; the guests that are on now are on in it.
    target, change
        As ``change_settings`` takes them.

    Raises
    ------
    EditError
        It is no valid change, one that waits for the guest to be off, or one that the promises do not allow.
    """
    plan = live.plan
    before = find_item(plan, target)
    fixed = [name for name in change if name in (_HARDWARE if isinstance(before, Host) else _LIFE_CYCLE)]
    if isinstance(before, Host | Guest) and fixed:
        kind = "host" if isinstance(before, Host) else "guest"
        raise EditError(f"{fixed[0]} of a {kind} that runs is not a setting to be changed")
    new = change_settings(plan, target, change)
    after = find_item(new, target)
    if isinstance(before, Guest) and isinstance(after, Guest):
        at = live.tree.guest_place[plan.guest_index[target]]
        waits = needs_off(before, after) if live.guests[columns.ON, at] > 0 else []
        if waits:
            raise EditError(f"{before.label} would have to be off for {', '.join(waits)}")
    refusal = refusal_between(claims_of(live), claims_of(as_on_now(live.with_plan(new), live)), [target])
    if refusal is not None:
        short = format_cpu(refusal.shortfall) if refusal.kind == "cpu" else format_memory(refusal.shortfall)
        raise EditError(f"{short} more would be promised than there is")
    return new


def as_on_now(compiled: Compiled, live: Compiled) -> Compiled:
    """Give a plan's arrays with those guests on, and those agents at work, that are so in another form of it.

    Raises
    ------
    EditError
        The two are not in the same order.
    """
    same = np.array_equal(compiled.tree.parent, live.tree.parent)
    if not (same and np.array_equal(compiled.tree.guest_place, live.tree.guest_place)):
        raise EditError("a guest that runs does not change its place in the tree")
    guests = compiled.guests.copy()
    for row in (columns.ON, columns.AGENT):
        guests[row] = live.guests[row]
    return replace(compiled, guests=guests)
