"""``ruvex sweep``."""

from __future__ import annotations

import math
from collections.abc import Sequence
from pathlib import Path
from typing import Final

import numpy as np

from ruvex.advise import (
    MOST_PLAYS,
    STEPS,
    STEPS_OF_TWO,
    Range,
    Sweep,
    parse_range,
    parse_watch,
    sweep,
    watch_text,
)
from ruvex.cli._boundary import INTERRUPTED
from ruvex.cli._document import print_document
from ruvex.cli._input import read_plan
from ruvex.cli._progress import telling
from ruvex.plan import (
    RESOURCE_KINDS,
    Plan,
    UnitError,
    format_number,
    setting_amount,
    setting_word,
)
from ruvex.site import site_of
from ruvex.words import label_of

_WIDTH: Final = 11


def print_sweep(path: Path, settings: Sequence[str], watches: Sequence[str], *, as_json: bool) -> int:
    """Print what becomes of outcomes of the day as one or two settings change; gives the exit status.

    Raises
    ------
    PlanError, PlanFileError, UnitError, EditError
        The plan, a range or an outcome cannot be used.
    """
    file = read_plan(path)
    plan = file.plan
    if not 1 <= len(settings) <= 2:
        raise UnitError("name one setting with --set, or two")
    if not watches:
        raise UnitError("name an outcome with --watch, such as ticket-db:pace")
    steps = STEPS if len(settings) == 1 else STEPS_OF_TWO
    ranges = [parse_range(plan, text, steps) for text in settings]
    if math.prod(len(one.values) for one in ranges) > MOST_PLAYS:
        raise UnitError(f"that is more than {MOST_PLAYS} plays; ask for fewer steps")
    watched = [parse_watch(plan, text) for text in watches]
    with telling("playing") as (told, asked):
        found = sweep(site_of(plan, file.traces), ranges, watched, told=told)
    if as_json:
        print_document({"plan": plan.name, "interrupted": bool(asked)} | found.to_json())
    else:
        print(f"{plan.name or 'Unnamed plan'}: {' and '.join(_name(one, plan) for one in ranges)}")
        print("\n".join(_of_one(found, plan) if len(ranges) == 1 else _of_two(found, plan)))
    return INTERRUPTED if asked else 0


def _name(one: Range, plan: Plan) -> str:
    now = "not set" if one.now is None else f"{value_text(one, one.now)} now"
    return f"{setting_word(one.setting)} of {label_of(plan, one.item)} ({now})"


def value_text(one: Range, value: float) -> str:
    """Write a value of a setting with its unit."""
    amount = setting_amount(one.setting)
    if amount is not None:
        return RESOURCE_KINDS[amount].write(value)
    return format_number(value, 2).rstrip("0").rstrip(".")


def _of_one(found: Sweep, plan: Plan) -> list[str]:
    (only,) = found.ranges
    lines = [
        f"{at + 1:2}. {watch_text(watch, plan)}, {_figure(found.now[at])} now" for at, watch in enumerate(found.watches)
    ]
    lines += ["", f"{'':14}" + "".join(f"{at + 1:>{_WIDTH}}" for at in range(len(found.watches)))]
    knees = [found.knee(at) for at in range(len(found.watches))]
    for row, value in enumerate(only.values):
        marks = "".join(f"  knee of {at + 1}" for at, knee in enumerate(knees) if knee == row)
        cells = "".join(f"{_figure(found.table[at, row, 0]):>{_WIDTH}}" for at in range(len(found.watches)))
        why = found.refused.get((row, 0))
        lines.append(f"{value_text(only, value):>14}" + (f"  refused: {why}" if why else cells + marks))
    return lines


def _of_two(found: Sweep, plan: Plan) -> list[str]:
    down, across = found.ranges
    lines = []
    for at, watch in enumerate(found.watches):
        head = f"{watch_text(watch, plan)}, {_figure(found.now[at])} now; down {setting_word(down.setting)}, across"
        lines += ["", f"{head} {setting_word(across.setting)}"]
        lines.append(f"{'':14}" + "".join(f"{value_text(across, value):>{_WIDTH}}" for value in across.values))
        for row, value in enumerate(down.values):
            cells = [
                "refused" if (row, column) in found.refused else _figure(found.table[at, row, column])
                for column in range(len(across.values))
            ]
            lines.append(f"{value_text(down, value):>14}" + "".join(f"{cell:>{_WIDTH}}" for cell in cells))
    return lines


def _figure(value: float) -> str:
    return "none" if not np.isfinite(value) else format_number(float(value), 2 if abs(value) < 1000 else 0)
