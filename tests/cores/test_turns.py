"""Who runs when on the threads of a host: worked out by hand, by properties, against the division and theory."""

from __future__ import annotations

import math
import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.cores import ENDINGS, NoCoresError, parties_of, report_of, run_parties, trace
from ruvex.divide import divide
from ruvex.engine import turn_rows as t
from ruvex.plan import Plan
from ruvex.site import site_of
from tests.cores.host import check, guest, plan_on, run, turns_of
from tests.cores.slow import Slow
from tests.thorough import many, only_in_full


class ByHand(unittest.TestCase):
    """Each rule alone, on so few vCPUs that one can say beforehand what happens."""

    def test_two_take_turns(self) -> None:
        """One thread, two that always want: 12 ms each, and each waits as long."""
        plan = plan_on(1, [guest("a"), guest("b")])
        found = run(plan, 0.24)
        check(found)
        lasts = {round(end - begun, 6) for _, _, begun, end in turns_of(found, plan)[1:-1]}
        self.assertEqual(lasts, {12.0})
        for name in "ab":
            figures = found.of_things[name]
            self.assertAlmostEqual(figures.run, 0.5, delta=0.06)
            self.assertEqual((figures.p95_ms, figures.longest_ms), (12.0, 12.0))

    def test_weights(self) -> None:
        """Three times the shares: three turns for one, so the lighter one waits 36 ms, the other 12."""
        found = run(plan_on(1, [guest("a", shares=100), guest("b", shares=300)]), 4.8)
        self.assertAlmostEqual(found.of_things["a"].run, 0.25, delta=0.01)
        self.assertEqual((found.of_things["a"].longest_ms, found.of_things["b"].longest_ms), (36.0, 12.0))

    def test_a_wide_guest_weighs_as_one(self) -> None:
        """Two vCPUs of one guest beside one of another, two threads: each guest has one thread."""
        found = run(plan_on(2, [guest("a", 2), guest("b")]), 4.8)
        self.assertAlmostEqual(found.of_things["a"].run, 1.0, delta=0.01)
        self.assertAlmostEqual(found.of_things["b"].run, 1.0, delta=0.01)

    def test_a_limit_is_a_budget(self) -> None:
        """300 of 1000 MHz: 30 ms of every 100, then off until the next."""
        found = run(plan_on(1, [guest("a", limit=300)]), 2.0)
        check(found)
        figures = found.of_things["a"]
        self.assertAlmostEqual(figures.run, 0.3, places=3)
        self.assertAlmostEqual(figures.off, 0.7, places=3)
        self.assertAlmostEqual(figures.longest_ms, 70.0, places=3)
        self.assertIn(t.BUDGET_SPENT, set(found.turns[t.TURN_WHY].tolist()))

    def test_a_pool_has_one_budget_for_all(self) -> None:
        """Two guests in a pool of 500 MHz beside one outside, two threads: the pool runs half a thread in all."""
        pools = [{"id": "p", "cpu": {"limit": 500}}]
        found = run(plan_on(2, [guest("a", pool="p"), guest("b", pool="p"), guest("c")], pools), 4.0)
        check(found)
        self.assertAlmostEqual(found.of_things["p"].run, 0.5, delta=0.01)
        self.assertAlmostEqual(found.of_things["a"].run, found.of_things["b"].run, delta=0.03)
        self.assertAlmostEqual(found.of_things["c"].run, 1.0, delta=0.001)

    def test_promises_go_first(self) -> None:
        """400 MHz promised to one of few shares: it has them, and the other all the rest."""
        found = run(plan_on(1, [guest("a", shares=1, reservation=400), guest("b", shares=1000)]), 4.0)
        self.assertAlmostEqual(found.of_things["a"].run, 0.4, delta=0.01)
        self.assertAlmostEqual(found.of_things["b"].run, 0.6, delta=0.01)

    def test_second_threads_share_a_core(self) -> None:
        """One core of two threads that yields a fifth more: both run all the time, and get 600 MHz done each."""
        plan = plan_on(1, [guest("a"), guest("b")], width=2, smt_yield=0.2)
        found = run(plan)
        for name in "ab":
            self.assertAlmostEqual(found.of_things[name].run, 1.0, places=6)
            self.assertAlmostEqual(found.of_things[name].worked_mhz, 600.0, places=3)

    def test_kept_to_cores_and_off_second_threads(self) -> None:
        """Whoever may only run on core 1 does; who keeps off second threads is never on an odd thread."""
        guests = [guest("a", cores={"only": [1]}), guest("b", 2, cores={"second_threads": False}), guest("c", 4)]
        plan = plan_on(3, guests, width=2, smt_yield=0.1)
        found = run(plan)
        check(found)
        threads: dict[str, set[int]] = {}
        for name, thread, _, _ in turns_of(found, plan):
            threads.setdefault(name, set()).add(thread)
        self.assertLessEqual(threads["a"], {2, 3})
        self.assertLessEqual(threads["b"], {0, 2, 4})
        self.assertAlmostEqual(found.of_things["c"].run, 3.5, delta=0.6)

    def test_side_by_side(self) -> None:
        """Two vCPUs on the two threads of one core, though others are idle."""
        plan = plan_on(4, [guest("a", 2, cores={"side_by_side": True})], width=2, smt_yield=0.2)
        found = run(plan)
        self.assertEqual({thread for _, thread, _, _ in turns_of(found, plan)}, {0, 1})
        self.assertAlmostEqual(found.of_things["a"].worked_mhz, 1200.0, places=3)

    def test_cores_of_its_own(self) -> None:
        """A guest with a core of its own never shares it, and nobody else runs there."""
        plan = plan_on(2, [guest("a", dedicated_cores=True), guest("b", 2)])
        found = run(plan)
        self.assertEqual(
            {n: {th for g, th, _, _ in turns_of(found, plan) if g == n} for n in "ab"}, {"a": {1}, "b": {0}}
        )

    def test_who_wakes_may_cut_in(self) -> None:
        """One that seldom wants beside one that always does is served within a turn, mostly at once."""
        plan = plan_on(1, [guest("busy"), guest("light", duty=0.05, burst={"ms": 1})])
        found = run(plan, 20.0)
        check(found)
        self.assertIn(t.CUT_IN_ON, set(found.turns[t.TURN_WHY].tolist()))
        self.assertLess(found.of_things["light"].wake_mean_ms, 3.0)
        self.assertEqual(found.of_things["busy"].wake_p95_ms, 0.0)

    def test_nobody_leads_by_more_than_allowed(self) -> None:
        """Two guests of two vCPUs on three threads: one that is 7 ms ahead of its fellow makes room for it."""
        guests = [guest("a", 2), guest("b", 2)]
        plan = plan_on(3, guests, fellows="lead")
        found = run(plan, 4.0)
        check(found)
        ran = found.numbers[t.C_RAN, found.parties.guest_of == 0]
        self.assertLess(abs(ran[0] - ran[1]), 7.0 + 7.0 + 1e-6, "at the beginning and at the end of the window")
        self.assertIn(t.HELD_BACK, set(found.turns[t.TURN_WHY].tolist()))
        self.assertAlmostEqual(sum(f.run for f in found.of_things.values()), 3.0, delta=0.01)

    def test_all_together_or_none(self) -> None:
        """Two guests of two vCPUs on two threads: both of one run, then both of the other, never one alone."""
        plan = plan_on(2, [guest("a", 2), guest("b", 2)], fellows="together")
        found = run(plan, 2.4)
        check(found)
        at = np.arange(6.0, 2394.0, 5.0)
        on = {name: np.zeros(at.size, dtype=int) for name in "ab"}
        for name, _, begun, end in turns_of(found, plan):
            on[name] += (at >= begun) & (at < end)
        self.assertEqual(set(zip(on["a"].tolist(), on["b"].tolist(), strict=True)), {(2, 0), (0, 2)})

    def test_together_a_guest_wider_than_its_threads_never_runs(self) -> None:
        """It is told, and the others go on."""
        plan = plan_on(2, [guest("wide", 3), guest("b")], fellows="together")
        found = run(plan)
        self.assertEqual(found.of_things["wide"].run, 0.0)
        self.assertAlmostEqual(found.of_things["b"].run, 1.0, delta=0.01)
        self.assertEqual(found.wider_than_its_threads, [0])

    def test_no_turn_is_lost(self) -> None:
        """However short the bursts: every turn is there, or the window is refused as too long."""
        short = plan_on(4, [guest("a", 4, 0.5, burst={"ms": 0.05})])
        found = run(short)
        self.assertGreater(found.counts[0], 60_000)
        check(found)

    @only_in_full
    def test_too_many_turns_are_refused(self) -> None:
        """It takes as long as four million turns do."""
        with self.assertRaisesRegex(NoCoresError, "more than 4 000 000 turns.*shorter window"):
            run(plan_on(24, [guest("a", 24, 0.5, burst={"ms": 0.01})]), 20.0)

    def test_refusals(self) -> None:
        """No such host, one that is down, a window without end."""
        plan = plan_on(1, [guest("a")])
        division = divide(site_of(plan, {}))
        for host, for_s, words in (
            ("x", 2.0, "there is no host 'x'"),
            ("h", 61.0, "take up to 60 s"),
            ("h", 0.0, "0 s"),
        ):
            with self.assertRaises(NoCoresError) as caught:
                trace(division, host, for_s=for_s)
            self.assertIn(words, str(caught.exception))


