"""The dials at the foot of the window: the settings of what is selected, CPU to the left, memory to the right."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from ruvex.desktop.kit.bars import Bar
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.kit.track import Mark
from ruvex.desktop.panels.dial_facts import facts_of, met_text
from ruvex.desktop.panels.dial_settings import dial_settings
from ruvex.desktop.panels.effect_line import EffectLine
from ruvex.desktop.panels.flow_dial import FlowDial
from ruvex.desktop.panels.resource_dial import ResourceDial
from ruvex.desktop.panels.row_bars import bars_of
from ruvex.desktop.panels.setting_text import SETTING_NAMES, setting_edit_text
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import (
    figure,
    figure_with_unit,
    parse,
    parse_plain,
    parse_shares,
    percent,
    site_part_text,
    typed,
)
from ruvex.desktop.state.steps import PromiseRefusedError, settings_step
from ruvex.desktop.state.units import Unit
from ruvex.divide import Division, looks_same, peer_weights
from ruvex.ledger import LookFigures
from ruvex.plan import (
    RESOURCE_KINDS,
    RESOURCES,
    EditError,
    Guest,
    Host,
    Plan,
    Pool,
    Resource,
    UnitError,
    find_item,
    get_setting,
    has_setting,
    resource_of,
)
from ruvex.words import counted

_BODY: Final = 158
_LINE: Final = 48
_NARROW: Final = 860
_WIDE: Final = 1120
_ROOM: Final = 600
"""In a window lower than this, at the text size in force, the dials fold to one line by themselves."""
_MIDDLE: Final = 200


@dataclass(frozen=True, slots=True)
class _Supply:
    """What there is of a resource, everywhere or on one host; MHz or MiB."""

    supply: float
    wanted: float
    promised: float
    free: float
    broken: bool


def _supply_of(look: LookFigures, name: Resource, host: Host | None) -> _Supply:
    division, promises = look.division, look.promises
    r = division.of(name)
    if host is None:
        return _Supply(r.supply, r.total_wanted, r.promised, r.free, r.broken)
    k, at = RESOURCE_KINDS[name].at, division.site.plan.host_index[host.id]
    supply, wanted = float(division.by_host.supply[k, at]), float(division.by_host.wanted[k, at])
    return _Supply(supply, wanted, float(promises.of_hosts[k, at]), float(promises.free_of_hosts[k, at]), False)


class Dials(QWidget):
    """The panel at the foot; it follows the selection, and folds away.

    Attributes
    ----------
    effect
        The line that says who pays.
    dials, flow
        One for each resource; and that of disks and network, where a guest has some and there is room.
    """

    def __init__(self, desk: Desk, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._theme = desk, theme
        self._shown: tuple[Division, Guest | Pool | None, bool] = (desk.look.division, None, False)
        self._refused: PromiseRefusedError | None = None
        self._chosen: bool | None = None
        self._is_folded = False
        self.effect = EffectLine(desk, theme, self)
        self.dials = {name: ResourceDial(name, theme, self) for name in RESOURCES}
        self.flow = FlowDial(desk, theme, self)
        self._name, self._place, self._facts = QLabel(), QLabel(), QLabel()
        self.fold_button = QPushButton("▾", self)
        set_role(self.fold_button, "band")
        self.why_button = QPushButton("Why", self)
        self.why_button.setAccessibleName("Show why it gets what it gets")
        self.why_button.setToolTip("Why it gets what it gets, who has the rest, what would help (F7)")
        self.why_button.setCheckable(True)
        set_role(self.why_button, "band")
        self._body = QFrame(self)
        self._lay_out()
        for dial in self.dials.values():
            dial.track.dragged.connect(self._on_dragged)
            dial.track.released.connect(self._on_released)
            dial.track.gave_up.connect(self._on_gave_up)
            dial.shares_chosen.connect(self._on_shares_chosen)
        desk.look.changed.connect(self._on_divided)
        desk.selection.changed.connect(self._on_selection_changed)
        desk.trial.refused_changed.connect(self._on_refused_changed)
        desk.units.changed.connect(self._on_divided)
        theme.changed.connect(self._on_theme_changed)
        self._on_theme_changed()

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.setContentsMargins(0, 0, 0, 0)
        head.setSpacing(0)
        head.addWidget(self.effect, 1)
        head.addWidget(self.why_button)
        head.addWidget(self.fold_button)
        identity = QVBoxLayout()
        identity.setSpacing(3)
        for label in (self._name, self._place, self._facts):
            label.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            identity.addWidget(label)
        for label in (self._place, self._facts):
            label.setWordWrap(True)
        set_role(self._place, "muted")
        identity.addStretch(1)
        self._middle = QWidget(self._body)
        self._middle.setLayout(identity)
        identity.setContentsMargins(0, 0, 0, 0)
        body = QHBoxLayout(self._body)
        body.setContentsMargins(16, 8, 16, 6)
        body.setSpacing(16)
        body.addWidget(self.dials["cpu"], 1)
        body.addWidget(self._middle)
        body.addWidget(self.dials["memory"], 1)
        body.addWidget(self.flow)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(self._body)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def set_folded(self, folded: bool | None) -> None:
        """Fold the dials to one line, or show them whole; None leaves it to the room there is."""
        self._chosen = folded
        self._fold()

    def _fold(self) -> None:
        window = self.window()
        is_low = window is not None and window.height() < self._theme.px(_ROOM)
        folded = is_low if self._chosen is None else self._chosen
        self._is_folded = folded
        for dial in self.dials.values():
            dial.set_compact(compact=folded)
        # Where even a line is short of room, what stands in the row anyway is left out.
        is_narrow = folded and self.width() < self._theme.px(_NARROW)
        self._facts.setVisible(not folded)
        has_dials = self._desk.selection.item is not None
        self._middle.setVisible(not (is_narrow and has_dials))
        for dial in self.dials.values():
            dial.set_narrow(narrow=is_narrow and has_dials)
        self.flow.setVisible(self.flow.has_parts and not folded and self.width() >= self._theme.px(_WIDE))
        self._body.setFixedHeight(self._theme.px(_LINE if folded else _BODY))
        self._middle.setFixedWidth(self._theme.px(_MIDDLE))
        margin = 3 if folded else 8
        body = self._body.layout()
        if body is not None:
            body.setContentsMargins(16, margin, 16, margin)
        self._tell_place(self._place.toolTip())
        self.fold_button.setText("▴" if folded else "▾")
        what = "Show the dials whole" if folded else "Fold the dials to one line"
        self.fold_button.setAccessibleName(what)
        self.fold_button.setToolTip(f"{what} (F6)")

    def _tell_place(self, place: str) -> None:
        """Show what a guest or pool is, all of it where there are lines for it."""
        self._place.setToolTip(place)
        if self._is_folded:
            width = self._theme.px(_MIDDLE)
            place = self._theme.metrics(12).elidedText(place, Qt.TextElideMode.ElideRight, width)
        self._place.setText(place)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fold where there is little room."""
        super().resizeEvent(event)
        self._fold()

    @property
    def folded_by_choice(self) -> bool | None:
        """Whether a person folded or unfolded them; None where that is left to the room there is."""
        return self._chosen

    @property
    def is_folded(self) -> bool:
        """Whether the dials are folded to one line."""
        return self._is_folded

    # Showing

    def _on_theme_changed(self) -> None:
        theme = self._theme
        self._name.setFont(theme.font(15, bold=True))
        for label in (self._place, self._facts):
            label.setFont(theme.font(12))
        self._fold()
        self.fold_button.setFixedSize(theme.size(34, 24))
        self.why_button.setFixedSize(theme.size(56, 24))
        self.why_button.setFont(theme.font(12, bold=True))
        self._on_divided()

    def _on_selection_changed(self) -> None:
        # A value that was refused belongs to what was selected before.
        self._accept_fields()
        self._desk.trial.not_accepted.emit("")
        self._on_divided()

    def _on_divided(self) -> None:
        item, division = self._desk.selection.item, self._desk.look.division
        had_flow = self.flow.has_parts
        self.flow.show_item(item)
        if (item is None) != (self._shown[1] is None) or had_flow != self.flow.has_parts:
            self._fold()
        shown, self._shown = self._shown, (division, item, self._desk.look.before is not None)
        if item is None:
            self._show_supply(self._desk.selection.host)
            return
        self._show_identity(item)
        for name in RESOURCES:
            # While one dial moves the other one mostly stands still, and need not be worked out again.
            is_moving = shown[2] and self._shown[2] and shown[0].ids is division.ids
            same_settings = shown[1] is not None and shown[1].id == item.id and shown[1].of(name) == item.of(name)
            if not (is_moving and same_settings and looks_same(shown[0].of(name), division.of(name))):
                self._show_item(item, name)

    def _show_supply(self, host: Host | None) -> None:
        """Show what there is of everything, or on one host."""
        plan, division = self._desk.look.plan, self._desk.look.division
        self._name.setText("Supply" if host is None else host.label)
        if host is None:
            self._tell_place(", ".join(host.label for host in plan.hosts[:3]) or "no host yet")
            self._facts.setText("Select a guest or a pool to turn its dials." if plan.guests else "")
        else:
            count = int((division.site.standing.on & (division.site.standing.host == plan.host_index[host.id])).sum())
            self._tell_place(
                f"host · {counted(host.cores, 'core')} · {counted(count, 'guest')} on" if host.up else "host · down"
            )
            self._facts.setText("F4: all its settings. M: move its guests to another host.")
        for name, dial in self.dials.items():
            r, unit = _supply_of(self._desk.look.figures, name, host), self._desk.units.common(name)
            dial.set_editable(False)
            dial.show_fields({})
            whole = max(r.supply, r.wanted, r.promised, 1.0)
            promised = min(r.promised, r.supply)
            if r.broken:
                dial.show_met("promised more than there is: this cannot run as it is")
            else:
                free = figure_with_unit(max(0.0, r.free), unit)
                told = f"{percent(r.promised, r.supply)} promised, {free} free of promises"
                dial.show_met(told if r.supply > 0 else "")
            marks = (
                Mark("promised", promised, figure(r.promised, unit)),
                Mark("supply", r.supply, figure(r.supply, unit)),
                Mark("wanted", r.wanted, figure(r.wanted, unit)),
            )
            colours = self._theme.bar_colours(None)
            bar = Bar(promised, max(0.0, r.supply - r.promised), 0.0, 0.0, max(0.0, r.wanted - r.supply), math.inf)
            dial.track.show_handles(())
            shown = marks if r.supply > 0 or r.wanted > 0 else ()
            dial.track.show_bar(bar, shown, colours, top=whole * 1.04, snap=1.0, ghost=None)

    def _show_identity(self, item: Guest | Pool) -> None:
        plan, division = self._desk.look.plan, self._desk.look.division
        pool_id = item.parent if isinstance(item, Pool) else item.pool
        pool = plan.labels[pool_id] if pool_id else "beside the pools"
        if isinstance(item, Guest):
            host, is_on = division.site.host_of(item.id), division.site.is_on(item.id)
            state = "on" if is_on else "its host is down" if item.is_powered and host and not host.up else "off"
            vcpus = f"{item.vcpus}\u00a0vCPU" + ("s" if item.vcpus > 1 else "")
            parts = [pool, host.label if host else "no host", vcpus, state]
        else:
            count = int(((division.parent_row == division.position[item.id]) & division.on).sum())
            parts = [f"pool in {pool}" if pool_id else "pool", f"{count} member{'s' if count != 1 else ''} on"]
            parts += [item.owner] if item.owner else []
        width = self._theme.px(_MIDDLE)
        metrics = self._theme.metrics(15, bold=True)
        self._name.setText(metrics.elidedText(item.label, Qt.TextElideMode.ElideMiddle, width))
        self._name.setToolTip(item.label)
        # A line breaks between facts, never before the dot that stands between two.
        small = self._theme.metrics(12)
        room = width - small.horizontalAdvance("\u00a0· ")
        shown = (small.elidedText(part, Qt.TextElideMode.ElideMiddle, room) for part in parts)
        place = "\u00a0· ".join(part.replace(" ", "\u00a0") for part in shown)
        self._tell_place(place)
        self._facts.setText("\n".join(facts_of(self._desk, item)))

    def _show_item(self, item: Guest | Pool, name: Resource) -> None:
        division, dial = self._desk.look.division, self.dials[name]
        r, row = division.of(name), division.position[item.id]
        settings = dial_settings(self._desk.look.plan, division, item, name)
        keys = {handle.key: handle.name for handle in settings.handles}
        if settings.headroom_percent is not None:
            keys["memory.headroom_percent"] = SETTING_NAMES["headroom_percent"]
        dial.set_editable(True)
        if dial.show_fields(keys):
            for field in dial.fields.values():
                # The shares field stays; connecting it once more must not make it speak twice.
                if field.receivers(field.typed) == 0:
                    field.typed.connect(self._on_typed)
                    field.stepped.connect(self._on_stepped)
        now = self._desk.selection.item
        if now is None or now.id != item.id:
            # Whoever heard of what went selected something else, which is shown by now.
            return
        weight, total = peer_weights(r, division, row)
        shown = percent(weight, total) if division.on[row] else ""
        part = site_part_text(division, r, row) if shown else ""
        unit = self._desk.units.of(name, item.id)
        dial.show_settings(settings, shown, part, unit, self._ranges(item, list(dial.fields), unit))
        bar = bars_of(self._desk.look.figures, name)[row]
        delivered, wanted = float(r.delivered[row]), float(r.wanted[row])
        unit = self._desk.units.of(name, item.id)
        marks = (
            Mark("delivered", delivered, figure(delivered, unit)),
            Mark("wanted", wanted, figure(wanted, unit)),
        )
        top_pool = int(division.top_pool[row])
        hue = None if top_pool < 0 else top_pool
        before = self._desk.look.before
        ghost = float(before.of(name).delivered[row]) if before is not None and before.ids is division.ids else None
        if ghost is not None and abs(ghost - delivered) < settings.top / 1000:
            ghost = None  # what did not move has no ghost
        dial.show_bar(bar, marks if division.on[row] else (), self._theme.bar_colours(hue), settings, ghost)
        dial.show_met(met_text(self._desk, item, name, row))

    def _ranges(self, item: Guest | Pool, keys: Sequence[str], unit: Unit) -> dict[str, str]:
        """Give from where to where the settings of all that are selected go, where they differ."""
        found: dict[str, str] = {}
        if len(self._desk.selection.ids) < 2:
            return found
        plan = self._desk.look.plan
        for key in keys:
            owners = [find_setting_owner(plan, target) for target in self._concerned(item, key)]
            values = [get_setting(owner, key) for owner in owners]
            if all(value == values[0] for value in values):
                continue
            numbers = [value for value in values if value is not None]
            if key.endswith((".shares", ".headroom_percent")):
                low, high = f"{min(numbers):.12g}", f"{max(numbers):.12g}"
            else:
                low = typed(min(numbers), unit)
                high = "no limit" if len(numbers) < len(values) else typed(max(numbers), unit)
            found[key] = f"{low} – {high}"
        return found

    def enter(self) -> None:
        """Go to the first setting of what is selected."""
        next(iter(self.dials["cpu"].fields.values())).line.setFocus()

    # Turning

    def preview(self, key: str, value: float | None) -> None:
        """Show a setting of what is selected at another value, as while its handle is held."""
        self._try(key, value, preview=True)

    def _on_dragged(self, key: str, value: float | None) -> None:
        self.preview(key, value)

    def _on_released(self, key: str) -> None:
        refused, self._refused = self._refused, None
        if refused is not None:
            self._desk.trial.give_up()
            self._desk.trial.refuse(refused)
        else:
            self._desk.trial.keep()

    def _on_gave_up(self) -> None:
        self._refused = None
        self._desk.trial.give_up()
        self._desk.trial.not_accepted.emit("")
        self._accept_fields()

    def _on_shares_chosen(self, key: str, shares: float) -> None:
        self._try(key, shares)

    def _on_stepped(self, key: str, steps: int) -> None:
        item = self._desk.selection.item
        if item is None:
            return
        resource = resource_of(key)
        settings = dial_settings(self._desk.look.plan, self._desk.look.division, item, resource)
        if key.endswith((".shares", ".headroom_percent")):
            step, low, high = (10.0, 1.0, math.inf) if key.endswith(".shares") else (1.0, 0.0, math.inf)
            value = float(get_setting(item, key))
        else:
            handle = next(handle for handle in settings.handles if handle.key == key)
            step, low, high = settings.snap, handle.low, handle.high
            value = settings.top if handle.value is None else handle.value
        self._try(
            key, min(max(round(value / step) * step + steps * step, low), high), merges=f"{item.id} {key} stepped"
        )

    def _on_typed(self, key: str, text: str) -> None:
        item = self._desk.selection.item
        if item is None:
            return
        try:
            value = self._read(key, text, item)
        except UnitError as error:
            self._refuse(key, str(error))
        else:
            self._try(key, value)

    def _read(self, key: str, text: str, item: Guest | Pool) -> float | None:
        resource, setting = resource_of(key), key.partition(".")[2]
        if setting == "limit" and text.strip().lower() in ("", "no limit", "none", "no"):
            return None
        if setting == "shares":
            return parse_shares(text)
        if setting == "headroom_percent":
            return parse_plain(text.replace("%", ""))
        unit = self._desk.units.of(resource, item.id)
        return parse(text, unit, self._desk.look.division.site, item)

    def _refuse(self, key: str, reason: str) -> None:
        self.dials[resource_of(key)].fields[key].refuse(reason)
        self._desk.trial.misread(reason)

    def _on_refused_changed(self) -> None:
        # Once a refusal is answered, no value that was not accepted may be left standing.
        if self._desk.trial.refused is None:
            self._accept_fields()

    def _accept_fields(self) -> None:
        self.flow.accept()
        for dial in self.dials.values():
            for field in dial.fields.values():
                field.accept()

    def _concerned(self, item: Guest | Pool, key: str) -> list[str]:
        """Give what a dial turns: the current item, and all that is selected with it and has the setting."""
        plan = self._desk.document.plan
        others = [other for other in self._desk.selection.ids if other != item.id and has_setting(plan, other, key)]
        return [item.id, *others]

    def _try(self, key: str, value: float | None, *, preview: bool = False, merges: str = "") -> None:
        item = self._desk.selection.item
        if item is None:
            return
        ids, self._refused = self._concerned(item, key), None
        text = setting_edit_text(self._desk, ids, key, value)
        step = settings_step(text, [(target, {key: value}) for target in ids], merges=merges)
        try:
            if preview:
                self._desk.trial.try_(step)
            elif any(value != get_setting(find_setting_owner(self._desk.look.plan, target), key) for target in ids):
                self._desk.trial.make(step)
        except EditError as error:
            if preview and isinstance(error, PromiseRefusedError):
                self._refused = error
            self._refuse(key, str(error))
            return
        self._desk.trial.not_accepted.emit("")
        self.dials[resource_of(key)].fields[key].accept()


def find_setting_owner(plan: Plan, target: str) -> Guest | Pool:
    """Give a selected guest or pool."""
    item = find_item(plan, target)
    assert isinstance(item, Guest | Pool)
    return item
