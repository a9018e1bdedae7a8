"""What stands in the columns of the list: figures of every guest, in plan order, all of one column at once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from ruvex.advise import DayWaits, savings_over
from ruvex.cores import waits_of
from ruvex.desktop.state.units import own_mhz
from ruvex.divide import CONTENDED, Division, causes_of, place_label
from ruvex.ledger import LookFigures
from ruvex.plan import ElasticMemory, Plan
from ruvex.play import Player

Floats = NDArray[np.float64]
Kind = Literal["text", "cpu", "memory", "percent", "pace", "hours", "spark", "ops", "traffic"]
Group = Literal["", "CPU", "memory", "disks", "network", "outcome", "the day"]

_HOUR_S: Final = 3600.0
_NOISE: Final = 1e-6


class ListFigures:
    """The figures of all guests at a look, and of their day where that has been played.

    Attributes
    ----------
    plan, division, day
        What is shown, its division, and the play of its day or None.
    waits
        What guests wait by chance over that day, or None.
    """

    def __init__(self, plan: Plan, division: Division, day: Player | None, waits: DayWaits | None = None) -> None:
        self.plan, self.division, self.day, self.waits = plan, division, day, waits
        self._rows = np.array([division.position[guest.id] for guest in plan.guests], dtype=np.int64)

    def layer(self, name: str) -> Floats:
        """Give a layer of memory; MiB, or a part of 1."""
        return np.asarray(getattr(self.division.layers, name)[self._rows], dtype=np.float64)

    @cached_property
    def figures(self) -> LookFigures:
        """What they want, have and lack."""
        return LookFigures(self.division)

    @cached_property
    def hit(self) -> Floats:
        """How badly each is hit: the largest part of what it wants or needs of anything that it lacks."""
        parts = [_part(self.figures.lacks(of).values, self.figures.wanted(of).values) for of in CONTENDED]
        return np.asarray(np.maximum.reduce(parts))

    @cached_property
    def speed(self) -> Floats:
        """All vCPUs of each at full speed, MHz; nothing of one that is nowhere."""
        site = self.division.site
        return np.array([own_mhz(site, guest.id) for guest in self.plan.guests], dtype=float)

    @cached_property
    def by_chance(self) -> Floats:
        """The part of their time in which the vCPUs of each wait by chance at the look."""
        return np.asarray(waits_of(self.division).by_chance[0])

    @cached_property
    def chance_of_day(self) -> Floats:
        """The same over the day; NaN where that is not known."""
        if self.waits is None or self.day is None or self._ids != self.day.recording.guest_ids:
            return np.full(len(self.plan.guests), np.nan)
        return self.waits.of_guests

    @cached_property
    def _ids(self) -> tuple[str, ...]:
        return tuple(guest.id for guest in self.plan.guests)

    @cached_property
    def hosts(self) -> list[str]:
        """The name of each guest's host."""
        label = self.plan.labels
        found = [self.division.host_of(int(row)) for row in self._rows]
        return [label.get(host, "") if host is not None else "" for host in found]

    @cached_property
    def causes(self) -> list[str]:
        """Why each lacks something, in words; nothing where it does not."""
        cpu, memory = (causes_of(self.division, resource) for resource in ("cpu", "memory"))
        told = []
        for row, host in zip(self._rows.tolist(), self.hosts, strict=True):
            words = [
                f"{found.word(row)}{f' of {host}' if found.word(row) == 'supply' and host else ''}"
                for found in (cpu, memory)
            ]
            if words[0] == words[1]:
                told.append(f"CPU and memory: {words[0]}" if words[0] else "")
            else:
                parts = zip(("CPU", "memory"), words, strict=True)
                told.append(", ".join(f"{name} {word}" for name, word in parts if word))
        return [", ".join(filter(None, pair)) for pair in zip(told, self._slowed, strict=True)]

    @cached_property
    def _slowed(self) -> list[str]:
        """What slows the disks and the link of each, in words; nothing where nothing does."""
        found: dict[str, dict[str, None]] = {}
        for place in self.division.flowing.places:
            for tap in place.taps:
                if tap.slowed_by and tap.slowed_by != "elsewhere":
                    where = place_label(self.plan, place.id)
                    by = "own limit" if tap.slowed_by == "own limit" else where
                    word = "disk" if place.kind == "store" else "network"
                    found.setdefault(tap.guest, {})[f"{word} {by}"] = None
        return [", ".join(found.get(guest.id, ())) for guest in self.plan.guests]

    def of_day(self, give: Callable[[Any], float]) -> Floats:
        """Give a figure of the day's summary; NaN where the day has not been played."""
        if self._summary is None:
            return np.full(len(self.plan.guests), np.nan)
        return np.array(
            [give(self._summary[g.id]) if g.id in self._summary else np.nan for g in self.plan.guests], dtype=float
        )

    @cached_property
    def _summary(self) -> dict[str, Any] | None:
        return None if self.day is None else {guest.id: guest for guest in self.day.summary().guests}

    def series(self, channel: str) -> NDArray[Any] | None:
        """Give a recorded channel of the day, shape (guests, rows), or None."""
        if self.day is None or self.day.recording.guest_ids != self._ids:
            return None
        return self.day.recording.series(channel)


