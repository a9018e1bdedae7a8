"""Spill volumes of banks: each guest there needs one of its own, at least as large as size − reservation."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from ruvex.plan import Bank, Guest, Plan, SpillVolume, ThinMemory, format_memory

FAR_TOO_LARGE: Final = 3.0
"""A volume of more than so many times what its guest needs is remarked on."""


@dataclass(frozen=True, slots=True)
class Taken:
    """A volume that was found for a guest, and what there is to remark about it."""

    volume: SpillVolume
    remark: str = ""


def volume_need(guest: Guest) -> float:
    """Give how large the spill volume of a guest in a bank must be at least, MiB."""
    memory = guest.memory
    return memory.size - memory.reservation if isinstance(memory, ThinMemory) else 0.0


class Volumes:
    """Which guest has which volume of a bank."""

    def __init__(self) -> None:
        self._owner: dict[tuple[str, str], str] = {}

    def take(self, host: str, bank: Bank, guest: Guest) -> Taken | str:
        """Find a volume for a guest: the one it names, or the smallest free one that fits; or say why there is none."""
        memory = guest.memory
        assert isinstance(memory, ThinMemory)
        need = volume_need(guest)
        free = [v for v in bank.spill_volumes if self._owner.get((host, v.id), guest.id) == guest.id]
        if memory.spill_volume is not None:
            free = [volume for volume in free if volume.id == memory.spill_volume]
        fitting = sorted((v for v in free if v.mib >= need), key=lambda volume: (volume.mib, volume.id))
        if not fitting:
            named = f" ({memory.spill_volume} is named)" if memory.spill_volume else ""
            largest = max((volume.mib for volume in free), default=0.0)
            has = f"the largest free one has {format_memory(largest)}" if free else "none is free"
            return f"no spill volume of {format_memory(need)} is left in the bank{named}: {has}"
        chosen = fitting[0]
        self._owner[host, chosen.id] = guest.id
        if need > 0 and chosen.mib > need * FAR_TOO_LARGE:
            large = f"{format_memory(chosen.mib)}, {chosen.mib / need:.1f} times the {format_memory(need)} it can need"
            return Taken(chosen, f"the spill volume {chosen.id} has {large}")
        return Taken(chosen)

    def release(self, guest: str) -> None:
        """Let a guest that is off give its volume back."""
        self._owner = {key: owner for key, owner in self._owner.items() if owner != guest}


def without_volume(plan: Plan) -> dict[str, str]:
    """Give the guests that are on in a bank and find no spill volume there, each with its host.

    Volumes are handed out by memory shares, then plan order, as guests are started.
    """
    if not any(host.bank is not None for host in plan.hosts):
        return {}
    volumes, lacking = Volumes(), dict[str, str]()
    banked = [(i, guest) for i, guest in enumerate(plan.guests) if guest.is_on and guest.in_bank]
    for _, guest in sorted(banked, key=lambda pair: (-pair[1].memory.shares, pair[0])):
        host = plan.host_of(guest)
        if host is not None and host.bank is not None and isinstance(volumes.take(host.id, host.bank, guest), str):
            lacking[guest.id] = host.id
    return lacking
