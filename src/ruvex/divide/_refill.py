"""Dividing one resource over and over while demands move a little: section 4 again, started from the last levels.

The fill functions are those of ``_fill``. Instead of sorting all breakpoints, each node's level starts where it stood
and walks from one linear piece to the next until its members' fills add up to its amount.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._asks import guest_scale, guest_weights
from ruvex.divide._compiled import Compiled
from ruvex.divide._fill import BROKEN_RELATIVE, SMALLEST_WEIGHT
from ruvex.divide._tree import Level

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

_FLOOR, _CAP, _USE, _KNEE = range(4)
_ROUNDING: Final = 1e-12
"""What is left of an amount beside this part of it is rounding: the level is on the right piece then."""
_FAR: Final = 1e300
"""A knee that no level reaches."""
_AT_LIMIT: Final = 1e-9
_MOST_SWEEPS: Final = 8
"""Beyond the depth of the tree; what has not settled by then is walked node by node."""
_MOST_WALKS: Final = 200
"""More than any walk takes: what Newton's steps do not settle, halving the bracket does in some sixty."""


@dataclass(frozen=True, slots=True)
class _Depth:
    """One depth: its nodes, its members (those of a node side by side), and the pools among them."""

    nodes: slice
    filled: Ints | None
    starts: Ints
    members: slice
    node_of: Ints
    pools: slice
    pool_place: Ints


