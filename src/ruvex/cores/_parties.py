"""What competes for the threads of one host, as arrays: its part of the pool tree, its guests, and their vCPUs."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Division
from ruvex.engine import rows as r
from ruvex.engine import turn_rows as t
from ruvex.plan import Guest, Host
from ruvex.site import cores_of

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

_ALWAYS: Final = 1.0 - 1e-9
_NEVER_MS: Final = 1e12


@dataclass(frozen=True, slots=True, eq=False)
class Parties:
    """The arrays that ``run_turns`` takes, of one host at one moment; a run writes into copies.

    Attributes
    ----------
    host, mhz
        Which host, and what a thread does in full, MHz.
    floats, ints
        Of parties: the root, then pools, guests and vCPUs, members of each side by side.
    numbers, vcpus
        Of vCPUs; those of a party are neighbours.
    things
        By party: what it is, ``("pool" or "guest", id)``, or None for the root and vCPUs.
    guest_of, number_of
        By vCPU: its guest's position in the plan, and its number within it.
    allowed, is_free
        Which threads each row of ``C_ALLOWED`` may run on; whether all may everywhere.
    homes, node_of, width
        The NUMA node each vCPU is at home at, that of each thread, and how many threads a core has.
    speeds
        Of a thread whose core is its own, and of one that shares it, parts of ``mhz``.
    """

    host: Host
    mhz: float
    floats: Floats
    ints: Ints
    numbers: Floats
    vcpus: Ints
    things: tuple[tuple[str, str] | None, ...]
    guest_of: Ints
    number_of: Ints
    allowed: NDArray[np.uint8]
    is_free: bool
    homes: Ints
    node_of: Ints
    width: int
    speeds: Floats

    @property
    def threads(self) -> int:
        """How many hardware threads the host has."""
        return int(self.node_of.size)


class _Growing:
    """Parties while they are listed, members of each side by side."""

    def __init__(self) -> None:
        self.above: list[int] = [-1]
        self.weight: list[float] = [1.0]
        self.limit: list[float] = [math.inf]
        self.promise: list[float] = [0.0]
        self.things: list[tuple[str, str] | None] = [None]
        self.vcpu_of: list[int] = [-1]
        self.members: list[tuple[int, int]] = [(1, 1)]

    def add(
        self, above: int, weight: float, limit: float, promise: float, thing: tuple[str, str] | None, vcpu: int = -1
    ) -> int:
        """Add a party; gives its number."""
        self.above.append(above)
        self.weight.append(weight)
        self.limit.append(limit)
        self.promise.append(promise)
        self.things.append(thing)
        self.vcpu_of.append(vcpu)
        self.members.append((0, 0))
        return len(self.above) - 1


def parties_of(division: Division, host: str) -> Parties:
    """Give what competes for the threads of a host at the moment of a division.

    Weights, limits and promises of pools are their parts on this host; what a guest wants there is spread evenly over
    its vCPUs, in bursts as its demand says.

    Raises
    ------
    KeyError
        There is no such host.
    """
    plan, solved = division.site.plan, division.solved
    place = plan.host_index[host]
    machine, site = plan.hosts[place], division.site
    trees = site.forest.trees
    width = machine.threads_per_core
    in_full = (1.0 + (width - 1) * machine.smt_yield) / width
    gross = machine.cores * machine.mhz * in_full * width
    # What the hypervisor needs itself makes every thread a little slower.
    full = max(0.0, 1.0 - machine.overhead_mhz / gross)
    period = plan.rules.turns.period_ms
    growing = _Growing()
    nodes: list[tuple[int, int]] = [(int(trees.places[r.L_FIRST, place]), 0)]
    guests: list[tuple[int, int]] = []
    here = trees.places[r.L_LAST, place] > trees.places[r.L_FIRST, place]
    while nodes and here:
        node, party = nodes.pop(0)
        first = len(growing.above)
        for slot in range(int(trees.nodes[r.N_FIRST, node]), int(trees.nodes[r.N_LAST, node])):
            child, guest = int(trees.slots[r.T_NODE, slot]), int(trees.slots[r.T_GUEST, slot])
            weight = float(solved.asks[r.A_WEIGHT, slot])
            if child >= 0:
                pool = plan.pools[int(trees.nodes[r.N_POOL, child])]
                limit, promise = solved.known[[r.V_LIMIT, r.V_RESERVATION], child].tolist()
                nodes.append((child, growing.add(party, weight, limit, promise, ("pool", pool.id))))
            else:
                limit, promise = site.guests[[r.G_CPU_LIMIT, r.G_CPU_RESERVATION], guest].tolist()
                guests.append((guest, growing.add(party, weight, limit, promise, ("guest", plan.guests[guest].id))))
        growing.members[party] = (first, len(growing.above))
    for guest, party in guests:
        first = len(growing.above)
        for number in range(plan.guests[guest].vcpus):
            growing.add(party, 1.0, math.inf, 0.0, None, number)
        growing.members[party] = (first, len(growing.above))
    return _arrays(division, machine, growing, {party: guest for guest, party in guests}, full, in_full, period)


def _arrays(
    division: Division, machine: Host, growing: _Growing, guest_at: dict[int, int], full: float, in_full: float,
    period: float,
) -> Parties:  # fmt: skip
    plan, width, mhz = division.site.plan, machine.threads_per_core, machine.mhz
    count = len(growing.above)
    floats, ints = np.zeros((t.PARTY_FLOATS, count)), np.zeros((t.PARTY_INTS, count), dtype=np.int64)
    floats[t.V_WEIGHT_OF] = growing.weight
    floats[t.V_BUDGET] = np.array(growing.limit) / mhz * period
    floats[t.V_RESERVED] = np.array(growing.promise) / mhz * period
    floats[t.V_SAFE] = -math.inf
    ints[t.P_ABOVE] = growing.above
    ints[[t.P_FIRST_MEMBER, t.P_LAST_MEMBER]] = np.array(growing.members, dtype=np.int64).T
    ints[t.P_IS_VCPU] = np.array(growing.vcpu_of) >= 0
    order: list[int] = []
    # In the order of the tree, so that the vCPUs below each party are neighbours.
    waiting = [(0, False)]
    while waiting:
        party, is_left = waiting.pop()
        if is_left:
            ints[t.P_LAST_VCPU, party] = len(order)
            continue
        ints[t.P_FIRST_VCPU, party] = len(order)
        if growing.vcpu_of[party] >= 0:
            order.append(party)
        waiting.append((party, True))
        first, last = growing.members[party]
        waiting += [(member, False) for member in range(last - 1, first - 1, -1)]
    numbers, vcpus = np.zeros((t.VCPU_FLOATS, len(order))), np.zeros((t.VCPU_INTS, len(order)), dtype=np.int64)
    guest_of, number_of = np.zeros(len(order), dtype=np.int64), np.zeros(len(order), dtype=np.int64)
    wanted = division.cpu.wanted_of_guests
    threads = machine.cores * width
    rows, is_row = [np.ones(threads, dtype=np.uint8)], dict[int, int]()
    may = cores_of(plan.guests, guest_at.values(), machine)
    for guest, cores in may.items():
        if plan.guests[guest].dedicated_cores:
            rows[0][_threads(cores, width)] = 0
    homes = np.full(len(order), -1, dtype=np.int64)
    for vcpu, party in enumerate(order):
        above = growing.above[party]
        guest = guest_at[above]
        item = plan.guests[guest]
        vcpus[[t.C_PARTY, t.C_RULE], vcpu] = party, above
        guest_of[vcpu], number_of[vcpu] = guest, growing.vcpu_of[party]
        duty = float(wanted[guest]) / (item.vcpus * mhz)
        burst = item.demand.burst
        if duty < _ALWAYS:
            vcpus[t.C_DEMAND, vcpu] = t.EVEN if burst.even or duty <= 0 else t.EXPONENTIAL
            numbers[t.C_BURST_MS, vcpu] = burst.ms
            numbers[t.C_SLEEP_MS, vcpu] = min(burst.ms * (1.0 / duty - 1.0), _NEVER_MS) if duty > 0 else _NEVER_MS
        if guest not in is_row:
            row = _threads_of(item, may.get(guest), rows[0], width)
            is_row[guest] = 0 if row is None else len(rows)
            if row is not None:
                rows.append(row)
        vcpus[t.C_ALLOWED, vcpu] = is_row[guest]
        homes[vcpu] = _home(division, guest, machine)
    allowed = np.stack(rows)
    core_of = np.arange(threads) // width
    per_node = max(1.0, machine.cores / machine.numa_nodes)
    return Parties(
        machine, mhz, floats, ints, numbers, vcpus, tuple(growing.things), guest_of, number_of, allowed,
        bool(allowed.all()), homes, np.minimum(core_of / per_node, machine.numa_nodes - 1).astype(np.int64), width,
        np.array([full, full * in_full]),
    )  # fmt: skip


def _threads(cores: tuple[int, ...], width: int) -> list[int]:
    return [core * width + thread for core in cores for thread in range(width)]


def _threads_of(
    guest: Guest, cores: tuple[int, ...] | None, others: NDArray[np.uint8], width: int
) -> NDArray[np.uint8] | None:
    """Give the threads a guest may run on, where those are not the same as ``others`` may run on: then None."""
    if cores is None and guest.cores.second_threads:
        return None
    row = others.copy()
    if cores is not None:
        row[:] = 0
        row[_threads(cores, width)] = 1
    if not guest.cores.second_threads and not guest.dedicated_cores:
        row[np.arange(row.size) % width > 0] = 0
    return row


def _home(division: Division, guest: int, machine: Host) -> int:
    """Give the NUMA node of its host at which a guest has most of its memory, −1 where that does not matter."""
    if machine.numa_nodes < 2:
        return -1
    first, nodes, _ = division.site.forest.homes
    if guest + 1 >= first.size or first[guest] == first[guest + 1]:
        return -1
    hosts = division.site.hosts[r.H_NODES]
    begins = int(hosts[: division.site.plan.host_index[machine.id]].sum())
    return int(nodes[first[guest]]) - begins
