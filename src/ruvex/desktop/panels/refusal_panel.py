"""What was not accepted because promises do not allow it: why, who holds them, and what would make it pass."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ruvex.advise import Remedy, nearest_value, remedies_for
from ruvex.desktop.kit.letting_go import let_go
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.panels.offer_button import OfferButton
from ruvex.desktop.panels.setting_text import setting_edit_text
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.steps import PromiseRefusedError, settings_step
from ruvex.words import chain_lines, holders_text

_SUBJECT: Final = "remedies"
_Answer = tuple[float | None, list[Remedy]]


class RefusalPanel(QFrame):
    """Shows the refused step of the open plan until it is answered.

    Attributes
    ----------
    offers
        What would make it pass, each applied by one click.
    close_button
        Leaves the plan as it is.
    """

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self._head, self._chain = QLabel(self), QLabel(self)
        for label in (self._head, self._chain):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setWordWrap(True)
            label.setAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop)
        self._asking = QLabel("Looking for what would make it pass…", self)
        self.offers: list[OfferButton] = []
        self.close_button = QPushButton("Leave it", self)
        self.close_button.setToolTip("Leave the plan as it is (Esc)")
        self.close_button.clicked.connect(desk.trial.dismiss_refusal)
        left = QVBoxLayout()
        left.setSpacing(2)
        left.addWidget(self._head)
        left.addWidget(self._chain)
        left.addStretch(1)
        self._right = QVBoxLayout()
        self._right.setSpacing(3)
        self._right.addWidget(self._asking)
        self._right.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 8, 12, 8)
        row.setSpacing(20)
        row.addLayout(left, 5)
        row.addLayout(self._right, 6)
        row.addWidget(self.close_button, 0, Qt.AlignmentFlag.AlignTop)
        desk.trial.refused_changed.connect(self._on_refused_changed)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()
        self.hide()

    @property
    def text(self) -> str:
        """What is told, empty when hidden."""
        return "" if self.isHidden() else f"{self._head.text()}\n{self._chain.text()}"

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Leave it with Esc."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self._desk.trial.dismiss_refusal()
        elif event is not None:
            super().keyPressEvent(event)

    def _on_refused_changed(self) -> None:
        refused = self._desk.trial.refused
        self._show_offers([])
        if refused is None:
            self._desk.background.drop(_SUBJECT)
            self.hide()
            return
        plan, refusal = refused.plan, refused.refusal
        self._head.setText(f"Not accepted: {refused.step.text}. {refused}.")
        lines = ["Tried, upwards:", *(f"   {line}" for line in chain_lines(plan, refusal))]
        if refusal.holders:
            lines.append(f"Held by {holders_text(plan, refusal)}")
        self._chain.setText("\n".join(lines))
        self.setAccessibleName(f"{self._head.text()} {' '.join(lines)}")
        self._asking.setText("Looking for what would make it pass…")
        self._asking.show()
        self.show()
        self._ask(refused)
        self.close_button.setFocus()

    def _ask(self, refused: PromiseRefusedError) -> None:
        site, step = self._desk.document.site, refused.step

        def work() -> _Answer:
            nearest = None if step.setting is None else nearest_value(site, *step.setting)
            return nearest, remedies_for(site, step.edit, step.changed, booting=step.booting)

        def show(answer: _Answer | None, problem: Exception | None) -> None:
            if problem is not None:
                raise problem
            if answer is not None and refused is self._desk.trial.refused:
                self._show_answer(refused, *answer)

        self._desk.background.run(_SUBJECT, work, show)

    def _show_answer(self, refused: PromiseRefusedError, nearest: float | None, remedies: list[Remedy]) -> None:
        step, offers = refused.step, []
        if nearest is not None and step.setting is not None:
            target, key, _ = step.setting
            if key.partition(".")[0] in ("cpu", "memory"):
                text = setting_edit_text(self._desk, [target], key, nearest)
            else:
                text = f"{key.replace('_', ' ').replace('.', ' of ')} → {nearest:g}"
            near = settings_step(text, [(target, {key: nearest})])
            offers.append(OfferButton(self._desk, self._theme, near, f"the nearest that passes: {text}", "", self))
        for remedy in remedies:
            after = step.after(remedy)
            text = f"{remedy.text[0].upper()}{remedy.text[1:]}"
            offers.append(OfferButton(self._desk, self._theme, after, text, "", self))
        self._show_offers(offers)
        self._asking.setText("It passes with one of these; point at one to see what it does:")
        if not offers:
            self._asking.setText("No single change would make it pass: lower several promises, or add supply.")

    def _show_offers(self, offers: list[OfferButton]) -> None:
        for offer in self.offers:
            let_go(offer, self._right)
        self.offers = offers
        for place, offer in enumerate(offers):
            self._right.insertWidget(1 + place, offer)

    def _on_theme_changed(self) -> None:
        theme = self._theme
        self._head.setFont(theme.font(13, bold=True))
        for widget in (self._chain, self._asking, self.close_button):
            widget.setFont(theme.font(12))
