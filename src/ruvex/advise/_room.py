"""How many more like a guest fit: by what is promised and by what is really needed, now and over the whole day."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray
from pydantic import ValidationError

from ruvex.advise._shift import Shift
from ruvex.divide import CONTENDED, Asked, Contended, Division, demand_at, solve
from ruvex.engine import rows as r
from ruvex.ledger import LookFigures, falls_short
from ruvex.placing import SAMPLES
from ruvex.plan import (
    EditError,
    ElasticMemory,
    FixedMemory,
    Guest,
    Plan,
    Stays,
    ThinMemory,
    add_items,
    guest_problems,
    size_otherwise,
)
from ruvex.promise import Refusal, claims_of, refusal_between
from ruvex.site import Site, disks_of, hand_out, site_of, starting_order

Floats = NDArray[np.float64]

MOST: Final = 500
"""More are not counted."""
_FEW: Final = 40
_MOST_PAYERS: Final = 4
_NOTHING: Final = 1e-9
_KEYS: Final[Mapping[Contended, str]] = {
    "cpu": "cpu_mhz", "memory": "memory_mib", "store": "ops", "link": "net_mib_s",
}  # fmt: skip
"""What each is called in JSON."""


@dataclass(frozen=True, slots=True)
class Lacking:
    """What the next one would lack.

    Attributes
    ----------
    at_s
        When, s since the start of the day.
    amounts
        What it, and those like it beside it, would miss of what they want and need: MHz, MiB, transfers and MiB a
        second.
    payers
        Who else would get less and by how much, the most first.
    """

    at_s: float
    amounts: Mapping[Contended, float]
    payers: tuple[Shift, ...]

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        named = {_KEYS[of]: amount for of, amount in self.amounts.items()}
        return {"at_s": self.at_s} | named | {"payers": [payer.to_json() for payer in self.payers]}


@dataclass(frozen=True, slots=True)
class HostRoom:
    """How many more one host takes, by itself.

    Attributes
    ----------
    host
        Which one.
    paper, refusal, rule
        How many its promises allow, and what the next one is refused for: promises, or a rule in a sentence.
    now, lacks_now
        How many would have all they want and need at the moment with nobody paying, and what the next one would lack.
    worst, lacks_worst
        The same at every time of the day.
    """

    host: str
    paper: int
    refusal: Refusal | None
    rule: str
    now: int
    lacks_now: Lacking | None
    worst: int
    lacks_worst: Lacking | None


@dataclass(frozen=True, slots=True)
class Room:
    """How many more like a guest fit.

    Attributes
    ----------
    pattern
        The guest they are like.
    at_s
        The moment that is looked at.
    hosts
        Each host by itself, in plan order.
    paper, now, worst
        On all hosts together: what is taken on one is gone for the others where a pool's promises or shares count.
    """

    pattern: Guest
    at_s: float
    hosts: tuple[HostRoom, ...]
    paper: int
    now: int
    worst: int

    def to_json(self) -> dict[str, Any]:
        """Give it as ``ruvex room --json`` prints it."""
        hosts = [
            {
                "host": one.host, "paper": one.paper, "rule": one.rule or None,
                "refusal": None if one.refusal is None else {
                    "kind": one.refusal.kind, "place": one.refusal.place, "shortfall": one.refusal.shortfall},
                "now": one.now, "lacks_now": one.lacks_now and one.lacks_now.to_json(),
                "worst": one.worst, "lacks_worst": one.lacks_worst and one.lacks_worst.to_json(),
            }
            for one in self.hosts
        ]  # fmt: skip
        return {"at_s": self.at_s, "paper": self.paper, "now": self.now, "worst": self.worst, "hosts": hosts}


def alone_of(site: Site, pattern: Guest) -> Site:
    """Give a site of one guest that has all it wants: no host, pool, bank or store of the plan holds it back."""
    bare: dict[str, Any] = {"id": "one-more", "pool": None, "host": None, "power": "on", "disks": ()}
    if isinstance(pattern.memory, ThinMemory):
        bare["memory"] = pattern.memory.model_copy(update={"bank": False, "spill_volume": None})
    plan = Plan(guests=(pattern.model_copy(update=bare),), day_s=site.plan.day_s, moment=site.plan.moment)
    return site_of(plan, site.traces)


def as_fixed(site: Site, pattern: Guest) -> Guest:
    """Give the guest with fixed memory of the size it would have otherwise."""
    fixed = FixedMemory(mode="fixed", size=size_otherwise(site.plan, pattern), shares=pattern.memory.shares)
    return pattern.model_copy(update={"memory": fixed, "hot_add": ()})


def as_elastic(site: Site, pattern: Guest) -> Guest:
    """Give the guest with elastic memory: from the least its work needs over the day to its present size."""
    memory = pattern.memory
    if isinstance(memory, ElasticMemory):
        return pattern
    alone = alone_of(site, pattern)
    times = np.linspace(0.0, site.plan.day_s, SAMPLES + 1)
    works = [min(float(demand_at(alone, at_s).values[r.W_WORKING, 0]), memory.size) for at_s in times.tolist()]
    floor, boot = max(1.0, round(min(works))), max(1.0, round(max(works)))
    elastic = ElasticMemory(mode="elastic", floor=floor, boot=boot, ceiling=memory.size, shares=memory.shares)
    return pattern.model_copy(update={"memory": elastic, "agent": True})


def room_for(site: Site, pattern: Guest, *, at_s: float | None = None) -> Room:
    """Count how many more guests like one would fit on each host, and on all.

    Parameters
    ----------
    site
        The plan, with who is on.
    pattern
        What they are like; its host is not looked at. What binds it to hosts binds them.
    at_s
        The moment; the plan's own if left out.
    """
    at_s = site.plan.moment if at_s is None else at_s
    counting = _Counting(site, pattern, at_s, _FEW)
    found = counting.count()
    most = max((max(one.paper, one.now, one.worst) for one in found.hosts), default=0)
    if max(most, found.paper, found.now, found.worst) >= _FEW:
        found = _Counting(site, pattern, at_s, MOST).count()
    return found


def _largest(fits: Callable[[int], bool], most: int) -> int:
    """Give the largest number that fits, where all below one that fits do; at most ``most``."""
    low, step = 0, 1
    while low + step <= most and fits(low + step):
        low += step
        step *= 2
    high = min(low + step, most + 1)
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if fits(middle) else (low, middle)
    return low


class _Lacks:
    """What guests want, have and lack at a moment; each of shape (kinds, guests) in the order of ``CONTENDED``."""

    def __init__(self, site: Site, demand: Asked, at_s: float) -> None:
        figures = LookFigures(Division(solve(site, demand), at_s))
        wanted = np.stack([figures.wanted(of).values for of in CONTENDED])
        self.lacks = np.stack([figures.lacks(of).values for of in CONTENDED])
        self.had = np.stack([figures.met(of).values for of in CONTENDED])
        self.wanted = wanted


class _Counting:
    """The site with so many copies of a guest, all off at first."""

    def __init__(self, site: Site, pattern: Guest, at_s: float, most: int) -> None:
        self._old, self._pattern, self._at_s, self._most = site, pattern, at_s, most
        plan = site.plan
        self._first = len(plan.guests)
        known, base = {item.id for item in (*plan.hosts, *plan.stores, *plan.pools, *plan.guests)}, "one-more"
        while any(one.startswith(base) for one in known):
            base += "-"
        self._ids = [f"{base}-{number}" for number in range(1, most + 1)]
        off: dict[str, Any] = {"power": "off", "name": "", "tags": ()}
        copies = [pattern.model_copy(update=off | {"id": one}) for one in self._ids]
        # One first: what is wrong with it is told once.
        self._site = site_of(add_items(add_items(plan, copies[:1]), copies[1:]), site.traces)
        standing = self._site.standing
        of_guests = standing.of_guests.copy()
        of_guests[:, : self._first] = site.standing.of_guests
        self._base = self._site.standing_as(replace(standing, of_guests=of_guests, volumes=site.standing.volumes))
        self._claims = claims_of(self._base)
        self._known: dict[tuple[int, ...], Site] = {}

    # Who stands where

    def _with(self, counts: tuple[int, ...]) -> Site:
        """Give the site with so many copies on each host."""
        if counts not in self._known:
            plan, of_guests = self._site.plan, self._base.standing.of_guests.copy()
            at = self._first
            for host, count in enumerate(counts):
                here = slice(at, at + count)
                of_guests[r.S_ON, here], of_guests[r.S_HOST, here] = 1, host
                of_guests[r.S_AGENT, here] = self._pattern.agent
                at += count
            host = of_guests[r.S_HOST]
            order = starting_order(plan, np.flatnonzero(of_guests[r.S_ON]).tolist()) if self._pattern.in_bank else []
            volumes = hand_out(plan, order, host.tolist()) if order else self._base.standing.volumes
            disks = disks_of(plan, self._site.hosts, host, volumes)
            standing = replace(self._base.standing, of_guests=of_guests, volumes=volumes, on_hdd=disks)
            self._known[counts] = self._base.standing_as(standing)
        return self._known[counts]

    def _rule(self, host: int) -> str:
        """Say which rule keeps copies from a host."""
        plan, pattern, there = self._old.plan, self._pattern, self._old.plan.hosts[host]
        if not self._old.standing.up[host]:
            return f"{there.label} is down"
        problem = next(iter(guest_problems(pattern, there, "")), None)
        if problem is not None:
            return problem.what
        if pattern.cpu_level is not None and there.cpu_level < pattern.cpu_level:
            return f"the processors of {there.label} are of a lower level than its programs see"
        for rule in plan.placement:
            if isinstance(rule, Stays) and pattern.id in rule.guests and there.id not in rule.hosts:
                return f"{pattern.label} may not be on {there.label}"
        return ""

    # By promises

    def _refused(self, counts: tuple[int, ...]) -> Refusal | None:
        """Tell why so many cannot be on: all but the last have booted."""
        number = sum(counts)
        site = self._with(counts)
        booting = [self._ids[number - 1]] if number else []
        return refusal_between(self._claims, claims_of(site, booting=booting), self._ids[:number])

    # By need

    @cached_property
    def _moments(self) -> Sequence[float]:
        day_s = self._site.plan.day_s
        times = ((np.arange(SAMPLES) + 0.5) * (day_s / SAMPLES)).tolist()
        # The moment at which most is wanted is looked at first: what does not fit there need not be tried elsewhere.
        by_want = sorted(times, key=lambda at_s: -float(demand_at(self._base, at_s).values[0].sum()))
        return [self._at_s, *by_want]

    @cached_property
    def _demands(self) -> Sequence[Asked]:
        return [demand_at(self._base, at_s) for at_s in self._moments]

    @cached_property
    def _without(self) -> Sequence[_Lacks]:
        return [_Lacks(self._base, demand, at_s) for demand, at_s in zip(self._demands, self._moments, strict=True)]

    def _lacking(self, counts: tuple[int, ...], moments: int) -> Lacking | None:
        """Tell what is missing at the first of so many moments at which something is."""
        site = self._with(counts)
        first, last = self._first, self._first + sum(counts)
        for at, demand in enumerate(self._demands[:moments]):
            after, before = _Lacks(site, demand, self._moments[at]), self._without[at]
            others = after.lacks[:, :first] - before.lacks[:, :first]
            pays, mine = falls_short(others, after.wanted[:, :first]), slice(first, last)
            if pays.any() or falls_short(after.lacks[:, mine], after.wanted[:, mine]).any():
                lost = np.where(pays, before.had[:, :first] - after.had[:, :first], 0.0)
                return self._told(after, lost, mine, self._moments[at])
        return None

    def _told(self, after: _Lacks, lost: Floats, mine: slice, at_s: float) -> Lacking:
        payers = [
            Shift(self._site.plan.guests[i].id, CONTENDED[k], float(lost[k, i]))
            for k, i in np.argwhere(lost > 0).tolist()
        ]
        scale = dict(zip(CONTENDED, after.had.sum(axis=1).tolist(), strict=True))
        payers.sort(key=lambda payer: -payer.amount / max(scale[payer.resource], 1.0))
        amounts = dict(zip(CONTENDED, after.lacks[:, mine].sum(axis=1).tolist(), strict=True))
        return Lacking(at_s, amounts, tuple(payers[:_MOST_PAYERS]))

    # Both

    def count(self) -> Room:
        """Count on each host, and on all together."""
        hosts = len(self._old.plan.hosts)
        rules = [self._rule(host) for host in range(hosts)]
        found = []
        for host in range(hosts):
            found.append(self._of_host(host, rules[host], hosts))
        totals = []
        for limit, fits in zip(
            ("paper", "now", "worst"),
            (
                lambda counts: self._refused(counts) is None,
                lambda counts: self._lacking(counts, 1) is None,
                lambda counts: self._lacking(counts, len(self._moments)) is None,
            ),
            strict=True,
        ):
            totals.append(self._total([getattr(one, limit) for one in found], fits))
        return Room(self._pattern, self._at_s, tuple(found), *totals)

    def _of_host(self, host: int, rule: str, hosts: int) -> HostRoom:
        name = self._old.plan.hosts[host].id
        if rule:
            return HostRoom(name, 0, None, rule, 0, None, 0, None)

        def counts(number: int) -> tuple[int, ...]:
            return tuple(number if at == host else 0 for at in range(hosts))

        every = len(self._moments)
        paper = _largest(lambda number: self._refused(counts(number)) is None, self._most)
        now = _largest(lambda number: self._lacking(counts(number), 1) is None, self._most)
        worst = _largest(lambda number: self._lacking(counts(number), every) is None, now)
        refusal = self._refused(counts(paper + 1)) if paper < self._most else None
        lacks_now = self._lacking(counts(now + 1), 1) if now < self._most else None
        lacks_worst = self._lacking(counts(worst + 1), every) if worst < self._most else None
        return HostRoom(name, paper, refusal, "", now, lacks_now, worst, lacks_worst)

    def _total(self, alone: Sequence[int], fits: Callable[[tuple[int, ...]], bool]) -> int:
        """Fill host after host, each up to what it takes by itself."""
        counts = [0] * len(alone)
        for host, most in enumerate(alone):
            most = min(most, self._most - sum(counts))
            before = tuple(counts)

            def fitting(number: int, host: int = host, before: tuple[int, ...] = before) -> bool:
                return fits((*before[:host], number, *before[host + 1 :]))

            counts[host] = most if most and fitting(most) else _largest(fitting, most)
        return sum(counts)


def typed_pattern(
    plan: Plan, *, vcpus: int, memory_mib: float, cpu_mhz: float | None = None, working_mib: float | None = None,
    mode: str = "thin", pool: str | None = None,
) -> Guest:  # fmt: skip
    """Give a guest to count by that the plan does not have.

    Parameters
    ----------
    plan
        Where it would go.
    vcpus, memory_mib
        Its vCPUs and its size, elastic: its ceiling.
    cpu_mhz, working_mib
        What its work wants, all day; half of what it could have if left out.
    mode
        ``thin``, ``fixed`` or ``elastic``; elastic grows from its working set.
    pool
        Where it would be, None: beside the pools.

    Raises
    ------
    EditError
        The values make no guest.
    """
    mhz = min((host.mhz for host in plan.hosts), default=0.0)
    working = memory_mib / 2 if working_mib is None else working_mib
    memory: dict[str, Any] = {"mode": mode, "size": memory_mib}
    if mode == "elastic":
        memory = {"mode": mode, "floor": working, "boot": working, "ceiling": memory_mib}
    work = {"cpu": vcpus * mhz / 2 if cpu_mhz is None else cpu_mhz, "working": working, "touched": working}
    try:
        return Guest.model_validate(
            {"id": "one-more", "pool": pool, "vcpus": vcpus, "demand": work, "memory": memory, "boot_s": 0}
        )
    except ValidationError as error:
        raise EditError("; ".join(f"{'.'.join(map(str, e['loc']))}: {e['msg']}" for e in error.errors())) from error
