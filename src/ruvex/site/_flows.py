"""Stores and links as arrays: which disk of which guest is on which store, and who shares the links of each host."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r
from ruvex.plan import Plan
from ruvex.site._standing import Standing

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
_NONE: Final = math.inf


@dataclass(frozen=True, slots=True, eq=False)
class Taps:
    """What the plan says of stores and links, whoever is on.

    Attributes
    ----------
    disks
        Of each disk: guest, store, and its number among the guest's disks.
    numbers
        Of each disk (``rows.F_…``).
    stores
        Transfers a second of each store.
    of_links
        Of each guest: weight and limit on the links of its host.
    links
        MiB/s of each host's links together; 0 without any.
    spill_store
        Of each host the store of its spill space, −1 where there is none.
    """

    disks: Ints
    numbers: Floats
    stores: Floats
    of_links: Floats
    links: Floats
    spill_store: Ints


@dataclass(frozen=True, slots=True, eq=False)
class Flows:
    """Stores and links for a standing, as ``divide_flows`` takes them.

    Attributes
    ----------
    places, slots, numbers, supply, paging
        See there; the places are the stores, then the links of hosts that have some.
    disk_of
        By slot the number of the disk among its guest's, −1 for a link.
    link_of_host
        By host the place of its links, −1 where it has none.
    """

    places: Ints
    slots: Ints
    numbers: Floats
    supply: Floats
    paging: Ints
    disk_of: Ints
    link_of_host: Ints

    @property
    def as_taken(self) -> tuple[Any, ...]:
        """As the kernels take it."""
        return self.places, self.slots, self.numbers, self.supply, self.paging

    def room(self) -> tuple[Floats, Floats, Floats]:
        """Give room for what is known of places and slots, and to work in by guest."""
        places, slots, guests = self.supply.size, self.slots.shape[1], self.paging.shape[1]
        return np.zeros((r.Q_FLOW_ROWS, places)), np.zeros((r.TAP_ROWS, slots)), np.zeros((2, guests))

    def slots_of(self, place: int) -> slice:
        """Give the slots of a place."""
        return slice(int(self.places[r.L_FIRST, place]), int(self.places[r.L_LAST, place]))

    def promises(self, place: int) -> list[tuple[int, float]]:
        """Give the position of each guest on a place, and what is promised it there in the place's own measure."""
        slots = self.slots_of(place)
        amounts = self.numbers[r.F_RESERVATION, slots] * self.numbers[r.F_COST, slots]
        return list(zip(self.slots[r.F_GUEST, slots].tolist(), amounts.tolist(), strict=True))

    def with_one_link(self) -> Flows:
        """Give them with the links of all hosts as those of one machine."""
        links = np.flatnonzero(self.places[r.L_KIND] != r.STORE_PLACE)
        if links.size < 2:
            return self
        first, last = int(links[0]), int(links[-1])
        # The slots of links are neighbours, as their places are.
        places = self.places[:, : first + 1].copy()
        places[r.L_LAST, first] = self.places[r.L_LAST, last]
        supply = np.append(self.supply[:first], self.supply[first:].sum())
        of_host = np.where(self.link_of_host >= 0, first, -1)
        return replace(self, places=places, supply=supply, link_of_host=of_host)

    @property
    def is_empty(self) -> bool:
        """Whether nobody on has a disk or a link."""
        return bool(self.slots.shape[1] == 0)


