"""What the columns of a table of guests mean: found by the words of their headings, or assigned by a person."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, slots=True)
class Column:
    """Something a column can hold.

    Attributes
    ----------
    heading, setting, kind
        What it is called, the guest's setting it fills, and what its cells are.
    others
        Other headings that mean it for certain.
    """

    heading: str
    setting: str
    kind: str
    others: tuple[str, ...] = ()


_VCPUS: Final = ("vcpu", "virtual cpus", "cpus", "cores", "cpu cores", "cpu count", "processors", "number of cpus")
_SIZES: Final = ("size", "memory", "ram", "configured memory", "memory configured", "ram size")
COLUMNS: Final = (
    Column("name", "name", "text", ("guest", "machine", "hostname", "server", "guest name", "machine name")),
    Column("pool", "pool", "pool", ("resource pool", "group", "folder", "department", "pool path")),
    Column("host", "host", "host", ("node", "on host", "host name")),
    Column("power", "power", "power", ("state", "status", "power state", "running", "on")),
    Column("vCPUs", "vcpus", "whole", _VCPUS),
    Column("tags", "tags", "tags", ("tag", "labels", "label")),
    Column("image", "image", "text", ("operating system", "os", "guest os")),
    Column("agent", "agent", "flag", ("agent installed", "guest agent")),
    Column("CPU reservation", "cpu.reservation", "cpu", ("cpu reserved", "reserved cpu")),
    Column("CPU limit", "cpu.limit", "cpu", ("cpu maximum", "cpu cap")),
    Column("CPU shares", "cpu.shares", "number"),
    Column("memory mode", "memory.mode", "word", ("mode", "memory type")),
    Column("memory size", "memory.size", "memory", _SIZES),
    Column("memory reservation", "memory.reservation", "memory", ("memory reserved", "reserved memory")),
    Column("memory limit", "memory.limit", "memory", ("memory cap",)),
    Column("memory shares", "memory.shares", "number"),
    Column("boot size", "memory.boot", "memory", ("boot", "boot memory")),
    Column("floor", "memory.floor", "memory", ("minimum memory", "memory minimum", "least memory")),
    Column("ceiling", "memory.ceiling", "memory", ("maximum memory", "memory maximum", "most memory")),
    Column("headroom", "memory.headroom_percent", "percent"),
    Column("CPU demand", "demand.cpu", "cpu", ("cpu wanted", "cpu used", "cpu usage", "used cpu", "average cpu")),
    Column("working set", "demand.working", "memory", ("working", "memory in use", "memory used")),
    Column("touched", "demand.touched", "memory", ("touched memory",)),
)  # fmt: skip
BY_SETTING: Final[Mapping[str, Column]] = {column.setting: column for column in COLUMNS}
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


def _plain(heading: str) -> str:
    return " ".join(re.sub(r"[_.\-:/]+", " ", heading.lower()).split())


def _words(heading: str) -> frozenset[str]:
    return frozenset(_NAMES.get(word, word) for word in _plain(heading).split() if word not in _EMPTY)


_BY_HEADING: Final[Mapping[str, Column]] = {
    _plain(name): column for column in COLUMNS for name in (column.heading, column.setting, *column.others)
}
_BY_WORDS: Final[Mapping[frozenset[str], Column]] = {
    _words(name): column for column in reversed(COLUMNS) for name in (column.heading, *column.others)
}


def headings_of(cells: Sequence[str]) -> list[Heading]:
    """Find what the headings of a table mean; of two that mean the same the first has it.

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
        column = _BY_HEADING.get(_plain(text)) or _BY_WORDS.get(_words(text))
        setting = column.setting if column is not None else None
        if setting in [other.setting for other in found]:
            setting = None
        found.append(Heading(plain[:60], unit[:60], setting))
    return found
