"""A plan being played beside the window: speed, pause, steps, and events put in on the way."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping
from typing import Any, Final

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ruvex.desktop.state.background import Background
from ruvex.desktop.state.document import Document
from ruvex.plan import Event, Plan, SetEvent
from ruvex.play import Player, Recording, obstacle_to_play

SPEEDS: Final = (1.0, 10.0, 60.0, 0.0)
"""How many times faster than the clock a plan is played; 0 is as fast as it goes."""
_PIECE_S: Final = 0.07
_SHOW_S: Final = 0.15
_SHOW_LESS: Final = 2.0
_SHOW_LEAST_S: Final = 2.0
"""As fast as it goes, lanes are drawn soon and then less and less often: drawing takes time that playing could have."""
_PIECE_TICKS: Final = 24
_MOST_TICKS: Final = 4000
_BEAT_MS: Final = 50
_AGAIN_MS: Final = 500
_SUBJECT: Final = "play"


class Playing(QObject):
    """Plays the open plan piece by piece; each piece is worked out beside the window, which only reads in between.

    Attributes
    ----------
    player
        What is played, None before the first play.
    speed
        One of ``SPEEDS``.
    is_running
        Whether it goes on by itself.
    is_wanted
        Whether somebody looks at it: then a plan that was changed is played again by itself.

    Signals
    -------
    advanced()
        There is more to see.
    went_on()
        It is further; not each time is more to be seen.
    restarted()
        Another play has begun, with an empty recording.
    ended()
        The end of the day has been reached.
    changed()
        It runs, pauses, is over or out of date now; or its speed is another one.
    refused(text)
        The day is too much for one play; the text says why, and what would be possible.
    """

    advanced = pyqtSignal()
    went_on = pyqtSignal()
    restarted = pyqtSignal()
    ended = pyqtSignal()
    changed = pyqtSignal()
    refused = pyqtSignal(str)

    def __init__(self, document: Document, background: Background, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self._background = document, background
        self.player: Player | None = None
        self.speed, self.is_running, self.is_wanted = 0.0, False, False
        self._played: Plan | None = None
        self._is_busy, self._ticks = False, _PIECE_TICKS
        self._waiting: list[Event] = []
        self._began = (0.0, 0.0)
        self._catch_up_s = 0.0
        self._shown_at, self._show_s = 0.0, _SHOW_S
        self._beat = QTimer(self)
        self._beat.setSingleShot(True)
        self._beat.timeout.connect(self._go_on)
        self._again = QTimer(self)
        self._again.setSingleShot(True)
        self._again.setInterval(_AGAIN_MS)
        self._again.timeout.connect(self._on_again_due)
        document.edited.connect(self._on_edited)
        document.opened.connect(self._drop)

    @property
    def recording(self) -> Recording | None:
        """What has been played, None before the first play."""
        return None if self.player is None else self.player.recording

    @property
    def now_s(self) -> float:
        """How far it is, s since the start of the day."""
        return 0.0 if self.player is None else self.player.now_s

    @property
    def is_over(self) -> bool:
        """Whether the end of the day has been reached."""
        return self.player is not None and self.player.is_over

    @property
    def is_catching_up(self) -> bool:
        """Whether it is on its way to the time from which it is to be seen."""
        return self.is_running and self.now_s < self._catch_up_s

    @property
    def is_live(self) -> bool:
        """Whether a play is looked at that pauses or goes at a speed to act in: what is done happens in it then."""
        at_hand = self.is_wanted and not (self.is_running and not self.speed)
        # A play that was paused in its first piece goes on to the end of it beside the window, and shows nothing yet.
        has_begun = self.player is not None and not self.is_over and self.player.recording.rows > 0
        return at_hand and has_begun and not self.is_outdated

    @property
    def is_outdated(self) -> bool:
        """Whether the plan has changed since it was played."""
        return self._played is not None and not same_to_play(self._played, self._document.plan)

    # What people ask

    def restart(self) -> None:
        """Begin anew with the plan as it is now, and stop at its start."""
        self.is_running, self._waiting, self._shown_at, self._show_s = False, [], 0.0, _SHOW_S
        self._catch_up_s = 0.0
        self._background.drop(_SUBJECT)
        self._is_busy = False
        plan = self._document.plan
        self._played = plan
        obstacle = obstacle_to_play(plan)
        self.player = None if obstacle else Player(self._document.site)
        self._ticks = _PIECE_TICKS
        self.restarted.emit()
        self.changed.emit()
        if obstacle:
            self.refused.emit(f"The day is not played: {obstacle}.")

    def play(self) -> None:
        """Go on, from the start where there is nothing to go on with."""
        if self.player is None or self.is_over or self.is_outdated:
            self.restart()
        self.is_running = self.player is not None
        self._begin_clock()
        self.changed.emit()
        self._go_on()

    def play_from(self, at_s: float) -> None:
        """Play the day anew: as fast as it goes up to a time, and from there on at the chosen speed."""
        self.restart()
        self._catch_up_s = at_s
        self.is_running = self.player is not None
        self.changed.emit()
        self._go_on()

    def pause(self) -> None:
        """Stand still."""
        self.is_running, self._catch_up_s = False, 0.0
        self._beat.stop()
        self.changed.emit()

    def toggle(self) -> None:
        """Go on or stand still; at a speed of the clock a new play begins at the moment that is looked at."""
        if self.is_running:
            self.pause()
        elif self.speed and (self.player is None or self.is_over or self.is_outdated):
            self.play_from(self._document.plan.moment)
        else:
            self.play()

    def set_speed(self, speed: float) -> None:
        """Choose how fast it goes."""
        self.speed = speed
        self._begin_clock()
        self.changed.emit()

    def step(self) -> None:
        """Play to the next recorded row, and stand still."""
        if self.player is None or self.is_outdated:
            self.restart()
        if self.is_running:
            self.pause()
        if self.player is None:
            return
        every = self.player.recording.every_s
        self._work_on(until_s=(int(self.now_s / every + 1e-9) + 1) * every, most_ticks=_MOST_TICKS)

    def insert(self, event: Event) -> None:
        """Put an event in at the time that is played now."""
        self._waiting.append(event)
        if not self._is_busy:
            self._put_in()

    @property
    def kept(self) -> tuple[Event, ...]:
        """The events that were put in so far."""
        return () if self.player is None else tuple(self.player.kept)

    def want(self, *, wanted: bool) -> None:
        """Take note whether somebody looks at it; what has not been played as it is now is played then."""
        self.is_wanted = wanted
        if wanted and self._document.plan.guests and (self.player is None or self.is_outdated):
            # What is being laid out is shown first.
            QTimer.singleShot(0, self._on_again_due)

    def take_over(self, player: Player) -> None:
        """Show a day that was played elsewhere, of the plan as it is now."""
        self.is_running, self._waiting, self._is_busy = False, [], False
        self._background.drop(_SUBJECT)
        self._beat.stop()
        self._again.stop()
        self._played, self.player = player.plans[0][1], player
        self.restarted.emit()
        self.advanced.emit()
        self.went_on.emit()
        self.changed.emit()
        self.ended.emit()

    def events_kept(self, plan: Plan) -> None:
        """Take note that the events are in the plan now, so that the play is not out of date for them."""
        self._played = plan
        if self.player is not None:
            self.player.kept.clear()
        self.changed.emit()

    @property
    def is_in_force(self) -> bool:
        """Whether what was played is looked at, and of the plan as it is."""
        return self.is_wanted and self.player is not None and not self.is_outdated

    # Going on

    def _begin_clock(self) -> None:
        self._began = (time.monotonic(), self.now_s)

    def _go_on(self) -> None:
        if not self.is_running or self._is_busy or self.player is None:
            return
        if self.now_s < self._catch_up_s:
            self._work_on(until_s=self._catch_up_s, most_ticks=_MOST_TICKS)
        elif self.speed:
            if self._catch_up_s:
                self._catch_up_s = 0.0
                self._begin_clock()
            clock, start = self._began
            goal = start + (time.monotonic() - clock) * self.speed
            if goal < self.now_s + self.player.tick_s:
                self._beat.start(_BEAT_MS)
                return
            self._work_on(until_s=goal, most_ticks=_MOST_TICKS)
        else:
            self._work_on(until_s=None, most_ticks=self._ticks)

    def _work_on(self, *, until_s: float | None, most_ticks: int) -> None:
        if self._is_busy or self.player is None:
            return
        self._put_in()
        self._is_busy, player = True, self.player

        def work() -> float:
            begin = time.perf_counter()
            player.run(until_s, most_ticks=most_ticks)
            return time.perf_counter() - begin

        def answer(seconds: float | None, problem: Exception | None) -> None:
            if player is not self.player:
                return
            self._is_busy = False
            if problem is not None:
                self.pause()
                raise problem
            self._on_piece_done(seconds or _PIECE_S, most_ticks)

        self._background.run(_SUBJECT, work, answer)

    def _on_piece_done(self, seconds: float, ticks: int) -> None:
        if not self.speed:
            wished = ticks * _PIECE_S / max(seconds, 1e-4)
            self._ticks = int(min(max(wished, _PIECE_TICKS), _MOST_TICKS))
        self._put_in()
        if self.is_over and self.is_running:
            self.is_running = False
            self.ended.emit()
        now = time.monotonic()
        if (self.speed and not self.is_catching_up) or not self.is_running or now - self._shown_at >= self._show_s:
            self._shown_at = now
            self._show_s = min(self._show_s * _SHOW_LESS, _SHOW_LEAST_S)
            self.advanced.emit()
        self.went_on.emit()
        if not self.is_running:
            self.changed.emit()
        elif self.speed and not self.is_catching_up:
            self._beat.start(_BEAT_MS)
        else:
            self._go_on()

    def _put_in(self) -> None:
        if self.player is not None:
            for event in self._waiting:
                self.player.insert(event.model_copy(update={"at": self.now_s}))
        self._waiting = []

    # Following the plan

    def take_changes(self, changes: Iterable[tuple[str, Mapping[str, Any]]]) -> bool:
        """Let a change of settings happen in the play that is under way; tells whether it does."""
        if not self.is_live:
            return False
        for target, change in changes:
            self.insert(SetEvent(at=self.now_s, do="set", target=target, change=dict(change)))
        return True

    def _on_edited(self, _text: str) -> None:
        if self.is_running and self.is_outdated:
            self.pause()
        self.changed.emit()
        if self.is_wanted and self.is_outdated:
            self._again.start()

    def _drop(self) -> None:
        """Forget what was played: another plan is open."""
        self._played, self.player, self.is_running = None, None, False
        self._is_busy, self._waiting = False, []
        self._beat.stop()
        self._background.drop(_SUBJECT)
        self.restarted.emit()
        self.changed.emit()
        if self.is_wanted:
            QTimer.singleShot(0, self._on_again_due)

    def _on_again_due(self) -> None:
        stale = self.player is None or self.is_outdated
        if self.is_wanted and stale and self._document.plan.guests:
            self.speed = 0.0
            self.play()


def same_to_play(one: Plan, other: Plan) -> bool:
    """Tell whether two plans play alike: names, notes and the moment do not matter."""
    parts = ("hosts", "stores", "pools", "guests", "placement", "rules", "day_s", "tick_s", "seed", "events")
    return one is other or all(getattr(one, part) == getattr(other, part) for part in parts)
