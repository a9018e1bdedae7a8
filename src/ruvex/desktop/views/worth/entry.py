"""One finding: evidence, sentence, remedy, the same evidence with the remedy, and who gains and pays."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from ruvex.advise import Finding, Shift
from ruvex.desktop.kit.painting import painting
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.kit.wrapped_label import WrappedLabel
from ruvex.desktop.panels.offer_button import OfferButton
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.looking import FoundWorth
from ruvex.desktop.state.steps import Step, settings_step
from ruvex.desktop.views.worth.evidence import Evidence
from ruvex.divide import Division
from ruvex.plan import set_aside
from ruvex.words import amount_text, first_names

GAIN: Final = 210
MARGIN: Final = 14
BETWEEN: Final = 20
_MOST_NAMED: Final = 3


def aside_step(finding: Finding, label: str, reason: str) -> Step:
    """Give the step that sets a finding aside with a reason, or without one brings it back."""
    of = finding.about[0]
    text = f"{label}: {finding.kind.replace('-', ' ')} {'set aside' if reason else 'brought back'}"
    return Step(text, lambda plan: set_aside(plan, finding.kind, of, reason), (of,))


class _Reason(QLineEdit):
    """Where the reason is typed; Esc leaves it."""

    left = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Give up with Esc; no key goes on to the entry, where Enter takes the remedy."""
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.left.emit()
        else:
            super().keyPressEvent(event)
        if event is not None:
            event.accept()


