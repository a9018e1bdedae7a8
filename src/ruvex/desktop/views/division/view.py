"""The Division view: supply and sums above, the rows below, and what to do when there are none."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Final

from PyQt6.QtWidgets import QStackedLayout, QVBoxLayout, QWidget

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.empty_state import EmptyState
from ruvex.desktop.panels.view import Bench, View
from ruvex.desktop.state.rows import ORDERS
from ruvex.desktop.views.division.butterfly import Butterfly
from ruvex.desktop.views.division.rows_bar import RowsBar
from ruvex.desktop.views.division.weighing import Target
from ruvex.desktop.views.division.wing_head import WingHead
from ruvex.desktop.views.division.wings import AXES

_FIRST_STEPS: Final = (
    ActionName.NEW_HOST, ActionName.NEW_GUEST, ActionName.PASTE, ActionName.OPEN, ActionName.DEMO,
)  # fmt: skip


_LEGEND: Final = (
    "promised", "won by shares", "not delivered", "balloon", "limit", "squeezed", "spilled", "held or lent, idle",
)  # fmt: skip


class DivisionView(View):
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

    def __init__(self, bench: Bench, parent: QWidget) -> None:
        super().__init__(parent)
        desk, theme = bench.desk, bench.theme
        self._desk = desk
        self.butterfly = Butterfly(desk, theme, self)
        rows = QWidget(self)
        column = QVBoxLayout(rows)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self.bar = RowsBar(bench, self.butterfly, rows)
        self.bar.by_chosen.connect(lambda by_host: self._show_by_host(by_host=by_host))
        column.addWidget(self.bar)
        column.addWidget(WingHead(desk, theme, self.butterfly, rows))
        column.addWidget(self.butterfly, 1)
        text = "Add a host and guests, or paste guests from a spreadsheet (Ctrl+V); open a plan, or look at the demo."
        first_steps = [bench.actions[name] for name in _FIRST_STEPS]
        self.empty = EmptyState(theme, "No guests yet", text, first_steps, self)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(rows)
        self._stack.addWidget(self.empty)
        self.setFocusProxy(self.butterfly)
        desk.look.rows_changed.connect(self._on_replaced)
        self._bind(bench)
        self._on_replaced()

    @property
    def legend(self) -> Sequence[str]:
        """What the bars have."""
        host_by_host = ("as one machine",) if self.butterfly.by_host else ()
        return (*_LEGEND[:3], *host_by_host, *_LEGEND[3:])

    def _bind(self, bench: Bench) -> None:
        butterfly, editor = self.butterfly, bench.editor
        butterfly.dials_asked.connect(self.dials_asked)
        butterfly.menu_asked.connect(self.menu_asked)
        butterfly.renamed.connect(editor.rename)
        butterfly.gestures.dropped.connect(lambda target: self._drop(bench, target))
        editor.naming.connect(butterfly.rename)
        for name, action in bench.actions.items():
            if name.value.in_rows:
                butterfly.addAction(action)
        self.bind_here(
            bench.actions,
            {
                ActionName.RENAME: self._rename,
                ActionName.SELECT_ALL: butterfly.picking.pick_all,
                ActionName.FILTER: self.bar.line.setFocus,
                ActionName.ORDER: self.bar.next_order,
                ActionName.AXIS: self.bar.next_axis,
                ActionName.BY_HOST: lambda: self._show_by_host(by_host=not butterfly.by_host),
                ActionName.FOLD_ALL: lambda: butterfly.fold_all(folded=True),
                ActionName.UNFOLD_ALL: lambda: butterfly.fold_all(folded=False),
            },
        )

    def _drop(self, bench: Bench, target: Target) -> None:
        if target.host is None:
            bench.editor.move_to(target.pool)
        else:
            bench.live.move(target.host)

    def _show_by_host(self, *, by_host: bool) -> None:
        self.butterfly.set_by_host(by_host=by_host)
        self.legend_changed.emit()
        self.bar.show_choices()

    def _rename(self) -> None:
        if self._desk.selection.current is not None:
            self.butterfly.rename(self._desk.selection.current)

    def arrangement(self) -> dict[str, Any]:
        """Give order, axis, and whether it shows host by host."""
        butterfly = self.butterfly
        return {"order": butterfly.order, "axis": butterfly.axis_mode, "by_host": butterfly.by_host}

    def arrange(self, kept: Mapping[str, Any]) -> None:
        """Take them."""
        if str(kept.get("order")) in ORDERS:
            self.butterfly.set_order(kept["order"])
        if str(kept.get("axis")) in AXES:
            self.butterfly.set_axis_mode(kept["axis"])
        self.butterfly.set_by_host(by_host=kept.get("by_host") is True)
        self.bar.show_choices()

    def _on_replaced(self) -> None:
        plan = self._desk.look.plan
        self._stack.setCurrentIndex(0 if plan.guests or plan.pools else 1)
