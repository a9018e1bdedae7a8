"""The site without a host as it settles, and what must be set aside, by cases that can be worked out."""

from __future__ import annotations

import unittest
from typing import Any

from ruvex.placing import Losses
from ruvex.plan import Plan
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, plan_of

HOSTS = [HOST | {"id": "one"}, HOST | {"id": "two"}]
"""10 GHz and 100 000 MiB each."""


def fixed(name: str, mib: float, host: str, **more: Any) -> dict[str, Any]:
    """Describe a guest of fixed memory that wants nothing else."""
    return cpu_guest(name, 0) | {"host": host, "memory": {"mode": "fixed", "size": mib}} | more


def losses(guests: list[dict[str, Any]], hosts: list[dict[str, Any]] = HOSTS, **rest: Any) -> tuple[Losses, Plan]:
    """Give what the losses of a plan's hosts come to."""
    plan = plan_of(guests, hosts=hosts, **rest)
    return Losses(site_of(plan, {})), plan


class Lost(unittest.TestCase):
    """Who comes back where, who stays off, who lacks more."""

    def test_in_their_turn_to_where_most_room_is(self) -> None:
        """The plan's own turn first, then memory shares; each to the host with most memory left by then."""
        hosts = [*HOSTS, HOST | {"id": "three", "memory_mib": 90_000}]
        guests = [
            fixed("late", 30_000, "one", comes_back=2), fixed("first", 40_000, "one", comes_back=1),
            fixed("much", 20_000, "one", memory={"mode": "fixed", "size": 20_000, "shares": 300}),
            fixed("never", 1000, "one", comes_back="stays-off"), fixed("huge", 95_000, "two"),
        ]  # fmt: skip
        found, _ = losses(guests, hosts)
        loss = found.of("one")
        # 5 000 are left on two, 90 000 on three: all go there as long as it has more.
        self.assertEqual(loss.back, (("first", "three"), ("late", "three"), ("much", "three")))
        self.assertEqual([(one.guest, one.is_told) for one in loss.off], [("never", True)])
        # 90 000 of three and 5 000 of two are no place for 95 000.
        lost = found.of("two")
        self.assertEqual((lost.back, lost.off[0].guest), ((), "huge"))
        assert lost.off[0].lacks is not None
        self.assertEqual((lost.off[0].lacks.kind, lost.off[0].lacks.place), ("host-memory", "three"))

    def test_what_is_set_aside_is_for_a_loss(self) -> None:
        """95 000 of the 100 000 MiB that are left, of which 45 % are set aside: all may be used for who comes back."""
        guests = [fixed("a", 50_000, "one"), fixed("b", 45_000, "two")]
        found, _ = losses(guests, rules={"set_aside_percent": {"memory": 45}})
        self.assertEqual(found.of("one").back, (("a", "two"),))

    def test_who_is_back_takes_room_from_who_comes_next(self) -> None:
        """50 000 MiB are left on two and 45 000 on three: the first goes to two, and the second to three by then."""
        hosts = [*HOSTS, HOST | {"id": "three"}]
        guests = [fixed("a", 20_000, "one"), fixed("b", 20_000, "one"), fixed("c", 50_000, "two")]
        found, _ = losses([*guests, fixed("d", 55_000, "three")], hosts)
        self.assertEqual(found.of("one").back, (("a", "two"), ("b", "three")))

    def test_a_guest_of_a_bank_comes_back_to_a_bank(self) -> None:
        """The other host has none: no promise is lacking, there is no place."""
        bank = {"size_mib": 9000, "max_mib": 9000, "spill_volumes": [{"id": "v", "mib": 9000}]}
        guest = cpu_guest("a", 0) | {"host": "one", "memory": {"mode": "thin", "size": 4000, "bank": True}}
        found, _ = losses([guest], [HOSTS[0] | {"bank": bank}, HOSTS[1]])
        (off,) = found.of("one").off
        self.assertEqual((off.guest, off.lacks), ("a", None))

    def test_who_was_there_lacks_more(self) -> None:
        """Two of 8 GHz each alone, then together on 10: 3/8 of a day each."""
        found, _ = losses([cpu_guest("a", 8000) | {"host": "one"}, cpu_guest("b", 8000) | {"host": "two"}])
        loss = found.of("one")
        self.assertAlmostEqual(loss.before, 0)
        self.assertAlmostEqual(loss.after, 2 * 24 * 3 / 8)
        self.assertEqual([one.guest for one in loss.hurt], ["a", "b"])
        self.assertAlmostEqual(loss.hurt[1].hours, -9)

    def test_links_are_shared_with_who_comes_back(self) -> None:
        """80 MiB/s each on links of 100: alone neither lacks, together each has 50; who stays off lacks all of it."""
        hosts = [HOST | {"id": name, "links": [{"id": "a", "mib_s": 100}]} for name in ("one", "two")]
        guests = [cpu_guest(name, 100) | {"host": host} for name, host in (("a", "one"), ("b", "two"))]
        for guest in guests:
            guest["demand"]["net_mib_s"] = 80
        loss = Losses(site_of(plan_of(guests, hosts=hosts), {})).of("one")
        self.assertAlmostEqual(loss.before, 0)
        self.assertAlmostEqual(loss.after, 2 * 24 * 3 / 8)
        self.assertEqual([one.guest for one in loss.hurt], ["a", "b"])
        guests[0]["cpu_level"] = 4
        rest = [hosts[0] | {"cpu_level": 4}, hosts[1] | {"cpu_level": 2}]
        loss = Losses(site_of(plan_of(guests, hosts=rest), {})).of("one")
        self.assertEqual([one.guest for one in loss.off], ["a"])
        # Of CPU and of its network; it works with no memory.
        self.assertAlmostEqual(loss.after, 2 * 24)

    def test_rules_and_levels_bind_who_comes_back(self) -> None:
        """A rule keeps one apart from whoever is there; the other sees a level that the host has not."""
        guests = [fixed("a", 10, "one"), fixed("b", 10, "two"), fixed("seen", 10, "one", cpu_level=5)]
        hosts = [HOSTS[0] | {"cpu_level": 5}, HOSTS[1] | {"cpu_level": 4}]
        found, _ = losses(guests, hosts, placement=[{"kind": "apart", "guests": ["a", "b"]}])
        loss = found.of("one")
        self.assertEqual([(one.guest, one.lacks, one.is_told) for one in loss.off],
                         [("a", None, False), ("seen", None, False)])  # fmt: skip


