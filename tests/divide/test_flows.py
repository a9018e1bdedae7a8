"""Stores and links: what each disk and guest gets, and how work is slowed; settled and played."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.divide import Division, all_shifts, divide
from ruvex.plan import EditError, Plan, PlanError, add_items, change_settings, plan_from, plan_text, remove_items
from ruvex.play import Player, division_at
from ruvex.site import site_of
from tests.builders import HOST, PLAIN, plan_of
from tests.cli.inside import run

STORE = {"id": "s", "ops": 1000, "mib_s": 1e6}


def slow_fill(asks: list[tuple[float, float, float]], amount: float) -> tuple[list[float], float]:
    """Find by halving the level at which (weight, floor, cap) add up to an amount, endless where there is enough."""
    most = sum(cap for _, _, cap in asks)
    if most < amount * (1 - 1e-11):
        return [cap for _, _, cap in asks], 1e300
    # Where all that is asked for is just what there is, nobody could have more: the level is the least that fills it.
    low, high, amount = 0.0, 1e15, min(amount, most) * (1 - 1e-13)
    for _ in range(200):
        middle = (low + high) / 2
        total = sum(min(max(middle * weight, floor), cap) for weight, floor, cap in asks)
        low, high = (middle, high) if total < amount else (low, middle)
    return [min(max(low * weight, floor), cap) for weight, floor, cap in asks], low


@st.composite
def flowing_plans(draw: st.DrawFn) -> Plan:
    """Draw plans with stores and links whose memory is ample, and whose work is interactive."""
    amounts = st.one_of(st.sampled_from([0, 100, 1000]), st.floats(0.5, 5000))
    stores = [
        {"id": f"s{i}", "ops": draw(st.floats(10, 5000)), "mib_s": draw(st.sampled_from([1.0, 900.0])),
         "promises": draw(st.booleans())}
        for i in range(draw(st.integers(1, 3)))
    ]  # fmt: skip
    hosts = [
        HOST | {"id": f"h{i}", "links": [{"id": "a", "mib_s": draw(st.floats(1, 2000))}] if draw(st.booleans()) else []}
        for i in range(draw(st.integers(1, 2)))
    ]
    left = {store["id"]: store["ops"] for store in stores}
    guests = []
    for i in range(draw(st.integers(1, 6))):
        disks = []
        for d in range(draw(st.integers(0, 3))):
            store = draw(st.sampled_from(stores))
            limit = draw(st.one_of(st.none(), st.floats(1, 5000)))
            reserved = 0.0
            if store["promises"] and draw(st.booleans()):
                reserved = min(draw(st.floats(0, 2000)), limit or 1e9, left[store["id"]])
                left[store["id"]] -= reserved
            disks.append({"id": f"d{d}", "store": store["id"], "shares": draw(st.floats(1, 1000)), "limit_ops": limit,
                          "reservation_ops": reserved})  # fmt: skip
        guests.append({
            "id": f"g{i}", "host": draw(st.sampled_from(hosts))["id"],
            "power": draw(st.sampled_from(["on", "on", "off"])),
            "disks": disks, "link": {"shares": draw(st.floats(1, 1000)),
                                     "limit_mib_s": draw(st.one_of(st.none(), st.floats(1, 500)))},
            "demand": {"cpu": 100, "working": 10, "touched": 10, "ops": draw(amounts), "net_mib_s": draw(amounts),
                       "kib_per_op": draw(st.sampled_from([4, 64]))},
        })  # fmt: skip
    return plan_from({
        "format": "ruvex-plan", "version": 1, "hosts": hosts, "stores": stores, "guests": guests, "rules": PLAIN,
        "day_s": 600,
    })  # fmt: skip


def expected_taps(plan: Plan) -> dict[tuple[str, str, str], tuple[float, float]]:
    """Work out slowly what every disk and link wants and gets.

    Each guest asks everywhere for what its scarcest other disk or link lets it use; again and again, half of the way
    each time, until nobody asks for anything else.
    """
    on = [guest for guest in plan.guests if guest.is_on]
    places: dict[str, float] = {store.id: store.ops for store in plan.stores}
    places |= {f"{host.id}:link": sum(link.mib_s for link in host.links) for host in plan.hosts if host.links}
    taps: dict[tuple[str, str, str], tuple[float, float, float, float]] = {}  # weight, floor, limit, wanted
    costs: dict[tuple[str, str, str], float] = {}
    for guest in on:
        for disk in guest.disks:
            store = plan.stores[plan.store_index[disk.store]]
            key = store.id, guest.id, disk.id
            costs[key] = cost = max(1.0, guest.demand.kib_per_op / 1024 / store.mib_s * store.ops)
            wanted = float(guest.demand.ops) / len(guest.disks) * cost  # type: ignore[arg-type]
            taps[key] = disk.shares, disk.reservation_ops * cost, (disk.limit_ops or 1e300) * cost, wanted
        key = f"{guest.host}:link", guest.id, ""
        if key[0] in places:
            costs[key] = 1.0
            net = float(guest.demand.net_mib_s)  # type: ignore[arg-type]
            taps[key] = guest.link.shares, 0.0, guest.link.limit_mib_s or 1e300, net
    parts, given = dict.fromkeys(taps, 1.0), dict.fromkeys(taps, 0.0)
    for _ in range(120):
        could = dict[tuple[str, str, str], float]()
        for place, amount in places.items():
            keys = [key for key in taps if key[0] == place]
            asks = []
            for key in keys:
                weight, floor, limit, wanted = taps[key]
                cap = min(wanted * parts[key], limit)
                asks.append((weight, min(floor, cap), cap))
            if sum(floor for _, floor, _ in asks) > amount:
                return {}
            got, level = slow_fill(asks, amount)
            for key, have, (weight, _, cap) in zip(keys, got, asks, strict=True):
                given[key] = have
                _, floor, limit, wanted = taps[key]
                most = min(wanted, limit)
                full = min(max(level * weight, min(floor, most)), most)
                could[key] = 1.0 if wanted <= 0 else (full if have >= cap * (1 - 1e-10) else have) / wanted
        for key in taps:
            others = [could[other] for other in taps if other[1] == key[1] and other != key]
            parts[key] += 0.5 * (min([1.0, *others]) - parts[key])
    return {key: (taps[key][3] / costs[key], given[key] / costs[key]) for key in taps}


class Settled(unittest.TestCase):
    """At a moment."""

    @settings(max_examples=150)
    @given(flowing_plans())
    def test_as_worked_out_slowly(self, plan: Plan) -> None:
        """Every disk and link gets what halving finds; work goes as fast as the scarcest of them lets it."""
        expected = expected_taps(plan)
        division = divide(site_of(plan, {}))
        taps = {(tap.place, tap.guest, tap.disk): tap for place in division.flowing.places for tap in place.taps}
        if not expected and taps:
            return
        self.assertEqual(set(taps), set(expected))
        for key, (wanted, got) in expected.items():
            self.assertAlmostEqual(taps[key].wanted, wanted)
            self.assertAlmostEqual(taps[key].delivered, got, delta=1e-6 * max(1.0, got))
        for i, guest in enumerate(plan.guests):
            for kinds in (False, True):
                mine = [pair for (place, of, _), pair in expected.items() if of == guest.id and (":" in place) == kinds]
                has = (division.flowing.net_delivered if kinds else division.flowing.ops_delivered)[i]
                self.assertAlmostEqual(has, sum(got for _, got in mine), delta=1e-6 * max(1.0, has))
            ratios = [1.0] + [
                sum(got for _, got in mine) / sum(want for want, _ in mine)
                for mine in (
                    [pair for (place, of, _), pair in expected.items() if of == guest.id and (":" in place) == kinds]
                    for kinds in (False, True)
                )
                if sum(want for want, _ in mine) > 0
            ]
            pace = division.layers.pace[division.position[guest.id]]
            self.assertAlmostEqual(pace, max(min(ratios), 1e-6) if guest.is_on else 1.0, places=6)

    @settings(max_examples=40)
    @given(flowing_plans())
    def test_at_rest_the_play_has_the_same(self, plan: Plan) -> None:
        """Under constant demand a play records what the division says, of guests and of stores, and its pace."""
        division = divide(site_of(plan, {}))
        day = Player(site_of(plan, {}), record_s=60.0)
        day.run()
        played = division_at(day, 300.0)
        assert isinstance(played, Division)
        for now, then in zip(played.solved.flowing[:4].tolist(), division.solved.flowing[:4].tolist(), strict=True):
            for a, b in zip(now, then, strict=True):
                self.assertAlmostEqual(a, b, delta=1e-3 * max(1.0, b))
        places = division.flowing.places
        for number, place in enumerate(places):
            self.assertAlmostEqual(float(day.recording.of_flows("delivered")[number, 5]), place.delivered,
                                   delta=1e-3 * max(1.0, place.delivered))  # fmt: skip
        for guest in plan.guests:
            row = division.position[guest.id]
            self.assertAlmostEqual(played.layers.pace[row], division.layers.pace[row], places=5)

    def test_by_hand(self) -> None:
        """Three shares to one; a limit gives way to the other; a promise is kept; large transfers count as several."""
        a = {"id": "a", "disks": [{"id": "d", "store": "s", "shares": 300}], "demand": {"ops": 900}}
        b = {"id": "b", "disks": [{"id": "d", "store": "s"}], "demand": {"ops": 900, "kind": "batch", "cpu": 1000}}
        division = divide(site_of(plan_of([a, b], stores=[STORE]), {}))
        self.assertEqual(division.flowing.ops_delivered.tolist(), [750, 250])
        self.assertEqual([tap.slowed_by for tap in division.flowing.places[0].taps], ["store", "store"])
        # Batch work that waits for its disk wants more of the processor for as much work.
        self.assertAlmostEqual(division.cpu.wanted[division.position["b"]], 2000)
        b["disks"][0]["limit_ops"] = 100  # type: ignore[index]
        division = divide(site_of(plan_of([a, b], stores=[STORE]), {}))
        self.assertEqual(division.flowing.ops_delivered.tolist(), [900, 100])
        self.assertEqual([tap.slowed_by for tap in division.flowing.places[0].taps], ["", "own limit"])
        self.assertFalse(division.flowing.places[0].is_short)
        b["disks"][0] |= {"limit_ops": None, "reservation_ops": 600}  # type: ignore[index]
        division = divide(site_of(plan_of([a, b], stores=[STORE | {"promises": True}]), {}))
        self.assertEqual(division.flowing.ops_delivered.tolist(), [400, 600])
        large = STORE | {"mib_s": 10}
        a["demand"] = {"ops": 900, "kib_per_op": 1024}
        division = divide(site_of(plan_of([a], stores=[large]), {}))
        self.assertAlmostEqual(division.flowing.ops_delivered[0], 10)
        self.assertAlmostEqual(division.flowing.places[0].delivered, 1000)

    def test_events_change_them_while_the_day_is_played(self) -> None:
        """More shares, a smaller store, less work; the links of a machine are part of it, and stay."""
        guests = [{"id": i, "disks": [{"id": "d", "store": "s"}], "demand": {"ops": ops}}
                  for i, ops in (("a", 600), ("b", 800))]  # fmt: skip
        changes = (
            ("a", {"disks": [{"id": "d", "store": "s", "shares": 200}]}), ("s", {"ops": 300}),
            ("b", {"demand.ops": 10}), ("h", {"links": [{"id": "x", "mib_s": 5}]}),
        )  # fmt: skip
        events = [{"at": 30 * (k + 1), "do": "set", "target": t, "change": c} for k, (t, c) in enumerate(changes)]
        player = Player(site_of(plan_of(guests, stores=[STORE | {"ops": 900}], events=events), {}), record_s=10)
        player.run(180)
        had = player.recording.series("ops_delivered")
        for at_s, expected in (
            (20, (450, 450)),
            (50, (600, 300)),
            (80, (200, 100)),
            (110, (290, 10)),
            (170, (290, 10)),
        ):
            np.testing.assert_allclose(had[:, player.recording.row_at(at_s)], expected, rtol=1e-6, err_msg=str(at_s))
        self.assertEqual([entry.kind for entry in player.log], ["set", "set", "set", "refused"])
        with self.assertRaisesRegex(PlanError, "name a guest, pool, host, store, or rules"):
            plan_of(guests, stores=[STORE], events=[events[1] | {"target": "nobody"}])

    def test_who_gains_and_who_pays(self) -> None:
        """With three shares to one instead of the same, a has 250 of b's; a third one that comes takes of both."""
        a, b, c = ({"id": i, "disks": [{"id": "d", "store": "s"}], "demand": {"ops": 900}} for i in "abc")
        before = divide(site_of(plan_of([a, b], stores=[STORE]), {}))
        more = a | {"disks": [{"id": "d", "store": "s", "shares": 300}]}
        after = divide(site_of(plan_of([more, b], stores=[STORE]), {}))
        shifts = all_shifts(before, after)
        self.assertEqual(list(shifts), ["store"])
        moved = shifts["store"]
        named = {after.ids[row]: by for row, by in zip(moved.rows, moved.amounts, strict=True)}
        self.assertEqual(named, {"a": 250, "b": -250})
        third = divide(site_of(plan_of([c, a, b], stores=[STORE]), {}))
        shifts = all_shifts(before, third)
        moved = shifts["store"]
        named = {third.ids[row]: round(by) for row, by in zip(moved.rows, moved.amounts, strict=True)}
        self.assertEqual(named, {"c": 333, "a": -167, "b": -167})

    def test_paging_takes_its_part_first(self) -> None:
        """What of a working set lies on disk asks its store for transfers, and all on it are slowed by that."""
        tight = HOST | {"memory_mib": 6000, "store": "s", "spill_mib": 50_000}
        guests: list[dict[str, Any]] = [
            {"id": "a", "agent": False, "memory": {"size": 8000},
             "demand": {"cpu": 0, "working": 7000, "touched": 7000}},
            {"id": "b", "memory": {"mode": "fixed", "size": 1}, "disks": [{"id": "d", "store": "s"}],
             "demand": {"cpu": 0, "working": 0, "touched": 0, "ops": 800}},
        ]  # fmt: skip
        rules = {"squeeze": {"max_percent": 0}, "paging": {"ops_per_mib": 0.5}}
        division = divide(site_of(plan_of(guests, host=tight, stores=[STORE], rules=rules), {}))
        spilled = 7000 - 5999
        store = division.flowing.places[0]
        self.assertAlmostEqual(store.taken, 0.5 * spilled, places=3)
        self.assertAlmostEqual(store.delivered, 1000 - 0.5 * spilled, places=3)
        self.assertEqual(store.taps[0].slowed_by, "paging")
        self.assertAlmostEqual(division.layers.pace[division.position["b"]], store.delivered / 800)
        rules["paging"] = {"ops_per_mib": 5}
        store = divide(site_of(plan_of(guests, host=tight, stores=[STORE], rules=rules), {})).flowing.places[0]
        self.assertEqual((store.taken, store.delivered), (900, 100))

    def test_by_command(self) -> None:
        """The table and the document name stores, disks and what slows them; without any the document is as ever."""
        a = {"id": "a", "name": "Quay", "disks": [{"id": "d", "store": "s"}], "demand": {"ops": 1900}}
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder, "x.ruvex.json")
            path.write_text(plan_text(plan_of([a], stores=[STORE | {"name": "Slate"}])), encoding="utf-8")
            text = run("divide", str(path)).stdout.replace("\u202f", " ")
            self.assertIn("Slate, ops/s   supply 1 000   wanted 1 900   delivered 1 000", text)
            self.assertRegex(text, r"Quay d +1 ?900\.00 +1 ?000\.00   store")
            self.assertIn("Slate, ops/s", run("divide", str(path), "--by-host").stdout)
            found = json.loads(run("divide", str(path), "--json").stdout)["flows"][0]
            self.assertEqual((found["id"], found["taps"][0]["slowed_by"]), ("s", "store"))
            path.write_text(plan_text(plan_of([{"id": "a"}])), encoding="utf-8")
            self.assertNotIn("flows", json.loads(run("divide", str(path), "--json").stdout))


