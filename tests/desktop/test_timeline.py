"""The Timeline in the real window: playing, reading, doing things while it plays, and the stories."""

from __future__ import annotations

from itertools import pairwise
from pathlib import Path
from unittest.mock import patch

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QContextMenuEvent, QImage, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.time_scale import TimeScale
from ruvex.desktop.sheets.form import Form
from ruvex.desktop.shell.demo import story_paths
from ruvex.desktop.state.events import event_text
from ruvex.desktop.state.figures import figure
from ruvex.desktop.state.units import GHZ, GIB
from ruvex.desktop.views.timeline.columns import columns_of
from ruvex.desktop.views.timeline.jobs import job_text
from ruvex.desktop.views.timeline.raster import Canvas
from ruvex.plan import ElasticMemory, Guest, read_plan
from ruvex.play import PRESSURES, Player
from ruvex.site import site_of
from ruvex.words import entry_text
from tests.builders import cpu_guest, memory_guest, plan_of
from tests.desktop.base import LEFT, NONE, WindowCase


class TimelineCase(WindowCase):
    """Opens the view and waits for plays."""

    def setUp(self) -> None:
        """Name the parts."""
        super().setUp()
        self.playing = self.window.playing
        self.lanes, self.gauge = self.timeline.lanes, self.timeline.gauge

    def play_to_end(self, most_ms: int = 60_000) -> None:
        """Wait until the play is over."""
        QTest.qWait(1)
        for _ in range(most_ms // 10):
            if self.playing.is_over and not self.playing.is_running:
                break
            QTest.qWait(10)
        self.settle()
        self.assertTrue(self.playing.is_over)
        # Nothing more can happen in a day that is over.
        for name in (ActionName.RESTART, ActionName.SURGE):
            self.assertFalse(self.window.actions_by_name[name].isEnabled())

    def open_story(self, part: str) -> Path:
        """Open a story from the menu, as a person does; it plays by itself."""
        self.window.files.show_stories()
        name = next(name for path, name, _ in self.window.files.stories() if part in path.name)
        action = next(a for a in self.window.stories_menu.actions() if a.text() == name)
        action.trigger()
        self.play_to_end()
        return next(path for path in story_paths() if part in path.name)

    def at(self, guest: str, time_s: float) -> None:
        """Select a guest and click its lane at a time."""
        self.desk.selection.select(guest)
        self.settle()
        place = self.lanes.row_rect(guest)
        self.assertFalse(place.isEmpty(), guest)
        point = QPoint(round(self.lanes.scale.x(time_s)), place.center().y())
        QTest.mouseClick(self.lanes.viewport(), LEFT, NONE, point)
        self.settle()

    def key(self, key: Qt.Key, modifier: Qt.KeyboardModifier = NONE) -> None:
        """Press a key in the lanes."""
        self.lanes.setFocus()
        QTest.keyClick(self.lanes, key, modifier)
        self.settle()


class Stories(TimelineCase):
    """Each story plays in the window and shows what its text says."""

    def test_every_story_plays_the_same_as_without_a_window(self) -> None:
        """All seven are in the menu with what to watch; the recording is that of the command, to the bit."""
        self.assertEqual(len(self.window.files.stories()), 7)
        for path, name, notes in self.window.files.stories():
            with self.subTest(name):
                self.open_story(path.name)
                self.assertIn(notes, self.gauge.idle_text)
                self.assertTrue(self.gauge.isVisible())
                file = read_plan(path)
                expected = Player(site_of(file.plan, file.traces))
                expected.run()
                recording = self.playing.recording
                assert recording is not None
                for channel, values in expected.recording.arrays().items():
                    np.testing.assert_array_equal(recording.arrays()[channel], values, err_msg=channel)

    def test_sale_in_the_gauge(self) -> None:
        """The balloon is seen after the boot, growth that lags by its cause, and later the need is met."""
        self.open_story("sale")
        self.at("fare-desk", 1450)
        assert self.gauge.reading is not None
        self.assertGreater(self.gauge.reading.balloon, 1500)
        self.assertEqual(self.gauge.told(), "met 100 %")
        self.at("fare-desk", 1510)
        self.assertIn("still growing", self.gauge.told())
        self.at("fare-desk", 2100)
        self.assertEqual(self.gauge.told(), "met 100 %")
        self.assertEqual(self.gauge.reading.visible, self.gauge.reading.backed)

    def test_refusals_and_bridges_are_jumped_to(self) -> None:
        """J goes from one interesting time to the next: the bridge, the refused cold start, the one that waits."""
        self.open_story("tight-restart")
        self.desk.look.set_moment(0)
        told = []
        for _ in range(20):
            before = self.lanes.cross_s
            self.key(Qt.Key.Key_J)
            if self.lanes.cross_s == before:
                break
            told.append((self.lanes.cross_s, self.timeline.transport.told.toolTip()))
        self.assertIn(1200.0, [time for time, _ in told])
        self.assertTrue(any("disk stands in" in text for _, text in told), told)
        self.assertTrue(any(time == 2700.0 and "does not start" in text for time, text in told), told)

    def test_a_bank_guest_without_a_volume_and_the_greedy_one(self) -> None:
        """kiosk-4 stays off; the greedy database's gauge shows need, backed and visible at its ceiling."""
        self.open_story("bank")
        self.at("kiosk-4", 3600)
        self.assertEqual(self.gauge.told(), "off")
        self.open_story("greedy")
        self.at("catch-db", 2900)
        assert self.gauge.reading is not None
        self.assertEqual(self.gauge.reading.visible, 10.5 * 1024)
        self.assertAlmostEqual(self.gauge.reading.working, 0.94 * 10.5 * 1024, delta=1)


class Reading(TimelineCase):
    """The demo's day: lanes, crosshair, zoom, dials."""

    def test_day_of_the_demo(self) -> None:
        """The day is played on opening the view; crosshair, readout, dials and zoom follow mouse, wheel and keys."""
        self.open_demo()
        self.go_to("timeline")
        self.assertTrue(self.timeline.isVisible())
        self.play_to_end()
        self.assertIn("elastic saves", self.timeline.transport.told.toolTip())
        self.at("gate-cameras", 9 * 3600)
        self.assertAlmostEqual(self.desk.look.plan.moment, 9 * 3600, delta=self.lanes.scale.span_s / 700)
        assert self.gauge.reading is not None
        self.assertIn("supply", self.gauge.told())
        self.assertLess(self.gauge.reading.pace, 0.5)
        # The dials tell the division of what was asked for then.
        recording = self.playing.recording
        assert recording is not None
        at, row = recording.guest_index["gate-cameras"], recording.row_at(self.desk.look.plan.moment)
        demand = self.desk.look.division.demand.values[1, self.desk.look.plan.guest_index["gate-cameras"]]
        self.assertEqual(demand, float(recording.series("working")[at, row]))

        before = self.picture(self.lanes.viewport())
        QTest.mouseMove(self.lanes.viewport(), QPoint(round(self.lanes.scale.x(17 * 3600)), 40))
        self.settle()
        self.assertAlmostEqual(self.lanes.cross_s, 17 * 3600, delta=200)
        self.assertNotEqual(before, self.picture(self.lanes.viewport()))

        span = self.lanes.scale.span_s
        at_s, x = 17 * 3600.0, self.lanes.scale.x(17 * 3600)
        point = QPointF(x, 60)
        # The wheel alone scrolls; with Ctrl it zooms at the pointer.
        for modifier, part in ((NONE, 1.0), (Qt.KeyboardModifier.ControlModifier, 0.64)):
            wheel = QWheelEvent(
                point, self.lanes.viewport().mapToGlobal(point), QPoint(), QPoint(0, 240), Qt.MouseButton.NoButton,
                modifier, Qt.ScrollPhase.NoScrollPhase, False,
            )  # fmt: skip
            QApplication.sendEvent(self.lanes.viewport(), wheel)
            self.assertAlmostEqual(self.lanes.scale.span_s, span * part, delta=1)
        self.assertAlmostEqual(self.lanes.scale.x(at_s), x, delta=1)
        self.key(Qt.Key.Key_Home)
        self.assertEqual(self.lanes.scale.span_s, 86_400)
        self.desk.look.set_moment(7200)
        self.key(Qt.Key.Key_Right)
        self.assertGreater(self.lanes.cross_s, 7200)
        self.assertEqual(self.lanes.cross_s, self.desk.look.plan.moment)

    def test_a_changed_plan_is_played_again(self) -> None:
        """After the day is over a dial changes the plan, and the lanes follow; in another view nothing is played."""
        guests = [cpu_guest("a", 8000), cpu_guest("b", 8000)]
        self.show_plan(plan_of(guests, moment=0, day_s=3600))
        self.go_to("timeline")
        self.play_to_end()
        recording = self.playing.recording
        assert recording is not None
        self.assertEqual(float(recording.series("cpu_delivered")[0, 100]), 5000)
        self.desk.trial.change("a", {"cpu.shares": 300}, "a: shares 300")
        self.assertTrue(self.playing.is_outdated)
        QTest.qWait(700)
        self.play_to_end()
        again = self.playing.recording
        assert again is not None
        self.assertEqual(float(again.series("cpu_delivered")[0, 100]), 7500)
        self.go_to("division")
        self.desk.trial.change("a", {"cpu.shares": 100}, "a: shares 100")
        QTest.qWait(700)
        self.assertIs(self.playing.recording, again)

    def test_empty_plan_says_what_to_do(self) -> None:
        """Without guests there is nothing to play, and the view says so."""
        self.run_action(ActionName.NEW)
        self.go_to("timeline")
        self.assertTrue(self.timeline.empty.isVisible())
        self.run_action(ActionName.PLAY)
        self.run_action(ActionName.NEXT_TIME)


class Live(TimelineCase):
    """What is done while it plays happens in the play, and in the plan only when it is kept."""

    def setUp(self) -> None:
        """Open a plan of an hour with room for everything, and stand a minute in."""
        super().setUp()
        guests = [
            cpu_guest("a", 4000), cpu_guest("b", 4000),
            memory_guest("e", 3000, mode="elastic", boot=4000, floor=1000, ceiling=9000) | {"boot_s": 10},
        ]  # fmt: skip
        self.show_plan(plan_of(guests, moment=0, day_s=3600))
        self.go_to("timeline")
        self.playing.pause()
        self.settle()
        self.playing.restart()
        for _ in range(6):
            self.key(Qt.Key.Key_Period)
        self.assertTrue(self.playing.is_live)

    def test_step_and_paced_play(self) -> None:
        """A step is one recorded row; at 60× a second of the clock is a minute; P pauses."""
        self.assertEqual(self.playing.now_s, 60)
        self.timeline.transport.speeds[60.0].click()
        self.key(Qt.Key.Key_P)
        self.assertTrue(self.playing.is_running)
        QTest.qWait(1000)
        self.key(Qt.Key.Key_P)
        self.assertFalse(self.playing.is_running)
        self.assertGreater(self.playing.now_s, 75)
        self.assertLess(self.playing.now_s, 300)
        stood = self.playing.now_s
        QTest.qWait(200)
        self.assertEqual(self.playing.now_s, stood)

    def test_power_restart_surge_and_dials_happen_in_the_play(self) -> None:
        """Each goes into the log and not into the plan; kept, they are one undo entry, and the play is the same."""
        plan = self.desk.document.plan
        self.desk.selection.select("e")
        self.run_action(ActionName.RESTART)
        self.desk.selection.select("b")
        self.key(Qt.Key.Key_Space)
        self.desk.selection.select("a")
        self.run_action(ActionName.SURGE)
        self.desk.trial.change("a", {"cpu.limit": 5000}, "a: limit 5 GHz")
        self.key(Qt.Key.Key_Period)
        self.assertEqual((self.desk.document.plan.guests, self.desk.document.plan.events), (plan.guests, ()))
        self.assertEqual(self.desk.document.undo_stack.count(), 0)
        player = self.playing.player
        assert player is not None
        texts = " ".join(entry_text(entry, player.site.plan) for entry in player.log)
        for part in ("e is restarted", "b is switched off", "demand of a is 2.0 times", "a: CPU limit 5.00"):
            self.assertIn(part, texts)
        keep = self.window.actions_by_name[ActionName.KEEP_EVENTS]
        self.assertTrue(keep.isEnabled())
        self.assertEqual(keep.text(), "Keep 4 events")
        self.timeline.transport.speeds[0.0].click()
        self.key(Qt.Key.Key_P)
        self.play_to_end()
        recording = self.playing.recording
        assert recording is not None
        self.assertEqual(float(recording.series("cpu_delivered")[recording.guest_index["a"], 20]), 5000)
        self.run_action(ActionName.KEEP_EVENTS)
        self.assertEqual(len(self.desk.document.plan.events), 4)
        self.assertEqual(self.desk.document.undo_stack.count(), 1)
        self.assertFalse(self.playing.is_outdated)
        again = Player(site_of(self.desk.document.plan, {}))
        again.run()
        for channel, values in again.recording.arrays().items():
            np.testing.assert_array_equal(recording.arrays()[channel], values, err_msg=channel)
        self.run_action(ActionName.UNDO)
        self.assertEqual(self.desk.document.plan.events, ())

    def test_only_a_play_that_is_looked_at_takes_what_is_done(self) -> None:
        """In the division, and while the day is played as fast as it goes, a dial and Space change the plan."""
        self.go_to("division")
        self.desk.selection.select("a")
        self.butterfly.setFocus()
        QTest.keyClick(self.butterfly.reader, Qt.Key.Key_Space)
        self.settle()
        self.assertEqual(self.desk.document.plan.guests[0].power, "off")
        self.go_to("timeline")
        self.playing.set_speed(0.0)
        self.playing.play()
        self.assertFalse(self.playing.is_live)
        self.desk.trial.change("b", {"cpu.shares": 300}, "b: shares 300")
        self.assertEqual(self.desk.document.plan.guests[1].cpu.shares, 300)
        QTest.qWait(700)
        self.play_to_end()
        self.assertFalse(self.playing.is_outdated)
        self.assertEqual(self.playing.kept, ())

    def test_dials_show_what_is_in_force(self) -> None:
        """A setting that an event changed, and a guest that one switched off, show as they were at each time."""
        self.desk.selection.select("b")
        self.key(Qt.Key.Key_Space)
        self.desk.selection.select("e")
        self.desk.trial.change("e", {"memory.ceiling": 12_000}, "e: ceiling")
        self.playing.set_speed(0.0)
        self.playing.play()
        self.play_to_end()
        for time, ceiling, power in ((30, 9000, "on"), (300, 12_000, "off")):
            self.desk.look.set_moment(time)
            item = self.desk.selection.item
            assert isinstance(item, Guest) and isinstance(item.memory, ElasticMemory)
            self.assertEqual(item.memory.ceiling, ceiling)
            shown = self.desk.look.plan.guests[1].power
            self.assertEqual(shown, power)
        self.assertEqual(self.desk.document.plan.guests[1].power, "on")
        self.go_to("division")
        self.assertIs(self.desk.look.plan, self.desk.document.plan)

    def test_what_cannot_be_is_refused_in_the_log(self) -> None:
        """Another boot size of a guest that runs is refused, told on the way, and changes nothing."""
        self.desk.trial.change("e", {"memory.boot": 3000}, "e: boot size")
        self.key(Qt.Key.Key_Period)
        player = self.playing.player
        assert player is not None
        self.assertEqual([entry.kind for entry in player.log], ["refused"])
        self.assertIn("another boot size", self.timeline.transport.told.toolTip())
        self.assertIn("another boot size", entry_text(player.log[0], player.site.plan))

    def test_without_a_play_these_ask_for_one(self) -> None:
        """Restart and surge say that they belong to a play; power then changes the plan."""
        self.timeline.transport.speeds[0.0].click()
        self.desk.selection.select("a")
        self.playing.restart()
        self.playing.play()
        self.window.actions_by_name[ActionName.SURGE].trigger()
        self.assertIn("while the plan is played", self.window.notice.text)
        self.play_to_end()
        self.key(Qt.Key.Key_Space)
        self.assertEqual(self.desk.document.plan.guests[0].power, "off")


class Looking(TimelineCase):
    """Folding, keys, flags, looks and sizes."""

    def setUp(self) -> None:
        """Open the bank's story, which has every kind of row and event."""
        super().setUp()
        self.open_story("bank")

    def test_flags_tell_their_events(self) -> None:
        """Every event has a flag in the ruler that tells what it does; a click there looks at that time."""
        ruler = self.timeline.ruler
        for event in self.desk.look.plan.events:
            x = round(self.lanes.scale.x(event.at))
            self.assertEqual(ruler.events_near(QPoint(x, 10)), [event])
        self.assertEqual(event_text(self.desk.look.plan.events[0], self.desk.look.plan), "00:10  kiosk-4: power on")
        told = event_text(self.desk.look.plan.events[1], self.desk.look.plan)
        self.assertEqual(told, "01:00  slip-2: size of the bank 13.5\u202fGiB")
        QTest.mouseClick(ruler, LEFT, NONE, QPoint(round(self.lanes.scale.x(3000)), 28))
        self.settle()
        self.assertAlmostEqual(self.desk.look.plan.moment, 3000, delta=10)
        self.assertEqual(self.desk.document.undo_stack.count(), 0)

    def test_keys_walk_and_zoom(self) -> None:
        """Up and down select rows; Shift takes larger steps of time; the wheel with Shift moves along the day."""
        self.desk.selection.select("kiosk-1")
        self.key(Qt.Key.Key_Down)
        self.assertEqual(self.desk.selection.current, "kiosk-2")
        self.key(Qt.Key.Key_Up)
        self.assertEqual(self.desk.selection.current, "kiosk-1")
        self.desk.look.set_moment(1000)
        self.key(Qt.Key.Key_Right)
        small = self.desk.look.plan.moment - 1000
        self.key(Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
        self.assertAlmostEqual(self.desk.look.plan.moment, 1000 + 11 * small, delta=1e-6)
        self.lanes.set_scale(self.lanes.scale.at(1800, 1200))
        self.assertEqual((self.lanes.scale.start_s, self.lanes.scale.end_s), (1800, 3000))
        point = QPointF(self.lanes.scale.x(2400), 30)
        wheel = QWheelEvent(
            point, self.lanes.viewport().mapToGlobal(point), QPoint(), QPoint(0, -120), Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.ShiftModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(self.lanes.viewport(), wheel)
        self.assertEqual((self.lanes.scale.start_s, self.lanes.scale.end_s), (1920, 3120))
        self.key(Qt.Key.Key_Home)
        self.assertEqual((self.lanes.scale.start_s, self.lanes.scale.end_s), (0, 7200))

    def test_a_lane_has_the_menu_of_its_row(self) -> None:
        """A right click selects the row and opens its menu, with restart and surge in it."""
        place = self.lanes.row_rect("kiosk-2").center()
        menu = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, place, self.lanes.viewport().mapToGlobal(place))
        # Without a screen a menu cannot take the keyboard, so it is only asked whether it would open, and where.
        with patch.object(self.window.row_menu, "popup") as popup:
            QApplication.sendEvent(self.lanes.viewport(), menu)
            self.settle()
        popup.assert_called_once_with(menu.globalPos())
        self.assertEqual(self.desk.selection.current, "kiosk-2")
        texts = [action.text() for action in self.window.row_menu.actions()]
        self.assertLessEqual({"Restart", "Surge"}, set(texts))

    def test_lanes_show_what_was_played(self) -> None:
        """The squeezed part of kiosk-3 is seen only while the bank was too small; every look and size can be drawn."""
        place = self.lanes.lane_rect("kiosk-3").toRect()
        memory = place.adjusted(0, place.height() // 2, 0, -2)
        width = place.width() // 12
        pictures = [self.picture(self.lanes.viewport(), memory.translated(0, 0)).copy(
            int(self.lanes.scale.x(at) - self.lanes.scale.left), 0, width // 2, memory.height()
        ) for at in (600, 2700)]  # fmt: skip
        self.assertNotEqual(pictures[0], pictures[1])
        for look in ("dark", "contrast", "light"):
            self.window.theme.set_mode(look)
            for scale in (1.0, 1.5):
                self.window.theme.set_scale(scale)
                self.settle()
                self.assertFalse(self.picture(self.timeline).isNull())
                self.assertGreater(self.lanes.scale.right, self.lanes.scale.left)
        self.window.theme.set_scale(1.0)
        self.window.resize(800, 520)
        self.settle()
        self.assertFalse(self.lanes.row_rect("kiosk-1").isEmpty())

    def test_gauge_says_what_it_waits_for(self) -> None:
        """Without a guest, and before anything is played, it says what to do."""
        self.desk.selection.select(None)
        self.settle()
        self.assertIsNone(self.gauge.reading)
        self.assertEqual(self.gauge.told(), "")
        self.assertFalse(self.picture(self.gauge).isNull())
        self.desk.selection.select("kiosk-1")
        self.at("kiosk-1", 3000)
        assert self.gauge.reading is not None
        parts = self.gauge.reading.backed + self.gauge.reading.balloon + self.gauge.reading.squeezed
        self.assertLessEqual(parts, self.gauge.reading.visible)
        self.assertIn(self.gauge.told(), self.gauge.accessibleName())

    def test_stories_are_found_by_typing(self) -> None:
        """The command box finds a story by its name and opens it; unsaved work is asked for first."""
        self.desk.trial.change("kiosk-1", {"cpu.shares": 300}, "kiosk-1: shares 300")
        path = next(path for path in story_paths() if "storm" in path.name)
        self.window.files.open_story(path)
        self.assertIn("not saved", self.window.notice.text)
        self.assertEqual(self.desk.look.plan.name, "The bank")
        self.desk.document.undo_stack.setClean()
        self.run_action(ActionName.FIND)
        QTest.keyClicks(self.window.command_box.line, "start storm")
        QTest.keyClick(self.window.command_box.line, Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(self.desk.look.plan.name, "The start storm")
        self.play_to_end()
        self.at("till-10", 620)
        self.assertEqual(self.gauge.told(), "queued")
        self.at("till-01", 700)
        self.assertIn("booting", self.gauge.told())

    def test_rates_are_rules(self) -> None:
        """The rules page sets a rate, or at once, and how much is kept free; the play follows by itself."""
        page = self.window.pages[ActionName.RULES]
        self.run_action(ActionName.RULES)
        forms = [form for form in page.findChildren(Form) if form.has("reclaim.balloon_mib_s")]
        field = forms[0].fields["reclaim.balloon_mib_s"]
        self.assertEqual(field.line.text(), "48 MiB/s")
        self.type_into(field, "at once")
        self.assertIsNone(self.desk.document.plan.rules.reclaim.balloon_mib_s)
        self.type_into(field, "96 MiB/s")
        self.assertEqual(self.desk.document.plan.rules.reclaim.balloon_mib_s, 96)
        marks = next(form for form in page.findChildren(Form) if form.has("pressure.kept_percent"))
        self.type_into(marks.fields["pressure.kept_percent"], "6 %")
        self.assertEqual(self.desk.document.plan.rules.pressure.kept_percent, 6)


class Detail(TimelineCase):
    """What a pixel shows of many rows."""

    def test_no_peak_is_lost(self) -> None:
        """Whatever part shows, the highest of the columns is the highest of its rows, also when zoomed far in."""
        rng = np.random.default_rng(5)
        series = rng.random(8641).astype(np.float32)
        for start, end in ((0.0, 86_400.0), (3600.0, 50_000.0), (40_000.0, 40_300.0), (86_000.0, 86_400.0)):
            columns = columns_of(TimeScale(0, 900, start, end, 86_400.0), 900, 8641, 10.0)
            shown = columns.highest(series)
            first, last = int(start // 10), int(np.ceil(end / 10))
            self.assertEqual(shown.size, 900)
            self.assertAlmostEqual(float(shown.max()), float(series[first:last].max()), places=6)
        half = columns_of(TimeScale(0, 900, 0.0, 86_400.0, 86_400.0), 900, 4000, 10.0)
        self.assertAlmostEqual(half.filled, 417, delta=1)
        self.assertEqual(half.highest(series[:4000]).size, half.filled)

    def test_the_axis_keeps_to_the_day(self) -> None:
        """Zooming keeps what is under the pointer, from three seconds to the day; ticks stand at round times."""
        scale = TimeScale(200, 1000, 0.0, 86_400.0, 86_400.0)
        self.assertEqual(scale.zoomed(600, 2.0), scale)
        near = scale
        for _ in range(60):
            near = near.zoomed(400, 0.7)
        self.assertAlmostEqual(near.span_s, 3)
        self.assertAlmostEqual(near.x(21_600), 400, delta=1e-4)
        self.assertEqual(scale.zoomed(200, 0.25).moved(-500).start_s, 0)
        self.assertEqual(scale.zoomed(1000, 0.25).moved(500).end_s, 86_400)
        for shown in (scale, near, scale.zoomed(300, 0.1)):
            ticks = shown.ticks(70)
            self.assertGreaterEqual(len(ticks), 2)
            self.assertTrue(all(shown.start_s <= tick <= shown.end_s for tick in ticks))
            self.assertTrue(all(shown.x(b) - shown.x(a) >= 70 - 1e-6 for a, b in pairwise(ticks)))
            self.assertTrue(all(tick == int(tick) for tick in ticks))
        self.assertEqual((scale.time(-50), scale.time(5000)), (0, 86_400))
        short = TimeScale(0, 100, 0.0, 2.0, 2.0)
        self.assertEqual(short.zoomed(50, 0.1), short)

    def test_a_lane_is_filled_as_high_as_its_value(self) -> None:
        """Areas stand on each other, textures let the ground through, lines join their steps."""
        paper, ink = QColor("#ffffff"), QColor("#000000")
        canvas = Canvas(4, 21, paper, 1.0)
        half = np.array([0.0, 5.0, 10.0, 20.0], dtype=np.float32)
        canvas.area(np.zeros(4, dtype=np.float32), half, 10.0, 20, 0, ink)
        black = (canvas.pixels == ink.rgb()).sum(axis=0).tolist()
        self.assertEqual(black, [0, 10, 20, 20])
        before = canvas.pixels.copy()
        canvas.area(half, half, 10.0, 20, 0, QColor("#ff0000"))
        np.testing.assert_array_equal(canvas.pixels, before)
        for texture in ("missing", "balloon", "squeezed", "spilled", "bridged"):
            with self.subTest(texture):
                canvas = Canvas(60, 60, paper, 1.0)
                full = np.full(60, 1.0, dtype=np.float32)
                canvas.area(np.zeros(60, dtype=np.float32), full, 1.0, 59, 0, ink, texture)
                part = float((canvas.pixels == ink.rgb()).mean())
                self.assertGreater(part, 0.1)
                self.assertLess(part, 0.75)
        canvas = Canvas(3, 11, paper, 1.0)
        canvas.line(np.array([0.0, 10.0, 10.0], dtype=np.float32), 10.0, 10, 0, ink)
        self.assertEqual((canvas.pixels == ink.rgb()).sum(axis=0).tolist(), [1, 11, 1])
        image = canvas.image()
        self.assertEqual((image.width(), image.height()), (3, 11))
        self.assertEqual(image.pixelColor(1, 5), ink)


class DenseLanes(TimelineCase):
    """The demo's day in dense lanes."""

    def setUp(self) -> None:
        """Open the demo in the Timeline, its day played."""
        super().setUp()
        self.open_demo()
        self.go_to("timeline")
        self.play_to_end()
        self.wait_for_rehearsal()

    def wait_for_rehearsal(self) -> None:
        """Wait until the days are those of the newest settings."""
        for _ in range(3000):
            if self.desk.rehearsal.is_current:
                break
            QTest.qWait(10)
        self.settle()
        self.assertTrue(self.desk.rehearsal.is_current)

    def test_a_lane_that_has_no_picture_any_more_is_not_behind(self) -> None:
        """All are to be drawn anew, and one is as low by then as who is off all day: the lanes come to rest."""
        self.wait_for_rehearsal()
        self.picture(self.lanes)
        pictures = self.lanes._pictures
        row, place = next((row, place) for row, place in self.lanes._rows_shown() if row.kind == "guest")
        pictures.age()
        self.assertTrue(pictures.are_behind([row.item_id]))
        place.setHeight(1)
        self.assertIsNone(pictures.image(row, place, self.lanes.scale, 1.0))
        self.assertFalse(pictures.are_behind([row.item_id]))

    def test_lanes_of_hosts_come_and_go_with_them(self) -> None:
        """A host that is added has its lane before any day with it was played, and none once that is taken back."""
        stale = []

        def look() -> list[str]:
            self.picture(self.lanes)
            shown = [row.item_id for row in self.lanes.row_list.rows if row.kind == "host"]
            if shown != [host.id for host in self.desk.look.plan.hosts]:
                stale.append(shown)
            return shown

        self.wait_for_rehearsal()
        hosts = look()
        # Whoever draws once figures are others finds rows of the same plan.
        self.desk.look.changed.connect(look)
        self.run_action(ActionName.NEW_HOST)
        self.assertEqual(look()[:-1], hosts)
        self.desk.look.set_mode("settled")
        look()
        self.run_action(ActionName.PLAY)
        self.playing.pause()
        self.assertEqual(look()[:-1], hosts)
        self.desk.document.undo_stack.undo()
        look()
        self.wait_for_rehearsal()
        self.assertEqual(look(), hosts)
        self.desk.document.undo_stack.redo()
        self.assertEqual(look()[:-1], hosts)
        self.assertEqual((stale, self.errors), ([], []))

    def test_twelve_guests_show_below_the_hosts(self) -> None:
        """At 1280×800 with the dials open the hosts and at least twelve guests show whole; tall lanes are 40 px."""
        view = self.lanes.viewport().rect()
        rows = self.lanes.row_list.rows
        self.assertEqual([row.kind for row in rows[:3]], ["host"] * 3)
        shown = [row for row in rows if view.contains(self.lanes.row_rect(row.item_id))]
        self.assertGreaterEqual(sum(row.kind == "guest" for row in shown), 12)
        self.timeline.transport.densities["tall"].click()
        self.settle()
        heights = {self.lanes.row_rect(row.item_id).height() for row in rows if row.kind == "guest" and row.is_on}
        self.assertEqual(heights, {40})
        off = self.lanes.row_rect("lagoon-sim").height()
        self.assertLess(off, 22)
        self.timeline.transport.densities["mixed"].click()
        self.desk.selection.select("wiki")
        self.settle()
        self.assertEqual(self.lanes.row_rect("wiki").height(), 40)
        self.assertEqual(self.lanes.row_rect("gate-cameras").height(), 40, "the worst hit are tall")
        self.assertEqual(self.lanes.row_rect("print-queue").height(), 22)

    def test_a_host_lane_reads_what_the_host_had(self) -> None:
        """Its figures and pressure at the crosshair are those of the recording."""
        recording = self.playing.recording
        assert recording is not None
        at_s = 8 * 3600.0
        self.desk.look.set_moment(at_s)
        self.lanes.set_cross(at_s)
        self.lanes._readout.begin(self.playing.player, at_s)
        row = recording.row_at(at_s)
        for number, host in enumerate(self.desk.look.plan.hosts):
            (got, of), (given, _), told = self.lanes._readout.texts(self.lanes.row_list.rows[number], np.zeros(0, int))
            cpu = float(recording.of_places("cpu_delivered")[number, row])
            self.assertEqual(got, figure(cpu, GHZ), host.id)
            self.assertEqual(given, figure(float(recording.of_places("given")[number, row]), GIB))
            pressure = PRESSURES[int(recording.of_places("pressure")[number, row])]
            lacks = float(recording.of_places("cpu_wanted")[number, row]) - cpu
            self.assertEqual(of, f"of {figure(float(recording.of_places('cpu_supply')[number, row]), GHZ)}")
            self.assertIn(figure(lacks, GHZ) if lacks > 100 else pressure, told)
            self.assertTrue(pressure == "ample" or pressure in told, told)

    def test_marks_tell_what_is_due_done_and_late(self) -> None:
        """Every batch job has its marks; words say when it is done, as the summary has it."""
        player = self.playing.player
        assert player is not None
        jobs = self.lanes.days.jobs()
        finishes = [f for f in player.summary().finishes if f.guest == "tide-model"]
        self.assertEqual([(j.due_s, j.done_s) for j in jobs["tide-model"]], [(f.due_s, f.finished_s) for f in finishes])
        first = jobs["tide-model"][0]
        self.assertTrue(first.is_late and not first.has_moved)
        self.assertRegex(job_text(first), r"^late 06:\d\d$")

    def test_the_day_follows_the_handle(self) -> None:
        """While a handle is held, lanes, marks and strip are of its day, with a ghost; let go it is gone."""
        self.desk.selection.select("tide-model")
        self.desk.look.set_moment(8 * 3600.0)
        self.settle()
        shown = self.drawn()
        before = self.lanes.days.jobs()["tide-model"]
        self.dials.preview("cpu.reservation", 16_050.0)
        self.wait_for_rehearsal()
        days = self.lanes.days
        self.assertIs(days.player, self.desk.rehearsal.tried)
        self.assertIs(days.before, self.desk.rehearsal.base)
        moved = [job for job in days.jobs()["tide-model"] if job.has_moved]
        self.assertTrue(moved)
        self.assertEqual({job.before_s for job in moved} - {job.done_s for job in before}, set())
        self.assertIn("instead of", job_text(moved[0]))
        self.assertNotEqual(self.picture(self.lanes.viewport()), shown)
        QTest.qWait(120)
        self.settle()
        look = self.desk.look
        assert look.day_before is not None
        self.assertGreater(float(np.abs(look.day.wanted[0] - look.day_before.wanted[0]).max()), 1000)
        self.dials._on_gave_up()
        self.wait_for_rehearsal()
        QTest.qWait(120)
        self.settle()
        self.assertIsNone(self.lanes.days.before)
        self.assertIsNone(self.desk.look.day_before)
        self.assertEqual(self.drawn(), shown)

    def drawn(self) -> QImage:
        """Give the lanes as they are once every one has been drawn: a few at a time are."""
        for _ in range(200):
            self.settle()
            if not self.lanes.is_behind:
                break
            QTest.qWait(10)
        self.assertFalse(self.lanes.is_behind)
        return self.picture(self.lanes.viewport())

    def test_play_from_here(self) -> None:
        """At a speed a play begins at the moment: what was before is there at once, head and dials go along."""
        self.desk.look.set_moment(7 * 3600.0)
        self.desk.selection.select("ticket-db")
        self.timeline.transport.speeds[60.0].click()
        self.assertEqual(self.window.actions_by_name[ActionName.PLAY].text(), "Play from here")
        self.run_action(ActionName.PLAY)
        for _ in range(600):
            QTest.qWait(10)
            if self.playing.now_s > 7 * 3600 + 60 and not self.playing.is_catching_up:
                break
        self.assertTrue(self.playing.is_running)
        self.run_action(ActionName.PLAY)
        self.settle()
        now = self.playing.now_s
        self.assertTrue(7 * 3600 < now < 7 * 3600 + 900, now)
        self.assertAlmostEqual(self.desk.look.plan.moment, now, delta=60)
        self.assertTrue(self.desk.look.is_played)
        scale = self.lanes.scale
        self.assertLessEqual(scale.span_s, 4 * 3600 + 1)
        self.assertTrue(scale.start_s <= now <= scale.end_s)

    def test_the_view_bar_shows_and_moves_what_is_in_view(self) -> None:
        """Its middle and ends are dragged; Home shows the whole day."""
        bar = self.timeline.view_bar
        right = QPoint(round(bar.shown.right()), bar.height() // 2)
        half = QPoint(round((self.lanes.scale.left + self.lanes.scale.right) / 2), right.y())
        QTest.mousePress(bar, LEFT, NONE, right)
        QTest.mouseMove(bar, half)
        QTest.mouseRelease(bar, LEFT, NONE, half)
        self.assertAlmostEqual(self.lanes.scale.span_s, 43_200, delta=300)
        middle = bar.shown.center().toPoint()
        QTest.mousePress(bar, LEFT, NONE, middle)
        QTest.mouseMove(bar, middle + QPoint(100, 0))
        QTest.mouseRelease(bar, LEFT, NONE, middle + QPoint(100, 0))
        second = 86_400 / (self.lanes.scale.right - self.lanes.scale.left)
        self.assertAlmostEqual(self.lanes.scale.start_s, 100 * second, delta=2 * second)
        bar.setFocus()
        QTest.keyClick(bar, Qt.Key.Key_Home)
        self.assertEqual((self.lanes.scale.start_s, self.lanes.scale.end_s), (0.0, 86_400.0))

    def test_actions_of_a_view_are_of_the_one_that_shows(self) -> None:
        """Ctrl+Up folds the lanes and leaves the rows of the Division as they were; / goes to the line in sight."""
        count = len(self.butterfly.row_list.rows)
        self.run_action(ActionName.FOLD_ALL)
        self.assertEqual({row.kind for row in self.lanes.row_list.rows if row.depth == 0}, {"host", "pool", "guest"})
        self.assertTrue(all(row.is_folded for row in self.lanes.row_list.rows if row.is_pool))
        self.assertEqual(len(self.butterfly.row_list.rows), count)
        self.run_action(ActionName.UNFOLD_ALL)
        QTest.keyClick(self.window, Qt.Key.Key_Slash)
        self.assertTrue(self.timeline.transport.line.hasFocus())
        QTest.keyClicks(self.timeline.transport.line, "web-front")
        self.settle()
        self.assertEqual([r.item_id for r in self.lanes.row_list.rows if r.kind == "guest"],
                         ["web-front-1", "web-front-2", "web-front-3"])  # fmt: skip
