"""Admission in order: each power-on leaves less for the next. Section 5 of docs/model.md."""

from __future__ import annotations

from typing import Any

from ruvex.engine._jit import kernel

NOISE = 1e-9
FITS, SHORT_CPU, SHORT_MEMORY, SHORT_HOST_CPU, SHORT_HOST_MEMORY, SHORT_SPILL, SHORT_BANK = range(7)
"""How an admission ends; the middle two pairs name a node, the others a host."""


@kernel
def _way(
    resource: int, more: float, extra: float, node: int, parent: Any, reservation: Any, claimed: Any, allowed: Any,
    commits: bool,
) -> tuple[int, float]:  # fmt: skip
    """Follow a claim up to the top; gives the node that is short (−1: none) and by how much.

    ``extra`` is claimed at the top only.
    """
    while True:
        if node == 0:
            more += extra
        now = claimed[resource, node]
        if not commits:
            # A node that breaks its rule already is short only of what comes on top.
            over = min(more, now + more - allowed[resource, node])
            if over > NOISE * max(1.0, now + more):
                return node, over
        above = max(reservation[resource, node], now + more) - max(reservation[resource, node], now)
        if commits:
            claimed[resource, node] = now + more
        if node == 0:
            return -1, 0.0
        more, node = above, parent[node]


@kernel
def admit_in_order(
    order: Any, host_of: Any, node_of: Any, takes: Any, needs: Any, parent: Any, reservation: Any, claimed: Any,
    allowed: Any, host_claimed: Any, host_allowed: Any, found: Any, short: Any,
) -> None:  # fmt: skip
    """Admit guests one after the other.

    Parameters
    ----------
    order
        The guests, in the order in which they are taken.
    host_of, node_of
        By guest its host and its pool's node; node 0 is the top, pool p is node p + 1.
    takes
        Shape (3, guests): what each claims of CPU and of memory in the tree, and of memory at the top only.
    needs
        Shape (4, guests): what each needs on its host: CPU, memory, spill space, memory of its bank.
    parent, reservation, claimed, allowed
        By node; the last three for CPU and memory. ``claimed`` is brought up to date.
    host_claimed, host_allowed
        Shape (4, hosts), as ``needs``; the first is brought up to date.
    found, short
        Shape (2, guests of the order), (guests of the order,): how each ends, and at which node or host; by how much.
    """
    for at in range(order.shape[0]):
        guest = order[at]
        found[0, at], found[1, at], short[at] = FITS, -1, 0.0
        for resource in range(2):
            extra = takes[2, guest] if resource == 1 else 0.0
            node, over = _way(
                resource, takes[resource, guest], extra, node_of[guest], parent, reservation, claimed, allowed, False
            )
            if node >= 0 and found[0, at] == FITS:
                found[0, at], found[1, at], short[at] = SHORT_CPU + resource, node, over
        host = host_of[guest]
        if found[0, at] == FITS and host >= 0:
            for kind in range(4):
                total = host_claimed[kind, host] + needs[kind, guest]
                over = min(needs[kind, guest], total - host_allowed[kind, host])
                if over > NOISE * max(1.0, total) and found[0, at] == FITS:
                    found[0, at], found[1, at], short[at] = SHORT_HOST_CPU + kind, host, over
        if found[0, at] != FITS:
            continue
        for resource in range(2):
            extra = takes[2, guest] if resource == 1 else 0.0
            _way(resource, takes[resource, guest], extra, node_of[guest], parent, reservation, claimed, allowed, True)
        if host >= 0:
            for kind in range(4):
                host_claimed[kind, host] += needs[kind, guest]
