"""Promises: who claims what of whom, and whether a change may be made. Section 5 of docs/model.md."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import _compiled as c
from ruvex.divide._asks import guest_overhead, memory_bounds, overhead_when_on, promisable_supply
from ruvex.divide._compiled import Compiled
from ruvex.divide._volumes import volume_need, without_volume
from ruvex.plan import Plan

Floats = NDArray[np.float64]

Kind = Literal["cpu", "memory", "host-memory", "spill", "bank", "volume"]
"""What a promise is made of: MHz, MiB, memory of one host, its spill space, memory of its bank, its spill volumes."""

_NODE_KINDS: Final[tuple[Kind, Kind]] = ("cpu", "memory")
_HOST_KINDS: Final[tuple[Kind, Kind, Kind]] = ("host-memory", "spill", "bank")
_NOISE: Final = 1e-9


@dataclass(frozen=True, slots=True, eq=False)
class Claims:
    """What is claimed and what may be, at every node and on every host.

    Attributes
    ----------
    compiled
        The plan.
    members
        Shape (2, members): what each pool and guest claims from its parent, MHz and MiB.
    claimed, allowed
        Shape (2, nodes): the claims of each node's members, and how much they may be; infinity where a pool draws
        on its parent and has no limit. Node 0 is the top.
    host_claimed, host_allowed
        Shape (3, hosts): memory that must be there at all times, spill space, and memory of the bank; MiB.
    """

    compiled: Compiled
    members: Floats
    claimed: Floats
    allowed: Floats
    host_claimed: Floats
    host_allowed: Floats

    def node_of(self, pool: str | None) -> int:
        """Give the number of a pool's node, 0 for the top."""
        tree, plan = self.compiled.tree, self.compiled.plan
        return 0 if pool is None else int(tree.pool_place[plan.pool_index[pool]]) + 1

    def claim_of(self, item: str) -> Floats:
        """Give what a guest or pool claims, MHz and MiB."""
        tree = self.compiled.tree
        return np.asarray(self.members[:, tree.layout.members[tree.layout.position[item]]])


@dataclass(frozen=True, slots=True)
class Budget:
    """The promises of a pool or of the top, of one resource, MHz or MiB.

    Attributes
    ----------
    reservation
        What the pool was promised; at the top what may be promised after what is set aside.
    claimed
        What its members claim.
    drawn
        What of that comes from above its reservation.
    free
        How much more may be claimed here, counting what can be drawn from above.
    """

    reservation: float
    claimed: float
    drawn: float
    free: float


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
        Where: a pool's id, None for the top, a host's id for ``host-memory`` and ``spill``.
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


@dataclass(frozen=True, slots=True)
class Waiting:
    """A guest that finds no promise: what it lacks, where, and how much of it."""

    guest: str
    kind: Kind
    place: str | None
    shortfall: float


def claims_of(compiled: Compiled, *, booting: Collection[str] = ()) -> Claims:
    """Add up all claims of a plan.

    Parameters
    ----------
    compiled
        The plan.
    booting
        Guests that are just being powered on: elastic ones claim their boot size.
    """
    tree, guests = compiled.tree, compiled.guests
    members = np.zeros((2, tree.member_count))
    claim = members[:, tree.pool_count :]
    np.multiply(guests[c.CPU_RESERVATION], guests[c.ON], out=claim[0])
    claim[1] = memory_bounds(guests)[0]
    if booting:
        index = compiled.plan.guest_index
        places = tree.guest_place[[index[guest] for guest in booting]]
        claim[1, places] = _boot_claim(guests[:, places])
    claimed = tree.guest_groups.sums(claim)
    reservation, limit = compiled.pools[0], compiled.pools[1]
    for level in reversed(tree.levels):
        pools = level.pools
        if pools.start < pools.stop:
            sums = claimed[:, pools.start + 1 : pools.stop + 1]
            np.maximum(sums, reservation[:, pools], out=members[:, pools])
            claimed[:, level.nodes] += level.pool_groups.sums(members[:, pools])
    promisable, aside = promisable_supply(compiled)
    allowed = np.concatenate(
        ((promisable - aside)[:, None], np.where(compiled.pools[3] > 0, limit, reservation)), axis=1
    )
    return Claims(compiled, members, claimed, allowed, *_on_hosts(compiled, claim[1]))


