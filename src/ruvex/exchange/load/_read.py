"""Reading measured load: OpenMetrics text with timestamps, or CSV with a row a sample or a column a guest."""

from __future__ import annotations

import csv
import io
import math
import re
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Final

from ruvex.exchange.load._measured import Measured, series_of
from ruvex.plan import PlanError, PlanFileError, Problem, Tell, parse_number, read_file, untold
from ruvex.plan import UnitError as NoNumber

LOAD_SUFFIXES: Final = (".om", ".prom", ".openmetrics")
"""How files of OpenMetrics end; text files and tables are looked into."""
_MAX_BYTES: Final = 64 * 2**20
_MAX_SERIES: Final = 20_000
_LONGEST_LINE: Final = 20_000
_MANY: Final = 2_000
_HEAD: Final = 4_000
_CLOCK: Final = re.compile(r"\d{1,2}:\d{2}(:\d{2}(\.\d+)?)?")
_TIME_WORDS: Final = frozenset({"time", "timestamp", "date", "datetime", "seconds", "ts", "when", "at", "epoch"})
_MILLISECONDS_FROM: Final = 1e11
"""Seconds since 1970 have eleven digits only from the year 5138 on: so large a number is in milliseconds."""
_UNIT: Final = re.compile(r"\s*[\[(]\s*([^\])]*?)\s*[\])]\s*$")


def is_load(text: str) -> bool:
    r"""Whether a text is measured load rather than a table of guests or other things.

    Examples
    --------
    >>> is_load("# TYPE cpu gauge\ncpu 1 2\n# EOF\n"), is_load("time,mail,web\n00:00,1,2\n00:05,1,2\n")
    (True, True)
    >>> is_load("name,vCPUs\nmail,2\n"), is_load("time,event,of\n00:10,power-off,mail\n")
    (False, False)
    """
    head = text[:_HEAD]
    if re.match(r"\s*#\s+(TYPE|HELP|UNIT|EOF)\b", head) or re.search(r"^# TYPE ", head, re.MULTILINE):
        return True
    try:
        rows = [row for row in csv.reader(io.StringIO(head.rpartition("\n")[0]), _dialect(head)) if row]
    except csv.Error:
        return False
    if len(rows) < 3 or _time_column(rows) is None:
        return False
    time_at = _time_column(rows)
    clocks = [_time_of(row[time_at])[1] if time_at < len(row) else None for row in rows[1:]]  # type: ignore[index,operator]
    return None not in clocks and any(_is_number(cell) for i, cell in enumerate(rows[1]) if i != time_at)


def read_load(path: Path, *, tell: Tell = untold) -> Measured:
    """Read a file of measured load.

    Raises
    ------
    PlanError
        It is none, or lines are wrong; the problem names the first.
    PlanFileError
        It cannot be read, is too large, or is no text in UTF-8.
    StoppedError
        ``tell`` raises it.
    """
    try:
        text = read_file(path, _MAX_BYTES, called=path.name).decode("utf-8-sig")
    except UnicodeDecodeError:
        raise PlanFileError(f"{path.name} is not text in UTF-8") from None
    head = text[:_HEAD]
    is_openmetrics = path.suffix.lower() in LOAD_SUFFIXES or re.search(r"^\s*#\s+(TYPE|EOF)\b", head, re.MULTILINE)
    found = _openmetrics(text, path.name, tell) if is_openmetrics else _table(text, path.name, tell)
    if not found.series:
        raise _refused(path.name, "no sample has a time and a number", "export it with timestamps")
    return found


def _refused(name: str, what: str, mend: str) -> PlanError:
    return PlanError([Problem(name, what, mend)], name)


# OpenMetrics


class _Lines:
    """The lines of a text, for the parser; tells how far it is, and which line it is at."""

    def __init__(self, text: str, name: str, tell: Tell) -> None:
        self._lines, self._name, self._tell = text.splitlines(keepends=True), name, tell
        self.number = 0

    def __iter__(self) -> Iterator[str]:
        for line in self._lines:
            self.number += 1
            if len(line) > _LONGEST_LINE:
                raise _refused(f"{self._name} line {self.number}", "it is too long", "look at what wrote it")
            if self.number % _MANY == 0:
                self._tell(self._name, self.number / len(self._lines))
            yield line


def _openmetrics(text: str, name: str, tell: Tell) -> Measured:
    # The package brings a server of its own along, which the window's start would wait for.
    from prometheus_client.openmetrics.parser import text_fd_to_metric_families

    lines = _Lines(text, name, tell)
    samples: dict[tuple[str, tuple[tuple[str, str], ...]], dict[float, float]] = {}
    counters: set[str] = set()
    units: dict[str, str] = {}
    left_out = 0
    try:
        for family in text_fd_to_metric_families(lines):  # type: ignore[no-untyped-call]
            for sample in family.samples:
                if sample.timestamp is None or not (_is_useful(sample.value) and _is_time(float(sample.timestamp))):
                    left_out += 1
                    continue
                if family.type in ("counter",):
                    if sample.name.endswith("_created"):
                        continue
                    counters.add(sample.name)
                if family.unit:
                    units[sample.name] = family.unit
                key = sample.name, tuple(sorted(sample.labels.items()))
                samples.setdefault(key, {})[float(sample.timestamp)] = float(sample.value)
                if len(samples) > _MAX_SERIES:
                    raise _refused(name, f"more than {_MAX_SERIES} series", "export fewer metrics at once")
    except (ValueError, IndexError, KeyError, TypeError, AttributeError, OverflowError) as error:
        # The parser tells of what is wrong by errors of many kinds; the line it stopped at is what helps.
        why = str(error).split("\n")[0][:120]
        what = f"it is no OpenMetrics text: {why}" if why else "it is no OpenMetrics text"
        raise _refused(f"{name} line {lines.number}", what, "the last line is # EOF; export it anew") from None
    series = tuple(series_of(metric, dict(labels), found) for (metric, labels), found in samples.items())
    return Measured(series, frozenset(counters), units, "utc", left_out)


