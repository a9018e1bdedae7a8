"""Better places: arrows from column to column, each with what it gains, who pays, and a button that does it."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from ruvex.desktop.kit.wrapped_label import WrappedLabel
from ruvex.desktop.panels.offer_button import OfferButton
from ruvex.desktop.panels.view import Bench
from ruvex.desktop.state.steps import settings_step
from ruvex.desktop.views.room.columns import HostColumns
from ruvex.desktop.views.room.section import Section, SectionCanvas
from ruvex.divide import CONTENDED_WORDS
from ruvex.placing import BetterPlaces, PlacingStep
from ruvex.words import counted, hours_text, label_of, payers_text, places_text, step_text

_PITCH: Final = 34


class Arrows(SectionCanvas):
    """Draws the moves of one step."""

    def __init__(self, bench: Bench, columns: HostColumns, step: PlacingStep, parent: QWidget) -> None:
        super().__init__(bench.theme, columns, parent)
        self._desk, self._step = bench.desk, step

    @property
    def high(self) -> float:
        """A line for each move."""
        return _PITCH * len(self._step.moves) + 8

    def draw(self, painter: QPainter) -> None:
        """Draw an arrow from the host that is left to the other one, the name on it."""
        plan, px, division = self._desk.document.plan, self.theme.px, self._desk.look.division
        if self.columns is None:
            return
        face = self.theme.face(12, bold=True)
        for number, (guest, source, to) in enumerate(self._step.moves):
            hosts = [plan.host_index.get(one, -1) for one in (source, to)]
            ends = [self.columns.of(host) for host in hosts]
            y = px(4) + (number + 0.5) * px(_PITCH)
            row = division.position.get(guest, -1)
            top = int(division.top_pool[row]) if row >= 0 else -1
            bar = self.theme.bar_colours(None if top < 0 else top)
            # A host that is not shown lies beyond the edge.
            at = [
                one.x + one.width / 2
                if one is not None
                else (0.0 if host < self.columns.first else float(self.width()))
                for one, host in zip(ends, hosts, strict=True)
            ]
            painter.setPen(QPen(bar.edge, 1.8))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            sign = 1.0 if at[1] > at[0] else -1.0
            painter.drawLine(QPointF(at[0] + sign * px(5), y), QPointF(at[1] - sign * px(8), y))
            painter.drawEllipse(QPointF(at[0], y), px(4), px(4))
            painter.setBrush(bar.edge)
            tip = QPolygonF([QPointF(at[1], y), QPointF(at[1] - sign * px(10), y - px(5)),
                             QPointF(at[1] - sign * px(10), y + px(5))])  # fmt: skip
            painter.drawPolygon(tip)
            name = label_of(plan, guest)
            wide = face.width(name) + px(16)
            place = QRectF((at[0] + at[1] - wide) / 2, y - px(10), wide, px(20))
            painter.setBrush(self.theme.colours.paper)
            painter.setPen(QPen(bar.edge, 1.2))
            painter.drawRoundedRect(place, px(10), px(10))
            painter.setPen(self.theme.colours.ink)
            face.draw_centred(painter, place, name)


class PlacesHead(Section):
    """What all moves together come to.

    Attributes
    ----------
    told
        In words.
    apply_all
        Makes all of them; None where there are none.
    """

    def __init__(self, bench: Bench, columns: HostColumns, found: BetterPlaces | None, parent: QWidget) -> None:
        super().__init__(bench.theme, "Better places, over the day", _Nothing(bench, columns, parent), parent)
        self.told = WrappedLabel(bench.theme, 12.5, parent=self)
        self.apply_all: OfferButton | None = None
        plan = bench.desk.document.plan
        if found is None:
            self.told.set_text("Being looked for\u2026")
        else:
            self.told.set_text(places_text(found, plan) + ".")
        self.right.addWidget(self.told)
        if found is not None and len(found.steps) > 1:
            count = len(found.moves)
            step = settings_step(
                f"{counted(count, 'guest')} to better places", [(guest, {"host": host}) for guest, host in found.moves]
            )
            self.apply_all = OfferButton(bench.desk, bench.theme, step, f"Move all {count}", "", self)
            self.left.addWidget(self.apply_all)
        self.finish()


class _Nothing(SectionCanvas):
    def __init__(self, bench: Bench, columns: HostColumns, parent: QWidget) -> None:
        super().__init__(bench.theme, columns, parent)

    @property
    def high(self) -> float:
        return 34


class StepSection(Section):
    """One step of them.

    Attributes
    ----------
    gain, payers
        What it gains over the day; who gains and who pays.
    apply
        Makes it.
    """

    def __init__(self, bench: Bench, columns: HostColumns, step: PlacingStep, parent: QWidget) -> None:
        plan = bench.desk.document.plan
        super().__init__(bench.theme, "", Arrows(bench, columns, step, parent), parent)
        self.head.hide()
        gains = [(hours, CONTENDED_WORDS[of]) for of, hours in step.hours_of.items()]
        parts = [hours_text(hours, what) for hours, what in gains if abs(hours) >= 0.005]
        self.gain = WrappedLabel(bench.theme, 12.5, parent=self)
        self.gain.set_text(", ".join(parts))
        self.payers = WrappedLabel(bench.theme, 12, muted=True, parent=self)
        self.payers.set_text(payers_text(step, plan))
        reason = WrappedLabel(bench.theme, 12, muted=True, parent=self)
        reason.set_text(step.reason)
        changes = [(guest, {"host": to}) for guest, _, to in step.moves]
        text = "Move it" if len(step.moves) == 1 else f"Move these {len(step.moves)}"
        self.apply = OfferButton(bench.desk, bench.theme, settings_step(step_text(step, plan), changes), text, "", self)
        self.left.addWidget(reason)
        self.left.addWidget(self.apply)
        for widget in (self.gain, self.payers):
            self.right.addWidget(widget)
        self.finish()
