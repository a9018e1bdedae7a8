"""A choice among values that stands still under the wheel: who scrolls a sheet must not change what is in it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPaintEvent, QPalette, QWheelEvent
from PyQt6.QtWidgets import QComboBox

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.triangle import paint_triangle

_TRIANGLE: Final = 4.0


class Chooser(QComboBox):
    """A choice among values."""

    def show_choices(self, choices: Sequence[tuple[Any, str]]) -> None:
        """Offer these values and their names; one that is open stays as it is where they are the same."""
        if list(choices) != [(self.itemData(i), self.itemText(i)) for i in range(self.count())]:
            self.clear()
            for value, text in choices:
                self.addItem(text, value)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Paint it, and the triangle that says that it opens."""
        super().paintEvent(event)
        with painting(self) as painter:
            half = self.height() / 2
            colour = self.palette().color(QPalette.ColorRole.ButtonText)
            paint_triangle(painter, QPointF(self.width() - half - 2, half), _TRIANGLE, colour, folded=False)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Leave the wheel to what scrolls."""
        if event is not None:
            event.ignore()
