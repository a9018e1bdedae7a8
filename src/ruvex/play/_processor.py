"""CPU from tick to tick: what is wanted, what the division gives, batch work that is carried over."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Refill, columns, cpu_supply
from ruvex.play import _state as s
from ruvex.play._ground import Ground
from ruvex.play._state import State
from ruvex.play._work import CPU

Floats = NDArray[np.float64]

_JOB_ENDS: Final = 0.5
"""A job ends where the demand has fallen below this part of the highest it had since the job began."""
_NOISE: Final = 1e-9
_FAR: Final = 1e12
"""Ticks that no plan lasts."""


@dataclass(frozen=True, slots=True)
class Finish:
    """A batch job: when all of its work had been asked for, and when it was done (None: not by the end).

    Attributes
    ----------
    guest
        Its id.
    due_s, finished_s
        Seconds since the start of the day.
    work_mhz_s
        How much work it was, MHz·s.
    """

    guest: str
    due_s: float
    finished_s: float | None
    work_mhz_s: float

    @property
    def late_s(self) -> float | None:
        """How much later than asked for it was done, s."""
        return None if self.finished_s is None else max(0.0, self.finished_s - self.due_s)


@dataclass(slots=True)
class _Job:
    """What of a guest's work is under way: the highest demand, and how much was asked for when it began."""

    highest: float = 0.0
    start: float = 0.0


@dataclass(frozen=True, slots=True)
class _Anchor:
    """From a tick on batch work goes on evenly; what is behind then is told from here, whichever ticks are skipped."""

    tick: int
    asked: Floats
    useful: Floats
    backlog: Floats
    total: Floats


