"""The steps of a figure, one a line: amount, where it lies on the way from nothing to what is wanted, what it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import BarColours, Theme, texture_brush

_LINE: Final = 19
_FIGURES: Final = 70
_BAR: Final = 84
_HIGH: Final = 9
_GAP: Final = 8


@dataclass(frozen=True, slots=True)
class LadderLine:
    """One step.

    Attributes
    ----------
    figure, text
        What it amounts to, and what it is.
    low, high
        Where it lies, MHz or MiB.
    kind
        ``has`` (it has it), ``lacks``, ``sum`` (what has been added up so far), ``told`` (words only).
    """

    figure: str
    text: str
    low: float
    high: float
    kind: str


class LadderLines(QWidget):
    """Draws the steps; texts wrap where they are long.

    Attributes
    ----------
    lines
        What is shown.
    """

    is_chart = True

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self.lines: list[LadderLine] = []
        self._colours: BarColours = theme.bar_colours(None)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_lines(self, lines: list[LadderLine], colours: BarColours) -> None:
        """Show other steps."""
        if lines != self.lines or colours != self._colours:
            high = sum(self._heights())
            self.lines, self._colours = lines, colours
            self.setAccessibleName("; ".join(f"{line.figure} {line.text}".strip() for line in lines))
            self.setToolTip("\n".join(f"{line.figure}  {line.text}" for line in lines))
            if sum(self._heights()) != high:
                self.updateGeometry()
            self.update()

    def _text_x(self) -> int:
        return self._theme.px(_FIGURES + _GAP + _BAR + _GAP)

    def _heights(self) -> list[int]:
        metrics, room = self._theme.metrics(12), self.width() - self._text_x()
        line = self._theme.px(_LINE)
        found = []
        for step in self.lines:
            box = metrics.boundingRect(QRectF(0, 0, max(room, 40), 1000), int(Qt.TextFlag.TextWordWrap), step.text)
            found.append(max(line, round(box.height()) + self._theme.px(4)))
        return found

    def sizeHint(self) -> QSize:
        """Ask for as many lines as the texts take."""
        return QSize(self._theme.px(340), sum(self._heights()) or self._theme.px(_LINE))

    def resizeEvent(self, event: object) -> None:
        """Wrap anew."""
        super().resizeEvent(event)  # type: ignore[arg-type]
        self.updateGeometry()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the steps, sums below a rule."""
        with painting(self) as painter:
            theme, colours = self._theme, self._theme.colours
            whole = max((line.high for line in self.lines), default=0.0) or 1.0
            left, wide = theme.px(_FIGURES + _GAP), theme.px(_BAR)
            y, line_high, high = 0, theme.px(_LINE), theme.px(_HIGH)
            for step, tall in zip(self.lines, self._heights(), strict=True):
                is_sum = step.kind == "sum"
                face = theme.face(12, bold=is_sum)
                painter.setPen(colours.ink)
                if is_sum and y:
                    painter.drawLine(QPointF(theme.px(6), y + 0.5), QPointF(left + wide, y + 0.5))
                face.draw_right(painter, theme.px(_FIGURES), y, line_high, step.figure)
                low, top = left + wide * max(step.low, 0.0) / whole, y + (line_high - high) / 2
                span = QRectF(low, top, max(1.0, wide * (step.high - max(step.low, 0.0)) / whole), high)
                if step.kind == "has":
                    painter.fillRect(span, self._colours.soft)
                    painter.fillRect(QRectF(span.left(), span.bottom() - 2, span.width(), 2), self._colours.solid)
                elif is_sum:
                    painter.fillRect(span, self._colours.solid)
                elif step.kind == "lacks":
                    painter.fillRect(span, texture_brush("missing", self._colours.edge, self.devicePixelRatioF()))
                    painter.setPen(QPen(self._colours.edge, 1))
                    painter.setBrush(Qt.BrushStyle.NoBrush)
                    painter.drawRect(span.adjusted(0.5, 0.5, -0.5, -0.5))
                painter.setPen(colours.ink if is_sum else colours.muted)
                painter.setFont(face.font)
                room = QRectF(self._text_x(), y + theme.px(1), self.width() - self._text_x(), tall)
                painter.drawText(room, int(Qt.TextFlag.TextWordWrap), step.text)
                y += tall
