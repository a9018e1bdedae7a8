"""Measures Ruvex against something else run in the same call, and prints the ratios."""

from __future__ import annotations

import contextlib
import json
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linprog

from bench_advice import bench_days, bench_findings, bench_room
from bench_cores import bench_cores, bench_paint, bench_waits
from bench_exchange import bench_exchange, bench_flows
from bench_play import bench_follow, bench_large, bench_play, bench_small, bench_threads, bench_timeline, busy_site
from bench_refusals import bench_refusals
from ruvex.advise import moves_for
from ruvex.divide import CONTENDED, Solved, causes_of, demand_at, divide, shifts_by_guest, solve
from ruvex.engine import rows as r
from ruvex.ledger import ENTRIES, LookFigures
from ruvex.plan import Plan, change_settings, plan_from, plan_text, read_plan
from ruvex.promise import admit_in_order, claims_of, in_starting_order, refusal_between
from ruvex.site import site_of

Floats = NDArray[np.float64]
FRAME_MS = 16.0
NOTHING = 1e-9
INFEASIBLE = 2
PARTS = (0.01, 0.04, 0.15, 0.3)  # of the pools, at each level but the last


def best_ms(run: Callable[[], object], *, repeats: int = 30) -> float:
    """Give the shortest of several runs, ms: the one least disturbed by other work of the machine."""
    times = []
    for _ in range(repeats):
        start = time.perf_counter()
        run()
        times.append(time.perf_counter() - start)
    return min(times) * 1e3


