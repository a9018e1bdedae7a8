"""How memory moves: needs, targets by pressure, moves limited by rates. Section 7 of docs/model.md, memory."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import (
    Compiled,
    Refill,
    apportioned,
    bank_sizes,
    columns,
    copies_of,
    cover,
    memory_supply,
    on_hdd,
    self_paging,
    shared_pages,
)
from ruvex.plan import Rules
from ruvex.play import _state as s
from ruvex.play._ground import Ground
from ruvex.play._means import current_of, reach_of
from ruvex.play._places import MemoryAsks, PlaceState
from ruvex.play._rates import rate, times
from ruvex.play._shortfalls import tell_shortfalls
from ruvex.play._state import State
from ruvex.play._work import TOUCHED, WORKING

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

_NOISE: Final = 1e-9
_LEVELS: Final = (s.TIDYING, s.RECLAIMING, s.REFUSING)


class Memory:
    """The memory controllers of a site.

    Attributes
    ----------
    places
        The hosts' memory first, then the banks.
    next_timer
        The first tick at which a need will have been lower for long enough, or is given back another step.
    on_hdd
        Whose pages go to a hard disk, by host or by spill volume.
    held
        What each guest holds at least since the last look, touched or not, MiB.
    is_settled
        Whether another look would find nothing to do under the same demand.
    """

    def __init__(self, ground: Ground, state: State, tick_s: float) -> None:
        self._state, self._tick_s = state, tick_s
        self.places = [PlaceState(0)]
        self.next_timer, self.is_settled = s.NEVER, False
        self._refills: dict[int, Refill] = {}
        self.on_hdd = np.zeros(0, dtype=np.bool_)
        self.held = np.zeros(ground.on.size)
        self._limited = np.zeros(ground.on.size, dtype=np.bool_), self.held
        self.take(ground)

    def take(self, ground: Ground) -> None:
        """Go on with other settings, or with others on."""
        self._ground, plan = ground, ground.compiled.plan
        self._rules: Rules = plan.rules
        guests = [plan.guests[i] for i in np.argsort(ground.compiled.tree.guest_place)]
        self._greedy = np.array([guest.demand.greedy for guest in guests], dtype=np.bool_)
        self._cache = np.array([guest.demand.cache_percent for guest in guests]) / 100
        self._place_of = ground.guests[columns.PLACE].astype(np.int64)
        self._here: dict[int, Bools] = {
            number: self._place_of == number for number in range(ground.compiled.hosts.shape[1] + 1)
        }
        known = {place.number: place for place in self.places}
        banks = bank_sizes(ground.compiled)
        numbers = [0, *(1 + int(i) for i in np.flatnonzero(banks))]
        self.places = [known.get(number) or PlaceState(number) for number in numbers]
        for place in self.places[1:]:
            place.size = place.size or float(banks[place.number - 1])
        self._bank_goal = {1 + i: float(size) for i, size in enumerate(banks)}
        if self.on_hdd.size != len(guests):
            self.on_hdd = on_hdd(ground.compiled)
        self._refills = {0: Refill(ground.compiled, 1, self._refills.get(0))}

    def is_here(self, place: PlaceState) -> Bools:
        """Tell which guests live in a place."""
        return self._here[place.number]

    def place_of(self, guest: int) -> PlaceState:
        """Give the place a guest's memory comes from."""
        return next(place for place in self.places if place.number == int(self._place_of[guest]))

    def _tell_shortfalls(self, target: Floats, asks: MemoryAsks) -> None:
        growing = np.zeros(target.size, dtype=np.bool_)
        for place in self.places:
            if not place.out_of_memory:
                growing |= self.is_here(place)
        at_limit = target >= self._limited[1] * (1 - _NOISE)
        limited, costs = self._limited[0] & at_limit, self._rules.pace_cost
        disk = np.where(self.on_hdd, costs.hdd, costs.ssd)
        tell_shortfalls(self._state, self._ground, asks, target, disk=disk, limited=limited, growing=growing)

    # One look

    def look(self, work: Floats, tick: int, elapsed_s: float) -> bool:
        """Let the controllers look and move once; tells whether anything moved.

        Parameters
        ----------
        work
            Shape (3, guests): the demand, as ``Work.now``.
        tick, elapsed_s
            Now, and the time since the look before.
        """
        state = self._state
        before = (
            state.given, state.touched, state.shared, state.balloon, state.squeezed, state.spilled, state.wish,
            state.hoard, state.visible, [(p.pressure, p.size, p.free) for p in self.places],
        )  # fmt: skip
        self._follow_work(work, elapsed_s)
        self._share(elapsed_s)
        asks = self._ask(tick, elapsed_s)
        pressures = [place.pressure for place in self.places]
        target, floor = self._targets(asks)
        self.held = floor
        arrived = self._move(target, floor, elapsed_s)
        self._tell_shortfalls(target, asks)
        arrived = arrived and pressures == [place.pressure for place in self.places]
        self.is_settled = arrived and self._work_is_followed()
        after = (
            state.given, state.touched, state.shared, state.balloon, state.squeezed, state.spilled, state.wish,
            state.hoard, state.visible, [(p.pressure, p.size, p.free) for p in self.places],
        )  # fmt: skip
        return before[-1] != after[-1] or not all(
            a is b or np.array_equal(a, b) for a, b in zip(before[:-1], after[:-1], strict=True)
        )

    def _work_is_followed(self) -> bool:
        """Tell whether greedy work, cache, sharing and banks are where they are going."""
        state, ground = self._state, self._ground
        running = state.phase == s.RUNNING
        if self._greedy.any() and (state.hoard < state.visible)[self._greedy & running].any():
            return False
        if self._cache.any():
            size = ground.guests[columns.SIZE]
            goal = np.minimum(size, state.working + self._cache * np.maximum(size - state.working, 0.0))
            if (state.touched < goal)[ground.thin & running & (self._cache > 0)].any():
                return False
        shares = bool(ground.compiled.images.names and self._rules.page_sharing)
        if shares and not np.array_equal(state.shared, shared_pages(ground.compiled, state.touched)[0]):
            return False
        return all(
            place.wanted_by_start == 0 and (place.number == 0 or place.size == self._bank_goal[place.number])
            for place in self.places
        )

    def _follow_work(self, work: Floats, elapsed_s: float) -> None:
        """Bring working sets and touched pages up to what the work asks for."""
        state, ground, g = self._state, self._ground, self._ground.guests
        working = work[WORKING] * ground.on
        running = state.phase == s.RUNNING
        if self._greedy.any():
            greedy = self._greedy & running
            more = np.minimum(state.hoard + rate(self._rules.workload.greedy_mib_s) * elapsed_s, state.visible)
            state.hoard = np.where(greedy, np.maximum(more, state.hoard), 0.0)
            working = np.maximum(working, state.hoard)
        state.working = working
        size = g[columns.SIZE]
        most = np.minimum(size, np.maximum(working, work[TOUCHED]))
        touched = np.where(ground.thin & ground.on, np.maximum(state.touched, most), 0.0)
        if self._cache.any():
            goal = np.minimum(size, working + self._cache * np.maximum(size - working, 0.0))
            filled = np.minimum(touched + rate(self._rules.workload.cache_mib_s) * elapsed_s, goal)
            touched = np.where(ground.thin & running, np.maximum(touched, filled), touched)
        state.touched = touched

    def _share(self, elapsed_s: float) -> None:
        """Find equal pages, and split what is no longer equal at once."""
        state, compiled = self._state, self._ground.compiled
        if not compiled.images.names or not self._rules.page_sharing:
            if state.shared.any():
                state.shared = np.zeros_like(state.shared)
            return
        could, _ = shared_pages(compiled, state.touched)
        covered = state.balloon + state.squeezed + state.spilled
        room = np.maximum(state.touched - state.shared - covered, 0.0)
        found = state.shared + np.minimum(rate(self._rules.sharing_mib_s) * elapsed_s, room)
        state.shared = np.minimum(could, found)

    def _ask(self, tick: int, elapsed_s: float) -> MemoryAsks:
        """Work out needs, wishes and what every guest asks for (section 2, with what elastic guests hold on to)."""
        state, ground, g, rules = self._state, self._ground, self._ground.guests, self._rules
        size, thin, breathing = g[columns.SIZE], ground.thin, ground.breathing
        working = state.working
        need = np.clip(working * (1 + g[columns.HEADROOM]), g[columns.FLOOR], g[columns.CEILING])
        state.need = np.where(ground.elastic, need, np.minimum(working, size)) * ground.on
        wish = state.wish
        reached = need >= wish
        pressed = np.zeros(need.size, dtype=np.bool_)
        for place in self.places:
            if place.pressure >= s.TIDYING or place.wanted_by_start > 0:
                pressed |= self.is_here(place)
        lower = breathing & ~reached
        self.next_timer = s.NEVER
        pace, settle = rules.elastic, rules.elastic.settle_s / self._tick_s
        step_number = int(tick * self._tick_s / pace.shrink_step_s + _NOISE)
        last_number = int(max(tick * self._tick_s - elapsed_s, -1.0) / pace.shrink_step_s + _NOISE)
        gives_back = step_number > last_number
        state.low_at = np.where(lower, np.where(state.low_at < 0, tick, state.low_at), -1)
        if lower.any():
            due = state.low_at + settle
            settled = lower & (tick >= due)
            if gives_back:
                fallen = np.maximum(need, wish - rate(pace.shrink_mib_s) * pace.shrink_step_s)
                wish = np.where(settled, fallen, wish)
            wish = np.where(lower & pressed, need, wish)
            waiting = lower & ~settled & ~pressed
            if waiting.any():
                self.next_timer = math.ceil(due[waiting].min())
            if (settled & (wish > need)).any():
                step = math.ceil((step_number + 1) * pace.shrink_step_s / self._tick_s - _NOISE)
                self.next_timer = min(self.next_timer, step)
        state.wish = np.where(breathing, np.maximum(wish, need), 0.0)
        # Who has given back down to its need is not lower any more, whether or not another look comes before it falls.
        state.low_at = np.where(state.wish <= need, -1, state.low_at)

        own = state.touched - state.shared
        held = np.where(ground.elastic, size - state.bridged, size)
        floor = np.where(thin, g[columns.MEMORY_RESERVATION], np.where(breathing, g[columns.FLOOR], held)) * ground.on
        most = np.where(thin, np.minimum(own, g[columns.MEMORY_LIMIT]), np.where(breathing, state.wish, held))
        cap = np.where(ground.on, np.maximum(floor, most), 0.0)
        use = np.where(breathing, np.clip(working, floor, cap), cap)
        knee = np.where(thin, np.minimum(working, cap), use)
        return MemoryAsks(floor, knee, use, cap)

    def settle(self, work: Floats) -> None:
        """Bring every guest where it would have come to rest under this demand: how the day is found at its start."""
        state, ground, rules = self._state, self._ground, self._rules
        g, size = ground.guests, ground.guests[columns.SIZE]
        state.visible = size * ground.on
        greedy = self._greedy & ground.on
        state.hoard = np.where(greedy, np.where(ground.elastic, g[columns.CEILING], size), 0.0)
        state.visible = np.maximum(state.visible, state.hoard)
        self._follow_work(work, math.inf)
        self._share(math.inf)
        if rules.page_sharing and ground.compiled.images.names:
            state.shared = shared_pages(ground.compiled, state.touched)[0]
        asks = self._ask(0, math.inf)
        self._supplies()
        marks = self._marks()
        target, floor = self._promise(asks, marks)
        found, self.held = target, floor
        for place in self.places:
            here, limit = self.is_here(place), target
            for level in (s.AMPLE, *_LEVELS):
                trial = target
                if level != s.AMPLE:
                    left = asks if self._refills[0].broken else asks.within(limit)
                    goal = self._divide(left, level, marks)
                    trial = goal if level == s.REFUSING else np.maximum(goal, reach_of(level, state, ground, asks))
                    trial = limit = np.minimum(limit, trial)
                place.free = place.supply - float(np.maximum(trial, floor)[here].sum())
                place.pressure = level
                aim = marks[place.number][max(level - 1, 0)]
                if place.free >= aim - _NOISE * place.supply:
                    break
            found = np.where(here, np.minimum(trial, asks.cap), found)
        own = state.touched - state.shared
        agent_size = size * g[columns.AGENT]
        balloon, state.squeezed, state.spilled = cover(rules, agent_size, state.touched, own, np.minimum(found, own))
        saved = 1 - 1 / rules.squeeze.ratio
        thin_given = own - balloon - state.squeezed * saved - state.spilled
        state.given = np.where(ground.thin, thin_given, found) * ground.on
        seen = np.where(ground.elastic, np.maximum(np.maximum(size, state.given), state.visible), size)
        state.visible = np.where(ground.on, seen, 0.0)
        self._tell_balloon(balloon)
        self._tell_shortfalls(found, asks)

    # Targets

    def _supplies(self) -> None:
        """Work out what each place has, and let banks that are resized follow as far as there is memory for it."""
        state, compiled = self._state, self._ground.compiled
        whole = float(memory_supply(compiled, copies_of(compiled, state.shared)))
        for place in self.places[1:]:
            goal = self._bank_goal[place.number]
            if goal != place.size:
                room = max(0.0, self.places[0].free - self.places[0].wanted_by_start)
                least = float(self._taken(self._floor_now())[self.is_here(place)].sum())
                place.size = max(min(goal, place.size + room), min(least, place.size))
            place.supply = place.size
        self.places[0].supply = max(0.0, whole - sum(place.size for place in self.places[1:]))

    def _floor_now(self) -> Floats:
        floor = self._ground.floor
        return np.where(
            self._ground.elastic & ~self._ground.breathing, np.maximum(floor - self._state.bridged, 0.0), floor
        )

    def _taken(self, floor: Floats) -> Floats:
        """Give what nobody else can have: what is given, and what is held though untouched."""
        return np.maximum(self._state.given, floor)

    def _targets(self, asks: MemoryAsks) -> tuple[Floats, Floats]:
        """Give what every guest is to have, as far as the means at each place's pressure can bring it there.

        Gives also what each holds at least.
        """
        self._supplies()
        state, ground = self._state, self._ground
        marks, current = self._marks(), current_of(state, ground)
        target, floor = self._promise(asks, marks)
        for level in _LEVELS:
            used = [p for p in self.places if level == s.TIDYING or p.pressure >= level or p.wanted_by_start > 0]
            if not used:
                continue
            # What the level before leaves to each is the most this one divides: what it takes from one, others get.
            left = asks if self._refills[0].broken else asks.within(target)
            goal = self._divide(left, level, marks)
            reach = reach_of(level, state, ground, asks)
            for place in used:
                here, low = self.is_here(place), np.maximum(goal, reach)
                if place.wanted_by_start > 0 or (level == s.REFUSING and place.pressure == s.REFUSING):
                    # Every means is used; for a start that waits at once.
                    low = goal
                elif place.pressure == s.AMPLE:
                    # Nothing is taken back, but beyond its fair part nobody gets more.
                    low = np.maximum(low, current)
                target = np.where(here, np.minimum(target, low), target)
        return target, floor

    def _promise(self, asks: MemoryAsks, marks: dict[int, tuple[float, float, float]]) -> tuple[Floats, Floats]:
        """Give what limits leave to everyone, and what each holds at least: its floor, or less where that is broken."""
        limited = self._divide(asks, None)
        self._limited = self._refills[0].limited, limited
        floor = np.minimum(asks.floor, limited)
        self._divide(asks, s.TIDYING, marks)
        if self._refills[0].broken:
            hard = self._divide(asks, s.REFUSING, marks)
            floor = np.minimum(floor, hard) if self._refills[0].broken else floor
        for place in self.places:
            here = self.is_here(place)
            over = float(floor[here].sum()) > place.supply * (1 + _NOISE)
            place.is_broken = over or bool((floor < asks.floor - _NOISE * np.maximum(1.0, asks.floor))[here].any())
        return limited, floor

    def _marks(self) -> dict[int, tuple[float, float, float]]:
        """Give for each place how much is to be free at each pressure, MiB."""
        pressure = self._rules.pressure
        parts = (pressure.tidying_percent, pressure.reclaiming_percent, pressure.refusing_percent)
        return {
            place.number: (parts[0] / 100 * place.supply, parts[1] / 100 * place.supply, parts[2] / 100 * place.supply)
            for place in self.places
        }

    def _divide(
        self, asks: MemoryAsks, level: int | None, marks: dict[int, tuple[float, float, float]] | None = None
    ) -> Floats:
        """Divide each place's memory less what is to be free at a pressure; without one, by limits alone."""

        def amount(place: PlaceState) -> float:
            if level is None or marks is None:
                return math.inf
            # What is kept free is never taken from promises.
            floors = float(asks.floor[self.is_here(place)].sum())
            least = min(place.supply, floors)
            return max(least, place.supply - marks[place.number][level - 1] - place.wanted_by_start)

        refill, slot = self._refills[0], str(level)
        refill.ask(asks.floor, asks.knee, asks.use, asks.cap)
        if len(self.places) == 1:
            return refill.share_out(amount(self.places[0]), slot)
        as_one = refill.share_out(sum(place.supply for place in self.places), slot)
        given = np.zeros_like(as_one)
        for part, here in apportioned(self._ground.compiled, as_one):
            place = next((p for p in self.places if p.number == part.number), None)
            if place is None:
                continue
            mask = part.guests * self._ground.on
            masked = replace(here, guests=np.where(mask > 0, here.guests, _off(here)))
            own = self._refills[place.number] = Refill(masked, 1, self._refills.get(place.number))
            own.ask(asks.floor * mask, asks.knee * mask, asks.use * mask, asks.cap * mask)
            given += own.share_out(amount(place), slot)
        return given

    # Moves

    def _move(self, target: Floats, floor: Floats, elapsed_s: float) -> bool:
        """Move towards the targets as fast as the rules allow, and no further than there is memory.

        Tells whether everybody has arrived.
        """
        state, ground, rules = self._state, self._ground, self._rules
        pace, g = rules.reclaim, ground.guests
        urgent = np.zeros(target.size, dtype=np.bool_)
        for place in self.places:
            if place.wanted_by_start > 0:
                urgent |= self.is_here(place)
        balloon_step = np.where(urgent, rate(pace.urgent_mib_s), rate(pace.balloon_mib_s)) * elapsed_s
        taken = self._taken(floor)
        own = state.touched - state.shared
        saved = 1 - 1 / rules.squeeze.ratio
        thin = ground.thin & ground.on
        agent_size = g[columns.SIZE] * g[columns.AGENT]
        goals = cover(rules, agent_size, state.touched, own, np.minimum(target, own))
        used = np.divide(state.working, state.touched, out=np.zeros_like(own), where=state.touched > 0)
        steps: tuple[tuple[Floats | float, Floats | float], ...] = (
            (balloon_step, balloon_step),
            (rate(pace.squeeze_mib_s) * elapsed_s, rate(pace.squeeze_mib_s) * elapsed_s),
            (times(rate(pace.return_mib_s) * elapsed_s, np.minimum(used, 1.0)), rate(pace.spill_mib_s) * elapsed_s),
        )
        # Nobody moves for what rounding makes of a target: at rest is at rest to the bit.
        least = _NOISE * np.maximum(1.0, g[columns.SIZE])
        moved: list[Floats] = []
        for now, goal, (down, up) in zip((state.balloon, state.squeezed, state.spilled), goals, steps, strict=True):
            way = np.where(np.abs(goal - now) > least, goal - now, 0.0)
            moved.append(np.where(thin, now + np.minimum(np.maximum(way, -down), up), 0.0))
        balloon, squeezed, spilled = moved
        spilled = np.minimum(spilled, np.maximum(own - balloon - squeezed, 0.0))
        thin_given = own - balloon - squeezed * saved - spilled
        grow = rate(rules.elastic.grow_mib_s) * elapsed_s
        way = np.where(np.abs(target - state.given) > least, target - state.given, 0.0)
        other = state.given + np.minimum(np.maximum(way, -balloon_step), grow)
        given = np.where(ground.on, np.where(thin, thin_given, other), 0.0)
        arrived = all(
            bool((np.abs(now - goal) <= least)[thin].all()) for now, goal in zip(moved, goals, strict=True)
        ) and bool((np.abs(other - target) <= least)[ground.on & ~thin].all())
        given, cut = self._within_supply(given, taken, floor)
        if cut is not None:
            # What finds no memory: a balloon stays filled, and other pages of a thin guest go to disk.
            kept = np.minimum(cut, np.maximum(state.balloon - balloon, 0.0)) * thin
            balloon = balloon + kept
            spilled = spilled + (cut - kept) * thin
        back = np.maximum(state.given - given, 0.0) * ~thin
        for now, before in ((balloon, state.balloon), (squeezed, state.squeezed), (spilled, state.spilled)):
            back = back + np.maximum(now - before, 0.0) * thin
        state.reclaimed = state.reclaimed + back
        state.given, state.squeezed, state.spilled = given, squeezed, spilled
        size = g[columns.SIZE]
        seen = np.where(ground.elastic, np.maximum(np.maximum(state.visible, size), given), size)
        state.visible = np.where(ground.on, seen, 0.0)
        self._tell_balloon(balloon)
        return arrived and cut is None

    def _tell_balloon(self, balloon: Floats) -> None:
        """Take note of the balloons, given those of thin guests, and of what guests page themselves."""
        state, ground, size = self._state, self._ground, self._ground.guests[columns.SIZE]
        behind = np.maximum(state.visible - state.given - state.bridged, 0.0)
        state.balloon = np.where(ground.thin, balloon, np.where(ground.elastic, behind, 0.0)) * ground.on
        beyond = np.maximum(state.working - np.where(ground.thin, size, state.given), 0.0) * ground.on
        state.self_paged = self_paging(ground.thin, state.working, state.touched, balloon, beyond)

    def _within_supply(self, given: Floats, taken: Floats, floor: Floats) -> tuple[Floats, Floats | None]:
        """Let growth go no further than there is memory; gives also what each was cut by, or None."""
        change = np.maximum(given, floor) - taken
        less, more = np.minimum(change, 0.0), np.maximum(change, 0.0)
        first = given
        for place in self.places:
            here = self.is_here(place)
            room = place.supply - float((taken + less)[here].sum())
            growth, open_for_growth = float(more[here].sum()), max(0.0, room - place.wanted_by_start)
            place.out_of_memory = growth > open_for_growth + _NOISE * place.supply
            if place.out_of_memory:
                given = np.where(here, given - more * (1 - open_for_growth / growth), given)
            over = float(np.maximum(given, floor)[here].sum()) - place.supply
            if over > _NOISE * place.supply:
                # The supply itself has shrunk: whoever has more than its floor gives its part of it at once.
                extra = np.maximum(given - floor, 0.0) * here
                total = float(extra.sum())
                if total > 0:
                    given = given - extra * min(1.0, over / total)
        held = np.maximum(given, floor)
        for place in self.places:
            place.free = place.supply - float(held[self.is_here(place)].sum())
            place.pressure = self._pressure(place)
        return given, None if given is first else first - given

    def _pressure(self, place: PlaceState) -> int:
        """Give the pressure at what is free now: it rises at the marks, and falls well above them, a level a look."""
        rules = self._rules.pressure
        marks = (rules.tidying_percent, rules.reclaiming_percent, rules.refusing_percent)
        found, least = s.AMPLE, _NOISE * max(1.0, place.supply)
        for level, percent in zip(_LEVELS, marks, strict=True):
            slack = rules.hysteresis_percent if place.pressure >= level else 0.0
            if place.free <= (percent + slack) / 100 * place.supply + least:
                found = level
        return max(found, place.pressure - 1)


def _off(compiled: Compiled) -> Floats:
    """Give the guests' settings with all of them off."""
    guests = compiled.guests.copy()
    guests[columns.ON] = 0.0
    return guests
