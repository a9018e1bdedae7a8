"""What the window says of a look, read off what a person reads: each figure with whom it is of and where it stands."""

from __future__ import annotations

import csv
import io
import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from typing import cast

import numpy as np

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.panels.host_chips import HostChip
from ruvex.desktop.panels.row_story import host_story, row_story
from ruvex.desktop.sheets.guest_page import GuestPage
from ruvex.desktop.sheets.rules_page import RulesPage
from ruvex.desktop.sheets.split_page import SplitPage
from ruvex.desktop.sheets.stores_page import StoresPage
from ruvex.desktop.sheets.summary_page import SummaryPage
from ruvex.desktop.sheets.why_page import WhyPage
from ruvex.desktop.shell.window import Window
from ruvex.desktop.state.units import GHZ, GIB
from ruvex.desktop.views.beside import BesideView
from ruvex.desktop.views.division.wing_head import WingHead
from ruvex.desktop.views.guest_list.view import ListView
from ruvex.desktop.views.room.more import Marks
from ruvex.desktop.views.timeline import TimelineView
from ruvex.desktop.views.worth import WorthView
from ruvex.divide import Contended, Division, Tap
from ruvex.engine import rows
from ruvex.ledger import LookFigures, falls_short
from ruvex.plan import RESOURCE_KINDS, RESOURCES, THIN_SPACE, Resource, parse_number

_PLAIN = {THIN_SPACE: " ", "\u00a0": " ", "\u2212": "-"}
_AMOUNT = r"(-?[\d. ]*\d ?(?:[GMkT]?(?:Hz|iB)))"
_FLOW = r"(\d[\d. ]* (?:ops|MiB)/s)"
_WHOLE = r"(\d+) %"
_UNITS = {"cpu": GHZ, "memory": GIB}
_SHOWN = 0.0061
"""Amounts have three digits, or two decimals: at most half of the last digit of 1.00 is lost, and some rounding."""
_LEAST = {"cpu": 5.2, "memory": 5.2, "store": 0.51, "link": 0.51, "percent": 0.51, "number": 0.0061}
"""What the last digit of small amounts loses: half of 0.01 GHz or GiB, of a transfer, of a MiB/s, of a percent."""


@dataclass(frozen=True)
class Said:
    """A figure as it was read: where, which one and of whom, and how much; None where it says that there is none."""

    where: str
    figure: str
    of: str
    whom: str
    value: float | None
    parts: int = 1
    """Of how many figures it is the sum."""

    def differs(self, expected: float) -> bool:
        """Tell whether the digits shown are not those of a value."""
        least = _LEAST[self.of] * self.parts
        return self.value is not None and abs(self.value - expected) > max(_SHOWN * abs(expected), least)


def plain(text: str) -> str:
    """Give a text with usual spaces and signs."""
    for strange, usual in _PLAIN.items():
        text = text.replace(strange, usual)
    return text


def after(text: str, words: str, resource: Resource) -> float | None:
    """Read the amount that follows some words, MHz or MiB; None where they are not there."""
    found = re.search(f"{words} {_AMOUNT}", plain(text))
    return None if found is None else RESOURCE_KINDS[resource].parse(found[1])


def number(text: str) -> float:
    """Read a number with spaces between its thousands."""
    return parse_number(plain(text).replace(" ", ""))


def flow(text: str) -> float:
    """Read transfers a second, or MiB/s, with what may be told behind it."""
    return number(text.partition(", ")[0].removesuffix(" ops/s").removesuffix(" MiB/s"))


def line_of(story: str, name: Resource) -> str:
    """Give the line of a story that is of a resource."""
    title = f"{RESOURCE_KINDS[name].title}: "
    return next((line for line in story.splitlines() if line.startswith(title)), "")


