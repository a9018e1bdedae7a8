"""One division of a site: the arrays that the kernel fills, and the levels it found."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._demand import Asked
from ruvex.engine import kernels
from ruvex.engine import rows as r
from ruvex.plan import OurFaultError
from ruvex.site import Forest, Site, Trees

Floats = NDArray[np.float64]

MOST_RESIDUAL: Final = 1e-6
"""A sum that misses its amount by more than this part of it has not converged; rounding makes some 1e-13 of it."""


class NotConvergedError(OurFaultError):
    """A division whose parts do not add up to what is divided; ``residual`` is the largest part missed by a node."""

    def __init__(self, residual: float) -> None:
        super().__init__(f"the division did not converge: a node misses {residual:.3g} of its amount; please tell us")
        self.residual = residual


@dataclass(frozen=True, slots=True, eq=False)
class Levels:
    """The levels λ of all nodes of a forest: a plain value that goes in and comes out.

    Attributes
    ----------
    forest
        Whose nodes they are; those of another forest are of no use, and are left aside.
    of_nodes, of_one
        Shape (2, nodes): tier 1 and tier 2, in every place and with all hosts as one machine.
    """

    forest: Forest
    of_nodes: Floats
    of_one: Floats


@dataclass(frozen=True, slots=True, eq=False)
class Solved:
    """What the kernel wrote (``rows`` names the rows).

    Attributes
    ----------
    site, demand
        What was divided.
    values
        Of places: supply, kept, amount.
    asks, known
        Of slots and of nodes.
    one_values, one_asks, one_known
        The same with all hosts as one machine; only written where some pool lives in several places.
    layers
        Of guests.
    weights
        Shape (2, pools): the whole weight of every pool.
    residual
        The largest part of its amount that a node's sum misses.
    flowing, flow_work
        What guests want and have of stores and links (``rows.O_…``), and what is known of those places and of the slots
        in them.
    """

    site: Site
    demand: Asked
    values: Floats
    asks: Floats
    known: Floats
    one_values: Floats
    one_asks: Floats
    one_known: Floats
    layers: Floats
    weights: Floats
    residual: float
    flowing: Floats
    flow_work: tuple[Floats, Floats, Floats]

    @property
    def levels(self) -> Levels:
        """The levels that were found, for the next division to begin with."""
        return Levels(self.site.forest, self.known[:2], self.one_known[:2])

    def given(self) -> Floats:
        """Give what every guest gets, shape (2, guests): CPU in MHz, memory in MiB; 0 where it is off."""
        return by_guest(self.site.forest.trees, self.asks[r.A_GIVEN])


def by_guest(trees: Trees, of_slots: Floats) -> Floats:
    """Give for CPU and memory what stands at each guest's slot, 0 where it is off; shape (2, guests)."""
    slots = trees.guest_slots
    if of_slots.size == 0:
        return np.zeros(slots.shape)
    return np.where(slots >= 0, of_slots.take(np.maximum(slots, 0)), 0.0)


@lru_cache(maxsize=64)
def _shapes(forest: Forest, guests: int, pools: int, hosts: int, images: int) -> tuple[list[tuple[Any, ...]], int, int]:
    """Give where each array of a division begins and ends and its shape; how many numbers begin as zero, and all.

    Those that must be zero come first, to be cleared in one piece.
    """
    trees, one = forest.trees, forest.one
    zero = (
        (r.Q_ROWS, trees.places.shape[1]), (8, trees.nodes.shape[1]), (r.Q_ROWS, one.places.shape[1]),
        (8, one.nodes.shape[1]),
    )  # fmt: skip
    others = (
        (r.A_ROWS, trees.slots.shape[1]), (r.A_ROWS, one.slots.shape[1]), (r.M_ROWS, guests), (2, pools),
        (hosts,), (hosts,), (guests,), (forest.homes[2].size,), (2, hosts, max(images, 1)), (2, guests),
    )  # fmt: skip
    found, at = [], 0
    for shape in (*zero, *others):
        found.append((at, at + math.prod(shape), shape))
        at += math.prod(shape)
    return found, found[len(zero) - 1][1], at


