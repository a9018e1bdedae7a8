"""Numbers of cores as people type and read them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from ruvex.desktop.state.figures import parse_plain
from ruvex.plan import UnitError

_MOST_CORES: Final = 1024


def whole_number(text: str) -> int:
    """Read a whole number; raises UnitError for anything else."""
    value = parse_plain(text)
    if not value.is_integer():
        raise UnitError(f"{text.strip()!r} is not a whole number; write one such as 4")
    return int(value)


def read_cores(text: str) -> tuple[int, ...] | None:
    """Read numbers of cores, such as ``0-3, 8``; None for all. Raises UnitError where they cannot be read."""
    plain = text.strip().lower()
    if plain in ("", "all", "any"):
        return None
    found: list[int] = []
    for part in plain.replace(";", ",").split(","):
        first, dash, last = part.replace("–", "-").partition("-")
        begin = whole_number(first)
        end = whole_number(last) if dash else begin
        if not 0 <= begin <= end < begin + _MOST_CORES:
            raise UnitError(f"{part.strip()!r} is no range of cores; write one such as 0-3")
        found += range(begin, end + 1)
    return tuple(dict.fromkeys(found))


def write_cores(cores: Sequence[int] | None) -> str:
    """Write numbers of cores shortly.

    Examples
    --------
    >>> write_cores((0, 1, 2, 8))
    '0-2, 8'
    """
    if cores is None:
        return "all"
    runs: list[list[int]] = []
    for core in cores:
        if runs and core == runs[-1][1] + 1:
            runs[-1][1] = core
        else:
            runs.append([core, core])
    return ", ".join(str(first) if first == last else f"{first}-{last}" for first, last in runs)
