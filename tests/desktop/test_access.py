"""What a screen reader finds: the window driven by keys under a real display, read through the accessibility bus."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any, ClassVar

from ruvex.desktop.state.figures import figure
from ruvex.desktop.state.units import GHZ, GIB
from ruvex.divide import Division, divide
from ruvex.plan import Plan, read_plan
from ruvex.play import Player, division_at
from ruvex.site import site_of
from tests.demo import DEMO, ROOT

AT_S = 29_400.0


class FromOutside(unittest.TestCase):
    """Names, roles, values and states on the bus, at 08:10 of the demo."""

    found: ClassVar[dict[str, list[dict[str, Any]]]]
    settled: ClassVar[Division]
    played: ClassVar[Division]
    plan: ClassVar[Plan]

    @classmethod
    def setUpClass(cls) -> None:
        """Go through the window once, reading it after each step."""
        with tempfile.TemporaryDirectory() as folder:
            out = Path(folder) / "found.json"
            done = subprocess.run(
                ["dbus-run-session", "--", "xvfb-run", "-a", sys.executable, "-m", "tests.desktop.access", str(out)],
                cwd=ROOT, capture_output=True, text=True, check=False, timeout=240,
            )  # fmt: skip
            assert out.exists(), done.stderr
            cls.found = json.loads(out.read_text(encoding="utf-8"))
        file = read_plan(DEMO)
        cls.settled = divide(site_of(file.plan, file.traces), AT_S)
        player = Player(site_of(file.plan, file.traces))
        player.run()
        played = division_at(player, AT_S)
        assert played is not None
        cls.played = played
        cls.plan = file.plan

    def those(self, step: str, role: str) -> list[dict[str, Any]]:
        """Give what was found of a role."""
        return [node for node in self.found[step] if node["role"] == role]

    def one(self, step: str, role: str, begins: str) -> dict[str, Any]:
        """Give the one of a role whose name begins so."""
        hits = [node for node in self.those(step, role) if (node["name"] or "").startswith(begins)]
        self.assertEqual(len(hits), 1, (step, role, begins, [node["name"] for node in self.those(step, role)]))
        return hits[0]

    def test_rows_are_a_tree_that_says_its_figures(self) -> None:
        """Every row has a name, a role and its figures; the current one is focused and selected."""
        names = [node["name"] for node in self.those("division", "tree item")]
        self.assertGreaterEqual(len(names), 44)
        for guest in ("ticket-db", "tide-model"):
            row = self.settled.position[guest]
            name = next(name for name in names if name.startswith(f"guest: {guest}"))
            for of, unit in ((self.settled.cpu, GHZ), (self.settled.memory, GIB)):
                self.assertIn(f"gets {figure(float(of.delivered[row]), unit)}", name)
                self.assertIn(f"wants {figure(float(of.wanted[row]), unit)}", name)
        current = [node["name"] for node in self.those("division", "tree item") if "focused" in node["states"]]
        selected = self.found["selected"][0]["id"]
        self.assertEqual(len(current), 1)
        self.assertTrue(current[0].startswith(f"guest: {selected}"), current)

    def test_head_dials_and_tools_have_names_values_and_states(self) -> None:
        """Moment, chips, views, dials: what each is, what it stands at, and which is chosen."""
        by_host = self.settled.by_host
        for at, host in enumerate(self.plan.hosts):
            chip = self.one("division", "push button", f"Host {host.label}")
            wanted = 100 * float(by_host.wanted[0, at]) / float(by_host.supply[0, at])
            self.assertIn(f"CPU {wanted:.0f}", chip["name"])
            self.assertIn("focusable", chip["states"])
        self.assertEqual(len([n for n in self.found["division"] if (n["name"] or "").startswith("Moment 08:10")]), 1)
        self.assertIn("checked", self.one("division", "check box", "Division")["states"])
        self.assertNotIn("checked", self.one("division", "check box", "Timeline")["states"])
        self.assertIn("checked", self.one("division", "check box", "settled")["states"])
        fields = {node["name"]: node.get("text") for node in self.those("division", "text")}
        self.assertEqual((fields["limit"], fields["shares"]), ("no limit", "100"))
        tracks = [
            n["name"] for n in self.found["division"] if (n["name"] or "").startswith(("CPU track", "Memory track"))
        ]
        self.assertEqual(len(tracks), 2)
        self.assertTrue(all("delivered" in name for name in tracks), tracks)
        supply = next(n["name"] for n in self.found["division"] if (n["name"] or "").startswith("Supply: CPU"))
        self.assertIn(f"wanted {figure(self.settled.cpu.total_wanted, GHZ)}", supply)

    def test_everything_that_takes_the_keyboard_has_a_name(self) -> None:
        """Whoever comes to it by Tab hears what it is, in every view and sheet that was read."""
        silent = ("filler", "layered pane", "scroll bar", "tree", "table", "viewport", "frame", "panel", "scroll pane")
        for step in ("division", "why", "told", "timeline", "list"):
            for node in self.found[step]:
                if "focusable" in node["states"] and node["role"] not in silent:
                    self.assertTrue(node["name"], (step, node))

    def test_notices_and_refusals_are_read(self) -> None:
        """What is told and what is refused stands there whole."""
        names = [node["name"] or "" for node in self.found["told"]]
        self.assertIn("Nothing was pasted.", names)
        self.assertTrue(any(name.startswith("Not accepted: more for sailing. The supply is short") for name in names))

    def test_why_is_read(self) -> None:
        """The ladder, who has it, and each offer with its gain and who pays."""
        names = [node["name"] or "" for node in self.found["why"]]
        ladders = [name for name in names if "delivered" in name and "wanted" in name and ";" in name]
        self.assertTrue(ladders)
        offers = [n["name"] for n in self.those("why", "push button") if (n["name"] or "").startswith("+")]
        self.assertTrue(offers and all(" pay" in name or "nobody pays" in name for name in offers), offers)

    def test_lanes_are_read_at_the_crosshair(self) -> None:
        """Hosts, pools and guests say what was played; a batch job says when it is due and done."""
        names = [node["name"] for node in self.those("timeline", "tree item")]
        self.assertEqual(sum(name.startswith("host: ") for name in names), len(self.plan.hosts))
        row = self.played.position["ticket-db"]
        name = next(name for name in names if name.startswith("guest: ticket-db"))
        self.assertIn(f"CPU {figure(float(self.played.cpu.delivered[row]), GHZ)}", name)
        job = next(name for name in names if name.startswith("guest: tide-model"))
        self.assertRegex(job, r"batch due 04:40, late 06:\d\d")

    def test_the_list_is_read_cell_by_cell(self) -> None:
        """A cell says whose figure it is, and which."""
        cells = [node["name"] or "" for node in self.found["list"] if "cell" in node["role"]]
        self.assertTrue(any(": CPU wanted " in name for name in cells), cells[:20])
        self.assertTrue(any(": CPU delivered " in name for name in cells), cells[:20])
