"""The division of CPU and memory at a moment, as people and files read it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import _compiled as c
from ruvex.divide._asks import CAP, CLAIM, FLOOR, USE, WANTED, Asks, DemandAt, ask, demand_at
from ruvex.divide._causes import Causes, causes_of
from ruvex.divide._compiled import Compiled
from ruvex.divide._fill import Filled, fill_tree
from ruvex.divide._layers import Layers, layers_of
from ruvex.divide._places import MAIN, apportioned, bank_sizes
from ruvex.divide._tree import Tree

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

_CPU, _MEMORY = 0, 1
RESOURCES: Final = ("cpu", "memory")
_SETTINGS: Final = (
    (c.CPU_RESERVATION, c.MEMORY_RESERVATION),
    (c.CPU_LIMIT, c.MEMORY_LIMIT),
    (c.CPU_SHARES, c.MEMORY_SHARES),
)


@dataclass(frozen=True, slots=True, eq=False)
class ResourceDivision:
    """One resource divided; CPU in MHz, memory in MiB, arrays by row.

    Attributes
    ----------
    supply, promisable, set_aside, total_wanted, promised, total_delivered
        Of the whole plan: what there is, what of it can be promised at all times, what of that is kept out of all
        promises, the guests' wants, the claims at the top, what guests get.
    broken
        Some node's promises cannot all be kept.
    reservation, limit, shares
        The settings; infinity where there is no limit, reservation 0 for memory modes that have none.
    claim
        What the row takes out of the promises of the node above (section 5).
    weight, floor, use, cap
        As the model has them (sections 2 and 3).
    wanted, delivered, unmet
        Of a guest, and summed over a pool's guests; ``delivered`` of a pool is what was given to it.
    level, headroom_level
        Of a pool, the level common to its members in tier 1 and 2; NaN for guests.
    top_level, top_headroom_level
        The same of the supply row.
    node_broken
        The floors of this pool's members exceed what it has.
    """

    supply: float
    promisable: float
    set_aside: float
    total_wanted: float
    promised: float
    total_delivered: float
    broken: bool
    reservation: Floats
    limit: Floats
    shares: Floats
    claim: Floats
    weight: Floats
    floor: Floats
    use: Floats
    cap: Floats
    wanted: Floats
    delivered: Floats
    unmet: Floats
    level: Floats
    headroom_level: Floats
    top_level: float
    top_headroom_level: float
    node_broken: Bools

    @property
    def free(self) -> float:
        """What can still be promised; negative where more is promised than may be."""
        return self.promisable - self.set_aside - self.promised


@dataclass(frozen=True, slots=True, eq=False)
class Division:
    """The division of a plan at a moment.

    Attributes
    ----------
    plan_name, at_s
        Which plan, and the time of day in seconds.
    ids, kinds, parents
        By row, parents before members: the id, ``"pool"`` or ``"guest"``, the parent's id or None at the top.
    depth, parent_row, top_pool
        By row: 0 at the top; the row of the parent, −1 at the top; the number of the top-level pool it is or is
        in, −1 beside the pools.
    on
        By row: pools, and guests that are on. Guests that are off have zeros everywhere and no row in JSON.
    position
        Row number by id.
    cpu, memory
        The two resources.
    layers
        Where each row's memory lies, and what is missing of it.
    demand
        What the guests' work asks for at that moment, in the numbering of the tree.
    causes
        Where ``causes_of`` keeps what it found.
    """

    plan_name: str
    at_s: float
    ids: tuple[str, ...]
    kinds: tuple[str, ...]
    parents: tuple[str | None, ...]
    depth: NDArray[np.int64]
    parent_row: NDArray[np.int64]
    top_pool: NDArray[np.int64]
    on: Bools
    position: Mapping[str, int]
    cpu: ResourceDivision
    memory: ResourceDivision
    layers: Layers
    demand: DemandAt
    causes: dict[str, Causes] = field(default_factory=dict, repr=False)

    def to_json(self) -> dict[str, Any]:
        """Give the division as the document that ``ruvex divide --json`` prints (docs/plan-format.md)."""
        return {
            "plan": self.plan_name,
            "at": self.at_s,
            "cpu": self._resource_json("cpu"),
            "memory": self._resource_json("memory"),
        }

    def _resource_json(self, resource_name: str) -> dict[str, Any]:
        resource: ResourceDivision = getattr(self, resource_name)
        names = (
            "reservation",
            "limit",
            "shares",
            "weight",
            "floor",
            "use",
            "cap",
            "wanted",
            "delivered",
            "unmet",
        )
        causes = causes_of(self, resource_name)
        columns = [getattr(resource, name).tolist() for name in names]
        rows = []
        for i, values in enumerate(zip(*columns, strict=True)):
            if self.on[i]:
                row: dict[str, Any] = {"id": self.ids[i], "kind": self.kinds[i], "parent": self.parents[i]}
                row |= dict(zip(names, values, strict=True))
                row["limit"] = None if math.isinf(row["limit"]) else row["limit"]
                row["broken"] = bool(resource.node_broken[i])
                if resource is self.memory and self.kinds[i] == "guest":
                    row["layers"] = self.layers.to_json(i) | {"cause": causes.word(i)}
                rows.append(row)
        return {
            "supply": resource.supply,
            "wanted": resource.total_wanted,
            "promised": resource.promised,
            "delivered": resource.total_delivered,
            "broken": resource.broken,
            "rows": rows,
        }


def divide(compiled: Compiled, at_s: float | None = None, *, demand: DemandAt | None = None) -> Division:
    """Divide the supply of a plan at a moment.

    Parameters
    ----------
    compiled
        The plan as arrays.
    at_s
        Seconds since the start of the day; the plan's own moment if left out.
    demand
        What the guests' work asks for then; evaluated from the signals if left out. Give it to solve again with
        changed dials at the same moment.
    """
    at_s = compiled.plan.moment if at_s is None else at_s
    asks = ask(compiled, demand_at(compiled, at_s) if demand is None else demand)
    return _rows(compiled, at_s, asks, solve(compiled, asks))


def solve(compiled: Compiled, asks: Asks) -> Filled:
    """Divide by the plan's rules what was asked for, in the numbering of the tree."""
    filled = _fill(compiled, asks)
    if not np.any(compiled.guests[c.PLACE] * compiled.guests[c.ON] > 0) and not np.any(bank_sizes(compiled) > 0):
        return filled
    return _solve_in_places(compiled, asks, filled)


