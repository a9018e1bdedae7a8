"""What carried names would do where they hang: who pays and who gains, or why they cannot go there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.figures import figure, figure_with_unit
from ruvex.desktop.state.moving import another_host, guests_meant, move_step
from ruvex.desktop.state.steps import Step
from ruvex.desktop.state.trial import Effect
from ruvex.divide import Division, Shifts
from ruvex.plan import RESOURCES, EditError, Guest, Plan, Pool, find_item, move_items

_MOST_NAMED: Final = 3


@dataclass(frozen=True, slots=True)
class Target:
    """Where carried names would go: into a pool, to the top (both None), or to a host."""

    pool: str | None
    host: str | None = None


@dataclass(frozen=True, slots=True)
class Weighed:
    """What a drop would do.

    Attributes
    ----------
    lines
        Heading and text of each line to be read.
    after
        The division after it; None where it cannot be.
    """

    lines: tuple[tuple[str, str], ...]
    after: Division | None


def weigh(desk: Desk, carried: Sequence[str], target: Target) -> Weighed | None:
    """Work out what a drop would do; None where nothing would change."""
    guests = guests_meant(desk, carried)
    plan = desk.document.plan
    try:
        if target.host is not None:
            step = move_step(desk, guests, target.host) if guests else None
        else:
            step = _pool_step(desk, carried, target.pool)
        if step is None:
            return None
        effect, before, after = desk.trial.weigh(step)
    except EditError as error:
        lines = [("cannot go there", str(error))]
        would = another_host(desk, guests, target.host) if target.host is not None and guests else ""
        if would:
            lines.append(("would do", f"{would} would take {'it' if len(guests) == 1 else 'them'}"))
        return Weighed(tuple(lines), None)
    lines = _lines(desk, effect, before, after, guests)
    if desk.look.is_played:
        lines.append(("settled", "as it would settle, not as the day has it"))
    if target.host is not None and guests:
        would = another_host(desk, guests, target.host)
        if would:
            lines.append(("or", f"{would} would take {'it' if len(guests) == 1 else 'them'} too"))
    if effect.in_passing:
        lines.append(("but", effect.in_passing))
    return Weighed(tuple(lines), after) if plan is desk.document.plan else None


def _pool_step(desk: Desk, carried: Sequence[str], pool: str | None) -> Step | None:
    plan = desk.document.plan
    ids = [i for i in carried if i != pool and _above(plan, i) != pool]
    return Step("", lambda plan: move_items(plan, ids, pool), tuple(ids)) if ids else None


def _above(plan: Plan, item_id: str) -> str | None:
    item = find_item(plan, item_id)
    return item.pool if isinstance(item, Guest) else item.parent if isinstance(item, Pool) else None


def _lines(
    desk: Desk, effect: Effect, before: Division, after: Division, guests: Sequence[str]
) -> list[tuple[str, str]]:
    lines = []
    if len(guests) == 1:
        told = []
        for name in RESOURCES:
            unit = desk.units.common(name)
            old = float(before.of(name).delivered[before.position[guests[0]]])
            new = float(after.of(name).delivered[after.position[guests[0]]])
            told.append(f"{name if name == 'memory' else 'CPU'} {figure(old, unit)} → {figure_with_unit(new, unit)}")
        lines.append(("gets", "   ".join(told)))
    moving = set(guests)
    for heading, gaining in (("who pays", False), ("who gains", True)):
        told = []
        for moved, shifts in effect.shifts.items():
            side = shifts.gains if gaining else shifts.losses
            unit = desk.units.common(moved)
            named = _named(desk, side, effect, moving, gaining=gaining)
            if named:
                texts = [f"{label} {figure(amount, unit, signed=True)}" for label, amount in named[:_MOST_NAMED]]
                more = len(named) - _MOST_NAMED
                told.append(f"{', '.join(texts)}{f' and {more} more' if more > 0 else ''} {unit.name}")
        lines.append((heading, "   ".join(told) or "nobody"))
    return lines


def _named(desk: Desk, shifts: Shifts, effect: Effect, moving: set[str], *, gaining: bool) -> list[tuple[str, float]]:
    """Name those on one side, those that are carried left out of the gains: what they get stands above."""
    plan = desk.look.plan
    found = []
    for row, amount in zip(shifts.rows.tolist(), shifts.amounts.tolist(), strict=True):
        guest = effect.ids[row]
        if not (gaining and guest in moving and len(moving) == 1):
            found.append((plan.labels[guest], amount))
    return found
