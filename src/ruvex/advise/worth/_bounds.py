"""Reservations and limits that do harm, or nothing."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final

import numpy as np

from ruvex.advise._remedies import Remedy
from ruvex.advise._size import STEPS, reservation_for
from ruvex.advise.worth._finding import Case, Finding
from ruvex.divide import PlacePart, ResourceDivision, causes_of, places_of
from ruvex.plan import RESOURCE_KINDS, RESOURCES, Resource, ThinMemory, format_cpu
from ruvex.words import first_names, label_of, short_span

_LEAST_MHZ: Final = 100.0
_LEAST_HOURS: Final = 0.25
_NEARLY: Final = 0.999
_UNUSED: Final = 0.5


def biting_limit(case: Case) -> Iterator[Finding]:
    """A guest held by its own limit, now or at some time of the day, while its host has the CPU that it lacks."""
    causes, recording, day = causes_of(case.division, "cpu"), case.day.recording, case.day_figures
    for i, guest in case.guests_on():
        host = case.host_of(i)
        if guest.cpu.limit is None or host < 0:
            continue
        unmet = float(case.figures.lacks("cpu").values[i])
        is_own = causes.word(case.row(guest.id)) == "own limit"
        bites_now = is_own and case.is_short(i) and float(case.idle_of_hosts[host]) >= unmet
        wanted, met, lacks = (of("cpu")[i] for of in (day.wanted, day.met, day.lacks))
        idle = recording.of_places("cpu_supply")[host] - recording.of_places("cpu_delivered")[host]
        lacks = np.where(met >= guest.cpu.limit * _NEARLY, lacks, 0.0)
        bites = (lacks > wanted * 0.01) & (idle >= lacks)
        hours = float(bites.sum()) * recording.every_s / 3600.0 if bites.any() else 0.0
        if not bites_now and hours < _LEAST_HOURS:
            continue
        most = max(unmet if bites_now else 0.0, float(lacks[bites].max(initial=0.0)))
        yield Finding(
            "biting-limit", "hurts-now" if bites_now else "will-hurt", (guest.id,),
            f"{guest.label} is held by its own CPU limit for {short_span(hours * 3600.0)} of the day while its host has"
            " what it lacks",
            (("limit", format_cpu(guest.cpu.limit)), ("wanted at most", format_cpu(guest.cpu.limit + most))),
            min(most / max(float(wanted.max(initial=0.0)), 1.0), 1.0),
            Remedy("no CPU limit", ((guest.id, {"cpu.limit": None}),)),
            (guest.cpu.limit, guest.cpu.limit + most), (0.0, guest.cpu.limit + most),
            curve=case.curve("cpu_wanted", i), line=guest.cpu.limit,
        )  # fmt: skip


def unused_limit(case: Case) -> Iterator[Finding]:
    """A CPU limit that is not reached all day: who reads the plan takes it for one that holds somebody."""
    peak = case.peaks["cpu_wanted"]
    for i, guest in case.guests_on():
        limit = guest.cpu.limit
        if limit is None or peak[i] > limit * (1 - 1e-6):
            continue
        yield Finding(
            "unused-limit", "untidy", (guest.id,),
            f"{guest.label} never reaches its CPU limit of {format_cpu(limit)} all day",
            (("limit", format_cpu(limit)), ("wanted at most", format_cpu(float(peak[i])))),
            0.0,
            Remedy("no CPU limit", ((guest.id, {"cpu.limit": None}),)),
            (limit, float(peak[i])), (0.0, float(peak[i])), curve=case.curve("cpu_wanted", i), line=limit,
        )  # fmt: skip


def unused_reservation(case: Case) -> Iterator[Finding]:
    """A reservation of which less than half is used all day: nobody else can be promised it."""
    peaks = case.peaks
    for i, guest in case.guests_on():
        amounts: list[tuple[Resource, float, str]] = [("cpu", guest.cpu.reservation, "cpu_delivered")]
        if isinstance(guest.memory, ThinMemory):
            amounts.append(("memory", guest.memory.reservation, "backed"))
        for resource, held, channel in amounts:
            used, name, write = float(peaks[channel][i]), RESOURCE_KINDS[resource].word, RESOURCE_KINDS[resource].write
            if held < _LEAST_MHZ or used >= _UNUSED * held or guest.dedicated_cores:
                continue
            enough = reservation_for(used, STEPS[resource])
            yield Finding(
                "unused-reservation", "untidy", (guest.id,),
                f"{guest.label} uses {write(used)} at most of the {write(held)} of {name} reserved for it",
                (("reserved", write(held)), ("used at most", write(used))),
                1 - used / held,
                Remedy(f"a {name} reservation of {write(enough)}", ((guest.id, {f"{resource}.reservation": enough}),)),
                (held, used), (enough, used),
                curve=case.curve(channel, i), line=held, line_after=enough,
            )  # fmt: skip


def broken_promises(case: Case) -> Iterator[Finding]:
    """More is promised than there is."""
    for resource in RESOURCES:
        found = case.division.of(resource)
        if not found.broken:
            continue
        write, name = RESOURCE_KINDS[resource].write, RESOURCE_KINDS[resource].word
        parts = [PlacePart(case.division, found, place) for place in places_of(found)]
        broken = [part for part in parts if part.broken]
        hosts = tuple(dict.fromkeys(part.host for part in broken if part.host))
        promised, there, where = found.promised, found.promisable, "at the top"
        if promised <= there * (1 + 1e-9) and hosts:
            # The site has enough: it is where the guests are that cannot keep what it owes to them.
            promised, there = sum(part.promised for part in broken), sum(part.amount for part in broken)
            where = f"on {first_names([label_of(case.plan, host) for host in hosts])}"
        yield Finding(
            "broken-promises", "hurts-now", _promised_to(case, found, broken) or hosts,
            f"Promises of {name} cannot all be kept: {write(promised)} {where}, of {write(there)}",
            (("promised", write(promised)), ("can be promised", write(there))), 1.0, values=(promised, there),
        )  # fmt: skip


def _promised_to(case: Case, found: ResourceDivision, broken: Sequence[PlacePart]) -> tuple[str, ...]:
    """Name to whom more is promised than there is: pools, or else the guests there by what they claim."""
    pools = tuple(case.division.ids[row] for row in range(found.node_broken.size) if found.node_broken[row])
    if pools:
        return pools
    claims = {case.plan.guests[i].id: found.claim[case.row(case.plan.guests[i].id)] for p in broken for i in p.guests}
    named = tuple(sorted((name for name in claims if claims[name] > 0), key=lambda name: -claims[name]))
    return named or tuple(pool.id for pool in case.plan.pools if found.claim[case.row(pool.id)] > 0)
