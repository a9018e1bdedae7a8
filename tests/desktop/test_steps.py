"""Steps on the open plan: any walk of edits can be taken back and made again, and promises always hold."""

from __future__ import annotations

import gc
import random
import threading
import unittest
from collections.abc import Callable
from unittest import mock

from ruvex.desktop import make_application
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.state.background import Background
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.editing import Editor
from ruvex.desktop.state.steps import PromiseRefusedError, would_need_off
from ruvex.divide import divide
from ruvex.plan import EditError, PlanFile, change_settings, check_plan, needs_off, plan_from, plan_text, read_plan
from ruvex.promise import budget_of, claims_of
from ruvex.site import site_of
from tests.builders import cpu_guest, memory_guest, plan_of
from tests.demo import DEMO
from tests.desktop.base import WindowCase
from tests.thorough import IS_FULL

DIALOGS = (
    ActionName.QUIT, ActionName.OPEN, ActionName.SAVE_AS, ActionName.SAVE, ActionName.BRING, ActionName.BRING_HERE,
    ActionName.GIVE, ActionName.TAKE_BACK, ActionName.REPORT,
)  # fmt: skip


class Walks(unittest.TestCase):
    """Random edits of every kind."""

    def setUp(self) -> None:
        """Open the demo plan without a window."""
        self.application = make_application()
        self.desk = Desk()
        self.addCleanup(self.desk.close)
        self.editor = Editor(self.desk)
        self.desk.document.open(DEMO)

    def edits(self, rng: random.Random) -> list[Callable[[], object]]:
        """Give one of each kind of edit with drawn values."""
        plan, editor = self.desk.look.plan, self.editor
        items = [*plan.guest_index, *plan.pool_index]
        chosen = rng.sample(items, min(len(items), rng.randint(1, 4)))
        self.desk.selection.select_many(chosen, chosen[0])
        guest = rng.choice(list(plan.guest_index) or ["nobody"])
        pool = rng.choice([None, *plan.pool_index])
        return [
            editor.new_guest, editor.new_pool, editor.new_host, editor.duplicate, editor.delete, editor.power,
            lambda: editor.move_to(pool), lambda: editor.shift(rng.choice([-2, -1, 1, 3])),
            lambda: editor.rename(guest, f"name {rng.randint(0, 9)}"),
            lambda: editor.change("cpu", guest, {"cpu.reservation": float(rng.randint(0, 9000))}),
            lambda: editor.change("shares", guest, {"memory.shares": float(rng.randint(1, 900))}),
            lambda: editor.change("vcpus", guest, {"vcpus": rng.randint(1, 12)}),
            lambda: editor.change("aside", "rules", {"set_aside_percent.memory": float(rng.randint(0, 60))}),
            lambda: editor.change("idle", "rules", {"idle_counts_as": float(rng.randint(1, 5))}),
        ]  # fmt: skip

    def test_any_walk_is_undone_and_redone(self) -> None:
        """After every edit the plan is valid and the division fresh; undo and redo lead to the ends, to the letter."""
        for seed in range(4):
            rng = random.Random(seed)
            self.desk.document.open(DEMO)
            start = plan_text(self.desk.look.plan)
            over = 0.0
            for _ in range(20):
                rng.choice(self.edits(rng))()
                plan = self.desk.look.plan
                self.assertEqual(check_plan(plan), [])
                fresh = divide(site_of(plan, self.desk.document.file.traces), plan.moment)
                self.assertEqual(self.desk.look.division.to_json(), fresh.to_json())
                self.assertLessEqual(set(self.desk.selection.ids), {*plan.guest_index, *plan.pool_index})
                free = budget_of(claims_of(site_of(plan, self.desk.document.file.traces)), None, "memory").free
                over = max(over, -free)
            self.assertLess(over, 1e-6, "no edit may promise more than there is")
            end = plan_text(self.desk.look.plan)
            while self.desk.document.undo_stack.canUndo():
                self.desk.document.undo_stack.undo()
            self.assertEqual(plan_text(self.desk.look.plan), start)
            while self.desk.document.undo_stack.canRedo():
                self.desk.document.undo_stack.redo()
            self.assertEqual(plan_text(self.desk.look.plan), end)

    def test_refused_leaves_everything(self) -> None:
        """What promises do not allow changes nothing, keeps the reason, and is forgotten with the next edit."""
        plan, division = self.desk.look.plan, self.desk.look.division
        with self.assertRaises(PromiseRefusedError) as caught:
            self.desk.trial.change("booking", {"cpu.reservation": 90_000.0}, "too much")
        self.assertIs(self.desk.trial.refused, caught.exception)
        self.assertEqual(caught.exception.plan.pools[2].cpu.reservation, 90_000)
        self.assertEqual((self.desk.look.plan, self.desk.document.undo_stack.count()), (plan, 0))
        self.assertEqual(self.desk.look.division.to_json(), division.to_json())
        self.desk.trial.change("mail", {"cpu.shares": 110.0}, "fine")
        self.assertIsNone(self.desk.trial.refused)

    def test_an_impossible_step_drops_what_was_previewed(self) -> None:
        """Nothing of an earlier preview is left standing as if it had been made."""
        plan = self.desk.look.plan
        self.desk.trial.try_settings("mail", {"cpu.shares": 900.0}, "looked at")
        with self.assertRaises(EditError):
            self.desk.trial.change("mail", {"cpu.shares": -1.0}, "impossible")
        self.assertIsNone(self.desk.look.before)
        self.assertEqual((self.desk.look.plan, self.desk.document.undo_stack.count()), (plan, 0))

    def test_a_broken_plan_can_be_mended(self) -> None:
        """It opens, stays editable, and each step may only make it better."""
        guests = [cpu_guest(g, 0, reservation=9000) for g in "ab"]
        self.desk.document.show_file(PlanFile(plan_of(guests)), None)
        self.assertFalse(self.editor.change("worse", "a", {"cpu.reservation": 9500.0}))
        self.assertTrue(self.editor.change("better", "a", {"cpu.reservation": 4000.0}))
        self.assertTrue(self.editor.change("beside", "b", {"cpu.shares": 400.0}))
        self.assertTrue(self.editor.change("good", "b", {"cpu.reservation": 6000.0}))
        self.assertEqual(self.desk.look.division.cpu.free, 0)


