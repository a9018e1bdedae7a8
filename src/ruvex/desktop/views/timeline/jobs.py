"""Marks of batch work in a lane: when it is due and done, and when it was done before what is being tried."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from PyQt6.QtCore import QPointF, QRect, QRectF
from PyQt6.QtGui import QPainter

from ruvex.desktop.kit.marks import draw_mark
from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.kit.time_scale import TimeScale
from ruvex.desktop.views.timeline.days import Job
from ruvex.plan import format_time

_SIZE: Final = 5.0


def job_text(job: Job) -> str:
    """Say when a job is done; while something is tried, instead of when.

    Examples
    --------
    >>> job_text(Job(due_s=3600.0, done_s=3600.0, before_s=3600.0, has_moved=False))
    'done 01:00'
    """
    told = "not done" if job.done_s is None else f"{'late' if job.is_late else 'done'} {_clock(job.done_s)}"
    if job.has_moved:
        told += " instead of not at all" if job.before_s is None else f" instead of {_clock(job.before_s)}"
    return told


def _clock(at_s: float) -> str:
    return format_time(round(at_s / 60) * 60)[:5]


def paint_jobs(painter: QPainter, theme: Theme, scale: TimeScale, place: QRect, jobs: Sequence[Job]) -> None:
    """Paint the marks of a guest's jobs into its lane, with words behind the last mark where they have room."""
    y, size = place.top() + place.height() * 0.32, theme.px(_SIZE)
    ends = [scale.x(other.due_s) for other in jobs[1:]] + [float(scale.right)]
    for job, end in zip(jobs, ends, strict=True):
        marks = [("due", job.due_s)]
        if job.has_moved and job.before_s is not None:
            marks.append(("before", job.before_s))
        if job.done_s is not None:
            marks.append(("late" if job.is_late else "done", job.done_s))
        shown = [(kind, scale.x(at_s)) for kind, at_s in marks if scale.start_s <= at_s <= scale.end_s]
        if not shown:
            continue
        face, text = theme.face(11, bold=job.has_moved), job_text(job)
        x = max(at for _, at in shown) + 2 * size
        width = face.width(text) + 6
        if x + width <= end - size:
            painter.fillRect(QRectF(x - 2, y - theme.px(7), width, theme.px(14)), theme.colours.paper)
            painter.setPen(theme.colours.ink)
            face.draw(painter, x + 1, y - theme.px(7), theme.px(14), text)
        for kind, at in shown:
            draw_mark(painter, kind, QPointF(at, y), size, theme.colours)
