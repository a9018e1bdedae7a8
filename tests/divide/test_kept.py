"""Cores that guests are kept to: examples by hand, and against linear programs."""

from __future__ import annotations

import unittest
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.advise import refusal_of
from ruvex.divide import Division, causes_of, divide
from ruvex.plan import Plan, change_settings
from ruvex.play import Player
from ruvex.promise import admit_in_order
from ruvex.site import site_of
from ruvex.words import refusal_text
from tests.builders import HOST, cpu_guest, plan_of
from tests.laws.cores_twin import Cores
from tests.thorough import many

FOUR = HOST | {"mhz": 1000, "cores_per_socket": 4}


def division_of(plan: Plan) -> Division:
    """Divide a plan at its moment."""
    return divide(site_of(plan, {}), plan.moment)


def kept(name: str, demand: float, *cores: int, **more: Any) -> dict[str, Any]:
    """Describe a guest that is kept to some cores, or to none."""
    vcpus = more.pop("vcpus", 4)
    wish = {"cores": {"only": list(cores)}} if cores else {}
    return cpu_guest(name, demand, vcpus=vcpus, pool=more.pop("pool", None), **more) | wish


class ByHand(unittest.TestCase):
    """Hosts of four cores of 1 000 MHz."""

    def delivered(self, *guests: dict[str, Any], host: Any = FOUR, **rest: Any) -> list[float]:
        """Give what each guest is given, settled; what it plays at the start of a day is the same."""
        plan = plan_of(list(guests), host=host, **rest)
        found = division_of(plan)
        settled = [float(found.cpu.delivered[found.position[guest["id"]]]) for guest in guests]
        player = Player(site_of(plan, {}), until_s=60.0, record_s=10.0)
        player.run()
        np.testing.assert_allclose(player.recording.series("cpu_delivered")[:, -1], settled, rtol=1e-5, atol=1e-3)
        return [round(amount, 6) for amount in settled]

    def test_two_on_one_core(self) -> None:
        """Both are kept to core 0 and want 4 000: they have its 1 000, two to one by their shares."""
        self.assertEqual(
            self.delivered(kept("a", 4000, 0, shares=200), kept("b", 4000, 0, shares=100)), [666.666667, 333.333333]
        )

    def test_what_they_cannot_use_goes_to_the_others(self) -> None:
        """By shares alone each would have 2 000; two kept to core 0 have 500 each, the third the other 3 000."""
        self.assertEqual(self.delivered(kept("a", 4000, 0), kept("b", 4000, 0), kept("c", 4000)), [500, 500, 3000])

    def test_a_set_that_is_large_enough_changes_nothing(self) -> None:
        """600 and 400 on a core of 1 000 is just what it has; 1 MHz more is not."""
        self.assertEqual(self.delivered(kept("a", 600, 0), kept("b", 400, 0), kept("c", 4000)), [600, 400, 3000])
        self.assertEqual(self.delivered(kept("a", 600, 0), kept("b", 401, 0), kept("c", 4000)), [599, 401, 3000])

    def test_overlapping_sets(self) -> None:
        """Core 0, core 1, and both of them: three guests share two cores, and the one kept to both is not the loser."""
        found = self.delivered(kept("a", 4000, 0), kept("b", 4000, 0, 1), kept("c", 300, 1))
        self.assertEqual(found, [850, 850, 300])

    def test_promises_first(self) -> None:
        """Of core 0 one is promised 800: the other has the 200 that are left."""
        self.assertEqual(
            self.delivered(kept("a", 4000, 0, reservation=800), kept("b", 4000, 0, shares=900)), [800, 200]
        )

    def test_more_is_promised_than_the_core_has(self) -> None:
        """800 and 400 of 1 000: both have their part of it, and it is said that this cannot be kept."""
        plan = plan_of([kept("a", 4000, 0, reservation=800), kept("b", 4000, 0, reservation=400)], host=FOUR)
        found = division_of(plan)
        np.testing.assert_allclose(found.cpu.delivered, [1000 * 2 / 3, 1000 / 3])
        self.assertTrue(found.cpu.broken)

    def test_shares_within_pools(self) -> None:
        """On core 0 pool p (200) stands against b (100), as on a machine of their own: 667 for p's guest, 333 for b."""
        pools = [{"id": "p", "cpu": {"shares": 200}}]
        self.assertEqual(
            self.delivered(kept("a", 4000, 0, pool="p"), kept("b", 4000, 0), pools=pools), [666.666667, 333.333333]
        )

    def test_what_a_pool_has_no_more_for_goes_to_its_fellow_there(self) -> None:
        """Pool p may have 700 and c in it takes 400 elsewhere; a has the 300 left of it, and b all else of the core."""
        pools = [{"id": "p", "cpu": {"limit": 700}}]
        found = self.delivered(
            kept("a", 4000, 0, pool="p", shares=300),
            kept("c", 4000, pool="p", shares=400),
            kept("b", 4000, 0),
            pools=pools,
        )
        self.assertEqual(found, [300, 400, 700])

    def test_beside_cores_of_their_own(self) -> None:
        """Core 3 is one guest's own: who is kept to cores 2 and 3 has core 2 alone."""
        own = cpu_guest("own", 100, vcpus=1) | {"dedicated_cores": True}
        self.assertEqual(self.delivered(own, kept("a", 4000, 2, 3), kept("b", 4000)), [1000, 1000, 2000])

    def test_second_threads_of_cores_that_somebody_owns_are_nobody_elses(self) -> None:
        """Of four cores at 1.25 with second threads two are owned: all others have 2.5, and nothing if all four are."""
        host = HOST | {"cores_per_socket": 4, "threads_per_core": 2, "smt_yield": 0.25}
        for owned, wants, expected in ((2, 8000, 2500), (2, 2400, 2250), (4, 8000, 0), (0, 8000, 5000)):
            guests = [cpu_guest("b", wants, vcpus=8)]
            guests += [cpu_guest("own", 100, vcpus=owned) | {"dedicated_cores": True}] if owned else []
            plan = plan_of(guests, host=host)
            division = divide(site_of(plan, {}))
            self.assertAlmostEqual(division.cpu.delivered[division.position["b"]], expected, msg=str((owned, wants)))
            player = Player(site_of(plan, {}))
            player.run(600)
            self.assertAlmostEqual(float(player.recording.series("cpu_delivered")[0, 30]), expected, delta=0.01)

    def test_what_the_hypervisor_takes_slows_all_cores_alike(self) -> None:
        """400 of 4000 MHz are the hypervisor's: a core of 1000 gives 900."""
        found = self.delivered(kept("a", 4000, 0), cpu_guest("b", 4000), host=FOUR | {"overhead_mhz": 400})
        self.assertEqual(found, [900, 2700])

    def test_side_by_side(self) -> None:
        """Two vCPUs keep to one core of two threads that gain a quarter: 1 250 of their 2 000."""
        host = FOUR | {"threads_per_core": 2, "smt_yield": 0.25}
        near = cpu_guest("near", 2000, vcpus=2) | {"cores": {"side_by_side": True}}
        self.assertEqual(self.delivered(near, host=host), [1250])

    def test_the_cause_is_said(self) -> None:
        """Who is kept back by its core is told so, and who is kept back by the host is not."""
        found = division_of(plan_of([kept("a", 4000, 0), kept("b", 4000, 0), kept("c", 4000)], host=FOUR))
        words = [causes_of(found, "cpu").word(row) for row in range(3)]
        self.assertEqual(words, ["cores it is kept to", "cores it is kept to", "supply"])


