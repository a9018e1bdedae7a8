"""Names that are written from right to left, within sentences that are not."""

from __future__ import annotations

import unicodedata
from typing import Final

_MARKS: Final = frozenset("\u061c\u200e\u200f\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069")
"""Characters that show nothing and turn what follows them."""
_FROM_RIGHT: Final = frozenset(("R", "AL", "AN"))
_FIRST_STRONG, _END = "\u2068", "\u2069"


def isolated(name: str) -> str:
    r"""Give a name as it stands in a sentence: what is around it keeps its order, whatever the name holds.

    Marks of direction are left out, and a name with letters that run from right to left is closed in by the marks of
    its own that Unicode has for that (UAX #9, isolates).

    Examples
    --------
    >>> isolated("quay-1"), isolated("\u202eyauq") == "yauq", isolated("\u05d0 2") == "\u2068\u05d0 2\u2069"
    ('quay-1', True, True)
    """
    if name.isascii():
        return name
    plain = "".join(letter for letter in name if letter not in _MARKS)
    turns = any(unicodedata.bidirectional(letter) in _FROM_RIGHT for letter in plain)
    return f"{_FIRST_STRONG}{plain}{_END}" if turns else plain
