"""Where guests are at home among the NUMA nodes of their host."""

from __future__ import annotations

import unittest

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


class Homes(unittest.TestCase):
    """The largest first: to fewest vCPUs, then to the emptier node, then to the lowest number."""

    def test_fewest_vcpus_first(self) -> None:
        """The third goes beside two vCPUs, not beside three, though more memory is asked for there."""
        self.assertEqual(homes((2, 9000), (3, 8000), (1, 100)), [[0], [1], [0]])

    def test_among_equals_the_emptier_and_then_the_first(self) -> None:
        """Beside as many vCPUs it goes where a MiB less is asked for; where all is alike, to the first."""
        self.assertEqual(homes((2, 9000), (2, 8999), (1, 100)), [[0], [1], [1]])
        self.assertEqual(homes((2, 9000), (2, 9000), (1, 100)), [[0], [1], [0]])

    def test_wider_than_a_node(self) -> None:
        """Five vCPUs are one node's; six are at home on both, as is who is larger than a node's memory."""
        self.assertEqual(homes((5, 100)), [[0]])
        self.assertEqual(homes((6, 100)), [[0, 1]])
        half = HOST["memory_mib"] / 2
        self.assertEqual((homes((1, half)), homes((1, half + 1))), ([[0]], [[0, 1]]))
