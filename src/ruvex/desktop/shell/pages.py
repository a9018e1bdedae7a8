"""The pages of the side sheet: what opens each, and how it is made, when it is first asked for."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Final, TypeVar

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.panels.view import Bench
from ruvex.desktop.sheets import SideSheet
from ruvex.desktop.sheets.emptying_page import EmptyingPage
from ruvex.desktop.sheets.events_page import EventsPage
from ruvex.desktop.sheets.guest_page import GuestPage, PoolPage
from ruvex.desktop.sheets.handing_page import HandOverPage, TakeBackPage
from ruvex.desktop.sheets.keys_page import KeysPage
from ruvex.desktop.sheets.load_page import LoadPage
from ruvex.desktop.sheets.log_page import LogPage
from ruvex.desktop.sheets.placement_page import PlacementPage
from ruvex.desktop.sheets.plan_page import PlanPage
from ruvex.desktop.sheets.proof_page import ProofPage
from ruvex.desktop.sheets.rules_page import RulesPage
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.sheets.split_page import SplitPage
from ruvex.desktop.sheets.stores_page import StoresPage
from ruvex.desktop.sheets.summary_page import SummaryPage
from ruvex.desktop.sheets.table_page import TablePage
from ruvex.desktop.sheets.why_page import WhyPage
from ruvex.plan import Pool

P = TypeVar("P", bound=Page)


@dataclass(frozen=True, slots=True)
class PageSpec:
    """What a page is to the window.

    Attributes
    ----------
    kind, make
        What it is, and how it is made.
    action
        What opens it; None where something else does, as a file that is brought in.
    """

    kind: type[Page]
    make: Callable[[Bench], Page]
    action: ActionName | None = None


PAGES: Final[tuple[PageSpec, ...]] = (
    PageSpec(GuestPage, lambda b: GuestPage(b.desk, b.editor, b.theme), ActionName.SETTINGS),
    PageSpec(PoolPage, lambda b: PoolPage(b.desk, b.editor, b.theme)),
    PageSpec(PlanPage, lambda b: PlanPage(b.desk, b.editor, b.theme), ActionName.PLAN),
    PageSpec(StoresPage, lambda b: StoresPage(b.desk, b.editor, b.theme), ActionName.STORES),
    PageSpec(RulesPage, lambda b: RulesPage(b.desk, b.editor, b.theme), ActionName.RULES),
    PageSpec(SplitPage, lambda b: SplitPage(b.desk, b.theme), ActionName.SPLIT),
    PageSpec(PlacementPage, lambda b: PlacementPage(b.desk, b.theme), ActionName.PLACEMENT),
    PageSpec(EmptyingPage, lambda b: EmptyingPage(b.desk, b.theme), ActionName.EMPTY_HOST),
    PageSpec(EventsPage, lambda b: EventsPage(b.desk, b.events, b.theme), ActionName.EVENTS),
    PageSpec(WhyPage, lambda b: WhyPage(b.desk, b.theme), ActionName.WHY),
    PageSpec(LogPage, lambda b: LogPage(b.desk, b.theme), ActionName.LOG),
    PageSpec(SummaryPage, lambda b: SummaryPage(b.desk, b.theme), ActionName.SUMMARY),
    PageSpec(ProofPage, lambda b: ProofPage(b.desk, b.theme), ActionName.PROOF),
    PageSpec(KeysPage, lambda b: KeysPage(b.theme), ActionName.KEYS),
    PageSpec(TablePage, lambda b: TablePage(b.desk, b.editor, b.theme)),
    PageSpec(LoadPage, lambda b: LoadPage(b.desk, b.editor, b.theme)),
    PageSpec(HandOverPage, lambda b: HandOverPage(b.desk, b.theme)),
    PageSpec(TakeBackPage, lambda b: TakeBackPage(b.desk, b.theme, b.editor.take_back)),
)


class Pages:
    """Makes each page when it is first asked for: most windows show few, and to make all takes a third of a second.

    Parameters
    ----------
    bench
        What pages are made with.
    sheet
        Where they show.

    Attributes
    ----------
    actions
        Those that open a page.
    """

    def __init__(self, bench: Bench, sheet: SideSheet) -> None:
        self._bench, self._sheet = bench, sheet
        self._made: dict[type[Page], Page] = {}
        self._of_action: Mapping[ActionName, type[Page]] = {spec.action: spec.kind for spec in PAGES if spec.action}
        self.actions = tuple(self._of_action)

    def __getitem__(self, action: ActionName) -> Page:
        """Give the page that an action opens."""
        return self.get(self._of_action[action])

    def get(self, kind: type[P], when_made: Callable[[P], Any] | None = None) -> P:
        """Give a page by what it is.

        Parameters
        ----------
        kind
            Its class.
        when_made
            Called with it if it is made just now, to listen to it.
        """
        if kind not in self._made:
            spec = next(spec for spec in PAGES if spec.kind is kind)
            page = self._made[kind] = spec.make(self._bench)
            page.setParent(self._sheet)
            page.hide()
            page.left.connect(self._sheet.close_sheet)
            if when_made is not None:
                assert isinstance(page, kind)
                when_made(page)
        page = self._made[kind]
        assert isinstance(page, kind)
        return page

    def shows(self, kind: type[Page]) -> bool:
        """Tell whether a page shows; it is not made for being asked."""
        return kind in self._made and self._sheet.shows(self._made[kind])

    def shows_page_of(self, action: ActionName) -> bool:
        """Tell whether the page shows that an action opens."""
        return self.shows(self._of_action[action])

    def add_host(self) -> None:
        """Add a host, on the page of the plan."""
        self.open(PlanPage).add_host()

    def empty_host(self, host: str) -> None:
        """Show where the guests of a host could go."""
        self._bench.desk.selection.select(host)
        self.open(EmptyingPage)

    def open(self, kind: type[P]) -> P:
        """Open a page, and give it."""
        page = self.get(kind)
        self._sheet.open(page)
        return page

    def of_selection(self) -> Page:
        """Give the page with the settings of what is selected: a guest, a pool, or the host, as the plan's page."""
        selection = self._bench.desk.selection
        if selection.item is not None:
            return self.get(PoolPage if isinstance(selection.item, Pool) else GuestPage)
        page = self.get(PlanPage)
        if selection.host is not None:
            page.choose(selection.host.id)
        return page

    def toggle(self, action: ActionName) -> None:
        """Open a page; asked for again, close it."""
        page = self.of_selection() if action is ActionName.SETTINGS else self[action]
        if self._sheet.shows(page):
            self._sheet.close_sheet()
        else:
            self._sheet.open(page)
            page.setFocus()

    def follow_selection(self) -> None:
        """Let settings that show be those of what is selected now."""
        if self.shows(GuestPage) or self.shows(PoolPage):
            page = self.of_selection()
            if not self._sheet.shows(page):
                self._sheet.open(page)
            self._sheet.to_top()
