"""What both halves of the view share: what is drawn, which part of the window shows, and which turn is lit."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.cores import TurnTrace
from ruvex.desktop.kit.time_scale import TimeScale
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.views.cores.strips import Strips
from ruvex.divide import Division

_FIRST_S: Final = 0.2
"""So much of a window shows at first: turns can be told apart then."""
_LEAST_S: Final = 0.001


class Pane(QObject):
    """The state of the view.

    Attributes
    ----------
    strips, before
        What is drawn; and while something is tried, the same without it. None while there is none.
    scale
        The time axis, s since the window began.
    as_shapes
        Whether each turn and wait is painted as a shape of its own, for a drawing that is looked at at any size.
    lit
        The turn that is pointed at, None without.

    Signals
    -------
    replaced()
        Other turns are drawn.
    scale_changed()
        Another part of the window shows.
    lit_changed()
        Another turn is lit, or none.
    """

    replaced = pyqtSignal()
    scale_changed = pyqtSignal()
    lit_changed = pyqtSignal()

    def __init__(self, desk: Desk, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._tracing, self._background = desk.tracing, desk.background
        self._asked = self._answered = 0
        self.strips: Strips | None = None
        self.before: Strips | None = None
        self.scale = TimeScale(0, 1, 0.0, _FIRST_S, desk.tracing.for_s, _LEAST_S)
        self.lit: int | None = None
        self.as_shapes = False
        desk.tracing.changed.connect(self._on_changed)

    def _on_changed(self) -> None:
        """Put other turns in order beside the window: a long one has a hundred thousand."""
        tracing = self._tracing
        now, before = (tracing.now, tracing.division), (tracing.before, tracing.division_before)
        number = self._asked = self._asked + 1

        def answer(found: tuple[Strips | None, Strips | None] | None, problem: Exception | None) -> None:
            if problem is not None:
                raise problem
            if found is not None and number == self._asked:
                self._answered = number
                self._take(*found)

        self._background.run("strips", lambda: (_strips(*now), _strips(*before)), answer, lane="turns")

    def _take(self, strips: Strips | None, before: Strips | None) -> None:
        tracing = self._tracing
        self.strips, self.before, self.lit = strips, before, None
        if self.scale.whole_s != tracing.for_s:
            scale, span = self.scale, min(self.scale.span_s, tracing.for_s)
            self.scale = TimeScale(scale.left, scale.right, 0.0, span, tracing.for_s, _LEAST_S).at(scale.start_s, span)
            self.scale_changed.emit()
        self.replaced.emit()
        self.lit_changed.emit()

    @property
    def is_behind(self) -> bool:
        """Whether turns are on their way."""
        return self._answered != self._asked

    def set_ends(self, left: int, right: int) -> None:
        """Let the axis lie between two x."""
        old = self.scale
        if (old.left, old.right) != (left, right):
            self.scale = TimeScale(left, right, old.start_s, old.end_s, old.whole_s, old.least_s)
            self.scale_changed.emit()

    def set_scale(self, scale: TimeScale) -> None:
        """Show another part of the window."""
        if scale != self.scale:
            self.scale = scale
            self.scale_changed.emit()

    def show_all(self) -> None:
        """Show the whole window."""
        self.set_scale(self.scale.at(0.0, self.scale.whole_s))

    def light(self, turn: int | None) -> None:
        """Light a turn, or none."""
        if turn != self.lit:
            self.lit = turn
            self.lit_changed.emit()

    def bring(self, turn: int) -> None:
        """Light a turn and let it be in sight."""
        assert self.strips is not None
        begin, end = self.strips.begin[turn] / 1000.0, self.strips.end[turn] / 1000.0
        scale = self.scale
        if begin < scale.start_s or end > scale.end_s:
            self.set_scale(scale.at(begin - scale.span_s / 3, scale.span_s))
        self.light(turn)


def _strips(trace: TurnTrace | None, division: Division | None) -> Strips | None:
    if trace is None or division is None:
        return None
    found = Strips(trace, division)
    found.prepare()
    return found
