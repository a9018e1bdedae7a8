"""Where guests are at home among the NUMA nodes of their host."""

from __future__ import annotations

import unittest

from ruvex.divide import Division, divide
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, plan_of


def homes(*guests: tuple[int, float]) -> list[list[int]]:
    """Give the nodes of guests of some vCPUs and MiB, on a host of ten cores and two nodes."""
    listed = [
        cpu_guest(f"g{i}", 100, vcpus=vcpus) | {"memory": {"mode": "fixed", "size": mib}}
        for i, (vcpus, mib) in enumerate(guests)
    ]
    first, nodes, _ = site_of(plan_of(listed, host=HOST | {"numa_nodes": 2}), {}).forest.homes
    return [nodes[first[i] : first[i + 1]].tolist() for i in range(len(guests))]


def divided_homes(nodes: int, *guests: tuple[int, float]) -> Division:
    """Divide guests of some vCPUs and MiB, all of which they work with, on a host of 9 cores and 15 000 MiB."""
    listed = [
        cpu_guest(f"g{i}", 0, vcpus=vcpus)
        | {"memory": {"mode": "fixed", "size": mib}, "demand": {"cpu": 0, "working": mib, "touched": mib}}
        for i, (vcpus, mib) in enumerate(guests)
    ]
    host = HOST | {"numa_nodes": nodes, "cores_per_socket": 9, "memory_mib": 15_000}
    return divide(site_of(plan_of(listed, host=host), {}))


class Homes(unittest.TestCase):
    """The largest first: to fewest vCPUs, then to the emptier node, then to the lowest number."""

    def test_fewest_vcpus_first(self) -> None:
        """The third goes beside two vCPUs, not beside three, though more memory is asked for there."""
        self.assertEqual(homes((2, 9000), (3, 8000), (1, 100)), [[0], [1], [0]])

    def test_among_equals_the_emptier_and_then_the_first(self) -> None:
        """Beside as many vCPUs it goes where a MiB less is asked for; where all is alike, to the first."""
        self.assertEqual(homes((2, 9000), (2, 8999), (1, 100)), [[0], [1], [1]])
        self.assertEqual(homes((2, 9000), (2, 9000), (1, 100)), [[0], [1], [0]])

    def test_who_has_two_homes_asks_each_for_a_half(self) -> None:
        """6 vCPUs and 5000 MiB on two of three nodes: beside 2500 each there is more room than beside 4000."""
        first, nodes, _ = divided_homes(3, (6, 5000), (3, 4000), (1, 100)).site.forest.homes
        self.assertEqual([nodes[first[i] : first[i + 1]].tolist() for i in range(3)], [[0, 1], [2], [0]])

    def test_what_a_node_is_asked_beyond_its_memory_is_far(self) -> None:
        """9000 MiB are asked of a node of 7500: a sixth of both guests there is far, and slows by 0.3 of that."""
        division = divided_homes(2, (2, 6000), (3, 4000), (1, 3000))
        for guest, pace in (("g0", 1 / (1 + 0.3 / 6)), ("g1", 1.0), ("g2", 1 / (1 + 0.3 / 6))):
            self.assertAlmostEqual(float(division.layers.pace[division.position[guest]]), pace, msg=guest)

    def test_wider_than_a_node(self) -> None:
        """Five vCPUs are one node's; six are at home on both, as is who is larger than a node's memory."""
        self.assertEqual(homes((5, 100)), [[0]])
        self.assertEqual(homes((6, 100)), [[0, 1]])
        elastic = {"mode": "elastic", "floor": 1000, "boot": 2000}
        for ceiling, expected in ((50_000, [[0]]), (50_001, [[0, 1]])):
            guest = cpu_guest("g", 100, vcpus=1) | {"memory": elastic | {"ceiling": ceiling}}
            first, nodes, _ = site_of(plan_of([guest], host=HOST | {"numa_nodes": 2}), {}).forest.homes
            self.assertEqual([nodes[: first[1]].tolist()], expected, "as wide as it may grow")
        half = HOST["memory_mib"] / 2
        self.assertEqual((homes((1, half)), homes((1, half + 1))), ([[0]], [[0, 1]]))
