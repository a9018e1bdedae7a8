"""A list within the settings of an item, such as the disks of a guest: lines, the settings of one, add and remove."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from pydantic import BaseModel
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ruvex.desktop.kit.plain_list import PlainList
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.form import Field, Form
from ruvex.plan import next_name


class ListSection(QWidget):
    """Shows a list of parts of an item, and tells what it is to be.

    Attributes
    ----------
    lines, form
        A line each, and the settings of the current one.
    add_button, remove_button
        Add one; remove the current one.

    Signals
    -------
    entered(text, parts)
        The list is to be another one, as the plan file writes it; the text says what is changed.
    misread(reason)
        What was entered cannot be understood.
    """

    entered = pyqtSignal(str, object)
    misread = pyqtSignal(str)

    def __init__(
        self, title: str, one: str, fields: Sequence[Field], text: Callable[[Any], str],
        make: Callable[[str], dict[str, Any]], theme: Theme, parent: QWidget,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._one, self._text, self._make, self._theme = one, text, make, theme
        self._parts: tuple[BaseModel, ...] = ()
        self._of, self._shown = "", ("", "")
        self._head = QLabel(title, self)
        self._head.setWordWrap(True)
        self.lines = PlainList(theme, title, self)
        self.add_button, self.remove_button = QPushButton(f"Add a {one}", self), QPushButton("Remove it", self)
        self.form = Form(fields, theme, self)
        self.form.entered.connect(self._on_entered)
        self.form.misread.connect(lambda _key, reason: self.misread.emit(reason))
        self.add_button.clicked.connect(self._on_add)
        self.remove_button.clicked.connect(self._on_remove)
        self.lines.chosen.connect(lambda _key: self._show_one())
        row = QHBoxLayout()
        row.addWidget(self.add_button)
        row.addWidget(self.remove_button)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self._head)
        column.addWidget(self.lines)
        column.addLayout(row)
        column.addWidget(self.form)

    def show_parts(self, of: str, parts: Sequence[BaseModel]) -> None:
        """Show the parts of an item."""
        is_other, self._of, self._parts = of != self._of, of, tuple(parts)
        current = None if is_other else self.lines.current_key
        ids = [self._id(part) for part in parts]
        self.lines.show_lines([(self._id(p), self._text(p)) for p in parts], current if current in ids else None)
        self.lines.setVisible(bool(parts))
        self._show_one()

    @staticmethod
    def _id(part: BaseModel) -> str:
        return str(part.id)  # type: ignore[attr-defined]

    def _current(self) -> int | None:
        return next((i for i, part in enumerate(self._parts) if self._id(part) == self.lines.current_key), None)

    def _show_one(self) -> None:
        at = self._current()
        shown = (self._of, self._id(self._parts[at]) if at is not None else "")
        if shown != self._shown:
            # What was typed for the one before must not be entered for this one when its field is left.
            self._shown = shown
            self.accept()
        self.form.setVisible(at is not None)
        self.remove_button.setVisible(at is not None)
        if at is not None:
            self.form.show_item(self._parts[at])

    def _dumped(self) -> list[dict[str, Any]]:
        return [part.model_dump() for part in self._parts]

    def _on_entered(self, key: str, value: Any) -> None:
        at = self._current()
        if at is not None:
            parts = self._dumped()
            parts[at][key] = value
            name = f"{self._one} {self._id(self._parts[at])}"
            self.entered.emit(f"{name}: {self.form.field(key).name} → {self.form.written(key, value)}", parts)

    def _on_add(self) -> None:
        taken = {self._id(part) for part in self._parts}
        first = f"{self._one.rpartition(' ')[2]}-0"
        name = next_name(self._id(self._parts[-1]) if self._parts else first, taken)
        self.entered.emit(f"new {self._one} {name}", [*self._dumped(), self._make(name)])

    def _on_remove(self) -> None:
        at = self._current()
        if at is not None:
            parts = self._dumped()
            del parts[at]
            self.entered.emit(f"remove {self._one} {self._id(self._parts[at])}", parts)

    def accept(self) -> None:
        """Show what is in force, whatever was typed."""
        for key in self.form.fields:
            self.form.accept(key)

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        self.form.style_anew()
        self.lines.style_anew()
        for widget in (self._head, self.add_button, self.remove_button):
            widget.setFont(self._theme.font(12))
