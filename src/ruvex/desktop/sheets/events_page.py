"""The events of the plan: listed, added at the moment, changed and removed, each as one step that can be undone."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Final

from pydantic import TypeAdapter, ValidationError
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from ruvex.desktop.kit.plain_list import PlainList
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.form import Field, Form
from ruvex.desktop.sheets.side_sheet import Page
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.events import EventEditor, event_text
from ruvex.plan import Event, Plan, SetEvent, UnitError, find_item, get_setting, has_setting

_KINDS: Final = (
    ("power-on", "power on"), ("power-off", "power off"), ("restart", "restart"), ("surge", "surge"),
    ("set", "set a setting"), ("move", "move to a host"), ("host-down", "a host is lost"),
    ("host-up", "a host comes back"),
)  # fmt: skip
_SETTINGS: Final[Mapping[str, tuple[str, str]]] = {
    "cpu.reservation": ("CPU reservation", "mhz"), "cpu.limit": ("CPU limit", "mhz-limit"),
    "cpu.shares": ("CPU shares", "shares"), "memory.reservation": ("memory reservation", "mib"),
    "memory.limit": ("memory limit", "mib-limit"), "memory.shares": ("memory shares", "shares"),
    "memory.size": ("size", "mib"), "memory.floor": ("floor", "mib"), "memory.ceiling": ("ceiling", "mib"),
    "memory.headroom_percent": ("headroom", "percent"), "vcpus": ("vCPUs", "whole"),
    "demand.cpu": ("CPU demand", "mhz"), "demand.working": ("working set", "mib"), "agent": ("agent", "flag"),
}  # fmt: skip
_READ: Final[TypeAdapter[Event]] = TypeAdapter(Event)
_WHEN: Final = (Field("at", "when", "time"), Field("do", "what happens", "choice", choices=_KINDS))
_OF_SURGE: Final = (Field("factor", "times the demand", "number"), Field("for_s", "for so long", "seconds"))
_SURGE: Final[Mapping[str, Any]] = {"factor": 1.7, "for_s": 720.0}


class EventsPage(Page):
    """A list of events, and the one that is selected as a form.

    Attributes
    ----------
    entries
        The events.
    add_button, remove_button
        Adds one at the moment; removes the selected one.
    when, whom, surge, settings, note
        The forms of the selected one; which of them show depends on what happens.
    """

    def __init__(self, desk: Desk, editor: EventEditor, theme: Theme) -> None:
        super().__init__()
        self._desk, self._editor, self._theme = desk, editor, theme
        self._hint = QLabel("What happens in the course of the day. Flags above the lanes can be dragged too.", self)
        self._hint.setWordWrap(True)
        set_role(self._hint, "muted")
        self.entries = PlainList(theme, "Events", self)
        self.add_button, self.remove_button = QPushButton("Add at the moment", self), QPushButton("Remove", self)
        self.add_button.clicked.connect(self.add)
        self.remove_button.clicked.connect(self._on_remove)
        row = QHBoxLayout()
        row.addWidget(self.add_button)
        row.addWidget(self.remove_button)
        row.addStretch(1)
        self.when = self._form(_WHEN)
        self.whom = self._form((Field("target", "to whom", "choice"), Field("host", "to host", "choice")))
        self.surge = self._form(_OF_SURGE)
        self.settings = self._form((Field("setting", "which setting", "choice"),))
        self.value = self._form((Field("value", "to", "text"),))
        self.note = self._form((Field("note", "note", "text"),))
        self._forms = (self.when, self.whom, self.surge, self.settings, self.value, self.note)
        self.refusal = QLabel(self)
        self.refusal.setWordWrap(True)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 6, 0)
        column.setSpacing(8)
        column.addWidget(self._hint)
        column.addWidget(self.entries)
        column.addLayout(row)
        for form in self._forms:
            column.addWidget(form)
        column.addWidget(self.refusal)
        column.addStretch(1)
        self.entries.chosen.connect(self._on_chosen)
        editor.selection_changed.connect(self._on_changed)
        desk.document.edited.connect(lambda _text: self._on_changed())
        desk.document.opened.connect(self._on_changed)
        desk.trial.not_accepted.connect(self._on_not_accepted)

    def _form(self, fields: tuple[Field, ...]) -> Form:
        form = Form(fields, self._theme, self)
        form.entered.connect(self._enter)
        form.misread.connect(lambda _key, reason: self._on_not_accepted(reason))
        return form

    @property
    def title(self) -> str:
        """Name the page."""
        return "Events"

    @property
    def _event(self) -> Event | None:
        number = self._editor.selected
        return None if number is None else self._editor.events[number]

    # Showing

    def enter(self) -> None:
        """Show the events, and the selected one."""
        plan = self._desk.document.plan
        lines = [(i, event_text(event, plan)) for i, event in enumerate(plan.events)]
        self.entries.show_lines(lines, self._editor.selected)
        self.entries.setVisible(bool(lines))
        event = self._event
        self.remove_button.setEnabled(event is not None)
        for form in self._forms:
            form.setVisible(event is not None)
        if event is not None:
            self._show_event(plan, event)

    def _show_event(self, plan: Plan, event: Event) -> None:
        self.when.show_values({"at": event.at, "do": event.do})
        self.whom.offer("target", _targets(plan, event.do))
        self.whom.offer("host", [(host.id, host.label) for host in plan.hosts])
        self.whom.show_values({"target": event.target, "host": getattr(event, "host", None)})
        self.whom.set_shown("host", shown=event.do == "move")
        self.surge.setVisible(event.do == "surge")
        if event.do == "surge":
            self.surge.show_values({"factor": getattr(event, "factor", 1.0), "for_s": getattr(event, "for_s", 0.0)})
        self.settings.setVisible(event.do == "set")
        self.value.setVisible(event.do == "set")
        if isinstance(event, SetEvent):
            key, value = next(iter(event.change.items()))
            offered = [(k, name) for k, (name, _) in _SETTINGS.items() if has_setting(plan, event.target, k)]
            if key not in dict(offered):
                offered.append((key, key.rpartition(".")[2].replace("_", " ")))
            self.settings.offer("setting", offered)
            self.settings.show_values({"setting": key})
            self.value.set_kind("value", _SETTINGS.get(key, ("", "text"))[1])
            self.value.show_values({"value": value})
        self.note.show_values({"note": event.note})

    def _on_changed(self) -> None:
        if self.isVisible():
            self.refusal.clear()
            self.enter()

    def _on_not_accepted(self, reason: str) -> None:
        if self.isVisible():
            self.refusal.setText(f"Not accepted: {reason}" if reason else "")

    # Editing

    def add(self) -> None:
        """Add a restart of what is selected at the moment, or of the first guest; it can be changed at once."""
        plan, selection = self._desk.document.plan, self._desk.selection
        at_s = plan.moment
        host = selection.host
        if host is not None:
            fields: dict[str, Any] = {"do": "host-down", "target": host.id}
        elif selection.current in plan.pool_index:
            fields = {"do": "surge", "target": selection.current, **_SURGE}
        else:
            guest = selection.current or (plan.guests[0].id if plan.guests else None)
            if guest is None:
                self._on_not_accepted("there is nobody yet to whom something could happen")
                return
            fields = {"do": "restart", "target": guest}
        self._editor.add(_READ.validate_python({"at": at_s, **fields}))

    def _on_remove(self) -> None:
        if self._editor.selected is not None:
            self._editor.remove(self._editor.selected)

    def _on_chosen(self, number: int) -> None:
        self._editor.select(number)
        event = self._event
        if event is not None:
            self._desk.look.set_moment(event.at)

    def _enter(self, key: str, value: Any) -> None:
        event, number = self._event, self._editor.selected
        if event is None or number is None:
            return
        fields = event.model_dump()
        if key == "do":
            fields = self._other_kind(event, str(value))
        elif key == "target":
            fields["target"] = value
            if isinstance(event, SetEvent):
                fields["change"] = self._change_for(str(value), next(iter(event.change)))
        elif key == "setting":
            fields["change"] = self._change_for(event.target, str(value))
        elif key == "value":
            fields["change"] = {next(iter(fields["change"])): value}
        else:
            fields[key] = value
        try:
            new = _READ.validate_python(fields)
        except (ValidationError, UnitError):
            self._on_not_accepted("this value cannot be; look at its unit and size")
            return
        if self._editor.change(number, new):
            for form in self._forms:
                for name in form.fields:
                    form.accept(name)
        self.enter()

    def _other_kind(self, event: Event, do: str) -> dict[str, Any]:
        """Give the fields of another kind of event at the same time, for the same target where it can be."""
        plan = self._desk.document.plan
        possible = [target for target, _ in _targets(plan, do)]
        target = event.target if event.target in possible else (possible[0] if possible else event.target)
        fields: dict[str, Any] = {"at": event.at, "note": event.note, "id": event.id, "do": do, "target": target}
        if do == "surge":
            fields |= _SURGE
        elif do == "move":
            guest = plan.guests[plan.guest_index[target]]
            fields["host"] = next((host.id for host in plan.hosts if host.id != guest.host), guest.host)
        elif do == "set":
            fields["change"] = self._change_for(target, "cpu.shares")
        return fields

    def _change_for(self, target: str, key: str) -> dict[str, Any]:
        """Give the change of a setting to what it is, to be typed over; the first it has where it has not that one."""
        plan = self._desk.document.plan
        if not has_setting(plan, target, key):
            key = next((k for k in _SETTINGS if has_setting(plan, target, k)), key)
        item = find_item(plan, target)
        value = None if item is None else get_setting(item, key)
        return {key: value if isinstance(value, int | float | str | bool | None) else 0.0}

    def style_anew(self) -> None:
        """Take fonts from the theme."""
        for form in self._forms:
            form.style_anew()
        self.entries.style_anew()
        for widget in (self._hint, self.add_button, self.remove_button, self.refusal):
            widget.setFont(self._theme.font(12))


def _targets(plan: Plan, do: str) -> list[tuple[str, str]]:
    """Give to whom something can happen."""
    guests = [(guest.id, guest.label) for guest in plan.guests]
    pools = [(pool.id, f"pool {pool.label}") for pool in plan.pools]
    hosts = [(host.id, f"host {host.label}") for host in plan.hosts]
    if do in ("host-down", "host-up"):
        return hosts
    if do == "surge":
        return [*guests, *pools]
    stores = [(store.id, f"store {store.label}") for store in plan.stores]
    return [*guests, *pools, *hosts, *stores] if do == "set" else guests
