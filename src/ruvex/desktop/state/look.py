"""What is shown: settings, demand and a time, and the division they make."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ruvex.desktop.state.background import Background
from ruvex.desktop.state.document import Document
from ruvex.desktop.state.playing import Playing
from ruvex.divide import Day, Demand, Division, day_of, demand_at, divide
from ruvex.plan import Plan
from ruvex.site import Site

_COARSE_DAY: Final = 25
"""Moments of the day strip that are worked out at once on opening; the full day follows from the background."""
_DAY_DELAY_MS: Final = 60
"""The day strip is redrawn this long after the last edit: it need not follow a dial step by step."""


class Look(QObject):
    """The one thing that every view, panel and sheet shows.

    Attributes
    ----------
    site, division
        The plan as shown, what is being tried included, as arrays; and its division.
    before
        While a step is being tried, the division without it; else None.
    last
        The division that was shown before this one.
    day
        What the day strip draws.

    Signals
    -------
    rows_changed()
        The tree is another one: rows came, went or changed places. Sent before ``changed``.
    changed()
        The division is a new one.
    moment_changed()
        It is of another time. Sent before ``changed``.
    day_changed()
        ``day`` is new; it comes from the background.
    """

    rows_changed = pyqtSignal()
    changed = pyqtSignal()
    moment_changed = pyqtSignal()
    day_changed = pyqtSignal()

    def __init__(
        self, document: Document, playing: Playing, background: Background, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._document, self._playing, self._background = document, playing, background
        self.site: Site = document.site
        self._demand: Demand = demand_at(self.site, self.plan.moment)
        self.division: Division = divide(self.site, demand=self._demand)
        self.last: Division = self.division
        self.before: Division | None = None
        self.day: Day = day_of(self.site, moments=_COARSE_DAY)
        self._day_timer = QTimer(self)
        self._day_timer.setSingleShot(True)
        self._day_timer.setInterval(_DAY_DELAY_MS)
        self._day_timer.timeout.connect(self._on_day_due)
        document.opened.connect(self._on_opened)
        document.edited.connect(self._on_edited)
        playing.ended.connect(self.again)

    @property
    def plan(self) -> Plan:
        """The plan as shown, what is being tried included."""
        return self.site.plan

    @property
    def demand(self) -> Demand:
        """What the guests' work asks for at this time."""
        return self._demand

    def set_moment(self, at_s: float) -> None:
        """Look at another time of the day."""
        at_s = min(max(at_s, 0.0), self.plan.day_s)
        if at_s != self._document.plan.moment:
            self._look_at(at_s)

    def again(self) -> None:
        """Look at the moment anew: what was played of it is another."""
        self._look_at(self._document.plan.moment)

    def show(self, site: Site, *, before: Division | None) -> None:
        """Show a plan over the same file: one that is being tried, or with no ``before`` the document's own."""
        same_rows = site.layout is self.site.layout
        if site.signals is not self.site.signals:
            self._demand = demand_at(site, site.plan.moment)
        self.site, self.before, self.last = site, before, self.division
        self.division = divide(site, demand=self._demand, levels=self.division.levels)
        if not same_rows:
            self.rows_changed.emit()
        self.changed.emit()

    def _look_at(self, at_s: float) -> None:
        self._document.resting.emit()
        self._document.leaving.emit()
        is_other = at_s != self._document.plan.moment
        self._document.move_moment(at_s)
        self._work_out()
        if is_other:
            self.moment_changed.emit()
        self.changed.emit()

    def _work_out(self) -> None:
        """Divide what the document has, or what is in force where its moment has been played."""
        plan = self._document.plan
        played = self._playing.in_force(plan.moment, plan)
        self.site = self._document.site if played is None else self._document.site.with_plan(played[0])
        self._demand = demand_at(self.site, plan.moment) if played is None else played[1]
        self.before, self.last = None, self.division
        self.division = divide(self.site, demand=self._demand)

    def _on_opened(self) -> None:
        self._work_out()
        self.day = day_of(self.site, moments=_COARSE_DAY)
        self._on_day_due()
        self.rows_changed.emit()
        self.changed.emit()
        self.day_changed.emit()

    def _on_edited(self, _text: str) -> None:
        self._day_timer.start()
        if self.site is self._document.site:
            # It was tried, and is kept as it is shown.
            self.before = None
            self.changed.emit()
        else:
            self.show(self._document.site, before=None)

    def _on_day_due(self) -> None:
        site = self._document.site

        def show(day: Day | None, problem: Exception | None) -> None:
            if problem is not None:
                raise problem
            # Another plan may have been opened meanwhile; its own day is on its way then.
            if day is not None and site.layout is self.site.layout:
                self.day = day
                self.day_changed.emit()

        self._background.run("day", lambda: day_of(site), show)
