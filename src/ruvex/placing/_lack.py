"""What guests lack over a day wherever they are: the measure by which places are compared. Section 9 of the model."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import CONTENDED, Asked, Contended, Solved, demand_at, solve, solve_as_one
from ruvex.engine import rows as r
from ruvex.site import Site, disks_of

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

SAMPLES: Final = 24
"""Into how many equal spans a day is cut; each is looked at in its middle."""
_NOISE: Final = 1e-9


@dataclass(frozen=True, slots=True, eq=False)
class Loads:
    """What guests want at each sample, and what hosts have, as the plan has them placed.

    Attributes
    ----------
    wanted
        Shape (kinds, samples, guests), kinds as in ``kinds_of``: CPU within own limits in MHz, memory need in MiB,
        transfers a second, traffic within own limits in MiB/s; 0 where off.
    supply
        Shape (kinds, samples, hosts): what there is of each; no end of transfers, which are the site's, and of a
        network without links.
    """

    wanted: Floats
    supply: Floats


class DayLack:
    """Measures what guests lack, with them on the hosts they are on or on others.

    What a guest lacks is the part of its wanted CPU that it is not given, the part of its memory need that is not
    backed, and, in a plan with stores or links, the parts of the transfers and of the traffic it asks for that it does
    not get; each summed up over the day: an hour in which it gets a quarter of what it wants is three quarters of a
    guest-hour.

    Parameters
    ----------
    site
        The plan, with who is on.
    demands
        What work asks for at each sample; those of the plan's day if left out.
    hours
        How many hours one sample stands for.

    Attributes
    ----------
    times_s
        When the samples of a day are, s; empty where demands were given.
    """

    def __init__(self, site: Site, demands: Sequence[Asked] | None = None, hours: float | None = None) -> None:
        self.site, day_s = site, site.plan.day_s
        self.times_s = (np.arange(SAMPLES) + 0.5) * (day_s / SAMPLES) if demands is None else np.zeros(0)
        self.demands = demands or [demand_at(site, at_s) for at_s in self.times_s.tolist()]
        self.hours = day_s / 3600 / len(self.demands) if hours is None else hours

    def of(self, host: Ints) -> Floats:
        """Give what every guest lacks with guests on some hosts, shape (kinds, guests): guest-hours of each."""
        return np.asarray(self.by_sample(placed(self.site, host)).sum(axis=0))

    def by_sample(self, site: Site) -> Floats:
        """Give what every guest lacks at each sample, shape (samples, kinds, guests): guest-hours.

        ``site`` has the guests and demands of this one, and another standing, or a host down.
        """
        return np.stack([lack_in(solve(site, demand)) for demand in self.demands]) * self.hours

    def as_one(self) -> Floats:
        """Give what every guest would lack if all hosts were one machine, shape (kinds, guests): guest-hours.

        The links of all hosts are one then, too; stores are the site's anyway.
        """
        found, forest = [], self.site.forest
        linked = replace(self.site, forest=replace(forest, flows=forest.flows.with_one_link()))
        for demand, solved in zip(self.demands, self._solved(), strict=True):
            given, one = solved.given(), solve_as_one(solved)
            wanted = solved.layers[[r.M_CPU_WANTED, r.M_NEED]]
            # What a guest lacks by its own limits it lacks on one machine too: only what is given is compared.
            more = np.divide(one - given, wanted, out=np.zeros_like(given), where=wanted > _NOISE)
            lack = lack_in(solved)
            lack[:2] = np.maximum(lack[:2] - more, 0.0)
            if len(lack) > 2:
                lack[2:] = lack_in(solve(linked, demand))[2:]
            found.append(lack)
        return np.asarray(np.sum(found, axis=0) * self.hours)

    def loads(self) -> Loads:
        """Give what is wanted and what there is at each sample."""
        wanted, supply, site = [], [], self.site
        hosts, of_links = site.hosts.shape[1], site.forest.flows.link_of_host
        kinds, of_host = site.forest.trees.places[r.L_KIND], site.forest.trees.places[r.L_HOST]
        for solved in self._solved():
            found = _wanted(solved) * site.standing.on
            found[0] = np.minimum(found[0], site.guests[r.G_CPU_LIMIT])
            found[3:] = np.minimum(found[3:], site.taps.of_links[1])
            wanted.append(found)
            amounts = np.full((len(found), hosts), np.inf)
            amounts[:2] = 0.0
            for k in (0, 1):
                here = np.flatnonzero((kinds == r.CPU_PLACE) == (k == 0))
                np.add.at(amounts[k], np.maximum(of_host[here], 0), solved.values[r.Q_AMOUNT, here])
            if len(found) > 2:
                there = np.flatnonzero(of_links >= 0)
                amounts[3, there] = site.forest.flows.supply[of_links[there]]
            supply.append(amounts)
        return Loads(np.stack(wanted, axis=1), np.stack(supply, axis=1))

    def _solved(self) -> list[Solved]:
        return [solve(self.site, demand) for demand in self.demands]


def placed(site: Site, host: Ints) -> Site:
    """Give a site whose guests stand on other hosts, shape (guests,): positions, −1 for none; its plan stays."""
    standing = site.standing
    if np.array_equal(host, standing.host):
        return site
    of_guests = standing.of_guests.copy()
    of_guests[r.S_HOST] = host
    disks = disks_of(site.plan, site.hosts, host, standing.volumes)
    return site.standing_as(replace(standing, of_guests=of_guests, on_hdd=disks))


def kinds_of(site: Site) -> tuple[Contended, ...]:
    """Give what guests of a site can lack: CPU and memory, and disks and network where it has stores or links.

    Examples
    --------
    >>> from ruvex.plan import Plan
    >>> from ruvex.site import site_of
    >>> kinds_of(site_of(Plan(), {}))
    ('cpu', 'memory')
    """
    return CONTENDED if site.taps.stores.size or site.taps.links.any() else CONTENDED[:2]


def lack_in(solved: Solved) -> Floats:
    """Give which part of what each guest wants it lacks, shape (kinds, guests), kinds as in ``kinds_of``: 0 to 1."""
    wanted = _wanted(solved)
    met = wanted.copy()
    met[0], met[2:] = solved.given()[0], solved.flowing[[r.O_OPS_GIVEN, r.O_NET_GIVEN]][: len(met) - 2]
    found = np.divide(wanted - met, wanted, out=np.zeros_like(wanted), where=wanted > _NOISE)
    found[1] = 1.0 - solved.layers[r.M_MET]
    return np.where(solved.site.standing.on, np.clip(found, 0.0, 1.0), 0.0)


def _wanted(solved: Solved) -> Floats:
    """Give what is wanted of each kind, within no limits."""
    of_all = (*solved.layers[[r.M_CPU_WANTED, r.M_NEED]], *solved.flowing[[r.O_OPS_WANTED, r.O_NET_WANTED]])
    return np.stack(of_all[: len(kinds_of(solved.site))])
