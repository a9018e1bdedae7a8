"""What elastic memory saves against the fixed sizes that guests would have otherwise, over a played day."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from ruvex.engine import rows as r
from ruvex.play import PHASES, Player

_BOOTING = PHASES.index("booting")


@dataclass(frozen=True, slots=True)
class GuestSavings:
    """What one elastic guest saves while it is on: its size otherwise, and what is backed, MiB."""

    guest: str
    otherwise_mib: float
    mean_mib: float
    most_mib: float

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        return {
            "id": self.guest, "otherwise_mib": self.otherwise_mib, "mean_mib": self.mean_mib, "most_mib": self.most_mib,
        }  # fmt: skip


@dataclass(frozen=True, slots=True)
class SiteSavings:
    """What all elastic guests save.

    Attributes
    ----------
    guests
        Each of them, those that save most first.
    mean_mib, least_mib
        What is saved on average over the time that any of them is on, and when least is.
    more_guests
        How many guests of their mean fixed size that is at least: whole ones on each host, when they are fewest.
    """

    guests: tuple[GuestSavings, ...]
    mean_mib: float
    least_mib: float
    more_guests: int

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        return {
            "guests": [one.to_json() for one in self.guests], "mean_mib": self.mean_mib, "least_mib": self.least_mib,
            "more_guests": self.more_guests,
        }  # fmt: skip


def savings_over(day: Player) -> SiteSavings:
    """Tell what elastic memory saved over a day that was played and recorded; without elastic guests nothing."""
    recording, site, saved = day.recording, day.site, day.savings()
    on = recording.series("phase") >= _BOOTING
    backed = recording.series("backed")
    found = []
    for i in np.flatnonzero((site.guests[r.G_MODE] == r.ELASTIC) & on.any(axis=1)).tolist():
        here = np.asarray(backed[i][on[i]], dtype=np.float64)
        otherwise = float(site.guests[r.G_OTHERWISE, i])
        found.append(GuestSavings(site.plan.guests[i].id, otherwise, float(here.mean()), float(here.max())))
    found.sort(key=lambda one: one.mean_mib - one.otherwise_mib)
    if not found or saved is None:
        return SiteSavings((), 0.0, 0.0, 0)
    is_any = (on & (site.guests[r.G_MODE] == r.ELASTIC)[:, None]).any(axis=0)
    by_host = np.asarray(recording.of_places("saved"), dtype=np.float64)[:, is_any]
    size = sum(one.otherwise_mib for one in found) / len(found)
    more = int(np.floor(np.maximum(by_host, 0.0) / max(size, 1.0) + 1e-9).sum(axis=0).min())
    return SiteSavings(tuple(found), saved.mean_mib, saved.least_mib, more)