@st.composite
def hosts(draw: st.DrawFn) -> Plan:
    """Draw a host of a few threads with guests and pools, of every demand, wish and policy."""
    width, cores = draw(st.sampled_from([1, 2])), draw(st.integers(1, 4))
    pools: list[dict[str, Any]] = [{"id": "p", "cpu": {"shares": draw(st.sampled_from([50, 100, 400]))}}]
    if draw(st.booleans()):
        pools[0]["cpu"]["limit"] = draw(st.sampled_from([300, 900, 1500]))
    guests = []
    for i in range(draw(st.integers(1, 5))):
        more: dict[str, Any] = {
            "pool": draw(st.sampled_from([None, "p"])),
            "shares": draw(st.sampled_from([20, 100, 300])),
        }
        if draw(st.booleans()):
            more["limit"] = draw(st.sampled_from([200, 700, 1700]))
        if draw(st.booleans()):
            more["cores"] = {"second_threads": draw(st.booleans()), "only": [draw(st.integers(0, cores - 1))]}
        burst = {"ms": draw(st.sampled_from([0.7, 8, 33])), "even": draw(st.booleans())}
        duty = draw(st.sampled_from([0.0, 0.1, 0.5, 0.9, 1.0]))
        guests.append(guest(f"g{i}", draw(st.integers(1, 3)), duty, burst=burst, **more))
    return plan_on(
        cores, guests, pools, width=width, smt_yield=0.25, turn_ms=draw(st.sampled_from([3, 12])),
        fellows=draw(st.sampled_from(["own", "lead", "together"])),
        rules={"reservation_rule": draw(st.sampled_from(["floor", "on-top"]))},
    )  # fmt: skip


