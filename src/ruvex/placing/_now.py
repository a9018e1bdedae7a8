"""The one move that helps most as things are: what places guests over time while a plan is played."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

from ruvex.divide import Asked
from ruvex.placing._guess import Guesses
from ruvex.placing._lack import DayLack
from ruvex.placing._units import units_of
from ruvex.site import Site

_WORKED_OUT: Final = 8
_NOISE: Final = 1e-9


@dataclass(frozen=True, slots=True)
class MoveNow:
    """A move of one guest, by positions, and which part of what its host's guests lack it takes away."""

    guest: int
    to: int
    part: float


def moves_now(site: Site, demand: Asked, least_part: float) -> list[MoveNow]:
    """Find the moves that would help at a moment, the best first; whether promises allow them is not looked at.

    Parameters
    ----------
    site, demand
        Who is on and where, and what their work asks for.
    least_part
        A move counts that takes away more than this part of what the guests of the host lack that it leaves.
        Nobody may lack more afterwards than whoever lacks most does now.
    """
    day = DayLack(site, [demand], 1.0)
    host = site.standing.host
    lack = day.of(host)
    of_guests = lack.sum(axis=0)
    if float(of_guests.sum()) <= _NOISE:
        return []
    units = units_of(site)
    found: list[tuple[float, MoveNow]] = []
    for candidate in Guesses(units, day.loads()).best(host, lack, _WORKED_OUT) if units else []:
        to, guests = candidate[0][1], units[candidate[0][0]].guests
        if len(candidate) > 1 or len(guests) > 1:
            continue
        after = host.copy()
        after[guests[0]] = to
        left = day.of(after)
        gain = float(of_guests.sum() - left.sum())
        lacked = float(of_guests[site.standing.on & (host == host[guests[0]])].sum())
        is_worse = float(left.sum(axis=0).max()) > float(of_guests.max()) + _NOISE
        if gain > max(least_part * lacked, _NOISE) and not is_worse:
            found.append((gain, MoveNow(guests[0], to, gain / max(lacked, _NOISE))))
    return [move for _, move in sorted(found, key=lambda pair: -pair[0])]
