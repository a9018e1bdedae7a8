"""What a look at memory comes to for each guest: its pace, how much of its need it has, and why it has no more."""

from __future__ import annotations

from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import columns, lost_to_paging
from ruvex.play import _state as s
from ruvex.play._ground import Ground
from ruvex.play._places import MemoryAsks
from ruvex.play._state import State

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

_MET: Final = 1e-6
"""A guest that has all but this part of its need has all of it."""


def tell_shortfalls(
    state: State, ground: Ground, asks: MemoryAsks, target: Floats, *, disk: Floats, limited: Bools, growing: Bools
) -> None:
    """Work out pace, met and cause of every guest, and put them into the state.

    Parameters
    ----------
    state, ground
        What is going on.
    asks, target
        What guests ask for, and what each is to have; MiB.
    disk
        How many times its time work takes on top that finds all of its pages on this guest's disk.
    limited
        Which guests lie in a pool that has reached its limit.
    growing
        Which guests live where memory is not used up, so that only their rate holds them back.
    """
    g, rules = ground.guests, ground.compiled.plan.rules
    working, touched = state.working, state.touched
    lost = lost_to_paging(rules, disk, working, touched, state.squeezed, state.spilled, state.self_paged)
    state.pace = 1 / (1 + lost * ground.on)
    aside = np.divide(state.squeezed + state.spilled, touched, out=np.zeros_like(touched), where=touched > 0)
    in_memory = working - state.self_paged - aside * np.minimum(working, touched)
    booting = state.phase == s.BOOTING
    wanted = np.where(booting & ~ground.thin, g[columns.SIZE], np.maximum(state.need, working))
    have = np.where(ground.thin, in_memory, state.given)
    is_short = (have < wanted * (1 - _MET)) & ground.on
    met = np.divide(have, wanted, out=np.ones_like(wanted), where=is_short)
    state.met = np.clip(met, 0.0, 1.0)
    if not is_short.any():
        state.cause = np.zeros(working.size, dtype=np.int8)
        return
    least = _MET * np.maximum(asks.cap, 1.0)
    cause = np.full(working.size, s.SUPPLY)
    cause[limited] = s.POOL_LIMIT
    has_all = (target >= asks.cap - least) & (np.maximum(state.given, asks.floor) >= asks.cap - least)
    cause[has_all & ground.thin] = s.OWN_SIZE
    cause[has_all & ground.thin & (g[columns.MEMORY_LIMIT] < touched - state.shared)] = s.OWN_LIMIT
    cause[has_all & ground.fixed] = s.OWN_SIZE
    cause[has_all & ground.breathing] = s.OWN_CEILING
    cause[growing & (state.given < target - least) & ~has_all] = s.STILL_GROWING
    cause[ground.elastic & ~ground.breathing] = s.AGENT_MISSING
    cause[state.bridged > 0] = s.BOOT_FROM_DISK
    state.cause = np.where(is_short, cause, s.NO_CAUSE).astype(np.int8)
