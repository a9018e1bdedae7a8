"""A choice among values that stands still under the wheel: who scrolls a sheet must not change what is in it."""

from __future__ import annotations

from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QComboBox


class Chooser(QComboBox):
    """A choice among values."""

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Leave the wheel to what scrolls."""
        if event is not None:
            event.ignore()
