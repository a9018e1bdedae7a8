"""Laws of advice: what is offered does what it says, who goes short is named, and sweeps are the plan edited."""

from __future__ import annotations

import random
from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvex.advise import OUTCOMES, Finding, Range, Watch, effect_of, findings_of, right_sizes, sweep
from ruvex.advise._size import elastic_size_of, size_for
from ruvex.divide import Division, divide
from ruvex.engine import rows as r
from ruvex.placing import DayLack, better_places
from ruvex.plan import RESOURCES, EditError, Plan, Resource, Rules, change_many, plan_from
from ruvex.play import Player
from ruvex.promise import claims_of, refusal_between
from ruvex.site import placement_problem, site_of
from tests.laws.case import Case

_LEAST_PART, _LEAST_S = 0.1, 900.0
_NEAR = 1e-6
_HEAD = {"format": "ruvex-plan", "version": 1, "day_s": 7200, "moment": 3600}
_MOST_TAKEN = 10
"""Each that is taken means another day played: of a plan with a hundred, some are drawn."""


def offered(case: Case) -> Iterator[str]:
    """A remedy, taken, is accepted, does to everybody what it says, and removes what it was for."""
    division, day = case.division, case.day
    offers = [finding for finding in findings_of(division, day) if finding.remedy is not None]
    if len(offers) > _MOST_TAKEN:
        offers = random.Random(case.seed).sample(offers, _MOST_TAKEN)
    texts = [finding.text for finding in findings_of(division, day)]
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
            is_less = left.weight < finding.weight - 1e-9 or left.values[:1] < finding.values[:1]
            # One that tells of several is of the worst off: with somebody out of it, it is less as well.
            is_less = is_less or set(left.about) < set(finding.about)
            was_there = left.text != finding.text and left.text in texts
            if _matter(left) == _matter(finding) and not is_less and not was_there:
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
            if guest.demand.greedy and resource == "memory":
                continue  # It fills whatever it may have, and wants more by its nature.
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


def silent(case: Case) -> Iterator[str]:
    """A plan in which nobody is short, nothing is promised in vain and all that is set is set on purpose has none."""
    site = site_of(_calm_plan(random.Random(case.seed)), {})
    day = Player(site)
    day.run()
    for finding in findings_of(divide(site), day):
        yield f"{finding.kind}: {finding.text}"


def _calm_plan(chance: random.Random) -> Plan:
    """Draw a plan with room for the loss of any host, guests of their right size, and pools that somebody owns."""
    mhz = chance.choice((2300.0, 2900.0, 3700.0))
    hosts = [
        {"id": f"h{i}", "cores_per_socket": 12, "mhz": mhz, "memory_mib": 90_000, "spill_mib": 90_000,
         "numa_nodes": chance.choice((1, 2))}
        for i in range(chance.randint(2, 4))
    ]  # fmt: skip
    pools = [{"id": f"p{i}", "owner": f"crew {i}", "cpu": {"shares": 70 + 30 * i}} for i in range(chance.randint(0, 3))]
    guests: list[dict[str, Any]] = []
    for i in range(chance.randint(0, 4 * len(hosts))):
        working, vcpus = float(chance.randint(600, 5000)), chance.randint(1, 3)
        memory: dict[str, Any] = {"mode": chance.choice(("fixed", "thin", "elastic"))}
        if memory["mode"] == "elastic":
            right = elastic_size_of(np.full(10, working), 60.0, Rules())
            memory |= {name: getattr(right, name) for name in ("floor", "boot", "ceiling", "headroom_percent")}
        else:
            memory |= {"size": size_for(working)}
        if memory["mode"] == "thin":
            memory |= {"reservation": chance.choice((0.0, working))}
        wants = vcpus * mhz * chance.uniform(0.4, 0.69)
        guest = {"id": f"g{i}", "vcpus": vcpus, "host": chance.choice(hosts)["id"], "memory": memory,
                 "demand": {"cpu": wants, "working": working, "touched": working}}  # fmt: skip
        if pools:
            guest["pool"] = f"p{i % len(pools)}"
        if chance.random() < 0.3:
            guest["cpu"] = {"reservation": float(round(wants * 0.8))}
        guests.append(guest)
    return plan_from({**_HEAD, "hosts": hosts, "pools": pools, "guests": guests})


def placed(case: Case) -> Iterator[str]:
    """Each step to better places, taken in its turn, is accepted, breaks no rule that held, and gains what it says."""
    site, totals = case.site, list[float]()
    for step in better_places(case.site).steps:
        told = ", ".join(f"{guest} to {to}" for guest, _, to in step.moves)
        changes = [(guest, {"host": to}) for guest, _, to in step.moves]
        try:
            after = site.with_plan(change_many(site.plan, changes), case.traces)
        except EditError as error:
            yield f"{told}: {error}"
            return
        refusal = refusal_between(claims_of(site), claims_of(after), [guest for guest, _, _ in step.moves])
        if refusal is not None:
            yield f"{told}: {refusal}"
        for guest, _, to in step.moves:
            at, there = site.plan.guest_index[guest], site.plan.host_index[to]
            host, on = after.standing.host.tolist(), after.standing.on.tolist()
            problem = placement_problem(after.plan, at, there, host, on)
            if problem:
                yield f"{told}: {problem}"
        totals = [float(DayLack(one).of(one.standing.host).sum()) for one in (site, after)]
        if abs(totals[0] - totals[1] - step.hours) > 1e-6 * max(1.0, totals[0]):
            yield f"{told}: gains {totals[0] - totals[1]:g} guest-hours, not {step.hours:g}"
        site = after
