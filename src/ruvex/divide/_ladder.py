"""Why a row gets what it gets: the steps that add up to its figure, and what stops it there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np

from ruvex.divide._cause import CAUSES
from ruvex.divide._causes import causes_of
from ruvex.divide._division import Division
from ruvex.divide._resource import ResourceDivision
from ruvex.divide._shifts import Shifts, shifts_between
from ruvex.divide._solve import solve
from ruvex.divide._sound import UnsoundDivisionError
from ruvex.engine import rows
from ruvex.plan import RESOURCES, Resource, format_time
from ruvex.site import Site

RungKind = Literal["promised", "lent", "broken", "won", "headroom"]

_NOISE: Final = 1e-9
_ADDED: Final = 1e-6
"""So much of the supply may be left over when the steps of a figure are added up: what was played has seven digits."""
_SETTING: Final = {
    ("cpu", None): rows.G_CPU_RESERVATION, ("memory", rows.THIN): rows.G_RESERVATION,
    ("memory", rows.ELASTIC): rows.G_FLOOR,
}  # fmt: skip


BEYOND_NEED: Final = "beyond its need"
"""Of a stop: no cause, as what is missing is not needed."""
_FROM_ABOVE: Final = ("supply", "bank", "pool's limit", "cores it is kept to")


@dataclass(frozen=True, slots=True)
class Rung:
    """One step of a ladder, MHz or MiB; negative where something goes away.

    ``promised`` is the claim, ``lent`` what of it is idle and serves others, ``broken`` what of it cannot be kept,
    ``won`` what shares win beyond it, ``headroom`` what is spare above the working set.
    """

    kind: RungKind
    amount: float


@dataclass(frozen=True, slots=True)
class Stop:
    """Something that keeps a row from having more, and how much it keeps back, MHz or MiB."""

    cause: str
    pool: str | None
    amount: float


@dataclass(frozen=True, slots=True)
class Ladder:
    """Why a row gets what it gets of one resource.

    Attributes
    ----------
    item, resource
        The id, and ``cpu`` or ``memory``.
    delivered, wanted, held
        Its figures; held is what it has beyond its want.
    rungs
        The steps; added from the first to the last they give ``delivered``, but for the last bit of the largest.
    stops
        What keeps back what it lacks; they add up to that. Empty where it has all it wants.
    level
        What one unit of weight wins at its node; infinity where everybody there has enough, NaN for a pool that
        competes in several places.
    weight, peer_weight
        Its own weight, and that of all who compete there, itself included.
    peers
        The others who compete there, those with the largest weight first.
    host
        The id of the host of a guest, None for a pool.
    path
        From the top down to the row: id (None for the supply of its place), delivered and wanted.
    """

    item: str
    resource: Resource
    delivered: float
    wanted: float
    held: float
    rungs: tuple[Rung, ...]
    stops: tuple[Stop, ...]
    level: float
    weight: float
    peer_weight: float
    peers: tuple[str, ...]
    path: tuple[tuple[str | None, float, float], ...]
    host: str | None


def ladder_of(division: Division, item: str, resource: Resource) -> Ladder:
    """Explain what a guest or pool gets of ``cpu`` or ``memory``.

    Raises
    ------
    KeyError
        The division has no such row.
    UnsoundDivisionError
        The steps do not add up to the figures: a mistake of ours.
    """
    r: ResourceDivision = division.of(resource)
    row = division.position[item]
    delivered, wanted = float(r.delivered[row]), float(r.wanted[row])
    weight, peer_weight, peers = _competitors(division, r, row)
    ladder = Ladder(
        item=item,
        resource=resource,
        delivered=delivered,
        wanted=wanted,
        held=max(0.0, delivered + float(r.unmet[row]) - wanted),
        rungs=_rungs(r, row),
        stops=_stops(division, resource, row),
        level=r.level_over(row),
        weight=weight,
        peer_weight=peer_weight,
        peers=peers,
        path=_path(division, r, row),
        host=division.host_of(row),
    )
    _check_adds_up(division, r, ladder)
    return ladder


def _check_adds_up(division: Division, r: ResourceDivision, ladder: Ladder) -> None:
    """See that the steps lead to what is delivered, and what is kept back to what is wanted.

    A working set beyond its guest's own size is asked of nobody, and kept back by that size all the same.
    """
    row = division.position[ladder.item]
    near = _ADDED * max(1.0, r.supply, ladder.wanted, ladder.delivered)
    unasked = float(division.layers.self_paged[row]) if ladder.resource == "memory" else 0.0
    leads_to = sum(rung.amount for rung in ladder.rungs)
    missing = ladder.wanted - ladder.delivered + ladder.held - sum(stop.amount for stop in ladder.stops)
    if abs(leads_to - ladder.delivered) > near or (abs(missing) > near and abs(missing + unasked) > near):
        name = f"{ladder.item} of {division.site.plan.name or 'the unnamed plan'} at {format_time(division.at_s)}"
        told = f"{ladder.delivered:.9g} of {ladder.wanted:.9g} delivered, {leads_to:.9g} explained"
        raise UnsoundDivisionError(
            f"why {name} has so much {ladder.resource} does not add up: {told}, {missing:.9g} left over"
        )


def _competitors(division: Division, r: ResourceDivision, row: int) -> tuple[float, float, tuple[str, ...]]:
    """Give the weight of a row, that of all who compete where it does, and who the others are."""
    owners = r.owners_of(row)
    if len(owners) == 1:
        trees, asks, layout = division.site.forest.trees, r.solved.asks, division.layout
        first, last = trees.nodes[[rows.N_FIRST, rows.N_LAST], owners[0]].tolist()
        weights = asks[rows.A_WEIGHT, first:last]
        nodes, guests = trees.slots[rows.T_NODE, first:last], trees.slots[rows.T_GUEST, first:last]
        pools = layout.parent.size
        things = np.where(guests >= 0, guests + pools, trees.nodes[rows.N_POOL].take(np.maximum(nodes, 0)))
        mine = int(layout.things[row])
        plan = division.site.plan
        names = [plan.pools[i].id if i < pools else plan.guests[i - pools].id for i in things.tolist()]
        order = np.argsort(-weights, kind="stable").tolist()
        own = float(weights[things == mine].sum())
        return own, float(weights.sum()), tuple(names[i] for i in order if things[i] != mine)
    peers = np.flatnonzero((division.parent_row == division.parent_row[row]) & division.on)
    others = peers[peers != row]
    others = others[np.argsort(-r.weight[others], kind="stable")]
    return float(r.weight[row]), float(r.weight[peers].sum()), tuple(division.ids[i] for i in others.tolist())


def _rungs(r: ResourceDivision, row: int) -> tuple[Rung, ...]:
    delivered, claim, floor = float(r.delivered[row]), float(r.claim[row]), float(r.floor[row])
    headroom = max(0.0, delivered - float(r.use[row]))
    parts: list[tuple[RungKind, float]] = [("promised", claim), ("lent", floor - claim)]
    least = _NOISE * max(1.0, delivered)
    if delivered < floor - least:
        parts.append(("broken", delivered - floor))
    else:
        parts += [("won", delivered - headroom - floor), ("headroom", headroom)]
    parts = [(kind, amount) for kind, amount in parts if abs(amount) > least]
    if not parts:
        return (Rung("won", delivered),) if delivered else ()
    # The last step is what is left to the figure, so that no rounding adds up on the way.
    last = delivered - sum((amount for _, amount in parts[:-1]), 0.0)
    return (*(Rung(kind, amount) for kind, amount in parts[:-1]), Rung(parts[-1][0], last))


def _stops(division: Division, resource: Resource, row: int) -> tuple[Stop, ...]:
    r: ResourceDivision = division.of(resource)
    unmet, causes = float(r.unmet[row]), causes_of(division, resource)
    if not causes.code[row]:
        # Nothing that it needs is missing: what it has touched beyond that has no memory behind it.
        return (Stop(BEYOND_NEED, None, unmet),) if unmet > _NOISE * max(1.0, r.supply) else ()
    if not r.is_guest[row]:
        return _stops_of_pool(division, r, row)
    own = min(unmet, max(0.0, float(r.wanted[row]) - max(float(r.cap[row]), float(r.delivered[row]))))
    stops = []
    pool_row = int(causes.pool_row[row])
    pool = None if pool_row < 0 else division.ids[pool_row]
    if unmet - own > _NOISE * max(1.0, unmet):
        stops.append(Stop(causes.word(row), pool, unmet - own))
    if own > 0:
        is_stopped_above = causes.word(row) in _FROM_ABOVE
        word = _own_cause(division, r, row) if is_stopped_above else causes.word(row)
        stops.append(Stop(word, None, own))
    if not stops:
        # All that was asked of the host is there, and the working set is larger still.
        stops.append(Stop(causes.word(row), pool, float(division.layers.self_paged[row])))
    return tuple(stops)


def _stops_of_pool(division: Division, r: ResourceDivision, row: int) -> tuple[Stop, ...]:
    """Add up what keeps back the guests of a pool, the largest part first; the parts add up to what it lacks."""
    causes = causes_of(division, r.name)
    below = np.flatnonzero(r.is_guest & (r.unmet > 0))
    above = division.parent_row[below]
    inside = np.zeros(below.size, dtype=np.bool_)
    while (above >= 0).any():
        inside |= above == row
        above = np.where(above >= 0, division.parent_row[np.maximum(above, 0)], -1)
    rows_in = below[inside]
    unmet = r.unmet[rows_in]
    own = np.clip(r.wanted[rows_in] - np.maximum(r.cap[rows_in], r.delivered[rows_in]), 0.0, unmet)
    found: dict[tuple[str, str | None], float] = {}
    for at, lacks, mine in zip(rows_in.tolist(), unmet.tolist(), own.tolist(), strict=True):
        word, limit = causes.word(at), int(causes.pool_row[at])
        from_above = word in _FROM_ABOVE
        key = (word or BEYOND_NEED, division.ids[limit] if limit >= 0 else None)
        found[key] = found.get(key, 0.0) + (lacks - mine if from_above else lacks)
        if from_above and mine > 0:
            key = (_own_cause(division, r, at), None)
            found[key] = found.get(key, 0.0) + mine
    least = _NOISE * max(1.0, float(r.unmet[row]))
    stops = [Stop(cause, pool, amount) for (cause, pool), amount in found.items() if cause and amount > least]
    return tuple(sorted(stops, key=lambda stop: -stop.amount))


def _own_cause(division: Division, r: ResourceDivision, row: int) -> str:
    """Name the setting that keeps a guest's cap under its want, where something else already keeps it lower."""
    is_elastic = r is division.memory and division.layers.mode[row] == rows.ELASTIC
    return CAUSES[2] if is_elastic else CAUSES[1]


