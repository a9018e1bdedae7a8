"""All keys and what they do."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtWidgets import QGridLayout, QLabel

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.side_sheet import Page

_IN_ROWS: Final = (
    ("↑ ↓ Page Home End", "Go from row to row; with Shift select on the way"),
    ("← →", "Fold and unfold a pool; ← goes from a row to its pool"),
    ("+ −", "CPU shares of the row; with Alt its memory shares; Esc gives up"),
    ("Ctrl + wheel", "Shares of the row under the pointer, of the wing it is in"),
    ("Enter", "Go to the dials of the row; in a dial take the value"),
    ("Esc", "Give up what is being dragged or typed; else select the supply"),
    ("Drag an end", "Reservation, at the end of the solid part; limit, at the bracket; Shift drags finely"),
    ("Drag a name", "Move it onto a pool"),
    ("Ctrl or Shift + click", "Select several; a dial then turns all of them"),
)


class KeysPage(Page):
    """The shortcut sheet."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._labels: list[tuple[QLabel, bool]] = []
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 6, 0)
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(4)
        rows: Sequence[tuple[str, str]] = [
            (", ".join(name.value.keys), f"{name.value.text.rstrip('…')}: {name.value.hint}")
            for name in ActionName
            if name.value.keys
        ]
        for number, (keys, text) in enumerate((*_IN_ROWS, *rows)):
            for column, part in enumerate((keys, text)):
                label = QLabel(part, self)
                label.setWordWrap(True)
                self._labels.append((label, column == 0))
                self._grid.addWidget(label, number, column)
        self._grid.setColumnStretch(1, 1)
        self.style_anew()

    @property
    def title(self) -> str:
        """Name the page."""
        return "Keys"

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        for label, is_key in self._labels:
            label.setFont(self._theme.font(12, bold=is_key))
            label.setMaximumWidth(self._theme.px(112 if is_key else 400))
