"""Without a host: what is there already in each column, who comes back in order of return, what does not fit."""

from __future__ import annotations

from typing import Final

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QPushButton, QToolTip, QWidget

from ruvex.advise import Without
from ruvex.desktop.kit.theme import texture_brush
from ruvex.desktop.kit.wrapped_label import WrappedLabel
from ruvex.desktop.panels.view import Bench
from ruvex.desktop.state.rooms import Lost
from ruvex.desktop.views.room.columns import HostColumn, HostColumns
from ruvex.desktop.views.room.section import Section, SectionCanvas, Spots
from ruvex.placing import SettledLoss
from ruvex.plan import Plan, format_memory, format_time
from ruvex.words import first_names, label_of, short_span, shortage_text

_ROW: Final = 62
_BAR, _CPU = 13, 4
_PALE: Final = 0.5
_MOST_NAMED: Final = 3


class Homecoming(SectionCanvas):
    """Draws one loss: every other host with who was there and who comes back, the lost one as a dotted frame.

    Signals
    -------
    chosen(guest)
        A guest that comes back was clicked.
    """

    chosen = pyqtSignal(str)

    def __init__(self, bench: Bench, columns: HostColumns, loss: SettledLoss, lost: Lost, parent: QWidget) -> None:
        super().__init__(bench.theme, columns, parent)
        self._desk, self._loss, self._lost = bench.desk, loss, lost
        self._spots = Spots()

    @property
    def high(self) -> float:
        """A bar, a thin one, and a line of words."""
        return _ROW

    def draw(self, painter: QPainter) -> None:
        """Draw each host."""
        self._spots.clear()
        plan = self._desk.document.plan
        if self.columns is None:
            return
        for column in self.columns.all:
            if column.host >= len(plan.hosts):
                continue
            if plan.hosts[column.host].id == self._loss.host:
                self._draw_lost(painter, column, plan)
            else:
                self._draw_other(painter, column, plan)

    def _draw_lost(self, painter: QPainter, column: HostColumn, plan: Plan) -> None:
        px, colours = self.theme.px, self.theme.colours
        its = [guest for guest, _ in self._loss.back] + [one.guest for one in self._loss.off]
        need = sum(self._need(plan, guest) for guest in its)
        place = QRectF(column.x + 0.5, px(6) + 0.5, column.width - 1, px(_BAR + _CPU + 4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(colours.muted, 1.2, Qt.PenStyle.DotLine))
        painter.drawRect(place)
        count = f"{len(its)} guest{'s' if len(its) != 1 else ''}"
        self.words(
            painter, column.x + px(6), px(8), column.width - px(12), f"lost: {count}, {format_memory(round(need))}"
        )

    def _need(self, plan: Plan, guest: str) -> float:
        return float(self._lost.loads.wanted[1, self._lost.row, plan.guest_index[guest]])

    def _draw_other(self, painter: QPainter, column: HostColumn, plan: Plan) -> None:
        px, colours, loads, row = self.theme.px, self.theme.colours, self._lost.loads, self._lost.row
        site = self._desk.document.site
        here = site.standing.on & (site.standing.host == column.host)
        comers = [guest for guest, host in self._loss.back if host == plan.hosts[column.host].id]
        supply = np.maximum(loads.supply[:, row, column.host], 1e-9)
        there = loads.wanted[:, row][:, here].sum(axis=1)
        room = column.width - px(16)
        scale = room / float(supply[1])
        y = float(px(6))
        wide = min(float(there[1]) * scale, room)
        painter.fillRect(QRectF(column.x, y, wide, px(_BAR)), colours.supply_free)
        x = column.x + wide
        end = column.x + room
        division = self._desk.look.division
        for guest in comers:
            width = max(self._need(plan, guest) * scale, 1.5)
            index = division.position.get(guest, -1)
            top = int(division.top_pool[index]) if index >= 0 else -1
            bar = self.theme.bar_colours(None if top < 0 else top)
            inside = max(min(x + width, end) - x, 0.0)
            if inside > 0:
                place = QRectF(x, y, inside, px(_BAR))
                painter.fillRect(place, bar.soft)
                painter.fillRect(QRectF(x, y, min(px(2), inside), px(_BAR)), bar.edge)
                self._spots.add(
                    place,
                    guest,
                    f"{label_of(plan, guest)} comes back here, {format_memory(round(self._need(plan, guest)))}",
                )
            x += inside
        over = float(there[1]) + sum(self._need(plan, guest) for guest in comers) - float(supply[1])
        if over > 1:
            beyond = QRectF(end, y, min(over * scale, px(15)), px(_BAR))
            painter.fillRect(beyond, texture_brush("missing", colours.ink, self.devicePixelRatioF()))
            self._spots.add(beyond, "", f"{format_memory(round(over))} of need more than there is")
        asked = float(there[0]) + sum(float(loads.wanted[0, row, plan.guest_index[guest]]) for guest in comers)
        y += px(_BAR) + 3
        part = asked / float(supply[0])
        painter.fillRect(QRectF(column.x, y, min(part, 1.0) * room, px(_CPU)), colours.supply)
        if part > 1:
            beyond = QRectF(end, y, min((part - 1) * room, px(15)), px(_CPU))
            painter.fillRect(beyond, texture_brush("missing", colours.ink, self.devicePixelRatioF()))
        painter.setPen(QPen(colours.ink, 1.4))
        painter.drawLine(QPointF(end, px(3)), QPointF(end, y + px(_CPU) + 2))
        names = [label_of(plan, guest) for guest in comers]
        told = first_names(names, _MOST_NAMED) if names else "nobody comes here"
        self.words(painter, column.x, y + px(_CPU) + 3, column.width, told)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Tell of what is pointed at."""
        found = self._spots.at(event)
        if event is not None:
            QToolTip.showText(event.globalPosition().toPoint(), found[1] if found else "", self)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose who comes back."""
        found = self._spots.at(event)
        if found is not None and found[0]:
            self.chosen.emit(found[0])


class LossSection(Section):
    """One host that is lost, and what follows.

    Attributes
    ----------
    host
        Its id.
    back, hurt
        Who comes back and who stays off; who lacks more.
    empty_button
        Leads to the order of moves that empties it.
    """

    def __init__(self, bench: Bench, columns: HostColumns, loss: SettledLoss, lost: Lost, parent: QWidget) -> None:
        plan = bench.desk.document.plan
        canvas = Homecoming(bench, columns, loss, lost, parent)
        super().__init__(bench.theme, f"Without {label_of(plan, loss.host)}", canvas, parent)
        self.host, self._loss = loss.host, loss
        canvas.chosen.connect(bench.desk.selection.select)
        self.back = WrappedLabel(bench.theme, 12.5, parent=self)
        self.hurt = WrappedLabel(bench.theme, 12, muted=True, parent=self)
        self._worst = WrappedLabel(bench.theme, 12, muted=True, parent=self)
        self._worst.set_text(f"settled, all day; worst about {format_time(loss.worst_at_s)}")
        self.empty_button = QPushButton("Empty it in order\u2026", self)
        self.empty_button.setToolTip("For maintenance: who moves where, in which order, with times")
        self.left.addWidget(self._worst)
        self.left.addWidget(self.empty_button, 0, Qt.AlignmentFlag.AlignLeft)
        self.right.addWidget(self.back)
        self.right.addWidget(self.hurt)
        self.show_played(plan, None)
        self.finish()

    def show_played(self, plan: Plan, played: Without | None) -> None:
        """Tell of the loss; with what the play of it has, once that is there."""
        loss = self._loss
        off = [one for one in loss.off if not one.is_told]
        if off:
            named = first_names([label_of(plan, one.guest) for one in off], _MOST_NAMED)
            why = next(
                (shortage_text(plan, one.lacks) for one in off if one.lacks is not None), "no other host may take it"
            )
            text = f"{named} stay{'s' if len(off) == 1 else ''} off: {why}."
        elif loss.back:
            text = "All come back."
        else:
            text = "Nobody is on it."
        if played is not None and (played.back or played.off):
            if played.back:
                text += (
                    f" Lost at {format_time(played.at_s)}, the last runs after {short_span(played.back[-1].after_s)}"
                )
            missing = len(played.off) + len(played.booting) - sum(one.is_told for one in loss.off)
            text += f"; {missing} not within half an hour." if missing > len(off) and played.back else "."
        self.back.set_text(text)
        told = [f"{label_of(plan, one.guest)} {-one.hours:.1f} h" for one in loss.hurt]
        hurt = f"lack more: {first_names(told, _MOST_NAMED)}" if told else "nobody lacks more"
        self.hurt.set_text(f"{hurt}; {loss.before:.0f} guest-hours lacking become {loss.after:.0f}")
