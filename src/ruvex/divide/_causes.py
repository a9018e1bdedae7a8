"""Why a guest does not get all it wants: the causes of section 6, for CPU and memory alike."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._cause import Causes
from ruvex.divide._divided import Divided
from ruvex.engine import kernels
from ruvex.engine import rows as r
from ruvex.plan import Resource

_NOISE: Final = 1e-9


def causes_of(division: Divided, resource: Resource) -> Causes:
    """Find for every row of ``cpu`` or ``memory`` what stops it from having more; worked out once for a division.

    A guest that has all it may have is stopped by its own setting; one that has less, by the nearest pool above it
    that has reached its limit, or else by its bank or the supply of its host. Pools have the cause that keeps back most
    of what their guests lack.
    """
    found = division.causes.get(resource)
    if found is None:
        found = division.causes[resource] = _find(division, resource)
    return found


def memory_causes(division: Divided) -> NDArray[np.int64]:
    """Give by guest in plan order why it has less memory than it needs, as a position in ``CAUSES``."""
    pools = division.layout.parent.size
    codes = np.zeros(pools + division.site.guests.shape[1], dtype=np.int64)
    codes[division.layout.things] = causes_of(division, "memory").code
    return codes[pools:]


def played_causes(division: Divided, codes: NDArray[np.int64]) -> Causes:
    """Give the causes of memory of a moment that was played, where those of guests are known, in plan order."""
    return _find(division, "memory", codes)


def _find(division: Divided, resource: Resource, played: NDArray[np.int64] | None = None) -> Causes:
    site, solved, layout = division.site, division.solved, division.layout
    of, trees = division.of(resource), site.forest.trees
    count, pools = site.guests.shape[1], layout.parent.size
    least = _NOISE * max(1.0, of.supply)
    stops, codes = np.empty(trees.nodes.shape[1], dtype=np.int64), np.empty(count, dtype=np.int64)
    kernels.find_stops(trees.nodes, solved.asks, solved.known, stops)
    beyond = solved.layers[r.M_SELF_PAGED] if of.k == 1 else np.zeros(count)
    kernels.find_causes(
        of.k, site.guests, site.standing.of_guests, trees.places, trees.nodes, trees.slots, trees.guest_slots,
        solved.asks, stops, of.unmet_of_guests, beyond, least, codes,
    )  # fmt: skip
    codes = codes if played is None else played
    row_of_pool = np.full(pools + 1, -1, dtype=np.int64)
    at_rows = np.flatnonzero(~layout.is_guest)
    row_of_pool[layout.things[at_rows]] = at_rows
    limiting = np.full(count, -1, dtype=np.int64)
    limited = np.flatnonzero(codes == r.POOL_LIMIT)
    owners = trees.slots[r.T_OWNER, trees.guest_slots[of.k, limited]]
    limiting[limited] = np.where(stops[owners] >= 0, trees.nodes[r.N_POOL, stops[owners]], -1)
    pool_codes, pool_limits = _of_pools(division, of.unmet_of_guests, codes, limiting, least)
    code = np.concatenate((pool_codes, codes)).take(layout.things)
    return Causes(code, row_of_pool.take(np.concatenate((pool_limits, limiting)).take(layout.things)))


def _of_pools(
    division: Divided, unmet: NDArray[np.float64], codes: NDArray[np.int64], limiting: NDArray[np.int64], least: float
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Give every pool the cause that keeps back most of what its guests lack, and where it is a limit, whose."""
    layout = division.layout
    pools = layout.parent.size
    found, limits, most = np.zeros(pools, dtype=np.int64), np.full(pools, -1, dtype=np.int64), np.full(pools, least)
    keys = np.where((codes > 0) & (unmet > 0), codes * (pools + 1) + limiting + 1, 0)
    pairs = [key for key in np.unique(keys).tolist() if key]
    if not pairs:
        return found, limits
    # One sum for all of them: few causes are at work at a time, and a call for each costs more than the sums.
    kept_back = layout.pool_sums(np.where(keys == np.array(pairs)[:, None], unmet, 0.0))
    for key, amounts in zip(pairs, kept_back, strict=True):
        larger = amounts > most
        found[larger], limits[larger], most[larger] = key // (pools + 1), key % (pools + 1) - 1, amounts[larger]
    return found, limits
