"""What the played day brings."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

from ruvex.advise.worth._finding import Case, Finding
from ruvex.plan import format_time
from ruvex.words import short_span

_MINDED_S: Final = 60.0


def late_batch(case: Case) -> Iterator[Finding]:
    """Batch work that is done later than it is due, or not at all."""
    labels = {guest.id: guest.label for guest in case.plan.guests}
    for job in case.day.summary().finishes:
        late = job.late_s
        if late is not None and late < _MINDED_S:
            continue
        when = (
            "is not done by the end of the day" if job.finished_s is None else f"is done {format_time(job.finished_s)}"
        )
        by = "" if late is None else f", {short_span(late)} late"
        yield Finding(
            "late-batch", "will-hurt", (job.guest,), f"{labels[job.guest]}, due {format_time(job.due_s)}, {when}{by}",
            (("due", format_time(job.due_s)),
             ("done", "no" if job.finished_s is None else format_time(job.finished_s))),
            1.0 if late is None else min(late / 3600.0, 1.0),
        )  # fmt: skip
