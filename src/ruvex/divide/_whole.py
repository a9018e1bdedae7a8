"""What a plan comes to as a whole: each row's part of the site, and how far it is overcommitted."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._division import Division
from ruvex.divide._resource import ResourceDivision
from ruvex.engine import rows as r
from ruvex.site import Site

Floats = NDArray[np.float64]


def site_shares(division: Division, resource: ResourceDivision) -> Floats:
    """Give by row which part of the whole site it gets by shares when all want all; 0 where it is off.

    That is the product, from the top down, of its and its pools' weights among their peers.
    """
    weight = np.where(division.on, resource.weight, 0.0)
    parent = division.parent_row
    sums = np.bincount(parent + 1, weight, minlength=weight.size + 1)
    part = np.divide(weight, sums[parent + 1], out=np.zeros_like(weight), where=sums[parent + 1] > 0)
    for depth in range(1, int(division.depth.max(initial=0)) + 1):
        here = np.flatnonzero(division.depth == depth)
        part[here] *= part[parent[here]]
    return part


@dataclass(frozen=True, slots=True)
class Overcommit:
    """How much the guests that are on may ask for against what there is.

    Attributes
    ----------
    vcpus_per_core
        Their vCPUs for each physical core.
    configured, promised, wanted
        Memory against its supply: the largest their settings allow, the claims at the top, the want of the moment.
    """

    vcpus_per_core: float
    configured: float
    promised: float
    wanted: float


def overcommit_of(site: Site, division: Division) -> Overcommit | None:
    """Give the ratios of a plan at a moment, None while there is no host that is up."""
    cores, memory = float(site.hosts[r.H_CORES, site.standing.up].sum()), division.memory
    if cores == 0 or memory.supply <= 0:
        return None
    guests, on = site.guests, site.standing.on
    most = np.where(guests[r.G_MODE] == r.ELASTIC, guests[r.G_CEILING], guests[r.G_SIZE])[on].sum()
    return Overcommit(
        vcpus_per_core=float(guests[r.G_VCPUS][on].sum()) / cores,
        configured=float(most) / memory.supply,
        promised=memory.promised / memory.supply,
        wanted=memory.total_wanted / memory.supply,
    )
