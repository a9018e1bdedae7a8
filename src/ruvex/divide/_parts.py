"""What a delivered figure is made of, and who gains and pays between two divisions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Final, Literal

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._resource import ResourceDivision
from ruvex.plan import RESOURCES, Resource
from ruvex.site import Layout

if TYPE_CHECKING:
    from ruvex.divide._division import Division

Floats = NDArray[np.float64]

Contended = Literal["cpu", "memory", "store", "link"]
"""What guests compete for: MHz, MiB, transfers a second of stores, MiB/s of links."""
CONTENDED: Final[tuple[Contended, ...]] = ("cpu", "memory", "store", "link")
"""All of it, in the order in which arrays have a row for each."""
CONTENDED_WORDS: Final[Mapping[Contended, str]] = {
    "cpu": "CPU", "memory": "memory", "store": "disks", "link": "network",
}  # fmt: skip
"""What each is called within a sentence, as a guest has it."""

_NOISE: Final = 1e-9
_FLOWS: Final[tuple[tuple[Contended, str], ...]] = (("store", "ops_delivered"), ("link", "net_delivered"))


@dataclass(frozen=True, slots=True, eq=False)
class Parts:
    """The parts of each row, in the resource's unit; the first three add up to what is delivered.

    Attributes
    ----------
    promised
        Delivered and used, covered by the row's claim.
    won
        Delivered and used beyond the claim: won by shares.
    held
        Delivered beyond what is wanted: held though idle.
    lent
        Promised, neither delivered nor lacking: idle, and lent to others.
    unmet
        Wanted and not delivered.
    """

    promised: Floats
    won: Floats
    held: Floats
    lent: Floats
    unmet: Floats


def parts_of_guests(resource: ResourceDivision) -> Parts:
    """Split what each guest gets into what was promised, won by shares and held idle; add what is lent and unmet."""
    given, unmet = resource.given, resource.unmet_of_guests
    claims = resource.claims.guests[resource.k]
    held = np.maximum(given + unmet - resource.wanted_of_guests, 0.0)
    promised = np.minimum(claims, given - held)
    # Where promises are broken nothing is idle: what is missing of a claim was not lent, it is not there.
    lent = np.maximum(claims - given - unmet, 0.0) * (not resource.broken)
    return Parts(promised, given - held - promised, held, lent, unmet)


def used_of_pools(
    layout: Layout, claims: tuple[Floats, Floats], won: Floats, has_idle: bool = True
) -> tuple[Floats, Floats]:
    """Tell of what pools are promised beyond their members which part those use, and which is idle.

    A pool that is promised 5 GHz, with a guest that is promised 2 and one that is promised nothing and has won 1.5 by
    its shares, has given 1.5 of its own 3; 1.5 are idle, and lent.

    Parameters
    ----------
    layout
        Of pools and guests.
    claims
        Of pools, shape (pools, cells), and of guests, shape (guests, cells); the cells are hosts or times, or one.
    won
        What guests use beyond their claims, shape (guests, cells).
    has_idle
        False where promises are broken: what is not used then is not there.

    Returns
    -------
    tuple
        What is used and what is idle, of each pool and all that are in it, shape (pools, cells) each.
    """
    of_pools, of_guests = claims
    inside, nested = np.flatnonzero(layout.pool_of >= 0), np.flatnonzero(layout.parent >= 0)
    own = np.array(np.broadcast_to(of_pools, (of_pools.shape[0], won.shape[1])))
    np.subtract.at(own, layout.pool_of[inside], of_guests[inside])
    np.subtract.at(own, layout.parent[nested], of_pools[nested])
    own[own <= _NOISE * np.maximum(of_pools, 1.0)] = 0.0
    used, idle = np.zeros(own.shape), np.zeros(own.shape)
    having = np.flatnonzero(own.any(axis=1))
    if having.size:
        left = layout.pool_sums(won.T).T
        for pool in layout.order[np.isin(layout.order, having)][::-1].tolist():
            mine = np.minimum(own[pool], np.maximum(left[pool] - used[pool], 0.0))
            above = pool
            while above >= 0:
                used[above] += mine
                idle[above] += (own[pool] - mine) * has_idle
                above = int(layout.parent[above])
    return used, idle


def parts_of(resource: ResourceDivision, of: Parts) -> Parts:
    """Split what each row gets into what was promised, won by shares and held idle; add what is lent and unmet.

    Of a pool these are sums over its guests (``of``), however much others of them lack or lend; what it is promised
    beyond them is theirs where they use it, and lent where they do not.
    """
    layout = resource.layout
    there = resource.has_of_pools
    claims = resource.claims.pools[resource.k][:, None], (resource.claims.guests[resource.k] * there)[:, None]
    found = used_of_pools(layout, claims, (of.won * there)[:, None], not resource.broken)
    used, idle = (amounts[:, 0] for amounts in found)
    promised, won, held, lent, unmet = layout.pool_sums(np.stack((of.promised, of.won, of.held, of.lent, of.unmet)))
    return Parts(
        layout.by_row(promised + used, of.promised), layout.by_row(won - used, of.won), layout.by_row(held, of.held),
        layout.by_row(lent + idle, of.lent), layout.by_row(unmet, of.unmet),
    )  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class Shifts:
    """Who gains and who pays between two divisions, the largest change first, ties in row order.

    Attributes
    ----------
    rows
        The rows of the guests whose delivered amount differs.
    amounts
        What each gains (positive) or pays (negative), in the resource's unit.
    """

    rows: NDArray[np.int64]
    amounts: Floats

    @property
    def gains(self) -> Shifts:
        """Those who gain."""
        return Shifts(self.rows[self.amounts > 0], self.amounts[self.amounts > 0])

    @property
    def losses(self) -> Shifts:
        """Those who pay."""
        return Shifts(self.rows[self.amounts < 0], self.amounts[self.amounts < 0])


def shifts_between(before: ResourceDivision, after: ResourceDivision) -> Shifts:
    """Compare one resource of two divisions over the same rows; differences that rounding makes are left out."""
    change = after.delivered - before.delivered
    rows = np.flatnonzero((np.abs(change) > _NOISE * max(1.0, after.supply)) & after.is_guest)
    rows = rows[np.argsort(-np.abs(change[rows]), kind="stable")]
    return Shifts(rows, change[rows])


def shifts_by_guest(before: Division, after: Division, resource: Resource) -> Shifts:
    """Compare one resource of two divisions whose rows may be other ones; rows are those of ``after``.

    A guest that is new gains all it gets; what one got that is gone does not show.
    """
    old, new = before.of(resource), after.of(resource)
    if before.ids is after.ids:
        return shifts_between(old, new)
    rows = np.array([before.position.get(item_id, -1) for item_id in after.ids], dtype=np.int64)
    delivered = np.where(rows >= 0, old.delivered[rows], 0.0) if old.delivered.size else np.zeros(rows.size)
    return shifts_between(new.with_delivered(delivered), new)


def all_shifts(before: Division, after: Division) -> dict[Contended, Shifts]:
    """Compare all that guests compete for in two divisions; what nobody gains or pays of is left out."""
    found: dict[Contended, Shifts] = {name: shifts_by_guest(before, after, name) for name in RESOURCES}
    plan = after.site.plan
    for kind, name in _FLOWS:
        old, new = getattr(before.flowing, name), getattr(after.flowing, name)
        if not (old.any() or new.any()):
            continue
        if before.site.plan.guest_index != plan.guest_index:
            of = before.site.plan.guest_index
            old = np.array([old[of[guest.id]] if guest.id in of else 0.0 for guest in plan.guests])
        change = new - old
        moved = np.flatnonzero(np.abs(change) > _NOISE * max(1.0, float(new.max())))
        moved = moved[np.argsort(-np.abs(change[moved]), kind="stable")]
        rows = np.array([after.position[plan.guests[i].id] for i in moved.tolist()], dtype=np.int64)
        found[kind] = Shifts(rows, change[moved])
    return {kind: shifts for kind, shifts in found.items() if shifts.rows.size}


def looks_same(before: ResourceDivision, after: ResourceDivision) -> bool:
    """Tell whether two divisions over the same rows show the same bars and sums of a resource."""
    sums = ("supply", "total_wanted", "promised", "broken")
    bars = ("delivered", "unmet", "claim", "limit", "node_broken")
    return all(getattr(before, name) == getattr(after, name) for name in sums) and all(
        np.array_equal(getattr(before, name), getattr(after, name)) for name in bars
    )


def peer_weights(resource: ResourceDivision, division: Division, row: int) -> tuple[float, float]:
    """Give the weight of a row and the sum over it and its peers that are on."""
    peers = (division.parent_row == division.parent_row[row]) & division.on
    return float(resource.weight[row]), float(resource.weight[peers].sum())
