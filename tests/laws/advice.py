"""Laws of advice: what is offered does what it says, who goes short is named, and sweeps are the plan edited."""

from __future__ import annotations

import random
from collections.abc import Iterator, Mapping

import numpy as np
from numpy.typing import NDArray

from ruvex.advise import OUTCOMES, Finding, Range, Watch, effect_of, findings_of, right_sizes, sweep
from ruvex.divide import Division, divide
from ruvex.engine import rows as r
from ruvex.plan import RESOURCES, EditError, Resource, change_many
from ruvex.play import Player
from tests.laws.case import Case

_LEAST_PART, _LEAST_S = 0.1, 900.0
_NEAR = 1e-6
_MOST_TAKEN = 10
"""Each that is taken means another day played: of a plan with a hundred, some are drawn."""


def offered(case: Case) -> Iterator[str]:
    """A remedy, taken, is accepted, does to everybody what it says, and removes what it was for."""
    division, day = case.division, case.day
    offers = [finding for finding in findings_of(division, day) if finding.remedy is not None]
    if len(offers) > _MOST_TAKEN:
        offers = random.Random(case.seed).sample(offers, _MOST_TAKEN)
    for finding in offers:
        assert finding.remedy is not None
        name = f"{finding.kind} of {finding.about[0]} ({finding.remedy.text})"
        try:
            plan = change_many(case.plan, finding.remedy.changes)
        except EditError as error:
            yield f"{name}: {error}"
            continue
        site = case.site.with_plan(plan, case.traces)
        after = divide(site)
        effect = effect_of(finding, division)
        if effect is not None:
            for shift in (*effect.gains, *effect.losses):
                was, now = _had(division, shift.guest, shift.resource), _had(after, shift.guest, shift.resource)
                if abs(now - was - shift.amount) > 1e-5 * max(1.0, abs(shift.amount)):
                    yield f"{name}: {shift.guest} has {now - was:g} more of {shift.resource}, not {shift.amount:g}"
        again = Player(site)
        again.run()
        for left in findings_of(after, again):
            if _matter(left) == _matter(finding) and left.weight >= finding.weight - 1e-9:
                yield f"{name}: taken, it is as bad as it was: {left.text} (was: {finding.text})"


def _matter(finding: Finding) -> tuple[object, ...]:
    """Give what a finding is about: two of a kind may be of one pool, one of its CPU and one of its memory."""
    return finding.kind, finding.about[:1], "CPU" in finding.text, "memory" in finding.text


def _had(division: Division, guest: str, resource: str) -> float:
    at = division.site.plan.guest_index[guest]
    if resource == "store":
        return float(division.flowing.ops_delivered[at])
    if resource == "link":
        return float(division.flowing.net_delivered[at])
    figures = division.cpu if resource == "cpu" else division.memory
    return float(figures.delivered[division.position[guest]])


def complete(case: Case) -> Iterator[str]:
    """Whoever lacks more than a tenth for more than a quarter of an hour is named by a finding."""
    recording = case.day.recording
    if not recording.rows or not case.plan.hosts:
        return
    named = {one for finding in findings_of(case.division, case.day) for one in finding.about}
    running = np.asarray(recording.series("phase") == r.RUNNING)
    for resource in RESOURCES:
        wanted, lacks = _series(case, resource)
        short = running & (lacks > _LEAST_PART * wanted + 1e-6)
        for i in np.flatnonzero(short.sum(axis=1) * recording.every_s > _LEAST_S).tolist():
            guest = case.plan.guests[i]
            if guest.id not in named and not _above(case, guest.pool) & named:
                yield f"{guest.id} is short of {resource} and named nowhere"


def _above(case: Case, pool: str | None) -> set[str]:
    found = set()
    while pool is not None:
        found.add(pool)
        pool = case.plan.pools[case.plan.pool_index[pool]].parent
    return found


def _series(case: Case, resource: Resource) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    recording = case.day.recording
    if resource == "cpu":
        wanted = np.asarray(recording.series("cpu_wanted"), dtype=np.float64)
        return wanted, wanted - np.asarray(recording.series("cpu_delivered"), dtype=np.float64)
    wanted = np.asarray(recording.series("need"), dtype=np.float64)
    return wanted, wanted * (1.0 - np.asarray(recording.series("met"), dtype=np.float64))


def swept(case: Case) -> Iterator[str]:
    """Each point of a sweep is the plan edited and played."""
    plan = case.plan
    if not plan.guests:
        return
    guest = plan.guests[case.seed % len(plan.guests)]
    values = (50.0, 120.0, 333.0)
    watches = [Watch(guest.id, outcome) for outcome in OUTCOMES if outcome not in ("free", "late")]
    found = sweep(case.site, [Range(guest.id, "cpu.shares", values, guest.cpu.shares)], watches, workers=1)
    for k, value in enumerate(values):
        try:
            site = case.site.with_plan(change_many(plan, [(guest.id, {"cpu.shares": value})]), case.traces)
        except EditError:
            continue
        player = Player(site)
        player.run()
        summary = player.summary()
        for number, watch in enumerate(watches):
            told, played = float(found.table[number, k, 0]), watch.of(summary)
            if not np.isnan(told) and abs(told - played) > _NEAR * max(1.0, abs(played)):
                yield f"{guest.id}: {watch.outcome} at {value:g} shares is {told:g}, and {played:g} when it is played"


def one_size(case: Case) -> Iterator[str]:
    """Every place that proposes a size, a limit of memory or elastic bounds for a guest proposes the same."""
    proposed: dict[tuple[str, str], dict[object, str]] = {}

    def note(where: str, target: str, change: Mapping[str, object]) -> None:
        for setting, value in change.items():
            if target in case.plan.guest_index and setting in _OF_SIZE:
                proposed.setdefault((target, setting), {}).setdefault(value, where)

    for one in right_sizes(case.day, case.site):
        note("right sizes", *one.change)
    for finding in findings_of(case.division, case.day):
        if finding.remedy is not None and finding.kind not in _BY_OTHER_MEANS:
            for target, change in finding.remedy.changes:
                note(finding.kind, target, change)
    for (target, setting), values in proposed.items():
        if len(values) > 1:
            yield f"{setting} of {target}: {', '.join(f'{where} says {value}' for value, where in values.items())}"


_OF_SIZE = (
    "vcpus", "memory.size", "memory.limit", "memory.floor", "memory.boot", "memory.ceiling",
    "memory.headroom_percent", "memory.reservation", "cpu.reservation",
)  # fmt: skip
_BY_OTHER_MEANS = ("late-batch", "wider-than-host", "wider-than-node", "greedy", "boots-from-disk", "never-reached")
"""What is proposed there is bound by something else than what the guest works with: by when its work is due, by the
cores of a host or a node, by what greedy work leaves, by what can be found at a start."""
