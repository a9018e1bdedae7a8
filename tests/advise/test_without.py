"""The site without a host, by cases that can be worked out."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

from ruvex.advise import without_host
from ruvex.plan import plan_text
from ruvex.site import site_of
from tests.advise.test_worth import HOST, HOUR, guest
from tests.builders import plan_of
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
            self.assertIn("Without one: 1 of 3 guests run again, the last after 1 min", done.stdout)
            self.assertIn("stay off: large, stays", done.stdout)
            self.assertIn("Without two: 1 of 1 guests run again", done.stdout)
            two = run("without", str(path), "two", "--at", "01:00", "--json")
            self.assertEqual(two.returncode, 0)
            hosts = json.loads(two.stdout)["hosts"]
            self.assertEqual([(one["host"], [g["id"] for g in one["back"]], one["off"]) for one in hosts],
                             [("two", ["there"], [])])  # fmt: skip
            wrong = run("without", str(path), "three")
            self.assertEqual(wrong.returncode, 2)
            self.assertIn("there is no host 'three'; the plan has one, two", wrong.stderr)
