"""Reading and writing plan files: hostile input is bounded, and no crash leaves half a file."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import tempfile
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from ruvex.plan._check import check_plan, raw_problems
from ruvex.plan._errors import PlanError, PlanFileError, Problem
from ruvex.plan._layout import keep_order, to_text
from ruvex.plan._model import FORMAT, VERSION, Plan
from ruvex.plan._problems import name_items, problems_of
from ruvex.plan._traces import Traces, read_traces, trace_path, trace_signals

SUFFIX = ".ruvex.json"
MAX_BYTES = 256 * 2**20
_MAX_DEPTH = 60
_MAX_DIGITS = 400  # beyond float64 anyway; longer digit runs only cost time


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
    """

    plan: Plan
    traces: Traces = field(default_factory=dict)
    layout: Any = None


def read_plan(path: Path, *, traces_in: Path | None = None) -> PlanFile:
    """Read a plan file and the traces beside it, or in another folder.

    Raises
    ------
    PlanFileError
        The file cannot be read, is too large, or is not UTF-8 text.
    PlanError
        It is not a valid plan; ``problems`` lists all that is wrong.
    """
    try:
        size = path.stat().st_size
        if size > MAX_BYTES:
            raise PlanFileError(f"{path}: {size} bytes is more than a plan may have ({MAX_BYTES})")
        text = path.read_bytes().decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise PlanFileError(f"{path}: not UTF-8 text (byte {error.start}); save it as UTF-8") from None
    except OSError as error:
        if isinstance(error, PlanFileError):
            raise
        raise PlanFileError(f"{path}: cannot be read: {error.strerror}") from None
    data = parse_json(text, str(path))
    try:
        plan = plan_from(data)
        return PlanFile(plan, read_traces(plan, traces_in or path.parent), data)
    except PlanError as error:
        raise PlanError(name_items(error.problems, data), str(path)) from None


def parse_json(text: str, source: str) -> Any:
    """Parse JSON strictly: each key once, no NaN or infinity, no absurd nesting or digit runs.

    Raises
    ------
    PlanError
        The text is not such JSON; the problem names line and column where they are known.
    """
    try:
        data = json.loads(text, object_pairs_hook=_once, parse_constant=_no_constant, parse_int=_integer)
    except json.JSONDecodeError as error:
        # A string that nothing closes any more is cut off too.
        at_end = error.pos >= len(text.rstrip()) or '"' not in text[error.pos + 1 :]
        mend = "the file seems cut off; take an older copy" if at_end else "mend the JSON there"
        problem = Problem(f"line {error.lineno} column {error.colno}", error.msg, mend)
        raise PlanError([problem], source) from None
    except RecursionError:
        raise PlanError([Problem("", "it is nested too deeply", "a plan has few levels")], source) from None
    except _UnfitError as error:
        raise PlanError([Problem("", str(error), "correct it")], source) from None
    if _too_deep(data, _MAX_DEPTH):
        raise PlanError([Problem("", "it is nested too deeply", "a plan has few levels")], source)
    return data


def plan_from(data: Any) -> Plan:
    """Build a plan from parsed JSON and check it.

    Raises
    ------
    PlanError
        With every problem found.
    """
    if not isinstance(data, dict) or data.get("format") != FORMAT:
        raise PlanError([Problem("format", "this is not a Ruvex plan", f'a plan has "format": "{FORMAT}"')])
    version = data.get("version")
    if isinstance(version, int) and not isinstance(version, bool) and version > VERSION:
        raise PlanError(
            [
                Problem(
                    "version",
                    f"version {version} is newer than this Ruvex reads ({VERSION})",
                    "open it with a newer Ruvex",
                )
            ]
        )
    if "version" not in data:
        raise PlanError([Problem("version", "it is missing", f'add "version": {VERSION}')])
    try:
        plan = Plan.model_validate(data)
    except ValidationError as error:
        found = [*problems_of(error, data, Plan), *raw_problems(data)]
        raise PlanError(name_items(found, data)) from None
    problems = check_plan(plan)
    if problems:
        raise PlanError(name_items(problems, data))
    return plan


def plan_text(plan: Plan, layout: Any = None) -> str:
    """Write a plan as the text of its file, keys in the order of ``layout`` (from reading) where given."""
    data = plan.model_dump(mode="json", exclude_unset=True)
    data = {"format": FORMAT, "version": VERSION, **data}
    return to_text(keep_order(data, layout))


def write_plan(plan: Plan, path: Path, *, layout: Any = None, traces_from: Path | None = None) -> None:
    """Write a plan file so that either the old or the new content is there, never half of one.

    Parameters
    ----------
    plan, path
        What to write and where.
    layout
        The document as it was read; its order of keys is kept.
    traces_from
        The folder the plan's traces lie in now; those that the new folder lacks are copied to it first.

    Raises
    ------
    PlanFileError
        The file, or a trace it needs, cannot be written.
    """
    try:
        if traces_from is not None and traces_from.resolve() != path.parent.resolve():
            _copy_traces(plan, traces_from, path.parent)
        write_text(path, plan_text(plan, layout))
    except OSError as error:
        if isinstance(error, PlanFileError):
            raise
        raise PlanFileError(f"{path}: cannot be written: {error.strerror or error}") from None


def _copy_traces(plan: Plan, source: Path, target: Path) -> None:
    for name in sorted({signal.file for _, signal in trace_signals(plan)}):
        new = trace_path(name, target)
        if not new.exists():
            new.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(trace_path(name, source), new)


def write_text(path: Path, text: str) -> None:
    """Write a text to a temporary name beside a file and put it in that one's place.

    Raises
    ------
    OSError
        It cannot be written; what was there stays.
    """
    # A link stays a link: its target is what is replaced.
    path = path.resolve()
    handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
    part = Path(name)
    try:
        with os.fdopen(handle, "w", encoding="utf-8") as stream:
            stream.write(text)
            stream.flush()
            os.fsync(stream.fileno())
        part.chmod(path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask())
        part.replace(path)
    except BaseException:
        with contextlib.suppress(OSError):
            part.unlink()
        raise


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


class _UnfitError(ValueError):
    """Raised from within the JSON parser for what the standard allows and a plan does not."""


def _once(pairs: Iterable[tuple[str, Any]]) -> dict[str, Any]:
    result: dict[str, Any] = {}
    for key, value in pairs:
        if key in result:
            raise _UnfitError(f"the key {key[:60]!r} stands twice in one object")
        result[key] = value
    return result


def _no_constant(name: str) -> Any:
    raise _UnfitError(f"{name} is not a number a plan may hold")


def _integer(digits: str) -> int:
    if len(digits) > _MAX_DIGITS:
        raise _UnfitError(f"a number with {len(digits)} digits")
    return int(digits)


def _too_deep(data: Any, levels: int) -> bool:
    if not isinstance(data, dict | list):
        return False
    if levels == 0:
        return True
    return any(_too_deep(item, levels - 1) for item in (data.values() if isinstance(data, dict) else data))