def _fill(compiled: Compiled, asks: Asks) -> Filled:
    rules = compiled.plan.rules
    return fill_tree(compiled.tree, asks, on_top=rules.reservation_rule == "on-top", idle_cost=float(rules.idle_cost))


def _solve_in_places(compiled: Compiled, asks: Asks, as_one: Filled) -> Filled:
    """Divide the memory of the hosts and of each bank by themselves; CPU, and the levels, are those of the hosts."""
    guests = slice(compiled.tree.pool_count, None)
    memory, broken, main = np.zeros(compiled.tree.member_count), as_one.broken.copy(), as_one
    broken[_MEMORY] = False
    banks = bank_sizes(compiled)
    for place, here in apportioned(compiled, as_one.delivered[_MEMORY, guests]):
        masked = replace(here, guests=here.guests.copy())
        masked.guests[c.ON] *= place.guests
        part = ask(masked, asks.demand)
        supply = asks.supply.copy()
        supply[_MEMORY] = banks[place.number - 1] if place.number else max(0.0, supply[_MEMORY] - banks.sum())
        # Pages that serve several guests are those of the whole host.
        filled = _fill(masked, replace(part, supply=supply))
        memory += filled.delivered[_MEMORY]
        broken[_MEMORY] |= filled.broken[_MEMORY]
        main = filled if place.number == MAIN else main
    delivered, level, headroom = as_one.delivered.copy(), as_one.level.copy(), as_one.headroom_level.copy()
    delivered[_MEMORY] = memory
    level[_MEMORY], headroom[_MEMORY] = main.level[_MEMORY], main.headroom_level[_MEMORY]
    return Filled(delivered, level, headroom, broken)


def _rows(compiled: Compiled, at_s: float, asks: Asks, filled: Filled) -> Division:
    tree, layout = compiled.tree, compiled.tree.layout
    unmet = _unmet(tree, asks, filled)
    on = np.concatenate((np.ones(tree.pool_count, dtype=np.bool_), compiled.guests[c.ON] > 0))
    return Division(
        plan_name=compiled.plan.name,
        at_s=float(at_s),
        ids=layout.ids,
        kinds=layout.kinds,
        parents=layout.parents,
        depth=layout.depth,
        parent_row=layout.parent_row,
        top_pool=layout.top_pool,
        on=on.take(layout.members),
        position=layout.position,
        cpu=_resource(compiled, asks, filled, unmet, _CPU),
        memory=_resource(compiled, asks, filled, unmet, _MEMORY),
        layers=layers_of(compiled, asks, filled.delivered[_MEMORY]),
        demand=asks.demand,
    )


def _unmet(tree: Tree, asks: Asks, filled: Filled) -> Floats:
    """Give what each guest lacks, and each pool's sum of it."""
    lacking: Floats = np.maximum(asks.members[WANTED] - filled.delivered, 0.0)
    nodes = tree.guest_groups.sums(lacking[:, tree.pool_count :])
    for level in reversed(tree.levels):
        pools = level.pools
        lacking[:, pools] = nodes[:, pools.start + 1 : pools.stop + 1]
        nodes[:, level.nodes] += level.pool_groups.sums(lacking[:, pools])
    return lacking


def _resource(compiled: Compiled, asks: Asks, filled: Filled, unmet: Floats, k: int) -> ResourceDivision:
    tree, rows = compiled.tree, compiled.tree.layout.members
    reservation, limit, shares = (
        np.concatenate((of_pools, compiled.guests[pair[k]])).take(rows)
        for of_pools, pair in zip(compiled.pools[:3, k], _SETTINGS, strict=True)
    )
    no_level = np.full(tree.member_count - tree.pool_count, np.nan)
    level, headroom_level = (
        np.concatenate((of_nodes[k, 1:], no_level)).take(rows) for of_nodes in (filled.level, filled.headroom_level)
    )
    broken = np.concatenate((filled.broken[k, 1:], np.zeros(no_level.size, dtype=np.bool_)))
    asked = asks.members[:, k]
    return ResourceDivision(
        supply=float(asks.supply[k]),
        promisable=float(asks.promisable[k]),
        set_aside=float(asks.set_aside[k]),
        total_wanted=float(asks.nodes[WANTED, k, 0]),
        promised=float(asks.nodes[CLAIM, k, 0]),
        total_delivered=float(filled.delivered[k, tree.pool_count :].sum()),
        broken=bool(filled.broken[k].any()),
        reservation=reservation,
        limit=limit,
        shares=shares,
        claim=asked[CLAIM].take(rows),
        weight=asks.weight[k].take(rows),
        floor=asked[FLOOR].take(rows),
        use=asked[USE].take(rows),
        cap=asked[CAP].take(rows),
        wanted=asked[WANTED].take(rows),
        delivered=filled.delivered[k].take(rows),
        unmet=unmet[k].take(rows),
        level=level,
        headroom_level=headroom_level,
        top_level=float(filled.level[k, 0]),
        top_headroom_level=float(filled.headroom_level[k, 0]),
        node_broken=broken.take(rows),
    )
