"""The views of the window, in the order of their tabs and keys (Ctrl+1 and so on)."""

from __future__ import annotations

from typing import Final

from ruvex.desktop.panels.view import ViewSpec
from ruvex.desktop.views import beside, cores, division, guest_list, room, timeline, worth

VIEWS: Final[tuple[ViewSpec, ...]] = (
    division.SPEC, timeline.SPEC, guest_list.SPEC, beside.SPEC, room.SPEC, worth.SPEC, cores.SPEC,
)  # fmt: skip
