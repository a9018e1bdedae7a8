"""What the standing depends on: memory promised to one guest decides where another one goes."""

from __future__ import annotations

import unittest

from ruvex.plan import change_settings
from ruvex.site import site_of
from tests.builders import HOST, plan_of


class WhereThereIsRoom(unittest.TestCase):
    """A guest without a host goes where most memory is not promised."""

    def test_a_promise_moves_another_guest(self) -> None:
        """Both hosts have the same room until the first promises 6 000 MiB: then the second has more."""
        hosts = [HOST | {"id": "h1"}, HOST | {"id": "h2"}]
        guests = [{"id": "a", "host": "h1"}, {"id": "b", "host": None}]
        plan = plan_of(guests, host=None, hosts=hosts)
        before = site_of(plan, {})
        self.assertEqual(before.standing.host.tolist(), [0, 0])
        after = change_settings(plan, "a", {"memory.reservation": 6000.0})
        self.assertEqual(site_of(after, {}).standing.host.tolist(), [0, 1])
        self.assertEqual(before.with_plan(after).standing.host.tolist(), [0, 1])

    def test_what_does_not_matter_makes_no_new_forest(self) -> None:
        """Shares of CPU and demand of the moment leave standing and forest as they are: a dial stays quick."""
        plan = plan_of([{"id": "a"}, {"id": "b"}])
        before = site_of(plan, {})
        after = before.with_plan(change_settings(plan, "a", {"cpu.shares": 300.0, "cpu.limit": 900.0}))
        self.assertIs(after.forest, before.forest)
        self.assertIs(after.standing, before.standing)
