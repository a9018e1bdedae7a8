"""Promises: worked examples of section 5, and admission against a slow one written from its text."""

from __future__ import annotations

import math
import unittest
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st

from ruvex.plan import Guest, Plan, Pool, change_settings, plan_from
from ruvex.promise import (
    Refusal,
    admit_in_order,
    budget_of,
    claims_of,
    hosts_that_take,
    in_starting_order,
    refusal_between,
)
from ruvex.site import site_of
from tests.builders import HOST, cpu_guest, memory_guest, plan_of
from tests.divide.strategies import plans


def power_on(plan: Plan, guest: str) -> Refusal | None:
    """Try to power a guest on that is off."""
    before = site_of(plan, {})
    after = before.with_plan(change_settings(plan, guest, {"power": "on"}))
    return refusal_between(claims_of(before), claims_of(after, booting=[guest]), [guest])


def off(guest: dict[str, Any]) -> dict[str, Any]:
    """Describe the guest switched off."""
    return guest | {"power": "off"}


class WorkedExamples(unittest.TestCase):
    """By hand; the host has 10 000 MHz and 100 000 MiB."""

    def test_the_top_is_short(self) -> None:
        """7 GHz are held, 2 set aside; 3 more do not fit into the 1 that is left."""
        guests = [cpu_guest("a", 0, reservation=4000), cpu_guest("b", 0, reservation=3000)]
        rules = {"set_aside_percent": {"cpu": 20}}
        refusal = power_on(plan_of([*guests, off(cpu_guest("c", 0, reservation=3000))], rules=rules), "c")
        assert refusal is not None
        self.assertEqual((refusal.kind, refusal.place, refusal.shortfall), ("cpu", None, 2000))
        self.assertEqual(refusal.holders, (("a", 4000), ("b", 3000)))
        self.assertIsNone(power_on(plan_of([*guests, off(cpu_guest("c", 0, reservation=1000))], rules=rules), "c"))

    def test_the_chain_goes_up_through_pools_that_draw(self) -> None:
        """The inner pool draws 1 GHz, the outer does not draw and is short by it."""
        pools = [
            {"id": "outer", "cpu": {"reservation": 2000, "draws": False}},
            {"id": "inner", "parent": "outer", "cpu": {"reservation": 2000}},
        ]
        guests = [cpu_guest("a", 0, reservation=2000, pool="inner")]
        guests.append(off(cpu_guest("b", 0, reservation=1000, pool="inner")))
        refusal = power_on(plan_of(guests, pools), "b")
        assert refusal is not None
        self.assertEqual((refusal.place, refusal.shortfall), ("outer", 1000))
        inner = refusal.chain[0]
        self.assertEqual((inner.place, inner.claimed, inner.drawn), ("inner", 3000, 1000))
        self.assertEqual([t.place for t in refusal.chain], ["inner", "outer"])
        self.assertTrue(math.isinf(refusal.chain[0].allowed))
        self.assertEqual(refusal.holders, (("inner", 2000),))

    def test_an_unclaimed_promise_is_free_within_its_pool(self) -> None:
        """All of the supply is promised to a pool, which its own members may claim."""
        pools = [{"id": "p", "cpu": {"reservation": 10_000}}]
        inside, beside = (off(cpu_guest("b", 0, reservation=1000, pool=pool)) for pool in ("p", None))
        self.assertIsNone(power_on(plan_of([inside], pools), "b"))
        self.assertIsNotNone(power_on(plan_of([beside], pools), "b"))

    def test_memory_claims_by_mode_and_overhead(self) -> None:
        """Fixed claims its size, elastic its boot size while it boots, thin its reservation; overhead comes on top."""
        elastic = off(memory_guest("e", 0, mode="elastic", boot=40_000, floor=1000, ceiling=50_000))
        fixed = memory_guest("f", 0, mode="fixed", size=60_000)
        self.assertIsNone(power_on(plan_of([fixed, elastic]), "e"))
        refusal = power_on(plan_of([fixed, elastic], rules={"guest_overhead": {"fixed_mib": 300}}), "e")
        assert refusal is not None
        self.assertEqual((refusal.kind, refusal.shortfall), ("memory", 600))
        running = [memory_guest("e", 0, mode="elastic", boot=40_000, floor=1000, ceiling=50_000), fixed]
        claims = claims_of(site_of(plan_of(running), {}))
        self.assertEqual(budget_of(claims, None, "memory").claimed, 61_000)

    def test_memory_must_be_found_on_the_guests_own_host(self) -> None:
        """The cluster has room, the host has not."""
        hosts = [HOST | {"id": "h", "memory_mib": 8000}, HOST | {"id": "k", "memory_mib": 90_000}]
        fixed = {"mode": "fixed", "size": 5000}
        guests = [memory_guest(g, 0, **fixed) | {"host": "h"} for g in ("a", "b")]
        guests[1]["power"] = "off"
        plan = plan_of(guests, host=None, hosts=hosts)
        refusal = power_on(plan, "b")
        assert refusal is not None
        self.assertEqual((refusal.kind, refusal.place, refusal.shortfall), ("host-memory", "h", 2000))
        self.assertIsNone(power_on(change_settings(plan, "b", {"host": "k"}), "b"))

    def test_cpu_must_be_promised_on_the_guests_own_host(self) -> None:
        """The site has 20 GHz, the host 10 of which 8 are held; another host would take the guest."""
        guests = [
            cpu_guest("a", 0, reservation=8000) | {"host": "h"},
            cpu_guest("b", 0, reservation=3000) | {"host": "h"},
        ]
        guests[1]["power"] = "off"
        plan = plan_of(guests, host=None, hosts=[HOST, HOST | {"id": "k"}])
        refusal = power_on(plan, "b")
        assert refusal is not None
        self.assertEqual((refusal.kind, refusal.place, refusal.shortfall), ("host-cpu", "h", 1000))
        self.assertEqual(refusal.holders, (("a", 8000),))
        self.assertEqual(hosts_that_take(site_of(plan, {}), "b"), [1])
        apart = plan.model_dump(mode="json") | {"placement": [{"kind": "stays", "guests": ["b"], "hosts": ["h"]}]}
        self.assertEqual(hosts_that_take(site_of(plan_from(apart), {}), "b"), [])

    def test_a_bank_counts_with_its_size(self) -> None:
        """Of 100 000 MiB a bank of 30 000 is spoken for at the top; its guests claim inside it only."""
        bank = {
            "size_mib": 30_000,
            "max_mib": 30_000,
            "spill_volumes": [{"id": "v", "mib": 9e4}, {"id": "w", "mib": 9e4}],
        }
        inside = [memory_guest(g, 0, mode="thin", size=20_000, reservation=20_000, bank=True) for g in ("x", "y")]
        plan = plan_of([inside[0], off(inside[1]), off(memory_guest("f", 0, mode="fixed", size=70_001))],
                       host=HOST | {"bank": bank})  # fmt: skip
        refusals = [power_on(plan, guest) for guest in ("y", "f")]
        found = [(refusal.kind, refusal.place, refusal.shortfall) for refusal in refusals if refusal is not None]
        self.assertEqual(found, [("bank", "h", 10_000), ("memory", None, 1)])

    def test_a_bank_counts_on_its_host(self) -> None:
        """Of 100 000 MiB there 30 000 are the bank's, whatever room another host has."""
        bank = {"size_mib": 30_000, "max_mib": 30_000}
        hosts = [HOST | {"bank": bank}, HOST | {"id": "other"}]
        for mib, kind in ((70_001, "host-memory"), (70_000, None)):
            guest = off(memory_guest("f", 0, mode="fixed", size=mib)) | {"host": "h"}
            refusal = power_on(plan_of([guest], hosts=hosts), "f")
            self.assertEqual(refusal and refusal.kind, kind)

    def test_what_a_pool_was_promised_is_not_asked_for_above_it(self) -> None:
        """10 000 MHz are promised: 3000 to a pool: a guest in it asks for 2000 of them, and one for 3001."""
        pools = [{"id": "p", "cpu": {"reservation": 3000}}]
        for mhz, admitted in ((2000, ["a"]), (3001, [])):
            guests = [cpu_guest("rest", 0, reservation=7000), off(cpu_guest("a", 0, reservation=mhz, pool="p"))]
            self.assertEqual(admit_in_order(site_of(plan_of(guests, pools), {}), ["a"])[0], admitted)

    def test_what_is_short_first_is_named(self) -> None:
        """Of CPU and of memory there is too little: CPU is told, with what it lacks."""
        guest = off(cpu_guest("a", 0, reservation=4000) | {"memory": {"mode": "fixed", "size": 90_000}})
        full = cpu_guest("b", 0, reservation=7000) | {"memory": {"mode": "fixed", "size": 60_000}}
        (waiting,) = admit_in_order(site_of(plan_of([guest, full]), {}), ["a"])[1]
        self.assertEqual((waiting.kind, waiting.place, waiting.shortfall), ("cpu", None, 1000))

    def test_those_that_start_one_after_the_other_share_their_host(self) -> None:
        """Two of 50 001 MiB fit on two hosts of 100 000, and not on one."""
        guests = [off(memory_guest(name, 0, mode="fixed", size=50_001)) | {"host": "h"} for name in "ab"]
        admitted, waiting = admit_in_order(site_of(plan_of(guests, hosts=[HOST, HOST | {"id": "x"}]), {}), ["a", "b"])
        self.assertEqual((admitted, [(one.guest, one.kind) for one in waiting]), (["a"], [("b", "host-memory")]))

    def test_reservation_spares_spill_space(self) -> None:
        """A thin guest needs size less reservation of it."""
        guest = off(memory_guest("a", 0, 0, mode="thin", size=8000))
        plan = plan_of([guest], host=HOST | {"spill_mib": 5000})
        refusal = power_on(plan, "a")
        assert refusal is not None
        self.assertEqual((refusal.kind, refusal.place, refusal.shortfall), ("spill", "h", 3000))
        self.assertIsNone(power_on(change_settings(plan, "a", {"memory.reservation": 3000}), "a"))

    def test_what_is_broken_can_be_mended_step_by_step(self) -> None:
        """A change that does not make it worse passes, one that does is refused by what it adds."""
        guests = [cpu_guest("a", 0, reservation=9000), cpu_guest("b", 0, reservation=9000)]
        before = site_of(plan_of(guests), {})
        for reservation, expected in ((8500, None), (9500, 500)):
            after = before.with_plan(change_settings(before.plan, "a", {"cpu.reservation": reservation}))
            refusal = refusal_between(claims_of(before), claims_of(after), ["a"])
            self.assertEqual(refusal and refusal.shortfall, expected)

    def test_a_pool_cannot_give_up_what_its_members_claim(self) -> None:
        """Without drawing, the reservation may not fall under the claims; its own node is the one that is short."""
        pools = [{"id": "p", "cpu": {"reservation": 5000, "draws": False}}]
        before = site_of(plan_of([cpu_guest("a", 0, reservation=4000, pool="p")], pools), {})
        after = before.with_plan(change_settings(before.plan, "p", {"cpu.reservation": 3000}))
        refusal = refusal_between(claims_of(before), claims_of(after), ["p"])
        self.assertEqual(refusal and (refusal.place, refusal.shortfall), ("p", 1000))

    def test_budget(self) -> None:
        """A pool that draws may claim its own free promise and what is free above, up to its limit."""
        pools = [{"id": "p", "cpu": {"reservation": 3000}}, {"id": "q", "cpu": {"reservation": 1000, "limit": 2500}}]
        guests = [cpu_guest("a", 0, reservation=2000, pool="p"), cpu_guest("b", 0, reservation=1500, pool="q")]
        claims = claims_of(site_of(plan_of(guests, pools), {}))
        top, p, q = (budget_of(claims, place, "cpu") for place in (None, "p", "q"))
        self.assertEqual((top.claimed, top.free), (4500, 5500))
        self.assertEqual((p.claimed, p.drawn, p.free), (2000, 0, 6500))
        self.assertEqual((q.claimed, q.drawn, q.free), (1500, 500, 1000))

    def test_a_selection_starts_in_order_of_shares(self) -> None:
        """Two of three fit; the one with the fewest memory shares waits."""
        guests = [
            off(memory_guest(name, 0, mode="fixed", size=40_000, shares=shares))
            for name, shares in (("low", 50), ("high", 400), ("middle", 100))
        ]
        compiled = site_of(plan_of(guests), {})
        order = in_starting_order(compiled, ["low", "high", "middle"])
        admitted, waiting = admit_in_order(compiled, order)
        self.assertEqual(admitted, ["high", "middle"])
        self.assertEqual([(w.guest, w.kind, w.place, w.shortfall) for w in waiting], [("low", "memory", None, 20_000)])

    def test_no_host_promises_nothing(self) -> None:
        """What claims nothing may be on; what claims something waits for a host."""
        plan = plan_of([off(cpu_guest("a", 0, reservation=1)), off(cpu_guest("b", 0))], host=None)
        self.assertEqual([power_on(plan, guest) is None for guest in "ab"], [False, True])


