"""Edits: each takes a plan and gives a new one that is valid, or says why it cannot."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from pydantic import ValidationError

from ruvex.plan._check import (
    check_plan,
    guest_problems,
    host_problems,
    peer_problems,
    pool_problems,
    store_problems,
)
from ruvex.plan._errors import EditError, Problem
from ruvex.plan._model import Aside, Event, Guest, HandedOver, Host, PlacementRule, Plan, Pool, Stays
from ruvex.plan._problems import problems_of
from ruvex.plan._resources import RESOURCES
from ruvex.plan._rules import Rules
from ruvex.plan._setting_names import setting_word, told_in_words
from ruvex.plan._settings import Part, find_item, with_settings
from ruvex.plan._stores import Store

Change = tuple[str, Mapping[str, Any]]
"""An edit of settings: the id of an item or ``rules``, and its dotted setting names with new values."""

Changes = Iterable[Change]


def change_settings(plan: Plan, target: str, change: Mapping[str, Any]) -> Plan:
    """Give a plan in which some settings of one item have new values.

    Parameters
    ----------
    plan
        The plan; it stays as it is.
    target
        The id of a host, pool or guest, or ``rules``.
    change
        Dotted setting names to new values, such as ``{"cpu.shares": 200}``.

    Raises
    ------
    EditError
        There is no such item or setting, or a value breaks a rule; the text names the setting and the remedy.
    """
    item = find_item(plan, target)
    if item is None:
        raise EditError(f"there is no {target!r} in the plan")
    try:
        new = with_settings(item, change)
    except KeyError as error:
        label = getattr(item, "label", target)
        raise EditError(f"{label} has no {setting_word(str(error.args[0]))}") from None
    except ValidationError as error:
        problems = problems_of(error, item.model_dump(), type(item))
        raise EditError(told_in_words(plan, problems, getattr(item, "label", ""))) from None
    return replace_item(plan, new)


def change_many(plan: Plan, changes: Changes) -> Plan:
    """Give a plan in which settings of several items have new values, changed one after the other.

    Raises
    ------
    EditError
        As ``change_settings``; the first that fails is named.
    """
    for target, change in changes:
        plan = change_settings(plan, target, change)
    return plan


def replace_item(plan: Plan, item: Part) -> Plan:
    """Give a plan with one host, pool or guest (found by its id), or the rules, replaced.

    Raises
    ------
    EditError
        The item is not in the plan, or breaks a rule of its own, towards its host, or of the tree.
    """
    if isinstance(item, Rules):
        return _copy(plan, rules=item)
    if isinstance(item, Guest):
        position = _position(plan.guest_index, item.id)
        problems = _guest_place_problems(plan, plan.guests[position], item)
        problems = problems or guest_problems(item, plan.host_of(item), item.id)
        problems = problems or _share_problems(plan, plan.guests[position], item)
        update: dict[str, Any] = {"guests": _with(plan.guests, position, item)}
        if not problems and item.disks != plan.guests[position].disks:
            problems = _disk_problems(plan, item) or list(store_problems(_copy(plan, **update)))
    elif isinstance(item, Pool):
        position = _position(plan.pool_index, item.id)
        problems = pool_problems(item, item.id)
        if item.parent != plan.pools[position].parent:
            problems = problems or _parent_problems(plan, item)
        problems = problems or _share_problems(plan, plan.pools[position], item)
        update = {"pools": _with(plan.pools, position, item)}
    elif isinstance(item, Store):
        update = {"stores": _with(plan.stores, _position(plan.store_index, item.id), item)}
        problems = list(store_problems(_copy(plan, **update)))
    else:
        position = _position(plan.host_index, item.id)
        update = {"hosts": _with(plan.hosts, position, item)}
        after = _copy(plan, **update)
        problems = host_problems(item, item.id) or [
            p for g in plan.guests for p in guest_problems(g, after.host_of(g), g.id)
        ]
        if item.store is not None and item.store not in plan.store_index:
            what = f"there is no store {item.store!r}"
            problems.append(Problem(f"{item.id}.store", what, "name a store of the plan, or none"))
    if problems:
        raise EditError(told_in_words(plan, problems))
    return _copy(plan, **update)


def _share_problems(plan: Plan, old: Guest | Pool, new: Guest | Pool) -> list[Problem]:
    """Check an item's shares against those of its peers, where these or its peers are other ones."""
    above = new.pool if isinstance(new, Guest) else new.parent
    was = old.pool if isinstance(old, Guest) else old.parent
    if above == was and all(new.of(resource).shares == old.of(resource).shares for resource in RESOURCES):
        return []
    peers: list[Guest | Pool] = [guest for guest in plan.guests if guest.pool == above and guest.id != new.id]
    peers += [pool for pool in plan.pools if pool.parent == above and pool.id != new.id]
    return peer_problems(peers, new)


