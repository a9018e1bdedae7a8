"""The division once more, written straight from the model's text: recursive, by bisection, without NumPy."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from ruvex.plan import ElasticMemory, FixedMemory, Guest, Plan, Pool


@dataclass
class Ask:
    """What one member asks for."""

    floor: float
    knee: float
    use: float
    cap: float
    wanted: float
    weight: float


def demand_of(guest: Guest, key: str) -> float:
    """Give a demand that is a plain number."""
    value = getattr(guest.demand, key)
    assert isinstance(value, float)
    return value


class SlowDivision:
    """Divides one resource of a plan whose demands are plain numbers; results by id in ``delivered``."""

    def __init__(self, plan: Plan, resource: str) -> None:
        self.plan, self.resource = plan, resource
        self.on = [guest for guest in plan.guests if guest.power == "on"]
        self.delivered: dict[str, float] = {}
        self.broken: set[str | None] = set()
        self.asks: dict[str, Ask] = {}
        self.shared = {guest.id: self.shared_by(guest) for guest in self.on}
        self.divide_node(None, self.supply())

    def common(self, g: Guest) -> float:
        """Give how much of its image's common pages a guest has touched (section 6)."""
        if g.memory.mode != "thin":
            return 0.0
        touched = max(demand_of(g, "working"), demand_of(g, "touched"))
        return min(touched, g.memory.size, self.plan.rules.page_sharing.get(g.image, 0.0))

    def alike(self, g: Guest) -> list[Guest]:
        """Give the guests of the same image on the same host that have common pages."""
        plan = self.plan
        return [h for h in self.on if h.image == g.image and plan.host_of(h) is plan.host_of(g) and self.common(h) > 0]

    def shared_by(self, g: Guest) -> float:
        """Give what a guest leaves to the host's one copy; alone it shares with nobody."""
        return self.common(g) if g.image and len(self.alike(g)) > 1 else 0.0

    def supply(self) -> float:
        """Section 1."""
        total, over = 0.0, self.plan.rules.guest_overhead
        for host in self.plan.hosts:
            mine = [g for g in self.on if self.plan.host_of(g) is host]
            if self.resource == "memory":
                taken = sum(
                    over.fixed_mib + over.per_vcpu_mib * g.vcpus + over.percent_of_size / 100 * g.memory.size
                    for g in mine
                )
                copies = {g.image: max(self.shared_by(h) for h in self.alike(g)) for g in mine if self.shared_by(g) > 0}
                total += max(0.0, host.memory_mib - host.overhead_mib - taken - sum(copies.values()))
            else:
                n = sum(min(g.vcpus, math.ceil(self.cpu_cap(g) / host.mhz - 1e-9)) for g in mine)
                second = min(host.cores * (host.threads_per_core - 1), max(0, n - host.cores))
                total += max(0.0, host.mhz * (host.cores + host.smt_yield * second) - host.overhead_mhz)
        return total

    def cpu_cap(self, g: Guest) -> float:
        """Section 2, CPU."""
        host = self.plan.host_of(g)
        speed = g.vcpus * host.mhz if host else math.inf
        return min(demand_of(g, "cpu"), speed, g.cpu.limit or math.inf)

    def guest_ask(self, g: Guest) -> Ask:
        """Section 2."""
        per_size = self.plan.rules.shares_count == "per-size"
        if self.resource == "cpu":
            cap = self.cpu_cap(g)
            host = self.plan.host_of(g)
            wanted = min(demand_of(g, "cpu"), g.vcpus * host.mhz if host else math.inf)
            weight = g.cpu.shares * (g.vcpus if per_size else 1)
            return Ask(min(g.cpu.reservation, cap), cap, cap, cap, wanted, weight)
        working, m = demand_of(g, "working"), g.memory
        touched = max(working, demand_of(g, "touched"))
        weight = m.shares * (m.size / 1024 if per_size else 1)
        if isinstance(m, FixedMemory):
            return Ask(m.size, m.size, m.size, m.size, m.size, weight)
        if isinstance(m, ElasticMemory):
            need = working * (1 + m.headroom_percent / 100)
            if not g.agent:
                return Ask(m.boot, m.boot, m.boot, m.boot, need, weight)
            cap = min(max(need, m.floor), m.ceiling)
            use = min(max(working, m.floor), cap)
            return Ask(m.floor, use, use, cap, need, weight)
        touched = min(touched, m.size) - self.shared[g.id]
        cap = max(m.reservation, min(touched, m.limit or math.inf))
        return Ask(m.reservation, min(working, cap), cap, cap, touched, weight)

    def members(self, pool_id: str | None) -> list[Pool | Guest]:
        """Give the members of a pool, or of the root, that are on."""
        pools = [pool for pool in self.plan.pools if pool.parent == pool_id]
        return [*pools, *(guest for guest in self.on if guest.pool == pool_id)]

    def guests_below(self, pool_id: str) -> list[Guest]:
        """Give the guests that are on under a pool, at any depth."""
        found: list[Guest] = []
        for member in self.members(pool_id):
            found += self.guests_below(member.id) if isinstance(member, Pool) else [member]
        return found

    def ask(self, item: Pool | Guest) -> Ask:
        """Section 3."""
        if isinstance(item, Guest):
            return self.guest_ask(item)
        settings: Any = getattr(item, self.resource)
        asks = [self.ask(member) for member in self.members(item.id)]
        limit = settings.limit or math.inf
        cap = min(limit, sum(a.cap for a in asks))
        use = min(limit, sum(a.use for a in asks))
        floor = min(cap, max(settings.reservation, sum(a.floor for a in asks)))
        knee = min(use, sum(a.knee for a in asks))
        weight = settings.shares
        if item.member_scaled:
            below = self.guests_below(item.id)
            if self.plan.rules.shares_count == "per-size":
                counts = [g.vcpus if self.resource == "cpu" else g.memory.size / 1024 for g in below]
                weight *= sum(counts)
            else:
                weight *= len(below)
        return Ask(floor, knee, max(use, floor), cap, sum(a.wanted for a in asks), weight)

    def divide_node(self, pool_id: str | None, amount: float) -> None:
        """Section 4."""
        members = self.members(pool_id)
        asks = [self.ask(member) for member in members]
        rules = self.plan.rules
        cost = rules.idle_cost if self.resource == "memory" else 1.0
        floors = sum(a.floor for a in asks)
        if floors > amount * (1 + 1e-9):
            self.broken.add(pool_id)
            gains = [amount * a.floor / floors for a in asks]
        else:
            gains = self.two_tiers(asks, amount, cost, on_top=rules.reservation_rule == "on-top")
        for member, ask, gain in zip(members, asks, gains, strict=True):
            self.delivered[member.id], self.asks[member.id] = gain, ask
            if isinstance(member, Pool):
                self.divide_node(member.id, gain)

    def two_tiers(self, asks: list[Ask], amount: float, cost: float, *, on_top: bool) -> list[float]:
        """Give each ask its part of an amount that covers the floors."""

        def bend(y: float, knee: float) -> float:
            return knee + (y - knee) / cost if y > knee else y

        def used(a: Ask, level: float) -> float:
            y = level * a.weight
            if on_top:
                return a.floor + min(max(bend(y, max(0.0, a.knee - a.floor)), 0.0), a.use - a.floor)
            return min(max(bend(y, a.knee), a.floor), a.use)

        def headroom(a: Ask, level: float) -> float:
            return min(level * a.weight, a.cap - a.use)

        uses = sum(a.use for a in asks)
        gains = self.share_out(asks, min(amount, uses), used)
        if amount > uses:
            rest = min(amount - uses, sum(a.cap - a.use for a in asks))
            gains = [x + y for x, y in zip(gains, self.share_out(asks, rest, headroom), strict=True)]
        return gains

    @staticmethod
    def share_out(asks: list[Ask], amount: float, fill: Callable[[Ask, float], float]) -> list[float]:
        """Find the level by bisection."""
        low, high = 0.0, 1.0
        while sum(fill(a, high) for a in asks) < amount and high < 1e15:
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
