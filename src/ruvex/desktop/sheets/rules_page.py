"""Rules of this site: how its hypervisor divides, each rule with a sentence and what it changes right now."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

import numpy as np
from pydantic import BaseModel
from PyQt6.QtCore import QSize
from PyQt6.QtGui import QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QLabel, QSizePolicy, QWidget

from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.form import Form
from ruvex.desktop.sheets.item_page import ItemPage
from ruvex.desktop.sheets.rules_fields import SECTIONS, SHARING
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.editing import Editor
from ruvex.desktop.state.figures import figure_with_unit
from ruvex.divide import Division
from ruvex.ledger import LookFigures
from ruvex.plan import RESOURCE_KINDS, RESOURCES, get_setting

_LINE: Final = 18


class BeforeAfter(QWidget):
    """A few figures of the whole plan, before and after the rule that is being changed.

    Attributes
    ----------
    lines
        What each figure is, and its two values.
    """

    is_chart = True

    def __init__(self, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._theme = theme
        self.lines: list[tuple[str, str, str]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_lines(self, lines: Sequence[tuple[str, str, str]]) -> None:
        """Show figures."""
        self.lines = list(lines)
        self.setAccessibleName("; ".join(f"{name}: {a} before, {b} after" for name, a, b in lines))
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        """Ask for a line each, and one above."""
        return QSize(200, self._theme.px(_LINE) * (len(self.lines) + 1) + self._theme.px(8))

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the table; what differs stands out."""
        with painting(self) as painter:
            theme = self._theme
            painter.fillRect(self.rect(), theme.colours.band_row)
            high, right = theme.px(_LINE), self.width() - theme.px(8)
            middle = right - theme.px(78)
            top = theme.px(4)
            painter.setPen(theme.colours.muted)
            for x, text in ((middle, "before"), (right, "after")):
                theme.face(11).draw_right(painter, x, top, high, text)
            for number, (name, before, after) in enumerate(self.lines, start=1):
                differs = before != after
                y = top + number * high
                painter.setPen(theme.colours.ink if differs else theme.colours.muted)
                theme.face(12).draw(painter, theme.px(8), y, high, name)
                theme.face(12).draw_right(painter, middle, y, high, before)
                theme.face(12, bold=differs).draw_right(painter, right, y, high, after)


class RulesPage(ItemPage):
    """The rules of the plan.

    Attributes
    ----------
    before_after
        What the last change of a rule did to the whole plan.
    """

    def __init__(self, desk: Desk, editor: Editor, theme: Theme) -> None:
        super().__init__(desk, editor, theme)
        self._compared: Division = desk.look.division
        self.before_after = BeforeAfter(theme, self)
        self._column.addWidget(self.before_after)
        self._heads: list[QLabel] = []
        for title, fields in SECTIONS:
            head = QLabel(title, self)
            self._heads.append(head)
            self._column.addWidget(head)
            form = self.add_form(fields)
            for key, chooser in form.choosers.items():
                chooser.highlighted.connect(lambda index, c=chooser, key=key: self._try(key, c.itemData(index)))
        self._column.addStretch(1)
        desk.trial.effect_changed.connect(self._on_effect)

    @property
    def title(self) -> str:
        """Name the page."""
        return "Rules of this site"

    def item(self) -> BaseModel | None:
        """Give the rules, common pages as one line of text."""
        rules = self._desk.look.plan.rules
        text = ", ".join(f"{image} {mib:.12g}" for image, mib in rules.page_sharing.items())
        return rules.model_copy(update={"page_sharing": text})

    def target(self) -> str:
        """Give the name by which edits address the rules."""
        return "rules"

    def label(self) -> str:
        """Give what the list of what can be undone calls the rules."""
        return "rules"

    def showEvent(self, event: QShowEvent | None) -> None:
        """Compare with the plan as it is from now on."""
        super().showEvent(event)
        self._compared = self._desk.look.division
        self._show_figures(self._compared, self._compared)

    def enter(self) -> None:
        """Show the rules."""
        super().enter()
        self._show_figures(self._compared, self._desk.look.division)

    def _enter(self, form: Form, key: str, value: Any) -> None:
        self._desk.trial.give_up()
        self._compared = self._desk.look.division
        if key == SHARING.key:
            value = self._read_sharing(form, str(value))
            if value is None:
                return
        elif value == get_setting(self._desk.document.plan.rules, key):
            self.enter()
            return
        super()._enter(form, key, value)

    def _read_sharing(self, form: Form, text: str) -> dict[str, float] | None:
        found: dict[str, float] = {}
        for part in filter(None, (part.strip() for part in text.split(","))):
            image, _, mib = part.rpartition(" ")
            try:
                found[image.strip()] = float(mib)
            except ValueError:
                image = ""
            if not image:
                reason = f"{part!r} is not an image and its MiB; write it such as: web 900"
                form.refuse(SHARING.key, reason)
                self._desk.trial.misread(reason)
                return None
        return found

    def _step_text(self, form: Form, key: str, value: Any) -> str:
        if key == SHARING.key:
            return f"rules: {SHARING.name} changed"
        return f"rules: {form.field(key).name} → {form.written(key, value)}"

    def _try(self, key: str, value: Any) -> None:
        if key != SHARING.key:
            super()._try(key, value)

    def _on_effect(self) -> None:
        if self.isVisible():
            before = self._desk.look.before
            if before is not None:
                self._show_figures(before, self._desk.look.division)
            elif self._desk.trial.effect is None:
                self._compared = self._desk.look.division
                self._show_figures(self._compared, self._desk.look.division)

    def _show_figures(self, before: Division, after: Division) -> None:
        units = self._desk.units
        lines = []
        for name in RESOURCES:
            unit, word = units.common(name), RESOURCE_KINDS[name].word
            both = [LookFigures(division) for division in (before, after)]
            lines.append((f"guests short of {word}", *(str(look.how_many_short(name)) for look in both)))
            lacking = [figure_with_unit(look.lacks(name).total, unit) for look in both]
            lines.append((f"{word} lacking", *lacking))
            free = [figure_with_unit(look.division.of(name).free, unit) for look in both]
            lines.append((f"{word} free to promise", *free))
        paces = [
            f"{float(np.nanmin(d.layers.pace)):.2f}" if np.any(~np.isnan(d.layers.pace)) else "–"
            for d in (before, after)
        ]
        lines.append(("slowest pace", *paces))
        self.before_after.show_lines([(name, a, b) for name, a, b in lines])

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        super().style_anew()
        for head in self._heads:
            head.setFont(self._theme.font(13, bold=True))
        self.before_after.updateGeometry()
