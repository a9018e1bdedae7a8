"""``ruvex days``."""

from __future__ import annotations

import csv
import io
import math
from pathlib import Path
from typing import Final

from ruvex.advise import (
    FIGURES,
    Days,
    Risk,
    Runner,
    compared,
    here,
    on_cluster,
    play_days,
    with_more_memory,
    with_one_more_host,
)
from ruvex.cli._boundary import INTERRUPTED
from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.cli._progress import telling
from ruvex.plan import Plan, UnitError, format_time, parse_time, write_text
from ruvex.words import counted, label_of, short_span

MOST_DAYS: Final = 100_000
_MOST: Final = 30
_MOST_CHANGED: Final = 6


def print_days(
    path: Path, days: int, seed: int | None, on: str | None, done_by: str | None, out: Path | None, *,
    with_more: bool, as_json: bool,
) -> int:  # fmt: skip
    """Print what a plan comes to over many random days; gives the exit status.

    Parameters
    ----------
    path, days, seed
        The plan, how many days, and of which chances; the plan's own if left out.
    on
        The address of a cluster's scheduler; this machine if left out.
    done_by
        ``ID=TIME``: how often the batch work of a guest is done by then.
    out
        Where every day's figures go, a CSV file.
    with_more, as_json
        Whether one more host, and a tenth more memory, are played as well; whether to print one document.

    Raises
    ------
    PlanError, PlanFileError, UnitError, ClusterError
        The plan, an argument or the cluster cannot be used.
    """
    file = read_plan(path)
    plan = file.plan
    if not 1 <= days <= MOST_DAYS:
        raise UnitError(f"--days {days}: from 1 to {MOST_DAYS}")
    by = None if done_by is None else _due(done_by, plan)
    runner: Runner = here if on is None else on_cluster(on)
    with telling("playing") as (told, asked):
        found = play_days(plan, file.traces, days, runner, seed=seed, told=told)
        others: dict[str, Days] = {}
        if with_more and not asked:
            wider, moves = with_one_more_host(plan, file.traces)
            told_moves = f"with one more host and {len(moves)} guest{'s' if len(moves) != 1 else ''} moved to it"
            for name, other in ((told_moves, wider), ("with a tenth more memory in each host", with_more_memory(plan))):
                others[name] = play_days(other, file.traces, days, runner, seed=seed, told=told)
    if out is not None:
        write_text(out, _table(found))
    if as_json:
        document = {
            "plan": plan.name, "seed": found.source.seed, "days": found.count, "interrupted": bool(asked),
            "together_percent": plan.rules.chances.together_percent,
            "guests": [one.to_json() for one in found.of_guests()],
            "pools": [one.to_json() for one in found.of_pools()],
            "done_by": None if by is None else {"id": by[0], "by_s": by[1], "part": found.done_by(*by)},
            "instead": [
                {"text": name, "days": one.count, "short_hours": one.short_hours,
                 "guests": [risk.to_json() for risk in one.of_guests()]}
                for name, one in others.items()
            ],
        }  # fmt: skip
        print_document(document)
    else:
        _print(found, by, others, plan)
    return INTERRUPTED if asked else 0


def _due(text: str, plan: Plan) -> tuple[str, float]:
    guest, equals, at = text.partition("=")
    if not equals or guest not in plan.guest_index:
        raise UnitError(f"--done-by {text}: write it as ID=TIME, with a guest of the plan")
    return guest, parse_time(at)


def _print(found: Days, by: tuple[str, float] | None, others: dict[str, Days], plan: Plan) -> None:
    print(f"{plan.name or 'Unnamed plan'}, {found.count} random days, seed {found.source.seed}")
    print(f"Of how far heights differ, {plan.rules.chances.together_percent:g} % is the same for all guests of a day.")
    if by is not None:
        part = found.done_by(*by)
        name = label_of(plan, by[0])
        if math.isnan(part):
            print(f"{name} has no batch work.")
        else:
            dues = found.source.dues[plan.guest_index[by[0]]]
            due = format_time(round(dues[found.job_by(*by) or 0] / 60) * 60)
            print(f"{name}, due {due}, is done by {format_time(by[1])} on {100 * part:.0f} of 100 days.")
    heads = f"{'':24}{'short on':>10}{'mean':>9}{'95 of 100':>11}{'pace':>7}  done by"
    for title, risks in (("pools", found.of_pools()), ("guests", found.of_guests())):
        its = sorted((one for one in risks if _is_told(one)), key=lambda one: (-one.short_part, -one.short_s))
        if its:
            print(f"\n{title}\n{heads}")
        for one in its[:_MOST]:
            print(_line(one, plan))
        if len(its) > _MOST:
            print(f"and {len(its) - _MOST} more")
    print(f"\n{found.short_hours:.1f} guest-hours short on a day, on average")
    for name, other in others.items():
        changed = compared(found, other)
        print(f"{name}: {other.short_hours:.1f}; short on other days: {counted(len(changed), 'guest')}")
        by_change = sorted(changed.items(), key=lambda pair: pair[1][1].short_part - pair[1][0].short_part)
        for guest, (before, after) in by_change[:_MOST_CHANGED]:
            then, now = 100 * before.short_part, 100 * after.short_part
            print(f"  {label_of(plan, guest)[:28]:28} {then:.0f} \u2192 {now:.0f} of 100")


def _is_told(one: Risk) -> bool:
    return one.short_part > 0 or bool(one.finishes)


def _line(one: Risk, plan: Plan) -> str:
    done = ", ".join(_when(done) for _, done in one.finishes)
    return (
        f"{label_of(plan, one.item)[:23]:24}{100 * one.short_part:>8.0f} %{short_span(one.short_s):>9}"
        f"{short_span(one.short_most_s):>11}{one.pace:>7.2f}  {done}"
    ).rstrip()


def _when(done_s: float) -> str:
    return format_time(round(done_s / 60) * 60) if math.isfinite(done_s) else "never"


def _table(found: Days) -> str:
    """Write what every day came to: a line a day and guest."""
    text = io.StringIO()
    lines = csv.writer(text, lineterminator="\n")
    jobs = found.table.shape[1] - len(FIGURES)
    lines.writerow(("day", "guest", *FIGURES, *(f"done_{job + 1}_s" for job in range(jobs))))
    for day in range(found.table.shape[0]):
        if found.played[day]:
            for i, guest in enumerate(found.plan.guests):
                values = ["" if math.isnan(one) else one for one in found.table[day, :, i].tolist()]
                lines.writerow((day, guest.id, *values))
    return text.getvalue()
