"""Why it gets what it gets: the ladder, who has what it lacks, and what would help; CPU left, memory right."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Final

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from ruvex.advise import Move, ladder_lines, moves_for
from ruvex.desktop.kit.elided_label import ElidedLabel
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.panels.offer_button import OfferButton
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, figure, figure_with_unit
from ruvex.desktop.state.steps import settings_step
from ruvex.divide import Shifts, ladder_of, looks_same, who_has_it
from ruvex.plan import RESOURCES, Resource

_HEIGHT: Final = 176
_PART_OF_WINDOW: Final = 22  # percent
_LINE: Final = 17
_FIGURES: Final = 78
_MOST_NAMED: Final = 4
_SUBJECT: Final = "why"

_Answer = tuple[Mapping[Resource, Shifts], Mapping[Resource, Sequence[Move]]]


class LadderLines(QWidget):
    """The steps of a figure, one a line: amount, and what it is.

    Attributes
    ----------
    lines
        What is shown.
    """

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self.lines: list[tuple[str, str]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_lines(self, lines: list[tuple[str, str]]) -> None:
        """Show other steps."""
        if lines != self.lines:
            if len(lines) != len(self.lines):
                self.updateGeometry()
            self.lines = lines
            self.setAccessibleName("; ".join(f"{amount} {text}" for amount, text in lines))
            self.setToolTip("\n".join(f"{amount}  {text}" for amount, text in lines))
            self.update()

    def sizeHint(self) -> QSize:
        """Ask for as many lines as there are."""
        return QSize(100, self._theme.px(_LINE) * max(1, len(self.lines)))

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the steps, the sum under a line."""
        painter, theme = QPainter(self), self._theme
        figures, high = theme.px(_FIGURES), theme.px(_LINE)
        for number, (amount, text) in enumerate(self.lines):
            is_sum = text == "delivered"
            face = theme.face(12, bold=is_sum)
            top = number * high
            painter.setPen(theme.colours.ink)
            if is_sum and number:
                painter.drawLine(theme.px(8), top, figures, top)
            face.draw_right(painter, figures, top, high, amount)
            painter.setPen(theme.colours.ink if is_sum else theme.colours.muted)
            shown = face.metrics.elidedText(text, Qt.TextElideMode.ElideRight, self.width() - figures - theme.px(8))
            face.draw(painter, figures + theme.px(8), top, high, shown)
        painter.end()


