"""A row in words, for the pointer that rests on it and for screen readers."""

from __future__ import annotations

import math

import numpy as np

from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, figure, figure_with_unit, in_all_units, site_part_text
from ruvex.desktop.state.rows import Row, host_label
from ruvex.desktop.state.units import Unit
from ruvex.divide import Division, causes_of, place_label
from ruvex.ledger import IDLE_PART, falls_short
from ruvex.plan import RESOURCES, Guest, Resource, find_item, format_memory
from ruvex.play import PRESSURES
from ruvex.promise import budget_of
from ruvex.words import counted, flow_amount, flow_lines, taken_text

_MOST_TAPS = 6
_COVERED = ("in the balloon", "squeezed", "spilled", "self-paged")


def story_of(desk: Desk, row: Row) -> str:
    """Tell in a few lines what a row shows."""
    if row.kind == "flow":
        return flow_story(desk, row.index)
    if row.is_place:
        return host_story(desk, row.index) if row.index >= 0 else "Guests that are on no host take no part"
    story = row_story(desk, row.item_id)
    if row.is_part and row.is_pool and row.host >= 0:
        plan = desk.look.plan
        here = int(desk.look.division.cpu_pool_parts.count[plan.pool_index[row.item_id], row.host])
        story += f"\n    this is the whole of it; {here} of its guests are on {plan.hosts[row.host].label}"
    return story


def host_story(desk: Desk, at: int) -> str:
    """Tell in a few lines what a host has, and what is asked of it."""
    host, figures = desk.look.plan.hosts[at], desk.look.division.by_host
    if not host.up:
        return f"{host.label} is down: it has no supply"
    promised = desk.look.figures.promises.of_hosts
    lines = [f"{host.label}  ({counted(host.cores, 'core')}, {format_memory(host.memory_mib)})"]
    for k, name in enumerate(RESOURCES):
        unit = desk.units.common(name)
        supply, wanted = float(figures.supply[k, at]), float(figures.wanted[k, at])
        parts = [
            f"supply {figure_with_unit(supply, unit)}", f"wanted {figure_with_unit(wanted, unit)}",
            f"delivered {figure_with_unit(float(figures.delivered[k, at]), unit)}",
            f"promised {figure_with_unit(float(promised[k, at]), unit)}",
        ]  # fmt: skip
        if desk.look.figures.is_host_short(name, at):
            lacking = float(desk.look.figures.lacks(name).by_host[at])
            parts.append(f"its guests lack {figure_with_unit(lacking, unit)}")
        lines.append(f"{NAME[name]}: " + ", ".join(parts))
    free, kept = float(figures.free[at]), float(figures.kept_free[at])
    unit = desk.units.common("memory")
    told = f"    {figure_with_unit(free, unit)} free, {figure_with_unit(kept, unit)} of it kept free"
    lines.append(f"{told}; pressure {PRESSURES[int(figures.pressure[at])]}")
    bank = np.flatnonzero(figures.banks == at)
    if bank.size:
        lines.append(f"Bank: {bank_text(desk, int(bank[0]))}")
    return "\n".join(lines)


def flow_story(desk: Desk, at: int) -> str:
    """Tell in a few lines what a store or a host's links do, and who has most of it."""
    places, plan = desk.look.division.flowing.places, desk.look.plan
    if at >= len(places):
        return ""
    place = places[at]
    parts = [(word, amount) for word, amount in (
        ("supply", place.supply), ("wanted", place.wanted), ("delivered", place.delivered),
        ("paging" if place.kind == "store" else "moves", place.taken), ("promised", place.promised),
    ) if amount or word in ("supply", "wanted")]  # fmt: skip
    lines = [place_label(plan, place.id), ", ".join(f"{word} {flow_amount(x, place.kind)}" for word, x in parts)]
    most = sorted((tap for tap in place.taps if tap.delivered > 0), key=lambda tap: -tap.takes)[:_MOST_TAPS]
    for tap in most:
        label = plan.labels[tap.guest]
        of = f" of {flow_amount(tap.wanted, place.kind)}" if tap.slowed_by else ""
        lines.append(f"    {label}: {taken_text(tap, place.kind)}{of}")
    return "\n".join(lines)


