"""What stands still between two events while a plan is played: the plan in force, as arrays, and who is on."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Compiled, columns
from ruvex.play._state import RUNNING, State

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]


@dataclass(frozen=True, slots=True, eq=False)
class Ground:
    """The plan in force with the guests that are on now.

    Attributes
    ----------
    compiled
        The plan; its guests are on where they boot or run, and have an agent where it works.
    guests
        ``compiled.guests``: settings by row.
    thin, elastic, fixed, breathing
        Which guests have which memory mode; breathing ones are elastic with a working agent.
    speed
        The MHz of all vCPUs of each guest; infinite without a host.
    """

    compiled: Compiled
    guests: Floats
    on: Bools
    thin: Bools
    elastic: Bools
    fixed: Bools
    breathing: Bools
    speed: Floats

    @property
    def floor(self) -> Floats:
        """What each guest holds at least, MiB (section 2), as its settings say; 0 where it is off."""
        g = self.guests
        least = np.where(
            self.thin, g[columns.MEMORY_RESERVATION], np.where(self.breathing, g[columns.FLOOR], g[columns.SIZE])
        )
        return np.where(self.on, least, 0.0)


def ground_of(compiled: Compiled, state: State) -> Ground:
    """Give the ground for a plan and a state."""
    guests = compiled.guests.copy()
    on = state.on
    guests[columns.ON] = on
    guests[columns.AGENT] = state.agent & (state.phase == RUNNING)
    mode = guests[columns.MODE]
    thin, elastic = mode == columns.THIN, mode == columns.ELASTIC
    return Ground(
        compiled=replace(compiled, guests=guests),
        guests=guests,
        on=on,
        thin=thin,
        elastic=elastic,
        fixed=mode == columns.FIXED,
        breathing=elastic & (guests[columns.AGENT] > 0),
        speed=guests[columns.VCPUS] * guests[columns.CORE_MHZ],
    )
