"""Moving guests between hosts: which are meant, the step that does it, and how a host is emptied."""

from __future__ import annotations

from collections.abc import Sequence

from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.steps import Step
from ruvex.placing import empty_host, hosts_for, obstacle_to
from ruvex.plan import Change, EditError, Plan, change_many, pools_within
from ruvex.words import obstacle_text


def guests_meant(desk: Desk, ids: Sequence[str]) -> list[str]:
    """Give the guests among some rows, those in pools among them too, in plan order."""
    plan = desk.document.plan
    pools = {pool for item in ids if item in plan.pool_index for pool in pools_within(plan, item)}
    return [guest.id for guest in plan.guests if guest.id in ids or guest.pool in pools]


def guests_on(desk: Desk, host: str) -> list[str]:
    """Give the guests that are on a host, or are off and at home there, in plan order."""
    plan, standing = desk.document.plan, desk.document.site.standing
    at = plan.host_index[host]
    return [guest.id for guest, there in zip(plan.guests, standing.host.tolist(), strict=True) if there == at]


def move_step(desk: Desk, guests: Sequence[str], host: str) -> Step:
    """Give the step that moves guests to a host.

    Raises
    ------
    EditError
        A rule keeps one of them away from it, or all are there; what promises lack is found when it is tried.
    """
    plan, site = desk.document.plan, desk.document.site
    at = plan.host_index[host]
    moving = [guest for guest in guests if int(site.standing.host[plan.guest_index[guest]]) != at]
    target = plan.hosts[at].label
    if not moving:
        raise EditError(f"{_named(plan, guests)} {'is' if len(guests) == 1 else 'are'} on {target} already")
    obstacle = obstacle_to(site, moving, host)
    if obstacle is not None and obstacle.rule:
        raise EditError(obstacle.rule)
    return _step(f"move {_named(plan, moving)} to {target}", [(guest, {"host": host}) for guest in moving])


def emptying_step(desk: Desk, host: str) -> tuple[Step | None, list[str], list[str]]:
    """Find where the guests of a host could go.

    Returns
    -------
    tuple
        The step that moves all who can go, None where nobody can; who goes where, a line each; who cannot and why.
    """
    plan = desk.document.plan
    found = empty_host(desk.document.site, host)
    going = [f"{plan.labels[guest]} to {plan.labels[to]}" for guest, to in found.moves]
    staying = [f"{plan.labels[obstacle.guest]}: {obstacle_text(plan, obstacle)}" for obstacle in found.stuck]
    if not found.moves:
        return None, going, staying
    text = f"empty {plan.labels[host]}"
    return _step(text, [(guest, {"host": to}) for guest, to in found.moves]), going, staying


def another_host(desk: Desk, guests: Sequence[str], but: str) -> str:
    """Name a host that would take some guests, other than one; nothing where none would."""
    plan = desk.document.plan
    found = [host for host in hosts_for(desk.document.site, guests) if host != but]
    return plan.hosts[plan.host_index[found[0]]].label if found else ""


def _step(text: str, changes: Sequence[Change]) -> Step:
    # Not as changes of settings: in a play under way a move is an event of its own.
    return Step(text, lambda plan: change_many(plan, changes), tuple(guest for guest, _ in changes))


def _named(plan: Plan, guests: Sequence[str]) -> str:
    if len(guests) == 1:
        return plan.guests[plan.guest_index[guests[0]]].label
    return f"{len(guests)} guests"
