"""Stores, disks and links in the window: made, given to guests, and read in every view."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.sheets.guest_page import GuestPage
from ruvex.desktop.sheets.stores_page import StoresPage
from ruvex.desktop.sheets.why_page import WhyPage
from ruvex.plan import Disk
from tests.builders import cpu_guest, plan_of
from tests.desktop.base import LEFT, NONE, division_of, timeline_of
from tests.desktop.test_sheets import SheetCase


class Stores(SheetCase):
    """A plan of two guests that gets a store."""

    def setUp(self) -> None:
        """Open a plan without stores."""
        super().setUp()
        self.show_plan(plan_of([cpu_guest("mail", 5), cpu_guest("wiki", 5)]))

    def press(self, button: QPushButton) -> None:
        """Press a button."""
        QTest.mouseClick(button, LEFT)
        self.settle()

    def wing(self, item_id: str) -> str:
        """Read the third wing at a row."""
        butterfly = division_of(self.window).butterfly
        row = next(row for row in butterfly.row_list.rows if row.item_id == item_id)
        return butterfly.flow_wing.text(row)

    def make_store(self) -> None:
        """Add a store of 900 transfers a second, and give both guests a disk on it and work for it."""
        QTest.keyClick(self.window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
        self.settle()
        stores = self.window.sheet.page
        assert isinstance(stores, StoresPage)
        self.assertIn("Without a store", stores.told.text())
        self.press(stores.add_button)
        self.enter(stores, "ops", "900")
        self.enter(stores, "name", "Slate")
        for guest, ops in (("mail", "600"), ("wiki", "800 ops/s")):
            self.desk.selection.select(guest)
            page = self.open_page(ActionName.SETTINGS)
            assert isinstance(page, GuestPage)
            self.press(page.disks.add_button)
            self.type_into(page.signals["demand.ops"].figures["number"].fields["value"], ops)

    def test_a_store_is_made_and_its_transfers_divided(self) -> None:
        """900 transfers, two disks that want 600 and 800: 450 each; with 200 shares to 100 mail has all it wants."""
        butterfly = division_of(self.window).butterfly
        self.assertFalse(butterfly.flow_wing.is_shown)
        self.make_store()
        self.assertTrue(butterfly.flow_wing.is_shown)
        self.assertEqual((self.wing("mail"), self.wing("wiki")), ("450 of 600 ops/s", "450 of 800 ops/s"))
        self.desk.selection.select("mail")
        page = self.open_page(ActionName.SETTINGS)
        assert isinstance(page, GuestPage)
        page.disks.lines.setCurrentRow(0)
        self.settle()
        self.type_into(page.disks.form.fields["shares"], "200")
        self.assertEqual((self.wing("mail"), self.wing("wiki")), ("600 ops/s", "300 of 800 ops/s"))
        self.type_into(page.disks.form.fields["limit_ops"], "250 ops/s")
        self.assertEqual((self.wing("mail"), self.wing("wiki")), ("250 of 600 ops/s", "650 of 800 ops/s"))
        # A store that promises nothing takes no reservation, and what is refused stands marked in its field.
        self.type_into(page.disks.form.fields["reservation_ops"], "200")
        self.assertEqual(self.guest("mail").disks[0].reservation_ops, 0)
        self.assertIn("promises", self.window.dials.effect.text)
        self.run_action(ActionName.WHY)
        why = self.window.sheet.page
        assert isinstance(why, WhyPage)
        self.assertIn("Its own limit is 250 ops/s", why.flows.text())

    def test_one_is_chosen_while_another_is_selected(self) -> None:
        """A lane selects its store; the sheet goes there, and to any other one that is chosen in it."""
        self.run_action(ActionName.STORES)
        page = self.window.sheet.page
        assert isinstance(page, StoresPage)
        self.press(page.add_button)
        self.press(page.add_button)
        self.assertEqual(self.form_of(page, "name").fields["name"].line.text(), "store-2")
        self.desk.selection.select("store-1")
        self.settle()
        self.assertEqual(self.form_of(page, "name").fields["name"].line.text(), "store-1")
        self.choose(page.stores, "store-2")
        self.assertEqual(self.form_of(page, "name").fields["name"].line.text(), "store-2")

    def test_every_view_has_them(self) -> None:
        """Columns in the list, a lane of the day, who is on it in the store's settings; gone with the store."""
        self.make_store()
        self.go_to("timeline")
        self.settle(200)
        lanes = timeline_of(self.window).lanes
        flow = next(row for row in lanes.row_list.rows if row.kind == "flow")
        self.assertIn("Slate", flow.label)
        rows = lanes.reader.model()
        assert rows is not None
        told = [str(rows.data(rows.index(k, 0), Qt.ItemDataRole.AccessibleTextRole)) for k in range(rows.rowCount())]
        self.assertTrue(any("Slate" in one and ", 900 ops/s of 1\u202f400 ops/s" in one for one in told), told)
        self.run_action(ActionName.STORES)
        stores = self.window.sheet.page
        assert isinstance(stores, StoresPage)
        self.enter(stores, "ops", "1600")
        self.settle(200)
        rows = lanes.reader.model()
        assert rows is not None
        told = [str(rows.data(rows.index(k, 0), Qt.ItemDataRole.AccessibleTextRole)) for k in range(rows.rowCount())]
        self.assertTrue(any("Slate" in one and one.endswith(", 1\u202f400 ops/s") for one in told), told)
        self.enter(stores, "ops", "900")
        self.go_to("list")
        model = self.window.view.table  # type: ignore[attr-defined]
        heads = [model.headerData(k, Qt.Orientation.Horizontal) for k in range(model.columnCount())]
        self.assertTrue(any("ops" in str(head) for head in heads))
        self.assertIn("mail, disk-1: 450 of 600 ops/s", stores.told.text())
        self.press(stores.remove_button)
        self.assertEqual(self.desk.look.plan.stores, ())
        self.assertEqual(self.guest("mail").disks, ())
        self.run_action(ActionName.UNDO)
        self.assertEqual(len(self.guest("mail").disks), 1)

    def test_its_dial_shows_who_pays_while_it_is_dragged(self) -> None:
        """Beside memory: shares stepped by key, a limit dragged with its effect live, Esc gives it up."""
        self.window.resize(1280, 800)
        self.make_store()
        self.window.sheet.close_sheet()
        self.desk.selection.select("mail")
        self.settle()
        dial = self.window.dials.flow
        self.assertTrue(dial.isVisible())
        self.assertFalse(dial.fields["reservation"].isVisible(), "the store promises nothing")
        QTest.keyClick(dial.fields["shares"].line, Qt.Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
        self.settle()
        self.assertEqual(self.guest("mail").disks[0].shares, 200)
        for _ in range(2):
            QTest.keyClick(dial.fields["shares"].line, Qt.Key.Key_Up)
        self.run_action(ActionName.UNDO)
        self.assertEqual(self.guest("mail").disks[0].shares, 100, "steps of one setting are one entry")
        self.run_action(ActionName.REDO)
        self.assertEqual(self.guest("mail").disks[0].shares, 220)
        self.type_into(dial.fields["shares"], "100")
        self.type_into(dial.fields["shares"], "200")
        self.assertIn("Disks in ops/s: mail +150   paid by wiki \u2212150", self.window.dials.effect.text)
        x, y = round(dial.track.handle_x("limit")), 16
        QTest.mousePress(dial.track, LEFT, NONE, QPoint(x, y))
        there = round(dial.track.axis.x(300))
        QTest.mouseMove(dial.track, QPoint(there, y))
        self.settle()
        self.assertIsNone(self.disk_of_document().limit_ops)
        self.assertRegex(self.wing("mail"), r"^(29|30)\d of 600 ops/s$")
        self.assertIn("wiki +", self.window.dials.effect.text)
        QTest.keyClick(dial.track, Qt.Key.Key_Escape)
        self.settle()
        self.assertEqual(self.wing("mail"), "600 ops/s")
        self.type_into(dial.fields["limit"], "a few")
        self.assertTrue(dial.fields["limit"].is_refused)
        self.desk.selection.select("wiki")
        self.settle()
        self.assertEqual(dial.fields["limit"].line.text(), "no limit")
        self.desk.selection.select(None)
        self.settle()
        self.assertFalse(dial.isVisible())

    def disk_of_document(self) -> Disk:
        """Give the disk of mail as the document has it, without what is only tried."""
        return self.desk.document.plan.guests[0].disks[0]

    def test_side_by_side_has_them(self) -> None:
        """A mark, then more shares: who gets more and less of the store, and what is set since."""
        self.make_store()
        self.desk.yardstick.keep("as bought")
        self.window.editor.change("shares", "mail", {"disks": [{"id": "disk-1", "store": "store-1", "shares": 200}]})
        self.go_to("beside")
        self.settle()
        found = self.desk.yardstick.found
        assert found is not None
        changes = {one.guest: (one.change, one.disks[0].got, one.disks[1].got) for one in found.beside.guests}
        self.assertEqual(changes, {"mail": ("gets-more", 450, 600), "wiki": ("gets-less", 450, 300)})
        told = [self.window.view.rows.told(one) for one in found.beside.guests]  # type: ignore[attr-defined]
        self.assertTrue(any("disks 450 ops/s \u2192 300 ops/s of 800 ops/s, store" in one for one in told), told)
