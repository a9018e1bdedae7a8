"""The tour of the README, sentence by sentence, with real keys and a real mouse."""

from __future__ import annotations

import re
import time
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QEnterEvent, QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QTableView

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.sheets.emptying_page import EmptyingPage
from ruvex.desktop.sheets.events_page import EventsPage
from ruvex.desktop.sheets.keys_page import KeysPage
from ruvex.desktop.sheets.log_page import LogPage
from ruvex.desktop.sheets.why_page import WhyPage
from ruvex.desktop.views.beside import BesideView
from ruvex.desktop.views.cores import CoresView
from ruvex.desktop.views.guest_list.model import HIT
from ruvex.desktop.views.guest_list.view import ListView
from ruvex.desktop.views.room import RoomView
from ruvex.plan import Guest, find_item
from tests.desktop.base import LEFT, NONE, WindowCase

README = Path(__file__).resolve().parents[2] / "README.md"
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


def sentences() -> list[str]:
    """Give the sentences of the numbered tour, without their marks."""
    text = README.read_text(encoding="utf-8")
    tour = text[text.index("## Five minutes with the demo") : text.index("*Stories* in the menu")]
    steps = re.split(r"\n\d+\. ", tour)[1:]
    plain = [re.sub(r"[*`]", "", " ".join(step.split())) for step in steps]
    return [part for step in plain for part in re.split(r"(?<=[a-z0-9A-Z:])\.(?: |$)", step) if part]


