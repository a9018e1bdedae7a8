"""What stands above the rows: make and undo, choose units, axis, order, by pool or by host, look for some."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from ruvex.desktop.kit.filter_line import FilterLine
from ruvex.desktop.kit.tool_row import ToolRow
from ruvex.desktop.panels.look_tools import LookPair, work_tools
from ruvex.desktop.panels.view import Bench
from ruvex.desktop.state.rows import ORDERS
from ruvex.desktop.views.division.butterfly import Butterfly
from ruvex.desktop.views.division.wings import AXES


class RowsBar(ToolRow):
    """The tools of the rows.

    Attributes
    ----------
    line
        Words to look for.
    order_button, axis_button, unit_buttons
        Each goes on to the next choice.
    by_buttons
        By pool, by host; there only where there are several hosts.

    Signals
    -------
    by_chosen(by_host)
        Rows are to be shown by host, or by pool.
    """

    by_chosen = pyqtSignal(bool)

    def __init__(self, bench: Bench, butterfly: Butterfly, parent: QWidget) -> None:
        super().__init__(bench.theme, parent)
        self._desk, self._butterfly = bench.desk, butterfly
        units = bench.desk.units
        self.unit_buttons = {
            "cpu": self.choice_button("Unit of CPU (U)", lambda: units.next("cpu")),
            "memory": self.choice_button("Unit of memory (Shift+U)", lambda: units.next("memory")),
        }
        self.axis_button = self.choice_button("Axis of the bars (A)", self.next_axis)
        self.order_button = self.choice_button("Order of the rows (S)", self.next_order)
        self.by_buttons = self.segments(("by pool", "by host"), "Rows by pool or by host (H)", self._choose_by)
        self.pair = LookPair(self, bench)
        self.line = FilterLine(butterfly, self)
        self.line.textChanged.connect(butterfly.look_for)
        self.add(work_tools(self, bench), rank=3)
        self.add(list(self.unit_buttons.values()), rank=2)
        self.add([self.axis_button, self.order_button], rank=4)
        self.add(self.by_buttons, rank=1)
        self.add(list(self.pair.buttons), rank=1)
        self.add([self.line], rank=0, stretch=1)
        units.changed.connect(self.show_choices)
        bench.desk.look.rows_changed.connect(self.show_choices)
        bench.desk.document.edited.connect(self.show_choices)
        self.show_choices()

    def _choose_by(self, number: int) -> None:
        self.by_chosen.emit(bool(number))

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
        units, butterfly = self._desk.units, self._butterfly
        self.order_button.setText(ORDERS[butterfly.order])
        self.axis_button.setText(AXES[butterfly.axis_mode])
        self.unit_buttons["cpu"].setText(f"CPU in {units.chosen('cpu')}")
        self.unit_buttons["memory"].setText(f"memory in {units.chosen('memory')}")
        for button in (self.order_button, self.axis_button, *self.unit_buttons.values()):
            button.setAccessibleName(button.text())
            button.setAccessibleDescription(button.toolTip())
        has_several = len(self._desk.look.plan.hosts) > 1
        for number, button in enumerate(self.by_buttons):
            button.setChecked(butterfly.by_host == bool(number))
            button.setProperty("absent", not (has_several or butterfly.by_host))
        self._fit()
