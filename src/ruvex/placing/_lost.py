"""The site without a host as it would settle: who comes back where, who stays off, what is lacked, what to set aside.

Sections 5 and 9 of docs/model.md: after a loss what is set aside does not count, and guests come back one after the
other, each to the host that has most room by then and may take it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import rows as r
from ruvex.placing._better import Gain
from ruvex.placing._lack import DayLack
from ruvex.plan import Plan
from ruvex.promise import Waiting, admit_in_order, claims_of, host_needs
from ruvex.site import Site, allowed_hosts, boot_claim, by_room, comeback_turn, starting_order, would_claim

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]

MOST_PERCENT: Final = 90
_PROMISES: Final = ("cpu", "memory", "host-cpu", "host-memory")
_LEAST_HOURS: Final = 0.05


@dataclass(frozen=True, slots=True)
class StaysOff:
    """A guest that does not come back.

    Attributes
    ----------
    guest
        Which one.
    lacks
        What promises lack where most room was; None where no host may take it, or it is told to stay off.
    is_told
        Whether the plan tells it to.
    """

    guest: str
    lacks: Waiting | None
    is_told: bool = False

    @property
    def waits_for_promises(self) -> bool:
        """Whether it would come back if less were promised to others; more spill space is another matter."""
        return self.lacks is not None and self.lacks.kind in _PROMISES

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        lacks = self.lacks and {"kind": self.lacks.kind, "place": self.lacks.place, "shortfall": self.lacks.shortfall}
        return {"id": self.guest, "lacks": lacks, "told": self.is_told}


@dataclass(frozen=True, slots=True)
class SettledLoss:
    """A site that has lost a host, as it would settle.

    Attributes
    ----------
    host
        Which one.
    back
        Each guest that comes back with its host, in the order of their return.
    off
        Who does not, in the same order; those that are told to stay off last.
    before, after
        What guests that are on lack over the day: guest-hours; who stays off lacks all it wants.
    hurt
        Who lacks more than before, the most first; hours are negative.
    worst_at_s
        When most more is lacked, s since the start of the day.
    """

    host: str
    back: tuple[tuple[str, str], ...]
    off: tuple[StaysOff, ...]
    before: float
    after: float
    hurt: tuple[Gain, ...]
    worst_at_s: float

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        return {
            "back": [{"id": guest, "host": host} for guest, host in self.back],
            "off": [one.to_json() for one in self.off],
            "lacking_hours": {"before": self.before, "after": self.after},
            "hurt": [{"id": one.guest, "hours": -one.hours} for one in self.hurt],
            "worst_at_s": self.worst_at_s,
        }


@dataclass(frozen=True, slots=True)
class Reserve:
    """The least to set aside so that any one host can be lost and everybody comes back.

    Attributes
    ----------
    cpu_percent, memory_percent
        How much of each; None where not even ``MOST_PERCENT`` would do.
    too_many
        Who could not be on then, in the order in which they would be refused: the last ones that start.
    stuck
        Who does not come back whatever is set aside: too large for what is left, no host may take it, or it lacks spill
        space; each with the host that was lost.
    """

    cpu_percent: int | None
    memory_percent: int | None
    too_many: tuple[str, ...]
    stuck: tuple[tuple[StaysOff, str], ...]

    def to_json(self) -> dict[str, Any]:
        """Give it as JSON has it."""
        stuck = [one.to_json() | {"without": host} for one, host in self.stuck]
        return {
            "cpu_percent": self.cpu_percent, "memory_percent": self.memory_percent, "too_many": list(self.too_many),
            "stuck": stuck,
        }  # fmt: skip


def without_hosts(plan: Plan, host: str) -> Plan:
    """Give a plan in which a host is down."""
    hosts = tuple(one.model_copy(update={"up": False}) if one.id == host else one for one in plan.hosts)
    return plan.model_copy(update={"hosts": hosts})


def come_back(down: Site, host: int, lost: Sequence[int]) -> tuple[list[tuple[int, int]], list[StaysOff]]:
    """Let guests come back one after the other on a site whose host is down, as promises and rules go.

    Parameters
    ----------
    down
        The site with the host down and its guests off.
    host
        The position of the host.
    lost
        The positions of its guests that are to come back, in their order.
    """
    plan, claims = down.plan, claims_of(down, with_set_aside=False)
    mine = would_claim(down)
    mine[1] = boot_claim(down)
    needs = host_needs(down, mine)[:2]
    rooms = claims.host_allowed[:2] - claims.host_claimed[:2]
    hosts, on = down.standing.host.tolist(), down.standing.on.tolist()
    chosen: dict[str, int] = {}
    back: list[tuple[int, int]] = []
    off: list[StaysOff] = []
    for i in lost:
        guest = plan.guests[i]
        hosts[i] = -1
        there = [at for at in allowed_hosts(plan, i, hosts, on) if down.standing.up[at]]
        if guest.in_bank:
            there = [at for at in there if plan.hosts[at].bank is not None]
        lacks: Waiting | None = None
        found = -1
        for at in by_room(rooms, there):
            names = [*chosen, guest.id]
            _, waiting = admit_in_order(down, names, claims=claims, on_host=chosen | {guest.id: at})
            if not waiting:
                found = at
                break
            lacks = lacks or waiting[-1]
        if found < 0:
            off.append(StaysOff(guest.id, lacks))
            continue
        chosen[guest.id], hosts[i], on[i] = found, found, True
        rooms[:, found] -= needs[:, i]
        back.append((i, found))
    return back, off


def losses_of(site: Site) -> Iterator[tuple[str, int, tuple[StaysOff, ...]]]:
    """Give for each host that is up how many guests are on it, and who would stay off after its loss.

    Who is told to stay off is not among them.
    """
    losses, on = Losses(site), site.standing.on
    for at, host in enumerate(site.plan.hosts):
        if site.standing.up[at]:
            off = losses.stuck_without(at)
            yield host.id, int(np.count_nonzero(on & (site.standing.host == at))), off


class Losses:
    """What the loss of each host of a site would come to."""

    def __init__(self, site: Site, *, day: DayLack | None = None) -> None:
        self._site, self._plan = site, site.plan
        self._given_day = day
        self._lack: Floats | None = None
        self._down: dict[int, Site] = {}

    @cached_property
    def _day(self) -> DayLack:
        return self._given_day or DayLack(self._site)

    def stuck_without(self, host: int) -> tuple[StaysOff, ...]:
        """Name who would come back and cannot, once a host is lost; by its position."""
        down, lost, _ = self._without(host, self._site.standing.on)
        return tuple(come_back(down, host, lost)[1])

    def of(self, host: str) -> SettledLoss:
        """Settle the site without a host, over the whole day."""
        plan, at = self._plan, self._plan.host_index[host]
        down, lost, told_off = self._without(at, self._site.standing.on)
        back, off = come_back(down, at, lost)
        of_guests = down.standing.of_guests.copy()
        for i, to in back:
            of_guests[r.S_ON, i], of_guests[r.S_HOST, i] = 1, to
            of_guests[r.S_AGENT, i] = plan.guests[i].agent
        after = down.standing_as(replace(down.standing, of_guests=of_guests))
        was, times = self._by_sample(self._site), self._day.times_s
        now = self._by_sample(after)
        on = after.standing.on & self._site.standing.on
        gone = np.zeros(on.size, dtype=np.bool_)
        gone[[plan.guest_index[one.guest] for one in off]] = True
        # Who stays off lacks all it wants, at each sample at which it wants some.
        now[:, :, gone] = self._wanting()[:, :, gone] * self._day.hours
        on |= gone
        more = (now - was)[:, :, on].sum(axis=(1, 2))
        of_guest = (now - was).sum(axis=(0, 1))
        hurt = [
            Gain(plan.guests[i].id, -float(of_guest[i]))
            for i in np.flatnonzero(on & ~gone & (of_guest > _LEAST_HOURS)).tolist()
        ]
        hurt.sort(key=lambda one: one.hours)
        return SettledLoss(
            host, tuple((plan.guests[i].id, plan.hosts[to].id) for i, to in back),
            (*off, *(StaysOff(plan.guests[i].id, None, is_told=True) for i in told_off)),
            float(was[:, :, on].sum()), float(now[:, :, on].sum()), tuple(hurt),
            float(times[int(np.argmax(more))]) if times.size else plan.moment,
        )  # fmt: skip

    def _by_sample(self, site: Site) -> Floats:
        """Give what every guest lacks at each sample, shape (samples, kinds, guests): guest-hours."""
        if site is self._site and self._lack is not None:
            return self._lack
        found = self._day.by_sample(site)
        if site is self._site:
            self._lack = found
        return found

    def _wanting(self) -> Floats:
        """Tell at each sample who wants what with all hosts up, shape (samples, kinds, guests): 1 or 0."""
        return np.asarray(np.moveaxis(self._day.loads().wanted, 0, 1) > 0, dtype=np.float64)

    def _without(self, host: int, on: Bools) -> tuple[Site, list[int], list[int]]:
        """Give the site with a host down, and who of it is to come back, in order, and who stays off by himself."""
        if host not in self._down:
            self._down[host] = self._site.with_plan(without_hosts(self._plan, self._plan.hosts[host].id))
        down, standing = self._down[host], self._site.standing
        of_guests = standing.of_guests.copy()
        here = standing.host == host
        of_guests[r.S_ON] = on & ~here
        of_guests[r.S_AGENT] *= of_guests[r.S_ON]
        volumes = {key: guest for key, guest in standing.volumes.items() if key[0] != self._plan.hosts[host].id}
        down = down.standing_as(replace(down.standing, of_guests=of_guests, volumes=volumes, on_hdd=standing.on_hdd))
        lost = np.flatnonzero(here & on).tolist()
        told_off = [i for i in lost if self._plan.guests[i].comes_back == "stays-off"]
        back = sorted((i for i in lost if i not in told_off), key=lambda i: comeback_turn(self._plan, i))
        return down, back, told_off

    # What to set aside

    def reserve(self) -> Reserve:
        """Find the least that must be set aside, of CPU, of memory or of both, so that everybody comes back.

        Who would not with all others off is left out of it: nothing that is set aside brings it back.
        """
        on = self._site.standing.on
        hopeless = {
            one.guest for one, host in self._stuck(on) if one.waits_for_promises and self._is_hopeless(one.guest, host)
        }
        tried = [
            found for found in (self._least(cpu, memory, hopeless) for cpu, memory in ((0, 1), (1, 0), (1, 1))) if found
        ]
        stuck = tuple(
            (one, host)
            for one, host in self._stuck(on)
            if not one.waits_for_promises or one.guest in hopeless or not tried
        )
        if not tried:
            return Reserve(None, None, (), stuck)
        cpu, memory = min(tried, key=lambda pair: (pair[0] + pair[1], pair))
        gone = np.flatnonzero(on & ~self._allowed(cpu, memory)).tolist()
        order = starting_order(self._plan, gone)
        return Reserve(cpu, memory, tuple(self._plan.guests[i].id for i in order), stuck)

    def _is_hopeless(self, guest: str, host: str) -> bool:
        """Tell whether a guest would not come back even if it were the only one that is on."""
        at, only = self._plan.host_index[host], np.zeros(len(self._plan.guests), dtype=np.bool_)
        only[self._plan.guest_index[guest]] = True
        down, lost, _ = self._without(at, only)
        return bool(come_back(down, at, lost)[1])

    def _least(self, cpu: int, memory: int, hopeless: Collection[str]) -> tuple[int, int] | None:
        """Give the least whole percentages with which nobody else waits for promises; those with 0 are left out."""
        low, high = -1, MOST_PERCENT + 1
        while high - low > 1:
            middle = (low + high) // 2
            stuck = self._stuck(self._allowed(cpu * middle, memory * middle))
            waits = any(one.waits_for_promises and one.guest not in hopeless for one, _ in stuck)
            low, high = (middle, high) if waits else (low, middle)
        return (cpu * high, memory * high) if high <= MOST_PERCENT else None

    def _allowed(self, cpu: int, memory: int) -> Bools:
        """Tell who may be on with so much set aside: the last ones that start are left out until it is kept."""
        site = self._site
        on = site.standing.on.copy()
        order = starting_order(self._plan, np.flatnonzero(on).tolist())
        low, high = 0, len(order)
        while low < high:
            middle = (low + high + 1) // 2
            low, high = (middle, high) if self._is_kept(order[:middle], cpu, memory) else (low, middle - 1)
        on[order[low:]] = False
        return on

    def _is_kept(self, guests: Sequence[int], cpu: int, memory: int) -> bool:
        """Tell whether what some guests claim at the top leaves so much of the supply."""
        standing = self._site.standing
        of_guests = standing.of_guests.copy()
        is_on = np.zeros(of_guests.shape[1], dtype=np.bool_)
        is_on[list(guests)] = True
        of_guests[r.S_ON] = is_on
        of_guests[r.S_AGENT] *= is_on
        claims = claims_of(self._site.standing_as(replace(standing, of_guests=of_guests)), with_set_aside=False)
        left = claims.allowed[:, 0] - claims.sums.gross.sum(axis=1) * np.array([cpu, memory]) / 100
        return bool((claims.claimed[:, 0] <= left + 1e-6 * np.maximum(1.0, np.abs(left))).all())

    def _stuck(self, on: Bools) -> list[tuple[StaysOff, str]]:
        """Name who does not come back, each with the host that was lost."""
        found: list[tuple[StaysOff, str]] = []
        for at, host in enumerate(self._plan.hosts):
            if self._site.standing.up[at]:
                down, lost, _ = self._without(at, on)
                found += [(one, host.id) for one in come_back(down, at, lost)[1]]
        return found
