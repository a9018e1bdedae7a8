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
from ruvex.divide._tree import Tree

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

BROKEN_RELATIVE: Final = 1e-9
"""Promises that exceed the amount by no more than this part of it are kept: the excess is rounding."""

SMALLEST_WEIGHT: Final = 1e-300
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


def _order_roughly(segment: Ints, level: Floats, segments: int) -> Ints:
    """Order by segment, and within it by all but the last few bits of the level.

    Doubles of one sign are ordered as their bit patterns are, so one integer holds both keys, and one sort of
    integers takes a fraction of the time of a sort by two keys. Levels that differ by less than 1e-10 of
    themselves or so may come in the wrong order; whoever calls must look, and sort again if they do.
    """
    bits = segments.bit_length()
    keys = (segment << (63 - bits)) | (level.view(np.int64) >> bits)
    return np.argsort(keys, kind="stable")


class _Breakpoints:
    """The sorted breakpoints of all fill functions, in segments: two a node and resource, tier 1 before tier 2.

    Both tiers of a node stand side by side, so that what a node has gained is one rising curve through both.
    """

    def __init__(self, segment: Ints, level: Floats, rise: Floats, nodes: int) -> None:
        segments = 4 * nodes
        ends = np.cumsum(np.bincount(segment, minlength=segments)).reshape(2, nodes, 2)
        order = _order_roughly(segment, level, segments)
        self._level = level.take(order)
        steps = np.diff(self._level)
        steps[ends.ravel()[:-1] - 1] = 0.0
        if steps.size and steps.min() < 0:
            order = np.lexsort((level, segment))
            self._level = level.take(order)
            steps = np.diff(self._level)
            steps[ends.ravel()[:-1] - 1] = 0.0
        self._middle, self._last = ends[:, :, 0], ends[:, :, 1] - 1
        self._first = np.zeros((2, nodes), dtype=np.int64)
        self._first.ravel()[1:] = ends[:, :, 1].ravel()[:-1]
        # The sums run over all nodes, and a small node's part would lose digits beside large ones; the few
        # digits more of a long double keep each node's own part exact to float64.
        slope = np.cumsum(rise.take(order), dtype=np.longdouble)
        gained = np.zeros(level.size, dtype=np.longdouble)
        np.multiply(slope[:-1], steps, out=gained[1:])
        # Slopes of a segment end at 0 but for rounding; a small negative one must not make the sums fall.
        self._gained = np.cumsum(np.maximum(gained, 0.0, out=gained), out=gained)
        # Beyond the last breakpoint of its tier a level does not rise.
        self._next = self._level.copy()
        self._next[:-1] += steps
        self._per_gain = np.divide(1.0, slope, out=np.zeros(level.size), where=slope > 0, casting="same_kind")

    def find(self, nodes: slice, goal: Floats) -> tuple[Floats, Floats]:
        """Give the levels of tier 1 and 2 at which the nodes' members have gained ``goal`` above their floors."""
        first, middle, last = self._first[:, nodes], self._middle[:, nodes], self._last[:, nodes]
        target = self._gained.take(first) + goal
        at = np.searchsorted(self._gained, target, side="right") - 1
        at = np.minimum(np.maximum(at, first, out=at), last, out=at)
        in_second = at >= middle
        rest = (target - self._gained.take(at)).astype(np.float64)
        level = np.minimum(self._level.take(at) + rest * self._per_gain.take(at), self._next.take(at))
        return np.where(in_second, np.inf, level), np.where(in_second, level, 0.0)


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
    Cost: one sort of at most 4 breakpoints a member, and some twenty array passes. On the way down only pools are
    filled; the guests of all nodes follow in one pass. Peers with equal asks get equal amounts whatever their order.

    References
    ----------
    Own rule; weighted max-min fairness with lower and upper bounds, solved by breakpoints as in the continuous
    quadratic knapsack problem (Helgason, Kennington, Lall, Math. Programming 18, 1980).
    """
    fills = _Fills(asks, on_top=on_top, idle_cost=idle_cost)
    breakpoints = fills.sort_breakpoints(tree)
    delivered, amount = np.zeros_like(asks.weight), np.zeros((2, tree.node_count))
    levels = np.zeros((2, 2, tree.node_count))
    amount[:, 0] = asks.supply
    floors, caps = asks.nodes[FLOOR], asks.nodes[CAP]
    for level in tree.levels:
        nodes = level.nodes
        goal = amount[:, nodes] - floors[:, nodes]
        used, headroom = breakpoints.find(nodes, goal)
        full = amount[:, nodes] >= caps[:, nodes]
        np.copyto(used, np.inf, where=full)
        np.copyto(headroom, np.inf, where=full)
        np.copyto(used, 0.0, where=goal <= 0)
        levels[0, :, nodes], levels[1, :, nodes] = used, headroom
        if level.pool_node.size:
            pools = level.pools
            delivered[:, pools] = fills.at(levels, amount, floors, level.pool_node, pools)
            amount[:, pools.start + 1 : pools.stop + 1] = delivered[:, pools]
    guests = slice(tree.pool_count, None)
    delivered[:, guests] = fills.at(levels, amount, floors, tree.parent[guests], guests)
    broken = floors > amount * (1 + BROKEN_RELATIVE)
    return Filled(delivered, levels[0], levels[1], broken)


class _Fills:
    """The fill functions of all members: ``clamp(bend(λ·weight), low, high)`` in tier 1, headroom in tier 2."""

    def __init__(self, asks: Asks, *, on_top: bool, idle_cost: float) -> None:
        self._floor, use = asks.members[FLOOR], asks.members[USE]
        self._knee = asks.members[KNEE]
        self._low, self._high = self._floor, use
        if on_top:
            self._knee = np.maximum(self._knee - self._floor, 0.0)
            self._low, self._high = np.zeros_like(use), use - self._floor
        self._room = asks.members[CAP] - use
        self._weight = np.maximum(asks.weight, SMALLEST_WEIGHT)
        self._on_top = on_top
        self._cost = np.array([[1.0], [idle_cost]])
        self._bends = idle_cost > 1
        self._has_room = bool(np.any(self._room > 0))

    def at(self, levels: Floats, amount: Floats, floors: Floats, nodes: Ints, members: slice) -> Floats:
        """Give what some members get, from the levels and amounts of their nodes (one per member)."""
        weight, low, high = self._weight[:, members], self._low[:, members], self._high[:, members]
        y: Floats = levels[0].take(nodes, axis=1) * weight
        if self._bends:
            knee = self._knee[:, members]
            y = np.where(y > knee, knee + (y - knee) / self._cost, y)
        gain: Floats = np.minimum(np.maximum(y, low), high)
        if self._on_top:
            gain += self._floor[:, members]
        if self._has_room:
            gain += np.minimum(levels[1].take(nodes, axis=1) * weight, self._room[:, members])
        short = amount < floors
        if short.any():
            short = short[:, nodes]
            # Such promises cannot be kept: each is shown its part of the amount.
            part = amount[:, nodes][short] / floors[:, nodes][short]
            gain[short] = self._floor[:, members][short] * part
        return gain

    def sort_breakpoints(self, tree: Tree) -> _Breakpoints:
        """Sort the levels at which any member's fill changes its slope."""
        segments = 4 * tree.node_count
        segment = tree.segments
        weight = self._weight.ravel()
        low, high = self._low.ravel(), self._high.ravel()
        start, end = self._low / self._weight, self._high / self._weight
        start_slope = end_slope = self._weight
        parts = []
        if self._bends:
            # λ at which the fill reaches v: v/w up to the knee, and beyond it the excess counts idle_cost times.
            # Only memory has a knee before its use.
            extra, knee, bent = self._cost[1, 0] - 1, self._knee[1], self._weight[1] / self._cost[1, 0]
            start_slope, end_slope = self._weight.copy(), self._weight.copy()
            over_low, over_high = self._low[1] - knee, self._high[1] - knee
            start[1] += extra * np.maximum(over_low, 0.0) / self._weight[1]
            end[1] += extra * np.maximum(over_high, 0.0) / self._weight[1]
            np.copyto(start_slope[1], bent, where=over_low >= 0)
            np.copyto(end_slope[1], bent, where=over_high > 0)
            at = np.flatnonzero((over_low < 0) & (over_high > 0))
            parts.append((segment[tree.member_count + at], (knee / self._weight[1])[at], (bent - self._weight[1])[at]))
        start_slope, end_slope = start_slope.ravel(), end_slope.ravel()
        is_rising = high > low
        rising = np.flatnonzero(is_rising)
        floored = np.flatnonzero(is_rising & (low > 0))
        from_zero = np.flatnonzero(is_rising & (low <= 0))
        parts.append((segment[floored], start.ravel()[floored], start_slope[floored]))
        parts.append((segment[rising], end.ravel()[rising], -end_slope[rising]))
        # All members that rise from level 0 on share one breakpoint a segment; it also marks where each begins.
        first_slopes = np.bincount(segment[from_zero], start_slope[from_zero], minlength=segments)
        if self._has_room:
            room = self._room.ravel()
            at = np.flatnonzero(room > 0)
            roomy, slope = segment[at] + 1, weight[at]
            first_slopes = first_slopes + np.bincount(roomy, slope, minlength=segments)
            parts.append((roomy, room[at] / slope, -slope))
        parts.append((np.arange(segments), np.zeros(segments), first_slopes))
        where, level, rise = (np.concatenate(column) for column in zip(*parts, strict=True))
        return _Breakpoints(where, level, rise, tree.node_count)
