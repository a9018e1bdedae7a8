"""The rules between the parts of a plan that the model classes cannot see one by one."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import islice
from typing import Any, Final

from ruvex.plan._errors import Problem
from ruvex.plan._events import NAMED_BY_KEYS, Trying
from ruvex.plan._fields import MAX_SHARES_RATIO
from ruvex.plan._item import Item
from ruvex.plan._model import (
    ElasticMemory,
    Guest,
    GuestCpu,
    Host,
    Plan,
    Pool,
    PoolCpu,
    PoolMemory,
    SetEvent,
    Stays,
    ThinMemory,
)
from ruvex.plan._resources import RESOURCES
from ruvex.plan._settings import NEVER_CHANGED

_MOST: Final = 300
"""So many broken rules are looked for; whoever made more mends them a few at a time."""
RULES_TARGET = "rules"
"""The name by which an event addresses the rules; no host, pool or guest may have it as its id."""


def check_plan(plan: Plan) -> list[Problem]:
    """Give the broken rules of a plan, in document order, up to a few hundred; an empty list: the plan is valid."""
    for problems in (_id_problems(plan), _reference_problems(plan), _rule_problems(plan)):
        found = list(islice(problems, _MOST))
        if found:
            return found
    return []


def _rule_problems(plan: Plan) -> Iterator[Problem]:
    yield from _cycle_problems(plan)
    for i, host in enumerate(plan.hosts):
        yield from host_problems(host, f"hosts[{i}]")
    for i, pool in enumerate(plan.pools):
        yield from pool_problems(pool, f"pools[{i}]")
    for i, guest in enumerate(plan.guests):
        yield from guest_problems(guest, plan.host_of(guest), f"guests[{i}]")
    yield from _shares_problems(plan)
    yield from store_problems(plan)
    yield from _placement_problems(plan)
    yield from _aside_problems(plan)
    yield from _event_problems(plan)


def _shares_problems(plan: Plan) -> Iterator[Problem]:
    """Give the peers of whom one counts so much more than another that the other's part is only rounding."""
    for resource in RESOURCES:
        least: dict[str | None, tuple[float, str]] = {}
        most: dict[str | None, tuple[float, str]] = {}
        groups: dict[str, Sequence[Guest | Pool]] = {"pools": plan.pools, "guests": plan.guests}
        for group, items in groups.items():
            for i, item in enumerate(items):
                above = item.pool if isinstance(item, Guest) else item.parent
                shares = item.of(resource).shares
                if above not in least or shares < least[above][0]:
                    least[above] = shares, f"{group}[{i}]"
                if above not in most or shares > most[above][0]:
                    most[above] = shares, f"{group}[{i}]"
        for above, (shares, path) in least.items():
            if most[above][0] > MAX_SHARES_RATIO * shares:
                yield Problem(f"{path}.{resource}.shares", *_told_of_ratio(shares, *most[above]))


def peer_problems(peers: Iterable[Guest | Pool], item: Guest | Pool) -> list[Problem]:
    """Give what an item breaks towards those it shares a node with; paths begin with its id."""
    problems = []
    for resource in RESOURCES:
        shares = item.of(resource).shares
        for peer in peers:
            other = peer.of(resource).shares
            if max(other, shares) > MAX_SHARES_RATIO * min(other, shares):
                told = _told_of_ratio(min(other, shares), max(other, shares), peer.label)
                problems.append(Problem(f"{item.id}.{resource}.shares", *told))
                break
    return problems


def _told_of_ratio(shares: float, most: float, whose: str) -> tuple[str, str]:
    what = f"{shares:.6g} shares beside {most:.6g} ({whose}) are too far apart"
    return what, f"let the larger be at most {MAX_SHARES_RATIO:.0e} times the smaller".replace("e+0", "e")


def _id_problems(plan: Plan) -> Iterator[Problem]:
    seen: dict[str, str] = {}
    groups: dict[str, tuple[Item, ...]] = {
        "hosts": plan.hosts, "stores": plan.stores, "pools": plan.pools, "guests": plan.guests,
    }  # fmt: skip
    for group, items in groups.items():
        for i, item in enumerate(items):
            path = f"{group}[{i}].id"
            if item.id == RULES_TARGET:
                yield Problem(path, f"the id {item.id!r} is kept for the rules", "choose another id")
            elif item.id in seen:
                yield Problem(
                    path,
                    f"the id {item.id!r} is taken by {seen[item.id]}",
                    "ids are unique across hosts, stores, pools and guests; choose another",
                )
            else:
                seen[item.id] = f"{group}[{i}]"


