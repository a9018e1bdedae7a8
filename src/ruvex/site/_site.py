"""A plan as arrays: what everything that computes works on, and what one changed dial patches."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import compress
from operator import is_not
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r
from ruvex.plan import (
    ElasticMemory,
    FixedMemory,
    Guest,
    Host,
    Plan,
    Pool,
    Rules,
    ThinMemory,
    Traces,
    check_event_traces,
    size_otherwise,
)
from ruvex.site._flows import Taps, taps_of
from ruvex.site._forest import Forest, forest_of
from ruvex.site._ground import Ground, ground_of
from ruvex.site._layout import Layout, layout_of
from ruvex.site._signals import SignalBank, gather_signals
from ruvex.site._standing import Standing, standing_of

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

_NONE: Final = math.inf
_MODES: Final = {"fixed": r.FIXED, "elastic": r.ELASTIC, "thin": r.THIN}


@dataclass(frozen=True, slots=True, eq=False)
class Site:
    """A plan as flat arrays; guests, pools and hosts are numbered as the plan lists them.

    Attributes
    ----------
    plan, traces
        What it was made from.
    layout
        The pool tree, and its rows as people read them.
    guests
        Shape (23, guests): settings, one row a setting (``rows.G_…``).
    numbers
        Shape (2, guests): pool and image, −1 where there is none.
    pools
        Shape (4, 2, pools): reservation, limit, shares and whether it draws, each for CPU and memory.
    by_members
        Shape (pools,): which weigh by their members.
    hosts
        Shape (11, hosts): what each host is (``rows.H_…``). A plan without hosts has one that has nothing.
    rules
        Shape (30,): numbers of the rules (``rows.R_…``).
    images
        How many images guests share.
    signals
        The demand of all guests.
    taps
        What the plan says of stores, disks and links.
    ground
        What of the guests the standing and the forest are made of.
    standing
        Who is on, and where, as the plan has it.
    forest
        The tree once for each place of that standing.
    """

    plan: Plan
    traces: Traces
    layout: Layout
    guests: Floats
    numbers: Ints
    pools: Floats
    by_members: NDArray[np.bool_]
    hosts: Floats
    rules: Floats
    images: int
    signals: SignalBank
    taps: Taps
    ground: Ground
    standing: Standing
    forest: Forest

    def host_of(self, guest: str) -> Host | None:
        """Give the host a guest is on, or was before it went off; None where it is nowhere.

        A guest whose plan names no host is on the one it was put on when it started.
        """
        at = int(self.standing.host[self.plan.guest_index[guest]]) if self.plan.hosts else -1
        return self.plan.hosts[at] if at >= 0 else None

    def is_on(self, guest: str) -> bool:
        """Tell whether a guest is on: the plan says so, and its host is up."""
        return bool(self.standing.on[self.plan.guest_index[guest]])

    def with_plan(self, plan: Plan, traces: Traces | None = None) -> Site:
        """Give the arrays of another plan, patching only what differs where the frame is the same.

        A changed dial costs a comparison and a few numbers, a power switch or a move another standing, other rules
        another column; another host, demand or day costs a new site. Either way the result equals
        ``site_of(plan, traces)``.

        Raises
        ------
        MissingTraceError
            A demand, or one that an event brings, follows a trace that is not there.
        """
        traces = self.traces if traces is None else traces
        old = self.plan
        if plan is old and traces is self.traces:
            return self
        if plan.events is not old.events:
            check_event_traces(plan, traces)
        if not self._same_frame(plan, traces):
            return self._with_same_rows(site_of(plan, traces))
        changed, changed_pools = _changed(plan.guests, old.guests), _changed(plan.pools, old.pools)
        is_moved = False
        for i in changed:
            a, b = plan.guests[i], old.guests[i]
            if (a.id, a.image, a.demand, a.disks, a.link) != (b.id, b.image, b.demand, b.disks, b.link):
                return site_of(plan, traces)
            is_moved = is_moved or a.pool != b.pool
        for i in changed_pools:
            a_pool, b_pool = plan.pools[i], old.pools[i]
            if a_pool.id != b_pool.id:
                return site_of(plan, traces)
            is_moved = is_moved or a_pool.parent != b_pool.parent
        new = self._patched(plan, changed, changed_pools, layout_of(plan) if is_moved else self.layout)
        has_stood = new.ground is not self.ground or plan.placement != old.placement
        return new.standing_as_planned() if is_moved or has_stood else new

    def _patched(self, plan: Plan, changed: Sequence[int], changed_pools: Sequence[int], layout: Layout) -> Site:
        guests, pools, by_members, numbers = self.guests, self.pools, self.by_members, self.numbers
        if plan.rules is not self.plan.rules:
            changed = range(len(plan.guests))
        if changed:
            guests = guests.copy()
            for i in changed:
                guests[:, i] = _guest_column(plan.guests[i], plan)
        if changed_pools:
            pools, by_members = pools.copy(), by_members.copy()
            for i in changed_pools:
                pools[:, :, i] = _pool_columns(plan.pools[i])
                by_members[i] = plan.pools[i].weighs == "by-members"
        if layout is not self.layout:
            numbers = np.stack((layout.pool_of, numbers[r.I_IMAGE]))
        rules = self.rules if plan.rules is self.plan.rules else _rule_numbers(plan)
        ground = self.ground.patched(guests, plan, changed) if changed else self.ground
        return replace(
            self, plan=plan, layout=layout, guests=guests, pools=pools, by_members=by_members, numbers=numbers,
            rules=rules, ground=ground,
        )  # fmt: skip

    def standing_as_planned(self) -> Site:
        """Give the same site with those on, and where, whom its plan has: what a play made of it is left aside."""
        return self.standing_as(standing_of(self.plan, self.ground, self.hosts))

    def standing_as(self, standing: Standing) -> Site:
        """Give the same site with others on, or elsewhere."""
        if standing is self.standing:
            return self
        forest = forest_of(self.plan, self.layout, self.numbers, self.ground, self.hosts, self.taps, standing)
        return replace(self, standing=standing, forest=forest)

    def _with_same_rows(self, made: Site) -> Site:
        """Give a site that was made anew the very layout of this one, where its rows are the same.

        Whoever compares two divisions asks whether their rows are one and the same; a host that went down or came up
        does not change them.
        """
        a, b = self.layout, made.layout
        same = a.ids == b.ids and a.parents == b.parents and np.array_equal(a.things, b.things)
        return replace(made, layout=a) if same and np.array_equal(a.order, b.order) else made

    def _same_frame(self, plan: Plan, traces: Traces) -> bool:
        old = self.plan
        return (
            traces is self.traces
            and plan.hosts is old.hosts
            and plan.stores == old.stores
            and plan.day_s == old.day_s
            and plan.tick_s == old.tick_s
            and len(plan.guests) == len(old.guests)
            and len(plan.pools) == len(old.pools)
        )


def _changed(new: Sequence[object], old: Sequence[object]) -> list[int]:
    """Give the positions at which two equally long sequences hold other objects; no Python code runs per item."""
    return list(compress(range(len(new)), map(is_not, new, old)))


def site_of(plan: Plan, traces: Traces) -> Site:
    """Turn a valid plan into arrays.

    Parameters
    ----------
    plan
        A plan that has passed ``check_plan``.
    traces
        The trace tables it names, as ``read_plan`` gives them.

    Raises
    ------
    MissingTraceError
        A trace signal names a table or column that ``traces`` does not have.
    """
    layout = layout_of(plan)
    guests = np.array([_guest_column(g, plan) for g in plan.guests], dtype=np.float64).reshape(-1, r.G_ROWS).T.copy()
    pools = np.array([_pool_columns(p) for p in plan.pools], dtype=np.float64).reshape(-1, 4, 2).transpose(1, 2, 0)
    columns = [_host_column(host) for host in plan.hosts] or [(_NONE, 0, 0, 0, 0, 0, _NONE, 0, 0, 1, 1)]
    hosts = np.array(columns, dtype=np.float64).T.copy()
    images: dict[str, int] = {}
    of_guests = [images.setdefault(g.image, len(images)) if g.image else -1 for g in plan.guests]
    numbers = np.stack((layout.pool_of, np.array(of_guests, dtype=np.int64)))
    ground, taps = ground_of(plan, guests), taps_of(plan)
    standing = standing_of(plan, ground, hosts)
    return Site(
        plan=plan,
        traces=traces,
        layout=layout,
        guests=guests,
        numbers=numbers,
        pools=pools.copy(),
        by_members=np.array([pool.weighs == "by-members" for pool in plan.pools], dtype=np.bool_),
        hosts=hosts,
        rules=_rule_numbers(plan),
        images=len(images) if plan.hosts else 0,
        signals=gather_signals(plan.guests, traces, plan.day_s),
        taps=taps,
        ground=ground,
        standing=standing,
        forest=forest_of(plan, layout, numbers, ground, hosts, taps, standing),
    )


def _or_none(value: float | None) -> float:
    return _NONE if value is None else value


def _guest_column(guest: Guest, plan: Plan) -> tuple[float, ...]:
    memory, rule, demand = guest.memory, plan.rules.guest_overhead, guest.demand
    reservation, limit, floor, ceiling, headroom = 0.0, _NONE, 0.0, _NONE, 0.0
    # Greedy work comes to rest where all is taken but what it leaves; less headroom than that stops it from the start.
    leaves = demand.leaves_percent / 100
    aim = (1 - leaves) * memory.size
    if isinstance(memory, ThinMemory):
        reservation, limit = memory.reservation, _or_none(memory.limit)
    elif isinstance(memory, ElasticMemory):
        floor, ceiling, headroom = memory.floor, memory.ceiling, memory.headroom_percent / 100
        if (1 - leaves) * (1 + headroom) > 1:
            aim = (1 - leaves) * ceiling
    else:
        assert isinstance(memory, FixedMemory)
    overhead = rule.fixed_mib + rule.per_vcpu_mib * guest.vcpus + memory.size * rule.percent_of_size / 100
    return (
        guest.vcpus, guest.cpu.reservation, _or_none(guest.cpu.limit), guest.cpu.shares, _MODES[memory.mode],
        memory.size, reservation, limit, memory.shares, floor, ceiling, headroom, guest.dedicated_cores,
        guest.in_bank, overhead, size_otherwise(plan, guest), demand.greedy, leaves, aim, demand.cache_percent / 100,
        demand.kind == "batch", plan.rules.page_sharing.get(guest.image, 0.0) if guest.image else 0.0, guest.agent,
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
    return (
        host.mhz, host.cores, host.cores * (host.threads_per_core - 1), host.smt_yield, host.overhead_mhz,
        max(0.0, host.memory_mib - host.overhead_mib), _or_none(host.spill_mib), host.spill_kind == "hdd",
        host.bank.size_mib if host.bank is not None else 0.0, host.numa_nodes, host.up,
    )  # fmt: skip


def _rule_numbers(plan: Plan) -> Floats:
    rules: Rules = plan.rules
    elastic, reclaim, work, pressure = rules.elastic, rules.reclaim, rules.workload, rules.pressure
    rates = (
        elastic.grow_mib_s, elastic.shrink_mib_s, elastic.shrink_step_s, elastic.settle_s, reclaim.balloon_mib_s,
        reclaim.urgent_mib_s, reclaim.squeeze_mib_s, reclaim.spill_mib_s, reclaim.return_mib_s, rules.sharing_mib_s,
        work.cache_mib_s, work.greedy_mib_s,
    )  # fmt: skip
    return np.array([
        rules.reservation_rule == "on-top", rules.shares_count == "per-size", rules.idle_counts_as,
        pressure.kept_percent / 100, pressure.kept_most_mib, pressure.dire_part, rules.balloon_max_percent / 100,
        rules.squeeze.ratio, rules.squeeze.max_percent / 100, rules.pace_cost.squeezed, rules.pace_cost.far,
        rules.settling_by_use, *(_or_none(rate) for rate in rates), rules.memory_every_s,
        rules.starting.bridge_speed_percent / 100, plan.tick_s, plan.day_s, work.sample_s, rules.paging.ops_per_mib,
        rules.start_takes == "all-above-need",
    ], dtype=np.float64)  # fmt: skip
