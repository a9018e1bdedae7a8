"""The division: worked by hand, against the slow solver, and its properties."""

from __future__ import annotations

import json
import unittest
from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from ruvex.divide import Division, divide, peer_weights, shifts_between, solve
from ruvex.engine import rows as r
from ruvex.ledger import LookFigures
from ruvex.plan import RESOURCES, EditError, Plan, change_settings, move_items, plan_from
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
from tests.divide.slow import SlowDivision, SlowLayers
from tests.divide.strategies import plans
from tests.thorough import many

EXAMPLES = settings(max_examples=many(60), deadline=None)
MANY = settings(max_examples=many(200), deadline=None)
RELATIVE = 1e-9


def divided(plan: Plan) -> Division:
    """Divide a plan without traces at its own moment."""
    return divide(site_of(plan, {}))


def delivered(plan: Plan, resource: str = "cpu") -> dict[str, float]:
    """Give what each row gets, by id, rounded for worked examples."""
    division = divided(plan)
    values = division.of(resource).delivered
    return {item_id: round(float(values[i]), 6) for item_id, i in division.position.items()}


class WorkedExamples(unittest.TestCase):
    """Divisions small enough to be worked out on paper; the host has 10 000 MHz and 100 000 MiB."""

    def check(self, plan: Plan, resource: str, expected: dict[str, float]) -> None:
        """Compare what was worked out with what is delivered."""
        result = delivered(plan, resource)
        self.assertEqual({key: result[key] for key in expected}, expected)

    def test_enough_for_all(self) -> None:
        """With supply to spare everyone gets what it wants."""
        self.check(plan_of([cpu_guest("a", 3000), cpu_guest("b", 500)]), "cpu", {"a": 3000, "b": 500})

    def test_next_to_nothing_is_a_figure_too(self) -> None:
        """A pool on two hosts whose guests want 1e-320 MHz has weights and amounts that are numbers."""
        hosts = [HOST | {"id": "h0"}, HOST | {"id": "h1"}]
        guests = [cpu_guest(f"g{i}", 1e-320, pool="p") | {"host": f"h{i}"} for i in range(2)]
        for bound in ({}, {"limit": 1e-320}, {"reservation": 1e-320}):
            plan = plan_of(guests, [{"id": "p", "cpu": bound}], host=None, hosts=hosts)
            document = divide(site_of(plan, {})).to_json()
            self.assertTrue(json.dumps(document, allow_nan=False))

    def test_shares_decide_among_the_hungry(self) -> None:
        """Twice the shares give twice the CPU where both want more."""
        guests = [cpu_guest("a", 9000, shares=200), cpu_guest("b", 9000), cpu_guest("c", 1000, shares=50)]
        self.check(plan_of(guests), "cpu", {"a": 6000, "b": 3000, "c": 1000})

    def test_what_one_cannot_use_goes_to_its_peers(self) -> None:
        """A limit below the fair part frees the difference for the others by weight."""
        guests = [cpu_guest("a", 9000, limit=1000), cpu_guest("b", 9000, shares=200), cpu_guest("c", 9000)]
        self.check(plan_of(guests), "cpu", {"a": 1000, "b": 6000, "c": 3000})

    def test_reservation_counts_towards_the_shares(self) -> None:
        """Under the floor rule a reservation above the fair part is kept and the rest is divided."""
        guests = [cpu_guest("a", 9000, reservation=7000), cpu_guest("b", 9000), cpu_guest("c", 9000)]
        self.check(plan_of(guests), "cpu", {"a": 7000, "b": 1500, "c": 1500})

    def test_reservation_on_top_of_the_shares(self) -> None:
        """Under the on-top rule the reservation comes first and shares divide what is left."""
        guests = [cpu_guest("a", 9000, reservation=4000), cpu_guest("b", 9000), cpu_guest("c", 9000)]
        plan = plan_of(guests, rules={"reservation_rule": "on-top"})
        self.check(plan, "cpu", {"a": 6000, "b": 2000, "c": 2000})

    def test_idle_reserved_cpu_is_lent(self) -> None:
        """Reserved CPU that its owner does not want is there for the others."""
        guests = [cpu_guest("a", 500, reservation=6000), cpu_guest("b", 20_000), cpu_guest("c", 20_000)]
        self.check(plan_of(guests), "cpu", {"a": 500, "b": 4750, "c": 4750})

    def test_guest_beside_a_pool_competes_with_all_of_it(self) -> None:
        """A lone guest is the peer of the whole pool, not of the pool's guests."""
        members = [cpu_guest(f"m{i}", 5000, pool="p") for i in range(5)]
        plan = plan_of([*members, cpu_guest("lone", 9000)], [{"id": "p"}])
        self.check(plan, "cpu", {"p": 5000, "lone": 5000, "m0": 1000})

    def test_pool_that_weighs_by_its_members_is_not_diluted(self) -> None:
        """A pool that weighs by its members, of five guests weighs five times a guest of the same shares."""
        members = [cpu_guest(f"m{i}", 5000, pool="p") for i in range(5)]
        plan = plan_of([*members, cpu_guest("lone", 9000)], [{"id": "p", "weighs": "by-members"}])
        self.check(plan, "cpu", {"p": 8333.333333, "lone": 1666.666667, "m0": 1666.666667})

    def test_pool_limit_binds_its_members(self) -> None:
        """What a pool may not use never enters it."""
        pools = [{"id": "p", "cpu": {"limit": 2000, "shares": 900}}]
        guests = [cpu_guest("m", 9000, pool="p"), cpu_guest("n", 3000, pool="p"), cpu_guest("b", 9000)]
        self.check(plan_of(guests, pools), "cpu", {"p": 2000, "m": 1000, "n": 1000, "b": 8000})

    def test_pool_reservation_protects_its_members(self) -> None:
        """A pool's reservation lifts the pool, and its members divide it by their shares."""
        pools = [{"id": "p", "cpu": {"reservation": 6000, "shares": 1}}]
        guests = [
            cpu_guest("m", 9000, pool="p", shares=200),
            cpu_guest("n", 9000, pool="p"),
            cpu_guest("b", 9000),
        ]
        self.check(plan_of(guests, pools), "cpu", {"p": 6000, "m": 4000, "n": 2000, "b": 4000})

    def test_per_size_counts_vcpus(self) -> None:
        """Per-size, shares count for each vCPU."""
        guests = [cpu_guest("a", 9000, vcpus=9), cpu_guest("b", 9000, vcpus=3)]
        plan = plan_of([*guests, cpu_guest("c", 9000, vcpus=8)], rules={"shares_count": "per-size"})
        self.check(plan, "cpu", {"a": 4500, "b": 1500, "c": 4000})

    def test_memory_modes_side_by_side(self) -> None:
        """Fixed memory stands, elastic headroom is given up before anyone's working set, thin shares the rest."""
        guests = [
            memory_guest("fixed", 100, mode="fixed", size=40_000),
            memory_guest("elastic", 20_000, mode="elastic", boot=4000, floor=1000, ceiling=30_000, headroom_percent=50),
            memory_guest("thin", 10_000, 35_000, mode="thin", size=60_000),
        ]
        self.check(plan_of(guests), "memory", {"fixed": 40_000, "elastic": 25_000, "thin": 35_000})
        self.assertEqual(divided(plan_of(guests)).memory.unmet.tolist(), [0, 5000, 0])

    def test_idle_counts_as_takes_idle_pages_first(self) -> None:
        """With idle pages four times dearer, the guest with busy pages keeps more of its own."""
        guests = [memory_guest("busy", 60_000, mode="thin", size=90_000)]
        guests.append(memory_guest("idle", 20_000, 90_000, mode="thin", size=90_000))
        self.check(plan_of(guests), "memory", {"busy": 50_000, "idle": 50_000})
        costly = plan_of(guests, rules={"idle_counts_as": 4})
        self.check(costly, "memory", {"busy": 60_000, "idle": 40_000})
        # With 30 000 more wanted by busy pages: λ·100 = 68 000 gives busy 68 000 and idle 20 000 + 48 000 / 4.
        guests[0] = memory_guest("busy", 80_000, mode="thin", size=90_000)
        self.check(plan_of(guests, rules={"idle_counts_as": 4}), "memory", {"busy": 68_000, "idle": 32_000})

    def test_a_lone_member_has_a_level_too(self) -> None:
        """1000 pages at work and 2000 of 4000 idle ones, at 4 to 1: its weight times the level is 1000 + 4 × 2000."""
        guest = memory_guest("a", 1000, 5000, pool="p", mode="thin", size=6000)
        plan = plan_of([guest], [{"id": "p", "memory": {"limit": 3000}}], rules={"idle_counts_as": 4})
        of = divided(plan).memory
        self.assertAlmostEqual(of.delivered[1], 3000)
        self.assertAlmostEqual(of.level_over(1) * of.weight[1], 9000)

    def test_thin_reservation_is_held_untouched(self) -> None:
        """A guest's memory reservation is held even where nothing was touched; a pool's is lent."""
        guests = [memory_guest("held", 0, mode="thin", size=80_000, reservation=70_000)]
        guests.append(memory_guest("other", 60_000, mode="thin", size=60_000))
        self.check(plan_of(guests), "memory", {"held": 70_000, "other": 30_000})
        pools = [{"id": "p", "memory": {"reservation": 70_000}}]
        guests = [memory_guest("idle", 5_000, mode="thin", size=80_000, pool="p"), guests[1]]
        self.check(plan_of(guests, pools), "memory", {"idle": 5_000, "other": 60_000})

    def test_elastic_without_agent_stays_at_boot_size(self) -> None:
        """Without its agent an elastic guest neither grows nor shrinks."""
        guest = memory_guest("e", 9000, mode="elastic", boot=3000, floor=1000, ceiling=20_000)
        self.check(plan_of([guest | {"agent": False}]), "memory", {"e": 3000})
        self.check(plan_of([guest]), "memory", {"e": 10_350})

    def test_broken_promises_are_shown_in_proportion(self) -> None:
        """Where guests' own promises exceed the supply they are cut in proportion and marked; others get nothing."""
        pools = [{"id": "p", "cpu": {"reservation": 12_000}}]
        guests = [cpu_guest("m", 9000, pool="p", reservation=9000), cpu_guest("n", 9000, pool="p")]
        division = divided(plan_of([*guests, cpu_guest("b", 9000, reservation=8000)], pools))
        self.assertTrue(division.cpu.broken)
        self.assertFalse(division.memory.broken)
        self.assertAlmostEqual(division.cpu.delivered[division.position["p"]], 10_000 * 9 / 17)
        self.assertTrue(division.cpu.node_broken[division.position["p"]])
        self.assertAlmostEqual(division.cpu.delivered[division.position["m"]], 10_000 * 9 / 17)
        self.assertEqual(division.cpu.promised, 20_000)

    def test_second_threads_help_once_cores_are_taken(self) -> None:
        """Supply grows by the yield of second threads for each vCPU that wants to run beyond the cores."""
        host = {
            "id": "h",
            "mhz": 1000,
            "sockets": 1,
            "cores_per_socket": 4,
            "smt_yield": 0.25,
            "overhead_mhz": 100,
        }
        for wanting, supply in ((4, 3900), (6, 4400), (8, 4900), (12, 4900)):
            with self.subTest(wanting=wanting):
                guests = [cpu_guest(f"g{i}", 1000, vcpus=4) for i in range(wanting)]
                self.assertAlmostEqual(divided(plan_of(guests, host=host)).cpu.supply, supply)

    def test_who_gains_and_who_pays(self) -> None:
        """A raised reservation is paid by the peers, and the parts of a bar add up to what is delivered."""
        guests = [cpu_guest("a", 9000, reservation=2000), cpu_guest("b", 9000), cpu_guest("c", 500, reservation=4000)]
        plan = plan_of([*guests, memory_guest("d", 300, mode="thin", size=8000, reservation=1000)])
        before, after = divided(plan), divided(change_settings(plan, "a", {"cpu.reservation": 7000.0}))
        shifts = shifts_between(before.cpu, after.cpu)
        self.assertEqual([after.ids[row] for row in shifts.rows], ["a", "b"])
        np.testing.assert_allclose(shifts.amounts, [2250, -2250])
        self.assertEqual(shifts.losses.rows.tolist(), [1])
        self.assertEqual(shifts_between(before.memory, after.memory).rows.size, 0)
        parts = LookFigures(after).parts("cpu")
        np.testing.assert_allclose(parts.promised + parts.won + parts.held, after.cpu.delivered)
        self.assertEqual(parts.promised.tolist(), [7000, 0, 500, 0])
        self.assertEqual(parts.lent.tolist(), [0, 0, 3500, 0])
        held = LookFigures(after).parts("memory")
        self.assertEqual((held.promised[3], held.won[3], held.held[3]), (300, 0, 700))
        self.assertEqual(peer_weights(after.cpu, after, 0), (100, 400))

    def test_what_a_pool_lends_is_what_its_guests_lend_and_what_it_has_left(self) -> None:
        """Of a pool's 5 GHz one guest uses 0.5 of its 2, one has won 2.5: of the 3 that are its own, 0.5 are idle."""
        pools = [{"id": "q", "cpu": {"reservation": 6000}}, {"id": "p", "parent": "q", "cpu": {"reservation": 5000}}]
        guests = [cpu_guest("idle", 500, reservation=2000, pool="p"), cpu_guest("busy", 2500, vcpus=4, pool="p")]
        parts = LookFigures(divided(plan_of(guests, pools))).parts("cpu")
        ids = divided(plan_of(guests, pools)).ids
        found = {name: [round(float(part[row])) for part in (parts.promised, parts.won, parts.lent)]
                 for row, name in enumerate(ids)}  # fmt: skip
        self.assertEqual(
            found, {"idle": [500, 0, 1500], "busy": [0, 2500, 0], "p": [3000, 0, 2000], "q": [3000, 0, 3000]}
        )
        # One that lacks 3 of 6 takes nothing off what another lends.
        guests[1:] = [cpu_guest("busy", 9000, vcpus=9, pool="p"), cpu_guest("c", 9000, vcpus=9)]
        division = divided(plan_of(guests, pools))
        parts = LookFigures(division).parts("cpu")
        self.assertGreater(division.cpu.unmet[division.position["busy"]], 1000)
        self.assertAlmostEqual(parts.lent[division.position["p"]], 1500)

    def test_no_host_and_nobody_on(self) -> None:
        """A plan without hosts has nothing to give; one without guests has nothing to do."""
        homeless = divided(plan_of([cpu_guest("a", 700)], [{"id": "empty"}], host=None))
        self.assertEqual((homeless.cpu.supply, homeless.cpu.total_wanted, homeless.cpu.unmet[-1]), (0, 700, 700))
        idle = divided(plan_of([cpu_guest("a", 700) | {"power": "off"}], [{"id": "empty"}]))
        self.assertEqual([row["id"] for row in idle.to_json()["cpu"]["rows"]], ["empty"])
        self.assertEqual(divided(plan_of([])).to_json()["cpu"]["rows"], [])

    def test_rows_stand_in_reading_order(self) -> None:
        """Parents come before members, sub-pools before guests, each in the plan's order."""
        pools = [{"id": "b"}, {"id": "a"}, {"id": "b1", "parent": "b"}]
        guests = [
            cpu_guest("x", 1),
            cpu_guest("y", 1, pool="b"),
            cpu_guest("z", 1, pool="b1"),
            cpu_guest("w", 1, pool="a"),
        ]
        division = divided(plan_of(guests, pools))
        self.assertEqual(division.ids, ("b", "b1", "z", "y", "a", "w", "x"))
        self.assertEqual(division.depth.tolist(), [0, 1, 2, 1, 0, 1, 0])


