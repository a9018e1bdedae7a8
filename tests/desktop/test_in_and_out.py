"""Bringing in and giving out, by key and mouse."""

from __future__ import annotations

import io
import tarfile
from pathlib import Path

from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.chooser import Chooser
from ruvex.exchange import read_ovf, write_ovf
from ruvex.plan import Plan, read_plan
from tests.desktop.base import LEFT, NONE, WindowCase
from tests.exchange.test_ovf import FOREIGN


def month() -> str:
    """Write 30 days of four guests, a sample a quarter of an hour; every fifth day is half as high again."""
    lines = []
    for metric, scale in (("cpu_used_cores", 2.0), ("ram_used_bytes", 2.0 * 2**30)):
        lines.append(f"# TYPE {metric} gauge")
        for number in range(4):
            for quarter in range(30 * 96):
                day, hour = divmod(quarter, 96)
                if number == 2 and 12 <= hour < 16:
                    continue
                value = scale * (1 + number / 2) * (1.5 if day % 5 == 4 else 1.0) * (1.0 if 24 <= hour < 80 else 0.25)
                lines.append(f'{metric}{{vm="craft-{number}",zone="a"}} {value:.6g} {1_790_035_200 + 900 * quarter}')
    return "\n".join([*lines, "# EOF", ""])


