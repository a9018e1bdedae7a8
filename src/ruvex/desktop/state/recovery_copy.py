"""What one recovery copy holds: everything that is needed to go on, in one file that is there whole or not at all.

It is a ZIP archive, so that a person can take the plan out of it by hand, and each part has a checksum.
"""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Final

from ruvex.plan import (
    Plan,
    PlanError,
    PlanFileError,
    Problem,
    Traces,
    check_written,
    digest_of,
    parse_json,
    parse_traces,
    plan_from,
    plan_text,
    read_file,
    replace_file,
    trace_files,
)

SUFFIX: Final = ".recovery"
_MOST_BYTES: Final = 1 << 30
_MOST_TRACES: Final = 10_000
_PLAN, _FACTS = "plan.ruvex.json", "facts.json"


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known of a recovery copy without opening its plan.

    Attributes
    ----------
    path
        The plan's own file, None if it never had one.
    name
        What the plan is called.
    digest
        Of the plan's own file when it was last read or written; empty if it never was.
    plan_digest
        Of the plan in the copy as it would be saved.
    """

    path: Path | None
    name: str
    digest: str
    plan_digest: str


@dataclass(frozen=True, slots=True)
class Recovered:
    """A recovery copy, opened.

    Attributes
    ----------
    plan, traces, layout
        As ``PlanFile`` has them.
    facts
        What else it knows.
    """

    plan: Plan
    traces: Traces
    layout: Any
    facts: Facts


def write_copy(copy: Path, plan: Plan, traces: Traces, layout: Any, *, path: Path | None, digest: str) -> None:
    """Write a recovery copy: the old or the new one is there in any case.

    Raises
    ------
    WrittenWrongError
        It could not be opened again; a fault of ours.
    PlanFileError
        It cannot be written.
    """
    content = plan_text(plan, layout).encode("utf-8", "surrogatepass")
    check_written(plan, content, copy)
    names = [name for name in trace_files(plan) if name in traces]
    facts = {
        "path": str(path) if path else None, "name": plan.name or (path.name if path else "New plan"),
        "digest": digest, "plan_digest": digest_of(content), "traces": names,
    }  # fmt: skip
    archive = io.BytesIO()
    with zipfile.ZipFile(archive, "w", zipfile.ZIP_STORED) as parts:
        parts.writestr(_FACTS, json.dumps(facts))
        parts.writestr(_PLAN, content)
        for number, name in enumerate(names):
            parts.writestr(_trace(number), traces[name].content)
    replace_file(copy, archive.getvalue(), private=True)


def read_facts(copy: Path) -> Facts:
    """Give what is known of a copy, all of whose parts are whole.

    Raises
    ------
    PlanError, PlanFileError
        It is damaged.
    """
    return _facts_of(_parts_of(copy), copy)[0]


def read_copy(copy: Path) -> Recovered:
    """Open a recovery copy.

    Raises
    ------
    PlanError, PlanFileError
        It is damaged, or its plan cannot be used.
    """
    parts = _parts_of(copy)
    facts, names = _facts_of(parts, copy)
    data = parse_json(_text(parts[_PLAN], copy), str(copy))
    try:
        plan = plan_from(data)
        contents = {name: parts[_trace(number)] for number, name in enumerate(names) if _trace(number) in parts}
        return Recovered(plan, parse_traces(plan, contents), data, facts)
    except PlanError as error:
        raise PlanError(error.problems, str(copy)) from None


def _trace(number: int) -> str:
    return f"traces/{number}.csv"


def _parts_of(copy: Path) -> Mapping[str, bytes]:
    content = read_file(copy, _MOST_BYTES)
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            listed = archive.infolist()
            # Nothing is compressed: what claims to hold more than the file has would only be unpacked without end.
            is_sound = len(listed) <= _MOST_TRACES and sum(part.file_size for part in listed) <= len(content)
            if not is_sound or any(part.compress_type != zipfile.ZIP_STORED for part in listed):
                raise PlanFileError(f"{copy}: this is no recovery copy of ours")
            # Reading a part checks its sum.
            parts = {part.filename: archive.read(part) for part in listed}
    except PlanFileError:
        raise
    except Exception as error:
        raise PlanFileError(f"{copy}: it is damaged: {error}") from None
    if not {_PLAN, _FACTS} <= parts.keys():
        raise PlanFileError(f"{copy}: a part of it is missing")
    return parts


def _facts_of(parts: Mapping[str, bytes], copy: Path) -> tuple[Facts, list[str]]:
    facts = parse_json(_text(parts[_FACTS], copy), str(copy))
    if not isinstance(facts, dict):
        raise PlanError([Problem(_FACTS, "it is not what was written", "take another copy")], str(copy))
    path, names = facts.get("path"), facts.get("traces")
    texts = [facts.get(key) for key in ("name", "digest", "plan_digest")]
    is_sound = all(isinstance(text, str) for text in texts) and (path is None or isinstance(path, str))
    if not is_sound or not isinstance(names, list) or not all(isinstance(name, str) for name in names):
        raise PlanError([Problem(_FACTS, "it is not what was written", "take another copy")], str(copy))
    name, digest, plan_digest = map(str, texts)
    return Facts(Path(path) if path else None, name[:200], digest, plan_digest), names


def _text(content: bytes, copy: Path) -> str:
    try:
        return content.decode("utf-8")
    except UnicodeDecodeError:
        raise PlanFileError(f"{copy}: it is damaged: not UTF-8 text") from None
