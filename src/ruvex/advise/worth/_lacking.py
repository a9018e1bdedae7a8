"""Who goes short over the day, by the cause that the division has for it: nobody is short and told nowhere."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.advise._remedies import Remedy
from ruvex.advise._size import STEP_MHZ, STEPS, whole_steps
from ruvex.advise.worth._finding import Case, Finding, Group
from ruvex.advise.worth._tried import first_that_helps
from ruvex.divide import CAUSES, causes_of, demand_at
from ruvex.engine import rows as r
from ruvex.placing import moves_now, obstacle_to
from ruvex.plan import (
    RESOURCE_KINDS,
    RESOURCES,
    ElasticMemory,
    Guest,
    Pool,
    Resource,
    ThinMemory,
    format_cpu,
    format_memory,
    pools_within,
)
from ruvex.play import Recording
from ruvex.words import counted, first_names, label_of, short_span

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

LEAST_PART: Final = 0.1
"""Who lacks no more than this part of what it wants or needs is not told of."""
LEAST_S: Final = 900.0
"""Nor who lacks it for no longer than this."""
_STARVED: Final = 0.5
_MOST_NAMED: Final = 3
_RUNNING: Final = r.RUNNING
_ROUNDING: Final = 1e-3

_KINDS: Final = {
    "own limit": "memory-limit", "pool's limit": "pool-limit", "supply": "host-short", "own size": "size-small",
    "cores it is kept to": "kept-cores", "own ceiling": "at-ceiling",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Shortage:
    """A guest that is short for a while.

    Attributes
    ----------
    guest
        Its position.
    resource
        Of what.
    cause
        Why, in the words of ``CAUSES``, when it lacks most.
    pool
        The id of the pool whose limit it is, None for other causes.
    lacks, met, wanted
        When it lacks most: how much, what of that is there, and of how much; MHz or MiB.
    at_s, lasts_s
        When that is, and for how long over the day it is short.
    is_now
        Whether it is short at the moment.
    """

    guest: int
    resource: Resource
    cause: str
    pool: str | None
    lacks: float
    met: float
    wanted: float
    at_s: float
    lasts_s: float
    is_now: bool


def shortages(case: Case) -> Sequence[Shortage]:
    """Find all guests that lack more than a tenth of what they want or need for more than a quarter of an hour."""
    recording = case.day.recording
    if not recording.rows or not case.plan.hosts:
        return ()
    site, found, day = case.division.site, list[Shortage](), case.day_figures
    # Who is on by the plan's own events counts while it is on; booting takes its time and is no shortage.
    running = recording.series("phase") == _RUNNING
    for resource in RESOURCES:
        wanted, met, lacks = (of(resource) for of in (day.wanted, day.met, day.lacks))
        short = running & (lacks > LEAST_PART * wanted + 1e-6)
        lasts = short.sum(axis=1) * recording.every_s
        for i in np.flatnonzero(lasts > LEAST_S).tolist():
            row = int(np.argmax(np.where(short[i], lacks[i], -1.0)))
            at_s = float(recording.times_s[row])
            cause, pool = _cause(case, recording, i, row, at_s, resource)
            want, lack = (float(of(resource).values[i]) for of in (case.figures.wanted, case.figures.lacks))
            found.append(Shortage(
                i, resource, cause, pool, float(lacks[i, row]), float(met[i, row]), float(wanted[i, row]), at_s,
                float(lasts[i]),
                bool(site.standing.on[i]) and lack > LEAST_PART * want + 1e-6,
            ))  # fmt: skip
    return found


def _cause(
    case: Case, recording: Recording, guest: int, row: int, at_s: float, resource: Resource
) -> tuple[str, str | None]:
    """Give the cause of a shortage and whose limit it is: of memory as it was played, else as it would settle then."""
    division = case.division_at(min(at_s, case.plan.day_s))
    causes, at = causes_of(division, resource), division.position[case.plan.guests[guest].id]
    word, limit = causes.word(at), int(causes.pool_row[at])
    if resource == "memory":
        played = CAUSES[int(recording.series("cause")[guest, row])]
        if played and played != word:
            return played, _limiting_pool(case, guest) if played == "pool's limit" else None
    return word or "supply", division.ids[limit] if limit >= 0 else None


def _limiting_pool(case: Case, guest: int) -> str | None:
    """Name the nearest pool above a guest that has a memory limit; its own where only an event sets one."""
    plan, above = case.plan, case.plan.guests[guest].pool
    while above is not None:
        pool = plan.pools[plan.pool_index[above]]
        if pool.memory.limit is not None:
            return pool.id
        above = pool.parent
    return case.plan.guests[guest].pool


def lacking(case: Case, told: Sequence[Finding]) -> Iterator[Finding]:
    """Tell of everybody who goes short and is not told of yet, together with those of the same cause.

    Parameters
    ----------
    case
        The plan as it is looked at.
    told
        What other findings have told by now.
    """
    by_cause: dict[tuple[Resource, str, str], list[Shortage]] = {}
    named = _named_for_supply(case, told)
    for one in shortages(case):
        guest = case.plan.guests[one.guest]
        if guest.demand.greedy and one.resource == "memory":
            continue  # It fills whatever it may have, and wants more by its nature.
        if one.cause == "supply" and guest.id in named[one.resource]:
            continue
        place = one.pool or ""
        if not one.pool and one.cause in ("supply", "bank", "cores it is kept to"):
            at = case.host_of(one.guest)
            place = case.plan.hosts[at].id if at >= 0 else ""
        elif not one.pool:
            place = guest.id
        by_cause.setdefault((one.resource, one.cause, place), []).append(one)
    for (resource, cause, place), some in by_cause.items():
        kind = _kind(resource, cause)
        names = {case.plan.guests[one.guest].id for one in some}
        if kind == "" or any(_tells(finding, kind, resource, names) for finding in told):
            continue
        yield from _findings(case, resource, cause, place, kind, some)


_FOR_SUPPLY: Final[Mapping[str, Sequence[Resource]]] = {
    "beside-pools": RESOURCES, "crowded-pool": RESOURCES, "broken-promises": RESOURCES, "held-idle": ("memory",),
    "headroom-large": ("memory",), "peaks-coincide": ("cpu",),
}  # fmt: skip
"""What tells why others go short of what their host has."""


def _named_for_supply(case: Case, told: Sequence[Finding]) -> Mapping[Resource, set[str]]:
    """Give the guests for whom a finding says already why their host has too little for them."""
    found: dict[Resource, set[str]] = {resource: set() for resource in RESOURCES}
    for finding in told:
        named = set(finding.about)
        inside = {pool for one in named if one in case.plan.pool_index for pool in pools_within(case.plan, one)}
        for _, guest in case.guests_on():
            if guest.id in named or guest.pool in inside:
                for resource in _FOR_SUPPLY.get(finding.kind, ()):
                    found[resource].add(guest.id)
    return found


def _kind(resource: Resource, cause: str) -> str:
    if cause == "own limit":
        return "biting-limit" if resource == "cpu" else "memory-limit"
    return _KINDS.get(cause, "")


_SAME: Final = {
    "biting-limit": ("biting-limit",), "memory-limit": ("memory-limit",), "pool-limit": ("pool-limit",),
    "at-ceiling": ("at-ceiling", "cannot-be"), "size-small": ("cannot-be",),
}  # fmt: skip


def _tells(finding: Finding, kind: str, resource: Resource, names: set[str]) -> bool:
    """Tell whether a finding has told of all these guests already, and of this cause."""
    return finding.kind in _SAME.get(kind, ()) and names <= set(finding.about)


def _findings(
    case: Case, resource: Resource, cause: str, place: str, kind: str, some: Sequence[Shortage]
) -> Iterator[Finding]:  # fmt: skip
    plan, what, write = case.plan, RESOURCE_KINDS[resource].word, RESOURCE_KINDS[resource].write
    guests = [plan.guests[one.guest] for one in some]
    lasts = max(one.lasts_s for one in some)
    worst = max(some, key=lambda one: one.lacks / max(one.wanted, 1e-9))
    part = worst.lacks / max(worst.wanted, 1e-9)
    group: Group = "hurts-now" if any(one.is_now for one in some) else "will-hurt"
    named, get = first_names([guest.label for guest in guests]), "gets" if len(guests) == 1 else "get"
    # The bars beside it are of the worst off, when it lacks most: the words must be of the same.
    its = plan.guests[worst.guest].label
    figures = (
        (f"{its} wants", write(round(worst.wanted))), ("and has then", write(round(worst.met))),
    )  # fmt: skip
    about = tuple(guest.id for guest in guests)
    remedies: Iterable[Remedy | None]
    if kind == "pool-limit" and place:
        pool = plan.pools[plan.pool_index[place]]
        text = f"{pool.label} is held by its {what} limit for {short_span(lasts)} of the day: {named} {get} less"
        about, remedies = (pool.id, *about), _raised_pool(case, pool, resource, some)
    elif kind == "host-short":
        starved = _starved(case, place, resource, some)
        if starved:
            yield starved
            some = [one for one in some if case.plan.guests[one.guest].id not in starved.about[:1]]
            if not some:
                return
            about = tuple(plan.guests[one.guest].id for one in some)
            named = first_names([plan.guests[one.guest].label for one in some])
            get = "gets" if len(some) == 1 else "get"
        text = f"{label_of(plan, place)} is short of {what} for {short_span(lasts)} of the day: {named} {get} less"
        about, remedies = (place, *about), _moved(case, place, some)
    elif kind == "kept-cores":
        are, they = ("is", "it is") if len(guests) == 1 else ("are", "they are")
        text = f"{named} {are} crowded on the cores of {label_of(plan, place)} that {they} kept to"
        about, remedies = (*about, place), (_not_kept(guests),)
    elif kind in ("memory-limit", "biting-limit"):
        (guest,) = guests
        text = f"{guest.label} is held by its own {what} limit for {short_span(lasts)} of the day"
        remedies = _raised_limit(case, guest, resource, worst)
    elif kind == "at-ceiling":
        (guest,) = guests
        text = f"{guest.label} is at its ceiling for {short_span(lasts)} of the day, and needs more"
        remedies = (case.higher_ceiling(guest),)
    else:
        (guest,) = guests
        text = f"{guest.label} needs more than its size for {short_span(lasts)} of the day"
        remedies = (case.larger(guest),)
    remedy = first_that_helps(case, remedies, resource, [one.guest for one in some], worst.at_s)
    yield Finding(kind, group, about, text, figures, part, remedy, (worst.wanted, worst.met))


def _starved(case: Case, host: str, resource: Resource, some: Sequence[Shortage]) -> Finding | None:
    """Find the one that lacks most where others of its host, with far more shares, lack next to nothing."""
    worst = max(some, key=lambda one: one.lacks / max(one.wanted, 1e-9))
    if worst.lacks < _STARVED * worst.wanted or host not in case.plan.host_index:
        return None
    guest, at = case.plan.guests[worst.guest], case.plan.host_index[host]
    short = {one.guest for one in some}
    peers = [
        (i, other)
        for i, other in case.guests_on()
        if i not in short and case.host_of(i) == at and other.pool == guest.pool
    ]
    if not peers:
        return None
    usual = float(np.median([other.of(resource).shares for _, other in peers]))
    shares = guest.of(resource).shares
    if shares * 4 > usual:
        return None
    what = RESOURCE_KINDS[resource].word
    return Finding(
        "shares-small", "hurts-now" if worst.is_now else "will-hurt", (guest.id, host),
        f"{guest.label} has {shares:g} {what} shares beside the {usual:g} of its peers, and goes short for"
        f" {short_span(worst.lasts_s)} of the day",
        (("its shares", f"{shares:g}"), ("its peers', the median", f"{usual:g}")), worst.lacks / worst.wanted,
        Remedy(f"{usual:g} {what} shares, as its peers have", ((guest.id, {f"{resource}.shares": usual}),)),
        (shares, usual), (usual, usual),
    )  # fmt: skip


def _raised_limit(case: Case, guest: Guest, resource: Resource, worst: Shortage) -> Iterator[Remedy]:
    enough: float | None = whole_steps(worst.wanted, STEP_MHZ)
    name, write = RESOURCE_KINDS[resource].word, RESOURCE_KINDS[resource].write
    if resource == "memory":
        enough = case.right_memory(worst.guest).get("memory.limit")
    if enough is not None:
        yield Remedy(f"a {name} limit of {write(enough)}", ((guest.id, {f"{resource}.limit": enough}),))
    yield Remedy(f"no {name} limit", ((guest.id, {f"{resource}.limit": None}),))


def _raised_pool(case: Case, pool: Pool, resource: Resource, some: Sequence[Shortage]) -> Iterator[Remedy]:
    kind = RESOURCE_KINDS[resource]
    limit = pool.of(resource).limit
    if limit is None:
        return
    # What lies squeezed takes part of the limit as well: what its guests want when they lack most is the surer sum.
    at = case.row(pool.id)
    times = {min(one.at_s, case.plan.day_s) for one in some[:_MOST_NAMED]}
    wanted = max(float(case.division_at(at_s).of(resource).wanted[at]) for at_s in times)
    enough = whole_steps(max(limit + sum(one.lacks for one in some), wanted), STEPS[resource])
    yield Remedy(f"a {kind.word} limit of {kind.write(enough)}", ((pool.id, {f"{resource}.limit": enough}),))
    yield Remedy(f"no {kind.word} limit", ((pool.id, {f"{resource}.limit": None}),))


def _moved(case: Case, host: str, some: Sequence[Shortage]) -> Iterator[Remedy]:
    """Give the moves off a host that take away a tenth or more when most is lacked there, the best first."""
    site, plan = case.division.site, case.plan
    if host not in plan.host_index:
        return
    at_s = min(max(some, key=lambda one: one.lacks).at_s, plan.day_s)
    for move in moves_now(site, demand_at(site, at_s), LEAST_PART):
        guest, to = plan.guests[move.guest], plan.hosts[move.to]
        is_from_here = int(site.standing.host[move.guest]) == plan.host_index[host]
        if is_from_here and obstacle_to(site, [guest.id], to.id) is None:
            yield Remedy(f"{guest.label} moves to {to.label}", ((guest.id, {"host": to.id}),))


def _not_kept(guests: Sequence[Guest]) -> Remedy:
    changes = tuple((guest.id, {"cores.only": None, "cores.side_by_side": False}) for guest in guests)
    return Remedy(f"{counted(len(guests), 'guest')} may run on all cores", changes)


def never_reached(case: Case) -> Iterator[Finding]:
    """A memory limit that can never be reached, as it is above the size: it seems to hold somebody and holds nobody."""
    for _, guest in case.guests_on():
        memory = guest.memory
        if isinstance(memory, ThinMemory) and memory.limit is not None and memory.limit >= memory.size:
            yield Finding(
                "never-reached", "untidy", (guest.id,),
                f"{guest.label} can never reach its memory limit of {format_memory(memory.limit)}: its size is"
                f" {format_memory(memory.size)}",
                (("limit", format_memory(memory.limit)), ("size", format_memory(memory.size))), 0.05,
                Remedy("no memory limit", ((guest.id, {"memory.limit": None}),)), (memory.limit, memory.size),
                (0.0, memory.size),
            )  # fmt: skip
        host = case.host_of(case.plan.guest_index[guest.id])
        most = max((guest.vcpus * case.mhz_of(case.plan.guest_index[guest.id]) if host >= 0 else math.inf), 0.0)
        if guest.cpu.limit is not None and guest.cpu.limit > most * (1 + _ROUNDING):
            yield Finding(
                "never-reached", "untidy", (guest.id,),
                f"{guest.label} can never reach its CPU limit of {format_cpu(guest.cpu.limit)}: its"
                f" {counted(guest.vcpus, 'vCPU')} do {format_cpu(most)}",
                (("limit", format_cpu(guest.cpu.limit)), ("most it can use", format_cpu(most))), 0.05,
                Remedy("no CPU limit", ((guest.id, {"cpu.limit": None}),)), (guest.cpu.limit, most), (0.0, most),
            )  # fmt: skip


def idle_cores(case: Case) -> Iterator[Finding]:
    """Cores of one's own of which half would do all day: nobody else may run there."""
    peaks = case.peaks["cpu_wanted"]
    for i, guest in case.guests_on():
        mhz = case.mhz_of(i)
        if not guest.dedicated_cores or mhz <= 0:
            continue
        used = float(peaks[i]) / mhz
        if used > guest.vcpus / 2:
            continue
        yield Finding(
            "idle-cores", "untidy", (guest.id,),
            f"{guest.label} has {counted(guest.vcpus, 'core')} of its own and keeps {used:.1f} of them busy at most,"
            " while nobody else may run there",
            (("its own", str(guest.vcpus)), ("busy at most", f"{used:.1f}")), 1 - used / guest.vcpus,
            Remedy("no cores of its own", ((guest.id, {"dedicated_cores": False}),)), (float(guest.vcpus), used),
            (0.0, used),
        )  # fmt: skip


