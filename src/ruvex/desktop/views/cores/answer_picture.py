"""What is tried beside what is: the guest's own work, its waits, and its neighbours', drawn on one axis."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.cores import Answer
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.views.cores import histogram
from ruvex.desktop.views.cores.words import wait_text

_LINE: Final = 18
_HISTOGRAM: Final = 40
_AXIS: Final = 16
_FIGURE: Final = 92


def work_text(before: float, after: float) -> str:
    """Write how much more or less work is done.

    Examples
    --------
    >>> work_text(8000.0, 7840.0), work_text(0.0, 0.0), work_text(100.0, 130.0)
    ('−2 %', 'the same', '+30 %')
    """
    part = 100 * (after - before) / before if before > 0 else 0.0
    if abs(part) < 0.5:
        return "the same"
    return f"{'+' if part > 0 else chr(0x2212)}{abs(part):.0f} %"


def shift_text(before: float, after: float) -> str:
    """Write a wait then and now, ms.

    Examples
    --------
    >>> shift_text(41.0, 17.0), shift_text(3.0, 3.01)
    ('41 → 17 ms', '3.0 ms')
    """
    one, other = wait_text(before), wait_text(after)
    return f"{other} ms" if one == other else f"{one} \u2192 {other} ms"


class AnswerPicture(QWidget):
    """Three lines and a histogram; what is lies under what is tried as an outline."""

    is_chart = True

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self._now: Answer | None = None
        self._tried: Answer | None = None
        self._hue: int | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        theme.changed.connect(self.updateGeometry)

    def show_answers(self, now: Answer | None, tried: Answer | None, hue: int | None) -> None:
        """Show what is, and what is tried if something is."""
        self._now, self._tried, self._hue = now, tried, hue
        self.setAccessibleName("; ".join(f"{name} {text}" for name, text in self.lines()) or "no answer yet")
        self.updateGeometry()
        self.update()

    def lines(self) -> list[tuple[str, str]]:
        """Give what the lines say, each a name and its figures."""
        now, tried = self._now, self._tried
        if now is None:
            return []
        found: list[tuple[str, str]] = []
        after = tried or now
        if now.own is not None and after.own is not None:
            work = work_text(now.own.worked_mhz, after.own.worked_mhz)
            found.append(("its own work", work if tried else f"{now.own.worked_mhz / 1000:.2f} GHz"))
            found.append(("its own waits, 95th", shift_text(now.own.p95_ms, after.own.p95_ms)))
        name = "its neighbours'" if now.own is not None else "everybody's"
        found.append((f"{name} waits, 95th", shift_text(now.neighbours.p95_ms, after.neighbours.p95_ms)))
        found.append((f"{name} longest wait", shift_text(now.neighbours.longest_ms, after.neighbours.longest_ms)))
        return found

    def sizeHint(self) -> QSize:
        """Ask for the lines and the histogram."""
        px = self._theme.px
        return QSize(px(200), max(len(self.lines()), 3) * px(_LINE) + px(_HISTOGRAM + _AXIS + 12))

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint it."""
        with painting(self) as painter:
            theme, px, colours = self._theme, self._theme.px, self._theme.colours
            lines, now = self.lines(), self._now
            if now is None:
                painter.setPen(colours.muted)
                theme.face(12).draw(painter, 0, 0, px(_LINE), "working it out\u2026")
                return
            top = 0.0
            for number, (name, text) in enumerate(lines):
                painter.setPen(colours.muted)
                theme.face(12).draw(painter, 0, top, px(_LINE), name)
                painter.setPen(colours.ink)
                theme.face(12, bold=True).draw_right(painter, self.width() - px(2), top, px(_LINE), text)
                if number == 0 and self._tried is not None and now.own is not None and self._tried.own is not None:
                    self._paint_work(painter, top, now.own.worked_mhz, self._tried.own.worked_mhz)
                top += px(_LINE)
            self._paint_histogram(painter, QRectF(0, top + px(4), self.width() - px(2), px(_HISTOGRAM)))

    def _paint_work(self, painter: QPainter, top: float, before: float, after: float) -> None:
        """Paint the work that is done as a bar against its old outline."""
        theme, px = self._theme, self._theme.px
        left, right = px(_FIGURE), self.width() - px(64)
        most = max(before, after, 1e-9)
        if right - left < px(30):
            return
        high, wide = px(9), right - left
        painter.fillRect(QRectF(left, top + 6, wide * after / most, high), theme.bar_colours(self._hue).solid)
        painter.setPen(QPen(theme.colours.ink, 1, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(left, top + 5.5, wide * before / most, high + 1))

    def _paint_histogram(self, painter: QPainter, place: QRectF) -> None:
        theme, px, colours = self._theme, self._theme.px, self._theme.colours
        now, tried = self._now, self._tried
        assert now is not None
        shown = tried or now
        histogram.paint_foot(painter, place, colours.line)
        histogram.paint_bars(painter, place, histogram.counts_of(shown.neighbours_waits), colours.aside)
        if tried is not None:
            histogram.paint_outline(painter, place, histogram.counts_of(now.neighbours_waits), colours.ink)
        histogram.paint_tick(painter, place, shown.neighbours.longest_ms, colours.ink)
        face = theme.face(11)
        painter.setPen(colours.muted)
        for ms in (1, 4, 16, 64):
            text = f"{ms}" if ms < 64 else "64 ms"
            x = histogram.x_of(ms, place) - face.width(f"{ms}") / 2
            face.draw(painter, min(x, place.right() - face.width(text)), place.bottom() + 1, px(_AXIS), text)
