"""Traces: CSV files beside the plan with a time column and named columns of values."""

from __future__ import annotations

import csv
import io
from array import array
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import chain, islice
from operator import sub
from pathlib import Path, PurePosixPath
from typing import Final

from ruvex.plan._disk import read_file
from ruvex.plan._errors import MissingTraceError, PlanError, PlanFileError, Problem, UnitError
from ruvex.plan._events import changed_items
from ruvex.plan._fields import LEAST_SPACING_S, MAX_MIB, MAX_SECONDS
from ruvex.plan._model import Guest, Plan
from ruvex.plan._signals import SIGNALS, Trace
from ruvex.plan._telling import Tell, untold
from ruvex.plan._units import parse_number, parse_time

MAX_ROWS: Final = 2_000_000
"""A sample every second for three weeks; more is a mistake, not a day of a plan."""
MAX_BYTES: Final = 256 * 2**20
TIME_COLUMNS: Final = ("seconds", "time")
_BLOCK: Final = 4096
_BESIDE_PLAIN: Final = b"0123456789.,eE+-\r\n"
"""A table of only these characters is numbers between commas, which can be read many at a time."""


@dataclass(frozen=True, slots=True)
class TraceTable:
    """A trace file in memory.

    Attributes
    ----------
    seconds
        The times of the rows, rising.
    columns
        The values by column name, each as long as ``seconds``.
    content
        The file as it was read, to be written again just so wherever the plan is saved.
    """

    seconds: array[float]
    columns: Mapping[str, array[float]]
    content: bytes = b""


Traces = Mapping[str, TraceTable]
"""Trace tables by the file name that the plan uses."""


def trace_signals(plan: Plan) -> Iterator[tuple[str, Trace]]:
    """Give each trace signal of a plan, also those that its events bring, with its path in the document."""
    for i, guest in enumerate(plan.guests):
        yield from _traces_of(guest, f"guests[{i}].demand")
    for i, item in changed_items(plan, "demand"):
        if isinstance(item, Guest):
            for _, signal in _traces_of(item, ""):
                yield f"events[{i}].change", signal


def _traces_of(guest: Guest, path: str) -> Iterator[tuple[str, Trace]]:
    for key in SIGNALS:
        signal = getattr(guest.demand, key)
        if isinstance(signal, Trace):
            yield f"{path}.{key}", signal


def check_event_traces(plan: Plan, traces: Traces) -> None:
    """See that the traces which the events of a plan bring were read.

    Raises
    ------
    MissingTraceError
        One was not.
    """
    for _, item in changed_items(plan, "demand"):
        for _, signal in _traces_of(item, "") if isinstance(item, Guest) else ():
            if signal.file not in traces or signal.column not in traces[signal.file].columns:
                raise MissingTraceError(signal.file, signal.column)


def trace_files(plan: Plan) -> list[str]:
    """Name the trace files of a plan, each once, in order."""
    return sorted({signal.file for _, signal in trace_signals(plan)})


def read_traces(plan: Plan, folder: Path, *, tell: Tell = untold) -> Traces:
    """Read the trace files a plan names, each once.

    Raises
    ------
    PlanError
        A file lies outside the plan's folder, cannot be read, is not a table of numbers over rising times, is
        too large, or lacks a column; every such problem is listed with its place in the plan.
    """
    return _tables(
        plan, lambda name: read_file(trace_path(name, folder), MAX_BYTES, called=PurePosixPath(name).name), tell
    )


def parse_traces(plan: Plan, contents: Mapping[str, bytes]) -> Traces:
    """Read the traces of a plan from the contents of their files, such as a recovery copy keeps them.

    Raises
    ------
    PlanError
        As ``read_traces``; one that is missing too.
    """

    def content_of(name: str) -> bytes:
        if name not in contents:
            raise PlanFileError(f"{name} is missing")
        return contents[name]

    return _tables(plan, content_of, untold)


def _tables(plan: Plan, content_of: Callable[[str], bytes], tell: Tell) -> Traces:
    wanted: dict[str, list[tuple[str, str]]] = {}
    for path, signal in trace_signals(plan):
        wanted.setdefault(signal.file, []).append((path, signal.column))
    tables: dict[str, TraceTable] = {}
    problems: list[Problem] = []
    for name, uses in wanted.items():
        try:
            table = tables[name] = parse_trace(content_of(name), PurePosixPath(name).name, tell=tell)
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
    if parts.is_absolute() or ".." in parts.parts or "\0" in name:
        raise PlanFileError(f"{name!r} is outside the plan's folder")
    path = folder / parts
    try:
        is_inside = path.resolve().is_relative_to(folder.resolve())
    except (OSError, RuntimeError):
        raise PlanFileError(f"{name!r} cannot be read: its links lead in a ring") from None
    if not is_inside:
        raise PlanFileError(f"{name!r} leads outside the plan's folder")
    return path


