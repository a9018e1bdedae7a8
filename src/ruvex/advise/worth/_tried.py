"""Whether a remedy is taken by the plan and does what it is for: tried before it is offered."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Final

import numpy as np

from ruvex.advise._remedies import Remedy, refusal_of
from ruvex.advise.worth._finding import Case
from ruvex.divide import Division, divide
from ruvex.ledger import LookFigures, TimeFigures
from ruvex.plan import EditError, Plan, Resource, change_many
from ruvex.play import Player
from ruvex.site import Site

_LEAST_PART: Final = 0.1
"""Who lacks less by a smaller part than this is not helped."""


def is_taken(case: Case, remedy: Remedy) -> bool:
    """Tell whether the plan takes a remedy, and its promises allow it.

    Parameters
    ----------
    case
        The plan as it is looked at.
    remedy
        What would be changed.
    """

    def edit(plan: Plan) -> Plan:
        return change_many(plan, remedy.changes)

    try:
        return refusal_of(case.division.site, edit, [target for target, _ in remedy.changes]) is None
    except EditError:
        return False


def first_that_helps(
    case: Case, remedies: Iterable[Remedy | None], resource: Resource, guests: Collection[int], at_s: float
) -> Remedy | None:  # fmt: skip
    """Give the first of some remedies with which some guests lack at least a tenth less than they do, if one does.

    Parameters
    ----------
    case
        The plan as it is looked at.
    remedies
        Those to be tried, in this order; None among them is passed by.
    resource
        What the guests lack.
    guests
        Their positions.
    at_s
        The time of day at which they lack it.
    """
    at_s = min(at_s, case.plan.day_s)
    lacks = _lacks(case.division_at(at_s), resource, guests)
    for remedy in remedies:
        if remedy is None or not is_taken(case, remedy):
            continue
        site = _changed(case, remedy)
        if lacks > 0:
            helps = _lacks(divide(site, at_s), resource, guests) <= lacks * (1 - _LEAST_PART)
        else:
            # Some lack it only as it is played, as those do who are on by an event.
            helps = _lacks_played(case.day, resource, guests, at_s) * (1 - _LEAST_PART) >= _lacks_played(
                _day_of(site), resource, guests, at_s
            )
        if helps:
            return remedy
    return None


def first_that_eases(
    case: Case, remedies: Iterable[Remedy], kind: str, guests: Collection[str], at_s: float
) -> Remedy | None:  # fmt: skip
    """Give the first of some remedies with which guests lack a tenth less of transfers or traffic, if one does.

    Parameters
    ----------
    case
        The plan as it is looked at.
    remedies
        Those to be tried, in this order.
    kind
        ``store`` or ``link``.
    guests
        Their ids.
    at_s
        The time of day at which they lack it.
    """

    def lacks(division: Division) -> float:
        places = (place for place in division.flowing.places if place.kind == kind)
        taps = (tap for place in places for tap in place.taps if tap.guest in guests)
        return sum(tap.lacks for tap in taps)

    before = lacks(case.division_at(at_s))
    for remedy in remedies:
        if is_taken(case, remedy) and lacks(divide(_changed(case, remedy), at_s)) <= before * (1 - _LEAST_PART):
            return remedy
    return None


def first_in_time(case: Case, remedies: Iterable[Remedy], guest: str, late_s: float) -> Remedy | None:
    """Give the first of some remedies with which batch work is done in time when the day is played, if one does it.

    Parameters
    ----------
    case
        The plan as it is looked at.
    remedies
        Those to be tried, in this order.
    guest
        The id of the guest whose work it is.
    late_s
        How much later than it is due still counts as in time.
    """
    for remedy in remedies:
        if is_taken(case, remedy):
            jobs = [job for job in _day_of(_changed(case, remedy)).summary().finishes if job.guest == guest]
            if jobs and all(job.late_s is not None and job.late_s < late_s for job in jobs):
                return remedy
    return None


def _changed(case: Case, remedy: Remedy) -> Site:
    site = case.division.site
    return site.with_plan(change_many(site.plan, remedy.changes))


def _day_of(site: Site) -> Player:
    day = Player(site)
    day.run()
    return day


def _lacks(division: Division, resource: Resource, guests: Collection[int]) -> float:
    return float(LookFigures(division).lacks(resource).values[list(guests)].sum())


def _lacks_played(day: Player, resource: Resource, guests: Collection[int], at_s: float) -> float:
    recording, rows = day.recording, list(guests)
    at = int(np.argmin(np.abs(np.asarray(recording.times_s) - at_s)))
    return float(TimeFigures(recording, at).lacks(resource)[rows].sum())
