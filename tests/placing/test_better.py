"""Better places: against every placement there is, by hand, and while a plan is played."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

from ruvex.advise import without_host
from ruvex.divide import demand_at
from ruvex.placing import DayLack, better_places, obstacle_to, with_hosts
from ruvex.plan import THIN_SPACE, Plan, StoppedError, plan_text
from ruvex.play import Player
from ruvex.site import site_of
from ruvex.words import entry_text, places_text, summary_facts
from tests.builders import HOST, cpu_guest, plan_of
from tests.cli.inside import run
from tests.laws.advice import placed
from tests.laws.case import Case
from tests.placing.exhaustive import best_of_all, small_site
from tests.play.site import check
from tests.thorough import IS_FULL, many

SHAPES = ((2, 5), (3, 4), (2, 6), (3, 5), (2, 4), (3, 3), (2, 7), (2, 6), (3, 4), (2, 5))
"""Hosts and guests; in full one site more has three hosts and eight guests."""
HOSTS = [HOST | {"id": "one"}, HOST | {"id": "two"}]


def site_plan(guests: list[dict[str, Any]], hosts: list[dict[str, Any]] = HOSTS, **rest: Any) -> Plan:
    """Give a plan of two hosts of 10 GHz."""
    return plan_of(guests, hosts=hosts, **rest)


def busy(name: str, mhz: float, host: str, **more: Any) -> dict[str, Any]:
    """Describe a guest that only CPU matters of, on a host."""
    return cpu_guest(name, mhz) | {"host": host} | more


LINK = {"id": "a", "mib_s": 100}


def talker(name: str, host: str) -> dict[str, Any]:
    """Describe a guest that only its traffic matters of, 80 MiB/s."""
    guest = busy(name, 100, host)
    return guest | {"demand": guest["demand"] | {"net_mib_s": 80}}


FEW = many(49, 6)


class AgainstEveryPlacement(unittest.TestCase):
    """No placement gains much more, and none as much with much fewer moves."""

    def _compare(self, seed: int, hosts: int, guests: int) -> float:
        site = small_site(seed, hosts, guests)
        day = DayLack(site, [demand_at(site, at_h * 3600.0) for at_h in (3, 9, 18)], 8.0)
        found = better_places(site, day=day)
        most, moves = best_of_all(site, day)
        if most < max(0.01 * found.before, 0.01):
            self.assertEqual(found.steps, ())
            return 0.0
        gain = found.before - found.after
        self.assertGreaterEqual(gain, 0.95 * most)
        self.assertLessEqual(len(found.moves), moves + 1)
        self.assertLessEqual(found.worst[2], found.worst[1])
        # What is told of the steps adds up, and is what the measure says of the plan they lead to.
        self.assertAlmostEqual(sum(step.hours for step in found.steps), gain)
        moved = site.with_plan(with_hosts(site.plan, found.moves))
        self.assertAlmostEqual(float(day.of(moved.standing.host).sum()), found.after)
        return most

    def test_fifty_sites(self) -> None:
        """At least 95 % of what the best placement gains, with at most one move more."""
        gained = [self._compare(seed, *SHAPES[seed % len(SHAPES)]) for seed in range(FEW)]
        if IS_FULL:
            gained.append(self._compare(1, 3, 8))
        self.assertGreater(sum(most > 0 for most in gained), 0.6 * FEW)


class ByHand(unittest.TestCase):
    """What is moved, what is not, and what is said of it."""

    def test_the_one_move_that_takes_all_away(self) -> None:
        """Two that want 8 GHz on a host of 10 lack a fifth of a day and more; each on its own has all."""
        site = site_of(site_plan([busy("a", 8000, "one"), busy("b", 8000, "one")]), {})
        found = better_places(site)
        # Each gets 5 of 8 GHz: 3/8 of 24 hours, twice.
        self.assertAlmostEqual(found.before, 2 * 24 * 3 / 8)
        self.assertAlmostEqual(found.after, 0)
        self.assertAlmostEqual(found.as_one, 0)
        (step,) = found.steps
        self.assertEqual(step.moves, (("a", "one", "two"),))
        self.assertAlmostEqual(step.hours_of["cpu"], 18)
        self.assertEqual([one.guest for one in step.gains], ["a", "b"])
        self.assertEqual(step.reason.replace(THIN_SPACE, " "), "one lacks 6.00 GHz at 00:30, two has 10.0 GHz to spare")
        self.assertEqual(found.closed, 1)

    def test_a_short_network_is_a_reason_to_move(self) -> None:
        """Two that ask for 80 MiB/s on links of 100 have 50 each; the other host has links as good, or none at all."""
        for there, told in (([LINK], "two has 100.0 MiB/s to spare"), ([], "two has no links that bound it")):
            with self.subTest(told):
                hosts = [HOSTS[0] | {"links": [LINK]}, HOSTS[1] | {"links": there}]
                found = better_places(site_of(site_plan([talker("a", "one"), talker("b", "one")], hosts), {}))
                self.assertAlmostEqual(found.before, 2 * 24 * 3 / 8)
                (step,) = found.steps
                self.assertEqual(step.moves, (("a", "one", "two"),))
                self.assertEqual({of: round(hours, 6) for of, hours in step.hours_of.items()},
                                 {"cpu": 0, "memory": 0, "store": 0, "link": 18})  # fmt: skip
                self.assertAlmostEqual(found.after, 0)
                self.assertEqual(step.reason.replace(THIN_SPACE, " "), f"one lacks 60.0 MiB/s at 00:30, {told}")
                # As one machine they have links of 200, or still those of 100 alone.
                self.assertAlmostEqual(found.as_one, 0 if there else 18)

    def test_disks_are_lacked_on_every_host(self) -> None:
        """A store that is short is the site's: no move helps, and what is lacked counts."""
        stores = [{"id": "s", "ops": 100}]
        guests = [busy(name, 100, "one", disks=[{"id": "d", "store": "s"}]) for name in "ab"]
        for guest in guests:
            guest["demand"]["ops"] = 80
        found = better_places(site_of(site_plan(guests, stores=stores), {}))
        self.assertEqual(found.steps, ())
        for hours in (found.before, found.as_one):
            self.assertAlmostEqual(hours, 2 * 24 * 3 / 8)

    def test_an_exchange_where_no_move_alone_would_do(self) -> None:
        """7 and 6 GHz on one host, 4 and 3 on the other: moving either only turns the want round; two change places."""
        guests = [busy("a", 7000, "one"), busy("b", 6000, "one"), busy("c", 4000, "two"), busy("d", 3000, "two")]
        found = better_places(site_of(site_plan(guests), {}))
        self.assertAlmostEqual(found.after, 0, places=6)
        self.assertEqual(len(found.moves), 2)
        (step,) = found.steps
        self.assertIn({(guest, to) for guest, _, to in step.moves},
                      [{("b", "two"), ("d", "one")}, {("a", "two"), ("c", "one")}])  # fmt: skip

    def test_who_may_not_move_stays(self) -> None:
        """Cores of its own, another maker, a rule that keeps it, a promise that is not to be had over there."""
        crowd = [busy("a", 8000, "one"), busy("b", 8000, "one")]
        cases = {
            "cores": {"guests": [{**guest, "dedicated_cores": True, "vcpus": 5} for guest in crowd]},
            "maker": {"hosts": [HOSTS[0] | {"cpu_maker": "x"}, HOSTS[1] | {"cpu_maker": "y"}]},
            "level": {"hosts": [HOSTS[0] | {"cpu_level": 3}, HOSTS[1] | {"cpu_level": 2}]},
            "stays": {"placement": [{"kind": "stays", "guests": ["a", "b"], "hosts": ["one"]}]},
            "together": {"placement": [{"kind": "together", "guests": ["a", "b"]}]},
            "down": {"hosts": [HOSTS[0], HOSTS[1] | {"up": False}]},
            "promise": {"guests": [
                *({**guest, "memory": {"mode": "fixed", "size": 9000}} for guest in crowd),
                busy("full", 1, "two") | {"memory": {"mode": "fixed", "size": 95_000}}]},
        }  # fmt: skip
        for name, changed in cases.items():
            with self.subTest(name):
                arguments: dict[str, Any] = {"guests": crowd} | changed
                found = better_places(site_of(site_plan(arguments.pop("guests"), **arguments), {}))
                self.assertEqual(found.steps, ())
                if name != "cores":
                    self.assertIn("Nothing is worth moving: no places", places_text(found, site_plan(crowd)))

    def test_who_is_kept_to_cores_goes_only_where_they_are(self) -> None:
        """Kept to core 9 of ten, a guest may go to no host of nine, however idle, by no way; to one of ten it goes."""
        for cores, goes in ((9, False), (10, True)):
            hosts = [HOST | {"id": "one"}, HOST | {"id": "two", "cores_per_socket": cores}]
            guests = [
                busy("kept", 900, "one", cores={"only": [8, 9]}),
                busy("own", 2000, "one", cores={"only": [8, 9]}),
            ]
            plan = site_plan(guests, hosts)
            site = site_of(plan, {})
            self.assertEqual(better_places(site).moves != (), goes)
            obstacle = obstacle_to(site, ["kept"], "two")
            told = "" if obstacle is None else obstacle.rule
            self.assertEqual(told, "" if goes else "kept is kept to core 9, which two has not")
            self.assertEqual(without_host(site, "one", 0.0).off, () if goes else ("kept", "own"))
            move = [{"at": 60, "do": "move", "target": "kept", "host": "two"}]
            player = Player(site_of(site_plan(guests, hosts, events=move), {}), until_s=600)
            player.run()
            self.assertEqual(int(player.state.host[0]), 1 if goes else 0)

    def test_who_names_no_host_goes_where_there_is_room_then(self) -> None:
        """A large one that moves to *two* sends *loose* to *one*: its gain is told with that, as the plan has it."""
        large = busy("large", 6000, "one") | {"memory": {"mode": "fixed", "size": 50_000}}
        stays = [{"kind": "stays", "guests": [name], "hosts": [host]} for name, host in (("a", "one"), ("b", "two"))]
        hosts = [HOST | {"id": "one", "cores_per_socket": 8}, HOST | {"id": "two", "cores_per_socket": 12}]
        loose = cpu_guest("loose", 4000, vcpus=8)
        plan = site_plan([busy("a", 5500, "one"), large, busy("b", 500, "two"), loose], hosts, placement=stays)
        site = site_of(plan, {})
        self.assertEqual(site.standing.host[3], 1)
        steps = better_places(site).steps
        self.assertTrue(steps)
        self.assertEqual(list(placed(Case(plan))), [])

    def test_nobody_that_lacks_most_is_left_with_less(self) -> None:
        """A small guest would have all on the other host, and its neighbour too; whoever has least there would pay."""
        hosts = [HOSTS[0] | {"cores_per_socket": 1}, HOSTS[1]]
        small = [busy("a", 500, "one", vcpus=1), busy("b", 700, "one", vcpus=1)]
        there = [busy("poor", 10_000, "two"), busy("rich", 9000, "two")]
        there[0]["cpu"], there[1]["cpu"] = {"shares": 20}, {"shares": 400}
        stays = {"kind": "stays", "guests": ["poor", "rich"], "hosts": ["two"]}
        found = better_places(site_of(site_plan([*small, *there], hosts, placement=[stays]), {}))
        self.assertEqual((found.steps, found.worst[0]), ((), "poor"))
        found = better_places(site_of(site_plan([*small, there[1]], hosts), {}))
        self.assertEqual(found.moves, (("a", "two"),))

    def test_a_small_site_is_searched_broadly(self) -> None:
        """24 guests on two hosts are, whoever of them can move, and one that is off does not count; 25 are not."""
        looked = {}
        for count in (24, 25):
            movable = [busy(f"m{i}", 3000 + 400 * i, "one") for i in range(6)]
            fixed = [busy(f"f{i}", 10, "two") for i in range(count - 6)]
            stays = {"kind": "stays", "guests": [guest["id"] for guest in fixed], "hosts": ["two"]}
            off = busy("off", 10, "two") | {"power": "off"}
            found = better_places(site_of(site_plan([*movable, *fixed, off], placement=[stays]), {}))
            self.assertTrue(found.steps)
            looked[count] = found.looked_at
        self.assertGreater(looked[24], 3 * looked[25])

    def test_where_all_have_all(self) -> None:
        """Nothing is moved for its own sake."""
        plan = site_plan([busy("a", 3000, "one"), busy("b", 3000, "one")])
        found = better_places(site_of(plan, {}))
        self.assertEqual((found.steps, found.before), ((), 0))
        self.assertEqual(places_text(found, plan), "Nothing is worth moving: nobody lacks anything over the day")

    def test_it_can_be_stopped(self) -> None:
        """Whoever is told how far it is may end it."""

        def stop(_part: float) -> None:
            raise StoppedError("stopped")

        site = site_of(site_plan([busy("a", 8000, "one"), busy("b", 8000, "one")]), {})
        with self.assertRaises(StoppedError):
            better_places(site, stop=stop)

    def test_the_command(self) -> None:
        """What to move, what it gains, why, who pays; the same as JSON."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.ruvex.json"
            path.write_text(plan_text(site_plan([busy("a", 8000, "one"), busy("b", 8000, "one")])), encoding="utf-8")
            said = run("places", str(path))
            self.assertEqual(said.returncode, 0)
            self.assertIn("1 move: 18.0 guest-hours lacking over the day become 0.0", said.stdout)
            self.assertIn("1. a from one to two: 18.00 guest-hours of CPU gained", said.stdout)
            self.assertIn("pay: nobody", said.stdout)
            document = json.loads(run("places", str(path), "--json").stdout)
            self.assertEqual(document["steps"][0]["moves"], [{"id": "a", "from": "one", "to": "two"}])
            self.assertAlmostEqual(document["lacking_hours"]["after"], 0)


class OverTime(unittest.TestCase):
    """Moves that a play makes by itself."""

    def _played(self, **rules: Any) -> Player:
        guests = [busy("a", 8000, "one"), busy("b", 8000, "one")]
        plan = site_plan(guests, rules={"balancing": "over-time"} | rules, day_s=900, moment=0)
        player = Player(site_of(plan, {}), watch=check)
        player.run()
        return player

    def test_the_best_move_is_begun_at_the_first_look(self) -> None:
        """After 200 s, and both have all; it is told in the log and in the summary why it moved."""
        player = self._played(balance_every_s=200)
        (move,) = player.summary().moves
        self.assertEqual((move.guest, move.target, move.at_s, move.relieves), ("a", "two", 200, 1))
        delivered = player.recording.series("cpu_delivered")[:, [10, 80]]
        self.assertEqual(delivered.round().tolist(), [[5000, 8000], [5000, 8000]])
        said = "\n".join(entry_text(entry, player.site.plan) for entry in player.log)
        self.assertIn("a sets out for two: it takes away 100 % of what its host's guests lack", said)
        self.assertIn("to place it better", "\n".join(summary_facts(player.summary(), player.site.plan)))

    def test_what_gains_too_little_is_left(self) -> None:
        """Two against two that want a little more or less: the most there is to gain is below what is asked for."""
        self.assertEqual(self._played(balance_every_s=200, balance_least_percent=100).summary().moves, ())
        self.assertEqual(self._played(balance_every_s=1000).summary().moves, ())

    def test_a_copy_moves_at_the_same_time(self) -> None:
        """A play that is copied on its way goes on to the same moves."""
        guests = [busy("a", 8000, "one"), busy("b", 8000, "one"), busy("c", 6000, "one")]
        plan = site_plan(guests, rules={"balancing": "over-time", "balance_every_s": 100}, day_s=900, moment=0)
        player = Player(site_of(plan, {}))
        player.run(150)
        other = player.copy()
        player.run()
        other.run()
        self.assertEqual(player.summary().moves, other.summary().moves)
        self.assertGreater(len(player.summary().moves), 0)
        slow = Player(site_of(plan, {}), skip=False)
        slow.run()
        self.assertEqual(slow.summary().moves, player.summary().moves)
