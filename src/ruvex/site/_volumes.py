"""Spill volumes of banks: each guest there needs one of its own, at least as large as size − reservation."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from ruvex.plan import Bank, Guest, Plan, SpillVolume, ThinMemory, format_memory

Volumes = Mapping[tuple[str, str], str]
"""Which guest has which spill volume: (host's id, volume's id) to the guest's id."""

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


def find_volume(host: str, bank: Bank, guest: Guest, owners: Volumes) -> Taken | str:
    """Find a volume for a guest: the one it names or has, or else the smallest free one; or say why there is none."""
    memory = guest.memory
    assert isinstance(memory, ThinMemory)
    need = volume_need(guest)
    free = [v for v in bank.spill_volumes if owners.get((host, v.id), guest.id) == guest.id]
    if memory.spill_volume is not None:
        free = [volume for volume in free if volume.id == memory.spill_volume]
    # Who restarts has one: it would have two if it were given a smaller one that is free by now.
    fitting = sorted((v for v in free if v.mib >= need), key=lambda v: ((host, v.id) not in owners, v.mib, v.id))
    if not fitting:
        named = f" ({memory.spill_volume} is named)" if memory.spill_volume else ""
        largest = max((volume.mib for volume in free), default=0.0)
        has = f"the largest free one has {format_memory(largest)}" if free else "none is free"
        return f"no spill volume of {format_memory(need)} is left in the bank{named}: {has}"
    chosen = fitting[0]
    if need > 0 and chosen.mib > need * FAR_TOO_LARGE:
        large = f"{format_memory(chosen.mib)}, {chosen.mib / need:.1f} times the {format_memory(need)} it can need"
        return Taken(chosen, f"the spill volume {chosen.id} has {large}")
    return Taken(chosen)


def hand_out(plan: Plan, order: Sequence[int], host: Sequence[int]) -> dict[tuple[str, str], str]:
    """Give the guests of banks that are on their volumes, in an order; those that find none have none."""
    owners: dict[tuple[str, str], str] = {}
    for i in order:
        guest = plan.guests[i]
        if not guest.in_bank or not plan.hosts or host[i] < 0:
            continue
        there = plan.hosts[host[i]]
        if there.bank is not None:
            taken = find_volume(there.id, there.bank, guest, owners)
            if isinstance(taken, Taken):
                owners[there.id, taken.volume.id] = guest.id
    return owners


def without_volume(
    plan: Plan,
    on: Sequence[bool],
    host: Sequence[int],
    owners: Volumes,
    *,
    among: Iterable[int] | None = None,
) -> dict[str, str]:
    """Give the guests that are on in a bank and have no volume large enough there, each with its host.

    ``among`` are the positions of those that live in banks, where that is known: most guests do not.
    """
    lacking: dict[str, str] = {}
    for i in among if among is not None else range(len(plan.guests)):
        guest = plan.guests[i]
        if on[i] and guest.in_bank and plan.hosts and host[i] >= 0:
            there = plan.hosts[host[i]]
            sizes = {v.id: v.mib for v in there.bank.spill_volumes} if there.bank is not None else {}
            mine = [volume for (at, volume), owner in owners.items() if at == there.id and owner == guest.id]
            if not any(sizes.get(volume, -1.0) >= volume_need(guest) for volume in mine):
                lacking[guest.id] = there.id
    return lacking
