"""Editing in the rows: edges, brackets, names, shares, several at once, the clipboard, power."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from ruvex.desktop.kit.actions import ActionName
from ruvex.plan import Guest, find_item
from tests.builders import cpu_guest, memory_guest, plan_of
from tests.desktop.base import LEFT, NONE, WindowCase

CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class RowsCase(WindowCase):
    """A plan of two pools and three guests that compete."""

    def setUp(self) -> None:
        """Open it."""
        super().setUp()
        guests = [
            cpu_guest("a", 9000, reservation=3000, pool="p"),
            cpu_guest("b", 9000, limit=6000, pool="p"),
            cpu_guest("c", 9000, pool="q"),
        ]
        self.show_plan(plan_of(guests, [{"id": "p", "name": "Pier"}, {"id": "q", "name": "Quay"}]))

    def guest(self, item_id: str) -> Guest:
        """Give a guest as it is."""
        item = find_item(self.desk.look.plan, item_id)
        assert isinstance(item, Guest)
        return item

    def edge(self, item_id: str, value: float, resource: str = "cpu") -> QPoint:
        """Give where a value stands in a row."""
        x = self.butterfly.axes[resource].x(value)
        return QPoint(round(x), self.butterfly.row_rect(item_id).center().y())

    def drag(self, start: QPoint, end: QPoint, *, release: bool = True) -> None:
        """Drag over the rows in steps."""
        view = self.butterfly.viewport()
        QTest.mousePress(view, LEFT, NONE, start)
        for part in range(1, 6):
            QTest.mouseMove(view, start + (end - start) * part / 5)
            self.settle()
        if release:
            QTest.mouseRelease(view, LEFT, NONE, end)
            self.settle()

    def press(self, key: Qt.Key, modifiers: Qt.KeyboardModifier = NONE) -> None:
        """Press a key in the rows."""
        self.butterfly.setFocus()
        QTest.keyClick(self.butterfly, key, modifiers)
        self.settle()


class Dragging(RowsCase):
    """Settings dragged where they are drawn."""

    def test_reservation_at_the_end_of_the_solid_part(self) -> None:
        """The drag shows who pays before it is let go, and is one undo entry."""
        self.drag(self.edge("a", 3000), self.edge("a", 4500), release=False)
        self.assertIsNotNone(self.desk.look.before)
        self.assertIn("a CPU reservation 3.00\u202fGHz →", self.dials.effect.text)
        self.assertIn("paid by", self.dials.effect.text)
        self.assertEqual(self.desk.document.undo_stack.count(), 0)
        QTest.mouseRelease(self.butterfly.viewport(), LEFT, NONE, self.edge("a", 4500))
        self.settle()
        self.assertAlmostEqual(self.guest("a").cpu.reservation, 4500, delta=60)
        self.assertEqual(self.desk.document.undo_stack.count(), 1)

    def test_esc_gives_a_drag_up(self) -> None:
        """Nothing is left of it."""
        before = self.desk.look.plan
        self.drag(self.edge("a", 3000), self.edge("a", 6000), release=False)
        QTest.keyClick(self.butterfly, Qt.Key.Key_Escape)
        QTest.mouseRelease(self.butterfly.viewport(), LEFT, NONE, self.edge("a", 6000))
        self.settle()
        self.assertEqual(self.desk.look.plan, before)
        self.assertIsNone(self.desk.look.before)

    def test_bracket_is_the_limit(self) -> None:
        """Dragged inwards it limits, beyond the end of the axis it is taken off."""
        self.drag(self.edge("b", 6000), self.edge("b", 2000))
        self.assertAlmostEqual(self.guest("b").cpu.limit or 0, 2000, delta=60)
        end = self.edge("b", 2000)
        end.setX(round(self.butterfly.axes["cpu"].end) - 2)
        self.drag(self.edge("b", 2000), end)
        self.assertIsNone(self.guest("b").cpu.limit)

    def test_refused_drag_offers_what_passes(self) -> None:
        """A promise that cannot be kept is not made; the nearest value is one click away."""
        self.desk.trial.change("c", {"cpu.reservation": 6000}, "c")
        self.drag(self.edge("a", 3000), self.edge("a", 8000))
        self.assertEqual(self.guest("a").cpu.reservation, 3000)
        self.assertIn("short of CPU promises", self.window.refusal.text)
        self.assertIn("Held by", self.window.refusal.text)
        nearest = next(offer for offer in self.window.refusal.offers if "nearest" in offer.text())
        nearest.setFocus()
        self.settle()
        self.assertIsNotNone(self.desk.look.before, "its effect shows before it is taken")
        QTest.keyClick(nearest, Qt.Key.Key_Escape)
        self.settle()
        self.assertIsNone(self.desk.look.before)
        self.assertFalse(self.window.refusal.isVisible())
        self.drag(self.edge("a", 3000), self.edge("a", 8000))
        nearest = next(offer for offer in self.window.refusal.offers if "nearest" in offer.text())
        QTest.mouseClick(nearest, LEFT)
        self.settle()
        self.assertEqual(self.guest("a").cpu.reservation, 4000)

    def test_names_are_dragged_onto_pools(self) -> None:
        """Several selected names go together; dropped below the rows they go to the top."""
        x = self.butterfly.columns.names[0] + 80
        self.desk.selection.select_many(["a", "b"], "b")
        start = QPoint(x, self.butterfly.row_rect("a").center().y())
        self.drag(start, QPoint(x, self.butterfly.row_rect("q").center().y()))
        self.assertEqual([g.pool for g in self.desk.look.plan.guests], ["q", "q", "q"])
        start = QPoint(x, self.butterfly.row_rect("q").center().y())
        self.drag(start, QPoint(x, self.butterfly.row_rect("p").center().y()))
        pool = find_item(self.desk.look.plan, "q")
        self.assertEqual(getattr(pool, "parent", None), "p")
        start = QPoint(x, self.butterfly.row_rect("c").center().y())
        self.drag(start, QPoint(x, self.butterfly.row_list.height + 30))
        self.assertIsNone(self.guest("c").pool)
        self.assertIn("c", self.desk.selection.ids)


class LongPlans(RowsCase):
    """More rows than show."""

    def test_a_carried_name_scrolls_at_the_edge(self) -> None:
        """A name is dragged to a pool that does not show yet."""
        guests = [cpu_guest(f"g{i}", 10, pool="p") for i in range(60)]
        self.show_plan(plan_of([*guests, cpu_guest("z", 10, pool="q")], [{"id": "p"}, {"id": "q"}]))
        view, x = self.butterfly.viewport(), self.butterfly.columns.names[0] + 80
        QTest.mousePress(view, LEFT, NONE, QPoint(x, self.butterfly.row_rect("g0").center().y()))
        for step in range(120):
            QTest.mouseMove(view, QPoint(x + step % 2, view.height() - 4))
            self.settle()
        place = self.butterfly.row_rect("q")
        self.assertTrue(view.rect().contains(place))
        QTest.mouseMove(view, QPoint(x, place.center().y()))
        QTest.mouseRelease(view, LEFT, NONE, QPoint(x, place.center().y()))
        self.settle()
        self.assertEqual(self.guest("g0").pool, "q")


class MemoryWing(RowsCase):
    """The same in the memory wing, for the settings of each mode."""

    def setUp(self) -> None:
        """Open an elastic, a fixed and a thin guest."""
        super().setUp()
        guests = [
            memory_guest("e", 9000, mode="elastic", boot=6000, floor=4000, ceiling=12_000),
            memory_guest("f", 0, mode="fixed", size=8000),
            memory_guest("t", 6000, 9000, mode="thin", size=10_000, reservation=3000, limit=7000),
        ]
        self.show_plan(plan_of(guests))

    def test_floor_ceiling_size_reservation_and_limit(self) -> None:
        """Floor and ceiling of an elastic guest, the size of a fixed one, reservation and limit of a thin one."""
        for item_id, key, start, end in (
            ("e", "floor", 4000, 2000), ("f", "size", 8000, 6000), ("t", "reservation", 3000, 5000),
            ("t", "limit", 7000, 9000),
        ):  # fmt: skip
            self.drag(self.edge(item_id, start, "memory"), self.edge(item_id, end, "memory"))
            self.assertAlmostEqual(getattr(self.guest(item_id).memory, key), end, delta=140, msg=f"{item_id} {key}")
        self.assertEqual(self.desk.document.undo_stack.count(), 4)

    def test_boot_size_bounds_the_floor(self) -> None:
        """A floor cannot be dragged beyond the boot size."""
        self.drag(self.edge("e", 4000, "memory"), self.edge("e", 8000, "memory"))
        self.assertEqual(getattr(self.guest("e").memory, "floor", None), 6000)

    def test_names_by_double_click_and_menu(self) -> None:
        """A double click on a name types it anew; the menu comes for the row under the pointer."""
        point = QPoint(self.butterfly.columns.names[0] + 40, self.butterfly.row_rect("f").center().y())
        QTest.mouseDClick(self.butterfly.viewport(), LEFT, NONE, point)
        line = self.application.focusWidget()
        QTest.keyClicks(line, "store")
        QTest.keyClick(line, Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(self.guest("f").name, "store")
        asked: list[QPoint] = []
        self.butterfly.menu_asked.disconnect()
        self.butterfly.menu_asked.connect(asked.append)
        event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, point, self.butterfly.viewport().mapToGlobal(point))
        self.butterfly.contextMenuEvent(event)
        self.assertEqual((self.desk.selection.current, len(asked)), ("f", 1))


class Keys(RowsCase):
    """Everything by keyboard."""

    def test_shares_by_plus_and_wheel(self) -> None:
        """± previews, a rest or the next action makes it, Esc gives up; a run is one entry."""
        self.click_row("a")
        for _ in range(3):
            self.press(Qt.Key.Key_Plus)
        self.assertIsNotNone(self.desk.look.before)
        self.press(Qt.Key.Key_Down)
        self.assertEqual((self.guest("a").cpu.shares, self.desk.document.undo_stack.count()), (130, 1))
        self.press(Qt.Key.Key_Minus, Qt.KeyboardModifier.AltModifier)
        self.press(Qt.Key.Key_Escape)
        self.assertEqual((self.guest("b").memory.shares, self.desk.look.before), (100, None))
        place = self.edge("b", 0, "memory") + QPoint(20, 0)
        view = self.butterfly.viewport()
        wheel = QWheelEvent(
            QPointF(place), QPointF(view.mapToGlobal(place)), QPoint(), QPoint(0, 240), LEFT, CTRL,
            Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(view, wheel)
        self.settle(1000)
        self.assertEqual(self.guest("b").memory.shares, 120)

    def test_stepped_shares_are_never_lost(self) -> None:
        """Whatever follows at once makes them first: another edit, undo, saving, another moment."""
        self.click_row("a")
        self.press(Qt.Key.Key_Plus)
        self.press(Qt.Key.Key_Space)
        self.assertEqual((self.guest("a").cpu.shares, self.guest("a").is_powered), (110, False))
        self.assertEqual(self.desk.document.undo_stack.count(), 2)
        self.press(Qt.Key.Key_Space)
        self.press(Qt.Key.Key_Plus)
        self.run_action(ActionName.UNDO)
        self.assertEqual((self.guest("a").cpu.shares, self.guest("a").is_powered), (110, True))
        self.press(Qt.Key.Key_Plus)
        self.desk.look.set_moment(3600.0)
        self.assertEqual(self.guest("a").cpu.shares, 120)
        self.press(Qt.Key.Key_Plus)
        self.assertTrue(self.window.files.save())
        self.assertEqual(self.desk.document.plan.guests[0].cpu.shares, 130)
        self.assertFalse(self.desk.document.is_dirty)

    def test_new_rename_duplicate_shift_move_delete(self) -> None:
        """A guest is made, named, copied, shifted, moved and deleted, and all of it taken back."""
        start = self.desk.look.plan
        self.click_row("q")
        self.run_action(ActionName.NEW_GUEST)
        line = self.application.focusWidget()
        QTest.keyClicks(line, "bell")
        QTest.keyClick(line, Qt.Key.Key_Return)
        self.settle()
        self.assertEqual((self.guest("guest-1").name, self.guest("guest-1").pool), ("bell", "q"))
        self.assertIn("bell", [row.label for row in self.butterfly.row_list.rows])
        self.press(Qt.Key.Key_D, CTRL)
        self.assertEqual(self.desk.look.plan.guests[-1].name, "bell-2")
        self.press(Qt.Key.Key_Up, Qt.KeyboardModifier.AltModifier)
        self.assertEqual([g.name for g in self.desk.look.plan.guests[-2:]], ["bell-2", "bell"])
        self.press(Qt.Key.Key_M)
        self.run_action(ActionName.UNDO)
        self.assertFalse(self.window.command_box.isVisible(), "what it offered was of the plan before")
        self.run_action(ActionName.REDO)
        self.press(Qt.Key.Key_M)
        QTest.keyClicks(self.window.command_box.line, "pier")
        QTest.keyClick(self.window.command_box.line, Qt.Key.Key_Return)
        self.settle()
        self.assertEqual(self.guest("bell-2").pool, "p")
        self.press(Qt.Key.Key_Delete)
        self.assertNotIn("bell-2", self.desk.look.plan.guest_index)
        self.click_row("p")
        self.press(Qt.Key.Key_Delete)
        self.assertEqual([g.pool for g in self.desk.look.plan.guests], [None, None, "q", "q"])
        while self.desk.document.undo_stack.canUndo():
            self.run_action(ActionName.UNDO)
        self.assertEqual(self.desk.look.plan, start)

    def test_a_run_of_arrows_is_one_entry(self) -> None:
        """Stepping a field with ↑ is taken back at once; stepping another one begins anew."""
        self.click_row("a")
        fields = self.dials.dials["cpu"].fields
        for key in ("cpu.shares", "cpu.shares", "cpu.shares", "cpu.reservation"):
            QTest.keyClick(fields[key].line, Qt.Key.Key_Up)
            self.settle()
        self.assertEqual((self.guest("a").cpu.shares, self.desk.document.undo_stack.count()), (130, 2))
        self.run_action(ActionName.UNDO)
        self.run_action(ActionName.UNDO)
        self.assertEqual((self.guest("a").cpu.shares, self.guest("a").cpu.reservation), (100, 3000))

    def test_several_at_once(self) -> None:
        """Shift and Ctrl select several; a dial and F4's field turn all of them, in one entry."""
        self.click_row("a")
        self.press(Qt.Key.Key_Down, SHIFT)
        self.assertEqual(self.desk.selection.ids, ("a", "b"))
        point = QPoint(self.butterfly.columns.names[1] - 20, self.butterfly.row_rect("c").center().y())
        QTest.mouseClick(self.butterfly.viewport(), LEFT, CTRL, point)
        self.settle()
        self.assertEqual(set(self.desk.selection.ids), {"a", "b", "c"})
        self.type_into(self.dials.dials["cpu"].fields["cpu.shares"], "250")
        self.assertEqual([g.cpu.shares for g in self.desk.look.plan.guests], [250, 250, 250])
        self.assertEqual(self.desk.document.undo_stack.count(), 1)
        self.assertIn("3 selected", self.dials.effect.text)
        self.press(Qt.Key.Key_A, CTRL)
        self.assertEqual(len(self.desk.selection.ids), 5)


