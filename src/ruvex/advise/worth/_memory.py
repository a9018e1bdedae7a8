"""Memory that is missing, or is there for nobody."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from ruvex.advise._remedies import Remedy
from ruvex.advise.worth._finding import Case, Finding
from ruvex.divide import causes_of
from ruvex.plan import ElasticMemory, FixedMemory, format_memory

_LARGE: Final = 2.0
_LEAST_MIB: Final = 2048.0


def agent_missing(case: Case) -> Iterator[Finding]:
    """Without an agent an elastic guest does not grow, and nothing is taken back from a thin one but by force."""
    for _, guest in case.guests_on():
        if guest.agent or isinstance(guest.memory, FixedMemory):
            continue
        is_elastic = isinstance(guest.memory, ElasticMemory)
        what = "it can neither grow nor give back" if is_elastic else "under pressure its pages go to disk, busy or not"
        yield Finding(
            "agent-missing", "will-hurt", (guest.id,), f"{guest.label} has no agent: {what}",
            (("memory", "elastic" if is_elastic else "thin"),), 0.5,
            Remedy("an agent is put in", ((guest.id, {"agent": True}),)),
        )  # fmt: skip


def at_ceiling(case: Case) -> Iterator[Finding]:
    """An elastic guest that needs more than its ceiling lets it have."""
    causes, division = causes_of(case.division, "memory"), case.division
    for _, guest in case.guests_on():
        row = case.row(guest.id)
        if not isinstance(guest.memory, ElasticMemory) or guest.demand.greedy or causes.word(row) != "own ceiling":
            continue
        wanted = float(division.memory.wanted[row])
        right = case.right_memory(case.plan.guest_index[guest.id])
        enough = right.get("memory.ceiling") or guest.memory.ceiling
        yield Finding(
            "at-ceiling", "hurts-now", (guest.id,),
            f"{guest.label} needs {format_memory(wanted)} and may have {format_memory(guest.memory.ceiling)}",
            (("need", format_memory(wanted)), ("ceiling", format_memory(guest.memory.ceiling))),
            1 - guest.memory.ceiling / max(wanted, 1.0),
            case.higher_ceiling(guest),
            (wanted, guest.memory.ceiling), (wanted, enough),
            curve=case.curve("working", case.plan.guest_index[guest.id]), line=guest.memory.ceiling, line_after=enough,
        )  # fmt: skip


def far_too_large(case: Case) -> Iterator[Finding]:
    """A fixed guest of which not half is worked with all day: all of it is backed for nobody."""
    working = case.peaks["working"]
    for i, guest in case.guests_on():
        if not isinstance(guest.memory, FixedMemory):
            continue
        size, used = guest.memory.size, float(working[i])
        if used <= 0 or used * _LARGE >= size or size - used < _LEAST_MIB:
            continue
        enough = case.right_memory(i).get("memory.size") or size
        yield Finding(
            "far-too-large", "untidy", (guest.id,),
            f"{guest.label} works with {format_memory(used)} at most of its {format_memory(size)}, all of it backed",
            (("size", format_memory(size)), ("worked with at most", format_memory(used))),
            1 - used / size,
            Remedy(f"{format_memory(enough)} of memory", ((guest.id, {"memory.size": enough}),)),
            (size, used), (enough, used), curve=case.curve("working", i), line=size, line_after=enough,
        )  # fmt: skip


def cannot_be(case: Case) -> Iterator[Finding]:
    """A working set over what the guest can have at all: the figures of the plan, or its size, are wrong."""
    signals = case.division.site.signals
    highest = signals.highest_until(case.plan.day_s)[1]
    for i, guest in case.guests_on():
        memory = guest.memory
        most = memory.ceiling if isinstance(memory, ElasticMemory) else memory.size
        working = float(highest[i])
        if working <= most or guest.demand.greedy:
            continue
        is_elastic = isinstance(memory, ElasticMemory)
        enough = case.right_memory(i).get("memory.ceiling" if is_elastic else "memory.size") or most
        # Sized by what it does while it is on, it may be right for less than its signal says at another time.
        remedy = (case.higher_ceiling(guest) if is_elastic else case.larger(guest)) if enough >= working else None
        yield Finding(
            "cannot-be", "will-hurt", (guest.id,),
            f"{guest.label} is to work with {format_memory(working)}, which its {format_memory(most)} cannot hold",
            (("working set at most", format_memory(working)), ("most it can have", format_memory(most))),
            1 - most / working, remedy, (working, most), (working, max(enough, most)) if remedy else (),
        )  # fmt: skip
