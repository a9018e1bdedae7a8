"""The figures of a look: a moment as it would settle or as it was played, with what is being tried."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Contended, Division, parts_of_guests
from ruvex.engine import rows as r
from ruvex.ledger._promises import PromiseFigures

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

CONTENDED: Final[tuple[Contended, ...]] = ("cpu", "memory", "store", "link")
SHORT_PART: Final = r.SHORT_PART
"""Who lacks more than this part of what he wants is short."""
IDLE_PART: Final = 0.01
"""What somebody holds idle is told from this part of what he would use on."""
_ROUNDING: Final = 1e-9


@dataclass(frozen=True, eq=False)
class OfGuests:
    """One figure by guest, and what it comes to over others.

    Attributes
    ----------
    values
        By guest, in plan order.
    """

    division: Division
    values: Floats

    @cached_property
    def by_row(self) -> Floats:
        """By row of the division, of a pool the sum over the guests in it."""
        return self.division.layout.summed_by_row(self.values)

    @cached_property
    def by_host(self) -> Floats:
        """By host as the plan lists them; who is nowhere counts for none."""
        host, hosts = self.division.site.standing.host, len(self.division.site.plan.hosts)
        there = host >= 0
        return np.bincount(host[there], self.values[there], minlength=hosts).astype(np.float64)

    @cached_property
    def total(self) -> float:
        """Of all guests."""
        return float(self.values.sum())


class LookFigures:
    """Every figure of a look, each made when it is first asked for, and once.

    Parameters
    ----------
    division
        The moment.
    """

    def __init__(self, division: Division) -> None:
        self.division = division
        self._made: dict[tuple[str, Contended], OfGuests] = {}
        self._on = division.site.standing.on

    def _once(self, name: str, of: Contended, values: Floats) -> OfGuests:
        return self._made.setdefault((name, of), OfGuests(self.division, values))

    def wanted(self, of: Contended) -> OfGuests:
        """What work asks for, MHz, MiB, transfers or MiB a second; of memory its need, what it works with."""
        if ("wanted", of) in self._made:
            return self._made["wanted", of]
        division, flowing = self.division, self.division.flowing
        if of == "cpu":
            values = division.cpu.wanted_of_guests
        elif of == "memory":
            values = np.where(self._on, division.solved.layers[r.M_NEED], 0.0)
        else:
            values = flowing.ops_wanted if of == "store" else flowing.net_wanted
        return self._once("wanted", of, np.asarray(values))

    def lacks(self, of: Contended) -> OfGuests:
        """What it asks for and has not; of memory the part of its need that is not there for it.

        Pages that are shared or kept squeezed, and that nobody works with, are not lacking.
        """
        if ("lacks", of) in self._made:
            return self._made["lacks", of]
        division, flowing = self.division, self.division.flowing
        if of == "cpu" or of == "memory":
            values = division.of(of).lacks_of_guests
        elif of == "store":
            values = np.maximum(flowing.ops_wanted - flowing.ops_delivered, 0.0)
        else:
            values = np.maximum(flowing.net_wanted - flowing.net_delivered, 0.0)
        return self._once("lacks", of, np.where(self._on, values, 0.0))

    @cached_property
    def could_use(self) -> OfGuests:
        """What of memory was touched, or is headroom, beyond the need, and has no memory behind it; nobody lacks it."""
        beyond = self.division.memory.unmet_of_guests - self.lacks("memory").values
        return OfGuests(self.division, np.where(self._on, np.maximum(beyond, 0.0), 0.0))

    @cached_property
    def held_idle(self) -> OfGuests:
        """What guests hold of memory beyond what they would use: what is fixed or reserved and lies idle."""
        return OfGuests(self.division, parts_of_guests(self.division.memory).held)

    @cached_property
    def keeps_squeezed(self) -> OfGuests:
        """What guests have of memory only to keep squeezed pages that they work with: they have it, and lack those.

        With it all adds up: would use = delivered − held idle − keeps squeezed + lacks + could use.
        """
        beyond = self.lacks("memory").values - self.division.memory.unmet_of_guests
        return OfGuests(self.division, np.where(self._on, np.maximum(beyond, 0.0), 0.0))

    @cached_property
    def promises(self) -> PromiseFigures:
        """What is promised and what can be, of the site and of each host."""
        return PromiseFigures(self.division.site, self.division.claims)

    def is_short(self, of: Contended) -> Bools:
        """Tell by guest whether it lacks more than a thousandth of what it wants."""
        wanted = self.wanted(of).values
        return np.asarray(self.lacks(of).values > SHORT_PART * wanted + _ROUNDING)

    def how_many_short(self, of: Contended) -> int:
        """Count the guests that are short."""
        return int(self.is_short(of).sum())
