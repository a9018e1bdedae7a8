"""What a delivered figure is made of, and who gains and pays between two divisions."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._division import Division, ResourceDivision

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Parts:
    """The parts of each row, in the resource's unit; the first three add up to what is delivered.

    Attributes
    ----------
    promised
        Delivered and used, covered by the row's claim.
    won
        Delivered and used beyond the claim: won by shares.
    held
        Delivered beyond what is wanted: held though idle.
    lent
        Promised, neither delivered nor lacking: idle, and lent to others.
    unmet
        Wanted and not delivered.
    """

    promised: Floats
    won: Floats
    held: Floats
    lent: Floats
    unmet: Floats


def parts_of(resource: ResourceDivision) -> Parts:
    """Split what each row gets into what was promised, won by shares and held idle; add what is lent and unmet.

    For a pool these are sums over its guests: what they get beyond their wants is held, however much others lack.
    """
    held = np.maximum(resource.delivered + resource.unmet - resource.wanted, 0.0)
    used = resource.delivered - held
    promised = np.minimum(resource.claim, used)
    # Where promises are broken nothing is idle: what is missing of a claim was not lent, it is not there.
    lent = np.maximum(resource.claim - resource.delivered - resource.unmet, 0.0) * (not resource.broken)
    return Parts(promised, used - promised, held, lent, resource.unmet)


@dataclass(frozen=True, slots=True)
class Shift:
    """What one guest gains (positive) or pays (negative) between two divisions, in the resource's unit."""

    guest_id: str
    amount: float


def shifts_between(before: ResourceDivision, after: ResourceDivision, division: Division) -> list[Shift]:
    """List the guests whose delivered amount differs, the largest change first, ties in row order.

    Parameters
    ----------
    before, after
        The same resource of two divisions over the same rows.
    division
        Either division, for the rows.
    """
    change = after.delivered - before.delivered
    noise = 1e-9 * max(1.0, after.supply)
    rows = [int(i) for i in np.flatnonzero(np.abs(change) > noise) if division.kinds[i] == "guest"]
    rows.sort(key=lambda i: -abs(change[i]))
    return [Shift(division.ids[i], float(change[i])) for i in rows]


def peer_weights(resource: ResourceDivision, division: Division, row: int) -> tuple[float, float]:
    """Give the weight of a row and the sum over it and its peers that are on."""
    parent = division.parents[row]
    peers = [i for i, other in enumerate(division.parents) if other == parent and division.on[i]]
    return float(resource.weight[row]), float(resource.weight[peers].sum())
