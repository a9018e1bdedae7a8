"""The few names that scripts use: read a plan, change it, divide it, play it, write it."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from pathlib import Path
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from ruvex.divide import Division, ResourceDivision, Tap, causes_of, divide
from ruvex.interface._figures import Figure, RowFigures, frame
from ruvex.ledger import LookFigures
from ruvex.plan import (
    Plan,
    PlanFile,
    Resource,
    UnitError,
    change_settings,
    format_time,
    parse_time,
    read_plan,
    write_plan,
)
from ruvex.play import CHANNELS, FLOW_CHANNELS, GuestSummary, Player, Summary
from ruvex.site import Site as Arrays
from ruvex.site import site_of

Time = str | float | None


class PlannedSite:
    """A plan with its traces.

    Examples
    --------
    >>> from ruvex.interface import read
    >>> site = read("demo/orrin-sound.ruvex.json")
    >>> site.plan.name, len(site.plan.guests)
    ('Orrin Sound Ferries', 39)
    >>> site.change("ticket-db", {"cpu.shares": 300}).plan.guests[14].cpu.shares
    300.0
    """

    def __init__(self, file: PlanFile) -> None:
        self._file = file

    @property
    def plan(self) -> Plan:
        """The plan: its model classes are those of ``ruvex.plan``."""
        return self._file.plan

    @cached_property
    def arrays(self) -> Arrays:
        """The plan as arrays."""
        return site_of(self._file.plan, self._file.traces)

    def change(self, item: str, change: Mapping[str, Any]) -> PlannedSite:
        """Give the site with other settings of an item, or of ``rules``; this one stays as it is.

        Raises
        ------
        EditError
            There is no such item or setting, or a rule of the plan is broken.
        """
        plan = change_settings(self.plan, item, change)
        return PlannedSite(PlanFile(plan, self._file.traces, self._file.layout, self._file.digest))

    def divide(self, at: Time = None) -> DividedSite:
        """Divide it at a time of day, ``"08:10"`` or seconds; at the plan's moment if left out.

        Raises
        ------
        UnitError
            There is no such time in its day.
        """
        return DividedSite(divide(self.arrays, _seconds(at, self.plan, self.plan.moment)))

    def play(self, until: Time = None) -> Played:
        """Play its day, or as far as a time.

        Raises
        ------
        UnitError, TooMuchError
            There is no such time in its day, or it is too much to be played.
        """
        player = Player(self.arrays, until_s=_seconds(until, self.plan, self.plan.day_s))
        player.run()
        return Played(player)

    def write(self, path: str | Path) -> None:
        """Write the plan and its traces to a file.

        Raises
        ------
        PlanFileError
            It cannot be written.
        """
        write_plan(self.plan, Path(path), layout=self._file.layout, traces=self._file.traces, other_traces="replace")


class DividedSite:
    """How a site divides its CPU, memory, disks and network at a moment, as it would settle.

    Examples
    --------
    >>> from ruvex.interface import read
    >>> found = read("demo/orrin-sound.ruvex.json").divide(at="08:10")
    >>> found.at, found.cpu["old-fare-kiosk"].unmet, found.memory["mail"].kind
    ('08:10', 0.0, 'guest')
    >>> round(found.cpu["ticket-db"].delivered), found.cpu["ticket-db"].cause
    (6200, 'supply')
    """

    def __init__(self, division: Division) -> None:
        self.division = division

    @property
    def at(self) -> str:
        """The time of day."""
        return format_time(self.division.at_s)

    @cached_property
    def cpu(self) -> RowFigures:
        """CPU by id, MHz."""
        return self._figures("cpu")

    @cached_property
    def memory(self) -> RowFigures:
        """Memory by id, MiB."""
        return self._figures("memory")

    @cached_property
    def disks(self) -> RowFigures:
        """Each guest's disks together, transfers a second; nobody where there are no stores."""
        return self._flows("store")

    @cached_property
    def network(self) -> RowFigures:
        """What each guest has of its host's links, MiB/s; nobody where there are none."""
        return self._flows("link")

    def _flows(self, kind: Literal["store", "link"]) -> RowFigures:
        division, taps = self.division, dict[str, list[Tap]]()
        for place in division.flowing.places:
            for tap in place.taps if place.kind == kind else ():
                taps.setdefault(tap.guest, []).append(tap)
        figures, found = LookFigures(division), dict[str, Figure]()
        wanted, met, lacks = (of(kind).values for of in (figures.wanted, figures.met, figures.lacks))
        for guest, its in taps.items():
            i = division.site.plan.guest_index[guest]
            why = min((tap.slowed_by for tap in its if tap.slowed_by), key=lambda one: one == "elsewhere", default="")
            found[guest] = Figure(
                guest, "guest", division.parents[division.position[guest]], float(wanted[i]),
                float(met[i]), float(lacks[i]), float(lacks[i]), sum(tap.reservation for tap in its), why,
            )  # fmt: skip
        return RowFigures(found)

    def _figures(self, resource: Resource) -> RowFigures:
        division, found = self.division, dict[str, Figure]()
        part: ResourceDivision = division.of(resource)
        causes = causes_of(division, resource)
        for row, item in enumerate(division.ids):
            if division.on[row]:
                found[item] = Figure(
                    item, division.kinds[row], division.parents[row], float(part.wanted[row]),
                    float(part.delivered[row]), float(part.unmet[row]), float(part.lacks[row]), float(part.claim[row]),
                    causes.word(row),
                )  # fmt: skip
        return RowFigures(found)