class Tour(WindowCase):
    """One window, from the first sentence to the last."""

    def setUp(self) -> None:
        """Open the demo as ``scripts/demo`` does."""
        super().setUp()
        self.open_demo()
        self.until_rehearsed()

    def until_rehearsed(self) -> None:
        """Let the days beside the window be played to their end."""
        for _ in range(4000):
            self.settle()
            if self.desk.rehearsal.is_current and not (
                self.window.playing.is_running and not self.window.playing.speed
            ):
                return
            QTest.qWait(5)
        self.fail("the day is never there")

    def key(self, key: Qt.Key, modifiers: Qt.KeyboardModifier = NONE) -> None:
        """Press a key where the focus is."""
        QTest.keyClick(QApplication.focusWidget() or self.window, key, modifiers)
        self.settle()

    def type_key(self, character: str) -> None:
        """Type a character as it is typed."""
        QTest.keyClicks(QApplication.focusWidget() or self.window, character)
        self.settle()

    def guest(self, item_id: str) -> Guest:
        """Give a guest of the plan."""
        item = find_item(self.desk.document.plan, item_id)
        assert isinstance(item, Guest)
        return item

    def lacks(self, item_id: str) -> float:
        """Give what a row lacks of CPU on the screen."""
        division = self.desk.look.division
        return float(division.cpu.unmet[division.position[item_id]])

    def carry_to(self, guest: str, host: str, *, drop: bool) -> dict[str, str]:
        """Carry a guest's name onto a host's chip; gives what is told while it hangs there."""
        self.desk.selection.select(guest)
        self.settle()
        view, chip = self.butterfly.viewport(), self.window.head.chips.chips[host]
        start = QPoint(self.butterfly.columns.names[0] + 60, self.butterfly.row_rect(guest).center().y())
        end = chip.mapToGlobal(QPoint(20, 20))
        QTest.mousePress(view, LEFT, NONE, start)
        for here in (view.mapToGlobal(start) + QPoint(0, -12), end):
            move = QMouseEvent(
                QMouseEvent.Type.MouseMove, QPointF(view.mapFromGlobal(here)), QPointF(here), LEFT, LEFT, NONE
            )
            QApplication.sendEvent(view, move)
            self.settle()
        weighed = self.butterfly.gestures.weighed
        assert weighed is not None
        if not drop:
            self.key(Qt.Key.Key_Escape)
        QTest.mouseRelease(view, LEFT, NONE, view.mapFromGlobal(end))
        self.settle()
        return dict(weighed.lines)

    def test_every_sentence(self) -> None:
        """Each is done and found to be true; one that is new in the README fails until it is walked here."""
        told = sentences()
        walked = [
            ("Read a row", self.nothing),
            ("Every name has its CPU to the left", self.a_row_has_two_wings),
            ("Solid is promised, pale is won", self.the_legend_says_so),
            ("The chips at the top are the hosts", self.chips_are_hosts),
            ("Ask who pays", self.nothing),
            ("Click berth-planner and drag", self.drag_the_handle),
            ("The line above the dials says who gains", self.the_line_says_who_pays),
            ("Let go, and Ctrl+Z takes it back", self.let_go_and_undo),
            ("Find the guest beside the pools", self.nothing),
            ("old-fare-kiosk, the last row", self.the_kiosk_gets_all),
            ("Go by host", self.nothing),
            ("Press H: each host is a band", self.by_host),
            ("Drag crew-roster onto the chip", self.drag_crew_roster),
            ("tide-model may not go there", self.tide_model_may_not),
            ("See who is hurt", self.nothing),
            ("Ctrl+3 lists every guest", self.the_list),
            ("Choose ticket-db and press F7", self.why),
            ("Point at an offer", self.point_at_an_offer),
            ("Look core by core", self.nothing),
            ("Ctrl+7 shows the threads", self.core_by_core),
            ("Point at a turn: who ran", self.point_at_a_turn),
            ("Choose 4 in place of", self.fewer_vcpus),
            ("Leave it takes nothing along", self.leave_it),
            ("Move the moment to noon with }", self.to_noon),
            ("CPU is relaxed now, and gate-cameras", self.gate_cameras),
            ("Type no limit into its field", self.no_limit),
            ("L shows the same moment", self.as_played),
            ("Play the day", self.nothing),
            ("Ctrl+2 shows the hosts first", self.the_timeline),
            ("The tide model, due at 04:40, is late", self.the_tide_model_is_late),
            ("Choose 60× and press P", self.play_from_here),
            ("Ctrl+Shift+E lists the events", self.the_events),
            ("Ctrl+L is the log", self.the_log),
            ("Ask how much room there is", self.nothing),
            ("Ctrl+5 counts how many more", self.how_much_room),
            ("Press Move it beside the first arrow", self.move_it_and_compare),
            ("Ctrl+Z takes it back", self.take_it_back),
            ("Empty a host", self.nothing),
            ("Click the chip of breakwater", self.find_other_hosts),
            ("Press Move them", self.move_them_and_undo),
            ("Hit a wall", self.nothing),
            ("Type 60 GHz as the CPU reservation", self.the_wall),
            ("F1 lists all keys", self.the_keys),
        ]
        self.assertEqual(len(told), len(walked), told)
        for sentence, (begins, walk) in zip(told, walked, strict=True):
            with self.subTest(sentence):
                self.assertTrue(sentence.startswith(begins), f"{sentence!r} does not begin with {begins!r}")
                walk()

    def nothing(self) -> None:
        """A heading asks for nothing."""

    def a_row_has_two_wings(self) -> None:
        """CPU grows to the left of the names, memory to the right."""
        left, right = self.butterfly.columns.names
        self.assertLess(self.butterfly.axes["cpu"].x(1000.0), left)
        self.assertGreater(self.butterfly.axes["memory"].x(1000.0), right)

    def the_legend_says_so(self) -> None:
        """The same words stand in the legend of this view."""
        self.assertLessEqual({"promised", "won by shares", "not delivered"}, set(self.window.view.legend))

    def chips_are_hosts(self) -> None:
        """180 % of its CPU."""
        self.assertEqual(list(self.window.head.chips.chips), [host.id for host in self.desk.look.plan.hosts])
        self.assertEqual(round(100 * self.window.head.chips.chips["skerry-1"].parts[0]), 180)

    def drag_the_handle(self) -> None:
        """With the mouse, in steps; it is not let go yet."""
        self.click_row("berth-planner")
        track = self.dials.dials["cpu"].track
        self.drag_handle(track, "cpu.reservation", -60, release=False)
        self.assertIsNotNone(self.desk.trial.step)

    def the_line_says_who_pays(self) -> None:
        """Names and amounts now, and finish times or shortfalls over the day."""
        self.until_rehearsed()
        self.assertRegex(self.dials.effect.text, r"berth-planner \+\S+.*paid by \S+ −")
        self.assertTrue(self.dials.effect.day.startswith("over the day: "), self.dials.effect.day)

    def let_go_and_undo(self) -> None:
        """One undo entry, taken back."""
        before = self.guest("berth-planner").cpu.reservation
        track = self.dials.dials["cpu"].track
        QTest.mouseRelease(track, LEFT, NONE, QPoint(round(track.handle_x("cpu.reservation")), 17))
        self.settle()
        self.assertGreater(self.guest("berth-planner").cpu.reservation, before)
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(self.guest("berth-planner").cpu.reservation, before)

    def the_kiosk_gets_all(self) -> None:
        """The last row lacks nothing, and pools above it do."""
        rows = self.butterfly.row_list.rows
        self.assertEqual(rows[-1].item_id, "old-fare-kiosk")
        self.assertEqual(self.lacks("old-fare-kiosk"), 0)
        self.assertTrue(all(self.lacks(row.item_id) > 0 for row in rows if row.is_pool and row.depth == 0))

    def by_host(self) -> None:
        """Bands of all hosts."""
        self.butterfly.setFocus()
        self.key(Qt.Key.Key_H)
        bands = [row.item_id for row in self.butterfly.row_list.rows if row.kind == "host"]
        self.assertEqual(bands, [host.id for host in self.desk.look.plan.hosts])

    def drag_crew_roster(self) -> None:
        """While it hangs there: who pays, who gains; it is not dropped."""
        told = self.carry_to("crew-roster", "breakwater", drop=False)
        self.assertLessEqual({"who pays", "who gains"}, set(told))
        self.assertEqual(self.guest("crew-roster").host, "skerry-1")

    def tide_model_may_not(self) -> None:
        """The reason is a sentence."""
        self.assertIn("tide-model", self.carry_to("tide-model", "breakwater", drop=True)["cannot go there"])
        self.assertEqual(self.guest("tide-model").host, "skerry-1")
        self.window.notice.hide()

    def the_list(self) -> None:
        """Every guest, sorted by what is missing."""
        self.key(Qt.Key.Key_3, CTRL)
        view = self.window.view
        assert isinstance(view, ListView)
        self.assertEqual(view.table.rowCount(), len(self.desk.look.plan.guests))
        self.assertEqual(view.table.order, HIT)

    def why(self) -> None:
        """Ladder, who has it, offers."""
        view = self.window.view
        assert isinstance(view, ListView)
        guest = self.desk.look.plan.guest_index["ticket-db"]
        row = view.table.row_of(guest)
        assert row is not None
        grid = view.findChild(QTableView)
        assert grid is not None
        grid.scrollTo(view.table.index(row, 0))
        self.settle()
        viewport = grid.viewport()
        assert viewport is not None
        QTest.mouseClick(viewport, LEFT, NONE, grid.visualRect(view.table.index(row, 0)).center())
        self.settle()
        self.assertEqual(self.desk.selection.current, "ticket-db")
        self.key(Qt.Key.Key_F7)
        page = self.window.sheet.page
        assert isinstance(page, WhyPage)
        side = page.sides["cpu"]
        self.assertIn("delivered", [line.text for line in side.ladder.lines])
        self.assertTrue(side.having.text().startswith("Who has it: "))
        self.assertTrue(side.offers)

    def point_at_an_offer(self) -> None:
        """Its effect shows in the line, and goes when the pointer goes; offers stay where they are."""
        page = self.window.sheet.page
        assert isinstance(page, WhyPage)
        offer = page.sides["cpu"].offers[0]
        places = [other.mapTo(page, QPoint(0, 0)) for other in page.sides["cpu"].offers]
        middle = QPointF(offer.rect().center())
        QApplication.sendEvent(offer, QEnterEvent(middle, middle, QPointF(offer.mapToGlobal(middle))))
        self.settle()
        assert self.desk.trial.effect is not None
        self.assertTrue(self.desk.trial.effect.shifts)
        self.assertEqual([other.mapTo(page, QPoint(0, 0)) for other in page.sides["cpu"].offers], places)
        QApplication.sendEvent(offer, QEvent(QEvent.Type.Leave))
        self.settle()
        self.assertIsNone(self.desk.trial.step)
        self.window.sheet.close_sheet()

    def cores(self) -> CoresView:
        """Give Core by core, with all it was asked."""
        view = self.window.view
        assert isinstance(view, CoresView)
        until = time.monotonic() + 60
        while view.is_behind and time.monotonic() < until:
            self.settle()
        self.settle()
        return view

    def core_by_core(self) -> None:
        """Those of the selected guest's host."""
        self.key(Qt.Key.Key_7, CTRL)
        self.assertEqual(self.cores().hosts.currentText(), "skerry-1")

    def point_at_a_turn(self) -> None:
        """A wide one in sight."""
        view = self.cores()
        strips = view.pane.strips
        assert strips is not None
        wide = (strips.end - strips.begin > 10) & (strips.begin > 5) & (strips.end < 190) & (strips.thread < 4)
        turn = int(np.flatnonzero(wide)[0])
        QTest.mouseMove(view.threads.viewport(), view.threads.bar_of(turn).center().toPoint())
        self.settle()
        told = view.controls.told_of_turn
        for words in (f"on thread {int(strips.thread[turn])}", "ran ", "meanwhile"):
            self.assertIn(words, told)
        self.assertRegex(told, "nobody waited|waiting: ")

    def fewer_vcpus(self) -> None:
        """The answer has both."""
        view = self.cores()
        QTest.mouseClick(view.controls.vcpus[4], LEFT)
        lines = dict(self.cores().controls.picture.lines())
        self.assertEqual(lines["its own work"], "\u221222 %")
        before, after = lines["its neighbours' waits, 95th"].removesuffix(" ms").split(" \u2192 ")
        self.assertLess(float(after), float(before))

    def leave_it(self) -> None:
        """Eight as before."""
        QTest.mouseClick(self.cores().controls.leave_button, LEFT)
        self.assertEqual(self.guest("ticket-db").vcpus, 8)
        self.assertIsNone(self.desk.trial.step)

    def room(self) -> RoomView:
        """Give the Room view once all its questions are answered."""
        view = self.window.views["room"]
        assert isinstance(view, RoomView)
        until = time.monotonic() + 60
        while view.is_behind and time.monotonic() < until:
            self.settle()
        self.settle()
        return view

    def how_much_room(self) -> None:
        """Each question has its answer."""
        self.key(Qt.Key.Key_5, CTRL)
        view = self.room()
        self.assertIs(self.window.view, view)
        self.assertIn("more on paper", view.more.paper.text())
        self.assertEqual(len(view.losses), 3)
        self.assertGreater(len(view.steps), 0)

    def move_it_and_compare(self) -> None:
        """The move is made, and what it changes stands in the other view."""
        QTest.mouseClick(self.room().steps[0].apply, LEFT)
        self.settle()
        self.key(Qt.Key.Key_4, CTRL)
        view = self.window.view
        assert isinstance(view, BesideView)
        until = time.monotonic() + 60
        while view.is_behind and time.monotonic() < until:
            self.settle()
        self.settle()
        self.assertIn("host", view.since.text())
        self.assertEqual(view.chooser.currentText(), "before the last edit")

    def take_it_back(self) -> None:
        """The plan is as it was."""
        before = self.desk.document.plan
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertIsNot(self.desk.document.plan, before)
        self.key(Qt.Key.Key_1, CTRL)

    def to_noon(self) -> None:
        """Typed, not only pressed."""
        self.key(Qt.Key.Key_1, CTRL)
        self.butterfly.setFocus()
        for _ in range(4):
            self.type_key("}")
        self.assertEqual(self.desk.look.plan.moment, 12 * 3600)

    def gate_cameras(self) -> None:
        """Its own limit is the cause."""
        division = self.desk.look.division
        self.assertGreater(division.cpu.supply, division.cpu.total_wanted)
        self.assertEqual(self.guest("gate-cameras").cpu.limit, 1350)
        self.assertAlmostEqual(self.delivered("gate-cameras"), 1350, delta=1)

    def no_limit(self) -> None:
        """Typed into the dial's field."""
        self.click_row("gate-cameras")
        self.type_into(self.dials.dials["cpu"].fields["cpu.limit"], "no limit")
        self.assertIsNone(self.guest("gate-cameras").cpu.limit)
        self.assertEqual(self.lacks("gate-cameras"), 0)

    def as_played(self) -> None:
        """Played, and settled again."""
        self.butterfly.setFocus()
        self.key(Qt.Key.Key_L)
        self.until_rehearsed()
        self.assertTrue(self.desk.look.is_played)
        self.assertIn("played: as the day has it at 12:00", self.desk.look.told)
        self.key(Qt.Key.Key_L)
        self.assertFalse(self.desk.look.is_played)

    def the_timeline(self) -> None:
        """Hosts first."""
        self.key(Qt.Key.Key_2, CTRL)
        self.until_rehearsed()
        self.assertEqual([row.kind for row in self.timeline.lanes.row_list.rows[:4]], ["host"] * 3 + ["pool"])

    def the_tide_model_is_late(self) -> None:
        """Due 04:40, done later."""
        job = self.timeline.lanes.days.jobs()["tide-model"][0]
        self.assertEqual(job.due_s, 4 * 3600 + 2400)
        self.assertTrue(job.is_late and job.done_s is not None)

    def play_from_here(self) -> None:
        """It goes on from the moment, and is paused again."""
        self.timeline.transport.speeds[60.0].click()
        self.timeline.lanes.setFocus()
        self.key(Qt.Key.Key_P)
        for _ in range(800):
            QTest.qWait(5)
            if self.window.playing.now_s > 12 * 3600 + 30 and not self.window.playing.is_catching_up:
                break
        self.key(Qt.Key.Key_P)
        self.assertGreater(self.desk.look.plan.moment, 12 * 3600)
        self.timeline.transport.speeds[0.0].click()

    def the_events(self) -> None:
        """The list has it."""
        self.key(Qt.Key.Key_E, CTRL | SHIFT)
        page = self.window.sheet.page
        assert isinstance(page, EventsPage)
        items = [page.entries.item(i) for i in range(page.entries.count())]
        texts = [item.text() for item in items if item is not None]
        self.assertTrue(any(text.startswith("23:05  breakwater: host down") for text in texts), texts)

    def the_log(self) -> None:
        """Entries of the play."""
        self.key(Qt.Key.Key_L, CTRL)
        page = self.window.sheet.page
        assert isinstance(page, LogPage)
        self.assertGreater(page.entries.count(), 3)
        self.key(Qt.Key.Key_Escape)

    def find_other_hosts(self) -> None:
        """All of them."""
        self.key(Qt.Key.Key_1, CTRL)
        QTest.mouseClick(self.window.head.chips.chips["breakwater"], LEFT)
        self.key(Qt.Key.Key_M, CTRL | SHIFT)
        page = self.window.sheet.page
        assert isinstance(page, EmptyingPage)
        self.assertEqual((page.going.count(), page.staying.count()), (12, 0))

    def move_them_and_undo(self) -> None:
        """As one step."""
        page = self.window.sheet.page
        assert isinstance(page, EmptyingPage) and page.offer is not None
        QTest.mouseClick(page.offer, LEFT)
        self.settle()
        self.assertFalse(any(guest.host == "breakwater" for guest in self.desk.document.plan.guests))
        self.key(Qt.Key.Key_Z, CTRL)
        self.assertEqual(sum(guest.host == "breakwater" for guest in self.desk.document.plan.guests), 12)
        self.window.sheet.close_sheet()

    def the_wall(self) -> None:
        """The panel names what is short and the holders."""
        self.butterfly.set_by_host(by_host=False)
        self.desk.selection.select("booking")
        self.settle()
        self.type_into(self.dials.dials["cpu"].fields["cpu.reservation"], "60 GHz")
        self.assertTrue(self.window.refusal.isVisible())
        refused = self.desk.trial.refused
        assert refused is not None
        self.assertTrue(refused.refusal.holders)
        self.key(Qt.Key.Key_Escape)

    def the_keys(self) -> None:
        """In groups."""
        self.key(Qt.Key.Key_F1)
        self.assertIsInstance(self.window.sheet.page, KeysPage)
        self.assertTrue(self.window.sheet.shows(self.window.pages[ActionName.KEYS]))
