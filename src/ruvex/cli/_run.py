"""``ruvex run``."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import Any, Final

from ruvex.advise import WAITS_MOMENTS, day_waits
from ruvex.cli._boundary import INTERRUPTED
from ruvex.cli._columns import fitted
from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.cli._progress import bar_of, interruptible
from ruvex.exchange import SERIES_SUFFIXES, write_series
from ruvex.plan import (
    LEAST_SPACING_S,
    Plan,
    PlanFileError,
    UnitError,
    format_time,
    parse_number,
    parse_time,
)
from ruvex.play import RECORD_S, Player, Summary
from ruvex.site import site_of
from ruvex.words import SUMMARY_HEADINGS, entry_text, guest_cells, summary_facts

_BATCH_TICKS: Final = 2000
_NAME: Final = 22
_WIDTHS: Final = (9, 7, 9, 5, 22, 9, 9)
_MOST_LOG: Final = 60
_DENSE_GUESTS: Final = 2000


def print_run(path: Path, until: str | None, out: Path | None, every: str | None, *, as_json: bool) -> int:
    """Play a plan and print what it came to; gives the exit status.

    Interrupted, it keeps and prints what has been played, and gives 130.

    Raises
    ------
    PlanError, PlanFileError, UnitError
        The plan or the time cannot be used, or the series cannot be written.
    """
    file = read_plan(path)
    until_s = None if until is None else _end(until, file.plan)
    if out is not None and out.suffix.lower() not in SERIES_SUFFIXES:
        raise PlanFileError(f"{out}: series go to a file ending in .csv or .npz")
    asked_s = _spacing(every)
    every_s = asked_s if out is not None else _for_waits(file.plan)
    player = Player(site_of(file.plan, file.traces), until_s=until_s, record_s=every_s)
    if out is not None and every is None and player.recording.every_s > RECORD_S:
        thinned = f"the series has a row every {player.recording.every_s:.0f} s: so many guests for so long"
        print(f"ruvex: {thinned} would take too much memory otherwise", file=sys.stderr)
    interrupted = _play(player)
    if out is not None:
        write_series(player.recording, out)
    summary, waits = player.summary(), day_waits(player).of_guests.tolist()
    if as_json:
        document = summary.to_json() | {"interrupted": interrupted}
        for guest, wait in zip(document["guests"], waits, strict=True):
            guest["chance_wait"] = wait
        for told, entry in zip(document["log"], summary.log, strict=True):
            told["text"] = entry_text(entry, file.plan)
        print_document(document)
    else:
        _print_summary(summary, waits, file.plan, interrupted=interrupted)
    return INTERRUPTED if interrupted else 0


def _for_waits(plan: Plan) -> float:
    """Give how densely to record where nothing is written: as far as waits by chance need it, and memory allows."""
    return max(RECORD_S, plan.day_s / WAITS_MOMENTS * max(1.0, len(plan.guests) / _DENSE_GUESTS))


def _spacing(text: str | None) -> float | None:
    if text is None:
        return None
    every_s = parse_number(text)
    if every_s < LEAST_SPACING_S:
        raise UnitError(f"--every {text}: rows are at least {LEAST_SPACING_S:g} s apart")
    return every_s


def _end(text: str, plan: Plan) -> float:
    end_s = parse_time(text)
    if not 0 < end_s <= plan.day_s:
        raise UnitError(f"--until {text} is not within the plan's day (to {format_time(plan.day_s)})")
    return end_s


def _play(player: Player) -> bool:
    """Play to the end, telling how far it is; tells whether it was interrupted."""
    with interruptible() as asked, bar_of("playing") as bar:
        task = bar.add_task("", total=player.end_tick, now="")
        while not player.is_over and not asked:
            player.run(most_ticks=_BATCH_TICKS)
            bar.update(task, completed=player.tick, now=format_time(player.now_s))
    return not player.is_over


def _print_summary(summary: Summary, waits: Sequence[float], plan: Plan, *, interrupted: bool) -> None:
    stopped = " (interrupted)" if interrupted else ""
    lines = [f"{plan.name or 'Unnamed plan'}, played from 00:00 to {format_time(summary.played_s)}{stopped}", ""]
    lines.append(_line("", SUMMARY_HEADINGS))
    labels = plan.labels
    lines += [
        _line(labels[guest.id], guest_cells(guest, wait))
        for guest, wait in zip(summary.guests, waits, strict=True)
        if guest.on_s > 0
    ]
    lines += ["", *summary_facts(summary, plan)]
    if summary.log:
        lines.append("")
        for entry in summary.log[:_MOST_LOG]:
            lines.append(f"{format_time(entry.at_s):<9}{entry.kind:<9}{entry_text(entry, plan)}")
        more = len(summary.log) - _MOST_LOG
        lines += [f"… and {more} more; --json has all"] if more > 0 else []
    print("\n".join(lines))


def _line(name: str, cells: Any) -> str:
    parts = [cell.rjust(width) for cell, width in zip(cells, _WIDTHS, strict=True)]
    return (fitted(name, _NAME) + " " + " ".join(parts)).rstrip()
