"""What stores and links give, as people and files read it: disk by disk, and whose work is slowed by what."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._solve import Solved
from ruvex.engine import rows as r
from ruvex.plan import Plan

Floats = NDArray[np.float64]
_LACKING: Final = 1e-6
Slowed = Literal["", "own limit", "elsewhere", "paging", "store", "moves", "link"]


@dataclass(frozen=True, slots=True)
class Tap:
    """A disk of a guest on a store, or a guest on the links of its host; transfers a second, or MiB/s.

    Attributes
    ----------
    guest, disk
        The guest's id, and the disk's, nothing for a link.
    place
        The place it is on (``FlowPlace.id``).
    shares, limit, reservation
        As set; no limit is infinity.
    wanted
        What is asked for, in the guest's own transfers.
    delivered
        What it gets, in the guest's own transfers.
    counts_as
        How many of its store's transfers one of them takes the time of; 1 for small ones and for links.
    slowed_by
        Why it gets less than it asks for; *elsewhere*, where it uses no more because something else slows its work.
    """

    guest: str
    disk: str
    place: str
    shares: float
    limit: float
    reservation: float
    wanted: float
    delivered: float
    counts_as: float
    slowed_by: Slowed

    @property
    def lacks(self) -> float:
        """What it asks for and has not, whatever its work waits for; in the guest's own transfers, or MiB/s."""
        return max(self.wanted - self.delivered, 0.0)

    @property
    def part_lacking(self) -> float:
        """Which part of what it asks for that is, 0 to 1."""
        return self.lacks / self.wanted if self.wanted > 0 else 0.0

    @property
    def takes(self) -> float:
        """What it takes of its place, in the place's own measure: all that is taken is what the place gives."""
        return self.delivered * self.counts_as

    @property
    def lacks_here(self) -> bool:
        """Whether there is no more for it at its place."""
        return self.slowed_by not in ("", "own limit", "elsewhere")

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        return {
            "guest": self.guest, "disk": self.disk or None, "shares": self.shares,
            "limit": None if math.isinf(self.limit) else self.limit, "reservation": self.reservation,
            "wanted": self.wanted, "delivered": self.delivered, "counts_as": self.counts_as,
            "slowed_by": self.slowed_by or None,
        }  # fmt: skip


@dataclass(frozen=True, slots=True)
class FlowPlace:
    """A store, or the links of a host; a store in its own transfers a second, links in MiB/s.

    Attributes
    ----------
    id, kind
        The store's id, or ``host:link``; ``store`` or ``link``.
    supply
        What there is.
    taken
        What paging takes of a store, or moves of links.
    wanted
        What guests ask for; a large transfer counts as several of the store's.
    delivered
        What they get, counted alike.
    promised
        What is reserved on a store by guests that are on.
    taps
        Who is on it, in plan order.
    """

    id: str
    kind: Literal["store", "link"]
    supply: float
    taken: float
    wanted: float
    delivered: float
    promised: float
    taps: tuple[Tap, ...]

    @property
    def idle(self) -> float:
        """What is left of it."""
        return self.supply - self.taken - self.delivered

    @property
    def is_short(self) -> bool:
        """Whether somebody gets less than he asks for because there is no more."""
        return any(tap.lacks_here for tap in self.taps)

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        return {
            "id": self.id, "kind": self.kind, "supply": self.supply, "taken": self.taken, "wanted": self.wanted,
            "delivered": self.delivered, "promised": self.promised, "taps": [tap.to_json() for tap in self.taps],
        }  # fmt: skip


