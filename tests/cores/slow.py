"""The rules of turns once more, written from the model's text in plain Python: everything is worked out anew each time.

Without second threads, wishes, promises and fellows, which are tried by hand. Events at one and the same moment, as
even bursts have them, come in an order that rounding decides: it is compared where lengths are drawn.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field

from ruvex.cores import Parties
from ruvex.engine import turn_rows as t

SAME = 1e-9


class Chance:
    """Numbers from 0 to 1 by xorshift64*."""

    def __init__(self, seed: int) -> None:
        self.state = seed

    def draw(self) -> float:
        """Give the next."""
        x, most = self.state, 2**64 - 1
        x ^= x >> 12
        x = (x ^ (x << 25)) & most
        x ^= x >> 27
        self.state = x
        return ((x * 2685821657736338717) & most) // 2**11 / 2**53


@dataclass(eq=False)
class Party:
    """The root, a pool, a guest or a vCPU."""

    weight: float
    budget: float
    above: Party | None = None
    members: list[Party] = field(default_factory=list)
    v: float = 0.0
    due: float = 0.0
    safe: float = -math.inf
    lag: float = 0.0
    left: float = math.inf
    mean: float = 0.0
    line: str = "out"
    is_off: bool = False
    # Of vCPUs.
    state: str = ""
    thread: int = -1
    burst: float = 0.0
    wakes: float = math.inf
    kind: int = 0
    run_ms: float = 0.0
    sleep_ms: float = 0.0
    begun: float = 0.0
    chance: Chance | None = None
    number: int = -1

    def vcpus(self) -> list[Party]:
        """Give the vCPUs below, itself if it is one."""
        return [self] if self.number >= 0 else [vcpu for member in self.members for vcpu in member.vcpus()]

    def way_up(self) -> list[Party]:
        """Give itself and all above."""
        return [self, *(self.above.way_up() if self.above is not None else [])]

    @property
    def runs(self) -> int:
        """How many of its vCPUs are on threads."""
        return sum(vcpu.state == "runs" for vcpu in self.vcpus())

    @property
    def could(self) -> int:
        """How many of its vCPUs could run."""
        return 0 if self.is_off else sum(v.state == "waits" and not is_off(v, self) for v in self.vcpus())

    def middle(self, without: Party | None = None) -> tuple[float, float]:
        """Give the weighted mean of the virtual times of members in line, and their weights."""
        those = [member for member in self.members if member.line != "out" and member is not without]
        weights = sum(member.weight for member in those)
        if not those:
            return self.mean, 0.0
        self.mean = sum(member.weight * member.v for member in those) / weights
        return self.mean, weights


def is_off(vcpu: Party, below: Party) -> bool:
    """Tell whether a budget between a vCPU and a party above it is spent."""
    for party in vcpu.way_up():
        if party is below:
            return False
        if party.is_off:
            return True
    return False


class Slow:
    """A host whose threads are given out by the rules as they are written down."""

    def __init__(self, parties: Parties, seeds: list[int], turn: float, rejoin: float, period: float) -> None:
        floats, ints = parties.floats, parties.ints
        self.turn, self.rejoin, self.period = turn, rejoin, period
        listed = [Party(float(w), float(b)) for w, b in floats[[t.V_WEIGHT_OF, t.V_BUDGET]].T]
        for i, party in enumerate(listed):
            if ints[t.P_ABOVE, i] >= 0:
                party.above = listed[ints[t.P_ABOVE, i]]
                party.above.members.append(party)
            party.left = party.budget
        self.root, self.all = listed[0], listed
        self.threads: list[Party | None] = [None] * parties.threads
        self.list: list[Party] = []
        for number in range(parties.numbers.shape[1]):
            vcpu = listed[parties.vcpus[t.C_PARTY, number]]
            vcpu.number, vcpu.kind = number, int(parties.vcpus[t.C_DEMAND, number])
            vcpu.run_ms, vcpu.sleep_ms = parties.numbers[[t.C_BURST_MS, t.C_SLEEP_MS], number].tolist()
            vcpu.chance, vcpu.state = Chance(seeds[number]), "sleeps"
            vcpu.burst = self.draw(vcpu, vcpu.run_ms)
            if vcpu.kind == t.ALWAYS:
                vcpu.wakes = 0.0
            elif vcpu.kind == t.EVEN:
                vcpu.wakes = vcpu.chance.draw() * vcpu.sleep_ms
            else:
                vcpu.wakes = self.draw(vcpu, vcpu.sleep_ms)
            self.list.append(vcpu)
        self.turns: list[tuple[int, int, float, float]] = []
        self.now = 0.0

    def draw(self, vcpu: Party, mean: float) -> float:
        """Draw a length."""
        assert vcpu.chance is not None
        if vcpu.kind == t.ALWAYS:
            return math.inf
        return mean if vcpu.kind == t.EVEN else -mean * math.log(1.0 - vcpu.chance.draw())

    def come_in(self, party: Party) -> None:
        """Let a party and those above stand in line."""
        for one in party.way_up()[:-1]:
            if one.is_off:
                return
            assert one.above is not None
            if one.line == "debt":
                one.line = "in"
                if one.v <= one.above.middle()[0] + SAME:
                    one.v = one.above.middle(one)[0]
                    one.due = one.v + self.turn / one.weight
            elif one.line == "out":
                mean, weights = one.above.middle(one)
                one.v = mean - (one.lag * (weights + one.weight) / weights if weights else 0.0)
                one.due, one.line = one.v + self.turn / one.weight, "in"

    def go_out(self, party: Party, *, sleeps: bool) -> None:
        """Take out of line who has nobody left that could run."""
        for one in party.way_up()[:-1]:
            if not one.is_off and one.runs + one.could > 0:
                return
            assert one.above is not None
            if one.line == "in":
                mean, weights = one.above.middle()
                most = self.rejoin / one.weight
                one.lag = min(max(mean - one.v, -most), most)
                is_in_debt = one.lag < 0 and sleeps and weights > one.weight * (1 + SAME)
                one.line = "debt" if is_in_debt else "out"
            if one.is_off:
                return

    def following(self, above: Party) -> Party | None:
        """Give the member of a party that goes next."""
        while True:
            mean, _ = above.middle()
            best: tuple[float, Party] | None = None
            last: Party | None = None
            for one in above.members:
                if one.line == "out" or (one.line == "in" and one.could <= 0):
                    continue
                due = one.due
                if one.line == "in":
                    if one.v >= due - SAME:
                        due = one.v + self.turn / one.weight
                        if one.runs == 0:
                            one.due = due
                    if last is None or one.v < last.v - SAME:
                        last = one
                if one.v <= mean + SAME and (best is None or due < best[0] - SAME):
                    best = due, one
            if best is None or best[1].line == "in":
                return best[1] if best else last
            best[1].line, best[1].lag = "out", 0.0

    def begin(self, vcpu: Party, thread: int) -> None:
        """Put a vCPU on a thread."""
        vcpu.state, vcpu.thread, self.threads[thread] = "runs", thread, vcpu
        for one in vcpu.way_up():
            one.safe = one.due

    def end(self, thread: int, state: str) -> Party:
        """Take a vCPU off its thread."""
        vcpu = self.threads[thread]
        assert vcpu is not None
        vcpu.state, self.threads[thread] = state, None
        return vcpu

    def note(self, vcpu: Party, thread: int) -> None:
        """Note a turn that is over."""
        self.turns.append((thread, vcpu.number, vcpu.begun, self.now))

    def next_end(self, thread: int) -> float:
        """Give when something becomes of what runs on a thread."""
        vcpu = self.threads[thread]
        if vcpu is None:
            return math.inf
        end = self.now + vcpu.burst
        due = math.inf
        for one in vcpu.way_up():
            end = min(end, self.now + max(one.left, 0.0) / one.runs)
            if one.above is not None and (one.runs == 1 or one is vcpu):
                left = (one.due - one.v) * one.weight
                due = min(due, self.now + (left if left > SAME else self.turn))
        return min(end, max(due, self.now + 1e-6))

    def pass_time(self, to: float) -> None:
        """Let time pass: who runs works, and its virtual times grow."""
        for vcpu in self.threads:
            if vcpu is not None:
                vcpu.burst -= to - self.now
                for one in vcpu.way_up():
                    one.v += (to - self.now) / one.weight
                    one.left -= to - self.now
        self.now = to

    def cut_in(self, vcpu: Party) -> int | None:
        """Give the thread on which a vCPU that wakes may cut in."""
        found: tuple[float, int] | None = None
        for mine in vcpu.way_up()[:-1]:
            above = mine.above
            assert above is not None
            if self.following(above) is not mine:
                continue
            mean, _ = above.middle()
            for thread, runs in enumerate(self.threads):
                if runs is None or above not in runs.way_up() or mine in runs.way_up():
                    continue
                other = runs.way_up()[runs.way_up().index(above) - 1]
                is_in_time = other.v <= mean + SAME
                if is_in_time and other.v < other.safe - SAME:
                    continue
                due = other.due if other.v < other.due - SAME else other.v + self.turn / other.weight
                wins = mine.due <= due + SAME if is_in_time else mine.v < other.v
                ahead = (other.v - mine.v) * mine.weight
                if wins and (found is None or ahead > found[0]):
                    found = ahead, thread
        return found[1] if found else None

    def run(self, end: float) -> None:
        """Run to an end."""
        renews = self.period
        ends = [math.inf] * len(self.threads)
        while True:
            at = min([end, *ends])
            first = min(self.list, key=lambda vcpu: vcpu.wakes)
            wakes = first.wakes < at
            at = first.wakes if wakes else at
            is_new = renews < at
            at = renews if is_new else at
            self.pass_time(at)
            if at >= end:
                return
            freed: dict[int, Party] = {}
            if is_new:
                renews += self.period
                for one in self.all:
                    one.left = min(one.budget, one.left + one.budget)
                    if one.is_off and one.left > SAME:
                        one.is_off = False
                        if one.could > 0:
                            self.come_in(one)
            elif wakes:
                first.wakes, first.state = math.inf, "waits"
                self.come_in(first)
                if None not in self.threads and not is_off(first, self.root):
                    thread = self.cut_in(first)
                    if thread is not None:
                        self.note(self.end(thread, "waits"), thread)
                        self.begin(first, thread)
                        first.begun = self.now
            else:
                for thread, vcpu in enumerate(self.threads):
                    if vcpu is None or self.threads[thread] is None or ends[thread] > at + SAME:
                        continue
                    if vcpu.burst <= SAME:
                        self.note(self.end(thread, "sleeps"), thread)
                        self.go_out(vcpu, sleeps=True)
                        vcpu.burst = self.draw(vcpu, vcpu.run_ms)
                        vcpu.wakes = self.now + self.draw(vcpu, vcpu.sleep_ms)
                    elif any(one.left <= SAME and not one.is_off for one in vcpu.way_up()):
                        for one in vcpu.way_up():
                            if one.left <= SAME and not one.is_off:
                                for other, runs in enumerate(self.threads):
                                    if runs is not None and one in runs.way_up():
                                        self.note(self.end(other, "waits"), other)
                                one.is_off = True
                                self.go_out(one, sleeps=False)
                    else:
                        for one in vcpu.way_up()[:-1]:
                            if (one is vcpu or one.runs == 1) and one.v >= one.due - 1e-7:
                                assert one.above is not None
                                if (self.root if one is vcpu else one.above).could > 0:
                                    freed[thread] = self.end(thread, "waits")
                                    break
                                one.due = one.v + self.turn / one.weight
            self.fill(freed)
            ends = [self.next_end(thread) for thread in range(len(self.threads))]

    def fill(self, freed: dict[int, Party]) -> None:
        """Give out idle threads."""
        chosen: list[Party] = []
        for _ in range(self.threads.count(None)):
            party: Party | None = self.root
            while party is not None and party.number < 0:
                party = self.following(party) if self.root.could > 0 else None
            if party is not None:
                chosen.append(party)
                party.state = "chosen"
        for vcpu in chosen:
            vcpu.state = "waits"
        for step in range(3):
            for vcpu in [vcpu for vcpu in chosen if vcpu.state == "waits"]:
                last = vcpu.thread
                goes_on = freed.get(last) is vcpu and self.threads[last] is None
                is_last_idle = last >= 0 and self.threads[last] is None
                if (step == 0 and not goes_on) or (step == 1 and not is_last_idle):
                    continue
                idle = [i for i, runs in enumerate(self.threads) if runs is None]
                thread = last if step < 2 else min(idle, key=lambda i: (i in freed, i))
                was = freed.pop(thread, None)
                if was is not None and was is not vcpu:
                    self.note(was, thread)
                self.begin(vcpu, thread)
                if not (step == 0 and goes_on):
                    vcpu.begun = self.now
        for thread, vcpu in freed.items():
            self.note(vcpu, thread)
