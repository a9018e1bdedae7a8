"""What another choice would make of a guest's work and of waits, by cases that can be worked out."""

from __future__ import annotations

import unittest
from typing import Any

from ruvex.cores import NoCoresError, answer_of, crowd_of, limited_answer, vcpu_answers, vcpu_choices
from ruvex.divide import Division, divide
from ruvex.plan import Guest
from ruvex.site import site_of
from tests.cores.host import MHZ, guest, plan_on


def division_on(cores: int, guests: list[dict[str, Any]], **more: Any) -> Division:
    """Divide one host with these guests."""
    return divide(site_of(plan_on(cores, guests, **more), {}))


class Questions(unittest.TestCase):
    """More vCPUs, a limit, a crowd."""

    def test_more_vcpus_do_more_work_until_it_is_all_done_and_others_wait_for_it(self) -> None:
        """Work for four vCPUs on a host of four threads, beside one that always wants and weighs a quarter."""
        busy = guest("wide", 8, 0.5)
        division = division_on(4, [busy, guest("other", 1, shares=25)], fellows="own")
        found = vcpu_answers(division, "h", "wide", windows=3)
        self.assertEqual(list(found), [2, 4, 8, 16])
        work = {vcpus: answer.own.worked_mhz for vcpus, answer in found.items() if answer.own is not None}
        self.assertAlmostEqual(work[2], 2 * MHZ, delta=0.01 * MHZ)
        self.assertAlmostEqual(work[4], 3.2 * MHZ, delta=0.05 * MHZ, msg="four fifths of four threads")
        self.assertLess(work[16], 3.3 * MHZ)
        self.assertEqual(found[2].neighbours.longest_ms, 0.0, "three want to run, four threads are there")
        self.assertGreater(found[16].neighbours.longest_ms, 0.0)
        self.assertEqual(division.site.plan.guests[0].vcpus, 8, "the plan is as it was")

    def test_a_limit_at_half_does_half_the_work_with_pauses(self) -> None:
        """Four vCPUs that always want, at half: as much work as two, but each is off for half of the time."""
        division = division_on(4, [guest("wide", 4, reservation=3000), guest("other", 1)])
        limited, two = (
            limited_answer(division, "h", "wide", 0.5, windows=3),
            vcpu_answers(division, "h", "wide", windows=3)[2],
        )
        assert limited.own is not None and two.own is not None
        self.assertAlmostEqual(limited.own.worked_mhz, two.own.worked_mhz, delta=0.02 * MHZ)
        self.assertAlmostEqual(limited.own.off, 2.0, delta=0.3)
        self.assertGreater(limited.own.longest_ms, two.own.longest_ms + 20)

    def test_a_crowd_is_as_large_as_the_wait_that_is_borne(self) -> None:
        """On one thread each of n that always want waits for n − 1 turns of 12 ms."""
        division = division_on(1, [guest("a")])
        found = crowd_of(division, "h", "a", 30.0)
        self.assertEqual((found.most, found.is_all), (2, False))
        waits = {copies: round(p95) for copies, _, p95 in found.tried}
        self.assertEqual({n: waits[n] for n in (0, 1, 2, 3)}, {0: 0, 1: 12, 2: 24, 3: 36})
        self.assertEqual(next(per_core for n, per_core, _ in found.tried if n == 2), 3.0)
        crowded = division_on(1, [guest("a"), guest("b"), guest("c"), guest("d")])
        self.assertIsNone(crowd_of(crowded, "h", "a", 30.0).most)
        self.assertTrue(crowd_of(division, "h", "a", 1e9, for_s=0.05, windows=1).is_all)

    def test_copies_stand_beside_the_guest_without_its_promises(self) -> None:
        """A reservation of all there is, cores of its own and a crowded name do not keep copies out."""
        keen = guest("a", reservation=1000, shares=300)
        division = division_on(2, [keen, guest("a-like-1", 1, 0.1)])
        self.assertIsNotNone(crowd_of(division, "h", "a", 20.0, for_s=0.5, windows=1).most)

    def test_a_crowd_that_is_no_longer_asked_for_ends(self) -> None:
        """What is known so far is given."""
        asked = iter([True, False])
        found = crowd_of(division_on(1, [guest("a")]), "h", "a", 200.0, goes_on=lambda: next(asked, False))
        self.assertLessEqual(len(found.tried), 3)
        self.assertFalse(found.is_all)

    def test_who_is_not_there_has_no_answer_of_its_own(self) -> None:
        """Off, or nobody: only the others are told; and it has no crowd."""
        division = division_on(2, [guest("a"), guest("b", power="off")])
        for name in ("b", None, "nobody"):
            answer = answer_of(division, "h", name, for_s=0.2, windows=1)
            self.assertIsNone(answer.own)
            self.assertEqual(answer.neighbours.vcpus, 1)
        with self.assertRaisesRegex(NoCoresError, "b is not on at h"):
            crowd_of(division, "h", "b", 20.0)

    def test_the_own_number_of_vcpus_is_among_the_choices(self) -> None:
        """Two, four, eight, sixteen and what it has."""
        self.assertEqual(vcpu_choices(Guest(id="a", vcpus=6)), (2, 4, 6, 8, 16))
        self.assertEqual(vcpu_choices(Guest(id="a", vcpus=8)), (2, 4, 8, 16))
