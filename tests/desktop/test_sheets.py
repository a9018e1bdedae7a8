"""The side sheets: full settings, curves, rules with before and after, splitting, hosts."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.sheets.emptying_page import EmptyingPage
from ruvex.desktop.sheets.form import Form
from ruvex.desktop.sheets.guest_page import GuestPage, PoolPage
from ruvex.desktop.sheets.item_page import ItemPage
from ruvex.desktop.sheets.keys_page import grouped_actions
from ruvex.desktop.sheets.plan_page import PlanPage
from ruvex.desktop.sheets.rules_page import RulesPage
from ruvex.desktop.sheets.split_page import SplitPage
from ruvex.desktop.sheets.why_page import WhyPage
from ruvex.plan import Daily, ElasticMemory, Guest, Steps, ThinMemory, find_item, plan_text, read_plan
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
from tests.desktop.base import LEFT, NONE, WindowCase


class SheetCase(WindowCase):
    """The demo with a sheet open."""

    def setUp(self) -> None:
        """Open the demo at eight."""
        super().setUp()
        self.open_demo()
        self.desk.look.set_moment(29_400.0)

    def open_page(self, name: ActionName) -> ItemPage:
        """Open a page."""
        self.run_action(name)
        page = self.window.sheet.page
        assert isinstance(page, ItemPage)
        return page

    def form_of(self, page: ItemPage, key: str) -> Form:
        """Give the form on show that has a setting."""
        return next(form for form in page.forms if form.has(key) and form.isVisible())

    def enter(self, page: ItemPage, key: str, text: str) -> None:
        """Type a setting."""
        self.type_into(self.form_of(page, key).fields[key], text)

    def choose(self, chooser: QComboBox, value: object) -> None:
        """Choose a value as a click does."""
        chooser.setCurrentIndex(chooser.findData(value))
        chooser.activated.emit(chooser.currentIndex())
        self.settle()

    def guest(self, item_id: str) -> Guest:
        """Give a guest as it is."""
        item = find_item(self.desk.look.plan, item_id)
        assert isinstance(item, Guest)
        return item


class GuestSheet(SheetCase):
    """All settings of a guest."""

    def test_settings_follow_the_selection_and_are_edits(self) -> None:
        """Typed, chosen and ticked settings are undo entries; a value that cannot be stays where it was typed."""
        self.desk.selection.select("mail")
        page = self.open_page(ActionName.SETTINGS)
        self.assertIsInstance(page, GuestPage)
        self.enter(page, "vcpus", "6")
        self.enter(page, "tags", "core; mail")
        self.assertEqual((self.guest("mail").vcpus, self.guest("mail").tags), (6, ("core", "mail")))
        self.choose(self.form_of(page, "pool").choosers["pool"], "booking")
        self.assertEqual(self.guest("mail").pool, "booking")
        QTest.mouseClick(self.form_of(page, "agent").boxes["agent"], LEFT, NONE, QPoint(8, 8))
        self.settle()
        self.assertFalse(self.guest("mail").agent)
        self.assertEqual(
            self.desk.document.undo_stack.undoText(), "mail: agent installed: it can balloon and grow → no"
        )
        field = self.form_of(page, "memory.size").fields["memory.size"]
        self.type_into(field, "4 parsecs")
        self.assertTrue(field.is_refused)
        self.assertEqual(field.line.text(), "4 parsecs")
        self.assertIn("no memory unit", self.dials.effect.text)
        # The 4 alone had been tried as 4 GiB: that goes, so that its day does not come later and hide the refusal.
        self.assertIsNone(self.desk.trial.step)
        self.desk.selection.select("booking")
        self.settle()
        self.assertIsInstance(self.window.sheet.page, PoolPage)
        self.assertEqual(self.window.sheet._title.text(), "Booking")

    def test_settings_follow_the_selection_while_something_is_tried(self) -> None:
        """No field shows one guest and is entered for another."""
        self.desk.selection.select("mail")
        page = self.open_page(ActionName.SETTINGS)
        self.desk.trial.try_settings("mail", {"cpu.shares": 4100}, "tried")
        self.desk.selection.select("files")
        self.settle()
        field = self.form_of(page, "vcpus").fields["vcpus"]
        self.assertEqual(field.line.text(), str(self.guest("files").vcpus))
        self.assertNotEqual(self.guest("files").vcpus, self.guest("mail").vcpus)

    def test_several_at_once(self) -> None:
        """What is entered for one of several selected guests is set for all of them, but for the name."""
        self.desk.selection.select_many(["mail", "files", "office"], "mail")
        page = self.open_page(ActionName.SETTINGS)
        self.enter(page, "vcpus", "3")
        self.enter(page, "name", "post")
        self.assertEqual([self.guest(g).vcpus for g in ("mail", "files")], [3, 3])
        self.assertEqual([self.guest(g).label for g in ("mail", "files")], ["post", "files"])
        self.assertEqual(self.desk.document.undo_stack.text(0), "2 selected: vCPUs → 3")
        chooser = self.form_of(page, "hot_add").choosers["hot_add"]
        chooser.setCurrentIndex(2)
        chooser.activated.emit(2)
        self.settle()
        self.assertEqual(self.guest("files").hot_add, ("vcpus",))

    def test_how_it_runs_on_cores(self) -> None:
        """Cores are typed as ranges and refused where the host has none; bursts and turns are set, and kept."""
        self.desk.selection.select("mail")
        page = self.open_page(ActionName.SETTINGS)
        self.enter(page, "cores.only", "0-2, 5")
        self.enter(page, "demand.burst.ms", "20 ms")
        self.assertEqual(self.guest("mail").cores.only, (0, 1, 2, 5))
        self.assertEqual(self.guest("mail").demand.burst.ms, 20)
        field = self.form_of(page, "cores.only").fields["cores.only"]
        self.assertEqual(field.line.text(), "0-2, 5")
        self.type_into(field, "3, 900")
        self.assertTrue(field.is_refused)
        self.assertIn("breakwater has no core 900", self.dials.effect.text)
        self.type_into(field, "all")
        self.assertIsNone(self.guest("mail").cores.only)
        rules = self.open_page(ActionName.RULES)
        self.choose(self.form_of(rules, "turns.fellows").choosers["turns.fellows"], "together")
        self.enter(rules, "turns.turn_ms", "30")
        turns = self.desk.document.plan.rules.turns
        self.assertEqual((turns.fellows, turns.turn_ms), ("together", 30))
        self.assertTrue(self.window.files.save())
        self.assertEqual(read_plan(self.path).plan.rules.turns, turns)

    def test_memory_mode(self) -> None:
        """Another mode keeps what both have, and offers its own settings."""
        self.desk.selection.select("berth-planner")
        page = self.open_page(ActionName.SETTINGS)
        assert isinstance(page, GuestPage)
        self.choose(page.mode_form.choosers["memory.mode"], "elastic")
        memory = self.guest("berth-planner").memory
        assert isinstance(memory, ElasticMemory)
        self.assertEqual((memory.boot, memory.floor, memory.ceiling), (17_408, 7680, 17_408))
        self.assertIn("have to be off for another memory mode", self.dials.effect.text)
        self.enter(page, "memory.ceiling", "20 GiB")
        self.choose(page.mode_form.choosers["memory.mode"], "thin")
        memory = self.guest("berth-planner").memory
        assert isinstance(memory, ThinMemory)
        self.assertEqual((memory.size, memory.reservation), (20_480, 7680))

    def test_a_promise_is_tested_here_too(self) -> None:
        """A refused reservation opens the refusal, the value stays marked until it is answered."""
        self.desk.selection.select("ticket-db")
        page = self.open_page(ActionName.SETTINGS)
        field = self.form_of(page, "memory.reservation").fields["memory.reservation"]
        self.desk.trial.change("rules", {"set_aside_percent.memory": 57}, "aside")
        self.type_into(field, "52 GiB")
        self.assertIn("short of memory promises", self.window.refusal.text)
        self.assertTrue(field.is_refused)
        QTest.mouseClick(self.window.refusal.close_button, LEFT)
        self.settle()
        self.assertEqual(field.line.text(), "23.0\u202fGiB")

    def test_curves_are_shaped(self) -> None:
        """Another form, a dragged peak with live effect, typed figures, a step added and taken away."""
        self.desk.selection.select("crew-roster")
        page = self.open_page(ActionName.SETTINGS)
        assert isinstance(page, GuestPage)
        field = page.signals["demand.cpu"]
        curve = field.curve
        start = curve.points()[0].toPoint()
        QTest.mousePress(curve, LEFT, NONE, start)
        QTest.mouseMove(curve, start + QPoint(40, 10))
        self.settle()
        self.assertIsNotNone(self.desk.look.before)
        QTest.mouseRelease(curve, LEFT, NONE, start + QPoint(40, 10))
        self.settle()
        signal = self.guest("crew-roster").demand.cpu
        assert isinstance(signal, Daily)
        self.assertGreater(signal.peak_at, 7.5 * 3600)
        self.assertLess(signal.high, 2600)
        self.type_into(field.figures["daily"].fields["peak_at"], "09:30")
        signal = self.guest("crew-roster").demand.cpu
        assert isinstance(signal, Daily)
        self.assertEqual(signal.peak_at, 34_200)
        self.choose(field.chooser, "steps")
        steps = self.guest("crew-roster").demand.cpu
        assert isinstance(steps, Steps)
        before = len(steps.at)
        QTest.mouseDClick(curve, LEFT, NONE, QPoint(curve.width() - 20, 10))
        self.settle()
        steps = self.guest("crew-roster").demand.cpu
        assert isinstance(steps, Steps)
        self.assertEqual(len(steps.at), before + 1)
        curve.setFocus()
        QTest.mouseClick(curve, LEFT, NONE, curve.points()[-1].toPoint())
        QTest.keyClick(curve, Qt.Key.Key_Delete)
        self.settle()
        steps = self.guest("crew-roster").demand.cpu
        assert isinstance(steps, Steps)
        self.assertEqual(len(steps.at), before)
        for form in ("number", "bursts"):
            self.choose(field.chooser, form)
            self.assertEqual(getattr(self.guest("crew-roster").demand.cpu, "kind", "number"), form)


class Rules(SheetCase):
    """Rules of this site."""

    def test_how_many_are_short_counts_guests(self) -> None:
        """Of a plan whose pool lies on two hosts the page, Why and the ledger say one number, and one amount.

        Pools counted as guests: 101 GHz were lacking where 44.3 are.
        """
        hosts = [HOST | {"id": "h0"}, HOST | {"id": "h1"}]
        guests = [cpu_guest(f"g{i}", 6000, vcpus=8, pool="p") | {"host": f"h{i % 2}"} for i in range(4)]
        self.show_plan(
            plan_of([*guests, cpu_guest("idle", 10) | {"host": "h0"}], [{"id": "p"}], host=None, hosts=hosts)
        )
        page = self.open_page(ActionName.RULES)
        assert isinstance(page, RulesPage)
        figures = {name: then for name, then, _ in page.before_after.lines}
        self.assertEqual(figures["guests short of CPU"], "4")
        self.assertEqual(figures["CPU lacking"], "4.01\u202fGHz")
        self.assertEqual(self.desk.look.figures.how_many_short("cpu"), 4)
        self.desk.selection.select(None)
        self.run_action(ActionName.WHY)
        why = self.window.pages[ActionName.WHY]
        assert isinstance(why, WhyPage)
        self.assertIn("4 guests lack something", why._hint.text())

    def test_a_page_that_opens_while_another_is_put_away_lives_on(self) -> None:
        """What a field does as it loses the keyboard opens a page: the one asked for shows, the other can be opened."""
        page = self.open_page(ActionName.RULES)
        field = self.form_of(page, "pace_cost.squeezed").fields["pace_cost.squeezed"]
        field.line.setFocus()
        opened: list[PlanPage] = []
        field.line.editingFinished.connect(lambda: opened.append(self.window.pages.open(PlanPage)))
        why = self.window.pages.open(WhyPage)
        self.assertEqual(len(opened), 1)
        self.assertTrue(self.window.sheet.shows(why))
        self.settle()
        plan = self.window.pages.open(PlanPage)
        self.assertIs(plan, opened[0])
        self.assertTrue(plan.isVisible())
        self.assertFalse(why.isVisible())

    def test_another_plan_drops_the_day_that_was_compared(self) -> None:
        """While a rule is typed the strip has two days; a plan that is opened then has one, and is drawn."""
        page = self.open_page(ActionName.RULES)
        field = self.form_of(page, "pace_cost.squeezed").fields["pace_cost.squeezed"]
        field.line.setFocus()
        field.line.selectAll()
        QTest.keyClicks(field.line, "0.5")
        self.desk.look._on_day_due()
        self.settle()
        self.assertIsNotNone(self.desk.look.day_before)
        path = self.folder / "other.ruvex.json"
        path.write_text(plan_text(plan_of([cpu_guest("solo", 900)])), encoding="utf-8")
        self.assertTrue(self.window.open_path(path))
        self.assertIsNone(self.desk.look.day_before)
        self.window.grab()
        self.settle()

    def test_before_and_after_are_live(self) -> None:
        """While a rule is typed the figures of the whole plan move; Esc takes it back, Enter makes it."""
        page = self.open_page(ActionName.RULES)
        assert isinstance(page, RulesPage)
        pace = page.before_after.lines[-1]
        self.assertEqual((pace[0], pace[1]), ("slowest pace", pace[2]))
        field = self.form_of(page, "pace_cost.squeezed").fields["pace_cost.squeezed"]
        field.line.setFocus()
        field.line.selectAll()
        QTest.keyClicks(field.line, "0.5")
        self.settle()
        before, after = page.before_after.lines[-1][1:]
        self.assertGreater(float(after), float(before))
        QTest.keyClick(field.line, Qt.Key.Key_Escape)
        self.settle()
        self.assertEqual(self.desk.look.plan.rules.pace_cost.squeezed, 1.5)
        self.type_into(field, "0.5")
        self.assertEqual(self.desk.look.plan.rules.pace_cost.squeezed, 0.5)
        self.assertEqual(page.before_after.lines[-1][1:], (before, after))
        self.run_action(ActionName.UNDO)
        self.assertEqual(field.line.text(), "1.5")

    def test_rules_are_chosen_and_page_sharing_is_typed(self) -> None:
        """Every kind of rule; what cannot be read says how it is written."""
        page = self.open_page(ActionName.RULES)
        self.choose(self.form_of(page, "reservation_rule").choosers["reservation_rule"], "on-top")
        self.assertEqual(self.desk.look.plan.rules.reservation_rule, "on-top")
        self.enter(page, "page_sharing", "web 900, db 400")
        self.assertEqual(self.desk.look.plan.rules.page_sharing, {"web": 900, "db": 400})
        self.enter(page, "page_sharing", "web plenty")
        self.assertIn("write it such as: web 900", self.dials.effect.text)
        self.assertEqual(self.desk.look.plan.rules.page_sharing, {"web": 900, "db": 400})
        self.enter(page, "set_aside_percent.cpu", "90 %")
        self.assertIn("short of CPU promises", self.window.refusal.text)
        nearest = next(offer for offer in self.window.refusal.offers if "nearest" in offer.text())
        QTest.mouseClick(nearest, LEFT)
        self.settle()
        self.assertAlmostEqual(self.desk.look.plan.rules.set_aside_percent.cpu, 59.3)
        self.assertIn("0.0", self.division.grab() and self.free())

    def free(self) -> str:
        """Give what is free of CPU promises."""
        return f"{self.desk.look.division.cpu.free / 1000:.1f}"


class PlanAndSplit(WindowCase):
    """Hosts, and splitting among pools."""

    def test_hosts(self) -> None:
        """A second host is added and set up; guests stay on the first, and one with guests does not go."""
        self.show_plan(plan_of([cpu_guest("a", 5)]))
        self.run_action(ActionName.NEW_HOST)
        page = self.window.pages.get(PlanPage)
        self.type_into(page.forms[0].fields["cores_per_socket"], "12")
        self.assertEqual(self.desk.look.plan.hosts[1].cores, 24)
        self.assertEqual(self.desk.look.plan.guests[0].host, "h")
        # Second threads yield a part, written as people do; what was refused of one host is nothing of the next.
        part = page.forms[0].fields["smt_yield"]
        for typed, expected in (("20 %", 0.2), ("35", 0.35), ("0.18", 0.18)):
            self.type_into(part, typed)
            self.assertAlmostEqual(self.desk.look.plan.hosts[1].smt_yield, expected)
        self.assertEqual(part.line.text(), "18 %")
        self.type_into(part, "a lot")
        self.assertTrue(part.is_refused)
        page.choose("h")
        self.assertFalse(part.is_refused)
        self.assertEqual(part.line.text(), "0 %")
        page.choose(self.desk.look.plan.hosts[1].id)
        self.type_into(page.name, "Two piers")
        self.assertIn("Two piers", self.window.windowTitle())
        QTest.mouseClick(page.remove_button, LEFT)
        self.settle()
        self.assertEqual(len(self.desk.look.plan.hosts), 1)
        QTest.mouseClick(page.remove_button, LEFT)
        self.settle()
        self.assertEqual(len(self.desk.look.plan.hosts), 0)

    def test_split(self) -> None:
        """Parts as limits and shares; a sum over a hundred is told and cannot be made."""
        self.show_plan(plan_of([], [{"id": "p"}, {"id": "q"}]))
        self.run_action(ActionName.SPLIT)
        page = self.window.sheet.page
        assert isinstance(page, SplitPage)
        self.assertEqual([f.line.text() for f in page.parts.values()], ["50 %", "50 %"])
        page.parts["p"].line.setFocus()
        page.parts["p"].line.selectAll()
        QTest.keyClicks(page.parts["p"].line, "80")
        self.settle()
        self.assertIn("130 %", page.sum_label.text())
        self.assertFalse(page.apply_button.isEnabled())
        page.parts["q"].line.selectAll()
        QTest.keyClicks(page.parts["q"].line, "20")
        page.kind.setCurrentIndex(page.kind.findData("limit"))
        self.settle()
        QTest.mouseClick(page.apply_button, LEFT)
        self.settle()
        self.assertEqual(
            [(p.cpu.limit, p.memory.limit) for p in self.desk.look.plan.pools], [(8000, 80_000), (2000, 20_000)]
        )
        page.kind.setCurrentIndex(page.kind.findData("shares"))
        QTest.mouseClick(page.apply_button, LEFT)
        self.settle()
        self.assertEqual([p.cpu.shares for p in self.desk.look.plan.pools], [160, 40])
        self.assertEqual(self.desk.document.undo_stack.count(), 2)


class Helping(SheetCase):
    """What the sheets do so that no order of typing, no wheel and no busy host stands in the way."""

    def test_bounds_are_moved_along(self) -> None:
        """A ceiling under the boot size is not accepted, but both can be moved with one press, and taken back so."""
        self.show_plan(plan_of([memory_guest("a", 900, mode="elastic", boot=4096, floor=1024, ceiling=8192)]))
        self.desk.selection.select("a")
        page = self.open_page(ActionName.SETTINGS)
        self.enter(page, "memory.ceiling", "3 GiB")
        notice = self.window.notice
        self.assertIn("the boot size (4096 MiB) is above the ceiling (3072 MiB)", notice.text)
        self.assertEqual([button.text() for button in notice.choices], ["Move boot size along", "Leave it as it was"])
        QTest.mouseClick(notice.choices[0], LEFT)
        self.settle()
        memory = self.guest("a").memory
        assert isinstance(memory, ElasticMemory)
        self.assertEqual((memory.boot, memory.ceiling, memory.floor), (3072, 3072, 1024))
        self.assertEqual(self.desk.document.undo_stack.count(), 1)
        self.run_action(ActionName.UNDO)
        memory = self.guest("a").memory
        assert isinstance(memory, ElasticMemory)
        self.assertEqual((memory.boot, memory.ceiling), (4096, 8192))

    def test_the_wheel_scrolls_and_changes_nothing(self) -> None:
        """Over a choice the wheel leaves it as it is; another guest shows from the top of its sheet."""
        self.desk.selection.select("mail")
        page = self.open_page(ActionName.SETTINGS)
        chooser = self.form_of(page, "pool").choosers["pool"]
        before = chooser.currentIndex()
        point = QPointF(8, 8)
        wheel = QWheelEvent(
            point, chooser.mapToGlobal(point), QPoint(), QPoint(0, -120), Qt.MouseButton.NoButton,
            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False,
        )  # fmt: skip
        QApplication.sendEvent(chooser, wheel)
        self.settle()
        self.assertEqual(chooser.currentIndex(), before)
        bar = self.window.sheet._scroll.verticalScrollBar()
        assert bar is not None
        bar.setValue(bar.maximum())
        self.assertGreater(bar.value(), 0)
        self.desk.selection.select("files")
        self.settle()
        self.assertEqual(bar.value(), 0)

    def test_a_busy_host_is_emptied_first(self) -> None:
        """Removing a host that guests are on offers to find them others, and opens what does it."""
        self.desk.selection.select("breakwater")
        self.run_action(ActionName.DELETE)
        notice = self.window.notice
        self.assertEqual(notice.text, "12 guests are on breakwater; they go to other hosts first.")
        QTest.mouseClick(notice.choices[0], LEFT)
        self.settle()
        page = self.window.sheet.page
        assert isinstance(page, EmptyingPage) and page.offer is not None
        QTest.mouseClick(page.offer, LEFT)
        self.settle()
        self.run_action(ActionName.DELETE)
        self.assertNotIn("breakwater", self.desk.document.plan.host_index)

    def test_the_keys_are_grouped(self) -> None:
        """Every action stands in exactly one group, and none is left over."""
        groups = grouped_actions()
        named = [name for _, names in groups for name in names]
        self.assertCountEqual(named, list(ActionName))
        self.assertNotIn("Other", [title for title, _ in groups])
