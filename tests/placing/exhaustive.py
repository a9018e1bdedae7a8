"""Small random sites, and the best of all placements of their guests, found by trying each."""

from __future__ import annotations

import itertools
import random
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvex.placing import DayLack, obstacle_to, with_hosts
from ruvex.plan import Plan
from ruvex.site import Site, live_move_problem, site_of

Ints = NDArray[np.int64]


def random_plan(seed: int, hosts: int, guests: int) -> Plan:
    """Give a site that is short at some times of the day and in some places, and could do better."""
    chance = random.Random(seed)
    listed: list[dict[str, Any]] = []
    for i in range(guests):
        vcpus = chance.choice([1, 2, 3, 4, 6])
        size = chance.choice([1700, 2600, 4100, 6300])
        peak = chance.uniform(0.3, 1.0) * vcpus * 2100
        cpu: Any = round(peak) if chance.random() < 0.4 else {
            "kind": "daily", "low": round(peak * 0.2), "high": round(peak),
            "peak_at": chance.randrange(2, 22) * 3600, "width_h": 4}  # fmt: skip
        working = round(size * chance.uniform(0.2, 0.9))
        memory: dict[str, Any] = {"mode": "thin", "size": size}
        if chance.random() < 0.3:
            memory["reservation"] = round(working * chance.uniform(0.1, 0.6))
        listed.append({
            "id": f"g{i}", "host": f"h{min(chance.randrange(hosts + 1), hosts - 1)}", "vcpus": vcpus, "memory": memory,
            "pool": chance.choice([None, "p0", "p1"]), "cpu": {"shares": chance.choice([60, 100, 100, 190])},
            "demand": {"cpu": cpu, "working": working, "touched": working},
        })  # fmt: skip
    machines = [
        {"id": f"h{i}", "sockets": 1, "cores_per_socket": chance.choice([2, 3, 4]), "threads_per_core": 1, "mhz": 2100,
         "memory_mib": chance.choice([7000, 11000, 16000]), "spill_mib": 90000}
        for i in range(hosts)
    ]  # fmt: skip
    rules: list[dict[str, Any]] = []
    if guests > 3 and chance.random() < 0.3:
        rules.append({"kind": "apart", "guests": ["g0", "g1"]})
        listed[0]["host"], listed[1]["host"] = "h0", "h1"
    if guests > 3 and chance.random() < 0.2:
        rules.append({"kind": "stays", "guests": ["g2"], "hosts": [listed[2]["host"]]})
    return Plan.model_validate(
        {"hosts": machines, "pools": [{"id": "p0"}, {"id": "p1", "cpu": {"shares": 170}}], "guests": listed,
         "placement": rules}
    )  # fmt: skip


def is_allowed(site: Site, host: Ints) -> bool:
    """Tell whether rules and promises let everybody be where a placement has them."""
    plan, start = site.plan, site.standing.host.tolist()
    moved = [i for i in range(len(plan.guests)) if host[i] != start[i]]
    on = [True] * len(plan.guests)
    if any(live_move_problem(plan, i, start[i], int(host[i]), host.tolist(), on) for i in moved):
        return False
    by_host: dict[int, list[str]] = {}
    for i in moved:
        by_host.setdefault(int(host[i]), []).append(plan.guests[i].id)
    for to, names in by_host.items():
        others = [(plan.guests[i].id, plan.hosts[int(host[i])].id) for i in moved if int(host[i]) != to]
        if obstacle_to(site.with_plan(with_hosts(plan, others)), names, plan.hosts[to].id) is not None:
            return False
    return True


def best_of_all(site: Site, day: DayLack) -> tuple[float, int]:
    """Give the most that can be gained, guest-hours, and the fewest moves that gain it."""
    start = site.standing.host.copy()
    first = day.of(start)
    total, worst = float(first.sum()), float(first.sum(axis=0).max())
    found: list[tuple[float, int, Ints]] = []
    for placement in itertools.product(range(len(site.plan.hosts)), repeat=len(start)):
        host = np.array(placement, dtype=np.int64)
        lack = day.of(host)
        if float(lack.sum(axis=0).max()) <= worst + 1e-9:
            found.append((total - float(lack.sum()), int(np.count_nonzero(host != start)), host))
    found.sort(key=lambda one: (-round(one[0], 6), one[1]))
    return next(((gain, moves) for gain, moves, host in found if is_allowed(site, host)), (0.0, 0))


def small_site(seed: int, hosts: int, guests: int) -> Site:
    """Give such a site."""
    return site_of(random_plan(seed, hosts, guests), {})
