"""The forms a demand over the day can take; how they are evaluated is the divide package's business."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Annotated, Any, Final, Literal

from pydantic import Discriminator, Field, Tag, model_validator

from ruvex.plan._fields import LEAST_SPACING_S, MAX_MIB, Model, Number, Text, Time, at_most

SIGNALS: Final = ("cpu", "working", "touched", "ops", "net_mib_s")
"""The parts of a demand that are signals, in the order of the rows that arrays of them have."""
Level = Annotated[Number, Field(ge=0, le=MAX_MIB)]


class Daily(Model):
    """One smooth peak a day: ``high`` at ``peak_at``, halfway down at half of ``width_h`` to either side."""

    kind: Literal["daily"]
    low: Level
    high: Level
    peak_at: Time
    width_h: Annotated[Number, Field(ge=0.001, le=24)]


class Steps(Model):
    """Levels held from each time to the next; before the first one the last one of the day before holds."""

    kind: Literal["steps"]
    at: Annotated[tuple[tuple[Time, Level], ...], Field(min_length=1, max_length=20_000), at_most(20_000)]

    @model_validator(mode="after")
    def _in_order(self) -> Steps:
        times = [time for time, _ in self.at]
        if any(b <= a for a, b in pairwise(times)):
            raise ValueError("the times of steps must rise from one to the next")
        if any(b - a < LEAST_SPACING_S * (1.0 - 1e-6) for a, b in pairwise(times)):
            raise ValueError(f"two steps are closer together than {LEAST_SPACING_S:g} s; make one of them")
        return self


class Bursts(Model):
    """``high`` for the first ``for_s`` seconds of every ``every_s`` since midnight, ``base`` between."""

    kind: Literal["bursts"]
    base: Level
    high: Level
    every_s: Annotated[Number, Field(ge=1, le=86_400 * 366)]
    for_s: Annotated[Number, Field(ge=0, le=86_400 * 366)]


class Trace(Model):
    """A named column of a CSV file beside the plan, linear between its points and level beyond them."""

    kind: Literal["trace"]
    file: Annotated[Text, Field(min_length=1, max_length=500)]
    column: Annotated[Text, Field(min_length=1, max_length=200)]


def _form_of(value: Any) -> str | None:
    if isinstance(value, dict):
        kind = value.get("kind")
        return kind if isinstance(kind, str) else None
    return getattr(value, "kind", "number")


Signal = Annotated[
    Annotated[Level, Tag("number")]
    | Annotated[Daily, Tag("daily")]
    | Annotated[Steps, Tag("steps")]
    | Annotated[Bursts, Tag("bursts")]
    | Annotated[Trace, Tag("trace")],
    Discriminator(
        _form_of,
        custom_error_type="signal_form",
        custom_error_message="a demand is a number or has a kind of daily, steps, bursts or trace",
    ),
]


def highest_of(signal: Signal) -> float:
    """Give the highest value a signal takes; of a trace, which lies in a file, infinity: it is not known here."""
    if isinstance(signal, Daily | Bursts):
        return max(signal.high, signal.low if isinstance(signal, Daily) else signal.base)
    if isinstance(signal, Steps):
        return max(level for _, level in signal.at)
    return math.inf if isinstance(signal, Trace) else float(signal)
