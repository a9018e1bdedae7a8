"""One question of the Room view: what is asked at the left, hosts or a curve beside it, what follows at the right."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme, blend
from ruvex.desktop.views.room.columns import LEFT, RIGHT, ROOMY, HostColumns


class SectionCanvas(QWidget):
    """Where a section draws; ``high`` is how high it is, px at the standard text size."""

    is_chart = True

    def __init__(self, theme: Theme, columns: HostColumns | None, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme, self.columns = theme, columns
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        if columns is not None:
            columns.changed.connect(self.update)

    @property
    def high(self) -> float:
        """How high it is, px at the standard text size."""
        return 100.0

    def sizeHint(self) -> QSize:
        """Ask for its height."""
        return QSize(self.theme.px(300), self.theme.px(self.high))

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the columns, and what the section draws on them."""
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            colours = self.theme.colours
            if self.columns is not None:
                for column in self.columns.all:
                    place = QRectF(column.x, 0, column.width, self.height())
                    painter.fillRect(place, blend(colours.band_row, colours.paper, 0.45))
            if self.isEnabled():  # what is of the plan before is not drawn on the columns of this one
                self.draw(painter)

    def draw(self, painter: QPainter) -> None:
        """Draw what the section shows."""

    def words(self, painter: QPainter, x: float, y: float, room: float, text: str, *, bold: bool = False) -> None:
        """Write a line of small text, shortened at its end."""
        face = self.theme.face(11.5, bold=bold)
        painter.setPen(self.theme.colours.ink if bold else self.theme.colours.muted)
        short = face.metrics.elidedText(text, Qt.TextElideMode.ElideRight, room)
        face.draw(painter, x, y, self.theme.px(16), short)


class Section(QWidget):
    """One question.

    Attributes
    ----------
    left, right
        Layouts for what is asked and for what follows.
    head
        The question.
    """

    def __init__(self, theme: Theme, title: str, canvas: SectionCanvas, parent: QWidget) -> None:
        super().__init__(parent)
        self.theme, self.canvas = theme, canvas
        canvas.setParent(self)
        self.head = QLabel(title, self)
        self.head.setWordWrap(True)
        self._sides = QWidget(self), QWidget(self)
        self.left, self.right = QVBoxLayout(self._sides[0]), QVBoxLayout(self._sides[1])
        for side in (self.left, self.right):
            side.setContentsMargins(0, 0, 0, 0)
            side.setSpacing(5)
        self.left.addWidget(self.head)
        self._grid = QGridLayout(self)
        self._grid.setVerticalSpacing(8)
        self._is_narrow: bool | None = None
        self.setAccessibleName(title)
        theme.changed.connect(self._on_theme_changed)

    def finish(self) -> None:
        """Close both sides at their ends, once all is in them."""
        self.left.addStretch(1)
        self.right.addStretch(1)
        self._lay_out(is_narrow=False)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Where there is little room, let what is asked and what follows stand above and below."""
        super().resizeEvent(event)
        is_narrow = self.width() < self.theme.px(ROOMY)
        if is_narrow != self._is_narrow:
            self._lay_out(is_narrow=is_narrow)

    def _lay_out(self, *, is_narrow: bool) -> None:
        self._is_narrow = is_narrow
        px, top = self.theme.px, Qt.AlignmentFlag.AlignTop
        self.head.setFont(self.theme.font(13.5, bold=True))
        for kind in (QComboBox, QPushButton, QLineEdit):
            for widget in self.findChildren(kind):
                widget.setFont(self.theme.font(12))
        for label in self.findChildren(QLabel):
            if label is not self.head:
                label.setFont(self.theme.font(12))
        self._grid.setContentsMargins(px(14), px(10), px(14), px(10))
        self._grid.setHorizontalSpacing(px(18))
        places = ((0, 0), (1, 0), (2, 0)) if is_narrow else ((0, 0), (0, 1), (0, 2))
        for widget, (row, column) in zip((self._sides[0], self.canvas, self._sides[1]), places, strict=True):
            self._grid.removeWidget(widget)
            self._grid.addWidget(widget, row, column, top)
        for widget, wide in zip(self._sides, (LEFT, RIGHT), strict=True):
            widget.setMinimumWidth(0 if is_narrow else px(wide))
            widget.setMaximumWidth(16_777_215 if is_narrow else px(wide))
        self._grid.setColumnStretch(0 if is_narrow else 1, 1)
        self._grid.setColumnStretch(1 if is_narrow else 0, 0)

    def _on_theme_changed(self) -> None:
        self._lay_out(is_narrow=self.width() < self.theme.px(ROOMY))
        self.canvas.updateGeometry()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint a line below."""
        with painting(self) as painter:
            painter.setPen(QPen(self.theme.colours.line, 1))
            painter.drawLine(QPointF(0, self.height() - 0.5), QPointF(self.width(), self.height() - 0.5))


class Spots:
    """Places on a canvas that are told of when pointed at, or do something when clicked: rebuilt at each painting."""

    def __init__(self) -> None:
        self._spots: list[tuple[QRectF, str, str]] = []

    def clear(self) -> None:
        """Forget all."""
        self._spots.clear()

    def add(self, place: QRectF, item: str, told: str) -> None:
        """Add one: what it stands for, and what is told of it."""
        self._spots.append((place, item, told))

    def at(self, event: QMouseEvent | None) -> tuple[str, str] | None:
        """Give what is under the pointer: what it stands for, and what is told."""
        if event is None:
            return None
        for place, item, told in reversed(self._spots):
            if place.contains(event.position()):
                return item, told
        return None

    @property
    def all(self) -> Sequence[tuple[QRectF, str, str]]:
        """All of them."""
        return self._spots
