"""A site of 100 000 guests: read, divided, played, and told how far reading is."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path

from ruvex.divide import divide
from ruvex.plan import read_plan
from ruvex.play import Player
from ruvex.site import site_of
from tests.thorough import only_in_full

GUESTS = 100_000
HOSTS = 1250


class HundredThousand(unittest.TestCase):
    """Whatever is done with a site is done with a huge one."""

    @only_in_full
    def test_read_divided_and_played(self) -> None:
        """All that is delivered is no more than there is; a play goes on from tick to tick."""
        hosts = [
            {"id": f"h{i}", "sockets": 2, "cores_per_socket": 23, "mhz": 2700, "memory_mib": 390_000}
            for i in range(HOSTS)
        ]
        guests = [
            {"id": f"g{i}", "pool": f"p{i % 190}", "host": f"h{i % HOSTS}", "demand": {"cpu": 1700 + i % 300}}
            for i in range(GUESTS)
        ]
        pools = [{"id": f"p{i}"} for i in range(190)]
        document = {"format": "ruvex-plan", "version": 1, "hosts": hosts, "pools": pools, "guests": guests}
        told: list[tuple[str, float]] = []
        with tempfile.TemporaryDirectory() as name:
            path = Path(name) / "huge.ruvex.json"
            path.write_text(json.dumps(document), encoding="utf-8")
            file = read_plan(path, tell=lambda what, part: told.append((what, part)))
        self.assertGreater(len([part for what, part in told if what == "guests"]), 100)
        site = site_of(file.plan, file.traces)
        division = divide(site)
        self.assertGreater(division.cpu.total_wanted, 1.1 * division.cpu.supply)
        self.assertAlmostEqual(division.cpu.total_delivered / division.cpu.supply, 1.0, places=9)
        player = Player(site, until_s=20)
        player.run()
        self.assertEqual(player.now_s, 20)
