"""Where guests can be moved: who may go to a host, which hosts take some, and how a host is emptied."""

from __future__ import annotations

import unittest
from typing import Any

from ruvex.placing import empty_host, hosts_for, obstacle_to
from ruvex.site import Site, site_of
from tests.builders import HOST, cpu_guest, plan_of

HOSTS = [HOST | {"id": name, "memory_mib": mib} for name, mib in (("one", 90_000), ("two", 60_000), ("three", 55_000))]


def fixed(name: str, mib: float, host: str = "one", **more: Any) -> dict[str, Any]:
    """Describe a guest of fixed memory, without anything beside it."""
    return cpu_guest(name, 0) | {"host": host, "memory": {"mode": "fixed", "size": mib}} | more


def site_with(*guests: dict[str, Any], hosts: list[dict[str, Any]] = HOSTS, **rest: Any) -> Site:
    """Give a site of three hosts."""
    flat = {"guest_overhead": {"fixed_mib": 0, "per_vcpu_mib": 0, "percent_of_size": 0}}
    return site_of(plan_of(list(guests), hosts=hosts, rules=flat, **rest), {})


class Emptying(unittest.TestCase):
    """One guest after the other, each to where most room is by then."""

    def test_who_is_on_and_claims_most_goes_first(self) -> None:
        """30 000 MiB to two with its 60 000, then 10 000 to three with its 55 000; who is off goes last."""
        site = site_with(fixed("off", 50_000, power="off"), fixed("small", 10_000), fixed("large", 30_000))
        self.assertEqual(
            empty_host(site, "one").moves, (("large", "two"), ("small", "three"), ("off", "three"))
        )  # 45 000 are left on three, 30 000 on two

    def test_those_that_belong_together_go_to_one_host(self) -> None:
        """40 000 MiB together find a place on two; each by itself would leave the other."""
        rules = [{"kind": "together", "guests": ["a", "b"]}]
        site = site_with(fixed("a", 20_000), fixed("b", 20_000), placement=rules)
        found = empty_host(site, "one")
        self.assertEqual((found.moves, found.stuck), ((("a", "two"), ("b", "two")), ()))


class Places(unittest.TestCase):
    """What keeps a guest from a host."""

    def test_where_it_is_is_no_place_to_move_it_to(self) -> None:
        """The roomiest of the others first; for two that are apart, where one is counts."""
        site = site_with(fixed("a", 1000), fixed("b", 1000, "two"))
        self.assertEqual(hosts_for(site, ["a"]), ["two", "three"])
        self.assertEqual(hosts_for(site, ["a", "b"]), ["one", "two", "three"])

    def test_a_host_of_a_lower_level(self) -> None:
        """A guest that names the level its programs see goes to no host of a lower one."""
        hosts = [host | {"cpu_level": level} for host, level in zip(HOSTS, (3, 3, 2), strict=True)]
        site = site_with(fixed("a", 1000, power="off", cpu_level=3), hosts=hosts)
        self.assertIsNone(obstacle_to(site, ["a"], "two"))
        obstacle = obstacle_to(site, ["a"], "three")
        assert obstacle is not None
        self.assertIn("of a lower level", obstacle.rule)
