"""Room for more, in sentences: how many fit, and what the next one lacks."""

from __future__ import annotations

from typing import Final

from ruvex.advise._room import MOST, HostRoom, Lacking, Room, alone_of
from ruvex.divide import divide
from ruvex.ledger import LookFigures
from ruvex.plan import ElasticMemory, Guest, Plan, ThinMemory, format_cpu, format_memory, format_time
from ruvex.site import Site
from ruvex.words import amount_text, label_of, shortage_text

_MOST_NAMED: Final = 2


def pattern_text(site: Site, pattern: Guest, at_s: float) -> str:
    """Say what a pattern is like: its vCPUs, its memory, what it wants and needs at a moment where it has all of it."""
    figures = LookFigures(divide(alone_of(site, pattern), at_s))
    wants_mhz, needs_mib = figures.wanted("cpu").total, figures.wanted("memory").total
    memory = pattern.memory
    if isinstance(memory, ElasticMemory):
        told = f"elastic from {format_memory(memory.floor)} to {format_memory(memory.ceiling)}"
    elif isinstance(memory, ThinMemory):
        told = f"{format_memory(memory.size)} thin" + (", in the bank" if memory.bank else "")
    else:
        told = f"{format_memory(memory.size)} fixed"
    vcpus = f"{pattern.vcpus} vCPU{'s' if pattern.vcpus != 1 else ''}"
    return f"{vcpus}, wants {format_cpu(round(wants_mhz))}; {told}, needs {format_memory(round(needs_mib))}"


def number_text(number: int) -> str:
    """Write how many fit; more than can be counted is said so."""
    return f"{number} and more" if number >= MOST else str(number)


def paper_text(room: HostRoom, plan: Plan) -> str:
    """Say why promises allow no more on a host; nothing where they allow as many as are counted."""
    if room.rule:
        return room.rule
    return "" if room.refusal is None else f"the next one is refused: {shortage_text(plan, room.refusal)}"


def lacks_text(lacking: Lacking | None, plan: Plan, *, with_time: bool = True) -> str:
    """Say what the next one would lack and who would pay; nothing where nothing is lacked."""
    if lacking is None:
        return ""
    missing = [amount_text(round(amount), of) for of, amount in lacking.amounts.items() if amount >= 1]
    parts = [f"lacks {' and '.join(missing)}"] if missing else []
    if lacking.payers:
        by_guest: dict[str, list[str]] = {}
        for one in lacking.payers:
            by_guest.setdefault(one.guest, []).append(amount_text(round(one.amount), one.resource))
        named = [f"{' and '.join(amounts)} from {label_of(plan, guest)}" for guest, amounts in by_guest.items()]
        parts.append(f"takes {', '.join(named[:_MOST_NAMED])}")
    when = f" at {format_time(round(lacking.at_s / 60) * 60)}" if with_time else ""
    return f"the next one {' and '.join(parts) or 'lacks a little'}{when}"


def room_text(room: Room) -> str:
    """Say in a line how many more fit: on paper, at the moment, all day."""
    paper, now, worst = (number_text(number) for number in (room.paper, room.now, room.worst))
    more = paper if room.paper >= MOST else f"{paper} more"
    return f"{more} on paper; {now} would have all they need at {format_time(room.at_s)}, {worst} all day"
