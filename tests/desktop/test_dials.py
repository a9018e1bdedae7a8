"""The dials: which settings they offer, and how handles and fields keep within what is allowed."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from ruvex.desktop.panels.dial_settings import dial_settings
from ruvex.divide import divide
from ruvex.plan import Guest, Plan, Pool, find_item
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
from tests.desktop.base import LEFT, NONE, WindowCase


def handles(plan: Plan, item_id: str, resource: str) -> list[tuple[Any, ...]]:
    """Give name, value and allowed range of each handle."""
    item = find_item(plan, item_id)
    assert isinstance(item, Guest | Pool)
    found = dial_settings(plan, divide(site_of(plan, {})), item, resource)
    return [(handle.name, handle.value, handle.low, handle.high) for handle in found.handles]


class Settings(WindowCase):
    """What the dials offer for each kind of row."""

    def test_a_field_that_goes_leaves_the_keyboard_in_its_dial(self) -> None:
        """Hidden with the keyboard in it, Qt would give that to whatever comes next, as a finding, which selects."""
        self.open_demo()
        self.go_to("worth")
        while getattr(self.window.view, "is_behind", False):
            self.settle(5)
        self.desk.selection.select("crew-roster")
        line = self.dials.dials["memory"].fields["memory.floor"].line
        self.window.activateWindow()
        line.setFocus()
        self.assertTrue(line.hasFocus())
        self.desk.selection.select("gate-north")
        self.assertEqual((self.desk.selection.current, self.errors), ("gate-north", []))
        fields = self.dials.dials["memory"].fields
        self.assertIn("memory.limit", fields)
        self.assertTrue(fields["memory.shares"].line.hasFocus())

    def test_handles_of_every_kind(self) -> None:
        """Each mode of memory and each kind of row has its own settings, bounded by one another."""
        guests = [
            cpu_guest("c", 500, vcpus=2, reservation=300, limit=1500),
            memory_guest("t", 1, mode="thin", size=4000, reservation=1000),
            memory_guest("e", 1, mode="elastic", boot=2000, floor=500, ceiling=6000),
            memory_guest("f", 1, mode="fixed", size=3000),
        ]
        plan = plan_of(guests, [{"id": "p", "cpu": {"reservation": 100}}])
        inf = float("inf")
        for item_id, resource, expected in (
            ("c", "cpu", [("reservation", 300, 0, 1500), ("limit", 1500, 300, inf)]),
            ("t", "cpu", [("reservation", 0, 0, 2000), ("limit", None, 1, inf)]),
            ("t", "memory", [("reservation", 1000, 0, 4000), ("limit", None, 1000, inf)]),
            ("e", "memory", [("floor", 500, 0, 2000), ("boot size", 2000, 500, 6000), ("ceiling", 6000, 2000, inf)]),
            ("f", "memory", [("size", 3000, 1, inf)]),
            ("p", "cpu", [("reservation", 100, 0, inf), ("limit", None, 100, inf)]),
        ):
            with self.subTest(item_id, resource=resource):
                self.assertEqual(handles(plan, item_id, resource), expected)

    def test_handles_stop_where_the_rules_do(self) -> None:
        """A handle dragged too far stops at what the other settings allow, and the edit is never refused."""
        self.show_plan(plan_of([cpu_guest("c", 9000, vcpus=4, reservation=500, limit=2000)]))
        self.desk.selection.select("c")
        self.settle()
        track = self.dials.dials["cpu"].track
        self.drag_handle(track, "cpu.reservation", -400)
        self.assertEqual(self.desk.look.plan.guests[0].cpu.reservation, 2000)
        self.drag_handle(track, "cpu.reservation", 900)
        self.assertEqual(self.desk.look.plan.guests[0].cpu.reservation, 0)
        self.desk.document.undo_stack.undo()
        self.assertEqual(track.handle_x("cpu.reservation"), track.handle_x("cpu.limit"))
        self.drag_handle(track, "cpu.limit", -60)
        self.assertGreater(self.desk.look.plan.guests[0].cpu.limit or 0, 2000, "outwards the limit is taken")
        self.drag_handle(track, "cpu.limit", 900)
        self.assertEqual(self.desk.look.plan.guests[0].cpu.limit, 2000, "a limit stops at the reservation")

    def test_scale_stands_still_while_dragging(self) -> None:
        """Neither the track's scale nor the axes move under a handle that is held."""
        self.open_demo()
        self.desk.selection.select("fare-engine")
        self.settle()
        track, axis = self.dials.dials["memory"].track, self.butterfly.axes["memory"]
        scale = track.axis
        self.drag_handle(track, "memory.ceiling", 60, release=False)
        self.assertEqual((track.axis, self.butterfly.axes["memory"]), (scale, axis))
        self.assertTrue(track.is_held)
        QTest.mouseRelease(track, LEFT, NONE, QPoint(round(track.handle_x("memory.ceiling")), 17))
        self.assertFalse(track.is_held)

    def test_fine_steps_with_shift(self) -> None:
        """Arrows in a field step by the dial's step, with Shift tenfold, and stop at the bounds."""
        self.open_demo()
        self.desk.selection.select("mail")
        self.settle()
        field = self.dials.dials["cpu"].fields["cpu.shares"]
        for key, modifier, shares in (
            (Qt.Key.Key_Up, NONE, 110),
            (Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier, 210),
            (Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier, 110),
            (Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier, 10),
            (Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier, 1),
        ):
            QTest.keyClick(field.line, key, modifier)
            self.assertEqual(self.desk.trial.setting_before("mail", "cpu.shares"), shares)

    def test_shares_as_people_write_them(self) -> None:
        """Shares are a number or so many times the standard; what is no number is refused in words."""
        self.open_demo()
        self.desk.selection.select("mail")
        self.settle()
        field = self.dials.dials["cpu"].fields["cpu.shares"]
        for text, shares in (("150", 150), ("2×", 200), ("0,5 x", 50), ("4 ×", 400)):
            self.type_into(field, text)
            self.assertEqual(self.desk.trial.setting_before("mail", "cpu.shares"), shares, text)
        for text in ("nan", "inf", "1e999", "many", "0", "-3"):
            self.type_into(field, text)
            self.assertTrue(field.is_refused, text)
            self.assertIn("Not accepted", self.dials.effect.text)
            self.assertEqual(self.desk.trial.setting_before("mail", "cpu.shares"), 400)

    def test_enter_on_an_untouched_field_changes_nothing(self) -> None:
        """A value too fine to be shown in full survives Enter in its field."""
        guest = memory_guest("t", 1, mode="thin", size=4000, reservation=1000.4, shares=123456.75)
        self.show_plan(plan_of([guest]))
        self.desk.selection.select("t")
        self.settle()
        for field in self.dials.dials["memory"].fields.values():
            field.line.setFocus()
            QTest.keyClick(field.line, Qt.Key.Key_Return)
        self.assertEqual(self.desk.document.undo_stack.count(), 0)

    def test_what_is_set_aside_is_not_free(self) -> None:
        """The supply tells the same free amount in the rows' head and in the dials: without what is set aside."""
        rules = {"set_aside_percent": {"cpu": 20, "memory": 10}, "guest_overhead": {"fixed_mib": 1000}}
        self.show_plan(plan_of([cpu_guest("c", 500, reservation=1500)], rules=rules))
        division = self.desk.look.division
        self.assertEqual((division.cpu.set_aside, division.cpu.free), (2000, 6500))
        self.assertEqual((division.memory.set_aside, division.memory.free), (10_000, 89_000))
        self.assertIn("6.50\u202fGHz free of promises", self.dials.dials["cpu"]._met.text())

    def test_words_follow_the_figures(self) -> None:
        """The panel says in words how well the want is met, and what stands out."""
        self.open_demo()
        for item_id, place, words in (
            ("gate-cameras", "memory", "of the memory it needs, lacks"),
            ("payroll", "memory", "holds 4.00\u202fGiB it does not need"),
            ("payroll", "cpu", "gets all it wants"),
        ):
            self.desk.selection.select(item_id)
            self.assertIn(words, self.dials.dials[place]._met.text())
        for item_id, words in (
            ("intranet", "agent missing: its memory stays at boot size"),
            ("lagoon-sim", "powered off: takes no part"),
            ("office", "CPU: 4.70 of 0.00 claimed, 4.70 drawn from above, 46.6 free"),
        ):
            self.desk.selection.select(item_id)
            self.assertIn(words, self.dials._facts.text())
        # What is claimed of a pool is what shows: with the handle of one of its guests held as well.
        self.desk.trial.try_settings("mail", {"cpu.reservation": 700.0}, "mail")
        self.desk.selection.select("office")
        self.assertIn("CPU: 5.40 of 0.00 claimed, 5.40 drawn from above, 46.0 free", self.dials._facts.text())
        self.desk.trial.give_up()
        self.assertIn("CPU: 4.70 of 0.00 claimed", self.dials._facts.text())

    def test_a_part_of_the_site_that_the_host_has_not(self) -> None:
        """Half of the site by shares, on a host that is a fifth of it: the dial says so; on the other it does not."""
        hosts = [HOST | {"id": "h0", "cores_per_socket": 8}, HOST | {"id": "h1", "cores_per_socket": 2}]
        self.show_plan(plan_of([cpu_guest("a", 900) | {"host": "h0"}, cpu_guest("b", 900) | {"host": "h1"}],
                               host=None, hosts=hosts))  # fmt: skip
        for item, told in (("a", "1/2 of the site when all want all"), ("b", "but its host has 20 % of it")):
            self.desk.selection.select(item)
            self.settle()
            label = self.dials.dials["cpu"]._weight.toolTip()
            self.assertIn(told, label)
            self.assertEqual("but its host" in label, item == "b")
