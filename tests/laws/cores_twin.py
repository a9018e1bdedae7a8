"""Cores that guests are kept to, by linear programs: what is possible, whether more is, and levels on a bare host."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linprog

Floats = NDArray[np.float64]
Groups = Sequence[tuple[Sequence[int], float]]
"""Guests by position, and how much they may have in all."""
_ENDLESS = 1e9


@dataclass(frozen=True)
class Cores:
    """A host's cores: what each gives, and on which of them each guest may run (None: all)."""

    gives: Sequence[float]
    may: Sequence[Sequence[int] | None]

    def _program(
        self, low: Floats, high: Floats, aims: Floats, groups: Sequence[tuple[Sequence[int], float]]
    ) -> Floats | None:
        """Find what guests get, within bounds and sums of groups, so that a weighted sum is most; None: nothing is."""
        guests, cores = len(self.may), len(self.gives)
        columns = [(g, k) for g in range(guests) for k in (range(cores) if self.may[g] is None else self.may[g] or ())]
        rows, most = [], []
        for core in range(cores):
            rows.append([1.0 if k == core else 0.0 for _, k in columns])
            most.append(self.gives[core])
        for guest in range(guests):
            rows.append([1.0 if g == guest else 0.0 for g, _ in columns])
            most.append(high[guest])
            rows.append([-1.0 if g == guest else 0.0 for g, _ in columns])
            most.append(-low[guest])
        for members, limit in groups:
            rows.append([1.0 if g in members else 0.0 for g, _ in columns])
            most.append(limit)
        if not columns:
            return np.zeros(guests) if low.max(initial=0.0) <= 0 else None
        scale = max(1.0, float(max(self.gives)))
        wishes, most_of = [-aims[g] for g, _ in columns], np.array(most) / scale
        found = linprog(wishes, A_ub=np.array(rows), b_ub=most_of, method="highs")
        if found.status != 0:
            return None
        got = np.zeros(guests)
        for (guest, _), amount in zip(columns, found.x * scale, strict=True):
            got[guest] += amount
        return got

    def is_possible(self, amounts: Floats, tolerance: float = 1e-6) -> bool:
        """Tell whether the cores can give so much to each."""
        low = np.maximum(amounts * (1.0 - tolerance) - tolerance, 0.0)
        return self._program(low, np.full(low.size, _ENDLESS), np.zeros(low.size), ()) is not None

    def more(self, amounts: Floats, caps: Floats, groups: Groups) -> float:
        """Give how much more could be had in all with nobody getting less, within caps and the limits of groups."""
        low = np.maximum(amounts * (1.0 - 1e-9) - 1e-7, 0.0)
        found = self._program(low, np.maximum(caps, amounts), np.ones(low.size), groups)
        return 0.0 if found is None else float(found.sum() - amounts.sum())

    def levels(self, weights: Floats, floors: Floats, caps: Floats) -> Floats:
        """Divide by raising all levels alike until one that cannot be raised is left behind, and so on.

        Without pools; what is promised is possible.
        """
        count = weights.size
        fixed, at = np.full(count, np.nan), 0.0

        def wanted(level: float) -> Floats:
            rising = np.minimum(np.maximum(level * weights, floors), caps)
            return np.where(np.isnan(fixed), rising, fixed)

        def fits(level: float) -> bool:
            low = wanted(level)
            return self._program(low * (1 - 1e-12), np.full(count, _ENDLESS), np.zeros(count), ()) is not None

        while np.isnan(fixed).any():
            low, high = at, float((np.maximum(caps, 1.0) / weights).max()) * 1.01
            if fits(high):
                return wanted(high)
            for _ in range(60):
                middle = (low + high) / 2
                low, high = (middle, high) if fits(middle) else (low, middle)
            at = low
            now = wanted(at)
            for guest in np.flatnonzero(np.isnan(fixed)).tolist():
                aims = np.zeros(count)
                aims[guest] = 1.0
                found = self._program(now * (1 - 1e-9), np.maximum(caps, now), aims, ())
                if found is None or found[guest] <= now[guest] * (1 + 1e-6) + 1e-6:
                    fixed[guest] = now[guest]
        return fixed
