"""A plan as arrays: what the division works on, and what one changed dial patches."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import compress
from operator import is_not
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._signals import SignalBank, gather_signals
from ruvex.divide._tree import Tree, build_tree
from ruvex.plan import ElasticMemory, FixedMemory, Guest, Host, Plan, Pool, ThinMemory, Traces

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

FIXED, ELASTIC, THIN = 0.0, 1.0, 2.0

# Rows of ``Compiled.guests``.
(
    ON, VCPUS, CORE_MHZ, CPU_RESERVATION, CPU_LIMIT, CPU_SHARES, MODE, SIZE, MEMORY_RESERVATION, MEMORY_LIMIT,
    MEMORY_SHARES, FLOOR, CEILING, HEADROOM, AGENT, DEDICATED, PLACE,
) = range(17)  # fmt: skip

# Rows of ``Compiled.hosts``.
HOST_MHZ, CORES, FURTHER_THREADS, SMT_YIELD, OVERHEAD_MHZ, GROSS_MIB, SPILL_MIB, IS_HDD, BANK_MIB = range(9)


@dataclass(frozen=True, slots=True, eq=False)
class Images:
    """The guests that may share pages: a group for each image on each host.

    Attributes
    ----------
    names, host
        By group: the image, and the position of the host.
    guests
        The guests of all groups, those of a group beside each other.
    first
        By group, where its guests begin.
    group
        By such guest, its group.
    """

    names: tuple[str, ...]
    host: Ints
    guests: Ints
    first: Ints
    group: Ints


@dataclass(frozen=True, slots=True, eq=False)
class Compiled:
    """A plan as flat arrays.

    Attributes
    ----------
    plan, traces
        What it was made from.
    tree
        The pool tree.
    guests
        Shape (17, guests): the settings of each guest, one row a setting; MHz, MiB, infinity where there is no
        limit; the place its memory comes from is 0, or for a bank one more than its host. Here and below, guests
        and pools stand in the order of the tree, not of the plan.
    pools
        Shape (4, 2, pools): reservation, limit, shares and whether it draws (1 or 0), each for CPU and memory.
    scaled
        Shape (pools,): which pools are member-scaled.
    host_of
        Shape (guests,): the position of each guest's host; 0 in a plan without hosts.
    hosts
        Shape (9, hosts): MHz of a core, cores, further threads, smt_yield, CPU overhead, memory after overhead,
        spill space (infinity: as much as needed), whether that is hard disk (1 or 0), and the size of its bank.
    images
        Which guests share an image on a host.
    signals
        The demand of all guests.
    """

    plan: Plan
    traces: Traces
    tree: Tree
    guests: Floats
    pools: Floats
    scaled: NDArray[np.bool_]
    host_of: Ints
    hosts: Floats
    images: Images
    signals: SignalBank

    def with_plan(self, plan: Plan, traces: Traces | None = None) -> Compiled:
        """Give the compiled form of another plan, patching only what differs where the tree is the same.

        A changed dial, a power switch, or changed rules cost a comparison and a few numbers, a move within the tree
        another tree; another host, demand or day costs a new compilation. Either way the result equals
        ``compile_plan(plan, traces)``.
        """
        traces = self.traces if traces is None else traces
        old = self.plan
        if plan is old and traces is self.traces:
            return self
        if not self._same_frame(plan, traces):
            return compile_plan(plan, traces)
        changed = _changed(plan.guests, old.guests)
        changed_pools = _changed(plan.pools, old.pools)
        is_moved = False
        for i in changed:
            a, b = plan.guests[i], old.guests[i]
            if (a.id, a.host, a.image, a.demand) != (b.id, b.host, b.image, b.demand):
                return compile_plan(plan, traces)
            is_moved = is_moved or a.pool != b.pool
        for i in changed_pools:
            if plan.pools[i].id != old.pools[i].id:
                return compile_plan(plan, traces)
            is_moved = is_moved or plan.pools[i].parent != old.pools[i].parent
        if is_moved:
            return self._in_tree(build_tree(plan))._patched(plan, changed, changed_pools)
        return self._patched(plan, changed, changed_pools)

    def _patched(self, plan: Plan, changed: Sequence[int], changed_pools: Sequence[int]) -> Compiled:
        """Give the compiled form of a plan of this tree, patching the guests and pools at some places of the plan."""
        guests, pools, scaled = self.guests, self.pools, self.scaled
        if changed:
            guests = guests.copy()
            for i in changed:
                guests[:, self.tree.guest_place[i]] = _guest_column(plan.guests[i], plan)
        if changed_pools:
            pools, scaled = pools.copy(), scaled.copy()
            for i in changed_pools:
                pools[:, :, self.tree.pool_place[i]] = _pool_columns(plan.pools[i])
                scaled[self.tree.pool_place[i]] = plan.pools[i].member_scaled
        return replace(self, plan=plan, guests=guests, pools=pools, scaled=scaled)

    def _in_tree(self, tree: Tree) -> Compiled:
        """Give the same guests and pools in the order of another tree; the plan is still the old one."""
        guests = self.tree.guest_place[np.argsort(tree.guest_place)]
        pools = self.tree.pool_place[np.argsort(tree.pool_place)]
        place = np.argsort(guests)
        return replace(
            self,
            tree=tree,
            guests=self.guests[:, guests],
            pools=self.pools[:, :, pools],
            scaled=self.scaled[pools],
            host_of=self.host_of[guests],
            images=replace(self.images, guests=place[self.images.guests]),
            signals=self.signals.in_order(guests),
        )

    def _same_frame(self, plan: Plan, traces: Traces) -> bool:
        old = self.plan
        return (
            traces is self.traces
            and plan.hosts is old.hosts
            and plan.day_s == old.day_s
            and len(plan.guests) == len(old.guests)
            and len(plan.pools) == len(old.pools)
        )


def _changed(new: Sequence[object], old: Sequence[object]) -> list[int]:
    """Give the positions at which two equally long sequences hold other objects; no Python code runs per item."""
    return list(compress(range(len(new)), map(is_not, new, old)))


def compile_plan(plan: Plan, traces: Traces) -> Compiled:
    """Turn a valid plan into arrays.

    Parameters
    ----------
    plan
        A plan that has passed ``check_plan``.
    traces
        The trace tables it names, as ``read_plan`` gives them.

    Raises
    ------
    KeyError
        A trace signal names a table or column that ``traces`` does not have.
    """
    tree = build_tree(plan)
    in_order = [plan.guests[i] for i in np.argsort(tree.guest_place)]
    pools_in_order = [plan.pools[i] for i in np.argsort(tree.pool_place)]
    columns = [_guest_column(guest, plan) for guest in in_order]
    pools = [_pool_columns(pool) for pool in pools_in_order]
    hosts = [_host_column(host) for host in plan.hosts]
    host_of = [plan.host_index.get(g.host or "", 0) for g in in_order]
    return Compiled(
        plan=plan,
        traces=traces,
        tree=tree,
        guests=np.array(columns, dtype=np.float64).reshape(-1, 17).T.copy(),
        pools=np.array(pools, dtype=np.float64).reshape(-1, 4, 2).transpose(1, 2, 0).copy(),
        scaled=np.array([pool.member_scaled for pool in pools_in_order], dtype=np.bool_),
        host_of=np.array(host_of, dtype=np.int64),
        hosts=np.array(hosts, dtype=np.float64).reshape(-1, 9).T.copy(),
        images=_gather_images(in_order, host_of),
        signals=gather_signals(in_order, traces, plan.day_s),
    )


_NONE: Final = math.inf


def _or_none(limit: float | None) -> float:
    return _NONE if limit is None else limit


def _guest_column(guest: Guest, plan: Plan) -> tuple[float, ...]:
    memory, host, place = guest.memory, plan.host_of(guest), 0.0
    reserved_mhz = guest.cpu.reservation
    if host is not None and guest.dedicated_cores:
        # Cores of its own are a promise of all their speed, kept even while they idle.
        reserved_mhz = guest.vcpus * host.mhz
    if host is not None and guest.in_bank:
        place = 1.0 + plan.host_index[host.id]
    if isinstance(memory, ThinMemory):
        mode, reservation, limit = THIN, memory.reservation, _or_none(memory.limit)
        floor, ceiling, headroom = 0.0, _NONE, 0.0
    elif isinstance(memory, ElasticMemory):
        mode, reservation, limit = ELASTIC, 0.0, _NONE
        floor, ceiling, headroom = memory.floor, memory.ceiling, memory.headroom_percent / 100
    else:
        assert isinstance(memory, FixedMemory)
        mode, reservation, limit, floor, ceiling, headroom = FIXED, 0.0, _NONE, 0.0, _NONE, 0.0
    return (
        float(guest.is_on), guest.vcpus, host.mhz if host else _NONE,
        reserved_mhz, _or_none(guest.cpu.limit), guest.cpu.shares,
        mode, memory.size, reservation, limit, memory.shares, floor, ceiling, headroom, float(guest.agent),
        float(guest.dedicated_cores), place,
    )  # fmt: skip


def _pool_columns(pool: Pool) -> tuple[tuple[float, float], ...]:
    cpu, memory = pool.cpu, pool.memory
    return (
        (cpu.reservation, memory.reservation),
        (_or_none(cpu.limit), _or_none(memory.limit)),
        (cpu.shares, memory.shares),
        (float(cpu.draws), float(memory.draws)),
    )


def _host_column(host: Host) -> tuple[float, ...]:
    further_threads = host.cores * (host.threads_per_core - 1)
    memory = host.memory_mib - host.overhead_mib
    return (
        host.mhz, host.cores, further_threads, host.smt_yield, host.overhead_mhz, memory,
        _or_none(host.spill_mib), float(host.spill_kind == "hdd"),
        host.bank.size_mib if host.bank is not None else 0.0,
    )  # fmt: skip


def _gather_images(guests: Sequence[Guest], host_of: Sequence[int]) -> Images:
    groups: dict[tuple[int, str], list[int]] = {}
    for i, guest in enumerate(guests):
        if guest.image:
            groups.setdefault((host_of[i], guest.image), []).append(i)
    sizes = [len(members) for members in groups.values()]
    return Images(
        names=tuple(image for _, image in groups),
        host=np.array([host for host, _ in groups], dtype=np.int64),
        guests=np.array([i for members in groups.values() for i in members], dtype=np.int64),
        first=np.concatenate(([0], np.cumsum(sizes)[:-1])).astype(np.int64) if sizes else np.zeros(0, np.int64),
        group=np.repeat(np.arange(len(sizes)), sizes),
    )
