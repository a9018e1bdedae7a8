"""What would make a refused change pass: the nearest value, and other changes that find the missing promise."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Final

from ruvex.plan import (
    RESOURCE_KINDS,
    Change,
    EditError,
    ElasticMemory,
    FixedMemory,
    Guest,
    Plan,
    Pool,
    Resource,
    ThinMemory,
    change_many,
    change_settings,
    find_item,
    format_memory,
    get_setting,
    highest_of,
    pools_within,
)
from ruvex.promise import Claims, Refusal, claims_of, hosts_that_take, is_cpu, refusal_between
from ruvex.site import Site

Edit = Callable[[Plan], Plan]
"""An edit as a function; it may raise EditError."""

_MOST: Final = 5
_MOST_HOLDERS: Final = 3
_MOST_STEPS: Final = 3
_PERCENT_STEPS: Final = 10


@dataclass(frozen=True, slots=True)
class Remedy:
    """Changes of settings that, made first, let a refused change pass.

    Attributes
    ----------
    text
        What is done, in a few words.
    changes
        Ids and settings, as ``change_many`` takes them.
    """

    text: str
    changes: tuple[Change, ...]


def refusal_of(site: Site, edit: Edit, changed: Collection[str], *, booting: Collection[str] = ()) -> Refusal | None:
    """Tell whether an edit of a plan would be refused, and why.

    Parameters
    ----------
    site
        The plan as it is.
    edit
        What is to be done with it.
    changed, booting
        The items it concerns, and those among them that are being powered on.

    Raises
    ------
    EditError
        The edit breaks a rule of the plan itself.
    """
    return _test(claims_of(site), edit, changed, booting)


def _test(before: Claims, edit: Edit, changed: Collection[str], booting: Collection[str]) -> Refusal | None:
    after = before.site.with_plan(edit(before.site.plan))
    return refusal_between(before, claims_of(after, booting=booting), changed)


def nearest_value(site: Site, target: str, setting: str, value: float) -> float | None:
    """Give the value nearest to a refused one that would pass, in whole MHz or MiB or tenths of a percent.

    None where nothing between the value in force and the refused one would pass, or the setting is no number.
    """
    item = find_item(site.plan, target)
    old = None if item is None else get_setting(item, setting)
    if isinstance(old, bool) or not isinstance(old, int | float):
        return None
    steps_per_unit = _PERCENT_STEPS if "percent" in setting else 1
    before, way = claims_of(site), math.copysign(1 / steps_per_unit, value - old)

    def passes(steps: int) -> bool:
        try:
            return _test(before, lambda plan: change_settings(plan, target, {setting: at(steps)}), [target], ()) is None
        except EditError:
            return False

    def at(steps: int) -> float:
        # A value between two whole ones is left towards the refused one, so that the answer is whole.
        start = old if float(old * steps_per_unit).is_integer() else math.floor(old) if way < 0 else math.ceil(old)
        return float(start + way * steps)

    low, high = 0, max(0, math.ceil(abs(value - old) * steps_per_unit) - 1)
    if high == 0 or not passes(1):
        return None
    while low < high:
        middle = (low + high + 1) // 2
        if passes(middle):
            low = middle
        else:
            high = middle - 1
    return at(low)


def remedies_for(site: Site, edit: Edit, changed: Collection[str], *, booting: Collection[str] = ()) -> list[Remedy]:
    """Give some changes, each of which would let a refused edit pass; those that touch the fewest things first.

    Parameters
    ----------
    site
        The plan as it is.
    edit, changed, booting
        The refused edit, as for ``refusal_of``.
    """
    search = _Search(claims_of(site), edit, changed, booting)
    refusal = search.test(())
    if refusal is None:
        return []
    found = [
        Remedy(" and ".join(texts), changes)
        for candidate in search.candidates((), refusal, with_holders=True)
        if (completed := search.complete([candidate], refusal)) is not None
        for texts, changes in [completed]
    ]
    return sorted(found, key=lambda remedy: len(remedy.changes))[:_MOST]


class _Search:
    """Tries changes before an edit until it passes."""

    def __init__(self, before: Claims, edit: Edit, changed: Collection[str], booting: Collection[str]) -> None:
        self._before, self._edit = before, edit
        self._changed, self._booting = list(changed), booting

    def test(self, changes: Sequence[Change]) -> Refusal | None:
        """Give what is refused once some changes were made first; raises EditError where they cannot be made."""
        changed = [*self._changed, *(target for target, _ in changes)]
        return _test(self._before, lambda plan: self._edit(change_many(plan, changes)), changed, self._booting)

    def complete(self, steps: list[tuple[str, Change]], before: Refusal) -> tuple[list[str], tuple[Change, ...]] | None:
        """Follow a first step up the chain until the edit passes, within few steps; None if it does not."""
        changes = tuple(change for _, change in steps)
        try:
            refusal = self.test(changes)
        except EditError:
            return None
        if refusal is None:
            return [text for text, _ in steps], changes
        is_elsewhere = (refusal.kind, refusal.place) != (before.kind, before.place)
        if len(steps) >= _MOST_STEPS or not is_elsewhere:
            return None
        for candidate in self.candidates(changes, refusal, with_holders=False):
            completed = self.complete([*steps, candidate], refusal)
            if completed is not None:
                return completed
        return None

    def candidates(
        self, changes: Sequence[Change], refusal: Refusal, *, with_holders: bool
    ) -> Iterator[tuple[str, Change]]:
        """Give single changes that might find what is missing."""
        plan = change_many(self._before.site.plan, changes)
        resource: Resource = "cpu" if is_cpu(refusal.kind) else "memory"
        if refusal.kind in ("cpu", "memory"):
            if refusal.place is None:
                yield from self._of_rules(plan, refusal, resource)
            elif refusal.place in plan.pool_index:
                # A pool that the edit itself adds, as a copy of another one, cannot be changed before.
                yield from self._of_pool(plan, refusal, resource)
        if refusal.kind in ("host-cpu", "host-memory", "spill"):
            yield from self._elsewhere(plan)
        if refusal.kind == "spill":
            yield from self._of_spill(plan, refusal)
        elif refusal.kind == "volume":
            yield from _of_volumes(plan, refusal)
        elif with_holders:
            yield from self._of_holders(plan, refusal, resource)
        for item_id in self._changed:
            item = find_item(plan, item_id)
            if isinstance(item, Guest):
                yield from _less(item, resource, refusal.shortfall)

    def _of_pool(self, plan: Plan, refusal: Refusal, resource: Resource) -> Iterator[tuple[str, Change]]:
        assert refusal.place is not None
        pool = plan.pools[plan.pool_index[refusal.place]]
        settings = pool.of(resource)
        above = plan.labels[pool.parent] if pool.parent else "the supply"
        if not settings.draws:
            yield f"let {pool.label} draw on {above}", (pool.id, {f"{resource}.draws": True})
            more = math.ceil(settings.reservation + refusal.shortfall)
            change: dict[str, Any] = {f"{resource}.reservation": more}
            if settings.limit is not None and settings.limit < more:
                change[f"{resource}.limit"] = more
            text = f"reserve {RESOURCE_KINDS[resource].write(more)} for {pool.label} instead of"
            yield f"{text} {RESOURCE_KINDS[resource].write(settings.reservation)}", (pool.id, change)
        elif settings.limit is not None:
            more = math.ceil(settings.limit + refusal.shortfall)
            text = f"raise the limit of {pool.label} from {RESOURCE_KINDS[resource].write(settings.limit)} to"
            yield f"{text} {RESOURCE_KINDS[resource].write(more)}", (pool.id, {f"{resource}.limit": more})

    def _of_rules(self, plan: Plan, refusal: Refusal, resource: Resource) -> Iterator[tuple[str, Change]]:
        percent, per_percent = getattr(plan.rules.set_aside_percent, resource), _per_percent(self._before, resource)
        if percent <= 0 or per_percent <= 0:
            return
        less = math.floor((percent - refusal.shortfall / per_percent) * _PERCENT_STEPS) / _PERCENT_STEPS
        if less >= 0:
            text = f"set {less:g} % aside instead of {percent:g} %"
            yield text, ("rules", {f"set_aside_percent.{resource}": less})

    def _of_holders(self, plan: Plan, refusal: Refusal, resource: Resource) -> Iterator[tuple[str, Change]]:
        found = 0
        idle = [find_item(plan, holder) for holder, amount in refusal.holders if amount >= refusal.shortfall]
        pools = [item for item in idle if isinstance(item, Pool) and item.id not in self._changed]
        holding: list[Pool | Guest] = [*pools, *self._claiming(plan, refusal, resource)]
        for item in holding:
            for candidate in self._smaller(item, resource, refusal.shortfall):
                yield candidate
                found += 1
            if found >= _MOST_HOLDERS:
                return

    def _claiming(self, plan: Plan, refusal: Refusal, resource: Resource) -> list[Guest]:
        """Give the other guests at or below the place that is short that claim what is missing, largest first."""
        k, site = RESOURCE_KINDS[resource].at, self._before.site
        there = site.plan.guest_index
        is_node = refusal.kind in ("cpu", "memory")
        inside = pools_within(plan, refusal.place) if is_node else set()
        found = []
        for guest in plan.guests:
            if guest.id not in there or guest.id in self._changed or not site.is_on(guest.id):
                continue
            host = site.host_of(guest.id)
            if guest.pool in inside if is_node else host and host.id == refusal.place:
                claim = float(self._before.claim_of(guest.id)[k])
                if claim >= refusal.shortfall:
                    found.append((claim, guest))
        return [guest for _, guest in sorted(found, key=lambda pair: -pair[0])]

    def _smaller(self, item: Pool | Guest, resource: Resource, by: float) -> Iterator[tuple[str, Change]]:
        if isinstance(item, Guest):
            yield from _less(item, resource, by)
        else:
            # Only what nobody in it claims can be given back without anyone losing a promise.
            node, k = self._before.node_of(item.id), RESOURCE_KINDS[resource].at
            reservation = item.of(resource).reservation
            less = math.floor(reservation - by)
            if less >= float(self._before.sums.nodes[k, node]):
                text = f"take {RESOURCE_KINDS[resource].write(reservation - less)} that nobody claims from {item.label}"
                yield text, (item.id, {f"{resource}.reservation": less})

    def _elsewhere(self, plan: Plan) -> Iterator[tuple[str, Change]]:
        """Let a changed guest go to another host that would take it."""
        for item_id in self._changed:
            if item_id in plan.guest_index and len(plan.hosts) > 1:
                off = change_settings(plan, item_id, {"power": "off"})
                guest = off.guests[off.guest_index[item_id]]
                for host in hosts_that_take(self._before.site.with_plan(off), item_id):
                    there = plan.hosts[host]
                    if there.id != guest.host:
                        yield f"let {guest.label} be on {there.label}", (item_id, {"host": there.id})

    def _of_spill(self, plan: Plan, refusal: Refusal) -> Iterator[tuple[str, Change]]:
        assert refusal.place is not None
        host = plan.hosts[plan.host_index[refusal.place]]
        for item_id in self._changed:
            item = find_item(plan, item_id)
            if isinstance(item, Guest) and isinstance(item.memory, ThinMemory):
                more = math.ceil(item.memory.reservation + refusal.shortfall)
                if more <= min(item.memory.size, item.memory.limit or math.inf):
                    text = f"reserve {format_memory(more)} for {item.label}, which then needs less spill space"
                    yield text, (item.id, {"memory.reservation": more})
        space = math.ceil((host.spill_mib or 0.0) + refusal.shortfall)
        yield f"give {host.label} {format_memory(space)} of spill space", (host.id, {"spill_mib": space})


def _per_percent(claims: Claims, resource: Resource) -> float:
    """Give what one percent set aside comes to."""
    return float(claims.sums.gross[RESOURCE_KINDS[resource].at].sum()) / 100


def _of_volumes(plan: Plan, refusal: Refusal) -> Iterator[tuple[str, Change]]:
    host = plan.hosts[plan.host_index[refusal.place or ""]]
    assert host.bank is not None
    taken = {volume.id for volume in host.bank.spill_volumes}
    name = next(name for i in range(1, len(taken) + 2) if (name := f"volume-{i}") not in taken)
    volumes = [volume.model_dump() for volume in host.bank.spill_volumes]
    more = {"id": name, "mib": math.ceil(refusal.shortfall)}
    text = f"give the bank of {host.label} one more spill volume of {format_memory(refusal.shortfall)}"
    yield text, (host.id, {"bank.spill_volumes": [*volumes, more]})


def _less(guest: Guest, resource: Resource, by: float) -> Iterator[tuple[str, Change]]:
    """Give what a guest could do with less of."""
    memory = guest.memory
    if resource == "cpu":
        key, value, least, name = "cpu.reservation", guest.cpu.reservation, 0.0, "CPU reservation"
    elif isinstance(memory, ThinMemory):
        key, value, least, name = "memory.reservation", memory.reservation, 0.0, "memory reservation"
    elif isinstance(memory, ElasticMemory):
        key, value, least, name = "memory.floor", memory.floor, 0.0, "floor"
        if math.floor(memory.boot - by) >= max(memory.floor, 1.0):
            less = math.floor(memory.boot - by)
            text = f"boot {guest.label} with {format_memory(less)} instead of {format_memory(memory.boot)}"
            yield text, (guest.id, {"memory.boot": less})
    else:
        assert isinstance(memory, FixedMemory)
        # What its work uses at any time stays: a guest cut below that would page from then on.
        key, value, least, name = "memory.size", memory.size, max(1.0, highest_of(guest.demand.working)), "size"
    less = math.floor(value - by)
    if less >= least:
        change = f"{RESOURCE_KINDS[resource].write(value)} to {RESOURCE_KINDS[resource].write(less)}"
        yield f"lower the {name} of {guest.label} from {change}", (guest.id, {key: less})
