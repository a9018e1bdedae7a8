"""The transport: play, step, speed, the next interesting time, events to be kept; what to watch, and what is saved."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.playing import SPEEDS, Playing
from ruvex.plan import format_memory, format_time

Actions = Mapping[ActionName, QAction]
_BUTTONS: Final = (ActionName.PLAY, ActionName.PLAY_STEP, ActionName.REPLAY, ActionName.NEXT_TIME)
_LATER: Final = (ActionName.RESTART, ActionName.SURGE, ActionName.KEEP_EVENTS)
_RECENT_S: Final = 120.0
_NAMES: Final = {1.0: "1×", 10.0: "10×", 60.0: "60×", 0.0: "fastest"}


class Transport(QWidget):
    """Buttons and a line that tells how far it is.

    Attributes
    ----------
    speeds
        The buttons of the speeds.
    told, notes
        What is going on, and what the plan says is to be watched.
    """

    def __init__(
        self,
        desk: Desk,
        playing: Playing,
        theme: Theme,
        actions: Mapping[ActionName, QAction],
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self._desk, self._playing, self._theme, self._actions = desk, playing, theme, actions
        self._said = ""
        row = QHBoxLayout()
        row.setSpacing(4)
        self._buttons = []
        for name in (*_BUTTONS, None, *_LATER):
            if name is None:
                self.speeds = {speed: self._speed_button(speed) for speed in SPEEDS}
                row.addSpacing(8)
                for button in self.speeds.values():
                    row.addWidget(button)
                row.addSpacing(8)
            else:
                button = QToolButton(self)
                button.setDefaultAction(actions[name])
                button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextOnly)
                self._buttons.append(button)
                row.addWidget(button)
        row.addStretch(1)
        self.told, self.notes = QLabel(self), QLabel(self)
        self.told.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.told.setAlignment(Qt.AlignmentFlag.AlignRight)
        row.addWidget(self.told, 10)
        self.notes.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 6, 12, 6)
        column.setSpacing(4)
        column.addLayout(row)
        column.addWidget(self.notes)
        desk.look.rows_changed.connect(self._on_replaced)
        desk.document.edited.connect(self._on_replaced)
        playing.advanced.connect(self._tell)
        playing.changed.connect(self._on_changed)
        playing.restarted.connect(self._on_changed)
        theme.changed.connect(self._on_theme_changed)
        self._on_replaced()
        self._on_theme_changed()

    def _speed_button(self, speed: float) -> QToolButton:
        button = QToolButton(self)
        button.setText(_NAMES[speed])
        button.setCheckable(True)
        how = f"{speed:g} times as fast as the clock" if speed else "as fast as it goes"
        button.setToolTip(f"Play {how}")
        button.setAccessibleName(f"Speed: {how}")
        button.clicked.connect(partial(self._on_speed, speed))
        return button

    def _on_speed(self, speed: float, _checked: bool = False) -> None:
        self._playing.set_speed(speed)

    def say(self, text: str) -> None:
        """Say something in place of how far it is, until it goes on."""
        self._said = text
        self._tell()
        self._said = ""

    def _on_replaced(self) -> None:
        notes = self._desk.look.plan.notes.strip()
        self.notes.setText(notes.replace("\n", " "))
        self.notes.setVisible(bool(notes))
        self._on_changed()

    def _on_changed(self) -> None:
        playing = self._playing
        for speed, button in self.speeds.items():
            button.setChecked(speed == playing.speed)
        play = self._actions[ActionName.PLAY]
        play.setText("Pause" if playing.is_running else "Play")
        kept = len(playing.kept)
        keep = self._actions[ActionName.KEEP_EVENTS]
        keep.setEnabled(kept > 0)
        keep.setText(f"Keep {kept} event{'s' if kept != 1 else ''}" if kept else ActionName.KEEP_EVENTS.value.text)
        # What is done in a play needs one that goes on.
        for name in (ActionName.RESTART, ActionName.SURGE):
            self._actions[name].setEnabled(not playing.is_over)
        self._tell()

    def _tell(self) -> None:
        playing = self._playing
        text = self._said
        if not text and playing.is_outdated:
            text = "The plan has changed since it was played."
        elif not text and playing.player is not None:
            now = format_time(round(playing.now_s))
            text = "" if playing.is_over else f"{'playing' if playing.is_running else 'paused'} at {now}   "
            text += self._latest() or self.savings_text()
        room = max(60, self.told.width())
        self.told.setText(self._theme.metrics(12).elidedText(text, Qt.TextElideMode.ElideMiddle, room))
        self.told.setToolTip(text)

    def _latest(self) -> str:
        """Say what happened last in a play that is under way, where that is not long ago."""
        player = self._playing.player
        if player is None or self._playing.is_over or (not self._playing.speed and self._playing.is_running):
            return ""
        last = player.log[-1] if player.log else None
        return last.text if last is not None and player.now_s - last.at_s <= _RECENT_S else ""

    def savings_text(self) -> str:
        """Say what elastic memory saves, nothing where there is none."""
        player = self._playing.player
        saved = None if player is None else player.savings()
        if saved is None:
            return ""
        mean, least = format_memory(saved.mean_mib), format_memory(saved.least_mib)
        return f"elastic saves {mean} of {format_memory(saved.otherwise_mib)} fixed, {least} at least"

    def resizeEvent(self, event: object) -> None:
        """Fit the text to the room there is."""
        super().resizeEvent(event)  # type: ignore[arg-type]
        self._tell()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the ground."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._theme.colours.panel)
        painter.setPen(self._theme.colours.line)
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        painter.end()

    def _on_theme_changed(self) -> None:
        theme = self._theme
        for widget in (*self._buttons, *self.speeds.values(), self.told, self.notes):
            widget.setFont(theme.font(12))
        self._tell()
