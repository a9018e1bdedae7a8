"""The division once more, written straight from the model's text: recursive, by bisection, without NumPy."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from ruvex.plan import ElasticMemory, FixedMemory, Guest, Host, Plan, Pool, ThinMemory

Place = tuple[str, str]
"""What is divided (``cpu``, ``memory`` or ``bank``) and the host's id; ``*`` for all hosts as one machine."""


@dataclass
class Ask:
    """What one member asks for."""

    floor: float
    knee: float
    use: float
    cap: float
    keep: float
    own: float
    weight: float


@dataclass
class Settings:
    """Reservation, limit and weight of a pool in a place."""

    reservation: float
    limit: float
    weight: float


def _kept(method: Callable[..., Any]) -> Callable[..., Any]:
    """Keep the answers of a method by what was asked."""
    known: dict[Any, Any] = {}

    def asked(*args: Any, **more: Any) -> Any:
        key = (*(getattr(a, "id", a) for a in args), *more.items())
        if key not in known:
            known[key] = method(*args, **more)
        return known[key]

    return asked


def demand_of(guest: Guest, key: str) -> float:
    """Give a demand that is a plain number."""
    value = getattr(guest.demand, key)
    assert isinstance(value, float)
    return value


def working_of(g: Guest) -> float:
    """Give the working set, of greedy work where it comes to rest."""
    working, memory, leaves = demand_of(g, "working"), g.memory, g.demand.leaves_percent / 100
    if not g.demand.greedy:
        return working
    size = memory.size
    if isinstance(memory, ElasticMemory) and (1 - leaves) * (1 + memory.headroom_percent / 100) > 1:
        size = memory.ceiling
    return max(working, (1 - leaves) * size)


def touched_of(g: Guest) -> float:
    """Give the pages a thin guest has touched by the moment."""
    return min(max(working_of(g), demand_of(g, "touched")), g.memory.size) if g.memory.mode == "thin" else 0.0


