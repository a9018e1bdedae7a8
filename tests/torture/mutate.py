"""Damaging inputs, the same way for the same seed: as bytes, as text, and as documents."""

from __future__ import annotations

import json
import random
import re
from collections.abc import Callable
from typing import Any

_NUMBERS = (
    "0", "-0.0", "5e-324", "1e-300", "1e-14", "1e-9", "0.001", "0.1", "1", "3", "100", "86400", "5400000", "1e9",
    "1e12", "1e300", "1.7976931348623157e308", "1e400", "-1", "-1e-9", "9223372036854775808", "1" + "0" * 350, "NaN",
    "Infinity", "1_0", "08", "0x10",
)  # fmt: skip
_VALUES: tuple[Any, ...] = (
    None, True, False, 0, -1, 1e-14, 1e9, 1e12, 1e300, 10**350, "", "x", "08:00", "1500:00", "x" * 300, "\ud800",
    "\x00", "é\u202e", [], {}, [[]], {"kind": "trace", "file": "../../etc/passwd", "column": "x"},
    {"kind": "trace", "file": "traces/cpu.csv", "column": "none"},
    {"kind": "bursts", "base": 0, "high": 9, "every_s": 1e-4, "for_s": 1},
    {"kind": "bursts", "base": 5e-324, "high": 1e12, "every_s": 1, "for_s": 0.5},
    {"kind": "steps", "at": [["00:00", 5], ["00:00:01", 1e12]]},
    {"kind": "daily", "low": 0, "high": 1e12, "peak_at": 0, "width_h": 0.001},
    {"mode": "elastic", "floor": 0, "boot": 5e-324, "ceiling": 1e12},
)  # fmt: skip
_EVENTS: tuple[dict[str, Any], ...] = (
    {"do": "set", "change": {"cpu.shares": 1e-14}}, {"do": "set", "change": {"cpu": {"limit": 3}, "cpu.limit": 1}},
    {"do": "set", "change": {"memory.mode": "elastic"}}, {"do": "set", "change": {"memory.mode": []}},
    {"do": "set", "change": {"demand": {"cpu": {"kind": "trace", "file": "none.csv", "column": "x"}}}},
    {"do": "surge", "factor": 1e6, "for_s": 1e7}, {"do": "restart"}, {"do": "power-off"}, {"do": "power-on"},
    {"do": "host-down"}, {"do": "host-up"}, {"do": "move"},
)  # fmt: skip
_TOKEN = re.compile(rb"-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?")


def mutate(chance: random.Random, content: bytes) -> bytes:
    """Damage some content, in one way or a few after each other."""
    is_document = content[:1] in (b"{", b"[")
    for _ in range(chance.choice((1, 1, 1, 2, 3))):
        ways = [_flip, _cut, _repeat, _number, _number, _insert, _drop_line]
        if is_document:
            ways += [_document] * 8
        content = chance.choice(ways)(chance, content)
    return content


def _flip(chance: random.Random, content: bytes) -> bytes:
    changed = bytearray(content)
    for _ in range(chance.choice((1, 2, 8))):
        if changed:
            changed[chance.randrange(len(changed))] ^= 1 << chance.randrange(8)
    return bytes(changed)


def _cut(chance: random.Random, content: bytes) -> bytes:
    return content[: chance.randrange(len(content) + 1)]


def _repeat(chance: random.Random, content: bytes) -> bytes:
    start = chance.randrange(len(content) + 1)
    end = min(len(content), start + chance.randrange(1, 400))
    return content[:start] + content[start:end] * chance.choice((2, 3, 40)) + content[end:]


def _number(chance: random.Random, content: bytes) -> bytes:
    found = list(_TOKEN.finditer(content))
    if not found:
        return content
    where = chance.choice(found)
    return content[: where.start()] + chance.choice(_NUMBERS).encode() + content[where.end() :]


def _insert(chance: random.Random, content: bytes) -> bytes:
    pieces = (
        b"\x00",
        b"\xff",
        b'"',
        b"[" * 300,
        b"{",
        b"\n",
        b",",
        b"\\ud800",
        b"   " * 1000,
        b"\xef\xbb\xbf",
        b"e400",
    )
    at = chance.randrange(len(content) + 1)
    return content[:at] + chance.choice(pieces) + content[at:]


def _drop_line(chance: random.Random, content: bytes) -> bytes:
    lines = content.splitlines(keepends=True)
    if lines:
        del lines[chance.randrange(len(lines))]
    return b"".join(lines)


def _document(chance: random.Random, content: bytes) -> bytes:
    """Damage a document: another value, another key, one thing twice, or an event that asks for trouble."""
    try:
        document = json.loads(content)
    except (ValueError, RecursionError):
        return content
    places = list(_places(document))
    if not places:
        return content
    holder, key = chance.choice(places)
    way: Callable[..., None] = chance.choice((_set, _set, _set, _delete, _twice, _rename, _swap, _event))
    way(chance, document, places, holder, key)
    return json.dumps(document).encode("utf-8", "surrogatepass")


def _places(document: Any) -> Any:
    """Give every place of a document, as what holds it and under which key or number."""
    waiting = [document]
    while waiting:
        value = waiting.pop()
        keys = list(value) if isinstance(value, dict) else range(len(value)) if isinstance(value, list) else ()
        for key in keys:
            yield value, key
            waiting.append(value[key])


def _set(chance: random.Random, _document: Any, _places: Any, holder: Any, key: Any) -> None:
    holder[key] = chance.choice(_VALUES)


def _delete(_chance: random.Random, _document: Any, _places: Any, holder: Any, key: Any) -> None:
    del holder[key]


def _twice(chance: random.Random, _document: Any, _places: Any, holder: Any, key: Any) -> None:
    if isinstance(holder, list):
        holder[key:key] = [holder[key]] * chance.choice((1, 5))


def _rename(chance: random.Random, _document: Any, _places: Any, holder: Any, key: Any) -> None:
    if isinstance(holder, dict):
        holder[chance.choice(("", "id", "memory", "limit", key + "x", "\ud800", "x" * 500))] = holder.pop(key)


def _swap(chance: random.Random, _document: Any, places: Any, holder: Any, key: Any) -> None:
    other, at = chance.choice(places)
    holder[key] = json.loads(json.dumps(other[at]))


def _listed(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def _event(chance: random.Random, document: Any, _places: Any, _holder: Any, _key: Any) -> None:
    if not isinstance(document, dict):
        return
    events = document.setdefault("events", [])
    items = [
        item.get("id")
        for group in ("guests", "pools", "hosts")
        for item in _listed(document.get(group))
        if isinstance(item, dict)
    ]
    if isinstance(events, list) and items:
        for _ in range(chance.choice((1, 3, 60))):
            event = dict(chance.choice(_EVENTS)) | {
                "at": chance.choice((0, 5, "00:01", 200)),
                "target": chance.choice(items),
            }
            if event["do"] == "move":
                event["host"] = chance.choice(items)
            events.append(event)
