"""The dark band at the top: the plan's name with its menu, the hosts, the view names and the day strip."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QAction, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from ruvex.desktop.kit.elided_label import ElidedLabel
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.panels.day_strip import DayStrip
from ruvex.desktop.panels.host_chips import HostChips
from ruvex.desktop.state.desk import Desk
from ruvex.divide import Overcommit, overcommit_of
from ruvex.plan import THIN_SPACE
from ruvex.words import counted

_LEFT: Final = 612
_NARROW_PART: Final = 0.5
_TAB: Final = 12.5
_MARGIN, _PADDING, _BETWEEN = 10, 24, 2
_SMALLEST: Final = 0.7
"""So much smaller the names of the views get, at most, where even their first words do not fit."""


_RATIO_HINT: Final = (
    "vCPUs of guests that are on for each core, and memory against the supply: the most their settings allow them,"
    " and what is promised"
)


def _ratio_text(found: Overcommit | None) -> str:
    if found is None:
        return ""
    configured, promised = (f"{100 * part:.0f}{THIN_SPACE}%" for part in (found.configured, found.promised))
    return f"{found.vcpus_per_core:.1f} vCPUs a core · memory {configured} set, {promised} promised"


class HeadBand(QWidget):
    """The head of the window.

    Attributes
    ----------
    facts
        How many guests are on, and how far the site is overcommitted.
    chips
        The hosts.
    strip
        The day strip.
    plan_button
        The plan's name; its menu holds what can be done with the plan and the window.

    Signals
    -------
    host_wanted()
        There is no host yet, and one is to be added.
    """

    host_wanted = pyqtSignal()

    def __init__(
        self,
        desk: Desk,
        theme: Theme,
        menu: QMenu,
        views: Sequence[QAction],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self.plan_button = QToolButton(self)
        self.plan_button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.plan_button.setMenu(menu)
        self.plan_button.setAccessibleName("Plan menu")
        self.plan_button.setToolTip("What can be done with this plan")
        self.facts = ElidedLabel(theme, 12, in_head=True, parent=self)
        self.chips = HostChips(desk, theme, self)
        self.chips.host_wanted.connect(self.host_wanted)
        self._left = QWidget(self)
        self._views: list[QToolButton] = []
        self._views = [self._view_button(action) for action in views]
        self.strip = DayStrip(desk, theme, self)
        self._lay_out()
        desk.document.named.connect(self._on_named)
        desk.look.rows_changed.connect(self._on_plan_changed)
        desk.look.changed.connect(self._on_plan_changed)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def _view_button(self, action: QAction) -> QToolButton:
        button = QToolButton(self)
        button.setDefaultAction(action)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextOnly)
        set_role(button, "tab")
        button.setAccessibleName(action.text())
        # The action writes its own text into the button each time it changes.
        action.changed.connect(self._name_tabs)
        return button

    def _name_tabs(self) -> None:
        """Call the views by their whole names, or where there is not room by their first words, smaller at last."""
        px, room = self._theme.px, self._left.width() - self._theme.px(2 * _MARGIN)
        actions = [button.defaultAction() for button in self._views]
        names = [action.text() if action is not None else "" for action in actions]
        words = [name.split()[0] if name else "" for name in names]
        face = self._theme.face(_TAB, bold=True)

        def wide(texts: Sequence[str]) -> float:
            return sum(face.width(text) + px(_PADDING) + _BETWEEN for text in texts)

        shown = names if wide(names) <= room else words
        part = min(max(room / max(wide(shown), 1.0), _SMALLEST), 1.0)
        for button, text in zip(self._views, shown, strict=True):
            if button.text() != text:
                button.setText(text)
            button.setFont(self._theme.font(_TAB * part, bold=True))

    def _lay_out(self) -> None:
        column = QVBoxLayout(self._left)
        column.setContentsMargins(10, 4, 8, 0)
        column.setSpacing(1)
        first = QHBoxLayout()
        first.setContentsMargins(0, 0, 0, 0)
        first.setSpacing(6)
        first.addWidget(self.plan_button)
        first.addWidget(self.facts, 1)
        column.addLayout(first)
        column.addWidget(self.chips)
        column.addStretch(1)
        names = QHBoxLayout()
        names.setContentsMargins(0, 0, 0, 0)
        names.setSpacing(2)
        for button in self._views:
            names.addWidget(button)
        names.addStretch(1)
        column.addLayout(names)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 12, 0)
        row.setSpacing(6)
        row.addWidget(self._left)
        strip = QVBoxLayout()
        strip.setContentsMargins(0, 4, 0, 3)
        strip.addWidget(self.strip)
        row.addLayout(strip, 1)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave at least half of a narrow window to the day strip."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        wished = self._theme.px(_LEFT)
        self._left.setFixedWidth(min(wished, round(self.width() * _NARROW_PART)) if self.width() else wished)
        self._on_named()
        self._name_tabs()

    def _on_named(self) -> None:
        name = self._desk.look.plan.name or (self._desk.document.path.name if self._desk.document.path else "New plan")
        room = self._left.width() * 0.45
        shown = self._theme.metrics(15, bold=True).elidedText(name, Qt.TextElideMode.ElideMiddle, room)
        self.plan_button.setText(f"{shown}{'  •' if self._desk.document.is_dirty else ''}")
        on_disk = "as on disk" if self._desk.document.path else "new"
        told = "not saved yet" if self._desk.document.is_dirty else on_disk
        self.plan_button.setToolTip(f"{name}: {told}")

    def _on_plan_changed(self) -> None:
        if self._desk.look.before is not None:
            return  # a dial on its way changes nothing that is told here
        look = self._desk.look
        on = int(look.division.site.standing.on.sum())
        count = len(look.plan.guests)
        found = overcommit_of(look.site, look.division) if count else None
        short = "" if found is None else f"{found.vcpus_per_core:.1f} vCPUs a core"
        ratios = _ratio_text(found)
        guests = f"{on} of {counted(count, 'guest')} on" if count else "no guests yet"
        self.facts.set_text(f"{guests}   {ratios}" if ratios else guests, short=f"{guests}   {short}")
        if found is not None:
            self.facts.setToolTip(f"{guests}\n{ratios}\n{_RATIO_HINT}")

    def _on_theme_changed(self) -> None:
        theme = self._theme
        self.setFixedHeight(theme.px(108))
        self.plan_button.setFont(theme.font(15, bold=True))
        self.chips.style_anew()
        self._fit()
        self._on_plan_changed()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the dark ground."""
        with painting(self) as painter:
            painter.fillRect(self.rect(), self._theme.colours.head)
