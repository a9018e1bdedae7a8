"""Whole plans: everything the plan format has, drawn from a seed or by Hypothesis, edges as often as the middle."""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol, TypeVar

from hypothesis import strategies as st

from ruvex.exchange import hand_over
from ruvex.plan import EditError, Plan, PlanError, Traces, parse_traces, plan_from
from ruvex.site import site_of

T = TypeVar("T")
TRACE_FILE = "traces/load.csv"
_TRACE = b"seconds,busy,calm\n0,400,10\n20000,2600,900\n30000,2600,900.5\n61000,0,1\n86000,700,9000\n"
CONTENTS: Mapping[str, bytes] = {TRACE_FILE: _TRACE}
"""The trace that some demands follow."""


class Source(Protocol):
    """Where choices come from."""

    def pick(self, among: Sequence[T]) -> T:
        """Choose one of some."""

    def whole(self, low: int, high: int) -> int:
        """Choose a whole number, both ends included."""

    def real(self, low: float, high: float) -> float:
        """Choose a number."""


class Seeded:
    """Choices from a seed."""

    def __init__(self, seed: int) -> None:
        self._random = random.Random(seed)

    def pick(self, among: Sequence[T]) -> T:
        """Choose one of some."""
        return self._random.choice(among)

    def whole(self, low: int, high: int) -> int:
        """Choose a whole number, both ends included."""
        return self._random.randint(low, high)

    def real(self, low: float, high: float) -> float:
        """Choose a number, of few digits so that it is read again as it was."""
        return round(self._random.uniform(low, high), 3)


class Drawn:
    """Choices by Hypothesis, which makes what fails as small as it can."""

    def __init__(self, draw: st.DrawFn) -> None:
        self._draw = draw

    def pick(self, among: Sequence[T]) -> T:
        """Choose one of some, the first where all are as good."""
        return self._draw(st.sampled_from(list(among)))

    def whole(self, low: int, high: int) -> int:
        """Choose a whole number, both ends included."""
        return self._draw(st.integers(low, high))

    def real(self, low: float, high: float) -> float:
        """Choose a number."""
        return self._draw(st.floats(low, high).map(lambda value: round(value, 3)))


@dataclass(frozen=True)
class Size:
    """How large plans are at most."""

    hosts: int = 4
    pools: int = 6
    guests: int = 14
    events: int = 5


SMALL, LARGE = Size(2, 3, 5, 3), Size(6, 12, 60, 12)


@dataclass(frozen=True)
class Kinds:
    """What may be left out, for questions of which that is a part: all is in by default."""

    events: bool = True
    traces: bool = True
    handed: bool = True


