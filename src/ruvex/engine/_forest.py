"""The pool tree once for each place, side by side; built anew whenever somebody goes on or off, or moves."""

from __future__ import annotations

from typing import Any

import numpy as np

from ruvex.engine import rows as r
from ruvex.engine._jit import maker


@maker
def build_forest(place_of: Any, standing: Any, numbers: Any, parent: Any, order: Any, places: Any) -> Any:
    """Number the nodes and slots of a forest.

    Parameters
    ----------
    place_of
        Shape (2, guests): the places a guest's CPU and memory come from.
    standing, numbers
        Of guests; only those that are on have slots.
    parent, order
        Of pools: the pool each is in (−1 at the top), and all pools with parents first.
    places
        Of places; where their nodes are is written into it.

    Returns
    -------
    tuple
        Nodes, slots, the slots of each guest for CPU and memory (−1 where off), and the nodes of each pool: for pool
        p and resource r those from ``first[resource, p]`` to before ``first[resource, p + 1]``.
    """
    count, pools, guests = places.shape[1], parent.shape[0], place_of.shape[1]
    node_of = np.full((count, pools + 1), -1, dtype=np.int64)
    for guest in range(guests):
        if standing[r.S_ON, guest] == 0:
            continue
        for resource in range(2):
            pool, place = numbers[r.I_POOL, guest], place_of[resource, guest]
            while pool >= 0 and node_of[place, pool] < 0:
                node_of[place, pool] = 0
                pool = parent[pool]
    total = count
    for place in range(count):
        for pool in range(pools):
            if node_of[place, pool] >= 0:
                total += 1
    nodes = np.zeros((7, total), dtype=np.int64)
    at = 0
    for place in range(count):
        places[r.L_FIRST, place] = at
        nodes[r.N_PLACE, at], nodes[r.N_POOL, at], nodes[r.N_PARENT, at], nodes[r.N_SLOT, at] = (
            place,
            -1,
            -1,
            -1,
        )
        node_of[place, pools] = at
        at += 1
        for i in range(pools):
            pool = order[i]
            if node_of[place, pool] >= 0:
                above = parent[pool] if parent[pool] >= 0 else pools
                nodes[r.N_PLACE, at], nodes[r.N_POOL, at], nodes[r.N_PARENT, at] = (
                    place,
                    pool,
                    node_of[place, above],
                )
                node_of[place, pool] = at
                at += 1
        places[r.L_LAST, place] = at
    # How many members each node has, then where they begin: child nodes first, then guests, both in plan order.
    members = np.zeros(total, dtype=np.int64)
    for node in range(total):
        if nodes[r.N_PARENT, node] >= 0:
            members[nodes[r.N_PARENT, node]] += 1
    for guest in range(guests):
        if standing[r.S_ON, guest] != 0:
            pool = numbers[r.I_POOL, guest] if numbers[r.I_POOL, guest] >= 0 else pools
            for resource in range(2):
                members[node_of[place_of[resource, guest], pool]] += 1
    at = 0
    for node in range(total):
        nodes[r.N_FIRST, node] = nodes[r.N_LAST, node] = at
        at += members[node]
    slots = np.full((3, at), -1, dtype=np.int64)
    guest_slots = np.full((2, guests), -1, dtype=np.int64)
    for node in range(total):
        above = nodes[r.N_PARENT, node]
        if above >= 0:
            slot = nodes[r.N_LAST, above]
            slots[r.T_NODE, slot], slots[r.T_OWNER, slot], nodes[r.N_SLOT, node] = node, above, slot
            nodes[r.N_LAST, above] += 1
    for guest in range(guests):
        if standing[r.S_ON, guest] != 0:
            pool = numbers[r.I_POOL, guest] if numbers[r.I_POOL, guest] >= 0 else pools
            for resource in range(2):
                node = node_of[place_of[resource, guest], pool]
                slot = nodes[r.N_LAST, node]
                slots[r.T_GUEST, slot], slots[r.T_OWNER, slot], guest_slots[resource, guest] = guest, node, slot
                nodes[r.N_LAST, node] += 1
                while node >= 0:
                    nodes[r.N_COUNT, node] += 1
                    node = nodes[r.N_PARENT, node]
    first, pool_nodes = _by_pool(nodes, places, pools)
    return nodes, slots, guest_slots, first, pool_nodes


@maker
def _by_pool(nodes: Any, places: Any, pools: int) -> Any:
    """List the nodes of each pool, those of CPU and of memory by themselves."""
    first = np.zeros((2, pools + 1), dtype=np.int64)
    for node in range(nodes.shape[1]):
        if nodes[r.N_POOL, node] >= 0:
            first[
                0 if places[r.L_KIND, nodes[r.N_PLACE, node]] == r.CPU_PLACE else 1,
                nodes[r.N_POOL, node] + 1,
            ] += 1
    at = 0
    for resource in range(2):
        first[resource, 0] = at
        for pool in range(pools):
            first[resource, pool + 1] += first[resource, pool]
        at = first[resource, pools]
    found = np.zeros(max(at, 1), dtype=np.int64)
    next_one = first.copy()
    for node in range(nodes.shape[1]):
        pool = nodes[r.N_POOL, node]
        if pool >= 0:
            resource = 0 if places[r.L_KIND, nodes[r.N_PLACE, node]] == r.CPU_PLACE else 1
            found[next_one[resource, pool]] = node
            next_one[resource, pool] += 1
    return first, found