class Processor:
    """Divides CPU in every tick in which something about it changes.

    Attributes
    ----------
    is_carrying
        Whether batch work is behind, so that the next tick is another one.
    finished
        The batch jobs that are done.
    supply
        MHz.
    """

    def __init__(self, ground: Ground, state: State, tick_s: float) -> None:
        self._state, self._tick_s = state, tick_s
        self._refill: Refill | None = None
        self.is_carrying, self.supply = False, 0.0
        self.finished: list[Finish] = []
        count = ground.on.size
        self._asked, self._done = np.zeros(count), np.zeros(count)
        self._jobs: dict[int, _Job] = {}
        self._set_pending([])
        self._cap: Floats | None = None
        self._told: Floats = np.zeros(0)
        self._was_behind = np.zeros(0, dtype=np.bool_)
        self.take(ground)

    def take(self, ground: Ground) -> None:
        """Go on with other settings, or with others on."""
        self._ground, tree, plan = ground, ground.compiled.tree, ground.compiled.plan
        order = np.argsort(tree.guest_place)
        self._ids = [plan.guests[i].id for i in order]
        self._batch = np.flatnonzero([plan.guests[i].demand.kind == "batch" for i in order])
        self._refill = Refill(ground.compiled, 0, self._refill)
        self._cap = None
        self._anchor: _Anchor | None = None
        hosts = ground.compiled.hosts
        # Without second threads that yield something, the supply does not depend on who wants to run.
        self._doubles = bool(np.any(hosts[columns.SMT_YIELD] * hosts[columns.FURTHER_THREADS] > 0))
        self.supply = float(cpu_supply(ground.compiled, np.zeros(ground.on.size)))

    def divide(self, work: Floats) -> bool:
        """Divide CPU among what is wanted in this tick; tells whether anybody gets anything else than before.

        Parameters
        ----------
        work
            Shape (3, guests): the demand, as ``Work.now``.
        """
        state, ground, g = self._state, self._ground, self._ground.guests
        demand, batch = work[CPU], self._batch
        # Without a host a vCPU has no speed.
        full = np.where(np.isfinite(ground.speed), ground.speed, 0.0)
        if batch.size:
            # Whoever is behind wants all of its vCPUs; who waits for pages needs more of them for the same work.
            self._was_behind = state.backlog[batch] > 0
            steady = demand[batch] / state.pace[batch]
            demand = demand.copy()
            demand[batch] = np.where(self._was_behind, np.maximum(full[batch], steady), steady)
        running = state.phase == s.RUNNING
        wanted = np.minimum(np.where(running, demand, full), ground.speed)
        wanted = np.where(ground.on, wanted, 0.0)
        owns = (g[columns.DEDICATED] > 0) & ground.on & np.isfinite(ground.speed)
        cap = np.where(owns, ground.speed, np.minimum(wanted, g[columns.CPU_LIMIT]))
        is_same_want = np.array_equal(wanted, state.wanted)
        state.wanted = wanted
        if self._cap is not None and np.array_equal(cap, self._cap):
            return not is_same_want
        self._cap = cap
        assert self._refill is not None
        floor = np.minimum(g[columns.CPU_RESERVATION], cap)
        if self._doubles:
            self.supply = float(cpu_supply(ground.compiled, cap))
        self._refill.ask(floor, cap, cap, cap)
        state.delivered = self._refill.share_out(self.supply)
        return True

    # Work done

    def work(self, work: Floats, tick: int) -> None:
        """Do a tick's work: boots, and batch work with what is left over."""
        state = self._state
        booting = np.flatnonzero(state.phase == s.BOOTING)
        if booting.size:
            self._boot(booting)
        batch = self._batch
        if not batch.size:
            return
        on = state.phase[batch] == s.RUNNING
        asked = work[CPU][batch] * on
        self._note_jobs(asked, tick)
        useful = np.minimum(state.delivered[batch], state.wanted[batch]) * state.pace[batch] * on
        before, now = state.backlog[batch], self._anchor
        if now is None or not (np.array_equal(now.asked, asked) and np.array_equal(now.useful, useful)):
            now = self._anchor = _Anchor(tick, asked, useful, before, self._asked[batch])
        seconds = (tick + 1 - now.tick) * self._tick_s
        left = np.maximum(now.backlog + (asked - useful) * seconds, 0.0)
        # What rounding leaves of a tick's work is done.
        left = np.where(left <= _NOISE * np.maximum(asked, 1.0) * self._tick_s, 0.0, left) * on
        self._asked[batch] = now.total + asked * seconds
        state.backlog[batch] = left
        self._done[batch] = self._asked[batch] - left
        self.is_carrying = bool(left.any()) or bool(before.any())
        if self._pending:
            self._note_finished((tick + 1) * self._tick_s)

    def next_change(self, tick: int) -> int:
        """Give the next tick in which batch work wants another amount of CPU, or a job may be done."""
        if not self.is_carrying or self._anchor is None:
            return s.NEVER
        now, batch = self._anchor, self._batch
        left = self._state.backlog[batch]
        falling = (now.useful - now.asked) * self._tick_s
        if not np.array_equal(left > 0, self._was_behind):
            return tick + 1
        due = [math.inf]
        done = (left > 0) & (falling > 0)
        if done.any():
            due.append(float((left[done] / falling[done]).min()))
        if self._pending:
            guests, totals = self._due_work
            useful = np.zeros(self._done.size)
            useful[batch] = now.useful * self._tick_s
            goes_on = useful[guests] > 0
            if goes_on.any():
                rest = (totals - self._done[guests])[goes_on]
                due.append(float((rest / useful[guests][goes_on]).min()))
        soonest = min(due)
        # One tick less than the sum says: rounding must not skip the tick in which it happens.
        return tick + max(1, math.floor(soonest) - 1) if soonest < _FAR else s.NEVER

    def skip(self, work: Floats, tick: int, ticks: int) -> None:
        """Do the work of some ticks after one, in which nothing changes what is wanted."""
        if self._batch.size and ticks:
            self.work(work, tick + ticks)

    def _boot(self, booting: NDArray[np.int64]) -> None:
        state, g = self._state, self._ground.guests
        speed = self._ground.speed[booting]
        by_cpu = np.divide(
            state.delivered[booting], speed, out=np.ones_like(speed), where=np.isfinite(speed) & (speed > 0)
        )
        size = g[columns.SIZE][booting]
        from_disk = self._ground.compiled.plan.rules.starting.bridge_speed_percent / 100
        held = (state.given[booting] + from_disk * state.bridged[booting]) / size
        by_memory = np.where(self._ground.thin[booting], state.pace[booting], np.minimum(held, 1.0))
        done = np.minimum(by_cpu, 1.0) * by_memory * self._tick_s
        state.boot_left[booting] = np.maximum(state.boot_left[booting] - done, 0.0)

    def _note_jobs(self, asked: Floats, tick: int) -> None:
        """Notice where a job ends: its work has all been asked for then."""
        if np.array_equal(asked, self._told):
            return
        self._told = asked
        for guest, demand in zip(self._batch.tolist(), asked.tolist(), strict=True):
            job = self._jobs.setdefault(guest, _Job(start=float(self._asked[guest])))
            if demand < job.highest * _JOB_ENDS:
                total = float(self._asked[guest])
                self._set_pending([*self._pending, (guest, tick * self._tick_s, total, total - job.start)])
                self._jobs[guest] = _Job(start=total)
                job = self._jobs[guest]
            job.highest = max(job.highest, demand)
        if self._pending:
            self._note_finished(tick * self._tick_s)

    def _note_finished(self, now_s: float) -> None:
        guests, totals = self._due_work
        ready = self._done[guests] >= totals * (1 - _NOISE)
        if ready.any():
            for (guest, due_s, _total, amount), is_done in zip(self._pending, ready.tolist(), strict=True):
                if is_done:
                    self.finished.append(Finish(self._ids[guest], due_s, max(due_s, now_s), amount))
            self._set_pending([job for job, is_done in zip(self._pending, ready.tolist(), strict=True) if not is_done])

    def _set_pending(self, jobs: list[tuple[int, float, float, float]]) -> None:
        self._pending = jobs
        guests = np.array([job[0] for job in jobs], dtype=np.int64)
        self._due_work = guests, np.array([job[2] for job in jobs])

    def drop(self, guest: int) -> None:
        """Forget the work of a guest that is switched off."""
        self._asked[guest] = self._done[guest] = 0.0
        self._jobs.pop(guest, None)
        self._set_pending([job for job in self._pending if job[0] != guest])

    @property
    def unfinished(self) -> list[Finish]:
        """The batch jobs whose work has all been asked for and is not done yet."""
        return [Finish(self._ids[guest], due_s, None, amount) for guest, due_s, _total, amount in self._pending]
