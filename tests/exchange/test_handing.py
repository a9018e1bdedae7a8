"""A pool handed over to its owner, and taken back."""

from __future__ import annotations

import json
import shutil
import tempfile
import unittest
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.divide import divide
from ruvex.exchange import TakenBack, hand_over, take_back
from ruvex.plan import (
    EditError,
    Permission,
    Plan,
    add_events,
    add_items,
    change_settings,
    check_bounds,
    check_plan,
    copies_of,
    move_items,
    plan_from,
    plan_text,
    read_plan,
    remove_items,
)
from ruvex.promise import claims_of
from ruvex.site import site_of
from tests.builders import HOST, plan_of
from tests.cli.inside import run
from tests.demo import DEMO
from tests.divide.strategies import plans
from tests.thorough import many

ALL: tuple[Permission, ...] = ("switch", "divide", "resize", "add")


def small() -> Plan:
    """Give a plan of two pools, one in the other, beside two guests of others."""
    return plan_of(
        [
            {"id": "web", "pool": "shop", "vcpus": 2, "cpu": {"reservation": 400}},
            {"id": "db", "pool": "cellar", "cpu": {"shares": 300}},
            {"id": "mail", "cpu": {"reservation": 1500}, "memory": {"mode": "fixed", "size": 9000}},
        ],
        [
            {"id": "shop", "name": "Shop", "owner": "Ann", "cpu": {"reservation": 2000, "limit": 6000}},
            {"id": "cellar", "parent": "shop"},
        ],
        events=[{"at": 60, "do": "restart", "target": "db"}, {"at": 90, "do": "restart", "target": "mail"}],
        name="Site",
    )


class HandingOver(unittest.TestCase):
    """What the owner gets."""

    def test_the_supply_is_what_is_promised_and_may_be_had(self) -> None:
        """The pool at the top draws on nobody; what others are promised is gone from the host; others are not in it."""
        plan = small()
        child, home = hand_over(site_of(plan, {}), "shop", ALL)
        root = child.pools[0]
        self.assertEqual((root.parent, root.cpu.reservation, root.cpu.limit, root.cpu.draws), (None, 2000, 6000, False))
        self.assertEqual([guest.id for guest in child.guests], ["web", "db"])
        self.assertEqual([event.target for event in child.events], ["db"])
        host = child.hosts[0]
        self.assertEqual(host.overhead_mhz, 1500)
        self.assertGreaterEqual(host.overhead_mib, 9000)
        self.assertLess(host.overhead_mib, 9300)
        division = divide(site_of(change_settings(child, "db", {"demand.cpu": 9000, "vcpus": 9}), {}))
        self.assertAlmostEqual(division.cpu.delivered[division.position["shop"]], 6000)
        self.assertEqual([record.pool for record in home.handed_over], ["shop"])
        self.assertEqual(home.model_copy(update={"handed_over": ()}), plan)
        for wrong in ("nowhere", "mail"):
            with self.assertRaises(EditError):
                hand_over(site_of(plan, {}), wrong)
        with self.assertRaisesRegex(EditError, "was handed over itself"):
            hand_over(site_of(child, {}), "shop")

    def test_stores_come_less_what_others_are_promised(self) -> None:
        """A store of 900 that promises 250 to mail, whose transfers count twice, is one of 400 there."""
        stores = [{"id": "s", "ops": 900, "mib_s": 90, "promises": True}, {"id": "t"}]
        disk = {"id": "d", "store": "s"}
        data = json.loads(small().model_dump_json()) | {"stores": stores}
        data["guests"][0]["disks"] = [disk]
        data["guests"][2] |= {"disks": [disk | {"reservation_ops": 250}]}
        data["guests"][2]["demand"]["kib_per_op"] = 2 * 90 / 900 * 1024
        child, _ = hand_over(site_of(plan_from(data), {}), "shop", ALL)
        self.assertEqual([(store.id, round(store.ops, 6)) for store in child.stores], [("s", 400)])
        with self.assertRaisesRegex(EditError, "Stores are the site's"):
            check_bounds(child, change_settings(child, "s", {"ops": 2000}))
        check_bounds(child, change_settings(child, "web", {"link.shares": 7}))

    def test_a_spill_volume_that_another_has_is_named_no_more(self) -> None:
        """Two want the only volume of a bank and the one outside has it: the owner's plan is one that can be opened."""
        memory = {"mode": "thin", "size": 2000, "bank": True, "spill_volume": "v"}
        bank = {"size_mib": 9000, "max_mib": 9000, "spill_volumes": [{"id": "v", "mib": 4000}]}
        guests = [{"id": "out", "memory": memory}, {"id": "in", "pool": "p", "memory": memory}]
        plan = plan_of(guests, [{"id": "p"}], host=HOST | {"bank": bank})
        child, home = hand_over(site_of(plan, {}), "p", ALL)
        self.assertEqual(check_plan(child), [])
        self.assertEqual(plan_from(json.loads(plan_text(child))), child)
        # In the plan it is from nothing is others', and the owner who changed nothing takes nothing back.
        found = take_back(home, {}, child, {}, {})
        self.assertEqual(found.plan.guests, plan.guests)

    @settings(max_examples=many(60))
    @given(plans(max_guests=6), st.randoms(use_true_random=False))
    def test_any_pool_comes_back_unchanged(self, plan: Plan, chance: Any) -> None:
        """Handed over and taken back it is the plan it was, and nothing in it was broken more than in the whole."""
        if not plan.pools:
            return
        pool = chance.choice(plan.pools).id
        site = site_of(plan, {})
        try:
            child, home = hand_over(site, pool)
        except EditError:
            return
        child = plan_from(json.loads(child.model_dump_json()))
        divide(site_of(child, {}))
        own, whole = claims_of(site_of(child, {})), claims_of(site)
        for number, host in enumerate(child.hosts):
            at = plan.host_index[host.id]
            over = (whole.host_claimed - whole.host_allowed)[:2, at]
            for left, right in zip((own.host_claimed - own.host_allowed)[:2, number], over, strict=True):
                self.assertLessEqual(left, max(float(right), 0.0) + 1e-6)
        taken = take_back(home, {}, child, {}, {})
        self.assertEqual((taken.plan, taken.conflicts, taken.told), (plan, (), ()))


