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
class DemandAt:
    """The demand of every guest at one moment, shape (guests,): CPU in MHz, working and touched in MiB."""

    cpu: Floats
    working: Floats
    touched: Floats


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
    supply, promisable, set_aside
        Shape (2,): what there is to divide, what of it can be promised at all times, and what of that is kept out
        of all promises (section 5).
    demand
        What the guests' work asks for.
    shared
        Shape (guests,): the touched pages a guest does not back itself because one copy of equal pages serves, MiB.
    """

    members: Floats
    nodes: Floats
    weight: Floats
    supply: Floats
    promisable: Floats
    set_aside: Floats
    demand: DemandAt
    shared: Floats


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
    # Cores of its own are a guest's even while they idle: it takes the whole of them out of the supply.
    owns = (guests[c.DEDICATED] * guests[c.ON] > 0) & np.isfinite(speed)
    return np.where(owns, speed, np.minimum(wanted, guests[c.CPU_LIMIT])), wanted


def guest_memory_wanted(guests: Floats, working: ArrayLike, touched: ArrayLike, shared: ArrayLike) -> Floats:
    """Give what guests want of memory before any limit or ceiling, MiB, 0 where off; shape of ``working``."""
    elastic = np.multiply(working, 1 + guests[c.HEADROOM])
    thin = np.minimum(touched, guests[c.SIZE]) - shared
    mode = guests[c.MODE]
    wanted = np.where(mode == c.THIN, thin, np.where(mode == c.ELASTIC, elastic, guests[c.SIZE]))
    return np.asarray(wanted * guests[c.ON])


def shared_pages(compiled: Compiled, touched: Floats) -> tuple[Floats, Floats]:
    """Give what thin guests need not back because one copy of their image's common pages serves (section 6).

    A lone guest of an image on a host shares with nobody. The host's copy holds as much as the guest with most of
    these pages has touched of them.

    Parameters
    ----------
    touched
        MiB, shape (*moments, guests).

    Returns
    -------
    tuple
        What each guest no longer backs, shape (*moments, guests), and what each host holds for them of its own
        account, shape (*moments, hosts); MiB.
    """
    images, rule = compiled.images, compiled.plan.rules.page_sharing
    shared = np.zeros_like(touched)
    if not rule or not images.names:
        return shared, np.zeros((*touched.shape[:-1], compiled.hosts.shape[1]))
    guests = compiled.guests[:, images.guests]
    common = np.array([rule.get(name, 0.0) for name in images.names])[images.group]
    is_thin = (guests[c.MODE] == c.THIN) & (guests[c.ON] > 0)
    could = np.minimum(np.minimum(touched[..., images.guests], guests[c.SIZE]), common) * is_thin
    sharers = np.add.reduceat(could > 0, images.first, axis=-1, dtype=np.int64)
    could *= (sharers > 1)[..., images.group]
    shared[..., images.guests] = could
    return shared, copies_of(compiled, shared)


def copies_of(compiled: Compiled, shared: Floats) -> Floats:
    """Give what each host holds of common pages, MiB: of each image as much as the guest that shares most of it.

    Parameters
    ----------
    shared
        MiB, shape (*moments, guests).
    """
    images = compiled.images
    copies = np.zeros((*shared.shape[:-1], compiled.hosts.shape[1]))
    if images.names and copies.shape[-1]:
        largest = np.maximum.reduceat(shared[..., images.guests], images.first, axis=-1)
        copies += largest @ (images.host[:, None] == np.arange(copies.shape[-1]))
    return copies


def supply_at(compiled: Compiled, cpu_cap: Floats, copies: Floats) -> Floats:
    """Give the supply of all hosts together (section 1).

    Parameters
    ----------
    compiled
        The plan.
    cpu_cap
        Shape (*moments, guests): the CPU cap of each guest, MHz, 0 where off.
    copies
        Shape (*moments, hosts): what each host holds of common pages, MiB.

    Returns
    -------
    NDArray[np.float64]
        Shape (*moments, 2): MHz and MiB.
    """
    supply = np.zeros((*cpu_cap.shape[:-1], 2))
    supply[..., 0] = cpu_supply(compiled, cpu_cap)
    supply[..., 1] = memory_supply(compiled, copies)
    return supply


def cpu_supply(compiled: Compiled, cpu_cap: Floats) -> Floats:
    """Give the CPU supply of all hosts together, MHz, shape (*moments,); arguments as ``supply_at``."""
    mhz, cores, further, smt_yield, overhead_mhz = compiled.hosts[: c.GROSS_MIB]
    guests, host_of = compiled.guests, compiled.host_of
    extra = np.zeros(mhz.size)
    if np.any(smt_yield > 0) and np.any(further > 0):
        vcpus = np.minimum(guests[c.VCPUS], np.ceil(cpu_cap / guests[c.CORE_MHZ] - _WHOLE_VCPU))
        on_host = host_of[:, None] == np.arange(mhz.size)
        extra = smt_yield * np.clip(np.maximum(vcpus, 0) @ on_host - cores, 0, further)
    total = np.maximum(mhz * (cores + extra) - overhead_mhz, 0).sum(axis=-1)
    return np.asarray(np.broadcast_to(total, cpu_cap.shape[:-1]))


def memory_supply(compiled: Compiled, copies: Floats) -> Floats:
    """Give the memory supply of all hosts together, their banks included, MiB, shape (*moments,)."""
    gross, count = compiled.hosts[c.GROSS_MIB], compiled.hosts.shape[1]
    if count == 0:
        return np.zeros(copies.shape[:-1])
    overhead = np.bincount(compiled.host_of, guest_overhead(compiled), minlength=count)
    return np.asarray(np.maximum(gross - overhead - copies, 0).sum(axis=-1))


def overhead_when_on(compiled: Compiled) -> Floats:
    """Give the host memory each guest costs beside its own when it is on, MiB (section 1); in the order of the tree."""
    rule, guests = compiled.plan.rules.guest_overhead, compiled.guests
    size_part = guests[c.SIZE] * (rule.percent_of_size / 100)
    return np.asarray(rule.fixed_mib + rule.per_vcpu_mib * guests[c.VCPUS] + size_part)


def guest_overhead(compiled: Compiled) -> Floats:
    """Give the same, 0 where a guest is off."""
    return np.asarray(compiled.guests[c.ON] * overhead_when_on(compiled))


def overhead_of_those_off(compiled: Compiled) -> float:
    """Give the host memory that the guests that are off would cost beside their own, all of them on, MiB."""
    return float(((1 - compiled.guests[c.ON]) * overhead_when_on(compiled)).sum())


def ask(compiled: Compiled, demand: DemandAt) -> Asks:
    """Work out what every guest and pool asks for, from the guests upwards."""
    tree, rules = compiled.tree, compiled.plan.rules
    per_size = rules.shares_count == "per-size"
    shared, copies = shared_pages(compiled, demand.touched)
    members = np.empty((_KINDS, 2, tree.member_count))
    weight = np.empty((2, tree.member_count))
    pools, guests = slice(0, tree.pool_count), slice(tree.pool_count, None)
    _ask_guests(members[:, :, guests], compiled.guests, demand, shared, per_size=per_size)
    weight[:, guests] = guest_weights(compiled.guests, per_size=per_size)
    nodes = _ask_pools(compiled, members)
    weight[:, pools] = compiled.pools[2] * np.where(compiled.scaled, members[SCALE, :, pools], 1.0)
    supply = supply_at(compiled, members[CAP, 0, guests], copies)
    promisable, set_aside = promisable_supply(compiled)
    return Asks(members, nodes, weight, supply, promisable, set_aside, demand, shared)


def promisable_supply(compiled: Compiled) -> tuple[Floats, Floats]:
    """Give what can be promised at all times, and what of it the rules keep out of all promises (section 5).

    Of CPU that is what the cores give without second threads: their gain is there only while more vCPUs want to
    run than there are cores. Of memory it is the gross memory less the overhead of the guests that are on; what
    is set aside counts before that overhead.

    Returns
    -------
    tuple
        Two arrays of shape (2,): MHz and MiB.
    """
    hosts, percent = compiled.hosts, compiled.plan.rules.set_aside_percent
    cpu = np.maximum(hosts[c.HOST_MHZ] * hosts[c.CORES] - hosts[c.OVERHEAD_MHZ], 0).sum()
    gross = np.maximum(hosts[c.GROSS_MIB], 0).sum()
    promisable = np.array([cpu, gross - guest_overhead(compiled).sum()])
    return promisable, np.array([cpu * percent.cpu, gross * percent.memory]) / 100


def guest_weights(guests: Floats, *, per_size: bool) -> Floats:
    """Give the weight of each guest among its peers, shape (2, guests) for CPU and memory (section 2)."""
    weight = np.stack((guests[c.CPU_SHARES], guests[c.MEMORY_SHARES]))
    return weight * _sizes(guests) if per_size else weight


def guest_scale(guests: Floats, *, per_size: bool) -> Floats:
    """Give what each guest counts in a member-scaled pool, shape (2, guests); 0 where it is off (section 3)."""
    return np.asarray(guests[c.ON] * (_sizes(guests) if per_size else np.ones((2, 1))))


def _sizes(guests: Floats) -> Floats:
    return np.stack((guests[c.VCPUS], guests[c.SIZE] / _MIB_PER_SHARE_UNIT))


def memory_bounds(guests: Floats) -> tuple[Floats, Floats]:
    """Give what each guest holds of memory at least, which is its claim, and at most; MiB, 0 where off.

    One formula serves all modes: fixed guests, and elastic ones without an agent, hold their size.
    """
    on, size, mode = guests[c.ON], guests[c.SIZE], guests[c.MODE]
    thin, breathing = mode == c.THIN, (mode == c.ELASTIC) & (guests[c.AGENT] > 0)
    least = np.where(thin, guests[c.MEMORY_RESERVATION], np.where(breathing, guests[c.FLOOR], size)) * on
    most = np.where(thin, np.minimum(size, guests[c.MEMORY_LIMIT]), np.where(breathing, guests[c.CEILING], size))
    # Limits may be infinite, which times off would be no number.
    return least, np.where(on > 0, most, 0.0)


def _ask_guests(asks: Floats, guests: Floats, demand: DemandAt, shared: Floats, *, per_size: bool) -> None:
    """Fill in what guests ask for; ``asks`` has shape (7, 2, guests)."""
    on, size, mode = guests[c.ON], guests[c.SIZE], guests[c.MODE]
    asks[CAP, 0], asks[WANTED, 0] = guest_cpu(guests, demand.cpu)
    asks[USE, 0] = asks[KNEE, 0] = asks[CAP, 0]
    np.minimum(guests[c.CPU_RESERVATION], asks[CAP, 0], out=asks[FLOOR, 0])
    np.multiply(guests[c.CPU_RESERVATION], on, out=asks[CLAIM, 0])
    asks[WANTED, 1] = guest_memory_wanted(guests, demand.working, demand.touched, shared)

    # What is held lies between a least and a most, and so does what is used. Thin guests hold what they touched.
    thin, breathing = mode == c.THIN, (mode == c.ELASTIC) & (guests[c.AGENT] > 0)
    least, most = memory_bounds(guests)
    touched = np.minimum(demand.touched, size) - shared
    held = np.where(thin, touched, demand.working * (1 + guests[c.HEADROOM]))
    cap = np.maximum(least, np.minimum(held, most))
    asks[FLOOR, 1] = asks[CLAIM, 1] = least
    asks[CAP, 1] = cap
    use = np.where(breathing, np.clip(demand.working, least, cap), cap)
    asks[USE, 1] = use
    asks[KNEE, 1] = np.where(thin, np.minimum(demand.working, cap), use)
    asks[SCALE] = guest_scale(guests, per_size=per_size)


def _ask_pools(compiled: Compiled, members: Floats) -> Floats:
    """Fill in what pools ask for, from the deepest upwards; gives the sums by node."""
    tree = compiled.tree
    nodes = tree.guest_groups.sums(members[:, :, tree.pool_count :])
    reservation, limit = compiled.pools[0], compiled.pools[1]
    for level in reversed(tree.levels):
        # The pools of this level are nodes of the next one, whose sums are complete by now.
        pools = level.pools
        if pools.start == pools.stop:
            continue
        sums, asks = nodes[:, :, pools.start + 1 : pools.stop + 1], members[:, :, pools]
        asks[...] = sums
        np.maximum(sums[CLAIM], reservation[:, pools], out=asks[CLAIM])
        np.minimum(sums[CAP], limit[:, pools], out=asks[CAP])
        use = np.minimum(sums[USE], limit[:, pools])
        np.minimum(use, sums[KNEE], out=asks[KNEE])
        floor = np.minimum(asks[CAP], np.maximum(reservation[:, pools], sums[FLOOR]))
        asks[FLOOR] = floor
        np.maximum(use, floor, out=asks[USE])
        nodes[:, :, level.nodes] += level.pool_groups.sums(asks)
    return nodes
