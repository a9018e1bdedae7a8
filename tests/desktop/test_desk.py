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
from ruvex.desktop.state.desk import Desk
from ruvex.divide import divide
from ruvex.plan import EditError, Plan, plan_text, read_plan
from ruvex.site import site_of
from tests.builders import cpu_guest, plan_of
from tests.divide.strategies import plans
from tests.thorough import many

EXAMPLES = settings(max_examples=many(40), deadline=None)
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

    def open(self, plan: Plan) -> Desk:
        """Write a plan to a file and open that."""
        path = self.folder / "plan.ruvex.json"
        path.write_text(plan_text(plan), encoding="utf-8")
        desk = Desk()
        desk.document.open(path)
        # All of a desk goes when it goes, so it must outlive what waits for its work.
        self.addCleanup(lambda: desk.close())
        return desk

    def assert_shown(self, desk: Desk) -> None:
        """What is shown is what a fresh division of the shown plan gives."""
        fresh = divide(site_of(desk.look.plan, {}))
        self.assertEqual(desk.look.division.to_json(), fresh.to_json())

    @EXAMPLES
    @given(plans(), EDITS)
    def test_undo_to_the_start_redo_to_the_end(self, plan: Plan, edits: list[tuple[int, str, float | None]]) -> None:
        """Any edits, refused ones among them, undo to the plan as opened and redo to the plan as edited."""
        targets = [item.id for item in (*plan.pools, *plan.guests)]
        assume(targets)
        desk = self.open(plan)
        at_start = desk.look.plan
        for number, setting, value in edits:
            with contextlib.suppress(EditError):
                desk.trial.change(targets[number % len(targets)], {setting: value}, setting)
            self.assertIsNone(desk.look.before)
            self.assert_shown(desk)
        edited, count = desk.look.plan, desk.document.undo_stack.count()
        for _ in range(count):
            desk.document.undo_stack.undo()
            self.assert_shown(desk)
        self.assertEqual(desk.look.plan, at_start)
        self.assertFalse(desk.document.is_dirty)
        for _ in range(count):
            desk.document.undo_stack.redo()
        self.assertEqual(desk.look.plan, edited)
        self.assert_shown(desk)

    @EXAMPLES
    @given(plans(), EDITS)
    def test_previews_leave_no_trace(self, plan: Plan, edits: list[tuple[int, str, float | None]]) -> None:
        """However a dial is moved about, giving up brings back exactly what was there."""
        assume(plan.guests)
        desk = self.open(plan)
        before = desk.look.division.to_json()
        for number, setting, value in edits:
            with contextlib.suppress(EditError):
                desk.trial.try_settings(plan.guests[number % len(plan.guests)].id, {setting: value}, setting)
        desk.trial.give_up()
        self.assertEqual(desk.look.division.to_json(), before)
        self.assertEqual((desk.document.undo_stack.count(), desk.trial.effect), (0, None))

    @EXAMPLES
    @given(plans(), EDITS)
    def test_saved_is_what_is_shown(self, plan: Plan, edits: list[tuple[int, str, float | None]]) -> None:
        """A plan edited and saved is read back as it was shown, and further undo works."""
        assume(plan.guests)
        desk = self.open(plan)
        for number, setting, value in edits:
            with contextlib.suppress(EditError):
                desk.trial.change(plan.guests[number % len(plan.guests)].id, {setting: value}, setting)
        target = self.folder / "saved.ruvex.json"
        desk.document.save(target)
        self.assertFalse(desk.document.is_dirty)
        self.assertEqual(read_plan(target).plan, desk.look.plan)
        if desk.document.undo_stack.canUndo():
            desk.document.undo_stack.undo()
            self.assertTrue(desk.document.is_dirty)

    def test_an_edit_that_changes_nothing_is_no_edit(self) -> None:
        """A dial brought back to where it was makes no undo entry."""
        desk = self.open(plan_of([cpu_guest("a", 500, shares=70)]))
        desk.trial.try_settings("a", {"cpu.shares": 90.0}, "x")
        desk.trial.try_settings("a", {"cpu.shares": 70.0}, "x")
        desk.trial.keep()
        self.assertEqual(desk.document.undo_stack.count(), 0)

    def test_effects_in_words(self) -> None:
        """The line names the largest gains and losses, and says when nobody pays or gains."""
        guests = [cpu_guest(f"g{i}", 4000) for i in range(6)]
        desk = self.open(plan_of(guests))
        desk.trial.try_settings("g0", {"cpu.shares": 500.0}, "g0 shares")
        assert desk.trial.effect is not None
        text = effect_text(desk.trial.effect, desk.look.plan, desk.units)
        self.assertIn("CPU in GHz: g0 +2.33   paid by g1 −0.47, g2 −0.47, g3 −0.47, 2 more −0.93", text)
        desk.trial.try_settings("g0", {"cpu.limit": 100.0}, "g0 limit")
        desk.trial.keep()
        for guest in range(1, 6):
            desk.trial.change(f"g{guest}", {"cpu.limit": 50.0}, "limit")
        desk.trial.try_settings("g0", {"cpu.limit": 600.0}, "g0 limit")
        self.assertIn("g0 +0.50, which nobody pays", effect_text(desk.trial.effect, desk.look.plan, desk.units))
        desk.trial.try_settings("g0", {"cpu.limit": 40.0}, "g0 limit")
        self.assertIn("g0 −0.060, which nobody gains", effect_text(desk.trial.effect, desk.look.plan, desk.units))
        desk.trial.try_settings("g0", {"memory.shares": 300.0}, "g0 shares")
        self.assertIn("nobody gets more or less by it", effect_text(desk.trial.effect, desk.look.plan, desk.units))

    def test_signals_speak_once(self) -> None:
        """Opening replaces; a preview divides without replacing; looking elsewhere ends a preview."""
        desk = self.open(plan_of([cpu_guest("a", 500), cpu_guest("b", 500)]))
        replaced, divided, named = (
            QSignalSpy(s) for s in (desk.look.rows_changed, desk.look.changed, desk.document.named)
        )
        desk.trial.try_settings("a", {"cpu.limit": 100.0}, "x")
        self.assertEqual((len(replaced), len(divided), len(named)), (0, 1, 0))
        desk.look.set_moment(9 * 3600.0)
        self.assertIsNone(desk.look.before)
        self.assertIsNone(desk.look.plan.guests[0].cpu.limit)
        desk.trial.change("a", {"cpu.limit": 100.0}, "x")
        self.assertEqual((len(replaced), len(named)), (0, 1))
        desk.selection.select("a")
        desk.document.new()
        self.assertIsNone(desk.selection.current)
        self.assertEqual(len(replaced), 1)
