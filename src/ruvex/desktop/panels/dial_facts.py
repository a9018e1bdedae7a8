"""What the dials say of what is selected: the facts beside its name, and how much it gets of what it wants."""

from __future__ import annotations

from ruvex.desktop.panels.row_story import behind_text
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, figure, figure_with_unit, percent
from ruvex.divide import causes_of
from ruvex.ledger import IDLE_PART, falls_short
from ruvex.plan import RESOURCE_KINDS, RESOURCES, Guest, Pool, Resource, ThinMemory
from ruvex.promise import budget_of


def facts_of(desk: Desk, item: Guest | Pool) -> list[str]:
    """Give what is worth knowing of a guest or pool beside its settings, a line each."""
    division = desk.look.division
    row = division.position[item.id]
    facts = [] if division.on[row] else ["powered off: takes no part"]
    if len(desk.selection.ids) > 1:
        facts.append(f"{len(desk.selection.ids)} selected: a dial turns all of them")
    if isinstance(item, Guest):
        return facts + _guest_facts(desk, item, row)
    if any(division.of(name).node_broken[row] for name in RESOURCES):
        facts.append("its members are promised more than it has")
    return facts + [_budget_fact(desk, item, name) for name in RESOURCES]


def _guest_facts(desk: Desk, guest: Guest, row: int) -> list[str]:
    facts, memory, unit = [], guest.memory, desk.units.common("memory")
    if memory.mode == "elastic" and not guest.agent:
        facts.append("agent missing: its memory stays at boot size")
    pace = float(desk.look.division.layers.pace[row])
    if desk.look.division.on[row] and pace < 0.995:
        facts.append(f"pace {pace:.2f}")
    if isinstance(memory, ThinMemory) and memory.size > memory.reservation:
        facts.append(f"needs {figure_with_unit(memory.size - memory.reservation, unit)} of spill space")
    return facts


def _budget_fact(desk: Desk, pool: Pool, name: Resource) -> str:
    budget, unit = budget_of(desk.look.claims, pool.id, name), desk.units.common(name)
    drawn = f", {figure(budget.drawn, unit)} drawn from above" if budget.drawn > 0 else ""
    free = f"{figure(budget.free, unit)} free" if budget.free >= 0 else f"{figure(-budget.free, unit)} too many"
    reserved = figure(budget.reservation, unit)
    return f"{NAME[name]}: {figure(budget.claimed, unit)} of {reserved} claimed{drawn}, {free}"


def met_text(desk: Desk, item: Guest | Pool, name: Resource, row: int) -> str:
    """Say how much a row has of what it wants of CPU or needs of memory, and why not all; nothing while it is off."""
    r, figures = desk.look.division.of(name), desk.look.figures
    if not desk.look.division.on[row]:
        return ""
    wanted = float(r.wanted[row])
    lacking, asked = float(figures.lacks(name).by_row[row]), float(figures.wanted(name).by_row[row])
    unit = desk.units.of(name, item.id)
    idle = float(figures.parts(name).held[row])
    apart = f", holds {figure_with_unit(idle, unit)} it does not need" if idle > IDLE_PART * max(wanted, 1) else ""
    beyond = float(figures.could_use.by_row[row]) if name == "memory" else 0.0
    could = f", could use {figure_with_unit(beyond, unit)}" if falls_short(beyond, wanted) else ""
    verb = "wants" if name == "cpu" else "needs"
    if not figures.is_row_short(name, row):
        return f"gets all it {verb}{could}{apart}"
    cause = causes_of(desk.look.division, name).word(row)
    lacks = f"lacks {figure_with_unit(lacking, unit)}"
    why = f": {cause}" if cause else ""
    behind = behind_text(desk.look.division, name, row, unit)
    what = f"{percent(float(figures.met(name).by_row[row]), asked)} of the {RESOURCE_KINDS[name].word} it {verb}"
    return f"gets {what}{behind}, {lacks}{why}{could}{apart}"