class SlowClaims:
    """Section 5 straight from its text, recursive."""

    def __init__(self, plan: Plan, booting: set[str]) -> None:
        self.plan, self.booting = plan, booting

    def guest(self, g: Guest, k: str) -> float:
        """Give a guest's claim in the tree: of a bank's memory it claims there only."""
        return 0.0 if k == "memory" and g.in_bank else self.own(g, k)

    def own(self, g: Guest, k: str) -> float:
        """Give a guest's claim."""
        if g.power == "off":
            return 0.0
        if k == "cpu":
            return g.cpu.reservation
        memory: Any = g.memory
        if memory.mode == "thin":
            return float(memory.reservation)
        is_full = memory.mode == "fixed" or not g.agent or g.id in self.booting
        return float(memory.size if is_full else memory.floor)

    def members(self, pool: str | None, k: str) -> float:
        """Give the sum of the claims of a node's members."""
        below = sum(self.pool(p, k) for p in self.plan.pools if p.parent == pool)
        return below + sum(self.guest(g, k) for g in self.plan.guests if g.pool == pool)

    def pool(self, p: Pool, k: str) -> float:
        """Give a pool's claim."""
        return max(getattr(p, k).reservation, self.members(p.id, k))

    def over(self) -> dict[tuple[str, str | None], float]:
        """Give by how much each place breaks its rule."""
        found: dict[tuple[str, str | None], float] = {}
        rules, on = self.plan.rules, [g for g in self.plan.guests if g.power == "on"]
        cost = rules.guest_overhead
        overhead = {
            g.id: cost.fixed_mib + cost.per_vcpu_mib * g.vcpus + cost.percent_of_size / 100 * g.memory.size for g in on
        }
        gross, banks = {"cpu": 0.0, "memory": 0.0}, 0.0
        for h in self.plan.hosts:
            mhz, memory = max(0.0, h.mhz * h.cores - h.overhead_mhz), max(0.0, h.memory_mib - h.overhead_mib)
            gross["cpu"] += mhz
            gross["memory"] += memory
            bank = h.bank.size_mib if h.bank is not None else 0.0
            banks += bank
            here = [g for g in on if self.plan.host_of(g) is h]
            outside = sum(self.own(g, "memory") for g in here if not g.in_bank) + sum(overhead[g.id] for g in here)
            found["host-cpu", h.id] = sum(self.own(g, "cpu") for g in here) - mhz
            found["host-memory", h.id] = outside + bank - memory
            found["bank", h.id] = sum(self.own(g, "memory") for g in here if g.in_bank) - bank
        for k in ("cpu", "memory"):
            free = gross[k] * (1 - getattr(rules.set_aside_percent, k) / 100)
            extra = sum(overhead.values()) + banks if k == "memory" else 0.0
            found[k, None] = self.members(None, k) + extra - free
            for p in self.plan.pools:
                settings = getattr(p, k)
                bound = (settings.limit or math.inf) if settings.draws else settings.reservation
                found[k, p.id] = self.members(p.id, k) - bound
        return {place: max(0.0, over) for place, over in found.items()}


