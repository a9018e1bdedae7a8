"""All keys and what they do, in groups."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtWidgets import QGridLayout, QLabel

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.side_sheet import Page

_Lines = Sequence[tuple[str, str]]
_IN_ROWS: Final[_Lines] = (
    ("↑ ↓ Page Home End", "Go from row to row; with Shift select on the way"),
    ("← →", "Fold and unfold a pool or host; ← goes from a row to its pool"),
    ("+ −", "CPU shares of the row; with Alt its memory shares; Esc gives up"),
    ("Enter", "Go to the dials of the row; in a dial take the value"),
    ("Esc", "Give up what is being dragged or typed; else select the supply"),
    ("Ctrl or Shift + click", "Select several; a dial then turns all of them"),
    ("Drag an end", "Reservation, at the end of the solid part; limit, at the bracket; Shift drags finely"),
    ("Drag a name", "Move it onto a pool, a host's band or a host's chip"),
    ("Ctrl + wheel", "Shares of the row under the pointer, of the wing it is in"),
)
_IN_LANES: Final[_Lines] = (
    ("← →", "Move the crosshair; with Shift ten times as far"),
    ("Enter", "Let the lane be tall or low; fold a pool"),
    ("Home", "Show the whole day"),
    ("Ctrl + wheel", "Zoom; with Shift move through the day"),
    ("On the flags: ← →", "Go from event to event; with Ctrl move it by a minute; Del removes it"),
    ("On the view bar: arrows", "Move and zoom the part of the day in view"),
)
_IN_TURNS: Final[_Lines] = (
    ("\u2190 \u2192 \u2191 \u2193", "Go from turn to turn; with Shift to the guest's next; Enter selects it"),
    ("Ctrl + wheel, + and \u2212", "Zoom; Shift and the wheel move, Home shows the whole window"),
    ("Double click", "Show a turn large"),
)
_GROUPS: Final[Sequence[tuple[str, Sequence[str], _Lines]]] = (
    (
        "Plan",
        (
            "NEW", "OPEN", "DEMO", "SAVE", "SAVE_AS", "BRING", "BRING_HERE", "GIVE", "REPORT",
            "COPY_CHART", "HAND_OVER",
            "TAKE_BACK", "UNDO", "REDO", "FIND", "QUIT",
        ),
        (),
    ),
    (
        "Rows",
        (
            "NEW_GUEST", "NEW_POOL", "NEW_HOST", "POWER", "RENAME", "DUPLICATE", "DELETE", "MOVE", "UPWARD",
            "DOWNWARD", "COPY", "PASTE", "SELECT_ALL",
        ),
        _IN_ROWS,
    ),
    ("Time", ("SETTLED", "EARLIER", "LATER", "HOUR_EARLIER", "HOUR_LATER"), ()),
    (
        "Timeline",
        ("PLAY", "PLAY_STEP", "REPLAY", "NEXT_TIME", "RESTART", "SURGE", "KEEP_EVENTS"),
        _IN_LANES,
    ),
    ("Core by core", ("TURNS",), _IN_TURNS),
    (
        "What shows",
        ("BY_HOST", "FILTER", "ORDER", "AXIS", "CPU_UNIT", "MEMORY_UNIT", "FOLD_ALL", "UNFOLD_ALL", "DIALS"),
        (("Ctrl+1 to 7", "Go to a view"),),
    ),
    (
        "Sheets",
        (
            "SETTINGS", "PLAN", "STORES", "RULES", "SPLIT", "PLACEMENT", "EMPTY_HOST", "EVENTS",
            "LOG", "SUMMARY", "PROOF", "WHY",
            "KEYS",
        ),
        (),
    ),
    ("Look", ("LOOK_DESKTOP", "LOOK_LIGHT", "LOOK_DARK", "LOOK_CONTRAST", "LARGER", "SMALLER"), ()),
)  # fmt: skip


def grouped_actions() -> list[tuple[str, list[ActionName]]]:
    """Give the groups, each with its actions; those that no group names stand last."""
    found = [(title, [ActionName[name] for name in names]) for title, names, _ in _GROUPS]
    named = {name for _, names in found for name in names}
    others = [name for name in ActionName if name not in named]
    return [*found, ("Other", others)] if others else found


class KeysPage(Page):
    """The shortcut sheet."""

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._labels: list[tuple[QLabel, str]] = []
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 6, 0)
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(4)
        number = 0
        by_hand = {title: lines for title, _, lines in _GROUPS}
        for title, names in grouped_actions():
            self._put(title, "title", number, 0, 2)
            number += 1
            lines = [(", ".join(n.value.keys), f"{n.value.text.rstrip('…')}: {n.value.hint}") for n in names]
            for keys, text in (*by_hand.get(title, ()), *((k, t) for k, t in lines if k)):
                self._put(keys, "key", number, 0, 1)
                self._put(text, "text", number, 1, 1)
                number += 1
        self._grid.setColumnStretch(1, 1)
        self._grid.setRowStretch(number, 1)
        self.style_anew()

    def _put(self, text: str, what: str, row: int, column: int, wide: int) -> None:
        label = QLabel(text, self)
        label.setWordWrap(True)
        if what == "text":
            set_role(label, "muted")
        self._labels.append((label, what))
        self._grid.addWidget(label, row, column, 1, wide)

    @property
    def title(self) -> str:
        """Name the page."""
        return "Keys"

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for label, what in self._labels:
            label.setFont(self._theme.font(13 if what == "title" else 12, bold=what != "text"))
            label.setContentsMargins(0, self._theme.px(10) if what == "title" else 0, 0, 0)
            label.setMaximumWidth(self._theme.px(112 if what == "key" else 400))
