"""Figures as the desktop shows and takes them, in the unit in force and in few digits."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Final

from ruvex.desktop.state.units import ABSOLUTE, CHOICES, OF_HOST, OF_OWN, Unit, Units, hosts_counted, own_mhz
from ruvex.divide import Division, ResourceDivision, site_shares
from ruvex.ledger import falls_short
from ruvex.plan import (
    RESOURCE_KINDS,
    SHARES_STANDARD,
    THIN_SPACE,
    Guest,
    Pool,
    Resource,
    UnitError,
    format_number,
    parse_cpu,
    parse_memory,
    parse_number,
)
from ruvex.site import Site

NAME: Final[Mapping[str, str]] = {name: kind.title for name, kind in RESOURCE_KINDS.items()} | {
    "store": "Disks", "link": "Network",
}  # fmt: skip
_TYPED_DIGITS: Final = 4


@lru_cache(maxsize=8192)
def _digits(scaled: float, signed: bool) -> str:
    size = abs(scaled)
    decimals = 3 if 0 < size < 0.0995 else 2 if size < 9.995 else 1 if size < 99.95 else 0
    text = format_number(scaled, decimals)
    return f"+{text}" if signed and scaled > 0 else text


def figure(value: float, unit: Unit, *, signed: bool = False) -> str:
    """Write MHz or MiB in a unit, without its name, in three digits or so.

    Examples
    --------
    >>> from ruvex.desktop.state.units import GHZ, GIB
    >>> figure(6000, GHZ), figure(18260, GHZ), figure(250 * 1024, GIB), figure(4, GHZ)
    ('6.00', '18.3', '250', '0.004')
    """
    return _digits(value / unit.per, signed)


def figure_with_unit(value: float, unit: Unit, *, signed: bool = False) -> str:
    """Write MHz or MiB in a unit, with its name."""
    return f"{figure(value, unit, signed=signed)}{THIN_SPACE}{unit.name}"


def in_all_units(value: float, resource: Resource, units: Units, item_id: str | None) -> str:
    """Write MHz or MiB in every unit that means something for a guest or pool."""
    words = {OF_HOST: "% of the host", OF_OWN: "% of its vCPUs"}
    written = {
        name: f"{figure(value, unit)}{THIN_SPACE}{words.get(name, unit.name)}"
        for name, unit in zip(CHOICES[resource], units.all_of(resource, item_id), strict=True)
        if name not in words or unit.name == "%"
    }
    return " = ".join(dict.fromkeys(written.values()))


def typed(value: float, unit: Unit) -> str:
    """Write a setting exactly enough to be typed back unchanged: whole MHz or MiB stay whole."""
    if unit != ABSOLUTE[unit.resource]:
        for decimals in range(_TYPED_DIGITS + 1):
            if abs(round(value / unit.per, decimals) * unit.per - value) < 0.5:
                return f"{format_number(value / unit.per, decimals)}{THIN_SPACE}{unit.name}"
    kind = RESOURCE_KINDS["cpu" if unit.resource == "cpu" else "memory"]
    text = kind.write(value)
    try:
        same = abs(kind.parse(text) - value) < 0.5
    except UnitError:
        same = False
    return text if same else f"{format_number(value)}{THIN_SPACE}{kind.unit}"


def parse(text: str, unit: Unit, site: Site, item: Guest | Pool | None) -> float:
    """Read what a person typed; a bare number is in the unit in force, and so is a bare ``%``.

    Parameters
    ----------
    text, unit
        What was typed, and the unit in force for what it is typed for.
    site, item
        What it is typed for: percent of a host are those that figures of it are shown in.

    Raises
    ------
    UnitError
        It cannot be understood.
    """
    plain = text.strip()
    if unit.name in ("%", "cores") and plain.removesuffix(unit.name).strip().replace(",", ".").count("%") == 0:
        number = plain.removesuffix(unit.name).strip()
        try:
            return parse_plain(number) * unit.per
        except UnitError:
            pass  # it names a unit of its own
    hosts = hosts_counted(site, None if item is None else item.id)
    if unit.resource == "memory":
        if plain.endswith(("%", "% host", "% of host", "% of the host")) and hosts:
            return parse_plain(plain.split("%")[0]) * sum(host.memory_mib for host in hosts) / 100
        return parse_memory(text, default_unit="GiB")
    mhz, cores = sum(host.cores * host.mhz for host in hosts), sum(host.cores for host in hosts)
    own = own_mhz(site, item.id) if isinstance(item, Guest) else 0.0
    return parse_cpu(
        text,
        default_unit="GHz",
        core_mhz=mhz / cores if cores else None,
        guest_mhz=own or None,
        host_mhz=mhz or None,
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
        return parse_number("".join(text.split()).replace(",", "."))
    except UnitError:
        raise UnitError(f"{text.strip()[:60]!r} is not a number; write one such as 150") from None


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


def part_text(part: float) -> str:
    """Write a part of the site: as a fraction where it is one, else in percent.

    Examples
    --------
    >>> part_text(1 / 9), part_text(0.37), part_text(1.0)
    ('1/9 of the site when all want all', '37 % of the site when all want all', 'all of the site')
    """
    if part >= 1 - 1e-9:
        return "all of the site"
    if part <= 0:
        return "no part of the site"
    whole = round(1 / part)
    text = f"1/{whole}" if abs(whole * part - 1) < 1e-6 and whole <= 100 else f"{100 * part:.3g} %"
    return f"{text} of the site when all want all"


def site_part_text(division: Division, resource: ResourceDivision, row: int) -> str:
    """Write which part of the site a row gets by shares when all want all, and where its host has less than that."""
    part, host = float(site_shares(division, resource)[row]), division.host_of(row)
    text = part_text(part)
    if host is not None and resource.supply > 0:
        at = division.site.plan.host_index[host]
        of_host = float(division.by_host.supply[resource.k, at]) / resource.supply
        if falls_short(part - of_host, part):
            text += f", but its host has {100 * of_host:.3g} % of it"
    return text
