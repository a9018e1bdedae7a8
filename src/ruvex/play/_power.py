"""The power life-cycle: off, queued, booting, running, and hosts that are lost. Section 7 of docs/model.md, power."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np

from ruvex.engine import rows as r
from ruvex.plan import Plan
from ruvex.play import happenings as h
from ruvex.play._log import Tell
from ruvex.play._moves import Bridge, Moves
from ruvex.play._state import State
from ruvex.play._ticks import Ticks
from ruvex.promise import Claims, Waiting, admit_in_order, claims_of
from ruvex.site import Site, Taken, allowed_hosts, by_room, comeback_turn, find_volume

_DONE: Final = 1e-9
_NOISE: Final = 1e-9
_MEMORY_KINDS: Final = ("memory", "host-memory", "bank")
_RECLAIMING: Final = "reclaim"


@dataclass(slots=True)
class _Start:
    """A guest that waits to be started.

    Attributes
    ----------
    is_restart, is_lost
        Whether it was on just now, and whether it comes back after the loss of its host.
    is_patient
        Whether it was asked for while others were starting: then it waits however long, alone or not.
    bridged
        What of its boot size disk stands in for, MiB.
    told
        What it was last said to lack.
    """

    is_restart: bool = False
    is_lost: bool = False
    is_patient: bool = False
    bridged: float = 0.0
    told: str = ""


class _Promises:
    """What promises say of starts, worked out once for as long as who is on and where does not change.

    With forty guests that wait and memory that moves in every tick, promises would else be added up forty times a tick.

    Parameters
    ----------
    site
        The plan, with who is on.
    arriving
        Guests on their way to another host, by their position that of the host.
    """

    def __init__(self, site: Site, arriving: Mapping[int, int]) -> None:
        self._site, self._arriving = site, dict(arriving)
        self._claims: dict[bool, Claims] = {}
        self._refused: dict[tuple[int, int, bool], Waiting | None] = {}

    def are_of(self, site: Site, arriving: Mapping[int, int]) -> bool:
        """Tell whether this is still how things are."""
        return self._site is site and self._arriving == arriving

    def claims(self, *, is_lost: bool) -> Claims:
        """Give all that is promised; what is set aside for a loss counts as promised but after one."""
        if is_lost not in self._claims:
            self._claims[is_lost] = claims_of(self._site, with_set_aside=not is_lost, arriving=self._arriving)
        return self._claims[is_lost]

    def refusal(self, i: int, host: int, *, is_lost: bool) -> Waiting | None:
        """Tell what promises lack for a guest to start on a host."""
        key = i, host, is_lost
        if key not in self._refused:
            plan = self._site.plan
            at = {plan.guests[i].id: host} if plan.hosts else {}
            _, waiting = admit_in_order(
                self._site, [plan.guests[i].id], claims=self.claims(is_lost=is_lost), on_host=at
            )
            self._refused[key] = waiting[0] if waiting else None
        return self._refused[key]


class Power:
    """Switches guests and hosts on and off.

    Attributes
    ----------
    bridges
        Boots that disk helped through, once they are over.
    """

    def __init__(self, ticks: Ticks, moves: Moves, tell: Tell) -> None:
        self._ticks, self._moves, self._tell = ticks, moves, tell
        self.bridges: list[Bridge] = []
        self._queue: dict[int, _Start] = {}
        self._bridged_since: dict[int, tuple[float, float]] = {}
        self._notices: list[tuple[int, list[int]]] = []
        self._is_tried = True
        self._known: _Promises | None = None

    @property
    def _state(self) -> State:
        return self._ticks.state

    @property
    def _site(self) -> Site:
        return self._ticks.site

    @property
    def waits(self) -> bool:
        """Whether starts wait."""
        return bool(self._queue)

    @property
    def next_due(self) -> int:
        """The first tick at which an agent will have loaded, or a loss is noticed; now where a start is to be tried."""
        if self._queue and not self._is_tried:
            return self._ticks.tick
        notice = min((tick for tick, _ in self._notices), default=r.NEVER)
        return min(int(self._state.agent_due.min(initial=r.NEVER)), notice)

    def try_again(self) -> None:
        """Take note that memory has moved, or that others are on: what waits is tried again."""
        self._is_tried = False

    def _label(self, i: int) -> str:
        return self._site.plan.guests[i].label

    # What events ask for

    def power_on(self, i: int) -> None:
        """Queue a guest that is off; whether it can start is seen in this tick's life-cycle step."""
        guest = self._site.plan.guests[i]
        if self._state.phase[i] != r.OFF:
            self._tell("refused", guest.id, h.Plain.ALREADY_ON)
            return
        self._enqueue(i, _Start())

    def power_off(self, i: int) -> None:
        """Switch a guest off; all it held is free."""
        guest = self._site.plan.guests[i]
        if self._state.phase[i] == r.OFF:
            self._tell("refused", guest.id, h.Plain.ALREADY_OFF)
            return
        self._release(i)
        self._queue.pop(i, None)
        self._tell("power", guest.id, h.Plain.SWITCHED_OFF)

    def restart(self, i: int) -> None:
        """Let a guest that is on begin anew; where its boot size cannot be found, disk stands in for the rest."""
        guest = self._site.plan.guests[i]
        if self._state.phase[i] < r.BOOTING:
            self._tell("refused", guest.id, h.Plain.NOT_ON)
            return
        volumes = dict(self._state.volumes)
        self._release(i)
        self._state.volumes = volumes
        start = _Start(is_restart=True)
        if guest.memory.mode == "elastic":
            g = self._site.guests[:, i]
            size, floor, overhead = float(g[r.G_SIZE]), float(g[r.G_FLOOR]), float(g[r.G_OVERHEAD])
            _, waiting = admit_in_order(self._site, [guest.id], claims=self._promises.claims(is_lost=False))
            promised = size - (waiting[0].shortfall if waiting and waiting[0].kind in _MEMORY_KINDS else 0.0)
            found = self._ticks.can_be_found(self._memory_place(i, int(self._state.host[i]))) - overhead
            start.bridged = size - min(max(min(promised, found), floor), size)
        self._enqueue(i, start)
        self._tell("power", guest.id, h.Plain.RESTARTED)

    def lose_host(self, host: int) -> None:
        """Let a host go down; after a while its guests are queued, to come back elsewhere."""
        plan, state = self._site.plan, self._state
        there = plan.hosts[host]
        if not state.up[host]:
            self._tell("refused", there.id, h.Plain.ALREADY_DOWN)
            return
        self._moves.lose_host(host)
        lost = [i for i in range(len(plan.guests)) if state.host[i] == host and state.phase[i] != r.OFF]
        self._ticks.count()
        state.up[host] = False
        for i in lost:
            self._queue.pop(i, None)
            self._clear(i)
        self._ticks.regroup()
        self.try_again()
        tick = self._ticks.tick + math.ceil(plan.rules.loss.notice_s / plan.tick_s - _DONE)
        back = [i for i in lost if plan.guests[i].comes_back != "stays-off"]
        if back:
            self._notices.append((tick, back))
        self._tell("host", there.id, h.HostDown(len(lost)))

    def regain_host(self, host: int) -> None:
        """Let a host come up, with nobody on it."""
        there = self._site.plan.hosts[host]
        if self._state.up[host]:
            self._tell("refused", there.id, h.Plain.ALREADY_UP)
            return
        self._ticks.count()
        self._state.up[host] = True
        self._ticks.regroup()
        self.try_again()
        self._tell("host", there.id, h.Plain.HOST_UP)

    def _enqueue(self, i: int, start: _Start) -> None:
        start.is_patient = start.is_lost or bool(self._queue) or bool((self._state.phase == r.BOOTING).any())
        for other in self._queue.values():
            # Those asked for in one tick are asked for together.
            other.is_patient = other.is_patient or not other.told
        self._state.phase[i] = r.QUEUED
        self._queue[i] = start
        self.try_again()

    def _clear(self, i: int) -> None:
        guest, now = self._site.plan.guests[i], self._ticks.now_s
        if i in self._bridged_since:
            since, mib = self._bridged_since.pop(i)
            self.bridges.append(Bridge(guest.id, since, now - since, mib))
        self._state.switch_off(i)
        self._ticks.drop_jobs(i)
        self._state.volumes = {key: owner for key, owner in self._state.volumes.items() if owner != guest.id}

    def _release(self, i: int) -> None:
        self._moves.drop(i)
        self._ticks.count()
        self._clear(i)
        self._ticks.regroup()
        self.try_again()

    # The step of every tick

    def step(self) -> None:
        """Finish boots, let agents load, notice losses, start what can start."""
        tick = self._ticks.tick
        changed = self._finish_boots(tick)
        changed = self._load_agents(tick) or changed
        if changed:
            self._ticks.regroup()
            self.try_again()
        self._notice(tick)
        if self._queue and not self._is_tried:
            self._is_tried = True
            self._try_starts()

    def _finish_boots(self, tick: int) -> bool:
        state, plan = self._state, self._site.plan
        ready = np.flatnonzero((state.phase == r.BOOTING) & (state.boot_left <= _DONE)).tolist()
        if ready:
            self._ticks.count()
        for i in ready:
            guest = plan.guests[i]
            state.phase[i], state.boot_left[i] = r.RUNNING, 0.0
            # What was missing of its boot size says nothing of its work: the next look judges that.
            state.met[i], state.pace[i], state.cause[i] = 1.0, 1.0, r.NO_CAUSE
            if guest.agent:
                state.agent_due[i] = tick + math.ceil(plan.rules.starting.agent_s / plan.tick_s - _DONE)
            self._tell("start", guest.id, h.Plain.BOOTED)
        return bool(ready)

    def _load_agents(self, tick: int) -> bool:
        state = self._state
        ready = np.flatnonzero(state.agent_due <= tick).tolist()
        if ready:
            self._ticks.count()
        for i in ready:
            guest = self._site.plan.guests[i]
            state.agent[i], state.agent_due[i] = 1, r.NEVER
            self._tell("agent", guest.id, h.Plain.AGENT_LOADED)
            bridged = float(state.bridged[i])
            if bridged > 0:
                # Until the host brings the guest to its need, what disk stood in for is in its balloon.
                state.bridged[i] = 0.0
                state.balloon[i] += bridged
                since, mib = self._bridged_since.pop(i)
                self.bridges.append(Bridge(guest.id, since, self._ticks.now_s - since, mib))
                self._tell("bridge", guest.id, h.BridgeReleased(bridged))
        return bool(ready)

    def _notice(self, tick: int) -> None:
        for due, guests in self._notices:
            if due <= tick:
                for i in guests:
                    if self._state.phase[i] == r.OFF:
                        self._enqueue(i, _Start(is_lost=True))
        self._notices = [notice for notice in self._notices if notice[0] > tick]

    # Starting

    def _order(self) -> list[int]:
        """Give those who wait in their turn: restarts, then by the plan for a loss, memory shares and plan order."""
        plan = self._site.plan

        def turn(i: int) -> tuple[bool, float, float, int]:
            start, (first, shares, at) = self._queue[i], comeback_turn(plan, i)
            return not start.is_restart, first if start.is_lost else math.inf, shares, at

        return sorted(self._queue, key=turn)

    @property
    def _promises(self) -> _Promises:
        known = self._known
        if known is None or not known.are_of(self._site, self._moves.arriving):
            known = self._known = _Promises(self._site, self._moves.arriving)
        return known

    def _memory_place(self, i: int, host: int) -> int:
        hosts = self._site.hosts.shape[1]
        if self._site.guests[r.G_BANKED, i] > 0:
            at = np.flatnonzero(self._site.forest.banks == host)
            if at.size:
                return int(2 * hosts + at[0])
        return int(hosts + max(host, 0))

    def _try_starts(self) -> None:
        waits: dict[int, tuple[str, h.Why]] = {}
        values = self._ticks.place_values
        waited = values[r.Q_WAITING].copy()
        values[r.Q_WAITING] = 0.0
        any_start = False
        for i in self._order():
            problem = self._try(i)
            if problem is not None:
                waits[i] = problem
            else:
                any_start = True
        if any_start or not np.array_equal(waited, values[r.Q_WAITING]):
            self._ticks.counters[r.Z_SETTLED] = 0
        self._tell_waits(waits)

    def _candidates(self, i: int, claims: Claims) -> tuple[list[int], str]:
        """Give the hosts on which a guest may be tried, the roomiest first, and what to say where there is none."""
        plan, state, start = self._site.plan, self._state, self._queue[i]
        guest = plan.guests[i]
        if not plan.hosts:
            return [0], ""
        host = int(state.host[i])
        is_free = start.is_lost or host < 0 or (plan.rules.balancing != "none" and not start.is_restart)
        if not is_free:
            return ([host], "") if state.up[host] else ([], f"{plan.hosts[host].label} is down")
        there = [h for h in allowed_hosts(plan, i, state.host, self._site.standing.on) if state.up[h]]
        if guest.in_bank:
            there = [h for h in there if plan.hosts[h].bank is not None]
        rooms = claims.host_allowed[:2] - claims.host_claimed[:2]
        return by_room(rooms, there), "no host that is up may take it"

    def _try(self, i: int) -> tuple[str, h.Why] | None:
        """Start a guest, or tell what it lacks, in a word and with figures; of several hosts that of the roomiest."""
        first: tuple[str, h.Why] | None = None
        start = self._queue[i]
        hosts, told = self._candidates(i, self._promises.claims(is_lost=start.is_lost))
        for host in hosts:
            problem: tuple[str, h.Why] | None = None
            if not start.is_restart:
                waiting = self._promises.refusal(i, host, is_lost=start.is_lost)
                if waiting is not None:
                    problem = "promise", h.Short(waiting)
            problem = problem or self._start(i, host)
            if problem is None or problem[0] == _RECLAIMING:
                return problem
            first = first or problem
        return first or ("host", h.Ruled(told))

    def _start(self, i: int, host: int) -> tuple[str, h.Why] | None:
        """Start a guest that promises allow on a host, if its memory is to be had there."""
        plan, state, start, values = self._site.plan, self._state, self._queue[i], self._ticks.place_values
        guest, g, hosts = plan.guests[i], self._site.guests[:, i], self._site.hosts.shape[1]
        taken: Taken | str | None = None
        if guest.in_bank:
            there = plan.hosts[host]
            assert there.bank is not None
            taken = find_volume(there.id, there.bank, guest, state.volumes)
            if not isinstance(taken, Taken):
                return "volume", h.Ruled(taken)
        place, is_thin = self._memory_place(i, host), guest.memory.mode == "thin"
        need = float(g[r.G_RESERVATION]) if is_thin else float(g[r.G_SIZE]) - start.bridged
        needs: dict[int, float] = {place: need}
        needs[hosts + max(host, 0)] = needs.get(hosts + max(host, 0), 0.0) + float(g[r.G_OVERHEAD])
        lacking: dict[int, float] = {}
        keeps: dict[int, float] = {}
        for where, more in needs.items():
            noise = _NOISE * max(1.0, float(values[r.Q_SUPPLY, where]))
            can = self._ticks.can_be_found(where)
            if more > can + noise:
                return "memory", h.NotFound(more, max(0.0, can))
            # What is free below the dire mark is left, where reclaim can find the rest.
            dire = plan.rules.pressure.dire_part * float(values[r.Q_KEPT, where])
            left = min(dire, max(0.0, can - more))
            free = float(values[r.Q_FREE, where] - values[r.Q_WAITING, where] - values[r.Q_ARRIVING, where])
            if more > 0 and more > free - left + noise:
                lacking[where] = more
                keeps[where] = left
        if lacking:
            for where, more in lacking.items():
                values[r.Q_WAITING, where] += more + keeps[where]
            return _RECLAIMING, h.Reclaiming(sum(lacking.values()))
        self._boot(i, host, need, taken)
        return None

    def _boot(self, i: int, host: int, need: float, taken: Taken | str | None) -> None:
        plan, state, start, g = self._site.plan, self._state, self._queue.pop(i), self._site.guests[:, i]
        guest = plan.guests[i]
        self._ticks.count()
        state.phase[i], state.boot_left[i], state.bridged[i] = r.BOOTING, guest.boot_s, start.bridged
        state.host[i], state.visible[i], state.floor[i] = host, g[r.G_SIZE], need
        state.given[i] = 0.0 if guest.memory.mode == "thin" else need
        state.backed[i] = state.given[i]
        state.by_use[i] = plan.rules.settling_by_use
        state.sees[i] = level_seen(plan, i, host)
        if isinstance(taken, Taken):
            state.volumes[plan.hosts[host].id, taken.volume.id] = guest.id
            if taken.remark:
                self._tell("remark", guest.id, h.Remarked(taken.remark))
        self._ticks.regroup()
        self._tell("start", guest.id, h.Boots(plan.hosts[host].id if len(plan.hosts) > 1 else None))
        if start.bridged > 0:
            self._bridged_since[i] = self._ticks.now_s, start.bridged
            self._tell("bridge", guest.id, h.Bridged(start.bridged))

    def _tell_waits(self, waits: Mapping[int, tuple[str, h.Why]]) -> None:
        """Refuse a lone start that finds nothing; what was asked for while others were starting waits."""
        for i, (lacks, why) in waits.items():
            start, guest = self._queue[i], self._site.plan.guests[i]
            if not (start.is_patient or start.is_restart or lacks == _RECLAIMING):
                self._state.phase[i] = r.OFF
                del self._queue[i]
                self._tell("refused", guest.id, h.NotStarted(why))
            elif start.told != lacks:
                start.told = lacks
                self._tell("wait", guest.id, h.StartWaits(why))

    def settle_in(self, site: Site) -> None:
        """Take over who is on in a plan before its day begins; a bank's guest that finds no spill volume is off."""
        state, plan = self._state, site.plan
        standing = site.standing
        state.codes[r.C_HOST] = standing.host
        state.up[:] = standing.up
        state.volumes = dict(standing.volumes)
        for i in np.flatnonzero(standing.on).tolist():
            guest, host = plan.guests[i], int(standing.host[i])
            bank = plan.hosts[host].bank if guest.in_bank else None
            if bank is not None:
                # Its own volume counts as free for it.
                taken = find_volume(plan.hosts[host].id, bank, guest, state.volumes)
                if not isinstance(taken, Taken):
                    self._tell("refused", guest.id, h.NotStarted(h.Ruled(taken)))
                    continue
                if taken.remark:
                    self._tell("remark", guest.id, h.Remarked(taken.remark))
            state.phase[i], state.agent[i] = r.RUNNING, int(guest.agent)
            state.sees[i] = level_seen(plan, i, host)


def level_seen(plan: Plan, i: int, host: int) -> int:
    """Give the level of processors that the programs of a guest see where it boots on a host."""
    level = plan.guests[i].cpu_level
    return level if level is not None else plan.hosts[host].cpu_level if plan.hosts else 0
