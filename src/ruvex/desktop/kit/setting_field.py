"""A setting that can be typed: its name, its value with the unit, arrows that step it."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from ruvex.desktop.kit.style import set_look, set_role
from ruvex.desktop.kit.theme import Theme

_LEAST_WIDTH: Final = 44


class _Line(QLineEdit):
    """The line itself; arrows step, Esc gives up."""

    stepped = pyqtSignal(int)
    gave_up = pyqtSignal()
    left = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Step with the arrows, ten steps with Shift; give up with Esc."""
        if event is None:
            return
        size = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        if event.key() == Qt.Key.Key_Up:
            self.stepped.emit(size)
        elif event.key() == Qt.Key.Key_Down:
            self.stepped.emit(-size)
        elif event.key() == Qt.Key.Key_Escape:
            self.gave_up.emit()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Select the value, so that typing replaces it."""
        super().focusInEvent(event)
        self.selectAll()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Tell that the field was left."""
        super().focusOutEvent(event)
        self.left.emit()


class SettingField(QWidget):
    """One typed setting.

    Attributes
    ----------
    key
        The setting's dotted name.
    line
        Where it is typed; its name stands above it, or beside it, or above and longer than the line is.

    Signals
    -------
    typed(key, text)
        A value was entered: by Enter, or by leaving the field with another text in it.
    tried(key, text)
        The text changes under the keys, and is not entered yet.
    stepped(key, steps)
        The arrows ask for so many steps up.
    given_up(key)
        The value was left as it was.
    """

    typed = pyqtSignal(str, str)
    tried = pyqtSignal(str, str)
    given_up = pyqtSignal(str)
    stepped = pyqtSignal(str, int)

    def __init__(
        self, key: str, name: str, theme: Theme, *, width: int = 96, beside: bool = False, long_name: bool = False
    ) -> None:
        super().__init__()
        self.key = key
        self._theme, self._width, self._beside, self._long_name = theme, width, beside, long_name
        self._shown = ""
        self._refused = self._is_entering = False
        self._name = QLabel(name, self)
        self.line = _Line(self)
        self.line.setAccessibleName(name)
        self.line.setMaxLength(40)
        self._name.setBuddy(self.line)
        set_role(self._name, "muted")
        row = QHBoxLayout(self) if beside else QVBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(5 if beside else 1)
        row.addWidget(self._name)
        row.addWidget(self.line)
        if long_name:
            row.setAlignment(self.line, Qt.AlignmentFlag.AlignLeft)
        self.line.returnPressed.connect(self._on_entered)
        self.line.left.connect(self._on_left)
        self.line.textEdited.connect(lambda text: self.tried.emit(self.key, text))
        self.line.stepped.connect(self._on_stepped)
        self.line.gave_up.connect(self._on_gave_up)
        self.style_anew()

    def show_value(self, text: str) -> None:
        """Show the value in force, unless a refused one still stands there or one is being typed."""
        self._shown = text
        if not self._refused and not (self.line.hasFocus() and self.line.isModified()):
            self.line.setText(text)
            self.line.setModified(False)

    def accept(self) -> None:
        """Show the value in force again, whatever stands there."""
        self.line.setText(self._shown)
        self.line.setModified(False)
        if self._refused:
            self._refused = False
            self.style_anew()

    def refuse(self, reason: str) -> None:
        """Keep what was typed and mark it as not accepted."""
        self._refused = True
        self.line.setToolTip(reason)
        self.style_anew()

    @property
    def is_refused(self) -> bool:
        """Whether a value that was not accepted still stands in the field."""
        return self._refused

    def _on_entered(self) -> None:
        # What is shown may be rounded: Enter on it must not round the setting too.
        if self.line.text() != self._shown:
            # An answer may take the focus, which is no second entering.
            self._is_entering = True
            self.typed.emit(self.key, self.line.text())
            self._is_entering = False
        else:
            self.accept()
        self.line.selectAll()

    def _on_left(self) -> None:
        if self._is_entering or self._refused:
            return
        if self.line.isModified() and self.line.text() != self._shown:
            self.typed.emit(self.key, self.line.text())

    def _on_stepped(self, steps: int) -> None:
        self.accept()
        self.stepped.emit(self.key, steps)
        self.line.selectAll()

    def _on_gave_up(self) -> None:
        self.accept()
        self.line.setText(self._shown)
        self.line.selectAll()
        self.given_up.emit(self.key)

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        self._name.setFont(self._theme.font(12))
        self.line.setFont(self._theme.font(12.5))
        self.line.setMaximumWidth(self._theme.px(self._width))
        if self._long_name:
            self.line.setFixedWidth(self._theme.px(self._width))
        elif not self._beside:
            self.setMaximumWidth(self._theme.px(self._width))
        if not self._long_name:
            self.line.setMinimumWidth(self._theme.px(_LEAST_WIDTH))
        self._name.setMinimumWidth(1)
        set_look(self.line, "refused", "true" if self._refused else "false")
        if not self._refused:
            self.line.setToolTip("")
