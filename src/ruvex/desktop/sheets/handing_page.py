"""A pool handed over to its owner, and taken back: what may be done there, what was, and what both sides changed."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.letting_go import let_go
from ruvex.desktop.kit.plain_list import PlainList
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.exchange import TakenBack, Way, take_back
from ruvex.plan import PERMISSION_WORDS, EditError, Permission, PlanFile, Pool

_HINT: Final = (
    "The pool becomes a plan of its own. What it claims now is what it is promised there; hosts have what is not"
    " promised to others. Its owner edits it in Ruvex, and only what you allow. Save this plan too: by that it knows"
    " the file when it comes back."
)
_BACK_HINT: Final = (
    "What was changed there comes into this plan in one step, through the same promises as every change. Where both"
    " sides changed the same, say which counts."
)


class HandOverPage(Page):
    """What the owner of a pool may do, and the button that writes the pool's own plan.

    Attributes
    ----------
    boxes
        A box for each permission.
    hand_button, told
        Asks where the file goes; what cannot be.

    Signals
    -------
    wanted(pool, may)
        The pool is to be handed over with these permissions.
    """

    wanted = pyqtSignal(str, object)

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._pool: str | None = None
        self._hint, self.told = QLabel(_HINT, self), QLabel(self)
        for label in (self._hint, self.told):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        set_role(self._hint, "muted")
        self._head = QLabel(self)
        self.boxes: dict[Permission, QCheckBox] = {
            one: QCheckBox(words[0].upper() + words[1:], self) for one, words in PERMISSION_WORDS.items()
        }
        self.hand_button = QPushButton("Hand it over…", self)
        self.hand_button.clicked.connect(self._on_hand)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(10)
        for widget in (self._hint, self._head, *self.boxes.values(), self.told):
            column.addWidget(widget)
        buttons = QHBoxLayout()
        buttons.addWidget(self.hand_button)
        buttons.addStretch(1)
        column.addLayout(buttons)
        column.addStretch(1)
        desk.selection.changed.connect(self._on_selected)

    @property
    def title(self) -> str:
        """Name the page."""
        return "Hand over"

    def enter(self) -> None:
        """Show the selected pool."""
        item, plan = self._desk.selection.item, self._desk.document.plan
        pool = item if isinstance(item, Pool) else None
        self._pool = pool.id if pool is not None else None
        self._head.setText(f"The owner of {pool.label} may" if pool is not None else "Select a pool in the rows.")
        for one, box in self.boxes.items():
            box.setVisible(pool is not None)
            box.setChecked(pool is not None and one in pool.owner_may)
        self.hand_button.setEnabled(pool is not None and plan.handed is None)
        over = pool is not None and any(record.pool == pool.id for record in plan.handed_over)
        self.told.setText(
            "This plan was handed over itself." if plan.handed is not None
            else "It is handed over already; handed over again, the first file cannot be taken back any more."
            if over else ""
        )  # fmt: skip

    def _on_selected(self) -> None:
        if self.isVisible():
            self.enter()

    def _on_hand(self) -> None:
        if self._pool is not None:
            self.wanted.emit(self._pool, tuple(one for one, box in self.boxes.items() if box.isChecked()))

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for widget in (self._hint, self.told, self.hand_button, *self.boxes.values()):
            widget.setFont(self._theme.font(12))
        self._head.setFont(self._theme.font(12.5, bold=True))


class TakeBackPage(Page):
    """What was changed there, what both sides changed, and the button that takes it.

    Attributes
    ----------
    changes
        What was changed there, a line each.
    choosers
        For what both changed, which side counts; by item and setting.
    take_button, leave_button, told
        Takes it, leaves it, and what cannot be.
    """

    wide = True

    def __init__(self, desk: Desk, theme: Theme, take: Callable[[TakenBack, str], bool]) -> None:
        super().__init__()
        self._desk, self._theme, self._take = desk, theme, take
        self._back: PlanFile | None = None
        self._source = ""
        self._taken: TakenBack | None = None
        self._hint, self.told, self._head = QLabel(_BACK_HINT, self), QLabel(self), QLabel(self)
        for label in (self._hint, self.told, self._head):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        set_role(self._hint, "muted")
        self.changes = PlainList(theme, "What was changed there", self)
        self._both = QWidget(self)
        self.choosers: dict[tuple[str, str], Chooser] = {}
        self._labels: list[QLabel] = []
        self.take_button, self.leave_button = QPushButton("Take it back", self), QPushButton("Leave it", self)
        self.take_button.clicked.connect(self._on_take)
        self.leave_button.clicked.connect(self.left.emit)
        buttons = QHBoxLayout()
        buttons.addWidget(self.take_button)
        buttons.addWidget(self.leave_button)
        buttons.addStretch(1)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 6, 0)
        self._column.setSpacing(10)
        for widget in (self._hint, self._head, self.changes, self._both, self.told):
            self._column.addWidget(widget)
        self._column.addLayout(buttons)
        self._column.addStretch(1)

    @property
    def title(self) -> str:
        """Name the page."""
        return "Take back"

    def show_back(self, back: PlanFile, source: Path) -> None:
        """Show another file.

        Raises
        ------
        EditError
            It is not from this plan, or was changed outside its bounds.
        """
        self._back, self._source = back, source.name
        taken = self._merge({})
        self.choosers, self._labels = {}, []
        let_go(self._both, self._column)
        self._both = QWidget(self)
        grid = QGridLayout(self._both)
        grid.setContentsMargins(0, 0, 0, 0)
        for number, conflict in enumerate(taken.conflicts):
            label = QLabel(conflict.text, self._both)
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
            self._labels.append(label)
            chooser = Chooser(self._both)
            chooser.setAccessibleName(f"Which side counts: {conflict.text}")
            for text, way in (("to be said", None), ("what is here", "here"), ("what is there", "there")):
                chooser.addItem(text, way)
            chooser.currentIndexChanged.connect(lambda _i: self._look())
            self.choosers[(conflict.item, conflict.setting)] = chooser
            grid.addWidget(label, number, 0)
            grid.addWidget(chooser, number, 1)
        grid.setColumnStretch(0, 1)
        self._column.insertWidget(3, self._both)
        self.style_anew()
        self._look()

    def _merge(self, choose: dict[tuple[str, str], Way]) -> TakenBack:
        document, back = self._desk.document, self._back
        assert back is not None
        return take_back(document.plan, document.site.traces, back.plan, back.traces, choose)

    def _look(self) -> None:
        """Merge it so, and say what would come of it."""
        choose = {key: box.currentData() for key, box in self.choosers.items() if box.currentData() is not None}
        try:
            self._taken = self._merge(choose)
        except EditError as error:
            self._taken = None
            self.told.setText(str(error))
            self.take_button.setEnabled(False)
            return
        told = self._taken.told
        count = f"{len(told)} changes" if len(told) != 1 else "1 change"
        self._head.setText(f"{self._source}: {count}" if told else f"{self._source}: nothing was changed there")
        self.changes.show_lines(list(enumerate(told)))
        self.changes.setVisible(bool(told))
        open_ones = len(self._taken.conflicts)
        self.told.setText(f"{open_ones} to be said" if open_ones else "")
        self.take_button.setEnabled(not open_ones)

    def enter(self) -> None:
        """Merge anew: the plan may be another by now."""
        if self._back is not None:
            self._look()

    def _on_take(self) -> None:
        if self._taken is not None and self._take(self._taken, self._source):
            self._back = None
            self.left.emit()

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        widgets: list[QWidget] = [self._hint, self.told, self.take_button, self.leave_button]
        for widget in (*widgets, *self._labels, *self.choosers.values()):
            widget.setFont(self._theme.font(12))
        self._head.setFont(self._theme.font(12.5, bold=True))
        self.changes.style_anew()
