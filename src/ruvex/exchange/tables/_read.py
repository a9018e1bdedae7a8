"""Tables of a spreadsheet as guests, pools, hosts, stores, rules of placement or events of a plan."""

from __future__ import annotations

import contextlib
from collections.abc import Mapping, Sequence
from functools import cache
from typing import Any, Final

from pydantic import BaseModel, TypeAdapter, ValidationError

from ruvex.exchange._brought import Brought
from ruvex.exchange.tables._cells import cells_of, refused
from ruvex.exchange.tables._columns import COLUMNS, KIND_WORDS, NEEDED, Column, Kind
from ruvex.exchange.tables._headings import headings_of, kind_of
from ruvex.exchange.tables._values import Names, readers, whole
from ruvex.plan import (
    MOST_FAULTS,
    EditError,
    Event,
    Guest,
    Host,
    PlacementRule,
    Plan,
    PlanError,
    Pool,
    Problem,
    Store,
    UnitError,
    add_events,
    format_cpu,
    format_memory,
    problems_of,
    with_placement,
)

_MAX_CELL: Final = 20_000
_MOST_VCPUS: Final = 4096
_MODELS: Final[Mapping[Kind, Any]] = {
    "guests": Guest, "pools": Pool, "hosts": Host, "stores": Store, "placement": PlacementRule, "events": Event,
}  # fmt: skip
_OF_MODE: Final[Mapping[str, tuple[str, ...]]] = {
    "fixed": ("mode", "size", "shares"),
    "elastic": ("mode", "boot", "floor", "ceiling", "headroom_percent", "shares"),
    "thin": ("mode", "size", "reservation", "limit", "shares", "bank", "spill_volume"),
}


def read_table(text: str, plan: Plan) -> Brought:
    """Read a table, its rows and columns being what its headings say.

    The first row names the columns, at least the names of the guests, pools or hosts; a unit may follow in
    parentheses. A cell may name its own unit; a bare number under a heading without one is in GHz or GiB. An empty cell
    leaves the setting at its default. ``12 %`` of CPU is of the guest's own vCPUs. A pool ``a/b`` is the pool b in the
    pool a; pools and hosts that the plan does not have are made.

    Parameters
    ----------
    text
        The cells, separated by tabs, semicolons or commas.
    plan
        The plan they are for; what cells name is found there by name or id.

    Raises
    ------
    PlanError
        The text is no such table, or cells are wrong; each problem names row and column.
    """
    rows = cells_of(text)
    kind = kind_of(rows[0])
    settings = [heading.setting for heading in headings_of(rows[0], kind)]
    if not set(NEEDED[kind]).issubset(settings):
        known = ", ".join(column.heading for column in COLUMNS[kind])
        raise refused("its first row does not name the columns", f"begin with a row of headings such as {known}")
    return read_cells(rows, kind, settings, plan)


def read_cells(rows: Sequence[Sequence[str]], kind: Kind, settings: Sequence[str | None], plan: Plan) -> Brought:
    """Read a table whose columns have been assigned.

    Parameters
    ----------
    rows
        Its cells, the headings first.
    kind
        What the rows are.
    settings
        Of each column the setting it holds, None for one that is left out.

    Raises
    ------
    PlanError
        A column that is needed is missing, there are no rows, or cells are wrong; each problem names row and column.
    """
    columns_of = {column.setting: column for column in COLUMNS[kind]}
    for needed in NEEDED[kind]:
        if needed not in settings:
            if needed == "name":
                raise refused(f"no column holds the names of the {kind}", "say which one does")
            raise refused(f"no column holds {columns_of[needed].heading!r}", "say which one does")
    headings = headings_of(rows[0], kind)
    columns = [(i, columns_of[s], headings[i].unit) for i, s in enumerate(settings) if s is not None]
    ignored = [h.text for h, s in zip(headings, settings, strict=True) if s is None and h.text]
    reader = _Reader(plan, kind)
    reader.name_all(rows, columns)
    for number, row in enumerate(rows[1:], start=2):
        if any(cell.strip() for cell in row):
            reader.read(number, row, columns)
        if len(reader.problems) > MOST_FAULTS:
            break
    if reader.problems:
        raise PlanError(reader.problems, "the table")
    if not reader.found:
        raise refused("there are no rows below the header", f"take the header row together with the {KIND_WORDS[kind]}")
    return reader.whole(ignored, _usual({s for s in settings if s is not None}) if kind == "guests" else ())


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
    return (f"Not in the table: {', '.join(told)}.",) if told else ()


@cache
def _adapter(kind: Kind) -> TypeAdapter[Any]:
    """Give what makes rows of a kind of data; making it takes as long as reading a small table."""
    return TypeAdapter(_MODELS[kind])


