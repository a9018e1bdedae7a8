"""Quantities as people type and read them: CPU in MHz, memory in MiB, times in seconds inside."""

from __future__ import annotations

import math
import re

from ruvex.plan._errors import UnitError

THIN_SPACE = "\u202f"
"""Goes between groups of thousands and between a number and its unit; a line never breaks there."""

MHZ_PER_GHZ = 1000.0
MIB_PER_GIB = 1024.0

_MAX_SHOWN = 60
_LONGEST = 400
"""Characters of a quantity; more is no quantity, and only takes time to look at."""
_NUMBER = re.compile(r"([+-]?[0-9]+(?:[.,][0-9]+)?(?:[eE][+-]?[0-9]+)?)\s*(.*)", re.DOTALL)
_SPACES = re.compile(r"(?<=[0-9])[\s\u00a0\u202f](?=[0-9]{3}(?![0-9]))")
_MEMORY_MIB = {
    "kib": 1 / 1024, "mib": 1.0, "m": 1.0, "mb": 1e6 / 2**20,
    "gib": 1024.0, "g": 1024.0, "gb": 1e9 / 2**20, "tib": 1024.0**2, "t": 1024.0**2, "tb": 1e12 / 2**20,
}  # fmt: skip
_TIME = re.compile(r"(\d{1,4}):([0-5]\d)(?::([0-5]\d(?:\.\d{1,12})?))?", re.ASCII)
_PLAIN = re.compile(r"\s*[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?\s*", re.ASCII)


def _split(text: str) -> tuple[float, str]:
    # What is written with a minus sign proper, as all amounts are, is read as well as one with a hyphen.
    plain = _SPACES.sub("", text.strip()).replace("\u2212", "-") if len(text) <= _LONGEST else ""
    match = _NUMBER.fullmatch(plain)
    if match is None:
        raise UnitError(f"{_shortened(text.strip())} is not a number; write one such as 2.5, with a unit if you like")
    return _finite(float(match[1].replace(",", ".")), text), match[2].strip().lower()


def _finite(value: float, text: str) -> float:
    if not math.isfinite(value):
        raise UnitError(f"{_shortened(text.strip())} is not a finite number; write one such as 2.5")
    return value


def parse_cpu(
    text: str,
    *,
    default_unit: str = "MHz",
    core_mhz: float | None = None,
    guest_mhz: float | None = None,
    host_mhz: float | None = None,
) -> float:
    """Read a CPU quantity.

    Parameters
    ----------
    text
        A number with an optional unit: MHz, GHz, cores (``c``), ``%`` of the guest's own vCPUs, ``% host``.
    default_unit
        The unit of a bare number.
    core_mhz, guest_mhz, host_mhz
        MHz of one core, of all vCPUs of the guest, and of the host; each allows the unit that needs it.

    Returns
    -------
    float
        MHz.

    Raises
    ------
    UnitError
        Not a number, an unknown unit, or a unit that has no meaning here.

    Examples
    --------
    >>> parse_cpu("2.5 GHz")
    2500.0
    >>> parse_cpu("50 %", guest_mhz=5200)
    2600.0
    """
    value, unit = _split(text)
    unit = (unit or default_unit).lower()
    scales = {"mhz": 1.0, "ghz": MHZ_PER_GHZ, "g": MHZ_PER_GHZ, "m": 1.0}
    if core_mhz is not None:
        scales |= dict.fromkeys(("c", "core", "cores"), core_mhz)
    if guest_mhz is not None:
        scales |= dict.fromkeys(("%", "% own", "% of own"), guest_mhz / 100)
    if host_mhz is not None:
        scales |= dict.fromkeys(("% host", "% of host", "% of the host"), host_mhz / 100)
    if unit not in scales:
        known = "MHz, GHz" + (", cores" if core_mhz else "") + (", %" if guest_mhz else "")
        raise UnitError(f"{unit!r} is no CPU unit that means something here; use one of {known}")
    return _finite(value * scales[unit], text)