def _arrays(forest: Forest, guests: int, pools: int, hosts: int, images: int) -> list[Floats]:
    """Give the arrays of a division: places, nodes, both as one, slots, slots as one, layers, weights, then room.

    All lie in one piece of memory. Made one by one, large ones come fresh from the system each time, and are paid for
    page by page: at 10 000 guests that takes as long as the division.
    """
    found, zeros, total = _shapes(forest, guests, pools, hosts, images)
    whole = np.empty(total)
    whole[:zeros] = 0.0
    return [whole[start:end].reshape(shape) for start, end, shape in found]


def disk_costs(site: Site) -> Floats:
    """Give what a page costs that lies on each guest's own disk, and on the one it is spilled to; shape (2, guests)."""
    costs = site.plan.rules.pace_cost
    return np.where(site.standing.on_hdd, costs.hdd, costs.ssd)


def solve(site: Site, demand: Asked, *, levels: Levels | None = None) -> Solved:
    """Divide a site.

    Parameters
    ----------
    site
        The plan as arrays, with those on who stand in its standing.
    demand
        What their work asks for.
    levels
        Where the search begins; it ends at the same bits wherever that is.

    Raises
    ------
    NotConvergedError
        Parts do not add up; that is a fault of ours.
    """
    forest, trees = site.forest, site.forest.trees
    one = forest.one
    guests, pools, hosts = site.guests.shape[1], site.pools.shape[2], site.hosts.shape[1]
    values, known, one_values, one_known, asks, one_asks, layers, weights, *room = _arrays(
        forest, guests, pools, hosts, site.images
    )
    if levels is not None and levels.forest is forest:
        known[:2], one_known[:2] = levels.of_nodes, levels.of_one
    values[r.Q_SIZE, 2 * hosts :] = site.hosts[r.H_BANK, forest.banks]
    flows, flow_work, flowing = forest.flows, forest.flows.room(), np.zeros((r.O_ROWS, guests))
    flowing[r.O_PACE] = 1.0
    residual = kernels.divide_moment(
        site.guests, site.numbers, site.standing.of_guests, disk_costs(site), site.pools, site.by_members,
        site.layout.parent, site.layout.order, site.hosts, site.rules, site.images, forest.homes, demand.values,
        trees.places, values, trees.nodes, trees.slots, trees.guest_slots, trees.first, trees.pool_nodes, asks, known,
        (one.places, one_values, one.nodes, one.slots, one.guest_slots, one.first, one.pool_nodes, one_asks, one_known),
        forest.is_spread, forest.kept.as_taken(), layers, (weights, *room), flows.as_taken,
        np.zeros(flows.supply.size), flow_work, flowing,
    )  # fmt: skip
    if not residual <= MOST_RESIDUAL:
        raise NotConvergedError(float(residual))
    return Solved(
        site, demand, values, asks, known, one_values, one_asks, one_known, layers, weights, float(residual), flowing,
        flow_work,
    )  # fmt: skip


def solve_as_one(solved: Solved) -> Floats:
    """Give what every guest would get if all hosts were one machine, shape (2, guests), to compare places with."""
    site, forest = solved.site, solved.site.forest
    if len(site.plan.hosts) <= 1 and not any(forest.is_spread):
        return solved.given()
    one, trees = forest.one, forest.trees
    kernels.divide_as_one(
        trees.places, solved.values, trees.guest_slots, solved.asks, site.pools, site.layout.order, solved.weights,
        one.places, solved.one_values, one.nodes, one.slots, one.guest_slots, one.first, one.pool_nodes,
        solved.one_asks, solved.one_known, (site.rules[r.R_ON_TOP], site.rules[r.R_IDLE]),
    )  # fmt: skip
    return by_guest(one, solved.one_asks[r.A_GIVEN])
