"""The kernels as their callers see them: with the types they have, and loaded when the first of them is asked for.

To import Numba takes longer than many a command works: a caller imports this module, and names the kernel where it
calls it.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from ruvex.engine._all import (
        admit_in_order,
        build_forest,
        claim_sums,
        count_all,
        divide_as_one,
        divide_moment,
        find_causes,
        find_homes,
        find_stops,
        highest_until,
        note_savings,
        pool_sums,
        pool_weights,
        put_rows,
        put_weights,
        run_ticks,
        run_turns,
        settle,
        signals_at,
        sum_day,
        tell_places,
        wait_by_chance,
    )

__all__ = [
    "admit_in_order",
    "build_forest",
    "claim_sums",
    "count_all",
    "divide_as_one",
    "divide_moment",
    "find_causes",
    "find_homes",
    "find_stops",
    "highest_until",
    "load",
    "note_savings",
    "pool_sums",
    "pool_weights",
    "put_rows",
    "put_weights",
    "run_ticks",
    "run_turns",
    "settle",
    "signals_at",
    "sum_day",
    "tell_places",
    "wait_by_chance",
]


def load() -> None:
    """Import them all now, and Numba with them unless they are to work plainly; none is compiled by that."""
    from ruvex.engine import _all

    globals().update({name: getattr(_all, name) for name in _all.__all__})


def __getattr__(name: str) -> Any:
    """Load them when the first is asked for."""
    if name not in __all__:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    load()
    return globals()[name]
