"""Playing a plan: one public step; everything else is a loop over it. Section 7 of docs/model.md."""

from __future__ import annotations

import copy
import math
from collections.abc import Callable, Sequence
from typing import Any, Final

import numpy as np

from ruvex.divide import Asked
from ruvex.engine import rows as r
from ruvex.plan import (
    EditError,
    Event,
    HostEvent,
    MoveEvent,
    Plan,
    PowerEvent,
    SetEvent,
    SurgeEvent,
    pools_within,
)
from ruvex.play import happenings as h
from ruvex.play._balance import Balance
from ruvex.play._bounds import check_length, spacing
from ruvex.play._events import NotPromisedError, changed_site
from ruvex.play._log import Kind, LogEntry, told_pressures
from ruvex.play._moves import Moves
from ruvex.play._power import Power
from ruvex.play._record import Recording
from ruvex.play._state import State
from ruvex.play._summary import Finish, Savings, Summary, guests_of, places_of, savings_of
from ruvex.play._ticks import Ticks
from ruvex.site import Site, Volumes, flow_ids_of

_ALMOST: Final = 1e-9
_MANY: Final = 1 << 62

Watch = Callable[["Player"], None]


class Player:
    """Plays a plan tick by tick.

    Parameters
    ----------
    site
        The plan as arrays.
    until_s
        Where to stop, s; the end of the day if left out.
    record_s
        How far apart the recorded rows are, s; 10 if left out, more for a longer day or more than 2 300 guests.
        Infinity records nothing.
    skip
        Whether to pass over ticks in which nothing changes. The result is the same to the bit.
    watch
        Called after every tick that was worked out; tests check the invariants there.

    Raises
    ------
    TooMuchError
        It would take too many ticks, or a recording too much memory.

    Attributes
    ----------
    ticks, state
        The ticks as they are run, and what is going on.
    recording
        What was.
    plans
        The settings in force, each with the time since which they are.
    kept
        The events that were put in while playing, in the order of their times.

    Notes
    -----
    The order within a tick is events, power life-cycle, workload signals, memory controllers, memory division, moves
    limited by rates, CPU division, pace, record. Equal plans give equal results to the bit: ties go by memory shares,
    then plan order; nothing is drawn by chance. A player can be copied and pickled at any time; its copy plays on by
    itself, to the same bits.
    """

    def __init__(
        self, site: Site, *, until_s: float | None = None, record_s: float | None = None, skip: bool = True,
        watch: Watch | None = None,
    ) -> None:  # fmt: skip
        plan = site.plan
        self.tick_s, self._watch = plan.tick_s, watch
        end_s = plan.day_s if until_s is None else min(until_s, plan.day_s)
        self.end_tick = math.ceil(end_s / self.tick_s - _ALMOST)
        check_length(self.end_tick, self.tick_s, len(plan.guests))
        banks = [f"{plan.hosts[int(host)].id}:bank" for host in site.forest.banks]
        places = (*([host.id for host in plan.hosts] or [""]), *banks)
        guests = tuple(guest.id for guest in plan.guests)
        every_s = spacing(record_s, self.end_tick * self.tick_s, self.tick_s, len(guests), len(places))
        self.recording = Recording(
            guests, places, None if math.isinf(every_s) else every_s, self.end_tick * self.tick_s,
            flow_ids_of(plan),
        )  # fmt: skip
        self.state = State(len(plan.guests), site.hosts.shape[1])
        self._entries: list[LogEntry] = []
        self._pressures: dict[int, list[tuple[float, int]]] = {}
        self.kept: list[Event] = []
        self.plans: list[tuple[float, Plan]] = [(0.0, plan)]
        self._places: list[tuple[float, list[int], list[bool], Volumes]] = []
        self._events = sorted(((self._tick_of(event.at), event) for event in plan.events), key=lambda pair: pair[0])
        self._finished: list[Finish] = []
        # The state is filled in before the first tick can be made ready.
        self.state.codes[r.C_HOST] = site.standing.host
        self.state.up[:] = site.standing.up
        self.ticks = Ticks(site, self.state, self.end_tick, self.recording, skip=skip)
        self.moves = Moves(self.ticks, self._tell)
        self.power = Power(self.ticks, self.moves, self._tell)
        self.balance = Balance(self.ticks, self.moves)
        self.power.settle_in(site)
        self.ticks.regroup()
        self.ticks.settle()
        self._note_places()

    # What people ask

    @property
    def site(self) -> Site:
        """The plan in force, with who is on now."""
        return self.ticks.site

    @property
    def tick(self) -> int:
        """The next tick to be played."""
        return self.ticks.tick

    @property
    def now_s(self) -> float:
        """The time of the next tick, s since the start of the day."""
        return self.tick * self.tick_s

    @property
    def is_over(self) -> bool:
        """Whether the end has been reached."""
        return self.tick >= self.end_tick

    @property
    def demand(self) -> Asked:
        """What the work asks for now, with the pages touched so far and what greedy work has taken."""
        values = self.ticks.now.copy()
        values[r.W_WORKING] = np.maximum(values[r.W_WORKING], self.state.hoard)
        values[r.W_TOUCHED] = np.maximum(values[r.W_TOUCHED], self.state.touched)
        return Asked(values)

    def insert(self, event: Event) -> None:
        """Put an event in while playing; one whose time has passed happens in the next tick."""
        at = max(self._tick_of(event.at), self.tick)
        event = event.model_copy(update={"at": at * self.tick_s})
        self.kept.append(event)
        place = next((i for i, (tick, _) in enumerate(self._events) if tick > at), len(self._events))
        self._events.insert(place, (at, event))

    def plan_at(self, at_s: float, on: Sequence[bool]) -> Plan:
        """Give the settings that were in force at a time that has been played, with everybody where it was then.

        Parameters
        ----------
        at_s
            The time, s since the start of the day.
        on
            Which guests were on then, in plan order.
        """
        plan = next(plan for since, plan in reversed(self.plans) if since <= at_s)
        _, host, up, _ = self._place_at(at_s)
        guests = []
        for guest, is_on, at in zip(plan.guests, on, host, strict=True):
            update: dict[str, Any] = {} if guest.is_powered == is_on else {"power": "on" if is_on else "off"}
            there = plan.hosts[at].id if plan.hosts and at >= 0 else None
            if len(plan.hosts) > 1 and there != guest.host and there is not None:
                update["host"] = there
            guests.append(guest.model_copy(update=update) if update else guest)
        hosts = plan.hosts
        if any(there.up != is_up for there, is_up in zip(hosts, up, strict=False)):
            hosts = tuple(there.model_copy(update={"up": is_up}) for there, is_up in zip(hosts, up, strict=False))
        return plan.model_copy(update={"guests": tuple(guests), "hosts": hosts})

    def volumes_at(self, at_s: float) -> Volumes:
        """Give which guest had which spill volume at a time that has been played, as ``Standing.volumes`` has them."""
        return self._place_at(at_s)[-1]

    def _place_at(self, at_s: float) -> tuple[float, list[int], list[bool], Volumes]:
        return next(noted for noted in reversed(self._places) if noted[0] <= at_s or noted[0] == 0.0)

    def settings_number(self, at_s: float) -> tuple[int, int]:
        """Give how often, up to a time, settings were changed, and guests, hosts or volumes came to stand otherwise."""
        return sum(since <= at_s for since, _ in self.plans), sum(since <= at_s for since, *_ in self._places)

    @property
    def log(self) -> list[LogEntry]:
        """What has happened so far, in the order of time."""
        plan, trees = self.site.plan, self.site.forest.trees
        told = []
        for place, noted in sorted(self._pressures.items()):
            kind, host = trees.places[[r.L_KIND, r.L_HOST], place].tolist()
            there = plan.hosts[host] if plan.hosts else None
            for at_s, level, before in told_pressures(noted, self.now_s):
                what = h.PressureChanged(level, before, kind == r.BANK_PLACE)
                told.append(LogEntry(at_s, "pressure", there.id if there else "", what))
        return sorted([*self._entries, *told], key=lambda entry: entry.at_s)

    def summary(self) -> Summary:
        """Tell what has been played so far."""
        plan = self.site.plan
        jobs = [
            Finish(plan.guests[int(job[r.J_GUEST])].id, job[r.J_DUE_S], None, job[r.J_AMOUNT])
            for job in self.ticks.unfinished()
        ]
        return Summary(
            plan.name, self.now_s, guests_of(self.ticks), places_of(self.ticks), (*self._finished, *jobs),
            tuple(self.power.bridges), tuple(self.moves.done), self.savings(), tuple(self.log),
        )  # fmt: skip

    def savings(self) -> Savings | None:
        """Tell what elastic memory has saved so far; None where no elastic guest has been on."""
        return savings_of(self.ticks)

    def __deepcopy__(self, _memo: Any) -> Player:
        """Give a copy that plays on by itself; the plan is shared, which nobody changes."""
        return self.copy()

    def copy(self) -> Player:
        """Give a copy that plays on by itself, to the same bits; whoever watches this one does not watch it."""
        other: Player = object.__new__(Player)
        other.__dict__.update(self.__dict__)
        other._watch = None
        other.state = copy.deepcopy(self.state)
        other.recording = copy.deepcopy(self.recording)
        for name in ("_entries", "kept", "plans", "_places", "_events", "_finished"):
            setattr(other, name, list(getattr(self, name)))
        other._pressures = {place: list(noted) for place, noted in self._pressures.items()}
        other.ticks = self.ticks.copy(other.state, other.recording)
        other.moves = Moves(other.ticks, other._tell)
        other.power = Power(other.ticks, other.moves, other._tell)
        other.balance = Balance(other.ticks, other.moves)
        for name in ("under_way", "done"):
            setattr(other.moves, name, copy.deepcopy(getattr(self.moves, name)))
        for name in ("bridges", "_queue", "_bridged_since", "_notices", "_is_tried"):
            setattr(other.power, name, copy.deepcopy(getattr(self.power, name)))
        return other

    def __getstate__(self) -> dict[str, Any]:
        """Give what is pickled: all but whoever watches."""
        return self.__dict__ | {"_watch": None}

    # Playing

    def run(self, until_s: float | None = None, *, most_ticks: int | None = None) -> None:
        """Play on until a time, or the end; ``most_ticks`` bounds how many ticks are worked out."""
        end = self.end_tick if until_s is None else min(self.end_tick, math.ceil(until_s / self.tick_s - _ALMOST))
        most = _MANY if most_ticks is None else most_ticks
        begun = int(self.ticks.counters[r.Z_WORKED])
        while self.tick < end and (left := most - (int(self.ticks.counters[r.Z_WORKED]) - begun)) > 0:
            self._piece(end, left if self._watch is None else 1)
        self._leave_readable()

    def step(self, end_tick: int | None = None) -> None:
        """Play one tick, and where skipping is allowed the quiet ones after it, up to a tick."""
        self._piece(self.end_tick if end_tick is None else end_tick, 1)
        self._leave_readable()

    def _piece(self, end: int, most: int) -> None:
        """Do what stands before a tick, then play on to where something stands before one again."""
        tick = self.tick
        while self._events and self._events[0][0] <= tick:
            self._happen(self._events.pop(0)[1])
        self.ticks.end_surges()
        self.moves_step(tick)
        self.power.step()
        if self.balance.is_due:
            self.balance.step(self.demand)
        self._note_places()
        event_due = self._events[0][0] if self._events else r.NEVER
        due = min(self.power.next_due, self.balance.next_due, self.ticks.next_surge_end, event_due)
        stop = min(end, max(due, tick + 1))
        if self.moves.under_way:
            stop = min(stop, tick + 1)
        ending = self.ticks.run(stop, most, waits=self.power.waits)
        if ending == r.E_LOOKED:
            self.power.try_again()
        self._take_notes()
        if self._watch is not None and ending != r.E_ROOM:
            self._watch(self)

    def _note_places(self) -> None:
        """Keep on which host everybody is, which hosts are up and whom volumes serve, from now on."""
        now = self.state.host.tolist(), self.state.up.tolist(), self.state.volumes
        if not self._places or self._places[-1][1:] != now:
            self._places.append((self.now_s, *now[:2], dict(now[2])))

    def moves_step(self, tick: int) -> None:
        """Let guests on their way copy for a tick; what set out in this one waits for the next."""
        if self.moves.under_way and any(move.at_s < tick * self.tick_s for move in self.moves.under_way):
            self.moves.step()

    def _leave_readable(self) -> None:
        self.ticks.leave_readable()

    # Telling

    def _tick_of(self, at_s: float) -> int:
        return math.ceil(at_s / self.tick_s - _ALMOST)

    def _tell(self, kind: Kind, target: str, what: h.Happening) -> None:
        self._entries.append(LogEntry(self.now_s, kind, target, what))

    def _take_notes(self) -> None:
        plan = self.site.plan
        for what, at, thing, first, second in self.ticks.take_notes():
            if what == r.K_PRESSURE:
                self._pressures.setdefault(int(thing), []).append((at * self.tick_s, int(second)))
                continue
            guest = plan.guests[int(thing)]
            finish = Finish(guest.id, first, max(first, at), second)
            self._finished.append(finish)
            late = finish.late_s or 0.0
            if late > 1.5 * self.tick_s:
                self._entries.append(LogEntry(at, "finish", guest.id, h.DoneLate(finish.due_s, late)))

    # Events

    def _happen(self, event: Event) -> None:
        plan = self.site.plan
        if isinstance(event, SetEvent):
            self._set(event)
        elif isinstance(event, SurgeEvent):
            inside = pools_within(plan, event.target) if event.target in plan.pool_index else set()
            hit = [i for i, g in enumerate(plan.guests) if g.id == event.target or g.pool in inside]
            self.ticks.surge(hit, float(event.factor), max(self.tick + 1, self._tick_of(event.at + event.for_s)))
            self._tell("surge", event.target, h.Surged(float(event.factor), float(event.for_s)))
        elif isinstance(event, PowerEvent):
            guest = plan.guest_index[event.target]
            {"power-on": self.power.power_on, "power-off": self.power.power_off, "restart": self.power.restart}[
                event.do
            ](guest)
        elif isinstance(event, MoveEvent):
            self._move(plan.guest_index[event.target], plan.host_index[event.host])
        else:
            assert isinstance(event, HostEvent)
            host = plan.host_index[event.target]
            (self.power.lose_host if event.do == "host-down" else self.power.regain_host)(host)

    def _move(self, guest: int, to: int) -> None:
        plan, state = self.site.plan, self.state
        if state.phase[guest] >= r.BOOTING:
            self.moves.begin(guest, to)
            return
        item = plan.guests[guest]
        if item.in_bank and plan.hosts[to].bank is None:
            why = h.Ruled("it lives in a bank, and there is none")
            self._tell("refused", item.id, h.NotMoved(plan.hosts[to].id, why))
            return
        self.ticks.count()
        state.host[guest] = to
        self.ticks.regroup()
        self.power.try_again()
        self._tell("move", item.id, h.MovedOff(plan.hosts[to].id))

    def _set(self, event: SetEvent) -> None:
        try:
            site = changed_site(self.site, event.target, event.change, self.moves.arriving)
        except EditError as error:
            told = h.Ruled("; ".join(str(error).splitlines()))
            why = h.Short(error.refusal) if isinstance(error, NotPromisedError) else told
            self._tell("refused", event.target, h.NotChanged(event.change, why))
            return
        self.ticks.count()
        self.ticks.take(site)
        self.ticks.regroup()
        self.power.try_again()
        self.plans.append((self.now_s, site.plan))
        self._tell("set", event.target, h.Changed(event.change))
