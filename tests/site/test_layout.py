"""The reading order of pools and guests, and sums over the pool tree."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.plan import Plan
from ruvex.site import site_of
from tests.builders import cpu_guest, plan_of
from tests.divide.strategies import plans

EXAMPLES = settings(max_examples=60, deadline=None)


def pools_above(plan: Plan, pool: str | None) -> set[str]:
    """Give the ids of a pool and of all above it."""
    found: set[str] = set()
    while pool is not None:
        found.add(pool)
        pool = plan.pools[plan.pool_index[pool]].parent
    return found


class Reading(unittest.TestCase):
    """Invariants for any plan."""

    @EXAMPLES
    @given(plans(), st.integers(0, 2**32 - 1))
    def test_sums_by_pool(self, plan: Plan, seed: int) -> None:
        """A pool's sum is that of its guests at any depth, empty pools included, in rows as in the plan."""
        layout = site_of(plan, {}).layout
        values = np.random.default_rng(seed).random((3, len(plan.guests)))
        inside = [pools_above(plan, guest.pool) for guest in plan.guests]
        by_row = layout.summed_by_row(values)
        for i, pool in enumerate(plan.pools):
            expected = values[:, [pool.id in above for above in inside]].sum(axis=1)
            np.testing.assert_allclose(layout.pool_sums(values)[:, i], expected)
            np.testing.assert_allclose(by_row[:, layout.position[pool.id]], expected)
        for i, guest in enumerate(plan.guests):
            np.testing.assert_array_equal(by_row[:, layout.position[guest.id]], values[:, i])

    @EXAMPLES
    @given(plans())
    def test_reading_order(self, plan: Plan) -> None:
        """Rows are a permutation of members, parents first, each subtree in one piece, in the plan's order."""
        layout = site_of(plan, {}).layout
        self.assertEqual(sorted(layout.things.tolist()), list(range(len(layout.ids))))
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
        layout = site_of(plan_of([cpu_guest("g", 5, pool="p199")], pools), {}).layout
        self.assertEqual(layout.depth.tolist(), list(range(201)))
        self.assertTrue(np.all(layout.pool_sums(np.array([5.0])) == 5))
