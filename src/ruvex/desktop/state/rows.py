"""Which rows of a division are visible, in which order, which colour each has, and where it stands."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Final, Literal

import numpy as np

from ruvex.divide import CONTENDED, Division, place_label
from ruvex.ledger import LookFigures
from ruvex.plan import Guest, Plan, Pool
from ruvex.site import flow_ids_of

ORDERS: Final[Mapping[str, str]] = {"tree": "in plan order", "hurt": "worst hit first", "name": "by name"}
"""The orders among peers, and what they are called."""


Kind = Literal["pool", "guest", "host", "bank", "flow"]


@dataclass(frozen=True, slots=True)
class Row:
    """One visible row.

    Attributes
    ----------
    index
        Its row in the division; of a host or bank the host's position in the plan, of a store or links their place's.
    item_id, label, depth
        Which guest, pool, host, bank (``host:bank``), store or links (``host:link``), what it is called, 0 at the top.
    kind, is_folded, is_on
        What it is, whether its members are hidden, whether it takes part.
    hue
        The number of its top-level pool, None beside the pools.
    is_context
        It is shown only because something in it was looked for.
    host
        The position of the host it is shown under, of a pool only the part that lives there; −1 by pool, and where it
        is on no host.
    is_part
        It is shown host by host.
    """

    index: int
    item_id: str
    label: str
    depth: int
    kind: Kind
    is_folded: bool
    is_on: bool
    hue: int | None
    is_context: bool = False
    host: int = -1
    is_part: bool = False

    @property
    def is_pool(self) -> bool:
        """Whether it is a pool."""
        return self.kind == "pool"

    @property
    def is_place(self) -> bool:
        """Whether it is a host, a bank, a store or a host's links."""
        return self.kind in ("host", "bank", "flow")

    @property
    def folds(self) -> bool:
        """Whether it has members below it."""
        return self.kind in ("pool", "host")


NOWHERE: Final = "no host"
"""The id of the band of guests that are on no host. No host can have it: ids have no space in them."""


@dataclass(frozen=True, slots=True)
class Heights:
    """How tall rows are, px."""

    guest: int
    pool: int
    host: int = 0
    bank: int = 0

    def of(self, row: Row) -> int:
        """Give the height of a row."""
        return {"guest": self.guest, "pool": self.pool, "host": self.host, "bank": self.bank}[row.kind]


def host_label(division: Division, row: int) -> str:
    """Give the name of the host a guest's row is on, where there are several; else nothing."""
    plan = division.site.plan
    host = division.host_of(row) if len(plan.hosts) > 1 else None
    return "" if host is None else plan.labels[host]


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
        folded: Collection[str],
        heights: Heights | Callable[[Row], int],
        *,
        order: str = "tree",
        wanted: str = "",
        by_host: bool = False,
        hosts_first: bool = False,
    ) -> None:
        """Lay the rows out anew.

        Parameters
        ----------
        folded
            The pools and hosts whose members are hidden; while something is looked for, all are shown.
        heights
            How tall each row is.
        order
            One of ``ORDERS``: how peers follow each other; members stay below their pool.
        wanted
            Words; only items that have all of them in their name or tags are shown, with the pools they are in.
        by_host
            Every host is a band, with its bank and the tree as far as it lives there below it.
        hosts_first
            The hosts stand before the tree, each as a row, and the stores and links after them.
        """
        found = _found(division, plan, wanted) if wanted.strip() else None
        maker = _Maker(division, plan, folded, found)
        ordered = _in_order(division, plan, order)
        before = maker.hosts(plan) if hosts_first and found is None else ()
        rows = [*before, *(maker.by_host(plan, ordered) if by_host else maker.tree(ordered))]
        height_of = heights.of if isinstance(heights, Heights) else heights
        tops = [0]
        for row in rows:
            tops.append(tops[-1] + height_of(row))
        # Both at once: a height that cannot be told leaves the rows that were.
        self.rows, self.tops = rows, tops
        self._number = {}
        for i, row in enumerate(self.rows):
            self._number.setdefault(row.item_id, i)

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