class InAndOut(WindowCase):
    """What comes in from elsewhere and what goes out."""

    def press(self, name: ActionName) -> None:
        """Press an action's key, and wait for what it began."""
        keys = {"Ctrl+I": (Qt.Key.Key_I, Qt.KeyboardModifier.ControlModifier)}
        shifted = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier
        keys |= {"Ctrl+Shift+I": (Qt.Key.Key_I, shifted), "Ctrl+Shift+G": (Qt.Key.Key_G, shifted)}
        key, modifiers = keys[name.value.keys[0]]
        QTest.keyClick(self.window, key, modifiers)
        self.settle()

    def drop(self, path: Path) -> None:
        """Drop a file on the window."""
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(path))])
        event = QDropEvent(QPointF(400, 300), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, NONE)
        self.window.dropEvent(event)
        self.settle()

    def test_an_ova_is_dropped_on_the_demo(self) -> None:
        """It is added to what is open, without a question about what is not saved; what it left out is told."""
        self.open_demo()
        before = self.desk.document.plan
        self.desk.document.undo_stack.resetClean()
        path = self.folder / "site.ova"
        with tarfile.open(path, "w") as tar:
            member = tarfile.TarInfo("site.ovf")
            member.size = len(FOREIGN)
            tar.addfile(member, io.BytesIO(FOREIGN))
        self.drop(path)
        plan = self.desk.document.plan
        there = read_ovf(FOREIGN, "site.ovf", before)
        self.assertTrue(there.guests)
        self.assertEqual([g.name for g in plan.guests[len(before.guests) :]], [g.name for g in there.guests])
        told = self.window.notice.text
        self.assertIn(f"site.ova: {there.counted} came in.", told)
        self.assertIn("NetworkSection", told)
        self.assertEqual(self.desk.document.undo_stack.count(), 1)
        self.desk.document.undo()
        self.assertEqual(self.desk.document.plan, before)

    def test_out_and_into_an_empty_plan(self) -> None:
        """Given out by key, the demo comes back into a new plan with the same names and settings."""
        self.open_demo()
        path = self.folder / "out.ovf"
        self.window.exchanging.ask_give = lambda _window, _suggestion: ("ovf", path)
        self.press(ActionName.GIVE)
        guests = self.desk.document.plan.guests
        self.assertIn(f"out.ovf has {len(guests)} guests", self.window.notice.text)
        self.assertEqual(path.read_bytes(), write_ovf(self.desk.document.plan))
        table = self.folder / "guests.csv"
        self.window.exchanging.ask_give = lambda _window, _suggestion: ("csv", table)
        self.press(ActionName.GIVE)
        self.assertEqual(len(table.read_text(encoding="utf-8").splitlines()), len(guests) + 1)
        self.window.exchanging.ask_give = lambda _window, _suggestion: ("csv", self.folder / "tables")
        self.press(ActionName.GIVE)
        site, traces = self.desk.document.plan, dict(self.desk.document.site.traces)
        self.window.files.new()
        self.settle()
        self.drop(self.folder / "tables")
        back = self.desk.document.plan
        self.assertEqual(
            (back.hosts, back.pools, back.guests, back.placement, back.events),
            (site.hosts, site.pools, site.guests, site.placement, site.events),
        )
        self.assertEqual(dict(self.desk.document.site.traces), traces)
        self.desk.document.undo_stack.setClean()
        self.window.files.new()
        self.settle()
        self.window.exchanging.ask_bring = lambda _window, _folder: path
        self.press(ActionName.BRING)
        found = {guest.name: guest.vcpus for guest in self.desk.document.plan.guests}
        self.assertEqual(found, {guest.label: guest.vcpus for guest in guests})
        self.assertIn(f"out.ovf: {len(guests)} guests", self.window.notice.text)
        self.assertTrue(self.desk.document.is_dirty)
        self.assertTrue(all(guest.is_powered for guest in self.desk.document.plan.guests))

    def test_what_is_no_envelope(self) -> None:
        """It is told in words, and nothing changes; the same where no folder of groups is."""
        self.open_demo()
        before = self.desk.document.plan
        path = self.folder / "x.ovf"
        path.write_text("<!DOCTYPE x [<!ENTITY a 'b'>]><Envelope/>", encoding="ascii")
        self.drop(path)
        self.assertIn("x.ovf was not brought in.\nx.ovf has a document type", self.window.notice.text)
        self.drop(self.folder)
        self.assertIn("has no control groups of version 2", self.window.notice.text)
        self.assertIs(self.desk.document.plan, before)

    def test_this_machine(self) -> None:
        """Its groups come into an empty plan, the machine as host, all of it running and divided."""
        root = self.folder / "groups"
        unit = root / "quay.slice" / "mail.service"
        unit.mkdir(parents=True)
        (root / "cgroup.controllers").write_text("cpu memory\n", encoding="ascii")
        for folder in (unit.parent, unit):
            (folder / "cgroup.events").write_text("populated 1\n", encoding="ascii")
            (folder / "cpu.stat").write_text("usage_usec 5\n", encoding="ascii")
        (unit / "memory.max").write_text(f"{300 * 2**20}\n", encoding="ascii")
        (unit / "cpu.weight").write_text("240\n", encoding="ascii")
        self.window.exchanging.groups = root
        self.press(ActionName.BRING_HERE)
        plan = self.desk.document.plan
        self.assertEqual(
            ([host.id for host in plan.hosts], [pool.name for pool in plan.pools]), (["this-host"], ["quay"])
        )
        guest = plan.guests[0]
        self.assertEqual((guest.name, guest.memory.size, guest.cpu.shares, guest.is_powered), ("mail", 300, 240, True))
        self.assertIn(guest.id, self.desk.look.division.ids)

    def pick(self, chooser: Chooser, text: str) -> None:
        """Go to a value of a choice with Home and Down."""
        chooser.setFocus()
        QTest.keyClick(chooser, Qt.Key.Key_Home)
        for _ in range(chooser.findText(text)):
            QTest.keyClick(chooser, Qt.Key.Key_Down)
        self.settle()
        self.assertEqual(chooser.currentText(), text)

    def test_a_month_of_openmetrics(self) -> None:
        """Dropped on an empty window, CPU and memory of a month become guests that follow a typical day of it."""
        path = self.folder / "month.om"
        path.write_text(month(), encoding="utf-8")
        self.drop(path)
        page = self.window.exchanging.load_page
        self.assertTrue(self.window.sheet.shows(page))
        self.assertEqual(
            [chooser.currentText() for chooser in (page.what, page.label, page.fill, page.unit, page.percentile)],
            ["cpu_used_cores", "vm", "CPU demand", "cores", "the median of the days"],
        )
        self.pick(page.zone, "UTC")
        self.assertEqual(sorted(page.guests), [f"craft-{i}" for i in range(4)])
        self.assertEqual(page.guests["craft-3"].currentText(), "a new guest")
        self.assertIn("craft-2: nothing was measured on any day from 03:00 to 04:00", page.told.text())
        self.pick(page.guests["craft-3"], "nobody")
        self.assertEqual(page.take_button.text(), "Take it for 3 guests")
        self.assertEqual(self.desk.document.plan.guests, ())
        QTest.mouseClick(page.take_button, LEFT)
        self.settle()
        self.assertEqual((page.what.currentText(), page.fill.currentText()), ("ram_used_bytes", "working set"))
        self.assertEqual(page.guests["craft-1"].currentText(), "craft-1")
        self.assertEqual(page.guests["craft-3"].currentText(), "nobody")
        self.pick(page.percentile, "the highest of the days")
        QTest.mouseClick(page.take_button, LEFT)
        self.settle()
        self.assertFalse(self.window.sheet.isVisible())
        plan, site = self.desk.document.plan, self.desk.document.site
        self.assertEqual([(g.name, g.vcpus) for g in plan.guests], [("craft-0", 2), ("craft-1", 3), ("craft-2", 4)])
        # The median does not see that every fifth day is half as high again; the highest does.
        noon = site.signals.at([12 * 3600.0 + 450])[0]
        self.assertEqual(noon[0].tolist(), [5200.0, 7800.0, 10400.0])
        self.assertEqual(noon[1].round().tolist(), [3072.0, 4608.0, 6144.0])
        # Its settings show the curve before it has been written to any file.
        self.desk.selection.select(plan.guests[0].id)
        self.run_action(ActionName.SETTINGS)
        self.assertEqual(self.errors, [])
        self.run_action(ActionName.SETTINGS)
        saved = self.folder / "month.ruvex.json"
        self.window.ask_save = lambda _window, _suggestion: saved
        self.run_action(ActionName.SAVE_AS)
        self.assertEqual(sorted(read_plan(saved).traces), sorted(site.traces))
        self.desk.document.undo()
        self.desk.document.undo()
        self.assertEqual(self.desk.document.plan.guests, ())

    def test_load_that_cannot_be_read(self) -> None:
        """It is told by its line, and nothing changes; a table of numbers over time goes the same way."""
        self.open_demo()
        before = self.desk.document.plan
        path = self.folder / "x.om"
        path.write_text("# TYPE a gauge\na{b=} 1 5\n# EOF\n", encoding="utf-8")
        self.drop(path)
        self.assertIn("x.om was not brought in.\nx.om line 2", self.window.notice.text)
        path = self.folder / "x.csv"
        path.write_text("time;mail (GHz);nobody\n08:00;1,5;2\n09:00;2,5;3\n", encoding="utf-8")
        self.drop(path)
        page = self.window.exchanging.load_page
        self.assertEqual([page.guests[name].currentText() for name in ("nobody", "mail")], ["nobody", "mail"])
        self.assertIn("1 row is nobody's and left out.", page.told.text())
        QTest.mouseClick(page.leave_button, LEFT)
        self.settle()
        self.assertIs(self.desk.document.plan, before)

    def test_units_of_systemd(self) -> None:
        """A new folder is written; into one that is not empty nothing is."""
        self.open_demo()
        out = self.folder / "units"
        self.window.exchanging.ask_give = lambda _window, _suggestion: ("systemd", out)
        self.press(ActionName.GIVE)
        self.assertIn("README.txt in each folder", self.window.notice.text)
        hosts = read_plan(self.path).plan.hosts
        self.assertEqual(len([one for one in out.iterdir() if (one / "README.txt").is_file()]), len(hosts))
        self.press(ActionName.GIVE)
        self.assertIn("Nothing was written.", self.window.notice.text)
        self.window.files.new()
        self.settle()
        self.assertEqual(self.desk.document.plan.guests, Plan().guests)
        out = self.folder / "none"
        self.press(ActionName.GIVE)
        self.assertIn("the plan has no host", self.window.notice.text)
        self.assertFalse(out.exists())
