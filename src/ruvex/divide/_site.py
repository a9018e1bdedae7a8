"""What a plan comes to as a whole: each row's part of the site, and how far it is overcommitted."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import _compiled as c
from ruvex.divide._compiled import Compiled
from ruvex.divide._division import Division, ResourceDivision

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


def overcommit_of(compiled: Compiled, division: Division) -> Overcommit | None:
    """Give the ratios of a plan at a moment, None while there is no host."""
    cores, memory = float(compiled.hosts[c.CORES].sum()), division.memory
    if cores == 0 or memory.supply <= 0:
        return None
    guests, on = compiled.guests, compiled.guests[c.ON] > 0
    most = np.where(guests[c.MODE] == c.ELASTIC, guests[c.CEILING], guests[c.SIZE])[on].sum()
    return Overcommit(
        vcpus_per_core=float(guests[c.VCPUS][on].sum()) / cores,
        configured=float(most) / memory.supply,
        promised=memory.promised / memory.supply,
        wanted=memory.total_wanted / memory.supply,
    )
