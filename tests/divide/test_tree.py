"""The numbering of the tree: everything the solver takes for granted about it."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.divide._tree import Tree, build_tree
from ruvex.plan import Plan
from tests.builders import cpu_guest, plan_of
from tests.divide.strategies import plans

EXAMPLES = settings(max_examples=60, deadline=None)


def parent_ids(plan: Plan, tree: Tree) -> list[str | None]:
    """Give for each member in the tree's numbering the id of its parent, by way of the node numbers."""
    node_ids: list[str | None] = [None] * tree.node_count
    for i, pool in enumerate(plan.pools):
        node_ids[int(tree.pool_place[i]) + 1] = pool.id
    return [node_ids[node] for node in tree.parent.tolist()]


class Numbering(unittest.TestCase):
    """Invariants for any plan."""

    @EXAMPLES
    @given(plans())
    def test_every_member_hangs_where_the_plan_says(self, plan: Plan) -> None:
        """Places are a permutation, and each member's node is its parent's."""
        tree = build_tree(plan)
        self.assertEqual(sorted(tree.pool_place.tolist()), list(range(len(plan.pools))))
        self.assertEqual(sorted(tree.guest_place.tolist()), list(range(len(plan.guests))))
        found = parent_ids(plan, tree)
        for pool, place in zip(plan.pools, tree.pool_place.tolist(), strict=True):
            self.assertEqual(found[place], pool.parent)
        for guest, place in zip(plan.guests, tree.guest_place.tolist(), strict=True):
            self.assertEqual(found[tree.pool_count + place], guest.pool)

    @EXAMPLES
    @given(plans())
    def test_neighbours_and_levels(self, plan: Plan) -> None:
        """Pools of a node are neighbours, so are its guests; levels follow each other without gaps."""
        tree = build_tree(plan)
        for part in (tree.parent[: tree.pool_count], tree.parent[tree.pool_count :]):
            self.assertTrue(np.all(np.diff(part) >= 0))
        end = 0
        for level in tree.levels:
            self.assertEqual(level.nodes.start, end)
            end = level.nodes.stop
            self.assertEqual(level.pools, slice(end - 1, end - 1 + level.pool_node.size))
            np.testing.assert_array_equal(level.pool_node, tree.parent[level.pools])
            inside = (level.pool_node >= level.nodes.start) & (level.pool_node < level.nodes.stop)
            self.assertTrue(inside.all())
        self.assertEqual(end, tree.node_count)

    @EXAMPLES
    @given(plans(), st.integers(0, 2**32 - 1))
    def test_sums_by_node(self, plan: Plan, seed: int) -> None:
        """Grouped sums equal sums taken node by node, empty nodes included."""
        tree = build_tree(plan)
        values = np.random.default_rng(seed).random((3, tree.member_count))
        guests = values[:, tree.pool_count :]
        sums = tree.guest_groups.sums(guests)
        for node in range(tree.node_count):
            np.testing.assert_allclose(sums[:, node], guests[:, tree.parent[tree.pool_count :] == node].sum(axis=1))
        for level in tree.levels:
            sums = level.pool_groups.sums(values[:, level.pools])
            for i, node in enumerate(range(level.nodes.start, level.nodes.stop)):
                np.testing.assert_allclose(sums[:, i], values[:, level.pools][:, level.pool_node == node].sum(axis=1))

    @EXAMPLES
    @given(plans())
    def test_reading_order(self, plan: Plan) -> None:
        """Rows are a permutation of members, parents first, each subtree in one piece, in the plan's order."""
        layout = build_tree(plan).layout
        self.assertEqual(sorted(layout.members.tolist()), list(range(len(layout.ids))))
        self.assertEqual(set(layout.ids), {*plan.pool_index, *plan.guest_index})
        for row, parent in enumerate(layout.parents):
            self.assertEqual(layout.position[layout.ids[row]], row)
            if parent is None:
                self.assertEqual((layout.depth[row], layout.parent_row[row]), (0, -1))
                tops = [pool.id for pool in plan.pools if pool.parent is None]
                number = tops.index(layout.ids[row]) if layout.ids[row] in tops else -1
                self.assertEqual(layout.top_pool[row], number)
                continue
            self.assertEqual(layout.top_pool[row], layout.top_pool[layout.position[parent]])
            above = layout.position[parent]
            self.assertEqual(layout.parent_row[row], above)
            self.assertEqual(layout.depth[row], layout.depth[above] + 1)
            self.assertTrue(np.all(layout.depth[above + 1 : row + 1] > layout.depth[above]), "one piece")
        for items, kind in ((plan.pools, "pool"), (plan.guests, "guest")):
            for parent in {None, *plan.pool_index}:
                rows = [r for r in layout.ids if layout.kinds[layout.position[r]] == kind]
                rows = [r for r in rows if layout.parents[layout.position[r]] == parent]
                order = [item.id for item in items if getattr(item, "parent" if kind == "pool" else "pool") == parent]
                self.assertEqual(rows, order)

    def test_a_deep_chain(self) -> None:
        """A chain of two hundred pools is numbered without recursion running out, and shares flow to its end."""
        pools = [{"id": f"p{i}", "parent": f"p{i - 1}" if i else None} for i in range(200)]
        tree = build_tree(plan_of([cpu_guest("g", 5, pool="p199")], pools))
        self.assertEqual(len(tree.levels), 201)
        self.assertEqual(tree.layout.depth.tolist(), list(range(201)))
