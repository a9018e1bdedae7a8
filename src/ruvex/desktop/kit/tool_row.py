"""A quiet line of buttons: in groups, pairs of which one is chosen, and what has no room left out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QMenu, QSizePolicy, QToolButton, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme

_HEIGHT: Final = 38
_WITHIN: Final = 6
_BETWEEN: Final = 14


class ToolRow(QWidget):
    """The line; what is added first stays longest where there is little room.

    Attributes
    ----------
    theme
        How it looks.
    """

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme = theme
        self._tools: list[tuple[QWidget, int]] = []
        self._groups: list[tuple[QWidget, list[QWidget]]] = []
        self._row = QHBoxLayout(self)
        self._row.setSpacing(_BETWEEN)
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        theme.changed.connect(self._on_theme_changed)

    def add(self, tools: Sequence[QWidget], *, rank: int, stretch: int = 0) -> None:
        """Add a group; groups of a higher rank are left out first."""
        group = QWidget(self)
        row = QHBoxLayout(group)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        for number, tool in enumerate(tools):
            if number:
                row.addSpacing(0 if tool.property("role") == "segment" else _WITHIN)
            row.addWidget(tool, stretch)
            self._tools.append((tool, rank))
        self._groups.append((group, list(tools)))
        self._row.addWidget(group, stretch)
        self._on_theme_changed()

    def action_button(self, action: QAction, text: str = "") -> QToolButton:
        """Give a button that runs an action; a short text may stand for the action's own."""
        button = QToolButton(self)
        button.setDefaultAction(action)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextOnly)
        if text:
            button.setAccessibleName(action.text())
            # The action writes its own text into the button each time it changes.
            action.changed.connect(lambda: button.setText(text))
            button.setText(text)
        keys = ", ".join(key.toString() for key in action.shortcuts())
        button.setToolTip(f"{action.toolTip()}{f' ({keys})' if keys else ''}")
        return button

    def menu_button(self, text: str, actions: Sequence[QAction]) -> QToolButton:
        """Give a button that opens a menu."""
        button = QToolButton(self)
        menu = QMenu(button)
        menu.addActions(list(actions))
        button.setMenu(menu)
        button.setText(text)
        set_role(button, "menu")
        button.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        return button

    def choice_button(self, hint: str, run: Callable[[], object]) -> QToolButton:
        """Give a button that goes on to the next choice; what is in force is its text."""
        button = QToolButton(self)
        button.setToolTip(hint)
        button.clicked.connect(lambda _checked=False: run())
        return button

    def segments(self, texts: Sequence[str], hint: str, run: Callable[[int], object]) -> list[QToolButton]:
        """Give buttons side by side of which one is chosen."""
        found = []
        for number, text in enumerate(texts):
            button = QToolButton(self)
            button.setText(text)
            button.setCheckable(True)
            button.setToolTip(hint)
            button.setAccessibleName(text)
            button.setAccessibleDescription(hint)
            button.clicked.connect(lambda _checked=False, chosen=number: run(chosen))
            set_role(button, "segment")
            found.append(button)
        return found

    def _on_theme_changed(self) -> None:
        self.setFixedHeight(self.theme.px(_HEIGHT))
        self._row.setContentsMargins(self.theme.px(12), 0, self.theme.px(12), 0)
        for tool, _ in self._tools:
            tool.setFont(self.theme.font(12))
        self._fit()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave out what there is no room for; all of it has keys and stands in the menu."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        wide = {
            tool: max(tool.minimumWidth(), tool.sizeHint().width()) + _WITHIN
            for tool, _ in self._tools
            if tool.property("absent") is not True
        }
        room = self.width() - 2 * self.theme.px(12) - _BETWEEN * len(self._groups)
        ranks = sorted({rank for _, rank in self._tools}, reverse=True)
        limit = next(
            (limit for limit in ranks if sum(wide.get(tool, 0) for tool, rank in self._tools if rank <= limit) <= room),
            ranks[-1] if ranks else 0,
        )
        for tool, rank in self._tools:
            tool.setVisible(rank <= limit and tool in wide)
        for group, tools in self._groups:
            group.setVisible(any(not tool.isHidden() for tool in tools))

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the ground."""
        with painting(self) as painter:
            painter.fillRect(self.rect(), self.theme.colours.panel)
            painter.setPen(self.theme.colours.line)
            painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
