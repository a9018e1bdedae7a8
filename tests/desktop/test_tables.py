"""Guests from a table in the window: pasted or opened, columns assigned where nobody foresaw them."""

from __future__ import annotations

import json

from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.state.steps import Step
from ruvex.plan import EditError, SetEvent, add_events
from tests.desktop.base import LEFT, NONE, WindowCase

TABLE = "boat;berth count;mem GiB;State;Group\nferry-21;3;6,5;running;Sea/Quay\nferry-22;2;4;stopped;Sea/Quay\n"


class Tables(WindowCase):
    """An empty plan, and a table whose first heading means nothing."""

    def choose(self, number: int, text: str) -> None:
        """Choose what a column holds, as the keyboard does."""
        self.pick(self.window.exchanging.table_page.choosers[number], text)

    def pick(self, chooser: Chooser, text: str) -> None:
        """Go to a value of a choice with Home and Down."""
        chooser.setFocus()
        QTest.keyClick(chooser, Qt.Key.Key_Home)
        for _ in range(chooser.findText(text)):
            QTest.keyClick(chooser, Qt.Key.Key_Down)
        self.settle()
        self.assertEqual(chooser.currentText(), text)

    def test_an_unforeseen_column_is_assigned(self) -> None:
        """Pasted, the sheet asks; samples show, what is wrong is told, and added is what was read, as one step."""
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(TABLE)
        self.run_action(ActionName.PASTE)
        page = self.window.exchanging.table_page
        self.assertTrue(self.window.sheet.shows(page))
        self.assertEqual(
            [chooser.currentText() for chooser in page.choosers],
            ["leave it out", "leave it out", "memory size", "power", "pool"],
        )
        self.assertFalse(page.add_button.isEnabled())
        self.assertIn("no column holds the names", page.told.text())
        self.choose(0, "name")
        self.choose(1, "vCPUs")
        self.assertEqual(page.add_button.text(), "Add 2 guests and 2 pools")
        self.assertIn("New pools: Sea, Quay.", page.told.text())
        self.assertIn("Not in the table: CPU demand", page.told.text())
        QTest.mouseClick(page.add_button, LEFT)
        self.settle()
        plan = self.desk.document.plan
        self.assertEqual(
            [(g.name, g.vcpus, g.memory.size) for g in plan.guests], [("ferry-21", 3, 6656), ("ferry-22", 2, 4096)]
        )
        self.assertEqual([(p.name, p.parent) for p in plan.pools], [("Sea", None), ("Quay", plan.pools[0].id)])
        self.assertFalse(self.window.sheet.isVisible())
        self.assertEqual(self.desk.document.undo_stack.count(), 1)

    def test_a_file_of_guests_is_opened(self) -> None:
        """A CSV file opens into the same sheet; left, nothing has changed; one that is none is told in words."""
        path = self.folder / "boats.csv"
        path.write_text(TABLE, encoding="utf-8")
        self.assertTrue(self.window.open_path(path))
        self.settle()
        page = self.window.exchanging.table_page
        self.assertTrue(self.window.sheet.shows(page))
        self.assertIn("2 rows from boats.csv", page._hint.text())
        QTest.mouseClick(page.leave_button, LEFT)
        self.settle()
        self.assertEqual(self.desk.document.plan.guests, ())
        path.write_text('name,pool\n"a,b\n', encoding="utf-8")
        self.assertFalse(self.window.open_path(path))
        self.assertIn("row 2 has a quotation mark that is not closed", self.window.notice.text)
        path.write_bytes(b"name\n\xff\xfe\n")
        self.assertFalse(self.window.open_path(path))
        self.assertIn("UTF-8", self.window.notice.text)

    def test_five_hundred_under_headings_nobody_foresaw(self) -> None:
        """An inventory is dropped on an empty window, four columns are assigned, and all of it is there and runs."""
        path = self.folder / "inventory.csv"
        lines = ["Boat / berth;Threads granted;Granted in GiB;Iron;Afloat;Line;Berthed"]
        for i in range(500):
            line = ("Freight", "Night/Long", "Harbour")[i % 3]
            lines.append(
                f"craft-{i:03};{1 + i % 7};{1 + i % 5},5;pier-{i % 9};{'no' if i % 11 == 5 else 'yes'};{line};{i}"
            )
        path.write_text("\n".join(lines) + "\n", encoding="utf-8")
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        self.window.dropEvent(QDropEvent(QPointF(400, 300), Qt.DropAction.CopyAction, data, LEFT, NONE))
        self.settle()
        page = self.window.exchanging.table_page
        self.assertEqual(page.rows_are.currentText(), "guests")
        self.assertEqual({chooser.currentText() for chooser in page.choosers}, {"leave it out"})
        for number, text in enumerate(("name", "vCPUs", "memory size", "host", "power", "pool")):
            self.choose(number, text)
        self.assertEqual(page.add_button.text(), "Add 500 guests, 4 pools and 9 hosts")
        self.assertIn("New hosts, as usual ones are: pier-0, pier-1", page.told.text())
        QTest.mouseClick(page.add_button, LEFT)
        self.settle()
        plan = self.desk.document.plan
        self.assertEqual((len(plan.guests), len(plan.pools), len(plan.hosts)), (500, 4, 9))
        guest = plan.guests[16]
        self.assertEqual(
            (guest.name, guest.vcpus, guest.memory.size, guest.host, guest.power),
            ("craft-016", 3, 2560, "pier-7", "off"),
        )
        self.assertEqual(len(self.desk.look.division.ids), 500 + 4)
        self.assertIn("Left out: Berthed.", self.window.notice.text)

    def test_rows_that_are_no_guests(self) -> None:
        """What the rows are is taken from the headings and can be changed; the columns follow."""
        self.open_demo()
        path = self.folder / "changes.csv"
        path.write_text("time,event,of,lasts,factor\n11:10,surge,mail,00:20,3\n", encoding="utf-8")
        self.assertTrue(self.window.open_path(path))
        self.settle()
        page = self.window.exchanging.table_page
        self.assertEqual(page.rows_are.currentText(), "events")
        self.pick(page.rows_are, "pools")
        self.assertEqual(page.choosers[0].currentText(), "leave it out")
        self.pick(page.rows_are, "events")
        self.assertEqual(page.add_button.text(), "Add 1 event")
        before = self.desk.document.plan
        QTest.mouseClick(page.add_button, LEFT)
        self.settle()
        self.assertEqual(len(self.desk.document.plan.events), len(before.events) + 1)
        self.desk.document.undo()
        self.assertEqual(self.desk.document.plan.events, before.events)

    def test_two_columns_cannot_hold_one_setting(self) -> None:
        """It is told which, and nothing can be added until it is mended."""
        self.window.exchanging.show_table([["boat", "berth"], ["a", "b"]], None)
        self.choose(0, "name")
        self.assertTrue(self.window.exchanging.table_page.add_button.isEnabled())
        self.choose(1, "name")
        self.assertEqual(self.window.exchanging.table_page.told.text(), "Two columns cannot both hold name.")
        self.assertFalse(self.window.exchanging.table_page.add_button.isEnabled())
        QTest.keyClick(self.window.sheet, Qt.Key.Key_Escape)
        self.settle()
        self.assertFalse(self.window.sheet.isVisible())

    def test_a_trace_that_was_not_read_is_told(self) -> None:
        """A pasted demand, and an event, that follow a trace nobody has read: said in words, and nothing is changed."""
        trace = {"kind": "trace", "file": "none.csv", "column": "x"}
        clipboard = QApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(f'name\tCPU demand\nmail-9\t"{json.dumps(trace).replace(chr(34), 2 * chr(34))}"\n')
        self.open_demo()
        before = self.desk.document.plan
        self.run_action(ActionName.PASTE)
        self.assertIn("the column 'x' of the trace 'none.csv' was not read", self.window.notice.text)
        event = SetEvent(at=60, do="set", target="mail", change={"demand.cpu": trace})
        with self.assertRaises(EditError) as caught:
            self.desk.trial.make(Step("an event", lambda plan: add_events(plan, [event]), ()))
        self.assertIn("was not read", str(caught.exception))
        self.assertIs(self.desk.document.plan, before)