class Power(RowsCase):
    """Power with the answer in place."""

    def test_refused_where_the_action_was(self) -> None:
        """The row is marked, the panel says why; Esc leaves the plan as it is."""
        self.desk.trial.change("a", {"power": "off"}, "off")
        self.desk.trial.change("c", {"cpu.reservation": 8000}, "c")
        self.click_row("a")
        self.press(Qt.Key.Key_Space)
        self.assertFalse(self.guest("a").is_powered)
        self.assertIn("power a on. The supply is short of CPU promises by 1.00", self.window.refusal.text)
        self.assertIn("a", self.desk.trial.refused.step.changed)  # type: ignore[union-attr]
        QTest.keyClick(self.window.refusal.close_button, Qt.Key.Key_Escape)
        self.settle()
        self.assertIsNone(self.desk.trial.refused)
        self.press(Qt.Key.Key_Space)
        offer = next(o for o in self.window.refusal.offers if "reservation of c" in o.text())
        QTest.mouseClick(offer, LEFT)
        self.settle()
        self.assertTrue(self.guest("a").is_powered)
        self.run_action(ActionName.UNDO)
        self.assertEqual((self.guest("a").is_powered, self.guest("c").cpu.reservation), (False, 8000))

    def test_a_selection_starts_in_order_and_tells_who_waits(self) -> None:
        """A pool's guests are powered on by shares; the rest is named with what it lacks."""
        guests = [
            memory_guest(name, 0, mode="fixed", size=40_000, shares=shares, pool="p") | {"power": "off"}
            for name, shares in (("low", 50), ("high", 400), ("middle", 100))
        ]
        self.show_plan(plan_of(guests, [{"id": "p"}]))
        self.click_row("p")
        self.press(Qt.Key.Key_Space)
        self.assertEqual([g.is_powered for g in self.desk.look.plan.guests], [False, True, True])
        self.assertIn("low: The supply is short of memory promises by 19.5", self.window.notice.text)
        self.press(Qt.Key.Key_Space)
        self.assertIn("power low on", self.window.refusal.text)

    def test_a_running_guest_would_have_to_be_off(self) -> None:
        """The plan may be edited all the same; the line says so in passing."""
        self.window.editor.change("fewer", "a", {"vcpus": 4})
        self.assertEqual(self.guest("a").vcpus, 4)
        self.assertIn("a running a would have to be off for fewer vCPUs", self.dials.effect.text)
        self.window.editor.change("off", "a", {"power": "off"})
        self.window.editor.change("more", "a", {"vcpus": 5})
        self.assertNotIn("have to be off", self.dials.effect.text)


