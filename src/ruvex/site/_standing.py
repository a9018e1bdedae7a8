"""Who is on, with a working agent, on which host, and which hosts are up: from a plan, or from a play at a time."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r
from ruvex.plan import Plan
from ruvex.site._placement import allowed_hosts
from ruvex.site._volumes import hand_out

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, eq=False)
class Standing:
    """Who is on and where. Everything that asks so asks this, never the plan.

    Attributes
    ----------
    of_guests
        Shape (4, guests): whether it is on, whether its agent works, whether it boots (1 or 0), and the position of
        its host, −1 for none (``rows.S_…``).
    up
        Shape (hosts,): which hosts are up.
    on_hdd
        Shape (2, guests): whether the guest's own disk, and what it is spilled to, is a hard disk.
    volumes
        Which guest has which spill volume: (host's id, volume's id) to the guest's id.
    bridged
        Shape (guests,): the boot memory that disk stands in for, MiB.
    """

    of_guests: Ints
    up: NDArray[np.bool_]
    on_hdd: NDArray[np.bool_]
    volumes: Mapping[tuple[str, str], str]
    bridged: Floats

    @property
    def on(self) -> NDArray[np.bool_]:
        """Which guests are on."""
        return np.asarray(self.of_guests[r.S_ON] != 0)

    @property
    def host(self) -> Ints:
        """The position of each guest's host, −1 for none."""
        return np.asarray(self.of_guests[r.S_HOST])


def starting_order(plan: Plan, guests: Collection[int]) -> list[int]:
    """Give guests in the order in which they are powered on: by memory shares, ties in plan order."""
    return sorted(guests, key=lambda i: (-plan.guests[i].memory.shares, i))


def standing_of(plan: Plan, guests: Floats, hosts: Floats) -> Standing:
    """Give the standing a plan has: guests that are on without a host are where there is most room."""
    count = len(plan.guests)
    only = 0 if len(plan.hosts) <= 1 else -1
    host = np.array([only if g.host is None else plan.host_index[g.host] for g in plan.guests], dtype=np.int64)
    power = np.array([g.is_on for g in plan.guests], dtype=np.bool_)
    up = hosts[r.H_UP] > 0
    homeless = np.flatnonzero(power & (host < 0)).tolist()
    if homeless:
        agents = np.array([g.agent for g in plan.guests], dtype=np.bool_)
        for i in starting_order(plan, homeless):
            on = power & (host >= 0)
            rooms = host_rooms(guests, hosts, on & up[host], agents, host, up)
            host[i] = roomiest(plan, i, host, on, rooms)
    on = power & (host >= 0)
    on &= up[host]
    of_guests = np.zeros((4, count), dtype=np.int64)
    of_guests[r.S_ON] = on
    of_guests[r.S_AGENT] = on & (guests[r.G_AGENT] > 0)
    of_guests[r.S_HOST] = host
    volumes = hand_out(plan, starting_order(plan, np.flatnonzero(on).tolist()), host.tolist())
    return Standing(of_guests, up, disks_of(plan, hosts, host, volumes), volumes, np.zeros(count))


def disks_of(plan: Plan, hosts: Floats, host: Ints, volumes: Mapping[tuple[str, str], str]) -> NDArray[np.bool_]:
    """Tell of each guest whether its own disk, and the one it is spilled to, is a hard disk.

    A guest's own disk is of the kind that its host spills to; a bank's guest is spilled to its volume.
    """
    own = hosts[r.H_HDD, np.maximum(host, 0)] > 0
    spill = own.copy()
    for (host_id, volume_id), guest in volumes.items():
        bank = plan.hosts[plan.host_index[host_id]].bank
        kind = next((v.kind for v in bank.spill_volumes if v.id == volume_id), "ssd") if bank is not None else "ssd"
        spill[plan.guest_index[guest]] = kind == "hdd"
    return np.stack((own, spill))


def host_rooms(
    guests: Floats, hosts: Floats, on: NDArray[np.bool_], agent: NDArray[np.bool_], host: Ints, up: NDArray[np.bool_]
) -> Floats:
    """Give what of each host's memory and CPU is neither claimed nor overhead, MiB and MHz; −infinity where down."""
    claim = np.where(
        guests[r.G_MODE] == r.THIN,
        guests[r.G_RESERVATION],
        np.where((guests[r.G_MODE] == r.ELASTIC) & agent, guests[r.G_FLOOR], guests[r.G_SIZE]),
    )
    memory = np.where(guests[r.G_BANKED] > 0, 0.0, claim) + guests[r.G_OVERHEAD]
    here, count = np.maximum(host, 0), hosts.shape[1]
    taken = np.bincount(here, memory * on, minlength=count) + hosts[r.H_BANK]
    cpu = np.bincount(here, guests[r.G_CPU_RESERVATION] * on, minlength=count)
    mhz = hosts[r.H_MHZ] * np.maximum(hosts[r.H_CORES], 1e-300) - hosts[r.H_OVERHEAD_MHZ]
    rooms = np.stack((hosts[r.H_GROSS] - taken, mhz - cpu))
    return np.where(up, rooms, -np.inf)


def roomiest(
    plan: Plan, guest: int, host: Sequence[int] | Ints, on: NDArray[np.bool_], rooms: Floats,
    among: Collection[int] | None = None,
) -> int:  # fmt: skip
    """Give the allowed host with most room for a guest, −1 for none: most memory, then most CPU, then plan order."""
    there = [i for i in allowed_hosts(plan, guest, host, on) if np.isfinite(rooms[0, i])]
    if among is not None:
        there = [i for i in there if i in among]
    return min(there, key=lambda i: (-rooms[0, i], -rooms[1, i], i), default=-1)
