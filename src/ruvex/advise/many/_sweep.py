"""One or two settings over a range, and what becomes of outcomes of the day."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Final, Literal, get_args

import numpy as np
from numpy.typing import NDArray

from ruvex.advise.many._workers import each_done
from ruvex.plan import (
    EditError,
    Plan,
    StoppedError,
    UnitError,
    change_many,
    find_item,
    get_setting,
    has_setting,
    parse_cpu,
    parse_memory,
    parse_number,
    setting_amount,
)
from ruvex.play import Player, Summary
from ruvex.promise import claims_of, refusal_between
from ruvex.site import Site
from ruvex.words import label_of, refusal_text

Floats = NDArray[np.float64]

Outcome = Literal["pace", "short", "late", "wait", "met", "free"]
OUTCOMES: Final[tuple[Outcome, ...]] = get_args(Outcome)
"""Of a guest: its worst pace, hours short, hours by which its batch work is late at most, part of its CPU want unmet
(%), and the least part of its need that is backed (%); of a host: its least free memory, MiB."""
STEPS: Final = 25
STEPS_OF_TWO: Final = 11
MOST: Final = 2000
_KNEE: Final = 0.1

Told = Callable[[int, int], None]
"""Called with how many plays of how many are done; raises ``StoppedError`` to stop."""


@dataclass(frozen=True, slots=True)
class Range:
    """A setting and its values.

    Attributes
    ----------
    item, setting
        The id of a guest, pool, host or ``rules``, and the dotted name.
    values
        Rising, MHz, MiB or plain numbers.
    now
        What it is set to; None where it is not set, such as no limit.
    """

    item: str
    setting: str
    values: tuple[float, ...]
    now: float | None


@dataclass(frozen=True, slots=True)
class Watch:
    """An outcome that is watched: of which guest or host, and which one."""

    item: str
    outcome: Outcome

    def of(self, summary: Summary) -> float:
        """Read it off a played day; NaN where there is none, such as batch work that is not done."""
        if self.outcome == "free":
            return next((place.least_free_mib for place in summary.places if place.id == self.item), math.nan)
        if self.outcome == "late":
            late = [job.late_s for job in summary.finishes if job.guest == self.item]
            return math.nan if not late or None in late else max(one for one in late if one is not None) / 3600
        one = next((guest for guest in summary.guests if guest.id == self.item), None)
        if one is None:
            return math.nan
        return {
            "pace": one.worst_pace, "short": one.short_s / 3600,
            "wait": 100 * one.fluid_wait, "met": 100 * one.worst_met,
        }[self.outcome]  # fmt: skip

    @property
    def more_is_better(self) -> bool:
        """Whether a higher value is the better one."""
        return self.outcome in ("pace", "met", "free")


@dataclass(frozen=True, slots=True, eq=False)
class Sweep:
    """What a sweep found.

    Attributes
    ----------
    ranges
        One setting or two.
    watches
        What was watched.
    table
        Shape (watches, values of the first, of the second or 1): NaN where it was not played, or has no outcome.
    refused
        Why some settings cannot be, by their places in the ranges.
    now
        The outcomes as the plan is, shape (watches,).
    """

    ranges: tuple[Range, ...]
    watches: tuple[Watch, ...]
    table: Floats
    refused: dict[tuple[int, int], str]
    now: Floats

    def knee(self, watch: int = 0) -> int | None:
        """Give the place in a single range from which on more of the setting brings little more; None without one.

        It is the point that lies furthest from the straight line between the ends, both axes taken as 1 long; one that
        lies nearer than a tenth is none.
        """
        if len(self.ranges) != 1:
            return None
        values = self.table[watch, :, 0]
        there = np.flatnonzero(np.isfinite(values))
        if there.size < 3:
            return None
        x, y = np.array(self.ranges[0].values)[there], values[there]
        height, width = float(np.ptp(y)), float(np.ptp(x))
        if height <= 1e-9 or width <= 0:
            return None
        across, up = (x - x[0]) / width, (y - y[0]) / height
        away = np.abs(up - across * up[-1])
        at = int(np.argmax(away))
        return int(there[at]) if away[at] >= _KNEE and 0 < at < there.size - 1 else None

    def to_json(self) -> dict[str, Any]:
        """Give it as ``ruvex sweep --json`` prints it."""

        def plain(values: Floats) -> Any:
            return [None if not math.isfinite(one) else one for one in values.tolist()]

        knees = [self.knee(at) for at in range(len(self.watches))]
        return {
            "settings": [
                {"id": one.item, "setting": one.setting, "values": list(one.values), "now": one.now}
                for one in self.ranges
            ],
            "watched": [
                {"id": one.item, "outcome": one.outcome, "now": plain(self.now[at : at + 1])[0],
                 "values": [plain(row) for row in self.table[at]],
                 "knee": None if (knee := knees[at]) is None else self.ranges[0].values[knee]}
                for at, one in enumerate(self.watches)
            ],
            "refused": [{"at": list(at), "why": why} for at, why in sorted(self.refused.items())],
        }  # fmt: skip


def range_of(plan: Plan, item: str, setting: str, low: float, high: float, steps: int) -> Range:
    """Give evenly spaced values of a setting, whole ones where it is a whole number.

    Raises
    ------
    EditError
        There is no such setting, or it is no number.
    """
    found = find_item(plan, item)
    if found is None or not has_setting(plan, item, setting):
        raise EditError(f"{item} has no setting {setting} that could be swept")
    now = get_setting(found, setting)
    if isinstance(now, bool) or not (now is None or isinstance(now, int | float)):
        raise EditError(f"{setting} of {item} is no number")
    if not low < high:
        raise EditError(f"the range of {setting} does not rise: from {low:g} to {high:g}")
    values = np.linspace(low, high, steps)
    if isinstance(now, int):
        values = np.unique(values.round())
    return Range(item, setting, tuple(values.tolist()), None if now is None else float(now))


def parse_range(plan: Plan, text: str, steps: int) -> Range:
    """Read ``ID:SETTING=FROM..TO[:STEPS]``; amounts may have units.

    Raises
    ------
    UnitError, EditError
        It is written otherwise, or names no setting.
    """
    head, equals, span = text.partition("=")
    item, colon, setting = head.partition(":")
    span, _, wished = span.partition(":")
    low, dots, high = span.partition("..")
    if not (equals and colon and dots):
        raise UnitError(f"{text}: write it as ID:SETTING=FROM..TO, such as ticket-db:memory.reservation=8GiB..40GiB")
    if wished:
        if not wished.isdecimal() or not 2 <= int(wished) <= MOST:
            raise UnitError(f"{text}: a number of steps from 2 to {MOST}")
        steps = int(wished)
    parse = {"cpu": parse_cpu, "memory": parse_memory, None: parse_number}[setting_amount(setting)]
    return range_of(plan, item, setting, parse(low), parse(high), steps)


def parse_watch(plan: Plan, text: str) -> Watch:
    """Read ``ID:OUTCOME``.

    Raises
    ------
    UnitError
        There is no such guest, host or outcome.
    """
    item, _, name = text.rpartition(":")
    outcome = next((one for one in OUTCOMES if one == name), None)
    if outcome is None:
        raise UnitError(f"--watch {text}: write ID:OUTCOME; outcomes are {', '.join(OUTCOMES)}")
    known = plan.host_index if outcome == "free" else plan.guest_index
    if item not in known:
        raise UnitError(f"--watch {text}: there is no {'host' if outcome == 'free' else 'guest'} {item!r}")
    return Watch(item, outcome)


def sweep(
    site: Site, ranges: Sequence[Range], watches: Sequence[Watch], *, told: Told | None = None,
    workers: int | None = None,
) -> Sweep:  # fmt: skip
    """Play the day with each value of a setting, or each pair of values of two.

    What is done when ``told`` stops it is kept: the rest of the table is NaN.
    """
    shape = (len(ranges[0].values), len(ranges[1].values) if len(ranges) > 1 else 1)
    table = np.full((len(watches), *shape), np.nan)
    refused: dict[tuple[int, int], str] = {}
    tasks = list(np.ndindex(shape))
    claims = claims_of(site)

    def work(at: tuple[int, ...] | None) -> list[float] | str:
        tried = site
        if at is not None:
            changes = [(one.item, {one.setting: one.values[at[k]]}) for k, one in enumerate(ranges)]
            try:
                tried = site.with_plan(change_many(site.plan, changes))
            except EditError as error:
                return str(error)
            refusal = refusal_between(claims, claims_of(tried), [one.item for one in ranges])
            if refusal is not None:
                return refusal_text(tried.plan, refusal)
        player = Player(tried, record_s=math.inf)
        player.run()
        summary = player.summary()
        return [watch.of(summary) for watch in watches]

    # As the plan is first: whatever stops the rest, there is something to compare with.
    as_it_is = work(None)
    assert not isinstance(as_it_is, str)
    for done, (task, found) in enumerate(each_done(work, tasks, workers=workers), 1):
        at = tasks[task][0], tasks[task][1]
        if isinstance(found, str):
            refused[at] = found
        else:
            table[:, at[0], at[1]] = found
        if told is not None:
            try:
                told(done, len(tasks))
            except StoppedError:
                break
    now = np.array(as_it_is, dtype=np.float64)
    return Sweep(tuple(ranges), tuple(watches), table, refused, now)


def watch_text(watch: Watch, plan: Plan) -> str:
    """Say what is watched, such as ``worst pace of ticket-db``."""
    words = {
        "pace": "worst pace of", "short": "hours short of", "late": "hours late of",
        "wait": "CPU want unmet, %, of", "met": "least part of need backed, %, of", "free": "least free memory of",
    }  # fmt: skip
    return f"{words[watch.outcome]} {label_of(plan, watch.item)}"
