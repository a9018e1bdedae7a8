"""The Room view: hosts as columns, and one question after the other below each other."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QHideEvent, QPaintEvent, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QScrollArea, QSizePolicy, QStackedLayout, QToolButton, QVBoxLayout, QWidget

from ruvex.advise import worst_time
from ruvex.desktop.kit.actions import ActionName
from ruvex.desktop.kit.elided_label import ElidedLabel
from ruvex.desktop.kit.empty_state import EmptyState
from ruvex.desktop.kit.letting_go import let_go_of_all_in
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.tool_row import ToolRow
from ruvex.desktop.kit.wrapped_label import WrappedLabel
from ruvex.desktop.panels.look_tools import work_tools
from ruvex.desktop.panels.view import Bench, View
from ruvex.desktop.state.rooms import MOST_GUESTS, QUESTIONS, Question
from ruvex.desktop.views.room.columns import LEFT, RIGHT, ROOMY, HostColumns
from ruvex.desktop.views.room.lost import LossSection
from ruvex.desktop.views.room.more import MoreSection
from ruvex.desktop.views.room.places import PlacesHead, StepSection
from ruvex.desktop.views.room.risk import RiskSection
from ruvex.desktop.views.room.section import Section
from ruvex.desktop.views.room.sizing import SizeSection, SizesHead
from ruvex.desktop.views.room.sweeping import SweepSection
from ruvex.placing import BetterPlaces
from ruvex.plan import Plan, format_cpu, format_memory, format_time
from ruvex.words import counted, reserve_text

_FIRST_STEPS: Final = (ActionName.NEW_HOST, ActionName.NEW_GUEST, ActionName.DEMO)
_HEAD: Final = 36
_MOST_LOSSES: Final = 40
_MOST_SIZES: Final = 8
_SECTIONS: Final = ("more", "without", "places", "sweep", "sizes", "sure")


class _Heads(QWidget):
    """Names the hosts over their columns."""

    def __init__(self, bench: Bench, columns: HostColumns, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._theme, self._columns = bench.desk, bench.theme, columns
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        columns.changed.connect(self.update)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Write each host's name, cores, speed and memory over its column."""
        with painting(self) as painter:
            theme, px, plan = self._theme, self._theme.px, self._desk.document.plan
            painter.fillRect(self.rect(), theme.colours.panel)
            left = 0 if self.width() < px(ROOMY) else px(LEFT) + px(18)
            bold, face = theme.face(13, bold=True), theme.face(11.5)
            for column in self._columns.all:
                if column.host >= len(plan.hosts):
                    continue
                host, x = plan.hosts[column.host], px(14) + left + column.x
                painter.setPen(theme.colours.ink)
                bold.draw(painter, x, px(2), px(17), bold.elided(host.label, column.width))
                cores, memory = counted(host.cores, "core"), format_memory(host.memory_mib)
                text = f"{cores}, {format_cpu(host.cores * host.mhz)}, {memory}"
                text = text if face.width(text) <= column.width else f"{cores}, {memory}"
                painter.setPen(theme.colours.muted)
                face.draw(painter, x, px(18), px(16), face.elided(text, column.width))
            painter.setPen(theme.colours.line)
            painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)

    def place_of(self, width: int) -> QRectF:
        """Give where the columns are."""
        px = self._theme.px
        if width < px(ROOMY):
            return QRectF(px(14), 0, width - px(28), self.height())
        left = px(14) + px(LEFT) + px(18)
        return QRectF(left, 0, width - left - px(18) - px(RIGHT) - px(14), self.height())


