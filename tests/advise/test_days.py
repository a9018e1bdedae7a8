"""Random days: what is drawn, what is told of them, and that it does not matter who plays them."""

from __future__ import annotations

import json
import math
import os
import subprocess
import sys
import tempfile
import unittest
from array import array
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from ruvex.advise.many import (
    Days,
    compared,
    here,
    play_days,
    random_day,
    source_of,
    with_more_memory,
    with_one_more_host,
)
from ruvex.plan import HostEvent, Plan, StoppedError, SurgeEvent, TraceTable, change_settings, plan_text
from ruvex.play import Player
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, plan_of
from tests.cli.inside import run
from tests.thorough import only_in_full

HOUR = 3600.0
STILL = {"shift_s": 0, "height_percent": 0, "length_percent": 0, "surge_percent": 0, "failing_percent": 0}
"""Chances of days that are all the plan's own."""
ONE = partial(here, workers=1)


def plan_with(guests: list[dict[str, Any]], chances: dict[str, Any] | None = None, **rest: Any) -> Plan:
    """Give a plan of ten cores and two hours, with some chances."""
    rules = {"chances": STILL | (chances or {})} | rest.pop("rules", {})
    return plan_of(guests, **({"day_s": 2 * HOUR, "moment": 0, "rules": rules} | rest))


def with_demand(name: str, cpu: Any, **more: Any) -> dict[str, Any]:
    """Describe a guest with a demand on CPU."""
    return cpu_guest(name, 0) | {"demand": {"cpu": cpu, "working": 0, "touched": 0} | more}


DAILY = {"kind": "daily", "low": 100, "high": 5000, "peak_at": HOUR, "width_h": 0.5}
STEPS = {"kind": "steps", "at": [[600, 1000], [1200, 4000], [3000, 200]]}
BURSTS = {"kind": "bursts", "base": 100, "high": 3000, "every_s": 900, "for_s": 120}


def demand_of(plan: Plan, traces: Any, times: np.ndarray[Any, Any]) -> np.ndarray[Any, Any]:
    """Give what the guests of a plan ask for at some times, shape (times, guests)."""
    return site_of(plan, traces).signals.at(times)[:, 0]


