"""What guests and pools ask for at a moment, and what there is to divide: sections 1 to 3 and 5 of docs/model.md."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ruvex.divide import _compiled as c
from ruvex.divide._compiled import Compiled
from ruvex.divide._signals import CPU, TOUCHED, WORKING

Floats = NDArray[np.float64]

# Rows of ``Asks.members`` and ``Asks.nodes``: floor, knee, use and cap as in the model, what is wanted before
# any limit, the claim on promises, and the measure by which a member-scaled pool multiplies its shares.
FLOOR, KNEE, USE, CAP, WANTED, CLAIM, SCALE = range(7)
_KINDS: Final = 7

_MIB_PER_SHARE_UNIT: Final = 1024.0
_WHOLE_VCPU: Final = 1e-9
"""A cap that exceeds whole vCPUs by no more than this is counted as whole: it comes from rounding."""


@dataclass(frozen=True, slots=True)
class Asks:
    """What all members of the tree ask for; the first axis after the kind is CPU (MHz), memory (MiB).

    Attributes
    ----------
    members
        Shape (7, 2, members): one row a kind, see FLOOR to SCALE.
    nodes
        Shape (7, 2, nodes): the sums over each node's members.
    weight
        Shape (2, members): the weight of each member among its peers.
    supply
        Shape (2,): what there is to divide.
    """

    members: Floats
    nodes: Floats
    weight: Floats
    supply: Floats


@dataclass(frozen=True, slots=True)
class DemandAt:
    """The demand of every guest at one moment, shape (guests,): CPU in MHz, working and touched in MiB."""

    cpu: Floats
    working: Floats
    touched: Floats


def demand_at(compiled: Compiled, at_s: float) -> DemandAt:
    """Evaluate all signals at a moment; touched is the running maximum since the start of the day (section 2)."""
    now = compiled.signals.at(at_s)
    high = compiled.signals.highest_until(at_s)
    return DemandAt(now[CPU], now[WORKING], np.maximum(high[WORKING], high[TOUCHED]))


def guest_cpu(guests: Floats, demand: ArrayLike) -> tuple[Floats, Floats]:
    """Give CPU cap and wanted of guests, MHz, 0 where they are off (section 2).

    Parameters
    ----------
    guests
        ``Compiled.guests``.
    demand
        MHz, shape (*moments, guests).
    """
    speed = guests[c.VCPUS] * guests[c.CORE_MHZ]
    wanted = np.minimum(demand, speed) * guests[c.ON]
    return np.minimum(wanted, guests[c.CPU_LIMIT]), wanted


def guest_memory_wanted(guests: Floats, working: ArrayLike, touched: ArrayLike) -> Floats:
    """Give what guests want of memory before any limit or ceiling, MiB, 0 where off; shape of ``working``."""
    elastic = np.multiply(working, 1 + guests[c.HEADROOM])
    thin = np.minimum(touched, guests[c.SIZE])
    mode = guests[c.MODE]
    wanted = np.where(mode == c.THIN, thin, np.where(mode == c.ELASTIC, elastic, guests[c.SIZE]))
    return np.asarray(wanted * guests[c.ON])


def supply_at(compiled: Compiled, cpu_cap: Floats) -> Floats:
    """Give the supply of all hosts together (section 1).

    Parameters
    ----------
    compiled
        The plan.
    cpu_cap
        Shape (*moments, guests): the CPU cap of each guest, MHz, 0 where off.

    Returns
    -------
    NDArray[np.float64]
        Shape (*moments, 2): MHz and MiB.
    """
    supply = np.zeros((*cpu_cap.shape[:-1], 2))
    if compiled.hosts.shape[1] == 0:
        return supply
    mhz, cores, further, smt_yield, overhead_mhz, memory = compiled.hosts
    guests, host_of = compiled.guests, compiled.host_of
    extra = np.zeros(mhz.size)
    if np.any(smt_yield > 0) and np.any(further > 0):
        vcpus = np.minimum(guests[c.VCPUS], np.ceil(cpu_cap / guests[c.CORE_MHZ] - _WHOLE_VCPU))
        on_host = host_of[:, None] == np.arange(mhz.size)
        extra = smt_yield * np.clip(np.maximum(vcpus, 0) @ on_host - cores, 0, further)
    supply[..., 0] = np.maximum(mhz * (cores + extra) - overhead_mhz, 0).sum(axis=-1)
    overhead = np.bincount(host_of, guest_overhead(compiled), minlength=mhz.size)
    supply[..., 1] = np.maximum(memory - overhead, 0).sum()
    return supply


def guest_overhead(compiled: Compiled) -> Floats:
    """Give the host memory each guest costs beside its own, MiB, 0 where off (section 1)."""
    rule, guests = compiled.plan.rules.guest_overhead, compiled.guests
    size_part = guests[c.SIZE] * (rule.percent_of_size / 100)
    return np.asarray(guests[c.ON] * (rule.fixed_mib + rule.per_vcpu_mib * guests[c.VCPUS] + size_part))


def ask(compiled: Compiled, demand: DemandAt) -> Asks:
    """Work out what every guest and pool asks for, from the guests upwards."""
    tree, rules = compiled.tree, compiled.plan.rules
    members = np.zeros((_KINDS, 2, tree.member_count))
    weight = np.ones((2, tree.member_count))
    per_size = rules.shares_count == "per-size"
    guests = _guest_asks(compiled.guests, demand, per_size=per_size)
    members[:, :, tree.guest_member] = guests
    weight[:, tree.guest_member] = _guest_weight(compiled.guests, per_size=per_size)
    nodes = _pool_asks(compiled, members)
    if tree.pool_member.size:
        scaled = np.where(compiled.scaled, members[SCALE][:, tree.pool_member], 1.0)
        weight[:, tree.pool_member] = compiled.pools[2] * scaled
    return Asks(members, nodes, weight, supply_at(compiled, guests[CAP, 0]))


def _guest_weight(guests: Floats, *, per_size: bool) -> Floats:
    shares = guests[[c.CPU_SHARES, c.MEMORY_SHARES]]
    if per_size:
        shares[0] *= guests[c.VCPUS]
        shares[1] *= guests[c.SIZE] / _MIB_PER_SHARE_UNIT
    return shares


def _guest_asks(guests: Floats, demand: DemandAt, *, per_size: bool) -> Floats:
    asks = np.empty((_KINDS, 2, guests.shape[1]))
    on, size = guests[c.ON], guests[c.SIZE]
    cap, wanted = guest_cpu(guests, demand.cpu)
    asks[CAP, 0] = asks[USE, 0] = asks[KNEE, 0] = cap
    asks[FLOOR, 0] = np.minimum(guests[c.CPU_RESERVATION], cap)
    asks[WANTED, 0] = wanted
    asks[CLAIM, 0] = guests[c.CPU_RESERVATION] * on
    asks[WANTED, 1] = guest_memory_wanted(guests, demand.working, demand.touched)

    # Fixed guests, and elastic ones without an agent, stand at their size whatever they do.
    memory = asks[:, 1]
    memory[[FLOOR, KNEE, USE, CAP]] = size
    mode = guests[c.MODE]
    breathing = (mode == c.ELASTIC) & (guests[c.AGENT] > 0)
    if breathing.any():
        _set_elastic(memory, guests, demand.working, breathing)
    thin = mode == c.THIN
    if thin.any():
        reservation = guests[c.MEMORY_RESERVATION]
        held = np.minimum(np.minimum(demand.touched, size), guests[c.MEMORY_LIMIT])
        cap = np.maximum(reservation, held)
        np.copyto(memory[FLOOR], reservation, where=thin)
        np.copyto(memory[KNEE], np.minimum(demand.working, cap), where=thin)
        np.copyto(memory[USE], cap, where=thin)
        np.copyto(memory[CAP], cap, where=thin)
    memory[CLAIM] = memory[FLOOR]
    memory[[FLOOR, KNEE, USE, CAP, CLAIM]] *= on

    asks[SCALE, 0] = on * guests[c.VCPUS] if per_size else on
    asks[SCALE, 1] = on * size / _MIB_PER_SHARE_UNIT if per_size else on
    return asks


def _set_elastic(memory: Floats, guests: Floats, working: Floats, breathing: NDArray[np.bool_]) -> None:
    floor = guests[c.FLOOR]
    ceiling = np.maximum(guests[c.CEILING], floor)
    cap = np.clip(working * (1 + guests[c.HEADROOM]), floor, ceiling)
    use = np.clip(working, floor, cap)
    np.copyto(memory[FLOOR], floor, where=breathing)
    np.copyto(memory[KNEE], use, where=breathing)
    np.copyto(memory[USE], use, where=breathing)
    np.copyto(memory[CAP], cap, where=breathing)


def _pool_asks(compiled: Compiled, members: Floats) -> Floats:
    tree = compiled.tree
    nodes = np.zeros((_KINDS, 2, tree.node_count))
    node_order = np.argsort(tree.pool_node)
    for level in reversed(tree.levels):
        sums = level.sum_members(members[:, :, level.members])
        nodes[:, :, level.nodes] = sums
        if level.as_members.size == 0:
            continue
        # Pools in node order: node 0 is the root, so pool nodes start at 1.
        pools = node_order[level.nodes.start - 1 : level.nodes.stop - 1]
        reservation, limit = compiled.pools[0][:, pools], compiled.pools[1][:, pools]
        asks = sums
        cap = np.minimum(limit, sums[CAP])
        floor = np.minimum(cap, np.maximum(reservation, sums[FLOOR]))
        use = np.minimum(limit, sums[USE])
        knee = np.minimum(use, sums[KNEE])
        asks[CLAIM] = np.maximum(reservation, sums[CLAIM])
        asks[CAP], asks[FLOOR], asks[KNEE] = cap, floor, knee
        asks[USE] = np.maximum(use, floor)
        members[:, :, level.as_members] = asks
    return nodes