def raw_problems(data: Mapping[str, Any]) -> Iterator[Problem]:
    """Give ids that are taken and references to what is not there, of a document whose parts are not valid yet.

    Who mends a plan by hand wants to see all of its faults at once, also those between items.
    """
    items: dict[str, Sequence[Any]] = {}
    for group in ("hosts", "stores", "pools", "guests"):
        listed = data.get(group, [])
        items[group] = listed if isinstance(listed, list | tuple) else []
    seen: dict[str, str] = {}
    ids: dict[str, set[str]] = {}
    for group, listed in items.items():
        ids[group] = set()
        for i, item in enumerate(listed):
            item_id = item.get("id") if isinstance(item, dict) else None
            if not isinstance(item_id, str):
                continue
            if item_id in seen:
                yield Problem(
                    f"{group}[{i}].id", f"the id {item_id[:60]!r} is taken by {seen[item_id]}", "choose another"
                )
            else:
                seen[item_id] = f"{group}[{i}]"
            ids[group].add(item_id)
    for group, key, among in (("pools", "parent", "pools"), ("guests", "pool", "pools"), ("guests", "host", "hosts")):
        kind = among.removesuffix("s")
        for i, item in enumerate(items[group]):
            name = item.get(key) if isinstance(item, dict) else None
            if isinstance(name, str) and name not in ids[among]:
                what = f"there is no {kind} {name[:60]!r}"
                yield Problem(f"{group}[{i}].{key}", what, f"name a {kind} of the plan")
    events = data.get("events")
    for i, event in enumerate(events if isinstance(events, list | tuple) else ()):
        target = event.get("target") if isinstance(event, dict) else None
        if isinstance(target, str) and target != RULES_TARGET and target not in seen:
            yield Problem(f"events[{i}].target", f"there is no {target[:60]!r}", "name something of the plan")


def _reference_problems(plan: Plan) -> Iterator[Problem]:
    for i, pool in enumerate(plan.pools):
        if pool.parent is not None and pool.parent not in plan.pool_index:
            yield Problem(f"pools[{i}].parent", f"there is no pool {pool.parent!r}", "name a pool of the plan, or null")
    for i, guest in enumerate(plan.guests):
        if guest.pool is not None and guest.pool not in plan.pool_index:
            yield Problem(f"guests[{i}].pool", f"there is no pool {guest.pool!r}", "name a pool of the plan, or null")
        if guest.host is not None and guest.host not in plan.host_index:
            mend = "name a host of the plan" if plan.hosts else "the plan has no hosts yet: leave it out"
            yield Problem(f"guests[{i}].host", f"there is no host {guest.host!r}", mend)
        for d, disk in enumerate(guest.disks):
            if disk.store not in plan.store_index:
                what = f"there is no store {disk.store!r}"
                yield Problem(f"guests[{i}].disks[{d}].store", what, "name a store of the plan")
    for i, host in enumerate(plan.hosts):
        if host.store is not None and host.store not in plan.store_index:
            yield Problem(f"hosts[{i}].store", f"there is no store {host.store!r}", "name a store of the plan, or null")


def store_problems(plan: Plan) -> Iterator[Problem]:
    """Give what disks break towards each other and their stores: ids, bounds, promises, and shares too far apart."""
    promised = dict.fromkeys(plan.store_index, 0.0)
    least: dict[str, float] = {}
    most: dict[str, float] = {}
    for i, guest in enumerate(plan.guests):
        seen: set[str] = set()
        for d, disk in enumerate(guest.disks):
            path, store = f"guests[{i}].disks[{d}]", plan.stores[plan.store_index[disk.store]]
            if disk.id in seen:
                yield Problem(f"{path}.id", f"the id {disk.id!r} is taken by another disk of it", "choose another id")
            seen.add(disk.id)
            if disk.reservation_ops > 0 and not store.promises:
                what = f"{store.label} promises nothing, so that nothing can be reserved there"
                yield Problem(f"{path}.reservation_ops", what, "let the store promise, or reserve nothing")
            if disk.limit_ops is not None and disk.reservation_ops > disk.limit_ops:
                yield from _ordered(path, "reservation_ops", disk.reservation_ops, "limit", disk.limit_ops, "ops/s")
            promised[disk.store] += disk.reservation_ops
            if promised[disk.store] > store.ops * (1 + 1e-9) and disk.reservation_ops > 0:
                what = f"more is reserved on {store.label} than the {store.ops:.12g} transfers a second it does"
                yield Problem(f"{path}.reservation_ops", what, "reserve less there")
            least[disk.store] = min(least.get(disk.store, disk.shares), disk.shares)
            most[disk.store] = max(most.get(disk.store, disk.shares), disk.shares)
            if most[disk.store] > MAX_SHARES_RATIO * least[disk.store]:
                told = _told_of_ratio(least[disk.store], most[disk.store], "another disk")
                yield Problem(f"{path}.shares", *told)
                return


