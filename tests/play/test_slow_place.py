"""The whole tick of a host, look by look, against a plain simulation written from sections 4, 6 and 7 of the model."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.plan import ElasticMemory, Guest, Plan, ThinMemory, plan_from
from ruvex.play import Player
from ruvex.site import site_of
from tests.builders import HOST, plan_of
from tests.divide.slow import SlowDivision, SlowLayers
from tests.play.site import PlayCase, check
from tests.play.test_slow import Steps, as_signal, jumps, level
from tests.thorough import many

LOOK_S, END_S, NOISE = 5, 200, 1e-9
PLACE = ("memory", "h")


@dataclass
class Held:
    """Where the memory of one guest lies; MiB."""

    given: float = 0.0
    balloon: float = 0.0
    squeezed: float = 0.0
    spilled: float = 0.0
    touched: float = 0.0
    low_since: int | None = None


@dataclass
class SlowPlace:
    """A host of guests that are all on, and what its controllers do at every look."""

    plan: Plan
    demands: list[Steps]
    works: list[Steps]
    held: list[Held] = field(default_factory=list)
    was_short: bool = False
    pressure: int = 0
    known: dict[int, Plan] = field(default_factory=dict)

    def __post_init__(self) -> None:
        """Put everybody where the demand at the start leaves them."""
        self.held = [Held() for _ in self.demands]
        division = self.division(0)
        for guest, mine in zip(self.plan.guests, self.held, strict=True):
            mine.given = division.of(guest.id, "memory")
            if isinstance(guest.memory, ThinMemory):
                layers = self.layers(0, guest, mine.given)
                mine.balloon, mine.squeezed, mine.spilled = layers.balloon, layers.squeezed, layers.spilled
                mine.given = self.in_memory(mine)
        self.tell_pressure(division)

    def at(self, now: int) -> Plan:
        """Give the plan with the demand of a time, and the pages touched by then."""
        if now in self.known:
            return self.known[now]
        data = self.plan.model_dump(mode="json", exclude_unset=True)
        for i, (guest, mine) in enumerate(zip(data["guests"], self.held, strict=True)):
            working = level(self.demands[i], now)
            mine.touched = max(mine.touched, min(working, guest["memory"].get("size", math.inf)))
            guest["demand"] = {"cpu": level(self.works[i], now), "working": working, "touched": mine.touched}
        self.known = {now: plan_from(data)}
        return self.known[now]

    def division(self, now: int) -> SlowDivision:
        """Give the division of a time."""
        return SlowDivision(self.at(now))

    def layers(self, now: int, guest: Guest, delivered: float) -> SlowLayers:
        """Give where a thin guest's memory is to lie."""
        plan = self.at(now)
        return SlowLayers(plan, plan.guests[plan.guest_index[guest.id]], delivered, 0.0)

    def in_memory(self, mine: Held) -> float:
        """Give what a thin guest has of the host: what is not away, and squeezed pages at their size."""
        away = mine.balloon + mine.squeezed * (1 - 1 / self.plan.rules.squeeze.ratio) + mine.spilled
        return mine.touched - away

    def kept(self, division: SlowDivision) -> tuple[float, float]:
        """Give the supply, and what is kept free of it."""
        return division.supply(PLACE), division.kept(PLACE)

    def floors(self, division: SlowDivision) -> list[float]:
        """Give what each guest is given in any case."""
        asks = [division.ask(guest, PLACE, "memory") for guest in division.plan.guests]
        return [min(a.floor, division.of(g.id, "memory")) for a, g in zip(asks, self.plan.guests, strict=True)]

    def taken(self, division: SlowDivision) -> float:
        """Give what of the host is held."""
        return sum(max(mine.given, low) for mine, low in zip(self.held, self.floors(division), strict=True))

    def tell_pressure(self, division: SlowDivision) -> None:
        """Say how urgent it is."""
        supply, kept = self.kept(division)
        free = supply - self.taken(division)
        is_dire = free < self.plan.rules.pressure.dire_part * kept - NOISE * max(supply, 1)
        is_short = self.was_short or free < kept - 0.002 * supply
        self.pressure = 2 if is_dire else 1 if is_short else 0

    def look(self, now: int) -> None:
        """Let the controllers look: everyone's target is the division, and rates bound the way there."""
        division, rules = self.division(now), self.plan.rules
        supply, kept = self.kept(division)
        free = supply - self.taken(division)
        pressed = self.was_short or free < kept - NOISE * max(1, supply)
        urgent = free < rules.pressure.dire_part * kept - NOISE * supply
        rate = (rules.reclaim.urgent_mib_s if urgent else rules.reclaim.balloon_mib_s) * LOOK_S
        floors, before = self.floors(division), [mine.given for mine in self.held]
        balloons = [mine.balloon for mine in self.held]
        for guest, mine in zip(self.plan.guests, self.held, strict=True):
            target = division.of(guest.id, "memory")
            if isinstance(guest.memory, ThinMemory):
                self.move_thin(now, guest, mine, target, pressed, rate)
            elif isinstance(guest.memory, ElasticMemory) and guest.agent:
                self.move_elastic(now, mine, target, pressed, rate)
        for guest, mine, was, balloon in zip(self.plan.guests, self.held, before, balloons, strict=True):
            # A limit binds at every look, but for what was held above it before.
            if isinstance(guest.memory, ThinMemory) and guest.memory.limit is not None:
                over = mine.given - max(guest.memory.limit, guest.memory.reservation, was)
                if over > 0:
                    self.give_back(guest, mine, over, balloon)
        changes = [
            max(mine.given, low) - max(was, low) for mine, was, low in zip(self.held, before, floors, strict=True)
        ]
        growth, less = sum(c for c in changes if c > 0), sum(c for c in changes if c < 0)
        left = max(0.0, free - less)
        self.was_short = growth > left + NOISE * max(supply, 1)
        if self.was_short:
            for guest, mine, change, was in zip(self.plan.guests, self.held, changes, balloons, strict=True):
                if change > 0:
                    self.give_back(guest, mine, change * (1 - left / growth), was)
        self.tell_pressure(division)

    def pace(self, now: int, i: int) -> float:
        """Give the pace of a guest where the host cannot tell which of its pages are worked with."""
        mine, working, cost = self.held[i], level(self.demands[i], now), self.plan.rules.pace_cost
        if working <= 0:
            return 1.0
        memory, lost_squeezed, lost_spilled = self.plan.guests[i].memory, 0.0, 0.0
        if isinstance(memory, ThinMemory):
            in_balloon = max(0.0, mine.balloon - max(0.0, mine.touched - working))
            self_paged = min(working, in_balloon + max(0.0, working - memory.size))
            pages = mine.touched - mine.balloon
            busy = min(working - self_paged, pages)
            if pages > 0:
                lost_squeezed, lost_spilled = mine.squeezed * busy / pages, mine.spilled * busy / pages
        else:
            self_paged = max(0.0, working - mine.given)
        missing = cost.squeezed * lost_squeezed + cost.ssd * (lost_spilled + self_paged)
        return 1 / (1 + missing / working)

    def move_thin(self, now: int, guest: Guest, mine: Held, target: float, pressed: bool, rate: float) -> None:
        """Take pages away while anyone lacks his part, or bring them back."""
        reclaim, memory = self.plan.rules.reclaim, guest.memory
        assert isinstance(memory, ThinMemory)
        least = NOISE * max(1, memory.size)
        binds = memory.limit is not None and memory.limit < mine.touched
        target = min(target, mine.touched)
        if pressed or binds or target >= self.in_memory(mine) - least:
            layers = self.layers(now, guest, target)
            used = min(
                1.0, max(level(self.demands[self.plan.guest_index[guest.id]], now) / max(mine.touched, 1e-9), 0.1)
            )
            squeeze, back, away = reclaim.squeeze_mib_s, reclaim.return_mib_s * used, reclaim.spill_mib_s
            assert squeeze is not None and away is not None
            mine.balloon = towards(mine.balloon, layers.balloon, rate, rate, least)
            mine.squeezed = towards(mine.squeezed, layers.squeezed, squeeze * LOOK_S, squeeze * LOOK_S, least)
            mine.spilled = towards(mine.spilled, layers.spilled, back * LOOK_S, away * LOOK_S, least)
        mine.spilled = min(mine.spilled, max(0.0, mine.touched - mine.balloon - mine.squeezed))
        mine.given = self.in_memory(mine)

    def move_elastic(self, now: int, mine: Held, target: float, pressed: bool, rate: float) -> None:
        """Grow at once; give back when the need has lasted, or at the rate of reclaim when others lack theirs."""
        pace = self.plan.rules.elastic
        assert pace.grow_mib_s is not None and pace.shrink_mib_s is not None
        if target >= mine.given - 1e-6:
            mine.low_since = None
            mine.given = min(target, mine.given + pace.grow_mib_s * LOOK_S)
            return
        mine.low_since = now if mine.low_since is None else mine.low_since
        if pressed:
            mine.given = max(target, mine.given - rate)
        elif now >= mine.low_since + pace.settle_s and now // pace.shrink_step_s > (now - LOOK_S) // pace.shrink_step_s:
            mine.given = max(target, mine.given - pace.shrink_mib_s * pace.shrink_step_s)

    def give_back(self, guest: Guest, mine: Held, amount: float, balloon: float) -> None:
        """Take back what finds no memory: a balloon stays filled, other pages go to disk."""
        mine.given -= amount
        if isinstance(guest.memory, ThinMemory):
            kept = min(amount, max(0.0, balloon - mine.balloon))
            mine.balloon += kept
            mine.spilled += amount - kept
            ratio = self.plan.rules.squeeze.ratio
            if mine.squeezed > mine.given * ratio:
                mine.squeezed = max(0.0, mine.given * ratio)
                mine.spilled = mine.touched - mine.balloon - mine.squeezed


