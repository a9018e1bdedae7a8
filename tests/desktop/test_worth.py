"""The Worth a look view: what it says is what the command says; remedies, setting aside, going through."""

from __future__ import annotations

import time

from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QEnterEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from ruvex.advise import findings_of
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.views.worth import WorthView
from ruvex.desktop.views.worth.entry import FindingEntry
from ruvex.divide import divide
from ruvex.plan import read_plan
from ruvex.play import Player
from ruvex.site import site_of
from tests.advise.test_worth import CLEAN, HOST, HOUR, POOLS, guest
from tests.builders import plan_of
from tests.desktop.base import LEFT, WindowCase


class Worth(WindowCase):
    """One window."""

    def setUp(self) -> None:
        """Find the view."""
        super().setUp()
        view = self.window.views["worth"]
        assert isinstance(view, WorthView)
        self.view = view

    def found(self) -> list[FindingEntry]:
        """Wait until the plan has been looked through; gives the entries."""
        self.settle()
        until = time.monotonic() + 60
        while self.view.is_behind and time.monotonic() < until:
            self.settle()
        self.settle()
        return self.view.entries

    def entry(self, kind: str) -> FindingEntry:
        """Give the entry of a kind."""
        return next(entry for entry in self.found() if entry.found.finding.kind == kind)

    def test_it_says_what_the_command_says(self) -> None:
        """All findings of the demo in their order; the sentence, the figures, who gains and who pays."""
        self.open_demo()
        self.window.show_view("worth")
        file = read_plan(self.path)
        site = site_of(file.plan, file.traces)
        day = Player(site, record_s=10)
        day.run()
        expected = findings_of(divide(site, file.plan.moment), day)
        self.assertEqual([e.found.finding.text for e in self.found()], [finding.text for finding in expected])
        kiosk = self.entry("beside-pools")
        self.assertIn("paid by old-fare-kiosk \u2212", kiosk.effect_text)
        self.assertIn("tide-model +", kiosk.effect_text)
        self.assertIn("its part when all want all", kiosk.evidence.accessibleName())

    def test_a_remedy_is_tried_under_the_pointer_and_taken_by_a_click(self) -> None:
        """Its ghosts show everywhere, it is one undo step, and then the finding is gone."""
        self.open_demo()
        self.window.show_view("worth")
        kiosk = self.entry("beside-pools")
        assert kiosk.remedy is not None
        middle = QPointF(kiosk.remedy.rect().center())
        QApplication.sendEvent(kiosk.remedy, QEnterEvent(middle, middle, QPointF(kiosk.remedy.mapToGlobal(middle))))
        self.settle()
        self.assertIsNotNone(self.desk.trial.step)
        self.assertIsNotNone(self.desk.look.before)
        QApplication.sendEvent(kiosk.remedy, QEvent(QEvent.Type.Leave))
        self.settle()
        self.assertIsNone(self.desk.trial.step)
        kiosk = self.entry("beside-pools")
        assert kiosk.remedy is not None
        QTest.mouseClick(kiosk.remedy, LEFT)
        self.assertNotIn("beside-pools", [e.found.finding.kind for e in self.found()])
        self.run_action(ActionName.UNDO)
        self.assertIn("beside-pools", [e.found.finding.kind for e in self.found()])

    def test_set_aside_with_a_reason_that_the_plan_keeps_and_brought_back(self) -> None:
        """Esc leaves it; Enter keeps the reason, which is saved; a button brings it back."""
        self.open_demo()
        self.window.show_view("worth")
        entry = self.entry("agent-missing")
        QTest.mouseClick(entry.aside_button, LEFT)
        QTest.keyClick(entry.reason, Qt.Key.Key_Escape)
        self.assertTrue(entry.aside_button.isVisible())
        QTest.mouseClick(entry.aside_button, LEFT)
        QTest.keyClicks(entry.reason, "it cannot be had for it")
        QTest.keyClick(entry.reason, Qt.Key.Key_Return)
        self.assertNotIn("agent-missing", [e.found.finding.kind for e in self.found()])
        self.run_action(ActionName.SAVE)
        self.settle()
        aside = read_plan(self.path).plan.aside
        self.assertEqual([(one.kind, one.of, one.reason) for one in aside],
                         [("agent-missing", "intranet", "it cannot be had for it")])  # fmt: skip
        QTest.mouseClick(self.view.back_buttons[0], LEFT)
        self.assertIn("agent-missing", [e.found.finding.kind for e in self.found()])
        self.assertEqual(self.view.back_buttons, [])

    def test_keys_go_through_and_the_row_is_the_dials(self) -> None:
        """Down to the next, whose guest is selected; Enter takes the remedy of one that has it."""
        self.open_demo()
        self.window.show_view("worth")
        entries = self.found()
        entries[0].setFocus()
        self.settle()
        self.assertEqual(self.desk.selection.current, entries[0].about)
        QTest.keyClick(entries[0], Qt.Key.Key_Down)
        self.settle()
        self.assertTrue(entries[1].hasFocus())
        second = entries[1].found.finding
        self.assertEqual(self.desk.selection.row_id, second.about[0])
        at = 1
        while entries[at].found.finding.remedy is None:
            QTest.keyClick(entries[at], Qt.Key.Key_Down)
            at += 1
        self.assertTrue(entries[at].hasFocus())
        second = entries[at].found.finding
        QTest.keyClick(entries[at], Qt.Key.Key_Return)
        left = [(entry.found.finding.kind, entry.found.finding.about[0]) for entry in self.found()]
        self.assertNotIn((second.kind, second.about[0]), left)

    def test_all_that_nobody_pays_for_is_one_step(self) -> None:
        """An unused limit and far too many vCPUs go at once; what somebody pays for stays."""
        guests = [guest("a", pool="p") | {"cpu": {"limit": 1800}}, guest("b", 900, 4, pool="q"), CLEAN[2]]
        self.show_plan(plan_of(guests, POOLS, host=HOST, day_s=2 * HOUR, moment=HOUR))
        self.window.show_view("worth")
        self.assertEqual({e.found.finding.kind for e in self.found()}, {"unused-limit", "idle-vcpus"})
        QTest.mouseClick(self.view.free_button, LEFT)
        self.assertEqual(self.found(), [])
        self.assertFalse(self.view.free_button.isEnabled())
        self.assertIsNone(self.desk.document.plan.guests[0].cpu.limit)
        self.assertEqual(self.desk.document.plan.guests[1].vcpus, 2)
        self.run_action(ActionName.UNDO)
        self.assertEqual(len(self.found()), 2)

    def test_a_clean_plan_and_an_empty_one(self) -> None:
        """Nothing is said to be wrong; and an empty plan leads on."""
        self.window.show_view("worth")
        self.settle()
        self.assertTrue(self.view.empty.isVisible())
        self.show_plan(plan_of(CLEAN, POOLS, host=HOST, day_s=2 * HOUR, moment=HOUR))
        self.assertEqual(self.found(), [])
        self.assertIn("Nothing is worth a look at 01:00", self.view._told.text())
