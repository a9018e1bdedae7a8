"""What the owner of a pool may change in the plan that was handed over: everything else is refused with the reason."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, Final

from pydantic import BaseModel

from ruvex.plan._errors import EditError
from ruvex.plan._model import Event, Guest, Permission, Plan, Pool, PowerEvent, SetEvent, Stays, SurgeEvent
from ruvex.plan._setting_names import setting_word
from ruvex.plan._settings import find_item

PERMISSION_WORDS: Final[Mapping[Permission, str]] = {
    "switch": "power guests on and off", "divide": "divide among them", "resize": "resize them",
    "add": "add and remove guests",
}  # fmt: skip
_FREE: Final = ("name", "tags")
_SWITCH: Final = ("power", "comes_back")
_DIVIDE: Final = ("pool", "parent", "weighs", "owner", "owner_may", "cpu", "memory.reservation", "memory.limit",
                  "memory.shares", "memory.draws")  # fmt: skip
_GROUPS: Final = ("cpu", "demand", "memory", "cores", "link")
_SITE: Final = ("hosts", "stores", "rules", "day_s", "tick_s", "seed", "handed", "handed_over")
_SITE_WORDS: Final[Mapping[str, str]] = {
    "hosts": "Hosts", "stores": "Stores", "rules": "Rules", "day_s": "Lengths of days", "tick_s": "Ticks",
    "seed": "Seeds", "handed": "Bounds", "handed_over": "Pools that are handed over",
}  # fmt: skip


def digest_of_base(base: Mapping[str, Any]) -> str:
    """Give the digest by which a plan knows what it handed over again."""
    return hashlib.sha256(json.dumps(base, sort_keys=True, ensure_ascii=True).encode()).hexdigest()


def differing(old: BaseModel, new: BaseModel) -> Iterator[str]:
    """Give the dotted names of the settings in which two items differ, down to single values."""
    for name in type(old).model_fields:
        before, after = getattr(old, name), getattr(new, name)
        if before is after or before == after:
            continue
        if name in _GROUPS and isinstance(before, BaseModel) and type(before) is type(after):
            yield from (f"{name}.{below}" for below in differing(before, after))
        else:
            yield name


def needed_for(setting: str) -> Permission | None:
    """Give what the owner must be allowed to change a setting of a guest or pool; None where anybody may.

    Examples
    --------
    >>> needed_for("cpu.shares"), needed_for("vcpus"), needed_for("name")
    ('divide', 'resize', None)
    """
    if setting in _FREE:
        return None
    if setting in _SWITCH:
        return "switch"
    if setting in _DIVIDE or setting.partition(".")[0] in ("cpu", "link"):
        return "divide"
    return "resize"


def outside_bounds(before: Plan, after: Plan) -> str | None:
    """Say why a change of a plan that was handed over may not be made there; None where it may.

    Parameters
    ----------
    before, after
        The plan and what it would become; one that was not handed over may become anything.
    """
    if before.handed is None:
        return None
    return next(_outside(before, after, before.handed.pool, before.handed.may), None)


def check_bounds(before: Plan, after: Plan) -> None:
    """Let nothing be made of a plan that was handed over but what its owner may.

    Raises
    ------
    EditError
        The change is outside of the bounds; the text says why.
    """
    reason = outside_bounds(before, after)
    if reason is not None:
        raise EditError(reason)


def _outside(before: Plan, after: Plan, root: str, may: tuple[Permission, ...]) -> Iterator[str]:
    for part in _SITE:
        if getattr(before, part) != getattr(after, part):
            yield f"{_SITE_WORDS[part]} are the site's: this is a pool that was handed over"
    yield from _of_items(before.pools, after.pools, root, may)
    yield from _of_items(before.guests, after.guests, root, may)
    staying = {guest.id for guest in after.guests}
    left = [(rule, tuple(guest for guest in rule.guests if guest in staying)) for rule in before.placement]
    kept = [rule.model_copy(update={"guests": guests}) for rule, guests in left
            if guests and (isinstance(rule, Stays) or len(guests) > 1)]  # fmt: skip
    if kept != list(after.placement):
        yield "Rules of placement are the site's: this is a pool that was handed over"
    if before.events != after.events:
        old, new = list(before.events), list(after.events)
        changed = [event for event in new if event not in old] + [event for event in old if event not in new]
        for event in changed:
            gone = event.target in before.guest_index and event.target not in after.guest_index
            if not gone:
                label = getattr(find_item(after, event.target), "label", event.target)
                yield from _of_event(event, label, may)


def _of_items(
    before: Iterable[Guest | Pool], after: Iterable[Guest | Pool], root: str, may: tuple[Permission, ...]
) -> Iterator[str]:
    was, now = {item.id: item for item in before}, {item.id: item for item in after}
    for item_id in was.keys() ^ now.keys():
        item = was.get(item_id) or now[item_id]
        if item_id == root:
            yield f"{item.label} is what was handed over, and stays"
        if isinstance(item, Guest):
            yield from _allowed("add", item.label, "which guests there are", may)
        else:
            yield from _allowed("divide", item.label, "which pools there are", may)
    for item_id, item in now.items():
        old = was.get(item_id)
        if old is None or old is item:
            continue
        for setting in differing(old, item):
            if item_id == root:
                yield f"{item.label} is bounded by whoever handed it over; its {setting_word(setting)} is changed there"
            elif setting == "host":
                yield f"{item.label} stays on its host: where guests live is for the site to say"
            else:
                needed = needed_for(setting)
                if needed is not None:
                    yield from _allowed(needed, item.label, setting_word(setting), may)


def _allowed(needed: Permission, label: str, what: str, may: tuple[Permission, ...]) -> Iterator[str]:
    if needed not in may:
        allowed = " and ".join(PERMISSION_WORDS[one] for one in may) or "only look"
        yield f"{label}: {what} cannot be changed here; its owner may {allowed}"


def _of_event(event: Event, label: str, may: tuple[Permission, ...]) -> Iterator[str]:
    if isinstance(event, PowerEvent):
        yield from _allowed("switch", label, "when it is powered", may)
    elif isinstance(event, SurgeEvent):
        yield from _allowed("resize", label, "its surges", may)
    elif isinstance(event, SetEvent) and event.target != "rules":
        for setting in event.change:
            needed = needed_for(setting)
            if needed is not None:
                yield from _allowed(needed, label, setting_word(setting), may)
    else:
        yield "Moves, lost hosts and changes of rules are the site's events"
