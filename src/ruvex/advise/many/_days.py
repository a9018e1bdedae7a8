"""A plan over many random days: how often and how long each guest and pool is short, and what would change that."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.advise.many._chance import random_day
from ruvex.advise.many._sweep import Told
from ruvex.placing import better_places, with_hosts
from ruvex.plan import Plan, StoppedError, Traces, add_items, pools_within
from ruvex.play import Player, Summary
from ruvex.site import site_of

Floats = NDArray[np.float64]

FIGURES: Final = ("short_s", "worst_pace", "wait", "late_s")
"""What is kept of every guest's day: how long it was short, s; its lowest pace; the part of its CPU want that was not
met; and by how much its batch work was late at most, s: infinity where it was not done, NaN where it has none. Then
when each batch job was done, s, in the order of the plan's own."""
_SHORT, _PACE, _WAIT, _LATE, _DONE = range(5)
LEAST_SHORT_S: Final = 60.0
"""Who is short for less has had a good day."""
SURE: Final = 0.95
_MORE_MEMORY: Final = 1.1


@dataclass(frozen=True, slots=True)
class Source:
    """Where random days come from.

    Attributes
    ----------
    plan, traces, seed
        The plan, its traces, and the seed of the days' chances.
    dues
        When the batch jobs of each guest are due on the plan's own day, s.
    """

    plan: Plan
    traces: Traces
    seed: int
    dues: tuple[tuple[float, ...], ...]

    def figures(self, number: int) -> Floats:
        """Play one day; gives its figures, shape (4 + jobs, guests).

        A job of that day is taken for the one of the plan's own day that is due nearest.
        """
        drawn, tables = random_day(self.plan, self.traces, self.seed, number)
        summary = _played(drawn, tables)
        jobs = max(map(len, self.dues), default=0)
        found = np.full((_DONE + jobs, len(self.plan.guests)), np.nan)
        for i, guest in enumerate(summary.guests):
            found[:_LATE, i] = guest.short_s, guest.worst_pace, guest.fluid_wait
        for job in summary.finishes:
            i = self.plan.guest_index[job.guest]
            late = math.inf if job.late_s is None else job.late_s
            done = math.inf if job.finished_s is None else job.finished_s
            found[_LATE, i] = np.fmax(found[_LATE, i], late)
            if self.dues[i]:
                at = _DONE + int(np.argmin(np.abs(np.array(self.dues[i]) - job.due_s)))
                found[at, i] = np.fmax(found[at, i], done)
        return found


def _played(plan: Plan, traces: Traces) -> Summary:
    player = Player(site_of(plan, traces), record_s=math.inf)
    player.run()
    return player.summary()


def source_of(plan: Plan, traces: Traces, seed: int) -> Source:
    """Give where the random days of a plan come from: its own day is played once."""
    dues: list[list[float]] = [[] for _ in plan.guests]
    for job in _played(plan, traces).finishes:
        dues[plan.guest_index[job.guest]].append(job.due_s)
    return Source(plan, traces, seed, tuple(tuple(sorted(one)) for one in dues))


Runner = Callable[[Source, Sequence[int]], Iterable[tuple[int, Floats]]]
"""Plays days by their numbers and gives each with its figures, in any order."""


@dataclass(frozen=True, slots=True)
class Risk:
    """What many days came to for a guest or a pool.

    Attributes
    ----------
    item
        Its id.
    short_part
        In which part of the days it was short, of a pool: one of its guests.
    short_s, short_most_s
        How long, on average over all days and in 95 of 100 at most, s; of a pool the sum over its guests.
    pace
        The pace it keeps in 95 of 100 days; of a pool its guests' lowest.
    finishes
        For each batch job of the plan's own day: when it is due there, and by when it is done in 95 of 100 days, s;
        infinity where more than five are not done. Empty for a pool.
    """

    item: str
    short_part: float
    short_s: float
    short_most_s: float
    pace: float
    finishes: tuple[tuple[float, float], ...]

    def to_json(self) -> dict[str, Any]:
        """Give it as ``ruvex days --json`` prints it."""
        finishes = [{"due_s": due, "done_s": done if math.isfinite(done) else None} for due, done in self.finishes]
        return {
            "id": self.item, "short_part": self.short_part, "short_s": self.short_s, "short_most_s": self.short_most_s,
            "pace": self.pace, "finishes": finishes,
        }  # fmt: skip