class Clipboard(RowsCase):
    """To a spreadsheet and back."""

    def test_copy_and_paste(self) -> None:
        """Copied cells come back as further guests; a pool that does not draw leaves the third one off."""
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        self.desk.selection.select_many(["a", "b"], "a")
        self.press(Qt.Key.Key_C, CTRL)
        self.assertTrue(clipboard.text().startswith("id\tname\tpool\thost"))
        self.run_action(ActionName.PASTE)
        self.assertEqual([g.name for g in self.desk.look.plan.guests[3:]], ["a-2", "b-2"])
        self.assertEqual(self.guest("a-2").cpu, self.guest("a").cpu)
        self.assertEqual(self.desk.document.undo_stack.undoText(), "paste 2 guests")
        clipboard.setText("name\tvCPUs\tCPU reservation\nz\t2\t3 GHz\n")
        self.run_action(ActionName.PASTE)
        self.assertIn("more than 2 vCPUs of z can use", self.window.notice.text)
        cells = "vCPUs\tname\tCPU reservation (GHz)\tsize (GiB)\tmode\tRemarks\n"
        clipboard.setText(cells + "4\tx\t3\t1\tthin\t-\n4\ty\t3\t1\tthin\t-\n")
        self.run_action(ActionName.PASTE)
        # What the last column is nobody knows: it is asked, and left out if nobody says.
        QTest.mouseClick(self.window.exchanging.table_page.add_button, LEFT)
        self.settle()
        self.assertEqual([self.guest(g).is_powered for g in "xy"], [True, False])
        self.assertIn("Left out: Remarks", self.window.notice.text)
        self.assertIn("1 guest was added powered off", self.window.notice.text)

    def test_rubbish_is_told_and_nothing_changes(self) -> None:
        """The notice names row and column."""
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        before = self.desk.look.plan
        for text, told in (("ladida", "does not name the columns"), ("name\tvCPUs\nz\tmany\n", "row 2, vCPUs")):
            clipboard.setText(text)
            self.run_action(ActionName.PASTE)
            self.assertIn("Nothing was pasted", self.window.notice.text)
            self.assertIn(told, self.window.notice.text)
        self.assertIs(self.desk.look.plan, before)
