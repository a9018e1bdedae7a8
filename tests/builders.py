"""Small builders of plans with sane defaults, for tests."""

from __future__ import annotations

from typing import Any

from ruvex.plan import Plan, plan_from

HOST = {
    "id": "h",
    "mhz": 1000,
    "sockets": 1,
    "cores_per_socket": 10,
    "threads_per_core": 1,
    "numa_nodes": 1,
    "memory_mib": 100_000,
}
PLAIN = {"idle_counts_as": 1, "pressure": {"kept_percent": 0}}
"""Rules in which an idle page counts as a busy one and nothing is kept free: easier to work out on paper."""


def plan_of(
    guests: list[dict[str, Any]], pools: list[dict[str, Any]] | None = None, *, host: Any = HOST, **rest: Any
) -> Plan:
    """Build a plan of one host (10 cores of 1000 MHz, 100 000 MiB) with plain rules, checked as on reading."""
    hosts = [] if host is None else [host]
    rest["rules"] = PLAIN | rest.get("rules", {})
    data = {"format": "ruvex-plan", "version": 1, "name": "test", "hosts": hosts, "pools": pools or []}
    return plan_from(data | {"guests": guests} | rest)


def cpu_guest(guest_id: str, demand: float, *, vcpus: int = 10, pool: str | None = None, **cpu: Any) -> dict[str, Any]:
    """Describe a guest that only CPU matters of."""
    work = {"cpu": demand, "working": 0, "touched": 0}
    return {"id": guest_id, "pool": pool, "vcpus": vcpus, "cpu": cpu, "demand": work}


def memory_guest(
    guest_id: str, working: float, touched: float = 0, *, pool: str | None = None, **memory: Any
) -> dict[str, Any]:
    """Describe a guest that only memory matters of."""
    work = {"cpu": 0, "working": working, "touched": touched}
    return {"id": guest_id, "demand": work, "pool": pool, "memory": memory}
