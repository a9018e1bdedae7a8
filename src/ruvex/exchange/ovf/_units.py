"""Programmatic units of DSP0004: ``byte * 2^20``, ``hertz * 10^6``, and what they come to in MiB and MHz."""

from __future__ import annotations

import re
from typing import Final

from ruvex.plan import UnitError

MEBIBYTES: Final = "byte * 2^20"
MEGAHERTZ: Final = "hertz * 10^6"
_BASES: Final = {"byte": 1.0 / 2**20, "hertz": 1.0 / 1e6}
_FACTOR: Final = re.compile(r"(\d{1,12})(?:\s*\^\s*(-?\d{1,3}))?")
_MOST_TEXT: Final = 80
_MOST: Final = 1e30


def factor_of(unit: str, base: str) -> float:
    """Give how many MiB (base ``byte``) or MHz (base ``hertz``) one of a unit is.

    Raises
    ------
    UnitError
        It is no unit of that base.

    Examples
    --------
    >>> factor_of("byte * 2^30", "byte"), factor_of("hertz*10^9", "hertz"), factor_of("byte", "byte") * 2**20
    (1024.0, 1000.0, 1.0)
    """
    parts = [part.strip() for part in unit[: _MOST_TEXT + 1].split("*")]
    if len(unit) > _MOST_TEXT or parts[0].lower() != base:
        raise UnitError(f"{unit[:_MOST_TEXT]!r} is no programmatic unit of {base}s, such as {base} * 2^20")
    value = _BASES[base]
    for part in parts[1:]:
        found = _FACTOR.fullmatch(part)
        if found is None:
            raise UnitError(f"{unit!r}: {part!r} is no factor; write it as 2^20 or 1000")
        value *= float(found[1]) ** int(found[2] or 1)
        if not 0 < value < _MOST:
            raise UnitError(f"{unit!r} is too large or too small")
    return value
