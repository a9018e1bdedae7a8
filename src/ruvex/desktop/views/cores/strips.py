"""The turns and waits of a window in the order in which they are drawn: by thread, and by guest. No widget."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.cores import TurnFigures, TurnTrace
from ruvex.divide import Division
from ruvex.engine import turn_rows as t

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
Bools = NDArray[np.bool_]

SOLID, HELD, SPENT = range(3)
"""What somebody stood in line for: a thread; its fellows; the next period of a budget."""
_SAME_MS: Final = 1e-7
HAIRS: Final = 5
"""So many waits are drawn below a thread, one below the other."""


@dataclass(frozen=True, slots=True, eq=False)
class Stretches:
    """Stretches of time by thread or by guest, those of each side by side and rising.

    Attributes
    ----------
    first
        Shape (owners + 1,): where those of each owner begin.
    begin, end
        ms since counting began.
    which
        Positions in the turns, or in the waits, of the trace.
    """

    first: Ints
    begin: Floats
    end: Floats
    which: Ints

    def within(self, owner: int, begin: float, end: float) -> Ints:
        """Give the positions here of those of an owner that touch a stretch of time; its own follow each other."""
        low, high = int(self.first[owner]), int(self.first[owner + 1])
        from_here = low + int(np.searchsorted(self.end[low:high], begin))
        to_here = low + int(np.searchsorted(self.begin[low:high], end))
        return np.arange(from_here, max(to_here, from_here))


def _by_owner(owners: Ints, count: int, begin: Floats, end: Floats) -> Stretches:
    order = np.lexsort((begin, owners))
    first = np.searchsorted(owners[order], np.arange(count + 1))
    return Stretches(np.asarray(first, dtype=np.int64), begin[order], end[order], np.asarray(order, dtype=np.int64))


class Strips:
    """One window, ready to be drawn.

    Attributes
    ----------
    trace, division
        What is drawn, and of which moment.
    thread, vcpu, begin, end, why
        Of turns: as the trace has them.
    wait_vcpu, wait_begin, wait_end, wait_kind, wait_thread
        Of waits: ``SOLID``, ``HELD`` or ``SPENT``; the thread it last ran on, or ran on next.
    """

    def __init__(self, trace: TurnTrace, division: Division) -> None:
        self.trace, self.division = trace, division
        turns, waits = trace.turns, trace.waits
        self.thread, self.vcpu, self.why = (
            turns[row].astype(np.int64) for row in (t.TURN_THREAD, t.TURN_VCPU, t.TURN_WHY)
        )
        self.begin, self.end = np.maximum(turns[t.TURN_FROM], 0.0), turns[t.TURN_TO]
        self.wait_vcpu = waits[t.WAIT_VCPU].astype(np.int64)
        self.wait_begin, self.wait_end = waits[t.WAIT_FROM], waits[t.WAIT_FROM] + waits[t.WAIT_MS]
        self.is_wake = waits[t.WAIT_BY_WAKE] > 0
        self.wait_thread, self.wait_kind = self._before_waits()

    def prepare(self) -> None:
        """Work out what painting needs, so that it is there."""
        for name in ("turns_by_thread", "wait_line", "_in_order", "_longest_ms", "guests", "hues", "vcpus_of"):
            getattr(self, name)

    def _before_waits(self) -> tuple[Ints, Ints]:
        """Find the turn each wait came after: its thread, and why it ended."""
        count = self.wait_vcpu.size
        if not self.vcpu.size:
            return np.zeros(count, dtype=np.int64), np.zeros(count, dtype=np.int64)
        whole = 2.0 * self.trace.for_ms + 2000.0
        order = np.lexsort((self.begin, self.vcpu))
        keys = self.vcpu[order] * whole + self.end[order]
        found = np.searchsorted(keys, self.wait_vcpu * whole + self.wait_begin + _SAME_MS) - 1
        before = order[np.maximum(found, 0)]
        is_its = (found >= 0) & (self.vcpu[before] == self.wait_vcpu)
        after = order[np.minimum(found + 1, order.size - 1)]
        thread = np.where(is_its, self.thread[before], self.thread[after])
        follows = is_its & (np.abs(self.end[before] - self.wait_begin) < 1e-3)
        why = np.where(follows, self.why[before], t.TURN_OVER)
        kind = np.where(why == t.HELD_BACK, HELD, np.where(why == t.BUDGET_SPENT, SPENT, SOLID))
        return thread.astype(np.int64), kind.astype(np.int64)

    # By thread

    @property
    def threads(self) -> int:
        """How many threads there are."""
        return self.trace.parties.threads

    @cached_property
    def turns_by_thread(self) -> Stretches:
        """The turns of each thread; they never overlap."""
        return _by_owner(self.thread, self.threads, self.begin, self.end)

    @cached_property
    def wait_line(self) -> Ints:
        """By wait: on which of the ``HAIRS`` lines below its thread it is drawn, the next one each; −1 on none."""
        some = np.flatnonzero(self.wait_end - self.wait_begin > _SAME_MS)
        some = some[np.lexsort((self.wait_begin[some], self.wait_thread[some]))]
        first = np.searchsorted(self.wait_thread[some], np.arange(self.threads))
        line = np.full(self.wait_vcpu.size, -1, dtype=np.int64)
        line[some] = (np.arange(some.size) - first[self.wait_thread[some]]) % HAIRS
        return line

    @cached_property
    def _longest_ms(self) -> float:
        return float((self.wait_end - self.wait_begin).max(initial=0.0))

    @cached_property
    def _in_order(self) -> Ints:
        return np.argsort(self.wait_begin, kind="stable")

    def waits_within(self, begin: float, end: float) -> Ints:
        """Give the waits that touch a stretch of time, ms."""
        since = self.wait_begin[self._in_order]
        low, high = np.searchsorted(since, (begin - self._longest_ms, end)).tolist()
        its = self._in_order[low:high]
        return np.asarray(its[self.wait_end[its] >= begin])

    # By guest

    @property
    def guest_of(self) -> Ints:
        """By vCPU: its guest's position in the plan."""
        return self.trace.parties.guest_of

    @property
    def number_of(self) -> Ints:
        """By vCPU: its number within its guest."""
        return self.trace.parties.number_of

    @cached_property
    def guests(self) -> tuple[int, ...]:
        """The guests that are on here, by position in the plan; whoever waited longest at once comes first."""
        there = dict.fromkeys(self.guest_of.tolist())
        longest = {guest: self.figures[guest].longest_ms for guest in there}
        return tuple(sorted(there, key=lambda guest: (-longest[guest], guest)))

    @cached_property
    def figures(self) -> dict[int, TurnFigures]:
        """What each guest came to."""
        plan, of = self.division.site.plan, self.trace.of_things
        return {guest: of[plan.guests[guest].id] for guest in dict.fromkeys(self.guest_of.tolist())}

    @cached_property
    def vcpus_of(self) -> dict[int, list[int]]:
        """The vCPUs of each guest, in the order of their numbers."""
        found: dict[int, list[int]] = {}
        for vcpu in np.lexsort((self.number_of, self.guest_of)).tolist():
            found.setdefault(int(self.guest_of[vcpu]), []).append(vcpu)
        return found

    def hue(self, guest: int) -> int | None:
        """Give the number of the top-level pool a guest is in, None beside the pools."""
        division = self.division
        top = int(division.top_pool[division.position[division.site.plan.guests[guest].id]])
        return None if top < 0 else top

    @cached_property
    def hues(self) -> Ints:
        """By vCPU: the number of the top-level pool its guest is in, −1 beside the pools."""
        by_guest = {guest: self.hue(guest) for guest in dict.fromkeys(self.guest_of.tolist())}
        return np.array([-1 if (h := by_guest[g]) is None else h for g in self.guest_of.tolist()], dtype=np.int64)

    def waits_of(self, guest: int) -> Floats:
        """Give how long each wait of a guest was, ms."""
        is_its = self.guest_of[self.wait_vcpu] == guest
        return np.asarray((self.wait_end - self.wait_begin)[is_its])

    # One turn

    def fellows(self, turn: int) -> Ints:
        """Give the turns of the same guest's other vCPUs that ran meanwhile."""
        guest = self.guest_of[self.vcpu[turn]]
        is_with = (self.guest_of[self.vcpu] == guest) & (self.vcpu != self.vcpu[turn])
        return np.flatnonzero(is_with & self._meanwhile(turn, self.begin, self.end))

    def waiting(self, turn: int) -> Ints:
        """Give the waits, for a thread, of others that went on meanwhile."""
        is_other = (self.wait_vcpu != self.vcpu[turn]) & (self.wait_kind == SOLID)
        return np.flatnonzero(is_other & self._meanwhile(turn, self.wait_begin, self.wait_end))

    def _meanwhile(self, turn: int, begin: Floats, end: Floats) -> Bools:
        return np.asarray((begin < self.end[turn] - _SAME_MS) & (end > self.begin[turn] + _SAME_MS))

    def turn_at(self, thread: int, at_ms: float) -> int | None:
        """Give the turn on a thread at a time, None where nobody ran."""
        by_thread = self.turns_by_thread
        low, high = int(by_thread.first[thread]), int(by_thread.first[thread + 1])
        at = low + int(np.searchsorted(by_thread.begin[low:high], at_ms, side="right")) - 1
        return int(by_thread.which[at]) if at >= low and by_thread.end[at] > at_ms else None

    def next_turn(self, turn: int, steps: int, *, of_guest: bool = False) -> int:
        """Give the next turn on the same thread, or of the same guest on whichever; the last one at either end."""
        if of_guest:
            its = np.flatnonzero(self.guest_of[self.vcpu] == self.guest_of[self.vcpu[turn]])
            its = its[np.lexsort((self.thread[its], self.begin[its]))]
        else:
            by_thread, thread = self.turns_by_thread, int(self.thread[turn])
            its = by_thread.which[by_thread.first[thread] : by_thread.first[thread + 1]]
        at = int(np.flatnonzero(its == turn)[0])
        return int(its[min(max(at + steps, 0), its.size - 1)])
