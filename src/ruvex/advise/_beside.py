"""Two states of a site side by side: who gets less, who gets more, who falls short that did not; over the day too."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import CONTENDED, Division, causes_of, site_shares
from ruvex.ledger import LookFigures, falls_short
from ruvex.plan import RESOURCES, Resource
from ruvex.play import Player

Floats = NDArray[np.float64]

Change = Literal["newly-short", "gets-less", "gets-more", "as-before"]
CHANGES: Final[tuple[Change, ...]] = ("newly-short", "gets-less", "gets-more", "as-before")
"""Who falls short first, then who loses."""
_LEAST: Final = 0.002
"""A change of less than this part of what is wanted is none."""
_LEAST_S: Final = 60.0


@dataclass(frozen=True, slots=True)
class Had:
    """What one guest has of something: wanted (memory: needed), got of that, what it lacks, and why.

    CPU in MHz, memory in MiB, its disks in transfers a second, its network in MiB/s.
    """

    wanted: float
    got: float
    lacks: float
    cause: str

    @property
    def is_short(self) -> bool:
        """Whether it is short of it."""
        return falls_short(self.lacks, self.wanted)


NOTHING: Final = Had(0.0, 0.0, 0.0, "")


@dataclass(frozen=True, slots=True)
class DayOf:
    """What a day came to for a guest.

    Attributes
    ----------
    short_s
        For how long it lacked CPU, or memory: the longer of both, s.
    worst_pace, wait
        The lowest pace, and the part of its CPU want that was not met.
    finishes
        When its batch work was due and done, s; None where it was not done.
    """

    short_s: float
    worst_pace: float
    wait: float
    finishes: tuple[tuple[float, float | None], ...]


@dataclass(frozen=True, slots=True)
class GuestBeside:
    """A guest then and now.

    Attributes
    ----------
    guest, label, pool
        Its id, how it is called, and the id of its top-level pool, None beside the pools.
    change
        One of ``CHANGES``.
    cpu, memory, disks, network
        What it has of each, then and now; nothing where it was off or not there.
    day
        What the day came to, then and now; None where days were not compared.
    loss
        How much less it gets, as parts of the supply of each, summed; gains are negative.
    """

    guest: str
    label: str
    pool: str | None
    change: Change
    cpu: tuple[Had, Had]
    memory: tuple[Had, Had]
    disks: tuple[Had, Had]
    network: tuple[Had, Had]
    day: tuple[DayOf, DayOf] | None
    loss: float

    def of(self, resource: Resource) -> tuple[Had, Had]:
        """Give what it has of one resource."""
        return self.cpu if resource == "cpu" else self.memory

    @property
    def no_longer_short(self) -> bool:
        """Whether it lacked something then and nothing now."""
        pairs = (self.cpu, self.memory, self.disks, self.network)
        return any(one[0].is_short for one in pairs) and not any(one[1].is_short for one in pairs)

    def to_json(self) -> dict[str, Any]:
        """Give it as ``ruvex beside --json`` prints it."""
        document: dict[str, Any] = {"id": self.guest, "change": self.change}
        kinds = [("cpu", self.cpu), ("memory", self.memory)]
        for name, amounts in (("disks", self.disks), ("network", self.network)):
            kinds += [(name, amounts)] if any(one.wanted > 0 for one in amounts) else []
        for name, amounts in kinds:
            document[name] = {
                when: {"wanted": one.wanted, "got": one.got, "cause": one.cause or None}
                for when, one in zip(("then", "now"), amounts, strict=True)
            }
        if self.day is not None:
            document["day"] = {
                when: {"short_s": one.short_s, "worst_pace": one.worst_pace, "wait": one.wait,
                       "finishes": [{"due_s": due, "finished_s": done} for due, done in one.finishes]}
                for when, one in zip(("then", "now"), self.day, strict=True)
            }  # fmt: skip
        return document


@dataclass(frozen=True, slots=True)
class Part:
    """Which part of the site a guest or pool gets by shares when all want all, then and now: CPU and memory."""

    item: str
    label: str
    parent: str | None
    is_pool: bool
    cpu: tuple[float, float]
    memory: tuple[float, float]

    def of(self, resource: Resource) -> tuple[float, float]:
        """Give its part of one resource."""
        return self.cpu if resource == "cpu" else self.memory

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        return {"id": self.item, "parent": self.parent, "cpu": list(self.cpu), "memory": list(self.memory)}


@dataclass(frozen=True, slots=True)
class Beside:
    """Two states side by side.

    Attributes
    ----------
    at_s
        The time that is looked at, in both.
    guests
        Those that are on in either, by their change, who loses most first.
    parts
        Pools and guests with their parts of the site, in the order of the rows now; what is gone follows.
    """

    at_s: float
    guests: tuple[GuestBeside, ...]
    parts: tuple[Part, ...]

    def of(self, change: Change) -> tuple[GuestBeside, ...]:
        """Give the guests of one change."""
        return tuple(one for one in self.guests if one.change == change)

    def to_json(self) -> dict[str, Any]:
        """Give it as ``ruvex beside --json`` prints it."""
        return {
            "at": self.at_s,
            "guests": [one.to_json() for one in self.guests],
            "parts": [one.to_json() for one in self.parts],
        }


def beside(then: Division, now: Division, days: tuple[Player, Player] | None = None) -> Beside:
    """Put two divisions side by side.

    Parameters
    ----------
    then, now
        What is compared with, and what there is.
    days
        Both days as they were played, where they are compared as well.
    """
    was, has = _amounts(then), _amounts(now)
    supplies = [max(pair) for pair in zip(_supplies(then), _supplies(now), strict=True)]
    of_days = (_days(days[0]), _days(days[1])) if days is not None else None
    nothing = (NOTHING,) * 4
    found = []
    for guest in [*has, *(one for one in was if one not in has)]:
        division = now if guest in has else then
        before, after = was.get(guest, nothing), has.get(guest, nothing)
        loss = sum((a.got - b.got) / supply for a, b, supply in zip(before, after, supplies, strict=True))
        day = None if of_days is None else (of_days[0].get(guest, _NO_DAY), of_days[1].get(guest, _NO_DAY))
        plan = division.site.plan
        pairs = list(zip(before, after, strict=True))
        row = division.position[guest]
        top = int(division.top_pool[row])
        found.append(
            GuestBeside(
                guest, plan.labels[guest], _top_pool(division, row) if top >= 0 else None,
                _change(before, after, loss), pairs[0], pairs[1], pairs[2], pairs[3], day, loss,
            )
        )  # fmt: skip
    found.sort(key=lambda one: (CHANGES.index(one.change), -abs(one.loss) if one.change == "gets-more" else -one.loss))
    return Beside(now.at_s, tuple(found), _parts(then, now))


_NO_DAY: Final = DayOf(0.0, 1.0, 0.0, ())


def _top_pool(division: Division, row: int) -> str:
    while int(division.parent_row[row]) >= 0:
        row = int(division.parent_row[row])
    return division.ids[row]


def _supplies(division: Division) -> list[float]:
    """Give what there is of everything, in the order of ``_amounts``; next to nothing where there is none."""
    plan = division.site.plan
    stores = sum(store.ops for store in plan.stores)
    links = sum(link.mib_s for host in plan.hosts for link in host.links)
    return [max(one, 1e-9) for one in (*(division.of(name).supply for name in RESOURCES), stores, links)]


def _change(before: tuple[Had, ...], after: tuple[Had, ...], loss: float) -> Change:
    newly = any(b.is_short and not a.is_short for a, b in zip(before, after, strict=True))
    if newly:
        return "newly-short"
    moved = any(abs(a.got - b.got) > _LEAST * max(a.wanted, b.wanted, 1e-6) for a, b in zip(before, after, strict=True))
    if not moved:
        return "as-before"
    return "gets-less" if loss > 0 else "gets-more"


def _amounts(division: Division) -> Mapping[str, tuple[Had, ...]]:
    """Give what every guest that is on has of CPU, memory, its disks and its network."""
    plan, on = division.site.plan, division.site.standing.on
    causes = {name: causes_of(division, name) for name in RESOURCES}
    figures = LookFigures(division)
    of_guests = [(figures.wanted(of).values, figures.met(of).values, figures.lacks(of).values) for of in CONTENDED]
    found: dict[str, tuple[Had, ...]] = {}
    for i, guest in enumerate(plan.guests):
        if not on[i]:
            continue
        row = division.position[guest.id]
        words = [*(causes[name].word(row) for name in RESOURCES), "store", "link"]
        amounts = [tuple(float(of[i]) for of in its) for its in of_guests]
        found[guest.id] = tuple(
            Had(wanted, met, lacks, word if falls_short(lacks, wanted) else "")
            for (wanted, met, lacks), word in zip(amounts, words, strict=True)
        )
    return found


def _days(day: Player) -> Mapping[str, DayOf]:
    """Give what a played day came to for every guest."""
    summary = day.summary()
    finishes: dict[str, list[tuple[float, float | None]]] = {}
    for job in summary.finishes:
        finishes.setdefault(job.guest, []).append((job.due_s, job.finished_s))
    return {
        one.id: DayOf(
            one.short_s, one.worst_pace, one.fluid_wait,
            tuple(sorted(finishes.get(one.id, ()), key=lambda pair: pair[0])),
        )
        for one in summary.guests
    }  # fmt: skip


def _parts(then: Division, now: Division) -> tuple[Part, ...]:
    shares = [[site_shares(division, division.of(name)) for name in RESOURCES] for division in (then, now)]
    found = []
    for division in (now, then):
        for row, item in enumerate(division.ids):
            if division is then and item in now.position:
                continue
            rows = [one.position.get(item, -1) for one in (then, now)]
            cpu, memory = (
                tuple(float(shares[at][k][rows[at]]) if rows[at] >= 0 else 0.0 for at in (0, 1)) for k in (0, 1)
            )
            is_pool = division.kinds[row] == "pool"
            plan = division.site.plan
            label = (plan.pools[plan.pool_index[item]] if is_pool else plan.guests[plan.guest_index[item]]).label
            if max(*cpu, *memory) > 0:
                found.append(
                    Part(item, label, division.parents[row], is_pool, (cpu[0], cpu[1]), (memory[0], memory[1]))
                )
    return tuple(found)


def day_changes(one: GuestBeside, tick_s: float) -> tuple[Change, float]:
    """Tell how a guest's day changed, and by how much longer it is short or later it is done, s."""
    if one.day is None:
        return "as-before", 0.0
    then, now = one.day
    later = 0.0
    done_then = dict(then.finishes)
    for due, done in now.finishes:
        if due in done_then:
            was = done_then[due]
            never = 86_400.0
            shift = (never if done is None else done) - (never if was is None else was)
            later = shift if abs(shift) > abs(later) and abs(shift) > 1.5 * tick_s else later
    longer = now.short_s - then.short_s
    longer = longer if abs(longer) >= _LEAST_S else 0.0
    if longer > 0 and then.short_s < _LEAST_S:
        return "newly-short", longer
    total = longer + later
    if total == 0:
        return "as-before", 0.0
    return ("gets-less" if total > 0 else "gets-more"), total
