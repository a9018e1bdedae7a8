"""What must hold for every plan: it settles at the division, invariants hold, skipping and repeating change no bit."""

from __future__ import annotations

from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.divide import compile_plan, demand_at, divide
from ruvex.plan import Plan, has_setting, plan_from, with_settings
from ruvex.play import CHANNELS, CODES, PRESSURES, SHORTFALLS, Player
from tests.builders import memory_guest, plan_of
from tests.divide.strategies import plans
from tests.play.site import AT_ONCE, PlayCase, check

EXAMPLES = 60
_TIMES = st.integers(0, 119)


@st.composite
def eventful_plans(draw: st.DrawFn) -> Plan:
    """Draw a plan of two minutes with demands that jump, and events of every kind."""
    plan = draw(plans(max_guests=6))
    guests = [guest.id for guest in plan.guests]
    events: list[dict[str, Any]] = []
    for _ in range(draw(st.integers(0, 6)) if guests else 0):
        target, kind = draw(st.sampled_from(guests)), draw(st.sampled_from(["power", "power", "set", "surge"]))
        event: dict[str, Any] = {"at": draw(_TIMES), "target": target}
        if kind == "power":
            event["do"] = draw(st.sampled_from(["power-on", "power-off", "restart"]))
        elif kind == "surge":
            event |= {"do": "surge", "factor": draw(st.sampled_from([0, 0.5, 2, 8])), "for_s": draw(st.integers(0, 90))}
        else:
            change = draw(st.sampled_from([
                {"cpu.shares": 400}, {"cpu.limit": 700}, {"memory.shares": 50}, {"vcpus": 1}, {"memory.floor": 1},
                {"memory.ceiling": 30_000}, {"memory.reservation": 0}, {"memory.size": 9000}, {"memory.limit": 300},
                {"demand.cpu": 900}, {"demand.working": 5000},
            ]))  # fmt: skip
            event |= {"do": "set", "change": change}
        events.append(event)
    guests_now = []
    for guest in plan.guests:
        update = {
            "boot_s": draw(st.sampled_from([0, 5, 20])), "hot_add": draw(st.sampled_from([[], ["memory", "vcpus"]])),
            "demand.kind": draw(st.sampled_from(["interactive", "batch"])), "demand.greedy": draw(st.booleans()),
            "demand.cache_percent": draw(st.sampled_from([0, 50, 100])),
        }  # fmt: skip
        if draw(st.booleans()):
            low = draw(st.sampled_from([0, 1000, 9000]))
            update["demand.working"] = {"kind": "steps", "at": [[0, low], [draw(st.integers(1, 100)), 4000]]}
        guests_now.append(with_settings(guest, update))
    settable = [e for e in events if e["do"] != "set" or _has(plan, e)]
    document = plan.model_copy(update={"guests": tuple(guests_now), "day_s": 120.0, "moment": 0.0})
    data = document.model_dump(mode="json", by_alias=True) | {"events": settable}
    return plan_from(data)


def _has(plan: Plan, event: dict[str, Any]) -> bool:
    return all(has_setting(plan, event["target"], name) for name in event["change"])


def result(player: Player) -> dict[str, Any]:
    """Give everything a played plan leaves behind."""
    return player.recording.arrays() | {"summary": player.summary().to_json()}


