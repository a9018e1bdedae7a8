"""What events do to a plan that is being played: allowed or refused, in the order of their times."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from ruvex.plan import EditError, Guest, Host, Plan, change_settings, find_item, needs_off
from ruvex.promise import Refusal, claims_of, refusal_between
from ruvex.site import Site

_HARDWARE: Final = (
    "sockets", "cores_per_socket", "threads_per_core", "mhz", "memory_mib", "numa_nodes", "cpu_maker", "cpu_level",
    "links", "up",
)  # fmt: skip
"""What of a host does not change by a setting while it runs."""
_LIFE_CYCLE: Final = {"power": "It is switched by power events", "host": "It goes to another host by a move"}


class NotPromisedError(EditError):
    """A change that promises do not allow."""

    def __init__(self, refusal: Refusal) -> None:
        super().__init__("the promises do not allow it")
        self.refusal = refusal


def changed_site(live: Site, target: str, change: Mapping[str, Any], arriving: Mapping[int, int]) -> Site:
    """Give the site in force with some settings changed by an event.

    Parameters
    ----------
    live
        The plan in force, with those on who are on now.
    target, change
        As ``change_settings`` takes them.
    arriving
        Guests on their way to another host, and its position: they claim there too.

    Raises
    ------
    EditError
        It is no valid change, or one that waits for the guest to be off.
    NotPromisedError
        The promises do not allow it.
    """
    plan = live.plan
    before = find_item(plan, target)
    if isinstance(before, Host) and any(name in _HARDWARE for name in change):
        raise EditError("what the machine is made of does not change while it runs")
    if isinstance(before, Guest):
        for name, why in _LIFE_CYCLE.items():
            if name in change:
                raise EditError(why)
    new = change_settings(plan, target, change)
    after = find_item(new, target)
    is_on = isinstance(before, Guest) and bool(live.standing.on[plan.guest_index[target]])
    if is_on and isinstance(before, Guest) and isinstance(after, Guest):
        waits = needs_off(before, after, plan.rules)
        if waits:
            raise EditError(f"{before.label} would have to be off for {', '.join(waits)}")
    site = _standing_alike(live, new)
    refusal = refusal_between(claims_of(live, arriving=arriving), claims_of(site, arriving=arriving), [target])
    if refusal is not None:
        raise NotPromisedError(refusal)
    return site


def _standing_alike(live: Site, plan: Plan) -> Site:
    """Give the site of a changed plan with the same on, elsewhere and at work as now."""
    return live.with_plan(plan).standing_as(live.standing)
