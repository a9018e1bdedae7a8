"""``ruvex run``."""

from __future__ import annotations

import json
import signal
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import FrameType
from typing import Any, Final

from rich.cells import set_cell_size
from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from ruvex.exchange import SERIES_SUFFIXES, write_series
from ruvex.plan import (
    THIN_SPACE,
    Plan,
    PlanFileError,
    UnitError,
    format_memory,
    format_number,
    format_time,
    parse_time,
    read_plan,
)
from ruvex.play import GuestSummary, Player, Summary
from ruvex.site import site_of

INTERRUPTED: Final = 130
_BATCH_TICKS: Final = 2000
_NAME: Final = 22
_HEADINGS: Final = ("unmet", "wait %", "pace", "below need", "peak GiB", "taken GiB")
_WIDTHS: Final = (9, 7, 5, 28, 9, 9)
_GIB_MIB: Final = 1024.0
_MOST_LOG: Final = 60


def print_run(path: Path, until: str | None, out: Path | None, every_s: float | None, *, as_json: bool) -> int:
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
    player = Player(site_of(file.plan, file.traces), until_s=until_s, record_s=every_s)
    interrupted = _play(player)
    if out is not None:
        write_series(player.recording, out)
    summary = player.summary()
    if as_json:
        print(json.dumps(summary.to_json() | {"interrupted": interrupted}, ensure_ascii=False))
    else:
        _print_summary(summary, file.plan, interrupted=interrupted)
    return INTERRUPTED if interrupted else 0


def _end(text: str, plan: Plan) -> float:
    end_s = parse_time(text)
    if not 0 < end_s <= plan.day_s:
        raise UnitError(f"--until {text} is not within the plan's day (to {format_time(plan.day_s)})")
    return end_s


def _play(player: Player) -> bool:
    """Play to the end, telling how far it is; tells whether it was interrupted."""
    bar = Progress(
        TextColumn("playing"), BarColumn(), TextColumn("{task.fields[now]}"), TimeRemainingColumn(),
        console=Console(stderr=True), transient=True, disable=not sys.stderr.isatty(),
    )  # fmt: skip
    with _interruptible() as asked, bar:
        task = bar.add_task("", total=player.end_tick, now="")
        while not player.is_over and not asked:
            player.run(most_ticks=_BATCH_TICKS)
            bar.update(task, completed=player.tick, now=format_time(player.now_s))
    return not player.is_over


@contextmanager
def _interruptible() -> Iterator[list[int]]:
    """Take an interrupt as a wish to stop after the tick that is being played."""
    asked: list[int] = []

    def on_signal(number: int, _frame: FrameType | None) -> None:
        asked.append(number)

    before = signal.signal(signal.SIGINT, on_signal)
    try:
        yield asked
    finally:
        signal.signal(signal.SIGINT, before)


def _print_summary(summary: Summary, plan: Plan, *, interrupted: bool) -> None:
    stopped = " (interrupted)" if interrupted else ""
    lines = [f"{plan.name or 'Unnamed plan'}, played from 00:00 to {format_time(summary.played_s)}{stopped}", ""]
    lines.append(_line("", _HEADINGS))
    labels = {guest.id: guest.label for guest in plan.guests}
    lines += [_guest_line(labels[guest.id], guest) for guest in summary.guests if guest.on_s > 0]
    lines.append("")
    hosts = {host.id: host.label for host in plan.hosts}
    for place in summary.places:
        name = hosts.get(place.host, "No host")
        name = f"Bank of {name}" if place.kind == "bank" else name
        times = ", ".join(f"{word} {_span(seconds)}" for word, seconds in place.pressure_s.items() if seconds)
        free = f"least free {format_memory(max(0.0, place.least_free_mib))}"
        unmet = f"; CPU short for {_span(place.cpu_unmet_s)}" if place.cpu_unmet_s else ""
        lines.append(f"{name}: {times}; {free}, {format_memory(max(0.0, place.mean_free_mib))} on average{unmet}")
    if summary.savings is not None:
        saved = summary.savings
        mean, least = format_memory(saved.mean_mib), format_memory(saved.least_mib)
        guests = f"{saved.guests} guest{'s' if saved.guests != 1 else ''}"
        would = f"the {format_memory(saved.otherwise_mib)} that {guests} would have otherwise"
        lines.append(f"Elastic memory saves {mean} on average, {least} at least, of {would}")
    for finish in summary.finishes:
        when = "is not done" if finish.finished_s is None else f"done {format_time(finish.finished_s)}"
        late = f", {_span(finish.late_s)} late" if finish.late_s and finish.late_s >= 1 else ""
        lines.append(f"Batch {labels[finish.guest]}: due {format_time(finish.due_s)}, {when}{late}")
    for bridge in summary.bridges:
        what = f"{format_memory(bridge.mib)} from disk for {_span(bridge.for_s)}"
        lines.append(f"Boot bridge {labels[bridge.guest]}: {what}, from {format_time(bridge.at_s)}")
    for move in summary.moves:
        way = f"{hosts[move.source]} to {hosts[move.target]} in {_span(move.took_s)}"
        lines.append(f"Move {labels[move.guest]}: {way} from {format_time(move.at_s)}, held {move.held_still_s:.1f} s")
    if summary.log:
        lines.append("")
        lines += [f"{format_time(entry.at_s):<9}{entry.kind:<9}{entry.text}" for entry in summary.log[:_MOST_LOG]]
        more = len(summary.log) - _MOST_LOG
        lines += [f"… and {more} more; --json has all"] if more > 0 else []
    print("\n".join(lines))


def _guest_line(label: str, guest: GuestSummary) -> str:
    worst = max(guest.below_s.items(), key=lambda item: item[1], default=None)
    below = "·" if worst is None else f"{_span(sum(guest.below_s.values()))} {worst[0]}"
    cells = (
        _span(guest.unmet_s), _figure(guest.fluid_wait * 100, 1),
        format_number(guest.worst_pace, 2) if guest.worst_pace < 0.995 else "·",
        below, _figure(guest.peak_backed_mib / _GIB_MIB, 2), _figure(guest.reclaimed_mib / _GIB_MIB, 2),
    )  # fmt: skip
    return _line(label, cells)


def _line(name: str, cells: Any) -> str:
    parts = [cell.rjust(width) for cell, width in zip(cells, _WIDTHS, strict=True)]
    shown = name if len(name) <= _NAME else name[: _NAME - 1] + "…"
    return (set_cell_size(shown, _NAME) + " " + " ".join(parts)).rstrip()


def _figure(value: float, decimals: int) -> str:
    return format_number(value, decimals).replace(THIN_SPACE, " ") if value >= 0.5 * 10.0**-decimals else "·"


def _span(seconds: float) -> str:
    """Write a length of time in its two largest units, a dot for none."""
    whole = round(seconds)
    if whole == 0:
        return "·"
    if whole < 60:
        return f"{whole} s"
    return f"{whole // 60} min" if whole < 3600 else f"{whole // 3600}h{whole // 60 % 60:02d}"
