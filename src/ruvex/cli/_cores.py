"""``ruvex cores``."""

from __future__ import annotations

from pathlib import Path
from typing import Final

from ruvex.cli._columns import fitted
from ruvex.cli._divide import time_in_day
from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.cores import TurnFigures, TurnReport, report_of
from ruvex.divide import Division, divide
from ruvex.exchange import TURNS_SUFFIXES, write_turns
from ruvex.plan import Plan, PlanFileError, UnitError, format_number, format_time, parse_number
from ruvex.play import RECORD_S, Player, division_at
from ruvex.site import Site, site_of
from ruvex.words import counted

_NAME: Final = 26
_HEADINGS: Final = ("vCPUs", "run", "wait", "held", "off", "asleep", "mean ms", "95 % ms", "longest")
_MOST_WINDOWS: Final = 1000
_ROWS: Final = 2000
"""So many rows of a play are kept on the way to its last one, which is at the moment itself."""


def print_cores(
    path: Path,
    host: str | None,
    at: str | None,
    for_s: str,
    seed: int,
    windows: int,
    out: Path | None,
    *,
    as_json: bool,
    played: bool = False,
) -> int:
    """Print who ran when on the threads of a host, and who waited; gives the exit status.

    With ``played`` it is the moment as the day has it then: the plan is played as far as there.

    Raises
    ------
    PlanError, PlanFileError, UnitError, NoCoresError
        The plan, the time or the window cannot be used, there is no such host, or the file cannot be written.
    """
    file = read_plan(path)
    plan = file.plan
    if host is None:
        if len(plan.hosts) != 1:
            names = ", ".join(plan.host_index) or "none"
            raise UnitError(f"say which host: --host ID; the plan has {names}")
        host = plan.hosts[0].id
    if not 1 <= windows <= _MOST_WINDOWS:
        raise UnitError(f"--windows {windows}: from 1 to {_MOST_WINDOWS} are possible")
    if seed < 0:
        raise UnitError(f"--seed {seed}: it is 0 or more")
    if out is not None and out.suffix.lower() not in TURNS_SUFFIXES:
        raise PlanFileError(f"{out}: turns go to a file ending in .csv or .json")
    at_s = plan.moment if at is None else time_in_day(at, plan)
    site = site_of(plan, file.traces)
    division = _played(site, at_s) if played else divide(site, at_s)
    report = report_of(division, host, for_s=parse_number(for_s), seed=seed, windows=windows)
    if out is not None:
        write_turns(report.first, plan, out)
    if as_json:
        print_document(report.to_json())
    else:
        _print(report, plan)
    return 0


def _played(site: Site, at_s: float) -> Division:
    """Play as far as a time and give what there is then: nothing is recorded but that."""
    rows = min(max(int(at_s / RECORD_S), 1), _ROWS)
    until_s = min(at_s + site.plan.tick_s, site.plan.day_s)
    player = Player(site, until_s=until_s, record_s=max(at_s / rows, RECORD_S))
    player.run()
    found = division_at(player, at_s)
    assert found is not None, "all of it has been played"
    return found


def _print(report: TurnReport, plan: Plan) -> None:
    host = report.first.parties.host
    threads = report.first.parties.threads
    busy = sum(busy for busy, _ in report.threads) / (report.for_s * max(threads, 1))
    of = f", medians of {report.windows} windows" if report.windows > 1 else ""
    as_played = " as played" if report.division.is_played else ""
    print(
        f"{plan.name or 'Unnamed plan'}, {host.label} at {format_time(report.division.at_s)}{as_played}, core by core"
    )
    print(
        f"{report.for_s:g} s{of}: {counted(host.cores, 'core')}, {counted(threads, 'thread')} {busy:.0%} busy,"
        f" {report.first.counts[0]} turns, {report.first.counts[1]} moves between threads"
    )
    kept = sum(kept for _, kept in report.threads)
    if kept > 1e-6:
        print(f"Threads were kept idle for {kept:.2f} s in all while somebody waited: so the rules have it.")
    for guest in report.first.wider_than_its_threads if plan.rules.turns.fellows == "together" else ():
        print(f"! {plan.guests[guest].label} has more vCPUs than threads: all at once they never run.")
    print(_line("", _HEADINGS))
    labels = plan.labels
    for name, figures in (*report.pools.items(), *report.guests.items()):
        print(_line(labels[name], _cells(figures)))


def _cells(figures: TurnFigures) -> tuple[str, ...]:
    states = (figures.run, figures.wait, figures.held, figures.off, figures.asleep)
    waits = (figures.mean_ms, figures.p95_ms, figures.longest_ms)
    return (
        str(figures.vcpus),
        *(f"{value:.2f}" if value >= 0.005 else "·" for value in states),
        *(format_number(value, 1) if value >= 0.05 else "·" for value in waits),
    )


def _line(name: str, cells: tuple[str, ...]) -> str:
    return (fitted(name, _NAME) + "".join(cell.rjust(8) for cell in cells)).rstrip()
