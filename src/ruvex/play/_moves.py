"""Moves of guests between hosts while they are on, and what is told of them: section 7 of docs/model.md."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Final

from ruvex.engine import rows as r
from ruvex.play import happenings as h
from ruvex.play._log import Tell
from ruvex.play._state import State
from ruvex.play._ticks import Ticks
from ruvex.promise import claims_of, refusal_between
from ruvex.site import live_move_problem

_MOST_ROUNDS: Final = 12
_LEFT_PERCENT: Final = 1.0
_ALMOST: Final = 1e-9


@dataclass(frozen=True, slots=True)
class Bridge:
    """A boot that disk helped through: which guest, since when, for how long, and for how much memory."""

    guest: str
    at_s: float
    for_s: float
    mib: float

    def to_json(self) -> dict[str, Any]:
        """Give it as the summary's document has it."""
        return {"guest": self.guest, "at_s": self.at_s, "for_s": self.for_s, "mib": self.mib}


@dataclass(frozen=True, slots=True)
class MoveDone:
    """A move between hosts: from where to where, when it began, how long it took and held the guest still.

    ``relieves`` is which part of what the guests of the old host lacked it was to take away, where it was begun to
    place guests better; else None.
    """

    guest: str
    source: str
    target: str
    at_s: float
    took_s: float
    held_still_s: float
    relieves: float | None = None

    def to_json(self) -> dict[str, Any]:
        """Give it as the summary's document has it."""
        return {
            "guest": self.guest, "from": self.source, "to": self.target, "at_s": self.at_s, "took_s": self.took_s,
            "held_still_s": self.held_still_s, "relieves": self.relieves,
        }  # fmt: skip


@dataclass(slots=True)
class Move:
    """One under way.

    Attributes
    ----------
    guest, source, target
        Positions.
    at_s
        When it began.
    length, left
        What this round copies, and what of that is still to be copied, MiB.
    rounds, seconds
        Rounds so far, and how long it has taken.
    held_s
        How long the guest has been held still; −1 while it is not.
    relieves
        As ``MoveDone`` has it.
    """

    guest: int
    source: int
    target: int
    at_s: float
    length: float
    left: float
    rounds: int = 1
    seconds: float = 0.0
    held_s: float = -1.0
    relieves: float | None = None