class Drawn(unittest.TestCase):
    """What random days are like."""

    def test_without_chances_every_day_is_the_plans_own(self) -> None:
        """Whatever form demand has; bursts fall elsewhere, but are as high and as long."""
        table = TraceTable(array("d", [0, 3000, 7200]), {"x": array("d", [100, 900, 300])})
        trace = {"kind": "trace", "file": "t.csv", "column": "x"}
        forms = {"d": DAILY, "s": STEPS, "n": 700, "t": trace, "b": BURSTS}
        plan = plan_with([with_demand(name, form) for name, form in forms.items()])
        drawn, traces = random_day(plan, {"t.csv": table}, 5, 3)
        times = np.arange(0, 7200.0, 10.0)
        own, other = demand_of(plan, {"t.csv": table}, times), demand_of(drawn, traces, times)
        np.testing.assert_allclose(other[:, :4], own[:, :4])
        self.assertEqual(set(np.unique(other[:, 4])), {100.0, 3000.0})
        self.assertAlmostEqual(float((other[:, 4] == 3000).mean()), float((own[:, 4] == 3000).mean()), delta=0.01)
        begins = {int(np.argmax(demand_of(random_day(plan, {"t.csv": table}, 5, number)[0], traces, times)[:, 4] > 100))
                  for number in range(20)}  # fmt: skip
        self.assertGreater(len(begins), 8)

    def test_each_chance_by_itself(self) -> None:
        """A shift moves the peak and leaves its height; heights and lengths leave its place."""
        times = np.arange(0, 7200.0, 10.0)

        def days(**chances: Any) -> list[np.ndarray[Any, Any]]:
            plan = plan_with([with_demand("d", DAILY)], chances)
            return [demand_of(*random_day(plan, {}, 1, number), times)[:, 0] for number in range(60)]

        shifted = days(shift_s=300)
        peaks = np.array([times[int(np.argmax(day))] for day in shifted])
        self.assertAlmostEqual(float(peaks.mean()), HOUR, delta=150)
        self.assertAlmostEqual(float(peaks.std()), 300, delta=90)
        self.assertTrue(all(abs(float(day.max()) - 5000) < 60 for day in shifted))
        higher = days(height_percent=20)
        heights = np.log([float(day.max()) / 5000 for day in higher])
        self.assertAlmostEqual(float(heights.std()), 0.2, delta=0.06)
        self.assertTrue(all(times[int(np.argmax(day))] == HOUR for day in higher))
        longer = days(length_percent=20)
        widths = [float((day > 2550).sum()) * 10 for day in longer]
        self.assertAlmostEqual(float(np.mean(widths)), 1800, delta=150)
        self.assertGreater(float(np.std(widths)), 150)

    def test_surges_and_lost_hosts_come_at_their_odds(self) -> None:
        """All, none, or about a third of the days; who varies otherwise has his own odds."""
        calm = with_demand("calm", 100, varies={"surge_percent": 0})
        plan = plan_with([with_demand("a", 100), calm], {"surge_percent": 100, "failing_percent": 33})
        days = [random_day(plan, {}, 7, number)[0].events for number in range(200)]
        surges = [event for day in days for event in day if isinstance(event, SurgeEvent)]
        losses = [event for day in days for event in day if isinstance(event, HostEvent)]
        self.assertEqual({event.target for event in surges}, {"a"})
        self.assertEqual(len(surges), 200)
        self.assertAlmostEqual(len(losses) / 200, 0.33, delta=0.12)
        self.assertGreater(len({round(event.at) for event in surges}), 150)

    def test_one_of_a_traces_days(self) -> None:
        """A trace over three days of the plan: each random day is one of them, begun anew."""
        seconds = array("d", [0, 7199, 7200, 14_399, 14_400, 21_600])
        table = TraceTable(seconds, {"x": array("d", [100, 100, 500, 500, 900, 900])})
        plan = plan_with([with_demand("t", {"kind": "trace", "file": "t.csv", "column": "x"})], {"height_percent": 30})
        times = np.array([3000.0])
        levels = [float(demand_of(*random_day(plan, {"t.csv": table}, 2, number), times)[0, 0]) for number in range(40)]
        self.assertEqual(set(levels), {100.0, 500.0, 900.0})

    def test_another_guest_changes_nobody_elses_days(self) -> None:
        """The same seed and number draw the same day; another number another one."""
        plan = plan_with([with_demand("a", DAILY), with_demand("b", STEPS)], {"shift_s": 900, "height_percent": 20})
        other = change_settings(plan, "a", {"demand.cpu": 77})
        times = np.arange(0, 7200.0, 60.0)
        one, two, three = (demand_of(*random_day(of, {}, 4, number), times)[:, 1]
                           for of, number in ((plan, 1), (other, 1), (plan, 2)))  # fmt: skip
        np.testing.assert_array_equal(one, two)
        self.assertFalse(np.array_equal(one, three))