class AgainstTheSlowSolver(unittest.TestCase):
    """Every plan that can be drawn is divided as the model's text says."""

    @MANY
    @given(plans())
    def test_agrees(self, plan: Plan) -> None:
        """What is delivered, asked and broken, in every place and as one machine, agrees with bisection to 1e-9."""
        division, slow = divided(plan), SlowDivision(plan)
        trees, solved = division.site.forest.trees, division.solved
        for k, resource in enumerate(RESOURCES):
            fast = division.of(resource)
            scale = max(1.0, fast.supply, *fast.cap.tolist()) if fast.cap.size else 1.0
            for (place, item), expected in slow.given.items():
                if place[1] == "*" or (place[0] == "cpu") != (resource == "cpu"):
                    continue
                slot = self.slot_of(division, place, item)
                ask = slow.asks[place, item]
                found = solved.asks[[r.A_FLOOR, r.A_USE, r.A_CAP, r.A_KEEP, r.A_WEIGHT], slot]
                wished = [ask.floor, ask.use, ask.cap, ask.keep, ask.weight]
                np.testing.assert_allclose(found, wished, rtol=1e-7, atol=1e-7 * scale, err_msg=f"{place} {item}")
                self.assertAlmostEqual(
                    solved.asks[r.A_GIVEN, slot], expected, delta=1e-7 * scale, msg=f"{place} {item}"
                )
            for g in slow.on:
                one = division.as_one[k, plan.guest_index[g.id]]
                self.assertAlmostEqual(one, slow.as_one[resource, g.id], delta=1e-7 * scale)
            broken = any((place[0] == "cpu") == (resource == "cpu") and place[1] != "*" for place, _ in slow.broken)
            self.assertEqual(fast.broken or fast.placement, broken)
        self.assertLess(solved.residual, 1e-9)
        self.assertEqual(trees.slots.shape[1], len({(p, i) for p, i in slow.given if p[1] != "*"}))

    @staticmethod
    def slot_of(division: Division, place: tuple[str, str], item: str) -> int:
        """Find where a guest or pool stands in a place."""
        plan, trees = division.site.plan, division.site.forest.trees
        kind = {"cpu": r.CPU_PLACE, "memory": r.MEMORY_PLACE, "bank": r.BANK_PLACE}[place[0]]
        host = plan.host_index.get(place[1], 0)
        at = np.flatnonzero((trees.places[r.L_KIND] == kind) & (trees.places[r.L_HOST] == host))[0]
        if item in plan.guest_index:
            slot = int(trees.guest_slots[int(kind != r.CPU_PLACE), plan.guest_index[item]])
            assert trees.nodes[r.N_PLACE, trees.slots[r.T_OWNER, slot]] == at
            return slot
        node = (trees.nodes[r.N_PLACE] == at) & (trees.nodes[r.N_POOL] == plan.pool_index[item])
        return int(trees.nodes[r.N_SLOT, np.flatnonzero(node)[0]])

    @MANY
    @given(plans())
    def test_layers_agree(self, plan: Plan) -> None:
        """Where memory lies, and the pace, are what section 6 says of what is delivered."""
        division, slow = divided(plan), SlowDivision(plan)
        layers = division.solved.layers
        for g in slow.on:
            i = plan.guest_index[g.id]
            expected = SlowLayers(plan, g, division.memory.given[i], slow.shared[g.id])
            names = {"balloon": r.M_BALLOON, "squeezed": r.M_SQUEEZED, "spilled": r.M_SPILLED, "backed": r.M_BACKED}
            names |= {"held": r.M_HELD, "self_paged": r.M_SELF_PAGED, "pace": r.M_PACE}
            for name, row in names.items():
                self.assertAlmostEqual(
                    layers[row, i], getattr(expected, name), delta=1e-6 * max(1.0, g.memory.size), msg=name
                )

    def test_agrees_on_a_wide_deep_plan(self) -> None:
        """A tree of five levels with 400 guests of very different sizes agrees to 1e-9 of each figure."""
        plan = wide_plan(120)
        division, slow = divided(plan), SlowDivision(plan)
        for resource in RESOURCES:
            fast = division.of(resource).delivered
            expected = np.array([slow.of(item_id, resource) for item_id in division.ids])
            np.testing.assert_allclose(fast, expected, rtol=RELATIVE, atol=1e-9)

    @MANY
    @given(plans(), st.floats(1e-6, 1e6))
    def test_levels_are_where_the_search_begins(self, plan: Plan, factor: float) -> None:
        """Wherever the search for the levels begins, it ends at the same bits: far off, or at a neighbour."""
        site = site_of(plan, {})
        first = divide(site)
        for part in (factor, 1.0, *(1.0 + 2.0**-bits for bits in (20, 40, 44, 49, 52)), 1.0 - 2.0**-48):
            levels = replace(first.levels, of_nodes=first.levels.of_nodes * part, of_one=first.levels.of_one * part)
            again = solve(site, first.demand, levels=levels)
            np.testing.assert_array_equal(again.given(), first.solved.given())


