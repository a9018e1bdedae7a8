"""The Side by side view: what it compares, what it says, and that it says what the command does."""

from __future__ import annotations

import json
import time

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.views.beside import BesideView
from ruvex.plan import change_settings, plan_text
from tests.builders import cpu_guest, plan_of
from tests.cli.inside import run
from tests.desktop.base import LEFT, WindowCase

GUESTS = [cpu_guest("a", 5000, pool="p"), cpu_guest("b", 5000, pool="p"), cpu_guest("c", 2000)]


class Beside(WindowCase):
    """One window."""

    def setUp(self) -> None:
        """Find the view."""
        super().setUp()
        view = self.window.views["beside"]
        assert isinstance(view, BesideView)
        self.view = view

    def compared(self) -> list[tuple[str, str]]:
        """Show the view and wait for the comparison; gives change and guest, line by line."""
        self.window.show_view("beside")
        self.settle()
        until = time.monotonic() + 60
        while self.view.is_behind and time.monotonic() < until:
            self.settle()
        self.settle()
        return [(line.change, line.guest.guest) for line in self.view.rows.lines if line.guest is not None]

    def open_small(self) -> None:
        """Open three guests on ten cores."""
        self.show_plan(plan_of(GUESTS, [{"id": "p"}], day_s=3600, moment=0))

    def set_shares(self, guest: str, shares: int) -> None:
        """Make an edit."""
        self.desk.trial.change(guest, {"cpu.shares": shares}, f"{guest} shares {shares}")
        self.settle()

    def test_before_the_last_edit(self) -> None:
        """Who gets less, who gets more, with what was set; the same by command; who is as before is folded away."""
        self.open_small()
        self.set_shares("a", 300)
        lines = self.compared()
        document = json.loads(self._command())
        self.assertEqual(
            lines, [(one["change"], one["id"]) for one in document["guests"] if one["change"] != "as-before"]
        )
        self.assertIn(("gets-less", "b"), lines)
        self.assertEqual(self.view.since.text(), "set since: a CPU shares 300")
        self.assertEqual(self.view.chooser.currentText(), "before the last edit")
        self.view.rows.fold("as-before")
        self.assertEqual(len([line for line in self.view.rows.lines if line.guest is not None]), 3)

    def _command(self) -> str:
        now = self.folder / "now.ruvex.json"
        now.write_text(plan_text(self.desk.document.plan), encoding="utf-8")
        then = self.folder / "then.ruvex.json"
        then.write_text(plan_text(plan_of(GUESTS, [{"id": "p"}], day_s=3600, moment=0)), encoding="utf-8")
        return run("beside", str(then), str(now), "--json").stdout

    def test_what_an_event_did_is_not_called_set(self) -> None:
        """In a played look the plan is as an event left it; what was set since is the edit alone."""
        events = [{"at": 600, "do": "set", "target": "c", "change": {"cpu.shares": 700}}]
        self.show_plan(plan_of(GUESTS, [{"id": "p"}], day_s=3600, moment=1800, events=events))
        self.set_shares("a", 300)
        self.run_action(ActionName.SETTLED)
        until = time.monotonic() + 60
        while not self.desk.look.is_played and time.monotonic() < until:
            self.settle()
        self.compared()
        self.assertTrue(self.desk.look.is_played)
        shares = {guest.id: guest.cpu.shares for guest in self.desk.look.plan.guests}
        self.assertEqual((shares["a"], shares["c"]), (300, 700))
        self.assertEqual(self.view.since.text(), "set since: a CPU shares 300")

    def test_before_the_last_two_edits(self) -> None:
        """Typed as a number; the later of both edits alone is what one edit compares with."""
        self.open_small()
        self.set_shares("a", 300)
        self.set_shares("b", 250)
        self.compared()
        self.assertEqual(self.view.since.text(), "set since: b CPU shares 250")
        self.view.edits.clear()
        QTest.keyClicks(self.view.edits, "2")
        QTest.keyClick(self.view.edits, Qt.Key.Key_Return)
        self.compared()
        self.assertEqual(self.view.since.text(), "set since: a CPU shares 300; b CPU shares 250")

    def test_a_yardstick_that_is_kept(self) -> None:
        """Kept by the button; what is tried and done from then on is compared with it, also while a handle moves."""
        self.open_small()
        self.compared()
        QTest.mouseClick(self.view.keep_button, LEFT)
        self.compared()
        self.assertTrue(self.view.chooser.currentText().startswith("kept at 00:00"))
        self.assertIn("Nobody is newly short", self.view.short.text())
        self.desk.trial.try_settings("c", {"cpu.limit": 1000.0}, "c limit")
        lines = self.compared()
        self.assertEqual(lines[0], ("newly-short", "c"))
        self.assertIn("Newly short: c", self.view.short.text())
        self.desk.trial.give_up()
        self.compared()
        self.assertIn("Nobody is newly short", self.view.short.text())

    def test_saved_another_rule_and_another_file(self) -> None:
        """All that can be chosen is in the list; a file that cannot be read says why."""
        self.open_small()
        self.desk.document.save(self.folder / "small.ruvex.json")
        self.set_shares("a", 300)
        self.compared()
        names = [self.view.chooser.itemText(i) for i in range(self.view.chooser.count())]
        self.assertEqual(names[:2], ["as it was saved", "before the last edit"])
        self.assertIn("shares count per-size", names)
        self.view.chooser.setCurrentIndex(names.index("shares count per-size"))
        self.view.chooser.activated.emit(names.index("shares count per-size"))
        self.compared()
        self.assertIn("shares count per-guest", self.view.since.text())
        other = self.folder / "other.ruvex.json"
        other.write_text(plan_text(change_settings(self.desk.document.plan, "b", {"cpu.limit": 700})), encoding="utf-8")
        self.view.compare_with(other)
        self.assertIn(("gets-more", "b"), self.compared())
        told: list[str] = []
        self.view.told.connect(told.append)
        self.view.compare_with(self.folder / "nothing.ruvex.json")
        self.assertIn("nothing.ruvex.json", told[0])

    def test_the_whole_day_and_the_selected_guests_day(self) -> None:
        """Hours short to the left; the two plays of the chosen guest below, and a click there looks at that time."""
        self.open_small()
        self.set_shares("a", 300)
        self.compared()
        QTest.mouseClick(self.view.spans[1], LEFT)
        lines = self.compared()
        self.assertEqual(lines[0], ("gets-more", "a"))
        found = self.desk.yardstick.found
        assert found is not None and found.days is not None
        one = next(guest for guest in found.beside.guests if guest.guest == "a")
        assert one.day is not None
        self.assertEqual((one.day[0].short_s, one.day[1].short_s), (3600, 0))
        self.view.rows.setFocus()
        QTest.keyClick(self.view.rows, Qt.Key.Key_Down)
        self.assertEqual(self.desk.selection.current, "a")
        day = self.view.day
        QTest.mouseClick(day, LEFT, pos=QPoint(round(day.scale.x(1800)), day.height() // 2))
        self.assertEqual(self.desk.look.plan.moment, 1800)

    def test_parts_of_the_site_add_up(self) -> None:
        """Pools and guests at the top fill the column, then and now; a click chooses who stands there."""
        self.open_small()
        self.set_shares("a", 300)
        self.compared()
        spans = self.view.parts.spans
        self.assertAlmostEqual(spans["cpu", "c"][3], 1)
        self.assertEqual(spans["cpu", "a"][2], spans["cpu", "p"][2])
        self.assertAlmostEqual(spans["cpu", "b"][3] - spans["cpu", "b"][2], 0.125)
        x, _, wide = self.view.parts._columns(0)
        y = self.view.parts._y((spans["cpu", "b"][0] + spans["cpu", "b"][1]) / 2)
        QTest.mouseClick(self.view.parts, LEFT, pos=QPoint(round(x + wide / 2), round(y)))
        self.assertEqual(self.desk.selection.current, "b")

    def test_nothing_to_compare_with(self) -> None:
        """A new plan says what to do; so does one without guests."""
        self.window.show_view("beside")
        self.settle()
        self.assertTrue(self.view.empty.isVisible())
        self.desk.document.show_file(self.desk.document.file, None)
        self.open_small()
        self.compared()
        self.assertEqual(self.view.chooser.currentText(), "as it was saved")
