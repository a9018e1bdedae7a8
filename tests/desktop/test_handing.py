"""A pool handed over and taken back, by key and mouse."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.state.steps import settings_step
from ruvex.plan import EditError, read_plan, write_plan
from tests.desktop.base import LEFT, WindowCase


class HandingInTheWindow(WindowCase):
    """Two windows would be two people; here one after the other."""

    def pick(self, chooser: Chooser, text: str) -> None:
        """Go to a value of a choice with Home and Down."""
        chooser.setFocus()
        QTest.keyClick(chooser, Qt.Key.Key_Home)
        for _ in range(chooser.findText(text)):
            QTest.keyClick(chooser, Qt.Key.Key_Down)
        self.settle()

    def test_over_and_back(self) -> None:
        """The owner may only what was allowed; back here what both changed is asked about, then it is one step."""
        self.open_demo()
        self.desk.selection.select("booking")
        self.run_action(ActionName.HAND_OVER)
        page = self.window.handing.over_page
        self.assertTrue(self.window.sheet.shows(page))
        self.assertEqual([box.isChecked() for box in page.boxes.values()], [True, True, False, False])
        page.boxes["switch"].setFocus()
        QTest.keyClick(page.boxes["switch"], Qt.Key.Key_Space)
        out = self.folder / "booking.ruvex.json"
        self.window.handing.ask_out = lambda _window, _suggestion: out
        QTest.mouseClick(page.hand_button, LEFT)
        self.settle()
        self.assertIn("booking.ruvex.json is Booking for its owner.", self.window.notice.text)
        self.assertFalse(self.window.sheet.isVisible())
        self.window.files.save()
        self.assertEqual([one.may for one in read_plan(self.path).plan.handed_over], [("divide",)])
        home = read_plan(self.path)

        self.assertTrue(self.window.open_path(out))
        self.settle()
        self.assertIn("handed over from Orrin Sound Ferries. Its owner may divide among them.", self.window.notice.text)
        guest = self.desk.document.plan.guests[0].id
        for target, change, expected in (
            (guest, {"vcpus": 3}, "vCPUs cannot be changed here"),
            ("booking", {"cpu.limit": 29000.0}, "bounded by whoever handed it over"),
            (self.desk.document.plan.hosts[0].id, {"mhz": 9000.0}, "Hosts are the site's"),
        ):
            with self.assertRaisesRegex(EditError, expected):
                self.desk.trial.make(settings_step("x", [(target, change)]))
        self.desk.trial.make(settings_step("x", [(guest, {"cpu.shares": 40.0})]))
        self.window.files.save()

        self.assertTrue(self.window.open_path(self.path))
        self.settle()
        self.desk.trial.make(settings_step("x", [(guest, {"cpu.shares": 60.0})]))
        self.window.handing.ask_back = lambda _window, _folder: out
        self.run_action(ActionName.TAKE_BACK)
        back = self.window.handing.back_page
        self.assertTrue(self.window.sheet.shows(back))
        self.assertFalse(back.take_button.isEnabled())
        self.assertEqual(back.told.text(), "1 to be said")
        (chooser,) = back.choosers.values()
        self.assertIn("here it is 60, there 40", chooser.accessibleName())
        self.pick(chooser, "what is there")
        self.assertTrue(back.take_button.isEnabled())
        before = self.desk.document.undo_stack.count()
        QTest.mouseClick(back.take_button, LEFT)
        self.settle()
        plan = self.desk.document.plan
        self.assertEqual(plan.guests[plan.guest_index[guest]].cpu.shares, 40)
        self.assertEqual((plan.handed_over, self.desk.document.undo_stack.count()), ((), before + 1))
        self.assertFalse(self.window.sheet.isVisible())

        self.desk.document.undo_stack.setClean()
        self.run_action(ActionName.TAKE_BACK)
        self.assertIn("booking.ruvex.json was not taken back.", self.window.notice.text)
        child = read_plan(out)
        write_plan(child.plan.model_copy(update={"seed": 7}), out, traces=child.traces)
        write_plan(home.plan, self.path, traces=home.traces)
        self.assertTrue(self.window.open_path(self.path))
        self.settle()
        self.run_action(ActionName.TAKE_BACK)
        self.assertIn("changed outside its bounds. Seeds are the site's", self.window.notice.text)