class Played:
    """A site's day as it was played.

    Examples
    --------
    >>> from ruvex.interface import read
    >>> day = read("demo/orrin-sound.ruvex.json").play(until="01:00")
    >>> day.summary.played_s, day.guests["tide-gauges"].unmet_s
    (3600.0, 0.0)
    >>> day.series("cpu_delivered").shape
    (39, 361)
    """

    def __init__(self, player: Player) -> None:
        self.player = player

    @cached_property
    def summary(self) -> Summary:
        """What it came to."""
        return self.player.summary()

    @cached_property
    def guests(self) -> Mapping[str, GuestSummary]:
        """What every guest went through, by id."""
        return {one.id: one for one in self.summary.guests}

    @property
    def times_s(self) -> NDArray[np.float64]:
        """The times of the rows, s since the start of the day, shape (rows,)."""
        recording = self.player.recording
        return recording.times_s[: recording.rows]

    def series(self, channel: str) -> NDArray[Any]:
        """Give a channel of all guests, shape (guests, rows), in plan order.

        Raises
        ------
        UnitError
            There is no such channel.
        """
        known = (*CHANNELS, *FLOW_CHANNELS)
        if channel not in known:
            raise UnitError(f"there is no channel {channel!r}; there are {', '.join(known)}")
        return self.player.recording.series(channel)

    def to_pandas(self, channel: str) -> Any:
        """Give a channel as a table of pandas: a row a time, a column a guest; raises as ``Figures.to_pandas``."""
        values = self.series(channel)
        ids = self.player.recording.guest_ids
        return frame({guest: values[i] for i, guest in enumerate(ids)}, self.times_s)


def read(path: str | Path) -> PlannedSite:
    """Read a plan and its traces.

    Raises
    ------
    PlanError, PlanFileError
        It cannot be used; the text names each place and its mend.
    """
    return PlannedSite(read_plan(Path(path)))


def _seconds(at: Time, plan: Plan, otherwise: float) -> float:
    if at is None:
        return otherwise
    at_s = parse_time(at) if isinstance(at, str) else float(at)
    if not 0 <= at_s <= plan.day_s:
        raise UnitError(f"{at} is not within the plan's day (to {format_time(plan.day_s)})")
    return at_s
