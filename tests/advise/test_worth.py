"""Worth a look: a plan for each finding that has just it, and one that has none."""

from __future__ import annotations

import json
import tempfile
import unittest
from pathlib import Path
from typing import Any

from ruvex.advise import GROUPS, Finding, Shift, effect_of, findings_of
from ruvex.divide import Division, divide
from ruvex.plan import EditError, change_many, plan_text, remove_items, set_aside
from ruvex.play import Player
from ruvex.site import site_of
from tests.builders import plan_of
from tests.cli.inside import run
from tests.demo import DEMO

HOUR = 3600
HOST = {
    "id": "h", "sockets": 1, "cores_per_socket": 8, "threads_per_core": 1, "mhz": 1000, "numa_nodes": 1,
    "memory_mib": 40_000,
}  # fmt: skip


def guest(name: str, cpu: Any = 1500, vcpus: int = 2, **more: Any) -> dict[str, Any]:
    """Describe a guest that nothing is to be said about: fixed, of the right size, busy as its vCPUs are."""
    demand = {"cpu": cpu, "working": 1500, "touched": 1500} | more.pop("demand", {})
    memory = more.pop("memory", {"mode": "fixed", "size": 2048})
    return {"id": name, "vcpus": vcpus, "demand": demand, "memory": memory} | more


CLEAN = [guest("a", pool="p"), guest("b", pool="q"), guest("c", 700, 1, pool="q")]
POOLS = [{"id": "p", "owner": "one"}, {"id": "q", "owner": "another"}]
ELASTIC = {"mode": "elastic", "boot": 2048, "floor": 1024, "ceiling": 4096}


def found_in(guests: list[dict[str, Any]], pools: Any = POOLS, at_s: float = HOUR, **more: Any) -> tuple[
    list[Finding], Division
]:  # fmt: skip
    """Find what is worth a look in a plan of one host and two hours."""
    host = HOST | more.pop("host", {})
    site = site_of(plan_of(guests, pools, host=host, day_s=2 * HOUR, **more), {})
    day = Player(site)
    day.run()
    division = divide(site, at_s)
    return findings_of(division, day), division


TWO = [HOST, HOST | {"id": "h2"}]
LARGE = {"working": 30_000, "touched": 30_000}
JUMP = {"kind": "steps", "at": [[0, 2000], [HOUR, 5000]]}


def bank(size: float, *volumes: float) -> dict[str, Any]:
    """Describe a bank with spill volumes."""
    named = [{"id": f"v{i}", "mib": mib} for i, mib in enumerate(volumes)]
    return {"size_mib": size, "max_mib": max(size, 9000), "spill_volumes": named}


def banked(name: str, **more: Any) -> dict[str, Any]:
    """Describe a guest of a bank that works with 2500 MiB of 4000 and has touched 3500."""
    memory = {"mode": "thin", "size": 4000, "bank": True}
    return guest(name, pool="p", demand={"working": 2500, "touched": 3500}, memory=memory) | more


