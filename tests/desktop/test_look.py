"""One look: settled or played, every figure of the window is of it, and the day follows what is being tried."""

from __future__ import annotations

import json

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.panels.row_story import row_story
from ruvex.desktop.sheets.why_page import WhyPage
from ruvex.desktop.state.figures import figure
from ruvex.divide import divide
from ruvex.play import Player, division_at
from ruvex.site import site_of
from tests.desktop.base import LEFT, NONE, WindowCase

TIMES = (0.0, 4 * 3600.0, 8 * 3600 + 600.0, 12 * 3600.0, 17 * 3600 + 300.0, 23 * 3600.0)


class OneLook(WindowCase):
    """The same fact reads the same wherever it stands."""

    def setUp(self) -> None:
        """Open the demo."""
        super().setUp()
        self.open_demo()
        self.run_action(ActionName.WHY)
        page = self.window.pages[ActionName.WHY]
        assert isinstance(page, WhyPage)
        self.why = page
        self.until_rehearsed()

    def until_rehearsed(self) -> None:
        """Let the days beside the window be played to their end."""
        for _ in range(400):
            self.settle()
            if self.desk.rehearsal.is_current and not self.desk.playing.is_running:
                return
            QTest.qWait(5)
        self.fail("the day is never there: " + "".join(self.errors))

    def test_settled_and_played_at_six_times(self) -> None:
        """Row, dial, hover, gauge and day strip tell the figures of the commands, settled; and of the play, played."""
        plan = self.desk.document.plan
        player = Player(site_of(plan, self.desk.document.file.traces))
        player.run()
        differ = 0
        for at_s in TIMES:
            settled = divide(site_of(plan.model_copy(update={"moment": at_s}), self.desk.document.file.traces), at_s)
            played = division_at(player, at_s)
            assert played is not None
            for mode, expected in (("settled", settled), ("played", played)):
                with self.subTest(at_s=at_s, mode=mode):
                    if self.desk.look.mode != mode:
                        self.run_action(ActionName.SETTLED)
                    self.desk.look.set_moment(at_s)
                    self.until_rehearsed()
                    self.assertIn(mode, self.desk.look.told)
                    shown = self.desk.look.division
                    self.assertEqual(shown.is_played, mode == "played")
                    self.assertEqual(json.dumps(shown.to_json()["cpu"]), json.dumps(expected.to_json()["cpu"]))
                    self.assertEqual(json.dumps(shown.to_json()["memory"]), json.dumps(expected.to_json()["memory"]))
                    for guest in ("ticket-db", "tide-model"):
                        self.check_texts(guest)
                    self.check_head()
            row = settled.position["ticket-db"]
            differ += abs(settled.cpu.delivered[row] - played.cpu.delivered[row]) > 1
        self.assertGreater(differ, 0, "settled and played are the same at all six times: nothing was tried")

    def check_texts(self, guest: str) -> None:
        """Read one guest's figures wherever they stand."""
        self.desk.selection.select(guest)
        self.settle()
        division, units = self.desk.look.division, self.desk.units
        row = division.position[guest]
        for resource in ("cpu", "memory"):
            unit = units.of(resource, guest)
            told = figure(float(division.of(resource).delivered[row]), unit)
            self.assertIn(told, row_story(self.desk, guest))
            marks = {mark.name: mark.text for mark in self.dials.dials[resource].track.marks}
            self.assertEqual(marks.get("delivered", told), told)
            side = self.why.sides[resource]
            wanted = [line.figure for line in side.ladder.lines if line.text.startswith("wanted")]
            self.assertLessEqual(set(wanted), {figure(float(division.of(resource).wanted[row]), unit)})
            sums = [line.figure for line in side.ladder.lines if line.text == "delivered"]
            self.assertEqual(sums, [told])
        behind = float(division.behind[row])
        if behind > 0.01 * float(division.cpu.wanted[row]):
            told = f"({figure(behind, units.of('cpu', guest))} of it behind)"
            self.assertIn(told, row_story(self.desk, guest))
            self.assertIn(told, self.dials.dials["cpu"]._met.text())

    def check_head(self) -> None:
        """Read the head band: each chip and the strip are of this look."""
        division = self.desk.look.division
        for at, (host, chip) in enumerate(self.window.head.chips.chips.items()):
            for k, part in enumerate(chip.parts):
                supply = float(division.by_host.supply[k, at])
                wanted = float(division.by_host.wanted[k, at])
                self.assertAlmostEqual(part, wanted / supply if supply else 0.0, places=9, msg=host)
        self.assertIn(f"{int(division.site.standing.on.sum())} of ", self.window.head.facts.text())

    def test_the_gauge_of_the_timeline_reads_what_the_dials_read(self) -> None:
        """In the timeline every figure is played; going back, Division is as it was left."""
        self.desk.selection.select("ticket-db")
        self.go_to("timeline")
        self.until_rehearsed()
        for at_s in TIMES:
            self.desk.look.set_moment(at_s)
            self.settle()
            self.assertTrue(self.desk.look.is_played)
            reading, division = self.timeline.gauge.reading, self.desk.look.division
            assert reading is not None
            row = division.position["ticket-db"]
            for name in ("backed", "working", "balloon", "spilled", "pace", "met"):
                self.assertAlmostEqual(getattr(reading, name), float(getattr(division.layers, name)[row]), places=3)
        self.run_action(ActionName.SETTLED)
        self.assertIn("Timeline is always played", self.window.notice.text)
        self.go_to("division")
        self.assertEqual(self.desk.look.mode, "settled")

    def test_a_preview_of_a_played_moment_moves_nothing_that_does_not_move(self) -> None:
        """Shares from 100 to 101 at 08:10 as played: a nudge, not a jump; given up, the same division as before."""
        self.desk.look.set_moment(8 * 3600 + 600)
        self.run_action(ActionName.SETTLED)
        self.until_rehearsed()
        before = json.dumps(self.desk.look.division.to_json())
        shares = self.desk.document.plan.guests[self.desk.document.plan.guest_index["ticket-db"]].cpu.shares
        self.desk.trial.try_settings("ticket-db", {"cpu.shares": shares + 1}, "ticket-db: CPU shares")
        self.assertTrue(self.desk.look.is_played)
        self.until_rehearsed()
        self.assertTrue(self.desk.look.is_played)
        was = next(row["delivered"] for row in json.loads(before)["cpu"]["rows"] if row["id"] == "ticket-db")
        self.assertLess(abs(self.delivered("ticket-db") - was), 0.05 * was)
        self.desk.trial.give_up()
        self.settle()
        self.assertEqual(json.dumps(self.desk.look.division.to_json()), before)

    def test_a_preview_after_a_host_went_down(self) -> None:
        """At 23:20 a host is down, and still a preview is of the play, with the ghosts of what was."""
        self.run_action(ActionName.SETTLED)
        self.desk.look.set_moment(23 * 3600 + 1200)
        self.until_rehearsed()
        before = self.desk.look.division
        self.assertFalse(all(host.up for host in before.site.plan.hosts))
        self.desk.trial.try_settings("ticket-db", {"cpu.shares": 171.0}, "ticket-db: CPU shares")
        for _ in range(2):
            self.assertTrue(self.desk.look.is_played)
            self.assertIs(self.desk.look.division.ids, before.ids)
            self.until_rehearsed()

    def test_the_day_follows_the_handle(self) -> None:
        """While a handle moves, what it does over the day is told; let go, that day is the plan's."""
        self.desk.selection.select("tide-model")
        self.settle()
        track = self.dials.dials["cpu"].track
        start = QPointF(track.handle_x("cpu.reservation"), 17)
        QTest.mousePress(track, LEFT, NONE, start.toPoint())
        QTest.mouseMove(track, QPointF(start.x() - 120, start.y()).toPoint())
        self.settle()
        step = self.desk.trial.step
        assert step is not None
        self.until_rehearsed()
        effect = self.desk.trial.effect
        assert effect is not None and effect.day is not None
        self.assertTrue(effect.day.done or effect.day.short)
        self.assertIn("over the day:", self.dials.effect.day)
        tried = self.desk.rehearsal.tried
        assert tried is not None
        again = Player(site_of(tried.plans[0][1], self.desk.document.file.traces))
        again.run()
        done = {(job.guest, job.due_s): job.finished_s for job in again.summary().finishes}
        for job in effect.day.done:
            self.assertEqual(job.after_s, done[job.guest, job.due_s])
        QTest.mouseRelease(track, LEFT, NONE, QPointF(start.x() - 120, start.y()).toPoint())
        self.settle()
        self.assertIs(self.desk.rehearsal.base, tried)
        self.assertIsNone(self.desk.rehearsal.tried)
        self.assertIn("tide-model", self.dials.effect.text)
        self.click_row("mail")
        self.assertNotIn("tide-model", self.dials.effect.text)
        self.run_action(ActionName.DUPLICATE)
        self.assertIn("duplicate mail", self.dials.effect.text, "the copy is selected by the change itself")

    def test_a_key_typed_on_a_keyboard_switches(self) -> None:
        """L is settled or played."""
        QTest.keyClick(self.butterfly, Qt.Key.Key_L)
        self.until_rehearsed()
        self.assertTrue(self.desk.look.is_played)
        self.assertTrue(self.desk.look.told.startswith("played: as the day has it at "))
        QTest.keyClick(self.butterfly, Qt.Key.Key_L)
        self.settle()
        self.assertTrue(self.desk.look.told.startswith("settled: as it would settle if "))
