"""Schedules that a real kernel made (``cases.json``), against the rules of turns."""

from __future__ import annotations

import json
import unittest
from pathlib import Path
from typing import Any

import numpy as np

from ruvex.cores import Parties, TurnTrace, nearest_rank, run_parties
from ruvex.engine import turn_rows as t
from ruvex.plan import Host

MEASURED: dict[str, Any] = json.loads((Path(__file__).parent / "cases.json").read_text(encoding="utf-8"))
FIGURES = tuple(MEASURED["bars"]["first"])
SEEDS = 20
WINDOW_MS = 3000.0
BEYOND = {
    ("light_fixed", "light", "wait"), ("light_fixed", "light", "mean_ms"), ("light_fixed", "light", "p95_ms"),
    ("light_fixed", "light", "wake_mean_ms"), ("light_fixed", "light", "wake_p95_ms"),
    ("limit_neighbour", "b", "mean_ms"),
}  # fmt: skip
"""Figures on one processor that miss the closer bar: even lengths that lock onto the kernel's ticks, and budgets that
it hands out in portions."""


def parties_of(case: dict[str, Any]) -> tuple[Parties, list[str]]:
    """Give the groups of a case as parties, and the group of each vCPU."""
    groups = {group["name"]: group for group in case["groups"]}
    above, first, last, things, vcpu_names = [-1], [0], [0], [None], [""]
    waiting: list[tuple[int, str | None]] = [(0, None)]
    threads: dict[int, dict[str, Any]] = {}
    while waiting:
        party, name = waiting.pop(0)
        first[party] = len(above)
        inside = [group["name"] for group in case["groups"] if group["parent"] == name]
        for member in (*inside, *(groups[name]["threads"] if name else ())):
            above.append(party)
            first.append(0)
            last.append(0)
            if isinstance(member, str):
                things.append(("guest", member))
                vcpu_names.append("")
                waiting.append((len(above) - 1, member))
            else:
                things.append(None)
                vcpu_names.append(name or "")
                threads[len(above) - 1] = member
        last[party] = len(above)
    count = len(above)
    floats, ints = np.zeros((t.PARTY_FLOATS, count)), np.zeros((t.PARTY_INTS, count), dtype=np.int64)
    floats[t.V_WEIGHT_OF], floats[t.V_BUDGET], floats[t.V_SAFE] = 1.0, np.inf, -np.inf
    ints[t.P_ABOVE], ints[t.P_FIRST_MEMBER], ints[t.P_LAST_MEMBER] = above, first, last
    order: list[int] = []

    def go_down(party: int) -> None:
        ints[t.P_FIRST_VCPU, party] = len(order)
        if party in threads:
            order.append(party)
        for member in range(first[party], last[party]):
            go_down(member)
        ints[t.P_LAST_VCPU, party] = len(order)

    go_down(0)
    for party, thing in enumerate(things):
        ints[t.P_IS_VCPU, party] = party in threads
        if thing is not None:
            group = groups[thing[1]]
            floats[t.V_WEIGHT_OF, party] = group["shares"] / 1024
            if group.get("limit_cores"):
                floats[t.V_BUDGET, party] = group["limit_cores"] * (group.get("period_ms") or 100)
    numbers, vcpus = np.zeros((t.VCPU_FLOATS, len(order))), np.zeros((t.VCPU_INTS, len(order)), dtype=np.int64)
    for vcpu, party in enumerate(order):
        vcpus[[t.C_PARTY, t.C_RULE], vcpu] = party, above[party]
        work = threads[party]
        if work["run"] != "hog":
            vcpus[t.C_DEMAND, vcpu] = t.EXPONENTIAL if work["run"][0] == "exp" else t.EVEN
            numbers[[t.C_BURST_MS, t.C_SLEEP_MS], vcpu] = work["run"][1], work["sleep"][1]
    processors = case["cpus"]
    parties = Parties(
        Host(id="h"), 1000.0, floats, ints, numbers, vcpus, tuple(things), np.zeros(len(order), dtype=np.int64),
        np.arange(len(order)), np.ones((1, processors), dtype=np.uint8), True, np.full(len(order), -1),
        np.zeros(processors, dtype=np.int64), 1, np.ones(2),
    )  # fmt: skip
    return parties, [vcpu_names[party] for party in order]


def figures_of(found: TurnTrace, vcpus: np.ndarray[Any, Any], groups: int) -> list[float]:
    """Give the figures of some vCPUs as the cases have them."""
    figures = found.of_vcpus(vcpus)
    waits = found.waits[:, np.isin(found.waits[t.WAIT_VCPU], vcpus)]
    woken = waits[t.WAIT_MS, waits[t.WAIT_BY_WAKE] > 0]
    return [
        figures.run / groups, figures.wait / groups, figures.off / groups, figures.mean_ms, figures.p95_ms,
        figures.longest_ms, figures.wake_mean_ms, nearest_rank(woken, 0.95),
    ]  # fmt: skip


class Cases(unittest.TestCase):
    """The same work under our rules, turns noticed at the kernel's ticks."""

    def test_all(self) -> None:
        """Medians over twenty windows are within the first bar, on one processor within the closer one."""
        machine = MEASURED["machine"]
        # Who sleeps keeps as much lag as the kernel lets it: the longer of two turns and a tick.
        lag = max(2 * machine["slice_ms"], machine["tick_ms"])
        how = np.array([machine["slice_ms"], machine["tick_ms"], lag, 100.0, t.OWN, 7.0, 0.0])
        for case in MEASURED["cases"]:
            parties, groups = parties_of(case)
            alike = {name: "+".join(names) for names in case.get("alike", []) for name in names}
            keys = np.array([alike.get(name, name) for name in groups])
            traces = [run_parties(parties, how, for_ms=WINDOW_MS, seed=seed) for seed in range(SEEDS)]
            for key, measured in case["measured"].items():
                vcpus = np.flatnonzero(keys == key)
                together = len(key.split("+"))
                medians = np.median([figures_of(found, vcpus, together) for found in traces], axis=0)
                for name, value in zip(FIGURES, medians.tolist(), strict=True):
                    levels = (
                        ["first"] if case["cpus"] > 1 or (case["name"], key, name) in BEYOND else ["first", "close"]
                    )
                    for level in levels:
                        share, least = case.get("bars", {}).get(level, {}).get(name, MEASURED["bars"][level][name])
                        with self.subTest(case=case["name"], group=key, figure=name, level=level):
                            self.assertLessEqual(abs(value - measured[name]), max(least, share * measured[name]))
