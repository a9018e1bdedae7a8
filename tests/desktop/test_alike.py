"""What the window says of a look, on whole plans, is what the ledger has: dials, hovers, list, chips and strip."""

from __future__ import annotations

import re
import shutil
from collections.abc import Iterator

import numpy as np

from ruvex.desktop.panels.host_chips import HostChip
from ruvex.desktop.panels.row_story import host_story, row_story
from ruvex.desktop.views.guest_list.columns import COLUMNS
from ruvex.desktop.views.guest_list.columns import Figures as ListFigures
from ruvex.engine import rows as r
from ruvex.ledger import SHORT_PART, LookFigures
from ruvex.plan import RESOURCE_KINDS, RESOURCES, THIN_SPACE, EditError, Resource
from tests.desktop.base import WindowCase
from tests.laws.case import Case
from tests.laws.whole import SMALL, whole_plan

PLANS, FIRST = 24, 31_000
ITEMS = 5
SHOWN, LEAST = 0.006, 5.2
"""Figures are written to three digits, and to two decimals at most: half of the last one of 1.00, and of 0.01 GiB."""
LISTED = {
    "cpu_wanted": ("wanted", "cpu"), "need": ("wanted", "memory"), "ops_wanted": ("wanted", "store"),
    "net_wanted": ("wanted", "link"),
}  # fmt: skip


def amount(text: str, word: str, resource: Resource) -> float | None:
    """Read the amount that follows a word, MHz or MiB; None where the word is not there."""
    found = re.search(
        rf"{word} ([\u2212-]?[\d. ]+ [GMkT]?(?:Hz|iB))", text.replace(THIN_SPACE, " ").replace("\u00a0", " ")
    )
    return None if found is None else RESOURCE_KINDS[resource].parse(found[1])


class Alike(WindowCase):
    """The same figure for the same thing, wherever it stands."""

    compared = 0

    def test_the_window_says_what_the_ledger_has(self) -> None:
        """On whole plans, settled and as it was played, with something tried and without."""
        for seed in range(FIRST, FIRST + PLANS):
            case = Case(whole_plan(seed, SMALL), seed)
            with case.written() as path:
                shutil.copytree(path.parent, self.folder / f"plan-{seed}")
            for path in (self.folder / f"plan-{seed}").glob("*.ruvex.json"):
                self.assertTrue(self.window.open_path(path))
                self.settle()
                for mode in ("settled", "played"):
                    self.desk.look.set_mode(mode)
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
                self.desk.look.set_mode("settled")
                self.settle()
        self.assertEqual(self.errors, [])
        self.assertGreater(self.compared, 100)  # amounts that were lacking and read

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
        """Say where the window says something else."""
        division, figures = self.desk.look.division, LookFigures(self.desk.look.division)
        for row, item in enumerate(division.ids):
            if not division.on[row] or row % max(1, len(division.ids) // ITEMS):
                continue
            self.desk.selection.select(item)
            for name in RESOURCES:
                lacks = float(figures.lacks(name).by_row[row])
                is_short = lacks > SHORT_PART * float(figures.wanted(name).by_row[row])
                dial = self.dials.dials[name]._met.text()
                title = f"{RESOURCE_KINDS[name].title}: "
                story = next(line for line in row_story(self.desk, item).splitlines() if line.startswith(title))
                for where, text in (("the dial", dial), ("the hover", story)):
                    said = amount(text, "lacks", name)
                    if (said is not None) != is_short:
                        yield f"{where} of {item}: {text!r}, and it lacks {lacks:g} of {name}"
                    self.compared += said is not None
                    if said is not None and abs(said - lacks) > max(SHOWN * lacks, LEAST):
                        yield f"{where} of {item} lacks {said:g} of {name}, and the ledger has {lacks:g}"
        yield from self._listed(figures)
        yield from self._hosts(figures)

    def _listed(self, figures: LookFigures) -> Iterator[str]:
        listed = ListFigures(self.desk.look.plan, figures.division, None, None)
        for column in COLUMNS:
            if column.key in LISTED:
                what, of = LISTED[column.key]
                expected = getattr(figures, what)(of).values
                if not np.array_equal(np.asarray(column.values(listed)), expected):
                    yield f"the list has {column.values(listed)} of {column.key}, the ledger {expected}"
        part = next(column for column in COLUMNS if column.key == "wait").values(listed)
        cpu = figures.lacks("cpu").values
        if not np.allclose(np.asarray(part) * figures.wanted("cpu").values, cpu, atol=1e-6):
            yield f"the list waits {part}, and the ledger lacks {cpu}"

    def _hosts(self, figures: LookFigures) -> Iterator[str]:
        division, plan = figures.division, self.desk.look.plan
        for chip in self.window.findChildren(HostChip):
            at = plan.host_index[chip.host]
            for k, name in enumerate(RESOURCES):
                there = (division.site.standing.host == at) & (figures.division.site.guests[r.G_BANKED] * k == 0)
                wanted = float(division.of(name).wanted_of_guests[there].sum())
                supply = float(division.by_host.supply[k, at])
                if supply > 0 and abs(chip.parts[k] * supply - wanted) > 1e-6 * max(wanted, 1.0):
                    yield f"the chip of {chip.host} wants {chip.parts[k] * supply:g} of {name}, its guests {wanted:g}"
        for at, host in enumerate(plan.hosts):
            story = host_story(self.desk, at)
            for k, name in enumerate(RESOURCES):
                lacks, wanted = float(figures.lacks(name).by_host[at]), float(division.by_host.wanted[k, at])
                line = next(
                    (one for one in story.splitlines() if one.startswith(f"{RESOURCE_KINDS[name].title}: ")), ""
                )
                said = amount(line, "its guests lack", name)
                if host.up and (said is not None) != (lacks > SHORT_PART * wanted):
                    yield f"the hover of {host.id}: {line!r}, and its guests lack {lacks:g} of {name}"
                elif said is not None and abs(said - lacks) > max(SHOWN * lacks, LEAST):
                    yield f"the hover of {host.id} lacks {said:g} of {name}, the ledger {lacks:g}"