def _boot_claim(guests: Floats) -> Floats:
    """Give what guests claim of memory while they boot, on or not."""
    claim = np.where(guests[c.MODE] == c.THIN, guests[c.MEMORY_RESERVATION], guests[c.SIZE])
    return np.asarray(claim)


def _spill_need(guests: Floats) -> Floats:
    """Give the spill space thin guests need, MiB, on or not; those in a bank have volumes of their own."""
    thin = (guests[c.MODE] == c.THIN) & (guests[c.PLACE] == 0)
    return np.asarray(np.where(thin, guests[c.SIZE] - guests[c.MEMORY_RESERVATION], 0.0))


def _on_hosts(compiled: Compiled, memory: Floats) -> tuple[Floats, Floats]:
    hosts, guests = compiled.hosts, compiled.guests
    count = hosts.shape[1]
    if count == 0:
        return np.zeros((3, 0)), np.zeros((3, 0))
    banked = guests[c.PLACE] > 0
    outside = np.where(banked, 0.0, memory) + guest_overhead(compiled)
    parts = (outside, _spill_need(guests) * guests[c.ON], np.where(banked, memory, 0.0))
    claimed = np.stack([np.bincount(compiled.host_of, part, minlength=count) for part in parts])
    own = np.maximum(hosts[c.GROSS_MIB] - hosts[c.BANK_MIB], 0.0)
    return claimed.astype(np.float64), np.stack((own, hosts[c.SPILL_MIB], hosts[c.BANK_MIB]))


def _over(claimed: Floats, allowed: Floats) -> Floats:
    """Give by how much is claimed more than may be; 0 where it is not, or only by rounding."""
    bounded = np.isfinite(allowed)
    over = np.where(bounded, claimed - np.where(bounded, allowed, 0.0), 0.0)
    return np.where(over > _NOISE * np.maximum(1.0, np.abs(claimed)), over, 0.0)


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
    node_short = node_over > _NOISE * np.maximum(1.0, np.abs(after.claimed))
    host_short = host_over > _NOISE * np.maximum(1.0, np.abs(after.host_claimed))
    if not (node_short.any() or host_short.any()):
        return _volume_refusal(before.compiled.plan, after.compiled.plan)
    chains = [_way_up(after, item) for item in changed if item in after.compiled.tree.layout.position]
    for k, kind in enumerate(_NODE_KINDS):
        for way in chains:
            for step, node in enumerate(way):
                if node_short[k, node]:
                    return _refusal(before, after, kind, way[: step + 1], float(node_over[k, node]))
        short = np.flatnonzero(node_short[k])
        if short.size:
            return _refusal(before, after, kind, [int(short[-1])], float(node_over[k, short[-1]]))
    k, host = (int(i) for i in np.argwhere(host_short)[0])
    return _host_refusal(before, after, k, host, float(host_over[k, host]))


def _volume_refusal(before: Plan, after: Plan) -> Refusal | None:
    """Refuse what leaves a guest of a bank without a spill volume that it did not lack before."""
    lacking = without_volume(after)
    if lacking:
        known = without_volume(before)
        lacking = {guest: host for guest, host in lacking.items() if guest not in known}
    if not lacking:
        return None
    host_id = next(iter(lacking.values()))
    bank = after.hosts[after.host_index[host_id]].bank
    assert bank is not None
    needs = {
        guest.id: volume_need(guest)
        for guest in after.guests
        if guest.is_on and guest.in_bank and (host := after.host_of(guest)) is not None and host.id == host_id
    }
    tried = Tried(host_id, sum(needs.values()), sum(volume.mib for volume in bank.spill_volumes), 0.0)
    holders = sorted(((g, need) for g, need in needs.items() if g not in lacking), key=lambda pair: -pair[1])
    return Refusal("volume", host_id, needs[next(iter(lacking))], (tried,), tuple(holders))