def bank_text(desk: Desk, bank: int) -> str:
    """Tell what of a bank is used, lent, free and spilled, and by how much it is too small."""
    figures, unit = desk.look.division.by_host, desk.units.common("memory")
    size, used = float(figures.bank_size[bank]), float(figures.bank_used[bank])
    amounts = [
        ("used", used), ("lent", float(figures.bank_lent[bank])), ("free", max(0.0, size - used)),
        ("spilled", float(figures.bank_spilled[bank])),
    ]  # fmt: skip
    wanted = float(figures.bank_wanted[bank])
    if wanted > size:
        amounts.append(("short of", wanted - size))
    return " · ".join(f"{what} {figure(amount, unit)}" for what, amount in amounts)


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
    if isinstance(item, Guest):
        lines += flow_lines(division, item_id)
    pace = float(division.layers.pace[row])
    if pace < 0.995:
        lines.append(f"pace {pace:.2f}: so much of its work is done in the time it takes unhindered")
    return "\n".join(lines)


def _resource_lines(desk: Desk, item_id: str, row: int, name: Resource) -> list[str]:
    division = desk.look.division
    r, unit = division.of(name), desk.units.of(name, item_id)
    held = float(desk.look.figures.parts(name).held[row])
    apart = (
        f" and holds {figure_with_unit(held, unit)} more, idle"
        if held > IDLE_PART * max(1.0, float(r.wanted[row]))
        else ""
    )
    parts = [f"gets {figure_with_unit(float(r.delivered[row]) - held * bool(apart), unit)}{apart}"]
    parts.append(f"wants {figure_with_unit(float(r.wanted[row]), unit)}{behind_text(division, name, row, unit)}")
    figures = desk.look.figures
    lacking = float(figures.lacks(name).by_row[row])
    if figures.is_row_short(name, row):
        cause = causes_of(division, name).word(row)
        lacks = f"lacks {figure_with_unit(lacking, unit)}"
        parts.append(f"{lacks} (cause: {cause})" if cause else lacks)
    beyond = float(figures.could_use.by_row[row]) if name == "memory" else 0.0
    if falls_short(beyond, float(r.wanted[row])):
        parts.append(f"could use {figure_with_unit(beyond, unit)} more")
    if r.claim[row] > 0:
        parts.append(f"promised {figure_with_unit(float(r.claim[row]), unit)}")
    if math.isfinite(r.limit[row]):
        parts.append(f"limit {figure_with_unit(float(r.limit[row]), unit)}")
    parts.append(f"shares {r.shares[row]:g}, {site_part_text(division, r, row)}")
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


def behind_text(division: Division, name: Resource, row: int, unit: Unit) -> str:
    """Say how much of the CPU that is wanted is work left from earlier, to stand behind it; nothing where none is."""
    behind = float(division.behind[row]) if name == "cpu" else 0.0
    return (
        f" ({figure(behind, unit)} of it behind)" if behind > 0.005 * max(1.0, float(division.cpu.wanted[row])) else ""
    )


def budget_text(desk: Desk, pool: str | None, name: Resource) -> str:
    """Tell the promise budget of a pool, or of the top."""
    budget = budget_of(desk.look.claims, pool, name)
    unit = desk.units.of(name, pool)
    told = f"{figure_with_unit(budget.claimed, unit)} claimed of {figure_with_unit(budget.reservation, unit)}"
    if budget.drawn > 0:
        told += f", {figure_with_unit(budget.drawn, unit)} drawn from above"
    if budget.free >= 0:
        return f"promises: {told}, {figure_with_unit(budget.free, unit)} still free"
    return f"promises: {told}, {figure_with_unit(-budget.free, unit)} too many"
