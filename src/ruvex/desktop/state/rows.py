"""Which rows of a division are visible, in which order, which colour each has, and where it stands."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np

from ruvex.divide import Division
from ruvex.plan import RESOURCES, Guest, Plan, Pool

ORDERS: Final[Mapping[str, str]] = {"tree": "in plan order", "hurt": "worst hit first", "name": "by name"}
"""The orders among peers, and what they are called."""


@dataclass(frozen=True, slots=True)
class Row:
    """One visible row.

    Attributes
    ----------
    index
        Its row in the division.
    item_id, label, depth
        Which guest or pool, what it is called, 0 at the top.
    is_pool, is_folded, is_on
        What it is, whether its members are hidden, whether it takes part.
    hue
        The number of its top-level pool, None beside the pools.
    is_context
        It is shown only because something in it was looked for.
    """

    index: int
    item_id: str
    label: str
    depth: int
    is_pool: bool
    is_folded: bool
    is_on: bool
    hue: int | None
    is_context: bool = False


def host_label(division: Division, row: int) -> str:
    """Give the name of the host a guest's row is on, where there are several; else nothing."""
    plan = division.site.plan
    host = division.host_of(row) if len(plan.hosts) > 1 else None
    return "" if host is None else plan.hosts[plan.host_index[host]].label


class RowList:
    """The visible rows of a division in order, with their places in pixels."""

    def __init__(self) -> None:
        self.rows: list[Row] = []
        self.tops: list[int] = [0]
        self._number: dict[str, int] = {}

    def rebuild(
        self,
        division: Division,
        plan: Plan,
        folded: set[str],
        heights: tuple[int, int],
        *,
        order: str = "tree",
        wanted: str = "",
    ) -> None:
        """Lay the rows out anew.

        Parameters
        ----------
        folded
            The pools whose members are hidden; while something is looked for, all are shown.
        heights
            Those of a guest's and of a pool's row in pixels.
        order
            One of ``ORDERS``: how peers follow each other; members stay below their pool.
        wanted
            Words; only items that have all of them in their name or tags are shown, with the pools they are in.
        """
        both: tuple[Pool | Guest, ...] = (*plan.pools, *plan.guests)
        items = {item.id: item for item in both}
        found = _found(division, items, wanted) if wanted.strip() else None
        self.rows, self.tops = [], [0]
        hidden_below = -1
        for index in _in_order(division, items, order):
            depth = int(division.depth[index])
            if 0 <= hidden_below < depth:
                continue
            hidden_below = -1
            if found is not None and index not in found:
                continue
            item_id = division.ids[index]
            is_pool = division.kinds[index] == "pool"
            is_folded = is_pool and item_id in folded and found is None
            if is_folded:
                hidden_below = depth
            top_pool = int(division.top_pool[index])
            self.rows.append(
                Row(
                    index, item_id, items[item_id].label, depth, is_pool, is_folded, bool(division.on[index]),
                    None if top_pool < 0 else top_pool, found is not None and not found[index],
                )
            )  # fmt: skip
            self.tops.append(self.tops[-1] + heights[is_pool])
        self._number = {row.item_id: i for i, row in enumerate(self.rows)}

    @property
    def height(self) -> int:
        """Of all rows together, in pixels."""
        return self.tops[-1]

    def at(self, y: int) -> int | None:
        """Give the number of the row at a height, or None beside the rows."""
        number = bisect_right(self.tops, y) - 1
        return number if y >= 0 and number < len(self.rows) else None

    def number_of(self, item_id: str | None) -> int | None:
        """Give the number of a visible row by its id."""
        return None if item_id is None else self._number.get(item_id)

    def between(self, top: int, bottom: int) -> range:
        """Give the numbers of the rows that show between two heights."""
        first = max(0, bisect_right(self.tops, top) - 1)
        return range(first, min(len(self.rows), bisect_right(self.tops, bottom - 1)))


def _in_order(division: Division, items: Mapping[str, Pool | Guest], order: str) -> list[int]:
    """Give all rows, members below their pool, peers in the order asked for."""
    count = len(division.ids)
    if order == "tree":
        return list(range(count))
    if order == "hurt":
        parts = []
        for name in RESOURCES:
            r = division.of(name)
            parts.append(np.divide(r.unmet, r.wanted, out=np.zeros(count), where=r.wanted > 0))
        keys: list[float] | list[str] = (-np.maximum.reduce(parts)).round(9).tolist()
    else:
        keys = [items[item_id].label.casefold() for item_id in division.ids]
    below: dict[int, list[int]] = {}
    for row, parent in enumerate(division.parent_row.tolist()):
        below.setdefault(parent, []).append(row)
    ordered: list[int] = []
    to_do = sorted(below.get(-1, []), key=keys.__getitem__)[::-1]
    while to_do:
        row = to_do.pop()
        ordered.append(row)
        to_do += sorted(below.get(row, []), key=keys.__getitem__)[::-1]
    return ordered


def _found(division: Division, items: Mapping[str, Pool | Guest], wanted: str) -> dict[int, bool]:
    """Give the rows to be shown, and of each whether it is or lies in something that was looked for."""
    words = wanted.casefold().split()
    found: dict[int, bool] = {}
    parents = division.parent_row.tolist()
    for row, item_id in enumerate(division.ids):
        item = items[item_id]
        tags = item.tags if isinstance(item, Guest) else (item.owner,)
        text = " ".join((item.label, item_id, *tags)).casefold()
        if all(word in text for word in words) or found.get(parents[row]) is True:
            found[row] = True
            above = parents[row]
            while above >= 0 and above not in found:
                found[above] = False
                above = parents[above]
    return found
