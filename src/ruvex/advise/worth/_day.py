"""What the played day brings."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Any, Final

import numpy as np

from ruvex.advise._remedies import Remedy
from ruvex.advise._size import STEP_MHZ, whole_steps
from ruvex.advise.worth._finding import Case, Finding
from ruvex.advise.worth._tried import first_in_time
from ruvex.cores import vcpu_change
from ruvex.engine import rows as r
from ruvex.plan import format_cpu, format_time
from ruvex.play import happenings as h
from ruvex.words import counted, short_span

_MINDED_S: Final = 60.0
_MOMENTS: Final = 289
_MOST_TRIED: Final = 6
"""For so many late jobs a remedy is looked for, as each that is tried takes a day to be played."""
_STORM_S: Final = 600.0
_STORM: Final = 2


def late_batch(case: Case) -> Iterator[Finding]:
    """Batch work that is done later than it is due, or not at all."""
    labels, tried = case.plan.labels, 0
    for job in case.day.summary().finishes:
        late = job.late_s
        if late is not None and late < _MINDED_S:
            continue
        tried += 1
        remedy = first_in_time(case, _in_time(case, job.guest), job.guest, _MINDED_S) if tried <= _MOST_TRIED else None
        when = (
            "is not done by the end of the day" if job.finished_s is None else f"is done {format_time(job.finished_s)}"
        )
        by = "" if late is None else f", {short_span(late)} late"
        yield Finding(
            "late-batch", "will-hurt", (job.guest,), f"{labels[job.guest]}, due {format_time(job.due_s)}, {when}{by}",
            (("due", format_time(job.due_s)),
             ("done", "no" if job.finished_s is None else format_time(job.finished_s))),
            1.0 if late is None else min(late / 3600.0, 1.0), remedy,
        )  # fmt: skip


def _in_time(case: Case, name: str) -> Iterator[Remedy]:
    """Give what may let batch work be done in time: no limit, more vCPUs, a promise of what it asks; then all of it."""
    i = case.plan.guest_index[name]
    guest, site = case.plan.guests[i], case.division.site
    mhz, texts, change = case.mhz_of(i), list[str](), dict[str, Any]()
    if mhz <= 0:
        return
    asked = float(site.signals.at(np.linspace(0, case.plan.day_s, _MOMENTS))[:, r.W_CPU, i].max(initial=0.0))
    has = guest.vcpus * mhz
    steps: list[tuple[str, dict[str, Any]]] = []
    if guest.cpu.limit is not None:
        steps.append(("no CPU limit", {"cpu.limit": None}))
    if asked > has * (1 + 1e-9):
        count = math.ceil(asked / mhz)
        steps.append((counted(count, "vCPU"), vcpu_change(guest, case.plan.hosts[case.host_of(i)], count)))
        has = count * mhz
    promise = float(min(whole_steps(asked, STEP_MHZ), has))
    if promise > guest.cpu.reservation:
        steps.append((f"a CPU reservation of {format_cpu(promise)}", {"cpu.reservation": promise}))
    for text, one in steps:
        yield Remedy(text, ((name, one),))
    # A promise above the limit is none that a plan takes: each step is added to those before it.
    for text, one in steps:
        texts.append(text)
        change |= one
        if len(texts) > 1:
            yield Remedy(", ".join(texts), ((name, dict(change)),))


def start_storm(case: Case) -> Iterator[Finding]:
    """Guests that are to start within a few minutes of each other, and wait or are refused for want of room."""
    waits: list[dict[str, float]] = []
    for entry in case.day.log:
        if isinstance(entry.what, h.StartWaits | h.NotStarted) and entry.target in case.plan.guest_index:
            if not waits or entry.at_s - min(waits[-1].values()) > _STORM_S:
                waits.append({})
            waits[-1].setdefault(entry.target, entry.at_s)
    for guests in waits:
        if len(guests) < _STORM:
            continue
        first = min(guests.values())
        labels = [case.plan.labels[name] for name in guests]
        yield Finding(
            "start-storm", "will-hurt", tuple(guests),
            f"{labels[0]} and {len(labels) - 1} more start about {format_time(first)} and wait: there is not room for"
            " all at once",
            (("start about", format_time(first)), ("wait or are refused", str(len(guests)))), 0.3,
            values=(float(len(guests)),), after=(0.0,),
        )  # fmt: skip
