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
from ruvex.desktop.state.figures import figure
from ruvex.desktop.state.playing import Playing
from ruvex.desktop.state.rows import Row, host_label
from ruvex.divide import CAUSES
from ruvex.plan import Resource
from ruvex.play import PHASES

_INDENT: Final = 14
_NAMES: Final = 224
_RUNNING = PHASES.index("running")


def value_at(playing: Playing, channel: str, members: NDArray[np.int64], at_s: float) -> float | None:
    """Give a channel of some guests added up at a time, None where that has not been played."""
    recording = playing.recording
    if recording is None or not recording.rows or not members.size or at_s > playing.now_s:
        return None
    return float(recording.series(channel)[members, recording.row_at(at_s)].sum())


def paint_readout(
    painter: QPainter, desk: Desk, playing: Playing, theme: Theme, row: Row, place: QRect,
    members: NDArray[np.int64], at_s: float,
) -> None:  # fmt: skip
    """Write a row's name and its figures at a time."""
    colours = theme.colours
    x, right = theme.px(10 + _INDENT * row.depth), theme.px(_NAMES - 8)
    bar = theme.bar_colours(row.hue)
    line = theme.px(17)
    top = place.top() + theme.px(3)
    if row.is_pool:
        middle = QPointF(x + theme.px(3), top + line / 2)
        paint_triangle(painter, middle, theme.px(4), bar.edge, folded=row.is_folded)
    name_x = x + theme.px(13 if row.is_pool else 0)
    is_selected = row.item_id in desk.selection.ids
    phase = value_at(playing, "phase", members, at_s) if not row.is_pool else None
    state = "" if phase is None or int(phase) == _RUNNING else f" · {PHASES[int(phase)]}"
    painter.setPen(bar.edge if row.is_pool else colours.ink if not state else colours.faint)
    face = theme.face(13 if row.is_pool else 12.5, bold=row.is_pool or is_selected)
    small, height, text = theme.face(11), theme.px(13), f"{row.label}{state}"
    host = host_label(desk.look.division, row.index)
    end = right - small.width(host)
    if host and end - theme.px(8) >= name_x + face.width(text):
        small.draw(painter, end, top, line, host)
    face.draw(painter, name_x, top, line, face.elided(text, right - name_x))
    lines = [_resource_text(desk, playing, row, members, at_s, name) for name in ("cpu", "memory")]
    told = "" if row.is_pool else _shortfall_text(playing, members, at_s)
    top += line - theme.px(1)
    for text, pen in (*((text, colours.muted) for text in lines), (told, colours.ink)):
        if text:
            painter.setPen(pen)
            small.draw(painter, x, top, height, small.elided(text, right - x))
        top += height


def _resource_text(
    desk: Desk, playing: Playing, row: Row, members: NDArray[np.int64], at_s: float, name: Resource
) -> str:
    has, of = ("cpu_delivered", "cpu_wanted") if name == "cpu" else ("backed", "visible")
    got, whole = value_at(playing, has, members, at_s), value_at(playing, of, members, at_s)
    if got is None or whole is None or whole <= 0:
        return ""
    unit = desk.units.of(name, row.item_id)
    return f"{figure(min(got, whole) if name == 'cpu' else got, unit)} of {figure(whole, unit)} {unit.name}"


def _shortfall_text(playing: Playing, members: NDArray[np.int64], at_s: float) -> str:
    met, cause = value_at(playing, "met", members, at_s), value_at(playing, "cause", members, at_s)
    pace = value_at(playing, "pace", members, at_s)
    if met is None or cause is None or pace is None or not int(cause):
        return ""
    slow = f" · pace {pace:.2f}" if pace < 0.995 else ""
    return f"met {met * 100:.0f} % · {CAUSES[int(cause)]}{slow}"
