"""The hosts in the head band: a chip each with two small bars, what is wanted against the supply."""

from __future__ import annotations

from typing import Final

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import (
    QAbstractButton,
    QFrame,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QToolTip,
    QWidget,
)

from ruvex.desktop.kit.letting_go import let_go
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme, blend, texture_brush
from ruvex.desktop.panels.row_story import host_story
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, percent
from ruvex.plan import RESOURCES, Host
from ruvex.words import counted

HEIGHT: Final = 44
_APART: Final = 8
_WIDE: Final = 194
_SLIM: Final = 126
_MOST_WIDE: Final = 3
_SUPPLY: Final = 42
_SLIM_SUPPLY: Final = 70
_BEYOND: Final = 1.3
"""A bar runs past the tick of its supply by so much at most."""
_BAR: Final = 9
_SLIM_BAR: Final = 6
_TIGHT: Final = 1.0 + 1e-9
_BANK: Final = "bank"


class HostChip(QAbstractButton):
    """One host: its name, and per resource a bar whose tick is the supply, hatched beyond it.

    Attributes
    ----------
    host
        Its id.
    parts
        What is wanted there of CPU and of memory, as parts of the supply.
    bank
        What the guests of its bank want, as a part of the bank; 0 where it has none.
    """

    def __init__(self, host: str, desk: Desk, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self.host = host
        self._desk, self._theme = desk, theme
        self._is_target = self._is_slim = False
        self.parts, self.bank = (-1.0, -1.0), 0.0
        self._shown: Host | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def set_slim(self, *, slim: bool) -> None:
        """Take less room: no figures, only the bars."""
        self._is_slim = slim
        self.setFixedSize(self._theme.size(_SLIM if slim else _WIDE, HEIGHT))

    def set_target(self, *, is_target: bool) -> None:
        """Show that what is carried would land here."""
        self._is_target = is_target
        self.update()

    def show_figures(self) -> None:
        """Take the figures of the look."""
        plan, figures = self._desk.look.plan, self._desk.look.division.by_host
        at = plan.host_index[self.host]
        supply, wanted = figures.supply[:, at].tolist(), figures.wanted[:, at].tolist()
        parts = tuple(w / s if s > 0 else 0.0 for w, s in zip(wanted, supply, strict=True))
        host, bank = plan.hosts[at], np.flatnonzero(figures.banks == at)
        size = float(figures.bank_size[bank].sum())
        of_bank = float(figures.bank_wanted[bank].sum()) / size if size > 0 else 0.0
        if (*parts, of_bank) == (*self.parts, self.bank) and self._shown is host:
            return  # most dials change neither what is wanted nor what there is
        self.parts, self.bank, self._shown = parts, of_bank, host  # type: ignore[assignment]
        told = ", ".join(
            f"{NAME[name]} {percent(w, s)}" for name, w, s in zip(RESOURCES, wanted, supply, strict=True) if s > 0
        )
        if of_bank > 0:
            told += f", its bank {percent(of_bank, 1.0)}"
        self.setAccessibleName(f"Host {host.label}: {f'{told} wanted of its supply' if host.up else 'down'}")
        self.update()

    def event(self, event: QEvent | None) -> bool:
        """Tell the host's story where the pointer rests."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            plan = self._desk.look.plan
            if self.host in plan.host_index:
                story = host_story(self._desk, plan.host_index[self.host])
                told = f"{story}\nClick to select it; drop guests on it to move them here"
                QToolTip.showText(event.globalPos(), told, self)
            return True
        return super().event(event)

    @property
    def is_selected(self) -> bool:
        """Whether it is the selected host."""
        return self._desk.selection.place == self.host

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the chip."""
        with painting(self) as painter:
            theme, colours, plan = self._theme, self._theme.colours, self._desk.look.plan
            if self.host not in plan.host_index:
                return
            host = plan.hosts[plan.host_index[self.host]]
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            edge = QPen(colours.head_line, 1)
            if self._is_target:
                edge = QPen(colours.head_text, 1.6, Qt.PenStyle.DashLine)
            elif self.is_selected or self.hasFocus() or self.underMouse():
                edge = QPen(colours.head_text, 2 if self.hasFocus() else 1.3)
            painter.setPen(edge)
            painter.setBrush(blend(colours.head, colours.head_text, 0.16 if self.is_selected else 0.05))
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 6, 6)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
            left, half = theme.px(10), self.height() / 2
            right = self.width() - theme.px(8)
            name, small = theme.face(12.5, bold=True), theme.face(11)
            painter.setPen(colours.head_text)
            room = float(right - left if self._is_slim else theme.px(82))
            is_full = self.bank > _TIGHT and host.up
            if is_full and self._is_slim:
                # Without room for its figure the word alone says that more is wanted of the bank than it has.
                bold = theme.face(10.5, bold=True)
                bold.draw_right(painter, right, theme.px(3), half - theme.px(3), _BANK)
                room -= bold.width(_BANK) + theme.px(6)
            shown = name.elided(host.label, room)
            name.draw(painter, left, theme.px(3), half - theme.px(3), shown)
            if not host.up:
                middle = theme.px(3) + (half - theme.px(3)) / 2
                painter.setPen(QPen(colours.head_text, 1.4))
                painter.drawLine(QPointF(left - 2, middle), QPointF(left + name.width(shown) + 2, middle))
            painter.setPen(colours.head_muted)
            if not host.up:
                small.draw(painter, left, half, half - theme.px(4), "down")
            elif not self._is_slim:
                face, told = small, counted(host.cores, "core")
                if is_full:
                    face, told = theme.face(11, bold=True), f"{_BANK} {percent(self.bank, 1.0)}"
                    painter.setPen(colours.head_text)
                face.draw(painter, left, half, half - theme.px(4), face.elided(told, room))
            if host.up:
                self._paint_bars(painter, left, right, half)

    def _paint_bars(self, painter: QPainter, left: float, right: float, half: float) -> None:
        theme, colours = self._theme, self._theme.colours
        curves = (colours.cpu_curve, colours.memory_curve)
        high = theme.px(_SLIM_BAR if self._is_slim else _BAR)
        supply = theme.px(_SLIM_SUPPLY if self._is_slim else _SUPPLY)
        figures = theme.px(44)
        x = left if self._is_slim else right - figures - supply * _BEYOND
        for number, (part, colour) in enumerate(zip(self.parts, curves, strict=True)):
            y = half + number * theme.px(9) + 1 if self._is_slim else half * (0.5 + number) - high / 2 + 1 - 2 * number
            inside = min(part, 1.0) * supply
            painter.fillRect(QRectF(x, y, supply, high), blend(colours.head, colours.head_text, 0.16))
            painter.fillRect(QRectF(x, y, inside, high), colour)
            if part > _TIGHT:
                beyond = QRectF(x + supply, y, supply * (min(part, _BEYOND) - 1), high)
                painter.fillRect(beyond, texture_brush("missing", colours.head_text, self.devicePixelRatioF()))
                painter.setPen(colours.head_text)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(beyond.adjusted(0, 0.5, -0.5, -0.5))
            painter.setPen(QPen(colours.head_text, 1.6))
            painter.drawLine(QPointF(x + supply, y - 2), QPointF(x + supply, y + high + 1))
            if not self._is_slim:
                face = theme.face(12, bold=part > _TIGHT)
                painter.setPen(colours.head_text if part > _TIGHT else colours.head_muted)
                face.draw_right(painter, right, y - 5, high + 10, percent(part, 1.0))


