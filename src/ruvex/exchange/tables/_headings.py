"""What the headings of a table mean, found by their words, and so what its rows are."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache, lru_cache
from typing import Final

from ruvex.exchange.tables._columns import COLUMNS, NEEDED, TABLE_KINDS, Column, Kind

_UNIT = re.compile(r"(.*?)\s*[\[(]\s*([^\])]*?)\s*[\])]\s*")
_LONGEST: Final = 300
"""Characters of a heading that are looked at."""
_UNITS: Final = frozenset({"mhz", "ghz", "mib", "gib", "tib", "mb", "gb", "tb", "kib", "kb"})
_NAMES: Final[Mapping[str, str]] = {
    "ram": "memory", "mem": "memory", "vm": "guest", "proc": "processors", "processor": "processors", "core": "cores",
    "max": "maximum", "min": "minimum", "avg": "average", "mean": "average", "num": "number", "no": "number",
    "usage": "used", "utilisation": "used", "utilization": "used", "resv": "reservation", "lim": "limit",
}  # fmt: skip
_EMPTY: Final = frozenset({"of", "the", "a", "in", "for", "total", "allocated", "assigned", "value"})


@dataclass(frozen=True, slots=True)
class Heading:
    """A heading of a table.

    Attributes
    ----------
    text
        As it stands there.
    unit
        The unit it names, or nothing.
    setting
        The setting that its column probably holds, None where nobody knows.
    """

    text: str
    unit: str
    setting: str | None


@lru_cache(maxsize=4096)
def _plain(heading: str) -> str:
    return " ".join(re.sub(r"[_.\-:/]+", " ", heading.lower()).split())


@lru_cache(maxsize=4096)
def _words(heading: str) -> frozenset[str]:
    return frozenset(_NAMES.get(word, word) for word in _plain(heading).split() if word not in _EMPTY)


@cache
def _by_heading(kind: Kind) -> Mapping[str, Column]:
    return {_plain(name): c for c in COLUMNS[kind] for name in (c.heading, c.setting, *c.others)}


@cache
def _by_words(kind: Kind) -> Mapping[frozenset[str], Column]:
    return {_words(name): c for c in reversed(COLUMNS[kind]) for name in (c.heading, *c.others)}


def headings_of(cells: Sequence[str], kind: Kind = "guests") -> list[Heading]:
    """Find what the headings of a table mean; of two that mean the same the first has it.

    Parameters
    ----------
    cells
        The first row of the table.
    kind
        What its rows are.

    Examples
    --------
    >>> [(h.unit, h.setting) for h in headings_of(["VM name", "RAM (GB)", "mem_size_mib", "colour"])]
    [('', 'name'), ('GB', 'memory.size'), ('mib', None), ('', None)]
    """
    found: list[Heading] = []
    for cell in cells:
        # The search for a unit takes the longer the more spaces there are to begin at.
        plain = " ".join(cell[:_LONGEST].split())
        match = _UNIT.fullmatch(plain)
        text, unit = (match[1], match[2]) if match else (plain, "")
        words = _plain(text).split()
        if not unit and len(words) > 1 and words[-1] in _UNITS:
            unit, text = words[-1], " ".join(words[:-1])
        column = _by_heading(kind).get(_plain(text)) or _by_words(kind).get(_words(text))
        setting = column.setting if column is not None else None
        if setting in [other.setting for other in found]:
            setting = None
        found.append(Heading(plain[:60], unit[:60], setting))
    return found


def kind_of(cells: Sequence[str]) -> Kind:
    """Find what the rows of a table are, by its headings: what most of them speak of, guests where nobody can tell.

    Examples
    --------
    >>> kind_of(["name", "sockets", "memory"]), kind_of(["Time", "What", "Guest"]), kind_of(["berth"])
    ('hosts', 'events', 'guests')
    """

    def known(kind: Kind) -> int:
        found = {heading.setting for heading in headings_of(cells, kind)} - {None}
        return len(found) + found.issuperset(NEEDED[kind])

    return max(TABLE_KINDS, key=known)
