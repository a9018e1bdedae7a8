"""Expected waits in closed form, and what of them is by chance, though a division gives enough (section 8)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Asked, Division, divide
from ruvex.engine import kernels
from ruvex.engine import rows as r
from ruvex.site import Site

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, eq=False)
class ChanceGround:
    """Who is where, and what each would get if all wanted all: what stays the same while only demand moves.

    Attributes
    ----------
    hosts
        Of guests: the position of each one's host; −1 where it is off, or has cores of its own.
    full
        Of guests: all of their vCPUs at the speed of a core there, MHz.
    due
        Of guests: what each would get if all wanted all, MHz.
    most
        Of guests: the most that its own limit lets it have, MHz.
    cores
        Of hosts: the cores that are not somebody's own.
    """

    hosts: Ints
    full: Floats
    due: Floats
    most: Floats
    cores: Ints


def ground_of(site: Site) -> ChanceGround:
    """Find out who is where at a site that has hosts, and what is due to each."""
    guests, hosts, standing = site.guests, site.hosts, site.standing
    has_own = guests[r.G_DEDICATED] > 0
    there = np.where(standing.on, standing.host, -1)
    mhz = hosts[r.H_MHZ, np.maximum(there, 0)]
    full = mhz * guests[r.G_VCPUS]
    asked = np.zeros((r.W_ROWS, guests.shape[1]))
    asked[r.W_CPU] = full
    everything = divide(site, demand=Asked(asked))
    own = np.bincount(there[has_own & (there >= 0)], guests[r.G_VCPUS][has_own & (there >= 0)], hosts.shape[1])
    cores = np.maximum(hosts[r.H_CORES] - own, 0).astype(np.int64)
    there = np.where(has_own | ~standing.on, -1, there)
    return ChanceGround(there, full, everything.cpu.given, guests[r.G_CPU_LIMIT], cores)


@dataclass(frozen=True, slots=True, eq=False)
class Waits:
    """Which part of their time the vCPUs of guests are expected to wait for a thread, shape (moments, guests), 0 to 1.

    Attributes
    ----------
    expected
        In all.
    by_chance
        What of it is beyond the 1 − delivered / wanted that the division itself has a guest wait: it could not run
        though enough was there.
    """

    expected: Floats
    by_chance: Floats


def waits_on(site: Site, grounds: Sequence[ChanceGround], of_moment: Ints, wanted: Floats, delivered: Floats) -> Waits:
    """Give what guests are expected to wait at some moments; 0 for who is off. Formulas: section 8 of docs/model.md.

    Parameters
    ----------
    site
        Their settings and hosts.
    grounds, of_moment
        Who is where, and which of these holds at each moment.
    wanted, delivered
        Shape (moments, guests): MHz.
    """
    hosts, full, due, most = (
        np.stack([getattr(ground, name) for ground in grounds])[of_moment] for name in ("hosts", "full", "due", "most")
    )
    cores = np.stack([ground.cores for ground in grounds])[of_moment]
    vcpus = np.maximum(site.guests[r.G_VCPUS], 1).astype(np.int64)
    machines, speeds = site.hosts, _speeds(site)
    widths = _widths(site)
    supply = cores * machines[r.H_MHZ] * speeds * (1.0 + (widths - 1) * machines[r.H_YIELD])
    is_on = hosts >= 0
    there = np.maximum(hosts, 0)
    given = np.zeros(supply.shape)
    rows = np.broadcast_to(np.arange(hosts.shape[0])[:, None], hosts.shape)
    np.add.at(given, (rows, there), np.where(is_on, delivered, 0.0))
    # Where a host has CPU to spare, whoever gets less than it wants is held by a limit, and wants no more of a thread.
    is_scarce = np.take_along_axis(given >= supply * (1 - 1e-3), there, axis=1)
    asked = np.where(is_scarce, np.minimum(wanted, most), delivered)
    parts = np.where(is_on, np.clip(asked / np.maximum(full, 1e-9), 0.0, 1.0), 0.0)
    ratios = np.where(is_on, asked / np.maximum(due, 1e-9), 0.0)
    order = np.lexsort((ratios, hosts), axis=1)
    waits = np.zeros(parts.shape)
    room = np.zeros(vcpus.size), np.zeros((4, int(vcpus.sum()) + 2)), np.zeros((3, 2), dtype=np.int64)
    # A host whose cores become somebody's own is another one from then on.
    for number in np.unique(of_moment).tolist():
        here = np.flatnonzero(of_moment == number)
        found = np.zeros((here.size, parts.shape[1]))
        kernels.wait_by_chance(
            parts[here], vcpus, ratios[here], hosts[here], order[here], grounds[number].cores, widths,
            machines[r.H_YIELD], speeds, *room, found,
        )  # fmt: skip
        waits[here] = found
    fluid = 1.0 - np.divide(delivered, asked, out=np.ones(asked.shape), where=asked > 0)
    return Waits(waits, np.where(is_on, np.maximum(waits - np.maximum(fluid, 0.0), 0.0), 0.0))


def _widths(site: Site) -> Ints:
    cores = np.maximum(site.hosts[r.H_CORES], 1)
    return np.asarray(1 + np.round(site.hosts[r.H_FURTHER] / cores), dtype=np.int64)


def _speeds(site: Site) -> Floats:
    """What a thread does beside the hypervisor's own needs, a part of 1 for each host."""
    hosts = site.hosts
    gross = hosts[r.H_MHZ] * (hosts[r.H_CORES] + hosts[r.H_FURTHER] * hosts[r.H_YIELD])
    part = np.divide(hosts[r.H_OVERHEAD_MHZ], gross, out=np.ones(gross.shape), where=gross > 0)
    return np.asarray(np.maximum(1.0 - part, 1e-6))


def waits_of(division: Division) -> Waits:
    """Give what every guest is expected to wait at the moment of a division: one moment, guests in plan order."""
    site, cpu = division.site, division.cpu
    count = site.guests.shape[1]
    if not site.plan.hosts or not count:
        return Waits(np.zeros((1, count)), np.zeros((1, count)))
    wanted, delivered = cpu.wanted_of_guests[None, :], cpu.given[None, :]
    return waits_on(site, [ground_of(site)], np.zeros(1, dtype=np.int64), wanted, delivered)
