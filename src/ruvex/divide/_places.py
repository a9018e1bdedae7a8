"""Memory that is divided in several places: the hosts' own, and each bank as if it were a host (section 9).

The part of the tree that lives in a place keeps its shape there. What a pool was promised, may have at most and weighs
is apportioned to the places in proportion to what its guests there would get if all places were one.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import _compiled as c
from ruvex.divide._compiled import Compiled

Floats = NDArray[np.float64]

MAIN = 0
"""The number of the place that all memory outside of banks makes up; a bank's is one more than its host's."""


@dataclass(frozen=True, slots=True, eq=False)
class Place:
    """One place of memory.

    Attributes
    ----------
    number
        0 for the hosts' own memory, else one more than the position of the bank's host.
    guests
        Shape (guests,): 1 where a guest lives here, else 0.
    """

    number: int
    guests: Floats


def places_of(compiled: Compiled) -> tuple[Place, ...]:
    """Give the places of a plan: only the main one where no guest lives in a bank."""
    where = compiled.guests[c.PLACE]
    numbers = np.unique(np.concatenate(([float(MAIN)], where)))
    return tuple(Place(int(number), (where == number).astype(np.float64)) for number in numbers.tolist())


def bank_sizes(compiled: Compiled) -> Floats:
    """Give the size of each host's bank, 0 where it has none, MiB; shape (hosts,)."""
    return np.asarray(compiled.hosts[c.BANK_MIB])


def apportioned(compiled: Compiled, delivered: Floats) -> Iterator[tuple[Place, Compiled]]:
    """Give for each place the plan with its pools' memory settings apportioned to it.

    Parameters
    ----------
    compiled
        The plan.
    delivered
        Shape (guests,): what each guest would get of memory if all places were one, MiB.
    """
    tree = compiled.tree
    everywhere = _by_pool(compiled, delivered)
    for place in places_of(compiled):
        here = _by_pool(compiled, delivered * place.guests)
        members = _by_pool(compiled, place.guests)
        # A pool that would get nothing anywhere has nothing to apportion; where it has guests it keeps its settings.
        part = np.divide(here, everywhere, out=np.minimum(members, 1.0), where=everywhere > 0)
        pools = compiled.pools.copy()
        least = np.finfo(np.float64).tiny
        for row in (0, 1, 2):
            # A limit of nothing would be no limit setting; where nobody lives it matters to nobody.
            bounded = np.isfinite(pools[row, 1])
            pools[row, 1, bounded] = (pools[row, 1] * part)[bounded]
        pools[1:3, 1] = np.maximum(pools[1:3, 1], least)
        assert tree.pool_count == part.size
        yield place, replace(compiled, pools=pools)


def _by_pool(compiled: Compiled, amounts: Floats) -> Floats:
    """Add up amounts of guests over each pool, at any depth."""
    tree = compiled.tree
    nodes = tree.guest_groups.sums(amounts)
    for level in reversed(tree.levels):
        pools = level.pools
        if pools.start < pools.stop:
            nodes[level.nodes] += level.pool_groups.sums(nodes[pools.start + 1 : pools.stop + 1])
    return np.asarray(nodes[1:])
