"""Units, axis, order, filter, why, and what screen readers are told."""

from __future__ import annotations

from unittest.mock import patch

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QSignalSpy, QTest

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.texts import Face
from ruvex.desktop.sheets.keys_page import KeysPage
from ruvex.desktop.sheets.why_page import WhyPage
from ruvex.desktop.state.figures import figure_with_unit, parse, typed
from ruvex.divide import causes_of
from ruvex.plan import RESOURCES, THIN_SPACE, Guest, Pool, find_item
from tests.builders import HOST, cpu_guest, plan_of
from tests.desktop.base import LEFT, WindowCase


class Aids(WindowCase):
    """Reading and typing in other units; rows in another order."""

    def setUp(self) -> None:
        """Open the demo at eight."""
        super().setUp()
        self.open_demo()
        self.desk.look.set_moment(29_400.0)

    def shown(self) -> list[str]:
        """Give the rows in their order."""
        return [row.item_id for row in self.butterfly.row_list.rows]

    def test_every_key_as_it_is_typed(self) -> None:
        """Each key of one character does its own and nothing else, and none is spelled twice.

        A keyboard that has { on the key of [ sends it as both { and Shift+[, so an action with both has two keys that
        come at once, and does nothing.
        """
        typed = {name: keys for name in ActionName for keys in name.value.keys if len(keys) == 1}
        self.assertIn(ActionName.HOUR_LATER, typed)
        for spec in (name.value for name in typed):
            self.assertFalse([keys for keys in spec.keys if keys.startswith("Shift+") and not keys[-1].isalnum()])
        for name, keys in typed.items():
            with self.subTest(key=keys):
                runs = [QSignalSpy(action.triggered) for action in self.window.actions_by_name.values()]
                own = QSignalSpy(self.window.actions_by_name[name].triggered)
                self.butterfly.setFocus()
                QTest.keyClick(self.butterfly, keys.lower())
                self.settle()
                self.window.command_box.hide()
                self.assertEqual((len(own), sum(len(spy) for spy in runs)), (1, 1))

    def test_why_stands_by_both_wings_in_every_axis(self) -> None:
        """A CPU row says what it lacks for as a memory row does, also where each bar fills its wing."""
        row = self.desk.look.division.position["ticket-db"]
        for axis in ("common", "own"):
            self.butterfly.set_axis_mode(axis)
            self.settle()
            place = self.butterfly.row_rect("ticket-db")
            with patch.object(Face, "draw", autospec=True, side_effect=Face.draw) as draw:
                self.butterfly.viewport().repaint(place)
            texts = [call.args[5] for call in draw.call_args_list]
            self.assertIn(causes_of(self.desk.look.division, "cpu").word(row), texts)

    def test_a_click_beside_the_rows_takes_the_keys(self) -> None:
        """What is pasted after a click on empty ground is meant for the rows, not for the field typed in before."""
        self.desk.selection.select("ticket-db")
        self.settle()
        self.dials.dials["cpu"].fields["cpu.limit"].line.setFocus()
        self.butterfly.fold_all(folded=True)
        self.settle()
        view = self.butterfly.viewport()
        QTest.mouseClick(view, LEFT, Qt.KeyboardModifier.NoModifier, QPoint(view.width() // 2, view.height() - 4))
        self.assertIn(self.application.focusWidget(), (self.butterfly, self.butterfly.reader))

    def test_units_for_reading_and_typing(self) -> None:
        """U goes through four units; what is typed without one is in the unit in force."""
        self.desk.selection.select("gate-cameras")
        field = self.dials.dials["cpu"].fields["cpu.limit"]
        shown = []
        for _ in range(4):
            shown.append(field.line.text())
            QTest.keyClick(self.window, Qt.Key.Key_U)
            self.settle()
        self.assertEqual(shown, ["1.35\u202fGHz", "4.545\u202f%", "12.5\u202f%", "0.5\u202fcores"])
        for unit, words, mhz in (
            ("% of own vCPUs", "50", 5400), ("cores", "1,5", 4050), ("% of host", "5 %", 1485), ("GHz", "50 %", 5400),
            ("% of host", "2.5 GHz", 2500),
        ):  # fmt: skip
            self.desk.units.choose("cpu", unit)
            self.type_into(field, words)
            guest = find_item(self.desk.look.plan, "gate-cameras")
            assert isinstance(guest, Guest)
            self.assertAlmostEqual(guest.cpu.limit or 0, mhz, places=6, msg=f"{words} in {unit}")
        QTest.keyClick(self.window, Qt.Key.Key_U, Qt.KeyboardModifier.ShiftModifier)
        self.settle()
        self.assertIn("%", self.dials.dials["memory"].fields["memory.reservation"].line.text())

    def test_what_is_read_in_a_unit_is_typed_back_in_it(self) -> None:
        """Percent and cores are of a guest's own host, and of a pool of the hosts its guests are on, both ways.

        Half of the second host was shown as 5 GHz of its 10, and set 15 as half of all that there is.
        """
        hosts = [HOST | {"id": "h0", "cores_per_socket": 20}, HOST | {"id": "h1", "memory_mib": 50_000},
                 HOST | {"id": "h2", "up": False}]  # fmt: skip
        guests = [cpu_guest("a", 900, pool="p") | {"host": "h0"}, cpu_guest("b", 900, pool="q") | {"host": "h1"},
                  cpu_guest("c", 900, pool="q") | {"host": "h0"}]  # fmt: skip
        self.show_plan(plan_of(guests, [{"id": "p"}, {"id": "q"}], host=None, hosts=hosts))
        site, units = self.desk.look.division.site, self.desk.units
        for item, half in (("a", (10_000, 50_000)), ("b", (5000, 25_000)), ("p", (10_000, 50_000)),
                           ("q", (15_000, 75_000))):  # fmt: skip
            found = find_item(site.plan, item)
            assert isinstance(found, Guest | Pool)
            for name, amount in zip(RESOURCES, half, strict=True):
                for unit in units.all_of(name, item):
                    self.assertAlmostEqual(parse(typed(amount, unit), unit, site, found), amount, delta=0.5)
                    self.assertAlmostEqual(parse("50 % host", unit, site, found), amount, delta=0.5)
                percent_of_host = next(u for u in units.all_of(name, item) if u.name == "%")
                self.assertEqual(figure_with_unit(amount, percent_of_host), f"50.0{THIN_SPACE}%")

    def test_who_names_no_host_is_where_it_was_put(self) -> None:
        """The guest that any host may have is on the empty one: the dials say so, and percent are of that one's cores.

        The third names a host that is down, and is not on, though it is told to be.
        """
        hosts = [HOST | {"id": "h0", "name": "Full", "mhz": 500}, HOST | {"id": "h1", "name": "Roomy"},
                 HOST | {"id": "h2", "name": "Gone", "up": False}]  # fmt: skip
        guests = [cpu_guest("a", 3000, vcpus=5, reservation=2500) | {"host": "h0"}, cpu_guest("b", 1500, vcpus=2),
                  cpu_guest("c", 900) | {"host": "h2"}]  # fmt: skip
        self.show_plan(plan_of(guests, host=None, hosts=hosts))
        dials = self.window.dials
        for item, told in (("b", "Roomy"), ("c", "Gone")):
            self.desk.selection.select(item)
            self.settle()
            place = dials._place.text().replace("\u00a0", " ")
            self.assertIn(told, place)
            self.assertEqual("its host is down" in place, item == "c")
            self.assertNotIn("no host", place)
        self.assertEqual([unit.per for unit in self.desk.units.all_of("cpu", "b") if unit.name == "%"], [100, 20])
        site = self.desk.look.division.site
        self.assertEqual([guest for guest in "abc" if site.is_on(guest)], ["a", "b"])

    def test_axis_against_own_want(self) -> None:
        """On its own axis a guest that has all it wants fills its row, one that is hurt does not."""
        view = self.butterfly.viewport()
        crew = self.butterfly.row_rect("crew-roster").center().y()
        end = round(self.butterfly.axes["cpu"].end) + 3
        before = self.picture(view).pixelColor(end, crew)
        QTest.keyClick(self.window, Qt.Key.Key_A)
        QTest.keyClick(self.window, Qt.Key.Key_A)
        self.settle()
        self.assertNotEqual(self.picture(view).pixelColor(end, crew), before)
        self.assertEqual(self.division.bar.axis_button.text(), "each its own want")

    def test_in_percent_of_own_vcpus_the_axis_is_too(self) -> None:
        """A bar ends where its own figure says: at 50 % of the axis for whoever gets half of what its vCPUs can."""
        self.desk.units.choose("cpu", "% of own vCPUs")
        self.settle()
        butterfly = self.butterfly
        axis = butterfly.axes["cpu"]
        for item_id in ("ticket-db", "gate-cameras", "booking"):
            number = butterfly.row_list.number_of(item_id)
            assert number is not None
            row = butterfly.row_list.rows[number]
            shown = self.delivered(item_id) / self.desk.units.of("cpu", item_id).per
            of_row = butterfly.axes_of(row)["cpu"]
            self.assertAlmostEqual(of_row.x(self.delivered(item_id)), axis.x(shown), places=6)
        self.assertTrue(all(0 < tick <= 400 for tick in axis.ticks))

    def test_a_held_axis_stays_while_time_goes_on(self) -> None:
        """The axis follows the moment, but one that is held keeps its scale, and grows only where it must."""
        self.desk.look.set_moment(8 * 3600.0)
        wide = self.butterfly.axes["cpu"].top
        self.desk.look.set_moment(12 * 3600.0)
        self.assertLess(self.butterfly.axes["cpu"].top, 0.9 * wide)
        QTest.keyClick(self.window, Qt.Key.Key_A)
        self.assertEqual(self.division.bar.axis_button.text(), "one axis, held")
        narrow = self.butterfly.axes["cpu"].top
        self.desk.look.set_moment(8 * 3600.0)
        self.assertGreater(self.butterfly.axes["cpu"].top, narrow)
        grown = self.butterfly.axes["cpu"].top
        self.desk.look.set_moment(12 * 3600.0)
        self.assertEqual(self.butterfly.axes["cpu"].top, grown)

    def test_order_keeps_the_tree(self) -> None:
        """Worst hit first and by name: members stay below their pool."""
        for order in ("hurt", "name"):
            QTest.mouseClick(self.division.bar.order_button, LEFT)
            self.settle()
            self.assertEqual(self.butterfly.order, order)
            rows = self.butterfly.row_list.rows
            above: list[str] = []
            for row in rows:
                del above[row.depth :]
                parent = self.desk.look.division.parents[row.index]
                self.assertEqual(above[-1] if above else None, parent)
                above.append(row.item_id)
        self.assertEqual(self.shown()[:2], ["booking", "fare-engine"])

    def test_filter_by_name_and_tag(self) -> None:
        """Only what matches shows, with the pools it is in; Esc shows all again."""
        everything = self.shown()
        QTest.keyClick(self.window, Qt.Key.Key_Slash)
        line = self.division.bar.line
        self.assertTrue(line.hasFocus())
        QTest.keyClicks(line, "web")
        self.settle()
        self.assertEqual(self.shown(), ["booking", "web-front-1", "web-front-2", "web-front-3"])
        line.clear()
        QTest.keyClicks(line, "video")
        self.settle()
        self.assertEqual(self.shown(), ["sailing", "terminals", "gate-cameras"])
        QTest.keyClick(line, Qt.Key.Key_Escape)
        self.settle()
        self.assertEqual(self.shown(), everything)

    def test_a_taken_offer_is_told(self) -> None:
        """Taken by key or by mouse, its effect stays in the line: no other offer that comes under the hand is tried."""
        self.open_demo()
        self.desk.look.set_moment(8 * 3600 + 600)
        self.run_action(ActionName.WHY)
        page = self.window.pages[ActionName.WHY]
        for guest, by_key in (("ticket-db", True), ("berth-planner", False)):
            self.desk.selection.select(guest)
            self.settle()
            offer = page.sides["cpu"].offers[0]
            if by_key:
                offer.setFocus()
                QTest.keyClick(offer, Qt.Key.Key_Space)
            else:
                QTest.mouseMove(offer, offer.rect().center())
                QTest.mouseClick(offer, LEFT)
            self.settle()
            self.assertEqual(
                self.desk.document.undo_stack.undoText(), offer_step := self.dials.effect.text.split("   ·")[0]
            )
            self.assertTrue(offer_step.startswith(f"{guest}: "), offer_step)
            self.assertIn(f"{guest} +", self.dials.effect.text)
            self.assertIsNone(self.desk.trial.step)

    def test_why_and_what_would_help(self) -> None:
        """The panel tells the steps, who has the rest, and a click makes a move that helps."""
        self.desk.selection.select("ticket-db")
        QTest.mouseClick(self.dials.why_button, LEFT)
        self.settle()
        why = self.window.pages[ActionName.WHY]
        assert isinstance(why, WhyPage)
        side = why.sides["cpu"]
        self.assertEqual([line.text for line in side.ladder.lines][:2], ["promised", "delivered"])
        self.assertIn("web-front-1 1.64", side.having.text())
        offer = side.offers[0]
        self.assertIn("+4.44", offer.text())
        offer.setFocus()
        self.settle()
        self.assertIsNotNone(self.desk.look.before)
        self.assertAlmostEqual(self.delivered("ticket-db"), 10_639, delta=5)
        QTest.mouseClick(offer, LEFT)
        self.settle()
        self.assertAlmostEqual(self.delivered("ticket-db"), 10_639, delta=5)
        self.assertEqual(self.desk.document.undo_stack.count(), 1)
        self.desk.selection.select("lagoon-sim")
        self.settle()
        self.assertTrue(side.isHidden())
        self.assertIn("powered off", why._hint.text())

    def test_a_row_closes(self) -> None:
        """What a row says it has of what it wants fits what it lacks; what is held idle is told apart."""
        for row in self.butterfly.row_list.rows:
            for name in RESOURCES:
                bar = self.butterfly.row_painter.bar(name, row)
                wanted = self.butterfly.row_painter.wanted(name, row)
                self.assertAlmostEqual(bar.promised + bar.won + bar.unmet, wanted, delta=1e-6 * max(1.0, wanted))

    def test_overcommit_in_the_head(self) -> None:
        """The band tells vCPUs for each core and memory against the supply."""
        self.assertRegex(
            self.window.head.facts.text(), r"38 of 39 guests on   4\.4 vCPUs a core · memory 13\d.% set, 4\d.% promised"
        )

    def test_readers_hear_the_rows(self) -> None:
        """The rows are a tree with names, kinds and stories; the current one follows the selection and the keys."""
        reader = self.butterfly.reader
        self.butterfly.setFocus()
        self.assertTrue(self.butterfly.hasFocus())
        self.desk.selection.select("gate-north")
        index = reader.currentIndex()
        role = Qt.ItemDataRole.AccessibleTextRole
        self.assertIn("guest: gate-north  on skerry-1; CPU: gets 0.49", index.data(role))
        self.assertIn("pool: Terminals", index.parent().data(role))
        self.assertEqual(index.parent().parent().data(), "Sailing operations")
        QTest.keyClick(reader, Qt.Key.Key_Down)
        self.assertEqual(self.desk.selection.current, "gate-south")
        self.assertEqual(reader.currentIndex().data(), "gate-south")
        self.assertIn("reservation 6200", self._track_words("ticket-db"))

    def _track_words(self, item_id: str) -> str:
        self.desk.selection.select(item_id)
        return str(self.dials.dials["cpu"].track.accessibleDescription())

    def test_every_action_has_its_key_in_the_sheet(self) -> None:
        """F1 shows all keys; every action has a text and a hint, and no key serves two."""
        QTest.keyClick(self.window, Qt.Key.Key_F1)
        self.settle()
        page = self.window.sheet.page
        assert isinstance(page, KeysPage)
        told = " ".join(label.text() for label, _ in page._labels)
        keys: list[str] = []
        for name in ActionName:
            self.assertTrue(name.value.text and name.value.hint)
            keys += name.value.keys
            if name.value.keys:
                self.assertIn(name.value.hint, told)
        self.assertEqual(len(keys), len(set(keys)))
        QTest.keyClick(self.application.focusWidget(), Qt.Key.Key_Escape)
        self.settle()
        self.assertFalse(self.window.sheet.isVisible())
        self.assertTrue(self.butterfly.hasFocus())

    def test_high_contrast(self) -> None:
        """Black on white, remembered like the other looks."""
        self.run_action(ActionName.LOOK_CONTRAST)
        colours = self.window.theme.colours
        self.assertEqual((colours.ink.name(), colours.paper.name()), ("#000000", "#ffffff"))
        self.assertEqual(self.window.preferences.theme_mode, "contrast")
