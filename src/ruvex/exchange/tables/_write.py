"""A plan's guests, pools, hosts, stores, rules of placement and events as tables that are read back unchanged."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from ruvex.exchange.tables._cells import cells_text
from ruvex.exchange.tables._columns import COLUMNS, Kind
from ruvex.exchange.tables._values import FILE_UNIT, Callings
from ruvex.plan import Plan, get_setting, pools_above


def table_of(plan: Plan, kind: Kind, separator: str = ",") -> str:
    """Write all guests, pools, hosts, stores, rules of placement or events, a row each.

    Parameters
    ----------
    separator
        A tab for the clipboard, a comma for a file of CSV.
    """
    return _table(plan, kind, getattr(plan, kind), separator)


def table_of_guests(plan: Plan, ids: Iterable[str], separator: str = "\t") -> str:
    """Write some guests as a block that a spreadsheet takes.

    Parameters
    ----------
    ids
        Guests and pools; a pool stands for all guests in it.
    """
    wanted = set(ids)
    guests = [
        guest for guest in plan.guests if guest.id in wanted or wanted & {pool.id for pool in pools_above(plan, guest)}
    ]
    return _table(plan, "guests", guests, separator)


def _table(plan: Plan, kind: Kind, items: Sequence[Any], separator: str) -> str:
    columns = [column for column in COLUMNS[kind] if column.is_given]
    heads = [f"{c.heading} ({FILE_UNIT[c.kind]})" if c.kind in FILE_UNIT else c.heading for c in columns]
    callings = Callings(plan)

    def cell(item: Any, setting: str, cell_kind: str) -> str:
        if setting == "name":
            return str(item.called)
        try:
            value = get_setting(item, setting)
        except KeyError:
            return ""
        is_usual = setting in ("cores", "link") and value == type(value)()
        if is_usual or (setting in ("disks", "links") and not value):
            return ""
        return callings.cell(value, cell_kind)

    rows = [[cell(item, column.setting, column.kind) for column in columns] for item in items]
    return cells_text([heads, *rows], separator)
