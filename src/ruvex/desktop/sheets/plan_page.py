"""The plan itself and its hosts."""

from __future__ import annotations

from typing import Final

from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton

from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.setting_field import SettingField
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.bank_section import BankSection
from ruvex.desktop.sheets.form import Field
from ruvex.desktop.sheets.item_page import ItemPage
from ruvex.desktop.sheets.list_section import ListSection
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.editing import Editor
from ruvex.plan import Host

_HOST: Final = (
    Field("name", "name", "text"),
    Field("mhz", "speed of a core", "mhz"),
    Field("sockets", "sockets", "whole"),
    Field("cores_per_socket", "cores in a socket", "whole"),
    Field("threads_per_core", "threads of a core", "whole"),
    Field("smt_yield", "yield of second threads", "part"),
    Field("overhead_mhz", "CPU it needs itself", "mhz"),
    Field("numa_nodes", "NUMA nodes", "whole"),
    Field("memory_mib", "memory", "mib"),
    Field("overhead_mib", "memory it needs itself", "mib"),
    Field("spill_mib", "spill space", "mib-needed"),
    Field("spill_kind", "spill space lies on", "choice", choices=(("ssd", "ssd"), ("hdd", "hard disk"))),
    Field("store", "spill space lies on the store", "choice"),
    Field("cpu_maker", "maker of the processor", "text"),
    Field("cpu_level", "its level", "whole"),
    Field("up", "up: it has a supply, and guests run on it", "flag"),
)


_LINK: Final = (Field("id", "name", "text"), Field("mib_s", "carries", "mib_s"))


class PlanPage(ItemPage):
    """The name of the plan, and the settings of one of its hosts.

    Attributes
    ----------
    name
        The plan's name.
    hosts
        Which host shows.
    """

    def __init__(self, desk: Desk, editor: Editor, theme: Theme) -> None:
        super().__init__(desk, editor, theme)
        self.name = SettingField("name", "name of the plan", theme, width=306)
        self.name.typed.connect(lambda _key, text: self._on_named(text))
        self._column.addWidget(self.name)
        self._head = QLabel("Host", self)
        self.hosts = Chooser(self)
        self.hosts.setAccessibleName("Host")
        self.hosts.activated.connect(self._on_chosen)
        self.add_button, self.remove_button = QPushButton("Add", self), QPushButton("Remove", self)
        self.add_button.setToolTip("Add a host")
        self.remove_button.setToolTip("Remove this host")
        self.add_button.clicked.connect(self.add_host)
        self.remove_button.clicked.connect(self._on_remove)
        row = QHBoxLayout()
        row.addWidget(self._head)
        row.addWidget(self.hosts, 1)
        row.addWidget(self.add_button)
        row.addWidget(self.remove_button)
        self._column.addLayout(row)
        self._form = self.add_form(_HOST)
        self.bank = BankSection(desk, theme, self)
        self.bank.entered.connect(self._on_bank)
        self.bank.misread.connect(desk.trial.misread)
        self._column.addWidget(self.bank)
        self.links = ListSection(
            "Network links: guests share them, and moves go over them", "link", _LINK,
            lambda link: f"{link.id}   {link.mib_s:.12g} MiB/s", lambda name: {"id": name}, theme, self,
        )  # fmt: skip
        self.links.entered.connect(self._on_links)
        self.links.misread.connect(desk.trial.misread)
        self._column.addWidget(self.links)
        self._column.addStretch(1)
        self._chosen: str | None = None
        desk.selection.changed.connect(self._on_selected)

    @property
    def title(self) -> str:
        """Name the page."""
        return "Plan and hosts"

    def item(self) -> Host | None:
        """Give the host that shows."""
        plan = self._desk.look.plan
        if self._chosen not in plan.host_index:
            self._chosen = plan.hosts[0].id if plan.hosts else None
        return plan.hosts[plan.host_index[self._chosen]] if self._chosen is not None else None

    def choose(self, host: str) -> None:
        """Show a host."""
        self._chosen = host
        # What was refused of the host before is nothing of this one.
        for field in self._form.fields.values():
            field.accept()
        self.enter()

    def _on_selected(self) -> None:
        host = self._desk.selection.host
        if host is not None and host.id != self._chosen and self.isVisible():
            self.choose(host.id)

    def add_host(self) -> None:
        """Add a host and show it."""
        host = self._editor.new_host()
        if host is not None:
            self.choose(host)
            self._form.fields["name"].line.setFocus()

    def enter(self) -> None:
        """Show the plan's name and the host."""
        plan, host = self._desk.look.plan, self.item()
        self.name.show_value(plan.name)
        self.hosts.show_choices([(other.id, other.label) for other in plan.hosts])
        self.hosts.setCurrentIndex(plan.host_index[host.id] if host is not None else -1)
        self._form.setVisible(host is not None)
        self.bank.setVisible(host is not None)
        self.links.setVisible(host is not None)
        self._form.offer("store", [(None, "none that counts"), *((store.id, store.label) for store in plan.stores)])
        self._form.set_shown("store", shown=bool(plan.stores))
        if host is not None:
            self.bank.show_host(host)
            self.links.show_parts(host.id, host.links)
        self.remove_button.setEnabled(host is not None)
        super().enter()

    def _on_named(self, text: str) -> None:
        self._editor.rename_plan(text.strip())
        self.name.accept()

    def _on_bank(self, text: str, bank: object) -> None:
        host = self.item()
        if host is not None:
            self._editor.change(f"{host.label}: {text}", host.id, {"bank": bank})
            self.bank.accept()
            self.enter()

    def _on_links(self, text: str, links: object) -> None:
        host = self.item()
        if host is not None and self._editor.change(f"{host.label}: {text}", host.id, {"links": links}):
            self.links.accept()
        self.enter()

    def _on_chosen(self) -> None:
        self.choose(str(self.hosts.currentData()))

    def _on_remove(self) -> None:
        host = self.item()
        if host is not None:
            self._editor.delete_host(host.id)

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        super().style_anew()
        self.name.style_anew()
        self.bank.style_anew()
        self.links.style_anew()
        self._head.setFont(self._theme.font(13, bold=True))
        for widget in (self.hosts, self.add_button, self.remove_button):
            widget.setFont(self._theme.font(12))
