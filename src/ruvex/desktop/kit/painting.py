"""The one way to paint: every painter is ended, and a mistake while drawing stays a mistake of that picture."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Final

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QPaintDevice, QPainter
from PyQt6.QtWidgets import QWidget

NOT_DRAWN: Final = "could not be drawn"
"""What stands where a picture failed."""

_told: set[tuple[str, int]] = set()


@contextmanager
def painting(device: QPaintDevice | None) -> Iterator[QPainter]:
    """Give a painter for what is on the screen, and end it whatever happens.

    A painter that stays open, or an error out of a paint event, would end the program some repaints later.
    """
    assert device is not None
    painter = QPainter(device)
    try:
        with guarded(painter):
            yield painter
    finally:
        if painter.isActive():
            painter.end()


@contextmanager
def guarded(painter: QPainter) -> Iterator[None]:
    """Let a mistake while drawing be told, and the picture say that it could not be drawn.

    It is told once for each place in the code, as every mistake of ours is: each repaint would tell the same again.
    """
    try:
        yield
    except Exception as error:
        _say_so(painter)
        trace = error.__traceback__
        while trace is not None and trace.tb_next is not None:
            trace = trace.tb_next
        place = (trace.tb_frame.f_code.co_filename, trace.tb_lineno) if trace is not None else ("", 0)
        if place not in _told:
            _told.add(place)
            sys.excepthook(type(error), error, error.__traceback__)


@contextmanager
def drawing(device: QPaintDevice) -> Iterator[QPainter]:
    """Give a painter for a picture that goes out of the window, and end it; a mistake goes to whoever asked for it."""
    painter = QPainter(device)
    try:
        yield painter
    finally:
        painter.end()


def _say_so(painter: QPainter) -> None:
    device = painter.device()
    if not painter.isActive() or device is None:
        return
    painter.resetTransform()
    painter.setClipping(False)
    colour = device.palette().text().color() if isinstance(device, QWidget) else Qt.GlobalColor.gray
    painter.setPen(colour)
    painter.drawText(QRectF(4, 0, device.width() - 8, device.height()), int(Qt.AlignmentFlag.AlignCenter), NOT_DRAWN)
