"""The means a host has at each pressure: how far down it can bring each guest."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import columns
from ruvex.play import _state as s
from ruvex.play._ground import Ground
from ruvex.play._places import MemoryAsks
from ruvex.play._state import State

Floats = NDArray[np.float64]


def current_of(state: State, ground: Ground) -> Floats:
    """Give what everybody would have, MiB, if nothing moved but what the work has touched since the last look."""
    saved = 1 - 1 / ground.compiled.plan.rules.squeeze.ratio
    own = state.touched - state.shared
    return np.where(ground.thin, own - state.balloon - state.squeezed * saved - state.spilled, state.given)


def reach_of(level: int, state: State, ground: Ground, asks: MemoryAsks) -> Floats:
    """Give how far down the means of a pressure can bring each guest, MiB.

    Tidying takes headroom and pages that are idle; reclaiming fills balloons into the working set, and squeezes.
    """
    rules = ground.compiled.plan.rules
    own = state.touched - state.shared
    size = ground.guests[columns.SIZE] * ground.guests[columns.AGENT]
    by_balloon = np.maximum(own - size * (rules.balloon_max_percent / 100), 0.0)
    if level == s.TIDYING:
        return np.where(ground.thin, np.maximum(by_balloon, np.minimum(state.working, own)), asks.use)
    saved = 1 - 1 / rules.squeeze.ratio
    squeezable = state.touched * (rules.squeeze.max_percent / 100) * saved
    return np.where(ground.thin, np.maximum(by_balloon - squeezable, 0.0), asks.floor)