class SlowDivision:
    """Divides a plan whose demands are plain numbers; ``given`` by resource, place and id."""

    def __init__(self, plan: Plan) -> None:
        self.plan = plan
        self.on = [g for g in plan.guests if g.is_powered and (not plan.hosts or self.host(g).up)]
        self.shared = {g.id: self.shared_by(g) for g in self.on}
        self.given: dict[tuple[Place, str], float] = {}
        self.asks: dict[tuple[Place, str], Ask] = {}
        self.broken: set[tuple[Place, str | None]] = set()
        self.pace: dict[str, float] = {}
        self.as_one: dict[tuple[str, str], float] = {}
        self.is_as_one = False
        # What is asked again and again is kept: it does not change while places are divided.
        self.asked = {name: getattr(self, name) for name in ("members", "below", "host", "place", "whole")}
        self.asked_anew = {name: getattr(self, name) for name in ("ask", "here")}
        self.keep(self.asked)
        for resource in ("memory", "cpu"):
            self.divide(resource)
            if resource == "memory":
                self.pace = {
                    g.id: SlowLayers(plan, g, self.of(g.id, "memory"), self.shared[g.id]).pace for g in self.on
                }

    def keep(self, methods: dict[str, Callable[..., Any]]) -> None:
        """Let methods keep their answers from now on."""
        for name, method in methods.items():
            setattr(self, name, _kept(method))

    # Who is where

    def host(self, g: Guest) -> Host:
        """Give the host a guest is on."""
        host = self.plan.host_of(g)
        assert host is not None
        return host

    def place(self, g: Guest, resource: str, *, one: bool = False) -> Place:
        """Give the place a guest's CPU or memory comes from."""
        if not self.plan.hosts:
            return (resource, "*" if one else "")
        if resource == "memory" and g.in_bank:
            return ("bank", self.host(g).id)
        return (resource, "*" if one else self.host(g).id)

    def members(self, pool: str | None, place: Place, resource: str) -> list[Pool | Guest]:
        """Give the members of a pool, or of the root, as far as they live in a place."""
        one = place[1] == "*"
        pools = [p for p in self.plan.pools if p.parent == pool and self.below(p.id, place, resource)]
        here = [g for g in self.on if g.pool == pool and self.place(g, resource, one=one) == place]
        return [*pools, *here]

    def below(self, pool: str, place: Place | None, resource: str) -> list[Guest]:
        """Give the guests that are on under a pool, in a place or anywhere."""
        inside = {pool}
        grew = True
        while grew:
            more = {p.id for p in self.plan.pools if p.parent in inside} - inside
            inside |= more
            grew = bool(more)
        one = place is not None and place[1] == "*"
        return [
            g for g in self.on
            if g.pool in inside and (place is None or self.place(g, resource, one=one) == place)
        ]  # fmt: skip

    # Section 6, shared pages

    def common(self, g: Guest) -> float:
        """Give how much of its image's common pages a guest has touched."""
        return min(touched_of(g), self.plan.rules.page_sharing.get(g.image, 0.0)) if g.memory.mode == "thin" else 0.0

    def alike(self, g: Guest) -> list[Guest]:
        """Give the guests of the same image on the same host that have common pages."""
        return [h for h in self.on if h.image == g.image and self.common(h) > 0 and self.host(h) is self.host(g)]

    def shared_by(self, g: Guest) -> float:
        """Give what a guest leaves to the host's one copy; alone it shares with nobody."""
        return self.common(g) if g.image and self.plan.hosts and len(self.alike(g)) > 1 else 0.0

    # Section 1

    def supply(self, place: Place) -> float:
        """Give the supply of a place."""
        kind, name = place
        if name == "*":
            return sum(self.supply((kind, host.id)) for host in self.plan.hosts)
        if not self.plan.hosts:
            return 0.0
        host = self.plan.hosts[self.plan.host_index[name]]
        if not host.up:
            return 0.0
        mine, over = [g for g in self.on if self.host(g) is host], self.plan.rules.guest_overhead
        bank = host.bank.size_mib if host.bank is not None else 0.0
        if kind == "bank":
            return bank
        if kind == "memory":
            cost = sum(
                over.fixed_mib + over.per_vcpu_mib * g.vcpus + over.percent_of_size / 100 * g.memory.size for g in mine
            )
            copies = {g.image: max(self.shared_by(h) for h in self.alike(g)) for g in mine if self.shared_by(g) > 0}
            return max(0.0, max(0.0, host.memory_mib - host.overhead_mib) - bank - cost - sum(copies.values()))
        n = sum(min(g.vcpus, max(0, math.ceil(self.cpu_ask(g).cap / host.mhz - 1e-9))) for g in mine)
        second = min(host.cores * (host.threads_per_core - 1), max(0, n - host.cores))
        return max(0.0, host.mhz * (host.cores + host.smt_yield * second) - host.overhead_mhz)

    def kept(self, place: Place) -> float:
        """Give what a place keeps free (section 4)."""
        kind, name = place
        if kind != "memory":
            return 0.0
        if name == "*":
            return sum(self.kept((kind, host.id)) for host in self.plan.hosts)
        rule = self.plan.rules.pressure
        return min(rule.kept_percent / 100 * self.supply(place), rule.kept_most_mib)

    # Section 2

    def cpu_wanted(self, g: Guest) -> float:
        """Give what a guest wants of CPU; batch work more where it waits for pages."""
        demand = demand_of(g, "cpu") / (self.pace[g.id] if g.demand.kind == "batch" else 1.0)
        return min(demand, g.vcpus * self.host(g).mhz) if self.plan.hosts else demand

    def cpu_ask(self, g: Guest) -> Ask:
        """Give what a guest asks for of CPU."""
        weight = g.cpu.shares * (g.vcpus if self.plan.rules.shares_count == "per-size" else 1)
        cap = min(self.cpu_wanted(g), g.cpu.limit or math.inf)
        floor = min(g.cpu.reservation, cap)
        if g.dedicated_cores and self.plan.hosts:
            cap = floor = g.vcpus * self.host(g).mhz
        return Ask(floor, cap, cap, cap, cap, floor, weight)

    def memory_ask(self, g: Guest) -> Ask:
        """Give what a guest asks for of memory."""
        working, m = working_of(g), g.memory
        weight = m.shares * (m.size / 1024 if self.plan.rules.shares_count == "per-size" else 1)
        if isinstance(m, ElasticMemory) and g.agent:
            cap = min(max(working * (1 + m.headroom_percent / 100), m.floor), m.ceiling)
            use = min(max(working, m.floor), cap)
            return Ask(m.floor, use, use, cap, max(m.floor, use), m.floor, weight)
        if isinstance(m, ElasticMemory | FixedMemory):
            return Ask(m.size, m.size, m.size, m.size, m.size, m.size, weight)
        assert isinstance(m, ThinMemory)
        cap = max(m.reservation, min(touched_of(g) - self.shared[g.id], m.limit or math.inf))
        knee = min(working, cap)
        return Ask(m.reservation, knee, cap, cap, max(m.reservation, knee), m.reservation, weight)

    # Section 3

    def whole(self, pool: Pool, resource: str) -> Settings:
        """Give a pool's settings as they are."""
        settings: Any = pool.of(resource)
        weight = settings.shares
        if pool.weighs == "by-members":
            below = self.below(pool.id, None, resource)
            if self.plan.rules.shares_count == "per-size":
                weight *= sum(g.vcpus if resource == "cpu" else g.memory.size / 1024 for g in below)
            else:
                weight *= len(below)
        return Settings(settings.reservation, settings.limit or math.inf, weight)

    def here(self, pool: Pool, place: Place, resource: str) -> Settings:
        """Give a pool's settings in a place: as they are, or its part of them."""
        whole = self.whole(pool, resource)
        places = sorted({self.place(g, resource) for g in self.below(pool.id, None, resource)})
        if self.is_as_one or len(places) == 1:
            return whole
        x, floor, cap, count = {}, {}, {}, {}
        for p in places:
            asks = [self.ask(member, p, resource) for member in self.members(pool.id, p, resource)]
            below = self.below(pool.id, p, resource)
            x[p] = sum(self.as_one[resource, g.id] for g in below)
            floor[p], cap[p], count[p] = sum(a.floor for a in asks), sum(a.cap for a in asks), len(below)

        def part(of: dict[Place, float]) -> float:
            for by in (of, cap, count):
                if sum(by.values()) > 0:
                    return by[place] / sum(by.values())
            raise AssertionError("a place without guests")

        more = max(0.0, whole.reservation - sum(floor.values()))
        reservation = floor[place] + more * part({p: max(0.0, x[p] - floor[p]) for p in places})
        limit = math.inf
        if whole.limit < math.inf:
            floors = sum(floor[p] for p in places)
            least = {p: max(x[p], floor[p]) for p in places}
            more = whole.limit - sum(least.values())
            if floors > whole.limit:
                limit = floor[place] * whole.limit / floors
            elif more >= 0:
                limit = least[place] + more * part({p: max(0.0, cap[p] - least[p]) for p in places})
            else:
                above = sum(least[p] - floor[p] for p in places)
                limit = max(floor[place], least[place] + (more * (least[place] - floor[place]) / above if above else 0))
        return Settings(reservation, limit, whole.weight * max(part(x), 1e-9))

    def ask(self, item: Pool | Guest, place: Place, resource: str) -> Ask:
        """Give what a member asks for in a place."""
        if isinstance(item, Guest):
            return self.cpu_ask(item) if resource == "cpu" else self.memory_ask(item)
        settings = self.here(item, place, resource)
        asks = [self.ask(member, place, resource) for member in self.members(item.id, place, resource)]
        cap = min(settings.limit, sum(a.cap for a in asks))
        use = min(settings.limit, sum(a.use for a in asks))
        floor = min(cap, max(settings.reservation, sum(a.floor for a in asks)))
        knee = min(use, sum(a.knee for a in asks))
        use = max(use, floor)
        keep = min(use, max(floor, sum(a.keep for a in asks)))
        return Ask(floor, knee, use, cap, keep, min(floor, sum(a.own for a in asks)), settings.weight)

    # Section 4

    def divide(self, resource: str) -> None:
        """Divide a resource as one machine, then in every place."""
        broken, self.is_as_one = set(self.broken), True
        self.keep(self.asked_anew)
        for place in sorted({self.place(g, resource, one=True) for g in self.on}):
            self.divide_root(place, resource)
        for g in self.on:
            x = self.given[self.place(g, resource, one=True), g.id]
            # Where there is nothing to divide, halving ends a little above 0.
            self.as_one[resource, g.id] = x if x > 1e-12 else 0.0
        # As one, a bank that holds part of a pool asks for all of it; as it is, only for its part.
        self.is_as_one = False
        self.broken = broken | {(place, pool) for place, pool in self.broken if place[1] == "*"}
        self.keep(self.asked_anew)
        for place in sorted({self.place(g, resource) for g in self.on}):
            self.divide_root(place, resource)

    def divide_root(self, place: Place, resource: str) -> None:
        """Divide what a place has, less what it keeps free out of headroom and idle pages."""
        supply = self.supply(place)
        keep = sum(self.ask(member, place, resource).keep for member in self.members(None, place, resource))
        self.divide_node(None, min(max(supply - self.kept(place), min(supply, keep)), supply), place, resource)

    def divide_node(self, pool: str | None, amount: float, place: Place, resource: str) -> None:
        """Divide an amount among the members of a node."""
        members = self.members(pool, place, resource)
        asks = [self.ask(member, place, resource) for member in members]
        rules = self.plan.rules
        idle = rules.idle_counts_as if resource == "memory" else 1.0
        floors, owns = sum(a.floor for a in asks), sum(a.own for a in asks)
        if floors > amount + 1e-9 * max(amount, 1.0):
            self.broken.add((place, pool))
            if owns <= amount:
                theta = (amount - owns) / (floors - owns)
                gains = [a.own + theta * (a.floor - a.own) for a in asks]
            else:
                gains = [amount * a.own / owns for a in asks]
        else:
            gains = two_tiers(asks, amount, idle, on_top=rules.reservation_rule == "on-top")
        for member, ask, gain in zip(members, asks, gains, strict=True):
            self.given[place, member.id], self.asks[place, member.id] = gain, ask
            if isinstance(member, Pool):
                self.divide_node(member.id, gain, place, resource)

    # What came of it

    def of(self, item: str, resource: str) -> float:
        """Give what a guest or pool gets of a resource in all of its places together."""
        kinds = ("cpu",) if resource == "cpu" else ("memory", "bank")
        return sum(v for (place, i), v in self.given.items() if i == item and place[0] in kinds and place[1] != "*")


