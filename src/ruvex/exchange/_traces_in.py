"""The traces that come with guests and events from a file: read beside it, under names that are free."""

from __future__ import annotations

from collections.abc import Container, Iterable, Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any, Final

from ruvex.exchange._brought import Brought
from ruvex.plan import Event, Guest, PlanFileError, Traces, TraceTable, parse_trace, read_file, trace_path

_MOST_BYTES: Final = 256 * 2**20


def with_traces(found: Brought, folder: Path, traces: Traces) -> Brought:
    """Give what was brought together with the traces it names.

    One that is not in the folder may be one that the plan has. One that is there and is another than the plan's of the
    same name gets a name of its own.

    Parameters
    ----------
    found, folder
        What was brought, and where the files lie that it names.
    traces
        Those of the plan it is for.

    Raises
    ------
    PlanError, PlanFileError
        A trace is missing, or cannot be read.
    """
    tables: dict[str, TraceTable] = {}
    names: dict[str, str] = {}
    items: tuple[Guest | Event, ...] = (*found.guests, *found.events)
    for name in sorted(traces_of(items)):
        path = trace_path(name, folder)
        if not path.is_file():
            if name in traces:
                continue
            raise PlanFileError(f"the trace {name} is not there; put it beside what is brought in")
        table = parse_trace(read_file(path, _MOST_BYTES, called=path.name), path.name)
        if name in traces and traces[name].content == table.content:
            continue
        names[name] = name if name not in traces else free_trace_name(name, {*traces, *names.values()})
        tables[names[name]] = table
    if not tables:
        return found
    guests, events = (tuple(renamed_traces(item, names) for item in part) for part in (found.guests, found.events))
    return replace(found, guests=guests, events=events, traces=tables)


def free_trace_name(name: str, known: Container[str]) -> str:
    """Give the next name of a trace file that is not known yet, such as ``traces/cpu-2.csv``."""
    stem, number = name.removesuffix(".csv"), 2
    while f"{stem}-{number}.csv" in known:
        number += 1
    return f"{stem}-{number}.csv"


def _files_in(value: Any) -> set[str]:
    if isinstance(value, Mapping):
        own = {value["file"]} if value.get("kind") == "trace" and isinstance(value.get("file"), str) else set()
        return own.union(*map(_files_in, value.values()))
    return set().union(*map(_files_in, value)) if isinstance(value, list | tuple) else set()


def traces_of(items: Iterable[Guest | Event]) -> set[str]:
    """Give the names of the traces that guests and events follow."""
    return set().union(*(_files_in(item.model_dump()) for item in items))


def renamed_traces(item: Any, names: Mapping[str, str]) -> Any:
    """Give a guest or event that follows traces by their new names."""
    data = item.model_dump(exclude_unset=True)
    return type(item).model_validate(_with_names(data, names)) if _files_in(data) & names.keys() else item


def _with_names(value: Any, names: Mapping[str, str]) -> Any:
    if isinstance(value, Mapping):
        new = {key: _with_names(one, names) for key, one in value.items()}
        return new | {"file": names.get(new["file"], new["file"])} if new.get("kind") == "trace" else new
    return [_with_names(one, names) for one in value] if isinstance(value, list | tuple) else value