class Moves:
    """The moves of a play.

    Attributes
    ----------
    under_way
        In the order in which they began.
    done
        Those that came to their end.
    """

    def __init__(self, ticks: Ticks, tell: Tell) -> None:
        self._ticks, self._tell = ticks, tell
        self.under_way: list[Move] = []
        self.done: list[MoveDone] = []

    @property
    def arriving(self) -> Mapping[int, int]:
        """Where guests are on their way to: by position of the guest, that of the host."""
        return {move.guest: move.target for move in self.under_way}

    @property
    def _state(self) -> State:
        return self._ticks.state

    def problem(self, guest: int, to: int) -> h.Why | None:
        """Tell why a guest that is on may not move to a host, or give None."""
        if told := self._rule_against(guest, to):
            return h.Ruled(told)
        site, item = self._ticks.site, self._ticks.site.plan.guests[guest]
        before = claims_of(site, arriving=self.arriving)
        refusal = refusal_between(before, claims_of(site, arriving={**self.arriving, guest: to}), [item.id])
        if refusal is not None:
            return h.Short(refusal)
        need, hosts = self._need(guest), site.hosts.shape[1]
        found = self._ticks.can_be_found(hosts + to)
        return h.NotFound(need, max(found, 0.0), site.plan.hosts[to].id) if need > found else None

    def _rule_against(self, guest: int, to: int) -> str:
        site, state = self._ticks.site, self._state
        plan, item = site.plan, site.plan.guests[guest]
        source, target = plan.hosts[int(state.host[guest])], plan.hosts[to]
        if source is target:
            return f"{item.label} is on {target.label} already"
        if not state.up[to]:
            return f"{target.label} is down"
        if any(move.guest == guest for move in self.under_way):
            return f"{item.label} is on its way to another host already"
        if int(state.phase[guest]) != r.RUNNING:
            return f"{item.label} has not booted yet"
        host, on = state.host.tolist(), state.on.tolist()
        return live_move_problem(plan, guest, int(state.host[guest]), to, host, on, sees=int(state.sees[guest]))

    def _need(self, guest: int) -> float:
        """Give what a moving guest needs on the other host, MiB."""
        state = self._state
        return float(max(state.given[guest], state.floor[guest]) + self._ticks.site.guests[r.G_OVERHEAD, guest])

    def begin(self, guest: int, to: int, *, relieves: float | None = None) -> None:
        """Let a guest that is on set out for another host, or tell why it may not; ``relieves`` as in ``MoveDone``."""
        plan, item = self._ticks.site.plan, self._ticks.site.plan.guests[guest]
        why = self.problem(guest, to)
        if why is not None:
            self._tell("refused", item.id, h.NotMoved(plan.hosts[to].id, why))
            return
        size = float(self._state.backed[guest])
        source = int(self._state.host[guest])
        self.under_way.append(Move(guest, source, to, self._ticks.now_s, size, size, relieves=relieves))
        self._tell("move", item.id, h.SetOut(plan.hosts[to].id, relieves))
        self._reckon()

    def _reckon(self) -> None:
        """Put down what the moves under way cost their hosts, and what they need where they go."""
        ticks, plan = self._ticks, self._ticks.site.plan
        ticks.count()
        ticks.move_mhz[:] = ticks.move_mib_s[:] = 0.0
        ticks.place_values[r.Q_ARRIVING] = 0.0
        for move in self.under_way:
            for host in (move.source, move.target):
                ticks.move_mhz[host] += plan.rules.moving.cpu_percent / 100 * plan.hosts[host].mhz
                ticks.move_mib_s[host] += self._rate(move)
            ticks.place_values[r.Q_ARRIVING, ticks.site.hosts.shape[1] + move.target] += self._need(move.guest)
        ticks.regroup()

    def drop(self, guest: int) -> None:
        """Forget the move of a guest that is off now."""
        if any(move.guest == guest for move in self.under_way):
            self.under_way = [move for move in self.under_way if move.guest != guest]
            self._state.held[guest] = 0
            self._reckon()

    def lose_host(self, host: int) -> None:
        """End the moves to a host that is lost; what moves from it is lost with it."""
        for move in [move for move in self.under_way if host in (move.source, move.target)]:
            item = self._ticks.site.plan.guests[move.guest]
            self._tell("move", item.id, h.Plain.MOVE_ENDED)
            self.drop(move.guest)

    def step(self) -> None:
        """Copy for a tick."""
        arrived, tick_s = False, self._ticks.site.plan.tick_s
        for move in list(self.under_way):
            rate = self._rate(move)
            left_s = tick_s
            while left_s > _ALMOST:
                # A round of less than nothing left ends at once.
                needs_s = move.left / rate
                if needs_s > left_s:
                    move.left -= rate * left_s
                    move.seconds += left_s
                    move.held_s += left_s if move.held_s >= 0 else 0.0
                    break
                left_s -= needs_s
                move.seconds += needs_s
                if move.held_s >= 0:
                    move.held_s += needs_s
                    move.left = 0.0
                    if self._arrive(move):
                        arrived = True
                    else:
                        move.seconds += left_s
                        move.held_s += left_s
                    break
                self._next_round(move, rate)
        if arrived:
            self._reckon()

    def _rate(self, move: Move) -> float:
        """Give what a move copies a second: its busier host's rate, shared among the moves of that host.

        Where a host has links its moves go over them, and leave some of them to its guests.
        """
        site, rate = self._ticks.site, math.inf
        for host in (move.source, move.target):
            count = sum(host in (other.source, other.target) for other in self.under_way)
            rate = min(rate, site.plan.rules.moving.mib_s / count)
            if site.taps.links[host] > 0:
                rate = min(rate, (1.0 - r.LEFT) * float(site.taps.links[host]) / count)
        return rate

    def _next_round(self, move: Move, rate: float) -> None:
        rules, working = self._ticks.site.plan.rules.moving, float(self._state.working[move.guest])
        again = min(working, rules.rewrite_percent_s / 100 * working * (move.length / rate))
        size = float(self._ticks.site.guests[r.G_SIZE, move.guest])
        is_last = again < _LEFT_PERCENT / 100 * size or again >= move.length or move.rounds >= _MOST_ROUNDS
        move.rounds += 1
        move.length = move.left = again
        if is_last:
            move.held_s = 0.0
            self._ticks.count()
            self._state.held[move.guest] = 1
            self._ticks.counters[r.Z_CPU_ANEW] = 1

    def _arrive(self, move: Move) -> bool:
        """Let a guest go on over there, if its memory is to be had; else it is held still on."""
        ticks, plan = self._ticks, self._ticks.site.plan
        item, there = plan.guests[move.guest], ticks.site.hosts.shape[1] + move.target
        if self._need(move.guest) > float(ticks.place_values[r.Q_FREE, there]) + _ALMOST:
            return False
        ticks.count()
        self.under_way.remove(move)
        self._state.host[move.guest], self._state.held[move.guest] = move.target, 0
        source, target = plan.hosts[move.source].id, plan.hosts[move.target].id
        self.done.append(MoveDone(item.id, source, target, move.at_s, move.seconds, move.held_s, move.relieves))
        self._tell("move", item.id, h.Arrived(target, move.seconds, move.held_s))
        return True