def _guest_place_problems(plan: Plan, old: Guest, new: Guest) -> list[Problem]:
    """Check the pool and host a guest names, where they are other ones."""
    problems = []
    if new.pool != old.pool and new.pool is not None and new.pool not in plan.pool_index:
        problems.append(Problem(f"{new.id}.pool", f"there is no pool {new.pool!r}", "name a pool of the plan, or none"))
    if new.host != old.host and new.host is not None and new.host not in plan.host_index:
        problems.append(Problem(f"{new.id}.host", f"there is no host {new.host!r}", "name a host, or none"))
    return problems


def _disk_problems(plan: Plan, guest: Guest) -> list[Problem]:
    return [
        Problem(f"{guest.id}.disks", f"there is no store {disk.store!r}", "name a store of the plan")
        for disk in guest.disks
        if disk.store not in plan.store_index
    ]


def _parent_problems(plan: Plan, pool: Pool) -> list[Problem]:
    """Check the way up from a pool's new parent: it must be there, and not lead back to the pool."""
    here = pool.parent
    if here is not None and here not in plan.pool_index:
        return [Problem(f"{pool.id}.parent", f"there is no pool {here!r}", "name a pool of the plan, or none")]
    while here is not None:
        if here == pool.id:
            what = f"{pool.label} would come to lie in itself"
            return [Problem(f"{pool.id}.parent", what, "choose a pool outside of it")]
        here = plan.pools[plan.pool_index[here]].parent
    return []


def add_items(plan: Plan, items: Iterable[Host | Store | Pool | Guest]) -> Plan:
    """Give a plan with further hosts, stores, pools and guests at the end of their lists.

    When a second host comes, guests of the plan that named none stay on the first: they name it now.

    Raises
    ------
    EditError
        The plan would not be valid: an id is taken, a named pool or host is not there, a rule is broken.
    """
    items = list(items)
    hosts = (*plan.hosts, *(item for item in items if isinstance(item, Host)))
    guests = plan.guests
    if len(hosts) > 1 >= len(plan.hosts):
        # Those that come with the hosts and name none are without one: a table of them is read as it was written.
        guests = tuple(g if g.host is not None else g.model_copy(update={"host": hosts[0].id}) for g in guests)
    guests = (*guests, *(item for item in items if isinstance(item, Guest)))
    pools = (*plan.pools, *(item for item in items if isinstance(item, Pool)))
    stores = (*plan.stores, *(item for item in items if isinstance(item, Store)))
    return _rebuilt(plan, hosts=hosts, stores=stores, pools=pools, guests=guests)


def _without_stores(plan: Plan, gone: set[str]) -> Plan:
    guests = tuple(
        guest.model_copy(update={"disks": tuple(disk for disk in guest.disks if disk.store not in gone)})
        if any(disk.store in gone for disk in guest.disks) else guest
        for guest in plan.guests
    )  # fmt: skip
    hosts = tuple(host.model_copy(update={"store": None}) if host.store in gone else host for host in plan.hosts)
    stores = tuple(store for store in plan.stores if store.id not in gone)
    return _rebuilt(plan, stores=stores, hosts=hosts, guests=guests)


def remove_items(plan: Plan, ids: Iterable[str]) -> Plan:
    """Give a plan without some hosts, stores, pools and guests, and without the events that concern them.

    What a removed pool held, and that is not removed too, moves up to the nearest pool that stays. Disks go with their
    store.

    Raises
    ------
    EditError
        A host is to go that guests are on, while another host stays.
    """
    gone = set(ids)
    if gone & plan.store_index.keys():
        plan = _without_stores(plan, gone)
    parent = {pool.id: pool.parent for pool in plan.pools}

    def staying(pool: str | None) -> str | None:
        while pool in gone:
            pool = parent[pool]
        return pool

    hosts = tuple(host for host in plan.hosts if host.id not in gone)
    pools = tuple(
        pool if pool.parent not in gone else pool.model_copy(update={"parent": staying(pool.parent)})
        for pool in plan.pools
        if pool.id not in gone
    )
    guests = []
    for guest in plan.guests:
        if guest.id in gone:
            continue
        update: dict[str, Any] = {"pool": staying(guest.pool)} if guest.pool in gone else {}
        if guest.host in gone:
            if hosts:
                label = plan.labels[guest.host]
                raise EditError(f"{guest.label} is on {label}; move it to another host first")
            update["host"] = None
        guests.append(guest.model_copy(update=update) if update else guest)
    placement: list[PlacementRule] = []
    for rule in plan.placement:
        left = tuple(guest for guest in rule.guests if guest not in gone)
        if isinstance(rule, Stays):
            there = tuple(host for host in rule.hosts if host not in gone)
            if left and there:
                placement.append(rule.model_copy(update={"guests": left, "hosts": there}))
        elif len(left) > 1:
            placement.append(rule.model_copy(update={"guests": left}))
    events = tuple(e for e in plan.events if e.target not in gone and getattr(e, "host", None) not in gone)
    aside = tuple(one for one in plan.aside if one.of not in gone)
    return _rebuilt(
        plan, hosts=hosts, pools=pools, guests=tuple(guests), events=events, placement=tuple(placement), aside=aside
    )