class FindingEntry(QWidget):
    """One finding.

    Attributes
    ----------
    remedy
        The button that takes the remedy, and shows its effect while it is pointed at; None without one.
    aside_button, reason
        Sets it aside; where the reason is typed.

    Signals
    -------
    went(steps)
        The keyboard asks for another entry.
    told(text)
        Something could not be done, and why.
    """

    went = pyqtSignal(int)
    told = pyqtSignal(str)

    def __init__(
        self,
        desk: Desk,
        theme: Theme,
        found: FoundWorth,
        division: Division,
        parent: QWidget,
        *,
        is_narrow: bool = False,
    ) -> None:
        super().__init__(parent)
        self._desk, self._theme, self.found = desk, theme, found
        finding = found.finding
        plan = division.site.plan
        self._labels = plan.labels
        self.about = finding.about[0] if finding.about else ""
        row = division.position.get(self.about)
        top = -1 if row is None else int(division.top_pool[row])
        hue = None if top < 0 else top
        texts = [f"{name} {value}" for name, value in finding.figures]
        most = max((*finding.values, *finding.after), default=0.0)
        curve = finding.curve
        if curve:
            # Both pictures stand on one scale.
            most = max(*curve, finding.line, finding.line_after)
        self.evidence = Evidence(theme, hue, texts, finding.values, most, self, curve=curve, line=finding.line)
        names = (
            [
                name if value > 0 else f"{name}: none"
                for (name, _), value in zip(finding.figures, finding.after, strict=False)
            ]
            if finding.remedy is not None
            else []
        )
        then = curve if finding.remedy is not None else ()
        self.after = Evidence(theme, hue, names, finding.after, most, self, curve=then, line=finding.line_after)
        self._text = WrappedLabel(theme, 12.5, parent=self)
        self._text.set_text(finding.text + ".")
        self._gain = WrappedLabel(theme, 12, muted=True, parent=self)
        self._gain.set_text(self.effect_text)
        self._is_narrow = is_narrow
        if not is_narrow:
            self._gain.setFixedWidth(theme.px(GAIN))
        self.remedy: OfferButton | None = None
        self.aside_button, self.reason = QPushButton("Set aside\u2026", self), _Reason(self)
        self.aside_button.setToolTip("Leave it as it is, and keep in the plan why")
        self.aside_button.clicked.connect(lambda _checked=False: self._ask_reason())
        self.reason.setPlaceholderText("because\u2026 Enter keeps the reason in the plan, Esc leaves it here")
        self.reason.setAccessibleName("Why it is set aside")
        self.reason.returnPressed.connect(self._on_reason)
        self.reason.left.connect(self._leave_reason)
        self.reason.hide()
        self._lay_out(finding)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"{finding.group.replace('-', ' ')}: {finding.text}; {'; '.join(texts)}")

    def _lay_out(self, finding: Finding) -> None:
        theme = self._theme
        buttons = QHBoxLayout()
        buttons.setSpacing(8)
        if finding.remedy is not None:
            label = self._labels.get(self.about, "")
            step = settings_step(f"{label}: {finding.remedy.text}", finding.remedy.changes)
            text = finding.remedy.text[:1].upper() + finding.remedy.text[1:]
            self.remedy = OfferButton(self._desk, theme, step, text, "", self)
            wide = theme.face(12).width(text) + theme.px(30)
            self.remedy.setFixedWidth(min(round(wide), theme.px(330)))
            buttons.addWidget(self.remedy)
        buttons.addWidget(self.aside_button)
        buttons.addWidget(self.reason, 1)
        buttons.addStretch(1)
        self.aside_button.setVisible(bool(finding.about))
        for widget in (self.aside_button, self.reason):
            widget.setFont(theme.font(12))
        middle = QVBoxLayout()
        middle.setSpacing(4)
        middle.addWidget(self._text)
        middle.addLayout(buttons)
        if self._is_narrow:
            middle.addWidget(self._gain)
        middle.addStretch(1)
        line = QHBoxLayout(self)
        line.setContentsMargins(theme.px(MARGIN), theme.px(7), theme.px(MARGIN), theme.px(7))
        line.setSpacing(theme.px(BETWEEN))
        top = Qt.AlignmentFlag.AlignTop
        line.addWidget(self.evidence, 0, top)
        line.addLayout(middle, 1)
        # What only a person can mend has no picture of how it would be; its place stays, so that columns do.
        self.after.setVisible(not self._is_narrow)
        if not self._is_narrow:
            line.addWidget(self.after, 0, top)
            line.addWidget(self._gain, 0, top)

    @property
    def effect_text(self) -> str:
        """Who gains and who pays, the largest first."""
        effect = self.found.effect
        if self.found.finding.remedy is None:
            return "what would mend it only you can tell"
        if effect is None or not (effect.gains or effect.losses):
            return "nobody gains or pays at this moment"

        def told(shift: Shift) -> str:
            sign = "+" if shift.amount > 0 else "\u2212"
            return (
                f"{self._labels.get(shift.guest, shift.guest)} {sign}{amount_text(abs(shift.amount), shift.resource)}"
            )

        def listed(shifts: tuple[Shift, ...]) -> str:
            return first_names([told(shift) for shift in shifts], _MOST_NAMED)

        gains = listed(effect.gains) or "nobody gains"
        return f"{gains}\npaid by {listed(effect.losses) or 'nobody'}"

    # Setting aside

    def _ask_reason(self) -> None:
        self.aside_button.hide()
        self.reason.show()
        self.reason.setFocus()

    def _leave_reason(self) -> None:
        self.reason.clear()
        self.reason.hide()
        self.aside_button.show()
        self.aside_button.setFocus()

    def _on_reason(self) -> None:
        reason = self.reason.text().strip()
        if reason:
            step = aside_step(self.found.finding, self._labels.get(self.about, self.about), reason)
            self._desk.trial.take(step)

    # Going from one to the next

    def _select(self) -> None:
        self._desk.selection.select(self.about or None)
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Go to whom it is about."""
        super().mousePressEvent(event)
        self.setFocus()
        self._select()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """Select whom it is about: the dials and the other views show it."""
        super().focusInEvent(event)
        self._select()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        """Take off the frame."""
        super().focusOutEvent(event)
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Go up and down; Enter takes the remedy."""
        if event is None:
            return
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.went.emit(-1 if event.key() == Qt.Key.Key_Up else 1)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.remedy is not None:
            self.remedy.click()
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _event: QPaintEvent | None) -> None:
        """Paint the frame of the one that is gone to, and a line below."""
        with painting(self) as painter:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            colours = self._theme.colours
            painter.setPen(colours.grid)
            painter.drawLine(
                self._theme.px(14), self.height() - 1, self.width() - self._theme.px(14), self.height() - 1
            )
            if self.hasFocus():
                painter.setPen(QPen(colours.ink, 1.6))
                painter.drawRoundedRect(self.rect().adjusted(2, 1, -2, -3), 5, 5)
