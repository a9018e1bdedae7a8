"""How many more like this: marks in each host's column, on paper and in need."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QFormLayout, QLineEdit, QToolTip, QWidget

from ruvex.advise import MOST, HostRoom, lacks_text, number_text, paper_text, pattern_text, typed_pattern
from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.letting_go import let_go
from ruvex.desktop.kit.theme import texture_brush
from ruvex.desktop.kit.wrapped_label import WrappedLabel
from ruvex.desktop.panels.offer_button import OfferButton
from ruvex.desktop.panels.view import Bench
from ruvex.desktop.state.rooms import More
from ruvex.desktop.state.steps import Step
from ruvex.desktop.views.room.columns import HostColumn, HostColumns
from ruvex.desktop.views.room.section import Section, SectionCanvas, Spots
from ruvex.plan import (
    EditError,
    Guest,
    Plan,
    RuvexError,
    add_items,
    copies_of,
    find_item,
    format_time,
    parse_cpu,
    parse_memory,
)

_MARK_W, _MARK_H, _PITCH = 9, 15, 13
_LINES: Final = 2
_GROUP: Final = 64
_EACH: Final = (1, 5, 25, 100)
"""So many guests a mark can stand for."""
_TYPED: Final = "a guest that I type\u2026"
_FIELDS: Final = (("vCPUs", "2"), ("memory", "8 GiB"), ("wants", "half of its vCPUs"), ("works with", "half of it"))


class Marks(SectionCanvas):
    """Draws how many more each host takes: solid all day, outlined now only, hatched the next one.

    Attributes
    ----------
    each
        How many guests a mark stands for.
    """

    def __init__(self, bench: Bench, columns: HostColumns, parent: QWidget) -> None:
        super().__init__(bench.theme, columns, parent)
        self._desk, self._wraps, self.each = bench.desk, 0, 1
        self._spots = Spots()

    @property
    def high(self) -> float:
        """Two groups of marks with two lines of words each; higher where some wrap."""
        return 2 * (_GROUP + self._wraps * (_MARK_H + 4))

    def refresh(self) -> None:
        """Make room for marks that wrap."""
        more = self._desk.rooms.more
        columns = self.columns.all if self.columns is not None else ()
        narrow = min((column.width for column in columns), default=300.0) - self.theme.px(14)
        of_line = max(1, int(narrow // self.theme.px(_PITCH)))
        most = max((max(one.paper, one.now, one.worst) for one in more.room.hosts), default=0) if more else 0
        self.each = next((each for each in _EACH if most // each < of_line * _LINES - 1), _EACH[-1])
        if (wraps := int(most // self.each + 1 > of_line)) != self._wraps:
            self._wraps = wraps
            self.updateGeometry()
        plan, hosts = self._desk.document.plan, more.room.hosts if more else ()
        self.setAccessibleName("; ".join(_told(one, plan) for one in hosts))
        self.update()

    def draw(self, painter: QPainter) -> None:
        """Draw the marks of each host."""
        more: More | None = self._desk.rooms.more
        if more is None or self.columns is None:
            return
        plan = self._desk.document.plan
        self._spots.clear()
        by_host = {one.host: one for one in more.room.hosts}
        for column in self.columns.all:
            found = by_host.get(plan.hosts[column.host].id) if column.host < len(plan.hosts) else None
            if found is not None:
                self._draw_host(painter, column, found, plan)

    def _draw_host(self, painter: QPainter, column: HostColumn, found: HostRoom, plan: Plan) -> None:
        px = self.theme.px
        x, wide = column.x + px(7), column.width - px(14)
        at = format_time(self._desk.rooms.more.room.at_s) if self._desk.rooms.more else ""
        if found.rule:
            self.words(painter, x, px(8), wide, "none", bold=True)
            self.words(painter, x, px(24), wide, found.rule)
            return
        top = self._marks(painter, x, px(8), wide, found.paper, found.paper, found.paper < MOST)
        self.words(painter, x, top, wide, f"{number_text(found.paper)} on paper", bold=True)
        self.words(painter, x, top + px(15), wide, _short(paper_text(found, plan)))
        most, middle = max(found.now, found.worst), self.height() / 2 + px(3)
        top = self._marks(painter, x, middle, wide, found.worst, most, found.now < MOST)
        told = f"{number_text(found.worst)} all day, {number_text(found.now)} at {at}"
        self.words(painter, x, top, wide, told, bold=True)
        lacks = found.lacks_worst or found.lacks_now
        self.words(painter, x, top + px(15), wide, _short(lacks_text(lacks, plan)))
        for half, text in ((0, paper_text(found, plan)), (1, lacks_text(lacks, plan))):
            place = QRectF(column.x, half * self.height() / 2, column.width, self.height() / 2)
            self._spots.add(place, found.host, text)

    def _marks(
        self, painter: QPainter, x: float, y: float, wide: float, solid: int, shown: int, has_next: bool
    ) -> float:  # fmt: skip
        """Draw one mark for each, or for several where there are many; gives where the words go on."""
        px, colours = self.theme.px, self.theme.colours
        of_line = max(1, int(wide // px(_PITCH)))
        room = of_line * _LINES - has_next
        count, full = min(-(-shown // self.each), room), -(-solid // self.each)
        bar = self.theme.bar_colours(self._hue())
        for number in range(count + (1 if has_next else 0)):
            place = QRectF(
                x + number % of_line * px(_PITCH) + 0.5, y + number // of_line * px(_MARK_H + 4) + 0.5,
                px(_MARK_W), px(_MARK_H),
            )  # fmt: skip
            painter.setPen(QPen(bar.edge, 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if number < min(full, count):
                painter.setBrush(bar.solid)
            elif number >= count:
                painter.setBrush(texture_brush("missing", colours.ink, self.devicePixelRatioF()))
                painter.setPen(QPen(colours.ink, 1))
            painter.drawRect(place)
        lines = (count + has_next + of_line - 1) // of_line
        return y + max(1, min(lines, _LINES)) * px(_MARK_H + 4)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Tell the whole of why no more fit."""
        spot = self._spots.at(event)
        if event is not None:
            QToolTip.showText(event.globalPosition().toPoint(), spot[1] if spot else "", self)

    def _hue(self) -> int | None:
        division, pattern = self._desk.look.division, self._desk.rooms.pattern_guest
        row = division.position.get(pattern.id if pattern else "", -1)
        top = int(division.top_pool[row]) if row >= 0 else -1
        return None if top < 0 else top


