"""The division of CPU and memory at a moment, as people and files read it."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._causes import causes_of, memory_causes
from ruvex.divide._demand import Asked, demand_at
from ruvex.divide._divided import Divided
from ruvex.divide._hosts import HostFigures, PoolParts
from ruvex.divide._resource import ResourceDivision
from ruvex.divide._solve import Levels, solve
from ruvex.engine import rows as r
from ruvex.plan import RESOURCES, Resource
from ruvex.site import Site

Floats = NDArray[np.float64]

_COLUMNS = ("reservation", "limit", "shares", "weight", "floor", "use", "cap", "wanted", "delivered", "unmet", "lacks")


class Division(Divided):
    """The division of a plan at a moment, with what hosts have of it and why guests have less than they want."""

    def over(self, site: Site) -> Division:
        """Give the same figures over the same guests, pools and hosts with other names, notes or moment."""
        solved, behind = replace(self.solved, site=site), self.behind_of_guests
        found = Division(solved, self.at_s, is_played=self.is_played, behind_of_guests=behind)
        found.causes = self.causes
        return found

    @cached_property
    def by_host(self) -> HostFigures:
        """What every host has."""
        return HostFigures(self)

    @cached_property
    def cpu_pool_parts(self) -> PoolParts:
        """The part of every pool on every host, CPU."""
        return PoolParts(self, 0)

    @cached_property
    def memory_pool_parts(self) -> PoolParts:
        """The part of every pool on every host, memory."""
        return PoolParts(self, 1)

    def pool_parts(self, resource: Resource) -> PoolParts:
        """Give the part of every pool on every host, of one resource."""
        return self.cpu_pool_parts if resource == "cpu" else self.memory_pool_parts

    @cached_property
    def memory_causes(self) -> NDArray[np.int64]:
        """By guest in plan order: why it has less memory than it needs, as a position in ``CAUSES``."""
        return memory_causes(self)

    # As JSON

    def to_json(self) -> dict[str, Any]:
        """Give the division as the document that ``ruvex divide --json`` prints (docs/plan-format.md)."""
        document = {"plan": self.plan_name, "at": self.at_s} | {name: self._resource_json(name) for name in RESOURCES}
        return document if self.flowing.is_empty else document | {"flows": self.flowing.to_json()}

    def _resource_json(self, name: Resource) -> dict[str, Any]:
        resource = self.of(name)
        causes = causes_of(self, name)
        columns = [getattr(resource, column).tolist() for column in _COLUMNS]
        several, pools = len(self.site.plan.hosts) > 1, self.layout.parent.size
        rows = []
        for i, values in enumerate(zip(*columns, strict=True)):
            if self.on[i]:
                row: dict[str, Any] = {"id": self.ids[i], "kind": self.kinds[i], "parent": self.parents[i]}
                row |= dict(zip(_COLUMNS, values, strict=True))
                row["limit"] = None if math.isinf(row["limit"]) else row["limit"]
                row["broken"] = bool(resource.node_broken[i])
                if self.kinds[i] == "guest":
                    if several:
                        row["host"] = self.host_of(i)
                        row["as_one"] = float(self.as_one[resource.k, self.layout.things[i] - pools])
                    if resource is self.memory:
                        row["layers"] = self.layers.to_json(i) | {"cause": causes.word(i)}
                rows.append(row)
        document = {
            "supply": resource.supply,
            "wanted": resource.total_wanted,
            "promised": resource.promised,
            "delivered": resource.total_delivered,
            "lacks": float(resource.lacks_of_guests.sum()),
            "broken": resource.broken,
            "placement": resource.placement,
            "rows": rows,
        }
        if several or self.site.forest.banks.size:
            document["places"] = [self._place_json(resource, place) for place in places_of(resource)]
        return document

    def _place_json(self, resource: ResourceDivision, place: int) -> dict[str, Any]:
        """Give one place, with the tree as far as it lives there."""
        part = PlacePart(self, resource, place)
        return part.to_json()


def places_of(resource: ResourceDivision) -> list[int]:
    """Give the places of a resource in a division's forest."""
    kinds = resource.solved.site.forest.trees.places[r.L_KIND]
    return [int(i) for i in np.flatnonzero((kinds == r.CPU_PLACE) == (resource.k == 0))]


