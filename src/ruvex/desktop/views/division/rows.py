"""Which rows of a division are visible, which colour each has, and where it stands."""

from __future__ import annotations

from bisect import bisect_right
from dataclasses import dataclass

from ruvex.divide import Division
from ruvex.plan import Plan


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
    """

    index: int
    item_id: str
    label: str
    depth: int
    is_pool: bool
    is_folded: bool
    is_on: bool
    hue: int | None


class RowList:
    """The visible rows of a division in order, with their places in pixels."""

    def __init__(self) -> None:
        self.rows: list[Row] = []
        self.tops: list[int] = [0]
        self._number: dict[str, int] = {}

    def rebuild(self, division: Division, plan: Plan, folded: set[str], heights: tuple[int, int]) -> None:
        """Lay the rows out anew; ``heights`` are those of a guest's and of a pool's row in pixels."""
        labels = {item.id: item.label for item in (*plan.pools, *plan.guests)}
        hidden: set[str] = set()
        self.rows, self.tops = [], [0]
        for index, (item_id, kind, parent) in enumerate(
            zip(division.ids, division.kinds, division.parents, strict=True)
        ):
            is_pool = kind == "pool"
            if parent in hidden or parent in folded:
                if is_pool:
                    hidden.add(item_id)
                continue
            top_pool = int(division.top_pool[index])
            hue = None if top_pool < 0 else top_pool
            self.rows.append(
                Row(
                    index, item_id, labels[item_id], int(division.depth[index]), is_pool,
                    is_pool and item_id in folded, bool(division.on[index]), hue,
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
