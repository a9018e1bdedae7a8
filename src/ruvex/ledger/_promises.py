"""What is promised and what still can be, of the site and of each host: section 5 of docs/model.md."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r
from ruvex.site import ClaimSums, Site

Floats = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class PromiseFigures:
    """Promises of a look, CPU in MHz and memory in MiB; the first axis is the resource, the last the host.

    What second threads yield is no part of them, and what the rules keep out of promises is kept on every host.

    Parameters
    ----------
    site, sums
        The plan, with who is on, and what is claimed there.
    """

    site: Site
    sums: ClaimSums

    @cached_property
    def aside_of_hosts(self) -> Floats:
        """What the rules keep out of promises on each host, shape (2, hosts)."""
        percent = self.site.plan.rules.set_aside_percent
        return np.asarray(self.sums.gross * np.array([[percent.cpu], [percent.memory]]) / 100)

    @cached_property
    def can_be_of_hosts(self) -> Floats:
        """What may be promised on each host, shape (2, hosts): of memory less its bank and the overhead of guests."""
        found: Floats = self.sums.gross - self.aside_of_hosts
        found[1] -= self.sums.overhead + self.sums.banks
        return found

    @cached_property
    def of_hosts(self) -> Floats:
        """What is promised to the guests of each host, shape (2, hosts); those of a bank have its promise."""
        host, hosts = self.site.standing.host, self.sums.gross.shape[1]
        claims, there = self.sums.guests.copy(), self.site.standing.on & (host >= 0)
        claims[1, self.site.guests[r.G_BANKED] > 0] = 0.0
        return np.stack([np.bincount(host[there], of[there], minlength=hosts).astype(np.float64) for of in claims])

    @property
    def free_of_hosts(self) -> Floats:
        """What can still be promised on each host, shape (2, hosts); negative where too much is."""
        return self.can_be_of_hosts - self.of_hosts

    @property
    def of_banks(self) -> float:
        """What is promised to banks, MiB: nobody else has it, whatever their guests are promised of it."""
        return float(self.sums.banks.sum())

    @property
    def of_no_host(self) -> Floats:
        """What is promised at the top beside guests of hosts and banks, shape (2,): what pools hold for nobody yet."""
        return np.asarray(self.sums.nodes[:, 0] - self.of_hosts.sum(axis=1))
