r"""How systemd writes names of units (systemd.unit(5)): ``\x2d`` for a dash, a dash for one slice in another."""

from __future__ import annotations

import re
from typing import Final

_ESCAPED: Final = re.compile(r"\\x([0-9a-fA-F]{2})")
_PLAIN: Final = re.compile(r"[A-Za-z0-9:_.]")
GUEST_UNITS: Final = (".scope", ".service", ".mount", ".socket", ".swap")
SLICE: Final = ".slice"


def escape(text: str) -> str:
    r"""Give a text as one part of a unit's name.

    Examples
    --------
    >>> escape("ticket-db")
    'ticket\\x2ddb'
    """
    written = "".join(ch if _PLAIN.fullmatch(ch) else "".join(f"\\x{byte:02x}" for byte in ch.encode()) for ch in text)
    return "\\x2e" + written[1:] if written.startswith(".") else written


def name_of(unit: str) -> str:
    r"""Give what people call a unit: of a slice in slices the last part, without escapes and ending.

    Examples
    --------
    >>> name_of(r"machine-night\x2dwork.slice"), name_of("mail.service"), name_of("vessels")
    ('night-work', 'mail', 'vessels')
    """
    plain = unit
    for ending in (*GUEST_UNITS, SLICE):
        plain = plain.removesuffix(ending)
    if unit.endswith(SLICE):
        plain = plain.rpartition("-")[2]
    raw = _ESCAPED.sub(lambda found: chr(int(found[1], 16)), plain).encode("latin-1", "replace")
    text = raw.decode("utf-8", "replace")
    return " ".join("".join(ch if ch.isprintable() else " " for ch in text).split())[:120] or "group"
