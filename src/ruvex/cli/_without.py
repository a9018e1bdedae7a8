"""``ruvex without``."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from ruvex.advise import Without, without_host, worst_time
from ruvex.cli._divide import time_in_day
from ruvex.cli._document import print_document
from ruvex.plan import Plan, UnitError, format_time, read_plan
from ruvex.play import Player
from ruvex.site import site_of
from ruvex.words import short_span

STAYS_OFF: Final = 1
"""The status where somebody does not come back."""
_MOST_NAMED: Final = 8


def print_without(path: Path, host: str | None, at: str | None, *, as_json: bool) -> int:
    """Print what becomes of a site when one host is lost, or each of them in turn; gives the exit status.

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
    if at is None:
        day = Player(site)
        day.run()
        at_s = worst_time(day)
    else:
        at_s = time_in_day(at, plan)
    hosts = [host] if host is not None else [one.id for one in plan.hosts if one.up]
    found = [without_host(site, one, at_s) for one in hosts]
    if as_json:
        print_document({"plan": plan.name, "hosts": [one.to_json() for one in found]})
    else:
        print(f"{plan.name or 'Unnamed plan'}, one host lost at {format_time(at_s)}")
        for one in found:
            print("\n" + "\n".join(_lines(one, plan)))
    return STAYS_OFF if any(one.off for one in found) else 0


def _lines(found: Without, plan: Plan) -> list[str]:
    labels = {item.id: item.label for item in (*plan.hosts, *plan.guests)}
    count = len(found.back) + len(found.off)
    if not count:
        return [f"Without {labels[found.host]}: nobody is on it then"]
    lines = [f"Without {labels[found.host]}: {len(found.back)} of {count} guests run again"]
    if found.back:
        lines[0] += f", the last after {short_span(found.back[-1].after_s)}"
        by_host: dict[str, list[str]] = {}
        for one in found.back:
            by_host.setdefault(one.host, []).append(f"{labels[one.guest]} {short_span(one.after_s)}")
        for host, guests in by_host.items():
            more = f" and {len(guests) - _MOST_NAMED} more" if len(guests) > _MOST_NAMED else ""
            lines.append(f"  on {labels.get(host, 'no host')}: {', '.join(guests[:_MOST_NAMED])}{more}")
    if found.off:
        lines.append(f"  stay off: {', '.join(labels[guest] for guest in found.off)}")
    if found.hurt:
        told = [f"{labels[one.guest]} {_hurt_text(one.cpu, one.memory)}" for one in found.hurt[:_MOST_NAMED]]
        more = f" and {len(found.hurt) - _MOST_NAMED} more" if len(found.hurt) > _MOST_NAMED else ""
        lines.append(f"  hurt: {', '.join(told)}{more}")
    else:
        lines.append("  nobody else is hurt")
    return lines


def _hurt_text(cpu: tuple[float, float], memory: tuple[float, float]) -> str:
    parts = [
        f"{name} {100 * now:.0f} % instead of {100 * was:.0f}"
        for name, (was, now) in (("CPU", cpu), ("memory", memory))
        if was - now > 0.005
    ]
    return " and ".join(parts)
