"""The pool tree as flat arrays, numbered so that each node's members stand side by side."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.plan import Plan

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True)
class Level:
    """One depth of the tree: the nodes of that depth and their members.

    Attributes
    ----------
    nodes, members
        Where they stand in the arrays over all nodes and over all members.
    node_of
        For each member of this depth, its node, counted from the first node of this depth.
    filled
        The nodes of this depth that have members, counted likewise.
    first
        For each filled node its first member, counted from the first member of this depth.
    as_members
        For each node of this depth, its own place among the members of the depth above; empty for the root.
    """

    nodes: slice
    members: slice
    node_of: Ints
    filled: Ints
    first: Ints
    as_members: Ints

    def sum_members(self, values: Floats) -> Floats:
        """Add up values of this depth's members (last axis) by node; a node without members gets 0."""
        if self.filled.size == 0:
            return np.zeros((*values.shape[:-1], self.nodes.stop - self.nodes.start))
        sums: Floats = np.add.reduceat(values, self.first, axis=-1)
        if self.filled.size == self.nodes.stop - self.nodes.start:
            return sums
        spread = np.zeros((*values.shape[:-1], self.nodes.stop - self.nodes.start))
        spread[..., self.filled] = sums
        return spread


@dataclass(frozen=True, slots=True)
class Layout:
    """What readers of rows look up: each row's depth (0 at the top), and the row number of each id."""

    depth: Ints
    position: Mapping[str, int]


@dataclass(frozen=True, slots=True)
class Tree:
    """The whole tree. Node 0 is the root; pools and guests are its members, breadth first.

    Attributes
    ----------
    levels
        From the root downwards.
    parent
        Shape (members,): the node each member belongs to.
    guest_member, pool_member
        The member number of each guest and of each pool, in plan order.
    pool_node
        The node number of each pool, in plan order.
    rows
        Member numbers in the order people read them: parents before members, pools before guests, plan order.
    ids, kinds, parents
        By row: the id, ``"pool"`` or ``"guest"``, and the parent's id or None.
    layout
        Look-ups over the rows.
    """

    levels: tuple[Level, ...]
    parent: Ints
    guest_member: Ints
    pool_member: Ints
    pool_node: Ints
    rows: Ints
    ids: tuple[str, ...]
    kinds: tuple[str, ...]
    parents: tuple[str | None, ...]
    layout: Layout

    @property
    def node_count(self) -> int:
        """Pools and the root."""
        return self.pool_node.size + 1

    @property
    def member_count(self) -> int:
        """Pools and guests."""
        return self.parent.size


def build_tree(plan: Plan) -> Tree:
    """Number the pools and guests of a valid plan breadth first."""
    pools_in: dict[str | None, list[int]] = {}
    guests_in: dict[str | None, list[int]] = {}
    for i, pool in enumerate(plan.pools):
        pools_in.setdefault(pool.parent, []).append(i)
    for i, guest in enumerate(plan.guests):
        guests_in.setdefault(guest.pool, []).append(i)

    parent: list[int] = []
    pool_member = np.zeros(len(plan.pools), dtype=np.int64)
    pool_node = np.zeros(len(plan.pools), dtype=np.int64)
    guest_member = np.zeros(len(plan.guests), dtype=np.int64)
    levels: list[Level] = []
    nodes: list[str | None] = [None]
    as_members: list[int] = []
    node_start = 0
    while nodes:
        member_start = len(parent)
        below: list[str | None] = []
        below_members: list[int] = []
        for node, pool_id in enumerate(nodes, start=node_start):
            for i in pools_in.get(pool_id, ()):
                pool_member[i] = len(parent)
                pool_node[i] = node_start + len(nodes) + len(below)
                below.append(plan.pools[i].id)
                below_members.append(len(parent))
                parent.append(node)
            for i in guests_in.get(pool_id, ()):
                guest_member[i] = len(parent)
                parent.append(node)
        node_of = np.array(parent[member_start:], dtype=np.int64) - node_start
        filled, first = np.unique(node_of, return_index=True)
        levels.append(
            Level(
                slice(node_start, node_start + len(nodes)),
                slice(member_start, len(parent)),
                node_of,
                filled,
                first,
                np.array(as_members, dtype=np.int64),
            )
        )
        node_start += len(nodes)
        nodes, as_members = below, below_members
    rows, ids, kinds, parents = _reading_order(plan, pools_in, guests_in, pool_member, guest_member)
    depth = np.repeat(np.arange(len(levels)), [level.members.stop - level.members.start for level in levels])
    layout = Layout(depth[rows], {item_id: row for row, item_id in enumerate(ids)})
    return Tree(
        tuple(levels), np.array(parent, dtype=np.int64), guest_member, pool_member, pool_node,
        rows, ids, kinds, parents, layout,
    )  # fmt: skip


def _reading_order(
    plan: Plan,
    pools_in: dict[str | None, list[int]],
    guests_in: dict[str | None, list[int]],
    pool_member: Ints,
    guest_member: Ints,
) -> tuple[Ints, tuple[str, ...], tuple[str, ...], tuple[str | None, ...]]:
    rows: list[int] = []
    ids: list[str] = []
    kinds: list[str] = []
    parents: list[str | None] = []

    def add(member: int, item_id: str, kind: str, parent_id: str | None) -> None:
        rows.append(member)
        ids.append(item_id)
        kinds.append(kind)
        parents.append(parent_id)

    # Guests of a pool follow all of its sub-pools, so a pool is opened when met and closed with its guests.
    open_ends: list[tuple[str | None, bool, int]] = [(None, True, -1)]
    while open_ends:
        pool_id, opening, at = open_ends.pop()
        if opening:
            if at >= 0:
                add(int(pool_member[at]), plan.pools[at].id, "pool", plan.pools[at].parent)
            open_ends.append((pool_id, False, at))
            open_ends += [(plan.pools[i].id, True, i) for i in reversed(pools_in.get(pool_id, []))]
        else:
            for i in guests_in.get(pool_id, ()):
                add(int(guest_member[i]), plan.guests[i].id, "guest", pool_id)
    return np.array(rows, dtype=np.int64), tuple(ids), tuple(kinds), tuple(parents)