def taps_of(plan: Plan) -> Taps:
    """Read stores, disks and links of a plan into arrays.

    A transfer of ``kib_per_op`` counts as one of the store's, or as many as its MiB/s have it take the time of.
    """
    disks: list[tuple[int, int, int]] = []
    numbers: list[tuple[float, ...]] = []
    for i, guest in enumerate(plan.guests):
        for d, disk in enumerate(guest.disks):
            store = plan.stores[plan.store_index[disk.store]]
            cost = max(1.0, guest.demand.kib_per_op / 1024.0 / store.mib_s * store.ops)
            limit = _NONE if disk.limit_ops is None else disk.limit_ops
            disks.append((i, plan.store_index[disk.store], d))
            numbers.append((disk.shares, limit, disk.reservation_ops, 1.0 / len(guest.disks), cost))
    of_links = [(g.link.shares, _NONE if g.link.limit_mib_s is None else g.link.limit_mib_s) for g in plan.guests]
    spill = [-1 if host.store is None else plan.store_index[host.store] for host in plan.hosts]
    return Taps(
        np.array(disks, dtype=np.int64).reshape(-1, 3).T.copy(),
        np.array(numbers, dtype=np.float64).reshape(-1, 5).T.copy(),
        np.array([store.ops for store in plan.stores], dtype=np.float64),
        np.array(of_links, dtype=np.float64).reshape(-1, 2).T.copy(),
        np.array([sum(link.mib_s for link in host.links) for host in plan.hosts] or [0.0], dtype=np.float64),
        np.array(spill or [-1], dtype=np.int64),
    )


def flow_ids_of(plan: Plan) -> tuple[str, ...]:
    """Name the places of stores and links: the stores, then ``host:link`` for each host that has links."""
    return (*(store.id for store in plan.stores), *(f"{host.id}:link" for host in plan.hosts if host.links))


def flows_of(taps: Taps, standing: Standing) -> Flows:
    """Number the slots of stores and links for those on."""
    stores, guests = taps.stores.size, standing.on.size
    on, host = standing.on, np.maximum(standing.host, 0)
    with_links = np.flatnonzero(taps.links > 0)
    link_of_host = np.full(taps.links.size, -1, dtype=np.int64)
    link_of_host[with_links] = stores + np.arange(with_links.size)
    disks = np.flatnonzero(on[taps.disks[0]])
    linked = np.flatnonzero(on & (link_of_host[host] >= 0)) if guests else np.zeros(0, dtype=np.int64)
    place = np.concatenate((taps.disks[1, disks], link_of_host[host[linked]]))
    guest = np.concatenate((taps.disks[0, disks], linked))
    kind = np.repeat((r.W_OPS, r.W_NET), (disks.size, linked.size))
    numbers = np.concatenate((taps.numbers[:, disks], _of_links(taps, linked)), axis=1)
    disk_of = np.concatenate((taps.disks[2, disks], np.full(linked.size, -1)))
    order = np.lexsort((disk_of, guest, place))
    count = stores + with_links.size
    places = np.zeros((4, count), dtype=np.int64)
    places[r.L_KIND] = np.repeat((r.STORE_PLACE, r.LINK_PLACE), (stores, with_links.size))
    places[r.L_HOST] = np.concatenate((np.full(stores, -1), with_links))
    ends = np.cumsum(np.bincount(place, minlength=count)) if count else np.zeros(0, dtype=np.int64)
    places[r.L_FIRST], places[r.L_LAST] = np.concatenate(([0], ends[:-1])) if count else ends, ends
    supply = np.concatenate((taps.stores, taps.links[with_links]))
    paging = np.full((2, guests), -1, dtype=np.int64)
    if guests:
        paging[0] = np.where(on, taps.spill_store[host], -1)
        own = np.flatnonzero(taps.disks[2] == 0)
        paging[1, taps.disks[0, own]] = taps.disks[1, own]
        paging[1] = np.where(on, paging[1], -1)
    return Flows(
        places, np.stack((guest[order], kind[order])).astype(np.int64), numbers[:, order].copy(), supply, paging,
        disk_of[order].astype(np.int64), link_of_host,
    )  # fmt: skip


def _of_links(taps: Taps, guests: Ints) -> Floats:
    ones = np.ones(guests.size)
    return np.stack((taps.of_links[0, guests], taps.of_links[1, guests], 0.0 * ones, ones, ones))
