"""Where each row's memory lies and what covers the part that is not backed: section 6 of docs/model.md."""

from __future__ import annotations

from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.divide._solve import Solved
from ruvex.engine import rows as r

Floats = NDArray[np.float64]

_AMOUNTS: Final = {
    "touched": r.M_TOUCHED, "visible": r.M_VISIBLE, "backed": r.M_BACKED, "shared": r.M_SHARED, "balloon": r.M_BALLOON,
    "squeezed": r.M_SQUEEZED, "spilled": r.M_SPILLED, "self_paged": r.M_SELF_PAGED, "held": r.M_HELD,
    "working": r.M_WORKING, "cache": r.M_CACHE,
}  # fmt: skip
_OF_GUESTS: Final = {"pace": r.M_PACE, "met": r.M_MET, "far": r.M_FAR}


class Layers:
    """The layers of memory by row, MiB; a pool's are the sums of its guests', 0 where a guest is off.

    For a thin guest touched = backed + shared + balloon + squeezed + spilled.

    Attributes
    ----------
    touched
        Pages the host sees as written: of a thin guest what it ever touched, of others what is backed.
    visible
        What the guest's system believes it has.
    backed
        Host memory behind the guest, uncompressed.
    shared
        Not backed because one copy of equal pages serves.
    balloon
        Taken back through the agent in the guest.
    squeezed
        Compressed; it still takes its part of the host's memory, divided by the ratio.
    spilled
        Moved to disk by the host.
    self_paged
        Of the working set, what the guest keeps on its own disk.
    held
        Reserved and untouched: belongs to nobody else.
    working
        The working set.
    cache
        File cache: of a thin guest among what it touched, of an elastic one inside its headroom.
    pace
        The rate of useful work against having all of the working set at hand; 1 where nothing is missing.
    met
        Which part of the need is backed.
    far
        Which part of what is backed lies on a farther NUMA node. These three are parts of 1, NaN for pools.
    """

    touched: Floats
    visible: Floats
    backed: Floats
    shared: Floats
    balloon: Floats
    squeezed: Floats
    spilled: Floats
    self_paged: Floats
    held: Floats
    working: Floats
    cache: Floats
    pace: Floats
    met: Floats
    far: Floats

    def __init__(self, solved: Solved) -> None:
        self._solved, self._layout = solved, solved.site.layout

    def __getattr__(self, name: str) -> Floats:
        """Make a column by row when it is first asked for."""
        if name in _AMOUNTS:
            made = self._layout.summed_by_row(self._solved.layers[_AMOUNTS[name]])
        elif name in _OF_GUESTS:
            made = self._layout.by_row(np.full(self._layout.parent.size, np.nan), self._solved.layers[_OF_GUESTS[name]])
        else:
            raise AttributeError(name)
        self.__dict__[name] = made
        return made

    @cached_property
    def mode(self) -> Floats:
        """Of a guest, its memory mode (``rows.FIXED`` and so on); 0 for pools."""
        return self._layout.by_row(np.zeros(self._layout.parent.size), self._solved.site.guests[r.G_MODE])

    @cached_property
    def cover(self) -> Floats:
        """How much of what is wanted and not delivered is made good, shape (4, rows).

        By the balloon, squeezing and spilling of thin guests, and by elastic guests' own paging.
        """
        layers, mode = self._solved.layers, self._solved.site.guests[r.G_MODE]
        saved = 1 - 1 / self._solved.site.plan.rules.squeeze.ratio
        thin = (mode == r.THIN) * self._solved.site.standing.on
        parts = (
            layers[r.M_BALLOON] * thin, layers[r.M_SQUEEZED] * saved * thin, layers[r.M_SPILLED] * thin,
            layers[r.M_SELF_PAGED] * (mode == r.ELASTIC),
        )  # fmt: skip
        return self._layout.summed_by_row(np.stack(parts))

    def to_json(self, row: int) -> dict[str, Any]:
        """Give the layers of a guest's row, MiB, and its pace and met."""
        return {name: float(getattr(self, name)[row]) for name in (*_AMOUNTS, *_OF_GUESTS)}