class Told(unittest.TestCase):
    """How often, how long, how late."""

    def test_days_without_chances_are_the_summary_of_one(self) -> None:
        """Short as long as the plan's own day is, on all days; batch done when it is done."""
        batch = with_demand("batch", {"kind": "steps", "at": [[0, 8000], [1800, 0]]}, kind="batch")
        plan = plan_with([batch, cpu_guest("b", 6000)])
        player = Player(site_of(plan, {}), record_s=math.inf)
        player.run()
        summary = player.summary()
        found = play_days(plan, {}, 3, ONE)
        self.assertEqual(found.count, 3)
        for risk, guest in zip(found.of_guests(), summary.guests, strict=True):
            self.assertEqual(risk.short_part, 1)
            self.assertAlmostEqual(risk.short_s, guest.unmet_s)
            self.assertAlmostEqual(risk.short_most_s, guest.unmet_s)
        (job,) = summary.finishes
        assert job.finished_s is not None
        self.assertEqual(found.of_guests()[0].finishes, ((job.due_s, job.finished_s),))
        self.assertEqual(found.done_by("batch", job.finished_s), 1)
        self.assertEqual(found.done_by("batch", job.finished_s - 2), 0)
        self.assertTrue(math.isnan(found.done_by("b", 100)))

    def test_percentiles_by_hand(self) -> None:
        """Of twenty days one is worse than what 95 of 100 keep to."""
        plan = plan_with([cpu_guest("a", 10, pool="p"), cpu_guest("b", 10, pool="p")], pools=[{"id": "p"}])
        table = np.zeros((20, 4, 2))
        table[:, 0, 0] = np.arange(20) * 100
        table[:, 1] = 1.0
        table[3, 1, 0], table[4, 1, 0] = 0.2, 0.5
        a, b = (days := Days(source_of(plan, {}, 1), table)).of_guests()
        self.assertEqual((a.short_part, a.short_s, a.short_most_s, a.pace), (0.95, 950, 1800, 0.5))
        self.assertEqual((b.short_part, b.pace), (0, 1))
        (pool,) = days.of_pools()
        self.assertEqual((pool.short_part, pool.short_s, pool.pace), (0.95, 950, 0.5))

    def test_what_more_would_change(self) -> None:
        """One more host takes one of two that crowd each other; more memory changes nothing for them."""
        plan = plan_with([cpu_guest("a", 8000) | {"host": "h"}, cpu_guest("b", 8000) | {"host": "h"}])
        wider, moves = with_one_more_host(plan, {})
        self.assertEqual(moves, (("a", "one-more"),))
        before, after, more = (play_days(one, {}, 2, ONE) for one in (plan, wider, with_more_memory(plan)))
        self.assertEqual(set(compared(before, after)), {"a", "b"})
        self.assertEqual(compared(before, more), {})
        self.assertAlmostEqual(with_more_memory(plan).hosts[0].memory_mib, 110_000)

    def test_stopped_keeps_what_was_played(self) -> None:
        """Four of ten days."""

        def told(done: int, _of: int) -> None:
            if done == 4:
                raise StoppedError("stopped")

        found = play_days(plan_with([cpu_guest("a", 8000), cpu_guest("b", 8000)]), {}, 10, ONE, told=told)
        self.assertEqual((found.count, found.of_guests()[0].short_part), (4, 1))


RUN = """
import os, signal, sys
from pathlib import Path
import numpy as np
from ruvex.advise.many import on_cluster, play_days
from ruvex.plan import read_plan
file = read_plan(Path(sys.argv[1]))
def told(done, _of):
    if done == 12:
        os.kill(int(sys.argv[3]), signal.SIGKILL)
found = play_days(file.plan, file.traces, 90, on_cluster(sys.argv[2]), told=told)
np.save(sys.argv[4], found.table)
"""


