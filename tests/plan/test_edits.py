"""Edits of the tree: adding, removing, moving, shifting, copying."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.plan import (
    EditError,
    Guest,
    Host,
    Namer,
    Plan,
    add_items,
    change_settings,
    check_plan,
    copies_of,
    move_items,
    remove_items,
    shift_item,
)
from tests.builders import HOST, plan_of
from tests.divide.strategies import plans

POOLS = [{"id": "outer"}, {"id": "inner", "parent": "outer"}, {"id": "other"}]


class Copies(unittest.TestCase):
    """A copy of a plan with other lists."""

    def test_it_knows_its_items_by_id(self) -> None:
        """Whatever of the plan was looked up before: one more, one less, another order; the same ids keep the index."""
        plan = plan_of([{"id": "a"}, {"id": "b"}], [{"id": "p"}], hosts=[HOST | {"id": "h"}], host=None)
        for kind, index in (("hosts", "host_index"), ("pools", "pool_index"), ("guests", "guest_index")):
            items, known = getattr(plan, kind), getattr(plan, index)
            other = items[0].model_copy(update={"id": "other"})
            for now in ((*items, other), (), (other, *items), items[::-1], (other,)):
                copy = plan.model_copy(update={kind: now})
                self.assertEqual(getattr(copy, index), {item.id: i for i, item in enumerate(now)})
            renamed = tuple(item.model_copy(update={"name": "x"}) for item in items)
            self.assertIs(getattr(plan.model_copy(update={kind: renamed}), index), known)


class Tree(unittest.TestCase):
    """The tree changes, the rest stays."""

    def setUp(self) -> None:
        """Make a small tree."""
        guests = [{"id": "a", "pool": "inner"}, {"id": "b", "pool": "inner"}, {"id": "c", "pool": "outer"}, {"id": "d"}]
        self.plan = plan_of(guests, POOLS, events=[{"at": 0, "do": "power-off", "target": "a"}])

    def test_removed_pools_hand_their_members_up(self) -> None:
        """Guests of a removed pool move to the nearest pool that stays; events of what is gone go too."""
        plan = remove_items(self.plan, ["inner", "a"])
        self.assertEqual({g.id: g.pool for g in plan.guests}, {"b": "outer", "c": "outer", "d": None})
        self.assertEqual(plan.events, ())
        plan = remove_items(self.plan, ["inner", "outer"])
        self.assertEqual({g.pool for g in plan.guests}, {None})
        self.assertEqual(plan.guest_index["b"], 1)

    def test_a_pool_cannot_lie_in_itself(self) -> None:
        """Nor in a pool that is in it."""
        for target in ("outer", "inner"):
            with self.assertRaisesRegex(EditError, "in itself"):
                move_items(self.plan, ["outer"], target)
        with self.assertRaisesRegex(EditError, "no pool 'nowhere'"):
            move_items(self.plan, ["a"], "nowhere")
        self.assertEqual(move_items(self.plan, ["a", "inner"], "other").pools[1].parent, "other")

    def test_hosts(self) -> None:
        """A second host leaves the guests where they are; a host with guests on it does not go."""
        plan = add_items(self.plan, [Host(id="k")])
        self.assertEqual({g.host for g in plan.guests}, {"h"})
        with self.assertRaisesRegex(EditError, "move it to another host first"):
            remove_items(plan, ["h"])
        self.assertEqual({g.host for g in remove_items(plan_of([{"id": "a", "host": "h"}]), ["h"]).guests}, {None})
        self.assertIsNone(change_settings(plan, "a", {"host": None}).guests[0].host)
        with self.assertRaisesRegex(EditError, "there is no host 'x'"):
            change_settings(plan, "a", {"host": "x"})
        with self.assertRaisesRegex(EditError, "is taken"):
            add_items(self.plan, [Guest(id="a")])

    def test_shift(self) -> None:
        """A guest changes places with its peers only, and stays within them."""
        order = [g.id for g in shift_item(self.plan, "a", 1).guests]
        self.assertEqual(order, ["b", "a", "c", "d"])
        self.assertEqual([g.id for g in shift_item(self.plan, "c", 5).guests], ["a", "b", "c", "d"])
        self.assertEqual([p.id for p in shift_item(self.plan, "other", -1).pools], ["other", "outer", "inner"])

    def test_copies(self) -> None:
        """A pool is copied with all in it, once; names count on."""
        plan = plan_of([{"id": "web-1", "name": "web-1", "pool": "p"}, {"id": "web-2"}], [{"id": "p", "name": "Pier"}])
        found = copies_of(plan, ["p", "web-1", "web-2"])
        self.assertEqual([item.name for item in found], ["Pier-2", "web-3", "web-4"])
        self.assertEqual([getattr(item, "pool", None) for item in found], [None, "pier-2", None])
        self.assertEqual(add_items(plan, found).guest_index["web-4"], 3)
        self.assertEqual(Namer(plan_of([], host=HOST)).id_for("Rules", "x"), "rules-2")

    @settings(max_examples=60)
    @given(plans(), st.data())
    def test_any_edit_leaves_a_valid_plan(self, plan: Plan, data: st.DataObject) -> None:
        """Whatever is removed, copied or moved, the plan stays valid or the edit says why not."""
        ids = [*plan.pool_index, *plan.guest_index]
        if not ids:
            return
        chosen = data.draw(st.lists(st.sampled_from(ids), min_size=1, max_size=4))
        copied = add_items(plan, copies_of(plan, chosen))
        self.assertEqual(check_plan(copied), [])
        self.assertGreater(len(copied.pools) + len(copied.guests), len(plan.pools) + len(plan.guests))
        removed = remove_items(plan, chosen)
        self.assertFalse(set(chosen) & {*removed.pool_index, *removed.guest_index})
        try:
            moved = move_items(plan, chosen, data.draw(st.sampled_from([None, *plan.pool_index])))
        except EditError as error:
            self.assertIn("itself", str(error))
        else:
            self.assertEqual(check_plan(moved), [])