def towards(now: float, goal: float, down: float, up: float, least: float) -> float:
    """Go towards a goal, at most so far down or up."""
    return now if abs(goal - now) <= least else now + min(max(goal - now, -down), up)


@st.composite
def places(draw: st.DrawFn) -> tuple[Plan, list[Steps], list[Steps]]:
    """Draw up to five guests whose demands jump, on a host that is too small for all of them at times."""
    guests: list[dict[str, Any]] = []
    demands: list[Steps] = []
    works: list[Steps] = []
    for i in range(draw(st.integers(2, 5))):
        demands.append(draw(jumps(st.sampled_from([300.0, 1100.0, 2700.0, 3900.0]), END_S)))
        shares = draw(st.sampled_from([70.0, 100.0, 190.0]))
        memory: dict[str, Any] = {"mode": "elastic", "boot": 1300, "floor": 400, "ceiling": 4200, "shares": shares}
        if draw(st.booleans()):
            reservation, limit = draw(st.sampled_from([0, 700])), draw(st.sampled_from([None, None, 1700]))
            memory = {"mode": "thin", "size": 4300, "reservation": reservation, "limit": limit, "shares": shares}
        agent = memory["mode"] == "elastic" or draw(st.booleans())
        guests.append({"id": f"g{i}", "host": "h", "agent": agent, "memory": memory, "vcpus": 2})
        works.append(draw(jumps(st.sampled_from([0.0, 450.0, 1900.0]), END_S)))
        guests[-1]["demand"] = {"cpu": as_signal(works[-1]), "working": as_signal(demands[-1]), "touched": 0}
        guests[-1]["cpu"] = {"reservation": draw(st.sampled_from([0, 400])), "shares": shares}
    rules = {
        "pressure": {"kept_percent": draw(st.sampled_from([0, 4.3]))}, "idle_counts_as": draw(st.sampled_from([1, 8])),
        "settling_by_use": 0, "squeeze": {"ratio": 2.5, "max_percent": draw(st.sampled_from([0, 20]))},
        "elastic": {"settle_s": draw(st.sampled_from([0, 35])), "shrink_step_s": draw(st.sampled_from([5, 20]))},
    }  # fmt: skip
    host = HOST | {"cores_per_socket": 3, "memory_mib": draw(st.sampled_from([3100, 5300, 9700])) + 600 * len(guests)}
    return plan_of(guests, host=host, rules=rules, moment=0, day_s=END_S), demands, works