def _is_time(seconds: float) -> bool:
    return 0 <= seconds < _MILLISECONDS_FROM


def _is_useful(value: float) -> bool:
    return math.isfinite(value) and value >= 0


# CSV


def _dialect(text: str) -> type[csv.Dialect]:
    first = text.lstrip("\ufeff").partition("\n")[0]

    class Found(csv.excel):
        delimiter = max("\t;,", key=first.count)

    return Found


def _is_number(cell: str) -> bool:
    return _number(cell) is not None


def _number(cell: str) -> float | None:
    try:
        return parse_number(cell.strip().replace(",", ".").rstrip("% "))
    except NoNumber:
        return None


def _time_of(cell: str) -> tuple[float, str | None]:
    """Read a time; gives it and its clock, None for a cell that is none."""
    cell = cell.strip()
    if _CLOCK.fullmatch(cell):
        hours, minutes, *seconds = cell.split(":")
        return int(hours) * 3600.0 + int(minutes) * 60.0 + (float(seconds[0]) if seconds else 0.0), "day"
    number = _number(cell)
    if number is not None:
        if number >= _MILLISECONDS_FROM:
            number /= 1000.0
        return number, "utc" if number > 366 * 86_400.0 else "day"
    try:
        found = datetime.fromisoformat(cell)
    except ValueError:
        return 0.0, None
    if found.tzinfo is None:
        return found.replace(tzinfo=UTC).timestamp(), "wall"
    return found.timestamp(), "utc"


def _time_column(rows: Sequence[Sequence[str]]) -> int | None:
    """Give the column of the times: one that is called so, else the first that holds some."""
    for i, heading in enumerate(rows[0]):
        if set(re.split(r"\W+|_", heading.lower())) & _TIME_WORDS and i < len(rows[1]) and _time_of(rows[1][i])[1]:
            return i
    for i, cell in enumerate(rows[1]):
        if not _is_number(cell) and _time_of(cell)[1]:
            return i
    return None


def _table(text: str, name: str, tell: Tell) -> Measured:
    rows = _rows(text, name, tell)
    head, first = next(rows, (1, [])), next(rows, (2, []))
    time_at = _time_column([head[1], first[1]]) if head[1] and first[1] else None
    if time_at is None:
        raise _refused(
            name, "no column holds times", "name one of them time; 08:10, 2026-11-03 08:10 or seconds since 1970"
        )
    headings = [_UNIT.sub("", cell).strip() or f"column {i + 1}" for i, cell in enumerate(head[1])]
    units = {headings[i]: match[1] for i, cell in enumerate(head[1]) if (match := _UNIT.search(cell))}
    others = [i for i in range(len(headings)) if i != time_at]
    numbers = [i for i in others if i < len(first[1]) and (_is_number(first[1][i]) or not first[1][i].strip())]
    texts = [i for i in others if i not in numbers]
    samples: dict[tuple[str, tuple[tuple[str, str], ...]], dict[float, float]] = {}
    clocks: set[str] = set()
    left_out = 0
    for number, row in _after(first, rows):
        time, clock = _time_of(row[time_at]) if time_at < len(row) else (0.0, None)
        if clock is None or not _is_time(time):
            raise _refused(f"{name} line {number}", f"{row[time_at : time_at + 1]!r} is no time", "mend the line")
        clocks.add(clock)
        labels = tuple((headings[i], row[i].strip()) for i in texts if i < len(row))
        for i in numbers:
            value = _number(row[i]) if i < len(row) else None
            if value is None or not _is_useful(value):
                left_out += i >= len(row) or bool(row[i].strip())
                continue
            key = (headings[i], labels) if texts else ("value", (("column", headings[i]),))
            samples.setdefault(key, {})[time] = value
        if len(samples) > _MAX_SERIES:
            raise _refused(name, f"more than {_MAX_SERIES} series", "export fewer at once")
    if len(clocks) > 1:
        raise _refused(name, "its times are of several kinds", "write all of them with a date, or none")
    series = tuple(series_of(metric, dict(labels), found) for (metric, labels), found in samples.items())
    common = set(units.values())
    named = units if texts else dict.fromkeys(["value"] if len(common) == 1 else [], next(iter(common), ""))
    return Measured(series, frozenset(), named, next(iter(clocks), "utc"), left_out)


def _rows(text: str, name: str, tell: Tell) -> Iterator[tuple[int, list[str]]]:
    about = max(1, text.count("\n"))
    reader = csv.reader(io.StringIO(text, newline=""), _dialect(text[:_HEAD]), strict=True)
    try:
        for row in reader:
            if reader.line_num % _MANY == 0:
                tell(name, min(1.0, reader.line_num / about))
            if any(cell.strip() for cell in row):
                yield reader.line_num, row
    except csv.Error as error:
        raise _refused(f"{name} line {reader.line_num}", f"it is not CSV: {error}", "mend the line") from None


def _after(first: tuple[int, list[str]], rows: Iterator[tuple[int, list[str]]]) -> Iterator[tuple[int, list[str]]]:
    yield first
    yield from rows
