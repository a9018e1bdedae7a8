"""A field of rows that scrolls: what the butterfly and the lanes have in common."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import QEvent, QPoint, QRect, Qt
from PyQt6.QtGui import QAction, QMoveEvent, QResizeEvent, QShowEvent
from PyQt6.QtWidgets import QAbstractScrollArea, QFrame, QScrollBar, QSizePolicy, QWidget

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.panels.reader_tree import ReaderTree, Story
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.rows import Row, RowList

_LEAST_HEIGHT: Final = 40
_LARGE: Final = 2_000
"""A plan of more guests opens with its pools folded: nobody reads ten thousand rows, and to lay them out takes a third
of a second."""


class RowField(QAbstractScrollArea):
    """Rows of guests, pools and hosts: which show, where each stands, which are folded, and the scrolling.

    Attributes
    ----------
    row_list
        The visible rows.
    folded
        The pools and hosts whose members are hidden.
    reader
        The rows for those who cannot see them; it has the focus.
    """

    reader: ReaderTree
    is_chart = True
    keeps_heads = False
    """Whether the name of a pool stays in sight while its members scroll."""

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self.row_list = RowList()
        self.folded: set[str] = set()
        self._is_fresh = True
        desk.document.closing.connect(self._on_closing)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(_LEAST_HEIGHT)
        self.viewport().setMouseTracking(True)
        self.viewport().setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    # What readers read

    def set_reader(self, name: str, story: Story) -> None:
        """Let readers walk the rows as a tree, which takes the focus and the keys for them.

        It lies unseen under the field, beside it and not in it: of a field that scrolls readers find only what
        scrolls.
        """
        self.reader = ReaderTree(name, story, self.keyPressEvent, self.parentWidget() or self)
        self.reader.focus_moved.connect(self.viewport().update)
        self.setFocusProxy(self.reader)

    def addAction(self, action: QAction) -> None:  # type: ignore[override]
        """Let an action of the rows be run by its keys."""
        super().addAction(action)
        self.reader.addAction(action)

    def event(self, event: QEvent | None) -> bool:
        """Take the reader along to another parent."""
        if event is not None and event.type() == QEvent.Type.ParentChange and hasattr(self, "reader"):
            self.reader.setParent(self.parentWidget())
            self.reader.show()
            self.reader.lower()
        return super().event(event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Keep the reader under the field."""
        super().resizeEvent(event)
        self._place_reader()

    def moveEvent(self, event: QMoveEvent | None) -> None:
        """Keep the reader under the field."""
        super().moveEvent(event)
        self._place_reader()

    def _place_reader(self) -> None:
        if self.reader.parentWidget() is self.parentWidget():
            self.reader.setGeometry(self.geometry())

    def viewport(self) -> QWidget:
        """Give the widget the rows are painted on."""
        viewport = super().viewport()
        assert viewport is not None
        return viewport

    @property
    def bar(self) -> QScrollBar:
        """The upright scroll bar."""
        bar = self.verticalScrollBar()
        assert bar is not None
        return bar

    def lay_out_rows(self) -> None:
        """Find out anew which rows show."""
        raise NotImplementedError

    # Folding

    def fold(self, item_id: str, *, folded: bool) -> None:
        """Hide or show the members of a pool or host."""
        (self.folded.add if folded else self.folded.discard)(item_id)
        self.lay_out_rows()

    def fold_all(self, *, folded: bool) -> None:
        """Hide or show the members of all pools."""
        self.folded = {pool.id for pool in self._desk.look.plan.pools} if folded else set()
        self.lay_out_rows()

    def _on_closing(self) -> None:
        self._is_fresh = True

    def settle_folds(self) -> None:
        """Forget what was folded and is no longer there; fold all pools of a large plan that has been opened."""
        plan = self._desk.look.plan
        if self._is_fresh and len(plan.guests) > _LARGE:
            self.folded = {pool.id for pool in plan.pools}
        # Somebody may ask between the document's new plan and the look's.
        self._is_fresh = self._is_fresh and plan is not self._desk.document.plan
        self.folded &= {item.id for item in (*plan.pools, *plan.hosts)}

    def unfold_around(self, item_id: str) -> bool:
        """Show what a folded pool hides; tells whether anything was folded."""
        division, was = self._desk.look.division, set(self.folded)
        above = division.parents[division.position[item_id]]
        while above is not None:
            self.folded.discard(above)
            above = division.parents[division.position[above]]
        host = division.host_of(division.position[item_id])
        self.folded -= {host}
        return self.folded != was

    # Places

    def set_scroll_range(self, step: int) -> None:
        """Let the rows scroll as far as they go, by so many pixels at a time."""
        self.bar.setSingleStep(step)
        self.bar.setPageStep(self.viewport().height())
        self.bar.setRange(0, max(0, self.row_list.height - self.viewport().height()))

    def place_of(self, number: int) -> QRect:
        """Give where a row stands in the viewport, by its number."""
        top, bottom = self.row_list.tops[number], self.row_list.tops[number + 1]
        return QRect(0, top - self.bar.value(), self.viewport().width(), bottom - top)

    def row_rect(self, item_id: str) -> QRect:
        """Give where a row stands in the viewport; empty if it does not show."""
        number = self.row_list.number_of(item_id)
        return QRect() if number is None else self.place_of(number)

    def number_at(self, y: float) -> int | None:
        """Give the number of the row at a height of the viewport, one that is kept in sight included."""
        kept = self.kept_in_sight() if self.keeps_heads else None
        if kept is not None and 0 <= y <= self.kept_place(kept).bottom():
            return kept
        return self.row_list.at(round(y) + self.bar.value())

    def row_at(self, point: QPoint) -> Row | None:
        """Give the row at a place of the viewport."""
        number = self.number_at(point.y())
        return None if number is None else self.row_list.rows[number]

    def rows_between(self, top: int, bottom: int) -> range:
        """Give the numbers of the rows between two heights of the viewport."""
        return self.row_list.between(top + self.bar.value(), bottom + self.bar.value())

    @property
    def rows_in_sight(self) -> range:
        """The numbers of the rows that show."""
        return self.rows_between(0, self.viewport().height())

    def current_number(self) -> int | None:
        """Give the number of the current row."""
        return self.row_list.number_of(self._desk.selection.row_id)

    def kept_in_sight(self) -> int | None:
        """Give the number of the pool or host whose members show while it has scrolled out itself, None where none has.

        It is the one around the first row that shows below the place where its name is kept.
        """
        rows, tops, offset = self.row_list.rows, self.row_list.tops, self.bar.value()
        first = self.row_list.at(offset + self.bar.singleStep())
        if offset <= 0 or first is None:
            return None
        depth = rows[first].depth
        for number in range(first, -1, -1):
            if rows[number].depth < depth and rows[number].folds:
                return number if tops[number] < offset else None
        return None

    def kept_place(self, number: int) -> QRect:
        """Give where the name of a pool or host is kept in sight: at the top, until the next one pushes it away."""
        rows, tops = self.row_list.rows, self.row_list.tops
        height, depth = tops[number + 1] - tops[number], rows[number].depth
        after = next((i for i in range(number + 1, len(rows)) if rows[i].depth <= depth), len(rows))
        top = min(0, tops[after] - self.bar.value() - height)
        return QRect(0, top, self.viewport().width(), height)

    def bring_into_view(self) -> None:
        """Scroll so far that the current row shows, below the name of its pool that is kept in sight."""
        number = self.current_number()
        if number is not None and self.isVisible():
            head = 2 * self.bar.singleStep() if self.keeps_heads and self.row_list.rows[number].depth else 0
            top, bottom = self.row_list.tops[number] - head, self.row_list.tops[number + 1]
            top = max(top, 0)
            if top < self.bar.value():
                self.bar.setValue(top)
            elif bottom > self.bar.value() + self.viewport().height():
                self.bar.setValue(bottom - self.viewport().height())

    def showEvent(self, event: QShowEvent | None) -> None:
        """Show the current row; before there is a place for the rows, none can be brought into view."""
        super().showEvent(event)
        self.bring_into_view()

    def scroll_at_edge(self, y: float) -> None:
        """Scroll by a row where something is carried close to the upper or lower edge."""
        edge = self.bar.singleStep()
        if y < edge:
            self.bar.setValue(self.bar.value() - edge)
        elif y > self.viewport().height() - edge:
            self.bar.setValue(self.bar.value() + edge)
