"""The turns of a window as a file: CSV, or the open Trace Event JSON that viewers of profilers read."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any, Final

from ruvex.cores import ENDINGS, TurnTrace
from ruvex.plan import Plan, PlanFileError, replace_file

TURNS_SUFFIXES: Final = (".csv", ".json")
_US: Final = 1000.0


def write_turns(found: TurnTrace, plan: Plan, path: Path) -> None:
    """Write every turn of a window.

    A CSV file has ``thread,core,guest,vcpu,from_ms,to_ms,ended`` lines; a JSON file the Trace Event Format: a track a
    thread, an event a turn, times in microseconds.

    Raises
    ------
    PlanFileError
        The name ends in neither ``.csv`` nor ``.json``, or the file cannot be written.
    """
    suffix = path.suffix.lower()
    if suffix not in TURNS_SUFFIXES:
        raise PlanFileError(f"{path}: turns go to a file ending in .csv or .json")
    text = _csv(found, plan) if suffix == ".csv" else json.dumps(_events(found, plan), ensure_ascii=False)
    replace_file(path, text.encode("utf-8"))


def _rows(found: TurnTrace, plan: Plan) -> list[tuple[int, str, int, float, float, str]]:
    parties = found.parties
    guests = [plan.guests[guest].id for guest in parties.guest_of.tolist()]
    numbers = parties.number_of.tolist()
    return [
        (int(thread), guests[int(vcpu)], numbers[int(vcpu)], begun, end, ENDINGS[int(why)])
        for thread, vcpu, begun, end, why in found.turns.T.tolist()
    ]


def _csv(found: TurnTrace, plan: Plan) -> str:
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(("thread", "core", "guest", "vcpu", "from_ms", "to_ms", "ended"))
    for thread, guest, number, begun, end, why in _rows(found, plan):
        row = (thread, thread // found.parties.width, guest, number, f"{begun:.6f}", f"{end:.6f}", why)
        writer.writerow(row)
    return stream.getvalue()


def _events(found: TurnTrace, plan: Plan) -> dict[str, Any]:
    names: list[dict[str, Any]] = [
        {"ph": "M", "name": "thread_name", "pid": 1, "tid": thread, "args": {"name": f"thread {thread}"}}
        for thread in range(found.parties.threads)
    ]
    names.append({"ph": "M", "name": "process_name", "pid": 1, "args": {"name": found.parties.host.label}})
    turns = [
        {"ph": "X", "name": f"{guest} {number}", "cat": "turn", "pid": 1, "tid": thread, "ts": begun * _US,
         "dur": (end - begun) * _US, "args": {"ended": why}}
        for thread, guest, number, begun, end, why in _rows(found, plan)
    ]  # fmt: skip
    return {"displayTimeUnit": "ms", "traceEvents": names + turns}
