"""The Core by core view, driven by mouse and keys: what is read of turns and waits, what is tried, what goes out."""

from __future__ import annotations

import csv
import json
import time
import xml.etree.ElementTree as ET
from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QImage, QWheelEvent
from PyQt6.QtTest import QTest

from ruvex.cores import crowd_of, trace
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.theme import blend
from ruvex.desktop.state.tracing import Tracing
from ruvex.desktop.views.cores import CoresView
from ruvex.desktop.views.cores.controls import crowd_text
from ruvex.desktop.views.cores.histogram import counts_of
from ruvex.desktop.views.cores.pixels import BusyTime, covered
from ruvex.desktop.views.cores.strips import Strips
from ruvex.engine import turn_rows as t
from ruvex.plan import Plan
from tests.cores.host import guest, plan_on
from tests.desktop.base import LEFT, NONE, WindowCase

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class CoresCase(WindowCase):
    """A window that shows Core by core."""

    def setUp(self) -> None:
        """Find the view."""
        super().setUp()
        view = self.window.views["cores"]
        assert isinstance(view, CoresView)
        self.view, self.threads, self.controls, self.pane = view, view.threads, view.controls, view.pane

    def go(self, select: str | None = None) -> Strips:
        """Show the view with something selected, and wait for turns and answers."""
        if select is not None:
            self.desk.selection.select(select)
        self.window.show_view("cores")
        return self.answered()

    def answered(self) -> Strips:
        """Wait until all is answered; gives what is drawn."""
        self.settle()
        until = time.monotonic() + 60
        while self.view.is_behind and time.monotonic() < until:
            self.settle()
        self.settle()
        assert self.pane.strips is not None
        return self.pane.strips

    def wide_turn(self, strips: Strips, least_px: float = 12.0) -> int:
        """Give a turn in sight that is wide enough to be hit, with a fellow and somebody who waits."""
        for turn in range(strips.thread.size):
            place = self.threads.bar_of(turn)
            scale = self.pane.scale
            is_seen = scale.left < place.left() and place.right() < scale.right and strips.thread[turn] < 5
            if is_seen and place.width() >= least_px and strips.fellows(turn).size and strips.waiting(turn).size:
                return turn
        raise AssertionError("no turn can be pointed at")

    def point_at(self, turn: int) -> QPoint:
        """Move the pointer to the middle of a turn."""
        place = self.threads.bar_of(turn).center().toPoint()
        QTest.mouseMove(self.threads.viewport(), place)
        self.settle()
        return place