class EveryAction(WindowCase):
    """Every action on every kind of selection does no harm."""

    def test_on_nothing_and_on_everything(self) -> None:
        """In an empty plan, and with a guest or everything selected: of a story with two hosts, of the demo in full."""
        path = self.path if IS_FULL else self.path.parent / "stories" / "7-lost-host.ruvex.json"
        for prepare in (
            lambda: None,
            lambda: self.desk.selection.select(self.desk.document.plan.guests[0].id),
            self.division.butterfly.picking.pick_all,
        ):
            prepare()
            for name in ActionName:
                if name not in DIALOGS:
                    # Each after the answers of the one before, or, sooner done, while they are on their way.
                    self.window.actions_by_name[name].trigger()
                    self.settle() if IS_FULL else self.application.processEvents()
                    self.window.command_box.hide()
            self.settle()
            self.desk.document.undo_stack.setClean()
            self.assertTrue(self.window.open_path(path))


class Held:
    """Says in which thread it was let go of."""

    def __init__(self, said: list[int]) -> None:
        self._said = said

    def __del__(self) -> None:
        self._said.append(threading.get_ident())


class InTheBackground(unittest.TestCase):
    """Long work beside the window."""

    def test_a_worker_takes_nothing_apart(self) -> None:
        """What only work and answer know is let go of by the window's thread, and garbage is collected only then."""
        application = make_application()
        background, said = Background(), list[int]()

        def give(number: int) -> None:
            with_work, with_answer = Held(said), Held(said)
            background.run(f"held {number}", lambda: with_work is None, lambda *_: with_answer is None)

        for number in range(20):
            give(number)
        self.assertFalse(gc.isenabled())
        for _ in range(50):
            application.processEvents()  # some answers come while the next work is done
        background.wait()
        self.assertTrue(gc.isenabled())
        application.processEvents()  # all others
        background.wait()
        self.assertEqual(said, [threading.get_ident()] * 40)

    def test_answers_and_newer_questions(self) -> None:
        """A newer question of a subject replaces one that waits; errors are answers; others are not touched."""
        application = make_application()
        background, answers = Background(), []
        gate = threading.Event()
        background.run("slow", gate.wait, lambda value, problem: answers.append(("slow", value)))
        for number in (1, 2, 3):
            background.run("asked", lambda n=number: n, lambda value, problem: answers.append(("asked", value)))
        background.run(
            "wrong", lambda: 1 // 0, lambda value, problem: answers.append(("wrong", type(problem).__name__))
        )
        background.run("dropped", lambda: 9, lambda value, problem: answers.append(("dropped", value)))
        background.drop("dropped")
        gate.set()
        background.wait()
        application.processEvents()
        self.assertEqual(answers, [("slow", True), ("asked", 3), ("wrong", "ZeroDivisionError")])


