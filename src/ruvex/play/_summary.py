"""What a played plan came to: counted in every tick, told in figures."""

from __future__ import annotations

from copy import copy
from dataclasses import asdict, dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import columns
from ruvex.play import _state as s
from ruvex.play._ground import Ground
from ruvex.play._log import Entry
from ruvex.play._processor import Finish
from ruvex.play._state import PRESSURES, SHORTFALLS, State

Floats = NDArray[np.float64]
Places = tuple[tuple[int, int, float], ...]
"""Number, pressure and free MiB of every place."""

_UNMET: Final = 1e-6
"""A want that is met but for this part of it is met."""


@dataclass(frozen=True, slots=True)
class GuestSummary:
    """What a guest went through.

    Attributes
    ----------
    id
        Which one.
    on_s, unmet_s
        How long it was on, and how long its CPU want was not met, s.
    fluid_wait
        1 − delivered / wanted of CPU, over all the time it was on.
    worst_pace, worst_met
        The lowest of each while it ran.
    below_s
        How long it was below its need, by cause, s.
    peak_backed_mib, reclaimed_mib
        The most host memory behind it, and what was taken back from it in all.
    """

    id: str
    on_s: float
    unmet_s: float
    fluid_wait: float
    worst_pace: float
    worst_met: float
    below_s: dict[str, float]
    peak_backed_mib: float
    reclaimed_mib: float


@dataclass(frozen=True, slots=True)
class PlaceSummary:
    """How long the hosts' memory, or a bank, was under which pressure, s; ``bank`` is its host's id or None."""

    bank: str | None
    pressure_s: dict[str, float]
    least_free_mib: float


@dataclass(frozen=True, slots=True)
class Savings:
    """What elastic memory saves against fixed guests of their ceilings.

    Attributes
    ----------
    guests
        How many elastic guests were on.
    fixed_mib
        What they would hold as fixed guests, on average over the time played, MiB.
    mean_mib, least_mib
        What is saved of that on average, and at the worst moment.
    """

    guests: int
    fixed_mib: float
    mean_mib: float
    least_mib: float


@dataclass(frozen=True, slots=True)
class Summary:
    """What a played plan came to.

    Attributes
    ----------
    plan_name, played_s
        Which plan, and how much of its day was played.
    guests, places
        One each.
    finishes
        Batch jobs in the order in which they were done; those that were not by the end follow.
    savings
        What elastic memory saves; None without elastic guests.
    log
        What happened.
    """

    plan_name: str
    played_s: float
    guests: tuple[GuestSummary, ...]
    places: tuple[PlaceSummary, ...]
    finishes: tuple[Finish, ...]
    savings: Savings | None
    log: tuple[Entry, ...]

    def to_json(self) -> dict[str, Any]:
        """Give the document that ``ruvex run --json`` prints (docs/plan-format.md)."""
        document = asdict(self)
        document["finishes"] = [asdict(finish) | {"late_s": finish.late_s} for finish in self.finishes]
        return document


@dataclass(frozen=True, slots=True, eq=False)
class _Memory:
    """Memory as it has been since a tick."""

    since: int
    cause: NDArray[np.int8]
    running: NDArray[np.bool_]
    pace: Floats
    met: Floats
    backed: Floats
    elastic: NDArray[np.bool_]
    places: Places
    fixed: float
    saved: float


