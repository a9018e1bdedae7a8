"""The standing gauge: one guest's memory as one upright bar, with its marks and what moves between them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme, texture_brush
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import figure
from ruvex.desktop.state.playing import Playing
from ruvex.desktop.state.units import GIB
from ruvex.divide import CAUSES
from ruvex.plan import ElasticMemory, Guest, ThinMemory, format_time
from ruvex.play import CHANNELS, PHASES

WIDTH: Final = 216
_BAR: Final = 46
_AIR: Final = 1.06


@dataclass(frozen=True, slots=True)
class GaugeReading:
    """What the gauge shows: a guest's memory at a time, MiB; met as a part of 1."""

    visible: float
    backed: float
    working: float
    need: float
    balloon: float
    squeezed: float
    spilled: float
    bridged: float
    met: float
    pace: float
    phase: str
    cause: str


class Gauge(QWidget):
    """Watches the selected guest at the time under the crosshair.

    Attributes
    ----------
    reading
        What it shows, None where there is nothing to show.
    at_s
        The time it reads.
    """

    is_chart = True

    def __init__(self, desk: Desk, playing: Playing, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._playing, self._theme = desk, playing, theme
        self.reading: GaugeReading | None = None
        self.at_s = 0.0
        self._top = 0.0
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Expanding)
        desk.selection.changed.connect(self._read)
        playing.advanced.connect(self._read)
        playing.restarted.connect(self._read)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def sizeHint(self) -> QSize:
        """Ask for a narrow, tall place."""
        return self._theme.size(WIDTH, 300)

    def _on_theme_changed(self) -> None:
        self.setFixedWidth(self._theme.px(WIDTH))
        self._read()

    def show_time(self, at_s: float) -> None:
        """Read the selected guest at another time."""
        self.at_s = at_s
        self._read()

    @property
    def idle_text(self) -> str:
        """What is said while there is no guest to show: what to do, and what the plan says is to be watched."""
        text = "Select a guest to watch its memory here."
        if self.guest is not None:
            text = "Play the plan to see its memory."
        notes = self._desk.look.plan.notes.strip()
        return f"{text}\n\n{notes}" if notes else text

    @property
    def guest(self) -> Guest | None:
        """The guest that is watched."""
        item = self._desk.selection.item
        return item if isinstance(item, Guest) else None

    def _read(self) -> None:
        guest, recording = self.guest, self._playing.recording
        self.reading = None
        self.setAccessibleName(f"Gauge: {self.idle_text}")
        if guest is not None and recording is not None and recording.rows and guest.id in recording.guest_ids:
            at, row = recording.guest_ids.index(guest.id), recording.row_at(min(self.at_s, self._playing.now_s))
            found = {
                name: float(recording.series(name)[at, row]) for name in CHANNELS if name in GaugeReading.__slots__
            }
            phase, cause = (int(recording.series(name)[at, row]) for name in ("phase", "cause"))
            self.reading = GaugeReading(**found, phase=PHASES[phase], cause=CAUSES[cause])
            highest = float(recording.series("visible")[at].max())
            self._top = max(highest, max((value for _, value in self._marks(guest)), default=1.0)) * _AIR
            self.setAccessibleName(f"Gauge of {guest.label}: {self.told()}")
        self.update()

    def told(self) -> str:
        """Say how much of its need the guest has, and why it has no more."""
        found = self.reading
        if found is None:
            return ""
        if found.phase in ("off", "queued"):
            return found.phase
        text = f"met {found.met * 100:.0f} %"
        text += f" · {found.cause}" if found.cause else ""
        return f"{text} · {found.phase}" if found.phase == "booting" else text

    def _marks(self, guest: Guest) -> list[tuple[str, float]]:
        """Give the settings that stand at the side of the bar."""
        memory = guest.memory
        if isinstance(memory, ElasticMemory):
            return [("floor", memory.floor), ("boot size", memory.boot), ("ceiling", memory.ceiling)]
        if isinstance(memory, ThinMemory):
            marks = [("reservation", memory.reservation), ("size", memory.size)]
            return marks if memory.limit is None else [*marks, ("limit", memory.limit)]
        return [("size", memory.size)]

    # Painting

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the bar and its marks."""
        with painting(self) as painter:
            theme, colours = self._theme, self._theme.colours
            painter.fillRect(self.rect(), colours.panel)
            painter.setPen(colours.line)
            painter.drawLine(0, 0, 0, self.height())
            guest, found = self.guest, self.reading
            x, line = theme.px(14), theme.px(18)
            if guest is None or found is None:
                painter.setPen(colours.muted)
                place = QRectF(x, theme.px(12), self.width() - 2 * x, theme.px(80))
                painter.setFont(theme.font(12))
                place.setBottom(self.height() - theme.px(12))
                painter.drawText(place, Qt.TextFlag.TextWordWrap, self.idle_text)
                return
            painter.setPen(colours.ink)
            bold = theme.face(13, bold=True)
            bold.draw(painter, x, theme.px(8), line, bold.elided(guest.label, self.width() - 2 * x))
            painter.setPen(colours.muted)
            small = theme.face(11)
            small.draw(painter, x, theme.px(25), line, f"{guest.memory.mode} memory at {format_time(round(self.at_s))}")
            bottom = self.height() - theme.px(68)
            self._paint_bar(painter, QRectF(theme.px(84), theme.px(54), theme.px(_BAR), bottom - theme.px(54)), found)
            painter.setPen(colours.ink)
            face = theme.face(13, bold=True)
            face.draw(painter, x, bottom + theme.px(22), line, face.elided(self.told(), self.width() - 2 * x))
            painter.setPen(colours.muted)
            text = f"pace {found.pace:.2f} of unhindered" if found.phase == "running" else ""
            small.draw(painter, x, bottom + theme.px(40), line, text)

    def _y(self, place: QRectF, value: float) -> float:
        return (
            place.bottom() - place.height() * min(max(value / self._top, 0.0), 1.0) if self._top > 0 else place.bottom()
        )

    def _paint_bar(self, painter: QPainter, place: QRectF, found: GaugeReading) -> None:
        theme, colours = self._theme, self._theme.colours
        division = self._desk.look.division
        guest = self.guest
        assert guest is not None
        hue = int(division.top_pool[division.position[guest.id]])
        bar = theme.bar_colours(None if hue < 0 else hue)
        ratio = self.devicePixelRatioF()
        painter.setPen(colours.grid)
        painter.setBrush(colours.field)
        painter.drawRect(place)
        in_memory = min(found.working, found.backed)
        level = 0.0
        for amount, brush in (
            (in_memory, bar.solid), (found.backed - in_memory, bar.soft),
            (found.squeezed, texture_brush("squeezed", bar.edge, ratio)),
            (found.spilled, texture_brush("spilled", bar.edge, ratio)),
            (found.bridged, texture_brush("self-paged", bar.edge, ratio)),
        ):  # fmt: skip
            top = self._y(place, level + amount)
            painter.fillRect(QRectF(place.left(), top, place.width(), self._y(place, level) - top), brush)
            level += amount
        # The balloon grows down from what the guest's system sees.
        seen = self._y(place, found.visible)
        filled = self._y(place, found.visible - found.balloon)
        painter.fillRect(
            QRectF(place.left(), seen, place.width(), filled - seen), texture_brush("balloon", bar.edge, ratio)
        )
        painter.setPen(bar.edge)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(place.left(), seen, place.width(), place.bottom() - seen))
        self._paint_marks(painter, place, self._marks(guest), at_left=True)
        moving = [("visible", found.visible), ("need", found.need), ("backed", found.backed)]
        if found.balloon > 0:
            moving.append(("balloon", found.visible - found.balloon / 2))
        self._paint_marks(painter, place, moving, at_left=False, balloon=found.balloon)

    def _paint_marks(
        self, painter: QPainter, place: QRectF, marks: list[tuple[str, float]], *, at_left: bool, balloon: float = 0.0
    ) -> None:
        """Write marks beside the bar, kept apart from each other."""
        theme, colours, face = self._theme, self._theme.colours, self._theme.face(11)
        marks = sorted(marks, key=lambda mark: -mark[1])
        wished = [self._y(place, value) for _, value in marks]
        for (name, value), y, shown in zip(marks, wished, _apart(wished, place, theme.px(34)), strict=True):
            amount = balloon if name == "balloon" else value
            edge = place.left() - theme.px(3) if at_left else place.right() + theme.px(3)
            out = edge - theme.px(8) if at_left else edge + theme.px(8)
            painter.setPen(QPen(colours.ink, 1.2))
            painter.drawLine(QPointF(edge, y), QPointF(out, shown))
            texts = (name, f"{figure(amount, GIB)} GiB")
            for number, text in enumerate(texts):
                painter.setPen(colours.muted if number else colours.ink)
                top = shown - theme.px(12) + number * theme.px(12)
                if at_left:
                    face.draw_right(painter, out - theme.px(3), top, theme.px(13), text)
                else:
                    face.draw(painter, out + theme.px(3), top, theme.px(13), text)


def _apart(wished: list[float], place: QRectF, least: float) -> list[float]:
    """Keep labels apart: from the top downwards, and back up where that leads out of the place."""
    shown: list[float] = []
    for y in wished:
        shown.append(max(y, shown[-1] + least) if shown else max(y, place.top()))
    limit = place.bottom() + least / 2
    for i in range(len(shown) - 1, -1, -1):
        shown[i] = min(shown[i], limit)
        limit = shown[i] - least
    return shown
