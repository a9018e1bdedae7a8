"""A row in words, for the pointer that rests on it and for screen readers."""

from __future__ import annotations

import math

from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, figure_with_unit, in_all_units, part_text
from ruvex.desktop.state.rows import host_label
from ruvex.divide import causes_of, site_shares
from ruvex.plan import RESOURCES, Guest, Resource, find_item
from ruvex.promise import budget_of

_COVERED = ("in the balloon", "squeezed", "spilled", "self-paged")


def row_story(desk: Desk, item_id: str) -> str:
    """Tell in a few lines what a guest or pool wants, gets, is promised and lacks, and why."""
    division, row = desk.look.division, desk.look.division.position[item_id]
    item = find_item(desk.look.plan, item_id)
    label = getattr(item, "label", item_id)
    if not division.on[row]:
        return f"{label} is powered off"
    lines = [label]
    if isinstance(item, Guest) and item.tags:
        lines[0] += f"  ({', '.join(item.tags)})"
    host = host_label(division, row)
    if host:
        lines[0] += f"  on {host}"
    for name in RESOURCES:
        lines += _resource_lines(desk, item_id, row, name)
    pace = float(division.layers.pace[row])
    if pace < 0.995:
        lines.append(f"pace {pace:.2f}: so much of its work is done in the time it takes unhindered")
    return "\n".join(lines)


def _resource_lines(desk: Desk, item_id: str, row: int, name: Resource) -> list[str]:
    division = desk.look.division
    r, unit = division.of(name), desk.units.of(name, item_id)
    parts = [f"gets {figure_with_unit(float(r.delivered[row]), unit)}"]
    parts.append(f"wants {figure_with_unit(float(r.wanted[row]), unit)}")
    if r.unmet[row] > 0:
        cause = causes_of(division, name).word(row)
        lacks = f"lacks {figure_with_unit(float(r.unmet[row]), unit)}"
        parts.append(f"{lacks} (cause: {cause})" if cause else lacks)
    if r.claim[row] > 0:
        parts.append(f"promised {figure_with_unit(float(r.claim[row]), unit)}")
    if math.isfinite(r.limit[row]):
        parts.append(f"limit {figure_with_unit(float(r.limit[row]), unit)}")
    parts.append(f"shares {r.shares[row]:g}, {part_text(float(site_shares(division, r)[row]))}")
    lines = [f"{NAME[name]}: " + ", ".join(parts)]
    lines.append(f"    {in_all_units(float(r.delivered[row]), name, desk.units, item_id)} delivered")
    item = find_item(desk.look.plan, item_id)
    if isinstance(item, Guest) and name == "cpu" and item.cpu.reservation > 0:
        lines.append(f"    {figure_with_unit(item.cpu.reservation / item.vcpus, unit)} promised for each vCPU")
    if name == "memory":
        covered = zip(division.layers.cover[:, row].tolist(), _COVERED, strict=True)
        told = [f"{figure_with_unit(amount, unit)} {how}" for amount, how in covered if amount > 0.5]
        if division.layers.shared[row] > 0:
            told.append(f"{figure_with_unit(float(division.layers.shared[row]), unit)} shared")
        lines += [f"    missing or spared: {', '.join(told)}"] if told else []
    if r.node_broken[row]:
        lines.append("    its members are promised more than it has where they are")
    if not isinstance(item, Guest):
        lines.append(f"    {budget_text(desk, item_id, name)}")
    return lines


def budget_text(desk: Desk, pool: str | None, name: Resource) -> str:
    """Tell the promise budget of a pool, or of the top."""
    budget = budget_of(desk.document.claims, pool, name)
    unit = desk.units.of(name, pool)
    told = f"{figure_with_unit(budget.claimed, unit)} claimed of {figure_with_unit(budget.reservation, unit)}"
    if budget.drawn > 0:
        told += f", {figure_with_unit(budget.drawn, unit)} drawn from above"
    if budget.free >= 0:
        return f"promises: {told}, {figure_with_unit(budget.free, unit)} still free"
    return f"promises: {told}, {figure_with_unit(-budget.free, unit)} too many"