class Refill:
    """Divides one resource down the tree, again and again.

    Parameters
    ----------
    compiled
        The plan; only guests that are on compete.
    resource
        0 for CPU, 1 for memory.
    before
        The one in force until now; its levels are where the first walk starts.
    """

    def __init__(self, compiled: Compiled, resource: int, before: Refill | None = None) -> None:
        tree, rules = compiled.tree, compiled.plan.rules
        self._tree, self._resource = tree, resource
        self._order = np.argsort(tree.parent, kind="stable")
        place = np.empty_like(self._order)
        place[self._order] = np.arange(place.size)
        self._guest_place = place[tree.pool_count :]
        self._depths = [self._depth(level, place) for level in tree.levels]
        self._kinds = 2 if resource == 0 else 4
        self._reservation, self._limit = compiled.pools[0, resource], compiled.pools[1, resource]
        per_size = rules.shares_count == "per-size"
        scale = tree.guest_groups.sums(guest_scale(compiled.guests, per_size=per_size)[resource])
        for level in reversed(tree.levels):
            if level.pools.start < level.pools.stop:
                scale[level.nodes] += level.pool_groups.sums(scale[level.pools.start + 1 : level.pools.stop + 1])
        weight = np.empty(tree.member_count)
        weight[: tree.pool_count] = compiled.pools[2, resource] * np.where(compiled.scaled, scale[1:], 1.0)
        weight[tree.pool_count :] = guest_weights(compiled.guests, per_size=per_size)[resource]
        self._weight = np.maximum(weight, SMALLEST_WEIGHT)[self._order]
        self._on_top = rules.reservation_rule == "on-top"
        self._cost = float(rules.idle_cost) if resource else 1.0
        self._asks = np.zeros((4, tree.member_count))
        self._sums = np.zeros((4, tree.node_count))
        self._slots: dict[str, tuple[Floats, Floats]] = {}
        self._is_bounded = bool(np.isfinite(self._limit).any())
        self._pool_place = place[: tree.pool_count]
        self._node_of = tree.parent[self._order]
        self._filled, self._starts = np.unique(self._node_of, return_index=True)
        if before is not None and before._sums.shape == self._sums.shape:
            self._slots = {name: (levels.copy(), amounts) for name, (levels, amounts) in before._slots.items()}
        self.broken = self._is_asked = False
        self._caps, self._most = np.zeros(0), 0.0
        # The same asks have the same answer to the bit, wherever the levels stand.
        self._last: tuple[Floats, ...] = ()
        self._results: dict[tuple[str, float], tuple[Floats, Floats, bool]] = {}
        self._levels, self._amount = np.zeros((2, 0)), np.zeros(0)
        self._given = np.zeros(tree.member_count)

    @property
    def limited(self) -> NDArray[np.bool_]:
        """Which guests lie in a pool, at any depth, that has reached its limit; shape (guests,)."""
        at_limit = np.zeros(self._tree.node_count, dtype=np.bool_)
        if self._is_bounded:
            for depth in self._depths:
                given = self._given[depth.pool_place]
                limit = self._limit[depth.pools]
                inside = self._sums[_CAP, depth.pools.start + 1 : depth.pools.stop + 1]
                own = (given >= limit * (1 - _AT_LIMIT)) & (inside > limit * (1 + _AT_LIMIT))
                above = at_limit[self._tree.parent[depth.pools]]
                at_limit[depth.pools.start + 1 : depth.pools.stop + 1] = own | above
        return at_limit[self._tree.parent[self._tree.pool_count :]]

    def _depth(self, level: Level, place: Ints) -> _Depth:
        nodes, pools = level.nodes, level.pools
        parent = self._tree.parent[self._order]
        first, last = np.searchsorted(parent, [nodes.start, nodes.stop])
        node_of = parent[first:last] - nodes.start
        filled, starts = np.unique(node_of, return_index=True)
        is_full = filled.size == nodes.stop - nodes.start
        return _Depth(
            nodes, None if is_full else filled, starts, slice(int(first), int(last)), node_of, pools, place[pools]
        )

    def ask(self, floor: Floats, knee: Floats, use: Floats, cap: Floats) -> None:
        """Take what the guests ask for, and work out what pools ask for.

        Parameters
        ----------
        floor, knee, use, cap
            Shape (guests,): as section 2 has them, 0 where off; for CPU knee and use are cap.
        """
        asks, at = self._asks, self._guest_place
        new = (floor, knee, use, cap) if self._kinds == 4 else (floor, cap)
        if len(new) == len(self._last) and all(
            a is b or np.array_equal(a, b) for a, b in zip(new, self._last, strict=True)
        ):
            return
        self._last, self._results = new, {}
        self._caps, self._most = cap, float(cap.sum())
        asks[_FLOOR, at], asks[_CAP, at] = floor, cap
        if self._kinds == 4:
            asks[_USE, at], asks[_KNEE, at] = use, knee
        self._is_asked = False

    def share_out(self, supply: float, slot: str = "") -> Floats:
        """Divide a supply, MHz or MiB, among those who asked.

        Parameters
        ----------
        supply
            How much there is.
        slot
            Names a series of divisions that are like each other: each starts where the last of its name ended.

        Returns
        -------
        NDArray[np.float64]
            Shape (guests,): what each gets.
        """
        key, count = (slot, supply), self._tree.node_count
        if key in self._results:
            self._given, given, self.broken = self._results[key]
            return given.copy()
        given = self._share_out(supply, slot, count)
        self._results[key] = self._given, given.copy(), self.broken
        return given

    def _share_out(self, supply: float, slot: str, count: int) -> Floats:
        self.broken = False
        if not self._is_bounded and self._most <= supply:
            self._given = np.zeros(self._tree.member_count)
            return np.asarray(self._caps.copy())
        if not self._is_asked:
            self._ask_pools()
            self._is_asked = True
        self._levels, self._amount = self._slots.get(slot) or (np.zeros((2, count)), np.zeros(count))
        swept = None if self._on_top else self._sweep(supply)
        if swept is not None:
            self._given = swept
            self._slots[slot] = self._levels, self._amount
            return np.asarray(swept[self._guest_place])
        amount = np.zeros(self._tree.node_count)
        amount[0] = supply
        given = np.zeros(self._tree.member_count)
        for depth in self._depths:
            if depth.members.start < depth.members.stop:
                given[depth.members] = self._fill(depth, amount[depth.nodes])
                amount[depth.pools.start + 1 : depth.pools.stop + 1] = given[depth.pool_place]
        self._given, self._slots[slot] = given, (self._levels, amount)
        return given[self._guest_place]

    def _sweep(self, supply: float) -> Floats | None:
        """Bring all nodes' levels to rest together; None where that does not settle soon, or a promise is broken.

        Every sweep fills all members at their nodes' levels, hands what pools got down as their nodes' amounts, and
        moves each level by one Newton step. Amounts are right after as many sweeps as the tree is deep, and the
        levels, which stand close to their goals, a sweep or two later.
        """
        asks, sums, node_of, weight = self._asks, self._sums, self._node_of, self._weight
        floor, cap = asks[_FLOOR], asks[_CAP]
        use = asks[_USE] if self._kinds == 4 else cap
        floors, caps = sums[_FLOOR], sums[_CAP]
        uses = sums[_USE] if self._kinds == 4 else caps
        knee, cost, room = asks[_KNEE], self._cost, cap - use
        first, second = self._levels
        can_rise = use > floor
        top, top_second = self._tops(floor, use, knee, room)
        np.minimum(first, top, out=first)
        np.minimum(second, top_second, out=second)
        amount = self._amount = self._amount.copy()
        amount[0] = supply
        slack = _ROUNDING * caps
        for _ in range(_MOST_SWEEPS + len(self._depths)):
            is_full, is_first = amount >= caps, amount < uses
            all_first = bool(is_first.all())
            y = (first if all_first else np.where(is_first, first, _FAR)).take(node_of)
            y *= weight
            slope = weight
            if cost > 1:
                beyond = y > knee
                y = np.where(beyond, knee + (y - knee) / cost, y)
                slope = np.where(beyond, weight / cost, weight)
            given: Floats = np.minimum(np.maximum(y, floor), use)
            above = None
            if self._kinds == 4 and not all_first:
                above = np.where(is_full, _FAR, np.where(is_first, 0.0, second)).take(node_of)
                above *= weight
                given += np.minimum(above, room)
            amount[1:] = given.take(self._pool_place)
            rest = amount - self._by_node(given)
            is_settled = amount >= caps
            is_done = (np.abs(rest) <= slack) | is_settled
            if is_done.all() and np.array_equal(is_full, is_settled):
                return None if (amount < floors).any() else given
            # At a corner it counts which way the level goes next.
            rising = slope * ((y >= floor) & (y <= use) & can_rise)
            if above is not None:
                rising += weight * (above <= room) * (~is_first & ~is_full).take(node_of)
            slopes = self._by_node(rising)
            flat = slopes <= 0
            if flat.any():
                if (flat & ~is_done & ~is_full).any():
                    return None
                slopes = np.where(flat, 1.0, slopes)
            step = np.where(is_done, 0.0, rest / slopes)
            first += step * is_first
            np.minimum(np.maximum(first, 0.0, out=first), top, out=first)
            if not all_first:
                second += step * ~(is_first | is_full)
                np.minimum(np.maximum(second, 0.0, out=second), top_second, out=second)
        return None

    def _by_node(self, values: Floats) -> Floats:
        """Add up values of all members by node."""
        sums = np.add.reduceat(values, self._starts)
        if self._filled.size == self._tree.node_count:
            return np.asarray(sums)
        spread = np.zeros(self._tree.node_count)
        spread[self._filled] = sums
        return spread

    def _tops(self, floor: Floats, use: Floats, knee: Floats, room: Floats) -> tuple[Floats, Floats]:
        """Give the levels of both tiers at which the last member of each node has all it can have there."""
        ends = use.copy()
        if self._cost > 1:
            ends += (self._cost - 1) * np.maximum(use - knee, 0.0)
        ends *= use > floor
        tops = np.zeros((2, self._tree.node_count))
        tops[0, self._filled] = np.maximum.reduceat(ends / self._weight, self._starts)
        if self._kinds == 4:
            tops[1, self._filled] = np.maximum.reduceat(room / self._weight, self._starts)
        return tops[0], tops[1]

    def _sum(self, depth: _Depth, values: Floats) -> Floats:
        """Add up values of a depth's members by node."""
        found: Floats = np.add.reduceat(values, depth.starts, axis=-1)
        if depth.filled is None:
            return found
        spread = np.zeros((*values.shape[:-1], depth.nodes.stop - depth.nodes.start))
        spread[..., depth.filled] = found
        return spread

    def _ask_pools(self) -> None:
        """Work out what pools ask for, from the deepest upwards (section 3)."""
        asks, sums = self._asks[: self._kinds], self._sums[: self._kinds]
        for depth in reversed(self._depths):
            pools = depth.pools
            if pools.start < pools.stop:
                inside = sums[:, pools.start + 1 : pools.stop + 1]
                limit, at = self._limit[pools], depth.pool_place
                cap = np.minimum(inside[_CAP], limit)
                floor = np.minimum(cap, np.maximum(self._reservation[pools], inside[_FLOOR]))
                asks[_FLOOR, at], asks[_CAP, at] = floor, cap
                if self._kinds == 4:
                    used = np.minimum(inside[_USE], limit)
                    asks[_KNEE, at] = np.minimum(used, inside[_KNEE])
                    asks[_USE, at] = np.maximum(used, floor)
            if depth.members.start < depth.members.stop:
                sums[:, depth.nodes] = self._sum(depth, asks[:, depth.members])
            else:
                sums[:, depth.nodes] = 0.0

    def _fill(self, depth: _Depth, amount: Floats) -> Floats:
        """Divide the amounts of a depth's nodes among their members."""
        asks, members, node_of = self._asks, depth.members, depth.node_of
        cap = asks[_CAP, members]
        caps = self._sums[_CAP, depth.nodes]
        is_full = amount >= caps
        if is_full.all():
            return cap
        floor, floors = asks[_FLOOR, members], self._sums[_FLOOR, depth.nodes]
        use = cap if self._kinds == 2 else asks[_USE, members]
        uses = caps if self._kinds == 2 else self._sums[_USE, depth.nodes]
        in_second = (amount >= uses) & ~is_full
        low, high, base, goal = floor, use, 0.0 * use, amount
        knee = use if self._kinds == 2 else asks[_KNEE, members]
        if self._on_top:
            low, high, base, goal = 0.0 * use, use - floor, floor, amount - floors
            knee = np.maximum(knee - floor, 0.0)
        if in_second.any():
            second = in_second[node_of]
            low, high = np.where(second, 0.0, low), np.where(second, cap - use, high)
            base, goal = np.where(second, use, base), np.where(in_second, amount - uses, goal)
            knee = np.where(second, _FAR, knee)
        is_short = amount < floors
        filled = base + self._walk(depth, low, high, knee, goal, in_second, is_full | is_short)
        if is_full.any():
            filled = np.where(is_full[node_of], cap, filled)
        if is_short.any():
            part = np.divide(amount, floors, out=np.zeros_like(amount), where=floors > 0)
            filled = np.where(is_short[node_of], floor * part[node_of], filled)
            self.broken = self.broken or bool((floors > amount * (1 + BROKEN_RELATIVE)).any())
        return filled

    def _walk(
        self, depth: _Depth, low: Floats, high: Floats, knee: Floats, goal: Floats, in_second: NDArray[np.bool_],
        is_done: NDArray[np.bool_],
    ) -> Floats:  # fmt: skip
        """Find the nodes' levels, and give what the members get at them above their base."""
        nodes, node_of, weight = depth.nodes, depth.node_of, self._weight[depth.members]
        tier = in_second.astype(np.int64)
        columns = np.arange(nodes.start, nodes.stop)
        level = self._levels[tier, columns]
        least, most = np.zeros_like(level), np.full_like(level, np.inf)
        cost = self._cost
        is_done = is_done.copy()
        gained = low
        for _ in range(_MOST_WALKS):
            y = level[node_of] * weight
            slope = weight
            if cost > 1:
                beyond = y > knee
                y = np.where(beyond, knee + (y - knee) / cost, y)
                slope = np.where(beyond, weight / cost, weight)
            gained = np.minimum(np.maximum(y, low), high)
            rest = goal - self._sum(depth, gained)
            is_done |= np.abs(rest) <= _ROUNDING * np.maximum(goal, 1e-300)
            if is_done.all():
                break
            rising = self._sum(depth, slope * ((y >= low) & (y < high)))
            up = rest > 0
            np.copyto(least, level, where=up)
            np.copyto(most, level, where=~up)
            step = np.divide(rest, rising, out=np.zeros_like(rest), where=rising > 0)
            target = level + step
            is_stuck = (rising <= 0) | (target <= least) | (target >= most)
            if is_stuck.any():
                halved = np.where(np.isfinite(most), (least + most) / 2, np.maximum(2 * level, 1.0))
                target = np.where(is_stuck, halved, target)
            level = np.where(is_done, level, target)
        self._levels[tier, columns] = level
        return gained
