"""The order in which people read pools and guests, and sums over the pool tree."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import kernels
from ruvex.plan import Plan

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, eq=False)
class Layout:
    """The pool tree of a plan. Guests and pools are numbered as the plan lists them.

    Attributes
    ----------
    pool_of
        Shape (guests,): the pool each guest lies in, −1 beside the pools.
    parent
        Shape (pools,): the pool each pool lies in, −1 at the top.
    order
        Shape (pools,): all pools, parents before children, those of a pool beside each other in plan order.
    things
        By row, what it shows: a pool's number, or a guest's after all pools.
    ids, kinds, parents
        By row: the id, ``"pool"`` or ``"guest"``, and the parent's id or None.
    depth, parent_row, top_pool
        By row: 0 at the top; the row of the parent, −1 at the top; the number of the top-level pool it is or is
        in, −1 beside the pools.
    is_guest
        By row.
    position
        The row of each id.
    """

    pool_of: Ints
    parent: Ints
    order: Ints
    things: Ints
    ids: tuple[str, ...]
    kinds: tuple[str, ...]
    parents: tuple[str | None, ...]
    depth: Ints
    parent_row: Ints
    top_pool: Ints
    is_guest: NDArray[np.bool_]
    position: Mapping[str, int]

    def pool_sums(self, of_guests: Floats) -> Floats:
        """Add up values over the guests at any depth of each pool; shape (*, guests) gives (*, pools)."""
        lead = of_guests.shape[:-1]
        flat = np.ascontiguousarray(of_guests, dtype=np.float64).reshape(math.prod(lead), self.pool_of.size)
        sums = np.empty((flat.shape[0], self.parent.size))
        kernels.pool_sums(flat, self.pool_of, self.parent, self.order, sums)
        return sums.reshape(*lead, self.parent.size)

    def by_row(self, of_pools: Floats, of_guests: Floats) -> Floats:
        """Put values of pools and of guests in the order of the rows, along the last axis."""
        return np.concatenate((of_pools, of_guests), axis=-1).take(self.things, axis=-1)

    def summed_by_row(self, of_guests: Floats) -> Floats:
        """Give values of guests by row, of a pool the sum over its guests."""
        return self.by_row(self.pool_sums(of_guests), of_guests)


def layout_of(plan: Plan) -> Layout:
    """Number the pools and guests of a valid plan."""
    pools_in: dict[str | None, list[int]] = {}
    guests_in: dict[str | None, list[int]] = {}
    for i, pool in enumerate(plan.pools):
        pools_in.setdefault(pool.parent, []).append(i)
    for i, guest in enumerate(plan.guests):
        guests_in.setdefault(guest.pool, []).append(i)
    index = plan.pool_index
    order = list(pools_in.get(None, ()))
    for number in order:
        order += pools_in.get(plan.pools[number].id, ())
    tops = {plan.pools[i].id: number for number, i in enumerate(pools_in.get(None, ()))}
    count = len(plan.pools)
    things: list[int] = []
    ids: list[str] = []
    parents: list[str | None] = []
    depths: list[int] = []
    top: list[int] = []

    def add(thing: int, item_id: str, parent: str | None, depth: int) -> None:
        things.append(thing)
        ids.append(item_id)
        parents.append(parent)
        depths.append(depth)
        # Rows of a top-level pool follow it in one piece, its guests too; guests beside the pools come last.
        top.append(top[-1] if depth else tops[item_id] if thing < count else -1)

    # Guests of a pool follow all of its sub-pools, so a pool is opened when met and closed with its guests.
    to_do: list[tuple[int, bool, int]] = [(-1, True, -1)]
    while to_do:
        at, opening, depth = to_do.pop()
        pool_id = plan.pools[at].id if at >= 0 else None
        if opening:
            if at >= 0:
                add(at, plan.pools[at].id, plan.pools[at].parent, depth)
            to_do.append((at, False, depth))
            to_do += [(i, True, depth + 1) for i in reversed(pools_in.get(pool_id, []))]
        else:
            for i in guests_in.get(pool_id, ()):
                add(count + i, plan.guests[i].id, pool_id, depth + 1)
    position = {item_id: row for row, item_id in enumerate(ids)}
    shown = np.array(things, dtype=np.int64)
    return Layout(
        pool_of=np.array([-1 if g.pool is None else index[g.pool] for g in plan.guests], dtype=np.int64),
        parent=np.array([-1 if p.parent is None else index[p.parent] for p in plan.pools], dtype=np.int64),
        order=np.array(order, dtype=np.int64),
        things=shown,
        ids=tuple(ids),
        kinds=tuple("pool" if thing < count else "guest" for thing in things),
        parents=tuple(parents),
        depth=np.array(depths, dtype=np.int64),
        parent_row=np.array([-1 if parent is None else position[parent] for parent in parents], dtype=np.int64),
        top_pool=np.array(top, dtype=np.int64),
        is_guest=shown >= count,
        position=position,
    )
