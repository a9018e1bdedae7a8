"""From measured load to the demand of guests: which series is whose, and what a plan becomes by it."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Final
from zoneinfo import ZoneInfo

import numpy as np

from ruvex.exchange._traces_in import free_trace_name
from ruvex.exchange.load._measured import Measured, Series
from ruvex.exchange.load._typical import DAYS, TypicalDay, typical_day
from ruvex.exchange.load._units import FILLS, UNITS, Fill, likely_fill, likely_unit, size_of
from ruvex.exchange.tables import cells_text
from ruvex.plan import (
    EditError,
    Guest,
    Host,
    Namer,
    Plan,
    ThinMemory,
    Trace,
    Traces,
    TraceTable,
    add_items,
    change_settings,
    format_cpu,
    format_memory,
    format_time,
    parse_trace,
)

NEW: Final = "*"
"""In place of a guest's id: a new one is made."""
_NAMING: Final = frozenset({"guest", "vm", "instance", "name", "machine", "host", "hostname", "node", "domain"})
"""Labels that are likely to say whose a series is, where no value is the name of a guest."""
_MOST_NAMED: Final = 4
_USUAL_MHZ: Final = Host(id="x").mhz


@dataclass(frozen=True, slots=True)
class Choice:
    """What is taken of what was measured.

    Attributes
    ----------
    metric, label, where
        The metric; the label that names the guest; values that other labels must have.
    fill, unit
        Which part of the demand it is, and in which unit.
    percentile, days, zone, step_s
        As ``typical_day`` takes them.
    """

    metric: str
    label: str
    where: Mapping[str, str] = field(default_factory=dict)
    fill: Fill = "cpu"
    unit: str = "MHz"
    percentile: float = 50.0
    days: str = DAYS[0]
    zone: str = "UTC"
    step_s: float | None = None


@dataclass(frozen=True, slots=True)
class LoadRow:
    """What was measured of one guest: what the file calls it, and its typical day in the unit of the file."""

    name: str
    day: TypicalDay


@dataclass(frozen=True, slots=True)
class Filled:
    """A plan whose guests follow what was measured.

    Attributes
    ----------
    plan, traces
        The plan, and the traces that are new in it.
    changed
        The guests that follow a trace now.
    new
        Those among them that are new.
    told
        What is worth knowing, a sentence each: what was not measured, what does not fit the guest.
    """

    plan: Plan
    traces: Traces
    changed: tuple[str, ...]
    new: tuple[str, ...]
    told: tuple[str, ...]


def labels_of(measured: Measured, metric: str) -> tuple[str, ...]:
    """Give the labels of a metric, those that tell most series apart first."""
    values: dict[str, set[str]] = {}
    for one in measured.series:
        if one.metric == metric:
            for label, value in one.labels.items():
                values.setdefault(label, set()).add(value)
    return tuple(sorted(values, key=lambda label: -len(values[label])))


def first_choice(measured: Measured, plan: Plan, metric: str | None = None) -> Choice:
    """Give the choice that is probably meant: the label whose values are most often names of guests.

    Raises
    ------
    EditError
        No series has a label, so that nobody can tell whose it is.
    """
    metric = metric if metric is not None else measured.metrics[0]
    labels = labels_of(measured, metric)
    if not labels:
        raise EditError(f"{metric} has no label that says whose it is; choose another metric")
    known = _known(plan)

    def hits(label: str) -> tuple[int, bool]:
        found = sum(_guest_named(one.labels.get(label, ""), known) is not None for one in _of(measured, metric))
        return found, label.lower() in _NAMING

    fill = likely_fill(metric)
    return Choice(
        metric, max(labels, key=hits), fill=fill, unit=likely_unit(metric, measured.units.get(metric, ""), fill)
    )


def _of(measured: Measured, metric: str, where: Mapping[str, str] | None = None) -> list[Series]:
    wanted = (where or {}).items()
    return [one for one in measured.series if one.metric == metric and all(one.labels.get(k) == v for k, v in wanted)]


def _known(plan: Plan) -> Mapping[str, str]:
    found = {guest.id: guest.id for guest in plan.guests}
    return found | {guest.called.lower(): guest.id for guest in reversed(plan.guests)}


