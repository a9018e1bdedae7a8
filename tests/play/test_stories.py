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

from ruvex.plan import change_settings, read_plan
from ruvex.play import GuestSummary, Plain, Player, Summary
from ruvex.play.happenings import Boots
from ruvex.site import site_of
from ruvex.words import entry_text
from tests.demo import DEMO
from tests.play.site import check, guest_of

STORIES = sorted((DEMO.parent / "stories").glob("*.ruvex.json"))
GIB = 1024


@cache
def played(name: str, tick_s: float = 1.0) -> Player:
    """Play a story, or the demo plan, and keep it for all tests."""
    path = next(path for path in (*STORIES, DEMO) if name in path.name)
    file = read_plan(path)
    player = Player(site_of(file.plan.model_copy(update={"tick_s": tick_s}), file.traces), watch=check)
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
            subprocess.run([sys.executable, str(DEMO.parent / "make_stories.py"), folder], check=True)
            made = {path.name: path.read_bytes() for path in Path(folder).iterdir()}
        self.assertEqual({path.name: path.read_bytes() for path in STORIES}, made)
        self.assertEqual(len(made), 7)
        for path in STORIES:
            self.assertGreater(len(read_plan(path).plan.notes), 80, path.name)

    def test_sale(self) -> None:
        """It grows within seconds, the second sale falls into the giving back and lacks nothing, then it gives back."""
        self.assertEqual(at("sale", "fare-desk", "backed", 360), 5.5 * GIB)
        self.assertGreater(at("sale", "fare-desk", "backed", 1560), 10 * GIB)
        self.assertEqual(at("sale", "fare-desk", "backed", 2700 + 230), at("sale", "fare-desk", "backed", 1600))
        giving = at("sale", "fare-desk", "backed", 3110)
        self.assertLess(giving, at("sale", "fare-desk", "backed", 1600))
        self.assertEqual(at("sale", "fare-desk", "met", 3130), 1)
        self.assertLess(at("sale", "fare-desk", "backed", 7190), giving - GIB)
        self.assertEqual(list(self.of("sale", "fare-desk").below_s), ["still growing"])

    def test_tight_restart(self) -> None:
        """The restart goes ahead with disk, the cold start is refused, and passes once a neighbour lowers its floor."""
        self.assertGreater(at("tight-restart", "ramp-control", "bridged", 1230), 2 * GIB)
        self.assertEqual(at("tight-restart", "ramp-control", "bridged", 1300), 0)
        (bridge,) = played("tight-restart").summary().bridges
        self.assertEqual((bridge.guest, bridge.at_s, bridge.mib), ("ramp-control", 1200, 3.5 * GIB))
        (refused,) = entries("tight-restart", "refused")
        self.assertEqual((refused.target, refused.at_s), ("ramp-control", 2700))
        boots = [e.at_s for e in entries("tight-restart", "start", "ramp-control") if isinstance(e.what, Boots)]
        self.assertEqual(boots[0], 1200)
        self.assertTrue(3600 < boots[1] < 3720)
        self.assertIn("boot from disk", self.of("tight-restart", "ramp-control").below_s)

    def test_bank(self) -> None:
        """Too small from 00:30 on, others lend, the raise at 01:00 mends it, and the volume left is too small."""
        (refused,) = entries("bank", "refused")
        self.assertEqual(refused.target, "kiosk-4")
        self.assertIn("the largest free one has 4.00", entry_text(refused, played("bank").site.plan))
        self.assertGreater(at("bank", "kiosk-2", "balloon", 3000), 500)
        self.assertLess(at("bank", "kiosk-1", "pace", 3000), 0.9)
        self.assertIn("bank", self.of("bank", "kiosk-1").below_s)
        self.assertEqual(at("bank", "kiosk-1", "pace", 5000), 1)
        self.assertEqual(self.of("bank", "ledger").worst_met, 1)

    def test_start_storm(self) -> None:
        """Boots take near two minutes where one alone takes 40 s; those of least shares wait and boot last."""
        starts = [e for e in entries("start-storm", "start") if isinstance(e.what, Boots)]
        self.assertEqual([e.target for e in starts[:2]], ["till-01", "till-02"])
        self.assertEqual({e.target for e in starts[-4:]}, {"till-07", "till-08", "till-09", "till-10"})
        booted = {e.target: e.at_s for e in entries("start-storm", "start") if e.what is Plain.BOOTED}
        self.assertGreater(booted["till-01"] - 600, 110)
        self.assertTrue(entries("start-storm", "wait", "till-10"))
        self.assertEqual(self.of("start-storm", "switchboard").unmet_s, 0)

    def test_own_limit(self) -> None:
        """Half the host idles while its own limits hurt; lifted, pace and wait are right, and nobody pays."""
        self.assertLess(at("own-limit", "pier-archive", "pace", 3000), 0.2)
        self.assertEqual(next(iter(self.of("own-limit", "pier-archive").below_s)), "own limit")
        self.assertGreater(played("own-limit").summary().places[0].least_free_mib, 14 * GIB)
        self.assertEqual(at("own-limit", "pier-archive", "pace", 4800), 1)
        self.assertEqual(at("own-limit", "pier-archive", "cpu_delivered", 4800), 5100)
        self.assertEqual(self.of("own-limit", "crew-portal").worst_met, 1)

    def test_greedy_database(self) -> None:
        """It grows to its ceiling, then into its neighbours' headroom; a small headroom of its own would stop it."""
        self.assertEqual(at("greedy-database", "catch-db", "visible", 2900), 10.5 * GIB)
        self.assertGreater(at("greedy-database", "catch-db", "visible", 7000), 14 * GIB)
        for name in ("quay-web", "quay-mail"):
            before, after = (at("greedy-database", name, "backed", time) for time in (2900, 7000))
            self.assertLess(after, before - 256)
            self.assertEqual(self.of("greedy-database", name).worst_pace, 1)
        plan = read_plan(next(path for path in STORIES if "greedy" in path.name)).plan
        small = Player(site_of(change_settings(plan, "catch-db", {"memory.headroom_percent": 4}), {}))
        small.run(2900)
        self.assertLess(float(small.state.given[0]), 5 * GIB)

    def test_lost_host(self) -> None:
        """Noticed after 43 s, its guests start by their turn; one stays off, one waits until the host comes up."""
        lost = 1800
        boots = {e.target: e for e in entries("lost-host", "start") if isinstance(e.what, Boots)}
        self.assertEqual(boots["ticket-desk"].at_s, lost + 43)
        self.assertGreaterEqual(boots["ramp-control"].at_s, lost + 43)
        self.assertEqual(boots["fare-engine"].at_s, 3600)
        self.assertEqual(boots["fare-engine"].what, Boots("slip-3"))
        self.assertNotIn("pier-archive", boots)
        self.assertEqual(at("lost-host", "ticket-desk", "cpu_delivered", lost + 20), 0)
        before, after = (at("lost-host", "crew-portal", "cpu_delivered", time) for time in (lost - 10, lost + 120))
        self.assertLess(after, before)

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
        """Every host is short at the rush, memory on one of them; two guests move at night, the tide model is late."""
        recording = played("orrin-sound").recording
        hours = recording.times_s / 3600
        pressure = recording.of_places("pressure")
        place = dict(zip(recording.place_ids, pressure, strict=True))
        self.assertEqual(recording.place_ids, ("skerry-1", "skerry-2", "breakwater", "skerry-2:bank"))
        self.assertEqual(place["skerry-1"][(hours > 7.5) & (hours < 10)].max(), 2)
        self.assertEqual(place["skerry-2"][(hours > 7.5) & (hours < 22)].max(), 0)
        self.assertEqual(pressure[:, hours < 6].max(), 0)
        wanted, supply = recording.of_places("cpu_wanted"), recording.of_places("cpu_supply")
        rush = (hours > 8) & (hours < 8.5)
        self.assertTrue(
            (wanted[:3, rush].max(axis=1) > supply[:3, rush].min(axis=1)).all(), "every host is short of CPU"
        )
        moves = [(m.guest, m.source, m.target) for m in played("orrin-sound").summary().moves]
        self.assertEqual(moves, [("mail", "breakwater", "skerry-2"), ("intranet", "breakwater", "skerry-1")])
        lowest = recording.series("pace").min(axis=0)
        self.assertLess(lowest[(hours > 7.5) & (hours < 10)].min(), 0.5)
        late = [f.late_s or 0 for f in played("orrin-sound").summary().finishes if f.guest == "tide-model"]
        self.assertGreater(max(late), 3600)
        self.assertTrue(np.isfinite(lowest).all())
