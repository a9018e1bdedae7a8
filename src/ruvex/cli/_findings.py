"""``ruvex findings``."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path

from ruvex.advise import GROUPS, KINDS, Finding, Group, RemedyEffect, Shift, effect_of, findings_of
from ruvex.cli._divide import time_in_day
from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.divide import divide
from ruvex.plan import Plan, UnitError, format_time
from ruvex.play import Player
from ruvex.site import site_of
from ruvex.words import amount_text

FOUND = 1
"""The status where something at or above the group that was asked for is worth a look."""
_MOST_NAMED = 4


def print_findings(
    path: Path, at: str | None, at_least: str | None, kinds: Sequence[str], not_kinds: Sequence[str], *, as_json: bool
) -> int:
    """Print what is worth a look in a plan; gives the exit status.

    Parameters
    ----------
    path, at, at_least
        The plan, the moment, and the least group that is told.
    kinds, not_kinds
        Only findings of these kinds, all if there are none; and none of those.
    as_json
        Whether to print one document.

    Raises
    ------
    PlanError, PlanFileError, UnitError
        The plan or the time cannot be used, or there is no such group.
    """
    if at_least is not None and at_least not in GROUPS:
        raise UnitError(f"--at-least {at_least}: there are {', '.join(GROUPS)}")
    for option, named in (("--kind", kinds), ("--not-kind", not_kinds)):
        unknown = [kind for kind in named if kind not in KINDS]
        if unknown:
            raise UnitError(f"{option} {unknown[0]}: there are {', '.join(KINDS)}")
    file = read_plan(path)
    plan = file.plan
    site = site_of(plan, file.traces)
    division = divide(site, plan.moment if at is None else time_in_day(at, plan))
    day = Player(site)
    day.run()
    told = GROUPS if at_least is None else GROUPS[: GROUPS.index(at_least) + 1]
    every = [
        finding
        for finding in findings_of(division, day)
        if (not kinds or finding.kind in kinds) and finding.kind not in not_kinds
    ]
    found = [finding for finding in every if finding.group in told and not finding.aside]
    aside = [finding for finding in every if finding.aside]
    effects = [effect_of(finding, division) for finding in found]
    if as_json:
        findings = [finding.to_json(effect) for finding, effect in zip(found, effects, strict=True)]
        set_aside = [finding.to_json(None) for finding in aside]
        print_document({"plan": plan.name, "at": division.at_s, "findings": findings, "aside": set_aside})
    else:
        _print(plan, division.at_s, list(zip(found, effects, strict=True)), told)
        for number, finding in enumerate(aside):
            print(f"{'' if number else chr(10)}set aside: {finding.text} ({finding.aside})")
    return FOUND if found and (at_least is not None or kinds) else 0


def _print(plan: Plan, at_s: float, found: list[tuple[Finding, RemedyEffect | None]], told: tuple[Group, ...]) -> None:
    print(f"{plan.name or 'Unnamed plan'} at {format_time(at_s)} and over its day")
    if not found:
        print("Nothing is worth a look.")
    labels = plan.labels
    for group in told:
        its = [(finding, effect) for finding, effect in found if finding.group == group]
        if its:
            print(f"\n{group.replace('-', ' ')}")
        for finding, effect in its:
            print(f"- {finding.text}")
            print(f"    {'; '.join(f'{name} {value}' for name, value in finding.figures)}")
            if finding.remedy is not None:
                print(f"    remedy: {finding.remedy.text}; {effect_text(effect, labels)}")


def effect_text(effect: RemedyEffect | None, labels: Mapping[str, str]) -> str:
    """Say who gains and who pays, the largest first."""
    if effect is None or not (effect.gains or effect.losses):
        return "nobody gains or pays now"

    def told(shift: Shift) -> str:
        return f"{labels.get(shift.guest, shift.guest)} {amount_text(abs(shift.amount), shift.resource)}"

    parts = []
    for verb, shifts in (("gain", effect.gains), ("pay", effect.losses)):
        named = [told(shift) for shift in shifts[:_MOST_NAMED]]
        if len(shifts) > _MOST_NAMED:
            named.append(f"{len(shifts) - _MOST_NAMED} more")
        parts.append(f"{verb}: {', '.join(named) or 'nobody'}")
    return "; ".join(parts)
