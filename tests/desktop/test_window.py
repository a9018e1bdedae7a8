"""The real window, driven by mouse and keys; what is asserted is what a person sees."""

from __future__ import annotations

import json
import sys
import unittest
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PyQt6.QtGui import QCloseEvent, QDropEvent
from PyQt6.QtTest import QTest

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.panels.row_story import row_story
from ruvex.desktop.shell.app import tell_unexpected
from ruvex.desktop.state.preferences import Preferences
from ruvex.plan import ElasticMemory, Plan, read_plan
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
from tests.demo import DEMO
from tests.desktop.base import LEFT, NONE, WindowCase


class DayAtWork(WindowCase):
    """One person's way through the window, from opening a plan to reopening it."""

    def test_turn_dials_undo_save_reopen(self) -> None:
        """Open, drag, see who pays, undo, redo, type, save, reopen: the same plan."""
        self.open_demo()
        self.assertIn("Orrin Sound Ferries", self.window.windowTitle())
        self.click_row("berth-planner")
        self.assertEqual(self.desk.selection.current, "berth-planner")
        track = self.dials.dials["cpu"].track

        before, other = self.delivered("berth-planner"), self.delivered("vessel-tracking")
        rows = self.picture(self.butterfly.viewport())
        self.drag_handle(track, "cpu.reservation", -60, release=False)
        self.assertGreater(self.delivered("berth-planner"), before)
        self.assertLess(self.delivered("vessel-tracking"), other)
        self.assertNotEqual(self.picture(self.butterfly.viewport()), rows)
        self.assertEqual(self.desk.document.undo_stack.count(), 0, "nothing is made before the button is let go")
        self.assertIn("berth-planner CPU reservation 2.60", self.dials.effect.text)
        self.assertIn("paid by", self.dials.effect.text)
        self.assertIn("vessel-tracking −", self.dials.effect.text)
        QTest.mouseRelease(track, LEFT, NONE, QPoint(round(track.handle_x("cpu.reservation")), 17))
        self.settle()
        raised = self.desk.look.plan.guests[0].cpu.reservation
        self.assertEqual(self.desk.document.undo_stack.count(), 1)
        self.assertGreater(raised, 2600)
        self.assertTrue(self.window.isWindowModified())

        undo = self.window.actions_by_name[ActionName.UNDO]
        self.assertIn("Undo: berth-planner CPU reservation", undo.text())
        QTest.keyClick(self.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        self.settle()
        self.assertEqual(self.desk.look.plan.guests[0].cpu.reservation, 2600)
        self.assertAlmostEqual(self.delivered("berth-planner"), before)
        self.assertIn("Undone: berth-planner", self.dials.effect.text)
        self.assertFalse(self.window.isWindowModified())
        self.run_action(ActionName.REDO)
        self.assertEqual(self.desk.look.plan.guests[0].cpu.reservation, raised)

        self.type_into(self.dials.dials["memory"].fields["memory.limit"], "10 GiB")
        self.assertEqual(self.delivered("berth-planner", "memory"), 10 * 1024)
        QTest.mouseClick(self.dials.dials["cpu"].choices[3.0], LEFT)
        self.settle()
        self.assertEqual(self.desk.look.plan.guests[0].cpu.shares, 300)
        shown = self.desk.look.division.to_json()
        QTest.keyClick(self.window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
        self.settle()
        self.assertFalse(self.window.isWindowModified())
        self.assertEqual(len(self.path.read_text().splitlines()), len(DEMO.read_text().splitlines()))

        self.run_action(ActionName.NEW)
        self.assertEqual(self.desk.look.plan.guests, ())
        self.open_demo()
        self.assertEqual(self.desk.look.division.to_json(), shown)

    def test_drag_given_up(self) -> None:
        """Esc while a handle is held puts everything back and makes no undo entry."""
        self.open_demo()
        self.click_row("ticket-db")
        track, before = self.dials.dials["memory"].track, self.desk.look.division
        self.drag_handle(track, "memory.limit", -200, release=False)
        self.assertLess(self.delivered("ticket-db", "memory"), before.memory.delivered[before.position["ticket-db"]])
        QTest.keyClick(track, Qt.Key.Key_Escape)
        self.settle()
        self.assertEqual(self.desk.look.division.to_json(), before.to_json())
        self.assertEqual(self.desk.document.undo_stack.count(), 0)
        self.assertIsNone(self.desk.look.plan.guests[self.desk.look.plan.guest_index["ticket-db"]].memory.limit)

    def test_limit_dragged_to_the_end_is_off(self) -> None:
        """A limit is taken off by dragging its bracket to the end of the track, and undo brings it back."""
        self.open_demo()
        self.click_row("gate-cameras")
        track = self.dials.dials["cpu"].track
        self.drag_handle(track, "cpu.limit", round(track.axis.end - track.handle_x("cpu.limit")))
        cameras = self.desk.look.plan.guests[self.desk.look.plan.guest_index["gate-cameras"]]
        self.assertIsNone(cameras.cpu.limit)
        self.assertEqual(self.dials.dials["cpu"].fields["cpu.limit"].line.text(), "no limit")
        self.run_action(ActionName.UNDO)
        self.assertIn("1.35", self.dials.dials["cpu"].fields["cpu.limit"].line.text())

    def test_every_setting_of_an_elastic_guest(self) -> None:
        """Floor, boot size, ceiling, headroom and shares are typed, each one undo entry with its name."""
        self.open_demo()
        self.click_row("fare-engine")
        fields = self.dials.dials["memory"].fields
        entries = (
            ("memory.floor", "2 GiB", 2048), ("memory.boot", "5120 MiB", 5120), ("memory.ceiling", "16", 16_384),
            ("memory.headroom_percent", "35 %", 35), ("memory.shares", "250", 250),
        )  # fmt: skip
        for key, text, _ in entries:
            self.type_into(fields[key], text)
        guest = self.desk.look.plan.guests[self.desk.look.plan.guest_index["fare-engine"]]
        self.assertIsInstance(guest.memory, ElasticMemory)
        for key, _, value in entries:
            self.assertEqual(getattr(guest.memory, key.removeprefix("memory.")), value)
        names = [self.desk.document.undo_stack.text(i) for i in range(self.desk.document.undo_stack.count())]
        self.assertEqual(len(names), 5)
        for name, word in zip(names, ("floor", "boot size", "ceiling", "headroom", "shares"), strict=True):
            self.assertIn(f"fare-engine Memory {word}", name)
        for _ in names:
            self.run_action(ActionName.UNDO)
        self.assertEqual(self.desk.look.plan, read_plan(self.path).plan)

    def test_typing_units_and_refusals(self) -> None:
        """Units are understood; what is not accepted stays in the field with the reason and changes nothing."""
        self.open_demo()
        self.click_row("mail")
        cpu = self.dials.dials["cpu"]
        for text, mhz in (("1.5 GHz", 1500), ("900 MHz", 900), ("2", 2000), ("25 %", 2300), ("1 core", 2300)):
            self.type_into(cpu.fields["cpu.reservation"], text)
            self.assertEqual(self.desk.trial.setting_before("mail", "cpu.reservation"), mhz, text)
        made = self.desk.document.undo_stack.count()
        for text, reason in (
            ("lots", "is not a number"), ("3 bananas", "is no CPU unit"), ("99 GHz", "at most 9200 MHz"),
            ("-1", "it must be at least 0"),
        ):  # fmt: skip
            field = cpu.fields["cpu.reservation"]
            self.type_into(field, text)
            self.assertIn("Not accepted", self.dials.effect.text)
            self.assertIn(reason, self.dials.effect.text)
            self.assertEqual(field.line.text(), text)
            self.assertTrue(field.is_refused)
        self.assertEqual(self.desk.document.undo_stack.count(), made)
        QTest.keyClick(cpu.fields["cpu.reservation"].line, Qt.Key.Key_Escape)
        self.assertIn("2.30", cpu.fields["cpu.reservation"].line.text())
        QTest.keyClick(cpu.fields["cpu.reservation"].line, Qt.Key.Key_Up)
        self.assertEqual(self.desk.trial.setting_before("mail", "cpu.reservation"), 2350)

    def test_pool_and_supply(self) -> None:
        """A pool's dials move all of its guests; without a selection the supply is shown."""
        self.open_demo()
        self.click_row("science")
        self.type_into(self.dials.dials["cpu"].fields["cpu.limit"], "4 GHz")
        self.assertAlmostEqual(self.delivered("science"), 4000)
        self.assertIn("tide-model −", self.dials.effect.text)
        QTest.keyClick(self.butterfly, Qt.Key.Key_Escape)
        self.assertIsNone(self.desk.selection.current)
        self.assertNotIn("cpu.limit", self.dials.dials["cpu"].fields)


class Looking(WindowCase):
    """Selection, folding, the moment, light and dark."""

    def test_keyboard_walks_and_folds(self) -> None:
        """Arrows walk through the rows; left folds a pool and goes to the parent, right unfolds."""
        self.open_demo()
        self.butterfly.setFocus()
        rows = len(self.butterfly.row_list.rows)
        QTest.keyClick(self.butterfly, Qt.Key.Key_Down)
        self.assertEqual(self.desk.selection.current, "sailing")
        QTest.keyClick(self.butterfly, Qt.Key.Key_Left)
        self.assertEqual(len(self.butterfly.row_list.rows), rows - 15)
        QTest.keyClick(self.butterfly, Qt.Key.Key_Down)
        self.assertEqual(self.desk.selection.current, "booking")
        QTest.keyClick(self.butterfly, Qt.Key.Key_Up)
        QTest.keyClick(self.butterfly, Qt.Key.Key_Right)
        self.assertEqual(len(self.butterfly.row_list.rows), rows)
        QTest.keyClick(self.butterfly, Qt.Key.Key_End)
        self.assertEqual(self.desk.selection.current, "old-fare-kiosk")
        QTest.keyClick(self.butterfly, Qt.Key.Key_Return)
        self.assertTrue(self.dials.dials["cpu"].fields["cpu.reservation"].line.hasFocus())
        self.assertTrue(self.butterfly.viewport().rect().contains(self.butterfly.row_rect("old-fare-kiosk").center()))
        self.run_action(ActionName.FOLD_ALL)
        self.assertEqual([r.item_id for r in self.butterfly.row_list.rows][-1], "old-fare-kiosk")
        self.assertEqual(len(self.butterfly.row_list.rows), 5)
        self.run_action(ActionName.UNFOLD_ALL)
        self.assertEqual(len(self.butterfly.row_list.rows), rows)

    def test_triangle_folds(self) -> None:
        """A click on a pool's triangle folds it and leaves the selection alone."""
        self.open_demo()
        place = self.butterfly.row_rect("booking")
        x = self.butterfly.columns.names[0] + 10
        QTest.mouseClick(self.butterfly.viewport(), LEFT, NONE, QPoint(x, place.center().y()))
        self.assertTrue(self.butterfly.row_rect("ticket-db").isEmpty())
        self.assertIsNone(self.desk.selection.current)

    def test_moment_is_dragged_and_stepped(self) -> None:
        """Dragging the handle redraws everything; keys step it; it is kept in the file without being an edit."""
        self.open_demo()
        strip = self.window.head.strip
        morning, picture = self.desk.look.division.cpu.total_wanted, self.picture(self.butterfly.viewport())
        QTest.mousePress(strip, LEFT, NONE, strip.handle_rect().center())
        QTest.mouseMove(strip, QPoint(round(strip.x_of(12 * 3600)), 40))
        QTest.mouseRelease(strip, LEFT, NONE, QPoint(round(strip.x_of(12 * 3600)), 40))
        self.settle()
        self.assertAlmostEqual(self.desk.look.plan.moment, 12 * 3600, delta=120)
        self.assertLess(self.desk.look.division.cpu.total_wanted, morning / 2)
        self.assertNotEqual(self.picture(self.butterfly.viewport()), picture)
        self.desk.look.set_moment(12 * 3600)
        for key, expected in (("]", 12 * 3600 + 300), ("[", 12 * 3600), ("}", 13 * 3600), ("{", 12 * 3600)):
            QTest.keyClick(self.window, key)
            self.assertEqual(self.desk.look.plan.moment, expected)
        strip.setFocus()
        QTest.keyClick(strip, Qt.Key.Key_End)
        QTest.keyClick(strip, Qt.Key.Key_Left)
        self.assertEqual(self.desk.look.plan.moment, 86_100)
        self.assertFalse(self.desk.document.is_dirty)
        self.window.files.save()
        self.assertEqual(read_plan(self.path).plan.moment, 86_100)

    def test_day_strip_follows_edits(self) -> None:
        """The full day comes from the background, and again after an edit; an older answer changes nothing."""
        self.open_demo()
        self.assertEqual(self.desk.look.day.times_s.size, 289)
        wanted = self.desk.look.day.wanted[1].copy()
        self.desk.trial.change("crew-roster", {"memory.headroom_percent": 300.0}, "headroom")
        self.settle(120)
        self.assertTrue((self.desk.look.day.wanted[1] > wanted + 1000).all())
        self.desk.trial.change("crew-roster", {"memory.headroom_percent": 15.0}, "headroom")
        QTest.qWait(80)
        self.desk.document.new()
        self.settle()
        self.assertEqual(self.desk.look.day.wanted.max(), 0)

    def test_moment_survives_undo(self) -> None:
        """Undo takes back the edit, not the look at another time."""
        self.open_demo()
        self.desk.trial.change("mail", {"cpu.shares": 400}, "mail CPU shares 100 → 400")
        self.desk.look.set_moment(3600.0)
        self.run_action(ActionName.UNDO)
        self.assertEqual(self.desk.look.plan.moment, 3600)
        self.assertEqual(self.desk.look.division.at_s, 3600)

    def test_light_dark_and_text_size(self) -> None:
        """Light and dark differ everywhere, larger text makes larger rows, and both are remembered."""
        self.open_demo()
        light = self.picture(self.window)
        self.run_action(ActionName.LOOK_DARK)
        dark = self.picture(self.window)
        for point in (QPoint(640, 300), QPoint(640, 780), QPoint(6, 125)):
            self.assertGreater(light.pixelColor(point).lightness(), 200)
            self.assertLess(dark.pixelColor(point).lightness(), 60)
        row = self.butterfly.row_rect("ticket-db").height()
        for _ in range(3):
            self.run_action(ActionName.LARGER)
        self.assertAlmostEqual(self.butterfly.row_rect("ticket-db").height(), row * 1.5, delta=1)
        preferences = Preferences(self.folder / "state")
        self.assertEqual((preferences.theme_mode, preferences.text_scale), ("dark", 1.5))

    def test_eighteen_rows_show(self) -> None:
        """At 1280×800 at least 18 rows show whole, dials open."""
        self.open_demo()
        view = self.butterfly.viewport().rect()
        rows = [self.butterfly.row_rect(row.item_id) for row in self.butterfly.row_list.rows]
        self.assertGreaterEqual(sum(view.contains(place) for place in rows), 18)
        self.run_action(ActionName.DIALS)
        self.assertGreaterEqual(sum(self.butterfly.viewport().rect().contains(place) for place in rows), 24)

    def test_command_box_finds(self) -> None:
        """Typing finds guests in folded pools, actions and times; Esc gives the focus back."""
        self.open_demo()
        self.run_action(ActionName.FOLD_ALL)
        self.butterfly.setFocus()
        box = self.window.command_box
        for typed, check in (
            ("gate cam", lambda: self.desk.selection.current == "gate-cameras"),
            ("12:30", lambda: self.desk.look.plan.moment == 45_000),
            ("dark", lambda: self.window.theme.is_dark),
        ):
            QTest.keyClick(self.window, Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
            self.assertTrue(box.isVisible())
            QTest.keyClicks(box.line, typed)
            QTest.keyClick(box.line, Qt.Key.Key_Return)
            self.settle()
            self.assertTrue(check(), typed)
            self.assertFalse(box.isVisible())
        self.assertFalse(self.butterfly.row_rect("gate-cameras").isEmpty(), "its pools are unfolded")
        self.run_action(ActionName.FIND)
        QTest.keyClicks(box.line, "no such thing")
        QTest.keyClick(box.line, Qt.Key.Key_Return)
        self.assertTrue(box.isVisible())
        QTest.keyClick(box.line, Qt.Key.Key_Escape)
        self.assertFalse(box.isVisible())
        self.assertTrue(self.butterfly.hasFocus())

    def test_story_of_a_row(self) -> None:
        """The hover tells the whole story of a row in words."""
        self.open_demo()
        story = row_story(self.desk, "gate-cameras")
        for part in (
            "gate-cameras  (video)  on skerry-1",
            "CPU: gets 0.4",
            "wants 4.20",
            "GHz (cause: supply)",
            "limit 1.35",
            "Memory: gets",
        ):
            self.assertIn(part, story)
        self.assertIn("\u202fGHz = 1.64\u202f% of the host = 4.51\u202f% of its vCPUs = 0.18\u202fcores", story)
        self.assertIn("% of the site when all want all", story)
        self.assertIn("0.78\u202fGHz promised for each vCPU", row_story(self.desk, "ticket-db"))
        self.assertIn("still free", row_story(self.desk, "booking"))
        self.assertIn("powered off", row_story(self.desk, "lagoon-sim"))


class Files(WindowCase):
    """Opening, saving, recent plans, and never losing work."""

    def test_broken_file_is_told_and_nothing_is_lost(self) -> None:
        """A plan with faults is not opened; the window lists them and keeps what was open."""
        self.open_demo()
        bad = self.folder / "bad.ruvex.json"
        bad.write_text(self.path.read_text().replace('"vcpus": 4', '"vcpus": 0'))
        self.assertFalse(self.window.open_path(bad))
        self.assertIn("bad.ruvex.json was not opened", self.window.notice.text)
        self.assertIn("guests[0].vcpus", self.window.notice.text)
        self.assertIn("more", self.window.notice.text)
        self.assertEqual(self.desk.document.path, self.path)
        QTest.mouseClick(self.window.notice.choices[0], LEFT)
        self.assertEqual(self.window.notice.text, "")

    def test_unsaved_changes_are_asked_about(self) -> None:
        """Closing or replacing a changed plan asks in the window; each answer does what it says."""
        self.open_demo()
        self.desk.trial.change("mail", {"cpu.shares": 400}, "mail CPU shares 100 → 400")
        event = QCloseEvent()
        self.window.closeEvent(event)
        self.assertFalse(event.isAccepted())
        self.assertIn("changes that are not saved", self.window.notice.text)
        labels = [button.text() for button in self.window.notice.choices]
        self.assertEqual(labels, ["Save first", "Close without saving", "Stay"])
        QTest.mouseClick(self.window.notice.choices[2], LEFT)
        self.assertTrue(self.window.isVisible())
        self.run_action(ActionName.NEW)
        labels = [button.text() for button in self.window.notice.choices]
        self.assertEqual(labels, ["Save first", "Go on without saving", "Stay"])
        QTest.keyClick(self.window.notice.choices[0], Qt.Key.Key_Escape)
        self.assertEqual(self.window.notice.text, "")
        self.run_action(ActionName.NEW)
        self.run_action(ActionName.UNDO)
        self.assertEqual(self.window.notice.text, "", "undone: nothing is left to be saved")
        self.run_action(ActionName.REDO)
        self.run_action(ActionName.NEW)
        QTest.mouseClick(self.window.notice.choices[0], LEFT)
        self.assertEqual(self.desk.look.plan.guests, ())
        self.assertEqual({g.id: g.cpu.shares for g in read_plan(self.path).plan.guests}["mail"], 400)

    def test_save_as_and_recent(self) -> None:
        """Saving elsewhere takes the traces along, and both plans are among the recent ones."""
        self.open_demo()
        target = self.folder / "copy" / "mine.ruvex.json"
        target.parent.mkdir()
        self.window.ask_save = lambda _window, _suggestion: target
        self.run_action(ActionName.SAVE_AS)
        self.assertEqual(read_plan(target).plan, self.desk.look.plan)
        self.assertEqual(Preferences(self.folder / "state").recent, [target, self.path])
        self.window.recent_menu.aboutToShow.emit()
        self.window.recent_menu.actions()[1].trigger()
        self.assertEqual(self.desk.document.path, self.path)
        self.window.ask_open = lambda _window, _folder: target
        self.run_action(ActionName.OPEN)
        self.assertEqual(self.desk.document.path, target)

    def test_cannot_save(self) -> None:
        """A failed save says why and keeps the changes."""
        self.open_demo()
        self.desk.trial.change("mail", {"cpu.shares": 400}, "mail CPU shares 100 → 400")
        self.assertFalse(self.window.files.write(Path("/proc/nowhere/x.ruvex.json")))
        self.assertIn("was not saved", self.window.notice.text)
        self.assertTrue(self.desk.document.is_dirty)

    def test_dropped_file_is_opened(self) -> None:
        """A plan file dropped on the window is opened."""
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(self.path))])
        move = Qt.DropAction.CopyAction
        self.window.dropEvent(QDropEvent(QPointF(5, 5), move, data, LEFT, NONE))
        self.assertEqual(self.desk.document.path, self.path)

    def test_mistakes_of_ruvex_itself_are_told(self) -> None:
        """An unexpected error ends neither the window nor the work: it is told, and written down."""
        self.open_demo()
        with mock.patch.dict("os.environ", {"RUVEX_STATE_DIR": str(self.folder)}), mock.patch("sys.excepthook"):
            tell_unexpected(self.window)
            try:
                raise RuntimeError("a wheel came off")
            except RuntimeError as error:
                sys.excepthook(type(error), error, error.__traceback__)
        self.assertIn("Ruvex itself made a mistake: a wheel came off", self.window.notice.text)
        self.assertIn("Traceback", (self.folder / "errors.log").read_text())
        self.assertEqual(self.desk.look.plan.name, "Orrin Sound Ferries")

    def test_figures_that_cannot_be_are_not_shown(self) -> None:
        """A dial's step whose division is found wrong is told as a mistake of ours; the figures stay what they were."""
        self.open_demo()
        self.desk.selection.select("mail")
        before = self.desk.look.division
        wrong = mock.patch("ruvex.divide._sound._unsound", return_value="20 is delivered of 10")
        state = mock.patch.dict("os.environ", {"RUVEX_STATE_DIR": str(self.folder)})
        with state, mock.patch("sys.excepthook"), wrong:
            tell_unexpected(self.window)
            button = self.dials.dials["cpu"].choices[3.0]
            QTest.mouseClick(button, LEFT)
            self.settle()
        self.assertIn("the division of Orrin Sound Ferries at 08:10 is wrong: 20 is delivered", self.window.notice.text)
        self.assertIs(self.desk.look.division, before)

    def test_damaged_state_is_no_obstacle(self) -> None:
        """A damaged state file only means that nothing is remembered."""
        for content in ("{", "[]", json.dumps({"recent": 5, "theme": 7, "text_scale": "big"})):
            (self.folder / "state").mkdir(exist_ok=True)
            (self.folder / "state" / "desktop.json").write_text(content)
            preferences = Preferences(self.folder / "state")
            self.assertEqual((preferences.recent, preferences.theme_mode, preferences.text_scale), ([], "desktop", 1.0))


