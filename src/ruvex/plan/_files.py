"""Reading and writing plan files: hostile input is bounded, and no crash leaves half a file."""

from __future__ import annotations

import gc
import hashlib
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from functools import cache, cached_property
from itertools import islice
from pathlib import Path
from typing import Any, Final, Literal

from pydantic import TypeAdapter, ValidationError

from ruvex.plan._check import check_plan, raw_problems
from ruvex.plan._disk import read_file, replace_file
from ruvex.plan._errors import (
    MOST_FAULTS,
    MissingTraceError,
    OtherTracesError,
    PlanError,
    PlanFileError,
    Problem,
    ReadOnlyFileError,
    WrittenWrongError,
)
from ruvex.plan._json import parse_json
from ruvex.plan._layout import keep_order, to_text
from ruvex.plan._model import FORMAT, VERSION, Aside, Event, Guest, Host, PlacementRule, Plan, Pool
from ruvex.plan._problems import name_items, problems_of
from ruvex.plan._stores import Store
from ruvex.plan._telling import Tell, untold
from ruvex.plan._traces import Traces, read_traces, trace_files, trace_path

SUFFIX: Final = ".ruvex.json"
MAX_BYTES: Final = 256 * 2**20
_CHUNK: Final = 25
_LISTS: Final[Mapping[str, Any]] = {
    "hosts": Host, "stores": Store, "pools": Pool, "guests": Guest, "placement": PlacementRule, "aside": Aside,
    "events": Event,
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class PlanFile:
    """A plan as it was read.

    Attributes
    ----------
    plan
        The plan, valid.
    traces
        The trace tables it names.
    layout
        The document as it stood in the file; writing keeps its order of keys.
    digest
        Of the file's bytes, as ``digest_of`` gives it; empty where there was no file.
    """

    plan: Plan
    traces: Traces = field(default_factory=dict)
    layout: Any = None
    digest: str = ""


def digest_of(content: bytes) -> str:
    """Give what tells the content of one file from that of another."""
    return hashlib.blake2b(content).hexdigest()


def read_plan(path: Path, *, tell: Tell = untold) -> PlanFile:
    """Read a plan file and the traces beside it.

    Raises
    ------
    PlanFileError
        The file cannot be read, is too large, or is not UTF-8 text.
    PlanError
        It is not a valid plan; ``problems`` lists what is wrong, up to a hundred faults.
    StoppedError
        ``tell`` raises it.
    """
    return read_traces_of(read_document(path, tell=tell), path, tell=tell)


def read_document(path: Path, *, tell: Tell = untold) -> PlanFile:
    """Read a plan file without the traces it names; raises as ``read_plan``."""
    tell("from the disk", 0.0)
    return _parse_document(read_file(path, MAX_BYTES), str(path), tell)


def parse_plan(content: bytes, name: str, folder: Path) -> PlanFile:
    """Read a plan from its content, and the traces it names from a folder; raises as ``read_plan``, named as told."""
    file = _parse_document(content, name, untold)
    return read_traces_of(file, folder / name)


def _parse_document(content: bytes, name: str, tell: Tell) -> PlanFile:
    digest = digest_of(content)
    try:
        text = content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise PlanFileError(f"{name}: not UTF-8 text (byte {error.start}); save it as UTF-8") from None
    del content
    with _without_collections():
        data = parse_json(text, name)
        del text
        try:
            return PlanFile(plan_from(data, tell=tell), {}, data, digest)
        except PlanError as error:
            raise PlanError(name_items(error.problems, data), name) from None


def read_traces_of(file: PlanFile, path: Path, *, tell: Tell = untold) -> PlanFile:
    """Read the traces that a plan names, which lie beside its file; raises as ``read_plan``."""
    try:
        return replace(file, traces=read_traces(file.plan, path.parent, tell=tell))
    except PlanError as error:
        raise PlanError(name_items(error.problems, file.layout), str(path)) from None


@contextmanager
def _without_collections() -> Iterator[None]:
    """Collect no garbage: what is read is all in use, and each look at a million new objects finds nothing."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


def plan_from(data: Any, *, tell: Tell = untold) -> Plan:
    """Build a plan from parsed JSON and check it.

    Raises
    ------
    PlanError
        With the problems found, up to a hundred; one more says so where there are more.
    StoppedError
        ``tell`` raises it.
    """
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise PlanError([Problem("format", "this is not a Ruvex plan", f'a plan has "format": "{FORMAT}"')])
    version = data.get("version")
    if isinstance(version, int) and not isinstance(version, bool) and version > VERSION:
        raise PlanError(
            [
                Problem(
                    "version",
                    f"version {_shortened(version)} is newer than this Ruvex reads ({VERSION})",
                    "open it with a newer Ruvex",
                )
            ]
        )
    if "version" not in data:
        raise PlanError([Problem("version", "it is missing", f'add "version": {VERSION}')])
    building = _Building(data, tell)
    parts = {
        key: building.items(key, value) if key in _LISTS and isinstance(value, list | tuple) else value
        for key, value in data.items()
    }
    plan, found = None, building.found
    try:
        plan = Plan.model_validate(parts)
    except ValidationError as error:
        found = [*problems_of(error, data, Plan, most=MOST_FAULTS), *found]
    if plan is None or found or building.is_cut:
        raise PlanError(name_items([*found, *building.between][: MOST_FAULTS + 1], data))
    tell("checking", 1.0)
    problems = check_plan(plan)[: MOST_FAULTS + 1]
    if problems:
        raise PlanError(name_items(problems, data))
    return plan


class _Building:
    """Builds the items of a document, some at a time.

    So it can be told how far it is, and a file of nothing but faults costs no more than finding the first of them.

    Attributes
    ----------
    found, is_cut
        What is wrong with items; whether it was given up as there is so much.
    """

    def __init__(self, data: Mapping[str, Any], tell: Tell) -> None:
        self._data, self._tell = data, tell
        self.found: list[Problem] = []
        self.is_cut = False

    @cached_property
    def between(self) -> list[Problem]:
        """What is wrong between items, as can be seen before they are built."""
        return list(islice(raw_problems(self._data), MOST_FAULTS + 1))

    def items(self, key: str, values: Sequence[Any]) -> tuple[Any, ...]:
        """Build the items of one list, as far as there are not too many faults."""
        items: list[Any] = []
        for start in range(0, len(values), _CHUNK):
            if len(self.found) > MOST_FAULTS or (start > 0 and len(self.between) > MOST_FAULTS):
                self.is_cut = True
                break
            some = values[start : start + _CHUNK]
            try:
                items += _adapters()[key].validate_python(some)
            except ValidationError as error:
                self.found += problems_of(error, some, _LISTS[key], key, most=MOST_FAULTS, first=start)
            self._tell(key, min(1.0, (start + _CHUNK) / len(values)))
        return tuple(items)


@cache
def _adapters() -> Mapping[str, TypeAdapter[Any]]:
    return {
        "hosts": TypeAdapter(tuple[Host, ...]), "stores": TypeAdapter(tuple[Store, ...]),
        "pools": TypeAdapter(tuple[Pool, ...]),
        "guests": TypeAdapter(tuple[Guest, ...]), "placement": TypeAdapter(tuple[PlacementRule, ...]),
        "aside": TypeAdapter(tuple[Aside, ...]), "events": TypeAdapter(tuple[Event, ...]),
    }  # fmt: skip


def _shortened(number: int) -> str:
    return str(number) if number.bit_length() < 64 else "with very many digits"


def plan_text(plan: Plan, layout: Any = None) -> str:
    """Write a plan as the text of its file, keys in the order of ``layout`` (from reading) where given."""
    data = plan.model_dump(mode="json", exclude_unset=True)
    data = {"format": FORMAT, "version": VERSION, **data}
    return to_text(keep_order(data, layout))


def write_plan(
    plan: Plan,
    path: Path,
    *,
    layout: Any = None,
    traces: Traces | None = None,
    other_traces: Literal["ask", "replace", "keep"] = "ask",
    even_read_only: bool = False,
) -> str:
    """Write a plan file, and the traces it needs beside it, so that the old or the new content is there in any case.

    Nothing takes the place of a file before it was read back and found to be what is in memory.

    Parameters
    ----------
    plan, path
        What to write and where.
    layout
        The document as it was read; its order of keys is kept.
    traces
        The plan's traces; those that the folder lacks are written there first. Without any they are left alone: then
        the plan stays in its folder.
    other_traces
        What happens where the folder has another file of a trace's name: nothing is written and it is asked, it is
        replaced, or it is kept.
    even_read_only
        Whether a file that is read-only is replaced all the same.

    Returns
    -------
    str
        The digest of the plan's file.

    Raises
    ------
    OtherTracesError
        There are other files of the names of traces, and it is to be asked.
    ReadOnlyFileError
        The file is read-only.
    WrittenWrongError
        What would be written does not read as the plan; that is a fault of ours, and the old file stays.
    PlanFileError
        The file, or a trace it needs, cannot be written.
    """
    try:
        with _without_collections():
            content = plan_text(plan, layout).encode("utf-8")
    except (ValueError, TypeError) as error:
        raise WrittenWrongError(f"{path}: the plan cannot be put into words: {error}; the old file stays") from None
    check_written(plan, content, path)
    if traces is not None:
        _write_traces(plan, path.parent, traces, other_traces)
    replace_file(path, content, even_read_only=even_read_only)
    return digest_of(content)


def check_written(plan: Plan, content: bytes, path: Path) -> None:
    """Read back what is to be written of a plan.

    Raises
    ------
    WrittenWrongError
        It cannot be read, or reads as another plan.
    """
    try:
        with _without_collections():
            again = plan_from(parse_json(content.decode("utf-8"), ""))
    except (PlanError, UnicodeDecodeError) as error:
        reason = "; ".join(str(error).splitlines()[:3])
        raise WrittenWrongError(f"{path}: what would be written cannot be read: {reason}; the old file stays") from None
    if again != plan:
        raise WrittenWrongError(f"{path}: what would be written reads as another plan; the old file stays")


def _write_traces(plan: Plan, folder: Path, traces: Traces, others: Literal["ask", "replace", "keep"]) -> None:
    missing: list[tuple[Path, bytes]] = []
    different: list[tuple[str, Path, bytes]] = []
    for name in trace_files(plan):
        if name not in traces:
            raise PlanFileError(str(MissingTraceError(name)))
        target, content = trace_path(name, folder), traces[name].content
        if not target.exists():
            missing.append((target, content))
        elif target.stat().st_size != len(content) or read_file(target, len(content)) != content:
            different.append((name, target, content))
    if different and others == "ask":
        raise OtherTracesError([name for name, _, _ in different], folder)
    if others == "replace":
        missing += [(target, content) for _, target, content in different]
    for target, content in missing:
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise PlanFileError(f"{target.parent}: cannot be made: {error.strerror}") from None
        try:
            replace_file(target, content)
        except ReadOnlyFileError as error:
            raise PlanFileError(str(error)) from None


def write_text(path: Path, text: str) -> None:
    """Put a text in the place of a file, as ``replace_file`` does.

    Raises
    ------
    PlanFileError
        It cannot be written; what was there stays.
    """
    replace_file(path, text.encode("utf-8"))
