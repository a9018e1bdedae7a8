"""Splitting what can be promised among pools by percentages, as for owners who each paid for a part."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, Literal

from ruvex.engine import rows
from ruvex.plan import RESOURCE_KINDS, SHARES_STANDARD, EditError, Resource
from ruvex.promise import Claims, budget_of

Setting = Literal["reservation", "limit", "shares"]


def amount_to_split(claims: Claims, pools: Sequence[str], resource: Resource) -> float:
    """Give what some pools of one parent may be promised together, MHz or MiB, 0 if nothing.

    At the top that is the supply less what is set aside and, for memory, less the overhead of all guests of the plan,
    those that are off too; in a pool its reservation. What the other members there claim is not theirs to split.

    Raises
    ------
    EditError
        No pools are named, or they have not all the same parent.
    """
    plan = claims.site.plan
    parents = {plan.pools[plan.pool_index[pool]].parent for pool in pools}
    if len(parents) != 1:
        raise EditError("choose pools that lie side by side, in the same pool or all at the top")
    parent = parents.pop()
    budget = budget_of(claims, parent, resource)
    amount = budget.reservation - budget.claimed
    amount += sum(float(claims.claim_of(pool)[RESOURCE_KINDS[resource].at]) for pool in pools)
    if parent is None and resource == "memory":
        site = claims.site
        amount -= float(site.guests[rows.G_OVERHEAD, ~site.standing.on].sum())
    return max(0.0, amount)


def split_among(
    claims: Claims, percents: Mapping[str, float], resource: Resource, setting: Setting
) -> list[tuple[str, Mapping[str, Any]]]:
    """Give each pool its percentage of what can be promised, as reservation, limit or shares.

    Amounts are whole MHz or MiB, rounded down, so that their sum never exceeds what there is. As shares, the
    percentages are scaled so that equal parts come to the standard.

    Returns
    -------
    list
        Changes, as ``change_many`` takes them.

    Raises
    ------
    EditError
        The pools do not lie side by side, a percentage is negative or no number, or their sum is above 100.
    """
    if any(not (math.isfinite(p) and p >= 0) for p in percents.values()):
        raise EditError("a percentage is a number from 0 to 100")
    total = sum(percents.values())
    if setting != "shares" and total > 100 + 1e-9:
        raise EditError(f"the parts come to {total:g} %; together they can be at most 100 %")
    amount = amount_to_split(claims, list(percents), resource)
    changes: list[tuple[str, Mapping[str, Any]]] = []
    for pool, percent in percents.items():
        if setting == "shares":
            value: float = round(SHARES_STANDARD * len(percents) * percent / total, 3) if total else 0.0
        else:
            value = float(math.floor(amount * percent / 100 + 1e-9))
        if value <= 0 and setting != "reservation":
            raise EditError(f"{pool!r} would get no {setting} at all; give it a part above 0 %")
        changes.append((pool, {f"{resource}.{setting}": value}))
    return changes
