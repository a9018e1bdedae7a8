"""Painting the cells of the list: a small bar behind each figure, and the day as a spark line."""

from __future__ import annotations

from typing import Final

import numpy as np
from PyQt6.QtCore import QModelIndex, QPointF, QRect, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QStyledItemDelegate, QStyleOptionViewItem, QWidget

from ruvex.desktop.kit.painting import guarded
from ruvex.desktop.kit.theme import BarColours, Theme, blend, texture_brush
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.views.guest_list.columns import ListColumn
from ruvex.desktop.views.guest_list.model import GuestTable

ROW: Final = 22
_PAD: Final = 8
_POINTS: Final = 96
_TEXTURES: Final = {"balloon": "balloon", "squeezed": "squeezed", "spilled": "spilled"}
_WAITS: Final = ("wait", "by_chance", "chance_wait")
_TEXTURED: Final = (*_TEXTURES, *_WAITS, "met")
_PALE: Final = 0.68
_HURT: Final = 0.995


class Cells(QStyledItemDelegate):
    """Paints one cell."""

    def __init__(self, desk: Desk, theme: Theme, table: GuestTable, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._theme, self._table = desk, theme, table

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex) -> QSize:
        """Ask for a row of one line."""
        return QSize(60, self._theme.px(ROW))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Paint the ground, the bar, the text, and a ring around a row that is selected."""
        if painter is None:
            return
        painter.save()
        with guarded(painter):
            self._paint_cell(painter, option, index)
        painter.restore()

    def _paint_cell(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        theme, table, place = self._theme, self._table, option.rect
        column, guest = table.columns[index.column()], table.shown[index.row()]
        item = table.figures.plan.guests[guest]
        is_selected = item.id in self._desk.selection.ids
        ground = theme.colours.selected if is_selected else theme.colours.paper
        painter.fillRect(place, ground)
        row = table.figures.division.position[item.id]
        top = int(table.figures.division.top_pool[row])
        colours = theme.bar_colours(None if top < 0 else top)
        if column.kind == "spark":
            self._paint_spark(painter, place, guest, colours)
        else:
            is_on = bool(table.figures.division.on[row])
            if column.kind != "text" and is_on:
                self._paint_bar(painter, place, column, guest, colours)
            self._paint_text(painter, place, column, guest, colours, ground, is_on=is_on)
        painter.setPen(theme.colours.grid)
        painter.drawLine(place.bottomLeft(), place.bottomRight())
        if is_selected:
            painter.setPen(QPen(theme.colours.ink, 1.5))
            painter.drawLine(place.topLeft(), place.topRight())
            painter.drawLine(place.bottomLeft(), place.bottomRight())

    def _paint_bar(self, painter: QPainter, place: QRect, column: ListColumn, guest: int, colours: BarColours) -> None:
        if column.kind in ("pace", "hours"):
            return
        value, paper = float(self._table.values(column.key)[guest]), self._theme.colours.paper
        # Of what is met only what is missing has ink, so that whoever is well has none.
        is_missing = column.key == "met"
        part = 1.0 - value if is_missing else value / max(self._table.highest(column), 1e-9)
        width = round((place.width() - _PAD) * min(max(part, 0.0), 1.0)) if not np.isnan(part) else 0
        if width < 1:
            return
        bar = QRect(place.left() + _PAD // 2, place.top() + 4, width, place.height() - 9)
        texture = "missing" if is_missing or column.key in _WAITS else _TEXTURES.get(column.key, "")
        if texture:
            device = painter.device()
            ratio = device.devicePixelRatio() if device is not None else 1.0
            painter.fillRect(bar, texture_brush(texture, colours.edge, ratio))
            painter.fillRect(QRect(bar.right() - 1, bar.top(), 1, bar.height()), colours.edge)
        else:
            painter.fillRect(bar, blend(colours.solid, paper, _PALE))
            painter.fillRect(QRect(bar.left(), bar.bottom(), bar.width(), 2), colours.solid)

    def _paint_text(
        self,
        painter: QPainter,
        place: QRect,
        column: ListColumn,
        guest: int,
        colours: BarColours,
        ground: QColor,
        *,
        is_on: bool,
    ) -> None:
        theme, table = self._theme, self._table
        text = table.text(column, guest)
        is_hurt = self._is_hurt(column, guest) and is_on
        face = theme.face(12, bold=is_hurt)
        ink = theme.colours.ink if column.key in ("name", "cause") or is_hurt else theme.colours.muted
        painter.setPen(colours.edge if column.key == "pool" else ink if is_on else theme.colours.muted)
        if column.kind == "text":
            text = f"{text} · off" if column.key == "name" and not is_on else text
            text = "nothing lacks" if column.key == "cause" and not text and is_on else text
            shown = face.elided(text, place.width() - _PAD)
            face.draw(painter, place.left() + _PAD // 2 + 2, place.top(), place.height(), shown)
        elif is_on:
            if column.key in _TEXTURED:
                # Over a texture figures want a ground of their own.
                width = round(face.width(text)) + 4
                behind = QRect(place.right() - _PAD // 2 - width + 2, place.top() + 3, width, place.height() - 6)
                painter.fillRect(behind, ground)
            face.draw_right(painter, place.right() - _PAD // 2, place.top(), place.height(), text)

    def _is_hurt(self, column: ListColumn, guest: int) -> bool:
        table = self._table
        if column.key == "cpu_delivered":
            return bool(table.values(column.key)[guest] < _HURT * table.values("cpu_wanted")[guest])
        if column.key in ("pace", "met", "worst_pace"):
            return bool(table.values(column.key)[guest] < _HURT)
        if column.key == "backed":
            return bool(table.values("met")[guest] < _HURT)
        return column.key == "short" and bool(table.values(column.key)[guest] > 0)

    def _paint_spark(self, painter: QPainter, place: QRect, guest: int, colours: BarColours) -> None:
        """Draw what is delivered over the day, and darker on top what is not."""
        got, wanted = (self._table.figures.series(name) for name in ("cpu_delivered", "cpu_wanted"))
        if got is None or wanted is None or not got.shape[1]:
            return
        step = max(1, got.shape[1] // _POINTS)
        low, high = np.asarray(got[guest, ::step], float), np.asarray(wanted[guest, ::step], float)
        most = max(float(high.max(initial=0.0)), 1e-9)
        left, width = place.left() + _PAD // 2, place.width() - _PAD
        bottom, height = place.bottom() - 3, place.height() - 7
        xs = left + width * np.arange(low.size) / max(1, low.size - 1)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        for series, colour in ((high, colours.edge), (low, blend(colours.solid, self._theme.colours.paper, 0.55))):
            ys = bottom - height * series / most
            line = [QPointF(x, y) for x, y in zip(xs.tolist(), ys.tolist(), strict=True)]
            painter.setBrush(colour)
            painter.drawPolygon(QPolygonF([QPointF(left, bottom), *line, QPointF(left + width, bottom)]))
        x = left + width * self._desk.look.plan.moment / self._desk.look.plan.day_s
        painter.setPen(QPen(self._theme.colours.ink, 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(x, place.top() + 2), QPointF(x, place.bottom() - 2))
