"""Which day the lanes draw: what was played, or while something is tried its day, with the one before as a ghost."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from PyQt6.QtCore import QObject

from ruvex.desktop.state.desk import Desk
from ruvex.play import Finish, Player, Recording


@dataclass(frozen=True, slots=True)
class Job:
    """A batch job in a lane: when it is due and done, s; and when it was done before what is being tried."""

    due_s: float
    done_s: float | None
    before_s: float | None
    has_moved: bool

    @property
    def is_late(self) -> bool:
        """Whether it is done later than due, by more than what nobody minds, or not at all."""
        return self.done_s is None or self.done_s > self.due_s + _MINDED_S


_MINDED_S = 60.0


class DaysBand(QObject):
    """The players whose recordings are drawn."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        super().__init__(parent)
        self._desk = desk
        self._jobs: tuple[object, Mapping[str, list[Job]]] = (None, {})

    @property
    def player(self) -> Player | None:
        """What is drawn."""
        return self._desk.rehearsal.tried if self.before is not None else self._desk.playing.player

    @property
    def before(self) -> Player | None:
        """The day without what is being tried, while both are there."""
        desk = self._desk
        is_trying = desk.trial.step is not None and desk.rehearsal.tried is not None and not desk.playing.is_live
        return desk.rehearsal.base if is_trying else None

    @property
    def recording(self) -> Recording | None:
        """What is drawn, as it was recorded."""
        return None if self.player is None else self.player.recording

    def jobs(self) -> Mapping[str, list[Job]]:
        """Give the batch jobs of every guest, as far as the day has been played to its end."""
        player, before = self.player, self.before
        if player is None or not player.is_over:
            return {}
        key = (id(player), id(before))
        if self._jobs[0] != key:
            self._jobs = (key, _jobs(player.summary().finishes, before))
        return self._jobs[1]


def _jobs(finishes: tuple[Finish, ...], before: Player | None) -> Mapping[str, list[Job]]:
    was = {} if before is None else {(job.guest, job.due_s): job.finished_s for job in before.summary().finishes}
    found: dict[str, list[Job]] = {}
    for job in finishes:
        old = was.get((job.guest, job.due_s), job.finished_s)
        one, other = old or 0.0, job.finished_s or 0.0
        moved = (old is None) != (job.finished_s is None) or abs(one - other) >= _MINDED_S
        found.setdefault(job.guest, []).append(Job(job.due_s, job.finished_s, old, moved))
    return found
