"""Answers belong to a state of the plan: edits, undo and other plans while answers are on their way or at rest."""

from __future__ import annotations

import stat

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.sheets.split_page import SplitPage
from ruvex.desktop.sheets.why_page import WhyPage
from ruvex.desktop.state.answers import Answers, Of
from ruvex.desktop.views.cores.view import CoresView
from ruvex.desktop.views.room.view import RoomView
from ruvex.plan import Plan, change_settings, plan_from
from tests.builders import HOST, cpu_guest, plan_of
from tests.desktop.base import WindowCase

OTHER = plan_of(
    [cpu_guest("solo", 900, vcpus=2) | {"host": "east"}], [{"id": "pier"}],
    hosts=[HOST | {"id": "east"}, HOST | {"id": "west"}], host=None,
)  # fmt: skip


class Holder(WindowCase):
    """The one place where answers are kept."""

    def test_an_answer_is_given_for_its_own_state_only(self) -> None:
        """Asked of one plan, an answer is not that of the next; what comes late is dropped."""
        answers = Answers(self.desk.background, "questions", "test")
        plan = plan_from({"format": "ruvex-plan", "version": 1, "guests": [{"id": "a"}]})
        edited = change_settings(plan, "a", {"vcpus": 3})
        answers.ask("size", Of(plan), lambda: 7)
        self.settle()
        self.assertEqual(answers.get("size", Of(plan)), 7)
        self.assertEqual(answers.get("size", Of(plan.model_copy(update={"moment": 60.0}))), 7)
        self.assertIsNone(answers.get("size", Of(edited)))
        self.assertTrue(answers.has_before("size", Of(edited)))
        answers.ask("size", Of(edited), lambda: 8)
        answers.drop()
        self.settle()
        self.assertIsNone(answers.get("size", Of(edited)))

    def test_what_went_wrong_is_an_answer_too(self) -> None:
        """A question that fails is told once, and is not on its way for ever."""
        answers, plan = Answers(self.desk.background, "questions", "test"), Plan()

        def fails() -> None:
            raise ZeroDivisionError

        answers.ask("size", Of(plan), fails)
        self.settle()
        self.assertTrue(answers.is_there("size", Of(plan)))
        self.assertEqual(answers.problem("size", Of(plan)), "a mistake of Ruvex")
        self.assertEqual(len(self.errors), 1)
        self.errors.clear()


