"""The sheet at the right edge of the window: one page at a time, with a title and a way to close it."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme

_WIDTH: Final = 348
_ROOMY: Final = 392
_WIDE: Final = 610


class Page(QWidget):
    """A page of the sheet.

    Signals
    -------
    titled(text)
        The title of the page is another one.
    left()
        What it was opened for is done or dropped: the sheet is to be closed.
    """

    titled = pyqtSignal(str)
    left = pyqtSignal()
    wide = roomy = False
    """Whether it needs more room than a form, as a table does, or a little more, as sentences do."""

    @property
    def title(self) -> str:
        """What stands at the head of the sheet."""
        return ""

    def enter(self) -> None:
        """Show what is current; called when the page comes up."""

    def forget(self) -> None:
        """Let go of what was read or worked out for the plan that closes."""

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""


class SideSheet(QFrame):
    """Shows a page beside the rows.

    Attributes
    ----------
    page
        The page that shows, None while the sheet is closed.
    close_button
        Closes the sheet.

    Signals
    -------
    closed()
        The sheet was closed by the person.
    page_changed()
        Another page shows, or none.
    """

    closed = pyqtSignal()
    page_changed = pyqtSignal()

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self.page: Page | None = None
        self._title = QLabel(self)
        self._title.setTextFormat(Qt.TextFormat.PlainText)
        self.close_button = QPushButton("×", self)
        self.close_button.setAccessibleName("Close the sheet")
        self.close_button.setToolTip("Close the sheet (Esc)")
        set_role(self.close_button, "flat")
        self.close_button.clicked.connect(self.close_sheet)
        self._scroll = QScrollArea(self)
        self._scroll.setWidgetResizable(True)
        self._scroll.setFrameShape(QFrame.Shape.NoFrame)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        head = QHBoxLayout()
        head.addWidget(self._title, 1)
        head.addWidget(self.close_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 8, 8, 8)
        column.setSpacing(8)
        column.addLayout(head)
        column.addWidget(self._scroll, 1)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()
        self.hide()

    def open(self, page: Page) -> None:
        """Show a page."""
        if self.page is not page:
            # A field of the page that goes is finished as it loses the keyboard, and what that does may open a page in
            # between. It is put away as well: the scroll area deletes what it holds when it is given another.
            while (old := self._scroll.takeWidget()) is not None:
                old.setParent(self)
                old.hide()
            if self.page is not None:
                self.page.titled.disconnect(self._title.setText)
            self.page = page
            page.titled.connect(self._title.setText)
            self._scroll.setWidget(page)
            self._fit()
            self.to_top()
        page.show()
        page.style_anew()
        page.enter()
        self._title.setText(page.title)
        self.setAccessibleName(page.title)
        self.show()
        self.page_changed.emit()

    def _fit(self) -> None:
        page = self.page
        wide = _WIDTH if page is None else _WIDE if page.wide else _ROOMY if page.roomy else _WIDTH
        self.setFixedWidth(self._theme.px(wide))

    def to_top(self) -> None:
        """Show the page from its beginning: it is about something else now."""
        bar = self._scroll.verticalScrollBar()
        if bar is not None:
            bar.setValue(0)

    def forget(self) -> None:
        """Close the sheet, as what it shows is of a plan that closes."""
        if self.page is not None:
            self.page.forget()
        if not self.isHidden():
            self.close_sheet()

    def close_sheet(self) -> None:
        """Close the sheet."""
        self.hide()
        self.page_changed.emit()
        self.closed.emit()

    def shows(self, page: Page) -> bool:
        """Tell whether a page shows."""
        return not self.isHidden() and self.page is page

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Close with Esc."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.close_sheet()
        elif event is not None:
            super().keyPressEvent(event)

    def _on_theme_changed(self) -> None:
        theme = self._theme
        self._fit()
        self._title.setFont(theme.font(15, bold=True))
        self.close_button.setFixedSize(theme.size(28, 24))
        self.close_button.setFont(theme.font(15))
        if self.page is not None:
            self.page.style_anew()
