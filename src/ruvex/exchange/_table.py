"""Guests as a block of a spreadsheet: tab-separated, a header row, units in the header or in the cells."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Final

from pydantic import ValidationError

from ruvex.plan import (
    Guest,
    Host,
    Namer,
    Plan,
    PlanError,
    Pool,
    Problem,
    UnitError,
    get_setting,
    parse_cpu,
    parse_json,
    parse_memory,
    pools_above,
    problems_of,
)

MAX_ROWS: Final = 10_000
MAX_CHARACTERS: Final = 8_000_000
_MAX_CELL: Final = 20_000
_YES, _NO = ("on", "yes", "true", "1"), ("off", "no", "false", "0")
_UNIT = re.compile(r"(.*?)\s*[\[(]\s*([^\])]*?)\s*[\])]\s*")


@dataclass(frozen=True, slots=True)
class _Column:
    """A column of the table: its heading, the setting it holds, what its cells are, and other headings for it."""

    heading: str
    setting: str
    kind: str
    others: tuple[str, ...] = ()


_COLUMNS: Final = (
    _Column("name", "name", "text", ("guest", "machine")),
    _Column("pool", "pool", "pool", ("resource pool",)),
    _Column("host", "host", "host"),
    _Column("power", "power", "power"),
    _Column("vCPUs", "vcpus", "whole", ("vcpu", "virtual cpus")),
    _Column("tags", "tags", "tags", ("tag",)),
    _Column("image", "image", "text"),
    _Column("agent", "agent", "flag"),
    _Column("CPU reservation", "cpu.reservation", "cpu"),
    _Column("CPU limit", "cpu.limit", "cpu"),
    _Column("CPU shares", "cpu.shares", "number"),
    _Column("memory mode", "memory.mode", "word", ("mode",)),
    _Column("memory size", "memory.size", "memory", ("size", "memory")),
    _Column("memory reservation", "memory.reservation", "memory"),
    _Column("memory limit", "memory.limit", "memory"),
    _Column("memory shares", "memory.shares", "number"),
    _Column("boot size", "memory.boot", "memory", ("boot",)),
    _Column("floor", "memory.floor", "memory"),
    _Column("ceiling", "memory.ceiling", "memory"),
    _Column("headroom", "memory.headroom_percent", "percent"),
    _Column("CPU demand", "demand.cpu", "cpu", ("cpu wanted",)),
    _Column("working set", "demand.working", "memory", ("working",)),
    _Column("touched", "demand.touched", "memory"),
)
_FILE_UNIT: Final = {"cpu": "MHz", "memory": "MiB", "percent": "%"}


@dataclass(frozen=True, slots=True)
class Pasted:
    """What a block of cells holds.

    Attributes
    ----------
    pools
        Pools that its guests name and the plan does not have yet, to be added at the top.
    guests
        The guests, with ids and names that are free in the plan.
    ignored
        Headings that mean nothing here; their columns were left out.
    """

    pools: tuple[Pool, ...]
    guests: tuple[Guest, ...]
    ignored: tuple[str, ...]


def _plain(heading: str) -> str:
    return " ".join(re.sub(r"[_.\-:]+", " ", heading.lower()).split())


_BY_HEADING: Final[Mapping[str, _Column]] = {
    _plain(name): column for column in _COLUMNS for name in (column.heading, column.setting, *column.others)
}


def guests_from_table(text: str, plan: Plan) -> Pasted:
    """Read a block of guests as a spreadsheet copies it.

    The first row names the columns, at least ``name``; a unit may follow in parentheses. A cell may name its own
    unit; a bare number under a heading without one is in GHz or GiB. An empty cell leaves the setting at its
    default. ``12 %`` of CPU is of the guest's own vCPUs.

    Parameters
    ----------
    text
        The cells, separated by tabs and line breaks.
    plan
        The plan they are for; pools and hosts are found by id or name.

    Raises
    ------
    PlanError
        The text is no such table, or cells are wrong; each problem names row and column.
    """
    rows = _rows_of(text)
    columns, ignored = _header(rows[0])
    reader = _Reader(plan)
    for number, row in enumerate(rows[1:], start=2):
        if any(cell.strip() for cell in row):
            reader.read(number, row, columns)
    if reader.problems:
        raise PlanError(reader.problems, "the pasted table")
    if not reader.guests:
        raise _refused("there are no rows below the header", "copy the header row together with the guests' rows")
    return Pasted(tuple(reader.new_pools.values()), tuple(reader.guests), tuple(ignored))


def _refused(what: str, mend: str) -> PlanError:
    return PlanError([Problem("", what, mend)], "the pasted table")


def _rows_of(text: str) -> list[list[str]]:
    if len(text) > MAX_CHARACTERS:
        raise _refused(f"{len(text)} characters are more than a block of guests has", "paste fewer rows at once")
    try:
        rows = list(csv.reader(io.StringIO(text.strip("\r\n"), newline=""), delimiter="\t", strict=True))
    except csv.Error as error:
        raise _refused(f"it is not tab-separated text: {error}", "copy the cells from a spreadsheet") from None
    if not rows or not any(cell.strip() for cell in rows[0]):
        raise _refused("there is nothing in it", "copy a header row and the guests' rows from a spreadsheet")
    if len(rows) > MAX_ROWS + 1:
        raise _refused(f"{len(rows)} rows are too many", f"paste at most {MAX_ROWS} at once")
    return rows


def _header(cells: Sequence[str]) -> tuple[list[tuple[int, _Column, str]], list[str]]:
    """Give position, column and unit of each heading that means something, and those that do not."""
    columns: list[tuple[int, _Column, str]] = []
    ignored = []
    for position, cell in enumerate(cells):
        match = _UNIT.fullmatch(cell.strip())
        heading, unit = (match[1], match[2]) if match else (cell.strip(), "")
        column = _BY_HEADING.get(_plain(heading))
        if column is not None and column not in [known for _, known, _ in columns]:
            columns.append((position, column, unit))
        elif cell.strip():
            ignored.append(cell.strip()[:60])
    if not any(column.setting == "name" for _, column, _ in columns):
        known = ", ".join(column.heading for column in _COLUMNS)
        raise _refused("its first row does not name the columns", f"begin with a row of headings such as {known}")
    return columns, ignored


class _Reader:
    """Reads row by row, collecting guests, new pools and problems."""

    def __init__(self, plan: Plan) -> None:
        self._plan = plan
        self._namer = Namer(plan)
        self._pools = {key.lower(): pool.id for pool in plan.pools for key in (pool.label, pool.id)}
        self._hosts = {key.lower(): host for host in plan.hosts for key in (host.label, host.id)}
        self.new_pools: dict[str, Pool] = {}
        self.guests: list[Guest] = []
        self.problems: list[Problem] = []

    def read(self, number: int, row: Sequence[str], columns: Sequence[tuple[int, _Column, str]]) -> None:
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

    def _readers(self, cells: Mapping[str, tuple[_Column, str, str]]) -> Mapping[str, Callable[[str, str], Any]]:
        host = self._host_named(cells["host"][2]) if "host" in cells else None
        host = host or (self._plan.hosts[0] if self._plan.hosts else None)
        try:
            vcpus = int(cells["vcpus"][2]) if "vcpus" in cells else Guest(id="x").vcpus
        except ValueError:
            vcpus = 1

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
        key = name.lower()
        if key not in self._pools:
            pool = Pool(id=self._namer.id_for(name, "pool"), name=name[:200])
            self.new_pools[key] = pool
            self._pools[key] = pool.id
        return self._pools[key]

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


def cells_text(rows: Iterable[Sequence[str]], separator: str = ",") -> str:
    """Give cells as text: lines of CSV (RFC 4180), or with tabs for a spreadsheet's clipboard."""
    stream = io.StringIO()
    writer = csv.writer(stream, delimiter=separator)
    for row in rows:
        writer.writerow([cell.replace("\u202f", "") for cell in row])
    return stream.getvalue()


def table_of_guests(plan: Plan, ids: Iterable[str]) -> str:
    """Write guests as a block that a spreadsheet takes and ``guests_from_table`` reads back unchanged.

    Parameters
    ----------
    ids
        Guests and pools; a pool stands for all guests in it.
    """
    wanted = set(ids)
    out = io.StringIO()
    writer = csv.writer(out, delimiter="\t", lineterminator="\n")
    writer.writerow([f"{c.heading} ({_FILE_UNIT[c.kind]})" if c.kind in _FILE_UNIT else c.heading for c in _COLUMNS])
    for guest in plan.guests:
        if guest.id in wanted or wanted & {pool.id for pool in pools_above(plan, guest)}:
            writer.writerow([_cell(plan, guest, column) for column in _COLUMNS])
    return out.getvalue()


def _cell(plan: Plan, guest: Guest, column: _Column) -> str:
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
