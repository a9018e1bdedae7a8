"""From pydantic's validation errors to our problems: a path people can follow, the fault, the remedy."""

from __future__ import annotations

import difflib
import re
import reprlib
from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import lru_cache
from typing import Any, Final

from pydantic import TypeAdapter, ValidationError

from ruvex.plan._errors import Problem
from ruvex.plan._fields import TEXT_PATTERN

# Pydantic names the branch of a union it tried; these are branches, not keys of the document.
_BRANCHES = frozenset({
    "thin", "elastic", "fixed", "number", "daily", "steps", "bursts", "trace", "set", "surge", "move",
    "power-on", "power-off", "restart", "host-down", "host-up", "together", "apart", "stays", "constrained-int",
    "literal['stays-off']",
})  # fmt: skip
_MAX_SHOWN: Final = 60
_LONGEST_KEY: Final = 40
"""Longer keys are compared with none: that takes the longer the more there is to compare."""
_ITEM = re.compile(r"(hosts|stores|pools|guests)\[(\d+)\]")

_MENDS = {
    "greater_than": "it must be more than {gt:g}",
    "greater_than_equal": "it must be at least {ge:g}",
    "less_than": "it must be less than {lt:g}",
    "less_than_equal": "it must be at most {le:g}",
    "float_type": "write a number",
    "int_type": "write a whole number",
    "string_type": "write a text in quotes",
    "bool_type": "write true or false",
    "finite_number": "write a finite number",
    "literal_error": "write one of {expected}",
    "missing": "add it",
    "too_short": "give at least {min_length}",
    "too_long": "give at most {max_length}",
    "string_too_short": "give at least {min_length} characters",
    "string_too_long": "use at most {max_length} characters",
    "string_unicode": "use characters that can be written",
    "string_pattern_mismatch": "use lower-case letters, digits and hyphens, beginning with a letter or digit",
    "tuple_type": "write a list",
    "model_type": "write an object with keys in braces",
    "model_attributes_type": "write an object with keys in braces",
    "dict_type": "write an object with keys in braces",
    "signal_form": "write a number, or an object with a known kind",
    "memory_mode": "write fixed, elastic or thin",
    "union_tag_invalid": "write one of {expected_tags}",
    "union_tag_not_found": "add the key {discriminator}",
}


def problems_of(
    error: ValidationError,
    data: Any,
    model: Any,
    prefix: str = "",
    *,
    most: int | None = None,
    first: int = 0,
) -> list[Problem]:
    """List the problems in a validation error.

    Parameters
    ----------
    error
        What pydantic raised.
    data
        The document that was validated; the paths are read along it.
    model
        The class it was validated against; unknown keys are compared with its keys.
    prefix
        Where the data stands in the whole document.
    most
        How many problems are given, and one more where there are more; all if left out.
    first
        Where the data begins in its list, if it is a part of one.
    """
    listed = error.errors(include_url=False)
    known = _keys_of(model)
    return [
        _problem(dict(details), data, known, prefix, first)
        for details in (listed if most is None else listed[: most + 1])
    ]


def name_items(problems: Iterable[Problem], data: Any) -> list[Problem]:
    """Add to problems in the lists of a plan the id of the item they concern."""
    named = []
    for problem in problems:
        match = _ITEM.match(problem.path)
        item = data[match[1]][int(match[2])] if match else None
        item_id = item.get("id") if isinstance(item, Mapping) else None
        if isinstance(item_id, str) and not problem.path.endswith("].id"):
            problem = replace(problem, item=item_id[:_MAX_SHOWN])
        named.append(problem)
    return named


def _path(loc: tuple[int | str, ...], data: Any, prefix: str, first: int) -> str:
    path, here = prefix, data
    for i, key in enumerate(loc):
        if isinstance(key, int):
            path += f"[{key + first}]" if i == 0 else f"[{key}]"
            here = here[key] if isinstance(here, list | tuple) and key < len(here) else None
        elif key in _BRANCHES and not (isinstance(here, Mapping) and key in here):
            continue
        else:
            path += f".{key[:_MAX_SHOWN]}" if path else key[:_MAX_SHOWN]
            here = here.get(key) if isinstance(here, Mapping) else None
    return path


class _Shortly(reprlib.Repr):
    """Shows a value shortly, however large or deep it is."""

    def __init__(self) -> None:
        super().__init__()
        self.maxlevel, self.maxstring, self.maxother, self.maxlong = 3, _MAX_SHOWN, _MAX_SHOWN, _MAX_SHOWN

    def repr_int(self, number: int, _level: int) -> str:
        """Show a whole number; one of hundreds of digits is not worth showing."""
        return repr(number) if number.bit_length() < 200 else "a number of very many digits"


_SHORTLY = _Shortly()


def _shown(value: Any) -> str:
    text = _SHORTLY.repr(value)
    return text if len(text) <= _MAX_SHOWN else text[: _MAX_SHOWN - 1] + "…"


@lru_cache(maxsize=32)
def _keys_of(model: Any) -> tuple[str, ...]:
    """Give every key of a model class and of the classes in it, for finding what was probably meant."""
    schema = TypeAdapter(model).json_schema()
    keys = set(schema.get("properties", {}))
    for group in schema.get("$defs", {}).values():
        keys |= set(group.get("properties", {}))
    return tuple(sorted(keys))


def _meant(key: str, known: tuple[str, ...]) -> str:
    # A key that only stands in the wrong place is not meant to be itself.
    others = [name for name in known if name != key]
    close = difflib.get_close_matches(key, others, n=1) if len(key) <= _LONGEST_KEY else []
    return f"did you mean {close[0]!r}?" if close else "remove it"


def _problem(details: dict[str, Any], data: Any, known: tuple[str, ...], prefix: str, first: int) -> Problem:
    kind, context = details["type"], details.get("ctx", {})
    path = _path(details["loc"], data, prefix, first)
    if kind == "extra_forbidden":
        key = str(details["loc"][-1])
        return Problem(path, f"unknown key {key[:_MAX_SHOWN]!r}", _meant(key, known))
    if kind == "missing":
        return Problem(path, "it is missing", _MENDS[kind])
    if kind == "value_error":
        fault, _, cure = str(context.get("error", details["msg"])).partition("; ")
        return Problem(path, fault, cure or "correct it")
    mend, value = _MENDS.get(kind), details["input"]
    if kind in ("memory_mode", "signal_form") and isinstance(value, Mapping):
        key = "mode" if kind == "memory_mode" else "kind"
        path, value = f"{path}.{key}", value.get(key)
    what = f"{_shown(value)} is not allowed"
    if kind == "string_pattern_mismatch" and context.get("pattern") == TEXT_PATTERN:
        mend = "write it on one line, without control characters"
    return Problem(path, what, mend.format(**context) if mend else str(details["msg"]).lower())