class Properties(unittest.TestCase):
    """Whatever host is drawn."""

    @settings(max_examples=many(60), deadline=None)
    @given(hosts(), st.integers(0, 99))
    def test_identities(self, plan: Plan, seed: int) -> None:
        """Times add up, nobody runs twice at once, no thread idles but by policy, and the same seed gives the same."""
        found = run(plan, 0.4, seed)
        check(found)
        if plan.rules.turns.fellows == "own" and found.parties.is_free:
            self.assertLess(found.busy[1].sum(), 1e-6)
        again = run(plan, 0.4, seed)
        np.testing.assert_array_equal(found.turns, again.turns)
        np.testing.assert_array_equal(found.numbers, again.numbers)

    @settings(max_examples=many(25), deadline=None)
    @given(st.lists(st.tuples(st.integers(1, 3), st.integers(20, 400)), min_size=2, max_size=6), st.integers(1, 3))
    def test_saturated_it_is_the_division(self, guests: list[tuple[int, int]], cores: int) -> None:
        """When every vCPU always wants, over 20 s all get what the division says, within 2 %."""
        listed = [guest(f"g{i}", vcpus, shares=shares) for i, (vcpus, shares) in enumerate(guests)]
        plan = plan_on(cores, listed)
        division = divide(site_of(plan, {}))
        found = trace(division, "h", for_s=20.0)
        for i, given_mhz in enumerate(division.cpu.given.tolist()):
            self.assertAlmostEqual(found.of_things[f"g{i}"].run * 1000, given_mhz, delta=0.02 * given_mhz + 8)

    @settings(max_examples=many(20), deadline=None)
    @given(st.integers(2, 5), st.integers(1, 3), st.sampled_from([2, 6]))
    def test_more_weight_longer_turns_all_at_once(self, count: int, cores: int, turn: int) -> None:
        """More weight never runs less, longer turns never shorten equals' longest wait, together is never more."""
        guests = [guest(f"g{i}", 2) for i in range(count)]
        equal = run(plan_on(cores, guests, turn_ms=turn), 6.0)
        heavy = run(plan_on(cores, [guests[0] | {"cpu": {"shares": 300}}, *guests[1:]], turn_ms=turn), 6.0)
        self.assertGreaterEqual(heavy.of_things["g0"].run, equal.of_things["g0"].run - 0.02)
        slow = run(plan_on(cores, guests, turn_ms=3 * turn), 6.0)
        longest = [max(f.longest_ms for f in found.of_things.values()) for found in (equal, slow)]
        self.assertGreaterEqual(longest[1], longest[0] - 1e-6)
        together = run(plan_on(cores, guests, turn_ms=turn, fellows="together"), 6.0)
        runs = [sum(f.run for f in found.of_things.values()) for found in (equal, together)]
        self.assertLessEqual(runs[1], runs[0] + 1e-6)