@dataclass(frozen=True, eq=False)
class Days:
    """Many random days of a plan.

    Attributes
    ----------
    source
        Where they come from.
    table
        Shape (days, 4 + jobs, guests), by ``FIGURES``; NaN in the rows of days that were not played.
    """

    source: Source
    table: Floats

    @property
    def plan(self) -> Plan:
        """Which plan."""
        return self.source.plan

    @cached_property
    def played(self) -> NDArray[np.bool_]:
        """Which days were played."""
        return np.asarray(~np.isnan(self.table[:, _SHORT]).any(axis=1)) if self.table.shape[2] else np.zeros(0, bool)

    @property
    def count(self) -> int:
        """How many days were played."""
        return int(self.played.sum())

    def of_guests(self) -> list[Risk]:
        """Tell of every guest, in plan order."""
        table = self.table[self.played]
        return [_risk(guest.id, table[:, :, [i]], self.source.dues[i]) for i, guest in enumerate(self.plan.guests)]

    def of_pools(self) -> list[Risk]:
        """Tell of every pool that has guests, in plan order."""
        table, found = self.table[self.played], []
        for pool in self.plan.pools:
            inside = pools_within(self.plan, pool.id)
            its = [i for i, guest in enumerate(self.plan.guests) if guest.pool in inside]
            if its:
                found.append(_risk(pool.id, table[:, :, its], ()))
        return found

    def job_by(self, guest: str, by_s: float) -> int | None:
        """Give the number of the batch job that is meant by a time: the last one due until then, else the first."""
        dues = self.source.dues[self.plan.guest_index[guest]]
        return max(sum(due <= by_s for due in dues) - 1, 0) if dues else None

    def done_by(self, guest: str, by_s: float) -> float:
        """Give in which part of the days the batch job that is meant by a time is done by it; NaN where there is none.

        Which one that is, ``job_by`` tells.
        """
        job = self.job_by(guest, by_s)
        if job is None:
            return math.nan
        done = self.table[self.played, _DONE + job, self.plan.guest_index[guest]]
        done = done[~np.isnan(done)]
        return float((done <= by_s).mean()) if done.size else math.nan

    @property
    def short_hours(self) -> float:
        """How many guest-hours are short on a day, on average."""
        return float(self.table[self.played, _SHORT].sum(axis=1).mean()) / 3600 if self.count else 0.0


def _risk(item: str, table: Floats, dues: Sequence[float]) -> Risk:
    """Sum up days of some guests, shape (days, 4 + jobs, guests)."""
    if not table.shape[0]:
        return Risk(item, 0.0, 0.0, 0.0, 1.0, ())
    short = table[:, _SHORT].sum(axis=1)
    worst = table[:, _PACE].min(axis=1)
    finishes = []
    for job, due in enumerate(dues):
        done = table[:, _DONE + job, 0]
        if not np.isnan(done).all():
            finishes.append((due, _nearly_most(done[~np.isnan(done)])))
    return Risk(
        item, float((table[:, _SHORT] >= LEAST_SHORT_S).any(axis=1).mean()), float(short.mean()),
        _nearly_most(short), -_nearly_most(-worst), tuple(finishes),
    )  # fmt: skip


def _nearly_most(values: Floats) -> float:
    """Give the least value that 95 of 100 are not above."""
    ranked = np.sort(values)
    return float(ranked[min(max(math.ceil(SURE * ranked.size - 1e-9) - 1, 0), ranked.size - 1)])


def play_days(
    plan: Plan, traces: Traces, days: int, runner: Runner, *, seed: int | None = None, told: Told | None = None
) -> Days:
    """Play a plan over many random days.

    What is done when ``told`` stops it is kept.

    Parameters
    ----------
    plan, traces
        What is played.
    days
        How many.
    runner
        Who plays them: this machine, or a cluster.
    seed
        The plan's own if left out; equal seeds give equal days.
    told
        Told how many are done.
    """
    source = source_of(plan, traces, plan.seed if seed is None else seed)
    jobs = max(map(len, source.dues), default=0)
    table = np.full((days, _DONE + jobs, len(plan.guests)), np.nan)
    for done, (number, figures) in enumerate(runner(source, range(days)), 1):
        table[number] = figures
        if told is not None:
            try:
                told(done, days)
            except StoppedError:
                break
    return Days(source, table)


def with_one_more_host(plan: Plan, traces: Traces) -> tuple[Plan, tuple[tuple[str, str], ...]]:
    """Give the plan with one more host like its largest, and with guests moved to where they are better off then.

    Moves keep what moves keep: rules, maker and level of the processor, promises.
    """
    if not plan.hosts:
        return plan, ()
    largest = max(plan.hosts, key=lambda host: (host.memory_mib, host.cores * host.mhz))
    name = "one-more"
    while name in plan.host_index or name in plan.guest_index or name in plan.pool_index:
        name += "-"
    bank = {"bank": None, "up": True, "id": name, "name": "one more host"}
    wider = add_items(plan, [largest.model_copy(update=bank)])
    moves = better_places(site_of(wider, traces)).moves
    return with_hosts(wider, moves), moves


def with_more_memory(plan: Plan) -> Plan:
    """Give the plan with a tenth more memory in each host."""
    hosts = [host.model_copy(update={"memory_mib": host.memory_mib * _MORE_MEMORY}) for host in plan.hosts]
    return plan.model_copy(update={"hosts": tuple(hosts)})


def compared(before: Days, after: Days) -> Mapping[str, tuple[Risk, Risk]]:
    """Pair what days came to for each guest before a change and after it, where the part of short days differs."""
    then, now = before.of_guests(), {one.item: one for one in after.of_guests()}
    pairs = ((one, now[one.item]) for one in then if one.item in now)
    return {a.item: (a, b) for a, b in pairs if abs(a.short_part - b.short_part) > 1e-9}
