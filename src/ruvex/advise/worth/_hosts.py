"""Hosts: what their loss would do, who can go nowhere, rules that are broken, peaks that could lie apart."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Final

import numpy as np

from ruvex.advise._remedies import Remedy
from ruvex.advise._size import vcpus_for, with_vcpus
from ruvex.advise._waits import day_waits
from ruvex.advise.worth._finding import Case, Finding, Floats, curve_of
from ruvex.advise.worth._lacking import LEAST_S
from ruvex.divide import demand_at
from ruvex.engine import rows as r
from ruvex.ledger import falls_short
from ruvex.placing import DayLack, Losses, StaysOff, losses_of, moves_now, obstacle_to
from ruvex.plan import Changes, ThinMemory, change_many, format_memory, format_time
from ruvex.play import Player
from ruvex.site import allowed_hosts, live_move_problem, placement_problem
from ruvex.words import counted, first_names, shortage_text

_LEAST_GAIN: Final = 0.1
_WAITS: Final = 0.07
"""Waits by chance below this part of a guest's time are hardly felt, however many vCPUs a core has."""
_WAIT_MOMENTS: Final = 49
_ROUNDS: Final = 4


def loss_not_borne(case: Case) -> Iterator[Finding]:
    """A host whose loss leaves guests off: what is promised is kept only while nothing is lost, or they fit nowhere."""
    site, plan = case.division.site, case.plan
    if int(site.standing.up.sum()) < 2:
        return
    labels = plan.labels
    for host, lost, off in losses_of(site):
        if not off:
            continue
        there = plan.hosts[plan.host_index[host]]
        by_promises = [one for one in off if one.waits_for_promises]
        kind = "kept-while-up" if len(by_promises) == len(off) else "loss-not-borne"
        names = first_names([labels[one.guest] for one in off])
        why = next(
            (shortage_text(plan, one.lacks) for one in off if one.lacks is not None), "no other host may take it"
        )
        text = (
            f"{there.label} keeps what it promises only while nothing is lost: without it {names} could not be on"
            if kind == "kept-while-up" else
            f"{there.label} cannot be lost without harm: {names} would stay off, as {why}"
        )  # fmt: skip
        yield Finding(
            kind, "will-hurt", (host, *(one.guest for one in off)), text,
            (("guests on it", str(lost)), ("would stay off", str(len(off)))), len(off) / max(lost, 1),
            _for_loss(case, plan.host_index[host], off), (float(lost), float(len(off))), (float(lost), 0.0),
        )  # fmt: skip


def _for_loss(case: Case, lost: int, off: tuple[StaysOff, ...]) -> Remedy | None:
    """Give the spill space that would bring back those who lack nothing else, tried: who is back takes his part."""
    more: dict[str, float] = {}
    for _ in range(_ROUNDS):
        for one in off:
            if one.lacks is None or one.lacks.kind != "spill" or one.lacks.place is None:
                return None
            memory = case.plan.guests[case.plan.guest_index[one.guest]].memory
            need = memory.size - memory.reservation if isinstance(memory, ThinMemory) else 0.0
            more[one.lacks.place] = more.get(one.lacks.place, 0.0) + max(one.lacks.shortfall, need)
        changes: list[tuple[str, dict[str, Any]]] = []
        for host, mib in more.items():
            has = case.plan.hosts[case.plan.host_index[host]].spill_mib
            changes.append((host, {"spill_mib": float(np.ceil(((has or 0.0) + mib) / 1024) * 1024)}))
        site = case.division.site.with_plan(change_many(case.plan, changes))
        off = Losses(site).stuck_without(lost)
        if not off:
            names = " and ".join(case.plan.labels[host] for host in more)
            return Remedy(f"{format_memory(sum(more.values()))} more spill space on {names}", tuple(changes))
    return None


