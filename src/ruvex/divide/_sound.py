"""A cheap look at every division before anybody sees its figures: supply, caps, and that they are numbers at all."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._solve import Solved, by_guest
from ruvex.engine import rows as r
from ruvex.plan import OurFaultError, format_time

_ROUNDING: Final = 1e-9
_OF_RECORDING: Final = 1e-5
"""A recording keeps seven digits, and a sum over a host's guests has the rounding of all of them."""
_LEAST: Final = 1e-6


class UnsoundDivisionError(OurFaultError):
    """A division that cannot be: somebody has more than there is, more than he may have, or no number at all."""


def check_sound(solved: Solved, at_s: float, *, is_played: bool) -> None:
    """See that nobody has more than there is, or than he may have.

    What a play gave is kept with fewer digits, and was asked for in its own way: of that only supply is looked at.

    Raises
    ------
    UnsoundDivisionError
        Somebody has; the text names plan, time and figures.
    """
    given, place_of = solved.given(), solved.site.forest.place_of
    what = _unsound(given, place_of, solved, is_played=is_played)
    if what:
        name = solved.site.plan.name or "the unnamed plan"
        raise UnsoundDivisionError(f"the division of {name} at {format_time(at_s)} is wrong: {what}")


def _unsound(given: NDArray[np.float64], place_of: NDArray[np.int64], solved: Solved, *, is_played: bool) -> str:
    if not np.isfinite(given).all():
        return "a guest gets no number"
    if given.size and given.min() < -_LEAST:
        return f"a guest gets {given.min():.6g}"
    supply = solved.values[r.Q_SUPPLY]
    if not np.isfinite(supply[supply < np.inf]).all():
        return "a place has no number as its supply"
    is_there = place_of >= 0
    sums = np.bincount(place_of[is_there], weights=given[is_there], minlength=supply.size)
    rounding = _OF_RECORDING if is_played else _ROUNDING
    over = sums > supply * (1.0 + rounding) + _LEAST + (
        _OF_RECORDING * np.count_nonzero(is_there) if is_played else 0.0
    )
    if over.any():
        place = int(np.flatnonzero(over)[0])
        return f"{sums[place]:.9g} is delivered of {supply[place]:.9g}"
    if not is_played:
        caps = by_guest(solved.site.forest.trees, solved.asks[r.A_CAP])
        beyond = given > caps * (1.0 + _ROUNDING) + _LEAST
        if beyond.any():
            kind, guest = np.argwhere(beyond)[0].tolist()
            return f"{solved.site.plan.guests[guest].label} gets {given[kind, guest]:.9g} of {caps[kind, guest]:.9g}"
    return ""
