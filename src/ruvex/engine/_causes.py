"""Why a guest gets no more: the causes of section 6 of docs/model.md, for CPU and memory alike."""

from __future__ import annotations

from typing import Any

from ruvex.engine import rows as r
from ruvex.engine._jit import kernel, part

NOISE = 1e-9


@kernel
def find_stops(nodes: Any, asks: Any, known: Any, stops: Any) -> None:
    """Tell for every node the nearest one, itself or above, that stands at its limit; −1 where none does."""
    for node in range(nodes.shape[1]):
        stops[node] = -1
        if nodes[r.N_POOL, node] < 0:
            continue
        is_full = asks[r.A_GIVEN, nodes[r.N_SLOT, node]] >= known[r.V_LIMIT, node] * (1.0 - NOISE)
        stops[node] = node if known[r.V_LIMITED, node] > 0.0 and is_full else stops[nodes[r.N_PARENT, node]]


@kernel
def find_causes(
    resource: int, guests: Any, standing: Any, places: Any, nodes: Any, slots: Any, guest_slots: Any, asks: Any,
    stops: Any, unmet: Any, beyond: Any, least: float, codes: Any,
) -> None:  # fmt: skip
    """Tell the cause of every guest; ``unmet`` is what it lacks, ``beyond`` what it lacks beyond what it may want."""
    for guest in range(guest_slots.shape[1]):
        slot = guest_slots[resource, guest]
        codes[guest] = r.NO_CAUSE
        if slot >= 0 and (unmet[guest] > least or beyond[guest] > least):
            is_full = asks[r.A_GIVEN, slot] >= asks[r.A_CAP, slot] - least
            if resource == 0 and asks[r.A_BOUND, slot] > 0.0:
                codes[guest] = r.KEPT_CORES
                continue
            codes[guest] = why(
                resource, guest, slot, is_full, unmet[guest] > least, guests, standing, places, nodes, slots, stops
            )


@part
def why(
    resource: int, guest: int, slot: int, is_full: bool, has_unmet: bool, guests: Any, standing: Any, places: Any,
    nodes: Any, slots: Any, stops: Any,
) -> int:  # fmt: skip
    """Name what keeps a guest that lacks something from more.

    Parameters
    ----------
    is_full
        Whether it has all it may have: then its own settings are the cause.
    has_unmet
        Whether it wants more than that; a thin guest's limit is the cause then, else its size.
    stops
        As ``find_stops`` gives them.
    """
    if is_full:
        mode = guests[r.G_MODE, guest]
        if resource == 0 or (mode == r.THIN and has_unmet):
            return r.OWN_LIMIT
        if mode != r.ELASTIC:
            return r.OWN_SIZE
        if standing[r.S_AGENT, guest] != 0:
            return r.OWN_CEILING
        return r.AGENT_LOADING if guests[r.G_AGENT, guest] > 0.0 else r.AGENT_MISSING
    owner = slots[r.T_OWNER, slot]
    if stops[owner] >= 0:
        return r.POOL_LIMIT
    return r.BANK if places[r.L_KIND, nodes[r.N_PLACE, owner]] == r.BANK_PLACE else r.SUPPLY
