"""How a plan is laid out as text: one setting group a line, keys in the order the file already had."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

_WIDTH = 110
_INDENT = 2
_ENCODE = json.JSONEncoder(ensure_ascii=False).encode


def keep_order(new: Any, old: Any) -> Any:
    """Give ``new`` with its keys in the order of ``old``; keys that ``old`` lacks follow in their own order.

    Items of a list that carry an id are matched by it, others by position.
    """
    if isinstance(new, dict) and isinstance(old, dict):
        keys = [key for key in old if key in new] + [key for key in new if key not in old]
        return {key: keep_order(new[key], old.get(key)) for key in keys}
    if isinstance(new, list) and isinstance(old, list):
        by_id = {item["id"]: item for item in old if isinstance(item, dict) and isinstance(item.get("id"), str)}
        return [keep_order(item, _partner(item, i, by_id, old)) for i, item in enumerate(new)]
    return new


def _partner(item: Any, position: int, by_id: Mapping[str, Any], old: Sequence[Any]) -> Any:
    if isinstance(item, dict) and "id" in item:
        return by_id.get(item["id"])
    return old[position] if position < len(old) else None


def to_text(value: Any) -> str:
    """Write JSON so that a line holds one setting group: whatever fits a line stays on it."""
    return _write(value, 0) + "\n"


def _write(value: Any, column: int) -> str:
    if not (isinstance(value, dict | list) and value):
        return _ENCODE(value)
    if column > 0 and not _holds_groups(value):
        line = _ENCODE(value)
        if len(line) + column <= _WIDTH:
            return line
    inner = column + _INDENT
    pad = " " * inner
    if isinstance(value, dict):
        parts = [f"{_ENCODE(key)}: {_write(item, inner)}" for key, item in value.items()]
    else:
        parts = [_write(item, inner) for item in value]
    opening, closing = "{}" if isinstance(value, dict) else "[]"
    return f"{opening}\n{pad}" + f",\n{pad}".join(parts) + f"\n{' ' * column}{closing}"


def _holds_groups(value: Any) -> bool:
    """Tell whether a value has objects within: those get lines of their own, so that changes show small."""
    items = value.values() if isinstance(value, dict) else value
    return any(isinstance(item, dict) for item in items)
