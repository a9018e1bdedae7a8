"""Why it gets what it gets: the ladder, who has what it lacks, what would help, and what the guest itself sees."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from ruvex.advise import HelpfulMove, ending_text, moves_for, rung_text, stop_text
from ruvex.desktop.kit.elided_label import ElidedLabel
from ruvex.desktop.kit.letting_go import let_go
from ruvex.desktop.kit.plain_list import PlainList
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.kit.wrapped_label import WrappedLabel
from ruvex.desktop.panels.offer_button import OfferButton
from ruvex.desktop.panels.row_story import behind_text
from ruvex.desktop.sheets.ladder_lines import LadderLine, LadderLines
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, figure, figure_with_unit, percent
from ruvex.desktop.state.steps import settings_step
from ruvex.desktop.state.units import Unit
from ruvex.divide import Division, Ladder, Shifts, ladder_of, looks_same, who_has_it
from ruvex.plan import RESOURCE_KINDS, RESOURCES, Guest, Plan, Resource, find_item, format_time
from ruvex.words import counted, flow_lines

_MOST_NAMED: Final = 3
_MOST_OFFERS: Final = 4
_MOST_HURT: Final = 12
_SUBJECT: Final = "why"

_Answer = tuple[Mapping[Resource, Shifts], Mapping[Resource, Sequence[HelpfulMove]]]


class _Side(QWidget):
    """What there is to say of one resource.

    Attributes
    ----------
    ladder, having, offers
        The steps of the figure; who has what is missing; what would help.
    """

    def __init__(self, resource: Resource, desk: Desk, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._resource, self._desk, self._theme = resource, desk, theme
        self._title = QLabel(NAME[resource], self)
        self._sum = ElidedLabel(theme, 12, at_right=True, parent=self)
        self.ladder = LadderLines(theme, self)
        self.having, self._help = QLabel(self), QLabel("What would help", self)
        self.having.setWordWrap(True)
        self.having.setTextFormat(Qt.TextFormat.PlainText)
        self.offers: list[OfferButton] = []
        head = QGridLayout()
        head.addWidget(self._title, 0, 0)
        head.addWidget(self._sum, 0, 1)
        head.setColumnStretch(1, 1)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        self._column.addLayout(head)
        for widget in (self.ladder, self.having, self._help):
            self._column.addWidget(widget)

    def show_ladder(self, division: Division, item: str) -> None:
        """Show the steps of what is selected."""
        unit = self._desk.units.of(self._resource, item)
        ladder = ladder_of(division, item, self._resource)
        top_pool = int(division.top_pool[division.position[item]])
        colours = self._theme.bar_colours(None if top_pool < 0 else top_pool)
        behind = behind_text(division, self._resource, division.position[item], unit)
        self.ladder.show_lines(ladder_steps(ladder, division.site.plan, unit, behind), colours)
        used = ladder.delivered - ladder.held
        of = f" of {figure_with_unit(ladder.wanted, unit)}" if ladder.stops else f" {unit.name}"
        self._sum.set_text(f"{figure(used, unit)}{of}")

    def show_answer(self, division: Division, having: Shifts | None, moves: Sequence[HelpfulMove]) -> None:
        """Show who has what is missing in a division, and what would help; names are of its plan, as its rows are."""
        unit, labels, ids = self._desk.units.common(self._resource), division.site.plan.labels, division.ids
        told = ""
        if having is not None:
            pairs = zip(having.rows[:_MOST_NAMED].tolist(), having.amounts.tolist(), strict=False)
            named = [f"{labels[ids[row]]} {figure(-amount, unit)}" for row, amount in pairs]
            more = having.rows.size - _MOST_NAMED
            told = f"Who has it: {', '.join(named)}" + (f" and {more} more" if more > 0 else "")
        self.having.setText(told)
        self.having.setVisible(bool(told))
        for offer in self.offers:
            let_go(offer, self._column)
        self.offers = [self._offer(move, labels) for move in moves[:_MOST_OFFERS]]
        for offer in self.offers:
            self._column.addWidget(offer)
        self._help.setVisible(bool(moves))

    def _offer(self, move: HelpfulMove, labels: Mapping[str, str]) -> OfferButton:
        desk, unit = self._desk, self._desk.units.common(self._resource)
        paying = [f"{labels[guest]} {figure(amount, unit)}" for guest, amount in move.losses[:2]]
        more = f" and {len(move.losses) - 2} more" if len(move.losses) > 2 else ""
        paid = f"{', '.join(paying)}{more} {'pays' if len(move.losses) == 1 else 'pay'}" if paying else "nobody pays"
        item = desk.selection.item
        label = item.label if item is not None else ""
        step = settings_step(f"{label}: {move.text}", move.changes)
        gain = figure_with_unit(move.gain, unit, signed=True)
        return OfferButton(desk, self._theme, step, move.text, gain, self, below=paid)

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for label in (self._title, self._help):
            label.setFont(self._theme.font(12.5, bold=True))
        self.having.setFont(self._theme.font(12))
        self._sum.updateGeometry()
        self.ladder.updateGeometry()


def ladder_steps(ladder: Ladder, plan: Plan, unit: Unit, behind: str = "") -> list[LadderLine]:
    """Give the steps of a ladder: what it has, their sum, what keeps back the rest, and up to what is wanted."""

    def amount(value: float) -> str:
        return figure_with_unit(value, unit)

    lines, level = [], 0.0
    for i, rung in enumerate(ladder.rungs):
        sign = "+" if i and rung.amount > 0 else ""
        low, high = sorted((level, level + rung.amount))
        lines.append(
            LadderLine(sign + figure(rung.amount, unit), rung_text(ladder, rung, amount, plan), low, high, "has")
        )
        level += rung.amount
    lines.append(LadderLine(figure(ladder.delivered, unit), "delivered", 0.0, ladder.delivered, "sum"))
    level = ladder.delivered
    if ladder.held > 0 and ladder.stops:
        lines.append(
            LadderLine(f"−{figure(ladder.held, unit)}", "of it held, though idle", level - ladder.held, level, "has")
        )
        level -= ladder.held
    for stop in ladder.stops:
        lines.append(
            LadderLine(
                f"+{figure(stop.amount, unit)}", stop_text(ladder, stop, plan), level, level + stop.amount, "lacks"
            )
        )
        level += stop.amount
    if ladder.stops:
        lines.append(LadderLine(figure(ladder.wanted, unit), f"wanted{behind}", level, level, "sum"))
    else:
        lines.append(LadderLine("", ending_text(ladder, plan), level, level, "told"))
    return lines


class WhyPage(Page):
    """Explains the figures of what is selected; only while it shows.

    Attributes
    ----------
    sides
        One for each resource.
    hurt
        While no guest or pool is selected, those that lack most.
    flows, inside
        What it gets of its disks and links; what the guest itself sees.
    answered_for
        The id whose offers show, None while they are looked for.
    """

    roomy = True

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self.answered_for: str | None = None
        self._shown: tuple[Division, str | None] = (desk.look.division, None)
        self._asked: tuple[object, ...] = ()
        self._hint = WrappedLabel(theme, 12, muted=True, parent=self)
        self.hurt = PlainList(theme, "Who lacks most", self)
        self.hurt.opened.connect(desk.selection.select)
        self.hurt.chosen.connect(desk.selection.select)
        self.sides = {name: _Side(name, desk, theme, self) for name in RESOURCES}
        self._flows_title = QLabel("Disks and network", self)
        self.flows = WrappedLabel(theme, 12, parent=self)
        self._inside_title = QLabel("As the guest sees it", self)
        self.inside = WrappedLabel(theme, 12, muted=True, parent=self)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(10)
        for widget in (self._hint, self.hurt, *self.sides.values(), self._flows_title, self.flows, self._inside_title,
                       self.inside):  # fmt: skip
            column.addWidget(widget)
        column.addStretch(1)
        desk.look.changed.connect(self._on_changed)
        desk.selection.changed.connect(self._on_changed)
        desk.units.changed.connect(self._on_changed)

    @property
    def title(self) -> str:
        """Name what is explained, and the look."""
        item, look = self._desk.selection.item, self._desk.look
        name = item.label if item is not None else "who lacks most"
        mode = "played" if look.is_played else "settled"
        return f"Why  {name}, {mode} at {format_time(look.plan.moment)}"

    def enter(self) -> None:
        """Explain what is selected now."""
        self._shown = (self._shown[0], None)
        self._explain()

    def _on_changed(self) -> None:
        # While an offer is only pointed at, nothing here moves from under the pointer: rows and strip show its effect.
        step = self._desk.trial.step
        is_pointed_at = any(offer.step is step for side in self.sides.values() for offer in side.offers)
        if self.isVisible() and not (step is not None and is_pointed_at):
            self._explain()

    def _explain(self) -> None:
        division, item = self._desk.look.division, self._desk.selection.current
        (was, was_item), self._shown = self._shown, (division, item)
        is_there = item is not None and bool(division.on[division.position[item]])
        for side in self.sides.values():
            side.setVisible(is_there)
        self.hurt.setVisible(not is_there and item is None)
        guest = self._desk.selection.item
        has_inside = is_there and isinstance(guest, Guest)
        flows = flow_lines(division, item) if has_inside and item is not None else []
        self.flows.set_text("\n".join(flows))
        self._flows_title.setVisible(bool(flows))
        self.flows.setVisible(bool(flows))
        self._inside_title.setVisible(has_inside)
        self.inside.setVisible(has_inside)
        if item is None:
            self._show_hurt(division)
        elif not is_there:
            self._hint.set_text("It is powered off, and takes no part.")
        else:
            self._hint.set_text(self._what_is_tried())
            is_moving = self._desk.look.before is not None and was.ids is division.ids and was_item == item
            for name, side in self.sides.items():
                # A dial that is on its way mostly leaves the other resource as it is.
                if not (is_moving and looks_same(was.of(name), division.of(name))):
                    side.show_ladder(division, item)
            if isinstance(guest, Guest):
                self.inside.set_text("\n".join(inside_lines(self._desk, guest, division)))
        self._hint.setVisible(bool(self._hint.text()))
        self.titled.emit(self.title)
        # While something is tried, who has it and what would help stand still: they are about the plan as it is, and
        # an offer that is pointed at must not move away from under the pointer.
        if self._desk.look.before is None:
            self._ask()

    def _what_is_tried(self) -> str:
        step = self._desk.trial.step
        return f"As it would be with: {step.text}." if self._desk.look.before is not None and step is not None else ""

    def _show_hurt(self, division: Division) -> None:
        host, plan = self._desk.selection.host, self._desk.look.plan
        lacking: dict[int, list[str]] = {}
        parts: dict[int, float] = {}
        for name in RESOURCES:
            figures, unit = self._desk.look.figures, self._desk.units.common(name)
            wants, met, lacks = figures.wanted(name).values, figures.met(name).values, figures.lacks(name).values
            for i in np.flatnonzero(figures.is_short(name)).tolist():
                row = division.position[plan.guests[i].id]
                if host is not None and division.host_of(row) != host.id:
                    continue
                what, wanted = RESOURCE_KINDS[name].word, float(wants[i])
                got = figure(float(met[i]), unit)
                lacking.setdefault(row, []).append(f"{got} of {figure_with_unit(wanted, unit)} {what}")
                parts[row] = max(parts.get(row, 0.0), float(lacks[i]) / wanted)
        worst = sorted(lacking, key=lambda row: -parts[row])[:_MOST_HURT]
        where = f"on {host.label} " if host is not None else ""
        text = f"Nobody {where}lacks anything at this moment." if not worst else (
            f"{counted(len(lacking), 'guest')} {where}{'lacks' if len(lacking) == 1 else 'lack'} something; those that"
            " lack the largest part of it come first. Choose one to see why."
        )  # fmt: skip
        self._hint.set_text(text)
        ids = [division.ids[row] for row in worst]
        labels = [plan.labels[guest] for guest in ids]
        texts = [f"{label}: {' and '.join(lacking[row])}" for label, row in zip(labels, worst, strict=True)]
        self.hurt.show_lines(list(zip(ids, texts, strict=True)))
        self.hurt.setVisible(bool(worst))

    def _ask(self) -> None:
        item, site, division = self._desk.selection.current, self._desk.look.site, self._desk.look.division
        question = (site, item, self._desk.units.chosen("cpu"), self._desk.units.chosen("memory"))
        if question == self._asked:
            return  # an offer was only looked at: what is offered must not move under the pointer
        self._asked, self.answered_for = question, None
        if item is None or not division.on[division.position[item]]:
            self._desk.background.drop(_SUBJECT)
            for side in self.sides.values():
                side.show_answer(division, None, ())
            return

        def work() -> _Answer:
            return who_has_it(site, division, item), moves_for(site, division, item)

        def show(answer: _Answer | None, problem: Exception | None) -> None:
            if problem is not None:
                raise problem
            if answer is None or question != self._asked:
                return
            if self._desk.look.before is None and self._desk.look.site is not site:
                # The plan became another one while nobody looked at this page: it is asked anew when somebody does.
                self._asked = ()
                return
            having, moves = answer
            self.answered_for = item
            for name, side in self.sides.items():
                side.show_answer(division, having.get(name), moves[name])

        self._desk.background.run(_SUBJECT, work, show)

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for title in (self._flows_title, self._inside_title):
            title.setFont(self._theme.font(12.5, bold=True))
        for label in (self._hint, self.flows, self.inside):
            label.updateGeometry()
        self.hurt.style_anew()
        for side in self.sides.values():
            side.style_anew()


def inside_lines(desk: Desk, guest: Guest, division: Division) -> list[str]:
    """Tell what the guest's own system shows, so that figures from inside and outside can be told apart."""
    row, layers, plan = division.position[guest.id], division.layers, division.site.plan
    unit = desk.units.of("memory", guest.id)
    lines = [f"It believes it has {figure_with_unit(float(layers.visible[row]), unit)} of memory."]
    host = division.host_of(row)
    there = find_item(plan, host) if host is not None else None
    speed = guest.vcpus * float(getattr(there, "mhz", 0.0))
    wanted, lacks = (float(of("cpu").by_row[row]) for of in (desk.look.figures.wanted, desk.look.figures.lacks))
    if speed > 0:
        busy = f"Its vCPUs look {percent(min(wanted, speed), speed)} busy to it"
        waits = lacks / wanted if wanted > 0 else 0.0
        lines.append(f"{busy}; {percent(waits, 1.0)} of that it only waits." if waits > 0.005 else f"{busy}.")
    working = float(layers.working[row])
    lost = float(layers.self_paged[row]) + float(layers.squeezed[row]) + float(layers.spilled[row])
    if working > 0 and min(lost, working) > 0.005 * working:
        own = float(layers.self_paged[row]) > 0
        why = "to its own disk" if own else "and it cannot see why: its system knows nothing of it"
        lines.append(f"Up to {percent(min(lost, working), working)} of its work waits for pages that went away, {why}.")
    else:
        lines.append("None of its work waits for pages that went away.")
    return lines
