"""What a played day came to, in words and cells: for the table of a command, and for the sheet of the window."""

from __future__ import annotations

from typing import Final

from ruvex.plan import THIN_SPACE, Plan, format_memory, format_number, format_time
from ruvex.play import GuestSummary, Summary

_GIB_MIB: Final = 1024.0
SUMMARY_HEADINGS: Final = ("CPU short", "wait %", "chance %", "pace", "below need", "peak GiB", "reclaimed")
"""What the cells of a guest are."""
_NOTHING: Final = "·"
_MOST_NAMED: Final = 5


def summary_facts(summary: Summary, plan: Plan) -> list[str]:
    """Tell of hosts and banks, savings, batch work, bridges and moves, a sentence each."""
    labels = plan.labels
    hosts = plan.labels
    lines = []
    for place in summary.places:
        name = hosts.get(place.host, "No host")
        name = f"Bank of {name}" if place.kind == "bank" else name
        if summary.played_s and not any(place.pressure_s.values()):
            is_up = place.host in plan.host_index and plan.hosts[plan.host_index[place.host]].up
            lines.append(f"{name}: {'no memory to divide' if is_up else 'down'} all the time")
            continue
        times = ", ".join(f"{word} {short_span(seconds)}" for word, seconds in place.pressure_s.items() if seconds)
        free = f"least free {format_memory(place.least_free_mib)}"
        unmet = f"; CPU short for {short_span(place.cpu_unmet_s)}" if place.cpu_unmet_s else ""
        lines.append(f"{name}: {times}; {free}, {format_memory(place.mean_free_mib)} on average{unmet}")
        if place.kind == "bank":
            lines[-1] += _too_small_for(summary, plan, place.host)
    slowed = sorted((one for one in summary.guests if one.slowed_s), key=lambda one: -one.slowed_s)
    if slowed:
        named = [f"{labels[one.id]} {short_span(one.slowed_s)}" for one in slowed[:_MOST_NAMED]]
        more = f" and {len(slowed) - _MOST_NAMED} more" if len(slowed) > _MOST_NAMED else ""
        lines.append(f"Slowed by disks or network: {', '.join(named)}{more}")
    if summary.savings is not None:
        saved = summary.savings
        mean, least = format_memory(saved.mean_mib), format_memory(saved.least_mib)
        guests = f"{saved.guests} guest{'s' if saved.guests != 1 else ''}"
        would = f"the {format_memory(saved.otherwise_mib)} that {guests} would have otherwise"
        lines.append(f"Elastic memory saves {mean} on average, {least} at least, of {would}")
    for finish in summary.finishes:
        when = "is not done" if finish.finished_s is None else f"done {format_time(finish.finished_s)}"
        late = f", {short_span(finish.late_s)} late" if finish.late_s and finish.late_s >= 1 else ""
        lines.append(f"Batch {labels[finish.guest]}: due {format_time(finish.due_s)}, {when}{late}")
    for bridge in summary.bridges:
        what = f"{format_memory(bridge.mib)} from disk for {short_span(bridge.for_s)}"
        lines.append(f"Boot bridge {labels[bridge.guest]}: {what}, from {format_time(bridge.at_s)}")
    for move in summary.moves:
        way = f"{hosts[move.source]} to {hosts[move.target]} in {short_span(move.took_s)}"
        why = "" if move.relieves is None else ", to place it better"
        held = f"held {move.held_still_s:.1f} s"
        lines.append(f"Move {labels[move.guest]}: {way} from {format_time(move.at_s)}, {held}{why}")
    return lines


def _too_small_for(summary: Summary, plan: Plan, host: str) -> str:
    """Name the guests of a host's bank that were below their need by it, and for how long."""
    banks = [one.id for one in plan.hosts if one.bank is not None]
    # Who names no host is in the only bank there is.
    there = {
        guest.id: guest.label for guest in plan.guests if guest.host == host or (not guest.host and banks == [host])
    }
    short = {one.id: one.below_s["bank"] for one in summary.guests if one.id in there and "bank" in one.below_s}
    named = [f"{there[item]} {short_span(short[item])}" for item in sorted(short, key=lambda item: -short[item])]
    more = f" and {len(named) - _MOST_NAMED} more" if len(named) > _MOST_NAMED else ""
    return f"; too small for {', '.join(named[:_MOST_NAMED])}{more}" if named else ""


def guest_cells(guest: GuestSummary, chance_wait: float) -> tuple[str, ...]:
    """Give the cells of a guest under ``SUMMARY_HEADINGS``; a dot where there is nothing to tell.

    ``chance_wait`` is the part of their time in which its vCPUs wait by chance, over the day.
    """
    cause, for_s = max(guest.below_s.items(), key=lambda item: item[1], default=("", 0.0))
    rest_s = guest.memory_short_s - for_s
    below = f"{short_span(for_s)} {cause}" if cause else _NOTHING
    below += f" and {short_span(rest_s)}" if round(rest_s) else ""
    return (
        short_span(guest.unmet_s), _figure(guest.fluid_wait * 100, 1), _figure(chance_wait * 100, 1),
        format_number(guest.worst_pace, 2) if guest.worst_pace < 0.995 else _NOTHING,
        below, _figure(guest.peak_backed_mib / _GIB_MIB, 2), _figure(guest.reclaimed_mib / _GIB_MIB, 2),
    )  # fmt: skip


def _figure(value: float, decimals: int) -> str:
    return format_number(value, decimals).replace(THIN_SPACE, " ") if value >= 0.5 * 10.0**-decimals else _NOTHING


def short_span(seconds: float) -> str:
    """Write a length of time in its two largest units, a dot for none.

    Examples
    --------
    >>> short_span(0), short_span(45), short_span(600), short_span(4_740)
    ('·', '45 s', '10 min', '1h19')
    """
    whole = round(seconds)
    if whole == 0:
        return _NOTHING
    if whole < 60:
        return f"{whole} s"
    return f"{whole // 60} min" if whole < 3600 else f"{whole // 3600}h{whole // 60 % 60:02d}"