def parse_trace(content: bytes, name: str, *, tell: Tell = untold) -> TraceTable:
    """Read a trace from what its file holds; ``name`` is what errors call it.

    Raises
    ------
    PlanFileError
        It is not UTF-8 text.
    PlanError
        It is not a trace; the problem names the line.
    StoppedError
        ``tell`` raises it.
    """
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise PlanFileError(f"{name} is not UTF-8 text") from None
    reader = csv.reader(io.StringIO(text, newline=""))
    try:
        header = [cell.strip() for cell in next(reader, [])]
        table = _Reading(name, header)
        body = content[content.find(b"\n") + 1 :]
        is_plain = not body.translate(None, _BESIDE_PLAIN)
        del text, body
        about = max(1, content.count(b"\n"))
        while rows := list(islice(reader, _BLOCK)):
            table.add(rows, is_plain=is_plain)
            tell(name, min(1.0, table.number / about))
    except csv.Error as error:
        raise PlanFileError(f"{name} is not CSV: {error}") from None
    return table.whole(content)


class _Reading:
    """A trace while it is read, block of rows by block of rows."""

    def __init__(self, name: str, header: Sequence[str]) -> None:
        self.name, self.header = name, header
        time_at = next((header.index(column) for column in TIME_COLUMNS if column in header), None)
        if time_at is None or len(header) < 2:
            mend = "the first line names the columns, one of them seconds or time"
            raise self._fault(1, "there is no time column", mend)
        if len(set(header)) != len(header):
            raise self._fault(1, "two columns have the same name", "name each column once")
        self.time_at = time_at
        self.columns: list[array[float]] = [array("d") for _ in header]
        self.number = 1
        """The row that was read last; the heading is the first."""

    def add(self, rows: Sequence[Sequence[str]], *, is_plain: bool) -> None:
        """Take some rows; ``is_plain`` tells that they are numbers between commas, or nearly so."""
        if self.number + len(rows) > MAX_ROWS:
            raise self._fault(MAX_ROWS + 1, f"there are more than {MAX_ROWS} rows", "thin the trace out")
        if not (is_plain and self._add_plain(rows)):
            for number, row in enumerate(rows, start=self.number + 1):
                if row:
                    self._add_row(number, row)
        self.number += len(rows)

    def _add_plain(self, rows: Sequence[Sequence[str]]) -> bool:
        """Take rows that are numbers in a way that is quick; tells whether that went, else nothing was taken."""
        wide = len(self.header)
        if not all(len(row) == wide for row in rows):
            return False
        try:
            block = array("d", map(float, chain.from_iterable(rows)))
        except ValueError:
            return False
        times = block[self.time_at :: wide]
        if not (min(block) >= 0.0 and max(block) <= MAX_MIB and max(times) <= MAX_SECONDS):
            return False
        known = self.columns[self.time_at]
        before = chain((known[-1],) if known else (times[0] - LEAST_SPACING_S,), times)
        if min(map(sub, times, before)) < LEAST_SPACING_S * (1.0 - 1e-9):
            # Rounding takes a little off a least step at a late time.
            return False
        for at, column in enumerate(self.columns):
            column.extend(block[at::wide])
        return True

    def _add_row(self, number: int, row: Sequence[str]) -> None:
        if len(row) != len(self.header):
            raise self._fault(number, f"{len(row)} cells", f"give {len(self.header)}, as in the first line")
        for at, cell in enumerate(row):
            self.columns[at].append(self._value(cell, number, at))
        times = self.columns[self.time_at]
        if len(times) > 1 and times[-1] <= times[-2]:
            what = f"the time {row[self.time_at][:40]!r} does not come after the one above"
            raise self._fault(number, what, "sort the rows by time")
        if len(times) > 1 and times[-1] - times[-2] < LEAST_SPACING_S * (1.0 - 1e-9):
            what = f"the time {row[self.time_at][:40]!r} comes less than {LEAST_SPACING_S:g} s after the one above"
            raise self._fault(number, what, f"leave at least {LEAST_SPACING_S:g} s between two rows")

    def _value(self, text: str, number: int, at: int) -> float:
        column, is_time = self.header[at][:60], at == self.time_at
        try:
            value = parse_time(text) if is_time else parse_number(text)
        except UnitError:
            what = "an empty cell" if not text.strip() else f"{text[:40]!r}"
            raise self._fault(number, f"{what} in column {column!r}", "write a number") from None
        most = MAX_SECONDS if is_time else MAX_MIB
        if not 0 <= value <= most:
            mend = f"write a number of 0 or more, at most {most:g}"
            raise self._fault(number, f"{text[:40]!r} in column {column!r}", mend)
        return value

    def whole(self, content: bytes) -> TraceTable:
        """Give the trace."""
        if not self.columns[self.time_at]:
            raise self._fault(2, "there are no rows", "give at least one")
        values = {name: self.columns[at] for at, name in enumerate(self.header) if at != self.time_at}
        return TraceTable(self.columns[self.time_at], values, content)

    def _fault(self, number: int, what: str, mend: str) -> PlanError:
        return PlanError([Problem(f"{self.name} line {number}", what, mend)])