def two_tiers(asks: Sequence[Ask], amount: float, idle: float, *, on_top: bool) -> list[float]:
    """Give each ask its part of an amount that covers the floors."""

    def bend(y: float, knee: float) -> float:
        return knee + (y - knee) / idle if y > knee else y

    def used(a: Ask, level: float) -> float:
        y = level * a.weight
        if on_top:
            return a.floor + min(max(bend(y, max(0.0, a.knee - a.floor)), 0.0), a.use - a.floor)
        return min(max(bend(y, a.knee), a.floor), a.use)

    def headroom(a: Ask, level: float) -> float:
        return min(level * a.weight, a.cap - a.use)

    uses = sum(a.use for a in asks)
    gains = share_out(asks, min(amount, uses), used)
    if amount > uses:
        rest = min(amount - uses, sum(a.cap - a.use for a in asks))
        gains = [x + y for x, y in zip(gains, share_out(asks, rest, headroom), strict=True)]
    return gains


def share_out(asks: Sequence[Ask], amount: float, fill: Callable[[Ask, float], float]) -> list[float]:
    """Find the level by bisection."""
    low, high = 0.0, 1.0
    while sum(fill(a, high) for a in asks) < amount and high < 1e30:
        high *= 2
    for _ in range(2000):
        middle = (low + high) / 2
        if middle in (low, high):
            break
        if sum(fill(a, middle) for a in asks) < amount:
            low = middle
        else:
            high = middle
    return [fill(a, high) for a in asks]


