"""The Timeline view: transport above, ruler and lanes below, the gauge beside them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final

import numpy as np
from PyQt6.QtGui import QAction, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QStackedLayout, QVBoxLayout, QWidget

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.empty_state import EmptyState
from ruvex.desktop.panels.view import Bench, View, bind
from ruvex.desktop.views.timeline.gauge import Gauge
from ruvex.desktop.views.timeline.lanes import DENSITIES, Lanes
from ruvex.desktop.views.timeline.ruler import Ruler
from ruvex.desktop.views.timeline.transport import Transport
from ruvex.desktop.views.timeline.view_bar import ViewBar
from ruvex.plan import format_time
from ruvex.words import entry_text

_TOLD: Final = ("pressure", "refused", "wait", "bridge", "finish")
_IN_LANES: Final = (
    ActionName.POWER, ActionName.COPY, ActionName.SELECT_ALL, ActionName.MOVE, ActionName.DELETE,
)  # fmt: skip
_FIRST_STEPS: Final = (ActionName.NEW_GUEST, ActionName.PASTE, ActionName.DEMO)


_LEGEND: Final = (
    "working set", "cache, idle", "not delivered", "balloon", "due", "done", "late", "squeezed", "spilled", "wait",
    "wait by chance",    "before the change",
)  # fmt: skip
_READABLE_S: Final = 240.0
"""So much of the clock's time fits across the lanes while a play is followed."""
_LEAST_SPAN_S: Final = 600.0
_TURNS_S: Final = 10.0
"""With less of the day in view, nothing is recorded in between: what happens there is turns."""
_FOLLOWS_AT: Final = 0.85
_ROOM_FOR_GAUGE: Final = 820