def _in_order_of(before: Claims, after: Claims) -> Floats:
    """Give by how much each node of ``after`` broke its rule before; new nodes broke none."""
    over = _over(before.claimed, before.allowed)
    if before.compiled.tree is after.compiled.tree or not np.any(over > 0):
        return over if before.compiled.tree is after.compiled.tree else np.zeros_like(after.claimed)
    found = np.zeros_like(after.claimed)
    found[:, 0] = over[:, 0]
    for pool in after.compiled.plan.pools:
        if pool.id in before.compiled.plan.pool_index:
            found[:, after.node_of(pool.id)] = over[:, before.node_of(pool.id)]
    return found


def _way_up(claims: Claims, item: str) -> list[int]:
    """Give the nodes from an item up to the top: a pool's own node first, a guest's pool first."""
    tree, plan = claims.compiled.tree, claims.compiled.plan
    if item in plan.pool_index:
        way = [claims.node_of(item)]
    else:
        way = [int(tree.parent[tree.layout.members[tree.layout.position[item]]])]
    while way[-1] != 0:
        way.append(int(tree.parent[way[-1] - 1]))
    return way


def _place(claims: Claims, node: int) -> str | None:
    tree = claims.compiled.tree
    if node == 0:
        return None
    return claims.compiled.plan.pools[int(np.flatnonzero(tree.pool_place == node - 1)[0])].id


def _tried(claims: Claims, k: int, node: int) -> Tried:
    claimed, allowed = float(claims.claimed[k, node]), float(claims.allowed[k, node])
    reservation = float(claims.compiled.pools[0, k, node - 1]) if node else allowed
    return Tried(_place(claims, node), claimed, allowed, max(0.0, claimed - reservation) if node else 0.0)


def _refusal(before: Claims, after: Claims, kind: Kind, way: Sequence[int], shortfall: float) -> Refusal:
    k, place = _NODE_KINDS.index(kind), _place(after, way[-1])
    chain = tuple(_tried(after, k, node) for node in way)
    holders: list[tuple[str, float]] = []
    if place is None or place in before.compiled.plan.pool_index:
        tree = before.compiled.tree
        members = np.flatnonzero(tree.parent == before.node_of(place))
        holders = _largest(before, members, before.members[k])
    return Refusal(kind, place, shortfall, chain, tuple(holders))


def _largest(claims: Claims, members: NDArray[np.int64], amounts: Floats) -> list[tuple[str, float]]:
    """Name the members with the largest amounts, ties in reading order."""
    layout = claims.compiled.tree.layout
    row_of = np.argsort(layout.members)
    ordered = sorted(members.tolist(), key=lambda member: (-amounts[member], row_of[member]))
    return [(layout.ids[row_of[member]], float(amounts[member])) for member in ordered if amounts[member] > 0]


def _host_refusal(before: Claims, after: Claims, k: int, host: int, shortfall: float) -> Refusal:
    place = after.compiled.plan.hosts[host].id
    tried = Tried(place, float(after.host_claimed[k, host]), float(after.host_allowed[k, host]), 0.0)
    compiled, holders = before.compiled, []
    if place in compiled.plan.host_index:
        guests, pools = compiled.guests, compiled.tree.pool_count
        amounts = np.zeros(compiled.tree.member_count)
        banked = guests[c.PLACE] > 0
        claims = before.members[1, pools:]
        amounts[pools:] = (claims * ~banked, _spill_need(guests) * guests[c.ON], claims * banked)[k]
        here = np.flatnonzero(compiled.host_of == compiled.plan.host_index[place]) + pools
        holders = _largest(before, here, amounts)
    return Refusal(_HOST_KINDS[k], place, shortfall, (tried,), tuple(holders))


def budget_of(claims: Claims, pool: str | None, resource: str) -> Budget:
    """Give the promise budget of a pool, or of the top (None), for ``cpu`` or ``memory``."""
    k = _NODE_KINDS.index("cpu" if resource == "cpu" else "memory")
    node = claims.node_of(pool)
    claimed = float(claims.claimed[k, node])
    if node == 0:
        allowed = float(claims.allowed[k, 0])
        return Budget(allowed, claimed, 0.0, allowed - claimed)
    reservation, limit = (float(value) for value in claims.compiled.pools[:2, k, node - 1])
    free = reservation - claimed
    if claims.compiled.pools[3, k, node - 1] > 0:
        parent = _place(claims, int(claims.compiled.tree.parent[node - 1]))
        above = max(0.0, budget_of(claims, parent, resource).free)
        free = min(limit - claimed, max(0.0, reservation - claimed) + above)
    return Budget(reservation, claimed, max(0.0, claimed - reservation), free)


