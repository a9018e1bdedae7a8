"""The Division view: supply and sums above, the rows below, and what to do when there are none."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QStackedLayout, QVBoxLayout, QWidget

from ruvex.desktop.session import Session
from ruvex.desktop.theme import Theme
from ruvex.desktop.views.division.butterfly import Butterfly
from ruvex.desktop.views.division.wing_head import WingHead

_EMPTY = (
    "<p style='font-size:{big}px'><b>No guests yet</b></p>"
    "<p>Open a plan with <b>Ctrl+O</b>, or drop a plan file here.<br>"
    "<span style='color:{muted}'>ruvex demo</span> shows an invented ferry company with 28 guests on one host.</p>"
)


class DivisionView(QWidget):
    """The butterfly with its head.

    Attributes
    ----------
    butterfly
        The rows.
    """

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._theme = session, theme
        self.butterfly = Butterfly(session, theme, self)
        rows = QWidget(self)
        column = QVBoxLayout(rows)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(WingHead(session, theme, self.butterfly, rows))
        column.addWidget(self.butterfly, 1)
        self._empty = QLabel(self)
        self._empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(rows)
        self._stack.addWidget(self._empty)
        self.setFocusProxy(self.butterfly)
        session.replaced.connect(self._on_replaced)
        theme.changed.connect(self._on_replaced)
        self._on_replaced()

    def _on_replaced(self) -> None:
        plan, colours = self._session.plan, self._theme.colours
        self._empty.setFont(self._theme.font())
        self._empty.setStyleSheet(f"background: {colours.paper.name()}; color: {colours.ink.name()};")
        self._empty.setText(_EMPTY.format(big=self._theme.px(18), muted=colours.muted.name()))
        self._stack.setCurrentIndex(0 if plan.guests or plan.pools else 1)
