"""What would help: computed moves for a guest or pool that lacks something, and who would pay for each."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Compiled, DemandAt, Division, claims_of, demand_at, divide, refusal_between
from ruvex.plan import (
    EditError,
    ElasticMemory,
    Guest,
    Plan,
    Pool,
    ThinMemory,
    change_many,
    find_item,
    format_cpu,
    format_memory,
)

Floats = NDArray[np.float64]
Change = tuple[str, Mapping[str, Any]]

_MOST: Final = 5
_MOST_PLACES: Final = 3
_LEAST_GAIN: Final = 0.005


@dataclass(frozen=True, slots=True)
class Move:
    """A change that would give a row more.

    Attributes
    ----------
    text
        What is done, in a few words.
    changes
        Ids and settings, as ``change_many`` takes them.
    gain
        What the row gains by it at this moment, MHz or MiB.
    losses
        Which guests would pay and how much, the largest loss first.
    """

    text: str
    changes: tuple[Change, ...]
    gain: float
    losses: tuple[tuple[str, float], ...]


def moves_for(compiled: Compiled, division: Division, item: str, resource: str) -> list[Move]:
    """Compute what would help a guest or pool to more of ``cpu`` or ``memory``, the largest gain first.

    Moves that promises do not allow, or that gain next to nothing, are left out.

    Parameters
    ----------
    compiled, division
        The plan and its division at a moment.
    item
        The id of a guest or pool of the plan.
    resource
        ``cpu`` or ``memory``.
    """
    r, row = getattr(division, resource), division.position[item]
    lacking = float(r.unmet[row])
    if not division.on[row] or lacking <= _LEAST_GAIN * max(1.0, float(r.wanted[row])):
        return []
    trial = _Trial(compiled, division, item, resource)
    found = []
    for text, changes in _candidates(compiled.plan, division, item, resource):
        move = trial.of(text, changes)
        if move is not None and move.gain > _LEAST_GAIN * lacking:
            found.append(move)
    return sorted(found, key=lambda move: -move.gain)[:_MOST]


class _Trial:
    """Divides again with changes, and compares guest by guest."""

    def __init__(self, compiled: Compiled, division: Division, item: str, resource: str) -> None:
        self._compiled, self._division = compiled, division
        self._item, self._resource = item, resource
        self._claims = claims_of(compiled)
        self._before = self._delivered(division)

    def _delivered(self, division: Division) -> Floats:
        """Give what each guest gets, in plan order."""
        rows = [division.position[guest.id] for guest in self._compiled.plan.guests]
        return np.asarray(getattr(division, self._resource).delivered[rows])

    def of(self, text: str, changes: Sequence[Change]) -> Move | None:
        """Give the move with its effect, or None if it cannot be made."""
        try:
            plan = change_many(self._compiled.plan, changes)
        except EditError:
            return None
        compiled = self._compiled.with_plan(plan)
        if refusal_between(self._claims, claims_of(compiled), [target for target, _ in changes]) is not None:
            return None
        demand: DemandAt = self._division.demand
        if compiled.tree is not self._compiled.tree:
            demand = demand_at(compiled, self._division.at_s)
        after = divide(compiled, self._division.at_s, demand=demand)
        old, new = (
            float(getattr(d, self._resource).delivered[d.position[self._item]]) for d in (self._division, after)
        )
        change = self._delivered(after) - self._before
        least = 1e-9 * max(1.0, getattr(after, self._resource).supply)
        paying = np.flatnonzero(change < -least)
        paying = paying[np.argsort(change[paying], kind="stable")]
        guests = self._compiled.plan.guests
        losses = tuple((guests[i].id, float(change[i])) for i in paying.tolist())
        return Move(text, tuple(changes), new - old, losses)


def _candidates(plan: Plan, division: Division, item_id: str, resource: str) -> Iterator[tuple[str, list[Change]]]:
    item = find_item(plan, item_id)
    assert isinstance(item, Guest | Pool)
    if isinstance(item, Guest) and resource == "memory":
        yield from _of_memory(item)
    settings = getattr(item, resource)
    yield f"twice the shares ({2 * settings.shares:g})", [(item.id, {f"{resource}.shares": 2 * settings.shares})]
    if getattr(settings, "limit", None) is not None:
        yield "no limit", [(item.id, {f"{resource}.limit": None})]
    yield from _reserved(plan, division, item, resource)
    above = _pools_above(plan, item)
    for pool in [*([item] if isinstance(item, Pool) else []), *above]:
        name = "it" if pool is item else pool.label
        if not pool.member_scaled:
            yield f"make {name} member-scaled", [(pool.id, {"member_scaled": True})]
    for pool in above:
        of_pool = getattr(pool, resource)
        yield (
            f"twice the shares for {pool.label} ({2 * of_pool.shares:g})",
            [(pool.id, {f"{resource}.shares": 2 * of_pool.shares})],
        )
        if of_pool.limit is not None:
            yield f"no limit for {pool.label}", [(pool.id, {f"{resource}.limit": None})]
    yield from _elsewhere(plan, division, item, resource)


def _of_memory(guest: Guest) -> Iterator[tuple[str, list[Change]]]:
    memory = guest.memory
    if isinstance(memory, ElasticMemory):
        yield (
            f"twice the ceiling ({format_memory(2 * memory.ceiling)})",
            [(guest.id, {"memory.ceiling": 2 * memory.ceiling})],
        )
        if not guest.agent:
            yield "install the agent, so that it can grow", [(guest.id, {"agent": True})]


def _reserved(plan: Plan, division: Division, item: Guest | Pool, resource: str) -> Iterator[tuple[str, list[Change]]]:
    """Reserve what it may have; where a pool above keeps to itself, let it draw as well."""
    r, row = getattr(division, resource), division.position[item.id]
    if isinstance(item, Guest) and resource == "memory" and not isinstance(item.memory, ThinMemory):
        return
    amount = math.floor(float(r.cap[row]))
    if amount <= getattr(item, resource).reservation:
        return
    shown = format_cpu(amount) if resource == "cpu" else format_memory(amount)
    change: Change = (item.id, {f"{resource}.reservation": amount})
    yield f"reserve {shown}", [change]
    closed = [pool for pool in _pools_above(plan, item) if not getattr(pool, resource).draws]
    if closed:
        names = " and ".join(pool.label for pool in closed)
        draws: list[Change] = [(pool.id, {f"{resource}.draws": True}) for pool in closed]
        yield f"reserve {shown}, and let {names} draw on the pool above", [*draws, change]


def _pools_above(plan: Plan, item: Guest | Pool) -> list[Pool]:
    above, here = [], item.pool if isinstance(item, Guest) else item.parent
    while here is not None:
        above.append(plan.pools[plan.pool_index[here]])
        here = above[-1].parent
    return above


def _elsewhere(plan: Plan, division: Division, item: Guest | Pool, resource: str) -> Iterator[tuple[str, list[Change]]]:
    """Move it to where shares win most, and to the top."""
    key, here = ("pool", item.pool) if isinstance(item, Guest) else ("parent", item.parent)
    if here is not None:
        yield "move it to the top, beside the pools", [(item.id, {key: None})]
    level = getattr(division, resource).level
    rows = [row for row in np.argsort(-np.nan_to_num(level, nan=-1.0, posinf=1e300)).tolist() if level[row] > 0]
    places = [division.ids[row] for row in rows if division.ids[row] not in (here, item.id)]
    for place in places[: _MOST_PLACES - 1]:
        yield f"move it to {plan.pools[plan.pool_index[place]].label}", [(item.id, {key: place})]