@st.composite
def hosts(draw: st.DrawFn, *, pools: bool) -> Plan:
    """Draw a host of up to five cores whose guests are kept to some of them."""
    cores = draw(st.integers(1, 5))
    amounts = st.one_of(st.sampled_from([0, 300, 1000, 4000]), st.floats(1, 5000))
    names = [f"p{i}" for i in range(draw(st.integers(0, 3)))] if pools else []
    trees = [
        {"id": name, "parent": draw(st.sampled_from([None, *names[:i]])),
         "cpu": {"shares": draw(st.sampled_from([50, 100, 300])), "limit": draw(st.sampled_from([None, 900, 2500])),
                 "reservation": draw(st.sampled_from([0, 0, 400]))}}
        for i, name in enumerate(names)
    ]  # fmt: skip
    guests = []
    for i in range(draw(st.integers(1, 6))):
        only = draw(st.one_of(st.just([]), st.lists(st.integers(0, cores - 1), min_size=1, max_size=3, unique=True)))
        shares, pool = draw(st.sampled_from([50, 100, 300.5])), draw(st.sampled_from([None, *names]))
        guests.append(kept(f"g{i}", draw(amounts), *only, shares=shares, pool=pool, vcpus=5))
    return plan_of(guests, trees, host=HOST | {"mhz": 1000, "cores_per_socket": cores})


