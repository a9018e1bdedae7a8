"""``ruvex beside``."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from ruvex.advise import (
    CHANGES,
    Beside,
    GuestBeside,
    amount_lines,
    beside,
    change_title,
    day_changes,
    days_text,
    differences,
    differences_text,
    part_lines,
)
from ruvex.cli._divide import time_in_day
from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.divide import divide
from ruvex.plan import Plan, UnitError, change_settings, format_time
from ruvex.play import Player
from ruvex.site import site_of

_MOST: Final = 40


def print_beside(
    then: Path, now: Path | None, rule: str | None, at: str | None, *, day: bool, as_json: bool
) -> int:  # fmt: skip
    """Print what changes between two plans, or one plan and the same under another rule; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError, UnitError, EditError
        A plan, the rule or the time cannot be used.
    """
    if (now is None) == (rule is None):
        raise UnitError("name a second plan, or another rule with --rule NAME=VALUE")
    files = [read_plan(then), read_plan(now if now is not None else then)]
    plans = [file.plan for file in files]
    if rule is not None:
        plans[1] = _under(plans[1], rule)
    at_s = plans[1].moment if at is None else time_in_day(at, plans[1])
    if at_s > plans[0].day_s:
        raise UnitError(f"{format_time(at_s)} is after the end of the first plan's day; name a time with --at")
    sites = [site_of(plan, file.traces) for plan, file in zip(plans, files, strict=True)]
    days = None
    if day:
        days = Player(sites[0]), Player(sites[1])
        for player in days:
            player.run()
    found = beside(divide(sites[0], at_s), divide(sites[1], at_s), days)
    changes = differences(*plans)
    if as_json:
        told = [{"id": one.item, "text": one.text} for one in changes]
        print_document({"then": plans[0].name, "now": plans[1].name, "differences": told} | found.to_json())
        return 0
    print(f"{plans[0].name or 'Unnamed plan'}, then and now, at {format_time(at_s)}")
    print(f"set since: {differences_text(changes) or 'nothing'}")
    _print_moment(found)
    _print_parts(found)
    if day:
        _print_day(found, plans[1])
    return 0


def _under(plan: Plan, rule: str) -> Plan:
    name, equals, value = rule.partition("=")
    if not equals or not name:
        raise UnitError(f"--rule {rule}: write it as NAME=VALUE, such as reservation_rule=on-top")
    given: str | float | bool = value
    if value in ("true", "false"):
        given = value == "true"
    else:
        try:
            given = float(value)
        except ValueError:
            given = value
    return change_settings(plan, "rules", {name: given})


def _print_moment(found: Beside) -> None:
    for change in CHANGES[:-1]:
        its = found.of(change)
        if its:
            print(f"\n{change_title(change)}  {len(its)}")
        for one in its[:_MOST]:
            print(_line(one))
        if len(its) > _MOST:
            print(f"  and {len(its) - _MOST} more")
    print(f"\n{change_title('as-before')}  {len(found.of('as-before'))}")


def _line(one: GuestBeside) -> str:
    parts = amount_lines(one)
    return f"  {one.label[:28]:28} {'; '.join(parts)}"


def _print_parts(found: Beside) -> None:
    lines = part_lines(found)
    if lines:
        print("\nParts of the site, %, where they changed: CPU, memory")
        print("\n".join(f"  {line}" for line in lines[:_MOST]))


def _print_day(found: Beside, plan: Plan) -> None:
    print("\nOver the day")
    its = [(one, *day_changes(one, plan.tick_s)) for one in found.guests]
    its = [(one, change, by) for one, change, by in its if change != "as-before"]
    its.sort(key=lambda item: (CHANGES.index(item[1]), -abs(item[2])))
    for one, change, _ in its[:_MOST]:
        print(f"  {one.label[:28]:28} {change_title(change).lower()}: {days_text(one)}")
    if not its:
        print("  nobody is short for longer or done at another time")
