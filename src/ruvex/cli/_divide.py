"""``ruvex divide``."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Final

from rich.console import Console
from rich.table import Table
from rich.text import Text

from ruvex.divide import Division, ResourceDivision, compile_plan, divide
from ruvex.plan import THIN_SPACE, Plan, UnitError, format_number, format_time, parse_time, read_plan

_WIDTH: Final = 100
_GIB_MIB: Final = 1024.0
_GHZ_MHZ: Final = 1000.0
_COLUMNS: Final = (
    ("CPU promised", 8), ("wanted", 7), ("delivered", 9), ("unmet", 7),
    ("Memory promised", 8), ("wanted", 7), ("delivered", 9), ("unmet", 7),
)  # fmt: skip
_MANY_ROWS: Final = 400
"""Rows rich lays out in one table; a longer division is printed in several, which costs far less time."""


def print_division(path: Path, at: str | None, *, as_json: bool) -> int:
    """Print the division of a plan at a moment; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError, UnitError
        The plan or the time cannot be used.
    """
    file = read_plan(path)
    at_s = file.plan.moment if at is None else _time_in_day(at, file.plan)
    division = divide(compile_plan(file.plan, file.traces), at_s)
    if as_json:
        print(json.dumps(division.to_json(), ensure_ascii=False))
    else:
        _print_table(division, file.plan)
    return 0


def _time_in_day(text: str, plan: Plan) -> float:
    at_s = parse_time(text)
    if at_s > plan.day_s:
        raise UnitError(f"--at {text} is after the end of the plan's day ({format_time(plan.day_s)})")
    return at_s


def _print_table(division: Division, plan: Plan) -> None:
    console = Console(width=_WIDTH, highlight=False, markup=False)
    title = plan.name or "Unnamed plan"
    console.print(f"{title} at {format_time(division.at_s)}")
    for name, resource, scale, unit in (
        ("CPU", division.cpu, _GHZ_MHZ, "GHz"),
        ("Memory", division.memory, _GIB_MIB, "GiB"),
    ):
        console.print(_summary(name, resource, scale, unit))
    labels = {item.id: item.label for item in (*plan.pools, *plan.guests)}
    rows = [row for row in range(len(division.ids)) if division.on[row]]
    if not rows:
        console.print("No guest is on, and there is no pool.")
    for start in range(0, len(rows), _MANY_ROWS):
        console.print(_table(division, rows[start : start + _MANY_ROWS], labels, with_header=start == 0))


def _summary(name: str, resource: ResourceDivision, scale: float, unit: str) -> str:
    parts = [
        f"{word} {format_number(value / scale, 2)}"
        for word, value in (
            ("supply", resource.supply),
            ("wanted", resource.total_wanted),
            ("promised", resource.promised),
            ("delivered", resource.total_delivered),
        )
    ]
    broken = (
        "\n        ! These promises cannot all be kept: this cannot run as it is." if resource.broken else ""
    )
    return f"{name:<7}{unit}   " + "   ".join(parts) + broken


def _table(division: Division, rows: list[int], labels: dict[str, str], *, with_header: bool) -> Table:
    table = Table(box=None, show_header=with_header, padding=(0, 1, 0, 0), pad_edge=False, width=_WIDTH)
    table.add_column(
        "", width=_WIDTH - sum(width + 1 for _, width in _COLUMNS) - 1, no_wrap=True, overflow="ellipsis"
    )
    for heading, width in _COLUMNS:
        table.add_column(heading, justify="right", width=width)
    for row in rows:
        broken = division.cpu.node_broken[row] or division.memory.node_broken[row]
        name = "  " * int(division.depth[row]) + labels[division.ids[row]] + (" !" if broken else "")
        cells = [Text(name, style="bold" if division.kinds[row] == "pool" else "")]
        for resource, scale in ((division.cpu, _GHZ_MHZ), (division.memory, _GIB_MIB)):
            for values in (resource.claim, resource.wanted, resource.delivered, resource.unmet):
                cells.append(Text(_cell(float(values[row]) / scale)))
        table.add_row(*cells)
    return table


def _cell(value: float) -> str:
    """Write a figure in two decimals, or a dot where there is nothing."""
    return format_number(value, 2).replace(THIN_SPACE, " ") if value >= 0.005 else "·"
