"""The one kind of undo entry: a plan before, a plan after, and what was done."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtGui import QUndoCommand

from ruvex.plan import Plan


class PlanEdit(QUndoCommand):
    """Replaces one plan by another.

    Plans are immutable and share all that did not change, so keeping both costs a few pointers, and every kind of
    edit is undone by the same few lines.
    """

    def __init__(self, text: str, before: Plan, after: Plan, show: Callable[[Plan, str], None]) -> None:
        super().__init__(text)
        self._before, self._after, self._show = before, after, show
        self._is_shown = True

    def redo(self) -> None:
        """Show the plan after the edit; when the entry is new, it is shown already."""
        if not self._is_shown:
            self._show(self._after, f"Again: {self.text()}")

    def undo(self) -> None:
        """Show the plan before the edit."""
        self._is_shown = False
        self._show(self._before, f"Undone: {self.text()}")