class SettingAside(unittest.TestCase):
    """The least that lets everybody come back."""

    def test_half_of_two_alike(self) -> None:
        """Ten guests of 18 000 on two hosts of 100 000: five fit on one of them, so half must be left."""
        guests = [fixed(f"g{i}", 18_000, "one" if i % 2 else "two") for i in range(10)]
        reserve = losses(guests)[0].reserve()
        # With 46 % aside six may be on, which are 108 000; with 47 % five, and they do fit.
        self.assertEqual((reserve.cpu_percent, reserve.memory_percent), (0, 47))
        self.assertEqual(reserve.too_many, ("g5", "g6", "g7", "g8", "g9"))
        self.assertEqual(reserve.stuck, ())

    def test_nothing_where_there_is_room(self) -> None:
        """Two small guests need nothing."""
        reserve = losses([fixed("a", 100, "one"), fixed("b", 100, "two")])[0].reserve()
        self.assertEqual((reserve.cpu_percent, reserve.memory_percent, reserve.too_many), (0, 0, ()))

    def test_cpu_where_that_is_short(self) -> None:
        """Reservations of 6 GHz on each: one host cannot keep both."""
        guests = [
            cpu_guest("a", 6000, reservation=6000) | {"host": "one"},
            cpu_guest("b", 6000, reservation=6000) | {"host": "two"},
        ]
        reserve = losses(guests)[0].reserve()
        # 12 of 20 GHz are claimed; with more than 40 % aside b may not be on.
        self.assertEqual((reserve.cpu_percent, reserve.memory_percent, reserve.too_many), (41, 0, ("b",)))

    def test_what_no_percentage_mends(self) -> None:
        """Spill space over there is too small, or the guest is larger than any other host: each is told."""
        hosts = [HOSTS[0] | {"spill_mib": 50_000}, HOSTS[1] | {"spill_mib": 50_000, "memory_mib": 40_000}]
        thin = cpu_guest("spilled", 0) | {"host": "one", "memory": {"mode": "thin", "size": 60_000}}
        hosts[0]["spill_mib"] = 70_000
        reserve = losses([thin, fixed("huge", 60_000, "one")], hosts)[0].reserve()
        self.assertEqual({one.guest: one.lacks and one.lacks.kind for one, _ in reserve.stuck},
                         {"spilled": "spill", "huge": "memory"})  # fmt: skip
        self.assertEqual((reserve.cpu_percent, reserve.memory_percent), (0, 0))
