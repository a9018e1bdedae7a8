"""What is shown: settings, demand and a time, settled or played, and the division they make."""

from __future__ import annotations

from typing import Final, Literal

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ruvex.desktop.state.background import Background
from ruvex.desktop.state.document import Document
from ruvex.desktop.state.playing import Playing
from ruvex.desktop.state.rehearsal import Rehearsal
from ruvex.divide import Asked, Day, Division, day_of, demand_at, divide
from ruvex.ledger import LookFigures
from ruvex.plan import Plan, format_time
from ruvex.play import Player, division_at, played_day
from ruvex.promise import Claims, claims_of
from ruvex.site import Site

_COARSE_DAY: Final = 25
"""Moments of the day strip that are worked out at once on opening; the full day follows from the background."""
_MANY: Final = 2_000
_LEAST_DAY: Final = 5
_DAY_DELAY_MS: Final = 60
"""The day strip is redrawn this long after the last edit: it need not follow a dial step by step."""


Mode = Literal["settled", "played"]
"""As it would come to rest if the moment lasted, or as the day has it then."""


class Look(QObject):
    """The one thing that every view, panel and sheet shows.

    Attributes
    ----------
    mode
        Which of both is asked for; ``is_played`` tells whether it is there.
    site, division
        The plan as shown, what is being tried included, as arrays; and its division.
    before
        While a step is being tried, the division without it; else None.
    last
        The division that was shown before this one.
    day, day_before
        What the day strip draws; and while something is tried, the same without it, else None.

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
        self,
        document: Document,
        playing: Playing,
        rehearsal: Rehearsal,
        background: Background,
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._document, self._playing, self._background = document, playing, background
        self._rehearsal = rehearsal
        self.mode: Mode = "settled"
        self.site: Site = document.site
        self._told: Site = self.site
        self._demand: Asked = demand_at(self.site, self.plan.moment)
        self.division: Division = divide(self.site, demand=self._demand)
        self._figures: LookFigures | None = None
        self._claims: Claims | None = None
        self.last: Division = self.division
        self.before: Division | None = None
        self.day: Day = day_of(self.site, moments=_COARSE_DAY)
        self.day_before: Day | None = None
        self._day_timer = QTimer(self)
        self._day_timer.setSingleShot(True)
        self._day_timer.setInterval(_DAY_DELAY_MS)
        self._day_timer.timeout.connect(self._on_day_due)
        document.opened.connect(self._on_opened)
        document.edited.connect(self._on_edited)
        playing.ended.connect(self.again)
        rehearsal.changed.connect(self._on_rehearsed)

    @property
    def plan(self) -> Plan:
        """The plan as shown, what is being tried included."""
        return self.site.plan

    @property
    def claims(self) -> Claims:
        """What is claimed of every pool and host as it is shown: with what is being tried, and at a time of a play."""
        if self._claims is None or self._claims.site is not self.division.site:
            self._claims = claims_of(self.division.site)
        return self._claims

    @property
    def figures(self) -> LookFigures:
        """Every figure of what is shown."""
        if self._figures is None or self._figures.division is not self.division:
            self._figures = LookFigures(self.division)
        return self._figures

    @property
    def demand(self) -> Asked:
        """What the guests' work asks for at this time."""
        return self._demand

    @property
    def is_played(self) -> bool:
        """Whether every figure that is shown is what was played."""
        return self.division.is_played

    @property
    def told(self) -> str:
        """The words that stand beside the time."""
        at = format_time(self.plan.moment)
        if self.is_played:
            return f"played: as the day has it at {at}"
        if self.mode == "played":
            return f"settled, until the day is played as far as {at}"
        return f"settled: as it would settle if {at} lasted"

    def set_mode(self, mode: Mode) -> None:
        """Look at the same time as it would settle, or as it was played."""
        if mode != self.mode:
            self.mode = mode
            self._playing.want(wanted=mode == "played")
            self._look_at(self._document.plan.moment)

    def set_moment(self, at_s: float) -> None:
        """Look at another time of the day."""
        at_s = min(max(at_s, 0.0), self.plan.day_s)
        if at_s != self._document.plan.moment:
            self._look_at(at_s)

    def again(self) -> None:
        """Look at the moment anew: what was played of it is another."""
        self._look_at(self._document.plan.moment)

    def show(self, site: Site, *, before: Division | None) -> None:
        """Show a plan over the same file: one that is being tried, or with no ``before`` the document's own.

        While a play is looked at, figures stay as they were until the day of what is being tried has been played.
        """
        if before is not None and before.is_played and _same_rows(site, self.site):
            self.before, self.last = before, self.division
            found = self._tried()
            if found is None:
                found = before.over(before.site.with_plan(_as_played(site.plan, self._document.plan, before.site.plan)))
            self.division, self.site = found, found.site
            self._tell()
            return
        if self.mode == "played" and before is None:
            self._work_out()
            self._tell()
            return
        if site.signals is not self.site.signals:
            self._demand = demand_at(site, site.plan.moment)
        self.site, self.before, self.last = site, before, self.division
        self.division = divide(site, demand=self._demand, levels=self.division.levels)
        self._day_timer.start()
        self._tell()

    def _tell(self, *, moment: bool = False) -> None:
        """Tell that the figures are others, and the rows where they are: those shown may have been of another plan.

        What was played may be of a plan with other rows than the document has by now.
        """
        told, self._told = self._told, self.site
        if not _same_rows(self.site, told):
            self.rows_changed.emit()
        if moment:
            self.moment_changed.emit()
        self.changed.emit()

    def _look_at(self, at_s: float) -> None:
        was_played = self.is_played
        self._document.resting.emit()
        self._document.leaving.emit()
        is_other = at_s != self._document.plan.moment
        self._document.move_moment(at_s)
        self._work_out()
        self._tell(moment=is_other)
        if self.is_played != was_played:
            self._on_day_due()

    def _work_out(self) -> None:
        """Divide what the document has, or take what was played at its moment."""
        document = self._document
        self.before, self.last = None, self.division
        played = self._played()
        if played is None:
            self.site, self._demand = document.site, demand_at(document.site, document.plan.moment)
            self.division = divide(self.site, demand=self._demand)
        else:
            self.division, self._demand = played, played.demand
            self.site = played.site

    def _tried(self) -> Division | None:
        """Give what is being tried at this time of its own day, as far as that has been played by now."""
        return self._named(self._rehearsal.tried)

    def _on_rehearsed(self) -> None:
        """Show the day of what is being tried once it is there, and take over that of the plan."""
        rehearsal, playing = self._rehearsal, self._playing
        if self.before is not None and self.before.is_played:
            found = self._tried()
            if found is not None:
                self.last, self.division, self.site = self.division, found, found.site
                self._tell()
            self._day_timer.start()
        elif (
            rehearsal.base is not None
            and rehearsal.is_of_plan
            and playing.is_wanted
            and not playing.is_in_force
            and not playing.is_running
        ):
            playing.take_over(rehearsal.base)

    def _played(self) -> Division | None:
        """Give what was played of the moment; None where that is not asked for or not there."""
        playing = self._playing
        return self._named(playing.player) if self.mode == "played" and playing.is_in_force else None

    def _named(self, player: Player | None) -> Division | None:
        """Give the moment of a play, with the names, notes and moment of the document whatever was played since."""
        plan = self._document.plan
        found = None if player is None else division_at(player, plan.moment)
        if found is None:
            return None
        update = {"name": plan.name, "notes": plan.notes, "moment": plan.moment, "events": plan.events}
        return found.over(found.site.with_plan(found.site.plan.model_copy(update=update)))

    def _on_opened(self) -> None:
        self._work_out()
        # Of a plan of 10 000 guests as many moments as of a small one would hold the window.
        part = _MANY / max(self.site.guests.shape[1], _MANY)
        self.day, self.day_before = day_of(self.site, moments=max(_LEAST_DAY, round(_COARSE_DAY * part))), None
        self._on_day_due()
        self._told = self.site
        self.rows_changed.emit()
        self.changed.emit()
        self.day_changed.emit()

    def _on_edited(self, _text: str) -> None:
        self._day_timer.start()
        if self.site is self._document.site:
            # It was tried, and is kept as it is shown.
            self.before = None
            self._tell()
        else:
            self.show(self._document.site, before=None)

    def _on_day_due(self) -> None:
        """Work out what the day strip draws: of what was played, or as each moment would settle; tried or not."""
        document, rehearsal, playing = self._document, self._rehearsal, self._playing
        site, is_tried = document.site, self.before is not None
        players: tuple[Player | None, Player | None] = (None, None)
        if self.is_played:
            base = playing.player if playing.player is not None and playing.player.is_over else rehearsal.base
            players = (base, rehearsal.tried if is_tried else None)
        shown = self.site

        def work() -> tuple[Day, Day | None]:
            if players[0] is not None:
                before = played_day(players[0])
                after = played_day(players[1]) if players[1] is not None else None
            else:
                before = day_of(site)
                after = day_of(shown) if is_tried else None
            return (before, None) if after is None else (after, before)

        def show(days: tuple[Day, Day | None] | None, problem: Exception | None) -> None:
            if problem is not None:
                raise problem
            # Another plan may have been opened meanwhile, or what was tried is given up: that day is on its way then.
            if days is not None and _same_rows(site, self._document.site):
                self.day, self.day_before = (
                    days if is_tried == (self.before is not None) else (days[1] or days[0], None)
                )
                self.day_changed.emit()

        self._background.run("day", work, show)


def _same_rows(one: Site, other: Site) -> bool:
    """Tell whether views show the same rows of two plans: of guests and pools, of hosts, banks and links, of stores."""
    if one.layout is not other.layout:
        return False
    if one.plan.hosts is other.plan.hosts and one.plan.stores is other.plan.stores:
        return True
    return _places(one.plan) == _places(other.plan)


def _places(plan: Plan) -> tuple[object, ...]:
    hosts = [(host.id, host.bank is not None, bool(host.links)) for host in plan.hosts]
    return hosts, [store.id for store in plan.stores]


def _as_played(tried: Plan, base: Plan, played: Plan) -> Plan:
    """Give a plan that is being tried with the settings that events had brought by then, and whoever was on there."""
    guests = tuple(
        there if new is old else new.model_copy(update={"power": there.power, "host": there.host})
        for new, old, there in zip(tried.guests, base.guests, played.guests, strict=True)
    )
    pools = tuple(
        there if new is old else new for new, old, there in zip(tried.pools, base.pools, played.pools, strict=True)
    )
    rules = played.rules if tried.rules is base.rules else tried.rules
    return tried.model_copy(update={"guests": guests, "pools": pools, "hosts": played.hosts, "rules": rules})