def _cycle_problems(plan: Plan) -> Iterator[Problem]:
    # A pool is sound once the way up from it has been seen to end; a way is walked only up to a sound pool.
    sound: set[str] = set()
    for i, pool in enumerate(plan.pools):
        way: dict[str, None] = {}
        here: str | None = pool.id
        while here is not None and here not in sound:
            if here in way:
                ring = " → ".join([*list(way)[list(way).index(here) :], here])
                yield Problem(f"pools[{i}].parent", f"pools contain each other: {ring}", "let one have another parent")
                break
            way[here] = None
            here = plan.pools[plan.pool_index[here]].parent
        sound.update(way)


def _ordered(
    path: str, low_name: str, low: float, high_name: str, high: float, unit: str, called: str = ""
) -> list[Problem]:
    """Check that one setting is not above another; ``called`` is what the lower one is called, if not by its key."""
    if low <= high:
        return []
    return [
        Problem(
            f"{path}.{low_name}",
            f"the {called or low_name} ({low:.12g} {unit}) is above the {high_name} ({high:.12g} {unit})",
            f"at most the {high_name}",
        )
    ]


def _limit_problems(path: str, settings: PoolCpu | PoolMemory | GuestCpu | ThinMemory) -> list[Problem]:
    if settings.limit is None:
        return []
    unit = "MiB" if path.endswith("memory") else "MHz"
    return _ordered(path, "reservation", settings.reservation, "limit", settings.limit, unit)


def pool_problems(pool: Pool, path: str) -> list[Problem]:
    """Give the rules a pool breaks on its own; ``path`` is its place in the document."""
    return [
        *_limit_problems(f"{path}.cpu", pool.cpu),
        *_limit_problems(f"{path}.memory", pool.memory),
    ]


def guest_problems(guest: Guest, host: Host | None, path: str) -> list[Problem]:
    """Give the rules a guest breaks on its own or against its host; ``path`` is its place in the document."""
    problems = _limit_problems(f"{path}.cpu", guest.cpu)
    if host is not None and guest.cpu.reservation > guest.vcpus * host.mhz:
        problems.append(
            Problem(
                f"{path}.cpu.reservation",
                f"{guest.cpu.reservation:.12g} MHz is more than {guest.vcpus} vCPUs of {guest.label} can use",
                f"at most {guest.vcpus * host.mhz:.12g} MHz ({guest.vcpus} × {host.mhz:.12g})",
            )
        )
    if guest.dedicated_cores:
        problems += _dedicated_problems(guest, path)
    if host is not None and guest.cores.only is not None:
        unknown = [core for core in guest.cores.only if core >= host.cores]
        if unknown:
            what = f"{host.label} has no core {unknown[0]}"
            problems.append(Problem(f"{path}.cores.only", what, f"its cores are 0 to {host.cores - 1}"))
    memory = guest.memory
    if isinstance(memory, ThinMemory):
        at = f"{path}.memory"
        problems += _bank_problems(guest, memory, host, at)
        problems += _limit_problems(at, memory)
        problems += _ordered(at, "reservation", memory.reservation, "size", memory.size, "MiB")
    elif isinstance(memory, ElasticMemory):
        at = f"{path}.memory"
        problems += _ordered(at, "floor", memory.floor, "boot size", memory.boot, "MiB")
        problems += _ordered(at, "boot", memory.boot, "ceiling", memory.ceiling, "MiB", "boot size")
    return problems


