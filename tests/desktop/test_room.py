"""The Room view: each question of an administrator, asked and answered in the real window as by command."""

from __future__ import annotations

import json
import math
import time

import numpy as np
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from ruvex.advise import room_for, typed_pattern
from ruvex.desktop.state.rooms import Question, Rooms
from ruvex.desktop.views.room import RoomView
from ruvex.placing import better_places
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, plan_of
from tests.cli.inside import run
from tests.desktop.base import LEFT, WindowCase
from tests.placing.test_better import busy, site_plan

_LAYOUTS = 6


class RoomCase(WindowCase):
    """A window, and its Room view."""

    def setUp(self) -> None:
        """Find the view."""
        super().setUp()
        view = self.window.views["room"]
        assert isinstance(view, RoomView)
        self.view = view

    def answered(self, *questions: Question) -> Rooms:
        """Show the view and wait until some questions are answered, or all of them."""
        self.window.show_view("room")
        until = time.monotonic() + 90
        rooms = self.desk.rooms

        def waits() -> bool:
            return not all(map(rooms.is_current, questions)) if questions else self.view.is_behind

        for _ in range(_LAYOUTS):
            self.application.processEvents()
        while waits() and time.monotonic() < until:
            QTest.qWait(5)
        for _ in range(_LAYOUTS):
            self.application.processEvents()
        return self.desk.rooms

    def texts(self, section: object) -> str:
        """Give all words of a section in one line."""
        labels = [getattr(section, name) for name in vars(section)]
        return " ".join(one.text() for one in labels if hasattr(one, "text")).replace("\u202f", " ")