class AgainstLinearPrograms(unittest.TestCase):
    """What cores can give is a transport problem, which a solver of linear programs knows nothing else of."""

    @staticmethod
    def cores_of(plan: Plan) -> Cores:
        """Give the cores of the only host."""
        return Cores([1000.0] * plan.hosts[0].cores, [guest.cores.only for guest in plan.guests])

    @settings(max_examples=many(60), deadline=None)
    @given(hosts(pools=False))
    def test_levels_on_a_host_without_pools(self, plan: Plan) -> None:
        """Every guest gets what it has when all levels are raised alike as long as cores can follow."""
        found = division_of(plan)
        given_ = np.array([found.cpu.delivered[found.position[g.id]] for g in plan.guests])
        weights = np.array([guest.cpu.shares for guest in plan.guests])
        caps = np.array([min(found.cpu.cap[found.position[g.id]], 1e9) for g in plan.guests])
        slow = self.cores_of(plan).levels(weights, np.zeros(weights.size), caps)
        np.testing.assert_allclose(given_, slow, rtol=1e-4, atol=0.05)

    @settings(max_examples=many(80), deadline=None)
    @given(hosts(pools=True))
    def test_possible_and_nothing_left(self, plan: Plan) -> None:
        """In nested pools with limits: the cores can give it, and nobody could have more unless another had less."""
        found = division_of(plan)
        given_ = np.array([found.cpu.delivered[found.position[g.id]] for g in plan.guests])
        caps = np.array([found.cpu.cap[found.position[g.id]] for g in plan.guests])
        cores = self.cores_of(plan)
        self.assertTrue(cores.is_possible(given_))
        groups = []
        for pool in plan.pools:
            inside = {pool.id}
            for other in plan.pools:  # parents come before their children here
                if other.parent in inside:
                    inside.add(other.id)
            members = [i for i, guest in enumerate(plan.guests) if guest.pool in inside]
            if pool.cpu.limit is not None:
                groups.append((members, pool.cpu.limit + 1e-6))
        self.assertLess(cores.more(given_, caps, groups), 0.05)


class Promised(unittest.TestCase):
    """Promises to guests that are kept to cores: no more than these have."""

    def test_a_core_promises_what_it_has_and_no_more(self) -> None:
        """700 of core 0 are promised: 300 more are accepted, 301 are not, and it is said where."""
        plan = plan_of([kept("a", 100, 0, reservation=700), kept("b", 100, 0)], host=FOUR)
        for more, fits in ((300.0, True), (301.0, False)):
            site = site_of(plan, {})
            refusal = refusal_of(site, lambda p, m=more: change_settings(p, "b", {"cpu.reservation": m}), ["b"])
            self.assertEqual(refusal is None, fits)
        assert refusal is not None
        self.assertEqual((refusal.kind, refusal.place, round(refusal.shortfall, 6)), ("cores", "h", 1.0))
        self.assertIn("cores that guests are kept to by 1", refusal_text(plan, refusal))
        self.assertEqual(refusal.holders[0], ("a", 700.0))

    def test_overlapping_sets_are_counted_together(self) -> None:
        """Kept to 0, to 1, and to both: 2 000 are there for all three, though each set by itself has room."""
        guests = [kept("a", 1, 0, reservation=900), kept("b", 1, 1, reservation=900), kept("c", 1, 0, 1)]
        site = site_of(plan_of(guests, host=FOUR), {})
        for more, fits in ((200.0, True), (200.1, False)):
            refused = refusal_of(site, lambda p, m=more: change_settings(p, "c", {"cpu.reservation": m}), ["c"])
            self.assertEqual(refused is None, fits)

    def test_starting_one_after_the_other(self) -> None:
        """Three want 400 each of core 0: two start, the third waits for the core; one elsewhere starts all the same."""
        off = [kept(name, 1, 0, reservation=400) | {"power": "off"} for name in "abc"]
        site = site_of(plan_of([*off, kept("d", 1, 2, reservation=400) | {"power": "off"}], host=FOUR), {})
        admitted, waiting = admit_in_order(site, ["a", "b", "c", "d"])
        self.assertEqual(admitted, ["a", "b", "d"])
        self.assertEqual([(one.guest, one.kind, one.place) for one in waiting], [("c", "cores", "h")])
        self.assertAlmostEqual(waiting[0].shortfall, 200.0)
