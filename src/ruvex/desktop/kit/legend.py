"""What bars, lanes and marks mean, in small samples; a view names those it draws."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import Final

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from ruvex.desktop.kit.axis import Axis
from ruvex.desktop.kit.bars import Bar, draw_bar, draw_bracket
from ruvex.desktop.kit.endings import draw_ending
from ruvex.desktop.kit.marks import draw_mark
from ruvex.desktop.kit.theme import Theme, blend, texture_brush

_WIDE: Final = 22
_HIGH: Final = 10
_GAP: Final = 5
_BETWEEN: Final = 15
_BUTTONS: Final = 104
_MOST_OF_PLACE: Final = 0.84

_Draw = Callable[[QPainter, Theme, QRectF], None]


def _bar(bar: Bar) -> _Draw:
    def draw(painter: QPainter, theme: Theme, place: QRectF) -> None:
        axis = Axis(place.left(), place.right(), 1.0, 1.0)
        draw_bar(painter, axis, bar, place.top(), place.height(), theme.bar_colours(None), theme.colours.ink)

    return draw


def _limit(painter: QPainter, theme: Theme, place: QRectF) -> None:
    axis = Axis(place.left(), place.right(), 1.0, 1.0)
    draw_bracket(painter, axis, 0.8, place.top(), place.height(), theme.colours.ink)


def _upright(painter: QPainter, theme: Theme, place: QRectF) -> None:
    painter.setPen(QPen(theme.colours.ink, 1.5))
    x = place.center().x()
    painter.drawLine(QPointF(x, place.top() - 2), QPointF(x, place.bottom() + 2))


def _line(style: Qt.PenStyle) -> _Draw:
    def draw(painter: QPainter, theme: Theme, place: QRectF) -> None:
        painter.setPen(QPen(theme.colours.ink, 1.3, style))
        y = place.center().y()
        painter.drawLine(QPointF(place.left(), y), QPointF(place.right(), y))

    return draw


def _mark(kind: str) -> _Draw:
    return lambda painter, theme, place: draw_mark(painter, kind, place.center(), theme.px(5), theme.colours)


def _ending(kind: str) -> _Draw:
    def draw(painter: QPainter, theme: Theme, place: QRectF) -> None:
        painter.fillRect(place, blend(theme.bar_colours(None).solid, theme.colours.paper, 0.6))
        draw_ending(painter, kind, place, theme.colours.ink)

    return draw


def _tick(painter: QPainter, theme: Theme, place: QRectF) -> None:
    painter.fillRect(QRectF(place.center().x(), place.top() + 3, 1.4, 4), theme.colours.muted)


def _unit(kind: str) -> _Draw:
    """Draw the mark of one more guest: solid, outlined or hatched."""

    def draw(painter: QPainter, theme: Theme, place: QRectF) -> None:
        bar = theme.bar_colours(None)
        painter.setPen(QPen(bar.edge, 1))
        painter.setBrush(bar.solid if kind == "solid" else Qt.BrushStyle.NoBrush)
        if kind == "hatched":
            device = painter.device()
            ratio = device.devicePixelRatioF() if device is not None else 1.0
            painter.setBrush(texture_brush("missing", theme.colours.ink, ratio))
        painter.drawRect(QRectF(place.center().x() - 4, place.top() - 1, 8, place.height() + 2))

    return draw


def _block(is_back: bool) -> _Draw:
    """Draw a part of a host's bar: what is there already, or what comes back."""

    def draw(painter: QPainter, theme: Theme, place: QRectF) -> None:
        bar = theme.bar_colours(None)
        painter.fillRect(place, bar.soft if is_back else theme.colours.supply_free)
        if is_back:
            painter.fillRect(QRectF(place.left(), place.top(), 2, place.height()), bar.edge)

    return draw


def _ring(painter: QPainter, theme: Theme, place: QRectF) -> None:
    painter.setPen(QPen(theme.bar_colours(None).edge, 1.4))
    painter.setBrush(theme.colours.paper)
    painter.drawEllipse(place.center(), 3.0, 3.0)


def _upright_bar(painter: QPainter, theme: Theme, place: QRectF) -> None:
    painter.fillRect(QRectF(place.center().x() - 1.6, place.top(), 3.2, place.height()), theme.bar_colours(None).edge)


_NONE: Final = math.inf
SAMPLES: Final[Mapping[str, _Draw]] = {
    "promised": _bar(Bar(1, 0, 0, 0, 0, _NONE)),
    "won by shares": _bar(Bar(0, 1, 0, 0, 0, _NONE)),
    "working set": _bar(Bar(1, 0, 0, 0, 0, _NONE)),
    "cache, idle": _bar(Bar(0, 1, 0, 0, 0, _NONE)),
    "not delivered": _bar(Bar(0, 0, 0, 0, 1, _NONE)),
    "balloon": _bar(Bar(0, 0, 0, 0, 1, _NONE, (1, 0, 0, 0))),
    "squeezed": _bar(Bar(0, 0, 0, 0, 1, _NONE, (0, 1, 0, 0))),
    "spilled": _bar(Bar(0, 0, 0, 0, 1, _NONE, (0, 0, 1, 0))),
    "held or lent, idle": _bar(Bar(0, 0, 1, 0, 0, _NONE)),
    "limit": _limit,
    "as one machine": _upright,
    "wait": _line(Qt.PenStyle.SolidLine),
    "wait by chance": _line(Qt.PenStyle.DashLine),
    "kept free": _line(Qt.PenStyle.SolidLine),
    "before the change": _line(Qt.PenStyle.DashLine),
    "slept": _ending(""),
    "turn used up": _ending("bar"),
    "cut in on": _ending("angle"),
    "held for its fellows": _ending("two bars"),
    "out of budget": _ending("bracket"),
    "wakes": _tick,
    "waits": _line(Qt.PenStyle.SolidLine),
    "waits, held": _line(Qt.PenStyle.DotLine),
    "waits, out of budget": _line(Qt.PenStyle.DashLine),
    "due": _mark("due"),
    "done": _mark("done"),
    "late": _mark("late"),
    "fits all day": _unit("solid"),
    "fits now only": _unit("outlined"),
    "the next one": _unit("hatched"),
    "there already": _block(is_back=False),
    "comes back": _block(is_back=True),
    "then": _ring,
    "now": _upright_bar,
    "still wanted": _line(Qt.PenStyle.DotLine),
}
"""How each sample is drawn, by what it is called."""


def paint_legend(painter: QPainter, theme: Theme, place: QRect, names: Sequence[str]) -> int:
    """Paint samples at the right end of a place; gives how much of it they take, in pixels.

    Where there is not room for all, those named last are left out: hover and manual tell of them too.
    """
    face = theme.face(11.5)
    wide, high, gap, between = theme.px(_WIDE), theme.px(_HIGH), theme.px(_GAP), theme.px(_BETWEEN)
    shown = list(names)

    def width() -> float:
        return sum(wide + gap + face.width(text) + between for text in shown) + theme.px(_BUTTONS)

    while shown and width() > place.width() * _MOST_OF_PLACE:
        del shown[-1]
    total = width()
    x = place.right() - total + theme.px(14)
    top = place.top() + (place.height() - high) / 2
    for text in shown:
        SAMPLES[text](painter, theme, QRectF(x, top, wide, high))
        painter.setPen(theme.colours.muted)
        face.draw(painter, x + wide + gap, place.top(), place.height(), text)
        x += wide + gap + face.width(text) + between
    return round(total)
