"""What must hold for every plan: it settles at the division, invariants hold, skipping and repeating change no bit."""

from __future__ import annotations

from typing import Any

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from ruvex.divide import CAUSES, divide
from ruvex.engine import rows as r
from ruvex.plan import Plan, has_setting, plan_from, with_settings
from ruvex.play import CHANNELS, CODES, PRESSURES, Player
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
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


@st.composite
def resting_plans(draw: st.DrawFn) -> Plan:
    """Draw a plan whose guests start one after the other, whose demand jumps once, and which then has time to rest."""
    plan = draw(plans(max_guests=6, batch=False, greedy=False))
    guests, events = [], []
    for guest in plan.guests:
        jump = draw(st.sampled_from([None, 500.0, 4000.0]))
        update: dict[str, Any] = {"boot_s": 5}
        if jump is not None:
            update["demand.working"] = {"kind": "steps", "at": [[0, guest.demand.working], [300, jump]]}
        if guest.is_powered and draw(st.booleans()):
            update["power"] = "off"
            events.append({"at": draw(st.integers(0, 600)), "do": "power-on", "target": guest.id})
        guests.append(with_settings(guest, update))
    update = {"guests": tuple(guests), "day_s": 21_600.0, "moment": 0.0}
    data = plan.model_copy(update=update).model_dump(mode="json") | {"events": events}
    for host in data["hosts"]:
        for volume in range(6 if host.get("bank") else 0):
            host["bank"]["spill_volumes"].append({"id": f"v{volume}", "mib": 1e6})
    return plan_from(data)


def pace_is_one(state: Any, i: int) -> bool:
    """Tell whether a guest's pace is 1."""
    return float(state.pace[i]) == 1.0


