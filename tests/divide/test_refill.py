"""Dividing again from the last levels gives what the sorted solver gives; banks and dedicated cores in the division."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.advise import refusal_of, refusal_text, remedies_for
from ruvex.divide import (
    Refill,
    Taken,
    Volumes,
    ask,
    claims_of,
    compile_plan,
    demand_at,
    divide,
    refusal_between,
    solve,
    without_volume,
)
from ruvex.divide._asks import CAP, FLOOR, KNEE, USE
from ruvex.plan import Plan, PlanError, change_many, change_settings, needs_off
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
from tests.divide.strategies import plans


class Refilling(unittest.TestCase):
    """One piece of arithmetic, two ways to the same levels."""

    @given(plans(max_guests=10), st.lists(st.floats(0.05, 4), min_size=1, max_size=5))
    @settings(max_examples=150)
    def test_agrees_with_the_sorted_solver(self, plan: Plan, scales: list[float]) -> None:
        """For any plan and any series of supplies, cold or warm, both resources, every rule."""
        compiled = compile_plan(plan, {})
        asks = ask(compiled, demand_at(compiled, 0))
        guests = slice(compiled.tree.pool_count, None)
        refills = [Refill(compiled, resource) for resource in (0, 1)]
        for scale in (*scales, 1.0):
            scaled = type(asks)(
                asks.members, asks.nodes, asks.weight, asks.supply * scale, asks.promisable, asks.set_aside,
                asks.demand, asks.shared,
            )  # fmt: skip
            filled = solve(compiled, scaled)
            for resource, refill in enumerate(refills):
                m = asks.members[:, resource, guests]
                refill.ask(m[FLOOR], m[KNEE], m[USE], m[CAP])
                found = refill.share_out(float(scaled.supply[resource]))
                slack = 1e-9 * max(1.0, float(scaled.supply[resource]), float(m[CAP].sum()))
                np.testing.assert_allclose(found, filled.delivered[resource, guests], rtol=0, atol=slack)
                again = refill.share_out(float(scaled.supply[resource]))
                np.testing.assert_array_equal(found, again)


def bank(**rest: Any) -> dict[str, Any]:
    """Describe a bank of 6000 MiB with two volumes."""
    volumes = [{"id": f"v{i}", "mib": 8000} for i in range(2)]
    return {"size_mib": 6000, "max_mib": 9000, "spill_volumes": volumes} | rest


class Banks(unittest.TestCase):
    """Memory of a bank is its guests' and nobody else's."""

    def plan(self, **rest: Any) -> Plan:
        """Two guests in a bank of 6000 and one outside; 100 000 MiB in all, a pool across both places."""
        guests = [
            memory_guest("a", 4000, 5000, mode="thin", size=8000, bank=True, pool="p"),
            memory_guest("b", 4000, 5000, mode="thin", size=8000, bank=True),
            memory_guest("c", 9000, 9000, mode="thin", size=9000, pool="p"),
        ]
        return plan_of(guests, [{"id": "p"}], host=HOST | {"bank": bank()}, **rest)

    def test_division_in_two_places(self) -> None:
        """10 000 wanted of 6000 in the bank; the pool weighs there by what its guests have there of its memory."""
        division = divide(compile_plan(self.plan(), {}))
        got = dict(zip(division.ids, division.memory.delivered.tolist(), strict=True))
        self.assertAlmostEqual(got["a"] + got["b"], 6000, places=6)
        weight = 100 * 5000 / 14_000
        self.assertAlmostEqual(got["a"], 6000 * weight / (100 + weight), places=6)
        self.assertAlmostEqual(got["c"], 9000, places=6)
        self.assertAlmostEqual(got["p"], got["a"] + got["c"], places=6)

    def test_promises_of_a_bank(self) -> None:
        """Reservations in a bank are tested against its size."""
        plan = self.plan()
        before = claims_of(compile_plan(plan, {}))
        after = change_settings(plan, "a", {"memory.reservation": 5000})
        self.assertIsNone(refusal_between(before, claims_of(compile_plan(after, {})), ["a"]))
        too_much = change_settings(after, "b", {"memory.reservation": 2000})
        refusal = refusal_between(before, claims_of(compile_plan(too_much, {})), ["b"])
        assert refusal is not None
        self.assertEqual((refusal.kind, refusal.place, refusal.shortfall), ("bank", "h", 1000))

    def test_a_third_guest_finds_no_volume(self) -> None:
        """Two volumes for two guests: the third is refused, and one more volume is offered and would do."""
        guests = [
            memory_guest(name, 100, 100, mode="thin", size=8000, bank=True) | {"power": "on" if name != "z" else "off"}
            for name in ("x", "y", "z")
        ]
        plan = plan_of(guests, host=HOST | {"bank": bank()})
        self.assertEqual(without_volume(plan), {})
        compiled = compile_plan(plan, {})

        def power_on(plan: Plan) -> Plan:
            return change_settings(plan, "z", {"power": "on"})

        refusal = refusal_of(compiled, power_on, ["z"], booting=["z"])
        assert refusal is not None
        self.assertEqual((refusal.kind, refusal.place, refusal.shortfall), ("volume", "h", 8000))
        self.assertEqual(refusal.holders, (("x", 8000), ("y", 8000)))
        self.assertIn("spill volumes", refusal_text(plan, refusal))
        remedies = remedies_for(compiled, power_on, ["z"], booting=["z"])
        self.assertTrue(any("one more spill volume" in remedy.text for remedy in remedies), remedies)
        mended = change_many(plan, remedies[0].changes)
        self.assertIsNone(refusal_of(compile_plan(mended, {}), power_on, ["z"], booting=["z"]))

    def test_volumes_are_handed_out(self) -> None:
        """The named one or else the smallest that fits, by shares; a given-back one serves the next."""
        volumes = [{"id": "small", "mib": 3000}, {"id": "large", "mib": 30_000}, {"id": "named", "mib": 9000}]
        host = plan_of([], host=HOST | {"bank": bank(spill_volumes=volumes)}).hosts[0]
        assert host.bank is not None
        settings: list[tuple[str, dict[str, Any]]] = [
            ("a", {"size": 4000, "reservation": 1000}), ("b", {"size": 5000, "spill_volume": "named"}),
            ("c", {"size": 4000}), ("d", {"size": 2000}),
        ]  # fmt: skip
        made = [memory_guest(name, 1, 1, mode="thin", bank=True, **more) for name, more in settings]
        guests = plan_of(made, host=HOST | {"bank": bank(spill_volumes=volumes)}).guests
        taken = Volumes()
        found = [taken.take("h", host.bank, guest) for guest in guests]
        named = [one.volume.id if isinstance(one, Taken) else one for one in found]
        self.assertEqual(named[:3], ["small", "named", "large"])
        self.assertIn("none is free", named[3])
        assert isinstance(found[2], Taken)
        self.assertIn("7.5 times", found[2].remark)
        taken.release("b")
        again = taken.take("h", host.bank, guests[3])
        assert isinstance(again, Taken)
        self.assertEqual(again.volume.id, "named")

    def test_rules_of_banks_and_own_cores(self) -> None:
        """What cannot be is refused on reading, with its place and the remedy."""
        inside = memory_guest("a", 1, 1, mode="thin", size=100, bank=True)
        for guest, host, words in (
            (inside, HOST, "has no bank"),
            (inside, HOST | {"bank": bank(max_mib=5000)}, "above the largest size"),
            (inside, HOST | {"bank": bank(max_mib=200_000)}, "above the memory of the host"),
            (inside | {"dedicated_cores": True}, HOST | {"bank": bank()}, "cores of its own"),
            (cpu_guest("a", 1, vcpus=2, limit=500) | {"dedicated_cores": True}, HOST, "CPU limit"),
            (memory_guest("a", 1, 1, mode="thin", size=9, bank=True, spill_volume="x"), HOST | {"bank": bank()}, "'x'"),
        ):
            with self.subTest(words), self.assertRaises(PlanError) as caught:
                plan_of([guest], host=host)
            self.assertIn(words, str(caught.exception))

    def test_dedicated_cores_are_held_and_claimed(self) -> None:
        """Four of ten cores are its own: claimed, held while it idles, and the rest divide six."""
        guests = [cpu_guest("own", 500, vcpus=4) | {"dedicated_cores": True}, cpu_guest("rest", 10_000)]
        plan = plan_of(guests)
        division = divide(compile_plan(plan, {}))
        row = division.position["own"]
        self.assertEqual((division.cpu.delivered[row], division.cpu.claim[row]), (4000, 4000))
        self.assertEqual(division.cpu.delivered[division.position["rest"]], 6000)
        shared = change_settings(plan, "own", {"dedicated_cores": False}).guests[0]
        self.assertEqual(needs_off(plan.guests[0], shared), ["shared cores"])
