"""Expected waits in closed form: against queues worked out by hand, and against windows turn by turn."""

from __future__ import annotations

import random
import unittest
from math import comb, factorial
from typing import Any

import numpy as np

from ruvex.cores import trace, waits_of
from ruvex.divide import divide
from ruvex.site import site_of
from tests.cores.host import guest, plan_on


def waits_at(cores: int, guests: list[dict[str, Any]], **host: Any) -> tuple[Any, Any]:
    """Give the expected waits of guests on one host, and what of them is by chance."""
    found = waits_of(divide(site_of(plan_on(cores, guests, **host), {})))
    return found.expected[0], found.by_chance[0]


def queue_wait(threads: int, sleepers: int, duty: float) -> float:
    """Give the part of the time that equal sleepers wait, from the chances of how many want to run (M/M/c//N)."""
    ratio = duty / (1 - duty)
    chances = []
    for n in range(sleepers + 1):
        in_line = factorial(n) / (factorial(min(n, threads)) * threads ** max(n - threads, 0))
        chances.append(comb(sleepers, n) * ratio**n * in_line)
    running = sum(chance * min(n, threads) for n, chance in enumerate(chances)) / sum(chances)
    # Who runs a part r of the time sleeps r (1/duty - 1) of it, and waits for the rest.
    return 1 - running / sleepers / duty


class InClosedForm(unittest.TestCase):
    """Where theory or arithmetic gives the figure."""

    def test_equal_sleepers_wait_as_the_queue_with_several_servers_has_it(self) -> None:
        """Exactly as M/M/c//N, worked out from its chances."""
        for threads, sleepers, duty in ((1, 3, 0.3), (1, 6, 0.2), (2, 5, 0.5), (4, 9, 0.4), (8, 20, 0.35)):
            with self.subTest(threads=threads, sleepers=sleepers):
                guests = [guest(f"g{i}", 1, duty) for i in range(sleepers)]
                expected, by_chance = waits_at(threads, guests)
                np.testing.assert_allclose(expected, queue_wait(threads, sleepers, duty), rtol=1e-9)
                fluid = max(0.0, 1 - threads / (sleepers * duty))
                np.testing.assert_allclose(by_chance, expected - fluid, atol=1e-9)

    def test_who_always_wants_waits_as_the_division_says_and_never_by_chance(self) -> None:
        """Three that always want on two threads wait a third of the time."""
        expected, by_chance = waits_at(2, [guest(name) for name in "abc"])
        np.testing.assert_allclose(expected, 1 / 3)
        np.testing.assert_allclose(by_chance, 0.0, atol=1e-9)

    def test_as_many_threads_as_vcpus_leave_nobody_waiting(self) -> None:
        """Each has a thread to go to."""
        expected, by_chance = waits_at(4, [guest("a", 2, 0.9), guest("b", 2, 0.9)])
        self.assertEqual(expected.tolist() + by_chance.tolist(), [0.0] * 4)

    def test_who_is_held_by_a_limit_or_has_cores_of_its_own_stands_in_nobody_s_way(self) -> None:
        """What a limit keeps from running leaves its thread to others."""
        alone = waits_at(1, [guest("a", 1, 0.5), guest("b", 1, 0.2)])[0]
        limited = waits_at(1, [guest("a", 1, 0.5), guest("b", 1, 0.9, limit=200)])
        np.testing.assert_allclose(limited[0], alone)
        own = [guest("a", 1, 0.5), guest("b", 1, 0.2), guest("c", 2, 1.0, dedicated_cores=True)]
        np.testing.assert_allclose(waits_at(3, own)[0], [*alone, 0.0])

    def test_of_two_the_one_that_asks_for_more_of_what_is_due_to_it_waits_longer(self) -> None:
        """Fewer shares, the same want: more of the waiting."""
        expected, _ = waits_at(8, [guest("light", 8, 0.4, shares=300), guest("heavy", 8, 0.4, shares=50)])
        self.assertGreater(expected[1], 2 * expected[0])


class AgainstWindows(unittest.TestCase):
    """The mean over a host's guests, weighed by what they want, is that of windows turn by turn."""

    def test_the_mean_of_a_host_is_within_15_percent_of_its_windows_and_30_on_few_cores(self) -> None:
        """Seeded hosts of both widths, from calm to crowded."""
        seen = 0
        for seed in range(16):
            chances = random.Random(seed)
            width = 1 + seed % 2
            cores, load = chances.choice((2, 4, 8, 16)), chances.choice((0.85, 0.95, 1.1, 1.4))
            full = cores * (1 + (width - 1) * 0.25)
            guests, wanted = [], 0.0
            while wanted < load * full or len(guests) < 8:
                vcpus, duty = chances.choice((1, 2, 2, 4)), chances.choice((0.08, 0.15, 0.3, 0.5, 0.85))
                shares = vcpus * chances.choice((50, 100, 150))
                guests.append(guest(f"g{len(guests)}", vcpus, duty, shares=shares))
                wanted += vcpus * duty
            division = divide(site_of(plan_on(cores, guests, width=width, smt_yield=0.25 * (width - 1)), {}))
            weights = division.cpu.wanted_of_guests / division.cpu.wanted_of_guests.sum()
            in_form = float(waits_of(division).expected[0] @ weights)
            windows = []
            for number in range(2):
                found = trace(division, "h", for_s=20, seed=number)
                windows.append([f.wait / f.vcpus for f in (found.of_things[g["id"]] for g in guests)])
            in_windows = float(np.mean(windows, axis=0) @ weights)
            with self.subTest(seed=seed, cores=cores, width=width, load=load):
                if in_windows > 0.02:
                    seen += 1
                    self.assertAlmostEqual(in_form / in_windows, 1.0, delta=0.15 if cores >= 8 else 0.3)
                else:
                    self.assertAlmostEqual(in_form, in_windows, delta=0.005)
        self.assertGreaterEqual(seen, 10, "hosts on which somebody waits")
