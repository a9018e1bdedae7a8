"""Laws of what is offered beside findings: the moves of *Why*, and splits among pools."""

from __future__ import annotations

import random
from collections.abc import Iterator
from typing import Any, Final

import numpy as np

from ruvex.advise import amount_to_split, moves_for, split_among
from ruvex.divide import divide
from ruvex.plan import RESOURCES, EditError, change_many
from ruvex.promise import claims_of, refusal_between
from tests.laws.case import Case

_MOST_HELPED: Final = 2


def helped(case: Case) -> Iterator[str]:
    """A move of *Why*, taken, is accepted, and gives and takes what it says, to everybody, at that moment."""
    division, plan, before = case.division, case.plan, claims_of(case.site)
    rows = len(division.ids)
    lacking = {
        name: division.of(name).unmet[:rows] / np.maximum(division.of(name).wanted[:rows], 1.0) for name in RESOURCES
    }
    for name in RESOURCES:
        for row in np.argsort(-lacking[name], kind="stable")[:_MOST_HELPED].tolist():
            item = division.ids[row]
            for move in moves_for(case.site, division, item)[name]:
                told = f"{item}, {move.text}"
                try:
                    changed = change_many(plan, move.changes)
                except EditError as error:
                    yield f"{told}: {error}"
                    continue
                site = case.site.with_plan(changed, case.traces)
                refused = refusal_between(before, claims_of(site), [target for target, _ in move.changes])
                if refused is not None:
                    yield f"{told}: the promise is refused"
                after = divide(site, demand=division.demand)
                was, now = (
                    {one: float(of.of(name).delivered[of.position[one]]) for one in of.ids} for of in (division, after)
                )
                near = 1e-6 * max(1.0, division.of(name).supply)
                if abs(now[item] - was[item] - move.gain) > near:
                    yield f"{told}: it has {now[item] - was[item]:g} more, not {move.gain:g}"
                if move.gain <= 0:
                    yield f"{told}: it gains {move.gain:g}"
                paying = dict(move.losses)
                for guest in plan.guests:
                    lost = now[guest.id] - was[guest.id]
                    if abs(min(lost, 0.0) - paying.get(guest.id, 0.0)) > near:
                        yield f"{told}: {guest.id} has {lost:g} more, and {paying.get(guest.id, 0.0):g} is told"


def split(case: Case) -> Iterator[str]:
    """A split among pools side by side is accepted where no part is below what its pool claims now, and adds up."""
    chance, plan, before = random.Random(case.seed), case.plan, claims_of(case.site)
    parents = sorted({pool.parent for pool in plan.pools}, key=str)
    for parent in parents[:3]:
        pools = [pool.id for pool in plan.pools if pool.parent == parent]
        for k, name in enumerate(RESOURCES):
            amount = amount_to_split(before, pools, name)
            claimed = np.array([float(before.claim_of(pool)[k]) for pool in pools])
            spare = amount - float(claimed.sum()) - len(pools)
            if spare < 0 or amount <= 0:
                continue
            # Each has what it claims, and a part of what is left, chosen by chance.
            cuts = np.array([chance.random() for _ in pools])
            parts = claimed + 1.0 + spare * cuts / cuts.sum()
            percents: dict[str, Any] = dict(zip(pools, (100.0 * parts / parts.sum()).tolist(), strict=True))
            changes = split_among(before, percents, name, "reservation")
            given = {pool: float(change[f"{name}.reservation"]) for pool, change in changes}
            if sum(given.values()) > amount + 1e-6:
                yield f"{name} of {parent}: {sum(given.values()):g} of {amount:g} are given out"
            limits = {pool.id: pool.of(name).limit for pool in plan.pools}
            if any((limits[pool] or np.inf) < value for pool, value in given.items()):
                continue  # Told in words: a part above a pool's own limit.
            try:
                changed = change_many(plan, changes)
            except EditError as error:
                yield f"{name} of {parent}, split: {error}"
                continue
            refused = refusal_between(before, claims_of(case.site.with_plan(changed, case.traces)), list(given))
            if refused is not None:
                yield f"{name} of {parent}, {given} of {amount:g}: the promise is refused ({refused})"
