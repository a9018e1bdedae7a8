"""The site without a host: the day played with its loss, who comes back where and when, who stays off, who is hurt."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Final

import numpy as np

from ruvex.advise._day import worst_moment
from ruvex.plan import HostEvent, add_events
from ruvex.play import PHASES, Player
from ruvex.site import Site

WATCH_S: Final = 1800.0
"""How long after the loss is looked at: by then whoever comes back has booted."""
_RECORD_S: Final = 5.0
_RUNNING: Final = PHASES.index("running")
_BOOTING: Final = PHASES.index("booting")
_LEAST: Final = 0.02


@dataclass(frozen=True, slots=True)
class Comeback:
    """A guest that runs again: where, and how long after the loss, s."""

    guest: str
    host: str
    after_s: float


@dataclass(frozen=True, slots=True)
class Hurt:
    """A guest elsewhere that gets less of what it wants or needs than without the loss.

    Attributes
    ----------
    guest
        Which one.
    cpu, memory
        The part of its CPU want that was met then, and is after the loss; the same of its memory need. Means over the
        time that is looked at, 0 to 1.
    """

    guest: str
    cpu: tuple[float, float]
    memory: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Without:
    """What becomes of a site when a host is lost.

    Attributes
    ----------
    host, at_s, watched_s
        Which one, when, and for how long the time after it was looked at.
    back
        Who runs again, the soonest first.
    off
        Who does not, in plan order.
    hurt
        Who is hurt that was not on it, the worst first.
    booting
        Who still boots at the end of the time that is looked at, in plan order.
    down
        Other hosts that are down then by the plan's own events.
    """

    host: str
    at_s: float
    watched_s: float
    back: tuple[Comeback, ...]
    off: tuple[str, ...]
    hurt: tuple[Hurt, ...]
    booting: tuple[str, ...] = ()
    down: tuple[str, ...] = ()

    def to_json(self) -> dict[str, Any]:
        """Give it as ``ruvex without --json`` prints it."""
        return {
            "host": self.host, "at_s": self.at_s, "watched_s": self.watched_s,
            "back": [{"id": one.guest, "host": one.host, "after_s": one.after_s} for one in self.back],
            "off": list(self.off), "booting": list(self.booting), "down": list(self.down),
            "hurt": [{"id": one.guest, "cpu": list(one.cpu), "memory": list(one.memory)} for one in self.hurt],
        }  # fmt: skip


def worst_time(day: Player) -> float:
    """Give the time of a played day at which most is missing, at which a loss weighs most.

    The hosts are up then that mostly are: one that is down by the plan's own event for an hour would be lost as well.
    """
    return worst_moment(day.recording, usual=True).at_s


def without_host(site: Site, host: str, at_s: float, *, watch_s: float = WATCH_S) -> Without:
    """Play a plan with the loss of a host, and without it, and compare.

    Raises
    ------
    EditError
        There is no such host.
    """
    plan = site.plan
    at_s = min(at_s, max(plan.day_s - plan.tick_s, 0.0))
    until_s = min(at_s + watch_s, plan.day_s)
    lost = site.with_plan(add_events(plan, [HostEvent(at=at_s, do="host-down", target=host)]))
    with_it, without = (Player(one, until_s=until_s, record_s=_RECORD_S) for one in (site, lost))
    for player in (with_it, without):
        player.run()
    before = min(int(np.ceil(at_s / without.recording.every_s)), max(without.recording.rows - 1, 0))
    # Who is on is read off the day without the loss: at its very start guests only begin to be on.
    on_then = (with_it.recording.series("phase")[:, min(before, with_it.recording.rows - 1)] >= _BOOTING).tolist()
    there = with_it.plan_at(at_s, on_then)
    only = plan.hosts[0].id if len(plan.hosts) == 1 else None
    its = [i for i, guest in enumerate(there.guests) if on_then[i] and (guest.host or only) == host]
    down = tuple(one.id for one in there.hosts if not one.up and one.id != host)
    phase = without.recording.series("phase")
    ended = without.plan_at(without.now_s, (phase[:, -1] >= _BOOTING).tolist())
    back, off, booting = list[Comeback](), list[str](), list[str]()
    for i in its:
        runs = np.flatnonzero(phase[i, before + 1 :] == _RUNNING)
        if phase[i, -1] == _BOOTING:
            booting.append(plan.guests[i].id)
        elif not runs.size or phase[i, -1] != _RUNNING:
            off.append(plan.guests[i].id)
        else:
            after_s = float(without.recording.times_s[before + 1 + int(runs[0])]) - at_s
            back.append(Comeback(plan.guests[i].id, ended.guests[i].host or "", after_s))
    others = (_hurt(with_it, without, i, before) for i in range(len(plan.guests)) if i not in its)
    hurt = [found for found in others if found is not None]
    hurt.sort(key=lambda one: (one.cpu[1] - one.cpu[0]) + (one.memory[1] - one.memory[0]))
    back.sort(key=lambda one: one.after_s)
    return Without(host, at_s, until_s - at_s, tuple(back), tuple(off), tuple(hurt), tuple(booting), down)


def _hurt(with_it: Player, without: Player, guest: int, first: int) -> Hurt | None:
    """Compare what a guest was given of what it wanted with a host and without it, from a row on."""
    parts = []
    for player in (with_it, without):
        recording = player.recording
        wanted, given, met = (recording.series(name)[guest, first:] for name in ("cpu_wanted", "cpu_delivered", "met"))
        total = float(wanted.sum())
        on = recording.series("phase")[guest, first:] >= _BOOTING
        part = float(given.sum()) / total if total > 0 else 1.0
        parts.append((part, float(met[on].mean()) if on.any() else 1.0))
    cpu, memory = (parts[0][0], parts[1][0]), (parts[0][1], parts[1][1])
    is_hurt = cpu[0] - cpu[1] > _LEAST or memory[0] - memory[1] > _LEAST
    return Hurt(without.site.plan.guests[guest].id, cpu, memory) if is_hurt else None
