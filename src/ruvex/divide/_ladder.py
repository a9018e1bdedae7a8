"""Why a row gets what it gets: the steps that add up to its figure, and what stops it there."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Final, Literal

import numpy as np

from ruvex.divide import _compiled as c
from ruvex.divide._asks import ask
from ruvex.divide._causes import CAUSES, causes_of
from ruvex.divide._compiled import Compiled
from ruvex.divide._division import RESOURCES, Division, ResourceDivision, solve
from ruvex.divide._parts import Shifts, shifts_between

RungKind = Literal["promised", "lent", "broken", "won", "headroom"]

_NOISE: Final = 1e-9
_SETTING: Final = {
    ("cpu", None): c.CPU_RESERVATION, ("memory", c.THIN): c.MEMORY_RESERVATION, ("memory", c.ELASTIC): c.FLOOR,
}  # fmt: skip


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
        What one unit of weight wins at its node; infinity where everybody there has enough.
    weight, peer_weight
        Its own weight, and that of all who compete there, itself included.
    peers
        The others who compete there, those with the largest weight first.
    path
        From the top down to the row: id (None for the supply), delivered and wanted.
    """

    item: str
    resource: str
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


def ladder_of(division: Division, item: str, resource: str) -> Ladder:
    """Explain what a guest or pool gets of ``cpu`` or ``memory``.

    Raises
    ------
    KeyError
        The division has no such row.
    """
    r: ResourceDivision = getattr(division, resource)
    row = division.position[item]
    parent = int(division.parent_row[row])
    delivered, wanted = float(r.delivered[row]), float(r.wanted[row])
    peers = np.flatnonzero((division.parent_row == parent) & division.on)
    others = peers[peers != row]
    others = others[np.argsort(-r.weight[others], kind="stable")]
    return Ladder(
        item=item,
        resource=resource,
        delivered=delivered,
        wanted=wanted,
        held=max(0.0, delivered + float(r.unmet[row]) - wanted),
        rungs=_rungs(r, row),
        stops=_stops(division, resource, row),
        level=r.top_level if parent < 0 else float(r.level[parent]),
        weight=float(r.weight[row]),
        peer_weight=float(r.weight[peers].sum()),
        peers=tuple(division.ids[i] for i in others.tolist()),
        path=_path(division, r, row),
    )


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


def _stops(division: Division, resource: str, row: int) -> tuple[Stop, ...]:
    r: ResourceDivision = getattr(division, resource)
    unmet, causes = float(r.unmet[row]), causes_of(division, resource)
    if not causes.code[row]:
        return ()
    if not np.isnan(r.level[row]):
        own = 0.0
    else:
        own = min(unmet, max(0.0, float(r.wanted[row]) - max(float(r.cap[row]), float(r.delivered[row]))))
    stops = []
    pool_row = int(causes.pool_row[row])
    pool = None if pool_row < 0 else division.ids[pool_row]
    if unmet - own > _NOISE * max(1.0, unmet):
        stops.append(Stop(causes.word(row), pool, unmet - own))
    if own > 0:
        is_stopped_above = causes.word(row) in ("supply", "pool's limit")
        word = _own_cause(division, r, row) if is_stopped_above else causes.word(row)
        stops.append(Stop(word, None, own))
    if not stops:
        # All that was asked of the host is there, and the working set is larger still.
        stops.append(Stop(causes.word(row), pool, float(division.layers.self_paged[row])))
    return tuple(stops)


def _own_cause(division: Division, r: ResourceDivision, row: int) -> str:
    """Name the setting that keeps a guest's cap under its want, where something else already keeps it lower."""
    is_elastic = r is division.memory and division.layers.mode[row] == c.ELASTIC
    return CAUSES[2] if is_elastic else CAUSES[1]


def _path(division: Division, r: ResourceDivision, row: int) -> tuple[tuple[str | None, float, float], ...]:
    way = []
    while row >= 0:
        way.append((division.ids[row], float(r.delivered[row]), float(r.wanted[row])))
        row = int(division.parent_row[row])
    return ((None, r.supply, r.total_wanted), *reversed(way))


def who_has_it(compiled: Compiled, division: Division, item: str) -> Mapping[str, Shifts]:
    """Tell who holds what a row lacks: those who would have to pay if it were promised all it may have.

    The answer is another division in which that promise stands, compared with this one, for each resource of which
    the row lacks anything that others could give.

    Parameters
    ----------
    compiled, division
        The plan and its division at a moment; both over the same rows.
    item
        The id of a guest or pool.
    """
    row, tree = division.position[item], compiled.tree
    guests, pools = compiled.guests.copy(), compiled.pools.copy()
    member = int(tree.layout.members[row])
    for k, name in enumerate(RESOURCES):
        cap = float(getattr(division, name).cap[row])
        if member < tree.pool_count:
            pools[0, k, member] = cap
            continue
        place = member - tree.pool_count
        setting = _SETTING.get((name, None if name == "cpu" else float(guests[c.MODE, place])))
        if setting is not None:
            guests[setting, place] = cap
    promised = replace(compiled, guests=guests, pools=pools)
    asks = ask(promised, division.demand)
    filled = solve(promised, asks)
    rows = tree.layout.members
    found = {}
    for k, name in enumerate(RESOURCES):
        before: ResourceDivision = getattr(division, name)
        after = replace(before, delivered=filled.delivered[k].take(rows))
        losses = shifts_between(before, after).losses
        if losses.rows.size and before.unmet[row] > _NOISE * max(1.0, before.supply):
            found[name] = losses
    return found
