"""Better places: as few moves as possible that close most of what placement costs, over the whole day.

Section 9 of docs/model.md. The search keeps the best few placements by their number of moves and goes on from each by
one more move, or by an exchange of two guests. What a move is worth is guessed first, host by host, and worked out
only for the best guesses; in a small site for all of them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import CONTENDED, Contended
from ruvex.placing._guess import Candidate, Guesses
from ruvex.placing._lack import DayLack, Loads, kinds_of
from ruvex.placing._moving import obstacle_to, with_hosts
from ruvex.placing._units import MovedTogether, units_of
from ruvex.plan import RESOURCE_KINDS, format_ops, format_time, format_traffic
from ruvex.promise import claims_of, refusal_between
from ruvex.site import Site

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

LEAST_PART: Final = 0.01
"""Moves that close less than this part of what is lacked, all together, are not worth their while."""
LEAST_HOURS: Final = 0.01
"""Nor are those that gain fewer guest-hours."""
ENOUGH: Final = 0.97
"""The fewest moves are taken that gain this part of the most that was found."""
_MOST_MOVES: Final = 24
_SMALL: Final = 48
"""Sites of no more guests times hosts are searched broadly, with every move worked out."""
_BREADTH: Final = 16
_WORKED_OUT: Final = 8
_SLIGHT: Final = 0.003
_BACK: Final = 0.2
"""So much worse, as a part of what is lacked at first, a placement may be that the search goes on from."""
_NOISE: Final = 1e-9
_KEYS: Final[Mapping[Contended, str]] = {
    "cpu": "cpu_hours", "memory": "memory_hours", "store": "disk_hours", "link": "network_hours",
}  # fmt: skip

Stop = Callable[[float], None]
"""Called with how far the search is, 0 to 1; raises ``StoppedError`` to end it."""


@dataclass(frozen=True, slots=True)
class Gain:
    """What a guest gains by a move, or pays for it: guest-hours of all that it wants; less is negative."""

    guest: str
    hours: float


@dataclass(frozen=True, slots=True)
class PlacingStep:
    """One move, or several that are only worth it together.

    Attributes
    ----------
    moves
        Each guest with the host it leaves and the one it goes to, in order.
    hours_of
        What all guests together gain over the day of each, guest-hours.
    gains, losses
        Who gains and who pays, the most first.
    reason
        What the host that is left lacks and the other one has, in a sentence; empty where nothing is lacked.
    """

    moves: tuple[tuple[str, str, str], ...]
    hours_of: Mapping[Contended, float]
    gains: tuple[Gain, ...]
    losses: tuple[Gain, ...]
    reason: str

    @property
    def hours(self) -> float:
        """What is gained in all, guest-hours."""
        return sum(self.hours_of.values())


@dataclass(frozen=True, slots=True)
class BetterPlaces:
    """Where guests would be better off.

    Attributes
    ----------
    steps
        What to move, in this order; empty where nothing is worth moving.
    before, after, as_one
        What guests lack over the day where they are, after the moves, and if all hosts were one machine: guest-hours.
    worst
        The guest that lacks most, and how much before and after; empty where nobody lacks anything.
    looked_at
        How many placements were worked out.
    """

    steps: tuple[PlacingStep, ...]
    before: float
    after: float
    as_one: float
    worst: tuple[str, float, float]
    looked_at: int

    @property
    def closed(self) -> float:
        """Which part of the gap to being one machine the moves close, at most 1; 0 where there is none.

        One machine divides by shares, too: some placements let guests lack less than it would.
        """
        gap = self.before - self.as_one
        return min((self.before - self.after) / gap, 1.0) if gap > _NOISE else 0.0

    @property
    def moves(self) -> tuple[tuple[str, str], ...]:
        """All moves in order: guest and host."""
        return tuple((guest, to) for step in self.steps for guest, _, to in step.moves)

    def to_json(self) -> dict[str, Any]:
        """Give it as ``ruvex places --json`` prints it."""
        steps = [
            {
                "moves": [{"id": guest, "from": source, "to": to} for guest, source, to in step.moves],
                **{_KEYS[of]: hours for of, hours in step.hours_of.items()}, "reason": step.reason,
                "gains": [{"id": one.guest, "hours": one.hours} for one in step.gains],
                "losses": [{"id": one.guest, "hours": -one.hours} for one in step.losses],
            }
            for step in self.steps
        ]  # fmt: skip
        worst = {"id": self.worst[0], "before": self.worst[1], "after": self.worst[2]} if self.worst[0] else None
        return {
            "steps": steps, "lacking_hours": {"before": self.before, "after": self.after, "as_one": self.as_one},
            "closed": self.closed, "worst": worst, "looked_at": self.looked_at,
        }  # fmt: skip


def better_places(
    site: Site, *, day: DayLack | None = None, most_moves: int = _MOST_MOVES, stop: Stop | None = None
) -> BetterPlaces:
    """Find moves of guests that are on which close most of what placement costs.

    Every move is allowed as its guest runs: by the rules of placement, maker and level of the processor, promises. The
    guest that lacks most is not left with less, nor is anybody left worse off than it is.

    Parameters
    ----------
    site
        The plan, with who is on.
    day
        What is lacked is measured by; the plan's whole day if left out.
    most_moves
        At most so many guests move.
    stop
        Told how far it is.
    """
    return _Search(site, day or DayLack(site), most_moves, stop or (lambda _part: None)).run()


@dataclass(frozen=True, slots=True, eq=False)
class _State:
    """A placement that was worked out: where everybody is, and what they lack."""

    host: Ints
    lack: Floats

    @property
    def total(self) -> float:
        return float(self.lack.sum())

    @property
    def worst(self) -> float:
        return float(self.lack.sum(axis=0).max(initial=0.0))


class _Search:
    def __init__(self, site: Site, day: DayLack, most_moves: int, stop: Stop) -> None:
        self._site, self._day, self._most, self._stop = site, day, most_moves, stop
        self._start = site.standing.host.copy()
        self._known: dict[bytes, _State] = {}
        self._seen: set[bytes] = set()
        self._paths: dict[bytes, Candidate] = {self._start.tobytes(): ()}
        self._is_small = True
        # One without a host that found no place for want of another's may find one once that has moved.
        self._is_loose = any(guest.host is None and guest.is_powered for guest in site.plan.guests)
        self._first = self._worked_out(self._start)
        self._units = units_of(site)
        self._loads = day.loads()
        self._guesses = Guesses(self._units, self._loads)

    def run(self) -> BetterPlaces:
        first, one = self._first, float(self._day.as_one().sum())
        best = {0: first}
        if first.total > LEAST_HOURS and self._units and len(self._site.plan.hosts) > 1:
            self._search(best)
        steps, last = self._chosen(best)
        lacking = first.lack.sum(axis=0)
        worst = int(np.argmax(lacking)) if lacking.size else -1
        named = ("", 0.0, 0.0)
        if worst >= 0 and lacking[worst] > _NOISE:
            named = (
                self._site.plan.guests[worst].id, float(lacking[worst]), float(last.lack[:, worst].sum()),
            )  # fmt: skip
        return BetterPlaces(steps, first.total, last.total, one, named, len(self._known))

    # The search

    def _worked_out(self, host: Ints) -> _State:
        key = host.tobytes()
        if key not in self._known:
            self._known[key] = _State(host, self._lack_on(host))
        return self._known[key]

    def _lack_on(self, host: Ints) -> Floats:
        """Give what guests lack with some moved, as the plan has it then: who names no host may be put elsewhere."""
        if not self._is_loose:
            return self._day.of(host)
        plan = self._site.plan
        moved = np.flatnonzero(host != self._start).tolist()
        after = with_hosts(plan, [(plan.guests[i].id, plan.hosts[int(host[i])].id) for i in moved])
        return np.asarray(self._day.by_sample(self._site.with_plan(after)).sum(axis=0))

    def _moved(self, state: _State) -> int:
        return int(np.count_nonzero(state.host != self._start))

    def _search(self, best: dict[int, _State]) -> None:
        """Go on from the best placements until none is better by one more move; ``best`` takes the best by moves."""
        # Those that cannot be moved are divided each time as well.
        many = int(self._site.standing.on.sum()) * len(self._site.plan.hosts)
        self._is_small = many <= _SMALL
        breadth = _BREADTH if self._is_small else 1
        worked_out = many * many if self._is_small else _WORKED_OUT
        front = [self._first]
        for depth in range(min(self._most, len(self._units))):
            self._stop(depth / self._most)
            found: dict[bytes, tuple[_State, Candidate, _State]] = {}
            for state in front:
                for candidate, child in self._children(state, worked_out):
                    found.setdefault(child.host.tobytes(), (state, candidate, child))
            front = []
            for state, candidate, child in sorted(found.values(), key=lambda of: (of[2].total, self._moved(of[2]))):
                if len(front) == breadth:
                    break
                if self._is_allowed(state.host, candidate):
                    front.append(child)
                    self._paths[child.host.tobytes()] = (*self._paths[state.host.tobytes()], *candidate)
            self._seen |= {child.host.tobytes() for child in front}
            for child in front:
                moves = self._moved(child)
                if child.worst <= self._first.worst + _NOISE and (
                    moves not in best or child.total < best[moves].total - _NOISE
                ):
                    best[moves] = child
            if not front:
                return

    def _children(self, state: _State, worked_out: int) -> list[tuple[Candidate, _State]]:
        """Work out the most promising placements one move or exchange away.

        In a small site one that is somewhat worse is gone on from as well, as is one in which somebody lacks too much:
        the next move may mend it.
        """
        first = self._first
        slack = (_BACK if self._is_small else -_SLIGHT) * first.total
        most = min(state.total + slack, first.total + _BACK * first.total) - _NOISE
        candidates = self._guesses.best(state.host, state.lack, worked_out)
        after = ((candidate, self._worked_out(self._applied(state.host, candidate))) for candidate in candidates)
        return [
            (candidate, child)
            for candidate, child in after
            if child.total < most
            and (self._is_small or child.worst <= first.worst + _NOISE)
            and self._moved(child) <= self._most
            and child.host.tobytes() not in self._seen
        ]

    def _applied(self, host: Ints, candidate: Candidate) -> Ints:
        after = host.copy()
        for unit, to in candidate:
            after[list(self._units[unit].guests)] = to
        return after

    def _is_allowed(self, host: Ints, candidate: Candidate) -> bool:
        """Tell whether rules and promises let some units be elsewhere, one after the other or as an exchange."""
        plan = self._site.plan
        moves = [(guest, to) for unit, to in candidate for guest in self._units[unit].guests]
        named = [(guest.id, int(host[i])) for i, guest in enumerate(plan.guests) if host[i] != self._start[i]]
        now = self._site.with_plan(with_hosts(plan, [(guest, plan.hosts[to].id) for guest, to in named]))
        # An exchange is looked at with both where they would be: what one leaves is what the other needs.
        for at, (unit, to) in enumerate(candidate):
            others = [(guest, there) for guest, there in moves if guest not in self._units[unit].guests]
            beside = now.with_plan(
                with_hosts(now.plan, [(plan.guests[guest].id, plan.hosts[there].id) for guest, there in others])
            )
            if at == 0 or len(candidate) > 1:
                ids = [plan.guests[guest].id for guest in self._units[unit].guests]
                if obstacle_to(beside, ids, plan.hosts[to].id) is not None:
                    return False
        if len(candidate) == 1:
            return True
        # Each may only be allowed because another's move put guests elsewhere that name no host: all at once counts.
        ids = [plan.guests[guest].id for guest, _ in moves]
        after = now.with_plan(with_hosts(now.plan, [(plan.guests[guest].id, plan.hosts[to].id) for guest, to in moves]))
        return refusal_between(claims_of(now), claims_of(after), ids) is None

    # What is told

    def _chosen(self, best: dict[int, _State]) -> tuple[tuple[PlacingStep, ...], _State]:
        """Give the steps to the placement that is best of those which can be reached by steps that are all allowed.

        Where guests that name no host are put elsewhere by a move, what was allowed on the way of the search may not
        be in any other order.
        """
        while True:
            chosen = self._choose(best)
            found = self._ordered(chosen)
            if found is not None:
                return found
            best = {moves: state for moves, state in best.items() if state is not chosen}

    def _choose(self, best: dict[int, _State]) -> _State:
        """Take the fewest moves that gain nearly all that was found, or none where it is not worth it."""
        first = self._first
        most = max(first.total - state.total for state in best.values())
        if most < max(LEAST_HOURS, LEAST_PART * first.total):
            return first
        fewest = min(moves for moves, state in best.items() if first.total - state.total >= ENOUGH * most)
        return best[fewest]

    def _ordered(self, chosen: _State) -> tuple[tuple[PlacingStep, ...], _State] | None:
        """Put the moves that lead to a placement in an order: the one that gains most next, each allowed at its turn.

        In a large site they stay in the order in which they were found. What gains nothing before another move is taken
        together with it, and so is what the rules allow only with it: two that change places with one who may be beside
        neither. None where they cannot all be allowed.
        """
        state, steps = self._first, list[PlacingStep]()
        pending: list[tuple[int, int]] = []
        since = state
        last = {unit: at for at, (unit, _) in enumerate(self._paths[chosen.host.tobytes()])}
        changed = [at for at, unit in enumerate(self._units) if self._differs(chosen, unit)]
        left = [(at, int(chosen.host[self._units[at].guests[0]])) for at in sorted(changed, key=lambda at: last[at])]
        while left:
            among = left if self._is_small else left[:1]
            tried = [(self._worked_out(self._applied(state.host, (move,))), move) for move in among]
            tried.sort(key=lambda pair: pair[0].total)
            allowed = (pair for pair in tried if len(tried) > 1 and self._is_allowed(state.host, (pair[1],)))
            child, move = next(allowed, tried[0])
            left.remove(move)
            pending.append(move)
            state = child
            gained = since.total - state.total
            is_worth_it = gained > LEAST_PART * LEAST_HOURS and state.worst <= self._first.worst + _NOISE
            is_allowed = (is_worth_it or not left) and self._is_allowed(since.host, tuple(pending))
            if not left and not is_allowed:
                return None
            if is_allowed:
                steps.append(self._step(since, state, pending))
                since, pending = state, []
        return tuple(steps), state

    def _differs(self, state: _State, unit: MovedTogether) -> bool:
        return bool(state.host[unit.guests[0]] != self._start[unit.guests[0]])

    def _step(self, before: _State, after: _State, moves: list[tuple[int, int]]) -> PlacingStep:
        plan = self._site.plan
        hours_of = dict(zip(kinds_of(self._site), (before.lack - after.lack).sum(axis=1).tolist(), strict=True))
        by_guest = (before.lack - after.lack).sum(axis=0)
        changed = [Gain(plan.guests[i].id, float(by_guest[i])) for i in np.flatnonzero(np.abs(by_guest) > 1e-3)]
        gains = tuple(sorted((one for one in changed if one.hours > 0), key=lambda one: -one.hours))
        losses = tuple(sorted((one for one in changed if one.hours < 0), key=lambda one: one.hours))
        told = tuple(
            (plan.guests[guest].id, plan.hosts[int(before.host[guest])].id, plan.hosts[to].id)
            for unit, to in moves
            for guest in self._units[unit].guests
        )
        return PlacingStep(told, hours_of, gains, losses, self._reason(before, moves, hours_of))

    def _reason(self, before: _State, moves: list[tuple[int, int]], gained: Mapping[Contended, float]) -> str:
        source = int(before.host[self._units[moves[0][0]].guests[0]])
        most_first = sorted(gained, key=lambda of: -gained[of])
        texts = (reason_text(self._site, self._loads, before.host, source, moves[0][1], self._day, of)
                 for of in most_first)  # fmt: skip
        return next(filter(None, texts), "")


def reason_text(site: Site, loads: Loads, host: Ints, source: int, to: int, day: DayLack, of: Contended) -> str:
    """Say what a host lacks when it lacks most of something, and what another one has then.

    Nothing where it lacks nothing.
    """
    names, k = (site.plan.hosts[source].label, site.plan.hosts[to].label), CONTENDED.index(of)
    asked = np.stack([loads.wanted[k][:, host == at].sum(axis=1) for at in (source, to)])
    spare = loads.supply[k][:, [source, to]].T - asked
    row = int(np.argmin(spare[0]))
    if spare[0, row] > -1:
        return ""
    when = f" at {format_time(day.times_s[row])}" if day.times_s.size else ""
    if np.isinf(spare[1, row]):
        has = "has no links that bound it"
    elif spare[1, row] >= 1:
        has = f"has {_amount(float(spare[1, row]), of)} to spare"
    else:
        has = "lacks less"
    return f"{names[0]} lacks {_amount(-float(spare[0, row]), of)}{when}, {names[1]} {has}"


def _amount(value: float, of: Contended) -> str:
    if of == "cpu" or of == "memory":
        return RESOURCE_KINDS[of].write(round(value))
    return format_ops(value) if of == "store" else format_traffic(value)
