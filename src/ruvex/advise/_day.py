"""What a change does over the whole day: two plays of it side by side, in figures and in a sentence."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Final

import numpy as np
from numpy.typing import NDArray

from ruvex.ledger import TimeFigures
from ruvex.plan import RESOURCES, Plan, format_cpu, format_memory, format_time
from ruvex.play import Player, Recording, Summary
from ruvex.words import span

_LEAST_S: Final = 60.0
"""A guest that is short for a minute more or less is not worth telling."""
_MOST_NAMED: Final = 3


@dataclass(frozen=True, slots=True)
class Worst:
    """The moment of a day at which most is missing.

    Attributes
    ----------
    at_s
        When.
    cpu_mhz, memory_mib
        What guests lack then of what they want and need.
    """

    at_s: float
    cpu_mhz: float
    memory_mib: float


@dataclass(frozen=True, slots=True)
class Done:
    """A batch job that is done at another time: of which guest, due when, and done when before and after."""

    guest: str
    due_s: float
    before_s: float | None
    after_s: float | None


@dataclass(frozen=True, slots=True)
class ShortSpell:
    """For how long a guest is short of CPU or of memory over the day, before and after, s."""

    guest: str
    before_s: float
    after_s: float


@dataclass(frozen=True, slots=True)
class DayShift:
    """What differs between two plays of a day.

    Attributes
    ----------
    done
        Batch jobs that are done earlier or later.
    short
        Guests that are short for longer or for less long, the largest difference first.
    before, after
        The worst moment of each day.
    """

    done: tuple[Done, ...]
    short: tuple[ShortSpell, ...]
    before: Worst
    after: Worst


def usual_rows(recording: Recording) -> NDArray[np.bool_]:
    """Tell at which rows of a day the same hosts are up as for most of it."""
    up = recording.of_places("cpu_supply") > 0
    if not up.size:
        return np.ones(recording.rows, dtype=np.bool_)
    _, which, counts = np.unique(up, axis=1, return_inverse=True, return_counts=True)
    return np.asarray(which.reshape(-1) == int(np.argmax(counts)))


def worst_moment(recording: Recording, *, usual: bool = False) -> Worst:
    """Find the moment at which most is missing, CPU and memory together, each beside the most there is on that day.

    Beside what there is at the moment, an hour with a host down would be the worst, although far less is missing then.

    Parameters
    ----------
    recording
        The day.
    usual
        Whether only moments count at which the hosts are up that mostly are: what a plan's own loss of a host makes
        missing says nothing of another one.
    """
    figures = TimeFigures(recording, slice(None))
    cpu, memory = (figures.lacks(of).sum(axis=0) for of in RESOURCES)
    supply, there = (
        float(recording.of_places(name).sum(axis=0).max(initial=1.0)) for name in ("cpu_supply", "memory_supply")
    )
    missing = cpu / supply + memory / there
    if usual:
        missing = np.where(usual_rows(recording), missing, -1.0)
    row = int(np.argmax(missing)) if missing.size else 0
    if not missing.size:
        return Worst(0.0, 0.0, 0.0)
    return Worst(float(recording.times_s[row]), float(cpu[row]), float(memory[row]))


def day_shift(before: Player, after: Player) -> DayShift:
    """Compare two plays of a day by the same guests."""
    old, new = before.summary(), after.summary()
    return DayShift(
        _done(old, new, before.tick_s), _short(old, new), worst_moment(before.recording), worst_moment(after.recording)
    )


def _done(old: Summary, new: Summary, tick_s: float) -> tuple[Done, ...]:
    was = {(job.guest, job.due_s): job.finished_s for job in old.finishes}
    found = []
    for job in new.finishes:
        key = job.guest, job.due_s
        if key in was and not _alike(was[key], job.finished_s, 1.5 * tick_s):
            found.append(Done(job.guest, job.due_s, was[key], job.finished_s))
    return tuple(found)


def _alike(one: float | None, other: float | None, within_s: float) -> bool:
    if one is None or other is None:
        return one is other
    return abs(one - other) <= within_s


def _short(old: Summary, new: Summary) -> tuple[ShortSpell, ...]:
    was = {guest.id: guest.short_s for guest in old.guests}
    found = [ShortSpell(guest.id, was[guest.id], guest.short_s) for guest in new.guests if guest.id in was]
    told = [short for short in found if abs(short.after_s - short.before_s) >= _LEAST_S]
    return tuple(sorted(told, key=lambda short: -abs(short.after_s - short.before_s)))


def day_text(shift: DayShift, plan: Plan) -> str:
    """Say in a line what differs over the day; nothing where nothing does."""

    def label(guest: str) -> str:
        return plan.labels[guest] if guest in plan.guest_index else guest

    parts = [
        f"{label(job.guest)} done {_when(job.after_s)} instead of {_when(job.before_s)}"
        for job in shift.done[:_MOST_NAMED]
    ]
    for short in shift.short[:_MOST_NAMED]:
        change = short.after_s - short.before_s
        more = "longer" if change > 0 else "less long"
        parts.append(f"{label(short.guest)} short for {span(abs(change))} {more}")
    others = max(0, len(shift.done) - _MOST_NAMED) + max(0, len(shift.short) - _MOST_NAMED)
    if others:
        parts.append(f"{others} more")
    if shift.before != shift.after and (parts or shift.before.at_s != shift.after.at_s):
        parts.append(f"worst {_worst(shift.after)} instead of {_worst(shift.before)}")
    return ", ".join(parts)


def _when(at_s: float | None) -> str:
    return "not at all" if at_s is None else format_time(round(at_s / 60) * 60)


def _worst(worst: Worst) -> str:
    lacking = [
        text
        for amount, text in (
            (worst.cpu_mhz, format_cpu(round(worst.cpu_mhz))),
            (worst.memory_mib, format_memory(round(worst.memory_mib))),
        )
        if amount >= 1
    ]
    return f"at {format_time(worst.at_s)} lacking {' and '.join(lacking) or 'nothing'}"
