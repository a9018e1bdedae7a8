"""Elastic guests: headroom that is too small or too large, greedy work, boots from disk; and memory held for nobody."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Final

from ruvex.advise._remedies import Remedy
from ruvex.advise._size import STEP_MIB, reservation_for
from ruvex.advise.worth._finding import Case, Finding
from ruvex.engine import rows as r
from ruvex.plan import ElasticMemory, ThinMemory, format_memory
from ruvex.words import short_span

_LONG_S: Final = 120.0
_LARGE: Final = 30.0
_LEAST_MIB: Final = 512.0
_IDLE: Final = 0.3


def headroom_small(case: Case) -> Iterator[Finding]:
    """An elastic guest that keeps part of its working set on its own disk while it grows."""
    for one in case.day.summary().guests:
        guest = case.plan.guests[case.plan.guest_index[one.id]]
        short_s = one.below_s.get("still growing", 0.0)
        if not isinstance(guest.memory, ElasticMemory) or short_s < _LONG_S or guest.demand.greedy:
            continue
        right = case.right_memory(case.plan.guest_index[one.id])
        grows = right.get("memory.headroom_percent") or 0.0
        if grows <= guest.memory.headroom_percent:
            continue
        # With more headroom it would need more than before: its ceiling must let it have that.
        change = {"memory.headroom_percent": grows}
        ceiling = right.get("memory.ceiling") or 0.0
        higher = f" and a ceiling of {format_memory(ceiling)}" if ceiling > guest.memory.ceiling else ""
        if higher:
            change["memory.ceiling"] = ceiling
        yield Finding(
            "headroom-small", "will-hurt", (guest.id,),
            f"{guest.label} grows faster than its headroom of {guest.memory.headroom_percent:g} % lets it: below its"
            f" need for {short_span(short_s)} of the day",
            (("grows by", f"{grows:.0f} %"), ("headroom", f"{guest.memory.headroom_percent:g} %")), 0.3,
            Remedy(f"a headroom of {grows:.0f} %{higher}", ((guest.id, change),)),
            (grows, guest.memory.headroom_percent), (grows, grows),
        )  # fmt: skip


def headroom_large(case: Case) -> Iterator[Finding]:
    """An elastic guest whose headroom is three times what it ever grows by, while others on its host lack memory."""
    lacking: dict[int, list[str]] = {}
    for i, guest in case.guests_on():
        if _lacks(case, i):
            lacking.setdefault(case.host_of(i), []).append(guest.id)
    for i, guest in case.guests_on():
        memory = guest.memory
        if not isinstance(memory, ElasticMemory) or memory.headroom_percent < _LARGE or guest.demand.greedy:
            continue
        needs = case.right_memory(i).get("memory.headroom_percent") or memory.headroom_percent
        if case.host_of(i) not in lacking or needs * 3 > memory.headroom_percent:
            continue
        yield Finding(
            "headroom-large", "hurts-now", (guest.id, *lacking[case.host_of(i)]),
            f"{guest.label} keeps {memory.headroom_percent:g} % spare and never grows by more than {needs:.0f} %, while"
            " others on its host lack memory",
            (("headroom", f"{memory.headroom_percent:g} %"), ("grows by at most", f"{needs:.0f} %")), 0.3,
            Remedy(f"a headroom of {needs:.0f} %", ((guest.id, {"memory.headroom_percent": needs}),)),
            (memory.headroom_percent, needs), (needs, needs),
        )  # fmt: skip


def _lacks(case: Case, position: int) -> bool:
    return case.is_short(position, "memory")


def greedy(case: Case) -> Iterator[Finding]:
    """Work that fills whatever it is given, in a guest that grows when its memory is full: it ends at the ceiling."""
    for _, guest in case.guests_on():
        memory, leaves = guest.memory, guest.demand.leaves_percent / 100
        if not guest.demand.greedy or not isinstance(memory, ElasticMemory):
            continue
        if (1 - leaves) * (1 + memory.headroom_percent / 100) <= 1 + 1e-9:
            continue
        stops = math.floor(1000 * leaves / (1 - leaves)) / 10
        yield Finding(
            "greedy", "will-hurt", (guest.id,),
            f"{guest.label} fills all memory but {guest.demand.leaves_percent:g} % and is given"
            f" {memory.headroom_percent:g} % more each time: it grows to its ceiling,"
            f" {format_memory(memory.ceiling)}",
            (("headroom", f"{memory.headroom_percent:g} %"), ("stops at", f"{stops:g} %")), 0.5,
            Remedy(f"a headroom of {stops:g} %", ((guest.id, {"memory.headroom_percent": stops}),)),
            (memory.headroom_percent, stops), (stops, stops),
        )  # fmt: skip


def boots_from_disk(case: Case) -> Iterator[Finding]:
    """A guest for which disk stands in at each restart, as its boot size is not to be found."""
    bridges: dict[str, list[float]] = {}
    for bridge in case.day.summary().bridges:
        bridges.setdefault(bridge.guest, []).append(bridge.mib)
    for name, amounts in bridges.items():
        guest = case.plan.guests[case.plan.guest_index[name]]
        if not isinstance(guest.memory, ElasticMemory):
            continue
        boot = guest.memory.boot
        right = case.right_memory(case.plan.guest_index[name]).get("memory.boot") or boot
        # What it should boot with may be had; where it may not, no more than is to be found.
        found = math.floor((boot - max(amounts)) / STEP_MIB) * STEP_MIB
        less = max(min(right, found) if right > boot - max(amounts) else right, guest.memory.floor)
        times = f"{len(amounts)} restart{'s' if len(amounts) != 1 else ''}"
        yield Finding(
            "boots-from-disk", "will-hurt", (name,),
            f"{guest.label} boots from disk at its {times}: {format_memory(max(amounts))} of its boot size cannot be"
            " found",
            (("boot size", format_memory(boot)), ("found at most", format_memory(boot - max(amounts)))), 0.3,
            Remedy(f"a boot size of {format_memory(less)}", ((name, {"memory.boot": less}),)) if less < boot else None,
            (boot, boot - max(amounts)), (less, boot - max(amounts)),
        )  # fmt: skip


def held_idle(case: Case) -> Iterator[Finding]:
    """Reserved memory that nobody has touched, on a host where others lack what they need."""
    held = case.division.solved.layers[r.M_HELD]
    lacking: dict[int, list[int]] = {}
    for i, _ in case.guests_on():
        if _lacks(case, i):
            lacking.setdefault(case.host_of(i), []).append(i)
    for i, guest in case.guests_on():
        others = [j for j in lacking.get(case.host_of(i), []) if j != i]
        least = max(_LEAST_MIB, _IDLE * guest.memory.reservation) if isinstance(guest.memory, ThinMemory) else 0.0
        if not isinstance(guest.memory, ThinMemory) or float(held[i]) < least or not others:
            continue
        touched = guest.memory.reservation - float(held[i])
        enough = reservation_for(float(case.peaks["backed"][i]), STEP_MIB)
        names = [case.plan.guests[j].label for j in others]
        go = (
            f"{names[0]} and {len(names) - 1} more on its host go" if len(names) > 1 else f"{names[0]} on its host goes"
        )
        idle = format_memory(float(held[i]))
        yield Finding(
            "held-idle", "hurts-now", (guest.id, *(case.plan.guests[j].id for j in others)),
            f"{guest.label} has {idle} reserved that it has never touched, while {go} without",
            (("held for it", format_memory(guest.memory.reservation)), ("touched of it", format_memory(touched))),
            float(held[i]) / guest.memory.reservation,
            Remedy(f"a memory reservation of {format_memory(enough)}", ((guest.id, {"memory.reservation": enough}),))
            if enough < guest.memory.reservation else None,
            (guest.memory.reservation, touched), (min(enough, guest.memory.reservation), touched),
        )  # fmt: skip
