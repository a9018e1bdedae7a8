"""The open plan without a window: edits, previews, undo and saving over any plan."""

from __future__ import annotations

import contextlib
import tempfile
import unittest
from pathlib import Path

from hypothesis import assume, given, settings
from hypothesis import strategies as st
from PyQt6.QtTest import QSignalSpy

from ruvex.desktop import make_application
from ruvex.desktop.panels.effect_line import effect_text
from ruvex.desktop.state.open_plan import OpenPlan
from ruvex.divide import divide
from ruvex.plan import EditError, Plan, plan_text, read_plan
from ruvex.site import site_of
from tests.builders import cpu_guest, plan_of
from tests.divide.strategies import plans

EXAMPLES = settings(max_examples=40, deadline=None)
EDITS = st.lists(
    st.tuples(
        st.integers(0, 30),
        st.sampled_from(["cpu.reservation", "cpu.limit", "cpu.shares", "memory.shares", "memory.floor", "memory.size"]),
        st.one_of(st.none(), st.floats(0.5, 9000)),
    ),
    min_size=1,
    max_size=6,
)


class Editing(unittest.TestCase):
    """What must hold whatever is edited."""

    @classmethod
    def setUpClass(cls) -> None:
        """Qt's signals and timers want an application."""
        cls.application = make_application()

    def setUp(self) -> None:
        """Make a folder."""
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def open(self, plan: Plan) -> OpenPlan:
        """Write a plan to a file and open that."""
        path = self.folder / "plan.ruvex.json"
        path.write_text(plan_text(plan), encoding="utf-8")
        open_plan = OpenPlan()
        open_plan.open(path)
        self.addCleanup(open_plan.background.wait)
        return open_plan

    def assert_shown(self, open_plan: OpenPlan) -> None:
        """What is shown is what a fresh division of the shown plan gives."""
        fresh = divide(site_of(open_plan.plan, {}))
        self.assertEqual(open_plan.division.to_json(), fresh.to_json())

    @EXAMPLES
    @given(plans(), EDITS)
    def test_undo_to_the_start_redo_to_the_end(self, plan: Plan, edits: list[tuple[int, str, float | None]]) -> None:
        """Any edits, refused ones among them, undo to the plan as opened and redo to the plan as edited."""
        targets = [item.id for item in (*plan.pools, *plan.guests)]
        assume(targets)
        open_plan = self.open(plan)
        at_start = open_plan.plan
        for number, setting, value in edits:
            with contextlib.suppress(EditError):
                open_plan.change(targets[number % len(targets)], {setting: value}, setting)
            self.assertIsNone(open_plan.before)
            self.assert_shown(open_plan)
        edited, count = open_plan.plan, open_plan.undo_stack.count()
        for _ in range(count):
            open_plan.undo_stack.undo()
            self.assert_shown(open_plan)
        self.assertEqual(open_plan.plan, at_start)
        self.assertFalse(open_plan.is_dirty)
        for _ in range(count):
            open_plan.undo_stack.redo()
        self.assertEqual(open_plan.plan, edited)
        self.assert_shown(open_plan)

    @EXAMPLES
    @given(plans(), EDITS)
    def test_previews_leave_no_trace(self, plan: Plan, edits: list[tuple[int, str, float | None]]) -> None:
        """However a dial is moved about, giving up brings back exactly what was there."""
        assume(plan.guests)
        open_plan = self.open(plan)
        before = open_plan.division.to_json()
        for number, setting, value in edits:
            with contextlib.suppress(EditError):
                open_plan.preview(plan.guests[number % len(plan.guests)].id, {setting: value}, setting)
        open_plan.give_up()
        self.assertEqual(open_plan.division.to_json(), before)
        self.assertEqual((open_plan.undo_stack.count(), open_plan.effect), (0, None))

    @EXAMPLES
    @given(plans(), EDITS)
    def test_saved_is_what_is_shown(self, plan: Plan, edits: list[tuple[int, str, float | None]]) -> None:
        """A plan edited and saved is read back as it was shown, and further undo works."""
        assume(plan.guests)
        open_plan = self.open(plan)
        for number, setting, value in edits:
            with contextlib.suppress(EditError):
                open_plan.change(plan.guests[number % len(plan.guests)].id, {setting: value}, setting)
        target = self.folder / "saved.ruvex.json"
        open_plan.save(target)
        self.assertFalse(open_plan.is_dirty)
        self.assertEqual(read_plan(target).plan, open_plan.plan)
        if open_plan.undo_stack.canUndo():
            open_plan.undo_stack.undo()
            self.assertTrue(open_plan.is_dirty)

    def test_an_edit_that_changes_nothing_is_no_edit(self) -> None:
        """A dial brought back to where it was makes no undo entry."""
        open_plan = self.open(plan_of([cpu_guest("a", 500, shares=70)]))
        open_plan.preview("a", {"cpu.shares": 90.0}, "x")
        open_plan.preview("a", {"cpu.shares": 70.0}, "x")
        open_plan.commit()
        self.assertEqual(open_plan.undo_stack.count(), 0)

    def test_effects_in_words(self) -> None:
        """The line names the largest gains and losses, and says when nobody pays or gains."""
        guests = [cpu_guest(f"g{i}", 4000) for i in range(6)]
        open_plan = self.open(plan_of(guests))
        open_plan.preview("g0", {"cpu.shares": 500.0}, "g0 shares")
        assert open_plan.effect is not None
        text = effect_text(open_plan.effect, open_plan.plan, open_plan.units)
        self.assertIn("CPU 2.33 GHz moves: g0 +2.33   paid by g1 −0.47, g2 −0.47, g3 −0.47, 2 more −0.93", text)
        open_plan.preview("g0", {"cpu.limit": 100.0}, "g0 limit")
        open_plan.commit()
        for guest in range(1, 6):
            open_plan.change(f"g{guest}", {"cpu.limit": 50.0}, "limit")
        open_plan.preview("g0", {"cpu.limit": 600.0}, "g0 limit")
        self.assertIn("nobody pays: g0 +0.50", effect_text(open_plan.effect, open_plan.plan, open_plan.units))
        open_plan.preview("g0", {"cpu.limit": 40.0}, "g0 limit")
        self.assertIn("nobody gains: g0 −0.060", effect_text(open_plan.effect, open_plan.plan, open_plan.units))
        open_plan.preview("g0", {"memory.shares": 300.0}, "g0 shares")
        self.assertIn("nobody gets more or less by it", effect_text(open_plan.effect, open_plan.plan, open_plan.units))

    def test_signals_speak_once(self) -> None:
        """Opening replaces; a preview divides without replacing; looking elsewhere ends a preview."""
        open_plan = self.open(plan_of([cpu_guest("a", 500), cpu_guest("b", 500)]))
        replaced, divided, named = (QSignalSpy(s) for s in (open_plan.replaced, open_plan.divided, open_plan.named))
        open_plan.preview("a", {"cpu.limit": 100.0}, "x")
        self.assertEqual((len(replaced), len(divided), len(named)), (0, 1, 0))
        open_plan.set_moment(9 * 3600.0)
        self.assertIsNone(open_plan.before)
        self.assertIsNone(open_plan.plan.guests[0].cpu.limit)
        open_plan.change("a", {"cpu.limit": 100.0}, "x")
        self.assertEqual((len(replaced), len(named)), (0, 1))
        open_plan.select("a")
        open_plan.new()
        self.assertIsNone(open_plan.selected)
        self.assertEqual(len(replaced), 1)
