"""What stands in the columns of the list: figures of every guest, in plan order, all of one column at once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final, Literal

import numpy as np
from numpy.typing import NDArray

from ruvex.advise import DayWaits
from ruvex.cores import waits_of
from ruvex.divide import Division, causes_of, place_label
from ruvex.engine import rows as r
from ruvex.plan import ElasticMemory, Guest, Plan
from ruvex.play import Player

Floats = NDArray[np.float64]
Kind = Literal["text", "cpu", "memory", "percent", "pace", "hours", "spark", "ops", "traffic"]
Group = Literal["", "CPU", "memory", "disks", "network", "outcome", "the day"]

_HOUR_S: Final = 3600.0
_NOISE: Final = 1e-6


class Figures:
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
    def hit(self) -> Floats:
        """How badly each is hit: the larger part of what it wants of CPU and of memory that it lacks."""
        parts = []
        for resource in (self.division.cpu, self.division.memory):
            wanted = resource.wanted_of_guests
            parts.append(np.divide(resource.unmet_of_guests, wanted, out=np.zeros(wanted.size), where=wanted > 0))
        return np.asarray(np.maximum.reduce([*parts, 1.0 - self.division.flowing.pace]))

    @cached_property
    def speed(self) -> Floats:
        """All vCPUs of each at full speed, MHz."""
        hosts = {host.id: host.mhz for host in self.plan.hosts}
        first = self.plan.hosts[0].mhz if self.plan.hosts else 0.0
        return np.array([guest.vcpus * hosts.get(guest.host or "", first) for guest in self.plan.guests], dtype=float)

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
class Column:
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
    values: Callable[[Figures], Floats | Sequence[str]]
    of: Literal["look", "day", "both"] = "look"
    is_optional: bool = False
    only_with: Literal["", "stores", "links"] = ""


def _part(amount: Floats, whole: Floats) -> Floats:
    return np.divide(amount, whole, out=np.zeros(amount.size), where=whole > 0)


def _headroom(figures: Figures) -> Floats:
    elastic = np.array([isinstance(guest.memory, ElasticMemory) for guest in figures.plan.guests], dtype=bool)
    return np.where(elastic, np.maximum(figures.layer("backed") - figures.layer("working"), 0.0), np.nan)


def _saved(figures: Figures) -> Floats:
    backed = figures.series("backed")
    if backed is None:
        return np.full(len(figures.plan.guests), np.nan)
    fixed = np.array([_otherwise(guest) for guest in figures.plan.guests], dtype=float)
    return np.asarray(fixed - np.asarray(backed, dtype=np.float64).mean(axis=1))


def _otherwise(guest: Guest) -> float:
    if not isinstance(guest.memory, ElasticMemory):
        return float("nan")
    return guest.memory.ceiling if guest.otherwise_mib is None else guest.otherwise_mib


def _over_day(figures: Figures, channel: str, reduce: Callable[..., Any]) -> Floats:
    series = figures.series(channel)
    if series is None:
        return np.full(len(figures.plan.guests), np.nan)
    return np.asarray(reduce(series, axis=1), dtype=np.float64)


def _pools(figures: Figures) -> list[str]:
    label = figures.plan.labels
    return [label[guest.pool] if guest.pool is not None else "" for guest in figures.plan.guests]


def _need(figures: Figures) -> Floats:
    return np.asarray(figures.division.solved.layers[r.M_NEED])


COLUMNS: Final[tuple[Column, ...]] = (
    Column("name", "", "name", "text", lambda f: [g.label for g in f.plan.guests], "both"),
    Column("pool", "", "pool", "text", _pools, "both"),
    Column("host", "", "host", "text", lambda f: f.hosts, "both"),
    Column("cpu_wanted", "CPU", "wanted", "cpu", lambda f: f.division.cpu.wanted_of_guests),
    Column("cpu_delivered", "CPU", "delivered", "cpu", lambda f: f.division.cpu.given),
    Column("own", "CPU", "of vCPUs", "percent", lambda f: _part(f.division.cpu.given, f.speed)),
    Column("wait", "CPU", "wait", "percent", lambda f: _part(f.division.cpu.unmet_of_guests,
                                                             f.division.cpu.wanted_of_guests)),
    Column("by_chance", "CPU", "chance", "percent", lambda f: f.by_chance),
    Column("size", "memory", "size", "memory", lambda f: np.array([g.memory.size for g in f.plan.guests], dtype=float)),
    Column("need", "memory", "need", "memory", _need),
    Column("backed", "memory", "backed", "memory", lambda f: f.layer("backed")),
    Column("balloon", "memory", "balloon", "memory", lambda f: f.layer("balloon")),
    Column("squeezed", "memory", "squeezed", "memory", lambda f: f.layer("squeezed"), is_optional=True),
    Column("spilled", "memory", "spilled", "memory", lambda f: f.layer("spilled"), is_optional=True),
    Column("headroom", "memory", "headroom left", "memory", _headroom, is_optional=True),
    Column("ops_wanted", "disks", "ops wanted", "ops", lambda f: f.division.flowing.ops_wanted, only_with="stores"),
    Column("ops", "disks", "ops", "ops", lambda f: f.division.flowing.ops_delivered, only_with="stores"),
    Column("net_wanted", "network", "MiB/s wanted", "traffic", lambda f: f.division.flowing.net_wanted,
           only_with="links"),
    Column("net", "network", "MiB/s", "traffic", lambda f: f.division.flowing.net_delivered, only_with="links"),
    Column("pace", "outcome", "pace", "pace", lambda f: f.layer("pace")),
    Column("met", "outcome", "met", "percent", lambda f: f.layer("met")),
    Column("short", "the day", "hours short", "hours",
           lambda f: f.of_day(lambda g: g.short_s / _HOUR_S), "day"),
    Column("worst_pace", "the day", "worst pace", "pace", lambda f: f.of_day(lambda g: g.worst_pace), "day"),
    Column("chance_wait", "the day", "wait by chance", "percent", lambda f: f.chance_of_day, "day"),
    Column("cpu_mean", "the day", "mean CPU", "cpu", lambda f: _over_day(f, "cpu_delivered", np.mean), "day"),
    Column("cpu_peak", "the day", "peak CPU", "cpu", lambda f: _over_day(f, "cpu_delivered", np.max), "day"),
    Column("memory_mean", "the day", "mean memory", "memory", lambda f: _over_day(f, "backed", np.mean), "day"),
    Column("memory_peak", "the day", "peak memory", "memory", lambda f: _over_day(f, "backed", np.max), "day"),
    Column("saved", "the day", "saved", "memory", _saved, "day"),
    Column("spark", "", "CPU, the day", "spark", lambda f: f.hit, "both"),
    Column("cause", "", "cause", "text", lambda f: f.causes),
)  # fmt: skip