class Reader:
    """Reads one window; what it gives is of the look that shows."""

    def __init__(self, window: Window) -> None:
        self.window, self.desk = window, window.desk

    def rows(self, items: list[str]) -> Iterator[Said]:
        """Dials, hovers and Why of some guests and pools."""
        why = cast(WhyPage, self.window.pages[ActionName.WHY])
        for item in items:
            self.desk.selection.select(item)
            story = row_story(self.desk, item)
            for name in RESOURCES:
                line = line_of(story, name)
                yield Said("hover", "lacks", name, item, after(line, "lacks", name))
                yield Said("hover", "would use", name, item, after(line, "wants", name))
                if (promised := after(line, "promised", name)) is not None:
                    yield Said("hover", "promised", name, item, promised)
                dial = self.window.dials.dials[name]
                yield Said("dial", "lacks", name, item, after(dial._met.text(), "lacks", name))
                ladder = why.sides[name].ladder.lines
                lacking = [number(one.figure.lstrip("+")) * _UNITS[name].per for one in ladder if one.kind == "lacks"]
                has = [one for one in ladder if one.kind == "sum"]
                yield Said("Why", "kept back", name, item, sum(lacking), max(len(lacking), 1))
                yield Said("Why", "delivered", name, item, number(has[0].figure) * _UNITS[name].per)
                if lacking:
                    yield Said("Why", "would use or work with", name, item, number(has[-1].figure) * _UNITS[name].per)

    def guest_list(self) -> Iterator[Said]:
        """The list, as it is saved: heads with units, and a line a guest."""
        view = cast(ListView, self.window.views["list"])
        table = view.table
        rows = list(csv.reader(io.StringIO(table.as_csv())))
        columns = [column for column in table.columns if column.kind != "spark"]
        for guest, cells in zip(table.shown, rows[1:], strict=True):
            whom = table.figures.plan.guests[guest].id
            for column, cell in zip(columns, cells, strict=True):
                if column.key not in LISTED or cell == "–":
                    continue
                figure, of = LISTED[column.key]
                value = number(cell.rstrip("%").strip())
                if column.kind in ("cpu", "memory"):
                    value *= _UNITS[column.kind].per
                yield Said("list", figure, "percent" if column.kind == "percent" else of, whom, value)

    def hosts(self) -> Iterator[Said]:
        """Chips and what they tell of hosts."""
        plan = self.desk.look.plan
        for chip in self.window.findChildren(HostChip):
            told = plain(chip.accessibleName())
            for name in RESOURCES:
                found = re.search(rf"{RESOURCE_KINDS[name].title} {_WHOLE}", told)
                yield Said(
                    "chip", f"{name} wanted of supply", "percent", chip.host, number(found[1]) if found else None
                )
        for at, host in enumerate(plan.hosts):
            story = host_story(self.desk, at)
            for name in RESOURCES if host.up else ():
                line = line_of(story, name)
                yield Said("hover of a host", "lacks", name, host.id, after(line, "its guests lack", name))
                for word in ("supply", "wanted", "delivered", "promised"):
                    yield Said("hover of a host", f"{word} there", name, host.id, after(line, word, name))

    def site(self) -> Iterator[Said]:
        """The day strip, the head of the window and the heads of the wings."""
        strip = plain(self.window.head.strip.accessibleDescription())
        for name in RESOURCES:
            found = re.search(rf"{RESOURCE_KINDS[name].title} {_WHOLE}", strip)
            yield Said("strip", f"{name} wanted of supply", "percent", "site", number(found[1]) if found else None)
        head = self.window.findChild(WingHead)
        assert head is not None
        for part in plain(head.accessibleName()).removeprefix("Supply: ").split("; "):
            name: Resource = "cpu" if part.startswith("CPU") else "memory"
            yield Said("wing head", "supply there", name, "site", after(part, RESOURCE_KINDS[name].title, name))
            for word in ("wanted", "promised", "free of promises"):
                found = re.search(rf"{word} (-?[\d. ]*\d)", part)
                value = None if found is None else number(found[1]) * _UNITS[name].per
                yield Said("wing head", "free of promises" if "free" in word else f"{word} there", name, "site", value)
        facts = re.search(r"(\d+) of (\d+) guests? on", plain(self.window.head.facts.toolTip()))
        if facts is not None:
            yield Said("head", "on", "number", "site", number(facts[1]))

    def stores(self) -> Iterator[Said]:
        """What is told of who is on each store."""
        page, plan = cast(StoresPage, self.window.pages[ActionName.STORES]), self.desk.look.plan
        places = {place.id: place for place in self.desk.look.division.flowing.places}
        for store in plan.stores:
            page.choose(store.id)
            lines = plain(page.told.text()).splitlines()
            yield Said("stores", "disks there", "number", store.id, number(lines[0].split()[0]))
            taken = re.search(rf"Paging takes {_FLOW}", "\n".join(lines))
            yield Said("stores", "taken", "store", store.id, flow(taken[1]) if taken else None)
            taps = places[store.id].taps if store.id in places else ()
            heads = Counter(f"{plain(plan.labels[tap.guest])}, {tap.disk}: " for tap in taps)
            for tap in taps:
                head = f"{plain(plan.labels[tap.guest])}, {tap.disk}: "
                line = next((line.removeprefix(head) for line in lines if line.startswith(head)), None)
                if line is None or heads[head] > 1:
                    continue  # only those that have most are named, and two of one name cannot be told apart
                has, _, wanted = line.rpartition(" of ")
                yield Said("stores", "disk wanted", "store", f"{tap.guest}/{tap.disk}", flow(wanted or has))
                if has:
                    yield Said("stores", "disk has", "store", f"{tap.guest}/{tap.disk}", number(has))

    def settings(self, items: list[str]) -> Iterator[Said]:
        """What the sheet of a guest's settings says that its disks do."""
        page, plan = cast(GuestPage, self.window.pages[ActionName.SETTINGS]), self.desk.look.plan
        for item in items:
            if item not in plan.guest_index or not plan.stores:
                continue
            self.desk.selection.select(item)
            if not page.isVisible():
                self.window.pages.toggle(ActionName.SETTINGS)
            for at, disk in enumerate(plan.guests[plan.guest_index[item]].disks):
                told = plain(page.disks.lines.item(at).text()).rpartition("   ")
                value = flow(told[2]) if told[0] else None
                yield Said("settings", "disk has", "store", f"{item}/{disk.id}", value)

    def split(self) -> Iterator[Said]:
        """What there is to split among the pools at the top."""
        page = cast(SplitPage, self.window.pages[ActionName.SPLIT])
        told = plain(page.told.text())
        top = [row for row, item in enumerate(self.desk.look.division.ids) if self.is_pool_at_top(row)]
        for name in RESOURCES if told.startswith("To split") and len(page.parts) == len(top) else ():
            amount = after(told, RESOURCE_KINDS[name].title, name)
            yield Said("split", "to split", name, "site", amount)

    def is_pool_at_top(self, row: int) -> bool:
        """Tell whether a row is of a pool beside which there are only pools and guests."""
        division = self.desk.look.division
        return division.parent_row[row] < 0 and division.ids[row] in self.desk.look.plan.pool_index

    def rules(self) -> Iterator[Said]:
        """What the sheet of rules says of the whole plan as it is now."""
        page = cast(RulesPage, self.window.pages[ActionName.RULES])
        now = {name: plain(text) for name, _, text in page.before_after.lines}
        for name in RESOURCES:
            word = RESOURCE_KINDS[name].word
            parse = RESOURCE_KINDS[name].parse
            short = now[f"guests short of {word}"]
            yield Said("rules", f"guests short of {word}", "number", "site", number(short))
            yield Said("rules", "lacking in all", name, "site", parse(now[f"{word} lacking"]))
            yield Said("rules", "free of promises", name, "site", parse(now[f"{word} free to promise"]))
        slowest = now["slowest pace"]
        yield Said("rules", "slowest pace", "number", "site", None if slowest == "–" else number(slowest))

    def timeline(self) -> Iterator[Said]:
        """What the crosshair reads at the moment: of guests and pools, and of hosts."""
        view = cast(TimelineView, self.window.views["timeline"])
        lanes = view.lanes
        lanes.set_cross(self.desk.look.plan.moment)
        for row in lanes.row_list.rows:
            told = plain(lanes._story(row))
            for name, title in (("cpu", "CPU"), ("memory", "memory")) if row.kind in ("guest", "pool") else ():
                found = re.search(rf", {title} ([\d. ]*\d)(?: of ([\d. ]*\d))?", told)
                per = self.desk.units.of(cast(Resource, name), row.item_id).per
                if found is None:
                    continue
                figure = "met" if found[2] else "has" if name == "cpu" else "backed"
                yield Said("timeline", figure, name, row.item_id, number(found[1]) * per)
                wanted = number(found[2]) * per if found[2] else None
                yield Said("timeline", "wanted where short", name, row.item_id, wanted)

    def beside(self) -> Iterator[tuple[str, Said]]:
        """What is told of guests then and now; each with the state that it is of."""
        view = cast(BesideView, self.window.views["beside"])
        found = self.desk.yardstick.found
        for one in found.beside.guests if found is not None else ():
            told = plain(view.rows.told(one))
            for name, title in (("cpu", "CPU"), ("memory", "memory")):
                read = re.search(rf"{title} {_AMOUNT} → {_AMOUNT}(?: of {_AMOUNT})?", told)
                if read is None:
                    continue
                parse = RESOURCE_KINDS[cast(Resource, name)].parse
                yield "then", Said("side by side", "met", name, one.guest, parse(read[1]))
                yield "now", Said("side by side", "met", name, one.guest, parse(read[2]))
                wanted = parse(read[3]) if read[3] else None
                yield "now", Said("side by side", "wanted where short", name, one.guest, wanted)

    def summary(self) -> list[tuple[str, ...]]:
        """Give the cells of the day's summary, the guest's name first."""
        return cast(SummaryPage, self.window.pages[ActionName.SUMMARY]).rows()

    def worth(self) -> list[str]:
        """Give the sentences of what is worth a look."""
        view = cast(WorthView, self.window.views["worth"])
        return [] if view.empty.isVisible() else [entry._text.text() for entry in view.entries]

    def room(self) -> str:
        """Give what is said of how many more each host takes."""
        marks = self.window.findChild(Marks)
        return "" if marks is None else marks.accessibleName()

    def waits(self) -> dict[str, tuple[float, float, float]]:
        """Give what Core by core writes of the host it shows, by guest: ran, waited, and the longest wait."""
        trace = self.desk.tracing.now
        found = {} if trace is None else trace.of_things
        return {item: (one.run, one.wait, one.longest_ms) for item, one in found.items()}


