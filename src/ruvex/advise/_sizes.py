"""The right size of guests, from a day as it was played: vCPUs by use and wait, memory by need, with what is risked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.advise._size import memory_size_of, size_for, vcpus_for, with_vcpus, working_of
from ruvex.advise._waits import day_waits
from ruvex.engine import rows as r
from ruvex.plan import (
    ElasticMemory,
    Guest,
    ThinMemory,
    change_many,
    format_cpu,
    format_memory,
    get_setting,
    setting_word,
)
from ruvex.play import PHASES, Player
from ruvex.site import Site
from ruvex.words import short_span

Floats = NDArray[np.float64]

WORTH: Final = 0.8
"""Sizes are told that are less than this part of what there is now, or more than there is."""
LEAST_S: Final = 900.0
"""Who is below its need for no longer than this in a day is not told of as held by others."""
_SIZES_OF_RISK: Final = 40
_RUNNING: Final = PHASES.index("running")
_BY_OTHERS: Final = {"pool's limit": "the memory limit of a pool above it", "bank": "its bank", "supply": "its host"}
"""What holds a guest below its need that no size of its own would mend, by the cause of it."""


@dataclass(frozen=True, slots=True)
class RightSize:
    """What size a guest should be.

    Attributes
    ----------
    guest
        Which one.
    vcpus, peak_mhz, wait
        How many it has and should have; the most it wants; the part of its vCPUs' time in which they wait by chance,
        as it is and with all guests of the right size.
    memory
        Its settings of memory that should change, each with what it is and should be; MiB, headroom in percent.
    works_mib
        The most it works with.
    fixed_mib
        The fixed size that would do, MiB.
    risk
        The part of its time on in which it would have been short of memory: as it is, and of the right size.
    curve
        How the second one goes with size: sizes in MiB from the least to the most it works with, and the part of its
        time in which it works with more.
    text, change
        Why, in a sentence; and the settings that make it so, none for who is of the right size and held by others.
    held
        What else holds it below its need, and for how long, s; None where nothing does.
    """

    guest: str
    vcpus: tuple[int, int]
    peak_mhz: float
    wait: tuple[float, float]
    memory: tuple[tuple[str, float, float | None], ...]
    works_mib: float
    fixed_mib: float
    risk: tuple[float, float]
    curve: tuple[tuple[float, float], ...]
    text: str
    change: tuple[str, dict[str, Any]]
    held: tuple[str, float] | None = None

    def to_json(self) -> dict[str, Any]:
        """Give it as ``ruvex sizes --json`` prints it."""
        memory = {name: {"is": now, "should_be": then} for name, now, then in self.memory}
        return {
            "id": self.guest, "vcpus": list(self.vcpus), "peak_mhz": self.peak_mhz, "wait": list(self.wait),
            "memory": memory, "works_mib": self.works_mib, "fixed_mib": self.fixed_mib, "risk": list(self.risk),
            "text": self.text, "change": dict(self.change[1]),
            "held": None if self.held is None else {"by": self.held[0], "s": self.held[1]},
        }  # fmt: skip


def right_sizes(day: Player, site: Site) -> list[RightSize]:
    """Find the guests of a played day whose size is not right, those with most to give back first.

    Guests that do batch work keep their vCPUs: what they want ends with what they are given.

    Parameters
    ----------
    day
        The whole day, played and recorded.
    site
        The plan it is of.
    """
    below = {one.id: one.below_s for one in day.summary().guests}
    found = [one for i in range(len(site.plan.guests)) if (one := _of_guest(day, site, i, below)) is not None]
    if not found:
        return []
    after = Player(site.with_plan(change_many(site.plan, [one.change for one in found if one.change[1]])))
    after.run()
    was, now = day_waits(day).of_guests, day_waits(after).of_guests
    at = site.plan.guest_index
    told = [replace(one, wait=(float(was[at[one.guest]]), float(now[at[one.guest]]))) for one in found]
    return sorted(told, key=_freed, reverse=True)


def _freed(one: RightSize) -> float:
    """Order by what is given back: a vCPU counts as much as 4 GiB."""
    sizes = [was - (now or was) for name, was, now in one.memory if name in ("memory.size", "memory.ceiling")]
    return (one.vcpus[0] - one.vcpus[1]) * 4096 + sum(sizes)


def _of_guest(day: Player, site: Site, i: int, below: Mapping[str, Mapping[str, float]]) -> RightSize | None:
    guest, recording = site.plan.guests[i], day.recording
    on = recording.series("phase")[i] == _RUNNING
    if not on.any():
        return None
    wanted, working = (
        np.asarray(recording.series(name)[i][on], dtype=np.float64) for name in ("cpu_wanted", "working")
    )
    peak, works = float(wanted.max()), float(working.max())
    vcpus = _vcpus(site, i, guest, peak)
    memory = _memory(guest, day, i, site)
    by = max(_BY_OTHERS, key=lambda cause: below[guest.id].get(cause, 0.0))
    lasts = below[guest.id].get(by, 0.0)
    held = (_BY_OTHERS[by], lasts) if lasts > LEAST_S and not guest.demand.greedy else None
    if vcpus == guest.vcpus and not memory and held is None:
        return None
    had = guest.memory.ceiling if isinstance(guest.memory, ElasticMemory) else guest.memory.size
    will = next((then for name, _, then in memory if name in ("memory.size", "memory.ceiling") and then), had)
    change: dict[str, Any] = {name: then for name, _, then in memory}
    if vcpus != guest.vcpus:
        used = float(recording.series("cpu_delivered")[i].max())
        change |= with_vcpus(guest, site.plan.hosts[int(site.standing.host[i])], vcpus, used)
    return RightSize(
        guest.id, (guest.vcpus, vcpus), peak, (0.0, 0.0), memory, works, size_for(works),
        (float((working > had).mean()), float((working > will).mean())), _curve(working),
        _text(guest, vcpus, peak, memory, works, site, i, held), (guest.id, change), held,
    )  # fmt: skip


def _vcpus(site: Site, i: int, guest: Guest, peak: float) -> int:
    host = int(site.standing.host[i])
    if not site.plan.hosts or host < 0 or guest.demand.kind == "batch" or guest.dedicated_cores:
        return guest.vcpus
    fewer = vcpus_for(peak, float(site.hosts[r.H_MHZ, host]))
    return fewer if fewer <= WORTH * guest.vcpus else guest.vcpus


def _memory(guest: Guest, day: Player, i: int, site: Site) -> tuple[tuple[str, float, float | None], ...]:
    """Give the settings of memory that should change: those that are a fifth off, or hold it below what it needs."""
    memory, wishes = guest.memory, memory_size_of(guest, day, i, site.plan.rules)
    if not wishes:
        return ()
    most = float(working_of(day, i).max())
    if not isinstance(memory, ElasticMemory):
        enough, told = float(wishes["memory.size"] or 0.0), list[tuple[str, float, float | None]]()
        if most > memory.size or enough < WORTH * memory.size:
            told.append(("memory.size", memory.size, enough))
        limit = memory.limit if isinstance(memory, ThinMemory) else None
        if limit is not None and most > limit and wishes["memory.limit"] != limit:
            # A smaller size as well would hold it where the limit does, and the limit would hold nobody.
            larger = [one for one in told if most > memory.size]
            return (*larger, ("memory.limit", limit, wishes["memory.limit"]))
        return tuple(told)
    found = [(name, float(get_setting(guest, name)), float(value or 0.0)) for name, value in wishes.items()]
    told = [one for one in found if abs(one[2] - one[1]) > (1 - WORTH) * max(one[1], one[2], 1.0)]
    # Bounds that are left as they are must still hold those that change.
    keep = {name: then if (name, was, then) in told else was for name, was, then in found}
    if keep["memory.floor"] <= keep["memory.boot"] <= keep["memory.ceiling"]:
        return tuple(told)
    return tuple(one for one in found if one[1] != one[2])


def _curve(working: Floats) -> tuple[tuple[float, float], ...]:
    sizes = np.linspace(float(working.min()), float(working.max()), _SIZES_OF_RISK)
    return tuple((float(size), float((working > size).mean())) for size in sizes)


def _text(
    guest: Guest, vcpus: int, peak: float, memory: tuple[tuple[str, float, float | None], ...], works: float,
    site: Site, i: int, held: tuple[str, float] | None,
) -> str:  # fmt: skip
    parts = []
    if vcpus != guest.vcpus:
        busy = peak / float(site.hosts[r.H_MHZ, int(site.standing.host[i])])
        parts.append(
            f"wants {format_cpu(round(peak))} at most, the work of {busy:.1f} of its {guest.vcpus} vCPUs: {vcpus} would"
            " do"
        )
    if memory:
        told = [
            f"{setting_word(name)} {_written(name, then)} instead of {_written(name, was)}"
            for name, was, then in memory
        ]
        parts.append(f"works with {format_memory(round(works))} at most: {', '.join(told)}")
    if held is not None:
        if not parts:
            parts.append(f"works with {format_memory(round(works))} at most, for which its size is right")
        parts.append(f"is held below its need by {held[0]} for {short_span(held[1])}")
    return f"{guest.label} {' and '.join(parts)}"


def _written(name: str, value: float | None) -> str:
    if value is None:
        return "none"
    return f"{value:.0f} %" if name.endswith("percent") else format_memory(value)
