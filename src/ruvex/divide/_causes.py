"""Why a guest does not get all it wants: the causes of section 6, for CPU and memory alike."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import _compiled as c

if TYPE_CHECKING:
    from ruvex.divide._division import Division, ResourceDivision

CAUSES: Final = ("", "own limit", "own ceiling", "own size", "agent missing", "pool's limit", "supply")
_NONE, _OWN_LIMIT, _OWN_CEILING, _OWN_SIZE, _AGENT_MISSING, _POOL_LIMIT, _SUPPLY = range(len(CAUSES))
_NOISE: Final = 1e-9


@dataclass(frozen=True, slots=True, eq=False)
class Causes:
    """By row, the cause of its shortfall.

    Attributes
    ----------
    code
        Position in ``CAUSES``; 0 where nothing is missing.
    pool_row
        The row of the pool whose limit it is, where the cause is a pool's limit; else −1.
    """

    code: NDArray[np.int64]
    pool_row: NDArray[np.int64]

    def word(self, row: int) -> str:
        """Give the cause of a row in the words of the glossary, empty where nothing is missing."""
        return CAUSES[self.code[row]]


def causes_of(division: Division, resource: str) -> Causes:
    """Find for every row of ``cpu`` or ``memory`` what stops it from having more; worked out once for a division.

    A guest that has all it may have is stopped by its own setting; one that has less, by the nearest pool above it
    that has reached its limit, or else by the supply. Pools have the cause that reaches them from above.
    """
    found = division.causes.get(resource)
    if found is None:
        found = division.causes[resource] = _find(division, getattr(division, resource))
    return found


def _find(division: Division, r: ResourceDivision) -> Causes:
    layers = division.layers
    least = _NOISE * max(1.0, r.supply)
    rows = np.arange(r.cap.size)
    is_pool = ~np.isnan(r.level)
    at_limit = is_pool & (r.delivered >= r.limit - least) & (r.cap >= r.limit - least)
    pool_row = np.where(at_limit, rows, -1)
    # From the top downwards every row takes over what stops its parent, unless a limit of its own is nearer.
    for depth in range(1, int(division.depth.max(initial=0)) + 1):
        here = np.flatnonzero((division.depth == depth) & (pool_row < 0))
        pool_row[here] = pool_row[division.parent_row[here]]
    code = np.where(pool_row >= 0, _POOL_LIMIT, _SUPPLY)
    lacking = r.unmet > least
    if r is division.memory:
        lacking = lacking | ((layers.self_paged > least) & ~is_pool)
    full = ~is_pool & (r.delivered >= r.cap - least)
    code[full] = _OWN_LIMIT
    if r is division.memory:
        mode = layers.mode
        code[full & (mode == c.FIXED)] = _OWN_SIZE
        code[full & (mode == c.THIN) & ~(r.unmet > least)] = _OWN_SIZE
        code[full & (mode == c.ELASTIC)] = _OWN_CEILING
        code[full & (mode == c.ELASTIC) & (layers.agent == 0)] = _AGENT_MISSING
    code[~lacking | ~division.on] = _NONE
    return Causes(code, np.where(code == _POOL_LIMIT, pool_row, -1))
