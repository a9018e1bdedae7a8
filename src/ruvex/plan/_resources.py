"""The two resources that are divided: what each is called, and how its amounts are written and read."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Final, Literal

from ruvex.plan._units import format_cpu, format_memory, parse_cpu, parse_memory

Resource = Literal["cpu", "memory"]
RESOURCES: Final[tuple[Resource, Resource]] = ("cpu", "memory")


@dataclass(frozen=True, slots=True)
class ResourceKind:
    """What there is to know of a resource.

    Attributes
    ----------
    at
        Where it stands in arrays that have a row for each.
    word, title
        What it is called within a sentence, and as a heading.
    unit
        What its amounts are counted in.
    write, parse
        Write an amount with a unit that suits its size, and read one.
    """

    at: int
    word: str
    title: str
    unit: str
    write: Callable[[float], str]
    parse: Callable[[str], float]


RESOURCE_KINDS: Final[Mapping[Resource, ResourceKind]] = {
    "cpu": ResourceKind(0, "CPU", "CPU", "MHz", format_cpu, parse_cpu),
    "memory": ResourceKind(1, "memory", "Memory", "MiB", format_memory, parse_memory),
}
"""All of it by the resource's name in a plan."""


def resource_of(setting: str) -> Resource:
    """Tell of which resource a setting is, as ``cpu.shares`` and ``memory.limit`` name it."""
    return "cpu" if setting.partition(".")[0] == "cpu" else "memory"
