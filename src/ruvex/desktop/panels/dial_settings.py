"""Which settings the dials show for what is selected, and what the other settings allow them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

from ruvex.desktop.kit.track import Handle
from ruvex.divide import Division
from ruvex.plan import (
    ElasticMemory,
    FixedMemory,
    Guest,
    GuestCpu,
    Plan,
    Pool,
    PoolCpu,
    PoolMemory,
    Resource,
    ThinMemory,
)

_AIR: Final = 1.04
_SNAPS: Final = {
    "cpu": ((12_000, 50), (60_000, 100), (math.inf, 500)),
    "memory": ((24_576, 128), (131_072, 512), (math.inf, 1024)),
}
_UNSHOWN_TOP: Final = {"cpu": 4000.0, "memory": 8192.0}


@dataclass(frozen=True, slots=True)
class DialSettings:
    """The settings of one resource of a guest or pool.

    Attributes
    ----------
    handles
        Those that can be dragged, MHz or MiB, in the order of their fields from zero outwards.
    shares
        The weight setting.
    headroom_percent
        Of an elastic guest; else None.
    top
        Where the track ends.
    snap
        To which steps a drag keeps.
    """

    handles: tuple[Handle, ...]
    shares: float
    headroom_percent: float | None
    top: float
    snap: float


def dial_settings(plan: Plan, division: Division, item: Guest | Pool, resource: Resource) -> DialSettings:
    """Give the dials of one resource of the selected guest or pool."""
    most = _most(plan, division, item, resource)
    settings = item.of(resource)
    headroom = None
    if isinstance(settings, ElasticMemory):
        headroom = settings.headroom_percent
        most = max(most, settings.ceiling * 1.3)
        handles: tuple[Handle, ...] = (
            Handle("memory.floor", "floor", settings.floor, 0.0, settings.boot),
            Handle("memory.boot", "boot size", settings.boot, max(settings.floor, 1.0), settings.ceiling),
            Handle("memory.ceiling", "ceiling", settings.ceiling, settings.boot, math.inf),
        )
    elif isinstance(settings, FixedMemory):
        most = max(most, settings.size * 1.5)
        handles = (Handle("memory.size", "size", settings.size, 1.0, math.inf),)
    else:
        handles = _limited(resource, settings, most)
        most = max([most, *(h.value for h in handles if h.value is not None)])
    top = most * _AIR
    snap = next(step for bound, step in _SNAPS[resource] if top <= bound)
    return DialSettings(handles, settings.shares, headroom, top, float(snap))


def _limited(
    resource: Resource, settings: GuestCpu | PoolCpu | PoolMemory | ThinMemory, most: float
) -> tuple[Handle, ...]:
    limit = math.inf if settings.limit is None else settings.limit
    bound = most if isinstance(settings, GuestCpu | ThinMemory) else math.inf
    lowest = max(settings.reservation, 1.0)
    return (
        Handle(f"{resource}.reservation", "reservation", settings.reservation, 0.0, min(limit, bound)),
        Handle(f"{resource}.limit", "limit", settings.limit, lowest, math.inf, can_be_none=True),
    )


def _most(plan: Plan, division: Division, item: Guest | Pool, resource: Resource) -> float:
    """Give the most an item could have: a guest its vCPUs or its size, a pool the supply."""
    row = division.position[item.id]
    figures = division.of(resource)
    if isinstance(item, Pool):
        return float(figures.supply) or max(float(figures.wanted[row]), _UNSHOWN_TOP[resource])
    if resource == "memory":
        memory = item.memory
        return memory.size if isinstance(memory, ThinMemory) else 0.0
    host = division.site.host_of(item.id)
    return item.vcpus * host.mhz if host else max(float(figures.wanted[row]), _UNSHOWN_TOP[resource])
