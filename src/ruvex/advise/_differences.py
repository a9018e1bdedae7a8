"""What two plans are set to differently, item by item."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from ruvex.plan import Plan
from ruvex.words import change_text

_PARTS: Final = ("disks", "links")
_LEFT_OUT: Final = ("id", "name", "tags")
_LISTS: Final = (("host", "hosts"), ("pool", "pools"), ("guest", "guests"), ("store", "stores"))


@dataclass(frozen=True, slots=True)
class Difference:
    """What is set differently of one item.

    Attributes
    ----------
    item, label
        Its id (``rules``: the rules of the site), and how it is called now, or then where it is gone.
    text
        What changed, such as ``came``, ``gone`` or ``shares 300, limit none``: the settings as they are now.
    """

    item: str
    label: str
    text: str


def differences(then: Plan, now: Plan) -> list[Difference]:
    """Tell what is set differently in a plan than it was: what came, what went, and new values of settings."""
    found: list[Difference] = []
    for kind, name in _LISTS:
        old = {item.id: item for item in getattr(then, name)}
        new = {item.id: item for item in getattr(now, name)}
        found += [Difference(i, item.label, f"is gone, a {kind}") for i, item in old.items() if i not in new]
        for i, item in new.items():
            if i not in old:
                found.append(Difference(i, item.label, f"came, a {kind}"))
            elif item is not old[i] and (change := _changed(old[i].model_dump(), item.model_dump())):
                found.append(Difference(i, item.label, change_text(change)))
    rules = _changed(then.rules.model_dump(), now.rules.model_dump())
    if rules:
        found.append(Difference("rules", "the rules", change_text(rules)))
    if then.placement != now.placement:
        found.append(Difference("rules", "the rules", "other rules of placement"))
    return found


def _changed(then: Mapping[str, Any], now: Mapping[str, Any], above: str = "") -> dict[str, Any]:
    """Give the settings that have other values, by their dotted names."""
    found: dict[str, Any] = {}
    for key, value in now.items():
        name, was = f"{above}{key}", then.get(key)
        if value == was or name in _LEFT_OUT:
            continue
        if name in _PARTS:
            found[name] = _parts_changed(was or (), value)
        elif isinstance(value, Mapping) and isinstance(was, Mapping) and "kind" not in value and name != "page_sharing":
            found |= _changed(was, value, f"{name}.")
        else:
            found[name] = value
    return found


def _parts_changed(then: Sequence[Mapping[str, Any]], now: Sequence[Mapping[str, Any]]) -> list[str]:
    """Say of disks or links, by their ids, which came, which went, and what is set differently of others."""
    old, new = ({part["id"]: part for part in parts} for parts in (then, now))
    told = [f"{part} gone" for part in old if part not in new]
    for part, settings in new.items():
        if part not in old:
            told.append(f"{part} new")
        elif change := _changed(old[part], settings):
            told.append(f"{part} with {change_text(change)}")
    return told or ["in another order"]


def differences_text(found: Sequence[Difference], most: int = 4) -> str:
    """Say in a line what is set differently."""
    told = [f"{one.label} {one.text}" for one in found[:most]]
    if len(found) > most:
        told.append(f"{len(found) - most} more")
    return "; ".join(told)
