"""One long track a resource: the bar enlarged, with handles on it and marks for wanted and delivered."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from math import inf
from typing import Final

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.desktop.kit.axis import Axis
from ruvex.desktop.kit.bars import Bar, draw_bar, draw_ghost
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import BarColours, Theme

_BAR: Final = 20
_TOP: Final = 7
_LABELS: Final = 18
_SIDE: Final = 10
_HANDLE: Final = 9
_REACH: Final = 9
_NO_LIMIT_FROM: Final = 0.985
"""A limit dragged beyond this part of the track is taken off."""


@dataclass(frozen=True, slots=True)
class Handle:
    """A setting that can be dragged.

    Attributes
    ----------
    key, name
        The setting's dotted name, and what it is called.
    value
        MHz or MiB; None is "no limit" and stands at the far end.
    low, high
        What the other settings allow.
    can_be_none
        Whether the far end takes the setting off.
    """

    key: str
    name: str
    value: float | None
    low: float
    high: float
    can_be_none: bool = False


@dataclass(frozen=True, slots=True)
class Mark:
    """A named value under the track."""

    name: str
    value: float
    text: str


class Track(QWidget):
    """The enlarged bar with its handles.

    Signals
    -------
    dragged(key, value)
        A handle is being moved; the value is MHz, MiB or None.
    released(key)
        The handle was let go.
    gave_up()
        The drag was given up with Esc.
    """

    dragged = pyqtSignal(str, object)
    released = pyqtSignal(str)
    gave_up = pyqtSignal()

    def __init__(self, theme: Theme, *, mirrored: bool, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._mirrored = theme, mirrored
        self._top, self._snap = 1.0, 1.0
        self._bar = Bar(0, 0, 0, 0, 0, float("inf"))
        self._ghost: float | None = None
        self._colours: BarColours = theme.bar_colours(None)
        self._marks: tuple[Mark, ...] = ()
        self.handles: tuple[Handle, ...] = ()
        self._held: str | None = None
        self._hovered: str | None = None
        self._within_reach: list[Handle] = []
        self._pressed_x = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.setFocusPolicy(Qt.FocusPolicy.ClickFocus)

    @property
    def marks(self) -> tuple[Mark, ...]:
        """The values that are named under the bar."""
        return self._marks

    def sizeHint(self) -> QSize:
        """Ask for the height of the bar and the marks' names."""
        return QSize(300, self._theme.px(_TOP + _BAR + 5 + _LABELS))

    def show_bar(
        self,
        bar: Bar,
        marks: Sequence[Mark],
        colours: BarColours,
        *,
        top: float,
        snap: float,
        ghost: float | None,
    ) -> None:
        """Show figures; while a handle is held the scale stays as it is."""
        if self._held is not None:
            top, snap = self._top, self._snap
        shown = (bar, tuple(marks), colours, ghost, top, snap)
        if shown != (self._bar, self._marks, self._colours, self._ghost, self._top, self._snap):
            self._bar, self._marks, self._colours, self._ghost, self._top, self._snap = shown
            self.update()

    def show_handles(self, handles: Sequence[Handle]) -> None:
        """Show other handles, or the same ones at other values."""
        if tuple(handles) != self.handles:
            self.handles = tuple(handles)
            self.setAccessibleDescription(
                ", ".join(f"{h.name} {'none' if h.value is None else f'{h.value:.12g}'}" for h in self.handles)
            )
            self.update()

    @property
    def is_held(self) -> bool:
        """Whether a handle is being dragged."""
        return self._held is not None

    @property
    def axis(self) -> Axis:
        """The axis of the track; 0 is beside the names."""
        side = self._theme.px(_SIDE)
        left, right = float(side), float(self.width() - side)
        return Axis(right, left, self._top, 0) if self._mirrored else Axis(left, right, self._top, 0)

    def handle_x(self, key: str) -> float:
        """Give where a handle stands."""
        handle = next(handle for handle in self.handles if handle.key == key)
        return self.axis.x(self._top if handle.value is None else handle.value)

    def _value_at(self, x: float, handle: Handle, *, fine: bool) -> float | None:
        axis = self.axis
        part = (x - axis.zero) / (axis.end - axis.zero)
        if handle.can_be_none and part >= _NO_LIMIT_FROM:
            return None
        value = min(max(part, 0.0), 1.0) * self._top
        snap = self._snap / 10 if fine else self._snap
        return min(max(round(value / snap) * snap, handle.low), handle.high)

    def _handles_near(self, point: QPointF) -> list[Handle]:
        """Give the nearest handle within reach; several, from the inmost, where they stand on one spot."""
        if point.y() > self._theme.px(_TOP + _BAR + 8):
            return []
        away = {handle.key: abs(self.handle_x(handle.key) - point.x()) for handle in self.handles}
        least = min(away.values(), default=inf)
        if least > self._theme.px(_REACH):
            return []
        return [handle for handle in self.handles if away[handle.key] <= least + 1]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take a handle."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        near = self._handles_near(event.position())
        if near:
            self._within_reach, self._pressed_x = near, event.position().x()
            self._held = near[-1].key
            self.update()

    def _choose_by_direction(self, x: float) -> None:
        """Of handles on one spot take the outmost when the drag begins outwards, else the inmost."""
        if len(self._within_reach) > 1 and x != self._pressed_x:
            is_outwards = (x > self._pressed_x) != self._mirrored
            self._held = self._within_reach[-1 if is_outwards else 0].key
            self._within_reach = []

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the handle that is held; Shift drags finely."""
        if event is None:
            return
        if self._held is None:
            near = self._handles_near(event.position())
            self._hovered = near[-1].key if near else None
            self.setCursor(Qt.CursorShape.SizeHorCursor if near else Qt.CursorShape.ArrowCursor)
            self.setToolTip(f"{near[-1].name}: drag, or type it above" if near else "")
            self.update()
            return
        self._choose_by_direction(event.position().x())
        handle = next(handle for handle in self.handles if handle.key == self._held)
        fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        self.dragged.emit(self._held, self._value_at(event.position().x(), handle, fine=fine))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let the handle go."""
        if self._held is not None:
            key = self._held
            self._let_go()
            self.released.emit(key)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Give the drag up with Esc."""
        if event is not None and event.key() == Qt.Key.Key_Escape and self._held is not None:
            self._let_go()
            self.gave_up.emit()
        elif event is not None:
            super().keyPressEvent(event)

    def _let_go(self) -> None:
        self._held = None
        self.update()

    # Painting

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint ground, bar, marks and handles."""
        with painting(self) as painter:
            theme, axis = self._theme, self.axis
            top, height = theme.px(_TOP), theme.px(_BAR)
            left, right = min(axis.zero, axis.end), max(axis.zero, axis.end)
            painter.fillRect(self.rect(), theme.colours.panel)
            painter.fillRect(QRectF(left, top, right - left, height), theme.colours.band_row)
            draw_bar(painter, axis, self._bar, top, height, self._colours, theme.colours.ink)
            if self._ghost is not None:
                draw_ghost(painter, axis, self._ghost, top, height, theme.colours.ink)
            self._paint_marks(painter, axis, top + height)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            for handle in reversed(self.handles):
                self._paint_handle(painter, handle, top, height)

    def _paint_marks(self, painter: QPainter, axis: Axis, bottom: int) -> None:
        theme = self._theme
        face = theme.face(11.5)
        gap = theme.px(10)
        placed: list[tuple[float, float, float, Mark]] = []
        for mark in sorted(self._marks, key=lambda mark: mark.value):
            text = f"{mark.name} {mark.text}"
            width = face.width(text)
            x = axis.x(mark.value)
            left = min(max(x - width / 2, 2.0), self.width() - width - 2.0)
            if placed:
                # Names that would touch are set side by side, in the order of their values.
                _, before, before_width, _ = placed[-1]
                left = min(left, before - gap - width) if self._mirrored else max(left, before + before_width + gap)
            placed.append((x, left, width, mark))
        overhang: float = 0.0
        if placed and self._mirrored:
            overhang = max(0.0, 2.0 - placed[-1][1])
        elif placed:
            overhang = min(0.0, self.width() - 2.0 - placed[-1][1] - placed[-1][2])
        for x, left, _, mark in placed:
            painter.setPen(QPen(theme.colours.muted, 1))
            painter.drawLine(QPointF(x, bottom), QPointF(x, bottom + theme.px(4)))
            face.draw(painter, left + overhang, bottom + theme.px(3), theme.px(_LABELS), f"{mark.name} {mark.text}")

    def _paint_handle(self, painter: QPainter, handle: Handle, top: int, height: int) -> None:
        theme = self._theme
        active = handle.key in (self._held, self._hovered)
        x, width = self.handle_x(handle.key), theme.px(_HANDLE)
        box = QRectF(x - width / 2, top - theme.px(4), width, height + theme.px(8))
        painter.setPen(QPen(theme.colours.ink, 2 if active else 1.4))
        painter.setBrush(theme.colours.field)
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(QPen(theme.colours.muted, 1))
        painter.drawLine(QPointF(x, box.top() + box.height() * 0.32), QPointF(x, box.bottom() - box.height() * 0.32))
