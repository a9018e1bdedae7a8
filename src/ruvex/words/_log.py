"""What happened while a plan was played, in sentences: names rather than ids, quantities with their units."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final, assert_never

from ruvex.plan import Plan, format_memory, format_number, format_time
from ruvex.play import PRESSURES, LogEntry, Plain
from ruvex.play import happenings as h
from ruvex.words._refusal import shortage_text
from ruvex.words._settings import change_text, label_of, span

_PLAIN: Final[Mapping[Plain, str]] = {
    Plain.ALREADY_ON: "{} is on already", Plain.ALREADY_OFF: "{} is off already",
    Plain.NOT_ON: "{} is not on, so it cannot be restarted", Plain.SWITCHED_OFF: "{} is switched off",
    Plain.RESTARTED: "{} is restarted", Plain.BOOTED: "{} has booted",
    Plain.AGENT_LOADED: "the agent of {} has loaded", Plain.ALREADY_DOWN: "{} is down already",
    Plain.ALREADY_UP: "{} is up already", Plain.HOST_UP: "{} is up again, and empty",
    Plain.MOVE_ENDED: "the move of {} ends with the loss of a host",
}  # fmt: skip


def why_text(plan: Plan, why: h.Why) -> str:
    """Say what stands in the way, within a sentence."""
    match why:
        case h.Short(lacking):
            return shortage_text(plan, lacking)
        case h.NotFound(needed, found, host):
            where = f" on {label_of(plan, host)}" if host is not None else ""
            return f"{format_memory(needed)} of memory cannot be found{where} now, only {format_memory(found)}"
        case h.Reclaiming(mib):
            return f"{format_memory(mib)} of memory are being reclaimed"
        case h.Ruled(text):
            return text
        case _:
            assert_never(why)


def entry_text(entry: LogEntry, plan: Plan) -> str:
    """Say in one sentence what an entry of the log tells."""
    name, what = label_of(plan, entry.target or None), entry.what
    match what:
        case Plain():
            return _PLAIN[what].format(name)
        case h.HostDown(guests):
            told = f", and {guests} guest{'s' if guests != 1 else ''} with it" if guests else ""
            return f"{name} is down{told}"
        case h.Boots(host):
            return f"{name} boots" + (f" on {label_of(plan, host)}" if host is not None else "")
        case h.Bridged(mib):
            return f"{format_memory(mib)} of the boot size of {name} cannot be found: disk stands in"
        case h.BridgeReleased(mib):
            return f"the boot bridge of {name} ({format_memory(mib)}) is released"
        case h.Remarked(text):
            return f"{name}: {text}"
        case h.NotStarted(why):
            return f"{name} does not start: {why_text(plan, why)}"
        case h.StartWaits(why):
            return f"{name} waits: {why_text(plan, why)}"
        case h.NotMoved(host, why):
            return f"{name} does not move to {label_of(plan, host)}: {why_text(plan, why)}"
        case h.SetOut(host, relieves):
            gain = "" if relieves is None else f": it takes away {100 * relieves:.0f} % of what its host's guests lack"
            return f"{name} sets out for {label_of(plan, host)}{gain}"
        case h.Arrived(host, took_s, held_s):
            there = label_of(plan, host)
            return f"{name} goes on on {there}, {span(took_s)} after it set out, held still for {held_s:.1f} s"
        case h.MovedOff(host):
            return f"{name} is on {label_of(plan, host)} from now, and off"
        case h.Changed(change):
            return f"{name}: {change_text(change)}"
        case h.NotChanged(change, why):
            return f"{name}: {change_text(change)} is refused: {why_text(plan, why)}"
        case h.Surged(factor, for_s):
            return f"the demand of {name} is {format_number(factor, 1)} times as high for {span(for_s)}"
        case h.DoneLate(due_s, late_s):
            return f"batch work of {name} due at {format_time(due_s)} is done {span(late_s)} late"
        case h.PressureChanged(pressure, before, is_bank):
            place = f"the bank of {name}" if is_bank else name
            return f"{place}: {PRESSURES[pressure]}, it was {PRESSURES[before]}"
        case _:
            assert_never(what)
