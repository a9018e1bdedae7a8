"""The one kind of undo entry: a plan before, a plan after, and what was done."""

from __future__ import annotations

import zlib
from collections.abc import Callable

from PyQt6.QtGui import QUndoCommand

from ruvex.plan import Plan


class PlanEdit(QUndoCommand):
    """Replaces one plan by another.

    Plans are immutable and share all that did not change, so keeping both costs a few pointers, and every kind of
    edit is undone by the same few lines. Entries that follow each other with the same ``merges`` become one.
    """

    def __init__(
        self, text: str, before: Plan, after: Plan, show: Callable[[Plan, str], None], *, merges: str = ""
    ) -> None:
        super().__init__(text)
        self._before, self._after, self._show, self._merges = before, after, show, merges
        self._is_shown = True

    @property
    def before(self) -> Plan:
        """The plan before it."""
        return self._before

    def id(self) -> int:
        """Give a number that entries of one run have in common; −1 for an entry of its own."""
        return zlib.crc32(self._merges.encode()) & 0x7FFFFFFF if self._merges else -1

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        """Take a further step of the same run into this entry."""
        if not isinstance(other, PlanEdit) or other._merges != self._merges or not self._is_shown:
            return False
        self._after = other._after
        self.setText(other.text())
        return True

    def redo(self) -> None:
        """Show the plan after the edit; when the entry is new, it is shown already."""
        if not self._is_shown:
            self._is_shown = True
            self._show(self._after, f"Again: {self.text()}")

    def undo(self) -> None:
        """Show the plan before the edit."""
        self._is_shown = False
        self._show(self._before, f"Undone: {self.text()}")
