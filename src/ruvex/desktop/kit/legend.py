"""What the parts of a bar mean, in small samples."""

from __future__ import annotations

import math
from typing import Final

from PyQt6.QtCore import QRect
from PyQt6.QtGui import QPainter

from ruvex.desktop.kit.axis import Axis
from ruvex.desktop.kit.bars import Bar, draw_bar, draw_bracket
from ruvex.desktop.kit.theme import Theme

_SAMPLES: Final = (
    (Bar(1, 0, 0, 0, 0, math.inf), "promised"),
    (Bar(0, 1, 0, 0, 0, math.inf), "won by shares"),
    (Bar(0, 0, 0, 0, 1, math.inf), "not delivered"),
    (Bar(0, 0, 0, 0, 1, math.inf, (1, 0, 0, 0)), "balloon"),
    (Bar(0, 0, 0, 0, 1, math.inf, (0, 1, 0, 0)), "squeezed"),
    (Bar(0, 0, 0, 0, 1, math.inf, (0, 0, 1, 0)), "spilled"),
    (Bar(0, 0, 1, 0, 0, math.inf), "held or lent, idle"),
    (None, "limit"),
)
_WIDE: Final = 22
_HIGH: Final = 10
_GAP: Final = 5
_BETWEEN: Final = 16
_MOST_OF_PLACE: Final = 0.82
_ALWAYS: Final = 3


def paint_legend(painter: QPainter, theme: Theme, place: QRect) -> int:
    """Paint the samples at the right end of a place; gives how much of it they take, in pixels."""
    face = theme.face(11.5)
    wide, high, gap, between = theme.px(_WIDE), theme.px(_HIGH), theme.px(_GAP), theme.px(_BETWEEN)
    samples = list(_SAMPLES)

    def width() -> float:
        return sum(wide + gap + face.width(text) + between for _, text in samples) + theme.px(104)

    # Where there is not room for all, what says how missing memory is made good goes first: the hover says it too.
    while width() > place.width() * _MOST_OF_PLACE and len(samples) > _ALWAYS:
        del samples[-3]
    total = width()
    x = place.right() - total + theme.px(14)
    top = place.top() + (place.height() - high) / 2
    for bar, text in samples:
        axis = Axis(x, x + wide, 1.0, 1.0)
        if bar is not None:
            draw_bar(painter, axis, bar, top, high, theme.bar_colours(None), theme.colours.ink)
        else:
            draw_bracket(painter, axis, 0.8, top, high, theme.colours.ink)
        painter.setPen(theme.colours.muted)
        face.draw(painter, x + wide + gap, place.top(), place.height(), text)
        x += wide + gap + face.width(text) + between
    return round(total)