class Plans(unittest.TestCase):
    """What a plan may say of stores."""

    def test_what_is_wrong_is_named(self) -> None:
        """Stores that are not there, promises nobody keeps, ids twice, shares too far apart."""

        def disk(**more: Any) -> dict[str, Any]:
            return {"id": "a", "disks": [{"id": "d", "store": "s"} | more]}

        promising = STORE | {"promises": True}
        for guests, stores, expected in (
            ([disk(store="x")], [STORE], "there is no store 'x'"),
            ([disk(reservation_ops=5)], [STORE], "promises nothing"),
            ([disk(reservation_ops=5000)], [promising], "more is reserved on s than the 1000"),
            ([disk(reservation_ops=9, limit_ops=5)], [promising], "is above the limit"),
            ([{"id": "a", "disks": [{"id": "d", "store": "s"}] * 2}], [STORE], "is taken by another disk of it"),
            (
                [disk(shares=1e-3), {"id": "b", "disks": [{"id": "d", "store": "s", "shares": 1e9}]}],
                [STORE],
                "too far apart",
            ),
            ([disk(ops=3)], [STORE], "ops"),
            ([], [STORE, STORE], "the id 's' is taken"),
        ):
            with self.subTest(expected), self.assertRaisesRegex(PlanError, expected):
                plan_of(guests, stores=stores)
        with self.assertRaisesRegex(PlanError, "there is no store 'x'"):
            plan_of([], host=HOST | {"store": "x"})

    def test_edits(self) -> None:
        """Settings of stores and disks change as others do; a store that goes takes its disks with it."""
        plan = plan_of([{"id": "a", "disks": [{"id": "d", "store": "s"}]}], host=HOST | {"store": "s"}, stores=[STORE])
        self.assertEqual(change_settings(plan, "s", {"ops": 50.0}).stores[0].ops, 50)
        disks = [{"id": "d", "store": "s", "shares": 250.0}]
        self.assertEqual(change_settings(plan, "a", {"disks": disks}).guests[0].disks[0].shares, 250)
        for target, change in (("a", {"disks": [{"id": "d", "store": "x"}]}), ("s", {"ops": 0.0}),
                               ("a", {"disks": [{"id": "d", "store": "s", "reservation_ops": 4.0}]})):  # fmt: skip
            with self.assertRaises(EditError):
                change_settings(plan, target, change)
        gone = remove_items(plan, ["s"])
        self.assertEqual((gone.stores, gone.guests[0].disks, gone.hosts[0].store), ((), (), None))
        self.assertEqual(add_items(gone, plan.stores).stores, plan.stores)
