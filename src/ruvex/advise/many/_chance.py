"""Random days of a plan: peaks shift, heights and lengths vary, bursts fall elsewhere, surges and losses happen.

What is drawn depends on the seed, the number of the day and the position of the guest alone: another setting of one
guest leaves the days of all others as they are.
"""

from __future__ import annotations

import math
from array import array
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

import numpy as np

from ruvex.plan import (
    LEAST_SPACING_S,
    SIGNALS,
    Bursts,
    Daily,
    Event,
    Guest,
    HostEvent,
    Plan,
    Signal,
    Steps,
    SurgeEvent,
    Trace,
    Traces,
    TraceTable,
    add_events,
)

_MOST_BURSTS: Final = 9000
_OF_MEMORY: Final = ("working", "touched")
"""Of memory there is a height of its own; what is computed, transferred and sent is high or low together."""
_FOR_ALL: Final = 2**40
"""Stands where the number of a guest stands for what is drawn for all of them."""
_SEVERAL_DAYS: Final = 1.5
_LEAST_WIDTH_H, _MOST_WIDTH_H = 0.001, 24.0


@dataclass(frozen=True, slots=True)
class Draw:
    """What was drawn for a guest's day: by how much it is later, and how much higher and longer it is.

    ``bursts`` and ``day`` are parts of 1: where in their interval bursts begin, and which of a trace's days it is.
    """

    shift_s: float
    cpu: float
    memory: float
    length: float
    bursts: float
    day: float


def random_day(plan: Plan, traces: Traces, seed: int, number: int) -> tuple[Plan, Traces]:
    """Give one random day of a plan, as a plan of its own with its traces.

    Parameters
    ----------
    plan, traces
        What it is drawn from.
    seed, number
        Which days, and which of them.
    """
    tables: dict[str, TraceTable] = {}
    guests: list[Guest] = []
    events: list[Event] = []
    chances = plan.rules.chances
    # What the day is like for everybody, CPU and memory; numbers of guests are never below 0.
    for_all = np.random.default_rng([seed, number, _FOR_ALL]).standard_normal(2).tolist()
    for i, guest in enumerate(plan.guests):
        chance, varies = np.random.default_rng([seed, number, i]), guest.demand.varies
        normal, even = chance.standard_normal(4).tolist(), chance.random(4).tolist()
        height = _or(varies.height_percent, chances.height_percent) / 100
        together = _or(varies.together_percent, chances.together_percent) / 100
        # Of the variance a part is everybody's: a guest by itself varies as far as it would alone.
        alike, own = math.sqrt(together), math.sqrt(1.0 - together)
        draw = Draw(
            shift_s=normal[0] * _or(varies.shift_s, chances.shift_s),
            cpu=float(np.exp((own * normal[1] + alike * for_all[0]) * height)),
            memory=float(np.exp((own * normal[2] + alike * for_all[1]) * height)),
            length=float(np.exp(normal[3] * _or(varies.length_percent, chances.length_percent) / 100)),
            bursts=even[0],
            day=even[1],
        )
        update = {
            name: _drawn(getattr(guest.demand, name), draw, draw.memory if name in _OF_MEMORY else draw.cpu, plan,
                         traces, tables, f"{i}/{name}")
            for name in SIGNALS
        }  # fmt: skip
        guests.append(guest.model_copy(update={"demand": guest.demand.model_copy(update=update)}))
        if even[2] * 100 < _or(varies.surge_percent, chances.surge_percent) and chances.surge_for_s > 0:
            at_s = even[3] * plan.day_s
            surge = SurgeEvent(at=at_s, do="surge", target=guest.id, factor=chances.surge_factor,
                               for_s=chances.surge_for_s)  # fmt: skip
            events.append(surge)
    for at, host in enumerate(plan.hosts):
        odds, when = np.random.default_rng([seed, number, len(plan.guests) + at, 1]).random(2).tolist()
        if odds * 100 < chances.failing_percent:
            events.append(HostEvent(at=when * plan.day_s, do="host-down", target=host.id))
    drawn = plan.model_copy(update={"guests": tuple(guests)})
    return (add_events(drawn, events) if events else drawn), {**traces, **tables}


