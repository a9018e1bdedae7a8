"""``ruvex load``: what was measured becomes the demand of guests."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from ruvex.exchange import (
    DAYS,
    FILLS,
    UNITS,
    first_choice,
    labels_of,
    likely_unit,
    matched,
    read_load,
    rows_of,
    with_load,
    with_zone,
)
from ruvex.plan import Plan, PlanFile, UnitError, check_bounds, read_plan, write_plan

_DAYS = {"all": DAYS[0], "workdays": DAYS[1], "weekend": DAYS[2]}


def load(
    path: Path,
    into: Path | None,
    out: Path | None,
    *,
    metric: str | None,
    label: str | None,
    where: Sequence[str],
    fill: str | None,
    unit: str | None,
    percentile: float,
    days: str,
    zone: str,
    step_s: float | None,
) -> int:
    """Let guests follow a typical day of what was measured; without a plan to write, tell what there is.

    Raises
    ------
    PlanError, PlanFileError, UnitError, EditError
        The file or the plan cannot be used, or what was asked for is not in it.
    """
    measured = read_load(path)
    file = read_plan(into) if into is not None else PlanFile(Plan())
    if metric is not None and metric not in measured.metrics:
        raise UnitError(f"there is no metric {metric!r}; the file has {', '.join(measured.metrics[:10])}")
    choice = with_zone(first_choice(measured, file.plan, metric), zone)
    labels = labels_of(measured, choice.metric)
    if label is not None:
        if label not in labels:
            raise UnitError(f"{choice.metric} has no label {label!r}; it has {', '.join(labels[:10])}")
        choice = replace(choice, label=label)
    if fill is not None:
        if fill not in FILLS:
            raise UnitError(f"{fill!r}: a measurement fills {', '.join(FILLS)}")
        choice = replace(choice, fill=fill)  # type: ignore[arg-type]
    unit = unit if unit is not None else likely_unit(choice.metric, measured.units.get(choice.metric, ""), choice.fill)
    if unit not in UNITS[choice.fill]:
        raise UnitError(f"{unit!r} is no unit of {choice.fill}; there are {', '.join(UNITS[choice.fill])}")
    choice = replace(choice, unit=unit)
    if days not in _DAYS:
        raise UnitError(f"{days!r}: there are {', '.join(_DAYS)}")
    choice = replace(choice, percentile=percentile, days=_DAYS[days], step_s=step_s, where=_pairs(where))
    rows = rows_of(measured, choice)
    guests = matched(rows, file.plan)
    if measured.left_out:
        print(f"{measured.left_out} samples have no time or no number of 0 or more, and do not count")
    target = out or into
    if target is None:
        print(f"metrics: {', '.join(measured.metrics)}")
        print(f"labels of {choice.metric}: {', '.join(labels)}")
        for row in rows:
            print(f"  {row.name}: {row.day.days} days, highest {max(row.day.values, default=0.0):.6g} {choice.unit}")
        print("say where the plan goes: --into a plan that is there, or --out a new one")
        return 0
    filled = with_load(file.plan, file.traces, choice, rows, guests, path.name)
    for text in filled.told:
        print(text)
    unknown = [name for name, guest in guests.items() if guest is None]
    if unknown:
        print(f"no guest is called so: {', '.join(unknown[:10])}{' and more' if len(unknown) > 10 else ''}")
    check_bounds(file.plan, filled.plan)
    traces = {**file.traces, **filled.traces}
    write_plan(filled.plan, target, layout=file.layout, traces=traces, other_traces="replace")
    return 0


def _pairs(texts: Sequence[str]) -> dict[str, str]:
    pairs = {}
    for text in texts:
        key, equals, value = text.partition("=")
        if not equals:
            raise UnitError(f"{text!r} is no condition; write one such as mode=user")
        pairs[key] = value
    return pairs
