"""Which guests and pools are selected."""

from __future__ import annotations

from collections.abc import Iterable

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.desktop.state.document import Document
from ruvex.desktop.state.look import Look
from ruvex.plan import Guest, Pool, find_item


class Selection(QObject):
    """The selected rows.

    Attributes
    ----------
    current
        The id of the guest or pool that the dials show, or None for the supply row.
    ids
        All selected guests and pools, the current one among them.

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
        document.closing.connect(self._forget)
        look.rows_changed.connect(self._keep_what_is_there)

    @property
    def item(self) -> Guest | Pool | None:
        """The current guest or pool, as shown."""
        item = find_item(self._look.plan, self.current) if self.current else None
        return item if isinstance(item, Guest | Pool) else None

    def select(self, item_id: str | None) -> None:
        """Select one guest or pool, or with None the supply row."""
        self.select_many(() if item_id is None else (item_id,), item_id)

    def select_many(self, ids: Iterable[str], current: str | None) -> None:
        """Select guests and pools; the current one is what the dials show."""
        chosen = tuple(dict.fromkeys(ids))
        if (chosen, current) != (self.ids, self.current):
            self.ids, self.current = chosen, current
            self.changed.emit()

    def _forget(self) -> None:
        self.select(None)

    def _keep_what_is_there(self) -> None:
        there = self._look.division.position
        ids = tuple(item for item in self.ids if item in there)
        current = self.current if self.current in there else next(iter(ids), None)
        self.select_many(ids, current)
