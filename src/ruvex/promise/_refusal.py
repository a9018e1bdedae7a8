"""Whether a change may be made, and if not, why: section 5 of docs/model.md."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r
from ruvex.promise._claims import HOST_KINDS, NODE_KINDS, NOISE, Claims, Kind, claims_of, host_needs
from ruvex.promise._cores import crowds_of
from ruvex.site import Site, volume_need, without_volume

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Tried:
    """One place of the chain that was tried upwards.

    Attributes
    ----------
    place
        The pool's id, None for the top, a host's id at the end of a chain that comes to its host.
    claimed, allowed
        What would be claimed there, and what may be; infinity where it asks further up.
    drawn
        What would be drawn from above.
    """

    place: str | None
    claimed: float
    allowed: float
    drawn: float


@dataclass(frozen=True, slots=True)
class Refusal:
    """Why a change may not be made.

    Attributes
    ----------
    kind
        What is short.
    place
        Where: a pool's id, None for the top, a host's id for what is of a host.
    shortfall
        By how much the change exceeds what may be claimed there, MHz or MiB.
    chain
        The places that were tried upwards, the one that is short last.
    holders
        Who holds the claims there and how much, largest first.
    """

    kind: Kind
    place: str | None
    shortfall: float
    chain: tuple[Tried, ...]
    holders: tuple[tuple[str, float], ...]


def _over(claimed: Floats, allowed: Floats) -> Floats:
    """Give by how much is claimed more than may be; 0 where it is not, or only by rounding."""
    bounded = np.isfinite(allowed)
    over = np.where(bounded, claimed - np.where(bounded, allowed, 0.0), 0.0)
    return np.where(over > NOISE * np.maximum(1.0, np.abs(claimed)), over, 0.0)


def refusal_between(before: Claims, after: Claims, changed: Iterable[str]) -> Refusal | None:
    """Tell whether a change makes any place break its rule, or break it by more, and if so, why.

    Parameters
    ----------
    before, after
        The claims without and with the change.
    changed
        The guests and pools that were changed, added or moved; the chain begins at the first that finds no promise.
    """
    node_over = _over(after.claimed, after.allowed) - _in_order_of(before, after)
    host_over = _over(after.host_claimed, after.host_allowed)
    if host_over.shape == before.host_claimed.shape:
        host_over = host_over - _over(before.host_claimed, before.host_allowed)
    node_short = node_over > NOISE * np.maximum(1.0, np.abs(after.claimed))
    host_short = host_over > NOISE * np.maximum(1.0, np.abs(after.host_claimed))
    if not (node_short.any() or host_short.any()):
        return _volume_refusal(before.site, after.site) or _cores_refusal(before, after)
    known = after.site.layout.position
    chains = [_way_up(after, item) for item in changed if item in known]
    for k, kind in enumerate(NODE_KINDS):
        for way in chains:
            for step, node in enumerate(way):
                if node_short[k, node]:
                    return _refusal(before, after, kind, way[: step + 1], float(node_over[k, node]))
        short = np.flatnonzero(node_short[k])
        if short.size:
            return _refusal(before, after, kind, [int(short[-1])], float(node_over[k, short[-1]]))
    k, host = (int(i) for i in np.argwhere(host_short)[0])
    return _host_refusal(before, after, k, host, float(host_over[k, host]))


def all_refusals(claims: Claims) -> list[Refusal]:
    """Give every place at which more is claimed than can be promised: pools, hosts, cores, banks."""
    found: list[Refusal] = []
    node_over, host_over = _over(claims.claimed, claims.allowed), _over(claims.host_claimed, claims.host_allowed)
    for k, node in np.argwhere(node_over > 0).tolist():
        found.append(_refusal(claims, claims, NODE_KINDS[k], [node], float(node_over[k, node])))
    for k, host in np.argwhere(host_over > 0).tolist():
        found.append(_host_refusal(claims, claims, k, host, float(host_over[k, host])))
    nobody = replace(claims.site.standing, of_guests=np.zeros_like(claims.site.standing.of_guests), volumes={})
    empty = claims_of(claims.site.standing_as(nobody))
    for refusal in (_volume_refusal(empty.site, claims.site), _cores_refusal(empty, claims)):
        if refusal is not None:
            found.append(refusal)
    return found


def _lacking(site: Site) -> dict[str, str]:
    standing = site.standing
    if not site.forest.banks.size:
        return {}
    banked = np.flatnonzero(site.guests[r.G_BANKED] > 0).tolist()
    return without_volume(site.plan, standing.on.tolist(), standing.host.tolist(), standing.volumes, among=banked)


def _volume_refusal(before: Site, after: Site) -> Refusal | None:
    """Refuse what leaves a guest of a bank without a spill volume that it did not lack before."""
    lacking = _lacking(after)
    if lacking:
        known = _lacking(before)
        lacking = {guest: host for guest, host in lacking.items() if guest not in known}
    if not lacking:
        return None
    plan, host_id = after.plan, next(iter(lacking.values()))
    bank = plan.hosts[plan.host_index[host_id]].bank
    volumes = bank.spill_volumes if bank is not None else ()
    here = (after.standing.host == plan.host_index[host_id]) & after.standing.on
    needs = {
        g.id: volume_need(g) for g, is_here in zip(plan.guests, here.tolist(), strict=True) if is_here and g.in_bank
    }
    tried = Tried(host_id, sum(needs.values()), sum(volume.mib for volume in volumes), 0.0)
    holders = sorted(((g, need) for g, need in needs.items() if g not in lacking), key=lambda pair: -pair[1])
    return Refusal("volume", host_id, needs[next(iter(lacking))], (tried,), tuple(holders))


def _cores_refusal(before: Claims, after: Claims) -> Refusal | None:
    """Refuse what lets more be claimed of the cores that guests are kept to than these can promise."""
    if not after.site.ground.wishing:
        return None
    plan = before.site.plan
    known = {plan.hosts[one.host].id: one.over for one in crowds_of(before.site, before.sums.guests[0].tolist())}
    for crowd in crowds_of(after.site, after.sums.guests[0].tolist()):
        host = after.site.plan.hosts[crowd.host].id
        over = crowd.over - known.get(host, 0.0)
        if over > NOISE * max(1.0, crowd.claimed):
            claims = after.sums.guests[0]
            holders = sorted(
                ((after.site.plan.guests[i].id, float(claims[i])) for i in crowd.guests), key=lambda h: -h[1]
            )
            tried = Tried(host, crowd.claimed, crowd.allowed, 0.0)
            return Refusal("cores", host, over, (tried,), tuple(one for one in holders if one[1] > 0))
    return None


def _in_order_of(before: Claims, after: Claims) -> Floats:
    """Give by how much each node of ``after`` broke its rule before; new nodes broke none."""
    over = _over(before.claimed, before.allowed)
    old, new = before.site.plan, after.site.plan
    same = len(old.pools) == len(new.pools) and all(a.id == b.id for a, b in zip(old.pools, new.pools, strict=True))
    if same or not np.any(over > 0):
        return over if same else np.zeros_like(after.claimed)
    found = np.zeros_like(after.claimed)
    found[:, 0] = over[:, 0]
    for pool in new.pools:
        if pool.id in old.pool_index:
            found[:, after.node_of(pool.id)] = over[:, before.node_of(pool.id)]
    return found


def _way_up(claims: Claims, item: str) -> list[int]:
    """Give the nodes from an item up to the top: a pool's own node first, a guest's pool first."""
    plan, layout = claims.site.plan, claims.site.layout
    node = claims.node_of(item) if item in plan.pool_index else int(layout.pool_of[plan.guest_index[item]]) + 1
    way = [node]
    while way[-1] != 0:
        way.append(int(layout.parent[way[-1] - 1]) + 1)
    return way


def _place(claims: Claims, node: int) -> str | None:
    return None if node == 0 else claims.site.plan.pools[node - 1].id


def _tried(claims: Claims, k: int, node: int) -> Tried:
    claimed, allowed = float(claims.claimed[k, node]), float(claims.allowed[k, node])
    reservation = float(claims.site.pools[r.P_RESERVATION, k, node - 1]) if node else allowed
    return Tried(_place(claims, node), claimed, allowed, max(0.0, claimed - reservation) if node else 0.0)


def _refusal(before: Claims, after: Claims, kind: Kind, way: Sequence[int], shortfall: float) -> Refusal:
    k, place = NODE_KINDS.index(kind), _place(after, way[-1])
    chain = tuple(_tried(after, k, node) for node in way)
    holders: list[tuple[str, float]] = []
    if place is None or place in before.site.plan.pool_index:
        node, layout = before.node_of(place) - 1, before.site.layout
        guests = before.sums.guests[k].copy()
        if k == 1:
            guests[before.site.guests[r.G_BANKED] > 0] = 0.0
        amounts = np.concatenate((before.sums.pools[k], guests))
        above = np.concatenate((layout.parent, layout.pool_of))
        holders = _largest(before, np.where(above == node, amounts, 0.0))
    return Refusal(kind, place, shortfall, chain, tuple(holders))


def _largest(claims: Claims, amounts: Floats) -> list[tuple[str, float]]:
    """Name those with the largest amounts, ties in reading order; pools first, then guests, as they are numbered."""
    layout = claims.site.layout
    by_row = amounts.take(layout.things)
    order = np.argsort(-by_row, kind="stable").tolist()
    return [(layout.ids[row], float(by_row[row])) for row in order if by_row[row] > 0]


def _host_refusal(before: Claims, after: Claims, k: int, host: int, shortfall: float) -> Refusal:
    place = after.site.plan.hosts[host].id
    tried = Tried(place, float(after.host_claimed[k, host]), float(after.host_allowed[k, host]), 0.0)
    site, holders = before.site, list[tuple[str, float]]()
    if place in site.plan.host_index:
        claims = before.sums.guests
        needs = host_needs(site, claims)[k]
        if k == 1:
            needs = needs - site.guests[r.G_OVERHEAD]
        here = (site.standing.host == site.plan.host_index[place]) & site.standing.on
        holders = _largest(before, np.concatenate((np.zeros(site.pools.shape[2]), np.where(here, needs, 0.0))))
    return Refusal(HOST_KINDS[k], place, shortfall, (tried,), tuple(holders))