class Tally:
    """Counts while a plan is played; whole ticks, so that skipping quiet ones changes no bit."""

    def __init__(self, guests: int, tick_s: float) -> None:
        self._tick_s = tick_s
        self._unmet = np.zeros(guests, dtype=np.int64)
        self._on = np.zeros(guests, dtype=np.int64)
        self._below = np.zeros((len(SHORTFALLS), guests), dtype=np.int64)
        self._wanted, self._delivered = np.zeros(guests), np.zeros(guests)
        self._pace, self._met = np.ones(guests), np.ones(guests)
        self._peak = np.zeros(guests)
        self._every = np.arange(guests)
        self._pressure: dict[int, NDArray[np.int64]] = {}
        self._least: dict[int, float] = {}
        self._saved = self._fixed = self._fixed_now = 0.0
        self._counted = 0
        self._least_saved = np.inf
        self._elastic = np.zeros(guests, dtype=np.bool_)
        self._cpu: tuple[int, Floats, Floats, NDArray[np.bool_]] | None = None
        self._memory: _Memory | None = None
        self.saved_now = 0.0

    def note_cpu(self, tick: int, state: State) -> None:
        """Take note that from a tick on CPU is as it is now; what was noted before held until then."""
        self._count_cpu(tick)
        self._cpu = tick, state.wanted, state.delivered, state.on

    def _count_cpu(self, tick: int) -> None:
        if self._cpu is not None:
            since, wanted, delivered, on = self._cpu
            ticks = tick - since
            self._unmet += ticks * (wanted - delivered > _UNMET * wanted)
            self._on += ticks * on
            self._wanted += wanted * ticks
            self._delivered += np.minimum(delivered, wanted) * ticks

    def note_memory(self, tick: int, state: State, ground: Ground, places: Places) -> None:
        """Take note that from a tick on memory is as it is now."""
        self._count_memory(tick)
        elastic = ground.elastic & ground.on
        ceilings = np.where(elastic, ground.guests[columns.CEILING], 0.0)
        self.saved_now = float((ceilings - state.given)[elastic].sum())
        self._fixed_now = float(ceilings.sum())
        self._memory = _Memory(
            tick, state.cause, state.phase == s.RUNNING, state.pace, state.met, state.backed, elastic, places,
            self._fixed_now, self.saved_now,
        )  # fmt: skip

    def _count_memory(self, tick: int) -> None:
        now = self._memory
        ticks = 0 if now is None else tick - now.since
        if now is None or not ticks:
            return
        self._below[now.cause, self._every] += ticks
        self._pace = np.where(now.running, np.minimum(self._pace, now.pace), self._pace)
        self._met = np.where(now.running, np.minimum(self._met, now.met), self._met)
        self._peak = np.maximum(self._peak, now.backed)
        for number, pressure, free in now.places:
            self._pressure.setdefault(number, np.zeros(len(PRESSURES), dtype=np.int64))[pressure] += ticks
            self._least[number] = min(self._least.get(number, np.inf), free)
        if now.elastic.any():
            self._elastic = self._elastic | now.elastic
            self._least_saved = min(self._least_saved, now.saved)
        self._fixed += now.fixed * ticks
        self._saved += now.saved * ticks
        self._counted += ticks

    def savings(self) -> Savings | None:
        """Tell what elastic memory has saved up to what was counted last; None without elastic guests."""
        if not self._elastic.any():
            return None
        if not self._counted:
            return Savings(int(self._elastic.sum()), self._fixed_now, self.saved_now, float(self._least_saved))
        return Savings(
            int(self._elastic.sum()), self._fixed / self._counted, self._saved / self._counted, float(self._least_saved)
        )

    def summary(
        self, ground: Ground, state: State, ticks: int, finishes: tuple[Finish, ...], log: tuple[Entry, ...]
    ) -> Summary:
        """Tell what was counted up to a tick."""
        now = copy(self)
        for name in ("_unmet", "_on", "_below", "_wanted", "_delivered"):
            setattr(now, name, getattr(self, name).copy())
        now._pressure = {number: count.copy() for number, count in self._pressure.items()}
        now._least = dict(self._least)
        now._count_cpu(ticks)
        now._count_memory(ticks)
        return now._told(ground, state, ticks, finishes, log)

    def _told(
        self, ground: Ground, state: State, ticks: int, finishes: tuple[Finish, ...], log: tuple[Entry, ...]
    ) -> Summary:
        plan, tick = ground.compiled.plan, self._tick_s
        guests = []
        for i, guest in enumerate(plan.guests):
            at = int(ground.compiled.tree.guest_place[i])
            wanted = float(self._wanted[at])
            below = {
                cause: float(self._below[code, at]) * tick
                for code, cause in enumerate(SHORTFALLS)
                if code and self._below[code, at]
            }
            guests.append(
                GuestSummary(
                    id=guest.id,
                    on_s=float(self._on[at]) * tick,
                    unmet_s=float(self._unmet[at]) * tick,
                    fluid_wait=1 - float(self._delivered[at]) / wanted if wanted > 0 else 0.0,
                    worst_pace=float(self._pace[at]),
                    worst_met=float(self._met[at]),
                    below_s=below,
                    peak_backed_mib=float(self._peak[at]),
                    reclaimed_mib=float(state.reclaimed[at]),
                )
            )
        places = tuple(
            PlaceSummary(
                bank=plan.hosts[number - 1].id if number else None,
                pressure_s={name: float(count[level]) * tick for level, name in enumerate(PRESSURES)},
                least_free_mib=self._least[number],
            )
            for number, count in sorted(self._pressure.items())
        )
        return Summary(plan.name, ticks * tick, tuple(guests), places, finishes, self.savings(), log)
