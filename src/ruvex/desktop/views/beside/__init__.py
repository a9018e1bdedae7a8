"""The Side by side view: two states of the site, guest by guest, their parts of it, and one guest's two days.

``rows`` draws the guests from then to now, ``parts`` the parts of the site, ``day`` two plays over each other.
"""

from ruvex.desktop.panels.view import ViewSpec
from ruvex.desktop.views.beside.view import BesideView

SPEC = ViewSpec("beside", "Side by side", "Go to what is other than it was, guest by guest", None, BesideView)

__all__ = ["SPEC", "BesideView"]
