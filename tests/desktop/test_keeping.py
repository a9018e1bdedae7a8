"""Losing no work: recovery copies, plans open twice, plans changed by others, the window as it was left."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtTest import QTest

from ruvex.desktop import make_window
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.shell.window import Window
from ruvex.desktop.state.preferences import Preferences
from ruvex.plan import change_settings, read_plan, write_plan
from tests.desktop.base import LEFT, WindowCase, division_of


class Keeping(WindowCase):
    """What is kept, and what is told."""

    def another_window(self) -> Window:
        """Open a second window with the same remembered things."""
        window = make_window(preferences=Preferences(self.folder / "state"), follow_desktop=False)
        self.addCleanup(window.deleteLater)
        self.addCleanup(window.close)
        self.addCleanup(window.desk.document.undo_stack.setClean)
        return window

    def answer(self, text: str) -> None:
        """Press a choice of the notice."""
        button = next(button for button in self.window.notice.choices if button.text() == text)
        QTest.mouseClick(button, LEFT)
        self.settle()

    def test_a_copy_is_there_only_while_needed(self) -> None:
        """It comes after an edit, goes with saving, undoing all, or closing knowingly."""
        self.open_demo()
        copy = self.window.files.keeper.copy
        self.desk.trial.change("mail", {"cpu.shares": 300}, "more")
        self.settle(900)
        kept = read_plan(copy, traces_in=self.path.parent).plan
        self.assertEqual(kept.guests[kept.guest_index["mail"]].cpu.shares, 300)
        self.run_action(ActionName.UNDO)
        self.settle(900)
        self.assertFalse(copy.exists())
        self.run_action(ActionName.REDO)
        self.settle(900)
        self.assertTrue(copy.exists())
        self.assertEqual(self.another_window().files.keeper.leftovers(), [], "its window still lives")
        self.assertTrue(self.window.save())
        self.assertFalse(copy.exists())

    def test_damaged_copies_do_no_harm(self) -> None:
        """One that cannot be read is told, and can be discarded."""
        folder = self.folder / "state" / "recovery"
        folder.mkdir(parents=True)
        (folder / "abc.ruvex.json").write_text('{"format": "ruvex-plan", "version": 1, "guests": [{', encoding="utf-8")
        (folder / "abc.ruvex.facts").write_text("[]", encoding="utf-8")
        self.assertTrue(self.window.files.offer_recovery())
        self.answer("Recover them")
        self.assertIn("cannot be read", self.window.notice.text)
        self.assertTrue(self.window.files.offer_recovery())
        self.answer("Discard them")
        self.assertFalse(self.window.files.offer_recovery())

    def test_open_twice_is_noted(self) -> None:
        """The second window says so; once the first is closed, a third does not."""
        self.open_demo()
        second = self.another_window()
        self.assertTrue(second.open_path(self.path))
        self.assertIn("is open in another Ruvex too", second.notice.text)
        second.close()
        self.window.close()
        third = self.another_window()
        self.assertTrue(third.open_path(self.path))
        self.assertEqual(third.notice.text, "")

    def _change_outside(self, shares: float) -> None:
        plan = read_plan(self.path).plan
        write_plan(change_settings(plan, "mail", {"cpu.shares": shares}), self.path)
        self.settle(600)

    def test_changed_on_disk_is_noticed(self) -> None:
        """Reloading shows the other state; the watch goes on after it."""
        self.open_demo()
        for shares in (700.0, 800.0):
            self._change_outside(shares)
            self.assertIn("was changed on disk by someone else", self.window.notice.text)
            self.answer("Reload it")
            self.assertEqual(self.desk.look.plan.guests[self.desk.look.plan.guest_index["mail"]].cpu.shares, shares)

    def test_saving_over_others_is_asked(self) -> None:
        """What somebody else wrote is not overwritten without a word; nor is one's own saving taken for theirs."""
        self.open_demo()
        self.desk.trial.change("mail", {"cpu.shares": 300}, "more")
        self._change_outside(700)
        self.answer("Keep what is here")
        self.assertFalse(self.window.save())
        self.assertIn("since it was opened", self.window.notice.text)
        self.answer("Save over it")
        plan = read_plan(self.path).plan
        self.assertEqual(plan.guests[plan.guest_index["mail"]].cpu.shares, 300)
        self.settle(600)
        self.assertFalse(self.window.notice.isVisible())
        self.assertFalse(self.desk.document.is_dirty)

    def test_undo_survives_a_save(self) -> None:
        """After saving, what was done before can still be taken back; then the plan is dirty again."""
        self.open_demo()
        self.desk.trial.change("mail", {"cpu.shares": 300}, "more")
        self.assertTrue(self.window.save())
        self.assertFalse(self.window.isWindowModified())
        self.run_action(ActionName.UNDO)
        self.assertTrue(self.window.isWindowModified())
        self.assertEqual(self.desk.look.plan.guests[self.desk.look.plan.guest_index["mail"]].cpu.shares, 100)

    def test_the_window_comes_back_as_it_was_left(self) -> None:
        """Size, dials, why, units, order and axis; a damaged memory of it is passed over."""
        self.window.resize(780, 600)
        for name in (ActionName.WHY, ActionName.CPU_UNIT, ActionName.ORDER, ActionName.AXIS, ActionName.BY_HOST):
            self.run_action(name)
        self.window.close()
        again = self.another_window()
        self.assertEqual((again.width(), again.height()), (780, 600))
        self.assertTrue(again.dials.why_button.isChecked())
        self.assertTrue(again.sheet.shows(again.pages[ActionName.WHY]))
        butterfly = division_of(again).butterfly
        self.assertEqual((butterfly.order, butterfly.axis_mode, butterfly.by_host), ("hurt", "held", True))
        self.assertEqual(again.desk.units.chosen("cpu"), "% of host")
        preferences = Preferences(self.folder / "state")
        preferences.layout = {"geometry": 7, "units": [], "views": {"division": {"order": {}, "axis": 3}}, "why": "x"}
        self.assertEqual(division_of(self.another_window()).butterfly.order, "tree")

    def test_lock_goes_with_the_window(self) -> None:
        """No lock is left beside the plan."""
        self.open_demo()
        lock = Path(f"{self.path.parent}/.{self.path.name}.lock")
        self.assertTrue(lock.exists())
        self.window.close()
        self.assertFalse(lock.exists())
