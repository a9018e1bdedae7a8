"""The site without a host, by cases that can be worked out."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any, ClassVar

from ruvex.advise import without_host, without_lines, worst_moment, worst_time
from ruvex.placing import Losses
from ruvex.plan import plan_text
from ruvex.play import Player
from ruvex.site import Site, site_of
from tests.advise.test_worth import HOST, HOUR, guest
from tests.builders import cpu_guest, plan_of
from tests.cli.inside import run

HOSTS = [HOST | {"id": "one", "memory_mib": 16_000}, HOST | {"id": "two", "memory_mib": 10_000}]
LOSS = {"loss": {"notice_s": 40}}


def site_with(guests: list[dict[str, Any]], **more: Any) -> Any:
    """Give a site of two hosts and two hours."""
    plan = plan_of(guests, hosts=HOSTS, day_s=2 * HOUR, moment=HOUR, rules=LOSS, **more)
    return site_of(plan, {})


GUESTS = [
    guest("large", host="one", memory={"mode": "fixed", "size": 9000}, boot_s=30),
    guest("small", host="one", boot_s=30),
    guest("stays", host="one", comes_back="stays-off"),
    guest("there", host="two"),
]


class WithoutAHost(unittest.TestCase):
    """Who comes back, who stays off, who is hurt."""

    def test_who_has_room_comes_back_and_the_others_stay_off(self) -> None:
        """Noticed after 40 s, booted 30 s later; too large for what is left, or told to stay off."""
        found = without_host(site_with(GUESTS), "one", HOUR)
        self.assertEqual([(one.guest, one.host) for one in found.back], [("small", "two")])
        self.assertAlmostEqual(found.back[0].after_s, 70, delta=6)
        self.assertEqual(found.off, ("large", "stays"))
        self.assertEqual(found.hurt, ())
        self.assertEqual((found.at_s, found.watched_s), (HOUR, 1800))

    def test_who_was_there_pays_for_who_comes_back(self) -> None:
        """Eight cores that two guests of six vCPUs each want whole: with one they have all, with both two thirds."""
        guests = [guest("a", 6000, 6, host="one", boot_s=10), guest("b", 6000, 6, host="two")]
        found = without_host(site_with(guests), "one", HOUR)
        self.assertEqual([one.guest for one in found.hurt], ["b"])
        was, now = found.hurt[0].cpu
        self.assertAlmostEqual(was, 1.0, places=6)
        # Half an hour, of which the other is booting or away for the first minute.
        self.assertAlmostEqual(now, 2 / 3, delta=0.02)

    def test_a_host_that_nobody_is_on_hurts_nobody(self) -> None:
        """Lost or not, all is as it was."""
        found = without_host(site_with([guest("b", host="two")]), "one", HOUR)
        self.assertEqual((found.back, found.off, found.hurt), ((), (), ()))

    def test_the_command_takes_each_host_in_turn(self) -> None:
        """A sentence a host, who and where; status 1 where somebody stays off, 2 for a host that is not there."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.ruvex.json"
            path.write_text(plan_text(site_with(GUESTS).plan), encoding="utf-8")
            done = run("without", str(path), "--at", "01:00")
            self.assertEqual(done.returncode, 1)
            self.assertIn("Without one: 1 of 3 guests runs again, the last after 1 min", done.stdout)
            self.assertIn("stay off: large, stays", done.stdout)
            self.assertIn("Without two: 1 of 1 guest runs again", done.stdout)
            two = run("without", str(path), "two", "--at", "01:00", "--json")
            self.assertEqual(two.returncode, 0)
            hosts = json.loads(two.stdout)["hosts"]
            self.assertEqual([(one["host"], [g["id"] for g in one["back"]], one["off"]) for one in hosts],
                             [("two", ["there"], [])])  # fmt: skip
            wrong = run("without", str(path), "three")
            self.assertEqual(wrong.returncode, 2)
            self.assertIn("there is no host 'three'; the plan has one, two", wrong.stderr)


