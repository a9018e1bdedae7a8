"""What a played plan came to, in figures."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any, Final

import numpy as np

from ruvex.divide import CAUSES
from ruvex.engine import rows as r
from ruvex.play._log import LogEntry
from ruvex.play._moves import Bridge, MoveDone
from ruvex.play._state import PRESSURES
from ruvex.play._ticks import Ticks


@dataclass(frozen=True, slots=True)
class Finish:
    """A batch job: when all of its work had been asked for, and when it was done (None: not by the end).

    Attributes
    ----------
    guest
        Its id.
    due_s, finished_s
        Seconds since the start of the day.
    work_mhz_s
        How much work it was, MHz·s.
    """

    guest: str
    due_s: float
    finished_s: float | None
    work_mhz_s: float

    @property
    def late_s(self) -> float | None:
        """How much later than asked for it was done, s."""
        return None if self.finished_s is None else max(0.0, self.finished_s - self.due_s)


@dataclass(frozen=True, slots=True)
class GuestSummary:
    """What a guest went through.

    Attributes
    ----------
    id
        Which one.
    on_s, unmet_s
        How long it was on, and how long its CPU want was not met, s.
    fluid_wait
        1 − delivered / wanted of CPU, over all the time it was on.
    worst_pace, worst_met
        The lowest of each while it ran.
    below_s
        How long it was below its need, by cause, s.
    peak_backed_mib, reclaimed_mib
        The most host memory behind it, and what was taken back from it in all.
    slowed_s, disks_short_s, network_short_s
        How long its disks or its network gave less than was asked, and how long each did, s.
    ops_wait, net_wait
        1 − delivered / wanted of its disks, and of its network.
    short_s
        How long it was short of anything: of CPU, memory, disks or network, s. Short is who lacks more than a
        thousandth.
    """

    id: str
    on_s: float
    unmet_s: float
    fluid_wait: float
    worst_pace: float
    worst_met: float
    below_s: dict[str, float]
    peak_backed_mib: float
    reclaimed_mib: float
    slowed_s: float = 0.0
    disks_short_s: float = 0.0
    network_short_s: float = 0.0
    short_s: float = 0.0
    ops_wait: float = 0.0
    net_wait: float = 0.0

    @property
    def memory_short_s(self) -> float:
        """How long it was below its need of memory, s."""
        return sum(self.below_s.values())


@dataclass(frozen=True, slots=True)
class PlaceSummary:
    """What a host, or a bank, went through.

    Attributes
    ----------
    id, kind, host
        ``host`` or ``bank``, and the id of the host.
    pressure_s
        How long it was under which pressure.
    least_free_mib, mean_free_mib
        Of its memory.
    cpu_unmet_s
        How long it had too little CPU for somebody there; 0 of a bank.
    """

    id: str
    kind: str
    host: str
    pressure_s: dict[str, float]
    least_free_mib: float
    mean_free_mib: float
    cpu_unmet_s: float


@dataclass(frozen=True, slots=True)
class Savings:
    """What elastic memory saves against what its guests would have otherwise.

    Attributes
    ----------
    guests
        How many elastic guests were on.
    on_s
        How long at least one of them was on, s: the time that all else is of.
    otherwise_mib
        What those on would have otherwise, on average over that time, MiB.
    mean_mib, least_mib
        What is saved of that on average, and at the worst moment.
    """

    guests: int
    on_s: float
    otherwise_mib: float
    mean_mib: float
    least_mib: float


@dataclass(frozen=True, slots=True)
class Summary:
    """What a played plan came to.

    Attributes
    ----------
    plan_name, played_s
        Which plan, and how much of its day was played.
    guests, places
        One each; places are the hosts and then the banks.
    finishes
        Batch jobs in the order in which they were done; those that were not by the end follow.
    bridges, moves
        Boots that disk helped through, and moves between hosts.
    savings
        What elastic memory saves; None without elastic guests.
    log
        What happened.
    """

    plan_name: str
    played_s: float
    guests: tuple[GuestSummary, ...]
    places: tuple[PlaceSummary, ...]
    finishes: tuple[Finish, ...]
    bridges: tuple[Bridge, ...]
    moves: tuple[MoveDone, ...]
    savings: Savings | None
    log: tuple[LogEntry, ...]

    def to_json(self) -> dict[str, Any]:
        """Give the document that ``ruvex run --json`` prints (docs/plan-format.md)."""
        document = asdict(self)
        document["finishes"] = [asdict(finish) | {"late_s": finish.late_s} for finish in self.finishes]
        document["bridges"] = [bridge.to_json() for bridge in self.bridges]
        document["log"] = [entry.to_json() for entry in self.log]
        document["moves"] = [move.to_json() for move in self.moves]
        return document


def _missing(wanted: float, delivered: float) -> float:
    return 1 - delivered / wanted if wanted > 0 else 0.0


def guests_of(ticks: Ticks) -> tuple[GuestSummary, ...]:
    """Tell what every guest went through up to now."""
    of_guests, by_cause, _ = ticks.counted()
    tick_s = ticks.site.plan.tick_s
    found = []
    for i, guest in enumerate(ticks.site.plan.guests):
        below = {CAUSES[c]: float(by_cause[c, i]) * tick_s for c in range(1, len(CAUSES)) if by_cause[c, i]}
        found.append(
            GuestSummary(
                id=guest.id,
                on_s=float(of_guests[r.Y_ON, i]) * tick_s,
                unmet_s=float(of_guests[r.Y_UNMET, i]) * tick_s,
                fluid_wait=_missing(float(of_guests[r.Y_WANTED, i]), float(of_guests[r.Y_DELIVERED, i])),
                worst_pace=float(of_guests[r.Y_PACE, i]),
                worst_met=float(of_guests[r.Y_MET, i]),
                below_s=below,
                peak_backed_mib=float(of_guests[r.Y_PEAK, i]),
                reclaimed_mib=float(ticks.state.reclaimed[i]),
                slowed_s=float(of_guests[r.Y_FLOW_UNMET, i]) * tick_s,
                disks_short_s=float(of_guests[r.Y_OPS_UNMET, i]) * tick_s,
                network_short_s=float(of_guests[r.Y_NET_UNMET, i]) * tick_s,
                short_s=float(of_guests[r.Y_SHORT, i]) * tick_s,
                ops_wait=_missing(float(of_guests[r.Y_OPS_WANTED, i]), float(of_guests[r.Y_OPS_GIVEN, i])),
                net_wait=_missing(float(of_guests[r.Y_NET_WANTED, i]), float(of_guests[r.Y_NET_GIVEN, i])),
            )
        )
    return tuple(found)


_NAMES: Final = {r.MEMORY_PLACE: "host", r.BANK_PLACE: "bank"}


def places_of(ticks: Ticks) -> tuple[PlaceSummary, ...]:
    """Tell what every host and bank went through up to now."""
    _, _, of_places = ticks.counted()
    plan, hosts, tick_s = ticks.site.plan, ticks.site.hosts.shape[1], ticks.site.plan.tick_s
    found = []
    for place in range(hosts, of_places.shape[1]):
        kind, at = ticks.site.forest.trees.places[[r.L_KIND, r.L_HOST], place].tolist()
        host, of = plan.hosts[at].id if plan.hosts else "", of_places[:, place]
        ticks_seen = float(of[r.U_TICKS])
        found.append(
            PlaceSummary(
                id=host if kind == r.MEMORY_PLACE else f"{host}:bank",
                kind=_NAMES[kind],
                host=host,
                pressure_s={word: float(of[r.U_AMPLE + i]) * tick_s for i, word in enumerate(PRESSURES)},
                least_free_mib=max(0.0, float(of[r.U_LEAST])) if ticks_seen else 0.0,
                mean_free_mib=max(0.0, float(of[r.U_FREE]) / ticks_seen) if ticks_seen else 0.0,
                cpu_unmet_s=float(of_places[r.U_UNMET, at]) * tick_s if kind == r.MEMORY_PLACE else 0.0,
            )
        )
    return tuple(found)


def savings_of(ticks: Ticks) -> Savings | None:
    """Tell what elastic memory has saved up to now; None without elastic guests."""
    of_guests, _, _ = ticks.counted()
    state, guests = ticks.state, ticks.site.guests
    on = state.on & (guests[r.G_MODE] == r.ELASTIC)
    was = (of_guests[r.Y_WAS_ELASTIC] > 0) | on
    if not was.any():
        return None
    least, counted, since, any_on = ticks.least_saved.tolist()
    # Up to the tick that comes next all stands as it was noted last.
    some_on = counted + (ticks.tick - since) * any_on
    if not some_on or not np.isfinite(least):
        otherwise = float(guests[r.G_OTHERWISE, on].sum())
        saved = otherwise - float(state.backed[on].sum())
        return Savings(int(was.sum()), 0.0, otherwise, saved, saved)
    return Savings(
        int(was.sum()),
        some_on * ticks.site.plan.tick_s,
        float(of_guests[r.Y_OTHERWISE].sum()) / some_on,
        float(of_guests[r.Y_SAVED].sum()) / some_on,
        least,
    )
