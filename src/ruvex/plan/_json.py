"""JSON from outside: each key once, only finite numbers, bounded depth, only text that can be written again."""

from __future__ import annotations

import json
import math
import re
from array import array
from collections.abc import Iterable
from itertools import accumulate
from typing import Any, Final

from ruvex.plan._errors import PlanError, Problem

_MOST_DEPTH: Final = 60
_MOST_DIGITS: Final = 300
_WRONG: Final = {
    "Expecting value": "a value is missing or none that JSON knows", "Expecting ',": "a comma is missing",
    "Expecting ':": "a colon is missing", "Expecting property name": "a key in quotation marks is missing",
    "Illegal trailing comma": "nothing follows the comma", "Unterminated string": "a string is not closed",
    "Extra data": "more follows after the end", "Invalid control": "a control character stands in a string",
    "Invalid \\": "a backslash stands before what it does not go with",
}  # fmt: skip
"""What the parser says, by how it begins, in the words of people."""
_MOST_KEYS: Final = 20_000
_MOST_GROUPS: Final = 1_000_000
_LEAST_OF_GROUP: Final = 25
"""Lists and objects that any plan may have, and in how many more characters a plan has one more at most."""
_PIECE: Final = 1 << 20
_STEPS: Final = bytes.maketrans(b"[{]}", b"\x01\x01\xff\xff")
"""What a bracket does to the depth: one down, or (as a signed byte) one up."""
_NO_BRACKETS: Final = bytes(set(range(256)) - set(b"[]{}"))
_DIGITS: Final = bytes.maketrans(b"0123456789E", b"0000000000e")
_NO_NUMBERS: Final = bytes(set(range(256)) - set(b'0123456789eE,.:]}"'))
_HALF_CHARACTER: Final = re.compile(r"\\u[dD][89a-fA-F]")


def parse_json(text: str, source: str) -> Any:
    """Parse JSON strictly: each key once, only finite numbers, no absurd nesting, no half characters.

    Raises
    ------
    PlanError
        The text is not such JSON; the problem names line and column where they are known.
    """
    outside = _outside_strings(text)
    problem = _problem_of_nesting(outside, len(text))
    if problem is not None:
        raise PlanError([problem], source)
    # The parser is much faster with its own numbers; only these can be out of range.
    has_long = _may_have_long_numbers(text)
    keys = _Keys()
    try:
        data = json.loads(
            text, object_hook=keys.count, parse_constant=_no_constant,
            parse_int=_integer if has_long else None, parse_float=_fraction if has_long else None,
        )  # fmt: skip
        if keys.most > _MOST_KEYS:
            raise _UnfitError(f"an object with {keys.most} keys; no part of a plan has so many")
        if keys.total != outside.count(b":"):
            # Of some object a key is missing, as another of the same name took its place: find out which.
            json.loads(text, object_pairs_hook=_once)
        if "\\u" in text and _HALF_CHARACTER.search(text) is not None:
            _refuse_half_characters(data)
    except json.JSONDecodeError as error:
        # A string that nothing closes any more is cut off too.
        is_open = error.msg.startswith("Unterminated") and '"' not in text[error.pos + 1 :]
        at_end = is_open or error.pos >= len(text.rstrip())
        mend = "the file seems cut off; take an older copy" if at_end else "mend the JSON there"
        what = next((told for begin, told in _WRONG.items() if error.msg.startswith(begin)), "this is no JSON")
        problem = Problem(f"line {error.lineno} column {error.colno}", what, mend)
        raise PlanError([problem], source) from None
    except _UnfitError as error:
        raise PlanError([Problem("", str(error), "correct it")], source) from None
    return data


def _may_have_long_numbers(text: str) -> bool:
    """Tell whether a number may be too large for a float: it has hundreds of digits, or an exponent of three."""
    digits = text.encode("utf-8", "replace").translate(_DIGITS, _NO_NUMBERS)
    return b"e000" in digits or b"0" * _MOST_DIGITS in digits


def _outside_strings(text: str) -> bytes:
    """Give what of a text stands outside of strings, where brackets and colons count."""
    if "\\" in text:
        text = text.replace("\\\\", "").replace('\\"', "")
    # Every second piece between quotation marks is a string.
    return "".join(text.split('"')[::2]).encode("utf-8", "replace")


def _problem_of_nesting(outside: bytes, length: int) -> Problem | None:
    """Find brackets that no plan has, too deep or too many, before the parser spends time and memory on them."""
    steps = outside.translate(_STEPS, _NO_BRACKETS)
    if len(steps) // 2 > _MOST_GROUPS + length // _LEAST_OF_GROUP:
        return Problem("", f"it has {len(steps) // 2} lists and objects", "a plan of this size has far fewer")
    depth = 0
    for start in range(0, len(steps), _PIECE):
        depths = list(accumulate(array("b", steps[start : start + _PIECE]), initial=depth))
        if max(depths) > _MOST_DEPTH:
            return Problem("", "it is nested too deeply", "a plan has few levels")
        depth = depths[-1]
    return None


class _UnfitError(ValueError):
    """Raised from within the JSON parser for what the standard allows and a plan does not."""


class _Keys:
    """Counts the keys of all objects while they are parsed."""

    def __init__(self) -> None:
        self.total = self.most = 0

    def count(self, found: dict[str, Any]) -> dict[str, Any]:
        """Count those of one object."""
        size = len(found)
        self.total += size
        if size > self.most:
            self.most = size
        return found


def _once(pairs: Iterable[tuple[str, Any]]) -> None:
    seen: set[str] = set()
    for key, _ in pairs:
        if key in seen:
            raise _UnfitError(f"the key {key[:60]!r} stands twice in one object")
        seen.add(key)


def _no_constant(name: str) -> Any:
    raise _UnfitError(f"{name} is not a number a plan may hold")


def _integer(digits: str) -> int:
    if len(digits) > _MOST_DIGITS:
        raise _UnfitError(f"a number with {len(digits)} digits")
    return int(digits)


def _fraction(digits: str) -> float:
    value = float(digits)
    if not math.isfinite(value):
        raise _UnfitError(f"{digits[:40]} is more than a number can be")
    return value


def _refuse_half_characters(data: Any) -> None:
    waiting = [data]
    while waiting:
        value = waiting.pop()
        if isinstance(value, dict):
            waiting += value.keys()
            waiting += value.values()
        elif isinstance(value, list):
            waiting += value
        elif isinstance(value, str):
            try:
                value.encode("utf-8")
            except UnicodeEncodeError:
                what = f"the text {value[:40]!r} has half a character, which cannot be written"
                raise _UnfitError(what) from None