class WhileOn(unittest.TestCase):
    """What a running guest would have to be off for."""

    def test_each_kind_of_change(self) -> None:
        """Floor, ceiling and shares are free, unless bounds may only widen; the rest waits, or needs hot add."""
        elastic = {"mode": "elastic", "boot": 4000, "floor": 1000, "ceiling": 8000}
        thin = memory_guest("a", 0, mode="thin", size=4000)
        for guest, change, expected in (
            (memory_guest("a", 0, **elastic), {"memory.floor": 500}, []),
            (memory_guest("a", 0, **elastic), {"memory.floor": 2000}, []),
            (memory_guest("a", 0, **elastic) | {"hot_remove": ["vcpus"]}, {"vcpus": 1}, []),
            (memory_guest("a", 0, **elastic), {"memory.ceiling": 9000, "memory.headroom_percent": 5}, []),
            (memory_guest("a", 0, **elastic), {"memory.ceiling": 5000}, []),
            (memory_guest("a", 0, **elastic), {"memory.boot": 4500}, ["another boot size"]),
            (memory_guest("a", 0, **elastic), {"memory": {"mode": "fixed"}}, ["another memory mode"]),
            (thin, {"memory.size": 5000}, ["more memory"]),
            (thin | {"hot_add": ["memory"]}, {"memory.size": 5000}, []),
            (
                thin | {"hot_add": ["memory"]},
                {"memory.size": 3000},
                ["less memory"],
            ),
            (cpu_guest("a", 0, vcpus=2) | {"hot_add": ["vcpus"]}, {"vcpus": 3}, []),
            (cpu_guest("a", 0, vcpus=2), {"vcpus": 3, "cpu.shares": 5, "cpu.limit": 900}, ["more vCPUs"]),
        ):
            with self.subTest(change=change):
                before = plan_of([guest])
                after = change_settings(before, "a", change)
                self.assertEqual(needs_off(before.guests[0], after.guests[0], before.rules), expected)
                self.assertEqual(bool(would_need_off(before, after, ["a"])), bool(expected))
                widen = before.rules.model_copy(update={"bounds_while_on": "widen"})
                bounds = {"memory.floor": 2000, "memory.ceiling": 5000}
                wider = [change[key] == value for key, value in bounds.items() if key in change]
                self.assertEqual(len(needs_off(before.guests[0], after.guests[0], widen)), len(expected) + sum(wider))
                off = change_settings(before, "a", {"power": "off"})
                self.assertEqual(would_need_off(off, change_settings(off, "a", change), ["a"]), "")


class Hostile(WindowCase):
    """Plans that cannot be, opened in the window: told, and nothing lost."""

    def test_each_is_told_in_the_window(self) -> None:
        """Cycles, missing parents, limits under reservations, absurd numbers, cut files, traces with holes."""
        self.open_demo()
        before = self.desk.look.plan
        bad = self.folder / "bad.ruvex.json"
        (self.folder / "holes.csv").write_text("seconds,cpu\n0,5\n60,\n", encoding="utf-8")
        (self.folder / "words.csv").write_text("seconds,cpu\n0,lots\n", encoding="utf-8")
        (self.folder / "long.csv").write_text("seconds,cpu\n" + "".join(f"{i},1\n" for i in range(1002)))
        good = plan_text(plan_of([cpu_guest("a", 5)]))

        def trace(name: str) -> str:
            return good.replace('"cpu": 5', '"cpu": {"kind": "trace", "file": "' + name + '", "column": "cpu"}')

        pools = (
            '{"format": "ruvex-plan", "version": 1, "pools": [{"id": "p", "parent": %s}, {"id": "q", "parent": "p"}]}'
        )
        for text, told in (
            (pools % '"q"', "pools contain each other"),
            (pools % '"nowhere"', "there is no pool 'nowhere'"),
            (good.replace('"vcpus": 10', '"vcpus": -3'), "it must be at least 1"),
            (good.replace('"vcpus": 10', '"vcpus": 1e300'), "vcpus"),
            (good.replace('"cpu": {}', '"cpu": {"reservation": 900, "limit": 100}'), "is above the limit"),
            (good[: len(good) // 2], "the file seems cut off"),
            (trace("holes.csv"), "an empty cell in column 'cpu'"),
            (trace("words.csv"), "'lots' in column 'cpu'"),
            (trace("long.csv"), "there are more than 1000 rows"),
            (trace("none.csv"), "cannot be read"),
        ):
            with self.subTest(told=told), mock.patch("ruvex.plan._traces.MAX_ROWS", 1000):
                bad.write_text(text, encoding="utf-8")
                self.assertFalse(self.window.open_path(bad), told)
                self.assertIn(told, self.window.notice.text)
                self.assertIs(self.desk.look.plan, before)
        self.assertEqual(read_plan(self.path).plan, before)
        self.assertEqual(plan_from({"format": "ruvex-plan", "version": 1}).guests, ())
