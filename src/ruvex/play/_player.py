"""Playing a plan: one public step; everything else is a loop over it. Section 7 of docs/model.md."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Compiled, columns
from ruvex.plan import (
    EditError,
    Event,
    Plan,
    PowerEvent,
    SetEvent,
    SurgeEvent,
    format_number,
    format_time,
    pools_within,
)
from ruvex.play import _state as s
from ruvex.play._events import changed_plan
from ruvex.play._ground import Ground, ground_of
from ruvex.play._log import Entry, Kind
from ruvex.play._memory import Memory
from ruvex.play._power import Power
from ruvex.play._processor import Processor
from ruvex.play._record import Recording
from ruvex.play._state import PRESSURES, State
from ruvex.play._summary import Savings, Summary, Tally
from ruvex.play._work import TOUCHED, WORKING, Work

RECORD_S: Final = 10.0
_MOST_ROWS: Final = 8640
_MOST_RECORDED: Final = 20_000_000
"""Rows times guests that are recorded unless asked for otherwise: some 1.2 GB."""
_ALMOST: Final = 1e-9

Watch = Callable[["Player"], None]


class Player:
    """Plays a plan tick by tick.

    Parameters
    ----------
    compiled
        The plan as arrays.
    until_s
        Where to stop, s; the end of the day if left out.
    record_s
        How far apart the recorded rows are, s; 10 if left out, more for a longer day or more than 2 300 guests.
    skip
        Whether to pass over ticks in which nothing changes. The result is the same to the bit.
    watch
        Called after every tick that was worked out; tests check the invariants there.

    Attributes
    ----------
    tick, end_tick
        The next tick to be played, and the one after the last.
    state, memory, processor
        What is going on.
    recording, log
        What was.
    plans
        The settings in force, each with the time since which they are.
    kept
        The events that were put in while playing, in the order of their times.

    Notes
    -----
    The order within a tick is events, power life-cycle, workload signals, memory controllers, memory division, moves
    limited by rates, CPU division, pace, record. Equal plans give equal results to the bit: ties go by memory shares,
    then plan order; nothing is drawn by chance.
    """

    def __init__(
        self, compiled: Compiled, *, until_s: float | None = None, record_s: float | None = None, skip: bool = True,
        watch: Watch | None = None,
    ) -> None:  # fmt: skip
        plan = compiled.plan
        self.compiled, self.tick_s = compiled, plan.tick_s
        end_s = plan.day_s if until_s is None else min(until_s, plan.day_s)
        self.end_tick = math.ceil(end_s / self.tick_s - _ALMOST)
        self._skip, self._watch = skip, watch
        rows = min(_MOST_ROWS, _MOST_RECORDED // max(1, len(plan.guests)))
        every = record_s if record_s is not None else max(RECORD_S, end_s / rows)
        self.state = State.of(compiled.guests.shape[1])
        self.log: list[Entry] = []
        self.kept: list[Event] = []
        self.plans: list[tuple[float, Plan]] = [(0.0, plan)]
        self._events = [(self._tick_of(event.at), event) for event in plan.events]
        self._events.sort(key=lambda pair: pair[0])
        self.tick = 0
        order = np.argsort(compiled.tree.guest_place)
        self.recording = Recording(
            tuple(plan.guests[i].id for i in order), max(every, self.tick_s), self.end_tick * self.tick_s
        )
        self._has_regrouped = False
        self._tally = Tally(self.state.phase.size, self.tick_s)
        on = compiled.guests[columns.ON] > 0
        self.state.phase[on] = s.RUNNING
        self.state.agent = on & (compiled.guests[columns.AGENT] > 0)
        self.ground: Ground = ground_of(compiled, self.state)
        self.work = Work(compiled, self.tick_s, self.end_tick)
        self.memory = Memory(self.ground, self.state, self.tick_s)
        self.processor = Processor(self.ground, self.state, self.tick_s)
        self.power = Power(
            self.state, self.memory, self.processor, lambda: self.ground, self._regroup, self._tell, self.tick_s
        )
        self.power.settle_in(np.flatnonzero(on))
        self._regroup()
        self._inputs_moved = True
        self._told_finishes = 0
        self._seen_memory = np.zeros((2, on.size))
        self._pressures = [place.pressure for place in self.memory.places]
        self.work.read(0, anew=True)
        self.memory.settle(self.work.now)
        self._pressures = [place.pressure for place in self.memory.places]
        self._note_memory()

    # What people ask

    @property
    def now_s(self) -> float:
        """The time of the next tick, s since the start of the day."""
        return self.tick * self.tick_s

    @property
    def is_over(self) -> bool:
        """Whether the end has been reached."""
        return self.tick >= self.end_tick

    def insert(self, event: Event) -> None:
        """Put an event in while playing; one whose time has passed happens in the next tick."""
        at = max(self._tick_of(event.at), self.tick)
        event = event.model_copy(update={"at": at * self.tick_s})
        self.kept.append(event)
        place = next((i for i, (tick, _) in enumerate(self._events) if tick > at), len(self._events))
        self._events.insert(place, (at, event))

    def summary(self) -> Summary:
        """Tell what has been played so far."""
        finishes = (*self.processor.finished, *self.processor.unfinished)
        return self._tally.summary(self.ground, self.state, self.tick, finishes, tuple(self.log))

    def savings(self) -> Savings | None:
        """Tell what elastic memory has saved so far; None where no elastic guest has been on."""
        return self._tally.savings()

    # Playing

    def run(self, until_s: float | None = None, *, most_ticks: int | None = None) -> None:
        """Play on until a time, or the end; ``most_ticks`` bounds how many ticks are worked out."""
        end = self.end_tick if until_s is None else min(self.end_tick, math.ceil(until_s / self.tick_s - _ALMOST))
        worked = 0
        while self.tick < end and (most_ticks is None or worked < most_ticks):
            self.step(end)
            worked += 1
        self.recording.flush()

    def step(self, end_tick: int | None = None) -> None:
        """Play one tick, and where skipping is allowed the quiet ones after it, up to a tick."""
        tick, end = self.tick, self.end_tick if end_tick is None else end_tick
        while self._events and self._events[0][0] <= tick:
            self._happen(self._events.pop(0)[1])
        if self.power.is_busy or self.power.next_agent <= tick:
            self.power.step(tick)
        if self._has_regrouped:
            self._has_regrouped = False
            self._note_memory()
        if self.work.read(tick):
            seen = self.work.now[WORKING : TOUCHED + 1]
            self._inputs_moved = self._inputs_moved or not np.array_equal(seen, self._seen_memory)
        self._look(tick)
        if self.processor.divide(self.work.now):
            self._tally.note_cpu(tick, self.state)
        self.processor.work(self.work.now, tick)
        self._tell_finishes()
        if self._watch is not None:
            self._watch(self)
        following = min(self._next(tick), end) if self._skip else tick + 1
        if following > tick + 1:
            self.processor.skip(self.work.now, tick, following - tick - 1)
        self._record(following)
        self.tick = following

    def _next(self, tick: int) -> int:
        """Give the next tick in which something can change."""
        following = tick + 1
        if self.power.is_busy:
            return following
        due = [self.end_tick, self.work.next_due(following), self.power.next_agent, self.processor.next_change(tick)]
        if self._events:
            due.append(self._events[0][0])
        if self._inputs_moved or not self.memory.is_settled:
            due.append(self._next_look(following))
        elif self.memory.next_timer < s.NEVER:
            due.append(self._next_look(max(following, self.memory.next_timer)))
        return max(following, min(due))

    # Memory

    def _look_number(self, tick: int) -> int:
        return int(tick * self.tick_s / self.compiled.plan.rules.look_s + _ALMOST)

    def _next_look(self, tick: int) -> int:
        """Give the first tick from one on in which the memory controllers look."""
        look_s = self.compiled.plan.rules.look_s
        if tick == 0 or self._look_number(tick) > self._look_number(tick - 1):
            return tick
        return math.ceil((self._look_number(tick) + 1) * look_s / self.tick_s - _ALMOST)

    def _look(self, tick: int) -> None:
        """Let the memory controllers look if it is time and there is anything to see."""
        if tick == 0 or self._look_number(tick) == self._look_number(tick - 1):
            return
        work = self.work.now
        is_due = self._inputs_moved or not self.memory.is_settled or tick >= self.memory.next_timer
        if self._skip and not (is_due or self.power.is_busy):
            return
        look_s = self.compiled.plan.rules.look_s
        last = math.ceil(self._look_number(tick - 1) * look_s / self.tick_s - _ALMOST)
        self._seen_memory = work[WORKING : TOUCHED + 1].copy()
        before: list[NDArray[Any]] = [self.state.cause, self.state.met, self.state.pace]
        moved = self.memory.look(work, tick, (tick - last) * self.tick_s)
        self._inputs_moved = False
        self.power.looked()
        after: list[NDArray[Any]] = [self.state.cause, self.state.met, self.state.pace]
        if moved or not all(np.array_equal(a, b) for a, b in zip(before, after, strict=True)):
            self._note_memory()
            self._tell_pressure()

    def _note_memory(self) -> None:
        places = tuple((place.number, place.pressure, place.free) for place in self.memory.places)
        self._tally.note_memory(self.tick, self.state, self.ground, places)

    def _tell_pressure(self) -> None:
        found = [place.pressure for place in self.memory.places]
        for place, old, new in zip(self.memory.places, self._pressures, found, strict=False):
            if old != new:
                bank = place.number > 0
                hosts = self.compiled.plan.hosts
                where = hosts[place.number - 1] if bank else hosts[0] if hosts else None
                name = f"the bank of {where.label}" if bank and where else where.label if where else "the host"
                self._tell("pressure", where.id if where else "", f"{name}: {PRESSURES[new]}, it was {PRESSURES[old]}")
        self._pressures = found

    # Recording

    def _record(self, following: int) -> None:
        every = self.recording.every_s / self.tick_s
        until = min(math.ceil(following / every - _ALMOST), self.recording.times_s.size)
        if following >= self.end_tick:
            until = self.recording.times_s.size
        if until > self.recording.rows:
            main = self.memory.places[0]
            site = (
                self.processor.supply, sum(place.supply for place in self.memory.places), main.free,
                float(max(place.pressure for place in self.memory.places)), self._tally.saved_now,
            )  # fmt: skip
            self.recording.put(self.state, site, until)

    # Events

    def _tick_of(self, at_s: float) -> int:
        return math.ceil(at_s / self.tick_s - _ALMOST)

    def _tell(self, kind: Kind, target: str, text: str) -> None:
        self.log.append(Entry(self.now_s, kind, target, text))

    def _tell_finishes(self) -> None:
        for finish in self.processor.finished[self._told_finishes :]:
            late = finish.late_s or 0.0
            if late >= 1:
                text = f"batch work of {finish.guest} due at {format_time(finish.due_s)} is done {_span(late)} late"
                self._tell("finish", finish.guest, text)
        self._told_finishes = len(self.processor.finished)

    def _happen(self, event: Event) -> None:
        plan = self.compiled.plan
        if isinstance(event, SetEvent):
            self._set(event)
        elif isinstance(event, SurgeEvent):
            inside = pools_within(plan, event.target) if event.target in plan.pool_index else set()
            places = self.compiled.tree.guest_place
            hit = [places[i] for i, g in enumerate(plan.guests) if g.id == event.target or g.pool in inside]
            end = max(self.tick + 1, self._tick_of(event.at + event.for_s))
            self.work.surge(np.array(hit, dtype=np.int64), float(event.factor), end)
            item = plan.guests[plan.guest_index[event.target]] if event.target in plan.guest_index else None
            label = item.label if item is not None else plan.pools[plan.pool_index[event.target]].label
            factor = format_number(event.factor, 1)
            self._tell(
                "surge", event.target, f"the demand of {label} is {factor} times as high for {_span(event.for_s)}"
            )
        elif isinstance(event, PowerEvent):
            guest = plan.guests[plan.guest_index[event.target]]
            place = int(self.compiled.tree.guest_place[plan.guest_index[event.target]])
            {"power-on": self.power.power_on, "power-off": self.power.power_off, "restart": self.power.restart}[
                event.do
            ](guest, place)
        else:
            self._tell("refused", event.target, f"{event.do} cannot be played: guests and hosts stay where they are")

    def _set(self, event: SetEvent) -> None:
        changes = ", ".join(f"{name} = {_value(value)}" for name, value in event.change.items())
        try:
            plan = changed_plan(self.ground.compiled, event.target, event.change)
        except EditError as error:
            self._tell("refused", event.target, f"{event.target}: {changes} is refused: {error}")
            return
        old = self.compiled
        self.compiled = old.with_plan(plan)
        if self.compiled.signals is not old.signals or plan.rules.workload != old.plan.rules.workload:
            self.work.take(self.compiled)
            self.work.read(self.tick, anew=True)
        self.plans.append((self.now_s, plan))
        self._regroup()
        self._tell("set", event.target, f"{event.target}: {changes}")

    def _regroup(self) -> None:
        """Make the ground anew after settings, phases or agents changed."""
        self.ground = ground_of(self.compiled, self.state)
        self.memory.take(self.ground)
        self.processor.take(self.ground)
        self._inputs_moved = self._has_regrouped = True


def _span(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    hours, minutes = divmod(minutes, 60)
    if hours:
        return f"{hours} h {minutes:02d} min"
    return f"{minutes} min" if minutes and not rest else f"{minutes} min {rest:02d} s" if minutes else f"{rest} s"


def _value(value: object) -> str:
    return "none" if value is None else format_number(value) if isinstance(value, int | float) else str(value)