def cannot_move(case: Case) -> Iterator[Finding]:
    """Guests that can be moved nowhere while on: their host cannot be emptied without switching them off."""
    site, plan = case.division.site, case.plan
    host, on = site.standing.host.tolist(), site.standing.on.tolist()
    up = np.flatnonzero(site.standing.up).tolist()
    nobody = [False] * len(plan.guests)
    if len(up) < 2:
        return
    stuck: dict[tuple[int, str], list[int]] = {}
    for i, guest in case.guests_on():
        problems = [live_move_problem(plan, i, host[i], to, host, nobody) for to in up if to != host[i]]
        if problems and all(problems):
            told = problems[0].replace(guest.label, "it").split(", so it")[0].removeprefix("it ")
            stuck.setdefault((host[i], told), []).append(i)
    del on
    for (at, told), guests in stuck.items():
        names = [plan.guests[i].label for i in guests]
        yield Finding(
            "cannot-move", "untidy", (plan.guests[guests[0]].id, *(plan.guests[i].id for i in guests[1:])),
            f"{first_names(names)} can move to no other host while on: {told}",
            (("on", plan.hosts[at].label), ("guests", str(len(guests)))), 0.1,
        )  # fmt: skip


def broken_rule(case: Case) -> Iterator[Finding]:
    """A rule of placement that is broken where guests are."""
    site, plan = case.division.site, case.plan
    host, on = site.standing.host.tolist(), site.standing.on.tolist()
    told: set[frozenset[str]] = set()
    bound = {guest for rule in plan.placement for guest in rule.guests}
    for i, guest in case.guests_on():
        if guest.id not in bound or host[i] < 0 or not plan.hosts:
            continue
        problem = placement_problem(plan, i, host[i], host, on)
        words = frozenset(problem.split())
        if not problem or words in told:
            continue
        told.add(words)
        there = [at for at in allowed_hosts(plan, i, host, on) if site.standing.up[at]]
        to = next((at for at in there if obstacle_to(site, [guest.id], plan.hosts[at].id) is None), None)
        remedy = None if to is None else Remedy(
            f"{guest.label} moves to {plan.hosts[to].label}", ((guest.id, {"host": plan.hosts[to].id}),)
        )  # fmt: skip
        yield Finding(
            "broken-rule", "hurts-now", (guest.id,), f"{problem}, and now it is on {plan.hosts[host[i]].label}",
            (("on", plan.hosts[host[i]].label),), 0.6, remedy,
        )  # fmt: skip


def peaks_coincide(case: Case) -> Iterator[Finding]:
    """Guests that want most at the same time on a host that is short then, while another has room."""
    site, plan, recording = case.division.site, case.plan, case.day.recording
    hosts = len(plan.hosts)
    if hosts < 2 or recording.rows < 2:
        return
    wanted, supply = (recording.of_places(name)[:hosts] for name in ("cpu_wanted", "cpu_supply"))
    over = wanted / np.maximum(supply, 1.0) * (supply > 0)
    at_host, at_row = np.unravel_index(int(np.argmax(over)), over.shape)
    if over[at_host, at_row] <= 1.02:
        return
    at_s = float(recording.times_s[at_row])
    day = DayLack(site)
    lacking = float(day.of(site.standing.host).sum())
    for move in moves_now(site, demand_at(site, at_s), _LEAST_GAIN):
        guest = plan.guests[move.guest]
        source, to = int(site.standing.host[move.guest]), plan.hosts[move.to]
        if source != at_host or obstacle_to(site, [guest.id], plan.hosts[move.to].id) is not None:
            continue
        # Where it goes it may want most together with somebody else, at another time: the day must be better for it.
        moved = site.standing.host.copy()
        moved[move.guest] = move.to
        if float(day.of(moved).sum()) > lacking * (1 - _LEAST_GAIN):
            continue
        here = [i for i, _ in case.guests_on() if case.host_of(i) == source and i != move.guest]
        series = recording.series("cpu_wanted")
        beside = max(here, key=lambda i: float(series[i, at_row]), default=None)
        other = f" together with {plan.guests[beside].label}" if beside is not None else ""
        before = float(over[source, at_row])
        mine = float(series[move.guest, at_row])
        after = (float(wanted[source, at_row]) - mine) / max(float(supply[source, at_row]), 1.0)
        # Who is short there at that time is told why by this; who is short at another time is not.
        lacks, wants = case.day_figures.lacks("cpu")[:, at_row], case.day_figures.wanted("cpu")[:, at_row]
        others = tuple(plan.guests[i].id for i in here if falls_short(float(lacks[i]), float(wants[i])))
        yield Finding(
            "peaks-coincide", "will-hurt", (guest.id, plan.hosts[source].id, *others),
            f"{guest.label} wants most{other} at {format_time(at_s)}, when {plan.hosts[source].label} is short and"
            f" {to.label} has room",
            ((f"wanted of {plan.hosts[source].label}", f"{100 * before:.0f} %"), ("its supply", "100 %")),
            min(move.part, 1.0),
            Remedy(f"{guest.label} moves to {to.label}", ((guest.id, {"host": to.id}),)),
            (before, 1.0), (after, 1.0), curve=curve_of(np.asarray(over[source], dtype=np.float64)), line=1.0,
            line_after=1.0,
        )  # fmt: skip
        return


