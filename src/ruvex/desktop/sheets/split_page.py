"""Splitting what can be promised among pools by percentages."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ruvex.advise import amount_to_split, split_among
from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.letting_go import let_go
from ruvex.desktop.kit.setting_field import SettingField
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, figure_with_unit, parse_plain
from ruvex.desktop.state.steps import Step, settings_step
from ruvex.plan import RESOURCES, EditError, Pool, UnitError

_KINDS: Final = (("reservation", "as reservation"), ("limit", "as limit"), ("shares", "as shares"))


class SplitPage(Page):
    """Percentages for the pools that lie side by side, with their sum.

    Attributes
    ----------
    parts
        The percentage of each pool by id.
    kind
        What the parts become.
    resources
        Which resources are split.
    sum_label, apply_button
        What the parts come to; makes them.
    """

    def __init__(self, desk: Desk, theme: Theme) -> None:
        super().__init__()
        self._desk, self._theme = desk, theme
        self._hint = QLabel(
            "Give what can be promised to pools that lie side by side: after what is set aside, the overhead of all"
            " guests, and what others there claim.", self,
        )  # fmt: skip
        self._hint.setWordWrap(True)
        set_role(self._hint, "muted")
        self.told = QLabel(self)
        self.told.setWordWrap(True)
        self.kind = Chooser(self)
        self.kind.setAccessibleName("What the parts become")
        for value, text in _KINDS:
            self.kind.addItem(text, value)
        self.resources = {name: QCheckBox(NAME[name], self) for name in RESOURCES}
        self.parts: dict[str, SettingField] = {}
        self._parts_box = QWidget(self)
        self._parts_column = QVBoxLayout(self._parts_box)
        self._parts_column.setContentsMargins(0, 0, 0, 0)
        self.sum_label = QLabel(self)
        self.sum_label.setWordWrap(True)
        self.apply_button = QPushButton("Split", self)
        self.apply_button.clicked.connect(self._on_apply)
        self.kind.currentIndexChanged.connect(lambda _index: self._show_sum())
        choices = QHBoxLayout()
        choices.addWidget(self.kind, 1)
        for box in self.resources.values():
            box.setChecked(True)
            box.clicked.connect(lambda _checked: self._show_sum())
            choices.addWidget(box)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(8)
        for widget in (self._hint, self.told):
            column.addWidget(widget)
        column.addLayout(choices)
        column.addWidget(self._parts_box)
        column.addWidget(self.sum_label)
        column.addWidget(self.apply_button)
        column.addStretch(1)
        desk.selection.changed.connect(self._on_changed)
        desk.look.changed.connect(self._on_changed)

    @property
    def title(self) -> str:
        """Name the page."""
        return "Split among pools"

    def pools(self) -> list[Pool]:
        """Give the pools to be split among: those selected, or the one selected and its peers, or those at the top."""
        plan, selection = self._desk.document.plan, self._desk.selection.ids
        chosen = [pool for pool in plan.pools if pool.id in selection]
        if len(chosen) > 1:
            return chosen
        parent = chosen[0].parent if chosen else None
        return [pool for pool in plan.pools if pool.parent == parent]

    def _on_changed(self) -> None:
        if self.isVisible() and self._desk.look.before is None:
            self.enter()

    def enter(self) -> None:
        """Show the pools and what there is to split."""
        pools = self.pools()
        if list(self.parts) != [pool.id for pool in pools]:
            self._make_parts(pools)
        try:
            amounts = {name: amount_to_split(self._desk.document.claims, list(self.parts), name) for name in RESOURCES}
        except EditError as error:
            self.told.setText(str(error) if pools else "Add a pool first: Ctrl+Shift+N.")
            self.apply_button.setEnabled(False)
            self.sum_label.setText("")
            return
        told = [
            f"{NAME[name]} {figure_with_unit(amount, self._desk.units.common(name))}"
            for name, amount in amounts.items()
        ]
        self.told.setText(f"To split: {', '.join(told)}")
        self._show_sum()

    def _make_parts(self, pools: list[Pool]) -> None:
        for field in self.parts.values():
            let_go(field, self._parts_column)
        self.parts = {}
        even, left = round(100 / len(pools)) if pools else 0, 100
        for number, pool in enumerate(pools):
            part = left if number == len(pools) - 1 else even
            left -= part
            field = SettingField(pool.id, pool.label, self._theme, width=70, beside=True)
            field.show_value(f"{part} %")
            field.line.textEdited.connect(lambda _text: self._show_sum())
            field.typed.connect(lambda _key, _text: self._show_sum())
            self.parts[pool.id] = field
            self._parts_column.addWidget(field)

    def _percents(self) -> dict[str, float]:
        return {pool: parse_plain(field.line.text().replace("%", "")) for pool, field in self.parts.items()}

    def _step(self) -> Step:
        percents, changes = self._percents(), []
        for name, box in self.resources.items():
            if box.isChecked():
                changes += split_among(self._desk.document.claims, percents, name, self.kind.currentData())
        merged: dict[str, dict[str, Any]] = {}
        for pool, change in changes:
            merged.setdefault(pool, {}).update(change)
        parts = " / ".join(f"{percent:g}" for percent in percents.values())
        return settings_step(f"split {parts} {self.kind.currentText()}", list(merged.items()))

    def _show_sum(self) -> None:
        try:
            percents = self._percents()
            step = self._step()
            # A part may be more than a pool's own limit, or less than its reservation: that is refused in words.
            after = {pool.id: pool for pool in step.edit(self._desk.document.plan).pools} if step.changed else {}
        except (UnitError, EditError) as error:
            self.sum_label.setText(str(error))
            self.apply_button.setEnabled(False)
            return
        lines = [f"Sum: {sum(percents.values()):g} %"]
        for pool in percents:
            if pool in after:
                lines.append(f"{after[pool].label}: {self._part_text(after[pool])}")
        self.sum_label.setText("\n".join(lines))
        self.apply_button.setEnabled(bool(step.changed))

    def _part_text(self, pool: Pool) -> str:
        kind, told = self.kind.currentData(), []
        for name, box in self.resources.items():
            if box.isChecked():
                value = getattr(pool.of(name), kind)
                unit = self._desk.units.common(name)
                told.append(f"{value:g} shares" if kind == "shares" else figure_with_unit(value, unit))
        return ", ".join(told)

    def _on_apply(self) -> None:
        texts: Mapping[str, str] = {pool: field.line.text() for pool, field in self.parts.items()}
        try:
            self._desk.trial.make(self._step())
        except (UnitError, EditError) as error:
            self._desk.trial.not_accepted.emit(str(error))
        for pool, text in texts.items():
            if pool in self.parts:
                self.parts[pool].line.setText(text)

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        theme = self._theme
        for label in (self._hint, self.told, self.sum_label):
            label.setFont(theme.font(12))
        for widget in (self.kind, self.apply_button, *self.resources.values()):
            widget.setFont(theme.font(12.5))
        for field in self.parts.values():
            field.style_anew()