BATCH = {"kind": "batch", "cpu": {"kind": "steps", "at": [[0, 0], [600, 3000], [1200, 0]]}}
STEPS = {"kind": "steps", "at": [[0, 300], [HOUR, 1500], [2 * HOUR - 60, 300]]}
DISK = {"id": "d", "store": "slate"}
CASES: dict[str, tuple[str, str, list[dict[str, Any]], dict[str, Any]]] = {
    "beside-pools": (
        "hurts-now", "alone",
        [*[guest(f"p{i}", 2000, pool="p") for i in range(4)], guest("b", pool="q"), guest("alone", 2000)], {},
    ),
    "crowded-pool": (
        "hurts-now", "p", [*[guest(f"p{i}", 2000, pool="p") for i in range(5)], guest("b", 2000, pool="q")],
        {"pools": [{"id": "p", "cpu": {"shares": 130}}, {"id": "q", "owner": "another"}]},
    ),
    "short-store": (
        "hurts-now", "slate", [guest("a", pool="p", disks=[DISK], demand={"ops": 900}), *CLEAN[1:]],
        {"stores": [{"id": "slate", "ops": 600}]},
    ),
    "short-link": (
        "hurts-now", "h", [guest("a", pool="p", demand={"net_mib_s": 300}), *CLEAN[1:]],
        {"host": {"links": [{"id": "x", "mib_s": 90}, {"id": "y", "mib_s": 110}]}},
    ),
    "disk-limit": (
        "hurts-now", "a", [guest("a", pool="p", disks=[DISK | {"limit_ops": 200}], demand={"ops": 500}), *CLEAN[1:]],
        {"stores": [{"id": "slate", "ops": 600}]},
    ),
    "biting-limit": ("hurts-now", "a", [guest("a", pool="p", cpu=1500) | {"cpu": {"limit": 900}}, *CLEAN[1:]], {}),
    "at-ceiling": (
        "hurts-now", "a",
        [guest("a", pool="p", demand={"working": 3900}, memory=ELASTIC), *CLEAN[1:]], {},
    ),
    "late-batch": ("will-hurt", "a", [guest("a", pool="p", demand=BATCH), *CLEAN[1:]], {}),
    "cannot-be": ("will-hurt", "a", [guest("a", pool="p", demand={"working": 2500}), *CLEAN[1:]], {}),
    "agent-missing": (
        "will-hurt", "a", [guest("a", pool="p", agent=False, memory=ELASTIC), *CLEAN[1:]], {},
    ),
    "wider-than-host": ("will-hurt", "a", [guest("a", 8000, 10, pool="p")], {"host": {}}),
    "wider-than-node": ("untidy", "a", [guest("a", 5800, 6, pool="p")], {"host": {"numa_nodes": 2}}),
    "idle-vcpus": ("untidy", "a", [guest("a", 900, 4, pool="p"), *CLEAN[1:]], {}),
    "far-too-large": (
        "untidy", "a", [guest("a", pool="p", memory={"mode": "fixed", "size": 9000}), *CLEAN[1:]], {},
    ),
    "unused-reservation": (
        "untidy", "a", [guest("a", 700, 1, pool="p") | {"vcpus": 2, "cpu": {"reservation": 1900}}, *CLEAN[1:]], {},
    ),
    "unused-limit": ("untidy", "a", [guest("a", pool="p") | {"cpu": {"limit": 1800}}, *CLEAN[1:]], {}),
    "held-idle": (
        "hurts-now", "a", [guest("a", pool="p", demand={"working": 12_000, "touched": 12_000},
                                 memory={"mode": "thin", "size": 24_000, "reservation": 20_000}),
                           guest("b", pool="q", demand=LARGE, memory={"mode": "thin", "size": 38_000})], {},
    ),
    "headroom-large": (
        "hurts-now", "a", [guest("a", pool="p", demand={"working": 6000, "touched": 6000},
                                 memory=ELASTIC | {"ceiling": 20_000, "headroom_percent": 60}),
                           guest("b", pool="q", demand={"working": 36_000, "touched": 36_000},
                                 memory={"mode": "thin", "size": 38_000})], {},
    ),
    "headroom-small": (
        "will-hurt", "a", [guest("a", pool="p", demand={"working": JUMP, "touched": JUMP},
                                 memory=ELASTIC | {"ceiling": 16_000}), *CLEAN[1:]],
        {"rules": {"elastic": {"grow_mib_s": 10}}},
    ),
    "greedy": (
        "will-hurt", "a", [guest("a", pool="p", demand={"greedy": True}, memory=ELASTIC | {"ceiling": 9000}),
                           *CLEAN[1:]], {},
    ),
    "boots-from-disk": (
        "will-hurt", "a", [guest("a", pool="p", demand={"working": 3000},
                                 memory=ELASTIC | {"boot": 16_000, "ceiling": 20_000, "floor": 2000}),
                           guest("b", pool="q", demand=LARGE, memory={"mode": "fixed", "size": 32_000})],
        {"events": [{"at": 600, "do": "restart", "target": "a"}]},
    ),
    "never-together": (
        "will-hurt", "p", [guest("a", pool="p"), guest("d", pool="p", power="off"), *CLEAN[1:]],
        {"pools": [POOLS[0] | {"memory": {"limit": 3000}}, POOLS[1]]},
    ),
    "pool-as-folder": (
        "untidy", "p", [guest("a", pool="p"), guest("b", pool="p"), guest("c")], {"pools": [{"id": "p"}]},
    ),
    "deep-nesting": (
        "untidy", "a",
        [guest("a", 700, 1, pool="deep"), guest("b", 700, 1, pool="deep"),
         *[guest(f"m{i}", 700, 1, pool="p") for i in range(6)], guest("z", 700, 1, pool="q")],
        {"pools": [*POOLS, {"id": "deep", "parent": "p", "owner": "third"}]},
    ),
    "broken-rule": (
        "hurts-now", "a", [one | {"host": "h"} for one in CLEAN],
        {"hosts": [*TWO, HOST | {"id": "h3"}], "placement": [{"kind": "apart", "guests": ["a", "b"]}]},
    ),
    "peaks-coincide": (
        "will-hurt", "a", [guest(one, 3500, 4, pool="p" if one < "c" else "q", host="h") for one in "abc"],
        {"hosts": TWO},
    ),
    "crowded-cores": (
        "will-hurt", "h", [guest(f"g{i}", 690, 3, pool="p" if i % 2 else "q") for i in range(5)],
        {"host": {"cores_per_socket": 4}},
    ),
    "kept-while-up": (
        "will-hurt", "h", [guest("a", pool="p", host="h", demand={"working": 42_000},
                                 memory={"mode": "fixed", "size": 45_000}), guest("b", pool="q", host="h2")],
        {"hosts": [HOST | {"memory_mib": 60_000}, TWO[1]]},
    ),
    "loss-not-borne": (
        "will-hurt", "h", [guest("a", pool="p", host="h", demand={"working": 15_000, "touched": 15_000},
                                 memory={"mode": "thin", "size": 20_000}), guest("b", pool="q", host="h2")],
        {"hosts": [HOST | {"spill_mib": 30_000}, TWO[1] | {"spill_mib": 1000}]},
    ),
    "bank-small": (
        "will-hurt", "h", [banked("a"), banked("b")], {"host": {"bank": bank(4200, 5000, 5000)}},
    ),
    "volumes-few": (
        "will-hurt", "h", [banked("a"), banked("b", power="off")], {"host": {"bank": bank(9000, 5000)}},
    ),
    "volume-large": ("untidy", "h", [banked("a")], {"host": {"bank": bank(9000, 40_000)}}),
    "cannot-move": (
        "untidy", "a", [guest("a", 1900, pool="p", host="h", dedicated_cores=True), guest("b", pool="q", host="h2")],
        {"hosts": TWO},
    ),
    "start-storm": (
        "will-hurt", "y",
        [*[guest(name, pool="p", power="off", demand={"working": 25_000}, memory={"mode": "fixed", "size": 30_000})
           for name in ("x", "y", "z")], *CLEAN[1:]],
        {"events": [{"at": 600, "do": "power-on", "target": name} for name in ("x", "y", "z")]},
    ),
    "broken-promises": (
        "hurts-now", "g0", [guest(f"g{i}", 1900) | {"cpu": {"reservation": 1900 - i}} for i in range(5)], {"pools": []},
    ),
    "memory-limit": (
        "hurts-now", "a", [guest("a", pool="p", demand={"working": 3000, "touched": 3500},
                                 memory={"mode": "thin", "size": 4000, "limit": 2000}), *CLEAN[1:]], {},
    ),
    "pool-limit": (
        "hurts-now", "p", [guest("a", pool="p"), guest("b", pool="p"), guest("c", 700, 1, pool="q")],
        {"pools": [POOLS[0] | {"cpu": {"limit": 2000}}, POOLS[1]]},
    ),
    "host-short": (
        "hurts-now", "h", [guest(f"g{i}", 1900, pool="p" if i % 2 else "q") for i in range(6)], {},
    ),
    "kept-cores": (
        "hurts-now", "a", [*[guest(one, pool="p", cores={"only": [0]}) for one in "ab"], CLEAN[2]], {},
    ),
    "shares-small": (
        "hurts-now", "a", [guest("a", 1900, pool="p") | {"cpu": {"shares": 5}},
                           *[guest(f"g{i}", 1800, pool="p") for i in range(4)]], {"pools": POOLS[:1]},
    ),
    "never-reached": (
        "untidy", "a", [guest("a", pool="p", demand={"touched": 2048},
                              memory={"mode": "thin", "size": 2048, "limit": 4096}), *CLEAN[1:]], {},
    ),
    "idle-cores": (
        "untidy", "a", [guest("a", 900, 2, pool="p", dedicated_cores=True), *CLEAN[1:]], {},
    ),
    "no-cold-start": (
        "will-hurt", "h", [guest(f"g{i}", 900, 1, pool="p" if i % 2 else "q",
                                 memory={"mode": "elastic", "boot": 8192, "floor": 1024, "ceiling": 8192})
                           for i in range(6)], {},
    ),
    "draws-by-oversight": (
        "untidy", "x", [guest(f"of-{one}", 700, 1, pool=one) for one in "xyz"],
        {"pools": [{"id": one, "owner": one, "cpu": {"reservation": 900, "draws": one == "x"}} for one in "xyz"]},
    ),
}  # fmt: skip