class Extremes(WindowCase):
    """From nothing to five hundred guests."""

    def test_empty_states(self) -> None:
        """No guests, no host, nobody on, broken promises: each says what it is, nothing fails."""
        self.assertTrue(self.division.empty.isVisible())
        QTest.mouseClick(self.division.empty.buttons[-1], LEFT)
        self.assertEqual(self.desk.look.plan.name, "Orrin Sound Ferries")
        self.assertFalse(self.division.empty.isVisible())
        for plan in (
            Plan(name="nothing"),
            plan_of([cpu_guest("a", 5)], host=None),
            plan_of([], [{"id": "p"}]),
            plan_of([cpu_guest("a", 5) | {"power": "off"}], [{"id": "p"}]),
            plan_of([memory_guest("a", 5, mode="fixed", size=900_000), cpu_guest("b", 5)]),
        ):
            self.show_plan(plan)
            for item_id in [*self.desk.look.division.ids, None]:
                self.desk.selection.select(item_id)
                self.assertFalse(self.picture(self.window).isNull())
            self.desk.look.set_moment(50_000.0)
        self.assertTrue(self.desk.look.division.memory.broken)

    def test_five_hundred_guests_with_long_names(self) -> None:
        """A large plan with names that do not fit is scrolled, selected and changed like a small one."""
        name = "a-guest-with-a-very-long-name-that-goes-on-and-on-for-no-good-reason-number-"
        guests = [cpu_guest(f"g{i}", 200, pool=f"p{i % 20}") | {"name": f"{name}{i}"} for i in range(500)]
        pools = [{"id": f"p{i}", "name": name + str(i), "parent": f"p{i - 1}" if i % 4 else None} for i in range(20)]
        self.show_plan(plan_of(guests, pools, host=HOST, name=name * 3))
        for size in ((1280, 800), (1024, 700)):
            self.window.resize(*size)
            self.settle()
            self.assertEqual(self.window.width(), size[0], "the window must be able to be that narrow")
            QTest.keyClick(self.butterfly, Qt.Key.Key_End)
            last = self.desk.selection.current
            assert last is not None
            self.assertTrue(self.butterfly.viewport().rect().contains(self.butterfly.row_rect(last).center()))
            before = self.delivered(last)
            self.desk.trial.change(last, {"cpu.reservation": 150.0}, "more")
            self.assertGreater(self.delivered(last), before)
            self.run_action(ActionName.UNDO)

    def test_fits_at_150_percent(self) -> None:
        """With text at 150 % the window still fits 1280×800 and every field of the dials shows."""
        self.open_demo()
        self.window.theme.set_scale(1.5)
        self.desk.selection.select("fare-engine")
        self.window.resize(1280, 800)
        self.settle()
        self.assertEqual((self.window.width(), self.window.height()), (1280, 800))
        for dial in self.dials.dials.values():
            for field in dial.fields.values():
                place = field.line.geometry().translated(field.mapTo(self.window, QPoint(0, 0)))
                self.assertTrue(self.window.rect().contains(place), field.key)
                room = field.line.width() - 10
                self.assertLessEqual(field.line.fontMetrics().horizontalAdvance(field.line.text()), room, field.key)


if __name__ == "__main__":
    unittest.main()
