"""Measures playing: against processes that only time out, in the window, and the crosshair."""

from __future__ import annotations

import json
import os
import resource
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
import simpy

from ruvex.divide import compile_plan
from ruvex.plan import Plan, plan_from, plan_text
from ruvex.play import Player

DAY_S = 86_400
PART_S = 1800
FRAME_MS = 16.0
KIB_PER_GIB = 2**20


def busy_site(plan: Plan, *, seed: int = 2) -> Plan:
    """Give a site's guests work that changes over the day: smooth curves, steps, bursts, and batch work in twenty."""
    rng = np.random.default_rng(seed)
    document = json.loads(plan_text(plan))
    for guest in document["guests"]:
        demand = guest["demand"]
        cpu, working = demand["cpu"], demand["working"]
        peak, width = round(float(rng.uniform(7, 18)) * 3600), float(rng.uniform(2, 8))
        curve = {"kind": "daily", "peak_at": peak, "width_h": width}
        demand["working"] = curve | {"low": working * 0.4, "high": working}
        demand["touched"] = working * 0.6
        form = int(rng.integers(4))
        if form == 0:
            every, length = float(rng.choice([600, 900, 1800, 3600])), float(rng.choice([120, 300]))
            demand["cpu"] = {"kind": "bursts", "base": cpu * 0.3, "high": cpu, "every_s": every, "for_s": length}
        elif form == 1:
            start, end = float(rng.integers(360, 600)) * 60, float(rng.integers(16, 20)) * 3600
            demand["cpu"] = {"kind": "steps", "at": [[0, cpu * 0.2], [start, cpu], [end, cpu * 0.4]]}
        else:
            demand["cpu"] = curve | {"low": cpu * 0.2, "high": cpu}
        if rng.random() < 0.05:
            demand["kind"] = "batch"
    count = len(document["guests"])
    cores, memory = int(count * 0.46), 2350 * count
    document["hosts"][0] |= {"sockets": 1, "cores_per_socket": cores, "memory_mib": memory}
    return plan_from(document)


def _time_outs_s(processes: int, until_s: int) -> float:
    """Time processes that do nothing but wait a second, over and over."""

    def wait(environment: simpy.Environment) -> Any:
        while True:
            yield environment.timeout(1)

    environment = simpy.Environment()
    for _ in range(processes):
        environment.process(wait(environment))
    begin = time.perf_counter()
    environment.run(until=until_s)
    return time.perf_counter() - begin


def bench_play(site: Plan) -> list[str]:
    """Play a day of 1 000 guests against 1 000 bare processes, run before and after in the same call."""
    compiled = compile_plan(busy_site(site), {})
    before = _time_outs_s(len(site.guests), PART_S)
    begin = time.perf_counter()
    player = Player(compiled)
    player.run()
    ours = time.perf_counter() - begin
    after = _time_outs_s(len(site.guests), PART_S)
    theirs = min(before, after) * DAY_S / PART_S
    assert player.tick == DAY_S and player.recording.rows == DAY_S // 10 + 1
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / KIB_PER_GIB
    pressure = player.summary().places[0].pressure_s
    told = ", ".join(f"{word} {seconds / 3600:.1f} h" for word, seconds in pressure.items())
    return [
        f"a day of 1 000 guests at 1-s ticks, all channels every 10 s: {ours:.1f} s = {theirs / ours:.0f} × faster than"
        f" 1 000 processes that time out once a second ({theirs:.0f} s, measured over {PART_S} s of it);"
        f" peak memory {peak:.2f} GiB ({told})   [at least 20 ×, aim 30; under 1.5 GiB]"
    ]


def bench_timeline(small: Plan, large: Plan) -> list[str]:
    """Play a day in the window, and move the crosshair over one."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtCore import QPoint
    from PyQt6.QtTest import QTest

    from ruvex.desktop import make_application, make_window
    from ruvex.desktop.actions import ActionName
    from ruvex.desktop.state import State

    application = make_application()
    lines = []
    for plan, scrubs in ((small, False), (large, True)):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "bench.ruvex.json"
            path.write_text(plan_text(busy_site(plan)), encoding="utf-8")
            window = make_window(state=State(Path(folder)), follow_desktop=False)
            window.resize(1280, 800)
            window.show()
            window.open_path(path)
            window.open_plan.background.wait()
            application.processEvents()
            lanes, playing = window.timeline.lanes, window.playing
            shown: list[float] = []
            begin = time.perf_counter()
            playing.advanced.connect(lambda b=begin, s=shown: s.append(time.perf_counter() - b))
            window.actions_by_name[ActionName.TIMELINE].trigger()
            longest = last = 0.0
            while not playing.is_over:
                QTest.qWait(4)
                now = time.perf_counter() - begin
                longest, last = max(longest, now - last), now
                if len(shown) == 1:
                    lanes.viewport().repaint()
                    shown.append(time.perf_counter() - begin)
            whole = time.perf_counter() - begin
            compiled = window.open_plan.compiled
            start = time.perf_counter()
            Player(compiled).run()
            alone = time.perf_counter() - start
            if not scrubs:
                lines.append(
                    f"a day of {len(plan.guests)} guests in the window: {whole:.1f} s = {whole / alone:.2f} × the same"
                    f" without one, first lanes after {shown[1] * 1e3:.0f} ms, the window is held for at most"
                    f" {longest * 1e3:.0f} ms   [under 4 s; 300 ms]"
                )
            else:
                for _ in range(20):
                    QTest.qWait(10)
                times = []
                left, right = lanes.scale.left, lanes.scale.right
                for step in range(300):
                    point = QPoint(left + 2 + (step * 7) % (right - left - 4), 200)
                    start = time.perf_counter()
                    QTest.mouseMove(lanes.viewport(), point)
                    application.processEvents()
                    times.append((time.perf_counter() - start) * 1e3)
                p95 = float(np.percentile(times, 95))
                lines.append(
                    f"crosshair over a day of {len(plan.guests)} guests: 95th percentile {p95:.1f} ms ="
                    f" {p95 / FRAME_MS:.2f} of 16 ms, median {float(np.median(times)):.1f} ms   [under 16 ms]"
                )
            window.close()
            application.processEvents()
    return lines