def no_cold_start(case: Case) -> Iterator[Finding]:
    """All that is on could not start again together after a power cut: elastic guests boot with more than they hold."""
    site, plan = case.division.site, case.plan
    if not plan.hosts:
        return
    on = site.standing.on
    # Whose boot memory was not to be found over the day is told of by that.
    told = {bridge.guest for bridge in case.day.summary().bridges}
    boots = np.where(site.guests[r.G_MODE] == r.THIN, site.guests[r.G_RESERVATION], site.guests[r.G_SIZE]) * on
    boots = np.where(site.guests[r.G_BANKED] > 0, 0.0, boots) + site.guests[r.G_OVERHEAD] * on
    for at, host in enumerate(plan.hosts):
        here = on & (site.standing.host == at)
        needed = float(boots[here].sum())
        there = float(site.hosts[r.H_GROSS, at] - site.hosts[r.H_BANK, at])
        elastic = [i for i in np.flatnonzero(here).tolist() if isinstance(plan.guests[i].memory, ElasticMemory)]
        if (
            not host.up
            or not elastic
            or any(plan.guests[i].id in told for i in elastic)
            or needed <= there * (1 + 1e-9)
        ):
            continue
        over = needed - there
        yield Finding(
            "no-cold-start", "will-hurt", (host.id, *(plan.guests[i].id for i in elastic)),
            f"What is on at {host.label} could not all start again together: its guests boot with"
            f" {format_memory(needed)} of the {format_memory(there)} there",
            (("needed to start", format_memory(needed)), ("there is", format_memory(there))), min(over / there, 1.0)
            if there > 0 else 1.0, values=(needed, there),
        )  # fmt: skip


def draws_by_oversight(case: Case) -> Iterator[Finding]:
    """A pool with a reservation that draws on its parent all the same, where its peers have fixed budgets."""
    peers: dict[str | None, list[Pool]] = {}
    for pool in case.plan.pools:
        peers.setdefault(pool.parent, []).append(pool)
    for pools in peers.values():
        for resource in RESOURCES:
            reserved = [pool for pool in pools if pool.of(resource).reservation > 0]
            fixed = [pool for pool in reserved if not pool.of(resource).draws]
            drawing = [pool for pool in reserved if pool.of(resource).draws]
            if len(drawing) != 1 or len(fixed) < 2:
                continue
            pool, what = drawing[0], RESOURCE_KINDS[resource].word
            yield Finding(
                "draws-by-oversight", "untidy", (pool.id,),
                f"{pool.label} may draw {what} promises from above, and its {len(fixed)} peers keep to what they have"
                " reserved",
                (("draws", "yes"), ("its peers", "no")), 0.1,
                Remedy(f"{pool.label} keeps to its {what} reservation", ((pool.id, {f"{resource}.draws": False}),)),
            )  # fmt: skip
