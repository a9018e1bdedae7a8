"""Remedies: what is offered does make the change pass, and the nearest value is the nearest."""

from __future__ import annotations

import unittest
from functools import partial

from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.advise import nearest_value, refusal_of, remedies_for
from ruvex.plan import EditError, Plan, add_items, change_many, change_settings, copies_of
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
from tests.divide.strategies import plans
from tests.thorough import many


def switch_on(guest: str, plan: Plan) -> Plan:
    """Power a guest on."""
    return change_settings(plan, guest, {"power": "on"})


class WorkedExamples(unittest.TestCase):
    """By hand."""

    def test_pool_may_draw_or_reserve_more(self) -> None:
        """A pool that keeps to itself is short: it draws, reserves more, or the guest asks for less."""
        pools = [{"id": "p", "cpu": {"reservation": 2000, "draws": False}}]
        guests = [
            cpu_guest("a", 0, reservation=2000, pool="p"),
            cpu_guest("b", 0, reservation=1500, pool="p") | {"power": "off"},
        ]
        compiled = site_of(plan_of(guests, pools), {})
        found = {str(r.changes) for r in remedies_for(compiled, partial(switch_on, "b"), ["b"], booting=["b"])}
        self.assertIn("(('p', {'cpu.draws': True}),)", found)
        self.assertIn("(('p', {'cpu.reservation': 3500}),)", found)
        self.assertIn("(('a', {'cpu.reservation': 500}),)", found)
        self.assertIn("(('b', {'cpu.reservation': 0}),)", found)

    def test_drawing_goes_on_up_the_chain(self) -> None:
        """Both pools must draw for the guest to reach what is free at the top."""
        pools = [
            {"id": "outer", "name": "Outer", "cpu": {"draws": False}},
            {"id": "inner", "name": "Inner", "parent": "outer", "cpu": {"draws": False}},
        ]
        compiled = site_of(plan_of([cpu_guest("b", 0, reservation=500, pool="inner") | {"power": "off"}], pools), {})
        texts = [r.text for r in remedies_for(compiled, partial(switch_on, "b"), ["b"], booting=["b"])]
        self.assertIn("let Inner draw on Outer and let Outer draw on the supply", texts)

    def test_what_is_set_aside_or_unclaimed_can_serve(self) -> None:
        """At the top, less is set aside, or a pool gives back what nobody in it claims."""
        pools = [{"id": "p", "name": "Pool", "cpu": {"reservation": 7000}}]
        guests = [cpu_guest("b", 0, reservation=2500) | {"power": "off"}]
        compiled = site_of(plan_of(guests, pools, rules={"set_aside_percent": {"cpu": 20}}), {})
        texts = [r.text for r in remedies_for(compiled, partial(switch_on, "b"), ["b"], booting=["b"])]
        self.assertIn("set 5 % aside instead of 20 %", texts)
        self.assertTrue(any("that nobody claims from Pool" in text for text in texts), texts)

    def test_a_copied_pool_cannot_be_changed_before_it_is_there(self) -> None:
        """A pool whose inner one promises more than it holds is copied: refused in the copy, and nothing offered."""
        pools = [
            {"id": "outer", "cpu": {"reservation": 100, "draws": False}},
            {"id": "inner", "parent": "outer", "cpu": {"reservation": 3000}},
        ]
        plan = plan_of([], pools)
        copies = copies_of(plan, ["outer"])
        edit, names = (lambda plan: add_items(plan, copies)), [copy.id for copy in copies]
        refusal = refusal_of(site_of(plan, {}), edit, names)
        assert refusal is not None
        self.assertIn(refusal.place, names)
        self.assertEqual(remedies_for(site_of(plan, {}), edit, names), [])

    def test_without_a_host_nothing_is_divided_by(self) -> None:
        """Nothing set aside of nothing could help: a guest with a promise waits for a host."""
        guests = [cpu_guest("b", 0, reservation=500) | {"power": "off"}]
        plan = plan_of(guests, host=None, rules={"set_aside_percent": {"cpu": 20, "memory": 20}})
        found = remedies_for(site_of(plan, {}), partial(switch_on, "b"), ["b"], booting=["b"])
        self.assertEqual([r.changes for r in found], [(("b", {"cpu.reservation": 0}),)])

    def test_spill_space(self) -> None:
        """More of it, or a reservation that spares it."""
        guests = [memory_guest("a", 0, 0, mode="thin", size=8000) | {"power": "off"}]
        compiled = site_of(plan_of(guests, host=HOST | {"spill_mib": 5000}), {})
        changes = [r.changes[0] for r in remedies_for(compiled, partial(switch_on, "a"), ["a"], booting=["a"])]
        self.assertIn(("a", {"memory.reservation": 3000}), changes)
        self.assertIn(("h", {"spill_mib": 8000}), changes)

    def test_nearest_value(self) -> None:
        """Of 10 000 MHz 4000 are held; 6000 is the most the other may have, and 20 % the most set aside."""
        compiled = site_of(plan_of([cpu_guest("a", 0, reservation=4000), cpu_guest("b", 0)]), {})
        self.assertEqual(nearest_value(compiled, "b", "cpu.reservation", 9000), 6000)
        self.assertEqual(nearest_value(compiled, "rules", "set_aside_percent.cpu", 99.9), 60)
        full = site_of(plan_of([cpu_guest("a", 0, reservation=10_000), cpu_guest("b", 0)]), {})
        self.assertIsNone(nearest_value(full, "b", "cpu.reservation", 9000))


class OnAnyPlan(unittest.TestCase):
    """Whatever the plan."""

    @settings(max_examples=many(40))
    @given(plans(max_guests=5), st.data())
    def test_what_is_offered_passes(self, plan: Plan, data: st.DataObject) -> None:
        """Each remedy followed by the edit is refused nowhere; a nearest value passes and the next one does not."""
        if not plan.guests:
            return
        for pool in plan.pools:
            plan = change_settings(plan, pool.id, {"cpu.draws": data.draw(st.booleans())})
        guest = data.draw(st.sampled_from(plan.guests)).id
        compiled = site_of(change_settings(plan, guest, {"power": "off"}), {})
        edit = partial(switch_on, guest)
        refused = refusal_of(compiled, edit, [guest], booting=[guest]) is not None
        found = remedies_for(compiled, edit, [guest], booting=[guest])
        self.assertTrue(refused or not found)
        for remedy in found:
            changed = [guest, *(target for target, _ in remedy.changes)]

            def both(plan: Plan, changes: tuple[object, ...] = remedy.changes) -> Plan:
                return edit(change_many(plan, changes))  # type: ignore[arg-type]

            self.assertIsNone(refusal_of(compiled, both, changed, booting=[guest]), remedy.text)
        wished = data.draw(st.integers(1, 4000))
        key = "cpu.reservation"
        try:
            value = nearest_value(site_of(plan, {}), guest, key, wished)
        except EditError:
            return
        if value is not None:
            one = refusal_of(site_of(plan, {}), lambda p: change_settings(p, guest, {key: value}), [guest])
            self.assertIsNone(one)
