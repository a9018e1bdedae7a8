"""Power-on of several guests one after the other, and which hosts would take one."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from ruvex.engine import kernels
from ruvex.engine import rows as r
from ruvex.promise._claims import HOST_KINDS, NODE_KINDS, Claims, Kind, claims_of, host_needs
from ruvex.promise._cores import crowds_of
from ruvex.site import Site, allowed_hosts, boot_claim, starting_order, would_claim


@dataclass(frozen=True, slots=True)
class Waiting:
    """A guest that finds no promise: what it lacks, where, and how much of it."""

    guest: str
    kind: Kind
    place: str | None
    shortfall: float


def in_starting_order(site: Site, guests: Iterable[str]) -> list[str]:
    """Give guests in the order in which they are powered on: by memory shares, ties in plan order."""
    plan = site.plan
    return [plan.guests[i].id for i in starting_order(plan, [plan.guest_index[guest] for guest in guests])]


def admit_in_order(
    site: Site, guests: Iterable[str], *, claims: Claims | None = None, on_host: dict[str, int] | None = None
) -> tuple[list[str], list[Waiting]]:
    """Power guests on one after the other, as far as the promises go.

    Parameters
    ----------
    site
        The plan, with who is on.
    guests
        Their ids, in the order in which they are to be taken.
    claims
        Those of the site, if they are at hand, or such in which what is set aside counts.
    on_host
        The positions of the hosts on which some of them are to start, where that is not where they are.

    Returns
    -------
    tuple
        Those that are admitted, and those that would wait, each in the order given.
    """
    plan, names = site.plan, list(guests)
    if not names:
        return [], []
    claims = claims or claims_of(site)
    crowded = _crowded(site, names, on_host or {})
    names = [name for name in names if name not in crowded]
    order = np.array([plan.guest_index[guest] for guest in names], dtype=np.int64)
    host = site.standing.host.copy() if plan.hosts else np.full(len(plan.guests), -1, dtype=np.int64)
    for guest, at in (on_host or {}).items():
        host[plan.guest_index[guest]] = at
    mine = would_claim(site)
    mine[1] = boot_claim(site)
    needs = host_needs(site, mine)
    banked = site.guests[r.G_BANKED] > 0
    takes = np.stack((mine[0], np.where(banked, 0.0, mine[1]), site.guests[r.G_OVERHEAD]))
    parent = np.concatenate(([0], site.layout.parent + 1)).astype(np.int64)
    reservation = np.concatenate((np.zeros((2, 1)), site.pools[r.P_RESERVATION]), axis=1)
    found, short = np.zeros((2, order.size), dtype=np.int64), np.zeros(order.size)
    kernels.admit_in_order(
        order, host, site.layout.pool_of + 1, takes, needs, parent, reservation, claims.claimed.copy(), claims.allowed,
        claims.host_claimed.copy(), claims.host_allowed, found, short,
    )  # fmt: skip
    admitted, waiting = [], list(crowded.values())
    for guest, ending, at, amount in zip(names, *found.tolist(), short.tolist(), strict=True):
        if ending == 0:
            admitted.append(guest)
        elif ending <= len(NODE_KINDS):
            place = None if at == 0 else plan.pools[at - 1].id
            waiting.append(Waiting(guest, NODE_KINDS[ending - 1], place, amount))
        else:
            kind = HOST_KINDS[ending - 1 - len(NODE_KINDS)]
            waiting.append(Waiting(guest, kind, plan.hosts[at].id, amount))
    return admitted, waiting


def _crowded(site: Site, names: list[str], on_host: Mapping[str, int]) -> dict[str, Waiting]:
    """Find those for whom the cores that they are kept to have no promise left, one after the other."""
    plan, found, taken = site.plan, dict[str, Waiting](), list[int]()
    wishing = set(site.ground.wishing)
    if not any(plan.guest_index[name] in wishing for name in names):
        return found
    of_guests = site.standing.of_guests.copy()
    for name, host in on_host.items():
        of_guests[r.S_HOST, plan.guest_index[name]] = host
    there = replace(site, standing=replace(site.standing, of_guests=of_guests))
    mine = would_claim(there)[0]
    for name in names:
        at = plan.guest_index[name]
        if at not in wishing or of_guests[r.S_HOST, at] < 0:
            continue
        on = [float(amount) if site.standing.on[i] or i in taken or i == at else 0.0 for i, amount in enumerate(mine)]
        crowd = next((c for c in crowds_of(there, on, besides=(*taken, at)) if at in c.guests and c.over > 0), None)
        if crowd is None:
            taken.append(at)
        else:
            over = min(crowd.over, float(mine[at]))
            found[name] = Waiting(name, "cores", plan.hosts[crowd.host].id, over)
    return found


def hosts_that_take(site: Site, guest: str) -> list[int]:
    """Give the hosts on which a guest that is off could be powered on, as promises and rules go, in plan order."""
    plan, standing = site.plan, site.standing
    at = plan.guest_index[guest]
    if plan.guests[at].in_bank or standing.on[at]:
        return []
    claims = claims_of(site)
    there = allowed_hosts(plan, at, standing.host, standing.on)
    up = standing.up
    return [h for h in there if up[h] and admit_in_order(site, [guest], claims=claims, on_host={guest: h})[0]]