def in_starting_order(compiled: Compiled, guests: Iterable[str]) -> list[str]:
    """Give guests in the order in which they are powered on: by memory shares, ties in plan order."""
    index = compiled.plan.guest_index
    return sorted(guests, key=lambda g: (-compiled.plan.guests[index[g]].memory.shares, index[g]))


def admit_in_order(compiled: Compiled, guests: Iterable[str]) -> tuple[list[str], list[Waiting]]:
    """Power guests on one after the other, as far as the promises go.

    Parameters
    ----------
    compiled
        The plan, with these guests off.
    guests
        Their ids, in the order in which they are to be taken.

    Returns
    -------
    tuple
        Those that are admitted, and those that would wait, each in the order given.
    """
    # Each admission leaves less for the next, so this goes guest by guest; plain numbers do that fastest.
    promises = _Promises(claims_of(compiled))
    admitted, waiting = [], []
    index, place = compiled.plan.guest_index, compiled.tree.guest_place
    for guest in guests:
        short = promises.take(int(place[index[guest]]))
        if short is None:
            admitted.append(guest)
        else:
            kind, at, shortfall = short
            hosts, is_node = compiled.plan.hosts, kind in _NODE_KINDS
            where = _place(promises.claims, at) if is_node else hosts[at].id
            waiting.append(Waiting(guest, kind, where, shortfall))
    return admitted, waiting


class _Promises:
    """The running sums of admission in order, as plain lists."""

    def __init__(self, claims: Claims) -> None:
        self.claims = claims
        compiled, guests = claims.compiled, claims.compiled.guests
        tree = compiled.tree
        self._claimed, self._allowed = claims.claimed.tolist(), claims.allowed.tolist()
        self._reservation = compiled.pools[0].tolist()
        self._parent = tree.parent.tolist()
        self._first_guest = tree.pool_count
        self._takes = (guests[c.CPU_RESERVATION].tolist(), _boot_claim(guests).tolist())
        self._overhead, self._spill = overhead_when_on(compiled).tolist(), _spill_need(guests).tolist()
        self._banked = (guests[c.PLACE] > 0).tolist()
        self._host = compiled.host_of.tolist() if compiled.hosts.shape[1] else None
        self._host_claimed, self._host_allowed = claims.host_claimed.tolist(), claims.host_allowed.tolist()

    def take(self, guest: int) -> tuple[Kind, int, float] | None:
        """Admit a guest, or tell what it lacks, at which node or host, and how much of it."""
        ways = []
        for k, kind in enumerate(_NODE_KINDS):
            more, way = self._takes[k][guest], []
            node, claimed = self._parent[self._first_guest + guest], self._claimed[k]
            while True:
                if node == 0 and k == 1:
                    more += self._overhead[guest]
                # A place that breaks its rule already is short only of what comes on top.
                over = min(more, claimed[node] + more - self._allowed[k][node])
                if over > _NOISE * max(1.0, claimed[node] + more):
                    return kind, node, over
                way.append((node, more))
                if node == 0:
                    break
                reservation = self._reservation[k][node - 1]
                more = max(reservation, claimed[node] + more) - max(reservation, claimed[node])
                node = self._parent[node - 1]
            ways.append(way)
        if self._host is not None:
            host = self._host[guest]
            memory, banked = self._takes[1][guest], self._banked[guest]
            outside = self._overhead[guest] + (0.0 if banked else memory)
            needs = (outside, self._spill[guest], memory if banked else 0.0)
            for k, kind in enumerate(_HOST_KINDS):
                total = self._host_claimed[k][host] + needs[k]
                over = min(needs[k], total - self._host_allowed[k][host])
                if over > _NOISE * max(1.0, total):
                    return kind, host, over
            for k, need in enumerate(needs):
                self._host_claimed[k][host] += need
        for claimed, way in zip(self._claimed, ways, strict=True):
            for node, more in way:
                claimed[node] += more
        return None
