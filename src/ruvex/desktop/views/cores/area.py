"""What both halves of the view are: an area on the axis they share, which zooms, moves and scrolls alike."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QAbstractScrollArea, QFrame, QScrollBar, QWidget

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.views.cores.pane import Pane

ZOOM: Final = 0.8
_WHEEL_STEP: Final = 120
_PAN: Final = 0.1


class PaneArea(QAbstractScrollArea):
    """An area that paints all of itself."""

    is_chart = True

    def __init__(self, desk: Desk, theme: Theme, pane: Pane, name: str, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._theme, self._pane = desk, theme, pane
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(name)
        self._seen = self.viewport() or self
        self._seen.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    @property
    def _bar(self) -> QScrollBar:
        bar = self.verticalScrollBar()
        assert bar is not None
        return bar

    def _scroll_over(self, high: int, head: int, step: int) -> None:
        """Let rows that are so high together be scrolled below a head."""
        room = self._seen.height() - head
        self._bar.setRange(0, max(high - room, 0))
        self._bar.setPageStep(max(room, 1))
        self._bar.setSingleStep(step)

    @property
    def lit_band(self) -> tuple[float, float] | None:
        """From where to where the lit turn reaches on the axis, None while none is lit."""
        pane = self._pane
        if pane.lit is None or pane.strips is None:
            return None
        scale, strips = pane.scale, pane.strips
        left, right = (scale.x(float(at[pane.lit]) / 1000.0) for at in (strips.begin, strips.end))
        return max(left, scale.left), min(max(right, left + 1), scale.right)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Scroll; zoom with Ctrl, move along with Shift."""
        if event is None:
            return
        pane, turned = self._pane, event.angleDelta()
        steps = (turned.y() or turned.x()) / _WHEEL_STEP
        if steps and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            pane.set_scale(pane.scale.zoomed(event.position().x(), ZOOM**steps))
        elif steps and (event.modifiers() & Qt.KeyboardModifier.ShiftModifier or turned.x()):
            pane.set_scale(pane.scale.moved(-steps * _PAN * pane.scale.span_s))
        else:
            super().wheelEvent(event)
        event.accept()
