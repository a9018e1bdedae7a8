"""The Room view: how many more fit, what a loss comes to, better places, sweeps, right sizes, how sure it is.

``columns`` places the hosts, ``section`` is what all questions have in common; each question has its module, and
``view`` puts them together.
"""

from ruvex.desktop.panels.view import ViewSpec
from ruvex.desktop.views.room.view import RoomView

SPEC = ViewSpec("room", "Room", "Go to how many more fit, what a loss comes to, and better places", None, RoomView)

__all__ = ["SPEC", "RoomView"]