class Questions(RoomCase):
    """On the demo plan; each also by command, with the same answer."""

    def test_how_many_more_of_sixteen_gib(self) -> None:
        """Typed in the view and by command: the same numbers for each host, and as fixed or elastic memory."""
        self.open_demo()
        self.answered("more")
        view = self.view.more
        view.chooser.setCurrentIndex(view.chooser.count() - 1)
        view.chooser.activated.emit(view.chooser.count() - 1)
        for name, text in (("vCPUs", "4"), ("memory", "16 GiB"), ("wants", "2 GHz"), ("works with", "6 GiB")):
            view.fields[name].setFocus()
            view.fields[name].clear()
            QTest.keyClicks(view.fields[name], text)
            QTest.keyClick(view.fields[name], Qt.Key.Key_Return)
        more = self.answered("more").more
        assert more is not None
        command = json.loads(run("room", str(self.path), "--vcpus", "4", "--memory", "16GiB", "--cpu", "2GHz",
                                 "--working", "6GiB", "--json").stdout)  # fmt: skip
        room = more.room
        self.assertEqual([one.to_json()["hosts"] for one in (room,)], [command["hosts"]])
        self.assertEqual((room.paper, room.now, room.worst), (command["paper"], command["now"], command["worst"]))
        pattern = typed_pattern(self.desk.document.plan, vcpus=4, memory_mib=16_384, cpu_mhz=2000, working_mib=6144)
        self.assertEqual(room_for(self.desk.document.site, pattern).paper, room.paper)
        self.assertIn(f"{room.paper} more on paper", self.texts(view))
        self.assertIn("as fixed memory", self.texts(view))

    def test_a_wrong_amount_says_so(self) -> None:
        """What cannot be read stays in the field, and the reason stands below it."""
        self.open_demo()
        self.answered("more")
        view = self.view.more
        view.chooser.activated.emit(view.chooser.count() - 1)
        view.chooser.setCurrentIndex(view.chooser.count() - 1)
        QTest.keyClicks(view.fields["memory"], "many")
        QTest.keyClick(view.fields["memory"], Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(view.fields["memory"].text(), "many")
        self.assertIn("many", view.told.text())

    def test_what_if_the_old_host_is_lost(self) -> None:
        """Who comes back and who stays off, settled and played, and what must be set aside: as the command says."""
        self.open_demo()
        rooms = self.answered()
        command = json.loads(run("without", str(self.path), "breakwater", "--at", "09:00", "--json").stdout)
        (told,) = command["hosts"]
        section = next(one for one in self.view.losses if one.host == "breakwater")
        assert rooms.lost is not None and rooms.played is not None
        loss = next(one for one in rooms.lost.losses if one.host == "breakwater")
        self.assertEqual([(guest, host) for guest, host in loss.back],
                         [(one["id"], one["host"]) for one in told["settled"]["back"]])  # fmt: skip
        self.assertEqual([one.guest for one in loss.off], [one["id"] for one in told["settled"]["off"]])
        self.assertIn("All come back.", section.back.text())
        self.assertIn(f"become {loss.after:.0f}", section.hurt.text())
        self.assertEqual(set(rooms.played), {"skerry-1", "skerry-2", "breakwater"})
        assert self.view.reserve is not None
        self.assertIn("Nothing need be set aside", self.view.reserve.text())
        # At nine the play of the command has guests that run again after the loss was noticed.
        self.assertTrue(all(one["after_s"] > 43 for one in told["back"]))
        self.assertGreater(len(told["back"]), 0)

    def test_empty_it_for_maintenance(self) -> None:
        """The button leads to the page that empties it; by command the order has times."""
        self.open_demo()
        self.answered("lost")
        section = next(one for one in self.view.losses if one.host == "breakwater")
        QTest.mouseClick(section.empty_button, LEFT)
        self.settle()
        self.assertEqual(self.desk.selection.place, "breakwater")
        self.assertTrue(self.window.sheet.isVisible())
        said = run("without", str(self.path), "breakwater", "--empty", "--at", "09:00")
        self.assertEqual(said.returncode, 0)
        self.assertIn("breakwater emptied from 09:00: 12 guests in 3 min", said.stdout)

    def test_where_should_it_live(self) -> None:
        """The moves of the command, each with an arrow and a button; pressed, it is one step, and asked anew."""
        self.open_demo()
        rooms = self.answered("places")
        expected = better_places(self.desk.document.site)
        assert rooms.places is not None
        self.assertEqual(rooms.places.moves, expected.moves)
        document = json.loads(run("places", str(self.path), "--json").stdout)
        self.assertEqual([tuple((m["id"], m["to"]) for m in step["moves"]) for step in document["steps"]],
                         [tuple((guest, to) for guest, _, to in step.moves) for step in expected.steps])  # fmt: skip
        first = self.view.steps[0]
        guest, _, to = expected.steps[0].moves[0]
        self.assertIn("guest-hours", first.gain.text())
        self.assertIn("pay:", first.payers.text())
        QTest.mouseClick(first.apply, LEFT)
        self.settle()
        plan = self.desk.document.plan
        self.assertEqual(plan.guests[plan.guest_index[guest]].host, to)
        after = self.answered("places").places
        assert after is not None
        self.assertLess(after.before, expected.before)
        self.desk.document.undo()
        self.settle()
        plan = self.desk.document.plan
        self.assertNotEqual(plan.guests[plan.guest_index[guest]].host, to)

    def test_is_any_guest_oversized(self) -> None:
        """The one with most to give back comes first, as by command; its button sets it, and it is gone then."""
        self.open_demo()
        self.answered("sizes")
        first = self.view.sizes[0]
        document = json.loads(run("sizes", str(self.path), "--json").stdout)
        self.assertEqual([one.guest for one in self.view.sizes], [one["id"] for one in document["sizes"]][:8])
        self.assertEqual(first.guest, "files")
        QTest.mouseClick(first.apply, LEFT)
        self.settle()
        plan = self.desk.document.plan
        self.assertEqual(plan.guests[plan.guest_index["files"]].vcpus, 2)
        self.answered("sizes")
        self.assertNotIn("files", [one.guest for one in self.view.sizes])


class Playing(RoomCase):
    """Sweeps and random days, on a plan that is played fast."""

    def open_small(self) -> None:
        """Open two hours of an elastic guest that grows, and of batch work beside it."""
        jump = {"kind": "steps", "at": [[0, 2000], [1800, 6000], [2400, 2000], [5400, 7000]]}
        memory = {"mode": "elastic", "floor": 1024, "boot": 3072, "ceiling": 12_288, "headroom_percent": 5}
        elastic = cpu_guest("grows", 3000, vcpus=4) | {"memory": memory}
        elastic["demand"] |= {"working": jump, "touched": jump}
        batch = cpu_guest("batch", 0)
        batch["demand"] = {"cpu": {"kind": "steps", "at": [[0, 9000], [1800, 0]]}, "working": 0, "touched": 0,
                           "kind": "batch"}  # fmt: skip
        chances = {"failing_percent": 0, "surge_percent": 0, "height_percent": 15}
        self.small = self.show_plan(plan_of([elastic, batch], day_s=7200, moment=0, rules={"chances": chances}))

    def wait_for_plays(self) -> None:
        """Wait until what is played many times has come to its end."""
        until = time.monotonic() + 90
        while self.desk.many.running and time.monotonic() < until:
            self.settle()
        self.settle()

    def test_is_a_bigger_headroom_worth_it(self) -> None:
        """Swept in the view and by command: the same line; a value is tried with the keys, and set."""
        self.open_small()
        self.answered("more")
        view = self.view.sweep
        self.view.go_to(3)
        view.item.setCurrentIndex(0)
        view.item.activated.emit(0)
        names = [view.setting.itemText(i) for i in range(view.setting.count())]
        view.setting.setCurrentIndex(names.index("headroom"))
        view.setting.activated.emit(view.setting.currentIndex())
        view.watch.setCurrentText("least part of need backed, %")
        for field, text in ((view.low, "0"), (view.high, "240")):
            field.clear()
            QTest.keyClicks(field, text)
        QTest.mouseClick(view.play, LEFT)
        self.wait_for_plays()
        found = self.desk.many.swept
        assert found is not None
        document = json.loads(run("sweep", str(self.small), "--set", "grows:memory.headroom_percent=0..240",
                                  "--watch", "grows:met", "--json").stdout)  # fmt: skip
        np.testing.assert_allclose(found.table[0, :, 0], [row[0] for row in document["watched"][0]["values"]])
        self.assertIn("least part of need backed", view.told.text())
        view.curve.setFocus()
        for _ in range(3):
            QTest.keyClick(view.curve, Qt.Key.Key_Right)
        self.settle()
        self.assertIsNotNone(self.desk.trial.step)
        self.assertIn("headroom", view.effect.text())
        QTest.mouseClick(view.set_button, LEFT)
        self.settle()
        headroom = self.desk.document.plan.guests[0].memory.headroom_percent  # type: ignore[union-attr]
        self.assertGreater(headroom, 5)
        self.assertEqual(self.desk.document.undo_stack.count(), 1)

    def test_a_value_is_dragged_and_given_up(self) -> None:
        """The handle tries what is under it; Esc brings back what was."""
        self.open_small()
        self.answered("more")
        view = self.view.sweep
        QTest.mouseClick(view.play, LEFT)
        self.wait_for_plays()
        curve = view.curve
        place = curve._place()
        for kind, part in ((QMouseEvent.Type.MouseButtonPress, 0.2), (QMouseEvent.Type.MouseMove, 0.8)):
            at = QPointF(place.left() + part * place.width(), place.center().y())
            QApplication.sendEvent(curve, QMouseEvent(kind, at, curve.mapToGlobal(at), LEFT, LEFT,
                                                      Qt.KeyboardModifier.NoModifier))  # fmt: skip
        self.settle()
        assert curve.found is not None and curve.chosen is not None
        self.assertAlmostEqual(curve.chosen[0] / (len(curve.found.ranges[0].values) - 1), 0.8, delta=0.03)
        self.assertIsNotNone(self.desk.trial.step)
        QTest.keyClick(curve, Qt.Key.Key_Escape)
        self.settle()
        self.assertIsNone(self.desk.trial.step)

    def test_two_dials_make_a_map(self) -> None:
        """Eleven values of each; a click on the map tries both."""
        self.open_small()
        self.answered("more")
        view = self.view.sweep
        view.second.setCurrentIndex(2)
        QTest.mouseClick(view.play, LEFT)
        self.wait_for_plays()
        found = self.desk.many.swept
        assert found is not None
        self.assertEqual(found.table.shape, (1, 11, 11))
        place = view.curve._place()
        QTest.mouseClick(view.curve, LEFT, pos=QPoint(round(place.center().x()), round(place.center().y())))
        self.settle()
        self.assertEqual(view.curve.chosen, (5, 5))

    def test_a_sweep_can_be_stopped(self) -> None:
        """Stop keeps what was played."""
        self.open_small()
        self.answered("more")
        view = self.view.sweep
        QTest.mouseClick(view.play, LEFT)
        self.desk.many.stop()
        self.wait_for_plays()
        found = self.desk.many.swept
        assert found is not None
        self.assertTrue(math.isfinite(float(found.now[0])))
        self.assertTrue(np.isnan(found.table).any())

    def test_how_sure_it_is_that_it_ends_in_time(self) -> None:
        """Played in the view and by command: on so many of a hundred days it is done by then."""
        self.open_small()
        self.answered("more")
        view = self.view.risk
        view.count.setCurrentIndex(0)
        QTest.mouseClick(view.play, LEFT)
        self.wait_for_plays()
        QTest.keyClicks(view.by, "00:40")
        self.settle()
        document = json.loads(run("days", str(self.small), "--days", "60", "--done-by", "batch=00:40",
                                  "--json").stdout)  # fmt: skip
        part = document["done_by"]["part"]
        self.assertEqual(view.sure.text(), f"batch is done by 00:40 on {100 * part:.0f} of 100 days.")
        self.assertIn("60 random days", view.told.text())
        self.assertIn("due 00:30: by ", view.finishes.text())


class States(RoomCase):
    """What else it must cope with."""

    def test_without_hosts_or_guests_it_says_what_to_do(self) -> None:
        """And with one host nothing is lost or moved."""
        self.window.show_view("room")
        self.settle()
        self.assertTrue(self.view.empty.isVisible())
        self.show_plan(plan_of([cpu_guest("a", 100)], day_s=600, moment=0))
        self.answered()
        self.assertEqual((self.view.losses, self.view.places, self.view.steps), ([], None, []))

    def test_one_more_is_added_where_there_is_room(self) -> None:
        """A copy with a name of its own, on the host that has most room; one step."""
        self.show_plan(site_plan([busy("a", 2000, "one"), busy("b", 9000, "two")], day_s=600, moment=0))
        self.answered()
        add = self.view.more.add
        assert add is not None
        QTest.mouseClick(add, LEFT)
        self.settle()
        plan = self.desk.document.plan
        self.assertEqual([(guest.label, guest.host) for guest in plan.guests[2:]], [("a-2", "one")])
        self.assertEqual(self.desk.document.undo_stack.count(), 1)

    def test_many_hosts_are_leafed_through(self) -> None:
        """Where there is not room for all, two buttons show others."""
        hosts = [HOST | {"id": f"h{i}"} for i in range(14)]
        guests = [busy(f"g{i}", 3000, f"h{i}") for i in range(14)]
        self.show_plan(plan_of(guests, hosts=hosts, day_s=600, moment=0))
        self.answered()
        shown = [column.host for column in self.view.columns.all]
        self.assertLess(len(shown), 14)
        self.assertEqual(shown[0], 0)
        QTest.mouseClick(self.view._pages[1], LEFT)
        self.assertEqual(self.view.columns.all[0].host, 1)
        self.assertEqual(len(self.view.losses), 14)

    def test_answers_that_come_while_something_is_tried_show_afterwards(self) -> None:
        """What lies below the pointer stays where it is until the pointer leaves; nothing else has to happen then."""
        hosts = [HOST | {"id": f"h{i}"} for i in range(3)]
        self.show_plan(plan_of([busy(f"g{i}", 3000, f"h{i}") for i in range(3)], hosts=hosts, day_s=600, moment=0))
        self.desk.trial.try_settings("g0", {"cpu.shares": 140.0}, "looked at")
        self.answered()
        self.assertEqual(self.view.losses, [])
        self.desk.trial.give_up()
        self.settle()
        self.assertEqual(len(self.view.losses), 3)

    def test_answers_follow_the_plan(self) -> None:
        """An edit asks anew; a moment asks only how many more."""
        self.show_plan(site_plan([busy("a", 8000, "one"), busy("b", 8000, "one")], day_s=600, moment=0))
        rooms = self.answered()
        before = rooms.places
        self.desk.look.set_moment(300)
        self.answered()
        self.assertIs(rooms.places, before)
        assert rooms.more is not None
        self.assertEqual(rooms.more.room.at_s, 300)
        QTest.mouseClick(self.view.steps[0].apply, LEFT)
        after = self.answered().places
        assert after is not None
        self.assertEqual(after.steps, ())
        self.assertEqual(site_of(self.desk.document.plan, {}).standing.host.tolist(), [1, 0])
        assert self.view.places is not None
        self.assertIn("Nothing is worth moving: nobody lacks anything", self.view.places.told.text())
