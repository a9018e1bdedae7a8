"""What the cells of a table stand for, and cells for what stands in a plan."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any, Final, TypeVar

from pydantic import BaseModel, ValidationError

from ruvex.plan import (
    Guest,
    Host,
    Namer,
    Plan,
    Pool,
    Store,
    UnitError,
    parse_cpu,
    parse_json,
    parse_memory,
    parse_time,
)

FILE_UNIT: Final[Mapping[str, str]] = {"cpu": "MHz", "memory": "MiB", "percent": "%"}
"""The unit in which cells of each kind are written."""
_YES: Final = ("on", "yes", "true", "1", "running", "started", "up", "active", "powered on", "enabled", "y")
_NO: Final = (
    "off", "no", "false", "0", "stopped", "down", "inactive", "powered off", "shut off", "shut down", "halted",
    "suspended", "disabled", "n",
)  # fmt: skip
_PATH = re.compile(r"\s*[/\\>]\s*")
_LISTS: Final = re.compile("[,;]")
_Made = TypeVar("_Made", Pool, Host)


class Names:
    """Finds hosts, pools and guests of a plan by what a cell calls them, and makes pools and hosts that are not there.

    Attributes
    ----------
    namer
        Gives ids and names that are free.
    new_pools, new_hosts
        What was made, pools above before those in them.
    """

    def __init__(self, plan: Plan) -> None:
        self.namer = Namer(plan)
        self._pools = _by_name(plan.pools) | {
            f"{pool.parent or ''}/{pool.called.lower()}": pool.id for pool in reversed(plan.pools)
        }
        self._hosts, self._guests = _by_name(plan.hosts), _by_name(plan.guests)
        self._stores = _by_name(plan.stores)
        self._machines = {host.id: host for host in plan.hosts}
        self._usual = plan.hosts[0] if plan.hosts else None
        self.new_pools: dict[str, Pool] = {}
        self.new_hosts: dict[str, Host] = {}

    def machine(self, name: str | None) -> Host | None:
        """Give the host of a name; without one the first."""
        return self._machines.get(self._hosts.get(name.lower(), "")) if name else self._usual

    def know_pool(self, pool: str, *called: str) -> None:
        """Remember a pool of the table by what it is called there, before one of the plan that is called so too."""
        self._pools |= {name.lower(): pool for name in called if name}

    def pool(self, name: str) -> str:
        """Give the id of a pool by its name, its id, or the way to it from the top; what is not there is made."""
        if name.lower() in self._pools:
            return self._pools[name.lower()]
        above: str | None = None
        for part in [part for part in _PATH.split(name.strip()) if part] or [name]:
            key = f"{above or ''}/{part.lower()}"
            if key not in self._pools:
                known = self._pools.get(part.lower()) if above is None else None
                if known is None:
                    pool = _made(Pool, "pool", part, id=self.namer.id_for(part, "pool"), name=part[:200], parent=above)
                    self.new_pools[key] = pool
                    known = pool.id
                self._pools[key] = known
            above = self._pools[key]
        assert above is not None
        return above

    def host(self, name: str) -> str:
        """Give the id of a host by its name or id; one that is not there is made."""
        if name.lower() not in self._hosts:
            host = _made(Host, "host", name, id=self.namer.id_for(name, "host"), name=name[:200])
            self.new_hosts[host.id] = host
            self._hosts[name.lower()] = host.id
        return self._hosts[name.lower()]

    def guest(self, name: str) -> str:
        """Give the id of a guest by its name or id."""
        return self._there(name, self._guests)

    def known_host(self, name: str) -> str:
        """Give the id of a host that is there."""
        return self._there(name, self._hosts)

    def store(self, name: str) -> str:
        """Give the id of a store that is there."""
        return self._there(name, self._stores)

    def target(self, name: str) -> str:
        """Give what an event is of: a guest, a pool, a host, a store or the rules."""
        if name.lower() == "rules":
            return "rules"
        return self._there(name, self._stores | self._hosts | self._pools | self._guests)

    @staticmethod
    def _there(name: str, known: Mapping[str, str]) -> str:
        if name.lower() not in known:
            raise UnitError(f"there is no {name[:60]!r} in the plan; bring it first, or mend the name")
        return known[name.lower()]


def _made(kind: type[_Made], word: str, called: str, **settings: Any) -> _Made:
    try:
        return kind(**settings)
    except ValidationError:
        raise UnitError(f"{called[:60]!r} is no name of a {word}; write it on one line") from None


def _by_name(items: Iterable[Guest | Host | Pool | Store]) -> dict[str, str]:
    """Give ids by names, and by ids where no name is the same; the first of a name has it."""
    items = list(items)
    named = {item.called.lower(): item.id for item in reversed(items)}
    return {item.id.lower(): item.id for item in items} | named


def readers(names: Names, core_mhz: float | None, vcpus: int | None, cores: int) -> Mapping[str, Callable[..., Any]]:
    """Give what reads each kind of cell; each takes the cell and the unit of its heading.

    Parameters
    ----------
    names
        Finds what cells name.
    core_mhz, cores
        Speed and number of the cores of the host that quantities of CPU are told by, if there is one.
    vcpus
        Those of the guest that ``12 %`` is of, None where the row is no guest.
    """
    whole_guest = vcpus * core_mhz if vcpus is not None and core_mhz is not None else None
    whole_host = cores * core_mhz if core_mhz is not None else None

    def cpu(cell: str, unit: str) -> Any:
        if cell.startswith("{"):
            return parse_json(cell, "a cell")
        return parse_cpu(
            cell, default_unit=unit or "GHz", core_mhz=core_mhz, guest_mhz=whole_guest, host_mhz=whole_host
        )

    def memory(cell: str, unit: str) -> Any:
        return parse_json(cell, "a cell") if cell.startswith("{") else parse_memory(cell, default_unit=unit or "GiB")

    return {
        "text": lambda cell, _: cell,
        "word": lambda cell, _: cell.lower(),
        "pool": lambda cell, _: names.pool(cell),
        "host": lambda cell, _: names.host(cell),
        "hosts": lambda cell, _: [names.known_host(one) for one in _listed(cell)],
        "guests": lambda cell, _: [names.guest(one) for one in _listed(cell)],
        "target": lambda cell, _: names.target(cell),
        "store": lambda cell, _: names.store(cell),
        "signal": lambda cell, _: parse_json(cell, "a cell") if cell.startswith("{") else _number(cell),
        "power": lambda cell, _: "on" if _flag(cell) else "off",
        "flag": lambda cell, _: _flag(cell),
        "whole": lambda cell, _: whole(cell),
        "list": lambda cell, _: _listed(cell),
        "number": lambda cell, _: _number(cell),
        "percent": lambda cell, _: _number(cell.replace("%", "")),
        "time": lambda cell, _: parse_time(cell),
        "turn": lambda cell, _: whole(cell) if cell[:1].isdigit() else cell.lower(),
        "json": lambda cell, _: parse_json(cell, "a cell"),
        "cpu": cpu,
        "memory": memory,
    }


def _listed(cell: str) -> list[str]:
    """Read names between commas or semicolons, or as a JSON list where they have such characters themselves."""
    if cell.startswith("["):
        found = parse_json(cell, "a cell")
        if not (isinstance(found, list) and all(isinstance(one, str) for one in found)):
            raise UnitError("a list in brackets holds texts in quotes")
        return found
    return [one.strip() for one in _LISTS.split(cell) if one.strip()]


def _flag(cell: str) -> bool:
    word = cell.lower()
    if word not in _YES + _NO:
        raise UnitError(f"{cell[:60]!r} is neither on nor off; write on or off")
    return word in _YES


def whole(cell: str) -> int:
    """Read a whole number.

    Raises
    ------
    UnitError
        It is none.
    """
    value = _number(cell)
    if not value.is_integer():
        raise UnitError(f"{cell[:60]!r} is no whole number; write one such as 2")
    return int(value)


def _number(cell: str) -> float:
    # A CPU quantity in its own unit is a plain number, read with the same care for spaces and commas.
    return parse_cpu(cell, default_unit="MHz")


def _called_in(items: Sequence[Guest | Host | Pool | Store]) -> dict[str, str]:
    count = Counter(key for item in items for key in {item.called.lower(), item.id}) + Counter(["rules"])
    return {
        item.id: item.called if item.called == item.called.strip() and count[item.called.lower()] == 1 else item.id
        for item in items
    }


class Callings:
    """What a plan's items are called in cells: by name, or by id where the name is not theirs alone."""

    def __init__(self, plan: Plan) -> None:
        self._called: dict[str, str] = {}
        for items in (plan.hosts, plan.pools, plan.guests, plan.stores):
            self._called |= _called_in(items)
        # Events may be of any of them, so that a name must stand for one alone among all.
        self._of_all = _called_in((*plan.stores, *plan.hosts, *plan.pools, *plan.guests))

    def cell(self, value: Any, kind: str) -> str:
        """Give the cell of a value; nothing for None."""
        if value is None:
            return ""
        if kind in ("pool", "host", "store"):
            return self._called[value]
        if kind == "target":
            return self._of_all.get(str(value), str(value))
        if kind in ("guests", "hosts", "list"):
            return _list_cell([self._called[one] for one in value] if kind != "list" else value)
        if kind == "flag":
            return "yes" if value else "no"
        if isinstance(value, BaseModel):
            return str(value.model_dump_json())
        if isinstance(value, tuple) and kind == "json":
            return json.dumps([one.model_dump(mode="json") for one in value], ensure_ascii=False)
        if isinstance(value, dict):
            return json.dumps(value, ensure_ascii=False)
        return f"{value:.17g}" if isinstance(value, float) else str(value)


def _list_cell(names: Iterable[str]) -> str:
    names = list(names)
    if not names:
        # An empty cell says nothing, so that what is usual would stand there again: an owner who may nothing may a lot.
        return "[]"
    is_plain = all(one == one.strip() and one and not _LISTS.search(one) for one in names)
    return ", ".join(names) if is_plain and names[0][0] != "[" else json.dumps(names, ensure_ascii=False)