class PlacePart:
    """What one place divides, and the part of the tree that lives there.

    Attributes
    ----------
    host, kind
        The id of its host, and ``host`` or ``bank``.
    supply, kept, amount, wanted, promised, delivered
        What there is, what is kept free of it, what is divided; and sums over the guests there.
    broken, placement
        Whether promises cannot be kept there, or only if the guests were elsewhere.
    nodes
        Its nodes, parents before children.
    """

    def __init__(self, division: Division, resource: ResourceDivision, place: int) -> None:
        self._division, self._resource = division, resource
        self._trees, solved = division.site.forest.trees, resource.solved
        places = self._trees.places[:, place]
        hosts = division.site.plan.hosts
        self.host = hosts[int(places[r.L_HOST])].id if hosts else ""
        self.kind = "bank" if places[r.L_KIND] == r.BANK_PLACE else "host"
        self.supply, self.kept, self.amount = solved.values[:3, place].tolist()
        self.nodes = range(int(places[r.L_FIRST]), int(places[r.L_LAST]))
        self.guests = np.flatnonzero(
            (division.site.forest.place_of[resource.k] == place) & (self._trees.guest_slots[resource.k] >= 0)
        )
        self.wanted = float(resource.wanted_of_guests[self.guests].sum())
        self.promised = float(division.claims.guests[resource.k, self.guests].sum())
        self.delivered = float(resource.given[self.guests].sum())
        broken = resource.broken_nodes[self.nodes.start : self.nodes.stop]
        self.broken, self.placement = bool((broken == r.BROKEN).any()), bool((broken == r.PLACEMENT).any())

    @cached_property
    def rows(self) -> list[dict[str, Any]]:
        """The part of the tree that lives here, in reading order: id, kind, and the figures of the part."""
        layout, resource, solved = self._division.layout, self._resource, self._resource.solved
        pools, plan = layout.parent.size, self._division.site.plan
        found: dict[int, dict[str, Any]] = {}
        wanted, as_one = resource.wanted_of_guests, self._division.as_one[resource.k]
        sums: dict[int, list[float]] = {}
        for i in self.guests.tolist():
            slot = int(self._trees.guest_slots[resource.k, i])
            figures = self._figures(slot)
            row = int(layout.position[plan.guests[i].id])
            found[row] = {"id": plan.guests[i].id, "kind": "guest", "parent": plan.guests[i].pool} | figures
            found[row] |= {"wanted": float(wanted[i]), "as_one": float(as_one[i])}
            pool = int(layout.pool_of[i])
            while pool >= 0:
                total = sums.setdefault(pool, [0.0, 0.0])
                total[0] += float(wanted[i])
                total[1] += float(as_one[i])
                pool = int(layout.parent[pool])
        for node in self.nodes:
            pool = int(self._trees.nodes[r.N_POOL, node])
            if pool >= 0:
                of_pool = plan.pools[pool]
                row = int(layout.position[of_pool.id])
                figures = self._figures(int(self._trees.nodes[r.N_SLOT, node]))
                limit = float(solved.known[r.V_LIMIT, node])
                total = sums.get(pool, [0.0, 0.0])
                found[row] = {"id": of_pool.id, "kind": "pool", "parent": of_pool.parent} | figures
                found[row] |= {
                    "wanted": total[0], "as_one": total[1], "reservation": float(solved.known[r.V_RESERVATION, node]),
                    "limit": None if math.isinf(limit) else limit, "broken": bool(resource.broken_nodes[node]),
                }  # fmt: skip
        assert pools == len(plan.pools)
        return [found[row] for row in sorted(found)]

    def _figures(self, slot: int) -> dict[str, float]:
        asks = self._resource.solved.asks[:, slot]
        names = {
            "weight": r.A_WEIGHT, "floor": r.A_FLOOR, "use": r.A_USE, "cap": r.A_CAP, "delivered": r.A_GIVEN,
        }  # fmt: skip
        return {name: float(asks[row]) for name, row in names.items()}

    def to_json(self) -> dict[str, Any]:
        """Give the entry of ``places`` in the document of a division."""
        names = ("supply", "kept", "amount", "placement", "wanted", "promised", "delivered", "broken", "rows")
        head = {"id": f"{self.host}:bank" if self.kind == "bank" else self.host, "kind": self.kind, "host": self.host}
        return head | {name: getattr(self, name) for name in names}


def divide(
    site: Site, at_s: float | None = None, *, demand: Asked | None = None, levels: Levels | None = None
) -> Division:
    """Divide the supply of a plan at a moment, every guest on its own host.

    Parameters
    ----------
    site
        The plan as arrays.
    at_s
        Seconds since the start of the day; the plan's own moment if left out.
    demand
        What the guests' work asks for then; evaluated from the signals if left out. Give it to divide again with
        changed dials at the same moment.
    levels
        Those of an earlier division, where the search begins; the result is the same to the bit.

    Raises
    ------
    NotConvergedError, UnsoundDivisionError
        Parts do not add up, or somebody gets more than there is or than he may have; that is a fault of ours.
    """
    at_s = site.plan.moment if at_s is None else at_s
    return Division(solve(site, demand_at(site, at_s) if demand is None else demand, levels=levels), at_s)
