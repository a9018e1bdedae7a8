"""Events, log and summary: seen, changed, gone to, copied."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.sheets.events_page import EventsPage
from ruvex.desktop.sheets.log_page import LogPage
from ruvex.desktop.sheets.summary_page import SummaryPage
from ruvex.plan import MoveEvent, PowerEvent, SetEvent, SurgeEvent
from ruvex.play.happenings import SetOut
from tests.desktop.base import LEFT, NONE, WindowCase


class Happenings(WindowCase):
    """The demo plan with its four events."""

    def setUp(self) -> None:
        """Open the demo in the Timeline, its day played."""
        super().setUp()
        self.open_demo()
        self.go_to("timeline")
        for _ in range(6000):
            if self.window.playing.is_over and self.desk.rehearsal.is_current:
                break
            QTest.qWait(10)
        self.settle()
        self.assertTrue(self.window.playing.is_over)
        self.ruler, self.lanes = self.timeline.ruler, self.timeline.lanes


class Beginning(WindowCase):
    """A play of which nothing is seen yet."""

    def test_what_is_done_before_anything_is_seen_is_done_to_the_plan(self) -> None:
        """Paused in its first piece, which goes on beside the window, there is no play yet in which to do it."""
        self.open_demo()
        playing = self.window.playing
        self.desk.selection.select("mail")
        playing.restart()
        assert playing.player is not None
        # As far as the thread beside has come: ticks are done, and none of their rows can be read before it is at rest.
        playing.player._piece(playing.player.end_tick, 500)
        playing.is_wanted = True
        self.assertGreater(playing.player.tick, 0)
        self.run_action(ActionName.POWER)
        self.assertEqual(self.desk.document.undo_stack.count(), 1)
        self.assertEqual(playing.kept, ())


class Flags(Happenings):
    """Events as flags on the ruler."""

    def test_a_flag_is_dragged_to_another_time(self) -> None:
        """The event happens where its flag is dropped; Esc lets go; undo takes it back."""
        event = self.desk.document.plan.events[0]
        start = QPoint(round(self.lanes.scale.x(event.at)), 8)
        for key in (Qt.Key.Key_Escape, None):
            QTest.mousePress(self.ruler, LEFT, NONE, start)
            QTest.mouseMove(self.ruler, start - QPoint(30, 0))
            QTest.mouseMove(self.ruler, start - QPoint(60, 0))
            if key is not None:
                QTest.keyClick(self.ruler, key)
            QTest.mouseRelease(self.ruler, LEFT, NONE, start - QPoint(60, 0))
            self.settle()
            if key is not None:
                self.assertEqual(self.desk.document.plan.events[0].at, event.at)
        moved = self.desk.document.plan.events[0]
        second = self.lanes.scale.span_s / (self.lanes.scale.right - self.lanes.scale.left)
        self.assertAlmostEqual(moved.at, event.at - 60 * second, delta=2 * second + 60)
        self.assertEqual(self.desk.document.undo_stack.count(), 1)
        self.run_action(ActionName.UNDO)
        self.assertEqual(self.desk.document.plan.events[0].at, event.at)

    def test_keys_walk_move_and_remove(self) -> None:
        """Arrows go from flag to flag, with Ctrl they move it by a minute, Del removes it."""
        self.ruler.setFocus()
        for _ in range(2):
            QTest.keyClick(self.ruler, Qt.Key.Key_Right)
        self.assertEqual(self.window.events.selected, 1)
        second = self.desk.document.plan.events[1]
        self.assertEqual(self.desk.look.plan.moment, second.at)
        self.assertIn("intranet", self.ruler.accessibleDescription())
        QTest.keyClick(self.ruler, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(self.desk.document.plan.events[1].at, second.at + 60)
        QTest.keyClick(self.ruler, Qt.Key.Key_Delete)
        self.assertEqual(len(self.desk.document.plan.events), 3)
        self.assertNotIn(second.target, [event.target for event in self.desk.document.plan.events])


class Events(Happenings):
    """The sheet of events."""

    def setUp(self) -> None:
        """Open it."""
        super().setUp()
        self.run_action(ActionName.EVENTS)
        page = self.window.pages[ActionName.EVENTS]
        assert isinstance(page, EventsPage)
        self.page = page

    def choose(self, key: str, text: str) -> None:
        """Choose a value of the selected event."""
        form = next(form for form in self.page._forms if key in form.choosers and form.isVisible())
        chooser = form.choosers[key]
        chooser.setCurrentIndex(chooser.findText(text))
        chooser.activated.emit(chooser.currentIndex())
        self.settle()

    def test_an_event_is_added_and_made_of_every_kind(self) -> None:
        """Added at the moment for what is selected; kind, target, time and figures are changed; removed; undone."""
        self.assertEqual(self.page.entries.count(), 4)
        self.desk.selection.select("crew-roster")
        self.desk.look.set_moment(7 * 3600.0)
        self.settle()
        QTest.mouseClick(self.page.add_button, LEFT)
        self.settle()
        events = self.desk.document.plan.events
        self.assertEqual(len(events), 5)
        self.assertIsInstance(events[0], PowerEvent)
        self.assertEqual((events[0].at, events[0].target, events[0].do), (25_200.0, "crew-roster", "restart"))
        self.choose("do", "surge")
        self.type_into(self.page.surge.fields["factor"], "2.6")
        self.type_into(self.page.surge.fields["for_s"], "900 s")
        surge = self.desk.document.plan.events[0]
        assert isinstance(surge, SurgeEvent)
        self.assertEqual((surge.factor, surge.for_s), (2.6, 900.0))
        self.choose("do", "move to a host")
        self.choose("host", "breakwater")
        move = self.desk.document.plan.events[0]
        assert isinstance(move, MoveEvent)
        self.assertEqual(move.host, "breakwater")
        self.choose("do", "set a setting")
        self.choose("setting", "CPU limit")
        self.type_into(self.page.value.fields["value"], "1.4 GHz")
        change = self.desk.document.plan.events[0]
        assert isinstance(change, SetEvent)
        self.assertEqual(change.change, {"cpu.limit": 1400.0})
        self.type_into(self.page.when.fields["at"], "07:25")
        self.assertEqual(self.desk.document.plan.events[0].at, 26_700.0)
        self.type_into(self.page.value.fields["value"], "much")
        self.assertIn("Not accepted", self.page.refusal.text())
        QTest.mouseClick(self.page.remove_button, LEFT)
        self.settle()
        self.assertEqual(len(self.desk.document.plan.events), 4)
        while self.desk.document.undo_stack.canUndo():
            self.run_action(ActionName.UNDO)
        self.assertEqual(len(self.desk.document.plan.events), 4)

    def test_a_click_goes_to_the_event(self) -> None:
        """The list and the ruler select the same event."""
        self.page.entries.setCurrentRow(2)
        self.settle()
        self.assertEqual(self.window.events.selected, 2)
        self.assertEqual(self.desk.look.plan.moment, self.desk.document.plan.events[2].at)


class LogAndSummary(Happenings):
    """What happened, and what it came to."""

    def test_the_log_is_filtered_and_gone_to(self) -> None:
        """All entries of the play; words and the selection filter; a click moves moment and selection there."""
        self.run_action(ActionName.LOG)
        page = self.window.pages[ActionName.LOG]
        assert isinstance(page, LogPage)
        player = self.window.playing.player
        assert player is not None
        self.assertEqual(page.entries.count(), len(player.log))
        page.line.setFocus()
        QTest.keyClicks(page.line, "sets out")
        self.settle()
        self.assertEqual(page.entries.count(), 2)
        self.assertEqual(page.count.text(), f"2 of {len(player.log)} entries")
        page.entries.setCurrentRow(1)
        self.settle()
        entry = next(e for e in player.log if e.target == "intranet" and isinstance(e.what, SetOut))
        self.assertEqual((self.desk.look.plan.moment, self.desk.selection.current), (entry.at_s, "intranet"))
        page.line.clear()
        page.only.click()
        self.settle()
        mine = [e for e in player.log if e.target == "intranet"]
        self.assertEqual(page.entries.count(), len(mine))

    def test_the_summary_is_that_of_the_command(self) -> None:
        """Every guest and every sentence; copied as cells, saved as CSV, the worst hit first."""
        self.run_action(ActionName.SUMMARY)
        page = self.window.pages[ActionName.SUMMARY]
        assert isinstance(page, SummaryPage)
        player = self.window.playing.player
        assert player is not None
        summary = player.summary()
        self.assertEqual(page.table.rowCount(), sum(guest.on_s > 0 for guest in summary.guests))
        hurt = max(summary.guests, key=lambda guest: max(guest.unmet_s, sum(guest.below_s.values())))
        first = page.table.item(0, 0)
        assert first is not None
        self.assertEqual(first.text(), self.desk.look.plan.guests[self.desk.look.plan.guest_index[hurt.id]].label)
        QTest.mouseClick(page.copy_button, LEFT)
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        lines = clipboard.text().splitlines()
        self.assertEqual(lines[0].split("\t")[:2], ["guest", "CPU short"])
        self.assertTrue(any(line.startswith("Batch tide-model: due 04:40") for line in lines), lines[-20:])
        path = self.folder / "summary.csv"
        page.save(path)
        self.assertIn(f"{first.text()},", path.read_text(encoding="utf-8"))

    def test_a_summary_whose_plan_has_lost_a_guest_is_told_as_it_was(self) -> None:
        """One that moved on the day is deleted: until the day is played anew all stands as it was, and says so."""
        self.run_action(ActionName.SUMMARY)
        page = self.window.pages[ActionName.SUMMARY]
        assert isinstance(page, SummaryPage)
        self.assertIn("Move intranet:", page.facts.text())
        self.desk.selection.select("intranet")
        self.run_action(ActionName.DELETE)
        names = [cells[0] for cells in page.rows()]
        if "intranet" in names:
            self.assertIn("as the plan was; it is being played anew", page.head.text())
            page.table.selectRow(names.index("intranet"))
            self.assertNotEqual(self.desk.selection.current, "intranet")
        while "anew" in page.head.text():
            QTest.qWait(10)
        self.assertNotIn("intranet", [cells[0] for cells in page.rows()])
        self.assertNotIn("Move intranet:", page.facts.text())