def _or(value: float | None, otherwise: float) -> float:
    return otherwise if value is None else value


def _drawn(
    signal: Signal, draw: Draw, height: float, plan: Plan, traces: Traces, tables: dict[str, TraceTable], name: str
) -> Signal:  # fmt: skip
    """Give a signal as it is on that day."""
    if isinstance(signal, Daily):
        width = min(max(signal.width_h * draw.length, _LEAST_WIDTH_H), _MOST_WIDTH_H)
        peak = (signal.peak_at + draw.shift_s) % plan.day_s
        return signal.model_copy(update={"high": signal.high * height, "width_h": width, "peak_at": peak})
    if isinstance(signal, Steps):
        return _steps(((at_s + draw.shift_s, level * height) for at_s, level in signal.at), plan.day_s) or signal
    if isinstance(signal, Bursts):
        return _bursts(signal, draw, height, plan.day_s)
    if isinstance(signal, Trace):
        tables[name] = _trace(traces[signal.file], signal.column, draw, height, plan.day_s)
        return Trace(kind="trace", file=name, column=signal.column)
    return float(signal) * height


def _steps(at: Iterable[tuple[float, float]], day_s: float) -> Steps | None:
    """Give steps in the order of a day that begins anew; what falls too close to another is left out."""
    pairs = sorted((at_s % day_s, level) for at_s, level in at)
    kept: list[tuple[float, float]] = []
    for at_s, level in pairs:
        if not kept or at_s - kept[-1][0] >= LEAST_SPACING_S:
            kept.append((at_s, level))
    return Steps.model_construct(kind="steps", at=tuple(kept)) if kept else None


def _bursts(signal: Bursts, draw: Draw, height: float, day_s: float) -> Signal:
    """Give bursts that begin elsewhere in their interval, as steps; those too many for steps stay where they are."""
    every, lasts = signal.every_s, signal.for_s * draw.length
    high = signal.high * height
    if lasts <= 0 or lasts >= every or day_s / every > _MOST_BURSTS:
        return signal.model_copy(update={"high": high})
    starts = (draw.bursts * every + every * np.arange(-1, int(day_s / every) + 1)).tolist()
    edges = [(start, high) for start in starts] + [(start + lasts, signal.base) for start in starts]
    inside = sorted((at_s, level) for at_s, level in edges if 0 <= at_s < day_s)
    first = max((edge for edge in edges if edge[0] < 0), default=(0.0, signal.base))
    if not inside or inside[0][0] > 0:
        inside = [(0.0, first[1]), *inside]
    kept = [inside[0]] + [b for a, b in pairwise(inside) if b[0] - a[0] >= LEAST_SPACING_S]
    return Steps.model_construct(kind="steps", at=tuple(kept))


def _trace(table: TraceTable, column: str, draw: Draw, height: float, day_s: float) -> TraceTable:
    """Give one of a trace's days, where it has several; else its day, shifted and higher or lower."""
    times, levels = np.asarray(table.seconds), np.asarray(table.columns[column])
    days = int((float(times[-1]) + 1e-6) / day_s) if times[-1] >= _SEVERAL_DAYS * day_s else 1
    if days > 1:
        begin = int(draw.day * days) * day_s
        inside = (times >= begin) & (times < begin + day_s)
        first = float(np.interp(begin, times, levels))
        times, levels = times[inside] - begin, levels[inside]
        if not times.size or times[0] > 0:
            times, levels = np.concatenate(([0.0], times)), np.concatenate(([first], levels))
    else:
        times, levels = times + draw.shift_s, levels * height
        if times[0] < 0:
            first = float(np.interp(0.0, times, levels))
            after = times > 0
            times, levels = np.concatenate(([0.0], times[after])), np.concatenate(([first], levels[after]))
    columns: Mapping[str, array[float]] = {column: array("d", levels.tolist())}
    return TraceTable(array("d", times.tolist()), columns)
