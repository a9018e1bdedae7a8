"""Hosts in the window: chips in the head band, the rows host by host, guests moved between hosts."""

from __future__ import annotations

import json
import re
import subprocess
import sys

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.panels.row_story import host_story, story_of
from ruvex.desktop.sheets.plan_page import PlanPage
from ruvex.desktop.state.figures import figure
from ruvex.divide import divide
from ruvex.plan import THIN_SPACE, Guest, find_item
from ruvex.play import Player, played_day
from ruvex.site import site_of
from ruvex.words import summary_facts
from tests.builders import HOST, cpu_guest, plan_of
from tests.desktop.base import LEFT, NONE, WindowCase

_COMMAND = "from ruvex.cli import main; main()"


class ByHost(WindowCase):
    """The demo plan on its three hosts at 08:10."""

    def setUp(self) -> None:
        """Open the demo and show it host by host."""
        super().setUp()
        self.open_demo()
        self.desk.look.set_moment(8 * 3600 + 600.0)
        QTest.keyClick(self.window, Qt.Key.Key_H)
        self.settle()

    def host_of(self, guest: str) -> str | None:
        """Give the host the plan has a guest on."""
        item = find_item(self.desk.document.plan, guest)
        assert isinstance(item, Guest)
        return item.host

    def carry(self, guest: str, to: QWidget, place: QPoint, *, drop: bool = True) -> None:
        """Drag a guest's name to a place of a widget, the way a hand does."""
        view = self.butterfly.viewport()
        self.desk.selection.select(guest)
        self.settle()
        start = QPoint(self.butterfly.columns.names[0] + 60, self.butterfly.row_rect(guest).center().y())
        QTest.mousePress(view, LEFT, NONE, start)
        end = to.mapToGlobal(place)
        for part in (0.3, 1.0):
            here = view.mapToGlobal(start) + (end - view.mapToGlobal(start)) * part
            event = QMouseEvent(
                QMouseEvent.Type.MouseMove, QPointF(view.mapFromGlobal(here)), QPointF(here), LEFT, LEFT, NONE
            )
            QApplication.sendEvent(view, event)
            self.settle()
        if drop:
            QTest.mouseRelease(view, LEFT, NONE, view.mapFromGlobal(end))
            self.settle()

    def test_a_move_in_the_played_look_is_weighed_as_it_settles(self) -> None:
        """Both figures of what it gets are settled ones, and the panel says so: else play would look like loss."""
        self.run_action(ActionName.SETTLED)
        for _ in range(400):
            self.settle()
            if self.desk.look.is_played:
                break
            QTest.qWait(5)
        chip = self.window.head.chips.chips["breakwater"]
        self.carry("gate-cameras", chip, chip.rect().center(), drop=False)
        weighed = self.butterfly.gestures.weighed
        assert weighed is not None
        lines = dict(weighed.lines)
        settled = divide(self.desk.document.site, demand=self.desk.look.demand)
        row = settled.position["gate-cameras"]
        old = figure(float(settled.memory.delivered[row]), self.desk.units.common("memory"))
        self.assertNotEqual(float(settled.memory.delivered[row]), float(self.desk.look.division.memory.delivered[row]))
        self.assertIn(f"memory {old} →", lines["gets"])
        self.assertIn("settle", lines["settled"])

    def test_every_guest_stands_once_below_its_own_host(self) -> None:
        """Bands are the hosts in plan order; the parts of a pool add up to the pool."""
        rows = self.butterfly.row_list.rows
        bands = [row.item_id for row in rows if row.kind == "host"]
        self.assertEqual(bands, ["skerry-1", "skerry-2", "breakwater"])
        division, band = self.desk.look.division, ""
        guests = []
        for row in rows:
            if row.kind == "host":
                band = row.item_id
            elif row.kind == "guest":
                guests.append(row.item_id)
                self.assertEqual(division.host_of(row.index), band, row.item_id)
        self.assertCountEqual(guests, [guest.id for guest in self.desk.look.plan.guests])
        for name in ("cpu", "memory"):
            for pool in self.desk.look.plan.pools:
                parts = [
                    self.butterfly.row_painter.bar(name, row)
                    for row in rows
                    if row.item_id == pool.id  # type: ignore[arg-type]
                ]
                whole = self.delivered(pool.id, name)
                banked = sum(
                    float(division.memory.given[i])
                    for i, guest in enumerate(self.desk.look.plan.guests)
                    if name == "memory" and guest.in_bank and pool.id in ("sailing", "terminals", guest.pool)
                )
                self.assertAlmostEqual(sum(bar.delivered for bar in parts), whole - banked, delta=1, msg=pool.id)

    def test_hosts_read_as_the_commands_have_them(self) -> None:
        """What band, chip and story say of a host is what ``ruvex divide --json`` prints of its places."""
        done = subprocess.run(
            [sys.executable, "-c", _COMMAND, "divide", str(self.path), "--at", "08:10", "--json"],
            capture_output=True, text=True, check=True,
        )  # fmt: skip
        document = json.loads(done.stdout)
        figures = self.desk.look.division.by_host
        for k, name in enumerate(("cpu", "memory")):
            places = {place["id"]: place for place in document[name]["places"]}
            for at, host in enumerate(self.desk.look.plan.hosts):
                place = places[host.id]
                for what in ("supply", "wanted", "delivered"):
                    self.assertAlmostEqual(float(getattr(figures, what)[k, at]), place[what], delta=1e-3)
                promised = self.desk.look.figures.promises.of_hosts
                self.assertAlmostEqual(float(promised[k, at]), place["promised"], delta=1e-3)
                part = self.window.head.chips.chips[host.id].parts[k]
                self.assertAlmostEqual(part, place["wanted"] / place["supply"], places=6)
        row = self.butterfly.row_list.rows[0]
        lacking = figure(float(self.desk.look.figures.lacks("cpu").by_host[0]), self.desk.units.common("cpu"))
        self.assertIn(f"its guests lack {lacking}", story_of(self.desk, row))
        self.assertIn("180", self.window.head.chips.chips["skerry-1"].accessibleName())

    def test_a_host_lacks_what_its_guests_lack(self) -> None:
        """Half idle, with a pool's limit that keeps 3 GHz back: 3 are lacking; and 2 are where 2 more are wanted."""
        for wants, limit, expected in ((5000, 2000, "its guests lack 3.00"), (12_000, None, "its guests lack 2.00"),
                                       (9000, None, "")):  # fmt: skip
            pools = [{"id": "p", "cpu": {"limit": limit}}]
            self.show_plan(plan_of([cpu_guest("a", wants, vcpus=20, pool="p")], pools))
            found = next(line for line in host_story(self.desk, 0).splitlines() if line.startswith("CPU"))
            self.assertEqual("lack" in found, bool(expected), found)
            self.assertIn(expected, found)

    def test_a_full_bank_shows_in_chip_strip_story_and_summary(self) -> None:
        """Two guests of 1 000 MiB want 4 000 from 08:20 on in a bank of 5 000, on a host that has all else free."""
        step = {"kind": "steps", "at": [[0, 1000], [30_000, 4000]]}
        guests = [
            {"id": i, "host": "h", "memory": {"mode": "thin", "size": 6000, "bank": True},
             "demand": {"cpu": 100, "working": step, "touched": 1000}}
            for i in ("a", "b")
        ]  # fmt: skip
        bank = {"size_mib": 5000, "max_mib": 9000, "spill_volumes": [{"id": i, "mib": 6000} for i in "vw"]}
        for size, moment, part, is_full in ((5000, 40_000, "160", True), (8000, 40_000, "100", False),
                                            (5000, 20_000, "40", False)):  # fmt: skip
            with self.subTest(size=size, moment=moment):
                host = HOST | {"id": "h", "memory_mib": 64_000, "bank": bank | {"size_mib": size}}
                plan = plan_of(guests, host=None, hosts=[host], day_s=86_400, moment=moment)
                self.show_plan(plan)
                chip, strip = self.window.head.chips.chips["h"], self.window.head.strip
                self.assertIn(f"its bank {part}{THIN_SPACE}%", chip.accessibleName())
                self.assertEqual("short of 2.93" in host_story(self.desk, 0), is_full)
                told = "Guests of a bank want more than it has for 15.7 h: 08:20 to 24:00"
                for words in (strip.accessibleDescription(), strip.toolTip()):
                    self.assertEqual(told in words, size == 5000)
                day = Player(site_of(plan, {}))
                day.run()
                self.assertEqual(bool(played_day(day).is_bank_full[110]), size == 5000)
                (line,) = [line for line in summary_facts(day.summary(), plan) if line.startswith("Bank")]
                self.assertEqual(bool(re.search(r"too small for a \d+h\d\d, b", line)), size == 5000, line)

    def test_a_chip_selects_its_host(self) -> None:
        """A click on a chip selects the host: dials, settings and rows follow."""
        QTest.mouseClick(self.window.head.chips.chips["breakwater"], LEFT)
        self.settle()
        self.assertEqual(self.desk.selection.place, "breakwater")
        self.assertEqual(self.dials._name.text(), "breakwater")
        number = self.butterfly.current_number()
        assert number is not None
        self.assertTrue(self.butterfly.viewport().rect().intersects(self.butterfly.place_of(number)))
        self.run_action(ActionName.SETTINGS)
        self.assertEqual(self.window.pages.get(PlanPage).hosts.currentText(), "breakwater")
        self.butterfly.setFocus()
        QTest.keyClick(self.butterfly.reader, Qt.Key.Key_Left)
        self.settle()
        self.assertTrue(self.butterfly.row_list.rows[number].is_folded)

    def test_keys_go_through_every_row(self) -> None:
        """Down goes on row by row, past pools that show on several hosts."""
        self.desk.selection.select("skerry-1")
        self.butterfly.setFocus()
        seen = [self.butterfly.current_number()]
        for _ in self.butterfly.row_list.rows[1:]:
            QTest.keyClick(self.butterfly.reader, Qt.Key.Key_Down)
            seen.append(self.butterfly.current_number())
        self.assertEqual(seen, list(range(len(self.butterfly.row_list.rows))))

    def test_a_guest_is_dropped_on_a_band(self) -> None:
        """While it hangs there it is told who pays; dropped it moves, as the division without a window has it."""
        before = self.delivered("tide-gauges")
        self.desk.selection.select("tide-gauges")
        self.butterfly.fold("skerry-1", folded=True)
        self.butterfly.bar.setValue(0)
        band = self.butterfly.row_rect("skerry-1")
        self.carry("tide-gauges", self.butterfly.viewport(), band.center(), drop=False)
        weighed = self.butterfly.gestures.weighed
        assert weighed is not None
        lines = dict(weighed.lines)
        self.assertIn("→", lines["gets"])
        self.assertRegex(lines["who pays"], "−")
        self.assertEqual(lines["or"], "breakwater would take it too")
        QTest.mouseRelease(self.butterfly.viewport(), LEFT, NONE, band.center())
        self.settle()
        self.assertEqual(self.host_of("tide-gauges"), "skerry-1")
        self.assertNotEqual(self.delivered("tide-gauges"), before)
        file = self.desk.document.file
        alone = divide(site_of(self.desk.document.plan, file.traces), 8 * 3600 + 600.0)
        self.assertEqual(self.delivered("tide-gauges"), float(alone.cpu.delivered[alone.position["tide-gauges"]]))
        self.run_action(ActionName.UNDO)
        self.assertEqual(self.host_of("tide-gauges"), "skerry-2")

    def test_a_guest_is_dropped_on_a_chip(self) -> None:
        """A chip takes guests; it shows that they would land there."""
        chip = self.window.head.chips.chips["breakwater"]
        self.carry("crew-roster", chip, QPoint(20, 20))
        self.assertEqual(self.host_of("crew-roster"), "breakwater")
        self.assertFalse(chip._is_target)

    def test_who_may_not_go_hears_why(self) -> None:
        """Programs of the tide model need a newer processor, a bank holds its guests; nothing is moved."""
        chip = self.window.head.chips.chips["breakwater"]
        for guest, told in (
            ("tide-model", "of a lower level than the programs of tide-model see"),
            ("deck-kiosk-1", "lives in a bank"),
        ):
            self.carry(guest, chip, QPoint(20, 20), drop=False)
            weighed = self.butterfly.gestures.weighed
            assert weighed is not None
            self.assertIsNone(weighed.after)
            self.assertIn(told, dict(weighed.lines)["cannot go there"])
            host = self.host_of(guest)
            point = self.butterfly.viewport().mapFromGlobal(chip.mapToGlobal(QPoint(20, 20)))
            QTest.mouseRelease(self.butterfly.viewport(), LEFT, NONE, point)
            self.settle()
            self.assertEqual(self.host_of(guest), host)
            self.assertIn(told, self.window.notice.text)
        self.assertEqual(self.desk.document.undo_stack.count(), 0)

    def test_the_name_of_a_pool_stays_in_sight(self) -> None:
        """While its members scroll, the pool is kept at the top; a click there is on it; the next pushes it away."""
        butterfly = self.butterfly
        butterfly.set_by_host(by_host=False)
        number = butterfly.row_list.number_of("booking")
        assert number is not None
        butterfly.bar.setValue(butterfly.row_list.tops[number] + 60)
        self.settle()
        self.assertEqual(butterfly.kept_in_sight(), number)
        self.assertEqual(butterfly.kept_place(number).top(), 0)
        point = QPoint(butterfly.columns.names[1] - 20, 8)
        QTest.mouseClick(butterfly.viewport(), LEFT, NONE, point)
        self.settle()
        self.assertEqual(self.desk.selection.current, "booking")
        after = butterfly.row_list.number_of("science")
        assert after is not None
        butterfly.bar.setValue(butterfly.row_list.tops[after] - 10)
        self.assertEqual(butterfly.kept_in_sight(), None if butterfly.row_list.rows[after].depth == 0 else number)
        butterfly.bar.setValue(0)
        self.assertIsNone(butterfly.kept_in_sight())

    def test_escape_lets_go(self) -> None:
        """Esc while a name hangs over a host leaves all as it was."""
        self.carry("crew-roster", self.window.head.chips.chips["breakwater"], QPoint(20, 20), drop=False)
        QTest.keyClick(self.butterfly.reader, Qt.Key.Key_Escape)
        QTest.mouseRelease(self.butterfly.viewport(), LEFT, NONE, QPoint(5, 5))
        self.settle()
        self.assertEqual(self.host_of("crew-roster"), "skerry-1")

    def test_all_guests_of_a_host_are_moved_by_key(self) -> None:
        """M on a host offers the others; a refusal by promises names what is short."""
        self.desk.selection.select("breakwater")
        self.butterfly.setFocus()
        QTest.keyClick(self.butterfly.reader, Qt.Key.Key_M)
        self.settle()
        box = self.window.command_box
        self.assertEqual([entry.label for entry in box._shown], ["skerry-1", "skerry-2"])
        QTest.keyClick(box.line, Qt.Key.Key_Return)
        self.settle()
        refused = self.desk.trial.refused
        here = [guest for guest in self.desk.document.plan.guests if guest.host == "breakwater"]
        assert refused is not None or not here
        if refused is not None:
            self.assertEqual(len(here), 12)