class InTheWindow(WindowCase):
    """What was seen: old answers met new plans."""

    def who_has_it(self, why: WhyPage) -> str:
        """Give what the page says of both resources."""
        return " ".join(side.having.text() for side in why.sides.values())

    def test_why_is_asked_anew_after_an_answer_that_came_too_late(self) -> None:
        """Closed while it is on its way, with an edit or an empty plan after it: what is shown later is of then."""
        for empties in (True, False):
            self.open_demo()
            self.desk.look.set_moment(29_400.0)
            self.desk.selection.select("ticket-db")
            self.run_action(ActionName.WHY)
            why = self.window.pages[ActionName.WHY]
            assert isinstance(why, WhyPage)
            self.settle()
            self.assertEqual(why.answered_for, "ticket-db")
            self.assertIn("Who has it:", self.who_has_it(why))
            self.desk.look.set_moment(29_460.0)
            self.window.actions_by_name[ActionName.WHY].trigger()  # at once: the answer is on its way
            if empties:
                self.desk.document.new()
                self.settle()
                self.open_demo()
                self.desk.look.set_moment(29_400.0)
                self.desk.selection.select("ticket-db")
            else:
                self.desk.trial.change("ticket-db", {"cpu.shares": 90}, "more")
                self.settle()
            self.run_action(ActionName.WHY)
            self.settle()
            self.assertEqual(why.answered_for, "ticket-db")
            self.assertIn("Who has it:", self.who_has_it(why))
            self.run_action(ActionName.WHY)
            self.desk.document.undo_stack.setClean()

    def room(self) -> RoomView:
        """Give the Room view, with all its answers."""
        self.go_to("room")
        view = self.window.views["room"]
        assert isinstance(view, RoomView)
        for _ in range(600):
            self.settle(10)
            if not view.is_behind:
                break
        self.assertFalse(view.is_behind)
        return view

    def test_add_one_undo_resize_again(self) -> None:
        """Room draws nothing of the plan before, and nothing of it can be pressed."""
        self.open_demo()
        view = self.room()
        self.assertTrue(view.losses)
        for width in (1180, 1280, 1100):
            view.more.add.click()
            self.window.resize(width, 780)
            for _ in range(3):
                self.application.processEvents()
                self.picture(view)
            if view.losses:
                self.assertFalse(view.losses[0].empty_button.isEnabled())
            self.run_action(ActionName.UNDO)
            self.window.resize(width + 60, 800)
            self.picture(view)
        self.assertEqual(self.room().losses[0].host, self.desk.document.plan.hosts[0].id)

    def test_another_plan_drops_all(self) -> None:
        """Room and Core by core at rest, then another plan: nothing of the old one is left, and it is looked at."""
        self.open_demo()
        self.desk.selection.select("ticket-db")
        self.room()
        self.show_plan(OTHER)
        view = self.room()
        self.assertEqual({loss.host for loss in view.losses}, {"east", "west"})
        self.go_to("cores")
        self.show_plan(OTHER)
        self.settle(20)
        cores = self.window.views["cores"]
        assert isinstance(cores, CoresView)
        self.assertIn(self.desk.tracing.host, {"east", "west"})
        self.open_demo()
        self.desk.selection.select("ticket-db")
        self.settle(20)
        self.assertNotIn(self.desk.tracing.host, {"east", "west", None})

    def test_undo_of_a_copy_in_a_played_look(self) -> None:
        """Ctrl+D, then Ctrl+Z, while the day is looked at: no row and no selection of what is gone."""
        self.open_demo()
        self.desk.look.set_mode("played")
        for _ in range(400):
            self.settle(10)
            if self.desk.look.is_played:
                break
        self.desk.selection.select("berth-planner")
        self.run_action(ActionName.DUPLICATE)
        copy = self.desk.selection.current
        self.assertNotEqual(copy, "berth-planner")
        for _ in range(400):
            self.settle(10)
            if self.desk.rehearsal.is_of_plan:
                break
        self.run_action(ActionName.UNDO)
        self.settle(50)
        self.assertNotIn(copy, self.desk.look.division.position)
        self.assertNotIn(copy, self.desk.selection.ids)
        self.assertNotIn(copy, [row.item_id for row in self.butterfly.row_list.rows])

    def test_a_split_that_a_limit_refuses_is_said(self) -> None:
        """A pool whose memory limit is below its part of the site: a refusal in words."""
        pools = [{"id": "small", "memory": {"limit": 500}}, {"id": "large"}]
        self.show_plan(plan_of([cpu_guest("a", 10, pool="small")], pools))
        self.run_action(ActionName.SPLIT)
        page = self.window.pages[ActionName.SPLIT]
        assert isinstance(page, SplitPage)
        page.kind.setCurrentIndex(page.kind.findData("reservation"))
        self.settle()
        self.assertIn("limit", page.sum_label.text())
        self.assertFalse(page.apply_button.isEnabled())

    def test_opening_a_plan_closes_the_sheet(self) -> None:
        """What a sheet has read is of the plan that goes."""
        self.open_demo()
        self.run_action(ActionName.RULES)
        self.assertFalse(self.window.sheet.isHidden())
        self.show_plan(OTHER)
        self.assertTrue(self.window.sheet.isHidden())


class Copies(WindowCase):
    """What comes with Ruvex stays as it came."""

    def test_the_demo_opens_without_a_file(self) -> None:
        """Ctrl+S asks where; the demo's own file is not written to."""
        asked: list[str] = []
        self.window.ask_save = lambda _window, suggestion: asked.append(suggestion)  # type: ignore[func-returns-value]
        before = self.path.read_bytes()
        self.assertTrue(self.window.files.open_path(self.path, as_copy=True))
        self.settle()
        self.assertIsNone(self.desk.document.path)
        QTest.keyClick(self.window, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
        self.settle()
        self.assertEqual(len(asked), 1)
        self.assertEqual(self.path.read_bytes(), before)

    def test_remembered_things_are_the_owners_alone(self) -> None:
        """Settings and recovery copies: 0600 in a folder of 0700, whatever the umask is."""
        self.open_demo()
        self.window.preferences.text_scale = 1.0
        self.window.editor.change("more", "ticket-db", {"cpu.shares": 333.0})
        self.window.files.recovery.keep()
        self.settle()
        folder = self.window.preferences.folder
        for path in (folder / "desktop.json", self.window.files.recovery.copy):
            self.assertEqual(stat.S_IMODE(path.stat().st_mode), 0o600, path)
            self.assertEqual(stat.S_IMODE(path.parent.stat().st_mode), 0o700, path.parent)
