"""The line that says what a change does: who gains and who pays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.advise import day_text
from ruvex.desktop.kit.legend import paint_legend
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, figure
from ruvex.desktop.state.trial import Effect
from ruvex.desktop.state.units import Unit, Units
from ruvex.divide import Shifts
from ruvex.plan import Plan

_HINT: Final = "Drag, type with a unit, or choose shares."
_MOST_NAMED: Final = 3
_DAY_PART: Final = 0.42
"""Of the width, at most, for what a change does over the day."""
_ELIDE: Final = Qt.TextElideMode.ElideRight


def _side(shifts: Shifts, effect: Effect, plan: Plan, unit: Unit) -> str:
    named = []
    for row, amount in zip(shifts.rows[:_MOST_NAMED].tolist(), shifts.amounts.tolist(), strict=False):
        guest = plan.guests[plan.guest_index[effect.ids[row]]]
        named.append(f"{guest.label} {figure(amount, unit, signed=True)}")
    others = shifts.amounts[_MOST_NAMED:]
    if others.size:
        named.append(f"{others.size} more {figure(float(others.sum()), unit, signed=True)}")
    return ", ".join(named)


def effect_text(effect: Effect, plan: Plan, units: Units) -> str:
    """Say in one line what was changed, who gains and who pays at this moment."""
    parts = [effect.text, effect.in_passing]
    for resource, shifts in effect.shifts.items():
        gains, losses, unit = shifts.gains, shifts.losses, units.common(resource)
        gaining, paying = (_side(side, effect, plan, unit) for side in (gains, losses))
        if gaining and paying:
            told = f"{gaining}   paid by {paying}"
        else:
            told = f"{gaining}, which nobody pays" if gaining else f"{paying}, which nobody gains"
        parts.append(f"{NAME[resource]} in {unit.name}: {told}")
    if not effect.shifts:
        parts.append("nobody gets more or less by it at this moment")
    return "   ·   ".join(part for part in parts if part)


class EffectLine(QWidget):
    """Shows the effect of the last change, or why one was not accepted.

    Attributes
    ----------
    text
        What is shown.
    day
        What the change does over the whole day, while that is known.
    """

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self._refusal, self._is_fresh = "", False
        self.text, self.day = _HINT, ""
        self._legend: Sequence[str] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        desk.trial.effect_changed.connect(self._on_effect_changed)
        # Why the last value was not accepted stays until something else is tried: a day that was played since is not.
        desk.trial.day_followed.connect(self._show)
        desk.trial.not_accepted.connect(self._on_not_accepted)
        desk.look.rows_changed.connect(self._on_effect_changed)
        desk.units.changed.connect(self._show)
        desk.selection.changed.connect(self._on_selected)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def set_legend(self, names: Sequence[str]) -> None:
        """Show what these mean while there is nothing else to tell."""
        self._legend = tuple(names)
        self.update()

    def _on_not_accepted(self, text: str) -> None:
        refusal = f"Not accepted: {text}" if text else ""
        if refusal != self._refusal:
            self._refusal = refusal
            self._show()

    def _on_effect_changed(self) -> None:
        self._refusal = ""
        # What a change selects by itself, such as a new guest, is not something else that is looked at.
        self._is_fresh = True
        QTimer.singleShot(0, self._age)
        self._show()

    def _on_selected(self) -> None:
        """Forget what the last change did once something else is looked at: it was told of another row."""
        if self._desk.trial.step is None and not self._is_fresh:
            self._desk.trial.clear_effect()

    def _age(self) -> None:
        self._is_fresh = False

    def _on_theme_changed(self) -> None:
        self.setFixedHeight(self._theme.px(24))
        self.update()

    def _show(self) -> None:
        effect, self.day = self._desk.trial.effect, ""
        if self._refusal:
            self.text = self._refusal
        elif effect is not None and effect.ids is self._desk.look.division.ids:
            self.text = effect_text(effect, self._desk.look.plan, self._desk.units)
            told = "" if effect.day is None else day_text(effect.day, self._desk.look.plan)
            self.day = f"over the day: {told}" if told else ""
        else:
            self.text = _HINT
        told = "   ·   ".join(part for part in (self.text, self.day) if part)
        self.setToolTip("" if self.text == _HINT else told.replace("   ·   ", "\n"))
        self.setAccessibleName(told)
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the line; what does not fit is in the tool tip."""
        with painting(self) as painter:
            theme, colours = self._theme, self._theme.colours
            painter.fillRect(self.rect(), colours.band_row)
            is_hint = self.text == _HINT
            face = theme.face(12, bold=bool(self._refusal))
            painter.setPen(colours.muted if is_hint else colours.ink)
            room = paint_legend(painter, theme, self.rect(), self._legend) if is_hint else 16
            end = round(self.width() - room)
            if self.day:
                # The day has the right end of the line to itself, so that neither hides the other.
                left = end - min(round(face.metrics.horizontalAdvance(self.day)), round(self.width() * _DAY_PART))
                face.draw(painter, left, 0, self.height(), face.metrics.elidedText(self.day, _ELIDE, end - left))
                painter.fillRect(left - 12, 5, 1, self.height() - 10, colours.line)
                end = left - 24
            face.draw(painter, 16, 0, self.height(), face.metrics.elidedText(self.text, _ELIDE, end - 16))
