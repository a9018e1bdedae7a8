"""The bank of a host: its size, how far that may be raised, and its spill volumes with whom each serves."""

from __future__ import annotations

from typing import Any, Final

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.form import Field, Form
from ruvex.desktop.sheets.list_section import ListSection
from ruvex.desktop.state.desk import Desk
from ruvex.plan import Host, SpillVolume, format_memory

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
    form, volumes
        Its settings, and its volumes.

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
        self.volumes = ListSection(
            "Spill volumes: each guest of the bank needs one of its own", "spill volume", _VOLUME, self._volume_text,
            lambda name: {"id": name, "mib": _VOLUME_MIB}, theme, self,
        )  # fmt: skip
        self.form.entered.connect(self._on_bank)
        self.form.misread.connect(lambda _key, reason: self.misread.emit(reason))
        self.volumes.entered.connect(self._on_volumes)
        self.volumes.misread.connect(self.misread)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        for widget in (self.box, self.form, self.volumes):
            column.addWidget(widget)

    def show_host(self, host: Host) -> None:
        """Show the bank of a host."""
        self._host = host
        self.box.setChecked(host.bank is not None)
        self.form.setVisible(host.bank is not None)
        self.volumes.setVisible(host.bank is not None)
        if host.bank is not None:
            self.form.show_item(host.bank)
            self.volumes.show_parts(host.id, host.bank.spill_volumes)

    def _volume_text(self, volume: SpillVolume) -> str:
        site, host = self._desk.look.division.site, self._host.id if self._host is not None else ""
        plan, owner = site.plan, site.standing.volumes.get((host, volume.id))
        serves = f"serves {plan.labels[owner]}" if owner in plan.guest_index else "free"
        return f"{volume.id}   {format_memory(volume.mib)} {volume.kind}   {serves}"

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

    def _on_volumes(self, text: str, volumes: object) -> None:
        self.entered.emit(text, self._bank() | {"spill_volumes": volumes})

    def accept(self) -> None:
        """Show what is in force, whatever was typed."""
        for key in self.form.fields:
            self.form.accept(key)
        self.volumes.accept()

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        self.form.style_anew()
        self.volumes.style_anew()
        self.box.setFont(self._theme.font(12))
