"""Measures playing: against processes that only time out, in the window, and the crosshair."""

from __future__ import annotations

import gc
import json
import math
import os
import resource
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
import simpy

from ruvex.cores import prepare
from ruvex.engine import rows as r
from ruvex.plan import Plan, plan_from, plan_text
from ruvex.play import Player
from ruvex.site import site_of

DAY_S = 86_400
PART_S = 1800
FRAME_MS = 16.0
KIB_PER_GIB = 2**20
MOST_CORES = 1024


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
            every, length = float(rng.choice([307, 613, 907, 1811])), float(rng.choice([83, 130, 211]))
            demand["cpu"] = {"kind": "bursts", "base": cpu * 0.3, "high": cpu, "every_s": every, "for_s": length}
        elif form == 1:
            start, end = float(rng.integers(360, 600)) * 60, float(rng.integers(16, 20)) * 3600
            demand["cpu"] = {"kind": "steps", "at": [[0, cpu * 0.2], [start, cpu], [end, cpu * 0.4]]}
        else:
            demand["cpu"] = curve | {"low": cpu * 0.2, "high": cpu}
        if rng.random() < 0.05:
            demand["kind"] = "batch"
    # A busy site is tighter in memory, and has processors for the peaks of some but not of all.
    count = len(document["guests"])
    cores = int(count * 0.46)
    sockets = -(-cores // MOST_CORES)
    document["hosts"][0] |= {"sockets": sockets, "cores_per_socket": cores // sockets, "memory_mib": 2350 * count}
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


def _played(plan: Plan, *, record_s: float | None = None) -> tuple[Player, float]:
    """Play a day, its site made before; gives the player and how long it took, s."""
    # The one before goes first: the parts of a player know each other.
    gc.collect()
    player = Player(site_of(plan, {}), record_s=record_s)
    begin = time.perf_counter()
    player.run()
    return player, time.perf_counter() - begin


def _peak_gib() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / KIB_PER_GIB


def bench_play(site: Plan) -> list[str]:
    """Play a day of 1 000 guests against 1 000 bare processes, run before and after in the same call."""
    plan = busy_site(site)
    prepare()
    before = _time_outs_s(len(site.guests), PART_S)
    base = _peak_gib()
    ours = min(_played(plan)[1] for _ in range(3))
    unrecorded = min(_played(plan, record_s=math.inf)[1] for _ in range(3))
    player, took = _played(plan)
    ours = min(ours, took)
    after = _time_outs_s(len(site.guests), PART_S)
    theirs = min(before, after) * DAY_S / PART_S
    worked = int(player.ticks.counters[r.Z_WORKED])
    assert player.tick == DAY_S and player.recording.rows == DAY_S // 10 + 1
    places = player.summary().places
    told = ", ".join(f"{word} {seconds / 3600:.1f} h" for word, seconds in places[0].pressure_s.items())
    return [
        f"a day of 1 000 guests at 1-s ticks, {worked} of them worked out, all channels every 10 s: {ours:.2f} s ="
        f" {theirs / ours:.0f} × faster than 1 000 processes that time out once a second ({theirs:.0f} s, measured over"
        f" {PART_S} s of it), {theirs / unrecorded:.0f} × where nothing is recorded; {ours / worked * 1e6:.0f} µs a"
        f" worked tick; peak memory {_peak_gib():.2f} GiB, {base:.2f} before ({told})   [at least 150 ×, aim 300; under"
        " 0.8 GiB]"
    ]


def bench_small(small: Plan, one: Plan, many: Plan) -> list[str]:
    """Play a day of 100 guests, and one of 320 guests on one host and on 33."""
    _, day = min((_played(small) for _ in range(5)), key=lambda run: run[1])
    times, worked = [], []
    for plan in (one, many):
        player, took = min((_played(plan) for _ in range(3)), key=lambda run: run[1])
        times.append(took)
        worked.append(int(player.ticks.counters[r.Z_WORKED]))
    a_tick = [took / ticks for took, ticks in zip(times, worked, strict=True)]
    return [
        f"a day of 100 guests: {day:.3f} s   [at most 0.25 s]",
        f"a day of 320 guests on 33 hosts: {times[1]:.2f} s = {times[1] / times[0]:.2f} × on one, a worked tick"
        f" {a_tick[1] / a_tick[0]:.2f} × ({worked[1]} and {worked[0]} of them)   [at most 1.5 ×]",
    ]


def bench_threads(site: Plan) -> list[str]:
    """Play two days on two threads, against one after the other."""
    plan = busy_site(site)
    whole = site_of(plan, {})

    def play(_: int) -> None:
        Player(whole, record_s=math.inf).run()

    times = []
    for workers in (1, 2):
        with ThreadPoolExecutor(workers) as pool:
            runs = []
            for _ in range(3):
                begin = time.perf_counter()
                list(pool.map(play, range(2)))
                runs.append(time.perf_counter() - begin)
            times.append(min(runs))
    return [f"two days of 500 guests on two threads: {times[0] / times[1]:.2f} × as fast as on one   [at least 1.7 ×]"]


def bench_large(site: Plan) -> list[str]:
    """Play a day of 10 000 guests on 250 hosts."""
    player, took = _played(site)
    worked = int(player.ticks.counters[r.Z_WORKED])
    return [
        f"a day of {len(site.guests)} guests on {len(site.hosts)} hosts, {worked} ticks worked out: {took:.1f} s, peak"
        f" memory {_peak_gib():.2f} GiB   [under 60 s and 3 GiB]"
    ]


def bench_follow(plans: list[Plan]) -> list[str]:
    """Time how soon the day is there once a setting is tried, and how long that holds the window's thread."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from ruvex.desktop import make_application
    from ruvex.desktop.state.desk import Desk

    application = make_application()
    lines = []
    for plan, aim in zip(plans, ("300 ms", "1.5 s"), strict=True):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "bench.ruvex.json"
            path.write_text(plan_text(busy_site(plan)), encoding="utf-8")
            desk = Desk()
            desk.keep_collections_short()
            desk.document.open(path)
            held = 0.0
            times: list[float] = []
            for number in range(-1, 8):
                if number >= 0:
                    desk.trial.try_settings(f"g{number}", {"cpu.shares": 300.0 + number}, "bench")
                begin = time.perf_counter()
                while not desk.rehearsal.is_current:
                    start = time.perf_counter()
                    application.processEvents()
                    held = max(held, time.perf_counter() - start)
                    time.sleep(0.001)
                if number >= 0:
                    times.append(time.perf_counter() - begin)
                    assert desk.rehearsal.shift is not None
                    desk.trial.give_up()
            begin = time.perf_counter()
            Player(desk.document.site).run()
            alone = time.perf_counter() - begin
            desk.close()
            median = float(np.median(times))
            lines.append(
                f"the day of {len(plan.guests)} guests after a step of a handle: {median * 1e3:.0f} ms ="
                f" {median / alone:.2f} × playing it alone; the window is held for at most {held * 1e3:.0f} ms"
                f"   [under {aim}; 30 ms]"
            )
    return lines


def bench_timeline(small: Plan, large: Plan) -> list[str]:
    """Play a day in the window, and move the crosshair over one."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtCore import QPoint
    from PyQt6.QtTest import QTest

    from ruvex.desktop import make_application, make_window
    from ruvex.desktop.state.preferences import Preferences

    application = make_application()
    lines = []
    for plan, scrubs in ((small, False), (large, True)):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "bench.ruvex.json"
            path.write_text(plan_text(busy_site(plan)), encoding="utf-8")
            window = make_window(preferences=Preferences(Path(folder)), follow_desktop=False)
            window.desk.keep_collections_short()
            window.resize(1280, 800)
            window.show()
            window.open_path(path)
            window.desk.background.wait()
            application.processEvents()
            lanes, playing = window.views["timeline"].lanes, window.playing
            shown: list[float] = []
            begin = time.perf_counter()
            playing.advanced.connect(lambda b=begin, s=shown: s.append(time.perf_counter() - b))
            window.show_view("timeline")
            longest = last = 0.0
            while not playing.is_over:
                QTest.qWait(4)
                now = time.perf_counter() - begin
                longest, last = max(longest, now - last), now
                if len(shown) == 1:
                    lanes.viewport().repaint()
                    shown.append(time.perf_counter() - begin)
            whole = time.perf_counter() - begin
            whole_site = window.desk.look.site
            start = time.perf_counter()
            Player(whole_site).run()
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