class _Maker:
    """Makes the rows of a tree, or of the part of it that lives on a host."""

    def __init__(
        self,
        division: Division,
        plan: Plan,
        folded: Collection[str],
        found: Mapping[int, bool] | None,
    ) -> None:
        self._division, self._plan, self._folded, self._found = division, plan, folded, found

    def tree(self, ordered: Sequence[int], *, host: int = -1, is_part: bool = False) -> Iterator[Row]:
        """Give the rows of the tree in an order, those below folded pools left out."""
        division, found = self._division, self._found
        hidden_below = -1
        ids, kinds, depths = division.ids, division.kinds, division.depth.tolist()
        on, top_pools = division.on.tolist(), division.top_pool.tolist()
        for index in ordered:
            depth = depths[index]
            if 0 <= hidden_below < depth:
                continue
            hidden_below = -1
            if found is not None and index not in found:
                continue
            item_id = ids[index]
            kind: Kind = "pool" if kinds[index] == "pool" else "guest"
            is_folded = kind == "pool" and item_id in self._folded and found is None
            if is_folded:
                hidden_below = depth
            label, hue = _item(self._plan, item_id).label, top_pools[index]
            yield Row(
                index, item_id, label, depth + is_part, kind, is_folded, on[index], None if hue < 0 else hue,
                found is not None and not found[index], host, is_part,
            )  # fmt: skip

    def hosts(self, plan: Plan) -> Iterator[Row]:
        """Give every host as a row."""
        for at, host in enumerate(plan.hosts):
            yield Row(at, host.id, host.label, 0, "host", False, host.up, None, False, at)
        for at, place in enumerate(flow_ids_of(plan)):
            label = place_label(plan, place)
            yield Row(at, place, label[0].upper() + label[1:], 0, "flow", False, True, None)

    def by_host(self, plan: Plan, ordered: Sequence[int]) -> Iterator[Row]:
        """Give the bands of all hosts, each with what lives there, and last of all what is on no host."""
        division = self._division
        layout, pools = division.layout, division.layout.parent.size
        things = layout.things
        host_of = division.site.standing.host if plan.hosts else np.full(len(plan.guests), -1)
        banked = set(division.by_host.banks.tolist())
        for at in (*range(len(plan.hosts)), -1):
            here = np.zeros(things.size, dtype=np.bool_)
            here[layout.is_guest] = host_of[things[layout.is_guest] - pools] == at
            for row in np.flatnonzero(here)[::-1].tolist():
                above = int(division.parent_row[row])
                while above >= 0 and not here[above]:
                    here[above] = True
                    above = int(division.parent_row[above])
            rows = [row for row in ordered if here[row]]
            if self._found is not None:
                rows = [row for row in rows if row in self._found]
            if at < 0 and not rows:
                continue
            host = plan.hosts[at] if at >= 0 else None
            name, label = (NOWHERE, "on no host") if host is None else (host.id, host.label)
            is_folded = name in self._folded and self._found is None
            yield Row(at, name, label, 0, "host", is_folded, host is None or host.up, None, False, at, True)
            if is_folded:
                continue
            if at in banked:
                yield Row(at, f"{name}:bank", "bank", 1, "bank", False, host is None or host.up, None, False, at, True)
            yield from self.tree(rows, host=at, is_part=True)


def _item(plan: Plan, item_id: str) -> Pool | Guest:
    at = plan.guest_index.get(item_id)
    return plan.pools[plan.pool_index[item_id]] if at is None else plan.guests[at]


def _in_order(division: Division, plan: Plan, order: str) -> list[int]:
    """Give all rows, members below their pool, peers in the order asked for."""
    count = len(division.ids)
    if order == "tree":
        return list(range(count))
    if order == "hurt":
        figures, parts = LookFigures(division), []
        for of in CONTENDED:
            lacks, wanted = figures.lacks(of).by_row, figures.wanted(of).by_row
            parts.append(np.divide(lacks, wanted, out=np.zeros(count), where=wanted > 0))
        keys: list[float] | list[str] = (-np.maximum.reduce(parts)).round(9).tolist()
    else:
        keys = [_item(plan, item_id).label.casefold() for item_id in division.ids]
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


def _found(division: Division, plan: Plan, wanted: str) -> dict[int, bool]:
    """Give the rows to be shown, and of each whether it is or lies in something that was looked for."""
    words = wanted.casefold().split()
    found: dict[int, bool] = {}
    parents = division.parent_row.tolist()
    for row, item_id in enumerate(division.ids):
        item = _item(plan, item_id)
        tags = item.tags if isinstance(item, Guest) else (item.owner,)
        text = " ".join((item.label, item_id, *tags)).casefold()
        if all(word in text for word in words) or found.get(parents[row]) is True:
            found[row] = True
            above = parents[row]
            while above >= 0 and above not in found:
                found[above] = False
                above = parents[above]
    return found
