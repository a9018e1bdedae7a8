"""The Core by core view: threads and waits below each other, what can be turned beside them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any, Final

from PyQt6.QtCore import QBuffer, QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QAction, QContextMenuEvent, QHideEvent, QImage, QPainter, QShowEvent
from PyQt6.QtSvg import QSvgGenerator
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QSplitter, QStackedLayout, QVBoxLayout, QWidget

from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.elided_label import ElidedLabel
from ruvex.desktop.kit.empty_state import EmptyState
from ruvex.desktop.kit.painting import drawing
from ruvex.desktop.kit.tool_row import ToolRow
from ruvex.desktop.panels.look_tools import LookPair
from ruvex.desktop.panels.view import Bench, View
from ruvex.desktop.state.tracing import LENGTHS_S
from ruvex.desktop.views.cores.controls import Controls
from ruvex.desktop.views.cores.pane import Pane
from ruvex.desktop.views.cores.threads import Threads
from ruvex.desktop.views.cores.waits import WaitRows
from ruvex.exchange import write_turns
from ruvex.plan import PlanFileError, replace_file
from ruvex.words import counted

_LEGEND: Final = (
    "waits", "slept", "turn used up", "cut in on", "wakes", "held for its fellows", "out of budget", "waits, held",
    "waits, out of budget",
)  # fmt: skip
_KINDS: Final = (
    ("Picture (PNG)…", "PNG (*.png)", "turns.png"), ("Drawing (SVG)…", "SVG (*.svg)", "turns.svg"),
    ("Every turn (CSV)…", "CSV (*.csv)", "turns.csv"),
    ("For viewers of profilers (Trace Event JSON)…", "JSON (*.json)", "turns.json"),
)  # fmt: skip
_HERE: Final = (ActionName.POWER, ActionName.COPY, ActionName.MOVE, ActionName.DELETE)


class CoresView(View):
    """Threads, waits and controls.

    Attributes
    ----------
    pane
        What the parts share.
    threads, waits, controls
        The parts.
    hosts
        Which host is looked at.
    """

    def __init__(self, bench: Bench, parent: QWidget) -> None:
        super().__init__(parent)
        desk, theme = bench.desk, bench.theme
        self._desk, self._theme = desk, theme
        self.pane = Pane(desk, self)
        rows = QWidget(self)
        self.threads = Threads(desk, theme, self.pane, rows)
        self.waits = WaitRows(desk, theme, self.pane, rows)
        self.controls = Controls(desk, theme, self.pane, rows)
        self.hosts = Chooser(rows)
        self.hosts.setAccessibleName("Host")
        self.hosts.activated.connect(self._on_host)
        self._bar = ToolRow(theme, rows)
        self._told = ElidedLabel(theme, 12, parent=self._bar)
        self._lay_out(bench, rows)
        steps = [bench.actions[name] for name in (ActionName.NEW_HOST, ActionName.NEW_GUEST, ActionName.DEMO)]
        text = "Add a host and guests, or look at the demo; then each vCPU is seen on its thread, turn by turn."
        self.empty = EmptyState(theme, "No threads yet", text, steps, self)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(rows)
        self._stack.addWidget(self.empty)
        self.setFocusProxy(self.threads)
        self.controls.told.connect(self.told)
        self.pane.replaced.connect(self._on_changed)
        desk.look.rows_changed.connect(self._on_changed)
        for name in _HERE:
            self.threads.addAction(bench.actions[name])
            self.waits.addAction(bench.actions[name])
        bench.actions[ActionName.TURNS].triggered.connect(lambda _checked=False: self.asked.emit())
        self._on_changed()

    def _lay_out(self, bench: Bench, rows: QWidget) -> None:
        bar = self._bar
        self._lengths = bar.segments(
            [f"{length:g} s" for length in LENGTHS_S], "How long the window is", self._on_length
        )
        again = bar.action_button(self._action("Draw again", "Another window, with other chances", self._draw_again))
        whole = bar.action_button(self._action("Show all", "The whole window (Home)", self.pane.show_all))
        exports = [
            self._action(text, text.rstrip("…"), partial(self._ask_and_save, kind, name)) for text, kind, name in _KINDS
        ]
        bar.add([self.hosts], rank=0)
        bar.add(self._lengths, rank=2)
        bar.add([again, whole], rank=3)
        bar.add([bar.menu_button("Save", exports)], rank=4)
        bar.add([self._told], rank=5, stretch=1)
        bar.add(LookPair(bar, bench).buttons, rank=1)
        above = QWidget(rows)
        beside = QHBoxLayout(above)
        beside.setContentsMargins(0, 0, 0, 0)
        beside.setSpacing(0)
        beside.addWidget(self.threads, 1)
        beside.addWidget(self.controls)
        self._halves = QSplitter(Qt.Orientation.Vertical, rows)
        self._halves.addWidget(above)
        self._halves.addWidget(self.waits)
        self._halves.setStretchFactor(0, 1)
        self._halves.setStretchFactor(1, 0)
        self._halves.setChildrenCollapsible(False)
        self._halves.setSizes([330, 270])
        self._halves.setHandleWidth(3)
        column = QVBoxLayout(rows)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(bar)
        column.addWidget(self._halves, 1)

    def _action(self, text: str, hint: str, run: Any) -> QAction:
        action = QAction(text, self)
        action.setToolTip(hint)
        action.triggered.connect(lambda _checked=False: run())
        return action

    # What the window asks

    @property
    def legend(self) -> Sequence[str]:
        """What the threads have."""
        return _LEGEND

    @property
    def is_behind(self) -> bool:
        """Whether turns or answers are on their way."""
        return self._desk.tracing.is_busy or self.pane.is_behind

    def arrangement(self) -> dict[str, Any]:
        """Give the length of the window."""
        return {"for_s": self._desk.tracing.for_s}

    def arrange(self, kept: Mapping[str, Any]) -> None:
        """Take it."""
        if kept.get("for_s") in LENGTHS_S:
            self._desk.tracing.choose_length(float(kept["for_s"]))

    def showEvent(self, event: QShowEvent | None) -> None:
        """Follow what is shown, from now on."""
        super().showEvent(event)
        self._desk.tracing.want(wanted=True)
        self._on_changed()
        self.controls.refresh()

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Rest while another view shows."""
        super().hideEvent(event)
        self._desk.tracing.want(wanted=False)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Ask for the menu of the selected rows."""
        if event is not None:
            self.menu_asked.emit(event.globalPos())

    # Following

    def _on_changed(self) -> None:
        plan, tracing = self._desk.look.plan, self._desk.tracing
        self._stack.setCurrentIndex(0 if plan.hosts and plan.guests else 1)
        names = [host.label for host in plan.hosts]
        if names != [self.hosts.itemText(i) for i in range(self.hosts.count())]:
            self.hosts.clear()
            self.hosts.addItems(names)
        if tracing.host in plan.host_index:
            self.hosts.setCurrentIndex(plan.host_index[tracing.host])
        for length, button in zip(LENGTHS_S, self._lengths, strict=True):
            button.setChecked(length == tracing.for_s)
        self._told.set_text(self._what_it_is())

    def _what_it_is(self) -> str:
        tracing = self._desk.tracing
        strips, machine = self.pane.strips, tracing.machine
        if tracing.problem or strips is None or machine is None:
            return tracing.problem
        found = strips.trace
        busy = float(found.busy[0].sum()) / (found.for_ms * max(found.parties.threads, 1))
        vcpus = found.parties.guest_of.size
        turns = f"{found.counts[0]:,}".replace(",", "\u2009")
        here = f"{counted(vcpus, 'vCPU')} on {counted(found.parties.threads, 'thread')}"
        return f"{here}, {100 * busy:.0f} % busy; {turns} turns"

    def _on_host(self, number: int) -> None:
        hosts = self._desk.look.plan.hosts
        if 0 <= number < len(hosts):
            self._desk.tracing.choose_host(hosts[number].id)

    def _on_length(self, number: int) -> None:
        self._desk.tracing.choose_length(LENGTHS_S[number])
        self._on_changed()

    def _draw_again(self) -> None:
        self._desk.tracing.draw_again()

    # Out

    def _ask_and_save(self, kind: str, name: str) -> None:
        path, _ = QFileDialog.getSaveFileName(self, "Save the turns as", name, kind)
        if path:
            self.save(Path(path))

    def save(self, path: Path) -> None:
        """Write what is shown (.png, .svg) or every turn (.csv, .json); says so in the window if it cannot."""
        strips = self.pane.strips
        if strips is None:
            self.told.emit("There are no turns to save.")
            return
        try:
            if path.suffix.lower() == ".png":
                replace_file(path, self._picture())
            elif path.suffix.lower() == ".svg":
                replace_file(path, self._drawing())
            else:
                write_turns(strips.trace, strips.division.site.plan, path)
        except PlanFileError as error:
            self.told.emit(str(error))

    def _size(self) -> QSize:
        return QSize(self.waits.width(), self.threads.height() + self.waits.height())

    def _paint(self, painter: QPainter) -> None:
        high = self.threads.height()
        painter.save()
        painter.setClipRect(QRect(0, 0, self.threads.width(), high))
        self.threads.paint(painter, high)
        painter.restore()
        painter.translate(0, high)
        self.waits.paint(painter, self.waits.height())

    def _picture(self) -> bytes:
        size, ratio = self._size(), self.devicePixelRatioF()
        image = QImage(size * ratio, QImage.Format.Format_RGB32)
        image.setDevicePixelRatio(ratio)
        image.fill(self._theme.colours.paper)
        with drawing(image) as painter:
            self._paint(painter)
        buffer = QBuffer()
        image.save(buffer, "PNG")
        return bytes(buffer.data().data())

    def _drawing(self) -> bytes:
        buffer, generator = QBuffer(), QSvgGenerator()
        generator.setOutputDevice(buffer)
        generator.setSize(self._size())
        generator.setViewBox(QRect(QPoint(0, 0), self._size()))
        generator.setTitle(f"{self._desk.look.plan.name}, core by core")
        self.pane.as_shapes = True
        try:
            with drawing(generator) as painter:
                self._paint(painter)
        finally:
            self.pane.as_shapes = False
        return bytes(buffer.data().data())
