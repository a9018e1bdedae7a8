"""What vCPUs on threads cost, beside the same rules in plain Python."""

from __future__ import annotations

import os
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
from tests.cores.slow import Slow

from ruvex.advise import day_waits
from ruvex.cores import parties_of, run_parties
from ruvex.divide import divide
from ruvex.engine import turn_rows as t
from ruvex.plan import Plan, plan_text
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


def bench_paint() -> list[str]:
    """Time painting the view at several zooms, beside a frame."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from ruvex.desktop import make_application, make_window
    from ruvex.desktop.state.preferences import Preferences

    application = make_application()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "bench.ruvex.json"
        path.write_text(plan_text(_host(32, 2, 75, 4, 0.13)), encoding="utf-8")
        window = make_window(preferences=Preferences(Path(folder)), follow_desktop=False)
        window.desk.keep_collections_short()
        window.resize(1280, 800)
        window.show()
        window.open_path(path)
        window.show_view("cores")
        view: Any = window.view
        while view.is_behind or view.pane.strips is None:
            window.desk.background.wait()
            application.processEvents()
        told = []
        for span_s in (2.0, 0.5, 0.1, 0.001):
            taken = []
            for step in range(9):
                view.pane.set_scale(view.pane.scale.at(0.1 + step * 0.01, span_s))
                begun = time.perf_counter()
                # What is to be painted anew below it goes with it.
                view.threads.viewport().repaint()
                taken.append((time.perf_counter() - begun) * 1e3)
            told.append(f"{float(np.median(taken)):.0f} ms with {span_s:g} s across")
        window.close()
    return [f"painting threads and waits, 64 threads, 300 vCPUs (a frame is 16 ms): {', '.join(told)}"]


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
