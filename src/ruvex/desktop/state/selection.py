"""Which guests and pools are selected, or which host."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.desktop.state.document import Document
from ruvex.desktop.state.look import Look
from ruvex.plan import Guest, Host, Pool, Store, find_item


class Selection(QObject):
    """The selected rows.

    Attributes
    ----------
    current
        The id of the guest or pool that the dials show, or None for the supply row.
    ids
        All selected guests and pools, the current one among them.
    place
        The id of the host, bank (``host:bank``), store or links (``host:link``) selected instead, or None.

    Signals
    -------
    changed()
        Others are selected.
    """

    changed = pyqtSignal()

    def __init__(self, document: Document, look: Look, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._look = look
        self.current: str | None = None
        self.ids: tuple[str, ...] = ()
        self.place: str | None = None
        document.closing.connect(self._forget)
        look.rows_changed.connect(self._keep_what_is_there)

    @property
    def item(self) -> Guest | Pool | None:
        """The current guest or pool, as shown."""
        item = find_item(self._look.plan, self.current) if self.current else None
        return item if isinstance(item, Guest | Pool) else None

    @property
    def host(self) -> Host | None:
        """The selected host, or the one of the selected bank."""
        found = self._look.plan.host_index.get((self.place or "").partition(":")[0])
        return None if found is None else self._look.plan.hosts[found]

    @property
    def store(self) -> Store | None:
        """The selected store."""
        found = self._look.plan.store_index.get(self.place or "")
        return None if found is None else self._look.plan.stores[found]

    @property
    def row_id(self) -> str | None:
        """The row that is current: of a guest, a pool, a host or a bank."""
        return self.current or self.place

    def select(self, item_id: str | None) -> None:
        """Select one guest or pool, or one host or bank, or with None the supply row."""
        self.select_many(() if item_id is None else (item_id,), item_id)

    def select_many(self, ids: Iterable[str], current: str | None) -> None:
        """Select guests and pools; the current one is what the dials show."""
        there = self._look.division.position
        chosen = tuple(item for item in dict.fromkeys(ids) if item in there)
        place = None
        if current is not None and current not in there:
            # A host among guests is passed over; alone it is what is selected.
            is_place = current.partition(":")[0] in self._look.plan.host_index or current in self._look.plan.store_index
            place = current if is_place and not chosen else None
            current = chosen[-1] if chosen else None
        if (chosen, current, place) != (self.ids, self.current, self.place):
            self.ids, self.current, self.place = chosen, current, place
            self.changed.emit()

    def _forget(self) -> None:
        self.select(None)

    def _keep_what_is_there(self) -> None:
        there = self._look.division.position
        ids = tuple(item for item in self.ids if item in there)
        current = self.current if self.current in there else next(iter(ids), None)
        is_there = (self.host is not None or self.store is not None) and self.place is not None
        self.select_many(ids, self.place if is_there and current is None else current)
