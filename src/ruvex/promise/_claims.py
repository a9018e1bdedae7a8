"""Promises: who claims what of whom, and how much may be claimed there. Section 5 of docs/model.md."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r
from ruvex.plan import RESOURCE_KINDS, Resource
from ruvex.site import ClaimSums, Site, boot_claim, set_aside, sum_claims, would_claim

Floats = NDArray[np.float64]

Kind = Literal["cpu", "memory", "host-cpu", "host-memory", "spill", "bank", "volume", "cores"]
"""What a promise is made of: MHz and MiB in the tree, CPU and memory of one host, its spill space, memory of its bank,
its spill volumes, MHz of the cores that guests are kept to."""

NODE_KINDS: Final[tuple[Kind, Kind]] = ("cpu", "memory")
HOST_KINDS: Final[tuple[Kind, Kind, Kind, Kind]] = ("host-cpu", "host-memory", "spill", "bank")
NOISE: Final = 1e-9


def is_cpu(kind: Kind) -> bool:
    """Tell whether a kind of promise is counted in MHz."""
    return kind in ("cpu", "host-cpu", "cores")


@dataclass(frozen=True, slots=True, eq=False)
class Claims:
    """What is claimed and what may be, at every node and on every host.

    Attributes
    ----------
    site
        The plan, with who is on.
    sums
        What guests and pools claim.
    claimed, allowed
        Shape (2, pools + 1): the claims of each node's members, and how much they may be; infinity where a pool draws
        on its parent and has no limit. Node 0 is the top, pool p is node p + 1.
    host_claimed, host_allowed
        Shape (4, hosts), by ``HOST_KINDS``; MHz, then MiB. Empty in a plan without hosts.
    """

    site: Site
    sums: ClaimSums
    claimed: Floats
    allowed: Floats
    host_claimed: Floats
    host_allowed: Floats

    def node_of(self, pool: str | None) -> int:
        """Give the number of a pool's node, 0 for the top."""
        return 0 if pool is None else self.site.plan.pool_index[pool] + 1

    def claim_of(self, item: str) -> Floats:
        """Give what a guest or pool claims, MHz and MiB."""
        plan = self.site.plan
        if item in plan.guest_index:
            return np.asarray(self.sums.guests[:, plan.guest_index[item]])
        return np.asarray(self.sums.pools[:, plan.pool_index[item]])


@dataclass(frozen=True, slots=True)
class Budget:
    """The promises of a pool or of the top, of one resource, MHz or MiB.

    Attributes
    ----------
    reservation
        What the pool was promised; at the top what may be promised after what is set aside.
    claimed
        What its members claim.
    drawn
        What of that comes from above its reservation.
    free
        How much more may be claimed here, counting what can be drawn from above.
    """

    reservation: float
    claimed: float
    drawn: float
    free: float


def spill_need(guests: Floats) -> Floats:
    """Give the spill space thin guests need, MiB, on or not; those in a bank have volumes of their own."""
    thin = (guests[r.G_MODE] == r.THIN) & (guests[r.G_BANKED] == 0)
    return np.where(thin, guests[r.G_SIZE] - guests[r.G_RESERVATION], 0.0)


def host_needs(site: Site, claims: Floats) -> Floats:
    """Give what every guest needs on its host while on, shape (4, guests); ``claims`` as ``would_claim`` gives them."""
    guests = site.guests
    banked = guests[r.G_BANKED] > 0
    outside = np.where(banked, 0.0, claims[1]) + guests[r.G_OVERHEAD]
    return np.stack((claims[0], outside, spill_need(guests), np.where(banked, claims[1], 0.0)))


def claims_of(
    site: Site, *, booting: Collection[str] = (), with_set_aside: bool = True, arriving: Mapping[int, int] | None = None
) -> Claims:
    """Add up all claims of a plan.

    Parameters
    ----------
    site
        The plan, with who is on.
    booting
        Guests that are just being powered on: elastic ones claim their boot size.
    with_set_aside
        Whether what is set aside is kept out of promises; after the loss of a host it is not.
    arriving
        Guests on their way to another host, by their position that of the host: they claim there as well.
    """
    claims = would_claim(site)
    if booting:
        places = [site.plan.guest_index[guest] for guest in booting]
        claims[1, places] = boot_claim(site)[places]
    sums = sum_claims(site, claims)
    aside = set_aside(site, sums.gross) if with_set_aside else np.zeros(2)
    draws, limit, reservation = site.pools[r.P_DRAWS] > 0, site.pools[r.P_LIMIT], site.pools[r.P_RESERVATION]
    allowed = np.concatenate(((sums.promisable - aside)[:, None], np.where(draws, limit, reservation)), axis=1)
    claimed = sums.nodes.copy()
    claimed[:, 0] = sums.at_top
    host_claimed, host_allowed = _on_hosts(site, sums, claims)
    for guest, host in (arriving or {}).items():
        host_claimed[:, host] += host_needs(site, claims)[:, guest]
    return Claims(site, sums, claimed, allowed, host_claimed, host_allowed)


def _on_hosts(site: Site, sums: ClaimSums, claims: Floats) -> tuple[Floats, Floats]:
    if not site.plan.hosts:
        return np.zeros((4, 0)), np.zeros((4, 0))
    standing, count = site.standing, site.hosts.shape[1]
    needs = host_needs(site, claims) * standing.on
    here = np.maximum(standing.host, 0)
    claimed = np.stack([np.bincount(here, need, minlength=count) for need in needs]).astype(np.float64)
    claimed[1] += sums.banks
    return claimed, np.stack((*sums.gross, site.hosts[r.H_SPILL], site.hosts[r.H_BANK]))


def budget_of(claims: Claims, pool: str | None, resource: Resource) -> Budget:
    """Give the promise budget of a pool, or of the top (None), for ``cpu`` or ``memory``."""
    k = RESOURCE_KINDS[resource].at
    node, site = claims.node_of(pool), claims.site
    claimed = float(claims.claimed[k, node])
    if node == 0:
        allowed = float(claims.allowed[k, 0])
        return Budget(allowed, claimed, 0.0, allowed - claimed)
    reservation, limit = site.pools[[r.P_RESERVATION, r.P_LIMIT], k, node - 1].tolist()
    free = reservation - claimed
    if site.pools[r.P_DRAWS, k, node - 1] > 0:
        above = max(0.0, budget_of(claims, site.plan.pools[node - 1].parent, resource).free)
        free = min(limit - claimed, max(0.0, reservation - claimed) + above)
    return Budget(reservation, claimed, max(0.0, claimed - reservation), free)
