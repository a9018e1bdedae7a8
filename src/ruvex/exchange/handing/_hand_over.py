"""A pool as a plan of its own: its supply is what the pool is promised and may have."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ruvex.plan import (
    EditError,
    Guest,
    Handed,
    HandedOver,
    Host,
    Permission,
    Plan,
    Pool,
    Store,
    ThinMemory,
    digest_of_base,
    pools_within,
    with_handed_over,
)
from ruvex.promise import claims_of
from ruvex.site import Site, site_of


def hand_over(site: Site, pool: str, may: Sequence[Permission] | None = None) -> tuple[Plan, Plan]:
    """Make a plan of a pool for its owner, and let the plan it is from know of it.

    The pool stays at the top of its own plan: what it claims now is what it is promised, and it draws on nobody. The
    hosts are those its guests are on (all that are up, where guests may be added), less what others are promised there.

    Parameters
    ----------
    site
        The plan it is from.
    pool
        The pool's id.
    may
        What its owner may do; as the pool has it if left out.

    Returns
    -------
    tuple[Plan, Plan]
        The owner's plan, and the one it is from with a record of it.

    Raises
    ------
    EditError
        There is no such pool, it has nobody in it, or the plan is one that was handed over itself.
    """
    plan = site.plan
    if plan.handed is not None:
        raise EditError("this plan was handed over itself; only the plan it is from hands pools over")
    if pool not in plan.pool_index:
        raise EditError(f"there is no pool {pool!r} in the plan")
    root = plan.pools[plan.pool_index[pool]]
    may = tuple(root.owner_may if may is None else may)
    inside = pools_within(plan, pool)
    guests = tuple(guest for guest in plan.guests if guest.pool in inside)
    if not guests and "add" not in may:
        raise EditError(f"{root.label} has no guests, and its owner may not add any")
    child = _bare(site, root, inside, may)
    child = child.model_copy(update={"hosts": _less_others(site, child), "stores": _stores_less_others(site, child)})
    child = child.model_copy(update={"guests": _without_volumes_of_others(child)})
    base = child.model_dump(mode="json")
    digest = digest_of_base(base)
    handed = Handed(plan=plan.name, pool=pool, may=may, digest=digest, base=base)
    record = HandedOver(pool=pool, may=may, digest=digest)
    return child.model_copy(update={"handed": handed}), with_handed_over(plan, (*plan.handed_over, record))


def _bare(site: Site, root: Pool, inside: set[str | None], may: Sequence[Permission]) -> Plan:
    """Give the plan of a pool with its hosts as they are."""
    plan, claims = site.plan, claims_of(site)
    cpu, memory = claims.claim_of(root.id).tolist()
    bounds = {"draws": False, "reservation": _within(cpu, root.cpu.limit)}
    memory_bounds = {"draws": False, "reservation": _within(memory, root.memory.limit)}
    top = root.model_copy(update={
        "parent": None, "owner_may": tuple(may),
        "cpu": root.cpu.model_copy(update=bounds), "memory": root.memory.model_copy(update=memory_bounds),
    })  # fmt: skip
    guests = [guest for guest in plan.guests if guest.pool in inside]
    ids = {guest.id for guest in guests}
    numbers = {int(site.standing.host[plan.guest_index[guest.id]]) for guest in guests}
    there = {plan.hosts[number].id for number in numbers if 0 <= number < len(plan.hosts)}
    hosts = [host for host in plan.hosts if host.id in there or (host.up and ("add" in may or not there))]
    kept = {host.id for host in hosts}
    rules = [
        rule.model_copy(update={"hosts": tuple(host for host in rule.hosts if host in kept)})
        if rule.kind == "stays" else rule
        for rule in plan.placement if set(rule.guests) <= ids
    ]  # fmt: skip
    known = ids | inside
    return plan.model_copy(update={
        "name": f"{root.called} of {plan.name}" if plan.name else root.called,
        "notes": "", "hosts": tuple(hosts), "guests": tuple(guests), "aside": (), "handed_over": (),
        "pools": (top, *(pool for pool in plan.pools if pool.id in inside and pool.id != root.id)),
        "placement": tuple(rule for rule in rules if rule.kind != "stays" or rule.hosts),
        "events": tuple(event for event in plan.events if event.target in known
                        and getattr(event, "host", None) in (None, *kept)),
    })  # fmt: skip


def _within(amount: float, limit: float | None) -> float:
    return amount if limit is None else min(amount, limit)


def _stores_less_others(site: Site, child: Plan) -> tuple[Store, ...]:
    """Give the stores that are in use there, less what they promise to disks of others."""
    flows, inside = site.forest.flows, set(child.guest_index)
    used = {disk.store for guest in child.guests for disk in guest.disks} | {host.store for host in child.hosts}
    stores = []
    for place, store in enumerate(site.plan.stores):
        if store.id not in used:
            continue
        guests = site.plan.guests
        others = sum(amount for guest, amount in flows.promises(place) if guests[guest].id not in inside)
        own = sum(disk.reservation_ops for guest in child.guests for disk in guest.disks if disk.store == store.id)
        # A store does something, and what it promises there, whatever is promised to others.
        left = max(store.ops - others, own, min(store.ops, 1.0))
        stores.append(store.model_copy(update={"ops": left}))
    return tuple(stores)


def _without_volumes_of_others(child: Plan) -> tuple[Guest, ...]:
    """Give the guests without the spill volumes they name and others have: whichever fits is theirs then."""
    volumes = {host.id: {one.id for one in host.bank.spill_volumes} for host in child.hosts if host.bank is not None}
    guests = []
    for guest in child.guests:
        host, memory = child.host_of(guest), guest.memory
        if isinstance(memory, ThinMemory) and memory.spill_volume is not None:
            there = volumes.get(host.id, set()) if host is not None else set()
            if memory.spill_volume not in there:
                guest = guest.model_copy(update={"memory": memory.model_copy(update={"spill_volume": None})})
        guests.append(guest)
    return tuple(guests)


def _less_others(site: Site, child: Plan) -> tuple[Host, ...]:
    """Give the hosts less what is promised to others there."""
    whole, own = claims_of(site), claims_of(site_of(child, site.traces))
    inside = set(child.guest_index)
    hosts = []
    for number, host in enumerate(child.hosts):
        at = site.plan.host_index[host.id]
        others = np.maximum(whole.host_claimed[:, at] - own.host_claimed[:, number], 0.0)
        cpu, memory, spill, banked = others.tolist()
        update: dict[str, object] = {}
        size = 0.0
        if host.bank is not None:
            taken = {volume for (of, volume), guest in site.standing.volumes.items()
                     if of == host.id and guest not in inside}  # fmt: skip
            volumes = tuple(volume for volume in host.bank.spill_volumes if volume.id not in taken)
            # A bank has a size, however much of it is promised to others.
            size = max(host.bank.size_mib - banked, min(host.bank.size_mib, 1.0))
            update["bank"] = host.bank.model_copy(
                update={"size_mib": size, "max_mib": size, "spill_volumes": volumes}
            )  # fmt: skip
            memory += host.bank.size_mib - size
        if host.spill_mib is not None:
            update["spill_mib"] = max(host.spill_mib - spill, 0.0)
        update["overhead_mhz"] = host.overhead_mhz + cpu
        update["overhead_mib"] = min(host.overhead_mib + memory, max(host.memory_mib - size, 0.0))
        hosts.append(host.model_copy(update=update))
    return tuple(hosts)
