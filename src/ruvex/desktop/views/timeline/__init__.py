"""The Timeline view: a plan played over its day, one lane a row.

``scale`` is the time axis, ``columns`` reduces series to pixels, ``raster`` turns them into pictures, ``lanes`` is the
scrolling area, ``gauge`` watches one guest, ``transport`` plays and pauses, ``view`` puts them together.
"""

from ruvex.desktop.views.timeline.view import TimelineView

__all__ = ["TimelineView"]
