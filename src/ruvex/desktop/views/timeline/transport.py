"""The tools of the Timeline: play, step, speed, what is done in a play, how tall lanes are, events and log."""

from __future__ import annotations

from functools import partial
from typing import Final

from PyQt6.QtWidgets import QToolButton, QWidget

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.elided_label import ElidedLabel
from ruvex.desktop.kit.filter_line import FilterLine
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.tool_row import ToolRow
from ruvex.desktop.panels.view import Bench
from ruvex.desktop.state.playing import SPEEDS
from ruvex.desktop.views.timeline.lanes import DENSITIES, Lanes
from ruvex.plan import format_memory, format_time
from ruvex.words import entry_text

_PLAY: Final = (ActionName.PLAY_STEP, ActionName.REPLAY, ActionName.NEXT_TIME)
_IN_PLAY: Final = (ActionName.RESTART, ActionName.SURGE, ActionName.KEEP_EVENTS)
_SHEETS: Final = (ActionName.EVENTS, ActionName.LOG)
_RECENT_S: Final = 120.0
_NAMES: Final = {1.0: "1×", 10.0: "10×", 60.0: "60×", 0.0: "fastest"}
_LEAST_TOLD: Final = 60


class Transport(ToolRow):
    """Buttons and a line that tells how far it is.

    Attributes
    ----------
    speeds, densities
        The buttons of the speeds, and of how tall lanes are.
    line
        Words to look for.
    told
        What is going on.
    """

    def __init__(self, bench: Bench, lanes: Lanes, parent: QWidget) -> None:
        super().__init__(bench.theme, parent)
        self._desk, self._playing, self._actions, self._lanes = bench.desk, bench.desk.playing, bench.actions, lanes
        self._said = ""
        self.speeds = {speed: self._speed_button(speed) for speed in SPEEDS}
        names = list(DENSITIES)
        hint = "Lanes low, those chosen and worst hit tall, or all tall; a double click on a lane changes it alone"
        buttons = self.segments(list(DENSITIES.values()), hint, lambda number: self.choose_density(names[number]))
        self.densities = dict(zip(names, buttons, strict=True))
        self.line = FilterLine(lanes, self)
        self.line.textChanged.connect(lanes.look_for)
        self.told = ElidedLabel(bench.theme, 12, at_right=True, parent=self)
        self.told.setMinimumWidth(_LEAST_TOLD)
        self.add([self.action_button(bench.actions[ActionName.PLAY])], rank=0)
        self.add([self.action_button(bench.actions[name]) for name in _PLAY], rank=3)
        self.add(list(self.speeds.values()), rank=2)
        self._in_play = {name: self.action_button(bench.actions[name]) for name in _IN_PLAY}
        self.add(list(self._in_play.values()), rank=5)
        self.add(list(self.densities.values()), rank=6)
        self.add([self.action_button(bench.actions[name]) for name in _SHEETS], rank=4)
        self.add([self.line], rank=1)
        self.add([self.told], rank=1, stretch=1)
        playing = self._playing
        bench.desk.look.rows_changed.connect(self._on_changed)
        bench.desk.document.edited.connect(lambda _text: self._on_changed())
        playing.advanced.connect(self._tell)
        playing.changed.connect(self._on_changed)
        playing.restarted.connect(self._on_changed)
        self._on_changed()

    def _speed_button(self, speed: float) -> QToolButton:
        button = QToolButton(self)
        button.setText(_NAMES[speed])
        button.setCheckable(True)
        how = f"{speed:g} times as fast as the clock" if speed else "as fast as it goes"
        button.setToolTip(f"Play {how}")
        button.setAccessibleName(f"Speed: {how}")
        button.clicked.connect(partial(self._on_speed, speed))
        set_role(button, "segment")
        return button

    def _on_speed(self, speed: float, _checked: bool = False) -> None:
        self._playing.set_speed(speed)

    def choose_density(self, density: str) -> None:
        """Let lanes be low, mixed or tall."""
        self._lanes.set_density(density)
        self._on_changed()

    def say(self, text: str) -> None:
        """Say something in place of how far it is, until it goes on."""
        self._said = text
        self._tell()
        self._said = ""

    def _on_changed(self) -> None:
        playing = self._playing
        for speed, button in self.speeds.items():
            button.setChecked(speed == playing.speed)
        for density, button in self.densities.items():
            button.setChecked(density == self._lanes.density)
        play = self._actions[ActionName.PLAY]
        begins_here = bool(playing.speed) and (playing.player is None or playing.is_over or playing.is_outdated)
        play.setText("Pause" if playing.is_running else "Play from here" if begins_here else "Play")
        kept = len(playing.kept)
        keep = self._actions[ActionName.KEEP_EVENTS]
        keep.setEnabled(kept > 0)
        keep.setText(f"Keep {kept} event{'s' if kept != 1 else ''}" if kept else ActionName.KEEP_EVENTS.value.text)
        count = len(self._desk.look.plan.events)
        self._actions[ActionName.EVENTS].setText(f"Events {count}" if count else "Events")
        # What is done in a play needs one that goes on.
        for name in (ActionName.RESTART, ActionName.SURGE):
            self._actions[name].setEnabled(not playing.is_over)
        for name, button in self._in_play.items():
            needed = kept > 0 if name is ActionName.KEEP_EVENTS else playing.player is not None and not playing.is_over
            button.setProperty("absent", not needed)
        self._fit()
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
        self.told.set_text(text)

    def _latest(self) -> str:
        """Say what happened last in a play that is under way, where that is not long ago."""
        player = self._playing.player
        if player is None or self._playing.is_over or (not self._playing.speed and self._playing.is_running):
            return ""
        last = player.log[-1] if player.log else None
        is_recent = last is not None and player.now_s - last.at_s <= _RECENT_S
        return entry_text(last, player.site.plan) if last is not None and is_recent else ""

    def savings_text(self) -> str:
        """Say what elastic memory saves, nothing where there is none."""
        player = self._playing.player
        saved = None if player is None else player.savings()
        if saved is None:
            return ""
        mean, least = format_memory(saved.mean_mib), format_memory(saved.least_mib)
        return f"elastic saves {mean} of {format_memory(saved.otherwise_mib)} fixed, {least} at least"
