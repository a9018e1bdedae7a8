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
    item, there = plan.guests[guest], plan.hosts[to]
    if item.cores.only is not None and max(item.cores.only, default=-1) >= there.cores:
        return f"{item.label} is kept to core {max(item.cores.only)}, which {there.label} has not"
    me = item.id
    for rule in plan.placement:
        if me not in rule.guests:
            continue
        if isinstance(rule, Stays):
            if plan.hosts[to].id not in rule.hosts:
                names = " or ".join(plan.labels[name] for name in rule.hosts)
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


def live_move_problem(
    plan: Plan, guest: int, source: int, to: int, host: Sequence[int] | Any, on: Sequence[bool] | Any,
    *, sees: int | None = None,
) -> str:  # fmt: skip
    """Say in a sentence what keeps a guest that is on from moving to another host as it runs, or nothing.

    Promises and memory are not looked at.

    Parameters
    ----------
    plan, guest, to, host, on
        As ``placement_problem`` has them.
    source
        The position of the host it runs on.
    sees
        The level of the processor that its programs see; what it is set to, or its host's, if left out.
    """
    item, old, new = plan.guests[guest], plan.hosts[source], plan.hosts[to]
    if item.dedicated_cores:
        return f"{item.label} has cores of its own, so it moves only while off"
    if item.in_bank:
        return f"{item.label} lives in a bank, so it moves only while off"
    if old.cpu_maker != new.cpu_maker:
        return f"{new.label} has processors of another maker than {old.label}"
    if sees is None:
        sees = old.cpu_level if item.cpu_level is None else item.cpu_level
    if new.cpu_level < sees:
        return f"the processors of {new.label} are of a lower level than the programs of {item.label} see"
    return placement_problem(plan, guest, to, host, on)
