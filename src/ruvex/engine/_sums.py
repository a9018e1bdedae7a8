"""Sums over the pool tree, from the guests upwards."""

from __future__ import annotations

from typing import Any

from ruvex.engine._jit import kernel


@kernel
def pool_sums(of_guests: Any, pool_of: Any, parent: Any, order: Any, of_pools: Any) -> None:
    """Add up rows of numbers over the guests at any depth of each pool; ``of_pools`` is written."""
    of_pools[:] = 0.0
    for row in range(of_guests.shape[0]):
        for guest in range(of_guests.shape[1]):
            if pool_of[guest] >= 0:
                of_pools[row, pool_of[guest]] += of_guests[row, guest]
        for i in range(order.shape[0] - 1, -1, -1):
            pool = order[i]
            if parent[pool] >= 0:
                of_pools[row, parent[pool]] += of_pools[row, pool]


@kernel
def claim_sums(claims: Any, pool_of: Any, parent: Any, order: Any, reservation: Any, of_pools: Any, nodes: Any) -> None:
    """Add up claims from the guests upwards (section 5).

    Parameters
    ----------
    claims
        Shape (2, guests): what each claims of CPU and memory in the tree.
    pool_of, parent, order
        The tree; −1 is the top.
    reservation
        Shape (2, pools).
    of_pools, nodes
        Written: what each pool claims from the node above, shape (2, pools), and the claims of each node's members,
        shape (2, pools + 1); node 0 is the top, pool p is node p + 1.
    """
    nodes[:] = 0.0
    for r in range(2):
        for guest in range(claims.shape[1]):
            nodes[r, pool_of[guest] + 1] += claims[r, guest]
        for i in range(order.shape[0] - 1, -1, -1):
            pool = order[i]
            of_pools[r, pool] = max(reservation[r, pool], nodes[r, pool + 1])
            nodes[r, parent[pool] + 1] += of_pools[r, pool]
