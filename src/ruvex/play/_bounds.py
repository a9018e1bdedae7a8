"""How much a play may take, estimated before it is begun."""

from __future__ import annotations

import math
from typing import Final

from ruvex.engine.rows import CHANNELS, PLACE_CHANNELS
from ruvex.plan import Plan, RuvexError

RECORD_S: Final = 10.0
MOST_TICKS: Final = 40_000_000
"""A year in steps of a second."""
_MOST_WORK: Final = 200_000_000_000
"""Ticks times guests: a day of two million guests, or a year of some six thousand, in steps of a second."""
MOST_ROWS: Final = 8640
_MOST_RECORDED: Final = 3_000_000
"""Rows times guests that are recorded unless asked for otherwise: some 190 MB, as several days are kept beside each
other. Commands and window record alike: what is counted off a recording would differ by the distance of its rows."""
_MOST_BYTES: Final = 2 << 30
_GIB: Final = float(1 << 30)


class TooMuchError(RuvexError):
    """A play that would take more time or memory than anybody waits for or has."""


def check_length(end_tick: int, tick_s: float, guests: int) -> None:
    """Refuse a play of too many ticks.

    Raises
    ------
    TooMuchError
        It has too many; the text says what would be possible.
    """
    if end_tick > MOST_TICKS:
        raise TooMuchError(
            f"{end_tick:.3g} ticks of {tick_s:g} s are too many for one play; take a tick_s of"
            f" {_rounded_up(tick_s * end_tick / MOST_TICKS):g} or more, or a shorter time"
        )
    if end_tick * max(1, guests) > _MOST_WORK:
        most_s = _MOST_WORK / guests * tick_s
        raise TooMuchError(
            f"{end_tick:.3g} ticks with {guests} guests are too many for one play; take a longer tick_s, or play no"
            f" more than {most_s:.0f} s at once"
        )


def obstacle_to_play(plan: Plan) -> str:
    """Give why the whole day of a plan is too much for one play; empty if it is not."""
    try:
        check_length(math.ceil(plan.day_s / plan.tick_s), plan.tick_s, len(plan.guests))
    except TooMuchError as error:
        return str(error)
    return ""


def spacing(record_s: float | None, end_s: float, tick_s: float, guests: int, places: int) -> float:
    """Give how far apart the rows of a recording are, s; infinity where nothing is to be recorded.

    Parameters
    ----------
    record_s
        What was asked for; None for what is usual, thinned where that would be too much.
    end_s, tick_s, guests, places
        Of the play.

    Raises
    ------
    TooMuchError
        What was asked for takes too much memory; the text says what would be possible.
    """
    if record_s is None:
        rows = min(MOST_ROWS, _MOST_RECORDED // max(1, guests))
        return max(RECORD_S, end_s / max(rows, 2), tick_s)
    every_s = max(record_s or RECORD_S, tick_s)
    of_row = guests * (4 * len(CHANNELS) + 2) + places * 4 * len(PLACE_CHANNELS) + 8
    size = (end_s / every_s + 1) * of_row
    if size > _MOST_BYTES:
        least = _rounded_up(end_s * of_row / _MOST_BYTES)
        raise TooMuchError(
            f"recording a row every {every_s:g} s takes {size / _GIB:.1f} GiB, more than {_MOST_BYTES / _GIB:.0f};"
            f" take {least:g} s or more, or a shorter time"
        )
    return every_s


def _rounded_up(value: float) -> float:
    """Give a number of two digits that is not less."""
    text = f"{value * 1.05:.1e}"
    return float(text) if float(text) >= value else float(text) * 1.1
