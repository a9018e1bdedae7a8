"""``ruvex without``."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from ruvex.advise import Emptied, Without, emptied_host, settled_lines, without_host, without_lines, worst_time
from ruvex.cli._divide import time_in_day
from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.placing import Losses, Reserve, SettledLoss
from ruvex.plan import Plan, UnitError, format_time
from ruvex.play import Player
from ruvex.site import Site, site_of
from ruvex.words import label_of, reserve_text, short_span, stays_off_text

STAYS_OFF: Final = 1
"""The status where somebody does not come back, or cannot leave."""


def print_without(path: Path, host: str | None, at: str | None, *, empty: bool, as_json: bool) -> int:
    """Print what becomes of a site when one host is lost, or each of them in turn; gives the exit status.

    Parameters
    ----------
    path, host, at
        The plan, the host (None: each in turn) and when it is lost (None: at the worst moment of the day).
    empty
        Whether it is emptied instead, for maintenance.
    as_json
        Whether to print one document.

    Raises
    ------
    PlanError, PlanFileError, UnitError
        The plan or the time cannot be used, or there is no such host.
    """
    file = read_plan(path)
    plan = file.plan
    if host is not None and host not in plan.host_index:
        raise UnitError(f"there is no host {host!r}; the plan has {', '.join(plan.host_index) or 'none'}")
    site = site_of(plan, file.traces)
    hosts = [host] if host is not None else [one.id for one in plan.hosts if one.up]
    if empty:
        at_s = plan.moment if at is None else time_in_day(at, plan)
        return _print_emptied([emptied_host(site, one, at_s) for one in hosts], plan, as_json=as_json)
    if at is None:
        day = Player(site)
        day.run()
        at_s = worst_time(day)
    else:
        at_s = time_in_day(at, plan)
    losses = Losses(site)
    found = [(without_host(site, one, at_s), losses.of(one)) for one in hosts]
    reserve = losses.reserve() if len(plan.hosts) > 1 else None
    if as_json:
        documents = [played.to_json() | {"settled": settled.to_json()} for played, settled in found]
        print_document({"plan": plan.name, "hosts": documents, "set_aside": reserve and reserve.to_json()})
    else:
        _print(found, reserve, site, at_s)
    return STAYS_OFF if any(played.off for played, _ in found) else 0


def _print(found: list[tuple[Without, SettledLoss]], reserve: Reserve | None, site: Site, at_s: float) -> None:
    plan = site.plan
    print(f"{plan.name or 'Unnamed plan'}, one host lost at {format_time(at_s)}")
    for played, settled in found:
        print("\n" + "\n".join([*without_lines(played, plan), *settled_lines(settled, plan)]))
    if reserve is not None:
        print(f"\n{reserve_text(reserve, plan)}")
        for one, host in reserve.stuck:
            print(f"  without {label_of(plan, host)}: {stays_off_text(one, plan)}")


def _print_emptied(found: list[Emptied], plan: Plan, *, as_json: bool) -> int:
    if as_json:
        print_document({"plan": plan.name, "hosts": [one.to_json() for one in found]})
    for number, one in enumerate([] if as_json else found):
        print(("\n" if number else "") + "\n".join(emptied_lines(one, plan)))
    return STAYS_OFF if any(one.staying for one in found) else 0


def emptied_lines(found: Emptied, plan: Plan) -> list[str]:
    """Say who leaves a host in which order, when, and who cannot."""
    name = label_of(plan, found.host)
    if not found.going and not found.staying:
        return [f"{name} is empty"]
    count = len(found.going)
    lines = [
        f"{name} emptied from {format_time(found.at_s)}: {count} guest{'s' if count != 1 else ''} in"
        f" {short_span(found.took_s)}"
    ]
    for number, one in enumerate(found.going, 1):
        what = f"{number:3}. {label_of(plan, one.guest)} to {label_of(plan, one.to)}"
        took = f"{one.took_s:.0f} s, held {one.held_still_s:.2f} s"
        how = "off" if one.is_off else f"{format_time(round(one.at_s))}, {took}"
        lines.append(f"{what}: {how}")
    lines += [f"  stays: {label_of(plan, guest)}, as {why}" for guest, why in found.staying]
    return lines