class Turns(CoresCase):
    """What is drawn, lit, told, zoomed and selected; what else could be asked of each host is not worked out here."""

    def setUp(self) -> None:
        """Let no question be asked."""
        super().setUp()
        self.enterContext(patch.object(Tracing, "_next", lambda _tracing: None))

    def test_the_turn_below_the_pointer_is_told_and_a_click_selects_its_guest(self) -> None:
        """Who, how long, why it ended, which fellows ran and who waited: as the trace has it."""
        self.open_demo()
        strips = self.go("ticket-db")
        plan = self.desk.look.plan
        turn = self.wide_turn(strips)
        place = self.point_at(turn)
        thread, vcpu, begin, end, why = strips.trace.turns[:, turn].tolist()
        whose, number = int(strips.guest_of[int(vcpu)]), int(strips.number_of[int(vcpu)])
        label = plan.guests[whose].label
        self.assertIn(f"{label}, vCPU {number} on thread {int(thread)}", self.controls.told_of_turn)
        self.assertIn(f"ran {end - begin:.1f} ms from {begin:.1f} ms", self.controls.told_of_turn)
        words = {t.SLEPT: "slept", t.TURN_OVER: "used up", t.CUT_IN_ON: "cut in on"}
        self.assertIn(words[int(why)], self.controls.told_of_turn)
        # Worked out once more from the bare arrays.
        fellows = {
            int(strips.number_of[int(other)])
            for _, other, first, last, _ in strips.trace.turns.T.tolist()
            if strips.guest_of[int(other)] == whose and other != vcpu and first < end - 1e-6 and last > begin + 1e-6
        }
        self.assertIn(f"ran meanwhile: {', '.join(map(str, sorted(fellows)[:8]))}", self.controls.told_of_turn)
        waited = {
            plan.guests[int(strips.guest_of[int(other)])].label: ms
            for other, since, ms, _ in sorted(strips.trace.waits.T.tolist(), key=lambda wait: wait[2])
            if other != vcpu and since < end - 1e-6 and since + ms > begin + 1e-6
        }
        longest = max(waited, key=lambda name: waited[name])
        self.assertIn(f"waiting: {longest} ", self.controls.told_of_turn)
        QTest.mouseClick(self.threads.viewport(), LEFT, NONE, place)
        self.assertEqual(self.desk.selection.current, plan.guests[whose].id)
        QTest.mouseMove(self.threads.viewport(), QPoint(5, 5))
        self.assertIsNone(self.pane.lit)

    def test_turns_have_the_hue_of_their_pool_and_the_selected_guest_stands_out(self) -> None:
        """The colour in the middle of a turn, from the picture of the window."""
        self.open_demo()
        strips = self.go("ticket-db")
        self.pane.light(None)
        paper = self.window.theme.colours.paper
        seen = set()
        image = self.picture(self.threads.viewport())
        for turn in range(strips.thread.size):
            place = self.threads.bar_of(turn)
            if not (self.pane.scale.left < place.left() and place.right() < self.pane.scale.right):
                continue
            if place.width() < 6 or place.bottom() > image.height() - 2:
                continue
            whose = int(strips.guest_of[strips.vcpu[turn]])
            is_chosen = self.desk.look.plan.guests[whose].id == "ticket-db"
            solid = self.window.theme.bar_colours(strips.hue(whose)).solid
            expected = blend(solid, paper, 0.25 if is_chosen else 0.6)
            # Below the name, if there is one, and before the mark at the end.
            found = image.pixelColor(round(place.left() + 2), round(place.bottom() - 1))
            for one, other in zip(found.getRgb()[:3], expected.getRgb()[:3], strict=True):
                self.assertAlmostEqual(one or 0, other or 0, delta=3)
            seen.add((is_chosen, strips.hue(whose)))
        self.assertGreater(len(seen), 3)
        self.assertIn(True, {chosen for chosen, _ in seen})

    def test_a_tick_below_the_line_marks_each_wake(self) -> None:
        """Where a sleeper of the thread woke, and nowhere else."""
        self.open_demo()
        strips = self.go("ticket-db")
        self.pane.light(None)
        self.pane.set_scale(self.pane.scale.at(0.05, 0.03))
        scale, image = self.pane.scale, self.picture(self.threads.viewport())
        muted = self.window.theme.colours.muted.rgb()
        y = round(self.threads.bar_of(int(np.flatnonzero(strips.thread == 0)[0])).bottom())
        ticked = {x for x in range(scale.left, scale.right) if image.pixel(x, y) == muted}
        woke = strips.wait_begin[strips.is_wake & (strips.wait_thread == 0)] / 1000.0
        woke = woke[(woke >= scale.start_s) & (woke < scale.end_s)]
        self.assertEqual(ticked, {int(scale.x(at)) for at in woke.tolist()})
        self.assertGreater(len(ticked), 0)

    def test_the_axis_zooms_moves_and_shows_all(self) -> None:
        """Ctrl and wheel keep the time below the pointer, Shift moves, a double click shows a turn, Home the window."""
        self.open_demo()
        strips = self.go("ticket-db")
        scale = self.pane.scale
        self.assertEqual((scale.start_s, scale.end_s), (0.0, 0.2))
        at = scale.time(500)

        def wheel(steps: int, held: Qt.KeyboardModifier) -> None:
            place = QPointF(500, 80)
            up = QPoint(0, 120 * steps)
            event = QWheelEvent(place, place, QPoint(), up, Qt.MouseButton.NoButton, held,
                                Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
            self.application.sendEvent(self.threads.viewport(), event)

        wheel(4, CTRL)
        self.assertLess(self.pane.scale.span_s, 0.1)
        self.assertAlmostEqual(self.pane.scale.time(500), at, places=9)
        wheel(-2, SHIFT)
        self.assertGreater(self.pane.scale.time(500), at)
        self.threads.setFocus()
        QTest.keyClick(self.threads, Qt.Key.Key_Home)
        self.assertEqual((self.pane.scale.start_s, self.pane.scale.end_s), (0.0, 2.0))
        self.pane.set_scale(self.pane.scale.at(0.0, 0.2))
        turn = self.wide_turn(strips)
        place = self.threads.bar_of(turn).center().toPoint()
        QTest.mouseDClick(self.threads.viewport(), LEFT, NONE, place)
        shown = self.pane.scale
        self.assertAlmostEqual(shown.span_s, 2 * float(strips.end[turn] - strips.begin[turn]) / 1000, places=6)
        self.assertLess(shown.start_s, strips.begin[turn] / 1000)
        self.assertGreater(shown.end_s, strips.end[turn] / 1000)
        for _ in range(60):
            QTest.keyClick(self.threads, Qt.Key.Key_Plus)
        self.assertAlmostEqual(self.pane.scale.span_s, 0.001, places=6)

    def test_arrows_go_from_turn_to_turn_and_to_the_guests_next(self) -> None:
        """Right to the next on the thread, down to the thread below at that time, Shift to the same guest's next."""
        self.open_demo()
        strips = self.go("ticket-db")
        self.threads.setFocus()
        QTest.keyClick(self.threads, Qt.Key.Key_Right)
        first = self.pane.lit
        assert first is not None
        QTest.keyClick(self.threads, Qt.Key.Key_Right)
        second = self.pane.lit
        assert second is not None
        self.assertEqual(strips.thread[first], strips.thread[second])
        between = (strips.thread == strips.thread[first]) & (strips.begin > strips.begin[first])
        self.assertEqual(strips.begin[second], strips.begin[between].min())
        QTest.keyClick(self.threads, Qt.Key.Key_Down)
        below = self.pane.lit
        assert below is not None
        self.assertGreater(strips.thread[below], strips.thread[second])
        middle = (strips.begin[second] + strips.end[second]) / 2
        self.assertTrue(strips.begin[below] <= middle <= strips.end[below])
        for _ in range(40):
            QTest.keyClick(self.threads, Qt.Key.Key_Right, SHIFT)
        last = self.pane.lit
        assert last is not None
        self.assertEqual(strips.guest_of[strips.vcpu[last]], strips.guest_of[strips.vcpu[below]])
        scale = self.pane.scale
        self.assertTrue(scale.start_s <= strips.begin[last] / 1000 <= scale.end_s, "it is brought in sight")
        QTest.keyClick(self.threads, Qt.Key.Key_Return)
        whose = int(strips.guest_of[strips.vcpu[last]])
        self.assertEqual(self.desk.selection.current, self.desk.look.plan.guests[whose].id)

    def test_the_selection_is_that_of_the_other_views(self) -> None:
        """Selecting a guest elsewhere goes to its host, a row of waits selects, and the arrows go on from there."""
        self.open_demo()
        strips = self.go("ticket-db")
        host = self.desk.tracing.host
        waits = self.view.waits
        self.assertEqual(self.desk.look.plan.guests[waits.rows[0]].id, "ticket-db", "the selected one stands first")
        longest = [strips.figures[guest].longest_ms for guest in waits.rows[1:]]
        self.assertEqual(longest, sorted(longest, reverse=True))
        second = self.desk.look.plan.guests[waits.rows[1]].id
        QTest.mouseClick(waits.viewport(), LEFT, NONE, waits.places()[1][1].center().toPoint())
        self.assertEqual(self.desk.selection.current, second)
        waits.setFocus()
        QTest.keyClick(waits, Qt.Key.Key_Down)
        self.assertNotEqual(self.desk.selection.current, second)
        other = next(g.id for g in self.desk.look.plan.guests if g.host not in (host, None) and g.is_powered)
        self.desk.selection.select(other)
        strips = self.answered()
        self.assertNotEqual(self.desk.tracing.host, host)
        self.assertIn(self.desk.look.plan.guest_index[other], strips.guests)
        self.view.hosts.setCurrentIndex(0)
        self.view.hosts.activated.emit(0)
        self.answered()
        self.assertEqual(self.desk.tracing.host, self.desk.look.plan.hosts[0].id)

    def test_another_window_is_drawn_again_or_longer_and_the_same_seed_is_the_same(self) -> None:
        """Draw again has other chances; a longer window keeps the zoom; what is drawn is what the command writes."""
        self.open_demo()
        strips = self.go("ticket-db")
        again = trace(self.desk.look.division, self.desk.tracing.host or "", for_s=2.0, seed=1)
        np.testing.assert_array_equal(strips.trace.turns, again.turns)
        self.view._draw_again()
        other = self.answered()
        self.assertFalse(np.array_equal(strips.trace.turns, other.trace.turns))
        self.view._lengths[0].click()
        short = self.answered()
        self.assertEqual((short.trace.for_ms, self.pane.scale.whole_s), (500.0, 0.5))
        self.assertEqual(self.pane.scale.span_s, 0.2)

    def test_from_the_timeline_a_zoom_below_some_seconds_leads_here(self) -> None:
        """The offer names the time under the crosshair, and what is shown then is that of the play."""
        self.open_demo()
        self.go_to("timeline")
        self.assertTrue(self.timeline.turns_button.isHidden())
        self.desk.look.set_moment(43_200)
        lanes = self.timeline.lanes
        lanes.set_scale(lanes.scale.at(43_197.0, 6.0))
        self.settle()
        button = self.timeline.turns_button
        self.assertFalse(button.isHidden())
        self.assertEqual(button.text(), "Core by core at 12:00")
        QTest.mouseClick(button, LEFT)
        self.answered()
        self.assertIs(self.window.view, self.view)
        self.assertEqual((self.desk.look.mode, self.desk.look.plan.moment), ("played", 43_200))
        lanes.set_scale(lanes.scale.at(0.0, 86_400.0))
        self.assertTrue(button.isHidden())

    def test_without_hosts_or_with_a_host_that_is_down_it_says_so(self) -> None:
        """The empty state leads on; a lost host has a reason in the line above."""
        self.window.show_view("cores")
        self.settle()
        self.assertTrue(self.view.empty.isVisible())
        plan = plan_on(2, [guest("a"), guest("b")])
        hosts = (plan.hosts[0].model_copy(update={"up": False}),)
        self.show_plan(plan.model_copy(update={"hosts": hosts}))
        self.settle()
        self.assertIn("down", self.view._told.text())
        self.assertIsNone(self.pane.strips)
        self.view.save(self.folder / "x.csv")
        self.assertFalse((self.folder / "x.csv").exists())


class Tried(CoresCase):
    """What can be turned, and what each would do."""

    def open_small(self) -> Plan:
        """Open one host of four threads with a wide guest and others that always want."""
        plan = plan_on(4, [guest("wide", 8, 0.8), guest("b", 1, shares=25), guest("c", 1, 0.4)])
        self.show_plan(plan)
        return self.desk.look.plan

    def test_fewer_vcpus_are_tried_beside_what_is_and_set_or_left(self) -> None:
        """A click shows both schedules from the same chances and the answer; nothing is set until it is."""
        self.open_small()
        self.go("wide")
        tracing = self.desk.tracing
        now = tracing.answers["now"]
        assert now is not None
        own, others = tracing.answers[2], tracing.answers["now"]
        assert own is not None and own.own is not None and others is not None
        self.controls.vcpus[2].click()
        self.answered()
        self.assertEqual(self.desk.document.plan.guests[0].vcpus, 8, "nothing is set")
        before = self.pane.before
        assert before is not None and self.pane.strips is not None
        self.assertEqual((before.guest_of.size, self.pane.strips.guest_of.size), (10, 4))
        lines = dict(self.controls.picture.lines())
        tried = tracing.answers["tried"]
        assert tried is not None and tried.own is not None and now.own is not None
        self.assertAlmostEqual(tried.own.worked_mhz, own.own.worked_mhz, msg="as the table above has it")
        change = round(100 * (tried.own.worked_mhz / now.own.worked_mhz - 1))
        self.assertEqual(lines["its own work"], f"\u2212{-change} %")
        self.assertIn("\u2192", lines["its neighbours' longest wait"])
        QTest.mouseClick(self.controls.leave_button, LEFT)
        self.answered()
        self.assertIsNone(self.pane.before)
        self.assertFalse(self.controls.set_button.isVisible())
        self.controls.vcpus[4].click()
        self.answered()
        QTest.mouseClick(self.controls.set_button, LEFT)
        self.answered()
        self.assertEqual(self.desk.document.plan.guests[0].vcpus, 4)
        self.assertTrue(self.controls.vcpus[4].isChecked())
        self.run_action(ActionName.UNDO)
        self.answered()
        self.assertEqual(self.desk.document.plan.guests[0].vcpus, 8)

    def test_a_guest_that_was_added_is_asked_for_once_it_takes_turns(self) -> None:
        """Selected while the turns shown are of the plan without it, it has no answers yet, and then its own."""
        self.open_demo()
        self.go("mail")
        with patch.object(self.desk.tracing, "_run"):  # the turns of the plan with it are still on their way
            self.run_action(ActionName.DUPLICATE)
        self.assertNotEqual(self.desk.selection.current, "mail")
        self.assertNotIn("limited", self.desk.tracing.answers)
        self.desk.tracing._run()
        self.answered()
        self.assertIn("limited", self.desk.tracing.answers)

    def test_turn_fellows_threads_and_cores_are_tried(self) -> None:
        """Each control changes its own setting, and the schedule with it; what is in force again tries nothing."""
        self.open_small()
        self.go("wide")
        self.controls.turn.setFocus()
        QTest.keyClick(self.controls.turn, Qt.Key.Key_Right)
        self.answered()
        tried = self.desk.look.plan.rules.turns
        self.assertGreater(tried.turn_ms, 12.0)
        self.assertIn("\u2192", self.controls._turn_text.text())
        QTest.keyClick(self.controls.turn, Qt.Key.Key_Left)
        self.answered()
        for number, name in ((1, "lead"), (2, "together")):
            self.controls.fellows[number].click()
            strips = self.answered()
            self.assertEqual(self.desk.look.plan.rules.turns.fellows, name)
        self.assertEqual(strips.trace.wider_than_its_threads, [0])
        self.assertEqual(strips.figures[0].run, 0.0, "eight never find four threads together")
        self.controls.fellows[0].click()
        self.answered()
        self.assertIsNone(self.desk.look.before)
        self.controls.beside.click()
        self.answered()
        self.assertTrue(self.desk.look.plan.guests[0].cores.side_by_side)
        self.controls.cores.line.setFocus()
        self.controls.cores.line.selectAll()
        QTest.keyClicks(self.controls.cores.line, "2-3")
        QTest.keyClick(self.controls.cores.line, Qt.Key.Key_Return)
        strips = self.answered()
        self.assertEqual(self.desk.look.plan.guests[0].cores.only, (2, 3))
        ran_on = set(strips.thread[strips.guest_of[strips.vcpu] == 0].tolist())
        self.assertEqual(ran_on, {2, 3})
        self.controls.cores.line.selectAll()
        QTest.keyClicks(self.controls.cores.line, "0-9")
        QTest.keyClick(self.controls.cores.line, Qt.Key.Key_Return)
        self.answered()
        self.assertIn("core", self.window.notice.text)
        self.assertEqual(self.desk.document.plan.guests[0].cores.only, None)

    def test_a_limit_at_a_chosen_part_stands_beside_fewer_vcpus(self) -> None:
        """The last column: all vCPUs, half of their speed; tried, it is out of budget in every period."""
        self.show_plan(plan_on(4, [guest("wide", 4), guest("b", 1)]))
        self.go("wide")
        usual = self.desk.tracing.answers["limited"].own.worked_mhz
        self.controls.part.line.setFocus()
        self.controls.part.line.selectAll()
        QTest.keyClicks(self.controls.part.line, "50 %")
        QTest.keyClick(self.controls.part.line, Qt.Key.Key_Return)
        self.answered()
        self.assertLess(self.desk.tracing.answers["limited"].own.worked_mhz, usual)
        self.controls.vcpus["limited"].click()
        strips = self.answered()
        self.assertEqual(self.desk.look.plan.guests[0].cpu.limit, 2000.0)
        self.assertAlmostEqual(strips.figures[0].off, 4 / 3, delta=0.05, msg="200 ms of budget on three threads")

    def test_how_many_more_fit_follows_the_wait_that_is_borne(self) -> None:
        """Typed in ms; the sentence is that of the sweep."""
        self.open_small()
        self.go("c")
        for ms in (35.0, 80.0):
            self.controls.crowd_field.line.setFocus()
            self.controls.crowd_field.line.selectAll()
            QTest.keyClicks(self.controls.crowd_field.line, f"{ms:g} ms")
            QTest.keyClick(self.controls.crowd_field.line, Qt.Key.Key_Return)
            self.answered()
            expected = crowd_text(crowd_of(self.desk.look.division, "h", "c", ms))
            self.assertEqual(self.controls._crowd.text(), expected)

    def test_a_dial_at_the_foot_is_followed_too(self) -> None:
        """Shares that are being turned show their schedule beside the one that is."""
        self.open_small()
        self.go("wide")
        self.dials.preview("cpu.shares", 400)
        self.answered()
        self.assertIsNotNone(self.pane.before)
        ran = self.pane.strips.figures[0].run if self.pane.strips is not None else 0.0
        before = self.pane.before
        assert before is not None
        self.assertGreater(ran, before.figures[0].run)


class Out(CoresCase):
    """What is saved."""

    def test_pictures_and_turns_are_written(self) -> None:
        """A PNG of both halves, an SVG of shapes, a row a turn as CSV, an event a turn as Trace Event JSON."""
        self.open_demo()
        strips = self.go("ticket-db")
        for suffix in ("png", "svg", "csv", "json"):
            self.view.save(self.folder / f"turns.{suffix}")
        image = QImage(str(self.folder / "turns.png"))
        self.assertEqual(image.width(), self.view.waits.width())
        self.assertEqual(image.height(), self.threads.height() + self.view.waits.height())
        drawing = ET.parse(self.folder / "turns.svg").getroot()
        self.assertFalse([e for e in drawing.iter() if e.tag.endswith("image")], "shapes, no pixels")
        in_sight = ((strips.begin < 200.0) & (strips.thread < 5)).sum()
        self.assertGreater(sum(1 for _ in drawing.iter()), in_sight)
        with (self.folder / "turns.csv").open(encoding="utf-8") as file:
            self.assertEqual(len(list(csv.reader(file))), strips.thread.size + 1)
        events = json.loads((self.folder / "turns.json").read_text(encoding="utf-8"))["traceEvents"]
        self.assertEqual(sum(event["ph"] == "X" for event in events), strips.thread.size)

    def test_what_cannot_be_written_is_said(self) -> None:
        """A folder that is not there."""
        self.open_demo()
        self.go("ticket-db")
        self.view.save(self.folder / "nowhere" / "turns.png")
        self.assertIn("nowhere", self.window.notice.text)


class Rows(CoresCase):
    """The arithmetic of what is drawn."""

    def test_parts_of_time_add_up_at_every_zoom(self) -> None:
        """What pixels show of each class is what turns have of it, whatever edges are between."""
        random = np.random.default_rng(3)
        edges = np.sort(random.uniform(0, 100, 41))
        begin, end = edges[0:-1:2], edges[1::2]
        classes = random.integers(0, 3, begin.size)
        busy = BusyTime(begin, end, classes)
        for low, high, count in ((0.0, 100.0, 7), (20.0, 60.0, 500), (edges[3], edges[4], 3)):
            grid = np.linspace(low, high, count + 1)
            parts = busy.parts(grid)
            for number in range(3):
                its = classes == number
                clipped = np.clip(end[its], low, high) - np.clip(begin[its], low, high)
                shown = (parts[number] * np.diff(grid)).sum() if number in parts else 0.0
                self.assertAlmostEqual(shown, clipped.sum(), places=9)

    def test_a_short_wait_is_a_hair_at_least(self) -> None:
        """Touched pixels, each once; what lies beyond the edges, or is of no length, is left out."""
        begin, end = np.array([1.0, 4.01, 90.0, 5.0, 0.0]), np.array([2.5, 4.02, 95.0, 5.0, 9.0])
        found = covered(np.array([0, 0, 0, 0, 1]), begin, end, 3, np.arange(7.0))
        self.assertEqual(found[0].tolist(), [False, True, True, False, True, False])
        self.assertEqual(found[1].tolist(), [True] * 6)
        self.assertEqual(found[2].tolist(), [False] * 6)

    def test_waits_are_counted_in_steps_of_half_a_doubling(self) -> None:
        """From half a millisecond on; the longest stand in the last step."""
        counts = counts_of(np.array([0.0, 0.4, 0.5, 0.7, 0.71, 1.0, 64.0, 500.0]))
        self.assertEqual(counts.tolist(), [2, 1, 1, *[0] * 11, 1, 1])

    def test_what_a_wait_was_for_is_told_by_the_turn_before(self) -> None:
        """After a budget was spent dashed, after being held dotted, else plain; below the thread it last ran on."""
        plan = plan_on(2, [guest("limited", 1, limit=300), guest("a", 3, 0.6)], fellows="lead", lead_ms=3)
        self.show_plan(plan)
        strips = self.go()
        self.assertEqual(set(strips.wait_kind.tolist()), {0, 1, 2})
        for wait in range(strips.wait_vcpu.size):
            is_before = strips.end <= strips.wait_begin[wait] + 1e-7
            its = np.flatnonzero((strips.vcpu == strips.wait_vcpu[wait]) & is_before)
            if its.size:
                before = its[np.lexsort((strips.begin[its], strips.end[its]))[-1]]
                self.assertEqual(strips.wait_thread[wait], strips.thread[before])
                if abs(strips.end[before] - strips.wait_begin[wait]) < 1e-6:
                    why = int(strips.why[before])
                    kind = {t.HELD_BACK: 1, t.BUDGET_SPENT: 2}.get(why, 0)
                    self.assertEqual(strips.wait_kind[wait], kind)
