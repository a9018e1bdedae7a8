"""What measured values are: which part of a guest's demand they fill, and in which unit."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Final, Literal

from ruvex.plan import Guest, Host

Fill = Literal["cpu", "working", "touched"]
FILLS: Final[Mapping[Fill, str]] = {"cpu": "CPU demand", "working": "working set", "touched": "touched"}
"""The parts of a demand, and what they are called."""
_Factor = Callable[[Guest, Host | None], float]
_USUAL_MHZ: Final = Host(id="x").mhz


def _core(_guest: Guest, host: Host | None) -> float:
    return host.mhz if host is not None else _USUAL_MHZ


def _whole(guest: Guest, host: Host | None) -> float:
    return guest.vcpus * _core(guest, host)


def size_of(guest: Guest) -> float:
    """Give the most memory a guest can have, MiB."""
    memory = guest.memory
    return memory.ceiling if memory.mode == "elastic" else memory.size


_CPU: Final[Mapping[str, _Factor]] = {
    "MHz": lambda _g, _h: 1.0,
    "GHz": lambda _g, _h: 1000.0,
    "cores": _core,
    "% of a core": lambda guest, host: _core(guest, host) / 100.0,
    "% of its vCPUs": lambda guest, host: _whole(guest, host) / 100.0,
    "part of its vCPUs": _whole,
}
_MEMORY: Final[Mapping[str, _Factor]] = {
    "bytes": lambda _g, _h: 2.0**-20,
    "KiB": lambda _g, _h: 2.0**-10,
    "MiB": lambda _g, _h: 1.0,
    "GiB": lambda _g, _h: 1024.0,
    "% of its size": lambda guest, _h: size_of(guest) / 100.0,
    "part of its size": lambda guest, _h: size_of(guest),
}
UNITS: Final[Mapping[Fill, Mapping[str, _Factor]]] = {"cpu": _CPU, "working": _MEMORY, "touched": _MEMORY}
"""For each part of a demand its units, each with what a value is times to be MHz or MiB of a guest on a host."""
_BY_NAME: Final = (
    ("cpu", "ghz", "GHz"), ("cpu", "mhz", "MHz"), ("cpu", "seconds", "cores"), ("cpu", "cores", "cores"),
    ("cpu", "percent", "% of its vCPUs"), ("cpu", "%", "% of its vCPUs"), ("cpu", "ratio", "part of its vCPUs"),
    ("working", "bytes", "bytes"), ("working", "kib", "KiB"), ("working", "mib", "MiB"), ("working", "gib", "GiB"),
    ("working", "percent", "% of its size"), ("working", "%", "% of its size"),
    ("working", "ratio", "part of its size"),
)  # fmt: skip


def likely_fill(metric: str) -> Fill:
    """Guess which part of a demand a metric is."""
    name = metric.lower()
    return "working" if "mem" in name or "ram" in name or "bytes" in name or "working" in name else "cpu"


def likely_unit(metric: str, unit: str, fill: Fill) -> str:
    """Guess in which unit a metric is, by the unit it names, else by its name.

    Examples
    --------
    >>> likely_unit("cpu_used_seconds_total", "", "cpu"), likely_unit("ram", "GiB", "working")
    ('cores', 'GiB')
    """
    kind = "cpu" if fill == "cpu" else "working"
    for text in (unit.lower(), metric.lower()):
        for of, word, known in _BY_NAME:
            if of == kind and word in text:
                return known
    return "MHz" if fill == "cpu" else "MiB"