def _path(division: Division, r: ResourceDivision, row: int) -> tuple[tuple[str | None, float, float], ...]:
    way = []
    owners = r.owners_of(row)
    supply, wanted = r.place_sums(owners[0]) if len(owners) == 1 else (r.supply, r.total_wanted)
    while row >= 0:
        way.append((division.ids[row], float(r.delivered[row]), float(r.wanted[row])))
        row = int(division.parent_row[row])
    return ((None, supply, wanted), *reversed(way))


def who_has_it(site: Site, division: Division, item: str) -> Mapping[Resource, Shifts]:
    """Tell who holds what a row lacks: those who would have to pay if it were promised all it may have.

    The answer is another division in which that promise stands, compared with this one, for each resource of which
    the row lacks anything that others could give.

    Parameters
    ----------
    site, division
        The plan and its division at a moment; both over the same rows.
    item
        The id of a guest or pool.
    """
    row = division.position[item]
    guests, pools = site.guests.copy(), site.pools.copy()
    thing = int(site.layout.things[row])
    for k, name in enumerate(RESOURCES):
        cap = float(division.of(name).cap[row])
        if thing < pools.shape[2]:
            pools[rows.P_RESERVATION, k, thing] = cap
            continue
        at = thing - pools.shape[2]
        setting = _SETTING.get((name, None if name == "cpu" else int(guests[rows.G_MODE, at])))
        if setting is not None:
            guests[setting, at] = cap
    promised = Division(
        solve(replace(site, guests=guests, pools=pools), division.demand, levels=division.levels), division.at_s
    )
    found = {}
    for name in RESOURCES:
        before: ResourceDivision = division.of(name)
        losses = shifts_between(before, promised.of(name)).losses
        if losses.rows.size and before.lacks[row] > _NOISE * max(1.0, before.supply):
            found[name] = losses
    return found
