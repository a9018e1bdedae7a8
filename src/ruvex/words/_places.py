"""Better places in sentences: what to move, what it gains, who pays."""

from __future__ import annotations

from typing import Final

from ruvex.placing import BetterPlaces, Gain, PlacingStep
from ruvex.plan import Plan
from ruvex.words._settings import label_of

_MOST_NAMED: Final = 3


def step_text(step: PlacingStep, plan: Plan) -> str:
    """Say who goes where: ``gate-cameras from skerry-1 to skerry-2``."""
    parts = [
        f"{label_of(plan, guest)} from {label_of(plan, source)} to {label_of(plan, to)}"
        for guest, source, to in step.moves
    ]
    return " and ".join(parts)


def hours_text(hours: float, what: str) -> str:
    """Write the guest-hours of something that a move gains or loses.

    Examples
    --------
    >>> hours_text(2.314, "CPU"), hours_text(-0.4, "memory")
    ('2.31 guest-hours of CPU gained', '0.40 guest-hours of memory lost')
    """
    return f"{abs(hours):.2f} guest-hours of {what} {'lost' if hours < 0 else 'gained'}"


def payers_text(step: PlacingStep, plan: Plan) -> str:
    """Say who gains and who pays, the most first."""
    return f"{_named('gain', step.gains, plan)}; {_named('pay', step.losses, plan)}"


def _named(verb: str, those: tuple[Gain, ...], plan: Plan) -> str:
    if not those:
        return f"{verb}: nobody"
    names = [f"{label_of(plan, one.guest)} {abs(one.hours):.2f}" for one in those[:_MOST_NAMED]]
    more = f" and {len(those) - _MOST_NAMED} more" if len(those) > _MOST_NAMED else ""
    return f"{verb}: {', '.join(names)}{more}"


def places_text(found: BetterPlaces, plan: Plan) -> str:
    """Say what all moves together come to, or why none is worth it."""
    if not found.steps:
        if found.before < 0.01:
            return "Nothing is worth moving: nobody lacks anything over the day"
        lacking = f"of the {found.before:.1f} guest-hours that are lacking over the day"
        return f"Nothing is worth moving: no places that are allowed take away one in a hundred {lacking}"
    count = len(found.moves)
    moves = f"{count} move{'s' if count != 1 else ''}"
    text = f"{moves}: {found.before:.1f} guest-hours lacking over the day become {found.after:.1f}"
    if found.closed > 0:
        text += f"; that closes {100 * found.closed:.0f} % of the gap to one machine"
    if found.worst[0]:
        guest, before, after = found.worst
        text += f"; {label_of(plan, guest)}, which lacks most, {before:.2f} of them before and {after:.2f} after"
    return text
