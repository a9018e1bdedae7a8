"""The units in which figures are read and typed: four for CPU, two for memory, each switched by one key."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.desktop.state.look import Look
from ruvex.divide import Contended
from ruvex.engine import rows as r
from ruvex.plan import Guest, Host, Pool, Resource, find_item, pools_within
from ruvex.site import Site


@dataclass(frozen=True, slots=True)
class Unit:
    """A unit of what guests compete for.

    Attributes
    ----------
    resource, name
        ``cpu``, ``memory``, ``store`` or ``link``, and what stands behind a figure.
    per
        How many MHz, MiB, transfers a second or MiB/s one of it is.
    """

    resource: Contended
    name: str
    per: float


GHZ: Final = Unit("cpu", "GHz", 1000.0)
GIB: Final = Unit("memory", "GiB", 1024.0)
FLOWS: Final[Mapping[Contended, Unit]] = {"store": Unit("store", "ops/s", 1.0), "link": Unit("link", "MiB/s", 1.0)}
ABSOLUTE: Final[Mapping[Contended, Unit]] = {"cpu": GHZ, "memory": GIB}
OF_HOST: Final = "% of host"
OF_OWN: Final = "% of own vCPUs"
CORES: Final = "cores"
CHOICES: Final[dict[Resource, Sequence[str]]] = {"cpu": ("GHz", OF_HOST, OF_OWN, CORES), "memory": ("GiB", OF_HOST)}


class Units(QObject):
    """Which unit of each resource is in force.

    Signals
    -------
    changed()
        Another unit is in force.
    """

    changed = pyqtSignal()

    def __init__(self, look: Look, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._look = look
        self._chosen: dict[Contended, str] = {name: choices[0] for name, choices in CHOICES.items()}

    def chosen(self, resource: Resource) -> str:
        """Give the name of the unit in force."""
        return self._chosen[resource]

    def choose(self, resource: Resource, name: str) -> None:
        """Put another unit in force; a name that is none is passed over."""
        if name in CHOICES[resource] and name != self._chosen[resource]:
            self._chosen[resource] = name
            self.changed.emit()

    def next(self, resource: Resource) -> None:
        """Go on to the next unit."""
        choices = CHOICES[resource]
        self.choose(resource, choices[(choices.index(self._chosen[resource]) + 1) % len(choices)])

    def is_of_own(self, resource: Resource) -> bool:
        """Whether figures are parts of what each guest's own vCPUs could use."""
        return self._chosen[resource] == OF_OWN and bool(self._look.plan.hosts)

    def common(self, resource: Contended) -> Unit:
        """Give the unit for figures of several guests together, such as axes and sums."""
        chosen = self._chosen.get(resource)
        if chosen is None:
            return FLOWS[resource]
        return ABSOLUTE[resource] if chosen == OF_OWN else self._unit(resource, chosen, None)

    def of(self, resource: Resource, item_id: str | None) -> Unit:
        """Give the unit for the figures of a guest or pool; for None that of the supply."""
        return self._unit(resource, self._chosen[resource], item_id)

    def all_of(self, resource: Resource, item_id: str | None) -> list[Unit]:
        """Give every unit in which a figure of a guest or pool can be read."""
        return [self._unit(resource, name, item_id) for name in CHOICES[resource]]

    def _unit(self, resource: Contended, name: str, item_id: str | None) -> Unit:
        site, absolute = self._look.division.site, ABSOLUTE[resource]
        if name == absolute.name or not site.plan.hosts:
            return absolute
        hosts = hosts_counted(site, item_id)
        if resource == "memory":
            per = sum(host.memory_mib for host in hosts) / 100
        elif name == OF_OWN:
            per = own_mhz(site, item_id) / 100
        else:
            mhz = sum(host.cores * host.mhz for host in hosts)
            per = mhz / 100 if name == OF_HOST else mhz / sum(host.cores for host in hosts)
        shown = {OF_HOST: "%", OF_OWN: "%"}.get(name, name)
        return Unit(resource, shown, per) if per > 0 else absolute


def hosts_counted(site: Site, item_id: str | None) -> Sequence[Host]:
    """Give the hosts that a percentage is of and cores are of: a guest's own, of a pool those that its guests are on.

    Those that are up count; of all else, and where there is none such, all of them.
    """
    plan = site.plan
    item = find_item(plan, item_id) if item_id is not None else None
    if isinstance(item, Guest):
        host = site.host_of(item.id)
        return plan.hosts if host is None else (host,)
    there = set(site.standing.host[_inside(site, item_id)].tolist()) - {-1} if isinstance(item, Pool) else set()
    found = [host for at, host in enumerate(plan.hosts) if host.up and (at in there or not there)]
    return found or plan.hosts


def own_mhz(site: Site, item_id: str | None) -> float:
    """Give the MHz of all vCPUs of a guest, or of the guests that are on in a pool; of all of them for None."""
    plan = site.plan
    if item_id is not None and item_id in plan.guest_index:
        host = site.host_of(item_id)
        return plan.guests[plan.guest_index[item_id]].vcpus * host.mhz if host else 0.0
    there = np.flatnonzero(_inside(site, item_id) & (site.standing.host >= 0))
    mhz = site.hosts[r.H_MHZ, site.standing.host[there]]
    return float((site.guests[r.G_VCPUS, there] * mhz).sum())


def _inside(site: Site, item_id: str | None) -> NDArray[np.bool_]:
    """Tell who is on and in a pool, at any depth; of all of them for None."""
    if item_id is None:
        return site.standing.on
    inside = pools_within(site.plan, item_id)
    return site.standing.on & np.array([guest.pool in inside for guest in site.plan.guests], dtype=np.bool_)
