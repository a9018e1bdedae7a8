"""Measures what comes in and goes out, against the parsers it stands on; and what disks and links cost."""

from __future__ import annotations

import csv
import json
import time
from collections.abc import Callable
from typing import Any

from lxml import etree

from ruvex.divide import divide
from ruvex.exchange import read_ovf, read_table, table_of, write_ovf
from ruvex.plan import Plan, plan_from, plan_text
from ruvex.play import Player
from ruvex.site import site_of

STORES = 6


def with_flows(plan: Plan) -> Plan:
    """Give a plan with six stores that everybody has a disk on, and links of every host."""
    document = json.loads(plan_text(plan))
    guests = len(document["guests"])
    document["stores"] = [{"id": f"store-{k}", "ops": 90.0 * guests / STORES} for k in range(STORES)]
    for host in document["hosts"]:
        host["links"] = [{"id": "a", "mib_s": 11.0 * guests / len(document["hosts"])}]
    for number, guest in enumerate(document["guests"]):
        guest["disks"] = [{"id": "d", "store": f"store-{number % STORES}", "shares": 60 + number % 7 * 30}]
        curve = {"kind": "daily", "peak_at": 3600 * (7 + number % 11), "width_h": 3}
        guest["demand"] |= {"ops": curve | {"low": 30, "high": 170}, "net_mib_s": 7 + number % 9}
    return plan_from(document)


def _best_s(do: Callable[[], Any], times: int) -> float:
    best = float("inf")
    for _ in range(times):
        begin = time.perf_counter()
        do()
        best = min(best, time.perf_counter() - begin)
    return best


def bench_flows(plan: Plan) -> list[str]:
    """Divide and play with disks and links, against the same plan without."""
    both = [site_of(one, {}) for one in (plan, with_flows(plan))]
    divided = [_best_s(lambda site=site: divide(site), 200) for site in both]  # type: ignore[misc]
    played = [_best_s(lambda site=site: Player(site).run(), 3) for site in both]  # type: ignore[misc]
    count = len(plan.guests)
    return [
        f"division of {count} guests with disks on {STORES} stores and links: {divided[1] * 1e3:.2f} ms ="
        f" {divided[1] / divided[0]:.2f} × without; their day {played[1]:.2f} s = {played[1] / played[0]:.2f} ×",
    ]


def bench_exchange(plan: Plan) -> list[str]:
    """Read a table and an envelope, against the parsers below."""
    table, envelope = table_of(plan, "guests"), write_ovf(plan)
    ours = _best_s(lambda: read_table(table, Plan()), 5)
    theirs = _best_s(lambda: list(csv.reader(table.splitlines())), 5)
    read = _best_s(lambda: read_ovf(envelope, "x.ovf", Plan()), 5)
    parsed = _best_s(lambda: etree.fromstring(envelope), 5)
    count = len(plan.guests)
    return [
        f"a table of {count} guests read: {ours * 1e3:.0f} ms = {ours / theirs:.0f} × splitting it into cells",
        f"an envelope of {count} guests read: {read * 1e3:.0f} ms = {read / parsed:.0f} × parsing its XML",
    ]