def site(guests: int, pools: int, *, seed: int = 1) -> Plan:
    """Build a contended site: pools at five levels, all memory modes, reservations, limits and idle pages."""
    rng = np.random.default_rng(seed)
    counts = [max(1, round(pools * part)) for part in PARTS]
    counts.append(max(1, pools - sum(counts)))
    pool_list: list[dict[str, Any]] = []
    above: list[str | None] = [None]
    for level, count in enumerate(counts):
        ids = [f"p{level}-{i}" for i in range(count)]
        for item_id in ids:
            shares = float(rng.choice([50, 100, 200]))
            settings = {"shares": shares, "reservation": 10.0}
            parent = above[int(rng.integers(len(above)))]
            pool_list.append({"id": item_id, "parent": parent, "cpu": settings, "memory": settings})
        above = list(ids)
    guest_list: list[dict[str, Any]] = []
    for i in range(guests):
        working = float(rng.uniform(500, 6000))
        cpu: dict[str, Any] = {
            "shares": float(rng.choice([50, 100, 200])),
            "reservation": float(rng.choice([0, 0, 200])),
        }
        if rng.random() < 0.1:
            cpu["limit"] = 1500.0
        mode = rng.choice(["thin", "thin", "elastic", "fixed"])
        memory: dict[str, Any] = {"mode": str(mode)}
        if mode == "thin":
            memory |= {"size": 8192, "reservation": float(rng.choice([0, 0, 512]))}
        elif mode == "elastic":
            memory |= {"boot": 2048, "floor": 512, "ceiling": 8192}
        else:
            memory |= {"size": 1024}
        pool = pool_list[int(rng.integers(len(pool_list)))]["id"]
        demand = {"cpu": float(rng.uniform(100, 4000)), "working": working, "touched": float(working * 1.5)}
        guest_list.append({"id": f"g{i}", "pool": pool, "demand": demand, "cpu": cpu, "memory": memory})
    cores = max(1, guests // 4)
    sockets = -(-cores // 1024)
    host = {
        "id": "h", "sockets": sockets, "cores_per_socket": cores // sockets, "mhz": 2600, "memory_mib": 2900 * guests,
    }  # fmt: skip
    rules = {"idle_counts_as": 2.0}
    document = {"format": "ruvex-plan", "version": 1, "name": "bench", "hosts": [host]}
    return plan_from(document | {"pools": pool_list, "guests": guest_list, "rules": rules})


def on_hosts(plan: Plan, count: int) -> Plan:
    """Spread a site's guests over several alike hosts that have as much together as its one host."""
    document = json.loads(plan_text(plan))
    whole = plan.hosts[0]
    cores = max(1, round(whole.cores / count))
    mhz = round(whole.mhz * whole.cores / (cores * count), 3)
    document["hosts"] = [
        {"id": f"h{i}", "cores_per_socket": cores, "sockets": 1, "mhz": mhz, "memory_mib": whole.memory_mib / count}
        for i in range(count)
    ]
    for i, guest in enumerate(document["guests"]):
        guest["host"] = f"h{i % count}"
    return plan_from(document)


def bench_division() -> list[str]:
    """Measure the division against one sort of as many breakpoints, and its growth."""
    cold: dict[int, float] = {}
    warm: dict[int, float] = {}
    lines: list[str] = []
    for guests, pools in ((100, 8), (1_000, 50), (10_000, 500)):
        whole = site_of(site(guests, pools), {})
        demand = demand_at(whole, 0.0)
        levels = solve(whole, demand).levels
        cold[guests] = best_ms(lambda w=whole, d=demand: solve(w, d))  # type: ignore[misc]
        warm[guests] = best_ms(lambda w=whole, d=demand, v=levels: solve(w, d, levels=v))  # type: ignore[misc]
        if guests == 10_000:
            # At least two breakpoints a member and resource: where it leaves its floor, where it has enough.
            rng, members = np.random.default_rng(0), guests + pools
            level, node = rng.random(4 * members), rng.integers(0, 2 * (pools + 1), 4 * members)
            sort = best_ms(lambda keys=(level, node): np.lexsort(keys))  # type: ignore[misc]
            told = best_ms(lambda w=whole, d=demand: divide(w, 0.0, demand=d).to_json())  # type: ignore[misc]
            lines.append(
                f"division, 10 000 guests, 500 pools, 5 levels, layers included: {cold[guests]:.2f} ms ="
                f" {cold[guests] / sort:.2f} × one numpy.lexsort of {4 * members} breakpoints ({sort:.1f} ms) cold,"
                f" {warm[guests] / sort:.2f} × warm; as a document {told:.0f} ms   [at most 0.5 × cold, 0.25 × warm]"
            )
    lines.append(f"growth from 1 000 to 10 000 guests: {cold[10_000] / cold[1_000]:.1f} ×   [under 14 ×]")
    lines.append(f"division of 100 guests, warm: {warm[100]:.3f} ms   [at most 0.05 ms]")
    one = site(320, 24)
    parts = []
    for plan in (one, on_hosts(one, 33)):
        whole = site_of(plan, {})
        demand = demand_at(whole, 0.0)
        parts.append(best_ms(lambda w=whole, d=demand: solve(w, d), repeats=300))  # type: ignore[misc]
    lines.append(
        f"division of 320 guests on 33 hosts: {parts[1]:.3f} ms = {parts[1] / parts[0]:.2f} × on one   [at most 1.5 ×]"
    )
    return lines


class LinearPrograms:
    """The same division by successive linear programs through HiGHS, node by node and level by level.

    Each program raises the common level until the next member has all it may have, or is at its knee; that member
    is then set, and the next program raises the level of the others, until the node's amount is handed out.
    """

    def __init__(self, solved: Solved) -> None:
        self.solved, self.trees = solved, solved.site.forest.trees
        self.cost = (1.0, float(solved.site.rules[r.R_IDLE]))
        self.programs = 0
        self.given = np.zeros(self.trees.slots.shape[1])

    def run(self) -> None:
        """Divide every place down its tree."""
        nodes, places = self.trees.nodes, self.trees.places
        for node in range(nodes.shape[1]):
            place, slot = nodes[r.N_PLACE, node], nodes[r.N_SLOT, node]
            is_root = nodes[r.N_PARENT, node] < 0
            amount = self.solved.values[r.Q_AMOUNT, place] if is_root else self.given[slot]
            members = np.arange(nodes[r.N_FIRST, node], nodes[r.N_LAST, node])
            if members.size:
                cost = self.cost[0 if places[r.L_KIND, place] == r.CPU_PLACE else 1]
                self.given[members] = self.divide_node(members, float(amount), cost)

    def divide_node(self, members: NDArray[np.int64], amount: float, cost: float) -> Floats:
        """Divide one node's amount in two tiers."""
        asks = self.solved.asks
        floor, knee, use, cap = (asks[kind, members] for kind in (r.A_FLOOR, r.A_KNEE, r.A_USE, r.A_CAP))
        weight = asks[r.A_WEIGHT, members]
        room, uses = cap - use, float(use.sum())
        if amount < uses:
            return self.raise_level(weight, floor, knee, use, amount, cost)
        rest = min(amount - uses, float(room.sum()))
        if rest <= NOTHING:
            return np.array(use)
        return use + self.raise_level(weight, np.zeros_like(room), room, room, rest, 1.0)

    def raise_level(
        self, weight: Floats, low: Floats, knee: Floats, high: Floats, amount: float, cost: float
    ) -> Floats:
        """Raise the level, program by program, until the amount is handed out."""
        beyond, done = knee <= 0, high <= low + NOTHING
        gain = np.where(done, high, low)
        while not done.all():
            free = np.flatnonzero(~done)
            w, k, past = weight[free], knee[free], beyond[free]
            # Up to its knee a member gets λ·w, beyond it k + (λ·w − k)/cost, and in any case its lower bound.
            slope = np.where(past, w / cost, w)
            offset = np.where(past, k - k / cost, 0.0)
            top = np.where(past, high[free], np.minimum(high[free], k))
            count = free.size
            at_least = np.hstack((-np.eye(count), slope[:, None]))
            level_top = float(((top - offset) / slope).min())
            rest = amount - float(gain[done].sum())
            found = linprog(
                np.append(np.zeros(count), -1.0), at_least, -offset, np.append(np.ones(count), 0.0)[None, :], [rest],
                [*zip(low[free], np.full(count, np.inf), strict=True), (0, level_top)], method="highs",
            )  # fmt: skip
            self.programs += 1
            if found.status == INFEASIBLE:
                return gain
            level = float(found.x[-1])
            gain[free] = np.maximum(low[free], offset + slope * level)
            if level < level_top * (1 - 1e-9):
                return gain
            reached = free[(top - offset) / slope <= level * (1 + 1e-9)]
            at_top = np.where(beyond[reached], True, high[reached] <= knee[reached])
            beyond[reached] = True
            gain[reached[at_top]] = high[reached[at_top]]
            done[reached[at_top]] = True
        return gain


def bench_programs() -> list[str]:
    """Compare with linear programs on 300 guests."""
    whole = site_of(site(300, 30), {})
    demand = demand_at(whole, 0.0)
    solving = best_ms(lambda: solve(whole, demand), repeats=300)
    solved = solve(whole, demand)
    runs: list[LinearPrograms] = []

    def by_programs() -> None:
        runs.append(LinearPrograms(solved))
        runs[-1].run()

    theirs = best_ms(by_programs, repeats=4)
    # Measured on both sides of the long run, so that a spell of other work on the machine hits both alike.
    solving = min(solving, best_ms(lambda: solve(whole, demand), repeats=300))
    gap = float(np.abs(runs[-1].given - solved.asks[r.A_GIVEN]).max() / solved.values[r.Q_SUPPLY].min())
    return [
        f"300 guests, 30 pools through HiGHS: {theirs:.0f} ms in {runs[-1].programs} programs from asks that were"
        f" worked out = {theirs / solving:.0f} × ours with asks and layers ({solving:.3f} ms); largest difference"
        f" {gap:.0e} of the supply   [at least 10 000 ×]"
    ]


@contextlib.contextmanager
def open_window() -> Iterator[Any]:
    """Open the real window, offscreen, with a site of 500 guests and the explanation shown."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from ruvex.desktop import make_application, make_window
    from ruvex.desktop.kit.actions import ActionName
    from ruvex.desktop.state.preferences import Preferences

    application = make_application()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "bench.ruvex.json"
        path.write_text(plan_text(site(500, 25)), encoding="utf-8")
        window = make_window(preferences=Preferences(Path(folder)), follow_desktop=False)
        window.desk.keep_collections_short()
        window.show()
        window.open_path(path)
        window.pages.toggle(ActionName.WHY)
        yield window
        window.desk.trial.give_up()
        window.close()
        application.processEvents()


def bench_desktop() -> list[str]:
    """Time dial steps at 500 guests, from the mouse's move to the painted picture, and say where the time goes."""
    from PyQt6.QtCore import QPointF, Qt
    from PyQt6.QtTest import QTest
    from PyQt6.QtWidgets import QApplication

    with open_window() as window:
        application = QApplication.instance()
        assert application is not None
        # The guest that lacks most: every step of its reservation moves its whole pool.
        division = window.desk.look.division
        is_free = np.isinf(division.cpu.limit) & (np.array(division.kinds) == "guest")
        chosen = division.ids[int(np.argmax(division.cpu.unmet * is_free))]
        window.desk.selection.select(chosen)
        for _ in range(5):
            window.desk.background.wait()
            application.processEvents()
        track = window.dials.dials["cpu"].track
        start = QPointF(track.handle_x("cpu.reservation"), 17)
        QTest.mousePress(track, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start.toPoint())
        times, moved = [], 0
        row = division.position[chosen]
        low, high = (track.axis.x(float(values[row])) for values in (division.cpu.delivered, division.cpu.wanted))
        for step in range(240):
            # To and fro between what it gets anyhow and what it wants: there a promise is paid by others.
            part = 0.1 + 0.8 * abs(step % 24 - 12) / 12
            x = low + (high - low) * part
            before = window.desk.look.division.cpu.delivered
            begin = time.perf_counter()
            QTest.mouseMove(track, QPointF(x, 17).toPoint())
            application.processEvents()
            times.append((time.perf_counter() - begin) * 1e3)
            moved += not np.array_equal(before, window.desk.look.division.cpu.delivered)
        whole, moment = window.desk.look.site, window.desk.look.demand
        solving = best_ms(lambda: divide(whole, 0.0, demand=moment))
        viewport = window.views["division"].butterfly.viewport()
        wing = window.views["division"].butterfly.wing_rect("cpu", viewport.height())
        painting = best_ms(lambda: viewport.repaint(wing))
        undone = window.desk.document.undo_stack.count()
    assert undone == 0, "the handle was let go"
    assert moved > 200, f"only {moved} of 240 steps moved anything"
    p95, median = float(np.percentile(times, 95)), float(np.median(times))
    layout = median - solving - painting
    return [
        "dial step to painted picture, 500 guests, layers, ladder and who pays shown: 95th percentile"
        f" {p95:.1f} ms = {p95 / FRAME_MS:.2f} of 16 ms, median {median:.1f} ms: solve {solving:.1f},"
        f" paint of the rows {painting:.1f}, layout and dials {layout:.1f}   [under 16 ms]"
    ]


def bench_step() -> list[str]:
    """Time what a dial step at 500 guests asks of everything below the window: from the plan to who pays."""
    before = site_of(site(500, 25), {})
    demand, claims = demand_at(before, 0.0), claims_of(before)
    division = divide(before, 0.0, demand=demand)
    hurt = division.cpu.unmet * (np.array(division.kinds) == "guest") * np.isinf(division.cpu.limit)
    guest = before.plan.guests[before.plan.guest_index[division.ids[int(np.argmax(hurt))]]]
    plans = [change_settings(before.plan, guest.id, {"cpu.reservation": 100.0 + 40 * i}) for i in range(8)]
    turn = iter(range(10**9))

    def step() -> None:
        plan = plans[next(turn) % len(plans)]
        after = before.with_plan(plan)
        refusal_between(claims, claims_of(after), [guest.id])
        found = divide(after, 0.0, demand=demand, levels=division.levels)
        for resource in ("cpu", "memory"):
            causes_of(found, resource)
            shifts_by_guest(division, found, resource)

    whole = best_ms(step, repeats=200)
    solving = best_ms(lambda: solve(before, demand, levels=division.levels), repeats=200)
    return [
        f"a dial step below the window, 500 guests: arrays, claims, division, layers, causes, who pays: {whole:.2f} ms"
        f" = {whole / solving:.0f} × the division alone ({solving:.3f} ms)   [at most 2 ms]"
    ]


def bench_admission() -> list[str]:
    """Time powering on 1 000 guests in order against one division of the same plan."""
    plan = site(1_000, 50)
    for guest in plan.guests:
        plan = change_settings(plan, guest.id, {"power": "off"})
    sleeping = site_of(plan, {})
    order = in_starting_order(sleeping, plan.guest_index)
    admitting = best_ms(lambda: admit_in_order(sleeping, order))
    admitted, waiting = admit_in_order(sleeping, order)
    awake = site_of(site(1_000, 50), {})
    demand = demand_at(awake, 0.0)
    dividing = best_ms(lambda: divide(awake, 0.0, demand=demand))
    return [
        f"admission of 1 000 guests in order: {admitting:.2f} ms = {admitting / dividing:.1f} × one division"
        f" ({len(admitted)} admitted, {len(waiting)} wait)   [at most 3 ms]"
    ]


def bench_figures() -> list[str]:
    """Time every figure of the ledger, by guest, row and host, against the division that they are of."""
    division = divide(site_of(on_hosts(busy_site(site(500, 25)), 12), {}), 43_200.0)

    def every_figure() -> None:
        figures = LookFigures(division)
        assert figures.of_rows.shape[0] == figures.of_hosts.shape[0] == len(ENTRIES)
        for of in CONTENDED:
            figures.how_many_short(of)
        promises = figures.promises
        assert promises.free_of_hosts.shape == promises.of_hosts.shape

    every_figure()
    told = best_ms(every_figure, repeats=300)
    dividing = best_ms(lambda: divide(division.site, demand=division.demand), repeats=100)
    return [
        f"every figure of a look of 500 guests on 12 hosts: {told:.2f} ms = {told / dividing:.2f} × its division"
        "   [at most 0.5 ms]"
    ]


def bench_moves() -> list[str]:
    """Time what would help a guest among 500, from asking to showing, and how long it holds the window."""
    from PyQt6.QtTest import QTest

    from ruvex.desktop.kit.actions import ActionName

    with open_window() as window:
        why = window.pages[ActionName.WHY]
        division = window.desk.look.division
        hurt = division.cpu.unmet / np.maximum(division.cpu.wanted, 1) * (np.array(division.kinds) == "guest")
        times, gaps, found = [], [], 0
        for row in np.argsort(-hurt)[:24].tolist():
            window.desk.background.wait()
            QTest.qWait(1)
            begin = last = time.perf_counter()
            window.desk.selection.select(division.ids[row])
            sides, longest = why.sides.values(), 0.0
            while why.answered_for != division.ids[row]:
                # Waiting as the window does, without fighting the worker for the interpreter.
                QTest.qWait(1)
                now = time.perf_counter()
                longest, last = max(longest, now - last), now
                if now - begin > 10:
                    raise TimeoutError("no answer")
            times.append((time.perf_counter() - begin) * 1e3)
            gaps.append(longest * 1e3)
            found += sum(len(side.offers) for side in sides)
        whole = window.desk.look.site
        solving = best_ms(lambda: divide(whole, 0.0, demand=division.demand))
        worst_rows = np.argsort(-hurt)[:24].tolist()
        alone = [
            best_ms(lambda i=division.ids[row]: moves_for(whole, division, i), repeats=3)  # type: ignore[misc]
            for row in worst_rows
        ]
    assert found > len(times), "hardly anything would help"
    median, worst = float(np.median(times)), float(np.percentile(times, 95))
    return [
        f"what would help, CPU and memory, 500 guests: median {float(np.median(alone)):.0f} ms ="
        f" {float(np.median(alone)) / solving:.0f} × one division   [at most 25 ms]; from the mouse to the text in the"
        f" window {median:.0f} ms, 95th percentile {worst:.0f} ms; the window is held for at most {max(gaps):.0f} ms"
    ]


def bench_window() -> list[str]:
    """Time the window with 10 000 guests: how long opening holds it, and the list sorted and scrolled."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from PyQt6.QtCore import QTimer
    from PyQt6.QtTest import QTest

    from ruvex.desktop import make_application, make_window
    from ruvex.desktop.state.preferences import Preferences

    application = make_application()
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.ruvex.json"
        path.write_text(plan_text(site(10_000, 500)), encoding="utf-8")
        loading = best_ms(lambda: read_plan(path), repeats=3)
        window = make_window(preferences=Preferences(Path(folder)), follow_desktop=False)
        window.desk.keep_collections_short()
        window.resize(1280, 800)
        window.show()
        application.processEvents()
        ticks: list[float] = []
        beat = QTimer()
        beat.timeout.connect(lambda: ticks.append(time.perf_counter()))
        beat.start(1)
        QTest.qWait(50)
        ticks.clear()
        ticks.append(time.perf_counter())
        begin = ticks[0]
        window.open_path(path)
        while len(window.desk.look.plan.guests) < 10_000:
            QTest.qWait(1)
            if time.perf_counter() - begin > 60:
                raise TimeoutError("the plan was not opened")
        opened = time.perf_counter() - begin
        QTest.qWait(50)
        beat.stop()
        held = float(np.diff(ticks).max())
        window.show_view("list")
        application.processEvents()
        table = window.views["list"].grid
        model, header = table.model(), table.horizontalHeader()
        sorts: list[float] = []
        for column in range(min(model.columnCount(), 6)):
            begin = time.perf_counter()
            header.sectionClicked.emit(column)
            application.processEvents()
            sorts.append((time.perf_counter() - begin) * 1e3)
        bar, scrolls, pages = table.verticalScrollBar(), list[float](), list[float]()
        bar.setValue(bar.maximum() // 2)
        application.processEvents()
        for times, step in ((scrolls, 3 * table.rowHeight(0)), (pages, table.viewport().height())):
            for _ in range(120):
                begin = time.perf_counter()
                bar.setValue(bar.value() + step)
                application.processEvents()
                times.append((time.perf_counter() - begin) * 1e3)
        window.close()
        application.processEvents()
    scroll = float(np.percentile(scrolls, 95))
    return [
        f"opening 10 000 guests in the window: {opened:.2f} s = {opened * 1e3 / loading:.1f} × reading the file; the"
        f" window is held for at most {held * 1e3:.0f} ms   [100 ms]",
        f"the list of 10 000 guests: sorted in at most {max(sorts):.0f} ms, scrolled by three rows in {scroll:.1f} ms"
        f" (95th percentile) = {scroll / FRAME_MS:.2f} of 16 ms, by a page in {float(np.median(pages)):.0f} ms"
        "   [100 ms; under 16 ms]",
    ]


def seconds_of(*command: str, repeats: int = 5) -> float:
    """Give the shortest wall time of a command, s."""
    return best_ms(lambda: subprocess.run(command, check=True, capture_output=True), repeats=repeats) / 1e3


def bench_start() -> list[str]:
    """Time loading a large plan, the help, and a command on a small plan in plain Python and compiled."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "large.ruvex.json"
        path.write_text(plan_text(site(10_000, 500)), encoding="utf-8")
        loading = best_ms(lambda: read_plan(path), repeats=5)
        plain = best_ms(lambda: json.loads(path.read_text(encoding="utf-8")), repeats=5)
    bare = seconds_of(sys.executable, "-c", "pass")
    help_s = seconds_of(
        sys.executable, "-c", "import sys; sys.argv = ['ruvex', '--help']; from ruvex.cli import main; main()"
    )
    demo = str(Path(__file__).resolve().parents[1] / "demo" / "orrin-sound.ruvex.json")
    divided = "import sys; sys.argv = ['ruvex', 'divide', sys.argv[1]]; from ruvex.cli import main; main()"
    compiled = f"from ruvex.engine import kernels; kernels.load(); {divided}"
    plain_s, compiled_s = (seconds_of(sys.executable, "-c", code, demo) for code in (divided, compiled))
    return [
        f"ruvex divide of the demo's 39 guests, in plain Python: {plain_s:.2f} s = {plain_s / compiled_s:.2f} × with"
        f" compiled kernels loaded ({compiled_s:.2f} s), {plain_s / bare:.0f} × an empty Python program   [0.8 s]",
        f"loading a plan of 10 000 guests: {loading / 1e3:.2f} s = {loading / plain:.1f} × json.loads of the same text"
        "   [under 2 s]",
        f"ruvex --help: {help_s:.2f} s = {help_s / bare:.1f} × an empty Python program   [under 0.4 s]",
    ]


def main() -> int:
    """Run every measurement, or those that are named."""
    benches: dict[str, Callable[[], list[str]]] = {
        "division": bench_division,
        "programs": bench_programs,
        "admission": bench_admission,
        "figures": bench_figures,
        "step": bench_step,
        "dials": bench_desktop,
        "moves": bench_moves,
        "window": bench_window,
        "start": bench_start,
        "play": lambda: bench_play(site(1_000, 50)),
        "small": lambda: bench_small(busy_site(site(100, 8)), busy := busy_site(site(320, 24)), on_hosts(busy, 33)),
        "threads": lambda: bench_threads(site(500, 25)),
        "follow": lambda: bench_follow([site(100, 8), site(500, 25)]),
        "large": lambda: bench_large(on_hosts(busy_site(site(10_000, 500)), 250)),
        "cores": bench_cores,
        "paint": bench_paint,
        "waits": lambda: bench_waits(on_hosts(busy_site(site(500, 25)), 12)),
        "refusals": lambda: bench_refusals(site(10_000, 500)),
        "findings": bench_findings,
        "room": bench_room,
        "days": bench_days,
        "flows": lambda: bench_flows(busy_site(site(500, 25))),
        "exchange": lambda: bench_exchange(site(500, 25)),
        "timeline": lambda: bench_timeline(site(100, 8), site(500, 25)),
    }
    wanted = sys.argv[1:] or list(benches)
    for name in wanted:
        if name not in benches:
            print(f"there is no {name!r}; name some of {', '.join(benches)}", file=sys.stderr)
            return 2
        for line in benches[name]():
            print("- " + line, flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
