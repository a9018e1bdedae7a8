"""``ruvex check``: is a plan fit to be used, as a pipeline asks."""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ruvex.cli._document import print_document
from ruvex.cli._input import load_little, read_plan
from ruvex.plan import Plan, PlanError, Problem
from ruvex.promise import all_refusals, claims_of
from ruvex.site import Site, broken_rules, site_of
from ruvex.words import holders_text, refusal_text

FIT, UNFIT, UNREADABLE = 0, 1, 2


@dataclass(frozen=True)
class Fault:
    """Something that makes a plan unfit.

    Attributes
    ----------
    kind
        ``fault`` of the plan itself, ``promise`` that cannot be kept, ``off`` for who is to be on and cannot be, or
        ``rule`` of placement that is broken.
    about
        The ids it concerns.
    text
        A sentence.
    """

    kind: str
    about: tuple[str, ...]
    text: str

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        return {"kind": self.kind, "about": list(self.about), "text": self.text}


def print_check(path: Path, *, as_json: bool) -> int:
    """Tell whether a plan is fit: without faults, its promises kept, everybody who is on where it may be.

    Raises
    ------
    PlanError, PlanFileError
        It cannot be read.
    """
    try:
        file = read_plan(path)
    except PlanError as error:
        # A file that is no JSON, or a newer version's, has no place in a plan to name.
        parts = Plan.model_fields.keys() - {"format", "version"}
        if not any(re.split(r"[.\[]", problem.path)[0] in parts for problem in error.problems):
            raise
        return _print("", [_fault_of(problem) for problem in error.problems], as_json=as_json)
    load_little(file.plan)
    site = site_of(file.plan, file.traces)
    return _print(file.plan.name, [*_promises(site), *_off(site), *_rules(site)], as_json=as_json)


def _fault_of(problem: Problem) -> Fault:
    return Fault("fault", (problem.item,) if problem.item else (), str(problem))


def _promises(site: Site) -> list[Fault]:
    found = []
    for refusal in all_refusals(claims_of(site)):
        held = holders_text(site.plan, refusal)
        text = refusal_text(site.plan, refusal) + (f"; held by {held}" if held else "")
        about = (*([refusal.place] if refusal.place else []), *(name for name, _ in refusal.holders))
        found.append(Fault("promise", about, text))
    return found


def _off(site: Site) -> list[Fault]:
    """Name those that are to be on and are not: their host is down, or no host may take them."""
    plan, found = site.plan, list[Fault]()
    if not plan.hosts:
        return found
    for i, guest in enumerate(plan.guests):
        if guest.is_powered and not site.standing.on[i]:
            found.append(Fault("off", (guest.id,), f"{guest.label} is to be on, and {_why_off(plan, site, i)}"))
    return found


def _why_off(plan: Plan, site: Site, guest: int) -> str:
    at = int(site.standing.host[guest])
    return f"{plan.hosts[at].label} is down" if at >= 0 else "no host may take it"


def _rules(site: Site) -> list[Fault]:
    standing = site.standing
    return [Fault("rule", (), text) for text in broken_rules(site.plan, standing.host.tolist(), standing.on.tolist())]


def _print(name: str, faults: list[Fault], *, as_json: bool) -> int:
    if as_json:
        print_document({"plan": name, "fit": not faults, "faults": [fault.to_json() for fault in faults]})
    elif faults:
        print("\n".join(fault.text for fault in faults))
    else:
        print(f"{name or 'Unnamed plan'} is fit: its promises are kept, and all that is on may be on.")
    return UNFIT if faults else FIT
