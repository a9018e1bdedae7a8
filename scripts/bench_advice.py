"""What advice costs: findings, room, losses, better places and random days, each beside playing the day it is of."""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path

from ruvex.advise import findings_of, room_for
from ruvex.advise.many import here, play_days
from ruvex.divide import divide
from ruvex.placing import DayLack, Losses, better_places
from ruvex.plan import Plan, read_plan
from ruvex.play import Player
from ruvex.site import site_of

DEMO = Path(__file__).resolve().parents[1] / "demo" / "orrin-sound.ruvex.json"


def crowded(guests: int, hosts: int) -> Plan:
    """Give a site whose first hosts are full while others have room, with peaks at five times of the day."""
    chance = random.Random(3)
    machines = [
        {"id": f"h{i}", "sockets": 2, "cores_per_socket": 12, "mhz": 2600, "memory_mib": 196_608, "spill_mib": 600_000}
        for i in range(hosts)
    ]
    listed = [
        {
            "id": f"g{i}", "pool": f"p{i % 12}", "host": f"h{min(int(chance.random() ** 1.4 * hosts), hosts - 1)}",
            "vcpus": chance.choice([1, 2, 4]), "memory": {"mode": "thin", "size": 4096 * chance.choice([1, 1.5, 2])},
            "demand": {
                "cpu": {"kind": "daily", "low": 300, "high": chance.uniform(1000, 3600),
                        "peak_at": chance.choice([8, 9, 10, 14, 20]) * 3600, "width_h": 4},
                "working": chance.uniform(500, 3000), "touched": 4000,
            },
        }
        for i in range(guests)
    ]  # fmt: skip
    return Plan.model_validate({"hosts": machines, "pools": [{"id": f"p{i}"} for i in range(12)], "guests": listed})


def _seconds(work: Callable[[], object], repeats: int = 3) -> float:
    taken = []
    for _ in range(repeats):
        begun = time.perf_counter()
        work()
        taken.append(time.perf_counter() - begun)
    return min(taken)


def bench_findings() -> list[str]:
    """Time what is worth a look in the demo and in a large site, beside playing their days."""
    file = read_plan(DEMO)
    lines = []
    for name, site, bound in (
        ("the demo", site_of(file.plan, file.traces), "300 ms"),
        ("1 000 guests on 30 hosts", site_of(crowded(1000, 30), {}), "3 s"),
    ):
        record_s = 10.0 if len(site.plan.guests) < 200 else 50.0
        day = Player(site, record_s=record_s)
        day.run()

        def play(site: object = site, record_s: float = record_s) -> None:
            player = Player(site, record_s=record_s)  # type: ignore[arg-type]
            player.run()

        division = divide(site)
        played, found = _seconds(play), _seconds(partial(findings_of, division, day))
        count = len(findings_of(division, day))
        lines.append(f"findings of {name}: {found:.2f} s = {found / played:.2f} × playing its day; {count}   [{bound}]")
    return lines


def bench_room() -> list[str]:
    """Time how many more fit and what losses come to at 100 guests, and better places for 1 000 on 30 hosts."""
    site = site_of(crowded(100, 4), {})
    pattern = site.plan.guests[0]
    one = _seconds(lambda: DayLack(site).of(site.standing.host))
    room = _seconds(lambda: room_for(site, pattern))

    def lose() -> None:
        losses = Losses(site)
        for host in site.plan.hosts:
            losses.of(host.id)

    lost = _seconds(lose)
    large = site_of(crowded(1000, 30), {})
    of_large = _seconds(lambda: DayLack(large).of(large.standing.host))
    places = _seconds(lambda: better_places(large), repeats=1)
    found = better_places(large)
    told = f"{found.before:.0f} guest-hours lacking become {found.after:.0f} by {len(found.moves)} moves"
    return [
        f"how many more, 100 guests on 4 hosts: {room:.2f} s = {room / one:.0f} × what they lack over a day   [0.5 s]",
        f"without each of 4 hosts, 100 guests: {lost:.2f} s = {lost / one:.0f} × the same   [0.5 s]",
        f"better places, 1 000 guests on 30 hosts: {places:.1f} s = {places / of_large:.0f} × what they lack over the"
        f" day; {told}   [10 s]",
    ]


def bench_days() -> list[str]:
    """Time 500 random days of the demo, on one core and on two."""
    file = read_plan(DEMO)
    taken = {}
    for workers in (1, 2):
        runner = partial(here, workers=workers)
        taken[workers] = _seconds(partial(play_days, file.plan, file.traces, 500, runner), repeats=1)
    return [
        f"500 random days of 39 guests: {taken[1]:.1f} s on one core, {taken[2]:.1f} s on two,"
        f" {taken[1] / taken[2]:.2f} × faster   [45 s; 1.7 ×]"
    ]
