"""On which hosts a guest may be: the rules of placement, and what its programs need."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from ruvex.plan import Plan, Stays


def placement_problem(plan: Plan, guest: int, to: int, host: Sequence[int] | Any, on: Sequence[bool] | Any) -> str:
    """Say in a sentence which rule keeps a guest from a host, or nothing.

    Parameters
    ----------
    plan
        The plan; its rules of placement bind.
    guest, to
        The positions of the guest and of the host.
    host, on
        Where all guests are (−1: nowhere), and which of them are on; only those that are bind.
    """
    me = plan.guests[guest].id
    for rule in plan.placement:
        if me not in rule.guests:
            continue
        if isinstance(rule, Stays):
            if plan.hosts[to].id not in rule.hosts:
                names = " or ".join(plan.hosts[plan.host_index[name]].label for name in rule.hosts)
                return f"{plan.guests[guest].label} stays on {names}"
            continue
        others = [plan.guest_index[other] for other in rule.guests if other != me]
        for other in others:
            if not on[other] or host[other] < 0:
                continue
            is_there = int(host[other]) == to
            label = plan.guests[other].label
            if rule.kind == "apart" and is_there:
                return f"{plan.guests[guest].label} and {label} are kept apart"
            if rule.kind == "together" and not is_there:
                return f"{plan.guests[guest].label} and {label} are kept together"
    return ""


def broken_rules(plan: Plan, host: Sequence[int] | Any, on: Sequence[bool] | Any) -> list[str]:
    """Name the rules that guests break where they are, a sentence each; arguments as ``placement_problem`` has them."""
    found = (
        placement_problem(plan, i, int(host[i]), host, on)
        for i in range(len(plan.guests))
        if on[i] and plan.hosts and host[i] >= 0
    )
    # Two guests that break a rule together say so in two ways; the first is enough.
    told: dict[frozenset[str], str] = {}
    for text in filter(None, found):
        told.setdefault(frozenset(text.split()), text)
    return list(told.values())


def allowed_hosts(plan: Plan, guest: int, host: Sequence[int] | Any, on: Sequence[bool] | Any) -> list[int]:
    """Give the hosts on which the rules and its programs let a guest be started.

    Maker and level of the processor do not matter to a start, unless the guest's ``cpu_level`` is set.
    """
    level = plan.guests[guest].cpu_level
    return [
        to
        for to, there in enumerate(plan.hosts)
        if (level is None or there.cpu_level >= level) and not placement_problem(plan, guest, to, host, on)
    ]
