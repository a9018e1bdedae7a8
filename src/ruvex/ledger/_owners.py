"""What each owner has of a site over a played day: promised, used, lent, unmet, and the part of the site."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Division, site_shares
from ruvex.ledger._day import DayFigures
from ruvex.plan import RESOURCES, Plan, pools_above, pools_within

if TYPE_CHECKING:
    from ruvex.play import Player

Floats = NDArray[np.float64]
NOBODY: Final = "nobody named"


@dataclass(frozen=True, slots=True, eq=False)
class OwnersPart:
    """What an owner, a pool or a guest has of one resource, MHz or MiB.

    Attributes
    ----------
    promised
        What is claimed for it.
    mean
        What is used on average over the day; of memory what is backed.
    most
        What is used at most.
    lent
        What is promised and neither used nor lacking, on average, added up guest by guest and pool by pool: others have
        it meanwhile.
    unmet_hours
        What was lacking, MHz·h or MiB·h, added up guest by guest.
    part
        Which part of the site it gets by shares when all want all, 0 to 1.
    wanted_over
        What was wanted, of memory needed, at each recorded time; shape (rows,).
    used_over
        What was used then; shape (rows,).
    lacking_over
        What was lacking then; shape (rows,).
    """

    promised: float
    mean: float
    most: float
    lent: float
    unmet_hours: float
    part: float
    wanted_over: Floats
    used_over: Floats
    lacking_over: Floats

    def to_json(self) -> dict[str, float]:
        """Give it as JSON has it."""
        return {
            "promised": self.promised, "mean": self.mean, "most": self.most, "lent": self.lent,
            "unmet_hours": self.unmet_hours, "part": self.part,
        }  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class Owner:
    """An owner and what it has.

    Attributes
    ----------
    name
        As the pools have it; guests in no pool that names one are ``nobody named``'s.
    pools, guests
        The ids of what it owns, each with what it has of CPU and memory.
    cpu, memory
        What all of it comes to.
    """

    name: str
    pools: Mapping[str, tuple[OwnersPart, OwnersPart]]
    guests: Mapping[str, tuple[OwnersPart, OwnersPart]]
    cpu: OwnersPart
    memory: OwnersPart

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""

        def of(items: Mapping[str, tuple[OwnersPart, OwnersPart]]) -> list[dict[str, Any]]:
            return [{"id": item, "cpu": cpu.to_json(), "memory": mem.to_json()} for item, (cpu, mem) in items.items()]

        return {
            "owner": self.name, "cpu": self.cpu.to_json(), "memory": self.memory.to_json(), "pools": of(self.pools),
            "guests": of(self.guests),
        }  # fmt: skip


def owners_of(division: Division, day: Player) -> tuple[Owner, ...]:
    """Tell what each owner has, the largest part of the site first.

    A pool that names no owner is of whoever owns the pool above it. What a pool is promised counts for its owner, less
    what pools of other owners in it claim.

    Parameters
    ----------
    division
        The site at a moment: parts and promises are of its settings.
    day
        The same plan, played and recorded.
    """
    plan = division.site.plan
    owner_of_pool = _owners_of_pools(plan)
    owner_of_guest = [owner_of_pool.get(guest.pool or "", NOBODY) for guest in plan.guests]
    figures = _Owned(division, day)
    names = dict.fromkeys([*owner_of_pool.values(), *owner_of_guest])
    found = []
    for name in names:
        own = {i for i, owner in enumerate(owner_of_guest) if owner == name}
        pools = [pool.id for pool in plan.pools if owner_of_pool[pool.id] == name]
        whole = [figures.of_owner(k, own, name, owner_of_pool) for k in range(2)]
        found.append(Owner(
            name, {pool: figures.pair_of_pool(pool) for pool in pools},
            {plan.guests[i].id: figures.pair_of_guest(i) for i in sorted(own)}, whole[0], whole[1],
        ))  # fmt: skip
    return tuple(sorted(found, key=lambda owner: -(owner.cpu.part + owner.memory.part)))


def _owners_of_pools(plan: Plan) -> dict[str, str]:
    return {
        pool.id: next((one.owner for one in (pool, *pools_above(plan, pool)) if one.owner), NOBODY)
        for pool in plan.pools
    }


def _mean(over: Floats) -> Floats:
    """Give the mean over the day of each; nothing where nothing was recorded."""
    return np.asarray(over.mean(axis=1)) if over.shape[1] else np.zeros(over.shape[0])


class _Owned:
    """Sums over guests of what the day had."""

    def __init__(self, division: Division, day: Player) -> None:
        self._division, self._plan = division, division.site.plan
        self._claims = division.claims
        figures = DayFigures(day)
        self._hours = figures.hours
        used = figures.series("cpu_delivered"), figures.series("backed")
        self._over = [(figures.wanted(of), had, figures.lacks(of)) for of, had in zip(RESOURCES, used, strict=True)]
        self._lent = [tuple(_mean(one) for one in figures.lent(division, of)) for of in RESOURCES]
        self._parts = [site_shares(division, division.cpu), site_shares(division, division.memory)]
        self._inside = self._members()

    def _members(self) -> dict[str, list[int]]:
        inside: dict[str, list[int]] = {pool.id: [] for pool in self._plan.pools}
        for i, guest in enumerate(self._plan.guests):
            for pool in pools_above(self._plan, guest):
                inside[pool.id].append(i)
        return inside

    def _part(self, k: int, guests: list[int], pools: list[int], promised: float, part: float) -> OwnersPart:
        wanted, used, lacking = (over[guests].sum(axis=0) for over in self._over[k])
        some, lent = used.size > 0, float(self._lent[k][0][guests].sum() + self._lent[k][1][pools].sum())
        return OwnersPart(
            promised, float(used.mean()) if some else 0.0, float(used.max()) if some else 0.0,
            lent, float(lacking.sum() * self._hours), part,
            wanted, used, lacking,
        )  # fmt: skip

    def _shares(self, k: int, guests: list[int]) -> float:
        position = self._division.position
        return float(sum(self._parts[k][position[self._plan.guests[i].id]] for i in guests))

    def pair_of_guest(self, i: int) -> tuple[OwnersPart, OwnersPart]:
        """Give what a guest has."""
        cpu, memory = (self._part(k, [i], [], float(self._claims.guests[k, i]), self._shares(k, [i])) for k in range(2))
        return cpu, memory

    def pair_of_pool(self, pool: str) -> tuple[OwnersPart, OwnersPart]:
        """Give what a pool has."""
        plan, guests = self._plan, self._inside[pool]
        inside = [plan.pool_index[one] for one in pools_within(plan, pool) if one is not None]
        cpu, memory = (
            self._part(k, guests, inside, float(self._claims.pools[k, plan.pool_index[pool]]), self._shares(k, guests))
            for k in range(2)
        )
        return cpu, memory

    def of_owner(self, k: int, own: set[int], name: str, owner_of_pool: Mapping[str, str]) -> OwnersPart:
        """Give what an owner has of one resource."""
        plan, sums = self._plan, self._claims
        # What one in a bank is promised is the bank's, which stands by itself beside the owners.
        beside = [i for i in own if plan.guests[i].pool is None and not (k and plan.guests[i].in_bank)]
        promised = float(sums.guests[k, beside].sum())
        for number, pool in enumerate(plan.pools):
            above = owner_of_pool.get(pool.parent or "", "")
            if owner_of_pool[pool.id] == name and above != name:
                promised += float(sums.pools[k, number])
            elif owner_of_pool[pool.id] != name and above == name and pool.parent is not None:
                promised -= float(sums.pools[k, number])
        guests = sorted(own)
        pools = [number for number, pool in enumerate(plan.pools) if owner_of_pool[pool.id] == name]
        return self._part(k, guests, pools, max(promised, 0.0), self._shares(k, guests))
