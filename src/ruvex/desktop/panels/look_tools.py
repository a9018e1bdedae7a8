"""The tools that several views have: what is made, undone, powered, and whether the look is settled or played."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtWidgets import QToolButton

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.tool_row import ToolRow
from ruvex.desktop.panels.view import Bench

_NEW = (ActionName.NEW_GUEST, ActionName.NEW_POOL, ActionName.NEW_HOST, ActionName.PASTE)


def work_tools(row: ToolRow, bench: Bench) -> list[QToolButton]:
    """Give what makes and changes: new, power, undo, redo."""
    actions = bench.actions
    return [
        row.menu_button("New", [actions[name] for name in _NEW]),
        row.action_button(actions[ActionName.POWER], "Power"),
        row.action_button(actions[ActionName.UNDO], "\u21b6"),
        row.action_button(actions[ActionName.REDO], "\u21b7"),
    ]


class LookPair:
    """Settled or played, as a pair of which one is chosen.

    Attributes
    ----------
    buttons
        Settled, played.
    """

    def __init__(self, row: ToolRow, bench: Bench) -> None:
        self._look, self._switch = bench.desk.look, bench.actions[ActionName.SETTLED]
        hint = "Settled: as it would come to rest if this time lasted. Played: as the day has it then (L)"
        self.buttons: Sequence[QToolButton] = row.segments(("settled", "played"), hint, self._choose)
        self._look.changed.connect(self.show)
        self.show()

    def show(self) -> None:
        """Show what is in force."""
        for number, button in enumerate(self.buttons):
            button.setChecked((self._look.mode == "played") == bool(number))

    def _choose(self, number: int) -> None:
        if (self._look.mode == "played") != bool(number):
            self._switch.trigger()
        self.show()
