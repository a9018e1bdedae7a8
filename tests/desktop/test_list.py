"""The list: every guest in one table, the worst hit first, of the look or of the day."""

from __future__ import annotations

import csv
import io

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from ruvex.advise import savings_over
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.state.figures import figure
from ruvex.desktop.views.guest_list import ListView
from ruvex.divide import causes_of
from ruvex.play import Player
from ruvex.site import site_of
from tests.desktop.base import LEFT, NONE, WindowCase


class Table(WindowCase):
    """The table and the keys and mouse on it."""

    def setUp(self) -> None:
        """Open the demo at the rush, in the list."""
        super().setUp()
        self.open_demo()
        self.desk.look.set_moment(8 * 3600 + 600)
        self.go_to("list")
        view = self.window.view
        assert isinstance(view, ListView)
        self.list, self.table, self.grid = view, view.table, view.grid
        for _ in range(400):
            self.settle()
            if self.desk.rehearsal.is_current:
                return
            QTest.qWait(5)

    def shown(self) -> list[str]:
        """Give the guests in the order of the rows."""
        return self.table.ids(range(self.table.rowCount()))

    def cell(self, guest: str, key: str) -> str:
        """Give what a cell says."""
        column = [column.key for column in self.table.columns].index(key)
        row = self.shown().index(guest)
        return str(self.table.data(self.table.index(row, column)))

    def click_head(self, key: str) -> None:
        """Click the head of a column."""
        head = self.grid.horizontalHeader()
        assert head is not None
        section = [column.key for column in self.table.columns].index(key)
        x = head.sectionViewportPosition(section) + 12
        viewport = head.viewport()
        assert viewport is not None
        QTest.mouseClick(viewport, LEFT, NONE, QPoint(x, head.height() // 2))
        self.settle()

    def click_row(self, guest: str, modifiers: Qt.KeyboardModifier = NONE) -> None:
        """Click a row."""
        place = self.grid.visualRect(self.table.index(self.shown().index(guest), 1))
        viewport = self.grid.viewport()
        assert viewport is not None
        QTest.mouseClick(viewport, LEFT, modifiers, place.center())
        self.settle()

    def test_the_worst_hit_stands_first_with_the_figures_of_the_rows(self) -> None:
        """The order is that of what is missing; every figure is that of the division."""
        division, plan = self.desk.look.division, self.desk.look.plan
        rows = [division.position[guest.id] for guest in plan.guests]
        unmet, met = division.cpu.unmet / np.maximum(division.cpu.wanted, 1e-9), division.layers.met.copy()
        met[~division.on] = 1.0
        lacks = [max(float(unmet[row]), 1.0 - float(met[row])) for row in rows]
        expected = [plan.guests[i].id for i in np.argsort(-np.array(lacks), kind="stable")]
        self.assertEqual(self.shown(), expected)
        for guest in ("ticket-db", "tide-model", "mail"):
            row = division.position[guest]
            for key, amount, resource in (
                ("cpu_wanted", division.cpu.wanted[row], "cpu"), ("cpu_delivered", division.cpu.delivered[row], "cpu"),
                ("backed", division.layers.backed[row], "memory"),
            ):  # fmt: skip
                self.assertEqual(self.cell(guest, key), figure(float(amount), self.desk.units.common(resource)))
            self.assertIn(causes_of(division, "cpu").word(row), self.cell(guest, "cause"))
        picture = self.picture(self.grid)
        self.run_action(ActionName.LOOK_DARK)
        self.assertNotEqual(self.picture(self.grid), picture)

    def test_heads_sort_and_words_filter(self) -> None:
        """A click on a head sorts, once more turns it round; words find names, pools, hosts, causes, on, off, short."""
        self.click_head("cpu_wanted")
        wanted = [self.table.values("cpu_wanted")[i] for i in self.table.shown]
        self.assertEqual(wanted, sorted(wanted, reverse=True))
        self.click_head("cpu_wanted")
        self.assertEqual(self.table.shown[0], int(np.argmin(self.table.values("cpu_wanted"))))
        self.click_head("name")
        names = [self.desk.look.plan.guests[i].label.casefold() for i in self.table.shown]
        self.assertEqual(names, sorted(names))
        QTest.keyClicks(self.list.line, "booking skerry-2")
        self.assertTrue(self.shown())
        for guest in self.shown():
            self.assertEqual((self.cell(guest, "pool"), self.cell(guest, "host")), ("Booking", "skerry-2"))
        self.list.line.setText("off")
        off = [guest.id for guest in self.desk.look.plan.guests if not guest.is_powered]
        self.assertEqual(sorted(self.shown()), sorted(off))

    def test_what_has_the_keyboard_goes_with_its_guest(self) -> None:
        """Sorted, its cell is where the guest is; looked for and not found, no cell has the keyboard; all go on."""
        self.click_row("mail")
        for key in ("name", "cpu_wanted"):
            self.click_head(key)
            self.assertEqual(self.shown()[self.grid.currentIndex().row()], "mail")
        last = self.shown()[-1]
        self.grid.setCurrentIndex(self.table.index(len(self.shown()) - 1, 0))
        self.assertEqual(self.desk.selection.current, last)
        self.list.line.setText("nobody of that name")
        self.assertEqual((self.shown(), self.grid.currentIndex().isValid()), ([], False))
        QTest.keyClick(self.grid, Qt.Key.Key_Down)
        self.list.line.setText("")
        QTest.keyClick(self.grid, Qt.Key.Key_Down)
        self.assertIn(self.desk.selection.current, self.shown())

    def test_selecting_and_editing_as_in_the_rows(self) -> None:
        """A click selects, Ctrl adds; what is done goes to all; what is selected elsewhere is selected here."""
        self.click_row("mail")
        self.assertEqual(self.desk.selection.current, "mail")
        self.click_row("files", Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(sorted(self.desk.selection.ids), ["files", "mail"])
        self.assertIn("2 chosen", self.list.count.text())
        QTest.keyClick(self.grid, Qt.Key.Key_Space)
        self.settle()
        power = {guest.id: guest.power for guest in self.desk.document.plan.guests}
        self.assertEqual((power["mail"], power["files"]), ("off", "off"))
        self.run_action(ActionName.UNDO)
        self.desk.selection.select("ticket-db")
        chosen = self.grid.selectionModel()
        assert chosen is not None
        self.assertEqual(self.table.ids([index.row() for index in chosen.selectedRows()]), ["ticket-db"])

    def test_names_are_typed_in_place(self) -> None:
        """F2 opens the name, Enter takes it and Esc leaves it; a new guest is named at once."""
        self.desk.selection.select("mail")
        self.settle()
        QTest.keyClick(self.grid, Qt.Key.Key_F2)
        self.settle()
        self.type_name("post room")
        self.assertEqual(self.desk.document.undo_stack.undoText(), "rename mail to post room")
        self.assertEqual(self.cell("mail", "name"), "post room")
        QTest.keyClick(self.grid, Qt.Key.Key_F2)
        self.settle()
        self.type_name("lost property", Qt.Key.Key_Escape)
        self.assertEqual(self.desk.document.undo_stack.count(), 1)
        self.run_action(ActionName.NEW_GUEST)
        self.type_name("life rafts")
        self.assertEqual(self.desk.selection.item.label, "life rafts")
        self.go_to("division")
        lines = [line for line in self.butterfly.findChildren(QLineEdit) if line.isVisible()]
        self.assertEqual(lines, [], "its name is not asked for once more")

    def test_a_name_that_is_typed_stays_with_its_guest(self) -> None:
        """Another one is named meanwhile: the first name is taken; its guest goes: none; another plan: none."""
        self.desk.selection.select("mail")
        QTest.keyClick(self.grid, Qt.Key.Key_F2)
        self.settle()
        self.open_line().setText("post room")
        self.run_action(ActionName.NEW_GUEST)
        mail = self.desk.document.plan.guest_index["mail"]
        self.assertEqual(self.desk.document.plan.guests[mail].label, "post room")
        self.run_action(ActionName.UNDO)
        self.run_action(ActionName.UNDO)
        self.run_action(ActionName.NEW_GUEST)
        self.type_name("life rafts")
        self.assertEqual(self.desk.selection.item.label, "life rafts")
        self.desk.selection.select("mail")
        QTest.keyClick(self.grid, Qt.Key.Key_F2)
        self.settle()
        self.open_line().setText("post room")
        self.open_demo()
        self.assertEqual(self.desk.document.undo_stack.count(), 0)
        self.assertEqual([line for line in self.grid.viewport().findChildren(QLineEdit) if line.isVisible()], [])

    def open_line(self) -> QLineEdit:
        """Give the cell that is open."""
        (line,) = [line for line in self.grid.viewport().findChildren(QLineEdit) if line.isVisible()]
        return line

    def type_name(self, name: str, then: Qt.Key = Qt.Key.Key_Return) -> None:
        """Type a name into the cell that is open."""
        line = self.open_line()
        line.selectAll()
        QTest.keyClicks(line, name)
        QTest.keyClick(line, then)
        self.settle()

    def test_of_the_day(self) -> None:
        """Hours short, worst pace, mean and peak are those of the day as it is played."""
        QTest.mouseClick(self.list.period_buttons["day"], LEFT)
        self.settle()
        player = Player(site_of(self.desk.document.plan, self.desk.document.file.traces))
        player.run()
        summary = {guest.id: guest for guest in player.summary().guests}
        for guest in ("tide-model", "mail", "gate-cameras"):
            of = summary[guest]
            i = self.desk.look.plan.guest_index[guest]
            self.assertAlmostEqual(float(self.table.values("short")[i]), of.short_s / 3600)
            self.assertAlmostEqual(float(self.table.values("worst_pace")[i]), of.worst_pace)
            peak = float(player.recording.series("cpu_delivered")[i].max())
            self.assertAlmostEqual(float(self.table.values("cpu_peak")[i]), peak)
        # What elastic memory saves counts while its guest is on, as the day's summary has it.
        for one in savings_over(player).guests:
            saved = float(self.table.values("saved")[self.desk.look.plan.guest_index[one.guest]])
            self.assertAlmostEqual(saved, one.otherwise_mib - one.mean_mib, delta=1.0)

    def test_copied_and_saved(self) -> None:
        """The table as it is shown, with its heads, on the clipboard and in a file that others read."""
        self.list.line.setText("booking")
        self.list.copy()
        clipboard = self.application.clipboard()
        assert clipboard is not None
        cells = [line.split("\t") for line in clipboard.text().splitlines()]
        self.assertEqual(cells[0][:4], ["name", "pool", "host", "CPU wanted (GHz)"])
        self.assertEqual([row[0] for row in cells[1:]], [self.cell(guest, "name") for guest in self.shown()])
        path = self.folder / "guests.csv"
        self.list.save(path)
        with path.open(encoding="utf-8", newline="") as stream:
            self.assertEqual(list(csv.reader(stream)), list(csv.reader(io.StringIO(self.table.as_csv()))))
        self.list.save(self.folder / "nowhere" / "guests.csv")
        self.assertIn("was not written", self.window.notice.text)

    def test_columns_are_chosen_and_kept(self) -> None:
        """A column is left out or taken in, which the next start remembers; an empty plan says what to do."""
        self.list.show_column("balloon", shown=False)
        self.list.show_column("spilled", shown=True)
        keys = [column.key for column in self.table.columns]
        self.assertNotIn("balloon", keys)
        self.assertIn("spilled", keys)
        kept = self.list.arrangement()
        self.list.arrange({"left_out": 3, "order": [], "period": {}})
        self.list.arrange({"left_out": [], "period": "look"})
        self.list.arrange(kept)
        self.assertEqual(self.list.arrangement()["left_out"], kept["left_out"])
        self.run_action(ActionName.NEW)
        self.assertTrue(self.list.empty.isVisible())