class Bounds(unittest.TestCase):
    """What the owner may do."""

    def test_each_permission_allows_its_own(self) -> None:
        """With only that one it passes, with all others it is refused in words that say what may be done."""
        plan = small()

        def event(do: str, **more: Any) -> Any:
            return plan_of([{"id": "web"}], events=[{"at": 5, "do": do, "target": "web"} | more]).events

        changes: dict[Permission, Sequence[Any]] = {
            "switch": (
                lambda p: change_settings(p, "web", {"power": "off"}),
                lambda p: add_events(p, event("power-off")),
            ),
            "divide": (
                lambda p: change_settings(p, "web", {"cpu.shares": 150}),
                lambda p: change_settings(p, "cellar", {"memory.limit": 4000}),
                lambda p: change_settings(p, "db", {"memory.reservation": 100}),
                lambda p: move_items(p, ["web"], "cellar"),
                lambda p: remove_items(p, ["cellar"]),
                lambda p: add_events(p, event("set", change={"cpu.shares": 7})),
            ),
            "resize": (
                lambda p: change_settings(p, "web", {"vcpus": 3}),
                lambda p: change_settings(p, "web", {"memory.size": 3000}),
                lambda p: change_settings(p, "web", {"demand.cpu": 3000}),
                lambda p: change_settings(p, "web", {"memory.mode": "fixed"}),
                lambda p: add_events(p, event("surge", factor=2, for_s=60)),
            ),
            "add": (
                lambda p: add_items(p, copies_of(p, ["web"])),
                lambda p: remove_items(p, ["db"]),
            ),
        }  # fmt: skip
        for allowed, edits in changes.items():
            for number, edit in enumerate(edits):
                with self.subTest(allowed=allowed, number=number):
                    child, home = hand_over(site_of(plan, {}), "shop", [allowed])
                    after = edit(child)
                    check_bounds(child, after)
                    self.assertTrue(take_back(home, {}, after, {}, {}).told)
                    child, home = hand_over(site_of(plan, {}), "shop", [one for one in ALL if one != allowed])
                    after = edit(child)
                    with self.assertRaisesRegex(EditError, "its owner may"):
                        check_bounds(child, after)
                    with self.assertRaisesRegex(EditError, "outside its bounds"):
                        take_back(home, {}, after, {}, {})

    def test_what_nobody_but_the_site_may(self) -> None:
        """Hosts, rules, the pool's own promises, places and moves are not for its owner, whatever he may else."""
        child, home = hand_over(site_of(small(), {}), "shop", ALL)
        move = plan_of([{"id": "web"}], hosts=[HOST, HOST | {"id": "k"}], host=None,
                       events=[{"at": 5, "do": "move", "target": "web", "host": "k"}]).events  # fmt: skip
        for edit in (
            lambda p: change_settings(p, "h", {"mhz": 3000}),
            lambda p: change_settings(p, "rules", {"idle_counts_as": 3}),
            lambda p: change_settings(p, "shop", {"cpu.limit": 9000}),
            lambda p: change_settings(p, "shop", {"cpu.reservation": 5000}),
            lambda p: change_settings(p, "shop", {"owner_may": ["add"]}),
            lambda p: change_settings(p, "web", {"host": "h"}),
            lambda p: p.model_copy(update={"placement": ({"kind": "apart", "guests": ("web", "db")},)}),
            lambda p: p.model_copy(update={"events": move}),
            lambda p: p.model_copy(update={"day_s": 3600.0}),
            lambda p: remove_items(p, ["shop"]),
        ):
            after = edit(child)
            with self.assertRaises(EditError):
                check_bounds(child, after)
            with self.assertRaises(EditError):
                take_back(home, {}, after, {}, {})
        for edit in (lambda p: change_settings(p, "web", {"name": "Web", "tags": ["a"]}),):
            check_bounds(child, edit(child))


