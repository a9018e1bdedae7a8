"""What changes while a plan is played: one array a quantity, over the guests in the order of the tree."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import Final

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

OFF, QUEUED, BOOTING, RUNNING = range(4)
PHASES: Final = ("off", "queued", "booting", "running")
"""The power life-cycle; a queued guest waits for memory or for a promise."""

AMPLE, TIDYING, RECLAIMING, REFUSING = range(4)
PRESSURES: Final = ("ample", "tidying", "reclaiming", "refusing")

NEVER: Final = np.iinfo(np.int64).max
"""The tick of what is not due."""


@dataclass(slots=True, eq=False)
class State:
    """The state of every guest; arrays of shape (guests,), MiB unless a unit is named.

    Attributes
    ----------
    phase
        Position in ``PHASES``.
    boot_left
        Of a booting guest, the work still to do: seconds at the full speed of its vCPUs.
    agent_due
        The tick at which the agent will have loaded; ``NEVER`` where none is on its way.
    agent
        Whether the agent works now.
    wish
        Of an elastic guest, what it holds on to: its need, or a higher one that has not been lower for long enough.
    low_at
        The tick since which the need has been below the wish; −1 where it is not.
    visible, given
        What the guest's system sees, and what the host spends on it (squeezed pages at their squeezed size).
    touched, shared, balloon, squeezed, spilled
        Of a thin guest, as section 6 has them; ``balloon`` also of an elastic one.
    bridged
        What disk stands in for since a restart.
    working, need
        The working set now, greedy work included, and with headroom, within floor and ceiling.
    hoard
        What greedy work has taken so far.
    reclaimed
        What was taken back from it since the start.
    wanted, delivered
        CPU, MHz.
    backlog
        Batch work asked for and not done, MHz·s.
    pace, met
        Parts of 1.
    cause
        Why it is below its need: position in ``SHORTFALLS``.
    """

    phase: NDArray[np.int8]
    boot_left: Floats
    agent_due: Ints
    agent: Bools
    wish: Floats
    low_at: Ints
    visible: Floats
    given: Floats
    touched: Floats
    shared: Floats
    balloon: Floats
    squeezed: Floats
    spilled: Floats
    bridged: Floats
    working: Floats
    need: Floats
    hoard: Floats
    reclaimed: Floats
    wanted: Floats
    delivered: Floats
    backlog: Floats
    pace: Floats
    met: Floats
    cause: NDArray[np.int8]
    self_paged: Floats

    @classmethod
    def of(cls, guests: int) -> State:
        """Give the state of guests that are all off."""
        made = {field.name: np.zeros(guests) for field in fields(cls)}
        state = cls(**made)  # type: ignore[arg-type]
        state.phase, state.cause = np.zeros(guests, dtype=np.int8), np.zeros(guests, dtype=np.int8)
        state.agent = np.zeros(guests, dtype=np.bool_)
        state.agent_due = np.full(guests, NEVER, dtype=np.int64)
        state.low_at = np.full(guests, -1, dtype=np.int64)
        state.pace, state.met = np.ones(guests), np.ones(guests)
        return state

    @property
    def on(self) -> Bools:
        """Which guests are booting or running."""
        return self.phase >= BOOTING

    @property
    def backed(self) -> Floats:
        """Host memory behind each guest, uncompressed; of those that are not thin, what they were given."""
        own = self.touched - self.shared - self.balloon - self.squeezed - self.spilled
        return np.where(self.touched > 0, np.maximum(own, 0.0), self.given)

    def switch_off(self, guest: int) -> None:
        """Let a guest give everything back; arrays that others have noted stay as they are."""
        fresh = {"phase": OFF, "agent_due": NEVER, "low_at": -1, "pace": 1.0, "met": 1.0}
        for field in fields(self):
            if field.name != "reclaimed":
                values = getattr(self, field.name).copy()
                values[guest] = fresh.get(field.name, 0)
                setattr(self, field.name, values)


SHORTFALLS: Final = (
    "", "own limit", "own ceiling", "own size", "agent missing", "pool's limit", "supply", "still growing",
    "boot from disk",
)  # fmt: skip
"""Why a guest is below its need; the first is that it is not. The words of the division, and two that take time."""
(
    NO_CAUSE, OWN_LIMIT, OWN_CEILING, OWN_SIZE, AGENT_MISSING, POOL_LIMIT, SUPPLY, STILL_GROWING, BOOT_FROM_DISK,
) = range(len(SHORTFALLS))  # fmt: skip
