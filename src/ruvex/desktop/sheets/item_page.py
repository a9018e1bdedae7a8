"""A page with the full settings of one item: a form, its edits, and its refusals."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pydantic import BaseModel
from PyQt6.QtWidgets import QVBoxLayout

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.form import Field, Form
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.editing import Editor
from ruvex.desktop.state.steps import settings_step
from ruvex.plan import EditError


class ItemPage(Page):
    """A page whose forms change settings of one item.

    Attributes
    ----------
    forms
        Its forms; which of them show depends on the item.
    """

    def __init__(self, desk: Desk, editor: Editor, theme: Theme) -> None:
        super().__init__()
        self._desk, self._editor, self._theme = desk, editor, theme
        self.forms: list[Form] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 6, 0)
        self._column.setSpacing(10)
        desk.look.changed.connect(self._on_changed)
        desk.look.rows_changed.connect(self._on_changed)
        desk.trial.refused_changed.connect(self._on_refused_changed)

    def add_form(self, fields: Sequence[Field]) -> Form:
        """Add a form to the page."""
        form = Form(fields, self._theme, self)
        form.entered.connect(lambda key, value: self._enter(form, key, value))
        form.misread.connect(lambda _key, reason: self._desk.trial.misread(reason))
        form.tried.connect(self._try)
        form.given_up.connect(self._desk.trial.give_up)
        self.forms.append(form)
        self._column.addWidget(form)
        return form

    def item(self) -> BaseModel | None:
        """Give what the page shows."""
        raise NotImplementedError

    def items(self) -> Sequence[BaseModel]:
        """Give all items that the page is about, the one on show first."""
        item = self.item()
        return [] if item is None else [item]

    def target(self) -> str:
        """Give the id of what the page shows, or ``rules``."""
        return str(getattr(self.item(), "id", ""))

    def targets(self, _key: str) -> list[str]:
        """Give the ids of all that a setting is entered for, the item on show first."""
        return [self.target()]

    def label(self) -> str:
        """Give what the page calls its item in the list of what can be undone."""
        return str(getattr(self.item(), "label", ""))

    def enter(self) -> None:
        """Show the item."""
        item = self.item()
        if item is not None:
            for form in self.shown_forms(item):
                form.show_items(self.items())
        self.titled.emit(self.title)

    def shown_forms(self, item: BaseModel) -> list[Form]:
        """Give the forms that fit an item, and show only those."""
        return self.forms

    def _on_changed(self) -> None:
        if self.isVisible() and self._desk.look.before is None:
            self.enter()

    def _on_selected(self) -> None:
        # Also while something is tried: fields that show one guest and are entered for another would be worse than a
        # value that is only tried.
        if self.isVisible():
            self.enter()

    def _on_refused_changed(self) -> None:
        if self._desk.trial.refused is None and self.isVisible():
            for form in self.forms:
                for key in form.fields:
                    form.accept(key)

    def _step_text(self, form: Form, key: str, value: Any) -> str:
        field, count = form.field(key), len(self.targets(key))
        label = self.label() if count == 1 else f"{count} selected"
        return f"{label}: {field.name} → {form.written(key, value)}"

    def _try(self, key: str, value: Any) -> None:
        """Show what a value would do; what cannot be is told only when it is entered."""
        form = next(form for form in self.forms if form.has(key))
        try:
            self._desk.trial.try_(
                settings_step(
                    self._step_text(form, key, value), [(target, {key: value}) for target in self.targets(key)]
                )
            )
        except EditError:
            self._desk.trial.give_up()

    def _enter(self, form: Form, key: str, value: Any) -> None:
        text = self._step_text(form, key, value)
        self._desk.trial.give_up()
        if self._editor.change_all(text, self.targets(key), {key: value}):
            form.accept(key)
        else:
            form.refuse(key, "not accepted")
        if self.item() is not None and self._desk.trial.refused is None:
            self.enter()

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        for form in self.forms:
            form.style_anew()
