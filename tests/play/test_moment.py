"""A moment of a play reads as what was played then."""

from __future__ import annotations

import numpy as np
from hypothesis import given, settings

from ruvex.divide import CAUSES, Division, causes_of, divide
from ruvex.engine import rows as r
from ruvex.plan import Plan, read_plan
from ruvex.play import Player, division_at, played_day
from ruvex.site import site_of
from tests.builders import HOST, plan_of
from tests.demo import DEMO
from tests.play.site import PlayCase
from tests.play.test_exact import eventful_plans, resting_plans
from tests.thorough import many


class Moments(PlayCase):
    """Figures of a division, taken from a play."""

    @given(eventful_plans())
    @settings(max_examples=many(40))
    def test_figures_are_those_that_were_played(self, plan: Plan) -> None:
        """Row by row and place by place, in the last second and in the middle, whatever happened before."""
        player = Player(site_of(plan, {}), record_s=1)
        player.run(60)
        for at_s in (20, 60):
            division = division_at(player, at_s)
            assert division is not None
            self.compare(player, at_s, division)

    def test_everybody_was_where_he_was(self) -> None:
        """After a day with moves and a lost host, an early moment has every guest on the host it was on then."""
        file = read_plan(DEMO)
        site = site_of(file.plan, file.traces)
        player = Player(site)
        player.run()
        self.assertFalse(np.array_equal(player.state.host, site.standing.host))
        division = division_at(player, 8 * 3600.0)
        assert division is not None
        np.testing.assert_array_equal(division.site.standing.host, site.standing.host)
        recording = player.recording
        row = recording.row_at(8 * 3600.0)
        hosts = len(file.plan.hosts)
        for channel, mine in (
            ("cpu_wanted", division.by_host.wanted[0]),
            ("cpu_delivered", division.by_host.delivered[0]),
        ):
            np.testing.assert_allclose(mine, recording.of_places(channel)[:hosts, row], rtol=1e-4)
        np.testing.assert_array_equal(division.by_host.pressure, recording.of_places("pressure")[:hosts, row])

    def test_between_two_rows_nobody_has_moved_yet(self) -> None:
        """A guest that has gone to a smaller host since the last row has there not what it had on the large one."""
        hosts = [HOST | {"id": "large", "cores_per_socket": 8}, HOST | {"id": "small", "cores_per_socket": 1}]
        guest = {"id": "a", "vcpus": 8, "host": "large", "demand": {"cpu": 8000, "working": 10, "touched": 10}}
        events = [
            {"at": 15, "do": "power-off", "target": "a"},
            {"at": 16, "do": "move", "target": "a", "host": "small"},
            {"at": 17, "do": "power-on", "target": "a"},
        ]
        plan = Plan.model_validate({"hosts": hosts, "guests": [guest], "events": events})
        player = Player(site_of(plan, {}), record_s=10)
        player.run(60)
        division = division_at(player, 19.0)
        assert division is not None
        self.assertEqual([division.host_of(0), division.cpu.total_delivered], ["large", 8000.0])

    def test_work_that_is_behind_is_told_apart(self) -> None:
        """Batch work gets 1000 of 1500 MHz for a minute: 30 000 MHz·s are behind, and wanted again at once."""
        work = {"cpu": {"kind": "steps", "at": [["00:00", 1500], ["00:01", 0]]}, "working": 0, "touched": 0}
        guest = {"id": "a", "vcpus": 10, "cpu": {"limit": 1000}, "demand": work | {"kind": "batch"}}
        player = Player(site_of(plan_of([guest], day_s=200), {}), record_s=1)
        player.run()
        division = division_at(player, 70.0)
        assert division is not None
        self.assertGreater(float(division.cpu.wanted[0]), 0)
        self.assertEqual(float(division.behind[0]), float(division.cpu.wanted[0]))
        early = division_at(player, 0.0)
        assert early is not None
        self.assertEqual(float(early.behind[0]), 0.0)
        self.assertEqual(float(divide(player.site, 30.0).behind[0]), 0.0)

    def test_the_day_is_that_of_its_moments(self) -> None:
        """Wanted and supply over the day are those that each of its moments has."""
        file = read_plan(DEMO)
        player = Player(site_of(file.plan, file.traces))
        player.run()
        day = played_day(player, moments=49)
        for i in range(0, 49, 6):
            division = division_at(player, float(day.times_s[i]))
            assert division is not None
            for k, of in enumerate((division.cpu, division.memory)):
                self.assertAlmostEqual(float(day.wanted[k, i]), of.total_wanted, delta=1e-4 * of.supply)
                self.assertAlmostEqual(float(day.supply[k, i]), of.supply, delta=1e-4 * of.supply)

    def compare(self, player: Player, at_s: float, division: Division) -> None:
        """Compare every guest with the recording."""
        recording, row = player.recording, player.recording.row_at(at_s)
        on = division.site.standing.on
        layers, pools = division.layers, division.layout.parent.size
        guest_rows = [division.position[guest.id] for guest in division.site.plan.guests]
        for channel in ("backed", "balloon", "squeezed", "spilled", "working", "self_paged", "cache", "pace", "met"):
            was = np.where(on, recording.series(channel)[:, row], 1.0 if channel == "pace" else 0.0)
            np.testing.assert_allclose(getattr(layers, channel)[guest_rows], was, rtol=1e-6, atol=1e-3, err_msg=channel)
        wanted, got = (np.where(on, recording.series(name)[:, row], 0.0) for name in ("cpu_wanted", "cpu_delivered"))
        np.testing.assert_allclose(division.cpu.wanted[guest_rows], wanted, rtol=1e-6, atol=1e-3)
        np.testing.assert_allclose(division.cpu.delivered[guest_rows], got, rtol=1e-6, atol=1e-3)
        cause = np.where(on, recording.series("cause")[:, row], 0)
        words = [causes_of(division, "memory").word(i) for i in guest_rows]
        self.assertEqual(words, [CAUSES[int(code)] for code in cause])
        supply = recording.of_places("cpu_supply")[:, row].sum()
        self.assertAlmostEqual(division.cpu.supply, float(supply), delta=1e-3 + 1e-6 * float(supply))
        for resource in (division.cpu, division.memory):
            totals = np.zeros(pools)
            for i, guest in enumerate(division.site.plan.guests):
                above = guest.pool
                while above is not None:
                    totals[division.site.plan.pool_index[above]] += resource.given[i]
                    above = division.site.plan.pools[division.site.plan.pool_index[above]].parent
            pool_rows = [division.position[pool.id] for pool in division.site.plan.pools]
            np.testing.assert_allclose(resource.delivered[pool_rows], totals, rtol=1e-6, atol=1e-3)

    @given(resting_plans())
    @settings(max_examples=many(15))
    def test_at_rest_it_is_the_settled_one(self, plan: Plan) -> None:
        """Once a play has come to rest, played and settled tell the same."""
        player = Player(site_of(plan, {}), record_s=60)
        player.run()
        played = division_at(player, player.now_s)
        assert played is not None
        settled = divide(player.site, player.now_s, demand=player.demand)
        slack = 1e-3 + 1e-4 * max(settled.memory.supply, settled.cpu.supply)
        ready = player.state.phase == r.RUNNING
        np.testing.assert_allclose(played.memory.given[ready], settled.memory.given[ready], atol=slack)

    def test_the_demo_at_the_rush(self) -> None:
        """With 39 guests on three hosts the sums of hosts are those that were recorded, and nothing is of tomorrow."""
        plan = read_plan(DEMO).plan
        player = Player(site_of(plan, read_plan(DEMO).traces))
        player.run(9 * 3600)
        self.assertIsNone(division_at(player, 10 * 3600))
        division = division_at(player, 8 * 3600 + 600)
        assert division is not None
        self.assertTrue(division.is_played)
        self.compare(player, 8 * 3600 + 600, division)
        row = player.recording.row_at(8 * 3600 + 600)
        for host in range(3):
            here = (division.site.standing.host == host) & division.site.standing.on
            recorded = float(player.recording.of_places("cpu_delivered")[host, row])
            self.assertAlmostEqual(float(division.cpu.given[here].sum()), recorded, delta=1e-5 * recorded)