@dataclass(frozen=True, slots=True)
class ListColumn:
    """One column.

    Attributes
    ----------
    key, group, title
        How code calls it, what stands above it, and its own name.
    kind
        What its figures are.
    values
        Its figures or texts, of all guests in plan order.
    of
        Whether it belongs to the look, to the day, or to both.
    is_optional
        Whether it is left out at first.
    only_with
        What the plan must have for it to say anything.
    """

    key: str
    group: Group
    title: str
    kind: Kind
    values: Callable[[ListFigures], Floats | Sequence[str]]
    of: Literal["look", "day", "both"] = "look"
    is_optional: bool = False
    only_with: Literal["", "stores", "links"] = ""


def _part(amount: Floats, whole: Floats) -> Floats:
    return np.divide(amount, whole, out=np.zeros(amount.size), where=whole > 0)


def _headroom(figures: ListFigures) -> Floats:
    elastic = np.array([isinstance(guest.memory, ElasticMemory) for guest in figures.plan.guests], dtype=bool)
    return np.where(elastic, np.maximum(figures.layer("backed") - figures.layer("working"), 0.0), np.nan)


def _saved(figures: ListFigures) -> Floats:
    if figures.series("backed") is None or figures.day is None:
        return np.full(len(figures.plan.guests), np.nan)
    found = {one.guest: one.otherwise_mib - one.mean_mib for one in savings_over(figures.day).guests}
    return np.array([found.get(guest.id, np.nan) for guest in figures.plan.guests], dtype=float)


def _over_day(figures: ListFigures, channel: str, reduce: Callable[..., Any]) -> Floats:
    series = figures.series(channel)
    if series is None:
        return np.full(len(figures.plan.guests), np.nan)
    return np.asarray(reduce(series, axis=1), dtype=np.float64)


def _pools(figures: ListFigures) -> list[str]:
    label = figures.plan.labels
    return [label[guest.pool] if guest.pool is not None else "" for guest in figures.plan.guests]


COLUMNS: Final[tuple[ListColumn, ...]] = (
    ListColumn("name", "", "name", "text", lambda f: [g.label for g in f.plan.guests], "both"),
    ListColumn("pool", "", "pool", "text", _pools, "both"),
    ListColumn("host", "", "host", "text", lambda f: f.hosts, "both"),
    ListColumn("cpu_wanted", "CPU", "wanted", "cpu", lambda f: f.figures.wanted("cpu").values),
    ListColumn("cpu_delivered", "CPU", "delivered", "cpu", lambda f: f.division.cpu.given),
    ListColumn("own", "CPU", "of vCPUs", "percent", lambda f: _part(f.division.cpu.given, f.speed)),
    ListColumn("wait", "CPU", "wait", "percent", lambda f: _part(f.figures.lacks("cpu").values,
                                                                 f.figures.wanted("cpu").values)),
    ListColumn("by_chance", "CPU", "chance", "percent", lambda f: f.by_chance),
    ListColumn("size", "memory", "size", "memory",
               lambda f: np.array([g.memory.size for g in f.plan.guests], dtype=float)),
    ListColumn("need", "memory", "need", "memory", lambda f: f.figures.wanted("memory").values),
    ListColumn("backed", "memory", "backed", "memory", lambda f: f.layer("backed")),
    ListColumn("balloon", "memory", "balloon", "memory", lambda f: f.layer("balloon")),
    ListColumn("squeezed", "memory", "squeezed", "memory", lambda f: f.layer("squeezed"), is_optional=True),
    ListColumn("spilled", "memory", "spilled", "memory", lambda f: f.layer("spilled"), is_optional=True),
    ListColumn("headroom", "memory", "headroom left", "memory", _headroom, is_optional=True),
    ListColumn("ops_wanted", "disks", "ops wanted", "ops", lambda f: f.figures.wanted("store").values,
               only_with="stores"),
    ListColumn("ops", "disks", "ops", "ops", lambda f: f.division.flowing.ops_delivered, only_with="stores"),
    ListColumn("net_wanted", "network", "MiB/s wanted", "traffic", lambda f: f.figures.wanted("link").values,
               only_with="links"),
    ListColumn("net", "network", "MiB/s", "traffic", lambda f: f.division.flowing.net_delivered, only_with="links"),
    ListColumn("pace", "outcome", "pace", "pace", lambda f: f.layer("pace")),
    ListColumn("met", "outcome", "met", "percent", lambda f: f.layer("met")),
    ListColumn("short", "the day", "hours short", "hours",
           lambda f: f.of_day(lambda g: g.short_s / _HOUR_S), "day"),
    ListColumn("worst_pace", "the day", "worst pace", "pace", lambda f: f.of_day(lambda g: g.worst_pace), "day"),
    ListColumn("chance_wait", "the day", "wait by chance", "percent", lambda f: f.chance_of_day, "day"),
    ListColumn("cpu_mean", "the day", "mean CPU", "cpu", lambda f: _over_day(f, "cpu_delivered", np.mean), "day"),
    ListColumn("cpu_peak", "the day", "peak CPU", "cpu", lambda f: _over_day(f, "cpu_delivered", np.max), "day"),
    ListColumn("memory_mean", "the day", "mean memory", "memory", lambda f: _over_day(f, "backed", np.mean), "day"),
    ListColumn("memory_peak", "the day", "peak memory", "memory", lambda f: _over_day(f, "backed", np.max), "day"),
    ListColumn("saved", "the day", "saved", "memory", _saved, "day"),
    ListColumn("spark", "", "CPU, the day", "spark", lambda f: f.hit, "both"),
    ListColumn("cause", "", "cause", "text", lambda f: f.causes),
)  # fmt: skip
