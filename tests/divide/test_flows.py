"""Stores and links: what each disk and guest gets, and how work is slowed; settled and played."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from ruvex.divide import Division, Tap, all_shifts, divide
from ruvex.plan import EditError, Plan, PlanError, add_items, change_settings, plan_from, plan_text, remove_items
from ruvex.play import Player, division_at
from ruvex.site import site_of
from ruvex.words import flow_lines
from tests.builders import HOST, PLAIN, plan_of
from tests.cli.inside import run
from tests.thorough import many

STORE = {"id": "s", "ops": 1000, "mib_s": 1e6}


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
        for d in range(draw(st.sampled_from([0, 1, 2, 3, 6]))):
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


NEAR = 1e-6


def disagreement(plan: Plan, taps: list[Tap], pace: dict[str, float]) -> list[str]:
    """Tell why what disks and links get is not what model.md says, nothing where it is; memory must be ample.

    Each guest has the same part of what it asks for everywhere, and that part is 1 unless it is held somewhere: by a
    limit of its own, or at a place that has no more, where nobody has more than it for a share but by a reservation.
    """
    amounts = {store.id: store.ops for store in plan.stores}
    amounts |= {f"{host.id}:link": sum(link.mib_s for link in host.links) for host in plan.hosts}
    demand = {guest.id: guest.demand for guest in plan.guests}

    def counted(tap: Tap, amount: float) -> float:
        # A large transfer counts as so many as its store could do in the time it takes.
        if not tap.disk:
            return amount
        store = plan.stores[plan.store_index[tap.place]]
        return amount * max(1.0, demand[tap.guest].kib_per_op / 1024 / store.mib_s * store.ops)

    here = {place: [tap for tap in taps if tap.place == place] for place in amounts}
    used = {place: sum(counted(tap, tap.delivered) for tap in found) for place, found in here.items()}
    said = [f"{place} gives {used[place]}" for place in amounts if used[place] > amounts[place] * (1 + NEAR)]
    mine = {tap.guest: [other for other in taps if other.guest == tap.guest and other.wanted > 0] for tap in taps}

    def holds(tap: Tap) -> bool:
        if tap.delivered >= tap.limit * (1 - NEAR):
            return True
        level = counted(tap, tap.delivered) / tap.shares * (1 + 10 * NEAR)
        return used[tap.place] >= amounts[tap.place] * (1 - NEAR) and all(
            counted(u, u.delivered) <= max(level * u.shares, counted(u, u.reservation)) + NEAR for u in here[tap.place]
        )

    for guest, asked in mine.items():
        parts = [tap.delivered / tap.wanted for tap in asked] or [1.0]
        if any(abs(tap.delivered - min(parts) * tap.wanted) > NEAR * max(1.0, tap.delivered) for tap in asked):
            said.append(f"{guest} has unequal parts {parts}")
        if abs(pace[guest] - max(min(parts), 1e-6)) > NEAR:
            said.append(f"{guest} works at {pace[guest]} with {parts}")
        if min(parts) < 1 - NEAR and not any(map(holds, asked)):
            said.append(f"{guest} has {min(parts)} and nothing holds it")
    return said


class Settled(unittest.TestCase):
    """At a moment."""

    @settings(max_examples=many(200))
    @given(flowing_plans())
    def test_all_agree(self, plan: Plan) -> None:
        """Every disk and link of everybody on is there; all have what the definition says, and guests their sums."""
        division = divide(site_of(plan, {}))
        taps = [tap for place in division.flowing.places for tap in place.taps]
        # Promises of large transfers may together be more than the MiB/s of a store allow: all are kept in part then.
        assume(all(place.promised <= place.supply for place in division.flowing.places))
        linked = {host.id for host in plan.hosts if host.links}
        there = {(guest.id, disk.id) for guest in plan.guests if guest.is_powered for disk in guest.disks}
        there |= {(guest.id, "") for guest in plan.guests if guest.is_powered and guest.host in linked}
        self.assertEqual({(tap.guest, tap.disk) for tap in taps}, there)
        pace = {guest.id: float(division.layers.pace[division.position[guest.id]]) for guest in plan.guests}
        self.assertEqual(disagreement(plan, taps, pace), [])
        for i, guest in enumerate(plan.guests):
            for is_disk, (wanted, had) in {
                True: (division.flowing.ops_wanted, division.flowing.ops_delivered),
                False: (division.flowing.net_wanted, division.flowing.net_delivered),
            }.items():
                mine = [tap for tap in taps if tap.guest == guest.id and bool(tap.disk) == is_disk]
                self.assertAlmostEqual(wanted[i], sum(tap.wanted for tap in mine))
                self.assertAlmostEqual(had[i], sum(tap.delivered for tap in mine))

    def test_disks_of_one_guest_that_wait_for_each_other(self) -> None:
        """On a store of 10, the disk with the fewest shares holds all: each a third, a sixth of six, limits or not."""
        for shares, limits in (
            ((372, 36, 94), (168.33209046870905, None, None)),
            ((372, 36, 94), (None, None, None)),
            ((372, 36, 94), (3.5, None, None)),
            ((1, 2, 2, 3, 3, 1.5), (None, None, None, 3, 3, None)),
            ((900, 500, 300, 100, 50, 7), (None,) * 6),
        ):
            disks = [{"id": f"d{d}", "store": "s", "shares": share, "limit_ops": limit}
                     for d, (share, limit) in enumerate(zip(shares, limits, strict=True))]  # fmt: skip
            guest = {"id": "a", "disks": disks, "demand": {"ops": 942, "cpu": 100, "working": 10, "touched": 10}}
            plan = plan_of([guest], stores=[{"id": "s", "ops": 10, "mib_s": 1}])
            found = [tap.delivered for tap in divide(site_of(plan, {})).flowing.places[0].taps]
            np.testing.assert_allclose(found, 10 / len(shares), rtol=1e-8, err_msg=str((shares, limits)))
        disks[0] |= {"limit_ops": 1.5}
        plan = plan_of([guest], stores=[{"id": "s", "ops": 10, "mib_s": 1}])
        found = [tap.delivered for tap in divide(site_of(plan, {})).flowing.places[0].taps]
        np.testing.assert_allclose(found, 1.5, rtol=1e-8)  # a limit below a sixth holds all, and the store is idle

    def test_two_that_are_first_where_the_other_waits_have_half_each(self) -> None:
        """By 300 to 100 shares on one store and 100 to 300 on the other, whichever store comes first in the plan."""
        for first, second in (("s", "t"), ("t", "s")):
            guests = [{"id": i, "demand": {"ops": 2000}, "disks": [{"id": "d", "store": "s", "shares": here},
                                                                  {"id": "e", "store": "t", "shares": there}]}
                      for i, here, there in (("a", 300, 100), ("b", 100, 300))]  # fmt: skip
            plan = plan_of(guests, stores=[STORE | {"id": first}, STORE | {"id": second}])
            flowing = divide(site_of(plan, {})).flowing
            np.testing.assert_allclose(flowing.ops_delivered, [1000, 1000], rtol=1e-9)

    def test_promises_that_cannot_all_be_kept(self) -> None:
        """A transfer of 1 MiB takes all of a store of 10 at 1 MiB/s: of two promises of one, each is kept by half."""
        guests: list[dict[str, Any]] = [
            {"id": i, "disks": [{"id": "d", "store": "s", "shares": shares, "reservation_ops": 1}],
             "demand": {"ops": ops, "kib_per_op": 1024}}
            for i, shares, ops in (("a", 900, 2), ("b", 1, 4))
        ]  # fmt: skip
        guests.append({"id": "c", "disks": [{"id": "d", "store": "s", "shares": 900}], "demand": {"ops": 1}})
        plan = plan_of(guests, stores=[{"id": "s", "ops": 10, "mib_s": 1, "promises": True}])
        place = divide(site_of(plan, {})).flowing.places[0]
        np.testing.assert_allclose([tap.delivered for tap in place.taps], [0.5, 0.5, 0], atol=1e-9)
        self.assertEqual([tap.slowed_by for tap in place.taps], ["store"] * 3)

    @settings(max_examples=many(40))
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

    def test_disks_that_are_alike_do_not_wait_for_each_other(self) -> None:
        """Two of 31 shares hold a third that has a promise: of a store of 10 each gets 31 for the 1 of another."""
        disks = [{"id": "d0", "store": "s", "shares": 1, "reservation_ops": 4},
                 *({"id": f"d{d}", "store": "s", "shares": 31} for d in (1, 2))]  # fmt: skip
        guests = [{"id": "a", "disks": disks, "demand": {"ops": 15}},
                  {"id": "b", "disks": [{"id": "d", "store": "s", "shares": 1}], "demand": {"ops": 100}}]  # fmt: skip
        plan = plan_of(guests, stores=[{"id": "s", "ops": 10, "mib_s": 900, "promises": True}])
        found = [tap.delivered for tap in divide(site_of(plan, {})).flowing.places[0].taps]
        np.testing.assert_allclose(found, [310 / 94] * 3 + [10 / 94], rtol=1e-9)
        # With 800 and 812 shares the one nearly waits for the other: the point is found all the same.
        guests[0]["disks"] = [disks[0], disks[1] | {"shares": 800}, disks[2] | {"shares": 812}]
        guests[0]["demand"] = {"ops": 100}
        plan = plan_of(guests, stores=[{"id": "s", "ops": 10, "mib_s": 900, "promises": True}])
        found = [tap.delivered for tap in divide(site_of(plan, {})).flowing.places[0].taps]
        np.testing.assert_allclose(found, [8000 / 2401] * 3 + [10 / 2401], rtol=1e-8)

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
        self.assertAlmostEqual(division.flowing.places[0].taps[0].takes, 1000)

    def test_what_all_take_of_a_store_adds_up_to_what_it_gives(self) -> None:
        """Large transfers are told in the guest's own and in the store's: 440 of 600 that take 1 000 hide no 560."""
        a, b = ({"id": i, "disks": [{"id": "d", "store": "s"}], "demand": {"ops": 300, "kib_per_op": kib}}
                for i, kib in (("a", 3072), ("b", 1024)))  # fmt: skip
        division = divide(site_of(plan_of([a, b], stores=[STORE | {"mib_s": 500}]), {}))
        (place,) = division.flowing.places
        self.assertEqual([tap.counts_as for tap in place.taps], [6, 2])
        self.assertAlmostEqual(sum(tap.takes for tap in place.taps), place.delivered)
        self.assertEqual(flow_lines(division, "b")[0].replace("\u202f", " "),
                         "Disk d on s: 250 ops/s of 300 ops/s wanted. They are large: they take as long as 500 ops/s of"
                         " the store's. s does 1 000 ops/s; of 200 shares that want some it has 100. Who has it, as the"
                         " store counts: a 500 ops/s.")  # fmt: skip

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

    def test_the_last_guest_goes(self) -> None:
        """Of those that are left nobody gains or pays: there are none."""
        guest = {"id": "a", "disks": [{"id": "d", "store": "s"}], "demand": {"cpu": 0, "working": 0, "ops": 400}}
        plan = plan_of([guest], stores=[STORE])
        before, after = (divide(site_of(one, {})) for one in (plan, remove_items(plan, ["a"])))
        self.assertEqual(all_shifts(before, after), {})

    def test_work_that_memory_slows_transfers_less(self) -> None:
        """Of a store that is half idle it has no more than its pace lets it use."""
        guest = {
            "id": "a", "disks": [{"id": "d", "store": "s"}],
            "memory": {"mode": "thin", "size": 8000, "limit": 2000},
            "demand": {"cpu": 0, "working": 4000, "touched": 4000, "ops": 400},
        }  # fmt: skip
        division = divide(site_of(plan_of([guest], stores=[STORE]), {}))
        pace = float(division.layers.pace[0])
        self.assertLess(pace, 0.5)
        self.assertAlmostEqual(division.flowing.of("a")[0].delivered, 400 * pace, places=6)

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