class TimelineView(View):
    """A plan played over its day.

    Attributes
    ----------
    transport, view_bar, ruler, lanes, gauge
        Its parts.
    """

    def __init__(self, bench: Bench, parent: QWidget) -> None:
        super().__init__(parent)
        desk, playing, theme, actions = bench.desk, bench.desk.playing, bench.theme, bench.actions
        live = bench.live
        self._desk, self._playing, self._theme = desk, playing, theme
        rows = QWidget(self)
        self.lanes = Lanes(desk, theme, rows)
        self.transport = Transport(bench, self.lanes, rows)
        self.view_bar = ViewBar(desk, theme, lambda: self.lanes.scale, rows)
        self.ruler = Ruler(desk, theme, bench.events, lambda: self.lanes.scale, rows)
        self.gauge = Gauge(desk, playing, theme, rows)
        left = QVBoxLayout()
        left.setSpacing(0)
        left.addWidget(self.view_bar)
        left.addWidget(self.ruler)
        left.addWidget(self.lanes, 1)
        beside = QHBoxLayout()
        beside.setSpacing(0)
        beside.addLayout(left, 1)
        beside.addWidget(self.gauge)
        column = QVBoxLayout(rows)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.transport)
        column.addLayout(beside, 1)
        text = "Add guests or open a plan; then it can be played over its day."
        self.empty = EmptyState(theme, "Nothing to play yet", text, [actions[name] for name in _FIRST_STEPS], self)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(rows)
        self._stack.addWidget(self.empty)
        self.setFocusProxy(self.lanes)
        self.lanes.scale_changed.connect(self.ruler.update)
        self.lanes.scale_changed.connect(self.view_bar.update)
        self.turns_button = QPushButton(rows)
        self.turns_button.setToolTip(ActionName.TURNS.value.hint)
        self.turns_button.clicked.connect(lambda _checked=False: self._go_to_turns(actions[ActionName.TURNS]))
        self.turns_button.hide()
        self.lanes.scale_changed.connect(self._offer_turns)
        self.lanes.crossed.connect(self._offer_turns)
        theme.changed.connect(self._offer_turns)
        self.view_bar.chosen.connect(self.lanes.set_scale)
        self.ruler.events_wanted.connect(actions[ActionName.EVENTS].trigger)
        self.lanes.crossed.connect(self._on_crossed)
        desk.look.rows_changed.connect(self._on_replaced)
        desk.look.changed.connect(self._on_divided)
        playing.advanced.connect(self._on_advanced)
        self.lanes.menu_asked.connect(self.menu_asked)
        for name in _IN_LANES:
            self.lanes.addAction(actions[name])
        bind(
            actions,
            {
                ActionName.PLAY: lambda: self._after_showing(playing.toggle),
                ActionName.PLAY_STEP: lambda: self._after_showing(playing.step),
                ActionName.REPLAY: lambda: self._after_showing(self._replay),
                ActionName.NEXT_TIME: self.jump,
                ActionName.RESTART: live.restart,
                ActionName.SURGE: live.surge,
                ActionName.KEEP_EVENTS: live.keep,
            },
        )
        self.bind_here(
            actions,
            {
                ActionName.FILTER: self.transport.line.setFocus,
                ActionName.FOLD_ALL: lambda: self.lanes.fold_all(folded=True),
                ActionName.UNFOLD_ALL: lambda: self.lanes.fold_all(folded=False),
                ActionName.SELECT_ALL: self._select_all,
            },
        )
        self._on_replaced()

    def _offer_turns(self) -> None:
        """Where so little of the day shows that its lanes stand still, offer the turns of that time."""
        scale = self.lanes.scale
        self.turns_button.setVisible(scale.span_s < _TURNS_S)
        if scale.span_s >= _TURNS_S:
            return
        self.turns_button.setFont(self._theme.font(12))
        self.turns_button.setText(f"Core by core at {format_time(self._turns_at())}")
        self.turns_button.adjustSize()
        middle = round((scale.left + scale.right - self.turns_button.width()) / 2)
        place = self.lanes.geometry()
        self.turns_button.move(place.left() + middle, place.bottom() - self.turns_button.height() - self._theme.px(10))
        self.turns_button.raise_()

    def _turns_at(self) -> float:
        """Give the time that is meant: under the crosshair, or in the middle of what shows."""
        scale, cross_s = self.lanes.scale, self.lanes.cross_s
        return cross_s if scale.start_s <= cross_s <= scale.end_s else (scale.start_s + scale.end_s) / 2

    def _go_to_turns(self, action: QAction) -> None:
        self._desk.look.set_moment(self._turns_at())
        action.trigger()
        self._desk.look.set_mode("played")

    def _select_all(self) -> None:
        ids = [row.item_id for row in self.lanes.row_list.rows if not row.is_place]
        self._desk.selection.select_many(ids, self._desk.selection.current or next(iter(ids), None))

    @property
    def legend(self) -> Sequence[str]:
        """What the lanes have."""
        return _LEGEND

    def arrangement(self) -> dict[str, Any]:
        """Give how tall lanes are."""
        return {"density": self.lanes.density}

    def arrange(self, kept: Mapping[str, Any]) -> None:
        """Take it."""
        if str(kept.get("density")) in DENSITIES:
            self.transport.choose_density(str(kept["density"]))

    @property
    def is_behind(self) -> bool:
        """Whether lanes are still being drawn."""
        return self.lanes.is_behind

    def _after_showing(self, run: Callable[[], None]) -> None:
        self.asked.emit()
        run()

    def _replay(self) -> None:
        self._playing.restart()
        self._playing.play()

    def _on_replaced(self) -> None:
        self._stack.setCurrentIndex(0 if self._desk.look.plan.guests else 1)

    def _on_crossed(self) -> None:
        self.gauge.show_time(self.lanes.cross_s)
        self.ruler.update()

    def _on_divided(self) -> None:
        if not (self._playing.is_running and self._playing.speed):
            self.gauge.show_time(self._desk.look.plan.moment)

    def _on_advanced(self) -> None:
        """While it plays at a speed crosshair, head and dials go along; as fast as it goes they stay where they are."""
        if self._playing.is_catching_up:
            return
        if self._playing.speed and self._playing.is_running:
            self.lanes.set_cross(self._playing.now_s)
            self._keep_in_view(self._playing.now_s)
            if self._desk.trial.step is None:
                self._desk.look.set_moment(self._playing.now_s)
        elif self._playing.is_live and not self._playing.is_running:
            self.lanes.set_cross(self._playing.now_s)
            self._desk.look.set_moment(self._playing.now_s)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave the gauge out where the lanes would have no room beside it."""
        super().resizeEvent(event)
        self.gauge.setVisible(self.width() >= self._theme.px(_ROOM_FOR_GAUGE))

    def _keep_in_view(self, at_s: float) -> None:
        """Let the axis follow a play at a scale at which it can be read."""
        scale = self.lanes.scale
        span = min(scale.span_s, max(self._playing.speed * _READABLE_S, _LEAST_SPAN_S), scale.whole_s)
        if span < scale.span_s or not scale.start_s <= at_s <= scale.start_s + _FOLLOWS_AT * scale.span_s:
            self.lanes.set_scale(scale.at(at_s - span / 3, span))

    # Looking for something to see

    def next_time(self) -> float | None:
        """Give the next time after the crosshair at which something begins: a shortfall, a pressure, a refusal."""
        recording, player = self._playing.recording, self._playing.player
        if recording is None or player is None or not recording.rows:
            return None
        short = recording.series("cause") > 0
        begins = np.flatnonzero((short[:, 1:] & ~short[:, :-1]).any(axis=0)) + 1
        times = recording.times_s[begins].tolist()
        times += [
            entry.at_s for entry in player.log if entry.kind in ("pressure", "refused", "wait", "bridge", "finish")
        ]
        # A row is recorded up to so long after what it shows.
        later = sorted(time for time in times if time > self.lanes.cross_s + recording.every_s)
        return later[0] if later else None

    def jump(self) -> None:
        """Go to the next interesting time, and say what happens there."""
        at_s = self.next_time()
        if at_s is None:
            self.told.emit("Nothing else happens later: no shortfall begins, no pressure changes, nothing is refused.")
            return
        self._desk.look.set_moment(at_s)
        self.lanes.set_cross(at_s)
        scale = self.lanes.scale
        if not scale.start_s <= at_s <= scale.end_s:
            self.lanes.set_scale(scale.at(at_s - scale.span_s / 3, scale.span_s))
        recording, player = self._playing.recording, self._playing.player
        assert recording is not None and player is not None
        near = [e for e in player.log if e.kind in _TOLD and abs(e.at_s - at_s) < recording.every_s]
        if near:
            self.transport.say(entry_text(near[0], player.site.plan))
