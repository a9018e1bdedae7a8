"""The full settings of a guest or a pool."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final

from pydantic import BaseModel
from PyQt6.QtWidgets import QLabel

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.form import Field, Form
from ruvex.desktop.sheets.item_page import ItemPage
from ruvex.desktop.sheets.list_section import ListSection
from ruvex.desktop.sheets.signal_field import SignalField
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.editing import Editor
from ruvex.desktop.state.steps import settings_step
from ruvex.plan import (
    Disk,
    EditError,
    ElasticMemory,
    FixedMemory,
    Guest,
    Memory,
    Pool,
    ThinMemory,
    find_item,
    has_setting,
    pools_within,
)
from ruvex.words import flow_amount

_TOP: Final = (None, "the top")
_ADDED: Final[tuple[tuple[Any, str], ...]] = (
    ((), "nothing"), (("memory",), "memory"), (("vcpus",), "vCPUs"), (("memory", "vcpus"), "memory and vCPUs"),
)  # fmt: skip
_GUEST: Final = (
    Field("name", "name", "text"),
    Field("pool", "pool", "choice"),
    Field("host", "host", "choice"),
    Field("power", "power", "choice", choices=(("on", "on"), ("off", "off"))),
    Field("vcpus", "vCPUs", "whole"),
    Field("boot_s", "boot takes", "seconds"),
    Field("tags", "tags, with commas", "tags"),
    Field("image", "image", "text"),
    Field("hot_add", "can be added while on", "choice", choices=_ADDED),
    Field("hot_remove", "can be taken while on", "choice", choices=(((), "nothing"), (("vcpus",), "vCPUs"))),
    Field("cpu_level", "its programs see level", "whole-or-host"),
    Field("comes_back", "comes back after a loss", "turn"),
    Field("otherwise_mib", "would have otherwise", "mib-ceiling"),
    Field("dedicated_cores", "cores of its own, which nobody else gets", "flag"),
    Field("agent", "agent installed: it can balloon and grow", "flag"),
)
_CORES: Final = (
    Field("cores.only", "keeps to cores", "cores", "Such as 0-3, 8; all if left empty."),
    Field("cores.second_threads", "runs on second threads too", "flag"),
    Field("cores.side_by_side", "vCPUs side by side on few cores", "flag"),
    Field("demand.burst.ms", "a vCPU runs at once for", "ms", "On average, before it sleeps: long for computing."),
    Field("demand.burst.even", "always just that long", "flag"),
)
_CPU: Final = (
    Field("cpu.reservation", "CPU reservation", "mhz"),
    Field("cpu.limit", "CPU limit", "mhz-limit"),
    Field("cpu.shares", "CPU shares", "shares"),
)
_MODE: Final = Field(
    "memory.mode", "memory mode", "choice",
    choices=(("thin", "thin"), ("elastic", "elastic"), ("fixed", "fixed")),
)  # fmt: skip
_MEMORY: Final = {
    "thin": (
        Field("memory.size", "size", "mib"),
        Field("memory.reservation", "memory reservation", "mib"),
        Field("memory.limit", "memory limit", "mib-limit"),
        Field("memory.shares", "memory shares", "shares"),
        Field("memory.bank", "lives in the bank of its host", "flag"),
        Field("memory.spill_volume", "spill volume there", "text-or-any"),
    ),
    "elastic": (
        Field("memory.boot", "boot size", "mib"),
        Field("memory.floor", "floor", "mib"),
        Field("memory.ceiling", "ceiling", "mib"),
        Field("memory.headroom_percent", "headroom", "percent"),
        Field("memory.shares", "memory shares", "shares"),
    ),
    "fixed": (Field("memory.size", "size", "mib"), Field("memory.shares", "memory shares", "shares")),
}
_WORK: Final = Field(
    "demand.kind", "kind of work", "choice",
    choices=(("interactive", "interactive"), ("batch", "batch")),
)  # fmt: skip
_GREEDY: Final = Field("demand.greedy", "fills all the memory it is given, as databases do", "flag")
_LEAVES: Final = Field("demand.leaves_percent", "and leaves of it", "percent")
_CACHE: Final = Field("demand.cache_percent", "spare memory as cache", "percent", "What files it reads stay in.")
_DISK: Final = (
    Field("id", "name", "text"),
    Field("store", "on the store", "choice"),
    Field("shares", "shares there", "shares"),
    Field("limit_ops", "limit", "ops-limit"),
    Field("reservation_ops", "reservation", "ops"),
)
_FLOWS: Final = (
    Field("demand.kib_per_op", "a transfer has", "kib"),
    Field("link.shares", "shares of its host's links", "shares"),
    Field("link.limit_mib_s", "limit there", "mib_s-limit"),
)
_SIGNALS: Final = (
    ("demand.cpu", "CPU demand"),
    ("demand.working", "working set"),
    ("demand.touched", "touched"),
    ("demand.ops", "transfers a second"),
    ("demand.net_mib_s", "traffic, MiB/s"),
)
_OF_DISKS, _OF_LINKS = "demand.ops", "demand.net_mib_s"
_POOL: Final = (
    Field("name", "name", "text"),
    Field("parent", "lies in", "choice"),
    Field("owner", "owner", "text"),
    Field(
        "weighs",
        "weighs",
        "choice",
        "By its members: its shares count once for every guest in it that is on.",
        (("as-one", "as one"), ("by-members", "by its members")),
    ),
    Field("cpu.reservation", "CPU reservation", "mhz"),
    Field("cpu.limit", "CPU limit", "mhz-limit"),
    Field("cpu.shares", "CPU shares", "shares"),
    Field("cpu.draws", "CPU: draws on its parent", "flag", "Its members may claim more than its reservation."),
    Field("memory.reservation", "memory reservation", "mib"),
    Field("memory.limit", "memory limit", "mib-limit"),
    Field("memory.shares", "memory shares", "shares"),
    Field("memory.draws", "memory: draws on its parent", "flag", "Its members may claim more than its reservation."),
)


def other_mode(memory: Memory, mode: str) -> Memory:
    """Give memory settings of another mode that keep what both modes have in common."""
    size = memory.ceiling if isinstance(memory, ElasticMemory) and mode != "elastic" else memory.size
    if mode == "fixed":
        return FixedMemory(mode="fixed", size=size, shares=memory.shares)
    held = getattr(memory, "reservation", getattr(memory, "floor", 0.0))
    if mode == "elastic":
        floor = min(held or size / 4, size)
        return ElasticMemory(mode="elastic", boot=size, floor=floor, ceiling=size, shares=memory.shares)
    return ThinMemory(size=size, reservation=held, shares=memory.shares)


class GuestPage(ItemPage):
    """All settings of the selected guest, its workload as curves."""

    def __init__(self, desk: Desk, editor: Editor, theme: Theme) -> None:
        super().__init__(desk, editor, theme)
        self._identity = self.add_form(_GUEST)
        self.mode_form = self.add_form((_MODE,))
        self.mode_form.entered.disconnect()
        self.mode_form.entered.connect(self._on_mode)
        self.memory_forms = {mode: self.add_form(fields) for mode, fields in _MEMORY.items()}
        self._cpu = self.add_form(_CPU)
        self._hint = QLabel("Workload: drag the points of a curve, or type.", self)
        self._column.addWidget(self._hint)
        self._work = self.add_form((_WORK, _LEAVES, _GREEDY, _CACHE))
        self._cores = self.add_form(_CORES)
        self.disks = ListSection("Disks", "disk", _DISK, self._disk_text, self._new_disk, theme, self)
        self.disks.entered.connect(self._on_disks)
        self.disks.misread.connect(desk.trial.misread)
        self._column.addWidget(self.disks)
        self._flows = self.add_form(_FLOWS)
        self.signals = {key: SignalField(key, name, desk, theme, self) for key, name in _SIGNALS}
        for key, field in self.signals.items():
            self._column.addWidget(field)
            field.tried.connect(lambda signal, key=key: self._on_signal(key, signal, final=False))
            field.entered.connect(lambda signal, key=key: self._on_signal(key, signal, final=True))
            field.misread.connect(desk.trial.misread)
        self._column.addStretch(1)
        desk.selection.changed.connect(self._on_selected)

    @property
    def title(self) -> str:
        """Name the guest."""
        return self.label()

    def item(self) -> Guest | None:
        """Give the selected guest."""
        item = self._desk.selection.item
        return item if isinstance(item, Guest) else None

    def targets(self, key: str) -> list[str]:
        """Give all selected guests that have a setting; a name is one guest's own."""
        return _all_selected(self._desk, self.target(), key)

    def items(self) -> Sequence[BaseModel]:
        """Give all selected guests."""
        return _items_selected(self._desk, self.item())

    def shown_forms(self, item: BaseModel) -> list[Form]:
        """Offer pools and hosts, and the memory settings of the guest's mode."""
        assert isinstance(item, Guest)
        plan = self._desk.look.plan
        self._identity.offer("pool", [_TOP, *((pool.id, pool.label) for pool in plan.pools)])
        hosts: list[tuple[Any, str]] = [(host.id, host.label) for host in plan.hosts]
        if len(plan.hosts) < 2:
            hosts = [(item.host, plan.hosts[0].label if plan.hosts else "no host yet")]
        self._identity.offer("host", hosts)
        mode = item.memory.mode
        for name, form in self.memory_forms.items():
            form.setVisible(name == mode)
        stores, links = bool(plan.stores), any(host.links for host in plan.hosts)
        self.disks.form.offer("store", [(store.id, store.label) for store in plan.stores])
        self.disks.setVisible(stores)
        self.disks.show_parts(item.id, item.disks)
        self._flows.setVisible(stores or links)
        for key, field in self.signals.items():
            field.setVisible(key not in (_OF_DISKS, _OF_LINKS) or (stores if key == _OF_DISKS else links))
            field.show_signal(item, key)
        forms = [self._identity, self.mode_form, self.memory_forms[mode], self._cpu, self._work, self._cores]
        return [*forms, self._flows] if stores or links else forms

    def _disk_text(self, disk: Disk) -> str:
        plan, guest = self._desk.look.plan, self.item()
        at = plan.store_index.get(disk.store)
        where = plan.stores[at].label if at is not None else disk.store
        taps = self._desk.look.division.flowing.of(guest.id) if guest is not None else ()
        tap = next((one for one in taps if one.disk == disk.id and one.place == disk.store), None)
        return f"{disk.id} on {where}" + (f"   {flow_amount(tap.delivered, 'store')}" if tap is not None else "")

    def _new_disk(self, name: str) -> dict[str, Any]:
        return {"id": name, "store": self._desk.document.plan.stores[0].id}

    def _on_disks(self, text: str, disks: object) -> None:
        guest = self.item()
        if guest is not None and self._editor.change(f"{guest.label}: {text}", guest.id, {"disks": disks}):
            self.disks.accept()
        self.enter()

    def _on_mode(self, _key: str, mode: str) -> None:
        guest = self.item()
        if guest is not None and mode != guest.memory.mode:
            memory = other_mode(guest.memory, mode).model_dump()
            self._editor.change(f"{guest.label}: memory mode → {mode}", guest.id, {"memory": memory})
        self.enter()

    def _on_signal(self, key: str, signal: Any, *, final: bool) -> None:
        guest = self.item()
        if guest is None:
            return
        step = settings_step(f"{guest.label}: {self.signals[key].name} over the day", [(guest.id, {key: signal})])
        try:
            if final:
                self._desk.trial.give_up()
                self._desk.trial.make(step)
            else:
                self._desk.trial.try_(step)
        except EditError as error:
            self._desk.trial.not_accepted.emit(str(error))
        if final:
            self.enter()

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        super().style_anew()
        self._hint.setFont(self._theme.font(12, bold=True))
        for field in self.signals.values():
            field.style_anew()
        self.disks.style_anew()