class TakingBack(unittest.TestCase):
    """Three sides: as it was handed over, as it is here, as it is there."""

    def setUp(self) -> None:
        """Hand the shop over."""
        self.child, self.home = hand_over(site_of(small(), {}), "shop", ALL)

    def back(self, home: Plan, child: Plan, **choose: Any) -> TakenBack:
        """Take it back."""
        return take_back(home, {}, child, {}, choose.get("choose", {}))

    def test_both_changed_other_things(self) -> None:
        """Both count."""
        home = change_settings(self.home, "web", {"cpu.shares": 50})
        child = change_settings(self.child, "web", {"vcpus": 4, "name": "Web"})
        taken = self.back(home, child)
        web = taken.plan.guests[0]
        self.assertEqual((web.cpu.shares, web.vcpus, web.label, taken.conflicts), (50, 4, "Web", ()))
        self.assertEqual((taken.changed, taken.plan.handed_over), (("web",), ()))

    def test_both_changed_the_same(self) -> None:
        """The same value is no conflict; another is, and whoever chooses decides."""
        home = change_settings(self.home, "web", {"cpu.shares": 50, "vcpus": 3})
        child = change_settings(self.child, "web", {"cpu.shares": 70, "vcpus": 3})
        taken = self.back(home, child)
        self.assertEqual([(c.item, c.setting, c.base, c.here, c.there) for c in taken.conflicts],
                         [("web", "cpu.shares", 100, 50, 70)])  # fmt: skip
        self.assertEqual(taken.conflicts[0].text, "web, CPU shares: it was 100, here it is 50, there 70")
        self.assertEqual(taken.plan.guests[0].cpu.shares, 50)
        for way, value in (("here", 50), ("there", 70)):
            taken = self.back(home, child, choose={("web", "cpu.shares"): way})
            self.assertEqual((taken.conflicts, taken.plan.guests[0].cpu.shares), ((), value))

    def test_new_and_gone(self) -> None:
        """New guests and pools get free ids; who is gone on one side and changed on the other is asked for."""
        child = add_items(self.child, copies_of(self.child, ["cellar"]))
        home = add_items(self.home, copies_of(self.home, ["cellar"]))
        taken = self.back(home, child)
        self.assertEqual((len(taken.plan.guests), len(taken.plan.pools)), (5, 4))
        new = taken.plan.guests[-1]
        self.assertNotIn(new.id, home.guest_index)
        self.assertEqual(new.pool, taken.plan.pools[-1].id)
        child = remove_items(self.child, ["db"])
        taken = self.back(self.home, child)
        self.assertEqual([g.id for g in taken.plan.guests], ["web", "mail"])
        self.assertEqual([event.target for event in taken.plan.events], ["mail"])
        home = change_settings(self.home, "db", {"vcpus": 5})
        self.assertEqual(self.back(home, child).conflicts[0].text, "db was removed there and changed here")
        gone = self.back(home, child, choose={("db", ""): "there"}).plan
        self.assertNotIn("db", gone.guest_index)
        home, child = remove_items(self.home, ["db"]), change_settings(self.child, "db", {"vcpus": 5})
        self.assertEqual(self.back(home, child).conflicts[0].text, "db was removed here and changed there")
        again = self.back(home, child, choose={("db", ""): "there"}).plan
        self.assertEqual(again.guests[again.guest_index["db"]].vcpus, 5)

    def test_what_is_not_from_here(self) -> None:
        """Another plan's, an older one, one whose record was changed, and one that was taken back already."""
        other = change_settings(small(), "web", {"vcpus": 7})
        foreign, _ = hand_over(site_of(other, {}), "shop", ALL)
        _, again = hand_over(site_of(change_settings(self.home, "web", {"vcpus": 3}), {}), "shop", ALL)
        assert self.child.handed is not None
        for home, child, expected in (
            (self.home, foreign, "from another plan"),
            (again, self.child, "handed over anew"),
            (self.back(self.home, self.child).plan, self.child, "taken back"),
            (self.home, small(), "not handed over"),
            (self.home, self.child.model_copy(update={
                "handed": self.child.handed.model_copy(update={"base": self.child.handed.base | {"seed": 2}}),
                "seed": 2}), "was changed"),
            (hand_over(site_of(small(), {}), "shop", ["switch"])[1], self.child, ""),
        ):  # fmt: skip
            with self.assertRaisesRegex(EditError, expected):
                self.back(home, child)

    def test_by_command(self) -> None:
        """From the demo and back; promises are asked; both sides' changes are listed with status 1."""
        with tempfile.TemporaryDirectory() as folder:
            home, child = Path(folder, "site.ruvex.json"), Path(folder, "booking.ruvex.json")
            file = read_plan(DEMO)
            shutil.copytree(DEMO.parent / "traces", home.parent / "traces")
            home.write_bytes(DEMO.read_bytes())
            done = run("hand-over", str(home), "booking", "--out", str(child), "--may", "switch,divide,resize")
            self.assertEqual((done.returncode, done.stderr), (0, ""))
            self.assertIn("Booking of Orrin Sound Ferries", done.stdout)
            self.assertEqual(run("divide", str(child)).returncode, 0)
            given = json.loads(child.read_text(encoding="utf-8"))
            name = next(guest["id"] for guest in given["guests"])

            def change(path: Path, **values: Any) -> None:
                data = json.loads(path.read_text(encoding="utf-8"))
                guest = next(guest for guest in data["guests"] if guest["id"] == name)
                guest |= values
                path.write_text(json.dumps(data), encoding="utf-8")

            change(child, vcpus=5)
            done = run("take-back", str(home), str(child), "--out", str(Path(folder, "new.ruvex.json")))
            self.assertEqual((done.returncode, done.stderr), (0, ""))
            plan = read_plan(Path(folder, "new.ruvex.json")).plan
            self.assertEqual(plan.guests[plan.guest_index[name]].vcpus, 5)
            self.assertEqual(len(plan.guests), len(file.plan.guests))
            change(home, vcpus=7)
            before = home.read_bytes()
            done = run("take-back", str(home), str(child))
            self.assertEqual(done.returncode, 1)
            self.assertIn("here it is 7, there 5", done.stdout)
            self.assertEqual(home.read_bytes(), before)
            self.assertEqual(run("take-back", str(home), str(child), "--keep", "there").returncode, 0)
            self.assertEqual(read_plan(home).plan.guests[plan.guest_index[name]].vcpus, 5)
            self.assertEqual(run("take-back", str(home), str(child)).returncode, 2)
            self.assertEqual(run("hand-over", str(home), "x", "--out", str(child)).returncode, 2)
            self.assertEqual(run("hand-over", str(home), "booking", "--out", str(child), "--may", "x").returncode, 2)
            run("hand-over", str(home), "booking", "--out", str(child), "--may", "divide")
            change(child, cpu={"reservation": 1_000})
            data = json.loads(child.read_text(encoding="utf-8"))
            for guest in data["guests"]:
                guest["cpu"] = {"reservation": 2300.0 * guest.get("vcpus", 2)}
            child.write_text(json.dumps(data), encoding="utf-8")
            done = run("take-back", str(home), str(child))
            self.assertEqual(done.returncode, 1)
            self.assertIn("Nothing was taken back: ", done.stdout)
