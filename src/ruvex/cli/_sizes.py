"""``ruvex sizes``."""

from __future__ import annotations

from pathlib import Path

from ruvex.advise import RightSize, SiteSavings, right_sizes, savings_over
from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.plan import Plan, UnitError, format_memory
from ruvex.play import Player
from ruvex.site import site_of


def print_sizes(path: Path, guest: str | None, *, as_json: bool) -> int:
    """Print which guests are not of the right size, and what elastic memory saves; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError, UnitError
        The plan cannot be used, or has no such guest.
    """
    file = read_plan(path)
    plan = file.plan
    if guest is not None and guest not in plan.guest_index:
        raise UnitError(f"there is no guest {guest!r} in the plan")
    site = site_of(plan, file.traces)
    day = Player(site)
    day.run()
    found = [one for one in right_sizes(day, site) if guest in (None, one.guest)]
    saved = savings_over(day)
    if as_json:
        sizes = [one.to_json() for one in found]
        print_document({"plan": plan.name, "sizes": sizes, "savings": saved.to_json()})
        return 0
    print(f"{plan.name or 'Unnamed plan'}: sizes, from the day as it was played")
    for one in found:
        print("\n".join(_lines(one)))
    if not found:
        print("Every size is right." if guest is None else f"The size of {guest} is right.")
    if guest is None:
        print("\n".join(_saved(saved, plan)))
    return 0


def _lines(one: RightSize) -> list[str]:
    lines = [f"- {one.text}"]
    was, will = (100 * part for part in one.wait)
    facts = [f"waits {was:.2f} % of its time now, {will:.2f} % with all of the right size"]
    if one.memory:
        now, then = (100 * part for part in one.risk)
        facts.append(f"short of memory {now:.1f} % of its time now, {then:.1f} % then")
        if any(name == "memory.ceiling" for name, _, _ in one.memory):
            facts.append(f"as a fixed size {format_memory(one.fixed_mib)}")
    return [*lines, f"    {'; '.join(facts)}"]


def _saved(saved: SiteSavings, plan: Plan) -> list[str]:
    if not saved.guests:
        return []
    labels = plan.labels
    lines = [
        f"\nElastic memory saves {format_memory(saved.mean_mib)} on average, {format_memory(saved.least_mib)} at least:"
        f" {saved.more_guests} more guests of their mean fixed size"
    ]
    return lines + [
        f"- {labels[one.guest]}: {format_memory(one.mean_mib)} on average, {format_memory(one.most_mib)} at most,"
        f" instead of {format_memory(one.otherwise_mib)}"
        for one in saved.guests
    ]