def _more(number: int) -> str:
    return number_text(number) if number >= MOST else f"{number} more"


def _told(found: HostRoom, plan: Plan) -> str:
    """Say in a line how many more a host takes, for whoever does not see the marks."""
    label = plan.labels.get(found.host, found.host)
    if found.rule:
        return f"{label}: none, {found.rule}"
    return f"{label}: {found.paper} on paper, {found.worst} all day, {found.now} now"


def _short(text: str) -> str:
    return text.removeprefix("the next one is refused: ").removeprefix("the next one ")


class MoreSection(Section):
    """The question, with its pattern.

    Attributes
    ----------
    chooser, fields
        Which guest is the pattern, or what is typed of one.
    told, paper, need, instead
        What the pattern is like; and the answers.
    add
        Offers to add one, where there is room.
    """

    def __init__(self, bench: Bench, columns: HostColumns, parent: QWidget) -> None:
        self._marks = Marks(bench, columns, parent)
        super().__init__(bench.theme, "How many more like this?", self._marks, parent)
        self._desk, theme = bench.desk, bench.theme
        self.chooser = Chooser(self)
        self.chooser.setAccessibleName("The guest to count by")
        self.chooser.activated.connect(self._on_chosen)
        self._form = QWidget(self)
        form = QFormLayout(self._form)
        form.setContentsMargins(0, 0, 0, 0)
        form.setVerticalSpacing(3)
        self.fields: dict[str, QLineEdit] = {}
        for name, hint in _FIELDS:
            field = self.fields[name] = QLineEdit(self._form)
            field.setPlaceholderText(hint)
            field.setAccessibleName(
                f"The guest to count by {name}" if " " in name else f"{name} of the guest to count by"
            )
            field.editingFinished.connect(self._on_typed)
            form.addRow(name, field)
        self._form.hide()
        self.told = WrappedLabel(theme, 12, muted=True, parent=self)
        self.paper, self.need = WrappedLabel(theme, 13, parent=self), WrappedLabel(theme, 13, parent=self)
        self.instead = WrappedLabel(theme, 12, muted=True, parent=self)
        for widget in (self.chooser, self._form, self.told):
            self.left.addWidget(widget)
        for label in (self.paper, self.need, self.instead):
            self.right.addWidget(label)
        self.add: OfferButton | None = None
        self.finish()
        self._choices: list[str] = []
        self._problem = ""

    def refresh(self) -> None:
        """Show the answer there is."""
        plan, rooms = self._desk.document.plan, self._desk.rooms
        names = [guest.label for guest in plan.guests]
        if names != self._choices:
            self._choices = names
            self.chooser.clear()
            self.chooser.addItems([*names, _TYPED])
        is_typed = isinstance(rooms.pattern, Guest)
        at = len(names) if is_typed else plan.guest_index.get(str(rooms.pattern), 0)
        self.chooser.setCurrentIndex(at)
        self._form.setVisible(is_typed)
        pattern, more = rooms.pattern_guest, rooms.more
        if self._problem:
            self.told.set_text(self._problem)
        elif pattern is not None:
            self.told.set_text(pattern_text(self._desk.document.site, pattern, self._desk.document.plan.moment))
        if more is None:
            self.paper.set_text("Being counted\u2026")
            return
        room, at_text = more.room, format_time(more.room.at_s)
        self.paper.set_text(f"{_more(room.paper)} on paper, as promises and spill space go.")
        self.need.set_text(
            f"{number_text(room.worst)} would have all they need all day, {number_text(room.now)} at {at_text},"
            " with nobody else getting less."
        )
        told = [
            f"as {name}: {number_text(other.paper)} on paper, {number_text(other.worst)} all day"
            for name, other in (("fixed memory", more.fixed), ("elastic memory", more.elastic))
            if other is not None
        ]
        self._offer(more)
        self._marks.refresh()
        if self._marks.each > 1:
            told.append(f"a mark stands for {self._marks.each}")
        self.instead.set_text("; ".join(told))

    def _offer(self, more: More) -> None:
        if self.add is not None:
            let_go(self.add, self.right)
            self.add = None
        best = max(more.room.hosts, key=lambda one: (one.worst, one.now, one.paper), default=None)
        if best is None or not best.paper:
            return
        label = self._desk.document.plan.labels[best.host]
        pattern, host = more.room.pattern, best.host
        step = Step(f"one more like {pattern.label} on {label}", lambda plan: _added(plan, pattern, host), ())
        self.add = OfferButton(self._desk, self.theme, step, f"Add one on {label}", "", self)
        self.right.insertWidget(3, self.add)

    def _on_chosen(self, at: int) -> None:
        plan = self._desk.document.plan
        self._problem = ""
        if at < len(plan.guests):
            self._desk.rooms.set_pattern(plan.guests[at].id)
        else:
            self._form.show()
            self.fields["vCPUs"].setFocus()
            self._on_typed()

    def _on_typed(self) -> None:
        if self.chooser.currentIndex() < len(self._desk.document.plan.guests):
            return
        text = {name: field.text().strip() for name, field in self.fields.items()}
        try:
            vcpus = text["vCPUs"] or "2"
            if not vcpus.isdecimal() or not 1 <= int(vcpus) <= 4096:
                raise EditError("vCPUs: a whole number from 1 to 4096")
            wants, works = text["wants"], text["works with"]
            pattern = typed_pattern(
                self._desk.document.plan, vcpus=int(vcpus), memory_mib=parse_memory(text["memory"] or "8 GiB"),
                cpu_mhz=parse_cpu(wants) if wants else None, working_mib=parse_memory(works) if works else None,
            )  # fmt: skip
        except RuvexError as error:
            self._problem = str(error)
            self.told.set_text(self._problem)
            return
        self._problem = ""
        self._desk.rooms.set_pattern(pattern)


def _added(plan: Plan, pattern: Guest, host: str) -> Plan:
    if find_item(plan, pattern.id) is not None:
        (copy,) = copies_of(plan, [pattern.id])
    else:
        copy = pattern
    return add_items(plan, [copy.model_copy(update={"host": host, "power": "on"})])
