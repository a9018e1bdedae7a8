"""What stands above the lanes: the part of the day in view, hours, and the events as flags that can be moved."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QEvent, QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.kit.time_scale import TimeScale
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.events import EventEditor, deed_text, event_text
from ruvex.plan import Event, SurgeEvent, format_time
from ruvex.words import label_of

_HEIGHT: Final = 36
_NEAR: Final = 5
_STARTS_AFTER: Final = 4
_SNAP_S: Final = 60.0
_STEP_S: Final = 60.0
_MOST: Final = 168


@dataclass(frozen=True, slots=True)
class Flag:
    """An event as it stands on the ruler: its number in the plan, −1 for one that is only in the play."""

    number: int
    event: Event
    x: float
    width: float


class Ruler(QWidget):
    """Hours and events along the time axis.

    Signals
    -------
    events_wanted()
        The events are to be shown all together.
    """

    events_wanted = pyqtSignal()

    def __init__(
        self, desk: Desk, theme: Theme, editor: EventEditor, scale: Callable[[], TimeScale], parent: QWidget
    ) -> None:
        super().__init__(parent)
        self._desk, self._theme, self._editor, self._scale = desk, theme, editor, scale
        self._pressed: tuple[Flag, float] | None = None
        self._dragged_s: float | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Events: arrows go from one to the next, with Ctrl they move it, Del removes it")
        desk.playing.went_on.connect(self.update)
        desk.playing.changed.connect(self.update)
        desk.look.changed.connect(self.update)
        desk.document.edited.connect(lambda _text: self.update())
        editor.selection_changed.connect(self._on_selected)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def sizeHint(self) -> QSize:
        """Ask for a low, wide place."""
        return self._theme.size(400, _HEIGHT)

    def _on_theme_changed(self) -> None:
        self.setFixedHeight(self._theme.px(_HEIGHT))
        self.update()

    def _on_selected(self) -> None:
        number = self._editor.selected
        told = "" if number is None else f": {event_text(self._editor.events[number], self._desk.document.plan)}"
        self.setAccessibleDescription(f"Selected event{told}" if told else "")
        self.update()

    # Flags

    def flags(self) -> list[Flag]:
        """Give the flags of the events in view, in the order of their times; one that is dragged where it hangs."""
        scale, plan = self._scale(), self._desk.look.plan
        both = [(i, event) for i, event in enumerate(plan.events)]
        both += [(-1, event) for event in self._desk.playing.kept]
        placed = []
        for number, event in both:
            at_s = event.at
            if self._dragged_s is not None and self._pressed is not None and number == self._pressed[0].number:
                at_s = self._dragged_s
            if scale.start_s <= at_s <= scale.end_s:
                placed.append((scale.x(at_s), number, event))
        placed.sort(key=lambda found: found[0])
        face, found = self._theme.face(11), []
        for i, (x, number, event) in enumerate(placed):
            room = (placed[i + 1][0] if i + 1 < len(placed) else self.width()) - x - 4
            wished = min(face.width(self._label(event)) + self._theme.px(10), self._theme.px(_MOST))
            found.append(Flag(number, event, x, wished if wished <= room else self._theme.px(8)))
        return found

    def _label(self, event: Event) -> str:
        plan = self._desk.look.plan
        what = "surge" if isinstance(event, SurgeEvent) else deed_text(event, plan)
        return f"{what}: {label_of(plan, event.target)}"

    def flag_at(self, point: QPoint) -> Flag | None:
        """Give the flag at a point, the topmost where several overlap."""
        if point.y() > self._theme.px(18):
            return None
        hit = [flag for flag in self.flags() if flag.x - _NEAR <= point.x() <= flag.x + flag.width]
        return hit[-1] if hit else None

    def events_near(self, point: QPoint) -> list[Event]:
        """Give the events whose flags stand near a point."""
        return [flag.event for flag in self.flags() if abs(flag.x - point.x()) <= _NEAR]

    # Painting

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint it."""
        with painting(self) as painter:
            theme, colours, scale = self._theme, self._theme.colours, self._scale()
            painter.fillRect(self.rect(), colours.panel)
            painter.setPen(colours.line)
            painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
            face, line, top = theme.face(11), theme.px(16), theme.px(19)
            at_s = self._desk.look.plan.moment
            tag, bold = format_time(at_s), theme.face(11.5, bold=True)
            tag_width = bold.width(tag) + theme.px(10)
            tag_x = min(max(scale.x(at_s) - tag_width / 2, 0.0), self.width() - tag_width)
            painter.setPen(colours.muted)
            for tick_s in scale.ticks(theme.px(70)):
                text = format_time(tick_s)
                x = min(max(scale.x(tick_s) - face.width(text) / 2, 0), self.width() - face.width(text))
                if x + face.width(text) < tag_x - 3 or x > tag_x + tag_width + 3:
                    face.draw(painter, x, top, line, text)
            if scale.start_s <= at_s <= scale.end_s:
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(colours.ink)
                painter.drawRoundedRect(QRectF(tag_x, top, tag_width, line), 3, 3)
                painter.setPen(colours.paper)
                bold.draw(painter, tag_x + theme.px(5), top, line, tag)
            painter.setPen(colours.muted)
            text = f"in view {format_time(scale.start_s)[:5]} to {format_time(scale.end_s)[:5]}"
            face.draw(painter, theme.px(12), theme.px(2), line, text)
            count = len(self._desk.look.plan.events)
            face.draw(painter, theme.px(12), top, line, f"{count} event{'s' if count != 1 else ''}" if count else "")
            self._paint_flags(painter)

    def _paint_flags(self, painter: QPainter) -> None:
        """Draw a flag for every event with what it does; one that is only in the play is dashed."""
        theme, colours, face = self._theme, self._theme.colours, self._theme.face(11)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for flag in self.flags():
            is_selected = flag.number >= 0 and flag.number == self._editor.selected
            style = Qt.PenStyle.DashLine if flag.number < 0 else Qt.PenStyle.SolidLine
            painter.setPen(QPen(colours.ink, 1.8 if is_selected and self.hasFocus() else 1.1, style))
            painter.setBrush(colours.ink if is_selected else colours.paper)
            painter.drawLine(QPointF(flag.x, theme.px(2)), QPointF(flag.x, self.height() - 1))
            place = QRectF(flag.x, theme.px(2), flag.width, theme.px(15))
            painter.drawRect(place)
            if flag.width > theme.px(12):
                painter.setPen(colours.paper if is_selected else colours.ink)
                text = face.elided(self._label(flag.event), flag.width - theme.px(8))
                face.draw(painter, place.left() + theme.px(4), place.top(), place.height(), text)

    # Mouse and keys

    def event(self, event: QEvent | None) -> bool:
        """Tell what happens at a flag."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            flag, plan = self.flag_at(event.pos()), self._desk.look.plan
            near = [flag.event] if flag is not None else self.events_near(event.pos())
            QToolTip.showText(event.globalPos(), "\n".join(event_text(event, plan) for event in near[:20]), self)
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take a flag, or look at the time that was clicked."""
        if event is None or event.button() != Qt.MouseButton.LeftButton:
            return
        flag = self.flag_at(event.position().toPoint())
        if flag is not None:
            self._pressed = (flag, event.position().x())
            self._editor.select(flag.number if flag.number >= 0 else None)
        else:
            self._editor.select(None)
            self._set_from(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the flag that is held, or the moment along."""
        if event is None:
            return
        if not event.buttons() & Qt.MouseButton.LeftButton:
            over = self.flag_at(event.position().toPoint())
            movable = over is not None and over.number >= 0
            self.setCursor(Qt.CursorShape.SizeHorCursor if movable else Qt.CursorShape.ArrowCursor)
        elif self._pressed is None:
            self._set_from(event)
        elif self._pressed[0].number >= 0:
            flag, from_x = self._pressed
            if self._dragged_s is not None or abs(event.position().x() - from_x) >= _STARTS_AFTER:
                at_s = self._scale().time(flag.x + event.position().x() - from_x)
                self._dragged_s = round(at_s / _SNAP_S) * _SNAP_S
                self.update()

    def mouseReleaseEvent(self, _event: QMouseEvent | None) -> None:
        """Let the event happen where its flag was dropped; a flag that was only clicked shows its time."""
        pressed, at_s = self._pressed, self._dragged_s
        self._pressed = self._dragged_s = None
        if pressed is not None:
            if at_s is not None:
                self._editor.move(pressed[0].number, at_s)
            else:
                self._desk.look.set_moment(pressed[0].event.at)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Show all that can be said of the event."""
        if event is not None and self.flag_at(event.position().toPoint()) is not None:
            self.events_wanted.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Go from flag to flag, move and remove the selected one; Esc lets go of one that is dragged."""
        if event is None:
            return
        key, selected, count = event.key(), self._editor.selected, len(self._editor.events)
        is_moving = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if key == Qt.Key.Key_Escape and self._pressed is not None:
            self._pressed = self._dragged_s = None
            self.update()
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and count:
            step = 1 if key == Qt.Key.Key_Right else -1
            if is_moving and selected is not None:
                self._editor.move(selected, self._editor.events[selected].at + step * _STEP_S)
            else:
                first = 0 if step > 0 else count - 1
                self._editor.select(first if selected is None else min(max(selected + step, 0), count - 1))
                assert self._editor.selected is not None
                self._desk.look.set_moment(self._editor.events[self._editor.selected].at)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and selected is not None:
            self._editor.remove(selected)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.events_wanted.emit()
        else:
            super().keyPressEvent(event)

    def _set_from(self, event: QMouseEvent) -> None:
        scale = self._scale()
        if event.position().x() >= scale.left:
            self._desk.look.set_moment(round(scale.time(event.position().x())))
