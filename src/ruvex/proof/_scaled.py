"""The CPU of one host, or of one pool on it, scaled to the processors of this machine."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Final

from ruvex.divide import Division, PlacePart, divide, places_of
from ruvex.plan import Demand, EditError, Guest, GuestCpu, Host, Plan, Pool, PoolCpu, ThinMemory
from ruvex.site import site_of

_MHZ: Final = 1000.0
MOST_GUESTS: Final = 200
_LEAST_LIMIT: Final = 0.01
"""Below this part of a processor the kernel has no limit."""


@dataclass(frozen=True, slots=True)
class Party:
    """A pool or guest on the kernel.

    Attributes
    ----------
    item, parent
        Its id, and that of the pool it is in, None at the top.
    weight, limit
        Weight among its peers; limit in processors, None without.
    wants, expected
        What it wants, and what Ruvex delivers, in processors of this machine; of a pool the sums.
    is_pool
        Whether it is a pool.
    """

    item: str
    parent: str | None
    weight: float
    limit: float | None
    wants: float
    expected: float
    is_pool: bool


@dataclass(frozen=True, slots=True)
class Scaled:
    """What is to be proved.

    Attributes
    ----------
    parties
        Pools and guests, pools before those in them.
    processors
        How many processors of this machine it is for.
    mhz
        What one of them stands for.
    told
        What is otherwise than in the plan, a sentence each.
    """

    parties: tuple[Party, ...]
    processors: int
    mhz: float
    told: tuple[str, ...]


def scaled_to(division: Division, processors: int, *, host: str | None = None, pool: str | None = None) -> Scaled:
    """Scale what a division has on one host, or of one pool there, to some processors.

    The kernel has no promise of CPU, so reservations are left out on both sides; weights and limits are those that the
    division has on the host, apportioned where a pool spans several.

    Parameters
    ----------
    host
        The host's id; the first that is up if left out.
    pool
        A pool's id: then what it gets is all there is.

    Raises
    ------
    EditError
        There is no such host or pool, nobody is on there, or more than 200 guests are.
    """
    part = _part_of(division, host)
    told: list[str] = []
    plan = division.site.plan
    bounds = {guest.id: {"limit": guest.cpu.limit, "reservation": guest.cpu.reservation} for guest in plan.guests}
    rows = [row | bounds.get(row["id"], {}) for row in part.rows if row["kind"] == "pool" or row["wanted"] > 0]
    own = {guest.id for guest in plan.guests if guest.dedicated_cores}
    if any(row["id"] in own for row in rows):
        names = ", ".join(guest.label for guest in plan.guests if guest.id in own)
        told.append(f"{names}: left out, with cores of its own nobody competes with it.")
    rows, supply = [row for row in rows if row["id"] not in own], float(part.amount)
    if pool is not None:
        whole = next((row for row in rows if row["id"] == pool), None)
        if whole is None:
            raise EditError(f"the pool {pool!r} has nobody on that host")
        supply = float(whole["delivered"])
        rows = [row | {"parent": None if row["parent"] == pool else row["parent"]} for row in _below(rows, pool)]
    rows = _with_somebody(rows)
    guests = sum(row["kind"] == "guest" for row in rows)
    if not guests or supply <= 0:
        raise EditError("nobody wants CPU there; choose another moment, host or pool")
    if guests > MOST_GUESTS:
        raise EditError(f"{guests} guests are more than {MOST_GUESTS} that can be run here; choose a pool")
    if any(row["reservation"] > 0 for row in rows):
        told.append("Reservations are left out on both sides: the kernel has no promise of CPU.")
    factor = processors / supply
    small = [row["id"] for row in rows if row["limit"] is not None and row["limit"] * factor < _LEAST_LIMIT]
    if small:
        told.append(
            f"{', '.join(small[:4])}: the limit is raised to what the kernel can keep, a hundredth of a processor."
        )
    parties = _divided(rows, processors, factor)
    return Scaled(parties, processors, supply / processors, tuple(told))


def _part_of(division: Division, host: str | None) -> PlacePart:
    parts = [PlacePart(division, division.cpu, place) for place in places_of(division.cpu)]
    found = next((part for part in parts if host is None or part.host == host), None)
    if found is None:
        names = ", ".join(part.host for part in parts) or "none that is up"
        raise EditError(f"there is no host {host!r}; there are {names}" if host else "no host is up")
    return found


def _below(rows: Sequence[dict[str, Any]], pool: str) -> list[dict[str, Any]]:
    inside = {pool}
    for row in rows:
        if row["parent"] in inside:
            inside.add(row["id"])
    return [row for row in rows if row["id"] in inside and row["id"] != pool]


def _with_somebody(rows: Iterable[dict[str, Any]]) -> list[dict[str, Any]]:
    rows = list(rows)
    parents = {row["id"]: row["parent"] for row in rows}
    used: set[str] = set()
    for row in rows:
        at = row["id"] if row["kind"] == "guest" else None
        while at is not None and at not in used:
            used.add(at)
            at = parents.get(at)
    return [row for row in rows if row["id"] in used]


def _divided(rows: Sequence[dict[str, Any]], processors: int, factor: float) -> tuple[Party, ...]:
    """Divide the processors by the engine, as the plan that is put to the kernel has it."""

    def limit_of(row: dict[str, Any]) -> float | None:
        return None if row["limit"] is None else max(row["limit"] * factor, _LEAST_LIMIT) * _MHZ

    host = Host(
        id="here", sockets=1, cores_per_socket=processors, threads_per_core=1, mhz=_MHZ, numa_nodes=1, memory_mib=1e9
    )
    pools = tuple(
        Pool(id=row["id"], parent=row["parent"], cpu=PoolCpu(limit=limit_of(row), shares=row["weight"]))
        for row in rows if row["kind"] == "pool"
    )  # fmt: skip
    guests = tuple(
        Guest(
            id=row["id"], pool=row["parent"], vcpus=max(1, math.ceil(row["wanted"] * factor)),
            cpu=GuestCpu(limit=limit_of(row), shares=row["weight"]), memory=ThinMemory(size=1.0),
            demand=Demand(cpu=min(row["wanted"] * factor, processors) * _MHZ, working=0.0, touched=0.0),
        )
        for row in rows if row["kind"] == "guest"
    )  # fmt: skip
    found = divide(site_of(Plan(hosts=(host,), pools=pools, guests=guests), {}))
    return tuple(
        Party(
            row["id"], row["parent"], row["weight"],
            None if row["limit"] is None else max(row["limit"] * factor, _LEAST_LIMIT),
            float(found.cpu.wanted[found.position[row["id"]]]) / _MHZ,
            float(found.cpu.delivered[found.position[row["id"]]]) / _MHZ, row["kind"] == "pool",
        )
        for row in rows
    )  # fmt: skip
