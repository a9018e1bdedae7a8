"""One small host, whose vCPUs always want or sleep as a test says."""

from __future__ import annotations

from typing import Any

import numpy as np

from ruvex.cores import TurnTrace, trace
from ruvex.divide import divide
from ruvex.engine import turn_rows as t
from ruvex.plan import Plan
from ruvex.site import site_of

MHZ = 1000


def guest(name: str, vcpus: int = 1, duty: float = 1.0, **more: Any) -> dict[str, Any]:
    """Describe a guest whose vCPUs each want a part of a core; bursts of 8 ms."""
    burst = more.pop("burst", {"ms": 8})
    cpu = {key: more.pop(key) for key in ("shares", "limit", "reservation") if key in more}
    demand = {"cpu": duty * vcpus * MHZ, "working": 1, "touched": 1, "burst": burst}
    return {"id": name, "vcpus": vcpus, "cpu": cpu, "demand": demand, "memory": {"size": 10}} | more


def plan_on(
    cores: int, guests: list[dict[str, Any]], pools: list[dict[str, Any]] | None = None, *, width: int = 1,
    smt_yield: float = 0.0, nodes: int = 1, **turns: Any,
) -> Plan:  # fmt: skip
    """Give a plan of one host with these guests."""
    host = {
        "id": "h", "sockets": 1, "cores_per_socket": cores, "threads_per_core": width, "mhz": MHZ,
        "smt_yield": smt_yield, "memory_mib": 100_000, "numa_nodes": nodes,
    }  # fmt: skip
    rules = {"turns": {key: value for key, value in turns.items() if key != "rules"}} | turns.get("rules", {})
    return Plan.model_validate({"hosts": [host], "pools": pools or [], "guests": guests, "rules": rules})


def run(plan: Plan, for_s: float = 2.0, seed: int = 1) -> TurnTrace:
    """Run a window of its host."""
    return trace(divide(site_of(plan, {})), "h", for_s=for_s, seed=seed)


def turns_of(found: TurnTrace, plan: Plan, until_ms: float = 1e9) -> list[tuple[str, int, float, float]]:
    """Give the turns as guest, thread, from and to, ms, in the order of their ends."""
    listed = []
    for thread, vcpu, begun, end, _ in found.turns.T.tolist():
        if end <= until_ms:
            name = plan.guests[int(found.parties.guest_of[int(vcpu)])].id
            listed.append((name, int(thread), round(begun, 6), round(end, 6)))
    return listed


def check(found: TurnTrace) -> None:
    """Raise AssertionError where an identity of a window does not hold."""
    n, ms = found.numbers, found.for_ms
    states = n[[t.C_RAN, t.C_WAITED, t.C_WAS_HELD, t.C_WAS_SPENT, t.C_SLEPT]]
    np.testing.assert_allclose(states.sum(axis=0), ms, atol=1e-6, err_msg="states add up to the window")
    assert (states >= -1e-9).all(), "a state of less than no time"
    lasts = found.turns[t.TURN_TO] - found.turns[t.TURN_FROM]
    assert (lasts >= -1e-9).all()
    for row, count in ((t.TURN_THREAD, found.parties.threads), (t.TURN_VCPU, n.shape[1])):
        for one in range(count):
            mine = found.turns[:, found.turns[row] == one]
            order = np.argsort(mine[t.TURN_FROM], kind="stable")
            begun, end = mine[t.TURN_FROM][order], mine[t.TURN_TO][order]
            assert (begun[1:] >= end[:-1] - 1e-6).all(), "two turns at once"
    for thread in range(found.parties.threads):
        ran = lasts[found.turns[t.TURN_THREAD] == thread].sum()
        np.testing.assert_allclose(ran, found.busy[0, thread], atol=1e-5, err_msg="busy is the sum of turns")
    for vcpu in range(n.shape[1]):
        ran = lasts[found.turns[t.TURN_VCPU] == vcpu].sum()
        np.testing.assert_allclose(ran, n[t.C_RAN, vcpu], atol=1e-5, err_msg="run is the sum of turns")
    assert (n[t.C_WORKED] <= n[t.C_RAN] + 1e-6).all(), "more work than time"
