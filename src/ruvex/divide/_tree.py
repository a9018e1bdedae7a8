"""The pool tree as flat arrays, numbered so that what belongs together stands side by side."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.plan import Plan

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Groups:
    """Runs of neighbouring values that are added up together, one run a node.

    Attributes
    ----------
    count
        How many nodes there are.
    filled
        The nodes that have a run.
    first
        For each of them where its run begins.
    """

    count: int
    filled: Ints
    first: Ints

    def sums(self, values: Floats) -> Floats:
        """Add up values along the last axis, one sum a node; a node without a run gets 0."""
        if self.filled.size == self.count and self.count:
            total: Floats = np.add.reduceat(values, self.first, axis=-1)
            return total
        spread = np.zeros((*values.shape[:-1], self.count))
        if self.filled.size:
            spread[..., self.filled] = np.add.reduceat(values, self.first, axis=-1)
        return spread


@dataclass(frozen=True, slots=True)
class Level:
    """One depth of the tree.

    Attributes
    ----------
    nodes
        Its nodes, in the numbering of all nodes.
    pools
        The pools that are members of these nodes, in the numbering of all members.
    pool_node
        The node each of those pools belongs to.
    pool_groups
        Those pools by node, counted from the first node of this depth.
    """

    nodes: slice
    pools: slice
    pool_node: Ints
    pool_groups: Groups


@dataclass(frozen=True, slots=True)
class Layout:
    """What readers of rows look up.

    Attributes
    ----------
    members
        By row, the member it shows; parents before members, pools before guests, in plan order.
    ids, kinds, parents
        By row: the id, ``"pool"`` or ``"guest"``, and the parent's id or None.
    depth, parent_row, top_pool
        By row: 0 at the top; the row of the parent, −1 at the top; the number of the top-level pool it is or is
        in, −1 beside the pools.
    position
        The row of each id.
    """

    members: Ints
    ids: tuple[str, ...]
    kinds: tuple[str, ...]
    parents: tuple[str | None, ...]
    depth: Ints
    parent_row: Ints
    top_pool: Ints
    position: Mapping[str, int]


@dataclass(frozen=True, slots=True)
class Tree:
    """The whole tree.

    Node 0 is the root; pools are the further nodes, breadth first, so that the pools of a node are neighbours.
    Members are the pools in the order of their nodes (node n is member n − 1), then the guests, those of a node
    beside each other.

    Attributes
    ----------
    levels
        From the root downwards.
    parent
        Shape (members,): the node each member belongs to.
    segments
        Shape (2 · members,): for each resource and member twice the number of its node among all nodes of both
        resources; the solver's name for the node's first tier, and one more is its second.
    guest_groups
        The guests by node, counted from the first guest.
    pool_place, guest_place
        For each pool and guest in plan order, its place among the pools and among the guests.
    layout
        The order in which people read the members.
    """

    levels: tuple[Level, ...]
    parent: Ints
    segments: Ints
    guest_groups: Groups
    pool_place: Ints
    guest_place: Ints
    layout: Layout

    @property
    def pool_count(self) -> int:
        """Pools, not counting the root."""
        return self.pool_place.size

    @property
    def node_count(self) -> int:
        """Pools and the root."""
        return self.pool_place.size + 1

    @property
    def member_count(self) -> int:
        """Pools and guests."""
        return self.parent.size


def build_tree(plan: Plan) -> Tree:
    """Number the pools and guests of a valid plan."""
    pools_in: dict[str | None, list[int]] = {}
    guests_in: dict[str | None, list[int]] = {}
    for i, pool in enumerate(plan.pools):
        pools_in.setdefault(pool.parent, []).append(i)
    for i, guest in enumerate(plan.guests):
        guests_in.setdefault(guest.pool, []).append(i)

    nodes: list[str | None] = [None]
    parent: list[int] = []
    pool_place = np.zeros(len(plan.pools), dtype=np.int64)
    levels: list[Level] = []
    start = 0
    while start < len(nodes):
        end = len(nodes)
        for node in range(start, end):
            for i in pools_in.get(nodes[node], ()):
                pool_place[i] = len(parent)
                parent.append(node)
                nodes.append(plan.pools[i].id)
        pools = slice(end - 1, len(nodes) - 1)
        pool_node = np.array(parent[pools], dtype=np.int64)
        levels.append(Level(slice(start, end), pools, pool_node, _group(pool_node - start, end - start)))
        start = end
    guest_order = [i for node in nodes for i in guests_in.get(node, ())]
    guest_place = np.zeros(len(plan.guests), dtype=np.int64)
    guest_place[guest_order] = np.arange(len(guest_order))
    guest_node = np.repeat(np.arange(len(nodes)), [len(guests_in.get(node, ())) for node in nodes])
    parents = np.concatenate((np.array(parent, dtype=np.int64), guest_node))
    return Tree(
        levels=tuple(levels),
        parent=parents,
        segments=2 * np.concatenate((parents, parents + len(nodes))),
        guest_groups=_group(guest_node, len(nodes)),
        pool_place=pool_place,
        guest_place=guest_place,
        layout=_reading_order(plan, pools_in, guests_in, pool_place, guest_place + len(plan.pools)),
    )


def _group(node_of: Ints, count: int) -> Groups:
    filled, first = np.unique(node_of, return_index=True)
    return Groups(count, filled, first)


def _reading_order(
    plan: Plan,
    pools_in: Mapping[str | None, list[int]],
    guests_in: Mapping[str | None, list[int]],
    pool_member: Ints,
    guest_member: Ints,
) -> Layout:
    top_pools = {plan.pools[i].id: number for number, i in enumerate(pools_in.get(None, ()))}
    members: list[int] = []
    ids: list[str] = []
    kinds: list[str] = []
    parents: list[str | None] = []
    depths: list[int] = []
    tops: list[int] = []

    def add(member: int, item_id: str, kind: str, parent_id: str | None, depth: int) -> None:
        members.append(member)
        ids.append(item_id)
        kinds.append(kind)
        parents.append(parent_id)
        depths.append(depth)
        # Rows of a top-level pool follow it in one piece, its guests too; guests beside the pools come last.
        if depth == 0:
            tops.append(top_pools[item_id] if kind == "pool" else -1)
        else:
            tops.append(tops[-1])

    # Guests of a pool follow all of its sub-pools, so a pool is opened when met and closed with its guests.
    to_do: list[tuple[int, bool, int]] = [(-1, True, -1)]
    while to_do:
        at, opening, depth = to_do.pop()
        pool_id = plan.pools[at].id if at >= 0 else None
        if opening:
            if at >= 0:
                add(int(pool_member[at]), plan.pools[at].id, "pool", plan.pools[at].parent, depth)
            to_do.append((at, False, depth))
            to_do += [(i, True, depth + 1) for i in reversed(pools_in.get(pool_id, []))]
        else:
            for i in guests_in.get(pool_id, ()):
                add(int(guest_member[i]), plan.guests[i].id, "guest", pool_id, depth + 1)
    position = {item_id: row for row, item_id in enumerate(ids)}
    return Layout(
        members=np.array(members, dtype=np.int64),
        ids=tuple(ids),
        kinds=tuple(kinds),
        parents=tuple(parents),
        depth=np.array(depths, dtype=np.int64),
        parent_row=np.array([-1 if parent is None else position[parent] for parent in parents], dtype=np.int64),
        top_pool=np.array(tops, dtype=np.int64),
        position=position,
    )
