"""On which cores of their hosts guests may run: cores of their own, cores they are kept to, side by side."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r
from ruvex.plan import Guest, Host, Plan

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


def cores_of(guests: Sequence[Guest], here: Iterable[int], machine: Host) -> dict[int, tuple[int, ...]]:
    """Give the cores that guests on a host may run on, by their positions; who is not in it may run on all others.

    Cores of one's own are taken from the last core down, and nobody else runs there. Guests whose vCPUs keep side by
    side get as many cores as they fill, one guest after the other in the order of the plan, counted round.

    Examples
    --------
    >>> machine = Host(id="h", sockets=1, cores_per_socket=4, threads_per_core=1)
    >>> own, kept = Guest(id="a", vcpus=1, dedicated_cores=True), Guest(id="b", cores={"only": [2, 3]})
    >>> cores_of((own, kept), (0, 1), machine)
    {0: (3,), 1: (2,)}
    """
    found: dict[int, tuple[int, ...]] = {}
    free, next_core, positions = machine.cores, 0, sorted(here)
    for position in positions:
        if guests[position].dedicated_cores:
            first = max(0, free - guests[position].vcpus)
            found[position] = tuple(range(first, free))
            free = first
    for position in positions:
        guest = guests[position]
        wish = guest.cores
        if guest.dedicated_cores or (wish.only is None and not wish.side_by_side):
            continue
        usable = [core for core in range(free) if wish.only is None or core in wish.only]
        if wish.side_by_side:
            fills = math.ceil(guest.vcpus / machine.threads_per_core)
            usable = sorted({usable[(next_core + i) % len(usable)] for i in range(min(fills, len(usable)))})
            next_core += fills
        found[position] = tuple(usable)
    return found


@dataclass(frozen=True, slots=True, eq=False)
class Kept:
    """The sets of cores that guests of a standing are kept to.

    Attributes
    ----------
    set_of
        Shape (guests,): the set each guest is kept to, −1 for none.
    first
        Shape (hosts + 1,): where the sets of each host begin.
    allowed
        Shape (sets, cores): 1 where a core belongs to a set.
    slots, nodes, places
        How large the forest is.
    """

    set_of: Ints
    first: Ints
    allowed: Ints
    slots: int
    nodes: int
    places: int

    def as_taken(self) -> tuple[Any, ...]:
        """Give it as ``fit_to_cores`` takes it, with room of its own."""
        sets, cores = self.allowed.shape
        slots, nodes, places = (self.slots, self.nodes, self.places) if sets else (0, 0, 0)
        room = (
            np.zeros((r.A_ROWS, slots)), np.zeros((8, nodes)), np.zeros((r.A_ROWS, slots)), np.zeros((8, nodes)),
            np.zeros((r.Q_ROWS, places)), np.zeros(slots), np.zeros(slots), np.zeros((6, sets)), np.zeros((5, cores)),
            np.zeros((sets, cores)),
        )  # fmt: skip
        return self.set_of, self.first, self.allowed, room

    def capacity_mhz(self, host: int, mhz: float, sets: Iterable[int]) -> float:
        """Give what the cores of some sets of a host can promise together: a second thread is never promised."""
        rows = self.allowed[list(sets)]
        return float(np.count_nonzero(rows.any(axis=0))) * mhz if rows.size else 0.0


def kept_of(plan: Plan, wishing: Sequence[int], of_guests: Ints, shape: tuple[int, int, int]) -> Kept:
    """Number the sets of cores for a standing.

    Parameters
    ----------
    plan
        The plan.
    wishing
        The positions of guests that have a wish for cores, or some of their own.
    of_guests
        As ``Standing.of_guests``.
    shape
        How many slots, nodes and places the forest has.
    """
    hosts = max(len(plan.hosts), 1)
    set_of, first = np.full(of_guests.shape[1], -1, dtype=np.int64), np.zeros(hosts + 1, dtype=np.int64)
    sets: list[tuple[int, ...]] = []
    here: dict[int, list[int]] = {}
    for at in wishing:
        if of_guests[r.S_ON, at] and plan.hosts:
            here.setdefault(int(of_guests[r.S_HOST, at]), []).append(at)
    for host, machine in enumerate(plan.hosts):
        known: dict[tuple[int, ...], int] = {}
        found: Mapping[int, tuple[int, ...]] = cores_of(plan.guests, here.get(host, ()), machine)
        taken = {core for at, cores in found.items() if plan.guests[at].dedicated_cores for core in cores}
        free = machine.cores - len(taken)
        # Second threads of cores that somebody has for itself are nobody else's: all others are kept to the rest.
        is_shared = bool(taken) and machine.threads_per_core > 1
        everyone = (
            np.flatnonzero((of_guests[r.S_ON] != 0) & (of_guests[r.S_HOST] == host)).tolist() if is_shared else ()
        )
        for at in (*found, *(at for at in everyone if at not in found)):
            cores = found.get(at, tuple(range(free)))
            if not plan.guests[at].dedicated_cores and (is_shared or len(cores) < free):
                set_of[at] = known.setdefault(cores, len(sets) + len(known))
        sets += known
        first[host + 1] = len(sets)
    width = max((host.cores for host in plan.hosts), default=0) if sets else 0
    allowed = np.zeros((len(sets), width), dtype=np.int64)
    for at, cores in enumerate(sets):
        allowed[at, list(cores)] = 1
    return Kept(set_of, first, allowed, *shape)