def move_items(plan: Plan, ids: Iterable[str], pool: str | None) -> Plan:
    """Give a plan in which guests and pools lie directly in a pool, or at the top (None).

    Raises
    ------
    EditError
        There is no such pool or item, or a pool would come to lie in itself.
    """
    for item_id in ids:
        plan = change_settings(plan, item_id, {"pool" if item_id in plan.guest_index else "parent": pool})
    return plan


def shift_item(plan: Plan, item_id: str, steps: int) -> Plan:
    """Give a plan in which a guest or pool stands further down (or up) among the peers of its kind.

    Raises
    ------
    EditError
        There is no such guest or pool.
    """
    is_guest = item_id in plan.guest_index
    items: tuple[Any, ...] = plan.guests if is_guest else plan.pools
    here = _position(plan.guest_index if is_guest else plan.pool_index, item_id)
    node = "pool" if is_guest else "parent"
    peers = [i for i, item in enumerate(items) if getattr(item, node) == getattr(items[here], node)]
    target = peers[min(max(peers.index(here) + steps, 0), len(peers) - 1)]
    rest = [*items[:here], *items[here + 1 :]]
    rest.insert(target, items[here])
    return _rebuilt(plan, **{"guests" if is_guest else "pools": tuple(rest)})


def add_events(plan: Plan, events: Iterable[Event]) -> Plan:
    """Give a plan with further events, all of them in the order of their times.

    Raises
    ------
    EditError
        An event concerns something that is not in the plan, or a setting that it does not have.
    """
    return with_events(plan, (*plan.events, *events))


def with_events(plan: Plan, events: Iterable[Event]) -> Plan:
    """Give a plan with other events, in the order of their times.

    Raises
    ------
    EditError
        An event concerns something that is not in the plan, or a setting that it does not have.
    """
    return _rebuilt(plan, events=tuple(sorted(events, key=lambda event: event.at)))


def with_placement(plan: Plan, rules: Iterable[PlacementRule]) -> Plan:
    """Give a plan with other rules of placement.

    Raises
    ------
    EditError
        A rule names what is not in the plan, or two contradict each other.
    """
    return _rebuilt(plan, placement=tuple(rules))


def with_handed_over(plan: Plan, records: Iterable[HandedOver]) -> Plan:
    """Give a plan that knows of other pools handed over; it knows the last one of each pool."""
    return _copy(plan, handed_over=tuple({record.pool: record for record in records}.values()))


def set_aside(plan: Plan, kind: str, of: str, reason: str) -> Plan:
    """Give a plan in which something that is worth a look is set aside with a reason; without one it is brought back.

    Raises
    ------
    EditError
        There is no such guest, pool or host, or the reason is too long.
    """
    others = tuple(one for one in plan.aside if (one.kind, one.of) != (kind, of))
    if not reason.strip():
        return _rebuilt(plan, aside=others)
    try:
        added = Aside(kind=kind, of=of, reason=reason.strip())
    except ValidationError as error:
        raise EditError(told_in_words(plan, problems_of(error, {}, Aside), "")) from None
    return _rebuilt(plan, aside=(*others, added))


def rename_plan(plan: Plan, name: str) -> Plan:
    """Give a plan of another name.

    Raises
    ------
    EditError
        The name has more than one line or control characters.
    """
    try:
        Plan.model_validate({"name": name})
    except ValidationError:
        raise EditError("a name is one line of at most 1000 characters") from None
    return _copy(plan, name=name)


def move_moment(plan: Plan, moment_s: float) -> Plan:
    """Give a plan whose moment is another one, kept within the day."""
    moment_s = min(max(moment_s, 0.0), plan.day_s)
    return plan if moment_s == plan.moment else _copy(plan, moment=moment_s)


def _position(index: Mapping[str, int], target: str) -> int:
    if target not in index:
        raise EditError(f"there is no {target!r} in the plan")
    return index[target]


def _with(items: tuple[Any, ...], position: int, item: Any) -> tuple[Any, ...]:
    return (*items[:position], item, *items[position + 1 :])


def _copy(plan: Plan, **update: Any) -> Plan:
    return plan.model_copy(update=update)


def _rebuilt(plan: Plan, **update: Any) -> Plan:
    """Give a plan with other lists of items, checked as on reading."""
    new = plan.model_copy(update=update)
    problems = check_plan(new)
    if problems:
        raise EditError(told_in_words(new, problems))
    return new
