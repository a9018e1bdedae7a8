"""Every story beside the demo plan shows what its text says, and the demo's day what the README says."""

from __future__ import annotations

import subprocess
import sys
import tempfile
import unittest
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from ruvex.divide import compile_plan
from ruvex.plan import read_plan
from ruvex.play import GuestSummary, Player, Summary
from tests.play.site import check, guest_of

DEMO = Path(__file__).resolve().parents[2] / "demo"
STORIES = sorted((DEMO / "stories").glob("*.ruvex.json"))
GIB = 1024


@cache
def played(name: str, tick_s: float = 1.0) -> Player:
    """Play a story, or the demo plan, and keep it for all tests."""
    path = next(path for path in (*STORIES, DEMO / "orrin-sound.ruvex.json") if name in path.name)
    file = read_plan(path)
    player = Player(compile_plan(file.plan.model_copy(update={"tick_s": tick_s}), file.traces), watch=check)
    player.run()
    return player


def at(name: str, guest: str, channel: str, time_s: float) -> float:
    """Give a recorded figure of a story at a time."""
    recording = played(name).recording
    return float(recording.series(channel)[recording.guest_index[guest], recording.row_at(time_s)])


def recorded_max(name: str, guest: str, channel: str) -> float:
    """Give the highest recorded figure of a story."""
    recording = played(name).recording
    return float(recording.series(channel)[recording.guest_index[guest]].max())


def entries(name: str, kind: str, target: str = "") -> list[Any]:
    """Give the entries of a story's log of a kind, about something."""
    return [e for e in played(name).log if e.kind == kind and (not target or e.target == target)]


