"""What another choice would make of a guest's own work and of its neighbours' waits, in medians of some windows."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.cores._parties import parties_of
from ruvex.cores._trace import NoCoresError, TurnFigures, TurnTrace, median_of, trace
from ruvex.divide import Division, demand_at, divide
from ruvex.engine import turn_rows as t
from ruvex.plan import Changes, FixedMemory, Guest, Host, add_items, change_many

Floats = NDArray[np.float64]

WINDOWS: Final = 9
VCPUS: Final = (2, 4, 8, 16)
_MOST_COPIES: Final = 400


@dataclass(frozen=True, slots=True, eq=False)
class Answer:
    """What some windows came to for a guest and for the others on its host.

    Attributes
    ----------
    own, neighbours
        Medians over the windows: of the guest, None where it is not on there; and of all others on the host together.
    neighbours_waits
        Every wait of the others, of all windows, ms.
    windows
        How many windows were run.
    """

    own: TurnFigures | None
    neighbours: TurnFigures
    neighbours_waits: Floats
    windows: int


def answer_of(
    division: Division, host: str, guest: str | None, *, for_s: float = 2.0, seed: int = 1, windows: int = WINDOWS
) -> Answer:
    """Run some windows with following seeds; raises as ``trace``."""
    parties = parties_of(division, host)
    plan = division.site.plan
    at = plan.guest_index.get(guest, -1) if guest is not None else -1
    is_own = parties.guest_of == at
    own, neighbours, waits = list[TurnFigures](), list[TurnFigures](), list[Floats]()
    for number in range(windows):
        found = trace(division, host, for_s=for_s, seed=seed + number, parties=parties)
        if is_own.any():
            own.append(found.of_vcpus(np.flatnonzero(is_own)))
        neighbours.append(found.of_vcpus(np.flatnonzero(~is_own)))
        waits.append(found.waits[t.WAIT_MS, ~is_own[found.waits[t.WAIT_VCPU].astype(np.int64)]])
    return Answer(median_of(own) if own else None, median_of(neighbours), np.concatenate(waits), windows)


def changed(division: Division, changes: Changes) -> Division:
    """Give a division as it would be with other settings of guests or rules, what they want staying the same.

    Of a play the figures stay what they were: what of them is new comes from the turns.

    Raises
    ------
    EditError
        The settings break a rule of the plan.
    """
    site = division.site.with_plan(change_many(division.site.plan, changes))
    return division.over(site) if division.is_played else divide(site, demand=division.demand)


def vcpu_choices(guest: Guest) -> tuple[int, ...]:
    """Give the numbers of vCPUs that are worth trying for a guest, its own among them, rising."""
    return tuple(sorted({*VCPUS, guest.vcpus}))


def vcpu_change(guest: Guest, host: Host, vcpus: int) -> dict[str, Any]:
    """Give the settings of a guest with so many vCPUs; a reservation beyond what they can use is lowered to that."""
    return {"vcpus": vcpus} | _lowered(guest, vcpus * host.mhz)


def part_limit(guest: Guest, host: Host, part: float) -> dict[str, Any]:
    """Give the settings of a guest that keeps its vCPUs and is limited to a part (0 to 1) of them at full speed."""
    most = guest.vcpus * host.mhz * part
    return {"cpu.limit": most} | _lowered(guest, most)


def _lowered(guest: Guest, most: float) -> dict[str, Any]:
    return {"cpu.reservation": most} if guest.cpu.reservation > most else {}


def vcpu_answers(
    division: Division, host: str, guest: str, *, for_s: float = 2.0, seed: int = 1, windows: int = WINDOWS
) -> dict[int, Answer]:
    """Answer for each of ``vcpu_choices``; raises as ``trace`` and ``changed``."""
    plan = division.site.plan
    item, machine = plan.guests[plan.guest_index[guest]], plan.hosts[plan.host_index[host]]
    return {
        vcpus: answer_of(
            division if vcpus == item.vcpus else changed(division, [(guest, vcpu_change(item, machine, vcpus))]),
            host, guest, for_s=for_s, seed=seed, windows=windows,
        )
        for vcpus in vcpu_choices(item)
    }  # fmt: skip


def limited_answer(
    division: Division, host: str, guest: str, part: float, *, for_s: float = 2.0, seed: int = 1, windows: int = WINDOWS
) -> Answer:
    """Answer for all of a guest's vCPUs with a limit of a part of them at full speed; raises as ``vcpu_answers``."""
    plan = division.site.plan
    change = part_limit(plan.guests[plan.guest_index[guest]], plan.hosts[plan.host_index[host]], part)
    tried = changed(division, [(guest, change)])
    return answer_of(tried, host, guest, for_s=for_s, seed=seed, windows=windows)


