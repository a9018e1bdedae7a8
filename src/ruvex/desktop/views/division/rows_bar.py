"""What stands above the rows: look for some, order them, choose axis and units."""

from __future__ import annotations

from collections.abc import Callable
from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QWidget

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.rows import ORDERS
from ruvex.desktop.views.division.butterfly import AXES, Butterfly

_HEIGHT: Final = 26


class _Line(QLineEdit):
    """The line to look for rows in; Esc empties it and goes back to the rows."""

    def __init__(self, butterfly: Butterfly, parent: QWidget) -> None:
        super().__init__(parent)
        self._butterfly = butterfly

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Go back to the rows with Enter or Down, and with Esc show all of them again."""
        if event is None:
            return
        if event.key() == Qt.Key.Key_Escape:
            self.clear()
            self._butterfly.setFocus()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Down):
            self._butterfly.setFocus()
        else:
            super().keyPressEvent(event)


class RowsBar(QWidget):
    """The reading aids of the rows.

    Attributes
    ----------
    line
        Words to look for.
    order_button, axis_button, unit_buttons
        Each goes on to the next choice.
    """

    def __init__(self, desk: Desk, theme: Theme, butterfly: Butterfly, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._theme, self._butterfly = desk, theme, butterfly
        self.line = _Line(butterfly, self)
        self.line.setPlaceholderText("Show only… a name or a tag  ( / )")
        self.line.setAccessibleName("Show only rows with these words in name or tags")
        self.line.textChanged.connect(butterfly.look_for)
        self.order_button = self._button("Order of the rows (S)", self.next_order)
        self.axis_button = self._button("Axis of the bars (A)", self.next_axis)
        self.unit_buttons = {
            "cpu": self._button("Unit of CPU (U)", lambda: desk.units.next("cpu")),
            "memory": self._button("Unit of memory (Shift+U)", lambda: desk.units.next("memory")),
        }
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 2, 14, 0)
        row.setSpacing(8)
        row.addWidget(self.unit_buttons["cpu"])
        row.addWidget(self.axis_button)
        row.addStretch(1)
        row.addWidget(self.line)
        row.addStretch(1)
        row.addWidget(self.order_button)
        row.addWidget(self.unit_buttons["memory"])
        desk.units.changed.connect(self.show_choices)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def _button(self, hint: str, run: Callable[[], None]) -> QPushButton:
        button = QPushButton(self)
        button.setToolTip(hint)
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        button.clicked.connect(lambda _checked=False: run())
        return button

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave out what there is no room for; all of it has keys and stands in the menu."""
        super().resizeEvent(event)
        scaled = self.width() / self._theme.scale
        self.line.setFixedWidth(self._theme.px(256 if scaled >= 800 else 150))
        for button in (self.axis_button, self.order_button):
            button.setVisible(scaled >= 640)

    def next_order(self) -> None:
        """Go on to the next order of the rows."""
        orders = list(ORDERS)
        self._butterfly.set_order(orders[(orders.index(self._butterfly.order) + 1) % len(orders)])
        self.show_choices()

    def next_axis(self) -> None:
        """Go on to the next axis."""
        modes = list(AXES)
        self._butterfly.set_axis_mode(modes[(modes.index(self._butterfly.axis_mode) + 1) % len(modes)])
        self.show_choices()

    def show_choices(self) -> None:
        """Show what is in force."""
        units = self._desk.units
        self.order_button.setText(f"rows {ORDERS[self._butterfly.order]}")
        self.axis_button.setText(AXES[self._butterfly.axis_mode])
        self.unit_buttons["cpu"].setText(f"CPU in {units.chosen('cpu')}")
        self.unit_buttons["memory"].setText(f"memory in {units.chosen('memory')}")
        for button in (self.order_button, self.axis_button, *self.unit_buttons.values()):
            button.setAccessibleName(button.text())

    def _on_theme_changed(self) -> None:
        theme, colours = self._theme, self._theme.colours
        self.setFixedHeight(theme.px(_HEIGHT))
        self.line.setFont(theme.font(12))
        for button in (self.order_button, self.axis_button, *self.unit_buttons.values()):
            button.setFont(theme.font(11.5))
            button.setStyleSheet(
                f"QPushButton {{ border: 1px solid transparent; background: transparent; color: {colours.muted.name()};"
                f" padding: 1px 8px; border-radius: 4px; }}"
                f"QPushButton:hover, QPushButton:focus {{ border-color: {colours.ink.name()}; }}"
            )
        self.line.setStyleSheet(
            f"QLineEdit {{ background: {colours.field.name()}; color: {colours.ink.name()};"
            f" border: 1px solid {colours.line.name()}; border-radius: 4px; padding: 0 6px; }}"
            f"QLineEdit:focus {{ border: 2px solid {colours.ink.name()}; padding: 0 5px; }}"
        )
        self.setStyleSheet(f"RowsBar {{ background: {colours.paper.name()}; }}")
        self.show_choices()
