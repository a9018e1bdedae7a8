"""The two resources that are divided."""

from __future__ import annotations

from typing import Final, Literal

Resource = Literal["cpu", "memory"]
RESOURCES: Final[tuple[Resource, Resource]] = ("cpu", "memory")


def resource_of(setting: str) -> Resource:
    """Tell of which resource a setting is, as ``cpu.shares`` and ``memory.limit`` name it."""
    return "cpu" if setting.partition(".")[0] == "cpu" else "memory"