class Exactness(PlayCase):
    """The run agrees with the division, and with itself."""

    @given(plans())
    @settings(max_examples=EXAMPLES)
    def test_settles_at_the_division(self, plan: Plan) -> None:
        """At constant demand, with everything at once and nothing kept free, it comes to rest at section 4."""
        rules = with_settings(plan.rules, AT_ONCE)
        plan = plan.model_copy(update={"rules": rules, "day_s": 30.0, "moment": 0.0})
        compiled = compile_plan(plan, {})
        division = divide(compiled, 30.0, demand=demand_at(compiled, 30.0))
        player = Player(compiled)
        player.run()
        for guest in plan.guests:
            row = division.position[guest.id]
            for name, expected, supply in (
                ("delivered", division.cpu.delivered[row], division.cpu.supply),
                ("given", division.memory.delivered[row] - division.layers.held[row], division.memory.supply),
                ("spilled", division.layers.spilled[row], division.memory.supply),
                ("pace", division.layers.pace[row], 1.0),
            ):
                if name == "pace" and division.layers.working[row] < 1e-3:
                    continue  # of a working set this small, rounding is a large part
                found = self.of(player, guest.id, name)
                self.assertAlmostEqual(found, float(expected), delta=1e-6 * max(1.0, supply), msg=f"{guest.id} {name}")

    @given(eventful_plans())
    @settings(max_examples=EXAMPLES)
    def test_invariants_and_skipping(self, plan: Plan) -> None:
        """Invariants hold after every tick, and passing over quiet ticks changes no bit."""
        compiled = compile_plan(plan, {})
        skipping, plodding = (
            Player(compiled, watch=check, record_s=1),
            Player(compiled, watch=check, record_s=1, skip=False),
        )
        skipping.run()
        plodding.run()
        found, expected = result(skipping), result(plodding)
        for name, values in expected.items():
            if isinstance(values, np.ndarray):
                np.testing.assert_array_equal(found[name], values, err_msg=name)
            else:
                self.assertEqual(found[name], values)

    @given(eventful_plans(), st.lists(st.integers(1, 40), max_size=5))
    @settings(max_examples=EXAMPLES // 2)
    def test_live_is_the_same(self, plan: Plan, parts: list[int]) -> None:
        """Played in pieces, with its events put in on the way, a plan comes to the same bits."""
        whole = Player(compile_plan(plan, {}), record_s=1)
        whole.run()
        live = Player(compile_plan(plan.model_copy(update={"events": ()}), {}), record_s=1)
        for event in sorted(plan.events, key=lambda event: event.at):
            live.run(event.at)
            live.insert(event)
        for part in parts:
            live.run(live.now_s + part)
        live.run()
        found, expected = result(live), result(whole)
        for name, values in expected.items():
            if isinstance(values, np.ndarray):
                np.testing.assert_array_equal(found[name], values, err_msg=name)
            else:
                self.assertEqual(found[name], values)

    @given(eventful_plans())
    @settings(max_examples=EXAMPLES // 2)
    def test_summary_is_what_was_recorded(self, plan: Plan) -> None:
        """Every figure of the summary is the one that a reader of a row a second would work out."""
        player = Player(compile_plan(plan, {}), record_s=1)
        player.run()
        # A row shows the second that begins there; the last one is the end of the last second.
        rows = slice(0, 120)
        read = {name: player.recording.series(name)[:, rows] for name in (*CHANNELS, *CODES)}
        summary = player.summary()
        for guest in summary.guests:
            at = player.recording.guest_index[guest.id]
            of = {name: np.asarray(values[at], dtype=np.float64) for name, values in read.items()}
            on = of["phase"] >= 2
            self.assertEqual(guest.on_s, float(on.sum()))
            wanted, delivered = of["cpu_wanted"], np.minimum(of["cpu_delivered"], of["cpu_wanted"])
            # What is recorded has seven digits: wants of next to nothing, and their last bits, do not count.
            if wanted.max() > 1e-3:
                clearly = wanted - delivered > 1e-4 * wanted
                self.assertLessEqual(float((clearly & (wanted > 1e-3)).sum()), guest.unmet_s)
                wait = 1 - delivered.sum() / wanted.sum()
                self.assertAlmostEqual(guest.fluid_wait, float(wait), places=4)
            below = {SHORTFALLS[code]: float((of["cause"] == code).sum()) for code in range(1, len(SHORTFALLS))}
            self.assertEqual(guest.below_s, {cause: seconds for cause, seconds in below.items() if seconds})
            running = of["phase"] == 3
            self.assertAlmostEqual(guest.worst_pace, float(of["pace"][running].min(initial=1.0)), places=5)
            self.assertAlmostEqual(
                guest.peak_backed_mib, float(of["backed"].max()), delta=1e-5 * guest.peak_backed_mib + 1e-3
            )
        pressure = player.recording.site("pressure")[rows]
        for place in summary.places:
            self.assertEqual(sum(place.pressure_s.values()), 120.0)
            for code, name in enumerate(PRESSURES):
                self.assertEqual(place.pressure_s[name], float((pressure == code).sum()), name)
        self.assertEqual([entry.at_s for entry in summary.log], sorted(entry.at_s for entry in summary.log))

    def test_broken_promises_divide_what_there_is(self) -> None:
        """Where floors exceed the supply, nobody gets more than its part of it, and nothing falls below zero."""
        guests = [memory_guest(name, 0, mode="fixed", size=80_000) for name in "ab"]
        player = self.play(plan_of(guests), until_s=60)
        self.assertAlmostEqual(self.of(player, "a", "given"), 50_000, delta=1)
