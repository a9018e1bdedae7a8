"""What the dials say of what is selected: the facts beside its name, and how much it gets of what it wants."""

from __future__ import annotations

from ruvex.desktop.panels.row_story import behind_text
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import NAME, figure, figure_with_unit, percent
from ruvex.divide import causes_of
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
    if guest.is_on and pace < 0.995:
        facts.append(f"pace {pace:.2f}")
    if isinstance(memory, ThinMemory) and memory.size > memory.reservation:
        facts.append(f"needs {figure_with_unit(memory.size - memory.reservation, unit)} of spill space")
    return facts


def _budget_fact(desk: Desk, pool: Pool, name: Resource) -> str:
    budget, unit = budget_of(desk.document.claims, pool.id, name), desk.units.common(name)
    drawn = f", {figure(budget.drawn, unit)} drawn from above" if budget.drawn > 0 else ""
    free = f"{figure(budget.free, unit)} free" if budget.free >= 0 else f"{figure(-budget.free, unit)} too many"
    reserved = figure(budget.reservation, unit)
    return f"{NAME[name]}: {figure(budget.claimed, unit)} of {reserved} claimed{drawn}, {free}"


def met_text(desk: Desk, item: Guest | Pool, name: Resource, row: int) -> str:
    """Say how much a row gets of what it wants of a resource, and why not all; nothing while it is off."""
    r = desk.look.division.of(name)
    if not desk.look.division.on[row]:
        return ""
    unmet, wanted = float(r.unmet[row]), float(r.wanted[row])
    unit = desk.units.of(name, item.id)
    if unmet <= 1e-6 * max(1.0, wanted):
        surplus = float(r.delivered[row]) - wanted
        held = f", holds {figure_with_unit(surplus, unit)} it does not need" if surplus > 0.01 * max(wanted, 1) else ""
        return f"gets all it wants{held}"
    idle = max(0.0, float(r.delivered[row]) + unmet - wanted)
    apart = f", holds {figure_with_unit(idle, unit)} idle" if idle > 0.01 * max(wanted, 1) else ""
    what = f"the {RESOURCE_KINDS[name].word}"
    cause = causes_of(desk.look.division, name).word(row)
    lacks = f"lacks {figure_with_unit(unmet, unit)}"
    why = f": {cause}" if cause else ""
    behind = behind_text(desk.look.division, name, row, unit)
    return f"gets {percent(wanted - unmet, wanted)} of {what} it wants{behind}, {lacks}{why}{apart}"
