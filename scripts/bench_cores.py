"""What vCPUs on threads cost, beside the same rules in plain Python."""

from __future__ import annotations

import time
from typing import Any

import numpy as np
from tests.cores.slow import Slow

from ruvex.advise import day_waits
from ruvex.cores import parties_of, run_parties
from ruvex.divide import divide
from ruvex.engine import turn_rows as t
from ruvex.plan import Plan
from ruvex.play import Player
from ruvex.site import site_of

HOW = np.array([12.0, 0.0, 6.0, 100.0, t.OWN, 7.0, 0.0])


def _host(cores: int, width: int, guests: int, vcpus: int, duty: float) -> Plan:
    listed: list[dict[str, Any]] = [
        {"id": f"g{i}", "pool": f"p{i % 6}", "vcpus": vcpus, "memory": {"size": 64},
         "demand": {"cpu": duty * vcpus * 2600, "working": 1, "touched": 1}}
        for i in range(guests)
    ]  # fmt: skip
    host = {"id": "h", "sockets": 1, "cores_per_socket": cores, "threads_per_core": width, "smt_yield": 0.2}
    pools = [{"id": f"p{i}"} for i in range(6)]
    return Plan.model_validate({"hosts": [host], "pools": pools, "guests": listed})


def bench_waits(plan: Plan) -> list[str]:
    """Time the waits by chance of a whole day, beside the play they are of."""
    site = site_of(plan, {})
    begun = time.perf_counter()
    player = Player(site, record_s=300.0)
    player.run()
    played = time.perf_counter() - begun
    day_waits(player)
    begun = time.perf_counter()
    found = day_waits(player)
    took = time.perf_counter() - begun
    most = found.of_guests.max() * 100
    told = f"{len(plan.guests)} guests on {len(plan.hosts)} hosts, {found.rows.size} moments"
    return [f"waits by chance of a day, {told}: {took:.2f} s = {took / played:.2f} × playing it; up to {most:.1f} %"]


def bench_cores() -> list[str]:
    """Time a window of 2 s on 64 threads, and a turn against the slow twin's."""
    lines = []
    for cores, width, guests, vcpus, duty, told in (
        (32, 2, 75, 4, 0.13, "64 threads, 300 vCPUs that ask for 80 % of the cores"),
        (4, 1, 12, 2, 1.0, "4 threads, 24 vCPUs that always want"),
    ):
        parties = parties_of(divide(site_of(_host(cores, width, guests, vcpus, duty), {})), "h")
        run_parties(parties, HOW, for_ms=50.0, seed=1)
        taken, turns = [], 1
        for seed in range(5):
            begun = time.perf_counter()
            turns = run_parties(parties, HOW, for_ms=2000.0, seed=seed).counts[0]
            taken.append(time.perf_counter() - begun)
        lines.append(f"2 s on {told}: {min(taken) * 1e3:.0f} ms, {turns / min(taken) / 1e6:.2f} million turns a second")
    seeds = np.random.default_rng(1).integers(1, 2**63, size=parties.numbers.shape[1]).tolist()
    slow = Slow(parties, seeds, 12.0, 6.0, 100.0)
    begun = time.perf_counter()
    slow.run(400.0)
    of_slow = (time.perf_counter() - begun) / len(slow.turns)
    ratio = of_slow / (min(taken) / turns)
    lines.append(f"a turn of the last one in plain Python: {of_slow * 1e6:.0f} µs = {ratio:.0f} × the kernel's")
    return lines