def _guest_named(name: str, known: Mapping[str, str]) -> str | None:
    """Find a guest by what a label calls it: its name or id, with or without a port and a domain behind it."""
    plain = name.lower().strip()
    bare = plain.rpartition(":")[0] if plain.rpartition(":")[2].isdigit() else plain
    for one in (plain, bare, bare.partition(".")[0]):
        if one and one in known:
            return known[one]
    return None


def plain_name(name: str) -> str:
    """Give a label's value without a port and a domain, as a new guest is called.

    Examples
    --------
    >>> plain_name("mail.orrin.example:9100"), plain_name("10.0.3.7:9100")
    ('mail', '10.0.3.7')
    """
    bare = name.rpartition(":")[0] if name.rpartition(":")[2].isdigit() and ":" in name else name
    first = bare.partition(".")[0]
    printable = "".join(c for c in (bare if first.isdigit() else first) if c.isprintable())
    return printable.strip()[:200] or "guest"


def rows_of(measured: Measured, choice: Choice) -> list[LoadRow]:
    """Give the typical day of each value of the label, in the order of the file."""
    groups: dict[str, list[Series]] = {}
    for one in _of(measured, choice.metric, choice.where):
        if choice.label in one.labels:
            groups.setdefault(one.labels[choice.label], []).append(one)
    is_counter, zone = choice.metric in measured.counters, ZoneInfo(choice.zone)
    return [
        LoadRow(name, typical_day(
            series, is_counter=is_counter, clock=measured.clock, zone=zone, percentile=choice.percentile,
            days=choice.days, step_s=choice.step_s,
        ))
        for name, series in groups.items()
    ]  # fmt: skip


def matched(rows: Iterable[LoadRow], plan: Plan) -> dict[str, str | None]:
    """Give for each row the guest that is probably meant; in a plan without guests a new one, else None."""
    known = _known(plan)
    return {row.name: _guest_named(row.name, known) or (None if plan.guests else NEW) for row in rows}


def with_load(
    plan: Plan, traces: Traces, choice: Choice, rows: Iterable[LoadRow], guests: Mapping[str, str | None], source: str
) -> Filled:
    """Give a plan whose guests follow their typical days.

    Parameters
    ----------
    plan, traces
        What it is for.
    choice, rows
        What is taken.
    guests
        For each row by its name the id of a guest, ``NEW`` or None for nobody.
    source
        How the file is called, for names of traces.

    Raises
    ------
    EditError
        Nothing is left to take, two rows are of one guest, or the plan would not be valid.
    """
    taken = [row for row in rows if guests.get(row.name) is not None and row.day.values.size]
    if not taken:
        raise EditError("no row is of a guest, so there is nothing to take; say whose they are")
    ids = [guests[row.name] for row in taken if guests[row.name] != NEW]
    twice = next((one for one in ids if ids.count(one) > 1), None)
    if twice is not None:
        raise EditError(f"two rows are of {plan.labels[twice]}; leave one of them out")
    known = dict(traces)
    told: list[str] = []
    namer, new = Namer(plan), []
    by_times: dict[bytes, list[tuple[str, LoadRow, np.ndarray]]] = {}
    for row in taken:
        target = guests[row.name]
        if target == NEW:
            name = namer.name_like(plain_name(row.name))
            guest = Guest(id=namer.id_for(name, "guest"), name=name)
            plan = add_items(plan, [_sized(guest, plan, choice, row)])
            new.append(guest.id)
            target = guest.id
        assert target is not None
        plan = _grown(plan, target, choice, row, told)
        guest = plan.guests[plan.guest_index[target]]
        values = row.day.values * UNITS[choice.fill][choice.unit](guest, plan.host_of(guest))
        by_times.setdefault(row.day.seconds.tobytes(), []).append((target, row, values))
        told += _of_row(guest, row, values, plan.host_of(guest), choice.fill)
    added: dict[str, TraceTable] = {}
    for group in by_times.values():
        wish = f"traces/{choice.fill}-measured.csv"
        name = wish if wish not in known else free_trace_name(wish, known)
        known[name] = added[name] = _table_of(group)
        for target, _, _ in group:
            signal = Trace(kind="trace", file=name, column=target)
            plan = change_settings(plan, target, {f"demand.{choice.fill}": signal})
    changed = tuple(target for group in by_times.values() for target, _, _ in group)
    count = f"{len(changed)} guest{'s' if len(changed) != 1 else ''}"
    first = f"{source}: {FILLS[choice.fill]} of {count} is what was measured."
    more = [f"and {len(told) - _MOST_NAMED} more of this kind"] if len(told) > _MOST_NAMED else []
    return Filled(plan, added, changed, tuple(new), (first, *told[:_MOST_NAMED], *more))


