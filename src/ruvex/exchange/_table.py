"""Guests as a table of a spreadsheet: a header row, units in the header or in the cells."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from pydantic import ValidationError

from ruvex.exchange._cells import cells_of, cells_text, refused
from ruvex.exchange._headings import BY_SETTING, COLUMNS, Column, headings_of
from ruvex.plan import (
    MOST_FAULTS,
    Guest,
    Host,
    Namer,
    Plan,
    PlanError,
    Pool,
    Problem,
    UnitError,
    format_cpu,
    format_memory,
    get_setting,
    parse_cpu,
    parse_json,
    parse_memory,
    pools_above,
    problems_of,
)

_MAX_CELL: Final = 20_000
_MOST_VCPUS: Final = 4096
_YES: Final = ("on", "yes", "true", "1", "running", "started", "up", "active", "powered on", "enabled", "y")
_NO: Final = (
    "off", "no", "false", "0", "stopped", "down", "inactive", "powered off", "shut off", "shut down", "halted",
    "suspended", "disabled", "n",
)  # fmt: skip
_FILE_UNIT: Final = {"cpu": "MHz", "memory": "MiB", "percent": "%"}
_PATH = re.compile(r"\s*[/\\>]\s*")


@dataclass(frozen=True, slots=True)
class Pasted:
    """What a block of cells holds.

    Attributes
    ----------
    pools
        Pools that its guests name and the plan does not have yet, those above before those in them.
    guests
        The guests, with ids and names that are free in the plan.
    ignored
        Headings whose columns were left out.
    usual
        What stands for settings that the table does not have, in words.
    """

    pools: tuple[Pool, ...]
    guests: tuple[Guest, ...]
    ignored: tuple[str, ...]
    usual: tuple[str, ...] = ()


def guests_from_table(text: str, plan: Plan) -> Pasted:
    """Read a table of guests, its columns as their headings have them.

    The first row names the columns, at least the guests' names; a unit may follow in parentheses. A cell may name its
    own unit; a bare number under a heading without one is in GHz or GiB. An empty cell leaves the setting at its
    default. ``12 %`` of CPU is of the guest's own vCPUs. A pool ``a/b`` is the pool b in the pool a.

    Parameters
    ----------
    text
        The cells, separated by tabs, semicolons or commas.
    plan
        The plan they are for; pools and hosts are found by id or name.

    Raises
    ------
    PlanError
        The text is no such table, or cells are wrong; each problem names row and column.
    """
    rows = cells_of(text)
    settings = [heading.setting for heading in headings_of(rows[0])]
    if "name" not in settings:
        known = ", ".join(column.heading for column in COLUMNS)
        raise refused("its first row does not name the columns", f"begin with a row of headings such as {known}")
    return guests_from_cells(rows, settings, plan)


def guests_from_cells(rows: Sequence[Sequence[str]], settings: Sequence[str | None], plan: Plan) -> Pasted:
    """Read a table of guests whose columns have been assigned.

    Parameters
    ----------
    rows
        Its cells, the headings first.
    settings
        Of each column the setting it holds, None for one that is left out.

    Raises
    ------
    PlanError
        No column holds the names, there are no rows, or cells are wrong; each problem names row and column.
    """
    if "name" not in settings:
        raise refused("no column holds the names of the guests", "say which one does")
    headings = headings_of(rows[0])
    columns = [(i, BY_SETTING[s], headings[i].unit) for i, s in enumerate(settings) if s is not None]
    ignored = [h.text for h, s in zip(headings, settings, strict=True) if s is None and h.text]
    reader = _Reader(plan)
    for number, row in enumerate(rows[1:], start=2):
        if any(cell.strip() for cell in row):
            reader.read(number, row, columns)
        if len(reader.problems) > MOST_FAULTS:
            break
    if reader.problems:
        raise PlanError(reader.problems, "the table")
    if not reader.guests:
        raise refused("there are no rows below the header", "take the header row together with the guests' rows")
    there = {setting for setting in settings if setting is not None}
    return Pasted(tuple(reader.new_pools.values()), tuple(reader.guests), tuple(ignored), _usual(there))


def _usual(there: set[str]) -> tuple[str, ...]:
    """Say what stands for demands that the table does not have: nothing is filled in unsaid."""
    plain = Guest(id="x").demand
    told = []
    if "demand.cpu" not in there:
        told.append(f"CPU demand {format_cpu(float(plain.cpu))} each")  # type: ignore[arg-type]
    if "demand.working" not in there:
        told.append(f"working set {format_memory(float(plain.working))} each")  # type: ignore[arg-type]
    if "demand.touched" not in there:
        what = "what it works with" if "demand.working" in there else format_memory(float(plain.touched))  # type: ignore[arg-type]
        told.append(f"touched {what}")
    return tuple(told)


class _Reader:
    """Reads row by row, collecting guests, new pools and problems."""

    def __init__(self, plan: Plan) -> None:
        self._plan = plan
        self._namer = Namer(plan)
        self._pools = {key.lower(): pool.id for pool in plan.pools for key in (pool.label, pool.id)}
        self._pools |= {f"{pool.parent or ''}/{pool.label.lower()}": pool.id for pool in plan.pools}
        self._hosts = {key.lower(): host for host in plan.hosts for key in (host.label, host.id)}
        self.new_pools: dict[str, Pool] = {}
        self.guests: list[Guest] = []
        self.problems: list[Problem] = []

    def read(self, number: int, row: Sequence[str], columns: Sequence[tuple[int, Column, str]]) -> None:
        """Read one row of cells."""
        cells = {c.setting: (c, unit, row[i].strip()) for i, c, unit in columns if i < len(row) and row[i].strip()}
        name = cells.get("name", (None, "", ""))[2]
        if not name:
            self._fault(number, "name", "it has no name", "give each guest a name")
            return
        data: dict[str, Any] = {}
        read = self._readers(cells)
        for setting, (column, unit, cell) in cells.items():
            try:
                if len(cell) > _MAX_CELL:
                    raise UnitError(f"a cell of {len(cell)} characters is too long")
                value = read[column.kind](cell, unit)
            except (UnitError, PlanError) as error:
                problem = error.problems[0] if isinstance(error, PlanError) else None
                what, _, mend = (str(problem) if problem else str(error)).partition("; ")
                self._fault(number, column.heading, what, mend or "correct the cell")
                continue
            *path, last = setting.split(".")
            part = data
            for key in path:
                part = part.setdefault(key, {})
            part[last] = value
        self._add(number, data, name)

    def _add(self, number: int, data: dict[str, Any], name: str) -> None:
        demand = data.get("demand", {})
        if "working" in demand and "touched" not in demand:
            # What is worked with has been touched; more than that nobody has said.
            demand["touched"] = demand["working"]
        if "memory" in data and "mode" not in data["memory"]:
            data["memory"]["mode"] = "elastic" if {"boot", "floor", "ceiling"} & data["memory"].keys() else "thin"
        if "memory" in data and data["memory"]["mode"] != "thin":
            # A spreadsheet has one set of columns for all modes; what another mode does not have stays out.
            allowed = {"fixed": ("mode", "size", "shares")}.get(
                data["memory"]["mode"], ("mode", "boot", "floor", "ceiling", "headroom_percent", "shares")
            )
            data["memory"] = {key: value for key, value in data["memory"].items() if key in allowed}
        free = self._namer.name_like(name)
        data |= {"id": self._namer.id_for(free, "guest"), "name": free}
        try:
            self.guests.append(Guest.model_validate(data))
        except ValidationError as error:
            for problem in problems_of(error, data, Guest):
                self._fault(number, problem.path, problem.what, problem.mend)

    def _fault(self, number: int, column: str, what: str, mend: str) -> None:
        self.problems.append(Problem(f"row {number}, {column}", what, mend))

    def _readers(self, cells: Mapping[str, tuple[Column, str, str]]) -> Mapping[str, Callable[[str, str], Any]]:
        host = self._host_named(cells["host"][2]) if "host" in cells else None
        host = host or (self._plan.hosts[0] if self._plan.hosts else None)
        vcpus = Guest(id="x").vcpus
        if "vcpus" in cells:
            # What is no sensible number there is told with that cell.
            with contextlib.suppress(UnitError):
                vcpus = min(_whole(cells["vcpus"][2]), _MOST_VCPUS)

        def cpu(cell: str, unit: str) -> Any:
            if cell.startswith("{"):
                return parse_json(cell, "a cell")
            return parse_cpu(
                cell, default_unit=unit or "GHz", core_mhz=host.mhz if host else None,
                guest_mhz=vcpus * host.mhz if host else None, host_mhz=host.cores * host.mhz if host else None,
            )  # fmt: skip

        return {
            "text": lambda cell, _: cell,
            "word": lambda cell, _: cell.lower(),
            "pool": lambda cell, _: self._pool_named(cell),
            "host": lambda cell, _: self._host_id(cell),
            "power": lambda cell, _: "on" if _flag(cell) else "off",
            "flag": lambda cell, _: _flag(cell),
            "whole": lambda cell, _: _whole(cell),
            "tags": lambda cell, _: [tag.strip() for tag in re.split(r"[,;]", cell) if tag.strip()],
            "number": lambda cell, _: _number(cell),
            "percent": lambda cell, _: _number(cell.replace("%", "")),
            "cpu": cpu,
            "memory": lambda cell, unit: (
                parse_json(cell, "a cell") if cell.startswith("{") else parse_memory(cell, default_unit=unit or "GiB")
            ),
        }

    def _pool_named(self, name: str) -> str:
        """Give the id of a pool by its name, its id, or the way to it from the top; what is not there yet is made."""
        if name.lower() in self._pools:
            return self._pools[name.lower()]
        above: str | None = None
        for part in [part for part in _PATH.split(name.strip()) if part] or [name]:
            key = f"{above or ''}/{part.lower()}"
            if key not in self._pools:
                known = self._pools.get(part.lower()) if above is None else None
                if known is None:
                    try:
                        pool = Pool(id=self._namer.id_for(part, "pool"), name=part[:200], parent=above)
                    except ValidationError:
                        raise UnitError(f"{part[:60]!r} is no name of a pool; write it on one line") from None
                    self.new_pools[key] = pool
                    known = pool.id
                self._pools[key] = known
            above = self._pools[key]
        assert above is not None
        return above

    def _host_named(self, name: str) -> Host | None:
        return self._hosts.get(name.lower())

    def _host_id(self, name: str) -> str:
        host = self._host_named(name)
        if host is None:
            known = ", ".join(host.label for host in self._plan.hosts[:5]) or "no host yet"
            raise UnitError(f"there is no host {name[:60]!r}; the plan has {known}")
        return host.id


def _flag(cell: str) -> bool:
    word = cell.lower()
    if word not in _YES + _NO:
        raise UnitError(f"{cell[:60]!r} is neither on nor off; write on or off")
    return word in _YES


def _whole(cell: str) -> int:
    value = _number(cell)
    if not value.is_integer():
        raise UnitError(f"{cell[:60]!r} is no whole number; write one such as 2")
    return int(value)


def _number(cell: str) -> float:
    # A CPU quantity in its own unit is a plain number, read with the same care for spaces and commas.
    return parse_cpu(cell, default_unit="MHz")


def table_of_guests(plan: Plan, ids: Iterable[str], separator: str = "\t") -> str:
    """Write guests as a block that a spreadsheet takes and ``guests_from_table`` reads back unchanged.

    Parameters
    ----------
    ids
        Guests and pools; a pool stands for all guests in it.
    separator
        A tab for the clipboard, a comma for a file of CSV.
    """
    wanted = set(ids)
    heads = [f"{c.heading} ({_FILE_UNIT[c.kind]})" if c.kind in _FILE_UNIT else c.heading for c in COLUMNS]
    rows = [
        [_cell(plan, guest, column) for column in COLUMNS]
        for guest in plan.guests
        if guest.id in wanted or wanted & {pool.id for pool in pools_above(plan, guest)}
    ]
    return cells_text([heads, *rows], separator)


def _cell(plan: Plan, guest: Guest, column: Column) -> str:
    try:
        value = get_setting(guest, column.setting)
    except KeyError:
        return ""
    if column.setting == "name":
        return guest.label
    if value is None:
        return ""
    if column.kind == "pool":
        return plan.pools[plan.pool_index[value]].label
    if column.kind == "tags":
        return ", ".join(value)
    if column.kind == "flag":
        return "yes" if value else "no"
    if hasattr(value, "model_dump_json"):
        return str(value.model_dump_json())
    return f"{value:.17g}" if isinstance(value, float) else str(value)
