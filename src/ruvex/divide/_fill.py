"""Dividing amounts among peers, all nodes of a depth at once: section 4 of docs/model.md, solved exactly.

What a member gets is a piecewise linear function of its node's level λ. The places where its slope changes, the
breakpoints, do not depend on the amounts, so those of the whole tree, of both resources and of both tiers are
sorted once. Going down the tree, each node's level then costs one binary search among its own breakpoints.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._asks import CAP, FLOOR, KNEE, USE, Asks
from ruvex.divide._tree import Level, Tree

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

BROKEN_RELATIVE: Final = 1e-9
"""Promises that exceed the amount by no more than this part of it are kept: the excess is rounding."""

_SMALLEST_WEIGHT: Final = 1e-300
"""Stands for the weight 0 of a member-scaled pool with nobody on, which asks for nothing: no division by 0."""


@dataclass(frozen=True, slots=True)
class Filled:
    """What the division gives.

    Attributes
    ----------
    delivered
        Shape (2, members): CPU in MHz, memory in MiB.
    level, headroom_level
        Shape (2, nodes): the level λ of each node in tier 1 and 2, per unit of weight; infinity where everyone
        has all that the tier can give, 0 where nobody has more than the floor.
    broken
        Shape (2, nodes): the floors of the node's members exceed its amount.
    """

    delivered: Floats
    level: Floats
    headroom_level: Floats
    broken: NDArray[np.bool_]


@dataclass(frozen=True, slots=True)
class _Tier:
    """One tier's fill functions ``clamp(bend(λ·weight), low, high)``, shape (2, members) each."""

    low: Floats
    knee: Floats
    high: Floats
    weight: Floats
    idle_cost: Floats

    def fill(self, level: Floats, members: slice) -> Floats:
        """Give the fill of some members at their nodes' levels (one per member)."""
        y: Floats = level * self.weight[:, members]
        if self.idle_cost[1, 0] > 1:
            over = y - self.knee[:, members]
            y = np.where(over > 0, self.knee[:, members] + over / self.idle_cost, y)
        return np.minimum(np.maximum(y, self.low[:, members]), self.high[:, members])

    def slope(self, level: Floats, members: slice) -> Floats:
        """Give dfill/dλ of some members at their nodes' levels, 0 where the fill stands at a bound."""
        weight = self.weight[:, members]
        y = level * weight
        if self.idle_cost[1, 0] > 1:
            over = y - self.knee[:, members]
            weight = np.where(over > 0, weight / self.idle_cost, weight)
            y = np.where(over > 0, self.knee[:, members] + over / self.idle_cost, y)
        rising = (y > self.low[:, members]) & (y < self.high[:, members])
        return np.where(rising, weight, 0.0)


class _Breakpoints:
    """The sorted breakpoints of many fill functions, in segments: one a node, resource and tier.

    ``segment`` numbers rise from one segment to the next; ``rise`` is the change of slope at ``level``.
    """

    def __init__(self, segment: Ints, level: Floats, rise: Floats, segments: int) -> None:
        # Small segment numbers sort in linear time.
        keys = segment.astype(np.uint16) if segments < 2**16 else segment
        order = np.lexsort((level, keys))
        self._level = level[order]
        sorted_segment = segment[order]
        counts = np.bincount(sorted_segment, minlength=segments)
        self._end = np.cumsum(counts)
        self._first = self._end - counts
        self._slope = np.cumsum(rise[order])
        gained = np.zeros(level.size)
        np.multiply(self._slope[:-1], np.diff(self._level), out=gained[1:])
        gained[self._first[counts > 0]] = 0.0
        # Slopes of a segment end at 0 but for rounding; a small negative one must not make the sums fall.
        self._gained = np.cumsum(np.maximum(gained, 0.0, out=gained), out=gained)

    def find(self, segment: Ints, goal: Floats) -> Floats:
        """Give the level of each segment at which it has gained ``goal`` beyond its lower bounds."""
        if self._level.size == 0:
            return np.zeros_like(goal)
        first = np.minimum(self._first[segment], self._level.size - 1)
        last = np.maximum(self._end[segment] - 1, first)
        target = self._gained[first] + goal
        at = np.searchsorted(self._gained, target, side="right") - 1
        at = np.minimum(np.maximum(at, first), last)
        here = self._level[at]
        there = self._level[np.minimum(at + 1, last)]
        slope = self._slope[at]
        step = np.divide(target - self._gained[at], slope, out=np.zeros_like(goal), where=slope > 0)
        found: Floats = np.minimum(here + np.maximum(step, 0.0), there)
        return found


