"""Pools that do something else than their makers had in mind."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

import numpy as np

from ruvex.advise._remedies import Remedy
from ruvex.advise.worth._finding import Case, Finding
from ruvex.divide import site_shares
from ruvex.engine import rows as r
from ruvex.plan import RESOURCE_KINDS, Pool, PoolCpu, PoolMemory
from ruvex.site import boot_claim, would_claim
from ruvex.words import counted

_SURPRISE: Final = 2.0
_DEEP: Final = 2


def never_together(case: Case) -> Iterator[Finding]:
    """A pool whose members, on or off, would claim more than it can be promised if all of them were to start."""
    site, plan = case.division.site, case.plan
    claims = would_claim(site)
    claims[1] = boot_claim(site)
    within: dict[int, list[int]] = {}
    for i in range(len(plan.guests)):
        above = int(site.layout.pool_of[i])
        while above >= 0:
            within.setdefault(above, []).append(i)
            above = int(site.layout.parent[above])
    for at, pool in enumerate(plan.pools):
        members = within.get(at, [])
        off = int((~site.standing.on[members]).sum())
        for name, kind in RESOURCE_KINDS.items():
            k, label, write = kind.at, kind.word, kind.write
            draws = site.pools[r.P_DRAWS, k, at] > 0
            bound = "limit" if draws else "reservation"
            allowed = float(site.pools[r.P_LIMIT if draws else r.P_RESERVATION, k, at])
            asked = float(claims[k, members].sum()) if members else 0.0
            if not np.isfinite(allowed) or asked <= allowed * (1 + 1e-9):
                continue
            change = {f"{name}.{bound}": asked}
            if not draws and asked > float(site.pools[r.P_LIMIT, k, at]):
                change[f"{name}.limit"] = asked
            yield Finding(
                "never-together", "will-hurt", (pool.id,),
                f"{pool.label} may promise {write(allowed)} of {label}, and its {counted(len(members), 'member')}"
                f"{f', {off} of them off,' if off else ''} {'needs' if len(members) == 1 else 'need'}"
                f" {write(asked)} to start together",
                (("needed to start", write(asked)), ("may be promised", write(allowed))), 1 - allowed / asked,
                Remedy(f"a {label} {bound} of {write(asked)}", ((pool.id, change),)),
                (asked, allowed), (asked, asked),
            )  # fmt: skip


def pool_as_folder(case: Case) -> Iterator[Finding]:
    """A pool with no settings and no owner: it only groups, and yet competes as one with its peers."""
    count = case.figures.on_of_rows
    members: dict[str | None, int] = {}
    for above in (*(one.parent for one in case.plan.pools), *(one.pool for one in case.plan.guests)):
        members[above] = members.get(above, 0) + 1
    for pool in case.plan.pools:
        if _is_set(pool) or count[case.row(pool.id)] == 0 or members.get(pool.parent, 0) < 2:
            continue
        on = int(count[case.row(pool.id)])
        siblings = [other for other in case.plan.pools if other.parent == pool.parent and other.id != pool.id]
        # Beside pools that differ on purpose it weighs as one of them, and one that holds one guest weighs as that.
        if on == 1 or any(_is_set(other) for other in siblings):
            continue
        yield Finding(
            "pool-as-folder", "untidy", (pool.id,),
            f"{pool.label} sets nothing and belongs to nobody, and yet its {on} guest{'s' if on != 1 else ''} together"
            " weigh as one guest beside it: tags would do to group them",
            (("its shares", "100"), ("its guests", str(on))), 0.1,
            Remedy("it weighs by its members", ((pool.id, {"weighs": "by-members"}),)),
            (1.0, float(on)), (float(on), float(on)),
        )  # fmt: skip


def _is_set(pool: Pool) -> bool:
    """Tell whether somebody has set anything of a pool."""
    return pool.cpu != PoolCpu() or pool.memory != PoolMemory() or pool.weighs != "as-one" or bool(pool.owner)


def deep_nesting(case: Case) -> Iterator[Finding]:
    """A guest in nested pools whose part of the site is far from what its shares seem to say."""
    division, plan = case.division, case.plan
    parts = site_shares(division, division.cpu)
    on = case.guests_on()
    total = sum(guest.cpu.shares for _, guest in on)
    worst: dict[str, tuple[float, Finding]] = {}
    for _, guest in on:
        row = case.row(guest.id)
        depth = int(division.depth[row])
        if guest.pool is None or depth < _DEEP or total <= 0:
            continue
        seems, part = guest.cpu.shares / total, float(parts[row])
        if part <= 0 or part > seems / _SURPRISE:
            continue
        chain: list[str] = []
        above = plan.pools[plan.pool_index[guest.pool]]
        while True:
            if above.weighs == "as-one":
                chain.append(above.id)
            if above.parent is None:
                break
            above = plan.pools[plan.pool_index[above.parent]]
        if not chain:
            continue
        names = " and ".join(plan.labels[one] for one in chain)
        found = Finding(
            "deep-nesting", "untidy", (guest.id, guest.pool),
            f"{guest.label} has {100 * seems:.1f} % of all guests' CPU shares, {depth} pools deep, and gets"
            f" {100 * part:.1f} % of the site when all want all",
            (("its shares seem to say", f"{100 * seems:.1f} %"), ("its part of the site", f"{100 * part:.1f} %")),
            1 - part / seems,
            Remedy(f"{names} weigh by their members", tuple((one, {"weighs": "by-members"}) for one in chain)),
            (seems, part), (seems, seems),
        )  # fmt: skip
        if guest.pool not in worst or seems / part > worst[guest.pool][0]:
            worst[guest.pool] = seems / part, found
    for _, found in worst.values():
        yield found