@st.composite
def plain_hosts(draw: st.DrawFn) -> Plan:
    """Draw one thread and what the slow twin knows: pools, weights, limits, sleepers of different lengths."""
    pools = [
        {"id": "p", "cpu": {"shares": draw(st.sampled_from([50, 300])), "limit": draw(st.sampled_from([None, 900]))}}
    ]
    guests = []
    for i in range(draw(st.integers(1, 4))):
        burst = {"ms": draw(st.sampled_from([3.1, 8, 29]))}
        guests.append(guest(
            f"g{i}", draw(st.integers(1, 2)), draw(st.sampled_from([0.15, 0.5, 0.8, 0.95])), burst=burst,
            pool=draw(st.sampled_from([None, "p"])), shares=draw(st.sampled_from([30, 100, 250])),
            limit=draw(st.sampled_from([None, None, 430])),
        ))  # fmt: skip
    return plan_on(1, guests, pools, turn_ms=draw(st.sampled_from([5, 12])))


class SlowTwin(unittest.TestCase):
    """The kernel and the rules in plain Python."""

    @settings(max_examples=many(60), deadline=None)
    @given(plain_hosts(), st.integers(0, 99))
    def test_turn_by_turn(self, plan: Plan, seed: int) -> None:
        """The same vCPUs on the same threads, from and to the same times."""
        parties = parties_of(divide(site_of(plan, {})), "h")
        rules = plan.rules.turns
        how = np.array([rules.turn_ms, 0.0, rules.rejoin_ms, rules.period_ms, t.OWN, 7.0, 0.0])
        found = run_parties(parties, how, for_ms=300.0, seed=seed, warm_ms=0.0)
        seeds = np.random.default_rng(seed).integers(1, 2**63, size=parties.numbers.shape[1]).tolist()
        slow = Slow(parties, seeds, rules.turn_ms, rules.rejoin_ms, rules.period_ms)
        slow.run(300.0)
        mine = sorted(map(tuple, found.turns[:4, found.turns[t.TURN_WHY] != t.WINDOW_OVER].T.tolist()), key=_order)
        theirs = sorted(slow.turns, key=_order)
        self.assertEqual([turn[:2] for turn in mine], [turn[:2] for turn in theirs])
        np.testing.assert_allclose(mine, theirs, atol=1e-5)


def _order(turn: tuple[float, ...]) -> tuple[float, ...]:
    return round(turn[3], 4), turn[0]


class Theory(unittest.TestCase):
    """Equal sleepers on one thread are the machine-repairman queue."""

    def test_repairman(self) -> None:
        """Busy part and mean number waiting as the queue M/M/1//N has them, within 5 %."""
        for count, duty in ((4, 0.2), (6, 0.1), (3, 0.5)):
            rho = duty / (1 - duty)
            weights = [math.factorial(count) / math.factorial(count - n) * rho**n for n in range(count + 1)]
            chances = [weight / sum(weights) for weight in weights]
            busy = 1 - chances[0]
            waiting = sum(max(n - 1, 0) * chance for n, chance in enumerate(chances))
            plan = plan_on(1, [guest(f"g{i}", duty=duty, burst={"ms": 5}) for i in range(count)])
            traces = [run(plan, 60.0, seed) for seed in range(4)]
            runs = np.mean([sum(f.run for f in found.of_things.values()) for found in traces])
            waits = np.mean([sum(f.wait for f in found.of_things.values()) for found in traces])
            with self.subTest(count=count, duty=duty):
                self.assertAlmostEqual(runs / busy, 1.0, delta=0.05)
                self.assertAlmostEqual(waits / waiting, 1.0, delta=0.05)


class Reports(unittest.TestCase):
    """Medians of windows."""

    def test_report(self) -> None:
        """The document has every thread, guest and pool; windows with following seeds; endings have words."""
        plan = plan_on(2, [guest("a", 2, 0.5, pool="p"), guest("b", 1, 0.7)], [{"id": "p"}], width=2)
        report = report_of(divide(site_of(plan, {})), "h", for_s=1.0, windows=3, seed=5)
        document = report.to_json()
        self.assertEqual([row["core"] for row in document["threads"]], [0, 0, 1, 1])
        self.assertEqual([row["id"] for row in document["guests"]], ["b", "a"])
        self.assertEqual([row["id"] for row in document["pools"]], ["p"])
        row = document["guests"][1]
        self.assertAlmostEqual(row["run"] + row["wait"] + row["held"] + row["off"] + row["asleep"], 2.0, delta=0.05)
        self.assertEqual((document["windows"], document["seed"]), (3, 5))
        self.assertEqual(len(ENDINGS), t.WINDOW_OVER + 1)