class AtAnyTime(unittest.TestCase):
    """The very start of the day, guests that boot slowly, another host that is down by the plan itself."""

    HOSTS: ClassVar = [HOST | {"id": name, "memory_mib": 10_000} for name in ("a", "b", "c")]

    def site(self, guests: list[dict[str, Any]], **rest: Any) -> Site:
        """Give a site of three hosts of 10 000 MiB."""
        return site_of(plan_of(guests, host=None, hosts=self.HOSTS, **rest), {})

    def test_at_midnight_guests_only_start_with_the_plan(self) -> None:
        """Two guests of 8 000 MiB are on the host that is lost at 00:00, and others fill the rest: they stay off."""
        fixed = {"mode": "fixed", "size": 8000}
        small = {"mode": "fixed", "size": 2000}
        guests = [{"id": f"g{i}", "host": host, "memory": fixed} for i, host in enumerate("abc")]
        guests.append({"id": "g3", "host": "a", "memory": small})
        found = without_host(self.site(guests), "a", 0.0)
        self.assertEqual((found.off, [one.guest for one in found.back]), (("g0",), ["g3"]))

    def test_who_still_boots_is_not_off(self) -> None:
        """A guest that takes an hour to boot is on its way half an hour after the loss."""
        slow = {"id": "slow", "host": "a", "boot_s": 3600, "vcpus": 1, "memory": {"mode": "fixed", "size": 1000}}
        found = without_host(self.site([slow]), "a", 36_000.0)
        self.assertEqual((found.booting, found.off, found.back), (("slow",), (), ()))

    def test_the_worst_moment_is_one_of_the_usual_hosts(self) -> None:
        """Most is lacking while b is down by the plan; a loss is judged at the peak of the day instead."""
        levels = [["00:00", 500], ["08:00", 9000], ["09:00", 500], ["22:00", 8900], ["23:00", 500]]
        peak = {"kind": "steps", "at": levels}
        guests = [cpu_guest(f"g{i}", 0, vcpus=10) | {"host": host, "demand": {"cpu": peak, "working": 9, "touched": 9}}
                  for i, host in enumerate("aabbcc")]  # fmt: skip
        events = [{"at": "22:00", "do": "host-down", "target": "b"}, {"at": "23:30", "do": "host-up", "target": "b"}]
        site = self.site(guests, events=events)
        day = Player(site, record_s=60.0)
        day.run()
        self.assertEqual(worst_time(day) // 3600, 8)
        found = without_host(site, "a", 22.5 * 3600)
        self.assertEqual(found.down, ("b",))
        self.assertIn("while b is down by the plan", without_lines(found, site.plan)[0])

    def test_the_worst_moment_of_all_is_the_one_at_which_most_is_missing(self) -> None:
        """18 of 30 GHz at eight are more than 16 with 20 left while a host is down: so the chart has it."""
        for eight, ten, worst in ((8000, 6000, 8), (8000, 8000, 22)):
            peak = {"kind": "steps", "at": [["00:00", 500], ["08:00", eight], ["09:00", 500], ["22:00", ten]]}
            guests = [
                cpu_guest(f"g{i}", 0, vcpus=10)
                | {"boot_s": 0, "host": host, "demand": {"cpu": peak, "working": 9, "touched": 9}}
                for i, host in enumerate("aabbcc")
            ]
            day = Player(self.site(guests, events=[{"at": "22:00", "do": "host-down", "target": "b"}]), record_s=60.0)
            day.run()
            self.assertEqual(worst_moment(day.recording).at_s // 3600, worst)

    def test_who_stays_off_all_day_lacks_all_it_wants(self) -> None:
        """A guest that wants CPU all day and memory all day, and finds no host: 48 guest-hours more."""
        fixed = {"mode": "fixed", "size": 8000}
        guests = [cpu_guest(f"g{i}", 10) | {"host": host, "memory": fixed} for i, host in enumerate("abc")]
        loss = Losses(self.site(guests)).of("a")
        self.assertEqual([one.guest for one in loss.off], ["g0"])
        self.assertAlmostEqual(loss.after - loss.before, 48.0, places=6)
