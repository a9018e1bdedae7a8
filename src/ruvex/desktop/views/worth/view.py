"""The Worth a look view: entries in their groups, what was set aside at the foot."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QHideEvent, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QStackedLayout, QVBoxLayout, QWidget

from ruvex.advise import GROUPS, Finding
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.elided_label import ElidedLabel
from ruvex.desktop.kit.empty_state import EmptyState
from ruvex.desktop.kit.letting_go import let_go
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.tool_row import ToolRow
from ruvex.desktop.panels.look_tools import work_tools
from ruvex.desktop.panels.view import Bench, View
from ruvex.desktop.state.steps import Step
from ruvex.desktop.views.worth.entry import BETWEEN, GAIN, MARGIN, FindingEntry, aside_step
from ruvex.desktop.views.worth.evidence import WIDE
from ruvex.plan import Change, EditError, change_many, format_time

_FIRST_STEPS: Final = (ActionName.NEW_GUEST, ActionName.PASTE, ActionName.DEMO)
_MOST_SHOWN: Final = 200
_ROOMY: Final = 1000
"""A view narrower than this, px at the standard text size, has no room for four columns."""


class WorthView(View):
    """What is worth a look.

    Attributes
    ----------
    entries
        Those that are shown, from top to bottom.
    free_button
        Takes all remedies that nobody pays for.
    back_buttons
        Bring back what was set aside.
    """

    def __init__(self, bench: Bench, parent: QWidget) -> None:
        super().__init__(parent)
        desk, theme = bench.desk, bench.theme
        self._desk, self._theme = desk, theme
        rows = QWidget(self)
        self._bar = ToolRow(theme, rows)
        self._told = ElidedLabel(theme, 12, parent=self._bar)
        self.free_button = QPushButton("Take all that nobody pays for", self._bar)
        self.free_button.clicked.connect(lambda _checked=False: self._take_free())
        self._bar.add(work_tools(self._bar, bench), rank=2)
        self._bar.add([self.free_button], rank=1)
        self._bar.add([self._told], rank=0, stretch=1)
        self._area = QScrollArea(rows)
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._is_narrow = False
        self.entries: list[FindingEntry] = []
        self.back_buttons: list[QPushButton] = []
        column = QVBoxLayout(rows)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._bar)
        column.addWidget(self._area, 1)
        steps = [bench.actions[name] for name in _FIRST_STEPS]
        text = "Add guests or open a plan; then what is wrong with it, or will be, stands here."
        self.empty = EmptyState(theme, "Nothing to look at yet", text, steps, self)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(rows)
        self._stack.addWidget(self.empty)
        self.setFocusProxy(self._area)
        desk.looking.changed.connect(self._on_changed)
        theme.changed.connect(self._on_theme_changed)

    @property
    def is_behind(self) -> bool:
        """Whether the plan is still being looked through."""
        return self._desk.looking.is_behind

    def showEvent(self, event: QShowEvent | None) -> None:
        """Look through the plan, from now on at each change."""
        super().showEvent(event)
        self._desk.looking.want(wanted=True)
        self._on_changed()

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Rest while another view shows."""
        super().hideEvent(event)
        self._desk.looking.want(wanted=False)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Where there is little room, let what is gained stand below the sentence."""
        super().resizeEvent(event)
        is_narrow = self.width() < self._theme.px(_ROOMY)
        if is_narrow != self._is_narrow:
            self._is_narrow = is_narrow
            self._on_changed()

    # What is shown

    def _on_changed(self) -> None:
        plan, looking = self._desk.look.plan, self._desk.looking
        self._stack.setCurrentIndex(0 if plan.guests else 1)
        if not self.isVisible():
            return
        division = looking.division
        shown = [found for found in looking.found if not found.finding.aside]
        aside = [found.finding for found in looking.found if found.finding.aside]
        at = format_time(plan.moment)
        if looking.is_behind or division is None:
            self._told.set_text("The day is being played and looked through\u2026")
        elif not shown:
            self._told.set_text(f"Nothing is worth a look at {at} and over the day.")
        else:
            self._told.set_text(f"at {at} and over the day: {len(shown)} worth a look, the worst first")
        free = self._free_changes()
        self.free_button.setEnabled(bool(free))
        standing = self._area.widget()
        if standing is not None:
            # What was found in the plan before can be read and not pressed, until it is found anew.
            standing.setEnabled(division is not None)
        if division is None or self._desk.trial.step is not None:
            return
        was = self._area.verticalScrollBar()
        kept = 0 if was is None else was.value()
        focused = next((i for i, entry in enumerate(self.entries) if entry.hasFocus()), None)
        inner = QWidget(self._area)
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 12)
        column.setSpacing(0)
        self.entries, self.back_buttons = [], []
        if shown:
            column.addWidget(self._heads(inner))
        for group in GROUPS:
            every = [found for found in shown if found.finding.group == group]
            its = every[:_MOST_SHOWN]
            if its:
                count = f"{len(its)} of {len(every)}" if len(its) < len(every) else f"{len(every)}"
                head = QLabel(f"{group.replace('-', ' ')}  {count}", inner)
                head.setFont(self._theme.font(13, bold=True))
                head.setContentsMargins(self._theme.px(14), self._theme.px(10), 0, self._theme.px(2))
                column.addWidget(head)
            for found in its:
                entry = FindingEntry(self._desk, self._theme, found, division, inner, is_narrow=self._is_narrow)
                entry.went.connect(lambda steps, e=entry: self._go(e, steps))
                column.addWidget(entry)
                self.entries.append(entry)
        if aside:
            column.addWidget(self._aside_lines(aside, inner))
        column.addStretch(1)
        # An entry may be in the middle of a click that led here: what goes is let go of once it has come back.
        old = self._area.takeWidget()
        if old is not None:
            let_go(old)
        self._area.setWidget(inner)
        if was is not None:
            inner.adjustSize()
            was.setValue(kept)
        if focused is not None and self.entries:
            self.entries[min(focused, len(self.entries) - 1)].setFocus()

    def _on_theme_changed(self) -> None:
        self._is_narrow = self.width() < self._theme.px(_ROOMY)
        self._on_changed()

    def _heads(self, parent: QWidget) -> QWidget:
        """Name what stands in each entry."""
        px = self._theme.px
        box = QWidget(parent)
        line = QHBoxLayout(box)
        line.setContentsMargins(px(MARGIN), px(8), px(MARGIN), 0)
        line.setSpacing(px(BETWEEN))
        for text, wide in (
            ("as it is", WIDE), ("what, and what would help", 0), ("with the remedy", WIDE),
            ("gain, and who pays", GAIN),
        )[: 2 if self._is_narrow else 4]:  # fmt: skip
            label = QLabel(text, box)
            label.setFont(self._theme.font(12))
            set_role(label, "muted")
            if wide:
                label.setFixedWidth(px(wide))
            line.addWidget(label, 0 if wide else 1)
        return box

    def _aside_lines(self, aside: list[Finding], parent: QWidget) -> QWidget:
        """Give what was set aside as quiet lines, each with a way back."""
        box = QWidget(parent)
        column = QVBoxLayout(box)
        column.setContentsMargins(self._theme.px(14), self._theme.px(10), self._theme.px(14), 0)
        column.setSpacing(4)
        head = QLabel(f"set aside  {len(aside)}", box)
        head.setFont(self._theme.font(13, bold=True))
        column.addWidget(head)
        plan = self._desk.look.plan
        labels = plan.labels
        for finding in aside:
            line = QHBoxLayout()
            label = QLabel(f"{finding.text}: \u201c{finding.aside}\u201d", box)
            label.setFont(self._theme.font(12))
            label.setWordWrap(True)
            set_role(label, "muted")
            button = QPushButton("Bring back", box)
            button.setFont(self._theme.font(12))
            step = aside_step(finding, labels.get(finding.about[0], finding.about[0]), "")
            button.clicked.connect(lambda _checked=False, s=step: self._desk.trial.take(s))
            self.back_buttons.append(button)
            line.addWidget(label, 1)
            line.addWidget(button)
            column.addLayout(line)
        return box

    def _go(self, entry: FindingEntry, steps: int) -> None:
        at = min(max(self.entries.index(entry) + steps, 0), len(self.entries) - 1)
        self.entries[at].setFocus()
        self._area.ensureWidgetVisible(self.entries[at], 0, 12)

    # Remedies that cost nobody anything

    def _free_changes(self) -> list[Change]:
        """Give the changes of all remedies that nobody pays for at the moment, of each item the first."""
        changes: list[Change] = []
        taken: set[str] = set()
        for found in self._desk.looking.found:
            remedy, effect = found.finding.remedy, found.effect
            if remedy is None or effect is None or effect.losses or found.finding.aside:
                continue
            if not taken & {target for target, _ in remedy.changes}:
                taken |= {target for target, _ in remedy.changes}
                changes += remedy.changes
        return changes

    def _take_free(self) -> None:
        changes = self._free_changes()
        count = len({target for target, _ in changes})
        step = Step(
            f"{count} remedies that nobody pays for", lambda plan: change_many(plan, changes),
            tuple(target for target, _ in changes), changes=tuple(changes),
        )  # fmt: skip
        try:
            self._desk.trial.make(step)
        except EditError as error:
            self.told.emit(str(error))
