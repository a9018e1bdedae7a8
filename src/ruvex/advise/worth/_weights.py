"""Shares that give another outcome than they seem to say."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import groupby

import numpy as np

from ruvex.advise._remedies import Remedy
from ruvex.advise.worth._finding import Case, Finding
from ruvex.advise.worth._tried import first_that_helps
from ruvex.divide import causes_of, site_shares
from ruvex.plan import Guest, Pool
from ruvex.words import counted

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
    short_on: dict[int, list[str]] = {}
    causes = causes_of(division, "cpu")
    for i, guest in inside:
        # Where a pool's own limit or a guest's own keeps it short, nobody beside the pools is to blame.
        if case.is_short(i) and causes.word(case.row(guest.id)) == "supply":
            short_on.setdefault(case.host_of(i), []).append(guest.id)
    for i, guest in case.guests_on():
        if guest.pool is not None or usual <= 0:
            continue
        part = float(parts[case.row(guest.id)])
        short = short_on.get(case.host_of(i), [])
        if part < _MUCH * usual or case.is_short(i) or not short:
            continue
        fair = max(1.0, round(guest.cpu.shares * usual / part, 1))
        remedies = (
            Remedy(f"{fair:g} CPU shares, as much as a guest in a pool has", ((guest.id, {"cpu.shares": fair}),)),
            *_into_pool(case, guest, short),
        )
        lacking = [case.plan.guest_index[one] for one in short]
        yield Finding(
            "beside-pools", "hurts-now", (guest.id, *short),
            f"{guest.label} stands beside the pools and competes with each of them as a whole: it gets all the CPU it"
            f" wants while {len(short)} {'guests' if len(short) > 1 else 'guest'} on its host"
            f" {'go' if len(short) > 1 else 'goes'} short",
            (("its part when all want all", _percent(part)), ("of a guest in a pool, the median", _percent(usual))),
            min(part, 1.0),
            first_that_helps(case, remedies, "cpu", lacking, case.division.at_s),
            (part, usual), (usual, usual),
        )  # fmt: skip


def _into_pool(case: Case, guest: Guest, short: Sequence[str]) -> Iterator[Remedy]:
    """Put a guest into the pool of those that go short, the one with most of them first."""
    pools = Counter(case.plan.guests[case.plan.guest_index[one]].pool for one in short)
    for pool, _ in pools.most_common():
        if pool is not None:
            label = case.plan.labels[pool]
            yield Remedy(f"{guest.label} is put into {label}", ((guest.id, {"pool": pool}),))


def crowded_pool(case: Case) -> Iterator[Finding]:
    """A pool with more shares than its peer and many more members: each of them has less than those of the peer."""
    count = case.figures.on_of_rows
    peers: dict[str | None, list[Pool]] = {}
    for pool in case.plan.pools:
        if count[case.row(pool.id)] > 0 and pool.weighs == "as-one":
            peers.setdefault(pool.parent, []).append(pool)

    def each(pool: Pool) -> float:
        return pool.cpu.shares / float(count[case.row(pool.id)])

    def lacks(pool: Pool) -> float:
        row = case.row(pool.id)
        wanted = float(case.figures.wanted("cpu").by_row[row])
        return float(case.figures.lacks("cpu").by_row[row]) / wanted if wanted > 0 else 0.0

    for pools in peers.values():
        # Of those with fewer shares the one whose members have most says it best.
        best: Pool | None = None
        for _, alike in groupby(sorted(pools, key=lambda pool: pool.cpu.shares), key=lambda pool: pool.cpu.shares):
            same = list(alike)
            for full in same if best is not None else ():
                assert best is not None
                if each(full) < each(best) and lacks(full) > max(lacks(best), 0.01):
                    yield _crowded(
                        full, best, each(full), each(best), lacks(full), lacks(best), count[case.row(full.id)]
                    )
            best = max([*([] if best is None else [best]), *same], key=each)


def _crowded(
    full: Pool, sparse: Pool, each: float, its: float, lacks: float, lacks_there: float, members: float
) -> Finding:
    return Finding(
        "crowded-pool", "hurts-now", (full.id, sparse.id),
        f"{full.label} has more CPU shares than {sparse.label}, and each of its"
        f" {counted(round(members), 'member')} has less than one of the {sparse.cpu.shares / its:.0f} there",
        ((f"a member of {full.label}", f"{each:.3g} shares"), (f"a member of {sparse.label}", f"{its:.3g} shares"),
         ("lacks", f"{_percent(lacks)} against {_percent(lacks_there)}")),
        lacks,
        Remedy("both weigh by their members", ((full.id, {"weighs": "by-members"}),
                                               (sparse.id, {"weighs": "by-members"}))),
        (each, its), (full.cpu.shares, sparse.cpu.shares),
    )  # fmt: skip
