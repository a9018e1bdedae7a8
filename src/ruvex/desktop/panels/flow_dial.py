"""The dial of a guest's disks and of its part of its host's links, beside those of CPU and memory."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Final

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from ruvex.desktop.kit.bars import Bar
from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.elided_label import ElidedLabel
from ruvex.desktop.kit.setting_field import SettingField
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.kit.track import Handle, Mark, Track
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import parse_plain, parse_shares
from ruvex.desktop.state.steps import PromiseRefusedError, Step, settings_step
from ruvex.divide import Tap
from ruvex.plan import EditError, Guest, UnitError, format_number
from ruvex.words import flow_amount, slowed_text

_WIDTH: Final = 232
_AIR: Final = 1.3
_NO_LIMIT: Final = "no limit"
_NETWORK: Final = "network"
_SHARES, _LIMIT, _RESERVATION = "shares", "limit", "reservation"
_SHARES_STEP: Final = 10.0


@dataclass(frozen=True, slots=True)
class _Part:
    """One disk of a guest, or its link: what is set, and what it has; the place is a store's id or links'."""

    key: str
    name: str
    kind: str
    shares: float
    limit: float | None
    reservation: float | None
    tap: Tap | None

    @property
    def wanted(self) -> float:
        return self.tap.wanted if self.tap is not None else 0.0

    @property
    def delivered(self) -> float:
        return self.tap.delivered if self.tap is not None else 0.0


class FlowDial(QWidget):
    """What can be set of one disk of the selected guest, or of its part of the links, seen while it is dragged.

    Attributes
    ----------
    parts, track, fields
        Which disk or the network; its track; its shares, limit, and reservation where its store promises.
    """

    is_chart = True

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self._refused: PromiseRefusedError | None = None
        self._heading = QLabel(self)
        self._met = ElidedLabel(theme, 13)
        self.parts = Chooser(self)
        self.parts.setAccessibleName("Disk or network")
        self.parts.activated.connect(lambda _index: self.show_item(self._guest))
        self.track = Track(theme, mirrored=False)
        self.track.setAccessibleName("Disk track")
        self.fields = {
            _LIMIT: SettingField(_LIMIT, "limit", theme, width=92),
            _RESERVATION: SettingField(_RESERVATION, "reservation", theme, width=92),
            _SHARES: SettingField(_SHARES, "shares", theme, width=58, beside=True),
        }
        self._guest: Guest | None = None
        head, row, foot = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        for line in (head, row, foot):
            line.setSpacing(8)
        head.addWidget(self._heading)
        head.addWidget(self._met, 1)
        row.addWidget(self.fields[_LIMIT])
        row.addWidget(self.fields[_RESERVATION])
        row.addStretch(1)
        foot.addWidget(self.fields[_SHARES])
        foot.addWidget(self.parts, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(head)
        column.addLayout(row)
        column.addWidget(self.track)
        column.addLayout(foot)
        column.addStretch(1)
        for field in self.fields.values():
            field.typed.connect(self._on_typed)
            field.stepped.connect(self._on_stepped)
        self.track.dragged.connect(lambda key, value: self._try(key, value, preview=True))
        self.track.released.connect(self._on_released)
        self.track.gave_up.connect(desk.trial.give_up)
        theme.changed.connect(self.style_anew)
        self.style_anew()

    # Showing

    @property
    def has_parts(self) -> bool:
        """Whether the guest that shows has disks, or its host links."""
        return self.parts.count() > 0

    def show_item(self, item: object) -> None:
        """Show a guest; anything else has no disks of its own."""
        guest = item if isinstance(item, Guest) else None
        is_other = (self._guest and self._guest.id) != (guest and guest.id)
        self._guest = guest
        found = self._found() if guest is not None else []
        chosen = None if is_other else self.parts.currentData()
        self.parts.show_choices([(part.key, part.name) for part in found])
        self.parts.setCurrentIndex(max(0, self.parts.findData(chosen)) if found else -1)
        self.parts.setVisible(len(found) > 1)
        if is_other:
            self.accept()
        shown = self._part()
        if shown is not None:
            self._show_part(shown)

    def _found(self) -> list[_Part]:
        guest, plan = self._guest, self._desk.look.plan
        assert guest is not None
        taps = {(tap.disk or _NETWORK): tap for tap in self._desk.look.division.flowing.of(guest.id)}
        found = []
        for disk in guest.disks:
            store = plan.stores[plan.store_index[disk.store]]
            reservation = disk.reservation_ops if store.promises else None
            name = f"{disk.id} on {store.label}"
            tap = taps.get(disk.id)
            found.append(_Part(f"disk {disk.id}", name, "store", disk.shares, disk.limit_ops, reservation, tap))
        host = self._desk.look.division.site.host_of(guest.id)
        if host is not None and host.links:
            link = guest.link
            found.append(_Part(_NETWORK, _NETWORK, "link", link.shares, link.limit_mib_s, None, taps.get(_NETWORK)))
        return found

    def _part(self) -> _Part | None:
        key = self.parts.currentData()
        return next((part for part in self._found() if part.key == key), None) if self._guest is not None else None

    def _show_part(self, part: _Part) -> None:
        def write(value: float) -> str:
            return flow_amount(value, part.kind)

        self._heading.setText("Network" if part.kind == "link" else "Disk")
        lacks = part.tap is not None and bool(part.tap.slowed_by)
        met = "gets all it wants"
        if lacks and part.tap is not None:
            met = f"{write(part.delivered)}, slowed by {slowed_text(part.tap)}"
        self._met.set_text(met if part.tap is not None else "is off")
        self.fields[_LIMIT].show_value(_NO_LIMIT if part.limit is None else write(part.limit))
        self.fields[_RESERVATION].setVisible(part.reservation is not None)
        self.fields[_RESERVATION].show_value(write(part.reservation or 0.0))
        self.fields[_SHARES].show_value(f"{part.shares:.12g}")
        top = _AIR * max(part.wanted, part.limit or 0.0, part.reservation or 0.0, 10.0)
        handles = [Handle(_LIMIT, "limit", part.limit, max(part.reservation or 0.0, 1.0), math.inf, can_be_none=True)]
        if part.reservation is not None:
            handles.insert(0, Handle(_RESERVATION, "reservation", part.reservation, 0.0, part.limit or top))
        self.track.show_handles(handles)
        promised = min(part.delivered, part.reservation or 0.0)
        bar = Bar(promised, part.delivered - promised, 0.0, 0.0, 0.0 if part.tap is None else part.tap.lacks, math.inf)
        decimals = 1 if part.kind == "link" else 0
        marks = (
            Mark("delivered", part.delivered, format_number(part.delivered, decimals)),
            Mark("wanted", part.wanted, format_number(part.wanted, decimals)),
        )
        division, guest = self._desk.look.division, self._guest
        top_pool = int(division.top_pool[division.position[guest.id]]) if guest is not None else -1
        colours = self._theme.bar_colours(None if top_pool < 0 else top_pool)
        shown = marks if part.tap is not None else ()
        self.track.show_bar(bar, shown, colours, top=top, snap=self._snap(top), ghost=None)

    @staticmethod
    def _snap(top: float) -> float:
        return float(10.0 ** (math.floor(math.log10(top)) - 2))

    # Turning

    def _on_typed(self, key: str, text: str) -> None:
        try:
            value = self._read(key, text)
        except UnitError as error:
            self.fields[key].refuse(str(error))
            self._desk.trial.misread(str(error))
        else:
            self._try(key, value)

    @staticmethod
    def _read(key: str, text: str) -> float | None:
        plain = text.strip().lower()
        if key == _LIMIT and plain in ("", _NO_LIMIT, "none", "no"):
            return None
        if key == _SHARES:
            return parse_shares(text)
        return parse_plain(plain.removesuffix("ops/s").removesuffix("mib/s"))

    def _on_stepped(self, key: str, steps: int) -> None:
        part = self._part()
        if part is None:
            return
        step = _SHARES_STEP if key == _SHARES else self._snap(max(part.wanted, 10.0))
        now = {_SHARES: part.shares, _LIMIT: part.limit, _RESERVATION: part.reservation}[key]
        value = part.wanted if now is None else now
        least = 0.0 if key == _RESERVATION else step
        self._try(key, max(round(value / step) * step + steps * step, least), is_stepped=True)

    def _step(self, key: str, value: float | None, *, is_stepped: bool) -> Step:
        """Give the step that sets something of the part that shows; arrow after arrow is one entry to take back."""
        guest, part = self._guest, self._part()
        assert guest is not None
        assert part is not None
        written = _NO_LIMIT if value is None else f"{value:.12g}" if key == _SHARES else flow_amount(value, part.kind)
        text = f"{guest.label} {part.name} {key} → {written}"
        merges = f"{guest.id} {part.key} {key} stepped" if is_stepped else ""
        if part.kind == "link":
            setting = {_SHARES: "link.shares", _LIMIT: "link.limit_mib_s"}[key]
            return settings_step(text, [(guest.id, {setting: value})], merges=merges)
        setting = {_SHARES: "shares", _LIMIT: "limit_ops", _RESERVATION: "reservation_ops"}[key]
        disks: list[dict[str, Any]] = [disk.model_dump() for disk in guest.disks]
        next(disk for disk in disks if f"disk {disk['id']}" == part.key)[setting] = value
        return settings_step(text, [(guest.id, {"disks": disks})], merges=merges)

    def _try(self, key: str, value: float | None, *, preview: bool = False, is_stepped: bool = False) -> None:
        if self._part() is None:
            return
        trial, step = self._desk.trial, self._step(key, value, is_stepped=is_stepped)
        self._refused = None
        do: Callable[[Step], None] = trial.try_ if preview else trial.make
        try:
            do(step)
        except EditError as error:
            if preview and isinstance(error, PromiseRefusedError):
                self._refused = error
            self.fields[key].refuse(str(error))
            trial.not_accepted.emit(str(error))
            return
        trial.not_accepted.emit("")
        self.fields[key].accept()

    def _on_released(self, _key: str) -> None:
        refused, self._refused = self._refused, None
        if refused is not None:
            self._desk.trial.give_up()
            self._desk.trial.refuse(refused)
        else:
            self._desk.trial.keep()

    def accept(self) -> None:
        """Show what is in force, whatever was typed."""
        for field in self.fields.values():
            field.accept()

    def style_anew(self) -> None:
        """Take fonts and widths from the theme."""
        self._heading.setFont(self._theme.font(13, bold=True))
        self.parts.setFont(self._theme.font(12))
        self.setFixedWidth(self._theme.px(_WIDTH))
        for field in self.fields.values():
            field.style_anew()