class AgainstTheSlowOne(unittest.TestCase):
    """The same answers on any plan."""

    @settings(max_examples=80)
    @given(plans(all_up=True), st.data())
    def test_power_on_agrees(self, plan: Plan, data: st.DataObject) -> None:
        """A guest is refused exactly when some place breaks its rule by more; the sequence agrees with single steps."""
        waiting = [guest.id for guest in plan.guests if not guest.is_powered]
        for pool in plan.pools:
            draws = data.draw(st.booleans())
            plan = change_settings(plan, pool.id, {"cpu.draws": draws, "memory.draws": draws})
        for guest in waiting:
            after = change_settings(plan, guest, {"power": "on"})
            old, new = SlowClaims(plan, set()).over(), SlowClaims(after, {guest}).over()
            worse = {p: new[p] - old[p] for p in new if new[p] - old[p] > 1e-6 * max(1.0, new[p])}
            refusal = power_on(plan, guest)
            if refusal is not None and refusal.kind == "volume":
                continue
            self.assertEqual(refusal is not None, bool(worse), worse)
            admitted, _ = admit_in_order(site_of(plan, {}), [guest])
            self.assertEqual(admitted, [] if worse else [guest])
            if refusal is not None:
                place = (refusal.kind, refusal.place)
                self.assertAlmostEqual(refusal.shortfall, worse[place], delta=1e-6 * max(1.0, worse[place]))
                self.assertEqual([amount for _, amount in refusal.holders], sorted(
                    (amount for _, amount in refusal.holders), reverse=True))  # fmt: skip
