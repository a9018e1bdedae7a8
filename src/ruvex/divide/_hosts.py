"""A division read host by host: what each host and bank has, and the part of every pool that lives there."""

from __future__ import annotations

from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._causes import memory_causes
from ruvex.divide._divided import Divided
from ruvex.divide._parts import Parts, parts_of_guests, used_of_pools
from ruvex.engine import rows as r

Floats = NDArray[np.float64]

_SHORT_PART: Final = 0.002
"""A host is short when less than what is kept is free, by more than this part of its supply (section 7)."""


class HostFigures:
    """What hosts have at a moment. Hosts are numbered as the plan lists them, along the last axis.

    Attributes
    ----------
    supply
        What there is, shape (2, hosts): CPU in MHz, memory in MiB without the host's bank.
    wanted
        What its guests would use, shape (2, hosts), without those of the bank.
    delivered
        What they have, shape (2, hosts).
    idle
        What is left of both, shape (2, hosts).
    kept
        The memory that is to be kept free, shape (hosts,), MiB.
    free
        The memory that is free, shape (hosts,), MiB.
    kept_free
        What of the free memory is kept so, shape (hosts,), MiB.
    banks
        The hosts that have a bank, in their order.
    bank_size
        What a bank has, shape (banks,), MiB.
    bank_wanted
        What its guests would use, shape (banks,), MiB.
    bank_used
        What they have of it, shape (banks,), MiB.
    bank_lent
        What idle guests in it lend, shape (banks,), MiB.
    bank_spilled
        What of its guests lies on spill volumes, shape (banks,), MiB.
    """

    def __init__(self, division: Divided) -> None:
        site = division.site
        trees, forest = site.forest.trees, site.forest
        count, on = site.hosts.shape[1], site.standing.on
        values = division.solved.values
        self.supply = np.stack((values[r.Q_SUPPLY, :count], values[r.Q_SUPPLY, count : 2 * count]))
        sums = [np.zeros((2, trees.places.shape[1])) for _ in range(2)]
        for k, of in enumerate((division.cpu, division.memory)):
            for into, amounts in zip(sums, (of.wanted_of_guests, of.given), strict=True):
                into[k] = np.bincount(forest.place_of[k], amounts * on, minlength=trees.places.shape[1])
        self.wanted, self.delivered = (np.stack((of[0, :count], of[1, count : 2 * count])) for of in sums)
        self.kept = values[r.Q_KEPT, count : 2 * count]
        self.idle = np.maximum(self.supply - self.delivered, 0.0)
        self.free = self.idle[1]
        self.kept_free = np.minimum(self.kept, self.free)
        self._division, self._count = division, count
        self.banks = forest.banks
        banked = slice(2 * count, None)
        self.bank_size = values[r.Q_SUPPLY, banked]
        self.bank_wanted, self.bank_used = sums[0][1, banked], sums[1][1, banked]
        if not forest.banks.size:
            self.bank_lent: Floats = np.zeros(0)
            self.bank_spilled: Floats = np.zeros(0)
            return
        lent = parts_of_guests(division.memory).lent
        spilled = division.solved.layers[r.M_SPILLED] * on
        self.bank_lent, self.bank_spilled = (
            np.bincount(forest.place_of[1], amounts, minlength=trees.places.shape[1])[banked].astype(np.float64)
            for amounts in (lent, spilled)
        )

    @cached_property
    def pressure(self) -> NDArray[np.int64]:
        """The pressure of each host: as it was played, or of what would settle, where only what is missing counts."""
        division, count = self._division, self._count
        site = division.site
        if division.is_played:
            return division.solved.values[r.Q_PRESSURE, count : 2 * count].astype(np.int64)
        lacking = memory_causes(division) == r.SUPPLY
        missing = np.bincount(site.forest.place_of[1], lacking, minlength=2 * count)[count : 2 * count] > 0
        short = (self.free < self.kept - _SHORT_PART * self.supply[1]) | missing
        dire = self.free < site.rules[r.R_DIRE_PART] * self.kept
        return np.where(short & dire, r.DIRE, np.where(short, r.SHORT, r.AMPLE))


class PoolParts:
    """The part of every pool on every host: figures of one resource, without what lies in banks.

    Attributes
    ----------
    count
        Shape (pools, hosts): how many of its guests are on there.
    wanted, limit
        Shape (pools, hosts), MHz or MiB; infinity where the part has no limit.
    parts
        What the part gets, split as ``parts_of`` splits that of a row; each shape (pools, hosts).
    in_bank
        Shape (pools, hosts): how many of its guests there live in the bank.
    """

    def __init__(self, division: Divided, k: int) -> None:
        site = division.site
        trees, forest, layout = site.forest.trees, site.forest, site.layout
        hosts, pools = site.hosts.shape[1], layout.parent.size
        of = division.memory if k else division.cpu
        on, place = site.standing.on, forest.place_of[k]
        own = on & (place < (k + 1) * hosts)
        at = np.maximum(site.standing.host, 0)

        def summed(of_guests: Floats, which: NDArray[np.bool_]) -> Floats:
            pool = layout.pool_of
            there = which & (pool >= 0)
            cells = pool[there] * hosts + at[there]
            flat = np.bincount(cells, of_guests[there], minlength=pools * hosts)
            sums: Floats = flat.astype(np.float64).reshape(pools, hosts)
            for p in layout.order[::-1].tolist():
                if layout.parent[p] >= 0:
                    sums[layout.parent[p]] += sums[p]
            return sums

        ones = np.ones(on.size)
        self.count = summed(ones, on).astype(np.int64)
        self.in_bank = summed(ones, on & ~own).astype(np.int64)
        self.wanted, claim = (summed(amounts, own) for amounts in (of.wanted_of_guests, division.claims.guests[k]))
        self.limit = np.full((pools, hosts), np.inf)
        for node in of.pool_nodes.tolist():
            at_place = trees.places[:, trees.nodes[r.N_PLACE, node]]
            if at_place[r.L_KIND] != r.BANK_PLACE:
                cell = int(trees.nodes[r.N_POOL, node]), max(int(at_place[r.L_HOST]), 0)
                self.limit[cell] = division.solved.known[r.V_LIMIT, node]
                claim[cell] = max(claim[cell], float(division.solved.known[r.V_RESERVATION, node]))
        mine = parts_of_guests(of)
        is_there = own[:, None] & (at[:, None] == np.arange(hosts))
        claims = claim, division.claims.guests[k][:, None] * is_there
        used, idle = used_of_pools(layout, claims, mine.won[:, None] * is_there, not of.broken)
        promised, won, held, lent, unmet = (
            summed(amounts, own) for amounts in (mine.promised, mine.won, mine.held, mine.lent, mine.unmet)
        )
        self.parts = Parts(promised + used, won - used, held, lent + idle, unmet)
