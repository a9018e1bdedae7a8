"""What would help: computed moves for a guest or pool that lacks something, and who would pay for each."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Division, Solved, solve
from ruvex.engine import rows
from ruvex.plan import (
    RESOURCE_KINDS,
    RESOURCES,
    Change,
    EditError,
    ElasticMemory,
    FixedMemory,
    Guest,
    Plan,
    Pool,
    Resource,
    change_many,
    find_item,
    format_memory,
    pools_above,
)
from ruvex.promise import Claims, claims_of, refusal_between
from ruvex.site import Site

Floats = NDArray[np.float64]
_MOST: Final = 5
_MOST_ABOVE: Final = 8
_MOST_PLACES: Final = 3
_LEAST_GAIN: Final = 0.005
_NOISE: Final = 1e-9


@dataclass(frozen=True, slots=True)
class HelpfulMove:
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


def moves_for(site: Site, division: Division, item: str) -> dict[Resource, list[HelpfulMove]]:
    """Compute what would help a guest or pool to more CPU and to more memory, the largest gain first.

    Moves that promises do not allow, or that gain next to nothing, are left out.

    Parameters
    ----------
    site, division
        The plan and its division at a moment.
    item
        The id of a guest or pool of the plan.

    Returns
    -------
    dict
        Moves by ``cpu`` and ``memory``.
    """
    row, trial = division.position[item], _Trial(site, division, item)
    found: dict[Resource, list[HelpfulMove]] = {name: [] for name in RESOURCES}
    for name, moves in found.items():
        r = division.of(name)
        lacking = float(r.lacks[row])
        if not division.on[row] or lacking <= _LEAST_GAIN * max(1.0, float(r.wanted[row])):
            continue
        for text, changes in _candidates(site.plan, division, item, name):
            move = trial.of(text, changes, name)
            if move is not None and move.gain > _LEAST_GAIN * lacking:
                moves.append(move)
        moves.sort(key=lambda move: -move.gain)
        del moves[_MOST:]
    return found


class _Trial:
    """Divides again with changes, each set of them once, and compares guest by guest."""

    def __init__(self, site: Site, division: Division, item: str) -> None:
        self._site, self._division = site, division
        self._claims: Claims | None = None
        self._outcomes: dict[str, Floats | None] = {}
        self._before = _delivered(division.solved)
        plan = site.plan
        self._at = plan.guest_index[item] if item in plan.guest_index else len(plan.guests) + plan.pool_index[item]

    def _outcome(self, changes: Sequence[Change]) -> Floats | None:
        """Give what guests and then pools get with some changes, in plan order, or None if they cannot be made."""
        try:
            plan = change_many(self._site.plan, changes)
        except EditError:
            return None
        site = self._site.with_plan(plan)
        if any(key.partition(".")[2] not in ("shares", "limit") for _, change in changes for key in change):
            self._claims = self._claims or claims_of(self._site)
            if refusal_between(self._claims, claims_of(site), [target for target, _ in changes]) is not None:
                return None
        return _delivered(solve(site, self._division.demand, levels=self._division.levels))

    def of(self, text: str, changes: Sequence[Change], resource: Resource) -> HelpfulMove | None:
        """Give the move with its effect on one resource, or None if it cannot be made."""
        key = repr(changes)
        if key not in self._outcomes:
            self._outcomes[key] = self._outcome(changes)
        outcome = self._outcomes[key]
        if outcome is None:
            return None
        k, guests = RESOURCES.index(resource), self._site.plan.guests
        change = outcome[k] - self._before[k]
        of_guests = change[: len(guests)]
        paying = np.flatnonzero(of_guests < -_NOISE * max(1.0, self._division.of(resource).supply))
        paying = paying[np.argsort(of_guests[paying], kind="stable")]
        losses = tuple((guests[i].id, float(of_guests[i])) for i in paying.tolist())
        return HelpfulMove(text, tuple(changes), float(change[self._at]), losses)


def _delivered(solved: Solved) -> Floats:
    """Give what guests and then pools get, in plan order, shape (2, guests + pools)."""
    trees, pools = solved.site.forest.trees, solved.site.layout.parent.size
    nodes = np.flatnonzero(trees.nodes[rows.N_POOL] >= 0)
    is_cpu = trees.places[rows.L_KIND, trees.nodes[rows.N_PLACE, nodes]] == rows.CPU_PLACE
    given = solved.asks[rows.A_GIVEN, trees.nodes[rows.N_SLOT, nodes]] if nodes.size else np.zeros(0)
    of_pools = [
        np.bincount(trees.nodes[rows.N_POOL, nodes[mine]], given[mine], minlength=pools) for mine in (is_cpu, ~is_cpu)
    ]
    return np.concatenate((solved.given(), np.stack(of_pools)), axis=1)


def _candidates(plan: Plan, division: Division, item_id: str, resource: Resource) -> Iterator[tuple[str, list[Change]]]:
    item = find_item(plan, item_id)
    assert isinstance(item, Guest | Pool)
    if isinstance(item, Guest) and resource == "memory":
        yield from _of_memory(item)
    settings = item.of(resource)
    yield f"twice the shares ({2 * settings.shares:g})", [(item.id, {f"{resource}.shares": 2 * settings.shares})]
    if getattr(settings, "limit", None) is not None:
        yield "no limit", [(item.id, {f"{resource}.limit": None})]
    yield from _reserved(plan, division, item, resource)
    above = pools_above(plan, item)
    if len(above) > _MOST_ABOVE:
        # Each is tried by a division of its own; in a deep tree those near it and the topmost one say enough.
        above = [*above[: _MOST_ABOVE - 1], above[-1]]
    for pool in [*([item] if isinstance(item, Pool) else []), *above]:
        name = "it" if pool is item else pool.label
        if pool.weighs == "as-one":
            yield f"let {name} weigh by its members", [(pool.id, {"weighs": "by-members"})]
    for pool in above:
        of_pool = pool.of(resource)
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


def _reserved(
    plan: Plan, division: Division, item: Guest | Pool, resource: Resource
) -> Iterator[tuple[str, list[Change]]]:
    """Reserve what it may have; where a pool above keeps to itself, let it draw as well."""
    r, row = division.of(resource), division.position[item.id]
    settings = item.of(resource)
    if isinstance(settings, FixedMemory | ElasticMemory):
        return
    amount = math.floor(float(r.cap[row]))
    if amount <= settings.reservation:
        return
    shown = RESOURCE_KINDS[resource].write(amount)
    change: Change = (item.id, {f"{resource}.reservation": amount})
    yield f"reserve {shown}", [change]
    closed = [pool for pool in pools_above(plan, item) if not pool.of(resource).draws]
    if closed:
        names = " and ".join(pool.label for pool in closed)
        draws: list[Change] = [(pool.id, {f"{resource}.draws": True}) for pool in closed]
        yield f"reserve {shown}, and let {names} draw on the pool above", [*draws, change]


def _elsewhere(
    plan: Plan, division: Division, item: Guest | Pool, resource: Resource
) -> Iterator[tuple[str, list[Change]]]:
    """Move it to where shares win most, and to the top."""
    key, here = ("pool", item.pool) if isinstance(item, Guest) else ("parent", item.parent)
    if here is not None:
        yield "move it to the top, beside the pools", [(item.id, {key: None})]
    level = division.of(resource).level
    rows = [row for row in np.argsort(-np.nan_to_num(level, nan=-1.0, posinf=1e300)).tolist() if level[row] > 0]
    places = [division.ids[row] for row in rows if division.ids[row] not in (here, item.id)]
    for place in places[: _MOST_PLACES - 1]:
        yield f"move it to {plan.labels[place]}", [(item.id, {key: place})]