class RoomView(View):
    """Room for more, without a host, better places, sweeps, sizes, and how sure it is.

    Attributes
    ----------
    more, sweep, risk
        The sections that stay.
    losses, steps, sizes
        One section for each host that could be lost, each step to better places, each guest of another size.
    reserve, places
        What must be set aside so that any host can be lost; what all moves come to.
    jumps
        Go to a section.
    """

    def __init__(self, bench: Bench, parent: QWidget) -> None:
        super().__init__(parent)
        self._bench, self._desk, self._theme = bench, bench.desk, bench.theme
        rows = QWidget(self)
        self._bar = ToolRow(self._theme, rows)
        self._told = ElidedLabel(self._theme, 12, parent=self._bar)
        self.columns = HostColumns(self._theme, self)
        self.jumps = self._bar.segments(_SECTIONS, "Go to this question", self.go_to)
        for button in self.jumps:
            button.setCheckable(False)
        self.worst_button = QToolButton(self._bar)
        self.worst_button.setToolTip("Look at the day's worst moment")
        self.worst_button.clicked.connect(lambda _checked=False: self._go_to_worst())
        self._pages = [QToolButton(self._bar) for _ in range(2)]
        for button, text, by in zip(self._pages, ("\u25c2", "\u25b8"), (-1, 1), strict=True):
            button.setText(text)
            button.setAccessibleName("Hosts before" if by < 0 else "Hosts after")
            button.clicked.connect(lambda _checked=False, step=by: self.columns.step(step))
        self._bar.add(work_tools(self._bar, bench), rank=2)
        self._bar.add(self.jumps, rank=1)
        self._bar.add([self.worst_button], rank=2)
        self._bar.add(self._pages, rank=0)
        self._bar.add([self._told], rank=0, stretch=1)
        self._heads = _Heads(bench, self.columns, rows)
        self._area = QScrollArea(rows)
        self._area.setWidgetResizable(True)
        self._area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget(self._area)
        self._column = QVBoxLayout(inner)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(0)
        self.more = MoreSection(bench, self.columns, inner)
        self.sweep, self.risk = SweepSection(bench, inner), RiskSection(bench, inner)
        self.reserve: WrappedLabel | None = None
        self.losses: list[LossSection] = []
        self.places: PlacesHead | None = None
        self.steps: list[StepSection] = []
        self._sizes_head: SizesHead | None = None
        self.sizes: list[SizeSection] = []
        self._boxes = {name: self._box(inner) for name in _SECTIONS}
        for name, section in (("more", self.more), ("sweep", self.sweep), ("sure", self.risk)):
            self._boxes[name].addWidget(section)
        self._column.addStretch(1)
        self._area.setWidget(inner)
        column = QVBoxLayout(rows)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget in (self._bar, self._heads, self._area):
            column.addWidget(widget)
        steps = [bench.actions[name] for name in _FIRST_STEPS]
        text = "Add hosts and guests, or open a plan; then how many more fit, and what a loss comes to, stands here."
        self.empty = EmptyState(self._theme, "No room to speak of yet", text, steps, self)
        self._stack = QStackedLayout(self)
        self._stack.addWidget(rows)
        self._stack.addWidget(self.empty)
        self.setFocusProxy(self._area)
        self._shown: dict[str, object] = {}
        rooms, many = self._desk.rooms, self._desk.many
        rooms.changed.connect(self._on_changed)
        many.changed.connect(self._on_many)
        self._desk.document.edited.connect(lambda _text: self._on_changed())
        self._desk.document.closing.connect(self._drop)
        self._theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def _box(self, parent: QWidget) -> QVBoxLayout:
        holder = QWidget(parent)
        box = QVBoxLayout(holder)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        self._column.addWidget(holder)
        return box

    @property
    def is_behind(self) -> bool:
        """Whether answers are on their way."""
        return self._desk.rooms.is_behind or bool(self._desk.many.running)

    @property
    def legend(self) -> Sequence[str]:
        """What its marks and bars mean."""
        return "fits all day", "fits now only", "the next one", "there already", "comes back"

    def showEvent(self, event: QShowEvent | None) -> None:
        """Ask, from now on at each change."""
        super().showEvent(event)
        self._desk.rooms.want(wanted=True)
        self._on_changed()

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Rest while another view shows."""
        super().hideEvent(event)
        self._desk.rooms.want(wanted=False)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Place the columns anew."""
        super().resizeEvent(event)
        self._place()

    def _place(self) -> None:
        viewport = self._area.viewport()
        width = self.width() if viewport is None else viewport.width()
        self.columns.place(self._desk.document.plan, round(self._heads.place_of(width).width()))
        for button in self._pages:
            button.setProperty("absent", not self.columns.is_partial)
            button.setVisible(self.columns.is_partial)

    def go_to(self, number: int) -> None:
        """Scroll to a section."""
        holder = self._boxes[_SECTIONS[number]].parentWidget()
        bar = self._area.verticalScrollBar()
        if holder is not None and bar is not None:
            bar.setValue(holder.y())

    def _go_to_worst(self) -> None:
        day = self._desk.rehearsal.base
        if day is not None:
            self._desk.look.set_moment(worst_time(day))

    # What is shown

    def _on_changed(self) -> None:
        plan = self._desk.document.plan
        self._stack.setCurrentIndex(0 if plan.guests and plan.hosts else 1)
        if not self.isVisible():
            return
        self._place()
        self._heads.update()
        day = self._desk.rehearsal.base
        self.worst_button.setVisible(day is not None)
        if day is not None:
            self.worst_button.setText(f"worst at {format_time(worst_time(day))}, go there")
        told = self._told_of_answers()
        if len(plan.guests) > MOST_GUESTS:
            told = f"Of more than {MOST_GUESTS} guests room is asked about by command: ruvex room, without, places."
        self._told.set_text(told)
        if self._desk.trial.step is None:
            self.more.refresh()
            self._show_losses(plan)
            self._show_places(plan)
            self._show_sizes()
        self.sweep.refresh()
        self.risk.refresh()

    def _told_of_answers(self) -> str:
        rooms = self._desk.rooms
        problems = [text for name in QUESTIONS if (text := rooms.problem(name))]
        if problems:
            return f"Not all could be found: {problems[0]}"
        if not rooms.is_behind:
            return ""
        return "of the plan before; looking\u2026" if any(map(rooms.has_before, QUESTIONS)) else "looking\u2026"

    def _on_many(self) -> None:
        if self.isVisible():
            self.sweep.refresh()
            self.risk.refresh()

    def _drop(self) -> None:
        """Let go of all that is of the plan that closes."""
        self.losses, self.steps, self.sizes, self.places, self.reserve = [], [], [], None, None
        for name in ("without", "places", "sizes"):
            self._refill(name, [])
        self._shown.clear()

    def _keep_before(self, name: str, question: Question) -> bool:
        """Leave what is of the plan before as it stands, to be read and not to be pressed; tells whether that is so."""
        holder = self._boxes[name].parentWidget()
        is_before = self._desk.rooms.has_before(question) and self._boxes[name].count() > 0
        if holder is not None:
            holder.setEnabled(not is_before)
        return is_before

    def _is_news(self, name: str, value: object) -> bool:
        """Take note of what a section shows; tells whether that is another thing than before."""
        is_news = self._shown.get(name, self) is not value
        self._shown[name] = value
        return is_news

    def _refill(self, name: str, sections: list[QWidget]) -> None:
        box = self._boxes[name]
        let_go_of_all_in(box)
        for section in sections:
            box.addWidget(section)
            section.show()

    def _show_losses(self, plan: Plan) -> None:
        if self._keep_before("without", "lost"):
            return
        lost, played = self._desk.rooms.lost, self._desk.rooms.played
        if self._is_news("lost", lost):
            self.losses = []
            found: list[QWidget] = []
            if lost is not None and len(plan.hosts) > 1:
                holder = self._boxes["without"].parentWidget()
                assert holder is not None
                there = [loss for loss in lost.losses if loss.host in plan.host_index]
                self.losses = [
                    LossSection(self._bench, self.columns, loss, lost, holder) for loss in there[:_MOST_LOSSES]
                ]
                for section in self.losses:
                    section.empty_button.clicked.connect(lambda _checked=False, host=section.host: self._empty(host))
                self.reserve = WrappedLabel(self._theme, 12.5)
                self.reserve.set_text(reserve_text(lost.reserve, plan))
                found = [*self.losses, self._framed(self.reserve, holder)]
            self._refill("without", found)
            self._shown.pop("played", None)
        if played is not None and self._is_news("played", played):
            for section in self.losses:
                section.show_played(plan, played.get(section.host))

    def _framed(self, label: WrappedLabel, parent: QWidget) -> QWidget:
        """Give a label with the margins of a section around it."""
        frame, px = QWidget(parent), self._theme.px
        box = QVBoxLayout(frame)
        box.setContentsMargins(px(14), px(8), px(14), px(10))
        box.addWidget(label)
        return frame

    def _empty(self, host: str) -> None:
        """Go to the page that empties a host."""
        self._desk.selection.select(host)
        self._bench.actions[ActionName.EMPTY_HOST].trigger()

    def _show_places(self, plan: Plan) -> None:
        if self._keep_before("places", "places"):
            return
        found: BetterPlaces | None = self._desk.rooms.places
        if not self._is_news("places", found):
            return
        holder = self._boxes["places"].parentWidget()
        assert holder is not None
        self.places, self.steps = None, []
        sections: list[QWidget] = []
        if len(plan.hosts) > 1:
            self.places = PlacesHead(self._bench, self.columns, found, holder)
            steps = found.steps if found is not None else ()
            known = plan.guest_index.keys() | plan.host_index.keys()
            there = [step for step in steps if known.issuperset(name for move in step.moves for name in move)]
            self.steps = [StepSection(self._bench, self.columns, step, holder) for step in there]
            sections = [self.places, *self.steps]
        self._refill("places", sections)

    def _show_sizes(self) -> None:
        if self._keep_before("sizes", "sizes"):
            return
        found = self._desk.rooms.sizes
        if not self._is_news("sizes", found):
            return
        holder = self._boxes["sizes"].parentWidget()
        assert holder is not None
        plan = self._desk.document.plan
        its = [one for one in found.sizes if one.guest in plan.guest_index] if found is not None else []
        self.sizes = [SizeSection(self._bench, one, holder) for one in its[:_MOST_SIZES]]
        self._sizes_head = SizesHead(self._bench, found, len(self.sizes), holder)
        sections: list[Section] = [self._sizes_head, *self.sizes]
        self._refill("sizes", list(sections))

    def _on_theme_changed(self) -> None:
        self._heads.setFixedHeight(self._theme.px(_HEAD))
        self._shown.clear()
        self._on_changed()
