"""Painting the rows of hosts and banks, where the butterfly shows host by host."""

from __future__ import annotations

from typing import Final

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from ruvex.desktop.kit.axis import Axis
from ruvex.desktop.kit.theme import Theme, texture_brush
from ruvex.desktop.kit.triangle import paint_triangle
from ruvex.desktop.panels.row_story import bank_text
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import figure, figure_with_unit
from ruvex.desktop.state.rows import Row
from ruvex.desktop.views.division.frame import RowFrame
from ruvex.divide import Division
from ruvex.plan import RESOURCES, Host, Resource, format_memory
from ruvex.play import PRESSURES
from ruvex.words import counted

HOST_ROW: Final = 38
BANK_ROW: Final = 22
_BAR: Final = 10
_BANK_BAR: Final = 12


class PlacePainter:
    """Paints hosts and banks of one division, on a scale common to all hosts."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        self._desk, self._theme = desk, theme

    @property
    def _division(self) -> Division:
        return self._desk.look.division

    def paint(self, painter: QPainter, row: Row, place: QRect, columns: RowFrame) -> None:
        """Paint a row at a place."""
        if row.kind == "bank":
            self._paint_bank(painter, row, place, columns)
            return
        hosts = self._desk.look.plan.hosts
        host = hosts[row.index] if row.index >= 0 else None
        self._paint_name(painter, row, host, place, columns)
        if host is not None and host.up:
            for k, name in enumerate(RESOURCES):
                self._paint_supply(painter, k, name, row.index, place, columns)

    def supply_axis(self, k: int, columns: RowFrame) -> Axis:
        """Give the axis along which the supply of every host is drawn."""
        figures = self._division.by_host
        top = max(float(np.maximum(figures.supply[k], figures.wanted[k]).max(initial=0.0)), 1.0) * 1.02
        zero, end = (columns.memory_zero, columns.memory_end) if k else (columns.cpu_zero, columns.cpu_end)
        return Axis(zero, end, top, top)

    def _paint_name(self, painter: QPainter, row: Row, host: Host | None, place: QRect, columns: RowFrame) -> None:
        theme, colours = self._theme, self._theme.colours
        left, right = columns.names
        x, half = left + theme.px(8), place.height() // 2
        paint_triangle(
            painter, QPointF(x, place.top() + half * 0.62 + 1), theme.px(4), colours.ink, folded=row.is_folded
        )
        x += theme.px(14)
        face, small = theme.face(13.5, bold=True), theme.face(11)
        painter.setPen(colours.ink)
        face.draw(painter, x, place.top() + theme.px(2), half, face.elided(row.label, right - theme.px(8) - x))
        if host is not None:
            told = f"{counted(host.cores, 'core')} · {format_memory(host.memory_mib)}" if host.up else "down: no supply"
            painter.setPen(colours.muted)
            small.draw(painter, x, place.top() + half, half - theme.px(2), small.elided(told, right - x))

    def _paint_supply(
        self, painter: QPainter, k: int, name: Resource, at: int, place: QRect, columns: RowFrame
    ) -> None:
        theme, colours, figures = self._theme, self._theme.colours, self._division.by_host
        supply, wanted, got, promised = (
            float(of[k, at])
            for of in (figures.supply, figures.wanted, figures.delivered, self._desk.look.figures.promises.of_hosts)
        )
        axis, unit = self.supply_axis(k, columns), self._desk.units.common(name)
        half = place.height() / 2
        top, height = place.top() + half + 1, theme.px(_BAR)
        spans: tuple[tuple[float, float, QColor], ...] = (
            (0.0, min(promised, got), colours.supply), (min(promised, got), got, colours.aside),
            (got, supply, colours.supply_free),
        )  # fmt: skip
        for low, high, colour in spans:
            if high > low:
                painter.fillRect(_span(axis, low, high, top, height), colour)
        if wanted > supply:
            span = _span(axis, supply, wanted, top, height)
            painter.fillRect(span, texture_brush("missing", colours.supply, _ratio(painter)))
            painter.setPen(colours.supply)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(span.adjusted(0.5, 0.5, -0.5, -0.5))
        x = axis.x(supply)
        painter.setPen(QPen(colours.ink, 2))
        painter.drawLine(QPointF(x, top - 3), QPointF(x, top + height + 3))
        self._paint_words(painter, name, (supply, wanted, promised), place, columns)
        lacking = float(self._desk.look.figures.lacks(name).by_host[at])
        free = float(figures.idle[k, at])
        if name == "cpu":
            is_short = self._desk.look.figures.is_host_short(name, at)
            lines = (figure_with_unit(lacking if is_short else free, unit), "lacking" if is_short else "free")
        else:
            kept = float(figures.kept[at])
            state = "free" if free > kept * 1.001 else "kept free"
            lines = (f"{figure_with_unit(free, unit)} {state}", f"pressure {PRESSURES[int(figures.pressure[at])]}")
        left, right = columns.cpu_numbers if name == "cpu" else columns.memory_numbers
        for number, text in enumerate(lines):
            face = theme.face(11.5 if number else 12, bold=not number)
            painter.setPen(colours.muted if number else colours.ink)
            y = place.top() + theme.px(2) + number * (half - theme.px(2))
            face.draw(painter, left, y, half - theme.px(2), face.elided(text, right - left + theme.px(10)))

    def _paint_words(
        self, painter: QPainter, name: Resource, amounts: tuple[float, float, float], place: QRect, columns: RowFrame
    ) -> None:
        theme, colours, unit = self._theme, self._theme.colours, self._desk.units.common(name)
        if columns.is_narrow:
            return
        words = [(f"{what} ", figure(of, unit)) for what, of in zip(_WORDS, amounts, strict=True)]
        plain, strong, gap = theme.face(11.5), theme.face(11.5, bold=True), theme.px(12)
        room = abs(
            (columns.cpu_end if name == "cpu" else columns.memory_end)
            - (columns.cpu_zero if name == "cpu" else columns.memory_zero)
        )

        def width() -> float:
            return sum(plain.width(what) + strong.width(of) for what, of in words) + gap * (len(words) - 1)

        while words and width() > room:
            del words[-1]
        wide = width()
        x = columns.cpu_zero - wide if name == "cpu" else float(columns.memory_zero)
        y, height = place.top() + theme.px(2), place.height() // 2 - theme.px(2)
        for what, of in words:
            painter.setPen(colours.muted)
            plain.draw(painter, x, y, height, what)
            x += plain.width(what)
            painter.setPen(colours.ink)
            strong.draw(painter, x, y, height, of)
            x += strong.width(of) + gap

    def _paint_bank(self, painter: QPainter, row: Row, place: QRect, columns: RowFrame) -> None:
        """Draw one box a member, in its pool's hue, and say what is used, lent, free and spilled."""
        theme, colours, division = self._theme, self._theme.colours, self._division
        site, figures = division.site, division.by_host
        bank = int(np.flatnonzero(figures.banks == row.index)[0])
        unit = self._desk.units.common("memory")
        size = float(figures.bank_size[bank])
        left, right = columns.names
        bold, small = theme.face(12.5, bold=True), theme.face(11.5)
        x = left + theme.px(22)
        painter.setPen(colours.ink)
        text = f"bank of {figure_with_unit(size, unit)}"
        bold.draw(painter, x, place.top(), place.height(), bold.elided(text, right - x))
        members = np.flatnonzero(site.standing.on & (site.forest.place_of[1] == 2 * site.hosts.shape[1] + bank))
        axis, level = self.supply_axis(1, columns), 0.0
        top, height = place.top() + (place.height() - theme.px(_BANK_BAR)) / 2, theme.px(_BANK_BAR)
        for guest in members.tolist():
            got = float(division.memory.given[guest])
            hue = int(division.top_pool[division.position[site.plan.guests[guest].id]])
            of = theme.bar_colours(None if hue < 0 else hue)
            span = _span(axis, level, level + got, top, height)
            painter.fillRect(span, of.soft)
            painter.setPen(of.edge)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(span.adjusted(0.5, 0.5, -0.5, -0.5))
            level += got
        if level < size:
            painter.fillRect(_span(axis, level, size, top, height), colours.supply_free)
        painter.setPen(QPen(colours.ink, 2))
        painter.drawLine(QPointF(axis.x(size), top - 3), QPointF(axis.x(size), top + height + 3))
        painter.setPen(colours.muted)
        told, at = bank_text(self._desk, bank), axis.x(size) + theme.px(8)
        small.draw(painter, at, place.top(), place.height(), small.elided(told, columns.memory_numbers[1] - at))
        volumes = self._volumes_text(row.index, members.size)
        room = columns.cpu_zero - columns.cpu_numbers[0]
        shown = small.elided(volumes, room)
        small.draw(painter, columns.cpu_zero - small.width(shown), place.top(), place.height(), shown)

    def _volumes_text(self, at: int, members: int) -> str:
        """Tell how many guests it has, and how many of its spill volumes are left."""
        host, unit = self._desk.look.plan.hosts[at], self._desk.units.common("memory")
        volumes = host.bank.spill_volumes if host.bank is not None else ()
        taken = {volume for (where, volume) in self._division.site.standing.volumes if where == host.id}
        left = sum(volume.mib for volume in volumes if volume.id not in taken)
        guests = f"{members} guest{'s' if members != 1 else ''}"
        if not volumes:
            return f"{guests} · no spill volume"
        return f"{guests} · {len(taken)} of {len(volumes)} spill volumes in use, {figure_with_unit(left, unit)} left"


_WORDS: Final = ("supply", "wanted", "promised")


def _span(axis: Axis, low: float, high: float, top: float, height: float) -> QRectF:
    a, b = sorted((axis.x(low), axis.x(high)))
    return QRectF(a, top, b - a, height)


def _ratio(painter: QPainter) -> float:
    device = painter.device()
    return device.devicePixelRatio() if device else 1.0
