"""The line that says what a change does: who gains and who pays."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ruvex.desktop.session import Effect, Session
from ruvex.desktop.theme import Theme
from ruvex.desktop.widgets.figures import NAME, UNIT, figure
from ruvex.desktop.widgets.legend import paint_legend
from ruvex.divide import Shift
from ruvex.plan import Plan

_HINT: Final = "Drag a handle, type a value with its unit, or choose shares."
_MOST_NAMED: Final = 3


def _side(shifts: Sequence[Shift], plan: Plan, resource: str) -> str:
    named = [
        f"{plan.guests[plan.guest_index[s.guest_id]].label} {figure(s.amount, resource, signed=True)}"
        for s in shifts[:_MOST_NAMED]
    ]
    rest = shifts[_MOST_NAMED:]
    if rest:
        total = figure(sum(s.amount for s in rest), resource, signed=True)
        named.append(f"{len(rest)} more {total}")
    return ", ".join(named)


def effect_text(effect: Effect, plan: Plan) -> str:
    """Say in one line what was changed, who gains and who pays."""
    parts = [effect.text]
    for resource, shifts in effect.shifts.items():
        gains = [s for s in shifts if s.amount > 0]
        losses = [s for s in shifts if s.amount < 0]
        name, unit = NAME[resource], UNIT[resource]
        moved = figure(max(sum(s.amount for s in gains), -sum(s.amount for s in losses)), resource)
        if gains and losses:
            told = f"{_side(gains, plan, resource)}   paid by {_side(losses, plan, resource)}"
        elif gains:
            told = f"nobody pays: {_side(gains, plan, resource)}"
        else:
            told = f"nobody gains: {_side(losses, plan, resource)}"
        parts.append(f"{name} {moved} {unit} moves: {told}")
    if not effect.shifts:
        parts.append("nobody gets more or less by it at this moment")
    return "   ·   ".join(part for part in parts if part)


class EffectLine(QWidget):
    """Shows the effect of the last change, or why one was not accepted.

    Attributes
    ----------
    text
        What is shown.
    """

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._theme = session, theme
        self._refusal = ""
        self.text = _HINT
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        session.effect_changed.connect(self._on_effect_changed)
        session.replaced.connect(self._on_effect_changed)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def refuse(self, text: str) -> None:
        """Say why a value was not accepted."""
        self._refusal = f"Not accepted: {text}"
        self._show()

    def clear_refusal(self) -> None:
        """Forget the refusal."""
        if self._refusal:
            self._refusal = ""
            self._show()

    def _on_effect_changed(self) -> None:
        self._refusal = ""
        self._show()

    def _on_theme_changed(self) -> None:
        self.setFixedHeight(self._theme.px(24))
        self.update()

    def _show(self) -> None:
        effect = self._session.effect
        if self._refusal:
            self.text = self._refusal
        elif effect is not None:
            self.text = effect_text(effect, self._session.plan)
        else:
            self.text = _HINT
        self.setToolTip("" if self.text == _HINT else self.text.replace("   ·   ", "\n"))
        self.setAccessibleName(self.text)
        self.update()

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the line; what does not fit is in the tool tip."""
        painter = QPainter(self)
        theme, colours = self._theme, self._theme.colours
        painter.fillRect(self.rect(), colours.band_row)
        is_hint = self.text == _HINT
        face = theme.face(12, bold=bool(self._refusal))
        painter.setPen(colours.muted if is_hint else colours.ink)
        room = paint_legend(painter, theme, self.rect()) if is_hint else 16
        text = face.metrics.elidedText(self.text, Qt.TextElideMode.ElideRight, self.width() - 16 - room)
        face.draw(painter, 16, 0, self.height(), text)
        painter.end()
