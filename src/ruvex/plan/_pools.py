"""Walking the pool tree of a plan."""

from __future__ import annotations

from ruvex.plan._model import Guest, Plan, Pool


def pools_above(plan: Plan, item: Guest | Pool) -> list[Pool]:
    """Give the pools a guest or pool lies in, the nearest first."""
    above: list[Pool] = []
    here = item.pool if isinstance(item, Guest) else item.parent
    while here is not None:
        above.append(plan.pools[plan.pool_index[here]])
        here = above[-1].parent
    return above


def pools_within(plan: Plan, pool: str | None) -> set[str | None]:
    """Give a pool and all pools in it, by id; for the top (None) all there are, and None."""
    inside: set[str | None] = {pool}
    more = True
    while more:
        below = {other.id for other in plan.pools if other.parent in inside} - inside
        inside |= below
        more = bool(below)
    return inside