class PoolPage(ItemPage):
    """All settings of the selected pool."""

    def __init__(self, desk: Desk, editor: Editor, theme: Theme) -> None:
        super().__init__(desk, editor, theme)
        self._form = self.add_form(_POOL)
        self._column.addStretch(1)
        desk.selection.changed.connect(self._on_selected)

    @property
    def title(self) -> str:
        """Name the pool."""
        return self.label()

    def item(self) -> Pool | None:
        """Give the selected pool."""
        item = self._desk.selection.item
        return item if isinstance(item, Pool) else None

    def targets(self, key: str) -> list[str]:
        """Give all selected pools that have a setting; a name is one pool's own."""
        return _all_selected(self._desk, self.target(), key)

    def items(self) -> Sequence[BaseModel]:
        """Give all selected pools."""
        return _items_selected(self._desk, self.item())

    def shown_forms(self, item: BaseModel) -> list[Form]:
        """Offer the pools it can lie in."""
        assert isinstance(item, Pool)
        plan = self._desk.look.plan
        inside = pools_within(plan, item.id)
        others = [(pool.id, pool.label) for pool in plan.pools if pool.id not in inside]
        self._form.offer("parent", [_TOP, *others])
        return self.forms


def _items_selected(desk: Desk, first: Guest | Pool | None) -> list[BaseModel]:
    """Give all selected items of the kind of one, that one first."""
    if first is None:
        return []
    plan = desk.look.plan
    found = (find_item(plan, other) for other in desk.selection.ids if other != first.id)
    return [first, *(other for other in found if isinstance(other, type(first)))]


def _all_selected(desk: Desk, first: str, key: str) -> list[str]:
    if key == "name":
        return [first]
    plan = desk.document.plan
    kind = type(find_item(plan, first))
    others = [other for other in desk.selection.ids if other != first and isinstance(find_item(plan, other), kind)]
    return [first, *(other for other in others if has_setting(plan, other, key))]
