"""The figures of a look: a moment as it would settle or as it was played, with what is being tried."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Contended, Division, Parts, parts_of, parts_of_guests
from ruvex.engine import rows as r
from ruvex.ledger._promises import PromiseFigures
from ruvex.ledger._short import falls_short
from ruvex.plan import RESOURCES, Resource

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

UNITS: Final[Mapping[Contended, str]] = {
    "cpu": "MHz", "memory": "MiB", "store": "transfers a second", "link": "MiB/s",
}  # fmt: skip
IDLE_PART: Final = 0.01
"""What somebody holds idle is told from this part of what he would use on."""


def _beyond(division: Division) -> Floats:
    """Give what is unmet of memory beyond the need; negative where squeezed pages are worked with."""
    return division.memory.unmet_of_guests - division.memory.lacks_of_guests


@dataclass(frozen=True, slots=True)
class Entry:
    """One figure of the ledger.

    Attributes
    ----------
    name, of
        How code calls it, and of what it is.
    sentence
        What it is.
    give
        Gives its values, by guest in plan order; those of guests that are off do not count.
    """

    name: str
    of: Contended
    sentence: str
    give: Callable[[LookFigures], Floats]

    @property
    def unit(self) -> str:
        """What it is counted in."""
        return UNITS[self.of]


ENTRIES: Final[tuple[Entry, ...]] = (
    Entry("wanted", "cpu", "What its work asks for.", lambda f: f.division.cpu.wanted_of_guests),
    Entry("wanted", "memory", "Its need: what it works with.", lambda f: f.division.solved.layers[r.M_NEED]),
    Entry("wanted", "store", "The transfers its disks ask for, its own.", lambda f: f.division.flowing.ops_wanted),
    Entry("wanted", "link", "The traffic it asks for.", lambda f: f.division.flowing.net_wanted),
    Entry("has", "cpu", "What it is given.", lambda f: f.division.cpu.given),
    Entry("has", "memory", "What it is given: its own memory on the host.", lambda f: f.division.memory.given),
    Entry("backed", "memory", "What of that is behind its pages now, uncompressed.",
          lambda f: f.division.solved.layers[r.M_BACKED]),
    Entry("met", "cpu", "What it is given of what it asks for, without what cores of its own lie idle: wanted − lacks.",
          lambda f: np.minimum(f.division.cpu.given, f.division.cpu.wanted_of_guests)),
    Entry("met", "memory", "The part of its need that is there for it: need − lacks.",
          lambda f: f.division.solved.layers[r.M_NEED] * np.clip(f.division.solved.layers[r.M_MET], 0.0, 1.0)),
    Entry("has", "store", "The transfers its disks do, its own.", lambda f: f.division.flowing.ops_delivered),
    Entry("has", "link", "The traffic it has.", lambda f: f.division.flowing.net_delivered),
    Entry("lacks", "cpu", "What it asks for and has not.", lambda f: f.division.cpu.lacks_of_guests),
    Entry("lacks", "memory", "The part of its need that is not there for it. Pages that are shared, or squeezed and not"
          " worked with, are not lacking.", lambda f: f.division.memory.lacks_of_guests),
    Entry("lacks", "store", "The transfers it asks for and has not, whatever its work waits for.",
          lambda f: np.maximum(f.division.flowing.ops_wanted - f.division.flowing.ops_delivered, 0.0)),
    Entry("lacks", "link", "The traffic it asks for and has not, whatever its work waits for.",
          lambda f: np.maximum(f.division.flowing.net_wanted - f.division.flowing.net_delivered, 0.0)),
    Entry("could use", "memory", "What was touched, or is headroom, beyond its need, and has no memory behind it;"
          " nobody lacks it.", lambda f: np.maximum(_beyond(f.division), 0.0)),
    Entry("holds idle", "memory", "What it holds beyond what it would use: fixed or reserved, and idle.",
          lambda f: f.parts_of_guests[1].held),
    Entry("keeps squeezed", "memory", "What it has only to keep squeezed pages that it works with: it has that memory,"
          " and lacks those pages. Would use = has − holds idle − keeps squeezed + lacks + could use.",
          lambda f: np.maximum(-_beyond(f.division), 0.0)),
    Entry("promised", "cpu", "What it claims of the promises above it.", lambda f: f.division.claims.guests[0]),
    Entry("promised", "memory", "What it claims of the promises above it, or of its bank.",
          lambda f: f.division.claims.guests[1]),
    Entry("lent", "cpu", "What it is promised and neither uses nor lacks: others have it.",
          lambda f: f.parts_of_guests[0].lent),
    Entry("lent", "memory", "What it is promised and neither has nor lacks: others have it.",
          lambda f: f.parts_of_guests[1].lent),
)  # fmt: skip
"""Every figure that is added up over guests; ``docs/figures.md`` is made from it."""
_AT: Final[Mapping[tuple[str, Contended], int]] = {(entry.name, entry.of): i for i, entry in enumerate(ENTRIES)}


class OfGuests:
    """One figure by guest, and what it comes to over others."""

    __slots__ = ("_at", "_figures")

    def __init__(self, figures: LookFigures, at: int) -> None:
        self._figures, self._at = figures, at

    @property
    def values(self) -> Floats:
        """By guest, in plan order; nothing for those that are off."""
        return self._figures.of_entry(self._at)

    @property
    def by_row(self) -> Floats:
        """By row of the division, of a pool the sum over the guests in it."""
        found: Floats = self._figures.of_rows[self._at]
        return found

    @property
    def by_host(self) -> Floats:
        """By host as the plan lists them; who is nowhere counts for none."""
        found: Floats = self._figures.of_hosts[self._at]
        return found

    @property
    def total(self) -> float:
        """Of all guests."""
        return float(self.values.sum())


class LookFigures:
    """Every figure of a look, made when first asked for, and once: by guest each by itself, by row and by host all.

    Parameters
    ----------
    division
        The moment.

    Examples
    --------
    >>> from ruvex.divide import divide
    >>> from ruvex.plan import Plan
    >>> from ruvex.site import site_of
    >>> LookFigures(divide(site_of(Plan(), {}))).lacks("cpu").total
    0.0
    """

    division: Division

    def __init__(self, division: Division) -> None:
        self.division = division
        self._of_entries: dict[int, Floats] = {}

    def of_entry(self, at: int) -> Floats:
        """Give the values of an entry by its position, by guest in plan order."""
        if at not in self._of_entries:
            self._of_entries[at] = ENTRIES[at].give(self) * self.division.site.standing.on
        return self._of_entries[at]

    @cached_property
    def parts_of_guests(self) -> tuple[Parts, Parts]:
        """What each guest has of CPU and of memory, by promise and by shares, holds idle and lends."""
        return parts_of_guests(self.division.cpu), parts_of_guests(self.division.memory)

    @cached_property
    def of_guests(self) -> Floats:
        """By entry and guest, in plan order."""
        return np.stack([self.of_entry(at) for at in range(len(ENTRIES))])

    @cached_property
    def of_rows(self) -> Floats:
        """By entry and row."""
        return self.division.layout.summed_by_row(self.of_guests)

    @cached_property
    def of_hosts(self) -> Floats:
        """By entry and host."""
        host, hosts = self.division.site.standing.host, len(self.division.site.plan.hosts)
        entries, there = len(ENTRIES), np.flatnonzero(host >= 0)
        if not hosts:
            return np.zeros((entries, 0))
        cells = (np.arange(entries)[:, None] * hosts + host[there]).ravel()
        sums = np.bincount(cells, self.of_guests[:, there].ravel(), minlength=entries * hosts)
        return np.asarray(sums, dtype=np.float64).reshape(entries, hosts)

    def figure(self, name: str, of: Contended) -> OfGuests:
        """Give an entry by its name; a ``KeyError`` where there is none."""
        return OfGuests(self, _AT[name, of])

    def wanted(self, of: Contended) -> OfGuests:
        """What work asks for, of memory its need."""
        return self.figure("wanted", of)

    def lacks(self, of: Contended) -> OfGuests:
        """What it asks for and has not; of memory the part of its need that is not there for it."""
        return self.figure("lacks", of)

    def met(self, of: Contended) -> OfGuests:
        """What it has of what it asks for: wanted less lacks; of memory the part of its need that is there for it."""
        return self.figure("met" if of in RESOURCES else "has", of)

    @property
    def could_use(self) -> OfGuests:
        """What of memory is beyond the need and not there; nobody lacks it."""
        return self.figure("could use", "memory")

    @property
    def held_idle(self) -> OfGuests:
        """What guests hold of memory beyond what they would use."""
        return self.figure("holds idle", "memory")

    @property
    def keeps_squeezed(self) -> OfGuests:
        """What guests have of memory only to keep squeezed pages that they work with."""
        return self.figure("keeps squeezed", "memory")

    def parts(self, of: Resource) -> Parts:
        """What each row has, by promise and by shares, holds idle and lends; of a pool with what is its own of that."""
        return self._cpu_parts if of == "cpu" else self._memory_parts

    @cached_property
    def _cpu_parts(self) -> Parts:
        return parts_of(self.division.cpu, self.parts_of_guests[0])

    @cached_property
    def _memory_parts(self) -> Parts:
        return parts_of(self.division.memory, self.parts_of_guests[1])

    @cached_property
    def promises(self) -> PromiseFigures:
        """What is promised and what can be, of the site and of each host."""
        return PromiseFigures(self.division.site, self.division.claims)

    @cached_property
    def on_of_rows(self) -> Floats:
        """How many guests of each row are on: of a pool at any depth, of a guest itself."""
        division = self.division
        return division.layout.summed_by_row(division.site.standing.on.astype(np.float64))

    def is_short(self, of: Contended) -> Bools:
        """Tell by guest whether it lacks more than a thousandth of what it wants."""
        return falls_short(self.lacks(of).values, self.wanted(of).values)

    def is_row_short(self, of: Contended, row: int) -> bool:
        """Tell of a row; of a pool, whether its guests lack more than a thousandth of what they want together."""
        return falls_short(float(self.lacks(of).by_row[row]), float(self.wanted(of).by_row[row]))

    def is_host_short(self, of: Contended, host: int) -> bool:
        """Tell of a host whether its guests lack more than a thousandth of what they want together."""
        return falls_short(float(self.lacks(of).by_host[host]), float(self.wanted(of).by_host[host]))

    def how_many_short(self, of: Contended) -> int:
        """Count the guests that are short."""
        return int(self.is_short(of).sum())
