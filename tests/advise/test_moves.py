"""What would help, and splitting: the gains told are the gains that come."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.advise import amount_to_split, moves_for, split_among
from ruvex.divide import divide
from ruvex.plan import EditError, Plan, change_many
from ruvex.promise import claims_of
from ruvex.site import site_of
from tests.builders import cpu_guest, memory_guest, plan_of
from tests.divide.strategies import plans
from tests.thorough import many


class Moves(unittest.TestCase):
    """Computed moves."""

    def test_by_hand(self) -> None:
        """A limited guest in a small pool: taking the limit off, moving out, doubling shares."""
        plan = plan_of(
            [cpu_guest("a", 8000, limit=3000, pool="p"), cpu_guest("b", 8000, pool="p"), cpu_guest("c", 8000)],
            [{"id": "p", "name": "Pier", "cpu": {"limit": 4000}}],
        )
        compiled = site_of(plan, {})
        found = {move.text: move for move in moves_for(compiled, divide(compiled, 0.0), "a")["cpu"]}
        self.assertEqual(found["move it to the top, beside the pools"].gain, 1000)
        self.assertAlmostEqual(found["twice the shares (200)"].gain, 2000 / 3)
        self.assertEqual([guest for guest, _ in found["twice the shares (200)"].losses], ["b"])
        self.assertEqual(found["no limit for Pier"].gain, 500)
        self.assertNotIn("no limit", found)

    def test_agent_and_ceiling(self) -> None:
        """An elastic guest without its agent is helped by the agent."""
        guest = memory_guest("a", 6000, mode="elastic", boot=2000, floor=1000, ceiling=8000) | {"agent": False}
        compiled = site_of(plan_of([guest]), {})
        texts = [move.text for move in moves_for(compiled, divide(compiled, 0.0), "a")["memory"]]
        self.assertEqual(texts, ["install the agent, so that it can grow"])

    def test_nothing_helps_who_lacks_nothing(self) -> None:
        """Nor one that is off."""
        plan = plan_of([cpu_guest("a", 10), cpu_guest("b", 9) | {"power": "off"}])
        compiled = site_of(plan, {})
        self.assertEqual([moves_for(compiled, divide(compiled, 0.0), i)["cpu"] for i in "ab"], [[], []])

    @settings(max_examples=many(40))
    @given(plans(max_guests=5), st.data())
    def test_the_gain_comes(self, plan: Plan, data: st.DataObject) -> None:
        """Making the move gives the row what was told, and costs the others what was told."""
        on = [guest.id for guest in plan.guests if guest.is_powered]
        if not on:
            return
        item, resource = data.draw(st.sampled_from(on)), data.draw(st.sampled_from(["cpu", "memory"]))
        compiled = site_of(plan, {})
        before = divide(compiled, 0.0)
        for move in moves_for(compiled, before, item)[resource]:
            after = divide(site_of(change_many(plan, move.changes), {}), 0.0)
            for guest, change in [(item, move.gain), *move.losses]:
                old, new = (float(getattr(d, resource).delivered[d.position[guest]]) for d in (before, after))
                self.assertAlmostEqual(new - old, change, delta=1e-6 * max(1.0, abs(old)))


class Split(unittest.TestCase):
    """Giving what can be promised to several pools."""

    def test_after_overhead_what_is_set_aside_and_others(self) -> None:
        """100 000 MiB less a tenth, the overhead of both guests and what one beside the pools claims."""
        guests = [
            memory_guest("a", 0, mode="fixed", size=5000),
            memory_guest("b", 0, mode="fixed", size=7000, pool="p") | {"power": "off"},
        ]
        rules = {"guest_overhead": {"fixed_mib": 500}, "set_aside_percent": {"memory": 10}}
        claims = claims_of(site_of(plan_of(guests, [{"id": "p"}, {"id": "q"}, {"id": "r"}], rules=rules), {}))
        self.assertEqual(amount_to_split(claims, ["p", "q", "r"], "memory"), 84_000)
        changes = split_among(claims, {"p": 50, "q": 30, "r": 20}, "memory", "reservation")
        self.assertEqual(
            changes,
            [(pool, {"memory.reservation": amount}) for pool, amount in (("p", 42_000), ("q", 25_200), ("r", 16_800))],
        )
        as_shares = split_among(claims, {"p": 50, "q": 30, "r": 20}, "cpu", "shares")
        self.assertEqual([c["cpu.shares"] for _, c in as_shares], [150, 90, 60])

    def test_refusals(self) -> None:
        """More than all, less than nothing, pools of different parents."""
        pools = [{"id": "p"}, {"id": "q", "parent": "p"}, {"id": "r"}]
        claims = claims_of(site_of(plan_of([], pools), {}))
        for percents in ({"p": 60, "r": 60}, {"p": -1, "r": 5}, {"p": 10, "q": 10}, {}):
            with self.assertRaises(EditError):
                split_among(claims, percents, "cpu", "reservation")
