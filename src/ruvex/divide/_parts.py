"""What a delivered figure is made of, and who gains and pays between two divisions."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._resource import ResourceDivision
from ruvex.site import Layout

Floats = NDArray[np.float64]

Contended = Literal["cpu", "memory", "store", "link"]
"""What guests compete for: MHz, MiB, transfers a second of stores, MiB/s of links."""
CONTENDED: Final[tuple[Contended, ...]] = ("cpu", "memory", "store", "link")
"""All of it, in the order in which arrays have a row for each."""
CONTENDED_WORDS: Final[Mapping[Contended, str]] = {
    "cpu": "CPU", "memory": "memory", "store": "disks", "link": "network",
}  # fmt: skip
"""What each is called within a sentence, as a guest has it."""

_NOISE: Final = 1e-9


@dataclass(frozen=True, slots=True, eq=False)
class Parts:
    """The parts of each row, in the resource's unit; the first three add up to what is delivered.

    Attributes
    ----------
    promised
        Delivered and used, covered by the row's claim.
    won
        Delivered and used beyond the claim: won by shares.
    held
        Delivered beyond what is wanted: held though idle.
    lent
        Promised, neither delivered nor lacking: idle, and lent to others.
    unmet
        Wanted and not delivered.
    """

    promised: Floats
    won: Floats
    held: Floats
    lent: Floats
    unmet: Floats


def parts_of_guests(resource: ResourceDivision) -> Parts:
    """Split what each guest gets into what was promised, won by shares and held idle; add what is lent and unmet."""
    given, unmet = resource.given, resource.unmet_of_guests
    claims = resource.claims.guests[resource.k]
    held = np.maximum(given + unmet - resource.wanted_of_guests, 0.0)
    promised = np.minimum(claims, given - held)
    # Where promises are broken nothing is idle: what is missing of a claim was not lent, it is not there.
    lent = np.maximum(claims - given - unmet, 0.0) * (not resource.broken)
    return Parts(promised, given - held - promised, held, lent, unmet)


def used_of_pools(
    layout: Layout, claims: tuple[Floats, Floats], won: Floats, has_idle: bool = True
) -> tuple[Floats, Floats]:
    """Tell of what pools are promised beyond their members which part those use, and which is idle.

    A pool that is promised 5 GHz, with a guest that is promised 2 and one that is promised nothing and has won 1.5 by
    its shares, has given 1.5 of its own 3; 1.5 are idle, and lent.

    Parameters
    ----------
    layout
        Of pools and guests.
    claims
        Of pools, shape (pools, cells), and of guests, shape (guests, cells); the cells are hosts or times, or one.
    won
        What guests use beyond their claims, shape (guests, cells).
    has_idle
        False where promises are broken: what is not used then is not there.

    Returns
    -------
    tuple
        What is used and what is idle, of each pool and all that are in it, shape (pools, cells) each.
    """
    of_pools, of_guests = claims
    inside, nested = np.flatnonzero(layout.pool_of >= 0), np.flatnonzero(layout.parent >= 0)
    own = np.array(np.broadcast_to(of_pools, (of_pools.shape[0], won.shape[1])))
    np.subtract.at(own, layout.pool_of[inside], of_guests[inside])
    np.subtract.at(own, layout.parent[nested], of_pools[nested])
    own[own <= _NOISE * np.maximum(of_pools, 1.0)] = 0.0
    used, idle = np.zeros(own.shape), np.zeros(own.shape)
    having = np.flatnonzero(own.any(axis=1))
    if having.size:
        left = layout.pool_sums(won.T).T
        for pool in layout.order[np.isin(layout.order, having)][::-1].tolist():
            mine = np.minimum(own[pool], np.maximum(left[pool] - used[pool], 0.0))
            above = pool
            while above >= 0:
                used[above] += mine
                idle[above] += (own[pool] - mine) * has_idle
                above = int(layout.parent[above])
    return used, idle


def parts_of(resource: ResourceDivision, of: Parts) -> Parts:
    """Split what each row gets into what was promised, won by shares and held idle; add what is lent and unmet.

    Of a pool these are sums over its guests (``of``), however much others of them lack or lend; what it is promised
    beyond them is theirs where they use it, and lent where they do not.
    """
    layout = resource.layout
    there = resource.has_of_pools
    claims = resource.claims.pools[resource.k][:, None], (resource.claims.guests[resource.k] * there)[:, None]
    found = used_of_pools(layout, claims, (of.won * there)[:, None], not resource.broken)
    used, idle = (amounts[:, 0] for amounts in found)
    promised, won, held, lent, unmet = layout.pool_sums(np.stack((of.promised, of.won, of.held, of.lent, of.unmet)))
    return Parts(
        layout.by_row(promised + used, of.promised), layout.by_row(won - used, of.won), layout.by_row(held, of.held),
        layout.by_row(lent + idle, of.lent), layout.by_row(unmet, of.unmet),
    )  # fmt: skip
