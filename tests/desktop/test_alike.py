"""What the window says of a look, on whole plans, is what the ledger has, wherever it stands."""

from __future__ import annotations

import shutil
from collections import Counter
from collections.abc import Iterator
from typing import ClassVar

from ruvex.desktop.kit.actions import ActionName
from ruvex.divide import Division
from ruvex.plan import EditError
from tests.desktop.base import WindowCase
from tests.desktop.said import Expected, Reader, Said
from tests.laws.case import Case
from tests.laws.whole import SMALL, whole_plan

PLANS, FIRST = 24, 31_000
ITEMS = 5


class Alike(WindowCase):
    """The same figure for the same thing, wherever it stands."""

    read: ClassVar[Counter[str]] = Counter()

    def test_the_window_says_what_the_ledger_has(self) -> None:
        """On whole plans, settled and as it was played, with something tried and without."""
        self.reader = Reader(self.window)
        for seed in range(FIRST, FIRST + PLANS):
            case = Case(whole_plan(seed, SMALL), seed)
            with case.written() as path:
                shutil.copytree(path.parent, self.folder / f"plan-{seed}")
            for path in (self.folder / f"plan-{seed}").glob("*.ruvex.json"):
                self.assertTrue(self.window.open_path(path))
                self.settle()
                for mode in ("settled", "played"):
                    if self.desk.look.mode != mode:
                        self.run_action(ActionName.SETTLED)
                    for _ in range(300):
                        if mode == "settled" or self.desk.look.is_played:
                            break
                        self.settle(10)
                    with self.subTest(seed=seed, mode=mode):
                        self.assertEqual(list(self.told()), [])
                self.try_something()
                with self.subTest(seed=seed, mode="tried"):
                    self.assertEqual(list(self.told()), [])
                self.desk.trial.give_up()
                self.run_action(ActionName.SETTLED)
        self.assertEqual(self.errors, [])
        for where in ("dial", "hover", "Why", "list", "chip", "strip", "wing head", "timeline", "side by side"):
            self.assertGreater(self.read[where], PLANS, where)  # amounts that were there and read

    def try_something(self) -> None:
        """Hold a handle: double the shares of the first guest."""
        for guest in self.desk.look.plan.guests:
            try:
                self.desk.trial.try_settings(guest.id, {"cpu.shares": guest.cpu.shares * 2}, "tried")
            except EditError:
                continue  # a plan that was handed over lets its owner change little
            break
        self.settle()

    def told(self) -> Iterator[str]:
        """Say where the window says something else than the ledger has."""
        look = self.desk.look
        now = Expected(look.division)
        division = look.division
        items = [item for row, item in enumerate(division.ids) if division.on[row]]
        items = items[:: max(1, len(items) // ITEMS)]
        self.window.open_page(ActionName.WHY)
        said = [*self.reader.rows(items), *self.reader.hosts(), *self.reader.site()]
        self.window.open_page(ActionName.STORES)
        said += self.reader.stores()
        self.window.sheet.close_sheet()
        self.go_to("list")
        said += self.reader.guest_list()
        yield from (text for one in said for text in self.compared(one, now))
        if look.is_played and look.before is None:
            self.go_to("timeline")
            yield from (text for one in self.reader.timeline() for text in self.compared(one, now))
        self.go_to("beside")
        states: dict[str, Division] = {}
        if self.desk.yardstick.found is not None:
            states = {"then": self.desk.yardstick.found.then, "now": self.desk.yardstick.found.now}
        for when, one in self.reader.beside():
            if one.whom in states[when].position:
                yield from self.compared(one, Expected(states[when]))
        self.go_to("division")

    def compared(self, said: Said, expected: Expected) -> Iterator[str]:
        """Say where a figure that was read is not that of the ledger."""
        value = expected.of(said)
        if said.value is None or value is None:
            if (said.value is None) != (value is None):
                yield f"{said.where}: {said.figure} {said.of} of {said.whom} is {said.value}, the ledger has {value}"
            return
        self.read[said.where] += 1
        if said.differs(value):
            yield f"{said.where}: {said.figure} {said.of} of {said.whom} is {said.value:g}, the ledger has {value:g}"