def parse_memory(text: str, *, default_unit: str = "MiB") -> float:
    """Read a memory quantity and give MiB.

    KiB, MiB, GiB and TiB count by 1024, MB, GB and TB by 1000, as the standards have it; a bare number is in
    ``default_unit``.

    Raises
    ------
    UnitError
        Not a number, or an unknown unit.

    Examples
    --------
    >>> parse_memory("12 GiB")
    12288.0
    """
    value, unit = _split(text)
    unit = (unit or default_unit).lower()
    if unit not in _MEMORY_MIB:
        raise UnitError(f"{unit!r} is no memory unit; use MiB, GiB or TiB")
    return _finite(value * _MEMORY_MIB[unit], text)


def parse_number(text: str) -> float:
    """Read a number written with a decimal point, such as ``12.5`` or ``1e3``; nothing else that Python may take.

    Raises
    ------
    UnitError
        It is none, or too large to be one.

    Examples
    --------
    >>> parse_number("12.5")
    12.5
    """
    if _PLAIN.fullmatch(text) is None or not math.isfinite(value := float(text)):
        raise UnitError(f"{_shortened(text)} is not a number; write one such as 2.5")
    return value


def _shortened(text: str) -> str:
    return repr(text if len(text) <= _MAX_SHOWN else text[: _MAX_SHOWN - 1] + "…")


def parse_time(value: str | float) -> float:
    """Read a time of day: ``"HH:MM"``, ``"HH:MM:SS"`` or seconds; gives seconds since the start of the day.

    Raises
    ------
    UnitError
        Neither form, or a negative time.

    Examples
    --------
    >>> parse_time("08:10"), parse_time("00:00:30"), parse_time(90)
    (29400.0, 30.0, 90.0)
    """
    if isinstance(value, str):
        match = _TIME.fullmatch(value.strip())
        if match is not None:
            return int(match[1]) * 3600.0 + int(match[2]) * 60.0 + float(match[3] or 0)
        try:
            value = parse_number(value)
        except UnitError:
            raise UnitError(f"{_shortened(str(value))} is not a time; write HH:MM, HH:MM:SS or seconds") from None
    if not (math.isfinite(value) and value >= 0):
        raise UnitError(f"{value} is not a time; it must be 0 or later")
    return float(value)


def format_time(seconds: float) -> str:
    """Write a time of day as ``HH:MM``, with seconds only where there are some.

    Examples
    --------
    >>> format_time(29400), format_time(30)
    ('08:10', '00:00:30')
    """
    whole = round(seconds)
    text = f"{whole // 3600:02d}:{whole // 60 % 60:02d}"
    return text if whole % 60 == 0 else f"{text}:{whole % 60:02d}"


def format_number(value: float, decimals: int = 0) -> str:
    """Write a number with thin spaces between thousands and a true minus sign.

    Examples
    --------
    >>> format_number(-12345.6, 1) == "\u221212\u202f345.6"
    True
    """
    text = f"{value:,.{decimals}f}".replace(",", THIN_SPACE)
    if text[0] != "-":
        return text
    # What rounds to zero has no sign.
    return "\u2212" + text[1:] if text.strip("-0.") else text[1:]


def _scaled(value: float, step: float, small: str, large: str) -> str:
    if abs(value) < 0.9995 * step:
        return f"{format_number(value)}{THIN_SPACE}{small}"
    scaled = value / step
    return f"{format_number(scaled, 1 if abs(scaled) >= 10 else 2)}{THIN_SPACE}{large}"


def format_cpu(mhz: float) -> str:
    """Write a CPU quantity in MHz below one GHz, in GHz above (decimal steps).

    Examples
    --------
    >>> format_cpu(2500) == "2.50\u202fGHz"
    True
    """
    return _scaled(mhz, MHZ_PER_GHZ, "MHz", "GHz")


def format_memory(mib: float) -> str:
    """Write a memory quantity in MiB below one GiB, in GiB above (binary steps).

    Examples
    --------
    >>> format_memory(12288) == "12.0\u202fGiB"
    True
    """
    return _scaled(mib, MIB_PER_GIB, "MiB", "GiB")


def format_ops(value: float) -> str:
    """Write transfers a second.

    Examples
    --------
    >>> format_ops(12.4)
    '12 ops/s'
    """
    return f"{format_number(value)} ops/s"


def format_traffic(value: float) -> str:
    """Write MiB a second.

    Examples
    --------
    >>> format_traffic(12.4)
    '12.4 MiB/s'
    """
    return f"{format_number(value, 1)} MiB/s"
