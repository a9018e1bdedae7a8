"""Hosts as columns that go through the whole view: a unit, a homecoming and a move are read by the same ones."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from PyQt6.QtCore import QObject, pyqtSignal

from ruvex.desktop.kit.theme import Theme
from ruvex.plan import Plan

LEFT: Final = 218
RIGHT: Final = 316
_GAP: Final = 22
_LEAST: Final = 108
_MOST: Final = 260
"""How narrow and how wide a column gets, px at the standard text size."""
ROOMY: Final = 1010
"""A view narrower than this has the words below the columns, not beside them."""


@dataclass(frozen=True, slots=True)
class HostColumn:
    """A host's place: its position in the plan, where it begins and how wide it is, px."""

    host: int
    x: float
    width: float

    @property
    def right(self) -> float:
        """Where it ends."""
        return self.x + self.width


class HostColumns(QObject):
    """Where the hosts stand.

    Attributes
    ----------
    first
        The first host that is shown, where there is not room for all.

    Signals
    -------
    changed()
        Others are shown, or elsewhere.
    """

    changed = pyqtSignal()

    def __init__(self, theme: Theme, parent: QObject) -> None:
        super().__init__(parent)
        self._theme, self.first = theme, 0
        self._plan: Plan | None = None
        self._columns: tuple[HostColumn, ...] = ()
        self._width = 0

    def place(self, plan: Plan, width: int) -> None:
        """Place the hosts of a plan in a width; wide ones have more memory, as far as there is room."""
        if plan is self._plan and width == self._width:
            return
        self._plan, self._width = plan, width
        self._lay_out()

    def _lay_out(self) -> None:
        px = self._theme.px
        hosts = self._plan.hosts if self._plan is not None else ()
        gap, least = px(_GAP), px(_LEAST)
        fits = max(1, (self._width + gap) // (least + gap))
        self.first = min(self.first, max(len(hosts) - fits, 0))
        shown = list(range(self.first, min(self.first + fits, len(hosts))))
        room = self._width - gap * max(len(shown) - 1, 0)
        total = sum(hosts[at].memory_mib for at in shown) or 1.0
        wide = [min(max(room * hosts[at].memory_mib / total, least), px(_MOST)) for at in shown]
        over = sum(wide) - room
        if over > 0:
            # Small hosts have their least width; the others give way.
            spare = sum(one - least for one in wide) or 1.0
            wide = [one - (one - least) * min(over / spare, 1.0) for one in wide]
        x, found = 0.0, []
        for at, one in zip(shown, wide, strict=True):
            found.append(HostColumn(at, x, one))
            x += one + gap
        self._columns = tuple(found)
        self.changed.emit()

    def step(self, by: int) -> None:
        """Show others."""
        self.first = max(0, self.first + by)
        self._lay_out()

    @property
    def all(self) -> tuple[HostColumn, ...]:
        """Those that are shown, from left to right."""
        return self._columns

    @property
    def is_partial(self) -> bool:
        """Whether not all hosts are shown."""
        return self._plan is not None and len(self._columns) < len(self._plan.hosts)

    def of(self, host: int) -> HostColumn | None:
        """Give the column of a host, None where it is not shown."""
        return next((one for one in self._columns if one.host == host), None)
