"""Stores, disks and links in sentences: who gets what of them, and why not more."""

from __future__ import annotations

from typing import Final

from ruvex.divide import Contended, Division, FlowPlace, Tap, place_label
from ruvex.plan import RESOURCE_KINDS, format_number, format_ops, format_traffic

_MOST_NAMED: Final = 3


def flow_amount(value: float, kind: str) -> str:
    """Write transfers a second of a store, or MiB/s of links.

    Examples
    --------
    >>> flow_amount(12.4, "store"), flow_amount(12.4, "link")
    ('12 ops/s', '12.4 MiB/s')
    """
    return format_ops(value) if kind == "store" else format_traffic(value)


def amount_text(value: float, kind: Contended) -> str:
    """Write an amount of anything that guests compete for.

    Examples
    --------
    >>> amount_text(120.0, "store")
    '120 ops/s'
    """
    if kind == "cpu" or kind == "memory":
        return RESOURCE_KINDS[kind].write(value)
    return flow_amount(value, kind)


def flow_lines(division: Division, guest: str) -> list[str]:
    """Say of each disk of a guest, and of its host's links, what it gets, why not more, and who has the rest."""
    lines = []
    for place in division.flowing.places:
        for tap in place.taps:
            if tap.guest == guest and (tap.wanted > 0 or place.kind == "store"):
                lines.append(_line(division, place, tap))
    return lines


def slowed_text(tap: Tap) -> str:
    """Say what slows a disk or link, within a sentence."""
    return {"own limit": "its own limit", "elsewhere": "what else its work waits for"}.get(tap.slowed_by, tap.slowed_by)


def _slowest(division: Division, tap: Tap) -> str:
    """Name what a guest's work waits for most: another disk, its link, or its memory."""
    others = [one for one in division.flowing.of(tap.guest) if one.wanted > 0 and one.slowed_by != "elsewhere"]
    short = max(others, key=lambda one: one.part_lacking, default=None)
    if short is None or short.part_lacking <= 1e-6:
        return "its memory"
    return f"its disk {short.disk}" if short.disk else "its network"


def _line(division: Division, place: FlowPlace, tap: Tap) -> str:
    plan = division.site.plan
    name = place_label(plan, place.id)
    what = f"Disk {tap.disk} on {name}" if place.kind == "store" else f"On the {name}"
    text = f"{what}: {flow_amount(tap.delivered, place.kind)} of {flow_amount(tap.wanted, place.kind)} wanted."
    if tap.counts_as > 1:
        text += f" They are large: they take as long as {flow_amount(tap.takes, place.kind)} of the store's."
    if not tap.slowed_by:
        return text
    if tap.slowed_by == "own limit":
        return f"{text} Its own limit is {flow_amount(tap.limit, place.kind)}."
    if tap.slowed_by == "elsewhere":
        return f"{text} There is more for it here: its work waits for {_slowest(division, tap)}."
    subject = name if place.kind == "store" else f"The {name}"
    verb = "does" if place.kind == "store" else "carry"
    text += f" {subject} {verb} {flow_amount(place.supply, place.kind)}"
    if place.taken > 0:
        text += f", {flow_amount(place.taken, place.kind)} of it for {'paging' if place.kind == 'store' else 'moves'}"
    shares = sum(other.shares for other in place.taps if other.wanted > 0)
    text += f"; of {format_number(shares)} shares that want some it has {format_number(tap.shares)}."
    others: dict[str, float] = {}
    for other in place.taps:
        if other.guest != tap.guest and other.delivered > 0:
            others[other.guest] = others.get(other.guest, 0.0) + other.takes
    most = sorted(others, key=lambda one: -others[one])[:_MOST_NAMED]
    named = [f"{plan.labels[one]} {flow_amount(others[one], place.kind)}" for one in most]
    more = f" and {len(others) - len(most)} more" if len(others) > len(most) else ""
    counted = ", as the store counts" if any(tap.counts_as > 1 for tap in place.taps) else ""
    return f"{text} Who has it{counted}: {', '.join(named)}{more}." if named else text


def taken_text(tap: Tap, kind: Contended) -> str:
    """Say what a disk or link has of its place: in its own transfers, and in the store's where they are large."""
    own = flow_amount(tap.delivered, kind)
    return f"{own}, which take {flow_amount(tap.takes, kind)}" if tap.counts_as > 1 else own
