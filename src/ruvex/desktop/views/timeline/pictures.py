"""The pictures of the lanes: made when they are first needed, kept, and made anew a few at a time as a play goes on."""

from __future__ import annotations

import time
import weakref
from collections.abc import Iterable
from typing import Final

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QRect
from PyQt6.QtGui import QImage

from ruvex.desktop.kit.theme import Theme
from ruvex.desktop.kit.time_scale import TimeScale
from ruvex.desktop.state.desk import Desk
from ruvex.desktop.state.rows import Row
from ruvex.desktop.views.timeline.columns import LaneColumns, columns_of
from ruvex.desktop.views.timeline.days import DaysBand
from ruvex.desktop.views.timeline.host_lane import flow_lane_image, host_lane_image
from ruvex.desktop.views.timeline.lane import LaneSeries, Tops, lane_image, tops_of
from ruvex.desktop.views.timeline.raster import Values
from ruvex.plan import Plan, pools_within
from ruvex.play import Recording

TALL: Final = 40
COMPACT: Final = 22
OFF_LANE: Final = 18
_CPU_PART: Final = {TALL: 0.54, COMPACT: 0.64}
_DRAW_S: Final = 0.025
"""While a plan is played lanes are drawn for so long, then others have their turn."""


class Pictures:
    """Pictures of lanes by the id of their row."""

    def __init__(self, desk: Desk, theme: Theme, days: DaysBand) -> None:
        self._desk, self._theme, self._days = desk, theme, days
        self._members: dict[str, NDArray[np.int64]] = {}
        self._members_of: tuple[weakref.ref[Recording], Plan] | None = None
        self._tops: dict[str, Tops] = {}
        self._images: dict[str, QImage] = {}
        self._stale: set[str] = set()
        self._columns: dict[int, LaneColumns] = {}
        self._draw_until = 0.0

    # What is to be drawn anew

    def forget(self) -> None:
        """Draw all of them anew: scale, size, colours or units are others."""
        self._images.clear()
        self._stale.clear()
        self._tops.clear()
        self._columns.clear()

    def age(self) -> None:
        """Draw all of them anew, a few at a time: until its turn comes each shows what it had."""
        self._stale = set(self._images)
        self._columns.clear()

    def are_behind(self, ids: Iterable[str]) -> bool:
        """Tell whether some of these still show less than was played."""
        return bool(self._stale & set(ids))

    def begin(self) -> None:
        """Begin to draw: from now on aged pictures are made anew for as long as others can wait."""
        self._draw_until = time.perf_counter() + _DRAW_S

    # What is drawn

    def members(self, item_id: str) -> NDArray[np.int64]:
        """Give the places of a row's guests in the recording."""
        recording, plan = self._days.recording, self._desk.look.plan
        if recording is None:
            return np.zeros(0, dtype=np.int64)
        if self._members_of is None or self._members_of[0]() is not recording or self._members_of[1] is not plan:
            # Places are those in one recording: another one may have fewer guests, and be there before rows are laid.
            self._members_of = weakref.ref(recording), plan
            self._members.clear()
        found = self._members.get(item_id)
        if found is None:
            index = recording.guest_index
            inside = pools_within(plan, item_id) if item_id in plan.pool_index else set()
            names = [g.id for g in plan.guests if g.id == item_id or (g.pool is not None and g.pool in inside)]
            found = self._members[item_id] = np.array([index[n] for n in names if n in index], dtype=np.int64)
        return found

    def tops(self, item_id: str) -> Tops:
        """Give the values at the upper edges of a row's lanes."""
        found = self._tops.get(item_id)
        recording = self._days.recording
        if found is None:
            members = self.members(item_id)
            found = Tops(1.0, 1.0) if recording is None else tops_of(recording, members)
            self._tops[item_id] = found
        return found

    def image(self, row: Row, place: QRect, scale: TimeScale, ratio: float) -> QImage | None:
        """Give the picture of a row; None where nothing was played, or it is off all day."""
        recording = self._days.recording
        members = self.members(row.item_id)
        if recording is None or not recording.rows:
            has_picture = False
        elif row.is_place:
            has_picture = self._place_of(row, recording) is not None
        else:
            has_picture = bool(members.size) and place.height() > self._theme.px(OFF_LANE)
        if recording is None or not has_picture:
            # What has no picture any more is not behind: the lanes would be drawn again and again for it.
            self._stale.discard(row.item_id)
            return None
        image = self._images.get(row.item_id)
        if image is None or (row.item_id in self._stale and time.perf_counter() < self._draw_until):
            if row.item_id in self._stale:
                self._stale.discard(row.item_id)
                self._tops.pop(row.item_id, None)
            image = self._images[row.item_id] = self._draw(row, place, scale, ratio, recording, members)
        return image

    @staticmethod
    def _place_of(row: Row, recording: Recording) -> int | None:
        """Give where a host, or a store or links, stands in a recording: that may be of a plan without it."""
        return (recording.place_index if row.kind == "host" else recording.flow_index).get(row.item_id)

    def _draw(
        self, row: Row, place: QRect, scale: TimeScale, ratio: float, recording: Recording, members: NDArray[np.int64]
    ) -> QImage:
        colours = self._theme.colours
        width, height = round((scale.right - scale.left) * ratio), round((place.height() - 2) * ratio)
        columns = self._columns_of(recording, scale, width)
        ground = colours.host_row if row.is_place else colours.band_row if row.is_pool else colours.paper
        at = self._place_of(row, recording) or 0
        if row.kind == "host":
            return host_lane_image(recording, at, columns, (width, height), colours, ratio, ground)
        if row.kind == "flow":
            return flow_lane_image(recording, at, columns, (width, height), colours, ratio, ground)
        series, before, ghost = LaneSeries(recording, members, columns), self._days.before, None
        if before is not None and before.recording.rows:
            index = before.recording.guest_index
            same = np.array([index[recording.guest_ids[i]] for i in members.tolist()], dtype=np.int64)
            ghost = LaneSeries(before.recording, same, self._columns_of(before.recording, scale, width))
        is_tall = place.height() > self._theme.px(COMPACT)
        split = round(height * _CPU_PART[TALL if is_tall else COMPACT])
        return lane_image(
            series, self.tops(row.item_id), (width, height), split, colours, self._theme.bar_colours(row.hue), ratio,
            ground=ground, before=ghost, chance=self._chance(members, columns),
        )  # fmt: skip

    def _chance(self, members: NDArray[np.int64], columns: LaneColumns) -> Values | None:
        """Give what a guest waits by chance, by column; None of several, and where it is not known yet."""
        # Days that follow a handle come and go too fast to be asked for it.
        is_settled = members.size == 1 and self._days.before is None
        waits = self._desk.waits.of(self._days.player) if is_settled else None
        if waits is None:
            return None
        return waits.series(int(members[0]), columns.first[: columns.filled]).astype(np.float32)

    def _columns_of(self, recording: Recording, scale: TimeScale, width: int) -> LaneColumns:
        key = id(recording)
        if key not in self._columns:
            self._columns[key] = columns_of(scale, width, recording.rows, recording.every_s)
        return self._columns[key]