def wide_plan(count: int) -> Plan:
    """Build a plan of five levels whose guests differ by four orders of magnitude."""
    rng = np.random.default_rng(5)
    pools: list[dict[str, Any]] = []
    for i in range(40):
        parent = None if i < 4 else f"p{(i - 4) // 3}"
        settings = {"shares": float(rng.uniform(50, 400)), "reservation": float(rng.uniform(0, 3))}
        pools.append({"id": f"p{i}", "parent": parent, "cpu": settings, "memory": settings})
    guests = []
    for i in range(count):
        size = float(10 ** rng.uniform(0, 4))
        guest = memory_guest(f"g{i}", size * rng.uniform(), size, mode="thin", size=size, pool=f"p{rng.integers(40)}")
        guest["demand"]["cpu"] = float(10 ** rng.uniform(0, 4))
        guests.append(guest)
    return plan_of(guests, pools, rules={"idle_counts_as": 3})


class Properties(unittest.TestCase):
    """What must hold for every plan."""

    def assert_same(self, plan: Plan, other: Plan) -> None:
        """Every guest and pool gets the same under both plans, whatever their order."""
        for resource in RESOURCES:
            a, b = delivered(plan, resource), delivered(other, resource)
            self.assertEqual(set(a), set(b))
            for item_id in a:
                self.assertAlmostEqual(a[item_id], b[item_id], delta=1e-5)

    @EXAMPLES
    @given(plans())
    def test_sum_and_bounds(self, plan: Plan) -> None:
        """Nothing is negative, over its cap, under its floor, or handed out twice, and nothing useful is left over."""
        division = divided(plan)
        solved, trees = division.solved, division.site.forest.trees
        given = solved.asks[r.A_GIVEN]
        self.assertTrue(np.all(np.isfinite(given)) and np.all(given >= 0))
        for node in range(trees.nodes.shape[1]):
            place = trees.nodes[r.N_PLACE, node]
            supply, kept, whole = solved.values[[r.Q_SUPPLY, r.Q_KEPT, r.Q_AMOUNT], place]
            slack = 1e-9 * max(1.0, supply)
            self.assertTrue(supply - kept - slack <= whole <= supply + slack)
            amount = whole if trees.nodes[r.N_POOL, node] < 0 else given[trees.nodes[r.N_SLOT, node]]
            members = slice(trees.nodes[r.N_FIRST, node], trees.nodes[r.N_LAST, node])
            floors, caps, got = (solved.asks[row, members] for row in (r.A_FLOOR, r.A_CAP, r.A_GIVEN))
            self.assertTrue(np.all(got <= np.maximum(caps, floors) + slack))
            is_broken = floors.sum() > amount * (1 + RELATIVE) + slack
            if not is_broken:
                self.assertTrue(np.all(got >= floors - slack))
            owns = solved.asks[r.A_OWN, members].sum()
            reachable = min(amount, owns if is_broken and owns > 0 and owns > amount else caps.sum())
            if not is_broken or owns > 0:
                self.assertAlmostEqual(got.sum(), reachable, delta=slack * 10 + 1e-9)

    @EXAMPLES
    @given(plans())
    def test_peers_share_one_level(self, plan: Plan) -> None:
        """Peers that stand at no bound in tier 1 have the same level, which is the node's."""
        rules = plan.rules.model_copy(update={"reservation_rule": "floor", "idle_counts_as": 1.0})
        division = divided(plan.model_copy(update={"rules": rules}))
        for resource in RESOURCES:
            of = division.of(resource)
            for row in np.flatnonzero(of.is_guest & division.on).tolist():
                level, margin = of.level_over(row), 1e-6 * max(1.0, of.supply)
                free = of.floor[row] + margin < of.delivered[row] < of.use[row] - margin
                if free and not of.broken and not of.placement:
                    self.assertAlmostEqual(of.delivered[row] / of.weight[row] / level, 1.0, places=9)

    @EXAMPLES
    @given(plans(), st.data())
    def test_more_shares_never_give_less(self, plan: Plan, data: st.DataObject) -> None:
        """Raising one guest's shares never takes from it."""
        assume(plan.guests)
        guest = data.draw(st.sampled_from(plan.guests))
        resource = data.draw(st.sampled_from(RESOURCES))
        shares = getattr(guest, resource).shares
        # Where a pool is apportioned, what one of its guests gets moves the parts of all others too.
        assume(not any(site_of(plan, {}).forest.is_spread))
        more = change_settings(plan, guest.id, {f"{resource}.shares": shares * data.draw(st.floats(1, 50))})
        before, after = delivered(plan, resource), delivered(more, resource)
        self.assertGreaterEqual(after[guest.id], before[guest.id] - 1e-5)

    @EXAMPLES
    @given(plans(), st.randoms(use_true_random=False))
    def test_order_of_peers_does_not_matter(self, plan: Plan, random: Any) -> None:
        """Guests and pools listed in another order get the same."""
        data = plan.model_dump()
        for group in ("guests", "pools"):
            data[group] = random.sample(data[group], len(data[group]))
        self.assert_same(plan, plan_from(data))

    @EXAMPLES
    @given(plans(), st.floats(0.01, 100))
    def test_scaling_all_shares_changes_nothing(self, plan: Plan, factor: float) -> None:
        """Only the ratio of shares among peers counts."""
        data = plan.model_dump()
        for item in (*data["pools"], *data["guests"]):
            item["cpu"]["shares"] *= factor
            item["memory"]["shares"] *= factor
        self.assert_same(plan, plan_from(data))

    @EXAMPLES
    @given(plans())
    def test_guest_that_is_off_changes_nothing(self, plan: Plan) -> None:
        """Leaving out a guest that is off gives the same figures, and it has no row."""
        without = plan_from(plan.model_dump() | {"guests": [g.model_dump() for g in plan.guests if g.is_powered]})
        for resource in RESOURCES:
            there = {row["id"]: row["delivered"] for row in divided(plan).to_json()[resource]["rows"]}
            gone = {row["id"]: row["delivered"] for row in divided(without).to_json()[resource]["rows"]}
            self.assertEqual(list(there), list(gone))
            np.testing.assert_allclose(list(there.values()), list(gone.values()), rtol=RELATIVE, atol=1e-9)

    @EXAMPLES
    @given(plans(), st.data())
    def test_patching_equals_compiling_anew(self, plan: Plan, data: st.DataObject) -> None:
        """A changed dial patched into the arrays gives the same figures to the bit as a new compilation."""
        targets = [(p.id, "cpu.shares") for p in plan.pools] + [(g.id, "memory.shares") for g in plan.guests]
        targets += [(g.id, "power") for g in plan.guests] + [("rules", "idle_counts_as")]
        target, setting = data.draw(st.sampled_from(targets))
        value = {"power": "off", "idle_counts_as": 2.5}.get(setting, 777.0)
        changed = change_settings(plan, target, {setting: value})
        patched = site_of(plan, {}).with_plan(changed)
        self.assertEqual(divide(patched).to_json(), divided(changed).to_json())

    @EXAMPLES
    @given(plans(), st.data())
    def test_moving_equals_compiling_anew(self, plan: Plan, data: st.DataObject) -> None:
        """A guest or pool moved within the tree, and a dial changed with it, give the same figures to the bit."""
        items = [*plan.pool_index, *plan.guest_index]
        if not items:
            return
        try:
            target = data.draw(st.sampled_from([None, *plan.pool_index]))
            moved = move_items(plan, [data.draw(st.sampled_from(items))], target)
        except EditError:
            return
        moved = change_settings(moved, items[0], {"cpu.shares": 777.0})
        patched = site_of(plan, {}).with_plan(moved)
        self.assertEqual(divide(patched).to_json(), divided(moved).to_json())