class WhoeverPlays(unittest.TestCase):
    """Threads, helping processes and a cluster: the same bits."""

    def setUp(self) -> None:
        """Take a plan whose days differ."""
        guests = [with_demand("a", DAILY), with_demand("b", STEPS, kind="batch"), with_demand("c", BURSTS)]
        chances = {"shift_s": 900, "height_percent": 40, "length_percent": 30, "surge_percent": 20}
        self.plan = plan_with(guests, chances, host=HOST | {"cores_per_socket": 6})
        self.alone = play_days(self.plan, {}, 90, ONE).table

    def test_threads_and_helping_processes(self) -> None:
        """Few days in threads, many in processes."""
        few = play_days(self.plan, {}, 20, partial(here, workers=3))
        np.testing.assert_array_equal(few.table, self.alone[:20])
        many = play_days(self.plan, {}, 90, partial(here, workers=2))
        np.testing.assert_array_equal(many.table, self.alone)
        self.assertGreater(len(np.unique(self.alone[:, 0])), 30)

    @only_in_full
    def test_a_cluster_that_loses_a_worker(self) -> None:
        """A real scheduler and two workers, one of them killed in mid-run: nothing is lost, nothing differs."""
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        path, scheduler, out = folder / "p.ruvex.json", folder / "scheduler.json", folder / "table.npy"
        path.write_text(plan_text(self.plan), encoding="utf-8")
        environment = os.environ | {"DASK_DISTRIBUTED__COMM__TIMEOUTS__CONNECT": "30s"}
        base = [sys.executable, "-m", "dask"]
        started: list[subprocess.Popen[bytes]] = []

        def start(*arguments: str) -> subprocess.Popen[bytes]:
            job = subprocess.Popen([*base, *arguments], cwd=folder, env=environment, stdout=subprocess.DEVNULL,
                                   stderr=subprocess.DEVNULL)  # fmt: skip
            started.append(job)
            return job

        try:
            start(
                "scheduler", "--host", "127.0.0.1", "--port", "0", "--no-dashboard", "--scheduler-file", str(scheduler)
            )
            options = ["--nthreads", "1", "--no-dashboard", "--no-nanny", "--scheduler-file", str(scheduler)]
            workers = [start("worker", "--host", "127.0.0.1", *options) for _ in range(2)]
            address = self._address(scheduler, started)
            self._wait_for_two(address)
            done = subprocess.run(
                [sys.executable, "-c", RUN, str(path), address, str(workers[0].pid), str(out)],
                capture_output=True, text=True, check=False, env=environment, timeout=120,
            )  # fmt: skip
            self.assertEqual(done.returncode, 0, done.stderr[-2000:])
            self.assertIsNotNone(workers[0].wait(30))
            np.testing.assert_array_equal(np.load(out), self.alone)
        finally:
            for job in started:
                job.kill()
                job.wait()

    def _address(self, scheduler: Path, started: list[subprocess.Popen[bytes]]) -> str:
        """Wait until the scheduler has written where it is."""
        while not (scheduler.exists() and scheduler.stat().st_size):
            self.assertIsNone(started[0].poll(), "the scheduler has ended")
            os.sched_yield()
        while True:
            try:
                return str(json.loads(scheduler.read_text())["address"])
            except json.JSONDecodeError:
                os.sched_yield()

    def _wait_for_two(self, address: str) -> None:
        script = "import sys; from distributed import Client; c = Client(sys.argv[1]); c.wait_for_workers(2); c.close()"
        subprocess.run([sys.executable, "-c", script, address], check=True, capture_output=True, timeout=60)

    def test_a_cluster_that_is_not_there(self) -> None:
        """Says so, with status 2: no address, and an address at which nobody answers."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.ruvex.json"
            path.write_text(plan_text(self.plan), encoding="utf-8")
            said = run("days", str(path), "--days", "2", "--on", "nonsense://nowhere")
            self.assertEqual(said.returncode, 2)
            self.assertIn("nonsense://nowhere is no address of a scheduler", said.stderr)
            closed = run("days", str(path), "--days", "2", "--on", "tcp://127.0.0.1:1")
            self.assertEqual(closed.returncode, 2)
            self.assertIn("no scheduler answers at tcp://127.0.0.1:1", closed.stderr)


class ByCommand(unittest.TestCase):
    """``ruvex days``."""

    def test_words_json_and_every_days_figures(self) -> None:
        """How often it is done by a time, who is short, what more would change; a CSV of each day; status 2."""
        batch = with_demand("batch", {"kind": "steps", "at": [[0, 8000], [1800, 0]]}, kind="batch")
        guests = [batch | {"host": "h"}, cpu_guest("b", 6000, pool="p") | {"host": "h"}]
        plan = plan_with(guests, {"height_percent": 20}, pools=[{"id": "p"}])
        with tempfile.TemporaryDirectory() as folder:
            path, out = Path(folder) / "p.ruvex.json", Path(folder) / "days.csv"
            path.write_text(plan_text(plan), encoding="utf-8")
            said = run("days", str(path), "--days", "8", "--done-by", "batch=01:00", "--with-more", "--out", str(out))
            self.assertEqual(said.returncode, 0, said.stderr)
            self.assertIn("batch, due 00:30, is done by 01:00 on ", said.stdout)
            self.assertIn("with one more host and 1 guest moved to it", said.stdout)
            lines = out.read_text().splitlines()
            self.assertEqual(lines[0], "day,guest,short_s,worst_pace,wait,late_s,done_1_s")
            self.assertEqual(len(lines), 1 + 8 * 2)
            document = json.loads(run("days", str(path), "--days", "3", "--seed", "9", "--json").stdout)
            self.assertEqual((document["days"], document["seed"], [one["id"] for one in document["pools"]]),
                             (3, 9, ["p"]))  # fmt: skip
            for wrong in (["--days", "0"], ["--done-by", "nobody=01:00"]):
                self.assertEqual(run("days", str(path), *wrong).returncode, 2)
