"""Guesses of what a move or an exchange is worth, host by host, to choose which are worked out."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.placing._lack import Loads
from ruvex.placing._units import MovedTogether

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

Candidate = tuple[tuple[int, int], ...]
"""Units by their number, each with the position of the host it goes to: one for a move, two for an exchange."""
_MOST_FROM: Final = 64
"""Exchanges are only guessed for so many units on hosts that lack, and so many elsewhere."""


class Guesses:
    """Guesses what moves of some units are worth.

    On a host whose guests want more than there is, each is taken to lack the same part of it. That is wrong where they
    weigh differently, and near enough to choose by.

    Parameters
    ----------
    units, loads
        Who can move, and what is wanted and there at each sample.
    """

    def __init__(self, units: Sequence[MovedTogether], loads: Loads) -> None:
        self._units, self._loads = units, loads
        self._supply = np.moveaxis(loads.supply, 2, 0)
        self._sizes = np.array([len(unit.guests) for unit in units], dtype=np.float64)
        shape = (0, *loads.wanted.shape[:2])
        wants = [loads.wanted[:, :, list(unit.guests)].sum(axis=2) for unit in units]
        self._want = np.stack(wants) if wants else np.zeros(shape)
        self._on = (loads.wanted > 0).any(axis=(0, 1))
        self._allowed = np.zeros((len(units), self._supply.shape[0]), dtype=np.bool_)
        for at, unit in enumerate(units):
            self._allowed[at, list(unit.hosts)] = True

    def best(self, host: Ints, lack: Floats, count: int) -> list[Candidate]:
        """Give the moves and exchanges that promise most, the best first, at most ``count``.

        Parameters
        ----------
        host
            Where everybody is, shape (guests,).
        lack
            What everybody lacks there, shape (kinds, guests), guest-hours.
        """
        supply, want, sizes = self._supply, self._want, self._sizes
        hosts = supply.shape[0]
        here = np.array([host[unit.guests[0]] for unit in self._units], dtype=np.int64)
        there = np.where(self._on, host, -1)
        of_host = (there[None, :] == np.arange(hosts)[:, None]).astype(np.float64)
        sums = np.einsum("ksg,hg->hks", self._loads.wanted, of_host, optimize=True)
        counts = of_host.sum(axis=1)
        now = _lack(sums, supply, counts)
        lacking = of_host @ lack.sum(axis=0)
        found: list[tuple[float, Candidate]] = []
        without = _lack(sums[here] - want, supply[here], counts[here] - sizes)
        for to in range(hosts):
            change = without - now[here] + _lack(sums[to] + want, supply[to], counts[to] + sizes) - now[to]
            may = np.flatnonzero(self._allowed[:, to] & (here != to))
            best = may[np.argsort(change[may], kind="stable")[:count]]
            found += [(float(change[at]), ((at, to),)) for at in best.tolist()]
        found += _exchanges(here, sizes, want, sums, counts, supply, now, self._allowed, lacking, count)
        found.sort(key=lambda pair: pair[0])
        return [candidate for _, candidate in found[:count]]


def _lack(sums: Floats, supply: Floats, counts: Floats) -> Floats:
    """Guess what is lacked on hosts, in guests: the part of all that is wanted which is not there, for each guest."""
    part = np.divide(sums - supply, sums, out=np.zeros_like(sums), where=sums > supply)
    found: Floats = part.sum(axis=(1, 2)) if part.ndim == 3 else part.sum(axis=(0, 1))
    return np.asarray(found * counts)


def _exchanges(
    here: Ints, sizes: Floats, want: Floats, sums: Floats, counts: Floats, supply: Floats, now: Floats,
    allowed: NDArray[np.bool_], lacking: Floats, count: int,
) -> list[tuple[float, Candidate]]:  # fmt: skip
    """Guess what it is worth that two units on different hosts change places, one of them on a host that lacks."""
    weight = want.sum(axis=(1, 2))
    from_lacking = [at for at in np.argsort(-lacking[here] - 1e-12 * weight).tolist() if lacking[here[at]] > 0]
    found: list[tuple[float, Candidate]] = []
    others = np.argsort(lacking[here] + 1e-12 * weight)[: 4 * _MOST_FROM]
    for at in from_lacking[:_MOST_FROM]:
        source = here[at]
        pairs = others[(here[others] != source) & allowed[at, here[others]] & allowed[others, source]]
        pairs = pairs[~((lacking[here[pairs]] > 0) & (pairs < at))]
        if not pairs.size:
            continue
        moved = want[pairs] - want[at]
        more = sizes[pairs] - sizes[at]
        mine = _lack(sums[source] + moved, supply[source], counts[source] + more)
        to = here[pairs]
        theirs = _lack(sums[to] - moved, supply[to], counts[to] - more)
        change = mine - now[source] + theirs - now[to]
        best = np.argsort(change, kind="stable")[:count]
        found += [(float(change[i]), ((at, int(here[pairs[i]])), (int(pairs[i]), int(source)))) for i in best.tolist()]
    return found
