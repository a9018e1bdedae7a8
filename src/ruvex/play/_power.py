"""The power life-cycle: off, queued, booting, running. Section 7 of docs/model.md, power."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Final, Protocol

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Taken, Volumes, Waiting, admit_in_order, columns, in_starting_order, on_hdd, overhead_when_on
from ruvex.plan import Guest, format_cpu, format_memory
from ruvex.play import _state as s
from ruvex.play._ground import Ground
from ruvex.play._log import Kind
from ruvex.play._memory import Memory
from ruvex.play._places import PlaceState
from ruvex.play._processor import Processor
from ruvex.play._state import State

_DONE: Final = 1e-9
_RECLAIMING: Final = "reclaim"
_NOISE: Final = 1e-9
_MEMORY_KINDS: Final = ("memory", "host-memory", "bank")


class Tell(Protocol):
    """Writes a line of the log."""

    def __call__(self, kind: Kind, target: str, text: str) -> None:
        """Write what happened to a target now."""


@dataclass(slots=True)
class _Start:
    """A guest that waits to be started."""

    is_restart: bool
    bridged: float = 0.0
    told: str = ""
    """What it was last said to lack."""


@dataclass(slots=True, eq=False)
class Power:
    """Switches guests on and off.

    Attributes
    ----------
    state, memory, processor
        What it works on.
    ground
        Gives the ground in force; ``regroup`` makes it anew after somebody went on or off.
    tell
        Writes the log.
    tick_s
        Seconds a tick.
    """

    state: State
    memory: Memory
    processor: Processor
    ground: Callable[[], Ground]
    regroup: Callable[[], None]
    tell: Tell
    tick_s: float
    volumes: Volumes = field(default_factory=Volumes)
    _queue: dict[int, _Start] = field(default_factory=dict)
    _looks: int = 0
    _boots: bool = False
    _tried: tuple[object, int] | None = None

    @property
    def is_busy(self) -> bool:
        """Whether somebody boots or waits to be started."""
        return bool(self._queue) or self._boots

    @property
    def next_agent(self) -> int:
        """The first tick at which an agent will have loaded."""
        return int(self.state.agent_due.min(initial=s.NEVER))

    def _guest(self, place: int) -> Guest:
        compiled = self.ground().compiled
        return compiled.plan.guests[int(np.flatnonzero(compiled.tree.guest_place == place)[0])]

    def looked(self) -> None:
        """Take note that the memory controllers looked: what waits is tried again."""
        self._looks += 1

    # What events ask for

    def power_on(self, guest: Guest, place: int) -> None:
        """Queue a guest that is off; whether it can start is seen in this tick's life-cycle step."""
        if self.state.phase[place] != s.OFF:
            self.tell("refused", guest.id, f"{guest.label} is on already")
            return
        self.state.phase[place] = s.QUEUED
        self._queue[place], self._tried = _Start(is_restart=False), None

    def power_off(self, guest: Guest, place: int) -> None:
        """Switch a guest off; all it held is free."""
        if self.state.phase[place] == s.OFF:
            self.tell("refused", guest.id, f"{guest.label} is off already")
            return
        self._release(place)
        self._queue.pop(place, None)
        self.volumes.release(guest.id)
        self.tell("power", guest.id, f"{guest.label} is switched off")

    def restart(self, guest: Guest, place: int) -> None:
        """Let a guest that is on begin anew; where its boot size cannot be found, disk stands in for the rest."""
        if self.state.phase[place] < s.BOOTING:
            self.tell("refused", guest.id, f"{guest.label} is not on, so it cannot be restarted")
            return
        self._release(place)
        self.state.phase[place] = s.QUEUED
        ground = self.ground()
        start = self._queue[place] = _Start(is_restart=True)
        self._tried = None
        if ground.elastic[place]:
            size, floor = float(ground.guests[columns.SIZE, place]), float(ground.guests[columns.FLOOR, place])
            _, waiting = admit_in_order(ground.compiled, [guest.id])
            promised = size
            if waiting and waiting[0].kind in _MEMORY_KINDS:
                promised = size - waiting[0].shortfall
            where = self.memory.place_of(place)
            found = self._to_be_had(where) - float(overhead_when_on(ground.compiled)[place])
            start.bridged = size - min(max(min(promised, found), floor), size)
        self.tell("power", guest.id, f"{guest.label} is restarted")

    def _release(self, place: int) -> None:
        ground = self.ground()
        if self.state.on[place]:
            where, held = self.memory.place_of(place), self.memory.held.copy()
            where.free += max(float(self.state.given[place]), float(held[place]))
            held[place] = 0.0
            self.memory.held = held
            self.memory.places[0].free += float(overhead_when_on(ground.compiled)[place])
        self.state.switch_off(place)
        self.processor.drop(place)
        self.regroup()

    # The step of every tick

    def step(self, tick: int) -> bool:
        """Finish boots, let agents load, start what can start; tells whether anybody's phase changed."""
        changed = self._finish_boots(tick)
        changed = self._load_agents(tick) or changed
        if changed:
            self.regroup()
        if self._queue:
            changed = self._try_starts() or changed
        self._boots = bool((self.state.phase == s.BOOTING).any())
        return changed

    def _finish_boots(self, tick: int) -> bool:
        state = self.state
        ready = np.flatnonzero((state.phase == s.BOOTING) & (state.boot_left <= _DONE))
        for place in ready.tolist():
            guest = self._guest(place)
            state.phase[place], state.boot_left[place] = s.RUNNING, 0.0
            # What was missing of its boot size says nothing of its work: the next look judges that.
            state.met, state.pace, state.cause = state.met.copy(), state.pace.copy(), state.cause.copy()
            state.met[place], state.pace[place], state.cause[place] = 1.0, 1.0, s.NO_CAUSE
            if guest.agent:
                agent_s = self.ground().compiled.plan.rules.starting.agent_s
                state.agent_due[place] = tick + math.ceil(agent_s / self.tick_s - _DONE)
            self.tell("start", guest.id, f"{guest.label} has booted")
        return bool(ready.size)

    def _load_agents(self, tick: int) -> bool:
        state = self.state
        ready = np.flatnonzero(state.agent_due <= tick)
        for place in ready.tolist():
            guest = self._guest(place)
            state.agent[place], state.agent_due[place] = True, s.NEVER
            bridged = float(state.bridged[place])
            # Until the host brings the guest to its need, what disk stood in for is in its balloon.
            state.bridged, state.balloon = state.bridged.copy(), state.balloon.copy()
            state.bridged[place], state.balloon[place] = 0.0, state.balloon[place] + bridged
            self.tell("agent", guest.id, f"the agent of {guest.label} has loaded")
            if bridged > 0:
                self.tell(
                    "bridge", guest.id, f"the boot bridge of {guest.label} ({format_memory(bridged)}) is released"
                )
        return bool(ready.size)

    # Starting

    def _try_starts(self) -> bool:
        token = (self.ground(), self._looks)
        if self._tried == token:
            return False
        ground, waits = self.ground(), dict[int, tuple[str, str]]()
        index, where = ground.compiled.plan.guest_index, ground.compiled.tree.guest_place
        again = [self._guest(place).id for place, start in self._queue.items() if start.is_restart]
        cold = [self._guest(place).id for place, start in self._queue.items() if not start.is_restart]
        admitted, waiting = admit_in_order(ground.compiled, in_starting_order(ground.compiled, cold))
        for lacking in waiting:
            waits[int(where[index[lacking.guest]])] = ("promise", _short_text(ground, lacking))
        changed = False
        for place in self.memory.places:
            place.wanted_by_start = 0.0
        can_be_had = {place.number: self._to_be_had(place) for place in self.memory.places}
        for guest_id in [*in_starting_order(ground.compiled, again), *admitted]:
            at = int(where[index[guest_id]])
            problem = self._start(at, can_be_had)
            if problem is not None:
                waits[at] = problem
            else:
                changed = True
        if changed:
            self.regroup()
        self._tell_waits(waits)
        self._tried = (self.ground(), self._looks)
        return changed

    def _start(self, at: int, can_be_had: dict[int, float]) -> tuple[str, str] | None:
        """Start a guest that promises allow, or tell what it lacks, in a word and in a sentence."""
        guest, ground, state, start = self._guest(at), self.ground(), self.state, self._queue[at]
        if guest.in_bank and (lacks := self._find_volume(guest, at)):
            return "volume", lacks
        g, place = ground.guests, self.memory.place_of(at)
        thin = bool(ground.thin[at])
        need = float(g[columns.MEMORY_RESERVATION, at]) if thin else float(g[columns.SIZE, at]) - start.bridged
        overhead = float(overhead_when_on(ground.compiled)[at])
        hosts = self.memory.places[0]
        needs = {place.number: need, 0: overhead} if place is not hosts else {0: need + overhead}
        rules = ground.compiled.plan.rules
        short = ""
        for here in self.memory.places:
            more = needs.get(here.number, 0.0)
            mark = rules.pressure.refusing_percent / 100 * here.supply
            if more > 0 and more > here.free - mark + _NOISE * max(1.0, here.supply):
                if more > can_be_had[here.number] + _NOISE * max(1.0, here.supply):
                    found = format_memory(max(0.0, can_be_had[here.number]))
                    return "memory", f"{format_memory(more)} of memory cannot be found now, only {found}"
                here.wanted_by_start += more
                can_be_had[here.number] -= more
                short = f"{format_memory(more)} of memory are being reclaimed"
        if short:
            return _RECLAIMING, short
        for here in self.memory.places:
            here.free -= needs.get(here.number, 0.0)
        state.phase[at], state.boot_left[at], state.bridged[at] = s.BOOTING, guest.boot_s, start.bridged
        state.visible, state.given = state.visible.copy(), state.given.copy()
        state.visible[at] = g[columns.SIZE, at]
        state.given[at] = 0.0 if thin else need
        self.memory.held = self.memory.held.copy()
        self.memory.held[at] = need
        del self._queue[at]
        self.tell("start", guest.id, f"{guest.label} boots")
        if start.bridged > 0:
            text = f"{format_memory(start.bridged)} of the boot size of {guest.label} cannot be found: disk stands in"
            self.tell("bridge", guest.id, text)
        return None

    def _find_volume(self, guest: Guest, at: int) -> str:
        """See to a spill volume for a guest of a bank; gives why there is none."""
        compiled = self.ground().compiled
        host = compiled.plan.host_of(guest)
        assert host is not None and host.bank is not None
        taken = self.volumes.take(host.id, host.bank, guest)
        if not isinstance(taken, Taken):
            return taken
        self.memory.on_hdd[at] = taken.volume.kind == "hdd"
        if taken.remark:
            self.tell("remark", guest.id, f"{guest.label}: {taken.remark}")
        return ""

    def _to_be_had(self, place: PlaceState) -> float:
        """Give what a start can be given now, MiB: what is free, and what those above their floor can give back.

        Below the mark of refusing nothing is given to starts.
        """
        ground = self.ground()
        can = (ground.thin | ground.breathing) & ground.on & self.memory.is_here(place)
        mark = ground.compiled.plan.rules.pressure.refusing_percent / 100 * place.supply
        return (
            place.free
            - mark
            + float(np.maximum(self.state.given - np.minimum(self.memory.held, ground.floor), 0.0)[can].sum())
        )

    def _tell_waits(self, waits: dict[int, tuple[str, str]]) -> None:
        """Refuse a lone start that finds nothing; what starts together with others waits for them."""
        starting = bool((self.state.phase == s.BOOTING).any()) or self.next_agent < s.NEVER
        is_lone = len(self._queue) == 1 and not starting
        for at, (lacks, problem) in waits.items():
            start, guest = self._queue[at], self._guest(at)
            if is_lone and not start.is_restart and lacks != _RECLAIMING:
                self.state.phase[at] = s.OFF
                del self._queue[at]
                self.volumes.release(guest.id)
                self.tell("refused", guest.id, f"{guest.label} does not start: {problem}")
            elif start.told != lacks:
                start.told = lacks
                self.tell("wait", guest.id, f"{guest.label} waits: {problem}")

    def settle_in(self, places: NDArray[np.int64]) -> None:
        """Let guests that were on before the day began find their spill volumes; those that cannot are off."""
        compiled = self.ground().compiled
        self.memory.on_hdd = on_hdd(compiled)
        for guest_id in in_starting_order(compiled, [self._guest(place).id for place in places.tolist()]):
            at = int(compiled.tree.guest_place[compiled.plan.guest_index[guest_id]])
            guest = self._guest(at)
            if guest.in_bank and (lacks := self._find_volume(guest, at)):
                self.state.phase[at] = s.OFF
                self.tell("refused", guest.id, f"{guest.label} does not start: {lacks}")


def _short_text(ground: Ground, lacking: Waiting) -> str:
    amount = format_cpu(lacking.shortfall) if lacking.kind == "cpu" else format_memory(lacking.shortfall)
    what = {"cpu": "CPU", "spill": "spill space", "bank": "the bank's memory"}.get(lacking.kind, "memory")
    plan = ground.compiled.plan
    pools = {pool.id: pool.label for pool in plan.pools}
    where = pools.get(lacking.place or "", "")
    return f"{amount} of {what} cannot be promised{f' in {where}' if where else ''}"
