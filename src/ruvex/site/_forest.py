"""The pool tree once for each place, and once more for all hosts as one machine."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import kernels
from ruvex.engine import rows as r
from ruvex.plan import Plan
from ruvex.site._flows import Flows, Taps, flows_of
from ruvex.site._ground import Ground
from ruvex.site._kept import Kept, kept_of
from ruvex.site._layout import Layout
from ruvex.site._standing import Standing

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, eq=False)
class Trees:
    """The pool tree in some places, as the kernels take it (``rows.N_…``, ``T_…``, ``L_…``)."""

    places: Ints
    nodes: Ints
    slots: Ints
    guest_slots: Ints
    first: Ints
    pool_nodes: Ints

    @property
    def is_spread(self) -> tuple[bool, bool]:
        """Whether some pool lives in several places, for CPU and for memory."""
        cpu, memory = np.any(np.diff(self.first, axis=1) > 1, axis=1).tolist()
        return cpu, memory


@dataclass(frozen=True, slots=True, eq=False)
class Forest:
    """The tree in every place, for one standing.

    The places are the CPU of each host, then the memory of each host, then the banks in the order of their hosts.

    Attributes
    ----------
    trees
        In every place.
    one
        With all hosts as one machine: one place for CPU, one for memory, and the banks. Empty of nodes where nobody
        needs it: no pool lives in several places then, and there is one host.
    flows
        Stores and links.
    banks
        Shape (banks,): the host of each.
    is_spread
        Whether some pool lives in several places, for CPU and for memory.
    homes
        Where guests are at home among NUMA nodes: where the homes of each begin, the nodes, and the memory of each.
    kept
        The sets of cores that guests are kept to.
    """

    trees: Trees
    one: Trees
    flows: Flows
    banks: Ints
    is_spread: tuple[bool, bool]
    homes: tuple[Ints, Ints, Floats]
    kept: Kept
    place_of: Ints = field(repr=False)


def forest_of(
    plan: Plan, layout: Layout, numbers: Ints, ground: Ground, hosts: Floats, taps: Taps, standing: Standing
) -> Forest:
    """Build the forest of a site for a standing; arguments as the site has them."""
    count, guests = hosts.shape[1], ground.guests
    banks = np.flatnonzero(hosts[r.H_BANK] > 0)
    host = np.maximum(standing.of_guests[r.S_HOST], 0)
    bank_at = np.full(count, -1, dtype=np.int64)
    bank_at[banks] = np.arange(banks.size)
    in_bank = (guests[r.G_BANKED] > 0) & (bank_at[host] >= 0)
    memory = np.where(in_bank, 2 * count + bank_at[host], count + host)
    place_of = np.stack((host, memory)).astype(np.int64)
    every = np.arange(count)
    kinds = (
        np.repeat((r.CPU_PLACE, r.MEMORY_PLACE, r.BANK_PLACE), (count, count, banks.size)),
        np.concatenate((every, every, banks)),
    )
    trees = _trees(place_of, standing, numbers, layout, *kinds)
    spread = trees.is_spread
    if count > 1 or any(spread):
        one_of = np.stack((np.zeros_like(host), np.where(in_bank, 2 + bank_at[host], 1))).astype(np.int64)
        kinds = (
            np.repeat((r.CPU_PLACE, r.MEMORY_PLACE, r.BANK_PLACE), (1, 1, banks.size)),
            np.concatenate(((-1, -1), banks)),
        )
        one = _trees(one_of, standing, numbers, layout, *kinds)
    else:
        one = trees
    shape = trees.slots.shape[1], trees.nodes.shape[1], trees.places.shape[1]
    kept = kept_of(plan, ground.wishing, standing.of_guests, shape)
    return Forest(trees, one, flows_of(taps, standing), banks, spread, _homes(guests, hosts, standing), kept, place_of)


def _trees(place_of: Ints, standing: Standing, numbers: Ints, layout: Layout, kind: Ints, host: Ints) -> Trees:
    places = np.zeros((4, kind.size), dtype=np.int64)
    places[r.L_KIND], places[r.L_HOST] = kind, host
    made = kernels.build_forest(place_of, standing.of_guests, numbers, layout.parent, layout.order, places)
    return Trees(places, *made)


def _homes(guests: Floats, hosts: Floats, standing: Standing) -> tuple[Ints, Ints, Floats]:
    if not np.any(hosts[r.H_NODES] > 1):
        return np.zeros(1, dtype=np.int64), np.zeros(1, dtype=np.int64), np.zeros(0)
    size = np.where(guests[r.G_MODE] == r.ELASTIC, guests[r.G_CEILING], guests[r.G_SIZE])
    order = np.argsort(-size, kind="stable")
    first = np.concatenate(([0], np.cumsum(hosts[r.H_NODES]))).astype(np.int64)
    homes: tuple[Ints, Ints, Floats] = kernels.find_homes(guests, standing.of_guests, hosts, order, first)
    return homes