class Place(PlayCase):
    """One host, five guests at most."""

    @given(places())
    @settings(max_examples=many(40), deadline=None)
    def test_every_look(self, drawn: tuple[Plan, list[Steps], list[Steps]]) -> None:
        """Where all memory lies, the pressure, pace and CPU are those of the slow host at every look."""
        plan, demands, works = drawn
        player = Player(site_of(plan, {}), watch=check, record_s=LOOK_S)
        player.run()
        slow, record = SlowPlace(plan, demands, works), player.recording
        for row in range(END_S // LOOK_S):
            now = row * LOOK_S
            if now > 0:
                slow.look(now)
            for name in ("balloon", "squeezed", "spilled"):
                thin = [isinstance(g.memory, ThinMemory) for g in plan.guests]
                wished = np.array([getattr(mine, name) for mine in slow.held])[thin]
                np.testing.assert_allclose(
                    record.series(name)[thin, row], wished, atol=0.01, err_msg=f"{name} at {now}"
                )
            given_ = np.array([mine.given for mine in slow.held])
            gone = record.series("squeezed")[:, row] / plan.rules.squeeze.ratio
            np.testing.assert_allclose(record.series("backed")[:, row] + gone, given_, atol=0.01, err_msg=f"at {now}")
            self.assertEqual(float(record.of_places("pressure")[0, row]), slow.pressure, f"at {now}")
            paces = [slow.pace(now, i) for i in range(len(plan.guests))]
            np.testing.assert_allclose(record.series("pace")[:, row], paces, rtol=1e-4, err_msg=f"pace at {now}")
            division = slow.division(now)
            cpu = [division.of(guest.id, "cpu") for guest in plan.guests]
            np.testing.assert_allclose(record.series("cpu_delivered")[:, row], cpu, atol=0.01, err_msg=f"CPU at {now}")