class Exactness(PlayCase):
    """The run agrees with the division, and with itself."""

    def assert_at_rest(self, player: Player) -> None:
        """What is played now is the division of what is on, with the pages touched so far."""
        division = divide(player.site, player.now_s, demand=player.demand)
        state, of = player.state, division.memory
        hosts = player.site.hosts.shape[1]
        for i, guest in enumerate(player.site.plan.guests):
            if state.phase[i] != r.RUNNING:
                continue
            supply = float(player.ticks.place_values[r.Q_SUPPLY, player.site.forest.place_of[1, i]])
            slack = 1e-4 * max(1.0, supply) + 1e-3
            held = float(division.solved.layers[r.M_HELD, i])
            self.assertAlmostEqual(float(state.given[i]), float(of.given[i]) - held, delta=slack, msg=guest.id)
            # An idle page that was spilled before it had a twin stays there, where settled the two are shared.
            found = float(state.spilled[i] + state.shared[i])
            wished = float(division.solved.layers[r.M_SPILLED, i] + division.solved.layers[r.M_SHARED, i])
            self.assertAlmostEqual(found, wished, delta=slack, msg=f"spilled or shared of {guest.id}")
            if float(division.solved.layers[r.M_WORKING, i]) > 1 and supply > 10:
                pace = float(division.solved.layers[r.M_PACE, i])
                self.assertAlmostEqual(float(state.pace[i]), pace, delta=0.02, msg=f"pace of {guest.id}")
            if guest.demand.kind != "batch" or pace_is_one(state, i):
                cpu = float(player.ticks.place_values[r.Q_SUPPLY, max(int(state.host[i]), 0)])
                found, wished = float(state.delivered[i]), float(division.cpu.given[i])
                self.assertAlmostEqual(found, wished, delta=1e-6 * max(1.0, cpu) + 1e-6, msg=f"CPU of {guest.id}")
        self.assertEqual(hosts, player.site.hosts.shape[1])

    @given(plans(batch=False, greedy=False))
    @settings(max_examples=EXAMPLES)
    def test_settles_at_the_division(self, plan: Plan) -> None:
        """At constant demand, with everything at once, it comes to rest at section 4 at once and stays there."""
        rules = with_settings(plan.rules, AT_ONCE)
        plan = plan.model_copy(update={"rules": rules, "day_s": 30.0, "moment": 0.0})
        player = Player(site_of(plan, {}), watch=check)
        player.run()
        self.assert_at_rest(player)

    @given(resting_plans())
    @settings(max_examples=EXAMPLES)
    def test_rest_is_the_division_from_any_start(self, plan: Plan) -> None:
        """Started one after the other, and after jumps of demand, under default rules, it rests at the division."""
        player = Player(site_of(plan, {}), record_s=60)
        player.run(1200)
        player.run()
        # A boot is work, which a pool's limit of 1 MHz can stretch over hours: whoever still boots is not at rest.
        assume(not (player.state.phase == r.BOOTING).any())
        self.assert_at_rest(player)
        silent = {"finish", "start", "agent", "bridge"}
        late = [entry for entry in player.log if entry.at_s > plan.day_s - 1500 and entry.kind not in silent]
        self.assertEqual(late, [], "the log has not fallen silent")

    @given(st.data())
    @settings(max_examples=EXAMPLES)
    def test_cpu_is_divided_anew_wherever_somebody_wants_something_else(self, data: st.DataObject) -> None:
        """Pools that span hosts, and guests that want more or less now and then: each tick's CPU is the division's."""
        wants = st.floats(0, 9000)
        guests = []
        for i in range(data.draw(st.integers(3, 9))):
            times = sorted(data.draw(st.sets(st.integers(1, 60), max_size=5)))
            demand = {"kind": "steps", "at": [[at, data.draw(wants)] for at in (0, *times)]}
            guests.append(
                cpu_guest(f"g{i}", 0, pool=data.draw(st.sampled_from([None, "p", "q", "r"])),
                          reservation=data.draw(st.sampled_from([0, 0, 400])))
                | {"host": f"h{data.draw(st.integers(0, 2))}", "demand": {"cpu": demand, "working": 0, "touched": 0}}
            )  # fmt: skip
        pools = [
            {"id": name, "parent": above, "cpu": {
                "shares": data.draw(st.sampled_from([40, 100, 310])),
                "reservation": data.draw(st.sampled_from([0, 900])),
                "limit": data.draw(st.sampled_from([None, None, 7000])),
            }} for name, above in (("p", None), ("q", None), ("r", "p"))
        ]  # fmt: skip
        hosts = [HOST | {"id": f"h{i}"} for i in range(3)]
        plan = plan_of(guests, pools, hosts=hosts, day_s=70, moment=0)

        def compare(player: Player) -> None:
            division = divide(player.site, player.now_s, demand=player.demand)
            np.testing.assert_allclose(player.state.delivered, division.cpu.given, rtol=1e-9, atol=1e-6)

        Player(site_of(plan, {}), watch=compare).run()

    @given(eventful_plans())
    @settings(max_examples=EXAMPLES)
    def test_invariants_and_skipping(self, plan: Plan) -> None:
        """Invariants hold after every tick, and passing over quiet ticks changes no bit."""
        compiled = site_of(plan, {})
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
        whole = Player(site_of(plan, {}), record_s=1)
        whole.run()
        live = Player(site_of(plan.model_copy(update={"events": ()}), {}), record_s=1)
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
        player = Player(site_of(plan, {}), record_s=1)
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
            # Less than a thousandth is no shortage, and a size too small for what is worked with is one.
            short = (1 - of["met"] > 1e-3) | (of["cause"] == CAUSES.index("own size"))
            below = {CAUSES[code]: float((short & (of["cause"] == code)).sum()) for code in range(1, len(CAUSES))}
            self.assertEqual(guest.below_s, {cause: seconds for cause, seconds in below.items() if seconds})
            running = of["phase"] == 3
            self.assertAlmostEqual(guest.worst_pace, float(of["pace"][running].min(initial=1.0)), places=5)
            self.assertAlmostEqual(
                guest.peak_backed_mib, float(of["backed"].max()), delta=1e-5 * guest.peak_backed_mib + 1e-3
            )
        for at, place in enumerate(summary.places):
            self.assertEqual(player.recording.place_ids[at], place.id)
            pressure, free = (player.recording.of_places(name)[at, rows] for name in ("pressure", "free"))
            is_there = player.recording.of_places("memory_supply")[at, rows] > 0
            self.assertEqual(sum(place.pressure_s.values()), float(is_there.sum()))
            if not is_there.any():
                continue
            pressure, free = pressure[is_there], free[is_there]
            for code, name in enumerate(PRESSURES):
                self.assertEqual(place.pressure_s[name], float((pressure == code).sum()), name)
            self.assertAlmostEqual(place.least_free_mib, float(free.min()), delta=1e-5 * abs(float(free.min())) + 1e-2)
            self.assertAlmostEqual(place.mean_free_mib, float(free.mean()), delta=1e-4 * float(abs(free).mean()) + 1e-2)
        self.assertEqual([entry.at_s for entry in summary.log], sorted(entry.at_s for entry in summary.log))

    def test_broken_promises_divide_what_there_is(self) -> None:
        """Where floors exceed the supply, nobody gets more than its part of it, and nothing falls below zero."""
        guests = [memory_guest(name, 0, mode="fixed", size=80_000) for name in "ab"]
        player = self.play(plan_of(guests), until_s=60)
        self.assertAlmostEqual(self.of(player, "a", "given"), 50_000, delta=1)
