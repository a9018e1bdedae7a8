"""Ids and names for what is new in a plan."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Container, Iterable

from ruvex.plan._check import RULES_TARGET
from ruvex.plan._fields import ID_PATTERN
from ruvex.plan._item import Item
from ruvex.plan._model import Guest, Plan, Pool
from ruvex.plan._pools import pools_above

_COUNTED = re.compile(r"(.*?)([ -]?)(\d+)")
_MOST = 60
_LONGEST_ID = 200


def slug_of(name: str, otherwise: str) -> str:
    """Give a name in the letters of an id, or something else where nothing of it is left.

    Examples
    --------
    >>> slug_of("Sound science (2)", "pool"), slug_of("Möwe", "guest"), slug_of("…", "guest")
    ('sound-science-2', 'mowe', 'guest')
    """
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    return re.sub(r"[^a-z0-9]+", "-", plain.lower()).strip("-")[:_MOST].strip("-") or otherwise


def next_name(name: str, taken: Container[str], counted: dict[str, int] | None = None) -> str:
    """Give the name that follows another one: its number counted on, or a number set behind it.

    Parameters
    ----------
    name, taken
        The name, and those that are in use.
    counted
        How far each stem was counted before; it is brought up to date. With it many names alike cost no more each.

    Examples
    --------
    >>> next_name("web-front-3", {"web-front-3", "web-front-4"}), next_name("mail", {"mail"})
    ('web-front-5', 'mail-2')
    """
    match = _COUNTED.fullmatch(name)
    stem, gap, number = (match[1], match[2], int(match[3])) if match else (name, " " if " " in name else "-", 1)
    counted = {} if counted is None else counted
    number = max(number, counted.get(stem + gap, 0)) + 1
    while f"{stem}{gap}{number}" in taken:
        number += 1
    counted[stem + gap] = number
    return f"{stem}{gap}{number}"


class Namer:
    """Hands out ids and names that nothing in a plan has, nor anything it named before."""

    def __init__(self, plan: Plan) -> None:
        items: tuple[Item, ...] = (*plan.hosts, *plan.stores, *plan.pools, *plan.guests)
        self._ids = {RULES_TARGET, *(item.id for item in items)}
        self._names = {item.called for item in items}
        self._counted_ids: dict[str, int] = {}
        self._counted_names: dict[str, int] = {}

    def id_for(self, name: str, otherwise: str) -> str:
        """Give a free id like a name."""
        wish = slug_of(name, otherwise)
        free = wish if wish not in self._ids else next_name(wish, self._ids, self._counted_ids)
        self._ids.add(free)
        return free

    def keep(self, item_id: str, name: str) -> bool:
        """Take an id and a name just as they are, where the id is one and is free; tells whether it was."""
        if item_id in self._ids or len(item_id) > _LONGEST_ID or not re.fullmatch(ID_PATTERN, item_id):
            return False
        self._ids.add(item_id)
        self._names.add(name)
        return True

    def name_like(self, name: str) -> str:
        """Give a free name: the wished one, or the next in its count."""
        free = name if name not in self._names else next_name(name, self._names, self._counted_names)
        self._names.add(free)
        return free


def copies_of(plan: Plan, ids: Iterable[str]) -> list[Pool | Guest]:
    """Give copies of guests and pools under new names, a pool with all that is in it; pools come first."""
    namer = Namer(plan)
    wanted = dict.fromkeys(ids)
    inside: dict[str | None, list[Pool]] = {}
    members: dict[str | None, list[Guest]] = {}
    for pool in plan.pools:
        inside.setdefault(pool.parent, []).append(pool)
    for guest in plan.guests:
        members.setdefault(guest.pool, []).append(guest)
    pools: list[Pool] = []
    guests: list[Guest] = []
    done: set[str] = set()

    def copy_guest(guest: Guest, pool: str | None) -> None:
        name = namer.name_like(guest.called)
        guests.append(guest.model_copy(update={"id": namer.id_for(name, "guest"), "name": name, "pool": pool}))
        done.add(guest.id)

    # A pool that lies in another chosen one is copied with that.
    first = [p for p in plan.pools if p.id in wanted and not wanted.keys() & {a.id for a in pools_above(plan, p)}]
    to_do = [(pool, pool.parent) for pool in first]
    while to_do:
        pool, parent = to_do.pop(0)
        name = namer.name_like(pool.called)
        copy = pool.model_copy(update={"id": namer.id_for(name, "pool"), "name": name, "parent": parent})
        pools.append(copy)
        to_do += [(below, copy.id) for below in inside.get(pool.id, ())]
        for guest in members.get(pool.id, ()):
            copy_guest(guest, copy.id)
    for guest in plan.guests:
        if guest.id in wanted and guest.id not in done:
            copy_guest(guest, guest.pool)
    return [*pools, *guests]