class SlowLayers:
    """Where a guest's memory comes to rest when it is delivered some of it, and its pace (section 6)."""

    def __init__(self, plan: Plan, g: Guest, delivered: float, shared: float) -> None:
        rules, host = plan.rules, plan.host_of(g)
        cost = rules.pace_cost.hdd if host is not None and host.spill_kind == "hdd" else rules.pace_cost.ssd
        self.working = working = working_of(g)
        self.balloon = self.squeezed = self.spilled = self.held = 0.0
        self.backed, self.self_paged = delivered, max(0.0, working - delivered)
        lost_squeezed = lost_spilled = 0.0
        if isinstance(g.memory, ElasticMemory):
            self.balloon = max(0.0, g.memory.boot - delivered)
        if isinstance(g.memory, ThinMemory):
            touched = touched_of(g)
            own = touched - shared
            self.held = max(0.0, delivered - own)
            missing = own - (delivered - self.held)
            limit = g.memory.size * rules.balloon_max_percent / 100 if g.agent else 0.0
            idle = max(0.0, own - working)
            # (a) balloon over idle pages, (b) squeezed, (c) balloon into the working set, (d) spilled.
            a = min(missing, limit, idle)
            saved, available = 1 - 1 / rules.squeeze.ratio, delivered - self.held
            if saved > 0:
                room = min(touched * rules.squeeze.max_percent / 100, available * rules.squeeze.ratio, own - a)
                self.squeezed = min((missing - a) / saved, max(0.0, room))
            left = max(0.0, missing - a - self.squeezed * saved)
            c = min(left, limit - a)
            self.balloon, self.spilled = a + c, left - c
            self.backed = max(0.0, available - self.squeezed / rules.squeeze.ratio)
            self.self_paged = min(working, max(0.0, self.balloon - idle) + max(0.0, working - g.memory.size))
            pages = own - self.balloon
            busy, aside = min(working - self.self_paged, pages), self.squeezed + self.spilled
            p = rules.settling_by_use
            hard = max(0.0, aside - (pages - busy))
            hard_spilled = max(0.0, self.spilled - (pages - busy))
            even = (1 - p) * busy / pages if pages > 0 else 0.0
            lost_spilled = p * hard_spilled + even * self.spilled
            lost_squeezed = p * (hard - hard_spilled) + even * self.squeezed
        missing = rules.pace_cost.squeezed * lost_squeezed + cost * (lost_spilled + self.self_paged)
        self.pace = 1 / (1 + missing / working) if working > 0 else 1.0