NO_REMEDY = (
    "broken-promises", "kept-while-up", "cannot-move", "start-storm", "short-store", "short-link", "host-short",
    "no-cold-start",
)  # fmt: skip
"""What only a person can mend."""


def had(division: Division, shift: Shift) -> float:
    """Give what a guest has of that which a shift is of."""
    at, flowing = division.site.plan.guest_index[shift.guest], division.flowing
    flows = {"store": flowing.ops_delivered, "link": flowing.net_delivered}
    if shift.resource in flows:
        return float(flows[shift.resource][at])
    figures = division.cpu if shift.resource == "cpu" else division.memory
    return float(figures.delivered[division.position[shift.guest]])


class Worth(unittest.TestCase):
    """Each finding, its evidence and its remedy."""

    def test_disks_that_are_held_alike_are_let_go_together(self) -> None:
        """With one of two limits of 100 gone its work waits for the other disk as before: the remedy lifts both."""
        both = [DISK | {"limit_ops": 100}, DISK | {"id": "e", "limit_ops": 100}]
        its = [guest("a", pool="p", disks=both, demand={"ops": 500}), *CLEAN[1:]]
        found, division = found_in(its, stores=[{"id": "slate", "ops": 900}])
        (one,) = (one for one in found if one.kind == "disk-limit")
        self.assertIn("by limits of 2 of its disks", one.text)
        assert one.remedy is not None
        after = divide(division.site.with_plan(change_many(division.site.plan, one.remedy.changes)))
        self.assertEqual(after.flowing.ops_delivered[0], 500)

    def test_who_is_off_and_counted_is_said_to_be_off(self) -> None:
        """A pool whose two members could never both start: one of them is off, and the sentence says so."""
        pools = [POOLS[0] | {"memory": {"limit": 3000}}, POOLS[1]]
        for power, told in (("off", "its 2 members, 1 of them off, need"), ("on", "its 2 members need")):
            its = [guest("a", pool="p"), guest("d", pool="p", power=power)]
            found, _ = found_in([*its, *CLEAN[1:]], pools)
            (text,) = (one.text for one in found if one.kind == "never-together")
            self.assertIn(told, text)

    def test_who_gets_less_of_a_store_is_told_by_his_own_part(self) -> None:
        """Of 900 each one has 225 and one 675: 25 to 75 % less, and not the 50 % that is nobody's."""
        its = [guest(name, pool="p", disks=[DISK | {"shares": shares}], demand={"ops": 900})
               for name, shares in (("a", 100), ("z", 300))]  # fmt: skip
        found, _ = found_in([*its, *CLEAN[1:]], stores=[{"id": "slate", "ops": 900}])
        (text,) = (one.text for one in found if one.kind == "short-store")
        self.assertTrue(text.endswith("a, z get 25 to 75 % less than they ask for"), text)
        found, _ = found_in([its[0], *CLEAN[1:]], stores=[{"id": "slate", "ops": 600}])
        (text,) = (one.text for one in found if one.kind == "short-store")
        self.assertTrue(text.endswith("a gets 33 % less than it asks for"), text)

    def test_a_clean_plan_has_none(self) -> None:
        """Nothing to say about it, however it is looked at."""
        for at_s in (0, HOUR, 2 * HOUR):
            self.assertEqual(found_in(CLEAN, at_s=at_s)[0], [])
        self.assertEqual(found_in([], [])[0], [])

    def test_each_plan_has_just_its_finding(self) -> None:
        """The kind, the group, and whom it is about."""
        for kind, (group, about, guests, more) in CASES.items():
            with self.subTest(kind):
                more = dict(more)
                found, _ = found_in(guests, more.pop("pools", POOLS), **more)
                self.assertEqual([(f.kind, f.group, f.about[0]) for f in found], [(kind, group, about)])
                self.assertTrue(found[0].figures and all(value for _, value in found[0].figures))

    def test_a_remedy_mends_what_it_is_for(self) -> None:
        """Taken, the plan has the finding no more; and its effect is what the division then has."""
        for kind, (_, _, guests, more) in CASES.items():
            more = dict(more)
            pools = more.pop("pools", POOLS)
            found, division = found_in(guests, pools, **more)
            if found[0].remedy is None:
                self.assertIn(kind, NO_REMEDY)
                self.assertIsNone(effect_of(found[0], division))
                continue
            with self.subTest(kind):
                site = division.site.with_plan(change_many(division.site.plan, found[0].remedy.changes))
                day = Player(site)
                day.run()
                after = divide(site, HOUR)
                self.assertNotIn(kind, [finding.kind for finding in findings_of(after, day)])
                effect = effect_of(found[0], division)
                assert effect is not None
                for shift in (*effect.gains, *effect.losses):
                    was, now = (had(one, shift) for one in (division, after))
                    self.assertAlmostEqual(now - was, shift.amount, places=6)

    def test_broken_promises_name_the_pool_in_which_they_are(self) -> None:
        """Five guests of one pool, promised more than the host has."""
        guests = [guest(f"g{i}", 1900, pool="p") | {"cpu": {"reservation": 1900}} for i in range(5)]
        found, _ = found_in(guests)
        self.assertEqual([(f.kind, f.about) for f in found], [("broken-promises", ("p",))])

    def test_a_limit_that_bites_later_in_the_day_will_hurt(self) -> None:
        """At noon nothing is to be seen of it; the day has it for an hour less a minute."""
        busy_later = [guest("a", STEPS, pool="p") | {"cpu": {"limit": 900}}, *CLEAN[1:]]
        found, _ = found_in(busy_later, at_s=600)
        self.assertEqual([(f.kind, f.group) for f in found], [("biting-limit", "will-hurt")])
        self.assertIn("59 min of the day", found[0].text)

    def test_a_ceiling_that_binds_later_in_the_day(self) -> None:
        """At the moment nothing is to be seen of it: it is told from the day, with a ceiling that is enough."""
        jump = {"kind": "steps", "at": [[0, 1500], [HOUR + 600, 6000]]}
        guests = [guest("a", pool="p", demand={"working": jump}, memory=ELASTIC), *CLEAN[1:]]
        found, _ = found_in(guests)
        kinds = [(f.kind, f.group) for f in found if f.about[0] == "a"]
        self.assertIn(kinds, ([("at-ceiling", "will-hurt"), ("cannot-be", "will-hurt")], [("cannot-be", "will-hurt")]))

    def test_a_pools_memory_limit_that_starves_all_day(self) -> None:
        """Two thin guests need 6 000 MiB of the 3 000 that their pool may have: told, and mended by more."""
        memory = {"mode": "thin", "size": 4000}
        guests = [guest(one, pool="p", demand={"working": 3000, "touched": 3000}, memory=memory) for one in "ab"]
        pools = [POOLS[0] | {"memory": {"limit": 3000}}, POOLS[1]]
        found, division = found_in([*guests, CLEAN[2]], pools)
        self.assertEqual([(f.kind, f.about) for f in found], [("pool-limit", ("p", "a", "b"))])
        assert found[0].remedy is not None
        site = division.site.with_plan(change_many(division.site.plan, found[0].remedy.changes))
        after = divide(site, HOUR)
        self.assertTrue(all(after.layers.met[after.position[one]] > 0.999 for one in "ab"))

    def test_who_is_not_to_blame(self) -> None:
        """A guest beside a pool whose own limit keeps its guests short is not the cause: only the limit is told."""
        pools = [POOLS[0] | {"cpu": {"limit": 2000}}]
        found, _ = found_in([guest("a", pool="p"), guest("b", pool="p"), guest("alone", 2000)], pools)
        self.assertEqual([f.kind for f in found], ["pool-limit"])

    def test_a_tenth_for_a_quarter_of_an_hour(self) -> None:
        """Less than a tenth is not told, nor what lasts a quarter of an hour or less; a little more of both is."""
        for wants, lasts, told in ((1110, 1800, False), (1120, 1800, True), (1500, 890, False), (1500, 930, True)):
            steps = {"kind": "steps", "at": [[0, 300], [HOUR, wants], [HOUR + lasts, 300]]}
            found, _ = found_in([guest("a", steps, pool="p", cores={"only": [0]}), CLEAN[2]], at_s=60)
            self.assertEqual("kept-cores" in [f.kind for f in found], told, (wants, lasts))

    def test_what_was_set_aside_is_told_apart_with_its_reason(self) -> None:
        """It goes with its guest, is brought back without a reason, and of nobody it is refused."""
        guests = CASES["idle-vcpus"][2]
        found, division = found_in(guests, aside=[{"kind": "idle-vcpus", "of": "a", "reason": "month end"}])
        self.assertEqual([(finding.kind, finding.aside) for finding in found], [("idle-vcpus", "month end")])
        plan = division.site.plan
        self.assertEqual(set_aside(plan, "idle-vcpus", "a", " ").aside, ())
        again = set_aside(plan, "idle-vcpus", "a", "year end ")
        self.assertEqual([(one.kind, one.of, one.reason) for one in again.aside], [("idle-vcpus", "a", "year end")])
        self.assertEqual(remove_items(plan, ["a"]).aside, ())
        with self.assertRaisesRegex(EditError, "there is no 'nobody'"):
            set_aside(plan, "idle-vcpus", "nobody", "x")
        with self.assertRaises(EditError):
            set_aside(plan, "idle-vcpus", "a", "x" * 100_000)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "p.ruvex.json"
            path.write_text(plan_text(plan), encoding="utf-8")
            done = run("findings", str(path), "--at-least", "untidy")
            self.assertEqual(done.returncode, 0, "what is set aside is no answer")
            self.assertIn("Nothing is worth a look.", done.stdout)
            self.assertIn("set aside: a has 4 vCPUs", done.stdout)
            self.assertIn("(month end)", done.stdout)
            path.write_text(plan_text(plan).replace('"of": "a"', '"of": "nobody"'), encoding="utf-8")
            self.assertIn("aside[0].of: there is no 'nobody'", run("findings", str(path)).stderr)

    def test_the_command_lists_groups_and_answers_by_its_status(self) -> None:
        """All without being asked; with a group, only it and worse, and status 1 if there are any."""
        done = run("findings", str(DEMO))
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        heads = [line for line in done.stdout.splitlines() if line.replace(" ", "-") in GROUPS]
        self.assertEqual(heads, ["hurts now", "will hurt", "untidy"])
        self.assertIn("- old-fare-kiosk stands beside the pools", done.stdout)
        self.assertIn("- tide-model, due 04:40, is done", done.stdout)
        worse = run("findings", str(DEMO), "--at-least", "will-hurt", "--json")
        self.assertEqual(worse.returncode, 1)
        findings = json.loads(worse.stdout)["findings"]
        self.assertEqual({finding["group"] for finding in findings}, {"hurts-now", "will-hurt"})
        kiosk = next(finding for finding in findings if finding["kind"] == "beside-pools")
        self.assertEqual(kiosk["losses"][0]["id"], "old-fare-kiosk")
        self.assertLess(kiosk["losses"][0]["amount"], 0)
        wrong = run("findings", str(DEMO), "--at-least", "bad")
        self.assertEqual(wrong.returncode, 2)
        self.assertIn("hurts-now, will-hurt, untidy", wrong.stderr)
