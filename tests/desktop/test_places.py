"""Sheets of hosts, banks, placement rules and of a host that is emptied."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.sheets.emptying_page import EmptyingPage
from ruvex.desktop.sheets.guest_page import GuestPage
from ruvex.desktop.sheets.placement_page import PlacementPage
from ruvex.desktop.sheets.plan_page import PlanPage
from ruvex.plan import Host, PowerEvent
from tests.desktop.base import LEFT, WindowCase


class Sheets(WindowCase):
    """The demo plan with its three hosts."""

    def setUp(self) -> None:
        """Open the demo at 08:10."""
        super().setUp()
        self.open_demo()
        self.desk.look.set_moment(8 * 3600 + 600.0)
        self.settle()

    def host(self, host: str) -> Host:
        """Give a host of the plan."""
        plan = self.desk.document.plan
        return plan.hosts[plan.host_index[host]]

    def click(self, button: QWidget | None) -> None:
        """Click a button."""
        assert button is not None
        self.assertTrue(button.isEnabled())
        QTest.mouseClick(button, LEFT)
        self.settle()


class Hosts(Sheets):
    """Hosts with all their fields, and banks with their volumes."""

    def setUp(self) -> None:
        """Open the page of skerry-2, which has a bank."""
        super().setUp()
        self.desk.selection.select("skerry-2")
        self.run_action(ActionName.SETTINGS)
        self.bank = self.window.pages.get(PlanPage).bank

    def test_a_bank_is_set_up_and_taken_away(self) -> None:
        """Size, largest size and volumes are typed, added, changed and removed; each is one step that can be undone."""
        self.assertTrue(self.bank.box.isChecked())
        self.type_into(self.bank.form.fields["size_mib"], "12 GiB")
        bank = self.host("skerry-2").bank
        assert bank is not None
        self.assertEqual((bank.size_mib, bank.max_mib), (12_288, 16_384))
        self.type_into(self.bank.form.fields["size_mib"], "17 GiB")
        bank = self.host("skerry-2").bank
        assert bank is not None
        self.assertEqual((bank.size_mib, bank.max_mib), (17_408, 17_408), "what it may be raised to goes along")
        self.run_action(ActionName.UNDO)
        owners = ["serves deck-kiosk-1", "serves deck-kiosk-2", "serves deck-kiosk-3", "free"]
        self.assertEqual(self.serving(), owners)
        self.click(self.bank.volumes.add_button)
        bank = self.host("skerry-2").bank
        assert bank is not None
        self.assertEqual([volume.id for volume in bank.spill_volumes][-1], "cove-5")
        self.bank.volumes.lines.setCurrentRow(4)
        self.settle()
        self.type_into(self.bank.volumes.form.fields["mib"], "4 GiB")
        self.bank.volumes.form.boxes["shared"].click()
        self.settle()
        bank = self.host("skerry-2").bank
        assert bank is not None
        self.assertEqual((bank.spill_volumes[4].mib, bank.spill_volumes[4].shared), (4096, True))
        self.click(self.bank.volumes.remove_button)
        bank = self.host("skerry-2").bank
        assert bank is not None
        self.assertEqual(len(bank.spill_volumes), 4)

    def test_volumes_serve_whom_they_serve_at_the_moment_shown(self) -> None:
        """A guest that was switched off by an event no longer has its volume in the look as it was played."""
        self.window.events.add(PowerEvent(at=28_860.0, do="power-off", target="deck-kiosk-2"))
        self.run_action(ActionName.SETTLED)
        for _ in range(300):
            if self.desk.look.is_played:
                break
            self.settle(10)
        self.assertEqual(self.serving(), ["serves deck-kiosk-1", "free", "serves deck-kiosk-3", "free"])
        self.run_action(ActionName.SETTLED)
        self.assertEqual(self.serving()[1], "serves deck-kiosk-2")

    def serving(self) -> list[str]:
        """Give what is said of each volume: whom it serves."""
        texts = [self.bank.volumes.lines.item(i) for i in range(self.bank.volumes.lines.count())]
        return [item.text().split("   ")[-1] for item in texts if item is not None]

    def test_a_volume_in_use_stays(self) -> None:
        """A volume that a guest needs is not taken away; the refusal says whose it is."""
        for _ in range(2):
            self.bank.volumes.lines.setCurrentRow(3 - _)
            self.settle()
            self.click(self.bank.volumes.remove_button)
        refused = self.desk.trial.refused
        assert refused is not None
        self.assertEqual(refused.refusal.kind, "volume")
        bank = self.host("skerry-2").bank
        assert bank is not None
        self.assertEqual(len(bank.spill_volumes), 3)

    def test_a_host_goes_down_and_comes_up(self) -> None:
        """Down it has no supply and its guests are off, in rows, chips and head; undone all is as before."""
        self.desk.selection.select("breakwater")
        self.settle()
        supply = self.desk.look.division.cpu.supply
        box = self.window.pages.get(PlanPage)._form.boxes["up"]
        box.click()
        self.settle()
        self.assertFalse(self.host("breakwater").up)
        self.assertLess(self.desk.look.division.cpu.supply, supply - 20_000)
        self.assertIn("down", self.window.head.chips.chips["breakwater"].accessibleName())
        self.assertTrue(self.window.head.facts.text().startswith("26 of 39 guests on"), self.window.head.facts.text())
        self.run_action(ActionName.UNDO)
        self.assertEqual(self.desk.look.division.cpu.supply, supply)


class Emptying(Sheets):
    """Who goes where, who cannot; then all at once."""

    def page(self, host: str) -> EmptyingPage:
        """Open the page for a host."""
        self.desk.selection.select(host)
        self.run_action(ActionName.EMPTY_HOST)
        page = self.window.pages[ActionName.EMPTY_HOST]
        assert isinstance(page, EmptyingPage)
        return page

    def test_the_old_host_is_emptied_and_taken_down(self) -> None:
        """All twelve guests of breakwater find a host; pointing at the offer shows the effect, undo brings all back."""
        page = self.page("breakwater")
        self.assertEqual((page.going.count(), page.staying.count()), (12, 0))
        self.assertTrue(page.down_button.isHidden())
        offer = page.offer
        assert offer is not None
        offer.setFocus()
        self.settle()
        assert self.desk.trial.effect is not None
        self.assertEqual(self.desk.trial.effect.text, "empty breakwater")
        self.click(offer)
        plan = self.desk.document.plan
        self.assertEqual([guest.id for guest in plan.guests if guest.host == "breakwater"], [])
        self.assertEqual(self.desk.document.undo_stack.count(), 1)
        self.click(page.down_button)
        self.assertFalse(self.host("breakwater").up)
        self.run_action(ActionName.UNDO)
        self.run_action(ActionName.UNDO)
        self.assertEqual(sum(guest.host == "breakwater" for guest in self.desk.document.plan.guests), 12)

    def test_who_cannot_go_says_why(self) -> None:
        """The tide model finds no spill space elsewhere, guests of the bank no other bank."""
        page = self.page("skerry-1")
        lines = [page.staying.item(i) for i in range(page.staying.count())]
        self.assertEqual(len(lines), 1)
        assert lines[0] is not None
        self.assertEqual(
            lines[0].text().replace("\u202f", " "), "tide-model: skerry-2 is short of spill space by 17.0 GiB"
        )
        page = self.page("skerry-2") if self.window.sheet.close_sheet() is None else page
        texts = "\n".join(item.text() for i in range(page.staying.count()) if (item := page.staying.item(i)))
        self.assertIn("deck-kiosk-1 lives in a bank", texts)


class Placement(Sheets):
    """Rules of placement as sentences."""

    def setUp(self) -> None:
        """Open the page."""
        super().setUp()
        self.run_action(ActionName.PLACEMENT)
        page = self.window.pages[ActionName.PLACEMENT]
        assert isinstance(page, PlacementPage)
        self.page = page

    def rules(self) -> list[str]:
        """Give the sentences that show."""
        items = [self.page.rules.item(i) for i in range(self.page.rules.count())]
        return [item.text() for item in items if item is not None]

    def test_rules_are_made_and_removed(self) -> None:
        """Of selected guests and chosen hosts; what contradicts is refused, what is broken now is told."""
        self.assertEqual(
            self.rules(),
            [
                "web-front-1 and web-front-2 are kept apart",
                "vessel-tracking and voyage-log-db are kept together",
                "tide-model stays on skerry-1 or skerry-2",
            ],
        )
        self.desk.selection.select_many(["mail", "files"], "mail")
        self.settle()
        self.click(self.page.apart_button)
        self.assertEqual(self.rules()[-1], "mail and files are kept apart")
        self.assertIn("Not kept now: mail and files are kept apart", self.page.broken.text())
        self.click(self.page.together_button)
        self.assertIn("Not accepted", self.page.refusal.text())
        self.page.hosts.setCurrentRow(0)
        self.desk.selection.select("wiki")
        self.settle()
        # A button that was not told yet that one guest is too few says so.
        self.page.together_button.setEnabled(True)
        self.click(self.page.together_button)
        self.assertIn("select at least two guests", self.page.refusal.text())
        self.click(self.page.stays_button)
        self.assertEqual(self.rules()[-1], "wiki stays on skerry-1")
        self.page.rules.setCurrentRow(0)
        self.click(self.page.remove_button)
        self.assertEqual(len(self.rules()), 4)
        for _ in range(3):
            self.run_action(ActionName.UNDO)
        self.assertEqual(len(self.rules()), 3)


class SeveralAtOnce(Sheets):
    """Settings of several guests show where they differ, and are set for all."""

    def test_ranges_and_mixed(self) -> None:
        """Equal values show once, others from where to where or as mixed; typing sets all."""
        self.desk.selection.select_many(["mail", "files", "wiki"], "mail")
        self.run_action(ActionName.SETTINGS)
        page = self.window.pages[ActionName.SETTINGS]
        assert isinstance(page, GuestPage)
        form = page.forms[0]
        guests = [guest for guest in self.desk.look.plan.guests if guest.id in ("mail", "files", "wiki")]
        sizes = sorted(guest.vcpus for guest in guests)
        self.assertEqual(form.fields["vcpus"].line.text(), f"{sizes[0]} – {sizes[-1]}")
        self.assertEqual(form.choosers["pool"].currentText(), "Shore office")
        self.assertEqual(form.choosers["hot_add"].currentText(), "nothing")
        self.type_into(form.fields["boot_s"], "55")
        again = [guest for guest in self.desk.document.plan.guests if guest.id in ("mail", "files", "wiki")]
        self.assertEqual({guest.boot_s for guest in again}, {55.0})
        self.assertEqual(self.desk.document.undo_stack.count(), 1)
        form.choosers["hot_add"].setFocus()
        QTest.keyClick(form.choosers["hot_add"], Qt.Key.Key_Down)
        self.settle()
        again = [guest for guest in self.desk.document.plan.guests if guest.id in ("mail", "files", "wiki")]
        self.assertEqual({guest.hot_add for guest in again}, {("memory",)})
        dial = self.dials.dials["cpu"].fields
        self.type_into(dial["cpu.shares"], "130")
        again = [guest for guest in self.desk.document.plan.guests if guest.id in ("mail", "files", "wiki")]
        self.assertEqual({guest.cpu.shares for guest in again}, {130.0})
        self.desk.selection.select_many(["mail", "tide-model", "berth-planner"], "mail")
        self.settle()
        self.assertRegex(self.dials.dials["cpu"].fields["cpu.reservation"].line.text(), r"^0.MHz – 2.6")
        self.assertRegex(self.dials.dials["cpu"].fields["cpu.shares"].line.text(), r"^100 – 130$")
        self.desk.selection.select_many(["mail", "tide-model"], "mail")
        self.settle()
        self.assertEqual(form.choosers["pool"].currentIndex(), -1)
        self.assertEqual(form.choosers["pool"].placeholderText(), "mixed")
