"""What the window says of a look, on whole plans, is what the ledger has, wherever it stands."""

from __future__ import annotations

import json
import shutil
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import ClassVar

from ruvex.desktop.kit.actions import ActionName
from ruvex.divide import Division
from ruvex.plan import EditError
from ruvex.words import short_span
from tests.cli.inside import run
from tests.desktop.base import WindowCase
from tests.desktop.said import Expected, Reader, Said
from tests.laws.case import Case
from tests.laws.whole import SMALL, whole_plan
from tests.thorough import many

PLANS, FIRST = many(24, 8), 31_000
ASKED = many(8, 4)
ONCE_WRONG = (91_000_043, 91_000_126)
"""Plans of which the window said something else: less is needed on a host than is used there."""
WHERE = (
    "dial", "hover", "Why", "list", "chip", "strip", "wing head", "rules", "settings", "stores", "split", "timeline",
    "side by side",
)  # fmt: skip
MOST_SHOWN = 200
"""So many findings of a group are shown at once."""
ITEMS = 5


class Alike(WindowCase):
    """The same figure for the same thing, wherever it stands."""

    read: ClassVar[Counter[str]] = Counter()

    def test_the_window_says_what_the_ledger_has(self) -> None:
        """On whole plans, settled and as it was played, with something tried and without."""
        for seed in (*range(FIRST, FIRST + PLANS), *ONCE_WRONG):
            for mode, told in self.broken_by(seed):
                with self.subTest(seed=seed, mode=mode):
                    self.assertEqual(told, [])
        self.assertEqual(self.errors, [])
        for where in WHERE:
            self.assertGreater(self.read[where], PLANS // 4, where)  # amounts that were there and read

    def broken_by(self, seed: int) -> Iterator[tuple[str, list[str]]]:
        """Open a whole plan, and say in each look where the window says something else than the ledger has."""
        self.reader = Reader(self.window)
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
                yield mode, list(self.told())
            self.try_something()
            yield "tried", list(self.told())
            self.desk.trial.give_up()
            self.run_action(ActionName.SETTLED)

    def test_views_that_ask_say_what_commands_do(self) -> None:
        """Worth a look, Room, Core by core and the day's summary have what commands have of the same file."""
        for seed in range(FIRST, FIRST + ASKED):
            case = Case(whole_plan(seed, SMALL), seed)
            with case.written() as path:
                shutil.copytree(path.parent, self.folder / f"asked-{seed}")
            for path in (self.folder / f"asked-{seed}").glob("*.ruvex.json"):
                self.assertTrue(self.window.open_path(path))
                self.settle()
                with self.subTest(seed=seed):
                    self.asked(path)
        self.assertEqual(self.errors, [])
        for where in ("worth", "room", "cores", "summary"):
            self.assertGreater(self.read[where], 0, where)

    def asked(self, path: Path) -> None:
        """Compare the views that ask something of a plan with the commands."""
        reader, plan = Reader(self.window), self.desk.look.plan
        self.shown("worth")
        document = json.loads(run("findings", "--json", str(path)).stdout)
        told = [one["text"] for one in document["findings"]]
        shown = Counter(reader.worth())
        self.assertLessEqual(shown, Counter(f"{one}." for one in told))
        self.assertTrue(shown.total() == len(told) or shown.total() >= MOST_SHOWN)
        self.read["worth"] += len(told)
        self.shown("room")
        pattern = self.desk.rooms.pattern
        if isinstance(pattern, str) and self.desk.rooms.more is not None:
            found = json.loads(run("room", "--json", "--like", pattern, str(path)).stdout)
            for host in found["hosts"]:
                counts = f"{host['paper']} on paper, {host['worst']} all day, {host['now']} now"
                says = f"none, {host['rule']}" if host["rule"] else counts
                self.assertIn(f"{plan.labels[host['host']]}: {says}", reader.room())
                self.read["room"] += 1
        self.shown("cores")
        host_id = self.desk.tracing.host
        if host_id is not None and self.desk.tracing.now is not None:
            turns = json.loads(run("cores", "--json", "--host", host_id, str(path)).stdout)
            of_things = reader.waits()
            for one in turns["guests"]:
                self.assertEqual(of_things[one["id"]], (one["run"], one["wait"], one["longest_ms"]))
                self.read["cores"] += 1
        self.shown("timeline")
        self.window.pages.toggle(ActionName.SUMMARY)
        self.settle()
        of_day = json.loads(run("run", "--json", str(path)).stdout)["guests"]
        played = [(plan.labels[one["id"]], short_span(one["unmet_s"])) for one in of_day if one["on_s"] > 0]
        self.assertEqual(sorted(cells[:2] for cells in reader.summary()), sorted(played))
        self.read["summary"] += len(played)
        self.window.sheet.close_sheet()
        self.go_to("division")

    def shown(self, view: str) -> None:
        """Go to a view, and wait until all that it asks is answered."""
        self.go_to(view)
        for _ in range(600):
            behind = getattr(self.window.views[view], "is_behind", False)
            player = self.desk.playing.player
            is_played = view != "timeline" or (player is not None and player.is_over)
            if is_played and not behind and not self.desk.tracing.is_busy and not self.desk.rooms.is_behind:
                break
            self.settle(10)
        self.settle()

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
        self.window.pages.toggle(ActionName.WHY)
        said = [*self.reader.rows(items), *self.reader.hosts(), *self.reader.site()]
        self.window.pages.toggle(ActionName.STORES)
        said += self.reader.stores()
        self.window.pages.toggle(ActionName.RULES)
        said += self.reader.rules()
        if not look.is_played and look.before is None:
            self.desk.selection.select(None)
            self.window.pages.toggle(ActionName.SPLIT)
            said += self.reader.split()
        said += self.reader.settings(items)
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
