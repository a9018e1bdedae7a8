"""``ruvex places``."""

from __future__ import annotations

from pathlib import Path

from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.divide import CONTENDED_WORDS
from ruvex.placing import better_places
from ruvex.site import site_of
from ruvex.words import hours_text, payers_text, places_text, step_text


def print_places(path: Path, *, as_json: bool) -> int:
    """Print where guests would be better off, over the whole day; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError
        The plan cannot be used.
    """
    file = read_plan(path)
    plan = file.plan
    found = better_places(site_of(plan, file.traces))
    if as_json:
        print_document({"plan": plan.name} | found.to_json())
        return 0
    print(f"{plan.name or 'Unnamed plan'}, places over the day")
    print(places_text(found, plan))
    for number, step in enumerate(found.steps, 1):
        gains = [(hours, CONTENDED_WORDS[of]) for of, hours in step.hours_of.items()]
        told = ", ".join(hours_text(hours, what) for hours, what in gains if abs(hours) >= 0.005)
        print(f"\n{number}. {step_text(step, plan)}: {told}")
        if step.reason:
            print(f"   {step.reason}")
        print(f"   {payers_text(step, plan)}")
    return 0
