"""Who gains and pays between two divisions, whether they look the same, and what a row weighs among its peers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._division import Division
from ruvex.divide._parts import Contended
from ruvex.divide._resource import ResourceDivision
from ruvex.plan import RESOURCES, Resource

Floats = NDArray[np.float64]

_NOISE: Final = 1e-9
_FLOWS: Final[tuple[tuple[Contended, str], ...]] = (("store", "ops_delivered"), ("link", "net_delivered"))


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
        moved = np.flatnonzero(np.abs(change) > _NOISE * max(1.0, float(new.max(initial=0.0))))
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
