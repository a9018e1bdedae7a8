"""Losing no work: recovery copies, plans open twice, plans changed by others, the window as it was left."""

from __future__ import annotations

import os
import shutil
from pathlib import Path
from unittest.mock import patch

from PyQt6.QtTest import QTest

from ruvex.desktop import make_window
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.shell.picture import take_picture
from ruvex.desktop.shell.window import Window
from ruvex.desktop.state import own_file
from ruvex.desktop.state.preferences import Preferences
from ruvex.desktop.state.recovery_copy import SUFFIX, read_copy, write_copy
from ruvex.plan import change_settings, read_plan, rename_plan, write_plan
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
        copy = self.window.files.recovery.copy
        self.desk.trial.change("mail", {"cpu.shares": 300}, "more")
        self.settle(900)
        kept = read_copy(copy).plan
        self.assertEqual(kept.guests[kept.guest_index["mail"]].cpu.shares, 300)
        self.run_action(ActionName.UNDO)
        self.settle(900)
        self.assertFalse(copy.exists())
        self.run_action(ActionName.REDO)
        self.settle(900)
        self.assertTrue(copy.exists())
        self.assertEqual(self.another_window().files.recovery.leftovers(), ([], []), "its window still lives")
        self.assertTrue(self.window.files.save())
        self.assertFalse(copy.exists())

    def leave_copy(self, name: str, shares: float, *, token: str = "abc") -> Path:
        """Leave a recovery copy of the demo plan with another setting, as a Ruvex that was killed leaves it."""
        file = read_plan(self.path)
        plan = change_settings(rename_plan(file.plan, name), "mail", {"cpu.shares": shares})
        folder = self.folder / "state" / "recovery"
        folder.mkdir(parents=True, exist_ok=True)
        copy = folder / f"{token}{SUFFIX}"
        write_copy(copy, plan, file.traces, file.layout, path=self.path, digest=file.digest)
        return copy

    def shares(self) -> float:
        """Give the setting that tells which state is open."""
        plan = self.desk.look.plan
        return plan.guests[plan.guest_index["mail"]].cpu.shares

    def test_damaged_copies_do_no_harm(self) -> None:
        """They are set aside and named; a good one that is older is offered all the same, and holds everything."""
        good = self.leave_copy("Good", 333.0)
        os.utime(good, (1, 1))
        whole = good.read_bytes()
        for token, content in (("cut", whole[: len(whole) // 2]), ("null", b"null"), ("empty", b"")):
            (good.parent / f"{token}{SUFFIX}").write_bytes(content)
        flipped = bytearray(whole)
        flipped[whole.index(b'"mail"') + 1] ^= 1
        (good.parent / f"flipped{SUFFIX}").write_bytes(flipped)
        self.assertTrue(self.window.files.offer_recovery())
        self.assertIn("Ruvex ended while Good had changes", self.window.notice.text)
        self.assertIn("4 recovery copies were damaged, and set aside", self.window.notice.text)
        self.assertEqual(len(list(good.parent.glob("*.damaged"))), 4)
        shutil.rmtree(self.path.parent)
        self.answer("Recover them")
        self.assertEqual(self.shares(), 333.0)
        self.assertEqual(self.window.files.recovery.leftovers(), ([], []))

    def test_recovered_changes_are_one_step_from_what_is_saved(self) -> None:
        """Taken back, nothing is left to be saved; made again, it is there."""
        self.leave_copy("Night", 333.0)
        self.window.files.offer_recovery()
        self.answer("Recover them")
        self.assertTrue(self.desk.document.is_dirty)
        self.run_action(ActionName.UNDO)
        self.assertEqual(self.shares(), 100.0)
        self.assertFalse(self.desk.document.is_dirty)
        self.run_action(ActionName.REDO)
        self.assertEqual(self.shares(), 333.0)

    def test_what_a_colleague_wrote_meanwhile_is_not_overwritten_unasked(self) -> None:
        """The copy knows the file it was begun from."""
        self.leave_copy("Night", 333.0)
        theirs = change_settings(read_plan(self.path).plan, "mail", {"cpu.shares": 700})
        write_plan(theirs, self.path)
        self.window.files.offer_recovery()
        self.answer("Recover them")
        self.assertFalse(self.window.files.save())
        self.assertIn("was changed on disk by someone else", self.window.notice.text)
        self.assertEqual(read_plan(self.path).plan, theirs)

    def test_a_copy_of_what_was_saved_is_not_offered(self) -> None:
        """Killed between saving and forgetting the copy, there is nothing to recover."""
        copy = self.leave_copy("Night", 333.0)
        shutil.copyfile(self.path, self.folder / "before")
        found = read_copy(copy)
        write_plan(found.plan, self.path, layout=found.layout)
        self.assertFalse(self.window.files.offer_recovery())
        self.assertFalse(copy.exists())

    def test_recovering_asks_about_what_is_open(self) -> None:
        """Whoever went on working before answering loses nothing by the answer."""
        self.leave_copy("Night", 333.0)
        self.window.files.offer_recovery()
        recover = self.window.notice.choices[0]
        self.open_demo()
        self.desk.trial.change("mail", {"cpu.shares": 555}, "more")
        recover.click()
        self.settle()
        self.assertEqual(self.shares(), 555.0)
        self.assertIn("changes that are not saved", self.window.notice.text)

    def test_a_deleted_or_replaced_file_is_noticed(self) -> None:
        """Deleted: told, counts as not saved, and can be saved again. Another file in its place: told too."""
        self.open_demo()
        before = self.path.read_bytes()
        self.path.unlink()
        self.settle(600)
        self.assertIn("is not there any more", self.window.notice.text)
        self.assertTrue(self.desk.document.is_dirty)
        self.answer("Save it there again")
        self.assertEqual(read_plan(self.path).plan, self.desk.look.plan)
        self.assertFalse(self.desk.document.is_dirty)
        self.assertFalse(self.window.notice.isVisible())
        other = self.folder / "other"
        other.write_bytes(before + b"\n")
        other.replace(self.path)
        self.settle(600)
        self.assertIn("was changed on disk by someone else", self.window.notice.text)
        self.answer("Keep what is here")
        self.assertTrue(self.desk.document.is_dirty, "what is open is nowhere on disk")
        self.window.files.own_file.look()
        self.assertFalse(self.window.notice.isVisible(), "who answered is not asked again at every look")
        self.assertFalse(self.window.files.save(), "but saving asks")
        self.answer("Stay")
        other.write_bytes(before + b"\n\n")
        other.replace(self.path)
        self.window.files.own_file.look()
        self.assertIn("was changed on disk by someone else", self.window.notice.text)

    def test_a_read_only_file_is_asked_about(self) -> None:
        """It is written over only when that is said, and stays read-only."""
        self.open_demo()
        before = self.path.read_bytes()
        self.path.chmod(0o444)
        self.desk.trial.change("mail", {"cpu.shares": 333}, "more")
        self.assertFalse(self.window.files.save())
        self.assertIn("is read-only", self.window.notice.text)
        self.assertEqual(self.path.read_bytes(), before)
        self.answer("Save over it")
        self.assertFalse(self.desk.document.is_dirty)
        self.assertEqual(self.path.stat().st_mode & 0o777, 0o444)

    def test_another_trace_of_the_same_name_is_asked_about(self) -> None:
        """Taken, it is the plan's from then on; written over, the plan's own is there."""
        self.open_demo()
        name = next(iter(self.desk.document.file.traces))
        theirs = self.path.parent / name
        ours = theirs.read_bytes()
        head = ours.split(b"\n")[0]
        values = b",".join([b"5"] * (head.count(b",") + 1))
        theirs.write_bytes(head + b"\n" + values + b"\n")
        self.desk.trial.change("mail", {"cpu.shares": 333}, "more")
        self.assertFalse(self.window.files.save())
        self.assertIn(name, self.window.notice.text)
        self.answer("What is there")
        self.assertFalse(self.desk.document.is_dirty)
        self.assertEqual(set(self.desk.document.site.traces[name].seconds), {5.0})
        self.assertEqual(theirs.read_bytes().split(b"\n")[1], values)
        theirs.write_bytes(ours[: len(ours) // 2])
        self.desk.trial.change("mail", {"cpu.shares": 334}, "more")
        self.assertFalse(self.window.files.save())
        self.answer("Write over it")
        self.assertEqual(theirs.read_bytes().split(b"\n")[1], values)

    def test_the_plan_is_saved_though_its_folder_is_gone(self) -> None:
        """Traces are in memory; recovery and saving elsewhere go on."""
        self.open_demo()
        self.desk.trial.change("mail", {"cpu.shares": 333}, "more")
        shutil.rmtree(self.path.parent)
        self.settle(900)
        self.assertTrue(self.window.files.recovery.copy.exists())
        elsewhere = self.folder / "elsewhere" / "saved.ruvex.json"
        elsewhere.parent.mkdir()
        self.assertTrue(self.window.files.write(elsewhere))
        self.assertEqual(read_plan(elsewhere).plan, self.desk.look.plan)
        # Qt misses the lock that went with the folder.
        self.warnings.clear()

    def test_the_window_opens_whatever_is_remembered(self) -> None:
        """Settings of 100 000 brackets, of the wrong kinds, or of nothing."""
        settings = self.folder / "state" / "desktop.json"
        settings.parent.mkdir(exist_ok=True)
        recent = '["\\u0000", 5, "' + "x" * 5000 + '"]'
        for text in (
            "[" * 100_000, "null", "{", f'{{"recent": {recent}, "layout": [], "theme": {{}}}}', '{"text_scale": 1e400}',
            '{"layout": {"views": {"list": {"columns": 5}}, "units": {"cpu": []}}}',
        ):  # fmt: skip
            with self.subTest(text[:40]):
                settings.write_text(text, encoding="utf-8")
                self.another_window().files.show_recent()

    def test_no_copy_can_be_kept(self) -> None:
        """Where there is no room for one it is told once, and the work goes on."""
        self.open_demo()
        folder = self.folder / "state" / "recovery"
        folder.parent.mkdir(exist_ok=True)
        folder.write_text("in the way")
        for shares in (333, 334):
            self.window.notice.hide()
            self.desk.trial.change("mail", {"cpu.shares": shares}, "more")
            self.settle(900)
            self.assertEqual("No recovery copy can be kept" in self.window.notice.text, shares == 333)

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

    def test_a_picture_only_looks(self) -> None:
        """Whoever opens the plan while a picture is taken of it is told nothing: no lock is asked for."""
        with patch.object(own_file, "QLockFile") as lock:
            take_picture(self.path, self.folder / "a.png")
            lock.assert_not_called()
            self.open_demo()
            lock.assert_called_once()

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
        self.assertFalse(self.window.files.save())
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
        self.assertTrue(self.window.files.save())
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
