"""A notice inside the window: what went wrong or needs an answer, with its choices beside it."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QWidget

from ruvex.desktop.kit.letting_go import let_go
from ruvex.desktop.kit.theme import Theme

_MOST_LINES = 8
Choice = tuple[str, Callable[[], object]]


class Notice(QFrame):
    """One notice at a time; it never blocks the rest of the window.

    Attributes
    ----------
    text
        What is shown now, empty when hidden.
    """

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme = theme
        self._label = QLabel(self)
        self._label.setWordWrap(True)
        self._label.setTextFormat(Qt.TextFormat.PlainText)
        self._label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self._buttons: list[QPushButton] = []
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(18, 8, 12, 8)
        self._row.addWidget(self._label, 1)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()
        self.hide()

    @property
    def text(self) -> str:
        """What is shown now, empty when hidden."""
        return "" if self.isHidden() else self._label.text()

    @property
    def choices(self) -> list[QPushButton]:
        """The buttons, in order."""
        return list(self._buttons)

    def tell(self, text: str, choices: Sequence[Choice] = ()) -> None:
        """Show a text and its choices; each choice closes the notice first. Without any there is one to close it."""
        lines = text.splitlines()
        if len(lines) > _MOST_LINES:
            lines = [*lines[:_MOST_LINES], f"… and {len(lines) - _MOST_LINES} more"]
        self._label.setText("\n".join(lines))
        for button in self._buttons:
            let_go(button, self._row)
        self._buttons = [self._button(label, run) for label, run in choices or (("Close", lambda: None),)]
        self.setAccessibleName(text)
        self._on_theme_changed()
        self.show()
        self._buttons[0].setFocus()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Take Esc as the last choice: the one that changes nothing."""
        if event is not None and event.key() == Qt.Key.Key_Escape and self._buttons:
            self._buttons[-1].click()
        else:
            super().keyPressEvent(event)

    def go_on_telling(self, before: str, text: str) -> None:
        """Put another text in the place of one that is shown, with the same choices; nothing if another is shown."""
        if self.text == before:
            self._label.setText(text)
            self.setAccessibleName(text)

    def withdraw(self, text: str) -> None:
        """Take a notice back that has been overtaken by what was done meanwhile."""
        if self.text == text:
            self.hide()

    def _button(self, label: str, run: Callable[[], object]) -> QPushButton:
        button = QPushButton(label, self)
        button.setAutoDefault(True)

        def answer() -> None:
            self.hide()
            run()

        button.clicked.connect(answer)
        self._row.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
        return button

    def _on_theme_changed(self) -> None:
        self._label.setFont(self._theme.font())
        for button in self._buttons:
            button.setFont(self._theme.font())
