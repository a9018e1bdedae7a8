"""What the crosshair reads of a row, written beside its name."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRect
from PyQt6.QtGui import QPainter

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.kit.triangle import paint_triangle
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import figure, figure_with_unit
from ruvex.desktop.state.rows import Row, host_label
from ruvex.divide import CAUSES
from ruvex.ledger import TimeFigures, falls_short
from ruvex.plan import RESOURCES
from ruvex.play import PHASES, PRESSURES, Player
from ruvex.words import flow_amount

_INDENT: Final = 12
_NAMES: Final = 232
_TALL: Final = 30
_RUNNING = PHASES.index("running")
_TOLD_WAIT: Final = 0.005
"""A wait by chance below this part of the time is not told."""


class Readout:
    """Reads a play at one time and writes what each row had then."""

    def __init__(self, desk: Desk, theme: Theme) -> None:
        self._desk, self._theme = desk, theme
        self._player: Player | None = None
        self._figures: TimeFigures | None = None
        self._row = 0

    def begin(self, player: Player | None, at_s: float) -> None:
        """Read at another time; nothing where that has not been played."""
        there = player is not None and player.recording.rows > 0 and at_s <= player.now_s
        self._player = player if there else None
        self._row = player.recording.row_at(at_s) if player is not None and there else 0
        self._figures = None if self._player is None else TimeFigures(self._player.recording, self._row)

    def value(self, channel: str, members: NDArray[np.int64]) -> float | None:
        """Give a channel of some guests added up, None where there is nothing."""
        if self._player is None or not members.size:
            return None
        return float(self._player.recording.series(channel)[members, self._row].sum())

    def of_host(self, channel: str, host: str) -> float | None:
        """Give a channel of a host, None where there is nothing: what was played may be of a plan without it."""
        if self._player is None:
            return None
        at = self._player.recording.place_index.get(host)
        return None if at is None else float(self._player.recording.of_places(channel)[at, self._row])

    def texts(self, row: Row, members: NDArray[np.int64]) -> tuple[tuple[str, str], tuple[str, str], str]:
        """Give what is read of a row.

        Returns
        -------
        tuple
            CPU and memory, each what it has and what it lacks to; and the words below the name.
        """
        if row.kind == "flow":
            return self._of_flow(row)
        if row.kind == "host":
            return self._of_host(row)
        told = "" if row.is_pool else self.shortfall(members)
        found, units, figures = [], self._desk.units, self._figures
        for name, channel in zip(RESOURCES, ("cpu_delivered", "backed"), strict=True):
            got = self.value(channel, members)
            if got is None or figures is None:
                found.append(("", ""))
                continue
            unit = units.of(name, row.item_id)
            wanted, met, lacks = (float(of(name)[members].sum()) for of in (figures.wanted, figures.met, figures.lacks))
            # Where some is lacking, what is had of that stands beside it: what others hold idle makes up for nothing.
            is_short = falls_short(lacks, wanted)
            found.append((figure(met if is_short else got, unit), f"of {figure(wanted, unit)}" if is_short else ""))
        return found[0], found[1], told

    def _of_host(self, row: Row) -> tuple[tuple[str, str], tuple[str, str], str]:
        """Read a host: what its guests have of what there is of both, and below its name how they are."""
        found = []
        for name, pair in zip(RESOURCES, (("cpu_delivered", "cpu_supply"), ("given", "memory_supply")), strict=True):
            had, supply = (self.of_host(channel, row.item_id) for channel in pair)
            unit = self._desk.units.common(name)
            is_there = had is not None and supply is not None
            found.append((figure(had or 0.0, unit), f"of {figure(supply or 0.0, unit)}") if is_there else ("", ""))
        pressure, wanted = self.of_host("pressure", row.item_id), self.of_host("cpu_wanted", row.item_id)
        word = "" if pressure is None else PRESSURES[int(pressure)]
        told = f"pressure {word}" if word else ""
        lacks = 0.0
        if self._player is not None and self._figures is not None and wanted is not None:
            lacks = float(self._figures.hosts_lack_cpu[self._player.recording.place_index[row.item_id]])
        if falls_short(lacks, wanted or 0.0):
            amount = figure_with_unit(lacks, self._desk.units.common("cpu"))
            # There is little room: that memory is ample goes without saying beside a lack.
            told = f"{word} · lacks {amount}" if pressure else f"CPU lacks {amount}"
        return found[0], found[1], told if row.is_on else "down"

    def _of_flow(self, row: Row) -> tuple[tuple[str, str], tuple[str, str], str]:
        """Read a store or links."""
        places = self._desk.look.division.flowing.places
        at = None if self._player is None else self._player.recording.flow_index.get(row.item_id)
        if self._player is None or self._figures is None or at is None or row.index >= len(places):
            return ("", ""), ("", ""), ""
        flows, kind = self._player.recording.of_flows, places[row.index].kind
        wanted, had, taken = (float(flows(name)[at, self._row]) for name in ("wanted", "delivered", "taken"))
        is_short = falls_short(float(self._figures.flows_lack[at]), wanted)
        word = "paging" if kind == "store" else "moves"
        told = f"{flow_amount(taken, kind)} of {word}" if taken > 0 else ""
        return (flow_amount(had, kind), f"of {flow_amount(wanted, kind)}" if is_short else ""), ("", ""), told

    def shortfall(self, members: NDArray[np.int64]) -> str:
        """Say how much of its need a guest has and why not more, nothing where it lacks nothing."""
        met, cause, pace = (self.value(name, members) for name in ("met", "cause", "pace"))
        if met is None or cause is None or pace is None:
            return ""
        if not int(cause):
            return self._waited(members)
        slow = f" · pace {pace:.2f}" if pace < 0.995 else ""
        return f"met {met * 100:.0f} % · {CAUSES[int(cause)]}{slow}"

    def _waited(self, members: NDArray[np.int64]) -> str:
        """Say how much of their time its vCPUs wait by chance, nothing where that is next to nothing."""
        waits = self._desk.waits.of(self._player)
        chance = 0.0 if waits is None else float(waits.at_row(self._row)[int(members[0])])
        return f"waits {chance * 100:.1f} % by chance" if chance >= _TOLD_WAIT else ""

    def paint(self, painter: QPainter, row: Row, place: QRect, members: NDArray[np.int64]) -> None:
        """Write a row's name and its figures: in one line, or in a tall lane in two."""
        theme, colours = self._theme, self._theme.colours
        bar = theme.bar_colours(row.hue)
        x, right = theme.px(12 + _INDENT * row.depth), theme.px(_NAMES - 8)
        is_tall = place.height() >= theme.px(_TALL)
        half = place.height() / 2 if is_tall else float(place.height())
        middle = place.top() + half / 2
        if row.hue is not None and not row.is_pool:
            painter.fillRect(x - theme.px(6), place.top() + 3, theme.px(3), place.height() - 7, bar.edge)
        if row.is_pool:
            paint_triangle(painter, QPointF(x + theme.px(1), middle), theme.px(4), bar.edge, folded=row.is_folded)
            x += theme.px(11)
        cpu, memory, told = self.texts(row, members)
        start = self._paint_pair(painter, cpu, place.top(), half, right)
        phase = self.value("phase", members) if row.kind == "guest" else None
        state = "" if phase is None or int(phase) == _RUNNING else f" · {PHASES[int(phase)]}"
        state = state or ("" if row.is_on or row.kind != "guest" else " · off")
        is_strong = row.folds or row.item_id in self._desk.selection.ids
        painter.setPen(bar.edge if row.is_pool else colours.ink if not state else colours.muted)
        face, small = theme.face(12.5, bold=is_strong), theme.face(11)
        text = f"{row.label}{state}"
        face.draw(painter, x, place.top(), half, face.elided(text, start - x))
        if is_tall:
            low = self._paint_pair(painter, memory, place.top() + half, half - 2, right)
            told = told or (host_label(self._desk.look.division, row.index) if row.kind == "guest" else "")
            painter.setPen(colours.muted)
            small.draw(painter, x, place.top() + half, half - 2, small.elided(told, low - x))

    def _paint_pair(self, painter: QPainter, texts: tuple[str, str], top: float, height: float, right: float) -> float:
        """Write what there is and what is lacked to, ending at ``right``; gives where they begin."""
        theme, colours = self._theme, self._theme.colours
        got, of = texts
        strong, plain = theme.face(12, bold=bool(of)), theme.face(11.5)
        x = right
        if of:
            x -= plain.width(of)
            painter.setPen(colours.muted)
            plain.draw(painter, x, top, height, of)
            x -= theme.px(4)
        if got:
            x -= strong.width(got)
            painter.setPen(colours.ink if of else colours.muted)
            strong.draw(painter, x, top, height, got)
        return x - theme.px(8)
