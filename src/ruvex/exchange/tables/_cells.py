"""Cells of a table as text: separated by tabs, semicolons or commas, whichever it is."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Sequence
from typing import Final

from ruvex.plan import PlanError, Problem

MAX_ROWS: Final = 10_000
MAX_CHARACTERS: Final = 8_000_000
_MAX_COLUMNS: Final = 400
_SEPARATORS: Final = ("\t", ";", ",")
_FORMULA: Final = ("=", "+", "-", "@", "\t", "\r")
_NUMBER: Final = re.compile(r"[+-]?\d+([.,]\d+)?")
"""A spreadsheet runs a cell that begins so; one that begins with an apostrophe is text to it."""
_LOOKED_AT: Final = 50
"""So many rows tell which separator it is."""


def refused(what: str, mend: str) -> PlanError:
    """Give the error of a table that cannot be used."""
    return PlanError([Problem("", what, mend)], "the table")


def cells_of(text: str) -> list[list[str]]:
    """Read the cells of a table, its first row the headings.

    The separator is the one that gives most rows as many cells as the first has; of several the one with most cells.

    Raises
    ------
    PlanError
        There is nothing in it, there is too much, or a quotation mark is not closed.
    """
    if len(text) > MAX_CHARACTERS:
        raise refused(f"{len(text)} characters are more than a table of guests has", "take fewer rows at once")
    text = text.lstrip("\ufeff").strip("\r\n")
    rows = _read(text, _separator_of(text))
    if not rows or not any(cell.strip() for cell in rows[0]):
        raise refused("there is nothing in it", "take a header row and the guests' rows from a spreadsheet")
    if len(rows) > MAX_ROWS + 1:
        raise refused(f"{len(rows)} rows are too many", f"take at most {MAX_ROWS} at once")
    if max(map(len, rows)) > _MAX_COLUMNS:
        raise refused(f"more than {_MAX_COLUMNS} columns are too many", "leave out those that are of no use here")
    return rows


def _separator_of(text: str) -> str:
    first = text.partition("\n")[0]
    best, most = "\t", (0.0, 0)
    for separator in _SEPARATORS:
        if separator not in first:
            continue
        try:
            rows = list(csv.reader(io.StringIO(_head(text), newline=""), delimiter=separator))
        except csv.Error:
            continue
        wide = len(rows[0]) if rows else 0
        alike = sum(len(row) == wide for row in rows if row) / max(1, len(rows))
        if wide > 1 and (alike, wide) > most:
            best, most = separator, (alike, wide)
    return best


def _head(text: str) -> str:
    return "\n".join(text.splitlines()[:_LOOKED_AT])


def _read(text: str, separator: str) -> list[list[str]]:
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
    rows: list[list[str]] = []
    while True:
        try:
            rows.append([_as_it_was(cell) for cell in next(reader)])
        except StopIteration:
            return rows
        except csv.Error:
            where = f"row {len(rows) + 1} has a quotation mark that is not closed, or text behind one that is"
            raise refused(
                where, 'write a quotation mark in a cell twice, and the cell in quotation marks: "12"" rack"'
            ) from None


def _as_text(cell: str) -> str:
    """Keep a spreadsheet from running what a cell says: text, a number apart, that begins as a formula does."""
    begins = cell.startswith((*_FORMULA, "'"))
    return f"'{cell}" if begins and not _NUMBER.fullmatch(cell) else cell


def _as_it_was(cell: str) -> str:
    """Take away what ``_as_text`` put before a cell; an apostrophe before anything else belongs to the text."""
    return cell[1:] if cell.startswith("'") and cell[1:].startswith((*_FORMULA, "'")) else cell


def cells_text(rows: Iterable[Sequence[str]], separator: str = ",") -> str:
    """Give cells as text: lines of CSV (RFC 4180), or with tabs for a spreadsheet's clipboard."""
    stream = io.StringIO()
    writer = csv.writer(stream, delimiter=separator, lineterminator="\n" if separator == "\t" else "\r\n")
    for row in rows:
        writer.writerow([_as_text(cell.replace("\u202f", "")) for cell in row])
    return stream.getvalue()
