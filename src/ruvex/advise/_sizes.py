"""The right size of guests, from a day as it was played: vCPUs by use and wait, memory by need, with what is risked."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.advise._waits import day_waits
from ruvex.cores import vcpu_change
from ruvex.engine import rows as r
from ruvex.plan import ElasticMemory, FixedMemory, Guest, change_many, format_cpu, format_memory, setting_word
from ruvex.play import PHASES, Player
from ruvex.site import Site

Floats = NDArray[np.float64]

BUSY: Final = 0.7
"""Of so many vCPUs a guest's peak may keep this part busy: with fewer it would stand in its own way."""
SPARE: Final = 1.2
"""A size is so many times the most that is worked with."""
WORTH: Final = 0.8
"""Sizes are told that are less than this part of what there is now, or more than there is."""
STEP_MIB: Final = 128.0
_LEAST_HEADROOM: Final = 5.0
_MOST_HEADROOM: Final = 60.0
_SIZES_OF_RISK: Final = 40
_RUNNING: Final = PHASES.index("running")


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
        Why, in a sentence; and the settings that make it so.
    """

    guest: str
    vcpus: tuple[int, int]
    peak_mhz: float
    wait: tuple[float, float]
    memory: tuple[tuple[str, float, float], ...]
    works_mib: float
    fixed_mib: float
    risk: tuple[float, float]
    curve: tuple[tuple[float, float], ...]
    text: str
    change: tuple[str, dict[str, Any]]

    def to_json(self) -> dict[str, Any]:
        """Give it as ``ruvex sizes --json`` prints it."""
        memory = {name: {"is": now, "should_be": then} for name, now, then in self.memory}
        return {
            "id": self.guest, "vcpus": list(self.vcpus), "peak_mhz": self.peak_mhz, "wait": list(self.wait),
            "memory": memory, "works_mib": self.works_mib, "fixed_mib": self.fixed_mib, "risk": list(self.risk),
            "text": self.text, "change": dict(self.change[1]),
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
    found = [one for i in range(len(site.plan.guests)) if (one := _of_guest(day, site, i)) is not None]
    if not found:
        return []
    after = Player(site.with_plan(change_many(site.plan, [one.change for one in found])))
    after.run()
    was, now = day_waits(day).of_guests, day_waits(after).of_guests
    at = site.plan.guest_index
    told = [
        RightSize(
            one.guest, one.vcpus, one.peak_mhz, (float(was[at[one.guest]]), float(now[at[one.guest]])), one.memory,
            one.works_mib, one.fixed_mib, one.risk, one.curve, one.text, one.change,
        )
        for one in found
    ]  # fmt: skip
    return sorted(told, key=_freed, reverse=True)


def _freed(one: RightSize) -> float:
    """Order by what is given back: a vCPU counts as much as 4 GiB."""
    sizes = [was - now for name, was, now in one.memory if name in ("memory.size", "memory.ceiling")]
    return (one.vcpus[0] - one.vcpus[1]) * 4096 + sum(sizes)


def _of_guest(day: Player, site: Site, i: int) -> RightSize | None:
    guest, recording = site.plan.guests[i], day.recording
    on = recording.series("phase")[i] == _RUNNING
    if not on.any():
        return None
    wanted, working = (
        np.asarray(recording.series(name)[i][on], dtype=np.float64) for name in ("cpu_wanted", "working")
    )
    peak, works = float(wanted.max()), float(working.max())
    vcpus = _vcpus(site, i, guest, peak)
    memory = _memory(guest, working, recording.every_s, site)
    if vcpus == guest.vcpus and not memory:
        return None
    had = guest.memory.ceiling if isinstance(guest.memory, ElasticMemory) else guest.memory.size
    will = next((then for name, _, then in memory if name in ("memory.size", "memory.ceiling")), had)
    change: dict[str, Any] = {name: then for name, _, then in memory}
    if vcpus != guest.vcpus:
        change |= vcpu_change(guest, site.plan.hosts[int(site.standing.host[i])], vcpus)
    return RightSize(
        guest.id, (guest.vcpus, vcpus), peak, (0.0, 0.0), memory, works, _up(works * SPARE),
        (float((working > had).mean()), float((working > will).mean())), _curve(working),
        _text(guest, vcpus, peak, memory, works, site, i), (guest.id, change),
    )  # fmt: skip


def _vcpus(site: Site, i: int, guest: Guest, peak: float) -> int:
    host = int(site.standing.host[i])
    if not site.plan.hosts or host < 0 or guest.demand.kind == "batch" or guest.dedicated_cores:
        return guest.vcpus
    fewer = max(1, math.ceil(peak / float(site.hosts[r.H_MHZ, host]) / BUSY - 1e-9))
    return fewer if fewer <= WORTH * guest.vcpus else guest.vcpus


def _up(mib: float) -> float:
    return math.ceil(mib / STEP_MIB - 1e-9) * STEP_MIB


def _memory(guest: Guest, working: Floats, every_s: float, site: Site) -> tuple[tuple[str, float, float], ...]:
    """Give the settings of memory that should change."""
    memory, most = guest.memory, float(working.max())
    if guest.demand.greedy or most <= 0:
        return ()
    if not isinstance(memory, ElasticMemory):
        enough = max(_up(most * SPARE), getattr(memory, "reservation", 0.0), STEP_MIB)
        is_short = most > memory.size
        changes = enough < WORTH * memory.size if not is_short else isinstance(memory, FixedMemory)
        return (("memory.size", memory.size, enough),) if changes else ()
    # How much more is worked with by the time memory has come: a look, then what grows in that time.
    wait_s = site.plan.rules.memory_every_s + every_s
    ahead = max(1, round(wait_s / every_s))
    grown = float(((working[ahead:] - working[:-ahead]) / np.maximum(working[:-ahead], 1.0)).max(initial=0.0))
    headroom = float(min(max(math.ceil(100 * grown), _LEAST_HEADROOM), _MOST_HEADROOM))
    floor = max(STEP_MIB, math.floor(float(np.quantile(working, 0.02)) / STEP_MIB) * STEP_MIB)
    ceiling = _up(most * (1 + headroom / 100))
    boot = min(max(_up(float(np.median(working)) * (1 + headroom / 100)), floor), ceiling)
    wishes = {"floor": floor, "boot": boot, "ceiling": ceiling, "headroom_percent": headroom}
    found = [(f"memory.{name}", float(getattr(memory, name)), value) for name, value in wishes.items()]
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
    guest: Guest, vcpus: int, peak: float, memory: tuple[tuple[str, float, float], ...], works: float, site: Site,
    i: int,
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
    return f"{guest.label} {' and '.join(parts)}"


def _written(name: str, value: float) -> str:
    return f"{value:.0f} %" if name.endswith("percent") else format_memory(value)