LISTED: dict[str, tuple[str, str]] = {
    "cpu_wanted": ("wanted", "cpu"), "cpu_delivered": ("has", "cpu"), "need": ("wanted", "memory"),
    "backed": ("backed", "memory"), "ops_wanted": ("wanted", "store"), "ops": ("has", "store"),
    "net_wanted": ("wanted", "link"), "net": ("has", "link"), "wait": ("CPU lacking", "percent"),
    "met": ("memory met", "percent"),
}  # fmt: skip


class Expected:
    """What the ledger has of a division, by figure and whom."""

    def __init__(self, division: Division) -> None:
        self.division, self.figures = division, LookFigures(division)

    def row(self, item: str) -> int:
        """Give the row of a guest or pool."""
        return self.division.position[item]

    def of(self, said: Said) -> float | None:
        """Give what a figure is; None where it is none, as nobody is short of what lacks."""
        give = getattr(self, f"_{said.figure.replace(' ', '_')}", None)
        if give is not None:
            return cast(float | None, give(said))
        if said.figure.endswith("wanted of supply"):
            return self._part(said.figure.split()[0], said.whom)
        if said.figure.endswith(" there"):
            return self._there(said.figure.split()[0], said)
        return float(self.figures.figure(said.figure, cast(Contended, said.of)).by_row[self.row(said.whom)])

    def _lacks(self, said: Said) -> float | None:
        of = cast(Contended, said.of)
        plan = self.division.site.plan
        if said.whom in plan.host_index:
            at = plan.host_index[said.whom]
            lacks, wanted = (float(one(of).by_host[at]) for one in (self.figures.lacks, self.figures.wanted))
        else:
            lacks, wanted = (
                float(one(of).by_row[self.row(said.whom)]) for one in (self.figures.lacks, self.figures.wanted)
            )
        return lacks if falls_short(lacks, wanted) else None

    def _would_use(self, said: Said) -> float:
        return float(self.division.of(cast(Resource, said.of)).wanted[self.row(said.whom)])

    def _delivered(self, said: Said) -> float:
        return float(self.division.of(cast(Resource, said.of)).delivered[self.row(said.whom)])

    def _kept_back(self, said: Said) -> float | None:
        """All that a ladder names as missing: what would be used less what is."""
        row, r = self.row(said.whom), self.division.of(cast(Resource, said.of))
        held = float(self.figures.parts(cast(Resource, said.of)).held[row])
        return self._nearest(said, float(r.wanted[row] - r.delivered[row]) + held)

    def _would_use_or_work_with(self, said: Said) -> float:
        return self._nearest(said, self._would_use(said))

    def _nearest(self, said: Said, value: float) -> float:
        """A working set beyond its own size is asked of nobody; where that size is what is told of, it counts."""
        unasked = float(self.division.layers.self_paged[self.row(said.whom)]) if said.of == "memory" else 0.0
        return min((value, value + unasked), key=lambda one: abs(one - (said.value or 0.0)))

    def _promised(self, said: Said) -> float:
        return float(self.division.of(cast(Resource, said.of)).claim[self.row(said.whom)])

    def _met(self, said: Said) -> float:
        return float(self.figures.met(cast(Contended, said.of)).by_row[self.row(said.whom)])

    def _wanted_where_short(self, said: Said) -> float | None:
        of, row = cast(Contended, said.of), self.row(said.whom)
        return float(self.figures.wanted(of).by_row[row]) if self.figures.is_row_short(of, row) else None

    def _CPU_lacking(self, said: Said) -> float:
        row = self.row(said.whom)
        wanted = float(self.figures.wanted("cpu").by_row[row])
        return 100 * float(self.figures.lacks("cpu").by_row[row]) / wanted if wanted > 0 else 0.0

    def _memory_met(self, said: Said) -> float:
        row = self.row(said.whom)
        need = float(self.figures.wanted("memory").by_row[row])
        return 100 * float(self.figures.met("memory").by_row[row]) / need if need > 0 else 100.0

    def _on(self, _said: Said) -> float:
        return float(self.division.site.standing.on.sum())

    def _disks_there(self, said: Said) -> float:
        places = self.division.flowing.places
        return float(sum(len(place.taps) for place in places if place.id == said.whom))

    def _taken(self, said: Said) -> float | None:
        place = next(place for place in self.division.flowing.places if place.id == said.whom)
        return place.taken if place.taken > 0 else None

    def _disk_wanted(self, said: Said) -> float | None:
        tap = self._tap(said.whom)
        return None if tap is None else tap.wanted

    def _disk_has(self, said: Said) -> float | None:
        tap = self._tap(said.whom)
        return None if tap is None else tap.delivered

    def _tap(self, whom: str) -> Tap | None:
        guest, _, disk = whom.rpartition("/")
        taps = (tap for place in self.division.flowing.places if place.kind == "store" for tap in place.taps)
        return next((tap for tap in taps if (tap.guest, tap.disk) == (guest, disk)), None)

    def _to_split(self, said: Said) -> float:
        """What pools at the top are promised and what nobody is, less what guests that are off would take if on."""
        division = self.division
        r, top = division.of(cast(Resource, said.of)), division.parent_row < 0
        pools = [row for row in np.flatnonzero(top).tolist() if division.ids[row] in division.site.plan.pool_index]
        guests = division.site.guests
        off = float(guests[rows.G_OVERHEAD, ~division.site.standing.on].sum()) if said.of == "memory" else 0.0
        return max(0.0, r.free + float(r.claim[pools].sum()) - off)

    def _free_of_promises(self, said: Said) -> float:
        return self.division.of(cast(Resource, said.of)).free

    def _lacking_in_all(self, said: Said) -> float:
        return float(self.figures.lacks(cast(Contended, said.of)).total)

    def _guests_short_of_CPU(self, _said: Said) -> float:
        return float(self.figures.how_many_short("cpu"))

    def _guests_short_of_memory(self, _said: Said) -> float:
        return float(self.figures.how_many_short("memory"))

    def _slowest_pace(self, _said: Said) -> float | None:
        paces = self.division.layers.pace
        return float(np.nanmin(paces)) if np.any(~np.isnan(paces)) else None

    def _part(self, name: str, whom: str) -> float | None:
        r = self.division.of(cast(Resource, name))
        if whom == "site":
            supply, wanted = r.supply, r.total_wanted
        else:
            k, at = RESOURCES.index(cast(Resource, name)), self.division.site.plan.host_index[whom]
            supply, wanted = (float(of[k, at]) for of in (self.division.by_host.supply, self.division.by_host.wanted))
            if supply <= 0:
                return None
        return 100 * wanted / supply if supply > 0 else 100.0

    def _there(self, word: str, said: Said) -> float:
        r = self.division.of(cast(Resource, said.of))
        if said.whom == "site":
            return {"supply": r.supply, "wanted": r.total_wanted, "promised": r.promised}[word]
        k, at = RESOURCES.index(cast(Resource, said.of)), self.division.site.plan.host_index[said.whom]
        figures = self.division.by_host
        values = {
            "supply": figures.supply, "wanted": figures.wanted, "delivered": figures.delivered,
            "promised": self.figures.promises.of_hosts,
        }  # fmt: skip
        return float(np.asarray(values[word])[k, at])
