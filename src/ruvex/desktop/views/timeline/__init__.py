"""The Timeline view: a plan played over its day, one lane a row.

``scale`` is the time axis, ``columns`` reduces series to pixels, ``raster`` turns them into pictures, ``lanes`` is the
scrolling area, ``gauge`` watches one guest, ``transport`` plays and pauses, ``view`` puts them together.
"""

from ruvex.desktop.panels.view import ViewSpec
from ruvex.desktop.views.timeline.view import TimelineView

SPEC = ViewSpec("timeline", "Timeline", "Go to the plan played over its day", "played", TimelineView)

__all__ = ["SPEC", "TimelineView"]
