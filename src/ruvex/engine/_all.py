"""All kernels together; importing this imports Numba, so only ``ruvex.engine.kernels`` does, late."""

from ruvex.engine._asks import pool_weights, put_weights
from ruvex.engine._causes import find_causes, find_stops
from ruvex.engine._chance import wait_by_chance
from ruvex.engine._claims import admit_in_order
from ruvex.engine._day import sum_day
from ruvex.engine._forest import build_forest
from ruvex.engine._look import settle, tell_places
from ruvex.engine._moment import divide_as_one, divide_moment
from ruvex.engine._numa import find_homes
from ruvex.engine._record import put_rows
from ruvex.engine._run import note_savings, run_ticks
from ruvex.engine._signals import highest_until, signals_at
from ruvex.engine._sums import claim_sums, pool_sums
from ruvex.engine._tally import count_all
from ruvex.engine._turns import run_turns

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