def _sized(guest: Guest, plan: Plan, choice: Choice, row: LoadRow) -> Guest:
    """Give a new guest the vCPUs that its highest typical demand needs."""
    if choice.fill != "cpu" or "vCPUs" in choice.unit:
        return guest
    host = plan.host_of(guest)
    mhz = float(row.day.values.max()) * UNITS["cpu"][choice.unit](guest, host)
    vcpus = max(1, math.ceil(mhz / (host.mhz if host is not None else _USUAL_MHZ)))
    return guest.model_copy(update={"vcpus": min(vcpus, 4096)})


def _grown(plan: Plan, target: str, choice: Choice, row: LoadRow, told: list[str]) -> Plan:
    """Give a guest whose memory nobody has set yet the size that what was measured needs."""
    guest = plan.guests[plan.guest_index[target]]
    if choice.fill == "cpu" or "size" in choice.unit or guest.memory != ThinMemory():
        return plan
    most = float(row.day.high.max()) * UNITS[choice.fill][choice.unit](guest, None)
    if most <= guest.memory.size:
        return plan
    size = 1024.0 * math.ceil(most / 1024.0)
    told.append(f"{guest.label} gets a size of {format_memory(size)}, as so much was measured.")
    return change_settings(plan, target, {"memory.size": size})


def _of_row(guest: Guest, row: LoadRow, values: np.ndarray, host: Host | None, fill: Fill) -> list[str]:
    told = []
    if row.day.missing:
        spans = [f"{format_time(a)} to {format_time(b)}" for a, b in row.day.missing]
        more = f" and {len(spans) - 2} more" if len(spans) > 2 else ""
        told.append(
            f"{guest.label}: nothing was measured on any day from {', from '.join(spans[:2])}{more}; a straight line"
            " stands there."
        )
    if row.day.thin:
        told.append(f"{guest.label}: {row.day.thin} of {row.day.days} days are not whole; what is there counts.")
    most = float(values.max())
    if fill == "cpu":
        whole = guest.vcpus * (host.mhz if host is not None else _USUAL_MHZ)
        if most > whole * (1 + 1e-9):
            told.append(f"{guest.label}: up to {format_cpu(most)} was measured, its vCPUs give {format_cpu(whole)}.")
    elif most > size_of(guest) * (1 + 1e-9):
        told.append(
            f"{guest.label}: up to {format_memory(most)} was measured, its size is {format_memory(size_of(guest))}."
        )
    return told


def _table_of(group: Iterable[tuple[str, LoadRow, np.ndarray]]) -> TraceTable:
    """Write the days of guests that were measured at the same times as one trace."""
    group = list(group)
    heads = ["seconds", *(target for target, _, _ in group)]
    columns = [group[0][1].day.seconds, *(values for _, _, values in group)]
    rows = [[f"{value:.8g}" for value in row] for row in zip(*(c.tolist() for c in columns), strict=True)]
    return parse_trace(cells_text([heads, *rows]).encode(), "the measured load")


def with_zone(choice: Choice, zone: str) -> Choice:
    """Give the choice for another zone.

    Raises
    ------
    EditError
        There is no such zone.
    """
    try:
        ZoneInfo(zone)
    except (ValueError, OSError, KeyError):
        raise EditError(f"{zone[:60]!r} is no time zone; write one such as Europe/London") from None
    return replace(choice, zone=zone)
