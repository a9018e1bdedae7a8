"""One resource of a division as people and files read it, by row; each column is made when it is first asked for."""

from __future__ import annotations

from copy import copy
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._solve import Solved
from ruvex.engine import rows as r
from ruvex.plan import RESOURCES, Resource
from ruvex.site import ClaimSums, Site, set_aside, sum_claims, would_claim

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

_SETTINGS: Final = (
    (r.G_CPU_RESERVATION, r.G_RESERVATION),
    (r.G_CPU_LIMIT, r.G_LIMIT),
    (r.G_CPU_SHARES, r.G_SHARES),
)


class Claimed:
    """What is claimed of a site, added up when it is first asked for: most divisions are looked at without."""

    def __init__(self, site: Site) -> None:
        self._site = site

    @cached_property
    def sums(self) -> ClaimSums:
        """What guests, pools and hosts claim."""
        return sum_claims(self._site, would_claim(self._site))


class ResourceDivision:
    """One resource divided; CPU in MHz, memory in MiB.

    Columns are by row; of a pool that lives in several places they are sums over its parts there.

    Parameters
    ----------
    solved
        What was divided.
    claimed
        What is claimed, once somebody asks.
    k
        0 for CPU, 1 for memory.
    """

    def __init__(self, solved: Solved, claimed: Claimed, k: int) -> None:
        self.solved, self._claimed, self.k = solved, claimed, k
        self._site, self._trees = solved.site, solved.site.forest.trees
        self.layout = solved.site.layout
        self._is_here = (self._trees.places[r.L_KIND] == r.CPU_PLACE) == (k == 0)
        at = self._trees.nodes
        self.pool_nodes = np.flatnonzero((at[r.N_POOL] >= 0) & self._is_here[at[r.N_PLACE]])
        """The nodes of pools, of this resource."""

    @property
    def claims(self) -> ClaimSums:
        """What guests, pools and hosts claim."""
        return self._claimed.sums

    @cached_property
    def has_of_pools(self) -> NDArray[np.bool_]:
        """Who has of what its pools are promised, in plan order: of memory nobody who lives in a bank."""
        return np.asarray((self._site.guests[r.G_BANKED] == 0) | (self.k == 0))

    @property
    def name(self) -> Resource:
        """Which one it is."""
        return RESOURCES[self.k]

    # Sums of the whole plan

    @cached_property
    def supply(self) -> float:
        """What there is in all places together."""
        return float(self.solved.values[r.Q_SUPPLY, self._is_here].sum())

    @cached_property
    def promisable(self) -> float:
        """What of it can be promised at all times (section 5)."""
        return float(self.claims.promisable[self.k])

    @cached_property
    def set_aside(self) -> float:
        """What of that is kept out of all promises."""
        return float(set_aside(self._site, self.claims.gross)[self.k])

    @cached_property
    def promised(self) -> float:
        """The claims at the top."""
        return float(self.claims.at_top[self.k])

    @property
    def free(self) -> float:
        """What can still be promised; negative where more is promised than may be."""
        return self.promisable - self.set_aside - self.promised

    @cached_property
    def total_wanted(self) -> float:
        """The guests' wants."""
        return float(self.wanted_of_guests.sum())

    @cached_property
    def total_delivered(self) -> float:
        """What guests get."""
        return float(self.given.sum())

    @property
    def broken(self) -> bool:
        """Whether some node's promises cannot all be kept."""
        return bool((self._broken == r.BROKEN).any())

    @property
    def placement(self) -> bool:
        """Whether some pool's promises could be kept only if its guests were elsewhere."""
        return bool((self._broken == r.PLACEMENT).any())

    # By guest

    @cached_property
    def given(self) -> Floats:
        """What every guest gets, in plan order."""
        return self._of_guests(r.A_GIVEN)

    @cached_property
    def wanted_of_guests(self) -> Floats:
        """What every guest wants, before limits and ceilings, in plan order."""
        layers = self.solved.layers
        if self.k == 0:
            return np.asarray(layers[r.M_CPU_WANTED])
        guests, mode = self._site.guests, self._site.guests[r.G_MODE]
        elastic = layers[r.M_WORKING] * (1 + guests[r.G_HEADROOM])
        own = layers[r.M_TOUCHED] - layers[r.M_SHARED]
        wanted = np.where(mode == r.THIN, own, np.where(mode == r.ELASTIC, elastic, guests[r.G_SIZE]))
        return np.where(self._site.standing.on, wanted, 0.0)

    @cached_property
    def unmet_of_guests(self) -> Floats:
        """What every guest wants and does not get, in plan order."""
        return np.maximum(self.wanted_of_guests - self.given, 0.0)

    @cached_property
    def lacks_of_guests(self) -> Floats:
        """What every guest is short of, in plan order: of CPU what is unmet, of memory the part of its need not met.

        What was touched, or is headroom, beyond the need is unmet and not lacking.
        """
        if self.k == 0:
            return self.unmet_of_guests
        layers = self.solved.layers
        return np.where(self._site.standing.on, layers[r.M_NEED] * (1.0 - layers[r.M_MET]), 0.0)

    @cached_property
    def lacks(self) -> Floats:
        """What a row is short of, of a pool the sum over its guests."""
        return self.layout.summed_by_row(self.lacks_of_guests)

    @cached_property
    def broken_nodes(self) -> Floats:
        """By node of the forest, whether its promises cannot be kept (``rows.BROKEN``, ``rows.PLACEMENT``)."""
        nodes, known, one = self._trees.nodes, self.solved.known, self.solved.one_known
        found = np.where(self._is_here[nodes[r.N_PLACE]], known[r.V_BROKEN], 0.0)
        spread = self._site.forest.is_spread[self.k]
        if not found.any() or not spread or one[r.V_BROKEN].any():
            return found
        # As one machine all promises would be kept. Where those of the guests are, only where they are is at fault.
        for node in np.flatnonzero(found).tolist():
            members = slice(nodes[r.N_FIRST, node], nodes[r.N_LAST, node])
            own, given = self.solved.asks[r.A_OWN, members].sum(), self.solved.asks[r.A_GIVEN, members].sum()
            if own <= given * (1 + 1e-9):
                found[node] = r.PLACEMENT
        return found

    @property
    def _broken(self) -> Floats:
        return self.broken_nodes

    # By row

    @cached_property
    def is_guest(self) -> Bools:
        """Whether a row is a guest's."""
        return self.layout.is_guest

    @cached_property
    def reservation(self) -> Floats:
        """The setting; 0 for memory modes that have none."""
        return self._setting(0)

    @cached_property
    def limit(self) -> Floats:
        """The setting; infinity where there is none."""
        return self._setting(1)

    @cached_property
    def shares(self) -> Floats:
        """The setting."""
        return self._setting(2)

    @cached_property
    def claim(self) -> Floats:
        """What the row takes out of the promises of the node above, or of its bank (section 5)."""
        return self.layout.by_row(self.claims.pools[self.k], self.claims.guests[self.k])

    @cached_property
    def weight(self) -> Floats:
        """The whole weight of a row among its peers."""
        return self.layout.by_row(self.solved.weights[self.k], self._of_guests(r.A_WEIGHT))

    @cached_property
    def floor(self) -> Floats:
        """As section 2 and 3 have it."""
        return self._column(r.A_FLOOR)

    @cached_property
    def use(self) -> Floats:
        """As section 2 and 3 have it."""
        return self._column(r.A_USE)

    @cached_property
    def cap(self) -> Floats:
        """As section 2 and 3 have it."""
        return self._column(r.A_CAP)

    @cached_property
    def delivered(self) -> Floats:
        """What a row gets; of a pool what was given to it."""
        return self._column(r.A_GIVEN)

    @cached_property
    def wanted(self) -> Floats:
        """What a row wants, of a pool the sum over its guests."""
        return self.layout.summed_by_row(self.wanted_of_guests)

    @cached_property
    def unmet(self) -> Floats:
        """What a row lacks, of a pool the sum over its guests."""
        return self.layout.summed_by_row(self.unmet_of_guests)

    @cached_property
    def level(self) -> Floats:
        """Of a pool in one place the level common to its members in tier 1; else NaN."""
        pools = np.full(self.layout.parent.size, np.nan)
        nodes = self._trees.nodes[r.N_POOL, self.pool_nodes]
        pools[nodes] = self.solved.known[r.V_LEVEL, self.pool_nodes]
        pools[np.bincount(nodes, minlength=pools.size) > 1] = np.nan
        return self.layout.by_row(pools, np.full(self.given.size, np.nan))

    @cached_property
    def node_broken(self) -> Bools:
        """Whether promises of a pool's members cannot all be kept."""
        pools = np.zeros(self.layout.parent.size)
        broken = self.pool_nodes[self.broken_nodes[self.pool_nodes] > 0]
        pools[self._trees.nodes[r.N_POOL, broken]] = 1.0
        return self.layout.by_row(pools, np.zeros(self.given.size)) > 0

    def level_over(self, row: int) -> float:
        """Give the level at which a row competes with its peers; NaN for a pool that does so in several places."""
        owners = self.owners_of(row)
        return float(self.solved.known[r.V_LEVEL, owners[0]]) if len(owners) == 1 else float("nan")

    def owners_of(self, row: int) -> list[int]:
        """Give the nodes in which a row competes with peers: one for a guest that is on, one a place for a pool."""
        thing, pools = int(self.layout.things[row]), self.layout.parent.size
        if thing >= pools:
            slot = int(self._trees.guest_slots[self.k, thing - pools])
            return [int(self._trees.slots[r.T_OWNER, slot])] if slot >= 0 else []
        mine = self.pool_nodes[self._trees.nodes[r.N_POOL, self.pool_nodes] == thing]
        owners: list[int] = self._trees.nodes[r.N_PARENT, mine].tolist()
        return owners

    def place_sums(self, node: int) -> tuple[float, float]:
        """Give the supply of a node's place, and what all guests there want."""
        place = int(self._trees.nodes[r.N_PLACE, node])
        there = (self._site.forest.place_of[self.k] == place) & self._site.standing.on
        return float(self.solved.values[r.Q_SUPPLY, place]), float(self.wanted_of_guests[there].sum())

    def with_delivered(self, delivered: Floats) -> ResourceDivision:
        """Give the same with other amounts delivered, to compare with; by row."""
        other = copy(self)
        other.__dict__["delivered"] = delivered
        return other

    def _of_guests(self, row: int) -> Floats:
        slots, values = self._trees.guest_slots[self.k], self.solved.asks[row]
        return np.where(slots >= 0, values.take(np.maximum(slots, 0)), 0.0) if values.size else np.zeros(slots.size)

    def _column(self, row: int) -> Floats:
        nodes = self._trees.nodes[:, self.pool_nodes]
        values = self.solved.asks[row, nodes[r.N_SLOT]]
        pools = np.bincount(nodes[r.N_POOL], values, minlength=self.layout.parent.size).astype(np.float64)
        return self.layout.by_row(pools, self._of_guests(row))

    def _setting(self, kind: int) -> Floats:
        return self.layout.by_row(self._site.pools[kind, self.k], self._site.guests[_SETTINGS[kind][self.k]])