def _dedicated_problems(guest: Guest, path: str) -> Iterator[Problem]:
    at = f"{path}.dedicated_cores"
    if guest.in_bank:
        yield Problem(at, f"{guest.label} is in a bank, where no guest has cores of its own", "take it out of the bank")
    if guest.cpu.limit is not None:
        yield Problem(at, f"{guest.label} has a CPU limit, and cores of its own know none", "drop one of the two")


def _bank_problems(guest: Guest, memory: ThinMemory, host: Host | None, path: str) -> Iterator[Problem]:
    if memory.bank and (host is None or host.bank is None):
        where = "its host is not named" if host is None else f"{host.label} has no bank"
        yield Problem(f"{path}.bank", where, "give the host a bank, or take the guest out of it")
    elif memory.spill_volume is not None:
        volumes = host.bank.spill_volumes if memory.bank and host is not None and host.bank is not None else ()
        if memory.spill_volume not in {volume.id for volume in volumes}:
            what = f"{guest.label} names the spill volume {memory.spill_volume!r}, which its host's bank does not have"
            yield Problem(
                f"{path}.spill_volume", what, "name one of the bank, or none: the smallest that fits is taken"
            )


def host_problems(host: Host, path: str) -> list[Problem]:
    """Give the rules a host breaks on its own; ``path`` is its place in the document."""
    if host.bank is None:
        return []
    room = max(0.0, host.memory_mib - host.overhead_mib)
    return _ordered(f"{path}.bank", "max_mib", host.bank.max_mib, "memory of the host", room, "MiB", "largest size")


def _placement_problems(plan: Plan) -> Iterator[Problem]:
    """Give rules of placement that name what is not there, or contradict each other."""
    group: dict[str, str] = {}

    def root(guest: str) -> str:
        while group.get(guest, guest) != guest:
            guest = group[guest]
        return guest

    for i, rule in enumerate(plan.placement):
        names = [("guest", g, plan.guest_index) for g in rule.guests]
        names += [("host", h, plan.host_index) for h in (rule.hosts if isinstance(rule, Stays) else ())]
        for kind, name, known in names:
            if name not in known:
                yield Problem(f"placement[{i}].{kind}s", f"there is no {kind} {name!r}", f"name a {kind} of the plan")
        if rule.kind == "together":
            for guest in rule.guests:
                group[root(guest)] = root(rule.guests[0])
    for i, rule in enumerate(plan.placement):
        seen: dict[str, str] = {}
        for guest in rule.guests if rule.kind == "apart" else ():
            other = seen.setdefault(root(guest), guest)
            if other != guest:
                what = f"{other!r} and {guest!r} are to be apart here, and together by another rule"
                yield Problem(f"placement[{i}].guests", what, "drop one of them from one of the two rules")


def _aside_problems(plan: Plan) -> Iterator[Problem]:
    """Give what was set aside of somebody who is not there."""
    for i, aside in enumerate(plan.aside):
        if not any(
            aside.of in index for index in (plan.guest_index, plan.pool_index, plan.host_index, plan.store_index)
        ):
            mend = "name a guest, pool, host or store of the plan, or remove it"
            yield Problem(f"aside[{i}].of", f"there is no {aside.of!r}", mend)


def _event_problems(plan: Plan) -> Iterator[Problem]:
    trying = Trying(plan)
    # As a play has them: in the order of their times.
    for i, event in sorted(enumerate(plan.events), key=lambda pair: pair[1].at):
        path = f"events[{i}]"
        guest, pool = event.target in plan.guest_index, event.target in plan.pool_index
        host, store = event.target in plan.host_index, event.target in plan.store_index
        anything = guest or pool or host or store or event.target == RULES_TARGET
        fits, wanted = {
            "set": (anything, "guest, pool, host, store, or rules"),
            "surge": (guest or pool, "guest or pool"),
            "host-down": (host, "host"),
            "host-up": (host, "host"),
        }.get(event.do, (guest, "guest"))
        if not fits:
            yield Problem(f"{path}.target", f"there is no {wanted} {event.target!r}", f"name a {wanted}")
        elif event.do == "move" and event.host not in plan.host_index:
            yield Problem(f"{path}.host", f"there is no host {event.host!r}", "name a host of the plan")
        elif isinstance(event, SetEvent):
            fixed = [name for name in event.change if name in NEVER_CHANGED]
            if fixed:
                yield Problem(f"{path}.change", f"{event.target!r} has no setting {fixed[0]!r}", NAMED_BY_KEYS)
            else:
                yield from trying.problems(event, f"{path}.change")
