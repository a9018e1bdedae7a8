"""The Division view: supply and sums above, the rows below, and what to do when there are none."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QStackedLayout, QVBoxLayout, QWidget

from ruvex.desktop.kit.empty_state import EmptyState
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.views.division.butterfly import Butterfly
from ruvex.desktop.views.division.rows_bar import RowsBar
from ruvex.desktop.views.division.wing_head import WingHead


class DivisionView(QWidget):
    """The butterfly with its head.

    Attributes
    ----------
    butterfly
        The rows.
    bar
        What finds and orders the rows.
    empty
        What is shown instead while the plan has neither guests nor pools.
    """

    def __init__(self, desk: Desk, theme: Theme, first_steps: Sequence[QAction], parent: QWidget) -> None:
        super().__init__(parent)
        self._desk = desk
        self.butterfly = Butterfly(desk, theme, self)
        rows = QWidget(self)
        column = QVBoxLayout(rows)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.bar = RowsBar(desk, theme, self.butterfly, rows)
        column.addWidget(self.bar)
        column.addWidget(WingHead(desk, theme, self.butterfly, rows))
        column.addWidget(self.butterfly, 1)
        text = "Add a host and guests, or paste guests from a spreadsheet (Ctrl+V); open a plan, or look at the demo."
        self.empty = EmptyState(theme, "No guests yet", text, first_steps, self)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(rows)
        self._stack.addWidget(self.empty)
        self.setFocusProxy(self.butterfly)
        desk.look.rows_changed.connect(self._on_replaced)
        self._on_replaced()

    def _on_replaced(self) -> None:
        plan = self._desk.look.plan
        self._stack.setCurrentIndex(0 if plan.guests or plan.pools else 1)