class _Reader:
    """Reads row by row, collecting what the rows are, and problems."""

    def __init__(self, plan: Plan, kind: Kind) -> None:
        self._plan, self._kind = plan, kind
        self._names = Names(plan)
        self._columns = {column.setting: column for column in COLUMNS[kind]}
        self._adapter = _adapter(kind)
        self._named: dict[int, tuple[str, str]] = {}
        self.found: list[Any] = []
        self.problems: list[Problem] = []

    def name_all(self, rows: Sequence[Sequence[str]], columns: Sequence[tuple[int, Column, str]]) -> None:
        """Give each row its id and name before any is read: a pool may lie in one that comes further down."""
        if self._kind not in ("guests", "pools", "hosts", "stores"):
            return
        at = {column.setting: i for i, column, _ in columns}
        for number, row in enumerate(rows[1:], start=2):
            name, own = (row[at[s]].strip() if s in at and at[s] < len(row) else "" for s in ("name", "id"))
            if name and len(name) <= _MAX_CELL:
                if self._names.namer.keep(own, name):
                    self._named[number] = own, name
                else:
                    free = self._names.namer.name_like(name)
                    self._named[number] = (self._names.namer.id_for(own or free, self._kind[:-1]), free)
                if self._kind == "pools":
                    self._names.know_pool(self._named[number][0], name, own)

    def read(self, number: int, row: Sequence[str], columns: Sequence[tuple[int, Column, str]]) -> None:
        """Read one row of cells."""
        cells = {c.setting: (c, unit, row[i].strip()) for i, c, unit in columns if i < len(row) and row[i].strip()}
        for needed in NEEDED[self._kind]:
            if needed not in cells:
                heading = self._columns[needed].heading
                what = "it has no name" if needed == "name" else f"there is no {heading}"
                mend = f"give each of the {KIND_WORDS[self._kind]} a {heading}"
                self._fault(number, heading, what, mend)
                return
        data: dict[str, Any] = {}
        reading = self._readers(cells)
        before = len(self.problems)
        for setting, (column, unit, cell) in cells.items():
            try:
                if len(cell) > _MAX_CELL:
                    raise UnitError(f"a cell of {len(cell)} characters is too long")
                value = reading[column.kind](cell, unit)
            except (UnitError, PlanError) as error:
                problem = error.problems[0] if isinstance(error, PlanError) else None
                what, _, mend = (str(problem) if problem else str(error)).partition("; ")
                self._fault(number, column.heading, what, mend or "correct the cell")
                continue
            _put(data, setting, value)
        if len(self.problems) == before:
            self._add(number, data)

    def _add(self, number: int, data: dict[str, Any]) -> None:
        if self._kind == "guests":
            _complete_guest(data)
        elif self._kind == "hosts" and "cores" in data:
            _share_cores(data)
        if number in self._named:
            data["id"], data["name"] = self._named[number]
        try:
            item = self._adapter.validate_python(data)
        except ValidationError as error:
            model = _MODELS[self._kind]
            model = model if isinstance(model, type) and issubclass(model, BaseModel) else Plan
            for problem in problems_of(error, data, model):
                self._fault(number, problem.path, problem.what, problem.mend)
            return
        self.found.append(item)

    def whole(self, ignored: Sequence[str], told: Sequence[str]) -> Brought:
        """Give what was read.

        Raises
        ------
        PlanError
            Rules or events do not fit the plan.
        """
        made = list(self._names.new_hosts.values())
        said = list(told)
        if made:
            said.append(f"New hosts, as usual ones are: {', '.join(host.label for host in made)}; say what they have.")
        pools, guests, hosts, stores, rules, events = (
            tuple(self.found) if self._kind == kind else ()
            for kind in ("pools", "guests", "hosts", "stores", "placement", "events")
        )
        try:
            if rules:
                with_placement(self._plan, (*self._plan.placement, *rules))
            if events:
                add_events(self._plan, events)
        except EditError as error:
            what, _, mend = str(error).partition("; ")
            raise refused(what, mend or "mend the table") from None
        return Brought(
            (*self._names.new_pools.values(), *pools), guests, tuple(ignored), (*made, *hosts), tuple(said), rules,
            events, stores=stores,
        )  # fmt: skip

    def _fault(self, number: int, column: str, what: str, mend: str) -> None:
        self.problems.append(Problem(f"row {number}, {column}", what, mend))

    def _readers(self, cells: Mapping[str, tuple[Column, str, str]]) -> Mapping[str, Any]:
        if self._kind != "guests":
            return readers(self._names, None, None, 1)
        host = self._names.machine(cells["host"][2]) if "host" in cells else self._names.machine(None)
        vcpus = Guest(id="x").vcpus
        if "vcpus" in cells:
            # What is no sensible number there is told with that cell.
            with contextlib.suppress(UnitError):
                vcpus = min(whole(cells["vcpus"][2]), _MOST_VCPUS)
        return readers(self._names, host.mhz if host else None, vcpus, host.cores if host else 1)


def _put(data: dict[str, Any], setting: str, value: Any) -> None:
    *path, last = setting.split(".")
    for key in path:
        data = data.setdefault(key, {})
    data[last] = value


def _complete_guest(data: dict[str, Any]) -> None:
    demand = data.get("demand", {})
    if "working" in demand and "touched" not in demand:
        # What is worked with has been touched; more than that nobody has said.
        demand["touched"] = demand["working"]
    memory = data.get("memory")
    if memory is None:
        return
    if "mode" not in memory:
        memory["mode"] = "elastic" if {"boot", "floor", "ceiling"} & memory.keys() else "thin"
    # A spreadsheet has one set of columns for all modes; what another mode does not have stays out.
    allowed = _OF_MODE.get(memory["mode"], tuple(memory))
    data["memory"] = {key: value for key, value in memory.items() if key in allowed}


def _share_cores(data: dict[str, Any]) -> None:
    """Spread a number of cores over the sockets; without their number, or where it does not come out, it is one."""
    cores = data.pop("cores")
    sockets = data.get("sockets", 1)
    if sockets < 1 or cores % sockets:
        sockets = 1
    data.setdefault("cores_per_socket", cores // sockets)
    if data["cores_per_socket"] * sockets == cores:
        data["sockets"] = sockets
    data.setdefault("numa_nodes", sockets)
