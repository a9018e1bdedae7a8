"""``ruvex room``."""

from __future__ import annotations

from pathlib import Path

from ruvex.advise import (
    Room,
    as_elastic,
    as_fixed,
    lacks_text,
    number_text,
    paper_text,
    pattern_text,
    room_for,
    room_text,
    typed_pattern,
)
from ruvex.cli._divide import time_in_day
from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.plan import Guest, Plan, UnitError, format_time, parse_cpu, parse_memory
from ruvex.site import Site, site_of

NO_ROOM = 1
"""The status where not one more fits on paper."""
MODES = ("thin", "fixed", "elastic")


def print_room(
    path: Path, like: str | None, typed: dict[str, str | None], at: str | None, *, as_json: bool
) -> int:  # fmt: skip
    """Print how many more like a guest fit; gives the exit status.

    Parameters
    ----------
    path, like, at
        The plan, the guest of it that is the pattern, and the moment.
    typed
        Or the pattern as it was typed: ``vcpus``, ``memory``, ``cpu``, ``working``, ``mode`` and ``pool``.

    Raises
    ------
    PlanError, PlanFileError, UnitError, EditError
        The plan, the pattern or the time cannot be used.
    """
    file = read_plan(path)
    plan = file.plan
    at_s = plan.moment if at is None else time_in_day(at, plan)
    site = site_of(plan, file.traces)
    pattern = _pattern(plan, like, typed)
    found = room_for(site, pattern, at_s=at_s)
    others = {"as_fixed": as_fixed(site, pattern), "as_elastic": as_elastic(site, pattern)}
    totals = {name: room_for(site, other, at_s=at_s) for name, other in others.items() if other != pattern}
    if as_json:
        counts = {name: {"paper": one.paper, "now": one.now, "worst": one.worst} for name, one in totals.items()}
        print_document({"plan": plan.name, "like": like} | found.to_json() | {"instead": counts})
    else:
        _print(found, totals, site, like)
    return 0 if found.paper else NO_ROOM


def _pattern(plan: Plan, like: str | None, typed: dict[str, str | None]) -> Guest:
    if like is not None:
        if like not in plan.guest_index:
            raise UnitError(f"--like {like}: there is no such guest; name one, or type --vcpus and --memory")
        return plan.guests[plan.guest_index[like]]
    vcpus, memory, mode, pool = typed["vcpus"], typed["memory"], typed["mode"] or MODES[0], typed["pool"]
    if vcpus is None or memory is None:
        raise UnitError("name a guest with --like, or type a pattern with --vcpus and --memory")
    if not vcpus.isdecimal() or not 1 <= int(vcpus) <= 4096:
        raise UnitError(f"--vcpus {vcpus}: a whole number from 1 to 4096")
    if mode not in MODES:
        raise UnitError(f"--mode {mode}: there are {', '.join(MODES)}")
    if pool is not None and pool not in plan.pool_index:
        raise UnitError(f"--pool {pool}: the plan has {', '.join(plan.pool_index) or 'none'}")
    cpu, working = typed["cpu"], typed["working"]
    return typed_pattern(
        plan, vcpus=int(vcpus), memory_mib=parse_memory(memory), mode=mode, pool=pool,
        cpu_mhz=None if cpu is None else parse_cpu(cpu), working_mib=None if working is None else parse_memory(working),
    )  # fmt: skip


def _print(found: Room, totals: dict[str, Room], site: Site, like: str | None) -> None:
    plan = site.plan
    name = plan.labels[like] if like is not None else "the guest that was typed"
    print(f"{plan.name or 'Unnamed plan'}: how many more like {name}")
    print(pattern_text(site, found.pattern, found.at_s))
    print(room_text(found))
    for one in found.hosts:
        label = plan.labels[one.host]
        print(f"\n{label}")
        print(_line("on paper", one.paper, paper_text(one, plan)))
        print(_line(f"at {format_time(found.at_s)}", one.now, lacks_text(one.lacks_now, plan, with_time=False)))
        print(_line("all day", one.worst, lacks_text(one.lacks_worst, plan)))
    for kind, other in totals.items():
        print(f"{chr(10) if kind == next(iter(totals)) else ''}{kind.replace('_', ' ')} instead: {room_text(other)}")


def _line(what: str, number: int, why: str) -> str:
    return f"  {what:9} {number_text(number)}" + (f"; {why}" if why else "")
