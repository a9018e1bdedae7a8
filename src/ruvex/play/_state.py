"""What changes while a plan is played."""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

PHASES: Final = ("off", "queued", "booting", "running")
"""The power life-cycle; a queued guest waits for memory or for a promise."""
PRESSURES: Final = ("ample", "short", "dire")

_VALUES: Final = {
    "boot_left": r.X_BOOT_LEFT, "working": r.X_WORKING, "need": r.X_NEED, "hoard": r.X_HOARD, "touched": r.X_TOUCHED,
    "shared": r.X_SHARED, "given": r.X_GIVEN, "balloon": r.X_BALLOON, "squeezed": r.X_SQUEEZED,
    "spilled": r.X_SPILLED, "by_use": r.X_USED, "visible": r.X_VISIBLE, "bridged": r.X_BRIDGED,
    "self_paged": r.X_SELF_PAGED, "cache": r.X_CACHE, "far": r.X_FAR, "pace": r.X_PACE, "met": r.X_MET,
    "reclaimed": r.X_RECLAIMED, "wanted": r.X_WANTED, "delivered": r.X_DELIVERED, "backlog": r.X_BACKLOG,
    "target": r.X_TARGET, "floor": r.X_FLOOR, "backed": r.X_BACKED,
}  # fmt: skip
_CODES: Final = {
    "phase": r.C_PHASE, "agent": r.C_AGENT, "cause": r.C_CAUSE, "host": r.C_HOST, "spill_hdd": r.C_SPILL_HDD,
    "agent_due": r.C_AGENT_DUE, "held": r.C_HELD, "sees": r.C_SEES,
}  # fmt: skip
_ONES: Final = [r.X_PACE, r.X_MET, r.X_FLOW, r.X_MEMORY_PACE]
_OFF: Final = {r.C_PHASE: r.OFF, r.C_AGENT: 0, r.C_CAUSE: 0, r.C_LOW_SINCE: -1, r.C_AGENT_DUE: r.NEVER, r.C_HELD: 0}


class State:
    """The state of every guest, in plan order; MiB and MHz unless a unit is named. Each name is a view of its row.

    Attributes
    ----------
    values, codes
        All of it, as the kernels take it (``rows.X_…``, ``rows.C_…``).
    batch
        Batch work (``rows.B_…``).
    up
        Which hosts are up.
    volumes
        Which guest has which spill volume: (host's id, volume's id) to the guest's id.
    phase, cause
        Positions in ``PHASES`` and in ``CAUSES``.
    agent, agent_due
        Whether it works now, and the tick at which it will have loaded.
    host
        The position of its host, −1 for none.
    sees
        The processor level its programs see.
    boot_left
        Of a booting guest, the work still to do: seconds at the full speed of its vCPUs.
    given, target, floor
        What the host spends on it (squeezed pages at their squeezed size), what the last look's division gives it,
        and what it holds at least.
    touched, shared, balloon, squeezed, spilled, by_use
        Of a thin guest, as section 6 has them; ``balloon`` also of an elastic one.
    bridged
        What disk stands in for since a restart.
    working, need, hoard
        The working set now, greedy work included; with headroom, before the ceiling; what greedy work has taken.
    backlog
        Batch work asked for and not done, MHz·s.
    """

    def __init__(self, guests: int, hosts: int) -> None:
        self.values: Floats = np.zeros((r.X_ROWS, guests))
        self.codes: Ints = np.zeros((r.C_ROWS, guests), dtype=np.int64)
        self.batch: Floats = np.zeros((r.B_ROWS, guests))
        self.up = np.ones(hosts, dtype=np.bool_)
        self.volumes: dict[tuple[str, str], str] = {}
        self.values[_ONES] = 1.0
        self.batch[r.B_SINCE] = -1.0
        for row, code in _OFF.items():
            self.codes[row] = code

    def __getattr__(self, name: str) -> Any:
        """Give the row of a name."""
        if name in _VALUES:
            return self.values[_VALUES[name]]
        if name in _CODES:
            return self.codes[_CODES[name]]
        raise AttributeError(name)

    @property
    def on(self) -> NDArray[np.bool_]:
        """Which guests are booting or running."""
        return np.asarray(self.codes[r.C_PHASE] >= r.BOOTING)

    def switch_off(self, guest: int) -> None:
        """Let a guest give everything back but what was taken from it, which stays counted."""
        reclaimed = self.values[r.X_RECLAIMED, guest]
        self.values[:, guest] = 0.0
        self.values[_ONES, guest] = 1.0
        self.values[r.X_RECLAIMED, guest] = reclaimed
        self.batch[:, guest] = 0.0
        self.batch[r.B_SINCE, guest] = -1.0
        for row, code in _OFF.items():
            self.codes[row, guest] = code
