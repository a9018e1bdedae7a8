"""What a guest would have if its memory were not elastic."""

from __future__ import annotations

import math

from ruvex.plan._model import ElasticMemory, Guest, Plan


def size_otherwise(plan: Plan, guest: Guest) -> float:
    """Give the size a guest would have if it were not elastic, MiB: as it says, else its ceiling or its size.

    A ceiling beyond what any host has is a wish: nobody would have given it as much.

    Examples
    --------
    >>> size_otherwise(Plan(), Guest(id="mail", otherwise_mib=5000))
    5000.0
    """
    if guest.otherwise_mib is not None:
        return guest.otherwise_mib
    if not isinstance(guest.memory, ElasticMemory):
        return guest.memory.size
    most = max((host.memory_mib - host.overhead_mib for host in plan.hosts), default=math.inf)
    return min(guest.memory.ceiling, max(most, guest.memory.boot))
