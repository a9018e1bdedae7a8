"""A day at work on three hosts: who is hurt, why, a move, the old host emptied, an event, and all of it undone."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QTableView

from ruvex.desktop.sheets.emptying_page import EmptyingPage
from ruvex.desktop.sheets.events_page import EventsPage
from ruvex.desktop.sheets.why_page import WhyPage
from ruvex.desktop.views.guest_list.view import ListView
from ruvex.divide import divide
from ruvex.plan import HostEvent
from ruvex.play import Player
from ruvex.site import site_of
from tests.desktop.base import LEFT, NONE, WindowCase

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class DayAtWork(WindowCase):
    """One window, driven by keys and mouse."""

    def key(self, key: Qt.Key, modifiers: Qt.KeyboardModifier = NONE) -> None:
        """Press a key where the focus is."""
        QTest.keyClick(QApplication.focusWidget() or self.window, key, modifiers)
        self.settle()

    def until_rehearsed(self) -> None:
        """Let the days beside the window be played to their end."""
        for _ in range(4000):
            self.settle()
            if self.desk.rehearsal.is_current and not self.window.playing.is_running:
                return
            QTest.qWait(5)
        self.fail("the day is never there")

    def hosts(self) -> dict[str, str | None]:
        """Give where the plan has every guest."""
        return {guest.id: guest.host for guest in self.desk.document.plan.guests}

    def test_from_the_worst_hit_to_an_empty_host_and_back(self) -> None:
        """See who is hurt in the list, ask why, move it, empty the old host, watch the day, add an event, undo all."""
        self.open_demo()
        self.until_rehearsed()
        start, start_hosts = self.desk.document.plan, self.hosts()

        # Who is hurt: the first row of the list lacks the largest part of what it wants.
        self.key(Qt.Key.Key_3, CTRL)
        view = self.window.view
        assert isinstance(view, ListView)
        grid = view.findChild(QTableView)
        assert grid is not None
        viewport = grid.viewport()
        assert viewport is not None
        QTest.mouseClick(viewport, LEFT, NONE, grid.visualRect(view.table.index(0, 0)).center())
        self.settle()
        hurt = self.desk.selection.current
        assert hurt is not None
        division = self.desk.look.division

        def part(guest: str) -> float:
            row = division.position[guest]
            parts = [
                float(of.unmet[row] / of.wanted[row]) for of in (division.cpu, division.memory) if of.wanted[row] > 0
            ]
            return max(parts, default=0.0)

        self.assertAlmostEqual(part(hurt), max(part(guest.id) for guest in start.guests), places=9)

        # Why: what keeps it back, and a move that helps.
        self.key(Qt.Key.Key_F7)
        page = self.window.sheet.page
        assert isinstance(page, WhyPage)
        self.assertTrue(any("kept back" in line.text for side in page.sides.values() for line in side.ladder.lines))
        self.key(Qt.Key.Key_F7)

        # Move: gate-north leaves the busiest host by typing where it goes.
        self.key(Qt.Key.Key_1, CTRL)
        self.butterfly.setFocus()
        self.desk.selection.select("gate-north")
        self.settle()
        before = self.delivered("gate-north")
        self.key(Qt.Key.Key_M)
        QTest.keyClicks(self.window.command_box.line, "skerry-2")
        self.key(Qt.Key.Key_Return)
        self.assertEqual(self.hosts()["gate-north"], "skerry-2")
        self.assertGreater(self.delivered("gate-north"), before)
        assert self.desk.trial.effect is not None
        self.assertIn("gate-north", self.dials.effect.text)
        plan = self.desk.document.plan
        alone = divide(site_of(plan, self.desk.document.file.traces), plan.moment)
        row = alone.position["gate-north"]
        self.assertEqual(self.delivered("gate-north"), float(alone.cpu.delivered[row]))

        # Maintenance: the old host is emptied, and the day is another one.
        self.until_rehearsed()
        day = self.desk.rehearsal.base
        assert day is not None
        QTest.mouseClick(self.window.head.chips.chips["breakwater"], LEFT)
        self.key(Qt.Key.Key_M, CTRL | SHIFT)
        emptying = self.window.sheet.page
        assert isinstance(emptying, EmptyingPage) and emptying.offer is not None
        emptying.offer.setFocus(Qt.FocusReason.TabFocusReason)
        self.until_rehearsed()
        assert self.desk.trial.effect is not None
        self.assertIsNotNone(self.desk.trial.effect.day)
        self.assertIsNotNone(self.desk.rehearsal.tried)
        self.key(Qt.Key.Key_Space)
        self.assertNotIn("breakwater", self.hosts().values())
        self.until_rehearsed()
        now = self.desk.rehearsal.base
        assert now is not None and now is not day
        expected = Player(site_of(self.desk.document.plan, self.desk.document.file.traces))
        expected.run()
        unmet = {guest.id: guest.unmet_s for guest in now.summary().guests}
        self.assertEqual(unmet, {guest.id: guest.unmet_s for guest in expected.summary().guests})
        self.assertNotEqual(unmet, {guest.id: guest.unmet_s for guest in day.summary().guests})

        # An event: the empty host goes down at the moment.
        self.key(Qt.Key.Key_E, CTRL | SHIFT)
        events = self.window.sheet.page
        assert isinstance(events, EventsPage)
        QTest.mouseClick(events.add_button, LEFT)
        self.settle()
        added = [e for e in self.desk.document.plan.events if e.at == self.desk.look.plan.moment]
        self.assertEqual([(type(e), e.target) for e in added], [(HostEvent, "breakwater")])
        self.key(Qt.Key.Key_2, CTRL)
        self.until_rehearsed()
        self.assertIn(added[0], [flag.event for flag in self.timeline.ruler.flags()])
        chip = self.window.head.chips.chips["breakwater"]
        self.desk.look.set_moment(added[0].at + 600)
        self.settle()
        self.assertIn("down", chip.accessibleName())
        QTest.mouseClick(self.timeline.lanes.viewport(), LEFT, NONE, QPoint(20, 10))

        # All of it back, one Ctrl+Z each.
        for _ in range(10):
            if not self.desk.document.undo_stack.canUndo():
                break
            self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(self.desk.document.undo_stack.index(), 0)
        self.assertEqual(self.hosts(), start_hosts)
        moment = self.desk.document.plan.moment
        self.assertEqual(self.desk.document.plan, start.model_copy(update={"moment": moment}))
        self.assertFalse(self.window.isWindowModified())
