"""Moving guests to another host in a plan: who may, and how a host is emptied. Sections 5 and 9 of docs/model.md."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from ruvex.engine import rows as r
from ruvex.plan import Plan
from ruvex.promise import Claims, Refusal, claims_of, refusal_between
from ruvex.site import Site, placement_problem, would_claim


@dataclass(frozen=True, slots=True)
class Obstacle:
    """Why guests cannot go to a host.

    Attributes
    ----------
    guest
        Whom it concerns.
    rule
        Which rule keeps it away, in a sentence; empty where it is promises.
    refusal
        What promises lack there, else None.
    """

    guest: str
    rule: str = ""
    refusal: Refusal | None = None


@dataclass(frozen=True, slots=True)
class Emptying:
    """How a host is emptied.

    Attributes
    ----------
    host
        Which one.
    moves
        Guests and where each goes, in the order in which they were placed.
    stuck
        Who finds no other host, and what keeps it from the one where most room was.
    """

    host: str
    moves: tuple[tuple[str, str], ...]
    stuck: tuple[Obstacle, ...]


def with_hosts(plan: Plan, to: Iterable[tuple[str, str]]) -> Plan:
    """Give a plan in which guests name other hosts; placement rules and promises are not looked at."""
    guests = list(plan.guests)
    for guest, host in to:
        at = plan.guest_index[guest]
        guests[at] = guests[at].model_copy(update={"host": host})
    return plan.model_copy(update={"guests": tuple(guests)})


def together_with(plan: Plan, guest: str) -> tuple[str, ...]:
    """Give a guest and all that the rules keep on one host with it, in plan order."""
    found, to_do = {guest}, [guest]
    while to_do:
        one = to_do.pop()
        for rule in plan.placement:
            if rule.kind == "together" and one in rule.guests:
                to_do += [other for other in rule.guests if other not in found]
                found |= set(rule.guests)
    return tuple(g.id for g in plan.guests if g.id in found)


def obstacle_to(site: Site, guests: Sequence[str], host: str, *, claims: Claims | None = None) -> Obstacle | None:
    """Tell why some guests cannot all be on a host, or give None.

    Parameters
    ----------
    site
        The plan, with who is on. Guests that are off are kept away by rules only.
    guests, host
        Who is to go where; those that are there already are no obstacle.
    claims
        Those of the site, if they are at hand.
    """
    plan, standing = site.plan, site.standing
    at = plan.host_index[host]
    positions = [plan.guest_index[guest] for guest in guests]
    there = plan.hosts[at]
    if not there.up:
        return Obstacle(guests[0], f"{there.label} is down")
    hosts = standing.host.copy()
    hosts[positions] = at
    on = standing.on.copy()
    on[positions] = True
    for position in positions:
        guest = plan.guests[position]
        if guest.in_bank and there.bank is None:
            return Obstacle(guest.id, f"{guest.label} lives in a bank, and {there.label} has none")
        if guest.cpu_level is not None and there.cpu_level < guest.cpu_level:
            told = f"the processors of {there.label} are of a lower level than the programs of {guest.label} see"
            return Obstacle(guest.id, told)
        rule = placement_problem(plan, position, at, hosts.tolist(), on.tolist())
        if rule:
            return Obstacle(guest.id, rule)
    moved = [guest for guest, position in zip(guests, positions, strict=True) if standing.host[position] != at]
    after = site.with_plan(with_hosts(plan, [(guest, host) for guest in moved]))
    refusal = refusal_between(claims or claims_of(site), claims_of(after), moved)
    return None if refusal is None else Obstacle(moved[0], refusal=refusal)


def hosts_for(site: Site, guests: Sequence[str]) -> list[str]:
    """Give the hosts that would take all of some guests, the one with most room first; where they are is none."""
    plan, claims = site.plan, claims_of(site)
    here = {int(site.standing.host[plan.guest_index[guest]]) for guest in guests}
    return [
        plan.hosts[at].id
        for at in _by_room(site, claims)
        if here != {at} and obstacle_to(site, guests, plan.hosts[at].id, claims=claims) is None
    ]


def _by_room(site: Site, claims: Claims) -> list[int]:
    """Put the hosts in the order of what can still be promised there: memory first, ties CPU, then plan order."""
    count = len(site.plan.hosts)
    room = claims.host_allowed[:2, :count] - claims.host_claimed[:2, :count]
    return sorted(range(count), key=lambda at: (-float(room[1, at]), -float(room[0, at]), at))


def empty_host(site: Site, host: str) -> Emptying:
    """Find for every guest of a host another one, one after the other; nothing is moved yet.

    Guests that are on come first, those with the largest memory claims before others, ties in plan order; each goes
    to the host that has most room by then and takes it. Those that the rules want on one host go to one host.
    """
    plan, start = site.plan, site.plan.host_index[host]
    memory = would_claim(site)[1] + site.guests[r.G_OVERHEAD]
    here = np.flatnonzero(site.standing.host == start).tolist()
    order = sorted(here, key=lambda i: (not site.standing.on[i], -float(memory[i]), i))
    moves: list[tuple[str, str]] = []
    stuck: list[Obstacle] = []
    done: set[str] = set()
    for position in order:
        guest = plan.guests[position].id
        if guest in done:
            continue
        group = [g for g in together_with(plan, guest) if site.standing.host[site.plan.guest_index[g]] == start]
        done |= set(group)
        claims = claims_of(site)
        found, nearest = None, None
        for at in _by_room(site, claims):
            if at == start:
                continue
            obstacle = obstacle_to(site, group, plan.hosts[at].id, claims=claims)
            if obstacle is None:
                found = plan.hosts[at].id
                break
            nearest = nearest or obstacle
        if found is None:
            nearest = nearest or Obstacle(guest, "there is no other host")
            stuck += [Obstacle(g, nearest.rule, nearest.refusal) for g in group]
        else:
            moves += [(g, found) for g in group]
            site = site.with_plan(with_hosts(site.plan, [(g, found) for g in group]))
    return Emptying(host, tuple(moves), tuple(stuck))