class _Side(QWidget):
    """The panel of one resource."""

    def __init__(self, resource: Resource, desk: Desk, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._resource, self._desk, self._theme = resource, desk, theme
        self.ladder = LadderLines(theme, self)
        self.having = ElidedLabel(theme, 12, parent=self)
        self._title = QLabel(f"What would help: {NAME[resource]}", self)
        self.offers: list[OfferButton] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(3)
        self._column.addWidget(self.ladder)
        self._column.addWidget(self.having)
        self._column.addWidget(self._title)
        self._column.addStretch(1)

    def show_ladder(self) -> None:
        """Show the steps of what is selected."""
        desk, item = self._desk, self._desk.selection.current
        division = desk.look.division
        if item is None or not division.on[division.position[item]]:
            self.ladder.show_lines([])
            return
        unit = desk.units.of(self._resource, item)
        ladder = ladder_of(division, item, self._resource)
        self.ladder.show_lines(ladder_lines(ladder, desk.look.plan, lambda value: figure_with_unit(value, unit)))

    def show_answer(self, having: Shifts | None, moves: Sequence[Move]) -> None:
        """Show who has what is missing, and what would help."""
        desk, unit = self._desk, self._desk.units.common(self._resource)
        labels = {guest.id: guest.label for guest in desk.look.plan.guests}
        ids = desk.look.division.ids
        told = ""
        if having is not None:
            pairs = zip(having.rows[:_MOST_NAMED].tolist(), having.amounts.tolist(), strict=False)
            named = [f"{labels[ids[row]]} {figure(-amount, unit)}" for row, amount in pairs]
            more = having.rows.size - _MOST_NAMED
            told = f"Who has it: {', '.join(named)}" + (f" and {more} more" if more > 0 else "")
        self.having.set_text(told)
        self.having.setVisible(bool(told))
        for offer in self.offers:
            self._column.removeWidget(offer)
            offer.hide()
            offer.deleteLater()
        self.offers = [self._offer(move, labels) for move in moves]
        for place, offer in enumerate(self.offers):
            self._column.insertWidget(3 + place, offer)
        self._title.setVisible(bool(moves))

    def _offer(self, move: Move, labels: Mapping[str, str]) -> OfferButton:
        desk, unit = self._desk, self._desk.units.common(self._resource)
        paying = [f"{labels[guest]} {figure(amount, unit)}" for guest, amount in move.losses[:2]]
        more = f" and {len(move.losses) - 2} more" if len(move.losses) > 2 else ""
        paid = f", paid by {', '.join(paying)}{more}" if paying else ", nobody pays"
        item = desk.selection.item
        label = item.label if item is not None else ""
        step = settings_step(f"{label}: {move.text}", move.changes)
        gain = figure_with_unit(move.gain, unit, signed=True)
        return OfferButton(desk, self._theme, step, move.text + paid, gain, self)

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        self._title.setFont(self._theme.font(12, bold=True))
        self.ladder.updateGeometry()


class WhyPanel(QScrollArea):
    """Explains the figures of what is selected; only while it shows.

    Attributes
    ----------
    sides
        One for each resource.
    answered_for
        The id whose moves show, None while they are looked for.
    """

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self.answered_for: str | None = None
        self._shown = desk.look.division
        self._asked: tuple[object, ...] = ()
        body = QWidget(self)
        self.sides = {name: _Side(name, desk, theme, body) for name in RESOURCES}
        row = QHBoxLayout(body)
        row.setContentsMargins(16, 4, 16, 6)
        row.setSpacing(24)
        for side in self.sides.values():
            row.addWidget(side, 1)
        self.setWidget(body)
        self.setWidgetResizable(True)
        self.setFrameShape(QScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Why it gets what it gets")
        desk.look.changed.connect(self._on_divided)
        desk.selection.changed.connect(self._on_divided)
        desk.units.changed.connect(self._on_divided)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Explain what is selected now."""
        super().showEvent(event)
        self._on_divided()

    def fit(self, window_height: int) -> None:
        """Take no more of the window's height than leaves room for the rows."""
        part = window_height * _PART_OF_WINDOW // 100
        self.setFixedHeight(min(self._theme.px(_HEIGHT), max(part, self._theme.px(_LINE) * 4)))

    def _on_divided(self) -> None:
        if self.isHidden():
            return
        division, shown = self._desk.look.division, self._shown
        self._shown = division
        is_moving = self._desk.look.before is not None and shown.ids is division.ids
        for name, side in self.sides.items():
            # A dial that is on its way mostly leaves the other resource as it is.
            if not (is_moving and looks_same(shown.of(name), division.of(name))):
                side.show_ladder()
        # While a dial moves, or an offer is only looked at, the answers stand: they are about the plan as it is.
        if self._desk.look.before is None:
            self._ask()

    def _ask(self) -> None:
        item, site, division = self._desk.selection.current, self._desk.look.site, self._desk.look.division
        question = (site, item, self._desk.units.chosen("cpu"), self._desk.units.chosen("memory"))
        if question == self._asked:
            return  # an offer was only looked at: what is offered must not move under the pointer
        self._asked, self.answered_for = question, None
        if item is None or not division.on[division.position[item]]:
            self._desk.background.drop(_SUBJECT)
            for side in self.sides.values():
                side.show_answer(None, ())
            return

        def work() -> _Answer:
            return who_has_it(site, division, item), moves_for(site, division, item)

        def show(answer: _Answer | None, problem: Exception | None) -> None:
            if problem is not None:
                raise problem
            if answer is not None and question == self._asked:
                having, moves = answer
                self.answered_for = item
                for name, side in self.sides.items():
                    side.show_answer(having.get(name), moves[name])

        self._desk.background.run(_SUBJECT, work, show)

    def _on_theme_changed(self) -> None:
        window = self.window()
        self.fit(window.height() if window is not None else 0)
        for side in self.sides.values():
            side.style_anew()
        self._on_divided()