class HostChips(QScrollArea):
    """All hosts side by side; they scroll where there are more than have room.

    Attributes
    ----------
    chips
        By id.

    Signals
    -------
    host_wanted()
        There is none yet, and one is to be added.
    """

    host_wanted = pyqtSignal()

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self.chips: dict[str, HostChip] = {}
        self._body = QWidget(self)
        self.none_yet = QPushButton("No host yet: add one", self._body)
        self.none_yet.clicked.connect(self.host_wanted)
        self.setWidget(self._body)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Hosts")
        desk.look.changed.connect(self._on_changed)
        desk.selection.changed.connect(self._on_selected)
        self.style_anew()

    def style_anew(self) -> None:
        """Take measures and colours from the theme."""
        self.setFixedHeight(self._theme.px(HEIGHT))
        self.none_yet.setFont(self._theme.font(12))
        self._lay_out()
        self._on_changed()

    def sizeHint(self) -> QSize:
        """Ask for the room of three chips."""
        return self._theme.size(3 * (_WIDE + _APART), HEIGHT)

    def _lay_out(self) -> None:
        hosts = self._desk.look.plan.hosts
        slim = len(hosts) > _MOST_WIDE
        self.none_yet.setVisible(not hosts)
        self.none_yet.resize(self.none_yet.sizeHint())
        # Placed by hand: each of a thousand chips would let a layout measure all of them anew.
        x = self.none_yet.width() if not hosts else 0
        for chip in self.chips.values():
            chip.set_slim(slim=slim)
            chip.move(x, 0)
            x += chip.width() + _APART
        self._body.setMinimumWidth(max(0, x - _APART))

    def _on_changed(self) -> None:
        hosts = self._desk.look.plan.hosts
        ids = [host.id for host in hosts]
        if ids != list(self.chips):
            for chip in self.chips.values():
                let_go(chip)
            self.chips = {}
            for host in hosts:
                chip = self.chips[host.id] = HostChip(host.id, self._desk, self._theme, self._body)
                chip.clicked.connect(lambda _checked=False, host_id=host.id: self._desk.selection.select(host_id))
                chip.show()
            self._lay_out()
        for chip in self.chips.values():
            # Those out of sight are told when they come into it: of 250 hosts a dozen shows.
            if self._shows(chip):
                chip.show_figures()

    def _shows(self, chip: HostChip) -> bool:
        return len(self.chips) <= 2 * _MOST_WIDE or not chip.visibleRegion().isEmpty()

    def _on_selected(self) -> None:
        for chip in self.chips.values():
            chip.update()
        chosen = self.chips.get(self._desk.selection.place or "")
        if chosen is not None:
            self.ensureWidgetVisible(chosen, 0, 0)

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        """Fill in the figures of those that come into sight."""
        super().scrollContentsBy(dx, dy)
        self._on_changed()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Scroll sideways with an ordinary wheel too."""
        bar = self.horizontalScrollBar()
        if event is not None and bar is not None:
            by = event.angleDelta().y() or event.angleDelta().x()
            bar.setValue(bar.value() - by)
            event.accept()