class Stories(unittest.TestCase):
    """Orrin Sound's second host, one thing at a time."""

    def of(self, name: str, guest: str) -> GuestSummary:
        """Give a guest's part of a story's summary."""
        found: GuestSummary = guest_of(played(name).summary(), guest)
        return found

    def test_stories_are_made_by_the_script(self) -> None:
        """The committed stories are byte for byte what the script writes, and each says what to watch."""
        with tempfile.TemporaryDirectory() as folder:
            subprocess.run([sys.executable, str(DEMO / "make_stories.py"), folder], check=True)
            made = {path.name: path.read_bytes() for path in Path(folder).iterdir()}
        self.assertEqual({path.name: path.read_bytes() for path in STORIES}, made)
        self.assertEqual(len(made), 6)
        for path in STORIES:
            self.assertEqual(read_plan(path).plan.notes.count(". ") + 1, 2, path.name)

    def test_squeeze(self) -> None:
        """It shrinks after its boot, grows within seconds, and gives back minutes after the need is over."""
        self.assertEqual(at("squeeze", "fare-desk", "backed", 360), 6 * GIB)
        self.assertLess(at("squeeze", "fare-desk", "backed", 600), 2 * GIB)
        self.assertGreater(at("squeeze", "fare-desk", "backed", 1860), 10 * GIB)
        self.assertGreater(at("squeeze", "fare-desk", "backed", 3000 + 200), 10 * GIB)
        self.assertLess(at("squeeze", "fare-desk", "backed", 5400), 3 * GIB)
        self.assertEqual(list(self.of("squeeze", "fare-desk").below_s), ["still growing"])

    def test_tight_restart(self) -> None:
        """The restart goes ahead with disk for part of its boot size; the same cold start is refused."""
        self.assertGreater(at("tight-restart", "ramp-control", "bridged", 1230), 2 * GIB)
        self.assertEqual(at("tight-restart", "ramp-control", "bridged", 1300), 0)
        self.assertEqual(len(entries("tight-restart", "bridge", "ramp-control")), 2)
        (refused,) = entries("tight-restart", "refused")
        self.assertEqual((refused.target, refused.at_s), ("ramp-control", 2700))
        self.assertIn("boot from disk", self.of("tight-restart", "ramp-control").below_s)

    def test_bank(self) -> None:
        """Too small from 00:30 on, others cede, the raise at 01:00 mends it, and one guest has no volume."""
        (refused,) = entries("bank", "refused")
        self.assertEqual(refused.target, "kiosk-4")
        self.assertGreater(at("bank", "kiosk-2", "balloon", 3000), 500)
        self.assertGreater(recorded_max("bank", "kiosk-1", "spilled"), 0)
        self.assertLess(at("bank", "kiosk-1", "pace", 3000), 0.5)
        self.assertEqual(at("bank", "kiosk-1", "spilled", 5000), 0)
        self.assertEqual(at("bank", "kiosk-1", "pace", 5000), 1)
        self.assertEqual(self.of("bank", "ledger").worst_met, 1)

    def test_start_storm(self) -> None:
        """Boots take over two minutes where one alone takes 40 s; those of least shares wait and boot last."""
        starts = [e for e in entries("start-storm", "start") if e.text.endswith(" boots")]
        self.assertEqual([e.target for e in starts[:2]], ["till-01", "till-02"])
        self.assertEqual({e.target for e in starts[-4:]}, {"till-07", "till-08", "till-09", "till-10"})
        booted = {e.target: e.at_s for e in entries("start-storm", "start") if e.text.endswith("has booted")}
        self.assertGreater(booted["till-01"] - 600, 120)
        self.assertTrue(entries("start-storm", "wait", "till-10"))
        self.assertEqual(self.of("start-storm", "switchboard").unmet_s, 0)

    def test_own_limit(self) -> None:
        """Half the host idles while its own limits hurt; lifted, pace and wait are right, and nobody pays."""
        self.assertLess(at("own-limit", "pier-archive", "pace", 3000), 0.2)
        self.assertEqual(next(iter(self.of("own-limit", "pier-archive").below_s)), "own limit")
        self.assertGreater(played("own-limit").summary().places[0].least_free_mib, 15 * GIB)
        self.assertEqual(at("own-limit", "pier-archive", "pace", 4800), 1)
        self.assertEqual(at("own-limit", "pier-archive", "cpu_delivered", 4800), 5200)
        self.assertEqual(self.of("own-limit", "crew-portal").worst_met, 1)

    def test_greedy_database(self) -> None:
        """It grows to each ceiling, its neighbours lose headroom, and it does not give back."""
        self.assertEqual(at("greedy-database", "catch-db", "visible", 3500), 10 * GIB)
        self.assertGreater(at("greedy-database", "catch-db", "visible", 7000), 17 * GIB)
        for name in ("quay-web", "quay-mail"):
            before, after = (at("greedy-database", name, "backed", time) for time in (3500, 7000))
            self.assertEqual((before, after), (6.5 * GIB, 5 * GIB))
        self.assertEqual([e.target for e in entries("greedy-database", "pressure")], ["slip-2"])

    def test_halving_the_tick_changes_little(self) -> None:
        """Half the tick changes no summary figure of any story by 2 % (or by a look of 5 s, or by 5 s of boot)."""
        for path in STORIES:
            with self.subTest(path.name):
                one, half = played(path.name).summary(), played(path.name, 0.5).summary()
                self.compare(one, half)

    def compare(self, one: Summary, half: Summary) -> None:
        """Compare the figures of two summaries."""
        for a, b in zip(one.guests, half.guests, strict=True):
            for name in ("on_s", "unmet_s", "peak_backed_mib", "reclaimed_mib", "fluid_wait", "worst_met"):
                x, y = getattr(a, name), getattr(b, name)
                slack = 5 if name.endswith("_s") else 64 if name.endswith("mib") else 0.005
                self.assertLessEqual(abs(x - y), max(0.02 * abs(x), slack), f"{a.id} {name}: {x} {y}")
            self.assertEqual(set(a.below_s), set(b.below_s), a.id)


class DemoDay(unittest.TestCase):
    """The demo's own day."""

    def test_morning_evening_and_a_late_batch(self) -> None:
        """Memory is squeezed in the morning and in the evening, and the tide model ends over an hour late."""
        recording = played("orrin-sound").recording
        hours = recording.times_s / 3600
        pressure = recording.site("pressure")
        self.assertGreaterEqual(pressure[(hours > 7.5) & (hours < 10)].max(), 2)
        self.assertEqual(pressure[hours < 6].max(), 0)
        lowest = recording.series("pace").min(axis=0)
        self.assertLess(lowest[(hours > 7.5) & (hours < 10)].min(), 0.5)
        self.assertLess(lowest[(hours > 17) & (hours < 22)].min(), 0.9)
        late = [f.late_s or 0 for f in played("orrin-sound").summary().finishes if f.guest == "tide-model"]
        self.assertGreater(max(late), 3600)
        self.assertTrue(np.isfinite(lowest).all())