class Whole:
    """Draws one plan."""

    def __init__(self, source: Source, size: Size = Size(), kinds: Kinds = Kinds()) -> None:
        self._source, self._size, self._kinds = source, size, kinds

    # Choices

    def _may(self, in_how_many: int = 2) -> bool:
        return self._source.whole(1, in_how_many) == in_how_many

    def _amount(self, most: float) -> float:
        """An amount from none to a most: either end, round ones, or any between."""
        at = self._source.whole(0, 6)
        if at < 4:
            return (0.0, most, round(most / 2), min(most, 1.0))[at]
        return self._source.real(0.0, most)

    def _positive(self, most: float) -> float:
        return max(self._amount(most), 0.5)

    def _shares(self) -> float:
        return self._source.pick((100, 50, 100, 200, 400, 37.5, 1, 4000))

    def _some(self, among: Sequence[T], most: int) -> list[T]:
        found: list[T] = []
        for _ in range(self._source.whole(0, min(most, len(among)))):
            one = self._source.pick(among)
            if one not in found:
                found.append(one)
        return found

    def _signal(self, most: float) -> Any:
        kind = self._source.whole(0, 8)
        if kind < 4:
            return self._amount(most)
        low, high = sorted((self._amount(most), self._amount(most)))
        if kind == 4 or (kind == 7 and not self._kinds.traces):
            return {
                "kind": "daily",
                "low": low,
                "high": high,
                "peak_at": self._time(),
                "width_h": self._source.pick((2, 0.5, 9.5, 24)),
            }
        if kind == 5:
            times = sorted({self._source.whole(0, 86_000) for _ in range(self._source.whole(1, 4))})
            return {"kind": "steps", "at": [[time, self._amount(most)] for time in times]}
        if kind == 6:
            every = self._source.pick((600, 90, 7200.5))
            return {
                "kind": "bursts",
                "base": low,
                "high": high,
                "every_s": every,
                "for_s": self._source.pick((0, every / 3, every)),
            }
        if kind == 7:
            return {"kind": "trace", "file": TRACE_FILE, "column": self._source.pick(("busy", "calm"))}
        return high

    def _time(self) -> float:
        return self._source.pick((0, 29_400, 43_200, 86_399, 3600, 82_860, 61_000.5))

    # Items

    def _store(self, number: int) -> dict[str, Any]:
        return {
            "id": f"s{number}",
            "name": self._name("store"),
            "ops": self._source.pick((1000, 12_000, 90, 4000.5)),
            "mib_s": self._source.pick((900, 40, 3000)),
            "kind": self._source.pick(("ssd", "hdd")),
            "promises": self._may(),
        }

    def _name(self, kind: str) -> str:
        return self._source.pick(("", "", kind, f"{kind} of the north pier", "é" * 40))

    def _host(self, number: int, stores: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
        cores = self._source.pick((4, 8, 1, 2, 12))
        memory = self._source.pick((32_768, 65_536, 8192, 20_000.5, 0))
        sockets = self._source.pick((1, 1, 2)) if cores % 2 == 0 else 1
        host: dict[str, Any] = {
            "id": f"h{number}", "name": self._name("host"), "sockets": sockets, "cores_per_socket": cores // sockets,
            "threads_per_core": self._source.pick((1, 1, 2, 4)), "mhz": self._source.pick((2000, 2600, 3100.5)),
            "smt_yield": self._source.pick((0, 0.25, 1)), "overhead_mhz": self._source.pick((0, 0, 700, 50_000)),
            "memory_mib": memory, "overhead_mib": self._source.pick((0, 0, 900, memory)),
            "numa_nodes": self._source.pick((1, 1, 2, 4)), "cpu_maker": self._source.pick(("", "", "Alder", "Birch")),
            "cpu_level": self._source.whole(0, 3), "spill_mib": self._source.pick((None, None, 0, 6000, 60_000)),
            "spill_kind": self._source.pick(("ssd", "hdd")), "up": not self._may(8),
        }  # fmt: skip
        room = max(0.0, host["memory_mib"] - host["overhead_mib"])
        if room > 1 and self._may(3):
            most = self._positive(room)
            host["bank"] = {
                "size_mib": max(0.5, self._source.pick((most, most / 2))),
                "max_mib": most,
                "spill_volumes": [
                    {
                        "id": f"v{k}",
                        "mib": self._positive(16_000),
                        "kind": self._source.pick(("ssd", "hdd")),
                        "shared": self._may(),
                    }
                    for k in range(self._source.whole(0, 3))
                ],
            }
        if stores and self._may():
            host["store"] = self._source.pick(stores)["id"]
        host["links"] = [
            {"id": f"l{k}", "mib_s": self._source.pick((1100, 90, 300.5))}
            for k in range(self._source.pick((0, 0, 1, 2)))
        ]
        return host

    def _bounds(self, most: float, limits: float) -> dict[str, Any]:
        limit = self._positive(limits) if self._may(3) else None
        reservation = self._amount(most) if self._may() else 0.0
        return {
            "reservation": min(reservation, limit) if limit is not None else reservation,
            "limit": limit,
            "shares": self._shares(),
        }

    def _pool(self, number: int, above: Sequence[str]) -> dict[str, Any]:
        pool: dict[str, Any] = {
            "id": f"p{number}", "name": self._name("pool"), "parent": self._source.pick((None, *above)),
            "owner": self._source.pick(("", "Decks", "Sheds")), "weighs": self._source.pick(("as-one", "by-members")),
            "owner_may": self._source.pick((["switch", "divide"], ["resize"], ["add", "switch"], [])),
        }  # fmt: skip
        for resource, most in (("cpu", 9000), ("memory", 16_000)):
            pool[resource] = self._bounds(most, 2 * most) | {"draws": not self._may(4)}
        return pool

    def _memory(self, host: Mapping[str, Any] | None) -> dict[str, Any]:
        mode = self._source.pick(("thin", "thin", "elastic", "fixed"))
        if mode == "fixed":
            return {"mode": mode, "size": self._positive(8192), "shares": self._shares()}
        if mode == "elastic":
            floor, boot, ceiling = sorted(self._positive(8192) for _ in range(3))
            percent = self._source.pick((15, 0, 40, 100))
            return {
                "mode": mode,
                "floor": floor,
                "boot": boot,
                "ceiling": ceiling,
                "headroom_percent": percent,
                "shares": self._shares(),
            }
        size = self._positive(12_000)
        memory: dict[str, Any] = {"mode": mode, "size": size} | self._bounds(size, size)
        memory["reservation"] = min(memory["reservation"], size)
        bank = host.get("bank") if host is not None else None
        if bank is not None:
            memory["bank"] = self._may()
            if memory["bank"] and bank["spill_volumes"] and self._may():
                memory["spill_volume"] = self._source.pick(bank["spill_volumes"])["id"]
        return memory

    def _guest(
        self, number: int, hosts: Sequence[Mapping[str, Any]], pools: Sequence[str], stores: Sequence[Mapping[str, Any]]
    ) -> dict[str, Any]:
        vcpus = self._source.pick((2, 1, 4, 8, 3))
        host = self._source.pick((*hosts, *hosts, None)) if hosts else None
        on = host or (hosts[0] if len(hosts) == 1 else None)
        most = vcpus * on["mhz"] if on is not None else vcpus * 2000
        guest: dict[str, Any] = {
            "id": f"g{number}",
            "name": self._name("guest"),
            "pool": self._source.pick((None, *pools, *pools)),
            "host": host["id"] if host is not None else None,
            "power": self._source.pick(("on", "on", "on", "on", "off")),
            "vcpus": vcpus,
            "tags": self._source.pick(([], [], ["night"], ["night", "quay"])),
            "image": self._source.pick(("", "", "sea", "shore")),
            "agent": not self._may(6),
            "boot_s": self._source.pick((40, 0, 300)),
            "hot_add": self._some(("memory", "vcpus"), 2),
            "hot_remove": self._some(("vcpus",), 1),
            "cpu_level": self._source.pick((None, None, None, 1, 3)),
            "comes_back": self._source.pick((None, None, 1, 5, "stays-off")),
            "otherwise_mib": self._source.pick((None, None, 9000)),
            "cpu": self._bounds(most / 2, most),
            "memory": self._memory(on),
            "link": {"shares": self._shares(), "limit_mib_s": self._source.pick((None, None, 5, 80.5))},
        }
        if not guest["memory"].get("bank") and self._may(8):
            guest["dedicated_cores"], guest["cpu"]["limit"] = True, None
        if self._may(3):
            cores = on["sockets"] * on["cores_per_socket"] if on is not None else 1
            guest["cores"] = {
                "only": sorted({self._source.whole(0, cores - 1) for _ in range(self._source.whole(1, 3))})
                if self._may()
                else None,
                "second_threads": self._may(),
                "side_by_side": self._may(),
            }
        guest["disks"] = [
            {
                "id": f"d{k}",
                "store": self._source.pick(stores)["id"],
                "shares": self._shares(),
                "limit_ops": self._source.pick((None, None, 200)),
            }
            for k in range(self._source.pick((0, 1, 2)) if stores else 0)
        ]
        for disk in guest["disks"]:
            store = next(one for one in stores if one["id"] == disk["store"])
            if store["promises"] and self._may():
                disk["reservation_ops"] = min(store["ops"] / 60, disk["limit_ops"] or 1e9)
        guest["demand"] = self._demand(most)
        return guest

    def _demand(self, most: float) -> dict[str, Any]:
        working = self._signal(9000)
        demand: dict[str, Any] = {
            "cpu": self._signal(1.2 * most), "working": working,
            "touched": working if self._may() else self._signal(12_000),
            "kind": self._source.pick(("interactive", "interactive", "interactive", "batch")), "greedy": self._may(10),
            "leaves_percent": self._source.pick((6, 0, 30)), "cache_percent": self._source.pick((0, 0, 50, 100)),
            "kib_per_op": self._source.pick((16, 4, 1024)),
            "burst": {"ms": self._source.pick((8, 0.5, 90)), "even": self._may()},
        }  # fmt: skip
        if self._may():
            demand["ops"], demand["net_mib_s"] = self._signal(900), self._signal(120)
        if self._may(4):
            demand["varies"] = {
                "shift_s": self._source.pick((None, 0, 900)), "height_percent": self._source.pick((None, 0, 30)),
                "length_percent": self._source.pick((None, 5)),
                "together_percent": self._source.pick((None, 0, 100)),
                "surge_percent": self._source.pick((None, 0, 100)),
            }  # fmt: skip
        return demand

    # Rules and events

    def _rules(self) -> dict[str, Any]:
        pick = self._source.pick
        rules: dict[str, Any] = {
            "reservation_rule": pick(("floor", "on-top")),
            "shares_count": pick(("per-guest", "per-size")),
            "idle_counts_as": pick((8, 1, 1.5)),
            "balloon_max_percent": pick((50, 0, 100)),
            "guest_overhead": pick(({}, {"fixed_mib": 90, "per_vcpu_mib": 12, "percent_of_size": 1.5})),
            "set_aside_percent": pick(({}, {}, {"cpu": 15, "memory": 20})),
            "page_sharing": pick(({}, {"sea": 300}, {"sea": 4000.5, "shore": 20})),
            "squeeze": pick(({}, {"max_percent": 0}, {"ratio": 1, "max_percent": 100})),
            "pace_cost": pick(({}, {"squeezed": 0.5, "ssd": 9, "hdd": 90, "far": 0})),
            "paging": {"ops_per_mib": pick((0.7, 0, 5))},
            "settling_by_use": pick((1, 0, 0.4)),
            "bounds_while_on": pick(("free", "widen")),
            "memory_every_s": pick((5, 1, 60)),
            "sharing_mib_s": pick((12, None, 400)),
            "elastic": pick(({}, {"grow_mib_s": None, "shrink_mib_s": 90, "shrink_step_s": 10, "settle_s": 0})),
            "start_takes": pick(("what-is-lacked", "all-above-need")),
            "starting": pick(({}, {"agent_s": 0, "bridge_speed_percent": 100})),
            "reclaim": pick(
                (
                    {},
                    {
                        "balloon_mib_s": None,
                        "urgent_mib_s": None,
                        "squeeze_mib_s": 9,
                        "spill_mib_s": None,
                        "return_mib_s": 400,
                    },
                )
            ),
            "pressure": pick(({}, {"kept_percent": 0}, {"kept_percent": 30, "kept_most_mib": 900, "dire_part": 0.9})),
            "moving": pick(({}, {"mib_s": 40, "cpu_percent": 300, "rewrite_percent_s": 60})),
            "loss": {"notice_s": pick((43, 0, 600))},
            "balancing": pick(("none", "none", "at-power-on", "over-time")),
            "balance_every_s": pick((300, 3600)),
            "balance_least_percent": pick((4, 0, 50)),
            "workload": pick(({}, {"sample_s": 600, "cache_mib_s": None, "greedy_mib_s": None})),
            "turns": pick(
                (
                    {},
                    {"turn_ms": 4, "period_ms": 50, "rejoin_ms": 0, "fellows": "lead", "lead_ms": 3},
                    {"fellows": "together"},
                )
            ),
            "chances": pick(
                (
                    {},
                    {
                        "shift_s": 0,
                        "height_percent": 40,
                        "length_percent": 0,
                        "together_percent": 90,
                        "surge_percent": 50,
                        "surge_factor": 3,
                        "surge_for_s": 90,
                        "failing_percent": 30,
                    },
                )
            ),
        }
        return rules

    def _events(self, plan: Mapping[str, Any]) -> list[dict[str, Any]]:
        guests, hosts, pools, stores = (
            [item["id"] for item in plan[key]] for key in ("guests", "hosts", "pools", "stores")
        )
        found: list[dict[str, Any]] = []
        for number in range(self._source.whole(0, self._size.events) if self._kinds.events else 0):
            do = self._source.pick(
                ("power-on", "power-off", "restart", "set", "set", "surge", "move", "host-down", "host-up")
            )
            event: dict[str, Any] = {"at": self._time(), "do": do}
            if do in ("power-on", "power-off", "restart", "move") and guests:
                event["target"] = self._source.pick(guests)
                if do == "move":
                    if not hosts:
                        continue
                    event["host"] = self._source.pick(hosts)
            elif do == "surge" and guests:
                event |= {
                    "target": self._source.pick((*guests, *pools)),
                    "factor": self._source.pick((2, 0, 1.3)),
                    "for_s": 1200,
                }
            elif do in ("host-down", "host-up") and hosts:
                event["target"] = self._source.pick(hosts)
            elif do == "set":
                event |= self._setting(guests, hosts, pools, stores)
            if "target" in event:
                if self._may(3):
                    event["id"], event["note"] = f"e{number}", "as agreed"
                found.append(event)
        return found

    def _setting(
        self, guests: Sequence[str], hosts: Sequence[str], pools: Sequence[str], stores: Sequence[str]
    ) -> dict[str, Any]:
        pick = self._source.pick
        choices: list[tuple[Sequence[str], Callable[[], dict[str, Any]]]] = [
            (guests, lambda: {"cpu.shares": self._shares()}),
            (guests, lambda: {"demand.cpu": self._signal(4000)}),
            (guests, lambda: {"memory.shares": self._shares()}),
            (guests, lambda: {"agent": self._may()}),
            (pools, lambda: {"cpu.limit": pick((None, 3000))}),
            (pools, lambda: {"memory.limit": pick((None, 5000, 900))}),
            (hosts, lambda: {"overhead_mhz": pick((0, 900))}),
            (stores, lambda: {"ops": pick((90, 5000))}),
            (("rules",), lambda: {"memory_every_s": pick((2, 30))}),
        ]
        targets, change = pick([one for one in choices if one[0]])
        return {"target": pick(targets), "change": change()}

    def _placement(self, guests: Sequence[str], hosts: Sequence[str]) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = []
        for _ in range(self._source.pick((0, 0, 1, 2))):
            kind, some = self._source.pick(("together", "apart", "stays")), self._some(guests, 3)
            if kind == "stays" and hosts and some:
                found.append({"kind": kind, "guests": some, "hosts": self._some(hosts, 2) or [hosts[0]]})
            elif kind != "stays" and len(some) > 1:
                found.append({"kind": kind, "guests": some})
        return found

    def data(self) -> dict[str, Any]:
        """Draw the document."""
        source, size = self._source, self._size
        stores = [self._store(k) for k in range(source.pick((0, 0, 1, 2)))]
        hosts = [self._host(k, stores) for k in range(source.pick((1, 1, 2, 3, size.hosts, 0)))]
        pools: list[dict[str, Any]] = []
        for k in range(source.whole(0, size.pools)):
            pools.append(self._pool(k, [pool["id"] for pool in pools]))
        names = [pool["id"] for pool in pools]
        guests = [
            self._guest(k, hosts, names, stores)
            for k in range(source.pick((size.guests // 3, source.whole(0, size.guests), size.guests)))
        ]
        data: dict[str, Any] = {
            "format": "ruvex-plan", "version": 1, "name": self._name("plan"), "notes": source.pick(("", "two\nlines")),
            "hosts": hosts, "stores": stores, "pools": pools, "guests": guests, "rules": self._rules(),
            "moment": self._time(), "day_s": source.pick((86_400, 86_400, 86_400, 93_600.5)),
            "tick_s": source.pick((1, 1, 5)),
            "seed": source.pick((1, 7)),
        }  # fmt: skip
        if guests:
            data["placement"] = self._placement([g["id"] for g in guests], [h["id"] for h in hosts])
            if self._may(4):
                of = source.pick([item["id"] for item in (*guests, *pools, *hosts)])
                data["aside"] = [{"kind": source.pick(("unused-limit", "idle-vcpus")), "of": of, "reason": "agreed"}]
        data["events"] = self._events(data)
        return data

    def plan(self) -> Plan:
        """Draw a valid plan: what its own rules refuse of it is left out."""
        data = self.data()
        for leave_out in ((), ("placement",), ("events",), ("placement", "events")):
            try:
                plan = plan_from({key: value for key, value in data.items() if key not in leave_out})
                break
            except PlanError:
                if len(leave_out) == 2:
                    raise
        if self._kinds.handed and plan.pools and self._may(6):
            plan = self._handed(plan)
        return plan

    def _handed(self, plan: Plan) -> Plan:
        """Hand a pool over, and go on with either of the two plans that come of it."""
        try:
            return self._source.pick(hand_over(site_of(plan, traces_of(plan)), self._source.pick(plan.pools).id))
        except (EditError, PlanError):
            return plan


def traces_of(plan: Plan) -> Traces:
    """Give the traces a drawn plan names."""
    return parse_traces(plan, CONTENTS)


def whole_plan(seed: int, size: Size | None = None, kinds: Kinds = Kinds()) -> Plan:
    """Draw a plan from a seed: mostly of middle size, sometimes small or large."""
    source = Seeded(seed)
    return Whole(source, size or source.pick((SMALL, Size(), Size(), LARGE)), kinds).plan()


@st.composite
def whole_plans(draw: st.DrawFn, size: Size = SMALL, kinds: Kinds = Kinds()) -> Plan:
    """Draw a plan by Hypothesis."""
    return Whole(Drawn(draw), size, kinds).plan()