class Flowing:
    """What stores and links give at a moment.

    Attributes
    ----------
    ops_wanted, ops_delivered, net_wanted, net_delivered, pace
        By guest in plan order: transfers and MiB a second, and how far its work is slowed by them (0 to 1).
    """

    def __init__(self, solved: Solved) -> None:
        self._solved, self._plan = solved, solved.site.plan
        self.ops_wanted, self.ops_delivered, self.net_wanted, self.net_delivered, self.pace = solved.flowing

    @property
    def is_empty(self) -> bool:
        """Whether the plan has neither stores nor links that anybody on is on."""
        return self._solved.site.forest.flows.is_empty

    @cached_property
    def places(self) -> tuple[FlowPlace, ...]:
        """The stores, then the links of hosts that have some."""
        site = self._solved.site
        flows, (values, of_slots, _) = site.forest.flows, self._solved.flow_work
        found = []
        for place in range(flows.supply.size):
            name, is_store = self._place_of(place)
            slots = flows.slots_of(place)
            taken, supply = float(values[r.Q_KEPT, place]), float(flows.supply[place])
            costs = flows.numbers[r.F_COST, slots]
            taps = tuple(self._tap(slot, name, taken, is_store) for slot in range(slots.start, slots.stop))
            found.append(FlowPlace(
                name, "store" if is_store else "link", supply, taken,
                float(sum(tap.wanted * tap.counts_as for tap in taps)),
                float(of_slots[r.TAP_GIVEN, slots].sum()),
                float((flows.numbers[r.F_RESERVATION, slots] * costs).sum()), taps,
            ))  # fmt: skip
        return tuple(found)

    def _tap(self, slot: int, place: str, taken: float, is_store: bool) -> Tap:
        flows, of_slots = self._solved.site.forest.flows, self._solved.flow_work[1]
        guest = int(flows.slots[r.F_GUEST, slot])
        weight, limit, reservation, part, cost = flows.numbers[:, slot].tolist()
        wanted = float(self._solved.demand.values[flows.slots[r.F_KIND, slot], guest]) * part
        delivered = float(of_slots[r.TAP_GIVEN, slot]) / cost
        slowed: Slowed = ""
        if wanted - delivered > _LACKING * max(wanted, 1.0):
            if delivered >= limit * (1 - _LACKING):
                slowed = "own limit"
            elif not of_slots[r.TAP_HELD, slot]:
                slowed = "elsewhere"
            else:
                slowed = ("paging" if taken else "store") if is_store else ("moves" if taken else "link")
        of = self._plan.guests[guest]
        disk = of.disks[int(flows.disk_of[slot])].id if is_store else ""
        return Tap(of.id, disk, place, weight, limit, reservation, wanted, delivered, cost, slowed)

    def of(self, guest: str) -> tuple[Tap, ...]:
        """Give the disks and the link of a guest; nothing for a pool."""
        site, plan = self._solved.site, self._plan
        flows, values = site.forest.flows, self._solved.flow_work[0]
        found = []
        for slot in np.flatnonzero(flows.slots[r.F_GUEST] == plan.guest_index.get(guest, -1)).tolist():
            place = int(np.searchsorted(flows.places[r.L_FIRST], slot, side="right")) - 1
            name, is_store = self._place_of(place)
            found.append(self._tap(slot, name, float(values[r.Q_KEPT, place]), is_store))
        return tuple(found)

    def _place_of(self, place: int) -> tuple[str, bool]:
        """Give the id of a place, and whether it is a store."""
        flows, plan = self._solved.site.forest.flows, self._plan
        if flows.places[r.L_KIND, place] == r.STORE_PLACE:
            return plan.stores[place].id, True
        return f"{plan.hosts[flows.places[r.L_HOST, place]].id}:link", False

    def to_json(self) -> list[dict[str, Any]]:
        """Give the entry of the document of a division."""
        return [place.to_json() for place in self.places]


def place_label(plan: Plan, place: str) -> str:
    """Give the name of a store, or say whose links a place is.

    Examples
    --------
    >>> place_label(Plan(), "somewhere:link")
    'links of somewhere'
    """
    host, is_link, _ = place.partition(":")
    if is_link:
        at = plan.host_index.get(host)
        return f"links of {plan.hosts[at].label if at is not None else host}"
    return plan.labels[place] if place in plan.store_index else place