@dataclass(frozen=True, slots=True)
class RoomForMore:
    """How many more like a guest its host bears until waits grow too long.

    Attributes
    ----------
    most
        The largest number of further copies at which the 95th percentile of waits stays within what was set; None
        where it is beyond that with none.
    is_all
        As many as were tried stay within it.
    tried
        What was tried, rising: copies, vCPUs for each core, and the 95th percentile of all waits on the host, ms.
    """

    most: int | None
    is_all: bool
    tried: tuple[tuple[int, float, float], ...]


def crowd_of(
    division: Division, host: str, guest: str, p95_ms: float, *, for_s: float = 2.0, seed: int = 1, windows: int = 3,
    goes_on: Callable[[], bool] = lambda: True,
) -> RoomForMore:  # fmt: skip
    """Find how many more like a guest the host bears until the 95th percentile of waits on it passes a value.

    Copies stand beside the guest, with its vCPUs, shares, limit and demand, but no reservation and no memory to speak
    of. What all of them get is settled anew each time, also at a moment that was played.

    Parameters
    ----------
    p95_ms
        What waits may not pass, ms.
    goes_on
        Asked before each number of copies; where it says no, what is known so far is given.

    Raises
    ------
    NoCoresError
        As ``trace``; or the guest is not on the host.
    """
    plan = division.site.plan
    item = plan.guests[plan.guest_index[guest]]
    machine = plan.hosts[plan.host_index[host]]
    there = int((parties_of(division, host).guest_of == plan.guest_index[guest]).sum())
    if not there:
        raise NoCoresError(f"{item.label} is not on at {machine.label}")
    known: dict[int, float] = {}
    vcpus = int(parties_of(division, host).guest_of.size)

    def p95(copies: int) -> float:
        if copies not in known:
            crowded = _with_copies(division, item, host, copies) if copies else division
            parties = parties_of(crowded, host)
            found = [trace(crowded, host, for_s=for_s, seed=seed + i, parties=parties) for i in range(windows)]
            known[copies] = median_of([_of_all(one) for one in found]).p95_ms
        return known[copies]

    low, high = (0, 1) if p95(0) <= p95_ms else (-1, 0)
    while low >= 0 and high < _MOST_COPIES and goes_on() and p95(high) <= p95_ms:
        low, high = high, min(high * 2, _MOST_COPIES)
    is_all = high == _MOST_COPIES and goes_on() and p95(high) <= p95_ms
    while not is_all and high - low > 1 and goes_on():
        middle = (low + high) // 2
        low, high = (middle, high) if p95(middle) <= p95_ms else (low, middle)
    tried = tuple((n, (vcpus + n * item.vcpus) / machine.cores, found) for n, found in sorted(known.items()))
    return RoomForMore(None if low < 0 else high if is_all else low, is_all, tried)


def _of_all(found: TurnTrace) -> TurnFigures:
    return found.of_vcpus(range(found.parties.guest_of.size))


def _with_copies(division: Division, item: Guest, host: str, copies: int) -> Division:
    plan = division.site.plan
    taken = {thing.id for thing in (*plan.hosts, *plan.stores, *plan.pools, *plan.guests)}
    names = _free_names(item.id, copies, taken)
    demand = item.demand.model_copy(update={"working": 1.0, "touched": 1.0, "greedy": False})
    plain = item.model_copy(update={
        "host": host, "power": "on", "dedicated_cores": False, "demand": demand,
        "cpu": item.cpu.model_copy(update={"reservation": 0.0}), "memory": FixedMemory(mode="fixed", size=1.0),
    })  # fmt: skip
    added = [plain.model_copy(update={"id": name, "name": ""}) for name in names]
    site = division.site.with_plan(add_items(plan, added))
    return divide(site, demand=demand_at(site, division.at_s))


def _free_names(stem: str, count: int, taken: set[str]) -> Sequence[str]:
    found, number = list[str](), 0
    while len(found) < count:
        number += 1
        name = f"{stem}-like-{number}"
        if name not in taken:
            found.append(name)
    return found
