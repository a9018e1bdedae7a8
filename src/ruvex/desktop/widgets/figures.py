"""Figures as the desktop shows and takes them: GHz for CPU and GiB for memory, in few digits."""

from __future__ import annotations

import math
from collections.abc import Mapping
from functools import lru_cache
from typing import Final

from ruvex.plan import (
    SHARES_STANDARD,
    THIN_SPACE,
    Guest,
    Plan,
    UnitError,
    format_cpu,
    format_memory,
    format_number,
    parse_cpu,
    parse_memory,
)

UNIT: Final[Mapping[str, str]] = {"cpu": "GHz", "memory": "GiB"}
PER_UNIT: Final[Mapping[str, float]] = {"cpu": 1000.0, "memory": 1024.0}
NAME: Final[Mapping[str, str]] = {"cpu": "CPU", "memory": "Memory"}


@lru_cache(maxsize=8192)
def figure(value: float, resource: str, *, signed: bool = False) -> str:
    """Write MHz or MiB as GHz or GiB without the unit, in three digits or so.

    Examples
    --------
    >>> figure(6000, "cpu"), figure(18260, "cpu"), figure(250 * 1024, "memory"), figure(4, "cpu")
    ('6.00', '18.3', '250', '0.004')
    """
    scaled = value / PER_UNIT[resource]
    size = abs(scaled)
    decimals = 3 if 0 < size < 0.0995 else 2 if size < 9.995 else 1 if size < 99.95 else 0
    text = format_number(scaled, decimals)
    return f"+{text}" if signed and value > 0 else text


def figure_with_unit(value: float, resource: str, *, signed: bool = False) -> str:
    """Write MHz or MiB as GHz or GiB with the unit."""
    return f"{figure(value, resource, signed=signed)}{THIN_SPACE}{UNIT[resource]}"


def typed(value: float, resource: str) -> str:
    """Write a setting exactly enough to be typed back unchanged: whole MHz or MiB stay whole."""
    text = format_cpu(value) if resource == "cpu" else format_memory(value)
    try:
        same = abs(parse(text, resource) - value) < 0.5
    except ValueError:
        same = False
    return text if same else f"{format_number(value)}{THIN_SPACE}{'MHz' if resource == 'cpu' else 'MiB'}"


def parse(text: str, resource: str, plan: Plan | None = None, guest: Guest | None = None) -> float:
    """Read what a person typed; a bare number is in GHz or GiB, as shown.

    Raises
    ------
    UnitError
        It cannot be understood.
    """
    if resource == "memory":
        return parse_memory(text, default_unit="GiB")
    host = None
    if plan is not None and plan.hosts:
        host = plan.host_of(guest) if guest is not None else plan.hosts[0]
    return parse_cpu(
        text,
        default_unit="GHz",
        core_mhz=host.mhz if host else None,
        guest_mhz=guest.vcpus * host.mhz if guest is not None and host else None,
        host_mhz=host.cores * host.mhz if host else None,
    )


def parse_plain(text: str) -> float:
    """Read a number without a unit.

    Raises
    ------
    UnitError
        It is not a finite number.

    Examples
    --------
    >>> parse_plain(" 2,5 ")
    2.5
    """
    try:
        value = float("".join(text.split()).replace(",", "."))
    except ValueError:
        value = math.nan
    if not math.isfinite(value):
        raise UnitError(f"{text.strip()!r} is not a number; write one such as 150")
    return value


def parse_shares(text: str) -> float:
    """Read shares: a number, or so many times the standard.

    Raises
    ------
    UnitError
        It is neither.

    Examples
    --------
    >>> parse_shares("150"), parse_shares("2×"), parse_shares("0.5 x")
    (150.0, 200.0, 50.0)
    """
    times = text.strip().lower()
    if times.endswith(("×", "x")):
        return SHARES_STANDARD * parse_plain(times[:-1])
    return parse_plain(text)


def percent(part: float, whole: float) -> str:
    """Write a part of a whole in percent; 100 % only where nothing is missing.

    Examples
    --------
    >>> percent(999, 1000) == "99\u202f%"
    True
    """
    if whole <= 0:
        return f"100{THIN_SPACE}%"
    value = 100 * part / whole
    return f"{99 if 99 < value < 100 - 1e-6 else round(value)}{THIN_SPACE}%"