def fill_tree(tree: Tree, asks: Asks, *, on_top: bool, idle_cost: float) -> Filled:
    """Divide the supply down the tree.

    Parameters
    ----------
    tree, asks
        The tree and what its members ask for.
    on_top
        The reservation rule ``on-top``: everyone gets the floor first and the rest is divided by weight.
    idle_cost
        How many times dearer an idle page counts than a busy one, at least 1; memory only.

    Returns
    -------
    Filled
        The result is unique: every fill function rises with the level.

    Notes
    -----
    Cost: one sort of at most 4 breakpoints a member, and a dozen array passes. Peers with equal asks get equal
    amounts whatever their order.

    References
    ----------
    Own rule; weighted max-min fairness with lower and upper bounds, solved by breakpoints as in the continuous
    quadratic knapsack problem (Helgason, Kennington, Lall, Math. Programming 18, 1980).
    """
    solver = _Solver(tree, asks, on_top=on_top, idle_cost=idle_cost)
    for level in tree.levels:
        solver.divide_level(level)
    return Filled(solver.delivered, solver.level, solver.headroom_level, solver.broken)


class _Solver:
    """The state of one division on its way down the tree."""

    def __init__(self, tree: Tree, asks: Asks, *, on_top: bool, idle_cost: float) -> None:
        self._tree = tree
        self._asks = asks
        self._floor = asks.members[FLOOR]
        floor, use = self._floor, asks.members[USE]
        self._first_part = floor if on_top else np.zeros_like(floor)
        weight = np.maximum(asks.weight, _SMALLEST_WEIGHT)
        cost = np.array([[1.0], [idle_cost]])
        if on_top:
            knee = np.maximum(asks.members[KNEE] - floor, 0.0)
            self._used = _Tier(np.zeros_like(floor), knee, use - floor, weight, cost)
        else:
            self._used = _Tier(floor, asks.members[KNEE], use, weight, cost)
        room = np.maximum(asks.members[CAP] - use, 0.0)
        self._headroom = _Tier(np.zeros_like(floor), room, room, weight, np.ones((2, 1)))
        self._node_room = np.maximum(asks.nodes[CAP] - asks.nodes[USE], 0.0)
        self._breakpoints = self._sort_breakpoints()

        nodes = (2, tree.node_count)
        self._amount = np.zeros(nodes)
        self._amount[:, 0] = asks.supply
        self.delivered = np.zeros_like(floor)
        self.level = np.zeros(nodes)
        self.headroom_level = np.zeros(nodes)
        self.broken = np.zeros(nodes, dtype=np.bool_)

    def _sort_breakpoints(self) -> _Breakpoints:
        nodes = self._tree.node_count
        tier, room = self._used, self._headroom.high
        resource = np.array([[0], [nodes]])
        segment = (self._tree.parent + resource).ravel()
        low, knee, high, weight = tier.low.ravel(), tier.knee.ravel(), tier.high.ravel(), tier.weight.ravel()
        cost = np.broadcast_to(tier.idle_cost, tier.low.shape).ravel()

        at = np.flatnonzero(high > low)
        low, knee, high, weight, cost = low[at], knee[at], high[at], weight[at], cost[at]
        segment_1 = segment[at]
        bent = weight / cost
        start_slope = np.where(low < knee, weight, bent)
        end_slope = np.where(high <= knee, weight, bent)
        # λ at which the fill reaches v: v/w up to the knee, and beyond it the excess counts idle_cost times.
        end = (high + (cost - 1) * np.maximum(high - knee, 0.0)) / weight
        starts = low > 0
        start = (low[starts] + (cost[starts] - 1) * np.maximum(low[starts] - knee[starts], 0.0)) / weight[
            starts
        ]
        bends = (low < knee) & (knee < high) & (cost > 1)

        segment_2 = segment + 2 * nodes
        roomy = np.flatnonzero(room.ravel() > 0)
        flat_weight, segment_2 = self._used.weight.ravel()[roomy], segment_2[roomy]
        room_end = room.ravel()[roomy] / flat_weight

        # All members that rise from level 0 on share one breakpoint a segment.
        all_segments = np.arange(4 * nodes)
        rising_segments = np.concatenate((segment_1[~starts], segment_2))
        rising_slopes = np.concatenate((start_slope[~starts], flat_weight))
        from_zero = np.bincount(rising_segments, rising_slopes, minlength=4 * nodes)
        return _Breakpoints(
            np.concatenate((all_segments, segment_1[starts], segment_1, segment_1[bends], segment_2)),
            np.concatenate((np.zeros(4 * nodes), start, end, knee[bends] / weight[bends], room_end)),
            np.concatenate(
                (from_zero, start_slope[starts], -end_slope, (bent - weight)[bends], -flat_weight)
            ),
            4 * nodes,
        )

    def divide_level(self, level: Level) -> None:
        """Divide the amounts of one depth's nodes among their members."""
        members, nodes = level.members, level.nodes
        if level.as_members.size:
            self._amount[:, nodes] = self.delivered[:, level.as_members]
        if members.start == members.stop:
            return
        amount = self._amount[:, nodes]
        floors, uses = self._asks.nodes[FLOOR][:, nodes], self._asks.nodes[USE][:, nodes]
        goal = np.minimum(amount, uses) - floors
        segment = np.arange(nodes.start, nodes.stop) + np.array([[0], [self._tree.node_count]])
        full, kept = amount >= uses, goal > 0

        found = self._solve(self._used, level, segment, goal, full, kept)
        self.level[:, nodes] = found
        gain = self._first_part[:, members] + self._used.fill(found[:, level.node_of], members)
        if not kept.all():
            gain = self._scale_floors(level, gain, amount, floors)
        extra = np.minimum(amount - uses, self._node_room[:, nodes])
        if np.any(extra > 0):
            full = extra >= self._node_room[:, nodes]
            segment += 2 * self._tree.node_count
            found = self._solve(self._headroom, level, segment, extra, full, extra > 0)
            self.headroom_level[:, nodes] = found
            gain = gain + self._headroom.fill(found[:, level.node_of], members)
        self.delivered[:, members] = gain

    def _solve(
        self,
        tier: _Tier,
        level: Level,
        segment: Ints,
        goal: Floats,
        full: NDArray[np.bool_],
        some: NDArray[np.bool_],
    ) -> Floats:
        found = np.where(some, self._breakpoints.find(segment, goal), 0.0)
        found[full] = np.inf
        open_nodes = some & ~full
        if open_nodes.any():
            # The running sums over all nodes have lost a few digits for a small node among large ones. One
            # Newton step on the node's own members, exact on a linear piece, brings them back.
            spread = found[:, level.node_of]
            gained = level.sum_members(tier.fill(spread, level.members) - tier.low[:, level.members])
            slope = level.sum_members(tier.slope(spread, level.members))
            np.add(found, (goal - gained) / np.where(slope > 0, slope, np.inf), out=found, where=open_nodes)
            np.maximum(found, 0.0, out=found)
        return found

    def _scale_floors(self, level: Level, gain: Floats, amount: Floats, floors: Floats) -> Floats:
        """Show each member its part of the amount where the floors exceed it: such promises cannot be kept."""
        short = amount < floors
        if not short.any():
            return gain
        self.broken[:, level.nodes] = floors > amount * (1 + BROKEN_RELATIVE)
        part = np.divide(amount, floors, out=np.ones_like(floors), where=short)
        scaled = self._floor[:, level.members] * part[:, level.node_of]
        return np.where(short[:, level.node_of], scaled, gain)
