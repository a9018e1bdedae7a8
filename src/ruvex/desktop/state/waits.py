"""What guests wait by chance over the days that were played: found beside the window, of each day once."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.advise import DayWaits, day_waits
from ruvex.desktop.state.background import Background
from ruvex.play import Player

_MOST_KEPT: Final = 3


class WaitsOfDays(QObject):
    """Waits by chance by the play they are of.

    Signals
    -------
    changed()
        Those of another day are there.
    """

    changed = pyqtSignal()

    def __init__(self, background: Background, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._background = background
        self._known: list[tuple[Player, DayWaits | None]] = []

    def of(self, player: Player | None) -> DayWaits | None:
        """Give the waits of a play that has come to its end; None while they are not there, and then asks for them."""
        if player is None or not player.is_over:
            return None
        for known, found in self._known:
            if known is player:
                return found
        self._known = [*self._known, (player, None)][-_MOST_KEPT:]

        def answer(found: DayWaits | None, problem: Exception | None) -> None:
            if problem is not None:
                raise problem
            self._known = [(known, found if known is player else was) for known, was in self._known]
            self.changed.emit()

        self._background.run(f"waits of {id(player)}", lambda: day_waits(player), answer, lane="questions")
        return None

    def forget(self) -> None:
        """Forget all of them: another plan is open."""
        self._known = []
