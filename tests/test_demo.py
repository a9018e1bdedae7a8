"""The demo plan is what its story says, and its traces are what the script makes."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from ruvex.divide import day_of, divide, site_shares
from ruvex.plan import RESOURCES, ElasticMemory, Pool, read_plan
from ruvex.site import site_of
from tests.demo import DEMO


class Demo(unittest.TestCase):
    """Orrin Sound Ferries."""

    def setUp(self) -> None:
        """Read the plan."""
        self.file = read_plan(DEMO)
        self.site = site_of(self.file.plan, self.file.traces)

    def test_traces_are_made_by_the_script(self) -> None:
        """The committed traces are byte for byte what the script writes."""
        with tempfile.TemporaryDirectory() as folder:
            subprocess.run([sys.executable, str(DEMO.parent / "make_traces.py"), folder], check=True)
            for path in (DEMO.parent / "traces").iterdir():
                self.assertEqual(path.read_bytes(), (Path(folder) / path.name).read_bytes(), path.name)

    def test_day_is_as_told(self) -> None:
        """CPU is short on every host in the morning and relaxed at noon; memory is tight on one host only."""
        day = day_of(self.site)
        hour = day.times_s / 3600
        ratio = day.of_hosts[0] / day.of_hosts[1]
        self.assertTrue((ratio[0][:, (hour > 8) & (hour < 9)].max(axis=1) > 1.1).all())
        whole = day.wanted / day.supply
        self.assertGreater(whole[0, (hour > 7.5) & (hour < 8.5)].min(), 1.2)
        self.assertLess(whole[0, (hour > 11) & (hour < 15)].max(), 0.8)
        self.assertGreater(ratio[0][0, (hour > 17) & (hour < 17.5)].max(), 1.02)
        self.assertGreater(ratio[1][0, hour > 8.2].min(), 1.0)
        self.assertLess(whole[1].max(), 1.0)

    def test_mistakes_are_there(self) -> None:
        """The site has the honest mistakes that the README points out."""
        plan, morning, noon = self.file.plan, divide(self.site), divide(self.site, 12 * 3600)
        guests = {guest.id: guest for guest in plan.guests}
        at = morning.position
        self.assertTrue(36 <= len(guests) <= 44)
        self.assertEqual(len(plan.hosts), 3)
        self.assertEqual({g.memory.mode for g in plan.guests}, {"fixed", "elastic", "thin"})
        self.assertTrue(all(self.site.forest.is_spread), "no pool spans hosts")
        # A lone guest beside the pools gets all it wants while whole pools go short.
        self.assertEqual(morning.cpu.unmet[at["old-fare-kiosk"]], 0)
        # The crowded pool has more shares and gets more, and yet gives each member less.
        self.assertGreater(morning.cpu.delivered[at["office"]], morning.cpu.delivered[at["science"]])
        self.assertLess(morning.cpu.delivered[at["mail"]], morning.cpu.delivered[at["tide-model"]])
        # At noon there is CPU to spare and the forgotten limit still holds the cameras back.
        self.assertLess(noon.cpu.total_delivered, 0.8 * noon.cpu.supply)
        self.assertEqual(noon.cpu.delivered[noon.position["gate-cameras"]], guests["gate-cameras"].cpu.limit)
        self.assertGreater(noon.cpu.unmet[noon.position["gate-cameras"]], 2000)
        # A reservation nobody uses, a guest with far too many vCPUs, an elastic guest without its agent.
        self.assertLess(morning.cpu.wanted[at["payroll"]], 0.1 * guests["payroll"].cpu.reservation)
        self.assertGreater(guests["files"].vcpus * 2300, 10 * morning.cpu.wanted[at["files"]])
        intranet = guests["intranet"].memory
        self.assertIsInstance(intranet, ElasticMemory)
        self.assertFalse(guests["intranet"].agent)
        self.assertEqual(morning.memory.delivered[at["intranet"]], intranet.size)

    def test_numbers_are_uneven(self) -> None:
        """No two peers stand at a ratio of two, and no figure is one that everybody would choose."""
        plan, division = self.file.plan, divide(self.site)
        for resource in RESOURCES:
            groups: dict[str | None, list[float]] = {}
            for item in (*plan.pools, *plan.guests):
                parent = item.parent if isinstance(item, Pool) else item.pool
                groups.setdefault(parent, []).append(item.of(resource).shares)
            for shares in groups.values():
                self.assertFalse({2 * share for share in shares} & set(shares))
            parts = site_shares(division, division.of(resource))
            for pool in plan.pools:
                part = float(parts[division.position[pool.id]])
                for n in range(2, 7):
                    self.assertGreater(abs(part * n - round(part * n)) / n, 0.002, f"{pool.id} has {part} of the site")
        for guest in plan.guests:
            if isinstance(guest.memory, ElasticMemory):
                self.assertNotEqual(guest.memory.ceiling, 2 * guest.memory.boot)
                self.assertNotEqual(guest.memory.headroom_percent % 10, 0)
                self.assertNotEqual(guest.memory.boot % 1024, 0, "no boot size is a whole number of GiB")