def crowded_cores(case: Case) -> Iterator[Finding]:
    """VCPUs that wait for each other by chance, beyond what the host is short of."""
    site, plan = case.division.site, case.plan
    if not plan.hosts:
        return
    vcpus = np.zeros(len(plan.hosts))
    for i, guest in case.guests_on():
        if case.host_of(i) >= 0:
            vcpus[case.host_of(i)] += guest.vcpus
    ratio = vcpus / np.maximum(site.hosts[r.H_CORES, : len(plan.hosts)], 1.0)
    recording = case.day.recording
    wanted, supply = (recording.of_places(name)[: len(plan.hosts)] for name in ("cpu_wanted", "cpu_supply"))
    # Where there is too little for all, that is what is told: nobody waits by chance alone.
    is_short = (falls_short(wanted - supply, wanted).sum(axis=1) * recording.every_s) >= LEAST_S
    if is_short.all():
        return
    waits = day_waits(case.day, moments=_WAIT_MOMENTS)
    peaks = case.peaks["cpu_wanted"]
    for at in np.flatnonzero(~is_short).tolist():
        its = [(i, guest) for i, guest in case.guests_on() if case.host_of(i) == at]
        of = waits.of_guests[[i for i, _ in its]]
        if of.max(initial=0.0) < _WAITS:
            continue
        host = plan.hosts[at]
        fewer = [(i, guest, vcpus_for(float(peaks[i]), host.mhz)) for i, guest in its]
        changes = tuple(
            (guest.id, with_vcpus(guest, host, count, float(case.peaks["cpu_delivered"][i])))
            for i, guest, count in fewer
            if count <= guest.vcpus / 2 and not guest.dedicated_cores
        )
        worst = its[int(np.argmax(of))][1]
        fewer_do = bool(changes) and _waits_after(case, changes)[[i for i, _ in its]].max() < _WAITS
        yield Finding(
            "crowded-cores", "will-hurt", (host.id, worst.id),
            f"{host.label} has {ratio[at]:.1f} vCPUs for each core, and those of {worst.label} wait"
            f" {100 * float(of.max()):.0f} % of their time by chance",
            (("vCPUs a core", f"{ratio[at]:.1f}"), (f"wait of {worst.label}", f"{100 * float(of.max()):.1f} %")),
            float(of.max()), Remedy(f"fewer vCPUs for {counted(len(changes), 'guest')}", changes) if fewer_do else None,
        )  # fmt: skip


def _waits_after(case: Case, changes: Changes) -> Floats:
    """Play the day with other settings, and give by guest which part of its time it waits by chance then."""
    site = case.division.site
    day = Player(site.with_plan(change_many(site.plan, changes)))
    day.run()
    return day_waits(day, moments=_WAIT_MOMENTS).of_guests
