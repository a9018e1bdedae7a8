"""``ruvex divide``."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Final

from ruvex.cli._columns import fitted
from ruvex.cli._document import print_document
from ruvex.cli._input import load_little, read_plan
from ruvex.divide import Division, PlacePart, ResourceDivision, divide, place_label, places_of
from ruvex.ledger import LookFigures
from ruvex.plan import (
    RESOURCE_KINDS,
    RESOURCES,
    THIN_SPACE,
    Plan,
    Resource,
    UnitError,
    format_number,
    format_time,
    parse_time,
)
from ruvex.site import site_of

_WIDTH: Final = 100
_GIB_MIB: Final = 1024.0
_GHZ_MHZ: Final = 1000.0
_HEADINGS: Final = ("promised", "wanted", "delivered", "lacks", "promised", "would use", "delivered", "lacks")
_WIDTHS: Final = (8, 7, 9, 7, 8, 9, 9, 7)
_NAME_WIDTH: Final = _WIDTH - sum(width + 1 for width in _WIDTHS)


def print_division(path: Path, at: str | None, why: str | None, *, by_host: bool, as_json: bool) -> int:
    """Print the division of a plan at a moment, or why one row of it is as it is; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError, UnitError, EditError
        The plan or the time cannot be used, or there is no such row.
    """
    file = read_plan(path)
    at_s = file.plan.moment if at is None else time_in_day(at, file.plan)
    if why is not None:
        from ruvex.cli._why import print_why

        print_why(file, path, at_s, why, as_json=as_json)
        return 0
    load_little(file.plan)
    division = divide(site_of(file.plan, file.traces), at_s)
    if as_json:
        print_document(division.to_json())
    elif by_host:
        _print_hosts(division, file.plan)
    else:
        _print_table(division, file.plan)
    return 0


def time_in_day(text: str, plan: Plan) -> float:
    at_s = parse_time(text)
    if at_s > plan.day_s:
        raise UnitError(f"--at {text} is after the end of the plan's day ({format_time(plan.day_s)})")
    return at_s


def _print_table(division: Division, plan: Plan) -> None:
    lines = [f"{plan.name or 'Unnamed plan'} at {format_time(division.at_s)}"]
    lines += [
        _summary(division, "cpu", _GHZ_MHZ, "GHz"),
        _summary(division, "memory", _GIB_MIB, "GiB"),
    ]
    labels = plan.labels
    rows = [row for row in range(len(division.ids)) if division.on[row]]
    if rows:
        lines += [_line("", ["CPU", "", "", "", "Memory", "", "", ""]), _line("", _HEADINGS)]
        lines += _row_lines(division, rows, labels)
    else:
        lines.append("No guest is on, and there is no pool.")
    lines += _flow_lines(division, plan)
    print("\n".join(lines))


def _flow_lines(division: Division, plan: Plan) -> list[str]:
    """Tell of stores and links: what there is, and who gets what of it."""
    labels = plan.labels
    lines = []
    for place in division.flowing.places:
        unit = "ops/s" if place.kind == "store" else "MiB/s"
        taken = "paging" if place.kind == "store" else "moves"
        figures = [("supply", place.supply), ("wanted", place.wanted), ("delivered", place.delivered)]
        figures += [(taken, place.taken)] if place.taken else []
        told = "   ".join(f"{word} {format_number(value)}" for word, value in figures)
        lines += ["", f"{place_label(plan, place.id)}, {unit}   {told}"]
        for tap in place.taps:
            name = fitted(f"  {labels[tap.guest]} {tap.disk}".rstrip(), _NAME_WIDTH)
            cells = f"{_cell(tap.wanted).rjust(10)}{_cell(tap.delivered).rjust(11)}"
            large = f"   which take {_cell(tap.takes)} of the store's" if tap.counts_as > 1 else ""
            lines.append(f"{name}{cells}   {tap.slowed_by}{large}".rstrip())
    return lines


def _print_hosts(division: Division, plan: Plan) -> None:
    """Print each place with the part of the tree that lives there, and what one machine would give."""
    labels = plan.labels
    print(f"{plan.name or 'Unnamed plan'} at {format_time(division.at_s)}")
    for name, title, scale, unit in (("cpu", "CPU", _GHZ_MHZ, "GHz"), ("memory", "Memory", _GIB_MIB, "GiB")):
        assert name in RESOURCES
        resource: ResourceDivision = division.of(name)
        for place in places_of(resource):
            part = PlacePart(division, resource, place)
            where = f"the bank of {labels.get(part.host, '')}" if part.kind == "bank" else labels.get(part.host, "")
            figures = [("supply", part.supply), ("wanted", part.wanted), ("delivered", part.delivered)]
            if part.kept:
                figures.append(("kept free", part.kept))
            told = "   ".join(f"{word} {format_number(value / scale, 2)}" for word, value in figures)
            print(f"\n{title} of {where or 'no host'}, {unit}   {told}")
            if part.broken:
                print("        ! These promises cannot all be kept: this cannot run as it is.")
            elif part.placement:
                print("        ! A pool's promise does not fit where its guests are.")
            print(f"{'':<{_NAME_WIDTH}}{'wanted':>10}{'delivered':>11}{'as one':>10}")
            depth = {row: int(division.depth[division.position[row]]) for row in division.ids}
            for row in part.rows:
                label = "  " * depth[row["id"]] + labels[row["id"]]
                cells = [row["wanted"], row["delivered"], row["as_one"]]
                shown = "".join(_cell(v / scale).rjust(w) for v, w in zip(cells, (10, 11, 10), strict=True))
                print(f"{fitted(label, _NAME_WIDTH)}{shown}")
    print("\n".join(_flow_lines(division, plan)))


def _summary(division: Division, name: Resource, scale: float, unit: str) -> str:
    """Tell what all guests come to: what they would use is what they have, less what lies idle, and what is missing."""
    resource, figures = division.of(name), LookFigures(division)
    told = [
        ("supply", resource.supply), ("wanted" if name == "cpu" else "would use", resource.total_wanted),
        ("promised", resource.promised), ("delivered", resource.total_delivered),
    ]  # fmt: skip
    lines = [[*told, ("lacks", figures.lacks(name).total)]]
    if name == "memory":
        idle, squeezed, could = figures.held_idle.total, figures.keeps_squeezed.total, figures.could_use.total
        held = [("of it idle", idle), *([("with squeezed pages", squeezed)] if squeezed > 0 else [])]
        lines = [told, [*held, ("lacks", figures.lacks(name).total), ("could use besides", could)]]
    parts = ["   ".join(f"{word} {format_number(value / scale, 2)}" for word, value in line) for line in lines]
    broken = "\n        ! These promises cannot all be kept: this cannot run as it is." if resource.broken else ""
    if resource.placement and not resource.broken:
        broken = "\n        ! A pool's promise does not fit where its guests are; --by-host shows where."
    return f"{RESOURCE_KINDS[name].title:<7}{unit}   " + f"\n{'':13}".join(parts) + broken


def _row_lines(division: Division, rows: list[int], labels: Mapping[str, str]) -> list[str]:
    columns = [
        (values / scale).tolist()
        for resource, scale in ((division.cpu, _GHZ_MHZ), (division.memory, _GIB_MIB))
        for values in (resource.claim, resource.wanted, resource.delivered, resource.lacks)
    ]
    broken = division.cpu.node_broken | division.memory.node_broken
    lines = []
    for row in rows:
        name = "  " * int(division.depth[row]) + labels[division.ids[row]]
        lines.append(_line(f"! {name}" if broken[row] else name, [_cell(column[row]) for column in columns]))
    return lines


def _line(name: str, cells: Sequence[str]) -> str:
    parts = [cell.rjust(width) for cell, width in zip(cells, _WIDTHS, strict=True)]
    return (fitted(name, _NAME_WIDTH) + " " + " ".join(parts)).rstrip()


def _cell(value: float) -> str:
    """Write a figure in two decimals, or a dot where there is nothing."""
    return format_number(value, 2).replace(THIN_SPACE, " ") if value >= 0.005 else "·"
