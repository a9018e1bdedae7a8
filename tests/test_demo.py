"""The demo plan is what its story says, and its traces are what the script makes."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

import numpy as np

from ruvex.divide import compile_plan, day_of, divide
from ruvex.plan import ElasticMemory, read_plan

DEMO = Path(__file__).resolve().parents[1] / "demo"


class Demo(unittest.TestCase):
    """Orrin Sound Ferries."""

    def setUp(self) -> None:
        """Read the plan."""
        self.file = read_plan(DEMO / "orrin-sound.ruvex.json")
        self.compiled = compile_plan(self.file.plan, self.file.traces)

    def test_traces_are_made_by_the_script(self) -> None:
        """The committed traces are byte for byte what the script writes."""
        with tempfile.TemporaryDirectory() as folder:
            subprocess.run([sys.executable, str(DEMO / "make_traces.py"), folder], check=True)
            for path in (DEMO / "traces").iterdir():
                self.assertEqual(path.read_bytes(), (Path(folder) / path.name).read_bytes(), path.name)

    def test_day_is_as_told(self) -> None:
        """CPU is short in the morning and relaxed at noon; memory is tight from the morning to the night."""
        day = day_of(self.compiled)
        ratio = day.wanted / day.supply
        hour = day.times_s / 3600
        self.assertGreater(ratio[0, (hour > 7.5) & (hour < 9)].min(), 1.2)
        self.assertLess(ratio[0, (hour > 11) & (hour < 14)].max(), 0.8)
        self.assertGreater(ratio[0, (hour > 17) & (hour < 17.5)].max(), 1.02)
        self.assertLess(ratio[1, hour < 6].max(), 0.9)
        self.assertGreater(ratio[1, hour > 8.2].min(), 1.0)
        self.assertGreater(np.ptp(day.wanted[1, hour > 9]), 5 * 1024)

    def test_mistakes_are_there(self) -> None:
        """The site has the honest mistakes that the README points out."""
        plan, morning, noon = self.file.plan, divide(self.compiled), divide(self.compiled, 12 * 3600)
        guests = {guest.id: guest for guest in plan.guests}
        at = morning.position
        self.assertTrue(24 <= len(guests) <= 32)
        self.assertEqual({g.memory.mode for g in plan.guests}, {"fixed", "elastic", "thin"})
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
        self.assertGreater(guests["files"].vcpus * 2600, 10 * morning.cpu.wanted[at["files"]])
        intranet = guests["intranet"].memory
        self.assertIsInstance(intranet, ElasticMemory)
        self.assertFalse(guests["intranet"].agent)
        self.assertEqual(morning.memory.delivered[at["intranet"]], intranet.size)
