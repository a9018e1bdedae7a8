"""The bank of a host: its size, how far that may be raised, and its spill volumes with whom each serves."""

from __future__ import annotations

from typing import Any, Final

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from ruvex.desktop.kit.plain_list import PlainList
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.form import Field, Form
from ruvex.desktop.state.desk import Desk
from ruvex.plan import Host, SpillVolume, format_memory, next_name

_PART_OF_HOST: Final = 0.125
_MOST_PART: Final = 0.25
_VOLUME_MIB: Final = 6144.0
_BANK: Final = (Field("size_mib", "size", "mib"), Field("max_mib", "may be raised to", "mib"))
_VOLUME: Final = (
    Field("id", "name", "text"), Field("mib", "size", "mib"),
    Field("kind", "lies on", "choice", choices=(("ssd", "ssd"), ("hdd", "hard disk"))),
    Field("shared", "can be reached from other hosts", "flag"),
)  # fmt: skip


class BankSection(QWidget):
    """Shows the bank of one host and tells what it is to be.

    Attributes
    ----------
    box
        Whether there is one.
    form, volumes, volume_form
        Its settings, its volumes, and the settings of the volume that is current.
    add_button, remove_button
        Add a volume; remove the current one.

    Signals
    -------
    entered(text, bank)
        The bank is to be another one, as the plan file writes it, or none; the text says what is changed.
    misread(reason)
        What was entered cannot be understood.
    """

    entered = pyqtSignal(str, object)
    misread = pyqtSignal(str)

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self._host: Host | None = None
        self.box = QCheckBox("has a bank: a slice of its memory for thin guests", self)
        self.box.clicked.connect(self._on_ticked)
        self.form = Form(_BANK, theme, self)
        self._head = QLabel("Spill volumes: each guest of the bank needs one of its own", self)
        self._head.setWordWrap(True)
        self.volumes = PlainList(theme, "Spill volumes", self)
        self.add_button, self.remove_button = QPushButton("Add a volume", self), QPushButton("Remove it", self)
        self.volume_form = Form(_VOLUME, theme, self)
        for form, enter in ((self.form, self._on_bank), (self.volume_form, self._on_volume)):
            form.entered.connect(enter)
            form.misread.connect(lambda _key, reason: self.misread.emit(reason))
        self.add_button.clicked.connect(self._on_add)
        self.remove_button.clicked.connect(self._on_remove)
        self.volumes.chosen.connect(lambda _key: self._show_volume())
        row = QHBoxLayout()
        row.addWidget(self.add_button)
        row.addWidget(self.remove_button)
        row.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for widget in (self.box, self.form, self._head, self.volumes):
            column.addWidget(widget)
        column.addLayout(row)
        column.addWidget(self.volume_form)
        self._parts = (self.form, self._head, self.volumes, self.add_button, self.remove_button, self.volume_form)

    def show_host(self, host: Host) -> None:
        """Show the bank of a host."""
        is_other = self._host is None or self._host.id != host.id
        self._host = host
        self.box.setChecked(host.bank is not None)
        for part in self._parts:
            part.setVisible(host.bank is not None)
        if host.bank is None:
            return
        self.form.show_item(host.bank)
        owners = self._desk.document.site.standing.volumes
        lines = [
            (volume.id, self._volume_text(volume, owners.get((host.id, volume.id))))
            for volume in host.bank.spill_volumes
        ]
        self.volumes.show_lines(lines, None if is_other else self.volumes.current_key)
        self._show_volume()

    def _volume_text(self, volume: SpillVolume, owner: str | None) -> str:
        plan = self._desk.document.plan
        serves = f"serves {plan.guests[plan.guest_index[owner]].label}" if owner in plan.guest_index else "free"
        return f"{volume.id}   {format_memory(volume.mib)} {volume.kind}   {serves}"

    def _current(self) -> SpillVolume | None:
        bank = self._host.bank if self._host is not None else None
        volumes = bank.spill_volumes if bank is not None else ()
        return next((volume for volume in volumes if volume.id == self.volumes.current_key), None)

    def _show_volume(self) -> None:
        volume = self._current()
        self.volume_form.setVisible(volume is not None)
        self.remove_button.setEnabled(volume is not None)
        if volume is not None:
            self.volume_form.show_item(volume)

    # Editing

    def _bank(self) -> dict[str, Any]:
        assert self._host is not None and self._host.bank is not None
        return self._host.bank.model_dump()

    def _on_ticked(self, checked: bool) -> None:
        if self._host is None:
            return
        if not checked:
            self.entered.emit("no bank", None)
            return
        size = round(self._host.memory_mib * _PART_OF_HOST)
        self.entered.emit("a bank", {"size_mib": size, "max_mib": round(self._host.memory_mib * _MOST_PART)})

    def _on_bank(self, key: str, value: Any) -> None:
        bank = self._bank() | {key: value}
        if key == "size_mib":
            # Whoever types a larger size means it: how far it may be raised goes along.
            bank["max_mib"] = max(bank["max_mib"], value)
        else:
            bank["size_mib"] = min(bank["size_mib"], value)
        self.entered.emit(f"bank {self.form.field(key).name} → {self.form.written(key, value)}", bank)

    def _on_volume(self, key: str, value: Any) -> None:
        volume, bank = self._current(), self._bank()
        if volume is None:
            return
        number = next(i for i, other in enumerate(bank["spill_volumes"]) if other["id"] == volume.id)
        volumes = [dict(other) for other in bank["spill_volumes"]]
        volumes[number][key] = value
        name = self.volume_form.field(key).name
        self.entered.emit(
            f"spill volume {volume.id}: {name} → {self.volume_form.written(key, value)}",
            bank | {"spill_volumes": volumes},
        )

    def _on_add(self) -> None:
        bank = self._bank()
        taken = {volume["id"] for volume in bank["spill_volumes"]}
        last = bank["spill_volumes"][-1]["id"] if bank["spill_volumes"] else "volume-0"
        name = next_name(last, taken)
        new = {"id": name, "mib": _VOLUME_MIB}
        self.entered.emit(f"new spill volume {name}", bank | {"spill_volumes": [*bank["spill_volumes"], new]})

    def _on_remove(self) -> None:
        volume, bank = self._current(), self._bank()
        if volume is not None:
            rest = [other for other in bank["spill_volumes"] if other["id"] != volume.id]
            self.entered.emit(f"remove spill volume {volume.id}", bank | {"spill_volumes": rest})

    def accept(self) -> None:
        """Show what is in force, whatever was typed."""
        for form in (self.form, self.volume_form):
            for key in form.fields:
                form.accept(key)

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for form in (self.form, self.volume_form):
            form.style_anew()
        self.volumes.style_anew()
        for widget in (self.box, self._head, self.add_button, self.remove_button):
            widget.setFont(self._theme.font(12))
