"""Hypothesis strategies for whole plans: small trees with every memory mode, rule and kind of setting."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from hypothesis import strategies as st

from ruvex.plan import Plan, plan_from

# Nothing or something: what is 1e-288 of another is the whole of a pool's part to one solver, and nothing to the other.
_AMOUNTS = st.one_of(st.sampled_from([0, 1, 500, 1000, 2048]), st.floats(0.1, 20_000))
_POSITIVE = st.one_of(st.sampled_from([1, 500, 1000, 4096]), st.floats(0.5, 20_000))
_SHARES = st.one_of(st.sampled_from([50, 100, 200, 400]), st.floats(0.1, 5_000))


@st.composite
def limited(draw: st.DrawFn, most: float = 20_000) -> dict[str, Any]:
    """Draw reservation, limit and shares that keep the rules."""
    reservation = draw(st.one_of(st.just(0.0), _AMOUNTS.map(lambda x: min(x, most))))
    limit = draw(st.one_of(st.none(), _POSITIVE))
    if limit is not None:
        reservation = min(reservation, limit)
    return {"reservation": float(reservation), "limit": limit, "shares": draw(_SHARES)}


@st.composite
def memories(draw: st.DrawFn) -> dict[str, Any]:
    """Draw the memory settings of a guest, of any mode."""
    mode = draw(st.sampled_from(["thin", "thin", "elastic", "fixed"]))
    if mode == "fixed":
        return {"mode": mode, "size": draw(_POSITIVE)}
    if mode == "elastic":
        low, boot, high = sorted(draw(st.tuples(_POSITIVE, _POSITIVE, _POSITIVE)))
        percent = draw(st.sampled_from([0, 15, 100]))
        shares = draw(_SHARES)
        return {
            "mode": mode,
            "boot": boot,
            "floor": low,
            "ceiling": high,
            "headroom_percent": percent,
            "shares": shares,
        }
    size = draw(_POSITIVE)
    return {"mode": mode, "size": size, **draw(limited(size))}


@st.composite
def plans(
    draw: st.DrawFn,
    *,
    max_guests: int = 8,
    max_pools: int = 4,
    host_counts: Sequence[int] = (1, 1, 2, 3, 0),
    batch: bool = True,
    greedy: bool = True,
    banks: bool = True,
    all_up: bool = False,
) -> Plan:
    """Draw a valid plan whose demands are plain numbers."""
    hosts = [
        {
            "id": f"h{i}",
            "sockets": 1,
            "cores_per_socket": draw(st.integers(1, 12)),
            "threads_per_core": draw(st.integers(1, 2)),
            "mhz": draw(st.sampled_from([1000, 2600])),
            "smt_yield": draw(st.sampled_from([0, 0.25])),
            "overhead_mhz": draw(st.sampled_from([0, 700, 5000])),
            "memory_mib": draw(st.one_of(st.just(0), st.floats(1, 60_000))),
        }
        for i in range(draw(st.sampled_from(host_counts)))
    ]
    for host in hosts:
        if banks and draw(st.integers(0, 3)) == 0:
            size = draw(st.floats(1, max(2.0, host["memory_mib"])))
            host["memory_mib"] = max(host["memory_mib"], size)
            host["bank"] = {"size_mib": size, "max_mib": size}
        host["up"] = all_up or draw(st.integers(0, 7)) > 0
        host["numa_nodes"] = 1
    pools: list[dict[str, Any]] = []
    for i in range(draw(st.integers(0, max_pools))):
        parent = draw(st.sampled_from([None, *(p["id"] for p in pools)]))
        weighs = draw(st.sampled_from(["as-one", "by-members"]))
        pools.append(
            {
                "id": f"p{i}",
                "parent": parent,
                "weighs": weighs,
                "cpu": draw(limited()),
                "memory": draw(limited()),
            }
        )
    guests = []
    for i in range(draw(st.integers(0, max_guests))):
        vcpus = draw(st.integers(1, 8))
        host = draw(st.sampled_from(hosts)) if hosts else None
        memory = draw(memories())
        if host and "bank" in host and memory["mode"] == "thin":
            memory["bank"] = draw(st.booleans())
        work = {"cpu": draw(_AMOUNTS), "working": draw(_AMOUNTS), "touched": draw(_AMOUNTS)}
        work |= {"kind": draw(st.sampled_from(["interactive", "batch"] if batch else ["interactive"]))}
        work["greedy"] = greedy and draw(st.integers(0, 5)) == 0
        guests.append({
            "id": f"g{i}", "pool": draw(st.sampled_from([None, *(p["id"] for p in pools)])), "vcpus": vcpus,
            "host": host["id"] if host else None,
            "image": draw(st.sampled_from(["", "sea", "shore"])),
            "power": draw(st.sampled_from(["on", "on", "on", "off"])), "agent": draw(st.booleans()),
            "cpu": draw(limited(vcpus * host["mhz"] if host else 20_000)), "demand": work, "memory": memory,
        })  # fmt: skip
    rules = {
        "reservation_rule": draw(st.sampled_from(["floor", "on-top"])),
        "shares_count": draw(st.sampled_from(["per-guest", "per-size"])),
        "idle_counts_as": draw(st.sampled_from([1, 1.5, 8])),
        "pressure": {"kept_percent": draw(st.sampled_from([0, 4.3, 30]))},
        "settling_by_use": draw(st.sampled_from([1, 0, 0.5])),
        "guest_overhead": {
            "fixed_mib": draw(st.sampled_from([0, 100])),
            "per_vcpu_mib": 10,
            "percent_of_size": 1,
        },
        "page_sharing": draw(st.sampled_from([{}, {"sea": 300}, {"sea": 4000.5, "shore": 20}])),
        "balloon_max_percent": draw(st.sampled_from([0, 50, 100])),
        "squeeze": draw(st.sampled_from([{"max_percent": 0}, {}, {"ratio": 1}, {"ratio": 3, "max_percent": 100}])),
    }
    data = {
        "format": "ruvex-plan",
        "version": 1,
        "hosts": hosts,
        "pools": pools,
        "guests": guests,
        "rules": rules,
    }
    return plan_from(data)
