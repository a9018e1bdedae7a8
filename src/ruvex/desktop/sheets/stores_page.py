"""The stores of the plan: what each does, and whose disks are on it."""

from __future__ import annotations

from typing import Final

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton

from ruvex.desktop.kit.chooser import Chooser
from ruvex.desktop.kit.style import set_role
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.sheets.form import Field
from ruvex.desktop.sheets.item_page import ItemPage
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.editing import Editor
from ruvex.plan import Store, format_number
from ruvex.words import flow_amount, slowed_text

_STORE: Final = (
    Field("name", "name", "text"),
    Field("ops", "transfers a second", "ops"),
    Field("mib_s", "at most", "mib_s", "Large transfers take as much of its time as this says."),
    Field("kind", "lies on", "choice", choices=(("ssd", "ssd"), ("hdd", "hard disk"))),
    Field("promises", "promises: disks on it may have reservations", "flag"),
)
_NONE: Final = "Without a store disks are no matter. Add one, then give guests disks on it in their settings (F4)."
_MOST_NAMED: Final = 12


class StoresPage(ItemPage):
    """The settings of one of the stores.

    Attributes
    ----------
    stores
        Which store shows.
    told
        Whose disks are on it, and what they have.
    """

    def __init__(self, desk: Desk, editor: Editor, theme: Theme) -> None:
        super().__init__(desk, editor, theme)
        self.stores = Chooser(self)
        self.stores.setAccessibleName("Store")
        self.stores.activated.connect(lambda _index: self.choose(str(self.stores.currentData())))
        self.add_button, self.remove_button = QPushButton("Add", self), QPushButton("Remove", self)
        self.add_button.setToolTip("Add a store")
        self.remove_button.setToolTip("Remove this store and the disks on it")
        self.add_button.clicked.connect(self.add_store)
        self.remove_button.clicked.connect(self._on_remove)
        row = QHBoxLayout()
        row.addWidget(self.stores, 1)
        row.addWidget(self.add_button)
        row.addWidget(self.remove_button)
        self._column.addLayout(row)
        self._form = self.add_form(_STORE)
        self.told = QLabel(self)
        self.told.setWordWrap(True)
        self.told.setTextFormat(Qt.TextFormat.PlainText)
        set_role(self.told, "muted")
        self._column.addWidget(self.told)
        self._column.addStretch(1)
        self._chosen: str | None = None
        desk.selection.changed.connect(self._on_selected)

    @property
    def title(self) -> str:
        """Name the page."""
        return "Stores"

    def item(self) -> Store | None:
        """Give the store that shows."""
        plan = self._desk.look.plan
        if self._chosen not in plan.store_index:
            self._chosen = plan.stores[0].id if plan.stores else None
        return plan.stores[plan.store_index[self._chosen]] if self._chosen is not None else None

    def choose(self, store: str) -> None:
        """Show a store."""
        self._chosen = store
        for field in self._form.fields.values():
            field.accept()
        self.enter()

    def _on_selected(self) -> None:
        store = self._desk.selection.store
        if store is not None and store.id != self._chosen:
            self.choose(store.id)

    def add_store(self) -> None:
        """Add a store and show it."""
        store = self._editor.new_store()
        if store is not None:
            self.choose(store)
            self._form.fields["name"].line.setFocus()

    def enter(self) -> None:
        """Show the store, and who is on it."""
        plan, store = self._desk.look.plan, self.item()
        self.stores.show_choices([(other.id, other.label) for other in plan.stores])
        self.stores.setCurrentIndex(plan.store_index[store.id] if store is not None else -1)
        self._form.setVisible(store is not None)
        self.remove_button.setEnabled(store is not None)
        self.told.setText(self._who(store) if store is not None else _NONE)
        super().enter()

    def _who(self, store: Store) -> str:
        plan = self._desk.look.plan
        places = self._desk.look.division.flowing.places
        place = next((one for one in places if one.id == store.id), None)
        taps = sorted(place.taps, key=lambda tap: -tap.delivered) if place is not None else []
        lines = [f"{len(taps)} disks of guests that are on." if len(taps) != 1 else "1 disk of a guest that is on."]
        if place is not None and place.taken > 0:
            lines.append(f"Paging takes {flow_amount(place.taken, 'store')}.")
        for tap in taps[:_MOST_NAMED]:
            label = plan.labels[tap.guest]
            of = f"{format_number(tap.delivered)} of " if tap.slowed_by else ""
            why = f", {slowed_text(tap)}" if tap.slowed_by in ("own limit", "elsewhere") else ""
            lines.append(f"{label}, {tap.disk}: {of}{flow_amount(tap.wanted, 'store')}{why}")
        more = len(taps) - _MOST_NAMED
        return "\n".join([*lines, *([f"and {more} more"] if more > 0 else [])])

    def _on_remove(self) -> None:
        store = self.item()
        if store is not None:
            self._editor.delete_store(store.id)

    def style_anew(self) -> None:
        """Take fonts and colours from the theme."""
        super().style_anew()
        for widget in (self.stores, self.add_button, self.remove_button, self.told):
            widget.setFont(self._theme.font(12))
