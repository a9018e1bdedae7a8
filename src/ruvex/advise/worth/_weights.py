"""Shares that give another outcome than they seem to say."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

import numpy as np

from ruvex.advise._remedies import Remedy
from ruvex.advise.worth._finding import Case, Finding
from ruvex.divide import site_shares
from ruvex.plan import Pool, pools_within

_MUCH = 2.0
"""A guest beside pools that weighs so many times what those in pools do is told."""


def _percent(part: float) -> str:
    return f"{100 * part:.3g} %"


def beside_pools(case: Case) -> Iterator[Finding]:
    """A guest beside pools competes with whole pools: it gets all it wants while their members go short."""
    division = case.division
    parts = site_shares(division, division.cpu)
    inside = [(i, guest) for i, guest in case.guests_on() if guest.pool is not None]
    if not inside:
        return
    usual = float(np.median([parts[case.row(guest.id)] for _, guest in inside]))
    for i, guest in case.guests_on():
        if guest.pool is not None or usual <= 0:
            continue
        part = float(parts[case.row(guest.id)])
        here = case.host_of(i)
        short = [other.id for k, other in inside if case.host_of(k) == here and case.is_short(k)]
        if part < _MUCH * usual or case.is_short(i) or not short:
            continue
        fair = max(1.0, round(guest.cpu.shares * usual / part, 1))
        yield Finding(
            "beside-pools", "hurts-now", (guest.id, *short),
            f"{guest.label} stands beside the pools and competes with each of them as a whole: it gets all the CPU it"
            f" wants while {len(short)} {'guests' if len(short) > 1 else 'guest'} on its host"
            f" {'go' if len(short) > 1 else 'goes'} short",
            (("its part when all want all", _percent(part)), ("of a guest in a pool, the median", _percent(usual))),
            min(part, 1.0),
            Remedy(f"{fair:g} CPU shares, as much as a guest in a pool has", ((guest.id, {"cpu.shares": fair}),)),
            (part, usual), (usual, usual),
        )  # fmt: skip


def crowded_pool(case: Case) -> Iterator[Finding]:
    """A pool with more shares than its peer and many more members: each of them has less than those of the peer."""
    on = {guest.id for _, guest in case.guests_on()}
    members = {
        pool.id: [g for g in case.plan.guests if g.id in on and g.pool in pools_within(case.plan, pool.id)]
        for pool in case.plan.pools
    }
    position = case.plan.guest_index

    def lacks(pool: Pool) -> float:
        cpu = case.division.cpu
        its = [position[g.id] for g in members[pool.id]]
        wanted = float(cpu.wanted_of_guests[its].sum())
        return float(cpu.unmet_of_guests[its].sum()) / wanted if wanted > 0 else 0.0

    for one, other in combinations(case.plan.pools, 2):
        if one.parent != other.parent or not members[one.id] or not members[other.id]:
            continue
        full, sparse = (one, other) if one.cpu.shares >= other.cpu.shares else (other, one)
        if "by-members" in (full.weighs, sparse.weighs) or full.cpu.shares == sparse.cpu.shares:
            continue
        each, its = full.cpu.shares / len(members[full.id]), sparse.cpu.shares / len(members[sparse.id])
        if each >= its or lacks(full) <= max(lacks(sparse), 0.01):
            continue
        yield Finding(
            "crowded-pool", "hurts-now", (full.id, sparse.id),
            f"{full.label} has more CPU shares than {sparse.label}, and each of its {len(members[full.id])} members has"
            f" less than one of the {len(members[sparse.id])} there",
            ((f"a member of {full.label}", f"{each:.3g} shares"), (f"a member of {sparse.label}", f"{its:.3g} shares"),
             ("lacks", f"{_percent(lacks(full))} against {_percent(lacks(sparse))}")),
            lacks(full),
            Remedy("both weigh by their members", ((full.id, {"weighs": "by-members"}),
                                                   (sparse.id, {"weighs": "by-members"}))),
            (each, its), (full.cpu.shares, sparse.cpu.shares),
        )  # fmt: skip
