"""A window of time on the threads of one host: every turn, every wait, and what they add up to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.cores._parties import Parties, parties_of
from ruvex.divide import Division
from ruvex.engine import kernels
from ruvex.engine import turn_rows as t
from ruvex.plan import RuvexError, Turns

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]

WARM_MS: Final = 500.0
"""Before anything is counted: everybody begins asleep or at once, which no host ever does."""
MOST_S: Final = 60.0
FELLOWS: Final = {"own": t.OWN, "lead": t.LEAD, "together": t.TOGETHER}
ENDINGS: Final = ("slept", "turn over", "cut in on", "held for its fellows", "out of budget", "end of the window")
_MOST_TURNS: Final = 4_000_000


class NoCoresError(RuvexError):
    """There is no such host, it is down or has nothing to give, or the window is too long or has too many turns."""


@dataclass(frozen=True, slots=True)
class TurnFigures:
    """What some vCPUs came to in a window.

    Attributes
    ----------
    vcpus
        How many they are.
    run, wait, held, off, asleep
        In which state they were, in vCPUs (vCPU-seconds a second); they add up to ``vcpus``.
    worked_mhz
        What they got done, MHz: less than their run where they share cores.
    turns
        How many they had.
    mean_ms, median_ms, p95_ms, longest_ms
        Of their waits: from when one could run, or lost its thread, until it ran again.
    wake_mean_ms, wake_p95_ms
        Of those waits that began with waking.
    """

    vcpus: int
    run: float
    wait: float
    held: float
    off: float
    asleep: float
    worked_mhz: float
    turns: float
    mean_ms: float
    median_ms: float
    p95_ms: float
    longest_ms: float
    wake_mean_ms: float
    wake_p95_ms: float


class TurnTrace:
    """One window on one host.

    Attributes
    ----------
    parties, seed
        What was run, and from which chances.
    for_ms
        How long it was counted.
    numbers
        Of vCPUs, after the run (``turn_rows.C_…``).
    turns
        Shape (5, turns): thread, vCPU, from, to (ms since counting began), why it ended (``ENDINGS``).
    waits
        Shape (4, waits): vCPU, from, how long (ms), whether it began with waking.
    counts
        How many turns there were, and how many times a vCPU went to another thread.
    busy
        Shape (2, threads): how long somebody was on it, and how long it was kept idle though somebody could run, ms.
    """

    def __init__(
        self, parties: Parties, seed: int, for_ms: float, numbers: Floats, turns: Floats, waits: Floats,
        counts: tuple[int, int], busy: Floats,
    ) -> None:  # fmt: skip
        self.parties, self.seed, self.for_ms, self.numbers = parties, seed, for_ms, numbers
        self.turns, self.waits, self.counts, self.busy = turns, waits, counts, busy

    def of_vcpus(self, vcpus: Sequence[int] | Ints) -> TurnFigures:
        """Give what some vCPUs, by their positions, came to."""
        chosen = np.asarray(vcpus, dtype=np.int64)
        n, ms = self.numbers, self.for_ms
        run, wait, held, off, asleep = (
            float(n[row, chosen].sum()) / ms for row in (t.C_RAN, t.C_WAITED, t.C_WAS_HELD, t.C_WAS_SPENT, t.C_SLEPT)
        )
        is_chosen = np.zeros(n.shape[1], dtype=np.bool_)
        is_chosen[chosen] = True
        waits = self.waits[:, is_chosen[self.waits[t.WAIT_VCPU].astype(np.int64)]]
        woken = waits[t.WAIT_MS, waits[t.WAIT_BY_WAKE] > 0]
        waits = waits[t.WAIT_MS]
        return TurnFigures(
            chosen.size, run, wait, held, off, asleep, float(n[t.C_WORKED, chosen].sum()) / ms * self.parties.mhz,
            int(is_chosen[self.turns[t.TURN_VCPU].astype(np.int64)].sum()), _mean(waits), nearest_rank(waits, 0.5),
            nearest_rank(waits, 0.95), float(waits.max(initial=0.0)), _mean(woken), nearest_rank(woken, 0.95),
        )  # fmt: skip

    @cached_property
    def of_things(self) -> dict[str, TurnFigures]:
        """What every guest and pool on the host came to, by id."""
        found = {}
        for party, thing in enumerate(self.parties.things):
            if thing is not None:
                first, last = self.parties.ints[[t.P_FIRST_VCPU, t.P_LAST_VCPU], party].tolist()
                found[thing[1]] = self.of_vcpus(range(first, last))
        return found

    @property
    def wider_than_its_threads(self) -> list[int]:
        """Guests, by position in the plan, with more vCPUs than threads they may run on: together they never run."""
        parties, found = self.parties, []
        room = parties.allowed.sum(axis=1)
        for guest in dict.fromkeys(parties.guest_of.tolist()):
            its = np.flatnonzero(parties.guest_of == guest)
            if its.size > room[parties.vcpus[t.C_ALLOWED, its[0]]]:
                found.append(guest)
        return found


def _mean(values: Floats) -> float:
    return float(values.mean()) if values.size else 0.0


def nearest_rank(values: Floats, part: float) -> float:
    """Give a percentile by nearest rank; 0 of nothing."""
    if not values.size:
        return 0.0
    return float(np.sort(values)[max(0, int(np.ceil(part * values.size)) - 1)])


def trace(
    division: Division, host: str, *, for_s: float = 2.0, seed: int = 1, turns: Turns | None = None,
    parties: Parties | None = None,
) -> TurnTrace:  # fmt: skip
    """Run the vCPUs of a host on its threads, as things stand in a division.

    Parameters
    ----------
    division
        Settled or played: who wants how much, and what pools and guests weigh there.
    host
        The id of a host.
    for_s
        How long, seconds; half a second before it is not counted.
    seed
        Of the chances: the same seed, the same turns, to the bit.
    turns
        Rules of turns other than the plan's.
    parties
        What ``parties_of`` gives, if it is at hand.

    Raises
    ------
    NoCoresError
        There is no such host, it is down, or the window is too long or has too many turns.
    """
    plan = division.site.plan
    if host not in plan.host_index:
        known = ", ".join(plan.host_index) or "none"
        raise NoCoresError(f"there is no host {host!r}; the plan has {known}")
    if not 0 < for_s <= MOST_S:
        raise NoCoresError(f"a window of {for_s:g} s is not possible; take up to {MOST_S:.0f} s")
    parties = parties_of(division, host) if parties is None else parties
    if parties.speeds[0] <= 0.0 or not division.site.standing.up[plan.host_index[host]]:
        raise NoCoresError(f"{parties.host.label} is down or has no CPU to give")
    rules = plan.rules.turns if turns is None else turns
    how = np.array([
        rules.turn_ms, 0.0, rules.rejoin_ms, rules.period_ms, FELLOWS[rules.fellows], rules.lead_ms,
        plan.rules.reservation_rule == "on-top",
    ], dtype=np.float64)  # fmt: skip
    return run_parties(parties, how, for_ms=for_s * 1000.0, seed=seed)


def run_parties(parties: Parties, how: Floats, *, for_ms: float, seed: int, warm_ms: float = WARM_MS) -> TurnTrace:
    """Run parties for a window; ``how`` as ``run_turns`` takes it. Raises NoCoresError where it has too many turns."""
    # Fresh memory costs more than a short run: most windows do with the first room, very short bursts need all of it.
    usual = min(_MOST_TURNS, int(for_ms * max(parties.threads, 1) * 4 + 1000))
    for room in dict.fromkeys((usual, _MOST_TURNS)):
        found = _run_in(room, parties, how, for_ms, seed, warm_ms)
        if found is not None:
            return found
    most = f"{_MOST_TURNS:,}".replace(",", " ")
    raise NoCoresError(f"the window has more than {most} turns; take a shorter window, or longer bursts")


def _run_in(room: int, parties: Parties, how: Floats, for_ms: float, seed: int, warm_ms: float) -> TurnTrace | None:
    """Run parties with room for so many turns and waits; None if they are more."""
    threads, count = parties.threads, parties.numbers.shape[1]
    floats, ints = parties.floats.copy(), parties.ints.copy()
    numbers, vcpus = parties.numbers.copy(), parties.vcpus.copy()
    seeds = np.random.default_rng(seed).integers(1, 2**63, size=count).astype(np.uint64)
    turns, waits = np.zeros((5, room)), np.zeros((4, room))
    counts, busy = np.zeros(4, dtype=np.int64), np.zeros((2, threads))
    kernels.run_turns(
        floats, ints, numbers, vcpus, seeds, parties.allowed, parties.is_free, parties.homes, parties.width,
        parties.node_of, parties.speeds, how, warm_ms, warm_ms + for_ms, np.zeros(count, dtype=np.int64),
        np.zeros(threads, dtype=np.int64), np.zeros((4, threads)), np.zeros(threads, dtype=np.int64),
        np.zeros((4, threads), dtype=np.int64), turns, waits, counts, busy,
    )  # fmt: skip
    if max(counts[1:3]) >= room:
        return None
    turns, waits = turns[:, : counts[1]].copy(), waits[:, : counts[2]].copy()
    turns[[t.TURN_FROM, t.TURN_TO]] -= warm_ms
    waits[t.WAIT_FROM] -= warm_ms
    return TurnTrace(parties, seed, for_ms, numbers, turns, waits, (int(counts[0]), int(counts[3])), busy)


def median_of(figures: Sequence[TurnFigures]) -> TurnFigures:
    """Give the median of each figure over some windows."""
    names = TurnFigures.__slots__
    values: dict[str, Any] = {name: float(np.median([getattr(f, name) for f in figures])) for name in names}
    return TurnFigures(**(values | {"vcpus": figures[0].vcpus}))
