"""The dials of one resource: typed settings, the track with its handles, and shares."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication, QBoxLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ruvex.desktop.kit.bars import Bar
from ruvex.desktop.kit.elided_label import ElidedLabel
from ruvex.desktop.kit.letting_go import let_go, taken_out_of
from ruvex.desktop.kit.setting_field import SettingField
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import BarColours, Theme
from ruvex.desktop.kit.track import Mark, Track
from ruvex.desktop.panels.dial_settings import DialSettings
from ruvex.desktop.state.figures import NAME, typed
from ruvex.desktop.state.units import Unit
from ruvex.plan import SHARES_STANDARD, Resource

_CHOICES: Final = (("½×", 0.5), ("1×", 1.0), ("1½×", 1.5), ("2×", 2.0), ("3×", 3.0))
_NO_LIMIT: Final = "no limit"


class ResourceDial(QWidget):
    """What can be set of one resource of what is selected.

    Attributes
    ----------
    track
        The long track.
    fields
        The typed settings by dotted name, shares and headroom among them.
    choices
        The quick share choices by their factor.

    Signals
    -------
    shares_chosen(key, shares)
        A quick choice was pressed.
    """

    is_chart = True
    shares_chosen = pyqtSignal(str, float)

    def __init__(self, resource: Resource, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.resource = resource
        self._theme = theme
        # CPU grows to the left, so its row of settings begins at the right, beside the names.
        self._mirrored = resource == "cpu"
        self.track = Track(theme, mirrored=self._mirrored)
        self.track.setAccessibleName(f"{NAME[resource]} track")
        self.fields: dict[str, SettingField] = {}
        self._heading = QLabel(NAME[resource])
        self._met = ElidedLabel(theme, 13, at_right=self._mirrored)
        self._weight = ElidedLabel(theme, 12, at_right=self._mirrored)
        self._field_row, self._share_row = self._row(), self._row()
        self._is_compact, self._is_editable = False, True
        self._heading_row = self._row()
        self._heading_row.addWidget(self._heading)
        self._heading_row.addWidget(self._met, 1)
        self._shares = SettingField(f"{resource}.shares", "shares", theme, width=58, beside=True)
        self.choices = {factor: self._choice(text, factor) for text, factor in _CHOICES}
        self._share_row.addWidget(self._shares)
        buttons = QHBoxLayout()
        buttons.setSpacing(3)
        for button in self.choices.values():
            buttons.addWidget(button)
        self._share_row.addLayout(buttons)
        self._share_row.addWidget(self._weight, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(self._heading_row)
        column.addLayout(self._field_row)
        column.addWidget(self.track)
        column.addLayout(self._share_row)
        column.addStretch(1)
        theme.changed.connect(self.style_anew)
        self.style_anew()

    def _row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(12)
        row.setDirection(QBoxLayout.Direction.RightToLeft if self._mirrored else QBoxLayout.Direction.LeftToRight)
        return row

    def _choice(self, text: str, factor: float) -> QPushButton:
        button = QPushButton(text, self)
        button.setAccessibleName(f"{NAME[self.resource]} shares {text} the standard")
        button.setCheckable(True)
        button.clicked.connect(self._on_choice)
        button.setProperty("factor", factor)
        return button

    def _on_choice(self) -> None:
        sender = self.sender()
        if isinstance(sender, QPushButton):
            self.shares_chosen.emit(f"{self.resource}.shares", SHARES_STANDARD * float(sender.property("factor")))

    def set_compact(self, *, compact: bool) -> None:
        """Show only what can be typed, in one line; or all of it."""
        if compact == self._is_compact:
            return
        self._is_compact = compact
        for widget in (self.track, self._met, self._weight, *self.choices.values()):
            widget.setVisible(not compact and (self._is_editable or widget in (self.track, self._met)))
        at, other = (self._field_row, self._share_row) if compact else (self._share_row, self._field_row)
        other.removeWidget(self._shares)
        at.insertWidget(len(self.fields) - 1 if compact else 0, self._shares, 0)
        self._heading_row.removeWidget(self._heading)
        (self._field_row if compact else self._heading_row).insertWidget(0, self._heading)

    def set_narrow(self, *, narrow: bool) -> None:
        """Leave out the heading and stand closer; each field says by itself what it is."""
        self._heading.setVisible(not narrow)
        self._field_row.setSpacing(4 if narrow else 12)

    def show_fields(self, keys: dict[str, str]) -> bool:
        """Offer these typed settings (dotted name to what it is called); tells whether they are other ones."""
        if dict.fromkeys(keys) == {key: None for key in self.fields if key != self._shares.key}:
            return False
        was_compact = self._is_compact
        self.set_compact(compact=False)
        old = taken_out_of(self._field_row)
        self.fields = {key: SettingField(key, name, self._theme) for key, name in keys.items()}
        for field in self.fields.values():
            self._field_row.addWidget(field, 3)
        self._field_row.addStretch(1)
        self.fields[self._shares.key] = self._shares
        self.set_compact(compact=was_compact)
        holder = QApplication.focusWidget()
        if holder is not None and any(widget is holder or widget.isAncestorOf(holder) for widget in old):
            # The keyboard stays in this dial: it would go on to whatever comes next, and a finding that has it selects
            # the guest that it is of.
            holder.blockSignals(True)
            self._shares.line.setFocus(Qt.FocusReason.OtherFocusReason)
        for widget in old:
            let_go(widget)
        return True

    def show_settings(
        self, settings: DialSettings, weight: str, part: str, unit: Unit, ranges: Mapping[str, str]
    ) -> None:
        """Show the values in force.

        Parameters
        ----------
        weight, part
            What it weighs among its peers, and which part of the site that comes to.
        ranges
            Of settings in which several that are selected differ, from where to where.
        """
        for handle in settings.handles:
            value = _NO_LIMIT if handle.value is None else typed(handle.value, unit)
            self.fields[handle.key].show_value(ranges.get(handle.key, value))
        if settings.headroom_percent is not None:
            self.fields["memory.headroom_percent"].show_value(
                ranges.get("memory.headroom_percent", f"{settings.headroom_percent:.12g} %")
            )
        self._shares.show_value(ranges.get(self._shares.key, f"{settings.shares:.12g}"))
        # What it comes to when all want all is told whole in the hover; here there is room for the figures only.
        of_site = part.removesuffix(" when all want all")
        self._weight.set_text(f"{weight} among its peers, {of_site}" if weight else "", short=f"{weight} of peers")
        self._weight.setToolTip(f"{weight} among its peers, {part}" if weight else "")
        for factor, button in self.choices.items():
            button.setChecked(settings.shares == SHARES_STANDARD * factor)
        self.track.show_handles(settings.handles)

    def show_bar(
        self,
        bar: Bar,
        marks: tuple[Mark, ...],
        colours: BarColours,
        settings: DialSettings,
        ghost: float | None,
    ) -> None:
        """Show the figures on the track."""
        self.track.show_bar(bar, marks, colours, top=settings.top, snap=settings.snap, ghost=ghost)
        told = ", ".join(f"{mark.name} {mark.text}" for mark in marks)
        self.track.setAccessibleName(f"{NAME[self.resource]} track{f': {told}' if told else ''}")

    def show_met(self, text: str) -> None:
        """Show in a few words how well the want is met."""
        self._met.set_text(text)

    def set_editable(self, editable: bool) -> None:
        """Offer settings, or only figures for the supply."""
        self._is_editable = editable
        self._shares.setVisible(editable)
        for widget in (self._weight, *self.choices.values()):
            widget.setVisible(editable and not self._is_compact)

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        theme = self._theme
        self._heading.setFont(theme.font(13, bold=True))
        for button in self.choices.values():
            button.setFont(theme.font(12))
            button.setFixedSize(theme.size(34, 22))
            set_role(button, "small")
        for field in {*self.fields.values(), self._shares}:
            field.style_anew()
