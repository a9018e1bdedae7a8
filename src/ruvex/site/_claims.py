"""What guests and pools claim of the promises above them: the sums of section 5 of docs/model.md."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import kernels
from ruvex.engine import rows as r
from ruvex.site._site import Site
from ruvex.site._standing import claims_by_guest

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class ClaimSums:
    """Claims from the guests upwards; CPU in MHz, memory in MiB.

    Attributes
    ----------
    guests
        Shape (2, guests): what each guest that is on claims, those of a bank in it.
    pools
        Shape (2, pools): what each pool claims from the node above.
    nodes
        Shape (2, pools + 1): the claims of each node's members; node 0 is the top, pool p is node p + 1. A bank's
        guests claim memory of the bank only.
    banks
        Shape (hosts,): the size of the bank of each host that is up, which counts at the top and on its host.
    gross
        Shape (2, hosts): what each host that is up can promise; overhead of guests counts against it.
    overhead
        Shape (hosts,): what the guests that are on cost beside their own memory.
    """

    guests: Floats
    pools: Floats
    nodes: Floats
    banks: Floats
    gross: Floats
    overhead: Floats

    @property
    def at_top(self) -> Floats:
        """What is claimed at the top, banks included, shape (2,)."""
        top: Floats = self.nodes[:, 0].copy()
        top[1] += self.banks.sum()
        return top

    @property
    def promisable(self) -> Floats:
        """What can be promised at all times, shape (2,): of memory less the overhead of the guests that are on."""
        total: Floats = self.gross.sum(axis=1)
        total[1] -= self.overhead.sum()
        return total


def would_claim(site: Site) -> Floats:
    """Give what every guest claims while on, whether it is or not, shape (2, guests).

    Who is off would start without its agent at work; what it claims then is the boot claim.
    """
    return claims_by_guest(site.guests, site.standing.of_guests, site.hosts)


def boot_claim(site: Site) -> Floats:
    """Give what guests claim of memory while they boot, shape (guests,)."""
    guests = site.guests
    return np.asarray(np.where(guests[r.G_MODE] == r.THIN, guests[r.G_RESERVATION], guests[r.G_SIZE]))


def sum_claims(site: Site, claims: Floats) -> ClaimSums:
    """Add up what guests that are on claim, shape (2, guests), as section 5 has it."""
    layout, standing, hosts = site.layout, site.standing, site.hosts
    claims = claims * standing.on
    banked = site.guests[r.G_BANKED] > 0
    in_tree = claims.copy()
    in_tree[1, banked] = 0.0
    of_pools = np.empty((2, layout.parent.size))
    nodes = np.empty((2, layout.parent.size + 1))
    reservation = np.ascontiguousarray(site.pools[r.P_RESERVATION])
    kernels.claim_sums(in_tree, layout.pool_of, layout.parent, layout.order, reservation, of_pools, nodes)
    up, count = standing.up, hosts.shape[1]
    mhz = np.where(hosts[r.H_CORES] > 0, hosts[r.H_MHZ], 0.0) * hosts[r.H_CORES] - hosts[r.H_OVERHEAD_MHZ]
    gross = np.maximum(np.stack((mhz, hosts[r.H_GROSS])), 0.0) * up
    here, costs = np.maximum(standing.host, 0), site.guests[r.G_OVERHEAD] * standing.on
    overhead = np.bincount(here, costs, minlength=count).astype(np.float64)
    return ClaimSums(claims, of_pools, nodes, hosts[r.H_BANK] * up, gross, overhead)


def set_aside(site: Site, gross: Floats) -> Floats:
    """Give what the rules keep out of all promises, MHz and MiB; ``gross`` as ``ClaimSums`` has it."""
    percent = site.plan.rules.set_aside_percent
    return np.asarray(gross.sum(axis=1) * (percent.cpu / 100, percent.memory / 100))
