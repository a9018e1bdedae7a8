"""Pools with guests on several hosts: settings are split by what all would get as one machine (section 3)."""

from __future__ import annotations

import unittest
from typing import Any

from ruvex.divide import Division, divide
from ruvex.plan import plan_from
from ruvex.site import site_of
from tests.builders import HOST, PLAIN, cpu_guest, memory_guest


def division_of(guests: list[dict[str, Any]], pool: dict[str, Any] | None = None, **rest: Any) -> Division:
    """Divide guests on two hosts of 10 cores of 1000 MHz, at midnight; ``pool`` is the CPU of the one pool."""
    hosts = [HOST | {"id": "left"}, HOST | {"id": "right"}]
    pools = [] if pool is None else [{"id": "p", "cpu": pool}]
    data = {"format": "ruvex-plan", "version": 1, "name": "two", "hosts": hosts, "pools": pools, "guests": guests}
    return divide(site_of(plan_from(data | {"rules": PLAIN | rest.get("rules", {})}), {}), 0.0)


def on(host: str, guest: dict[str, Any]) -> dict[str, Any]:
    """Put a guest on a host."""
    return guest | {"host": host}


class ByHand(unittest.TestCase):
    """A pool with a guest on the left and one on the right, and guests beside it."""

    def has(self, division: Division, **expected: float) -> None:
        """Compare what guests are given of CPU."""
        for guest, mhz in expected.items():
            self.assertAlmostEqual(float(division.cpu.delivered[division.position[guest]]), mhz, places=3, msg=guest)

    def test_a_reservation_goes_where_more_than_the_floors_is_got(self) -> None:
        """As one machine a and b get 4000 and 2000 of the 6000 that are promised: so much is promised on each host.

        By what they ask for it would be 4800 and 1200.
        """
        guests = [on("left", cpu_guest("a", 8000, pool="p")), on("right", cpu_guest("b", 2000, pool="p"))]
        guests += [on(host, cpu_guest(f"beside-{host}", 10_000, shares=3000)) for host in ("left", "right")]
        self.has(division_of(guests, {"shares": 1000, "reservation": 6000}), a=4000, b=2000)

    def test_a_limit_goes_where_more_could_be_used(self) -> None:
        """As one machine the pool gets 6333 of the 9000 that it may have, 3167 for each guest.

        2667 are left: a could use 4833 more and b 833, so a has 3167 + 2667 · 4833 / 5667 of the half idle left host.
        """
        guests = [on("left", cpu_guest("a", 8000, pool="p")), on("right", cpu_guest("b", 4000, pool="p"))]
        guests += [on("left", cpu_guest("idle", 1000)), *(on("right", cpu_guest(f"r{i}", 10_000)) for i in range(2))]
        each, left = 19_000 / 3 / 2, 9000 - 19_000 / 3
        self.has(division_of(guests, {"limit": 9000}), a=each + left * (8000 - each) / (12_000 - 2 * each), idle=1000)

    def test_a_weight_goes_by_what_is_got_as_one_machine(self) -> None:
        """12 000 of 20 000 for the pool, 9000 of it for a: three quarters of its 3000 shares count on the left."""
        guests = [
            on("left", cpu_guest("a", 10_000, pool="p", shares=3000)),
            on("right", cpu_guest("b", 10_000, pool="p", shares=1000)),
            *(on(host, cpu_guest(f"beside-{host}", 10_000, shares=1000)) for host in ("left", "right")),
        ]
        division = division_of(guests, {"shares": 3000})
        self.has(division, a=10_000 * 2250 / 3250, b=10_000 * 750 / 1750)

    def test_promises_beyond_the_limit_are_cut_alike(self) -> None:
        """6000 are promised in a pool that may have 3000: half of each promise is there."""
        guests = [
            on("left", cpu_guest("a", 8000, pool="p", reservation=4000)),
            on("right", cpu_guest("b", 8000, pool="p", reservation=2000)),
        ]
        self.has(division_of(guests, {"limit": 3000}), a=2000, b=1000)

    def test_no_part_of_a_weight_is_nothing(self) -> None:
        """B asks for nothing now: its host's part of the shares is the least there is, and no error."""
        guests = [on("left", cpu_guest("a", 9000, pool="p")), on("right", cpu_guest("b", 0, pool="p"))]
        guests += [on(host, cpu_guest(f"beside-{host}", 10_000)) for host in ("left", "right")]
        self.has(division_of(guests, {"shares": 1000}), b=0, **{"beside-right": 10_000})

    def test_what_is_kept_free_has_a_most_and_comes_of_no_working_set(self) -> None:
        """4.3 % of 100 000 MiB are 4300, of which 2900 are kept; who works with 99 000 has them all."""
        full = {"mode": "thin", "size": 100_000}
        guests = [
            on("left", memory_guest("a", 99_000, 99_500, **full)),
            on("right", memory_guest("b", 500, 9000, **full)),
        ]
        division = division_of(guests, rules={"pressure": {}})
        self.assertEqual(division.by_host.kept.tolist(), [2900, 2900])
        self.assertAlmostEqual(float(division.memory.delivered[division.position["a"]]), 99_000)
