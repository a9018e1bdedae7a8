"""The ticks of a play as the kernel runs them: what it takes, kept from one piece to the next."""

from __future__ import annotations

from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from ruvex.engine import kernels
from ruvex.engine import rows as r
from ruvex.play._record import Recording
from ruvex.play._state import State
from ruvex.site import Site, Standing, disks_of

Floats = NDArray[np.float64]

_ALMOST: Final = 1e-9
_NOTES: Final = 4096
_MOST_FACTOR: Final = 1e9
"""Surges at once multiply each other; more than this is more than any host has, and stays a number."""


class Ticks:
    """Plays ticks, one piece after the other; what happens between them is somebody else's.

    Attributes
    ----------
    site
        The plan in force, with who is on now.
    state
        What changes.
    place_values
        What is known of places (``rows.Q_…``).
    end_tick
        The one after the last.
    counters
        What goes on from tick to tick (``rows.Z_…``).
    of_guests, by_cause, of_places
        What is counted (``rows.Y_…``, by cause, ``rows.U_…``).
    """

    def __init__(self, site: Site, state: State, end_tick: int, recording: Recording, *, skip: bool) -> None:
        self.site, self.state, self.end_tick, self._skip = site, state, end_tick, skip
        self._recording = recording
        guests, places = site.guests.shape[1], site.forest.trees.places.shape[1]
        self.counters = np.zeros(14, dtype=np.int64)
        self.counters[r.Z_TIMER] = r.NEVER
        self.counters[[r.Z_MOVED, r.Z_REREAD, r.Z_CPU_ANEW, r.Z_MEMORY_ANEW]] = 1, 2, 1, 1
        self.place_values = np.zeros((r.Q_ROWS, places))
        self.place_values[r.Q_SIZE, 2 * site.hosts.shape[1] :] = site.hosts[r.H_BANK, site.forest.banks]
        self.of_guests = np.zeros((r.Y_ROWS, guests))
        self.of_guests[[r.Y_PACE, r.Y_MET]] = 1.0
        self.by_cause = np.zeros((r.CAUSE_ROWS, guests))
        self.of_places = np.zeros((r.U_ROWS, places))
        self.of_places[r.U_LEAST] = np.inf
        self.least_saved = np.array((np.inf, 0.0, 0.0, 0.0))
        self._jobs = np.zeros((4, 64 + 2 * guests))
        self._notes = np.zeros((5, _NOTES + 8 * self._jobs.shape[1] + places))
        self._factors, self._surges = np.ones(guests), list[tuple[int, list[int], float]]()
        self._raw, self.now = np.zeros(r.W_ROWS * guests), np.zeros((r.W_ROWS, guests))
        self.move_mhz, self.move_mib_s = np.zeros(site.hosts.shape[1]), np.zeros(site.hosts.shape[1])
        self._take_signals()
        self.regroup()

    @property
    def tick(self) -> int:
        """The next tick to be played."""
        return int(self.counters[r.Z_TICK])

    @property
    def known(self) -> Floats:
        """What the last divisions left of every node (``rows.V_…``)."""
        known: Floats = self._play[4]
        return known

    @property
    def now_s(self) -> float:
        """The time of the next tick, s since the start of the day."""
        return self.tick * self.site.plan.tick_s

    @property
    def looks(self) -> int:
        """How often the memory controllers have looked."""
        return int(self.counters[r.Z_LOOKS])

    # What the kernel takes

    def take(self, site: Site) -> None:
        """Go on with another plan over the same guests, pools and hosts; ``regroup`` follows."""
        had_other_signals = site.signals is not self.site.signals
        self.site = site
        if had_other_signals:
            self._take_signals()
            self.counters[r.Z_REREAD] = 2

    def _take_signals(self) -> None:
        bank, tick_s = self.site.signals, self.site.plan.tick_s
        end_s, sample_s = self.end_tick * tick_s, self.site.plan.rules.workload.sample_s
        jumping = bank.jumping()
        # A mark for each tick: however many signals jump, and however often, it is no more than the ticks.
        marks = np.zeros(self.end_tick, dtype=np.bool_)
        marks[:1] = True
        if np.count_nonzero(bank.forms) > jumping.size:
            times = np.arange(int(np.floor(end_s / max(sample_s, tick_s) + _ALMOST)) + 1) * max(sample_s, tick_s)
            samples = np.ceil(times / tick_s - _ALMOST).astype(np.int64)
            marks[samples[samples < self.end_tick]] = True
        is_sample = marks.copy()
        for times in bank.jumps_until(end_s):
            jumps = np.ceil(times / tick_s - _ALMOST).astype(np.int64)
            marks[jumps[jumps < self.end_tick]] = True
        due = np.flatnonzero(marks)
        self._signals = (
            bank.forms, bank.numbers, bank.tables, bank.knots, bank.day_s, tick_s, jumping, due, is_sample[due],
        )  # fmt: skip
        self.counters[r.Z_DUE] = np.searchsorted(due, self.tick)

    def standing(self) -> Standing:
        """Give who is on now, and where."""
        codes, plan = self.state.codes, self.site.plan
        of_guests = np.zeros((4, codes.shape[1]), dtype=np.int64)
        host = codes[r.C_HOST]
        up = self.state.up
        of_guests[r.S_ON] = self.state.on & (host >= 0) & up[np.maximum(host, 0)]
        of_guests[r.S_BOOTING] = codes[r.C_PHASE] == r.BOOTING
        of_guests[r.S_AGENT] = (codes[r.C_AGENT] > 0) & (codes[r.C_PHASE] == r.RUNNING)
        of_guests[r.S_HOST] = host
        on_hdd = disks_of(plan, self.site.hosts, host, self.state.volumes)
        return Standing(of_guests, up.copy(), on_hdd, dict(self.state.volumes), self.state.bridged.copy())

    def regroup(self) -> None:
        """Go on with others on, elsewhere, or with other settings."""
        standing = self.standing()
        site = self.site = self.site.standing_as(standing)
        forest, hosts, rules = site.forest, site.hosts.copy(), site.rules
        hosts[r.H_UP] = standing.up
        hosts[r.H_OVERHEAD_MHZ] += self.move_mhz
        costs = site.plan.rules.pace_cost
        disks = np.where(standing.on_hdd, costs.hdd, costs.ssd)
        layout, trees, one = site.layout, forest.trees, forest.one
        self._site = (
            site.guests, site.numbers, site.pools, layout.parent, layout.order, hosts, rules, standing.of_guests, disks,
            site.images, forest.homes,
        )  # fmt: skip
        self._forest = (
            trees.places, trees.nodes, trees.slots, trees.guest_slots, trees.first, trees.pool_nodes, forest.place_of,
            forest.is_spread,
        )  # fmt: skip
        one_values = np.zeros((r.Q_ROWS, one.places.shape[1]))
        self._one = (
            one.places, one.nodes, one.slots, one.guest_slots, one.first, one.pool_nodes, one_values,
            np.zeros((r.A_ROWS, one.slots.shape[1])), np.zeros((8, one.nodes.shape[1])),
        )  # fmt: skip
        asks, known = np.zeros((r.A_ROWS, trees.slots.shape[1])), np.zeros((8, trees.nodes.shape[1]))
        weights = np.zeros((2, layout.parent.size))
        self._play = (self.state.values, self.state.codes, self.place_values, asks, known, weights)
        guests, places, nodes = site.guests.shape[1], trees.places.shape[1], trees.nodes.shape[1]
        self._room = (
            np.zeros((7, guests)), np.zeros((8, places)), np.zeros((2, hosts.shape[1])),
            np.zeros(forest.homes[2].size), np.zeros(nodes, dtype=np.int64),
            np.zeros((2, hosts.shape[1], max(site.images, 1))), np.zeros((2, nodes)),
        )  # fmt: skip
        kept = forest.kept.as_taken()
        self._cpu_room = np.zeros((3, places)), np.zeros(guests), np.zeros(layout.parent.size + 1), kept
        self._sums = (self.of_guests, self.by_cause, self.of_places)
        flows = forest.flows
        self._flows = (
            flows.as_taken, np.zeros(flows.supply.size), flows.room(), (np.zeros((2, guests)), np.zeros((5, guests))),
        )  # fmt: skip
        self._put_moves()
        per_size = rules[r.R_PER_SIZE] > 0
        kernels.pool_weights(
            site.pools, site.by_members, layout.parent, site.guests, site.numbers, standing.of_guests, per_size, weights
        )
        kernels.put_weights(site.guests, trees.guest_slots, asks, per_size)
        kernels.tell_places(self.tick, self._site, self._forest, self._play, self._sums, self._room)
        self.counters[[r.Z_MOVED, r.Z_SETTLED, r.Z_CPU_ANEW, r.Z_MEMORY_ANEW]] = 1, 0, 1, 1
        self.counters[r.Z_BOOTS] = int((self.state.codes[r.C_PHASE] == r.BOOTING).any())

    def _put_moves(self) -> None:
        """Let the moves of each host take their part of its links."""
        flows = self.site.forest.flows
        at = flows.link_of_host
        self._flows[1][at[at >= 0]] = self.move_mib_s[at >= 0]

    def settle(self) -> None:
        """Put every guest where it would have come to rest under the demand at the start."""
        self.now[:] = self.site.signals.at(0.0)
        guests = self.site.guests
        self.state.values[r.X_HOARD] = np.where(self.state.on, guests[r.G_GREEDY] * guests[r.G_AIM], 0.0)
        kernels.settle(self.now, self._site, self._forest, self._one, self._play, self._sums, self._room)
        self.counters[r.Z_SETTLED] = 0

    # Playing

    def run(self, end: int, most: int, *, waits: bool) -> int:
        """Play up to a tick, that one not included; gives why it stopped (``rows.E_…``)."""
        every = self._recording.every_s / self.site.plan.tick_s
        ending: int = kernels.run_ticks(
            end, most, self._skip, waits, every, self._signals, self._factors, self._raw, self.now, self._site,
            self._forest, self._one, self._play, self.state.batch, self._jobs, self._notes, self._sums,
            self.least_saved, self._room, self._cpu_room, self._flows, self._recording.arrays_to_write, self.counters,
        )  # fmt: skip
        if ending == r.E_ROOM:
            self._jobs = np.concatenate((self._jobs, np.zeros_like(self._jobs)), axis=1)
            self._notes = np.zeros((5, self._notes.shape[1] + 4 * self._jobs.shape[1]))
        return ending

    def take_notes(self) -> list[list[float]]:
        """Give what was noted since the last time, and forget it."""
        count = int(self.counters[r.Z_NOTES])
        self.counters[r.Z_NOTES] = 0
        noted: list[list[float]] = self._notes[:, :count].T.tolist()
        return noted

    def leave_readable(self) -> None:
        """Tell the recording how many rows it has by now, with that of the very end, where one is due there."""
        count = self._recording.times_s.size
        if count and self.counters[r.Z_ROWS] < count and self.tick >= self.end_tick:
            kernels.put_rows(
                count, self.site.hosts.shape[1], self.site.guests, self._forest[0], self._forest[6], self._forest[3],
                self.place_values, self.state.values, self.state.codes, self.counters, self._flows,
                self._recording.arrays_to_write,
            )  # fmt: skip
        self._recording.rows = int(self.counters[r.Z_ROWS])

    def count(self) -> None:
        """Count everything up to now, before somebody's state changes from outside."""
        kernels.count_all(
            self.tick, self.site.guests, self.state.values, self.state.codes, self._forest[0], self.place_values,
            self._sums,
        )  # fmt: skip

    def counted(self) -> tuple[Floats, Floats, Floats]:
        """Give what was counted up to now, and leave it as it is."""
        sums = self.of_guests.copy(), self.by_cause.copy(), self.of_places.copy()
        kernels.count_all(
            self.tick, self.site.guests, self.state.values, self.state.codes.copy(), self._forest[0],
            self.place_values, sums,
        )  # fmt: skip
        return sums

    def unfinished(self) -> list[list[float]]:
        """Give the batch jobs whose work has all been asked for and is not done (``rows.J_…``)."""
        jobs: list[list[float]] = self._jobs[:, : int(self.counters[r.Z_JOBS])].T.tolist()
        return jobs

    def drop_jobs(self, guest: int) -> None:
        """Forget the batch jobs of a guest that is switched off."""
        count = int(self.counters[r.Z_JOBS])
        kept = self._jobs[:, :count][:, self._jobs[r.J_GUEST, :count] != guest]
        self._jobs[:, : kept.shape[1]] = kept
        self.counters[r.Z_JOBS] = kept.shape[1]

    def can_be_found(self, place: int) -> float:
        """Give what of a place's memory is free or can be reclaimed now, MiB.

        Elastic guests give what they have above their floor, thin ones above their reservation.
        """
        guests, on = self.site.guests, self.state.on
        here = on & (self.site.forest.place_of[1] == place)
        breathing = (guests[r.G_MODE] == r.ELASTIC) & (self.site.standing.of_guests[r.S_AGENT] != 0)
        least = np.where(guests[r.G_MODE] == r.THIN, guests[r.G_RESERVATION], guests[r.G_FLOOR])
        spare = np.maximum(self.state.given - least, 0.0)[here & (breathing | (guests[r.G_MODE] == r.THIN))]
        values = self.place_values[:, place]
        return float(values[r.Q_FREE] - values[r.Q_WAITING] - values[r.Q_ARRIVING] + spare.sum())

    # Surges

    def surge(self, guests: list[int], factor: float, end_tick: int) -> None:
        """Multiply the CPU and the working set of some guests by a factor until a tick."""
        self._surges.append((end_tick, guests, factor))
        self._weigh_surges()

    @property
    def next_surge_end(self) -> int:
        """The tick at which a surge ends."""
        return min((end for end, _, _ in self._surges), default=r.NEVER)

    def end_surges(self) -> None:
        """Let surges end that are over by now."""
        if self.next_surge_end <= self.tick:
            self._surges = [surge for surge in self._surges if surge[0] > self.tick]
            self._weigh_surges()

    def _weigh_surges(self) -> None:
        self.counters[r.Z_REREAD] = max(1, int(self.counters[r.Z_REREAD]))
        self._factors[:] = 1.0
        for _, guests, factor in self._surges:
            self._factors[guests] = np.minimum(self._factors[guests] * factor, _MOST_FACTOR)

    def copy(self, state: State, recording: Recording) -> Ticks:
        """Give one that goes on by itself, over a copied state and recording."""
        other: Ticks = object.__new__(Ticks)
        other.__dict__.update(self.__dict__)
        for name, value in self.__dict__.items():
            if isinstance(value, np.ndarray):
                other.__dict__[name] = value.copy()
        other.state, other._recording, other._surges = state, recording, list(self._surges)
        other._copy_room(self)
        return other

    def _copy_room(self, of: Ticks) -> None:
        def copied(part: Any) -> Any:
            return tuple(item.copy() if isinstance(item, np.ndarray) else item for item in part)

        asks, known, weights = copied(of._play[3:])
        self._play = (self.state.values, self.state.codes, self.place_values, asks, known, weights)
        self._one = (*of._one[:6], *copied(of._one[6:]))
        self._room = copied(of._room)
        self._cpu_room = (*copied(of._cpu_room[:3]), self.site.forest.kept.as_taken())
        self._flows = (of._flows[0], of._flows[1].copy(), copied(of._flows[2]), copied(of._flows[3]))
        self._sums = (self.of_guests, self.by_cause, self.of_places)
