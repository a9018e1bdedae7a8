"""Traces: CSV files beside the plan with a time column and named columns of values."""

from __future__ import annotations

import csv
import math
from array import array
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from pathlib import Path, PurePosixPath

from ruvex.plan._errors import PlanError, PlanFileError, Problem, UnitError
from ruvex.plan._model import Plan
from ruvex.plan._signals import Trace
from ruvex.plan._units import parse_time

MAX_ROWS = 2_000_000  # a sample every second for three weeks; more is a mistake, not a day of a plan
MAX_BYTES = 256 * 2**20
TIME_COLUMNS = ("seconds", "time")


@dataclass(frozen=True, slots=True)
class TraceTable:
    """A trace file in memory.

    Attributes
    ----------
    seconds
        The times of the rows, rising.
    columns
        The values by column name, each as long as ``seconds``.
    """

    seconds: array[float]
    columns: Mapping[str, array[float]]


Traces = Mapping[str, TraceTable]
"""Trace tables by the file name that the plan uses."""


def trace_signals(plan: Plan) -> Iterator[tuple[str, Trace]]:
    """Give each trace signal of a plan with its path in the document."""
    for i, guest in enumerate(plan.guests):
        for key in ("cpu", "working", "touched"):
            signal = getattr(guest.demand, key)
            if isinstance(signal, Trace):
                yield f"guests[{i}].demand.{key}", signal


def read_traces(plan: Plan, folder: Path) -> Traces:
    """Read the trace files a plan names, each once.

    Raises
    ------
    PlanError
        A file lies outside the plan's folder, cannot be read, is not a table of numbers over rising times, is
        too large, or lacks a column; every such problem is listed with its place in the plan.
    """
    wanted: dict[str, list[tuple[str, str]]] = {}
    for path, signal in trace_signals(plan):
        wanted.setdefault(signal.file, []).append((path, signal.column))
    tables: dict[str, TraceTable] = {}
    problems: list[Problem] = []
    for name, uses in wanted.items():
        try:
            table = tables[name] = read_trace(trace_path(name, folder))
        except (PlanFileError, PlanError) as error:
            what = "; ".join(map(str, error.problems)) if isinstance(error, PlanError) else str(error)
            problems.append(Problem(f"{uses[0][0]}.file", what, "mend the file or name another"))
            continue
        known = ", ".join(list(table.columns)[:20])
        problems += [
            Problem(f"{path}.column", f"{name} has no column {column!r}", f"it has {known}")
            for path, column in uses
            if column not in table.columns
        ]
    if problems:
        raise PlanError(problems)
    return tables


def trace_path(name: str, folder: Path) -> Path:
    """Give the file a trace name stands for.

    Raises
    ------
    PlanFileError
        The name points outside the plan's folder; a plan from elsewhere must not read files at will.
    """
    parts = PurePosixPath(name)
    if parts.is_absolute() or ".." in parts.parts:
        raise PlanFileError(f"{name!r} is outside the plan's folder")
    path = folder / parts
    if not path.resolve().is_relative_to(folder.resolve()):
        raise PlanFileError(f"{name!r} leads outside the plan's folder")
    return path


def read_trace(path: Path) -> TraceTable:
    """Read one trace file.

    Raises
    ------
    PlanFileError
        The file cannot be read or is larger than a trace may be.
    PlanError
        Its content is not a trace; the problem names the line.
    """
    try:
        if path.stat().st_size > MAX_BYTES:
            raise PlanFileError(f"{path.name} is larger than {MAX_BYTES // 2**20} MiB")
        with path.open(encoding="utf-8-sig", newline="") as stream:
            return _parse(csv.reader(stream), path.name)
    except UnicodeDecodeError:
        raise PlanFileError(f"{path.name} is not UTF-8 text") from None
    except csv.Error as error:
        raise PlanFileError(f"{path.name} is not CSV: {error}") from None
    except OSError as error:
        if isinstance(error, PlanFileError):
            raise
        raise PlanFileError(f"{path.name} cannot be read: {error.strerror}") from None


def _parse(rows: Iterable[list[str]], name: str) -> TraceTable:
    lines = iter(rows)
    header = [cell.strip() for cell in next(lines, [])]
    time_at = next((header.index(column) for column in TIME_COLUMNS if column in header), None)
    if time_at is None or len(header) < 2:
        raise _fault(
            name,
            1,
            "there is no time column",
            "the first line names the columns, one of them seconds or time",
        )
    if len(set(header)) != len(header):
        raise _fault(name, 1, "two columns have the same name", "name each column once")
    columns: list[array[float]] = [array("d") for _ in header]
    for number, row in enumerate(lines, start=2):
        if not row:
            continue
        if number > MAX_ROWS:
            raise _fault(name, number, f"there are more than {MAX_ROWS} rows", "thin the trace out")
        if len(row) != len(header):
            raise _fault(name, number, f"{len(row)} cells", f"give {len(header)}, as in the first line")
        for at, cell in enumerate(row):
            columns[at].append(_cell(cell, at == time_at, name, number, header[at]))
        times = columns[time_at]
        if len(times) > 1 and times[-1] <= times[-2]:
            raise _fault(
                name,
                number,
                f"the time {row[time_at]!r} does not come after the one above",
                "sort the rows by time",
            )
    if not columns[time_at]:
        raise _fault(name, 2, "there are no rows", "give at least one")
    values = {header[at]: column for at, column in enumerate(columns) if at != time_at}
    return TraceTable(columns[time_at], values)


def _cell(text: str, is_time: bool, name: str, number: int, column: str) -> float:
    try:
        value = parse_time(text) if is_time else float(text)
    except (ValueError, UnitError):
        what = "an empty cell" if not text.strip() else f"{text[:40]!r}"
        raise _fault(name, number, f"{what} in column {column!r}", "write a number") from None
    if not (math.isfinite(value) and value >= 0):
        raise _fault(name, number, f"{text[:40]!r} in column {column!r}", "write a number of 0 or more")
    return value


def _fault(name: str, number: int, what: str, mend: str) -> PlanError:
    return PlanError([Problem(f"{name} line {number}", what, mend)])
