"""The dark band at the top: the plan's name with its menu, the hosts, the view names and the day strip."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QAction, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QMenu, QPushButton, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.panels.day_strip import DayStrip
from ruvex.desktop.state.desk import Desk
from ruvex.divide import Overcommit, overcommit_of
from ruvex.plan import THIN_SPACE, Host, format_memory

_LEFT: Final = 410
_MOST_CHIPS: Final = 2


def _host_text(host: Host) -> str:
    return f"{host.label}  {host.cores}{THIN_SPACE}cores · {format_memory(host.memory_mib)}"


_RATIO_HINT: Final = (
    "vCPUs of guests that are on for each core, and memory against the supply: the most their settings allow,"
    " what is promised, what is wanted now"
)


def _ratio_text(found: Overcommit | None) -> str:
    if found is None:
        return ""
    percents = [f"{100 * part:.0f}{THIN_SPACE}%" for part in (found.configured, found.promised, found.wanted)]
    memory = f"memory {percents[0]} configured, {percents[1]} promised, {percents[2]} wanted"
    return f"{found.vcpus_per_core:.1f} vCPU/core · {memory}"


class HeadBand(QWidget):
    """The head of the window.

    Attributes
    ----------
    strip
        The day strip.
    plan_button
        The plan's name; its menu holds what can be done with the plan and the window.

    Signals
    -------
    host_asked()
        The hosts were pressed.
    """

    host_asked = pyqtSignal()

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
        self._hosts = QPushButton(self)
        self._hosts.setToolTip("Plan and hosts (Ctrl+Shift+H)")
        self._hosts.clicked.connect(self.host_asked)
        self._ratios = QLabel(self)
        self._ratios.setTextFormat(Qt.TextFormat.PlainText)
        self._guests = QLabel(self)
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
        return button

    def _lay_out(self) -> None:
        self._left = QWidget(self)
        column = QVBoxLayout(self._left)
        column.setContentsMargins(14, 6, 8, 0)
        column.setSpacing(2)
        column.addWidget(self.plan_button, 0, Qt.AlignmentFlag.AlignLeft)
        facts = QHBoxLayout()
        facts.setContentsMargins(6, 0, 0, 0)
        facts.setSpacing(10)
        facts.addWidget(self._hosts)
        facts.addWidget(self._guests)
        facts.addStretch(1)
        column.addLayout(facts)
        ratios = QHBoxLayout()
        ratios.setContentsMargins(8, 0, 0, 0)
        ratios.addWidget(self._ratios)
        column.addLayout(ratios)
        column.addStretch(1)
        names = QHBoxLayout()
        names.setContentsMargins(4, 0, 0, 0)
        names.setSpacing(4)
        for button in self._views:
            names.addWidget(button)
        names.addStretch(1)
        column.addLayout(names)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 12, 0)
        row.setSpacing(8)
        row.addWidget(self._left)
        strip = QVBoxLayout()
        strip.setContentsMargins(0, 5, 0, 3)
        strip.addWidget(self.strip)
        row.addLayout(strip, 1)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def _on_named(self) -> None:
        name = self._desk.look.plan.name or (self._desk.document.path.name if self._desk.document.path else "New plan")
        room = self._theme.px(_LEFT) - self._theme.px(70)
        shown = self._theme.metrics(15, bold=True).elidedText(name, Qt.TextElideMode.ElideMiddle, room)
        self.plan_button.setText(f"{shown}{'  •' if self._desk.document.is_dirty else ''}")
        on_disk = "as on disk" if self._desk.document.path else "new"
        told = "not saved yet" if self._desk.document.is_dirty else on_disk
        self.plan_button.setToolTip(f"{name}: {told}")

    def _on_plan_changed(self) -> None:
        if self._desk.look.before is not None:
            return  # a dial on its way changes nothing that is told here
        plan = self._desk.look.plan
        texts = [_host_text(host) for host in plan.hosts[:_MOST_CHIPS]]
        if len(plan.hosts) > _MOST_CHIPS:
            texts = [plan.hosts[0].label, f"and {len(plan.hosts) - 1} more hosts"]
        text = "   ".join(texts) or "no host yet"
        room = self._theme.px(_LEFT) - self._theme.px(190)
        self._hosts.setText(self._theme.metrics(12).elidedText(text, Qt.TextElideMode.ElideRight, room))
        on = sum(guest.is_on for guest in plan.guests)
        self._guests.setText(f"{on} of {len(plan.guests)} guests on" if plan.guests else "no guests yet")
        found = overcommit_of(self._desk.look.site, self._desk.look.division) if plan.guests else None
        self._ratios.setText(_ratio_text(found))
        self._ratios.setToolTip("" if found is None else _RATIO_HINT)

    def _on_theme_changed(self) -> None:
        theme, colours = self._theme, self._theme.colours
        self._left.setFixedWidth(theme.px(_LEFT))
        self.setFixedHeight(theme.px(104))
        self.plan_button.setFont(theme.font(15, bold=True))
        for widget in (self._hosts, self._guests):
            widget.setFont(theme.font(12))
        self._ratios.setFont(theme.font(10.5))
        for button in self._views:
            button.setFont(theme.font(13, bold=True))
        self.setStyleSheet(
            f"QToolButton {{ color: {colours.head_text.name()}; border: 1px solid transparent; border-radius: 5px;"
            f" background: transparent; padding: 2px 18px 2px 6px; }}"
            f"QToolButton:hover, QToolButton:focus {{ border-color: {colours.head_line.name()}; }}"
            f"QToolButton:checked {{ background: {colours.paper.name()}; color: {colours.ink.name()};"
            f" border-bottom-left-radius: 0; border-bottom-right-radius: 0; padding: 4px 14px 5px 14px; }}"
            f"QToolButton::menu-indicator {{ subcontrol-position: right center; right: 5px; }}"
            f"QLabel {{ color: {colours.head_muted.name()}; }}"
        )
        self._hosts.setStyleSheet(
            f"QPushButton {{ border: 1px solid {colours.head_line.name()}; border-radius: 8px; padding: 1px 8px;"
            f" background: transparent; color: {colours.head_text.name()}; }}"
            f"QPushButton:hover, QPushButton:focus {{ border-color: {colours.head_text.name()}; }}"
        )
        self._on_named()
        self._on_plan_changed()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the dark ground."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), self._theme.colours.head)
        painter.end()
