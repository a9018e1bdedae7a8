"""Who is on, with a working agent, on which host, and which hosts are up: from a plan, or from a play at a time."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r
from ruvex.plan import Plan
from ruvex.site._ground import Ground
from ruvex.site._placement import allowed_hosts
from ruvex.site._volumes import Volumes, hand_out

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
    volumes: Volumes
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


def comeback_turn(plan: Plan, guest: int) -> tuple[float, float, int]:
    """Give what orders guests that come back after a loss: the plan's own turn, memory shares, plan order."""
    item = plan.guests[guest]
    first = item.comes_back if isinstance(item.comes_back, int) else math.inf
    return first, -item.memory.shares, guest


def standing_of(plan: Plan, ground: Ground, hosts: Floats) -> Standing:
    """Give the standing a plan has: guests that are on without a host are where there is most room."""
    count, guests = len(plan.guests), ground.guests
    only = 0 if len(plan.hosts) <= 1 else -1
    host = np.array([only if g.host is None else plan.host_index[g.host] for g in plan.guests], dtype=np.int64)
    power = np.array([g.is_powered for g in plan.guests], dtype=np.bool_)
    up = hosts[r.H_UP] > 0
    of_guests = np.zeros((4, count), dtype=np.int64)
    of_guests[r.S_HOST] = host
    for i in starting_order(plan, np.flatnonzero(power & (host < 0)).tolist()):
        of_guests[r.S_ON] = power & (host >= 0) & up[host]
        of_guests[r.S_AGENT] = guests[r.G_AGENT] > 0
        rooms = _host_rooms(guests, of_guests, hosts)
        placed = by_room(rooms, allowed_hosts(plan, i, host, power & (host >= 0)))
        of_guests[r.S_HOST, i] = host[i] = placed[0] if placed else -1
    on = power & (host >= 0) & up[host]
    of_guests[r.S_ON] = on
    of_guests[r.S_AGENT] = on & (guests[r.G_AGENT] > 0)
    volumes = hand_out(plan, starting_order(plan, np.flatnonzero(on).tolist()), host.tolist())
    return Standing(of_guests, up, disks_of(plan, hosts, host, volumes), volumes, np.zeros(count))


def disks_of(plan: Plan, hosts: Floats, host: Ints, volumes: Volumes) -> NDArray[np.bool_]:
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


def claims_by_guest(guests: Floats, of_guests: Ints, hosts: Floats) -> Floats:
    """Give what every guest claims while on, whether it is or not, shape (2, guests): MHz and MiB.

    Arguments as ``Site.guests``, ``Standing.of_guests`` and ``Site.hosts`` have them. Section 5 of docs/model.md.
    """
    speed = hosts[r.H_MHZ, np.maximum(of_guests[r.S_HOST], 0)] * guests[r.G_VCPUS]
    has_cores = (guests[r.G_DEDICATED] > 0) & np.isfinite(speed)
    cpu = np.where(has_cores, speed, guests[r.G_CPU_RESERVATION])
    breathing = (guests[r.G_MODE] == r.ELASTIC) & (of_guests[r.S_AGENT] != 0) & (of_guests[r.S_BOOTING] == 0)
    memory = np.where(
        guests[r.G_MODE] == r.THIN, guests[r.G_RESERVATION], np.where(breathing, guests[r.G_FLOOR], guests[r.G_SIZE])
    )
    return np.stack((cpu, memory))


def _host_rooms(guests: Floats, of_guests: Ints, hosts: Floats) -> Floats:
    """Give what of each host's CPU and memory is neither claimed nor overhead, MHz and MiB; −infinity where down."""
    cpu, claim = claims_by_guest(guests, of_guests, hosts)
    memory = np.where(guests[r.G_BANKED] > 0, 0.0, claim) + guests[r.G_OVERHEAD]
    here, on, count = np.maximum(of_guests[r.S_HOST], 0), of_guests[r.S_ON], hosts.shape[1]
    taken = np.stack([np.bincount(here, amount * on, minlength=count) for amount in (cpu, memory)])
    taken[1] += hosts[r.H_BANK]
    mhz = hosts[r.H_MHZ] * np.maximum(hosts[r.H_CORES], 1e-300) - hosts[r.H_OVERHEAD_MHZ]
    return np.where(hosts[r.H_UP] > 0, np.stack((mhz, hosts[r.H_GROSS])) - taken, -np.inf)


def by_room(rooms: Floats, hosts: Collection[int]) -> list[int]:
    """Put hosts in the order in which a guest is placed: most memory left, then most CPU, then plan order.

    ``rooms`` has the shape (2, hosts): MHz and MiB; hosts where nothing is finite are left out.
    """
    return sorted((h for h in hosts if np.isfinite(rooms[1, h])), key=lambda h: (-rooms[1, h], -rooms[0, h], h))
