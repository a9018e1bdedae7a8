"""All that a report says, worked out from a plan: its day is played, and each host is lost once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvex.advise import (
    GROUPS,
    Finding,
    RemedyEffect,
    SiteSavings,
    effect_of,
    findings_of,
    savings_over,
    settled_lines,
    without_host,
    without_lines,
    worst_moment,
    worst_time,
)
from ruvex.divide import Division, Overcommit, divide, overcommit_of
from ruvex.ledger import Owner, owners_of
from ruvex.placing import Losses
from ruvex.play import Player, Summary
from ruvex.site import Site
from ruvex.words import reserve_text

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Report:
    """What a report says.

    Attributes
    ----------
    division, overcommit
        The site at its moment, and how far it is overcommitted; None without a host that is up.
    day, summary, worst_s
        The day as it was played, what it came to, and its worst moment, s.
    owners
        What each has, the largest part of the site first.
    findings
        What is worth a look and was not set aside, the worst first, each with what its remedy would do.
    without
        What becomes of the site without each host, lines each.
    reserve
        What must be set aside so that any one can be lost, or nothing where there is one host.
    savings
        What elastic memory saves.
    """

    division: Division
    overcommit: Overcommit | None
    day: Player
    summary: Summary
    worst_s: float
    owners: tuple[Owner, ...]
    findings: tuple[tuple[Finding, RemedyEffect | None], ...]
    without: tuple[tuple[str, ...], ...]
    reserve: str
    savings: SiteSavings

    def to_json(self) -> dict[str, Any]:
        """Give what each owner has as JSON has it."""
        plan = self.division.site.plan
        return {
            "plan": plan.name, "at": self.division.at_s, "owners": [owner.to_json() for owner in self.owners],
        }  # fmt: skip


def report_of(site: Site) -> Report:
    """Work out a report: play the day, find what is worth a look, lose each host at the worst moment."""
    division = divide(site)
    day = Player(site)
    day.run()
    at_s, plan = worst_time(day), site.plan
    up = [host.id for host in plan.hosts if host.up]
    losses = Losses(site)
    without = tuple(
        (*without_lines(without_host(site, host, at_s), plan), *settled_lines(losses.of(host), plan))
        for host in up
        if len(up) > 1
    )
    found = [one for one in findings_of(division, day) if not one.aside]
    found.sort(key=lambda one: GROUPS.index(one.group))
    return Report(
        division, overcommit_of(site, division), day, day.summary(), worst_moment(day.recording).at_s,
        owners_of(division, day), tuple((one, effect_of(one, division)) for one in found), without,
        reserve_text(losses.reserve(), plan) if len(up) > 1 else "", savings_over(day),
    )  # fmt: skip
