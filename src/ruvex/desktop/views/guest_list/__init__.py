"""The List view: every guest in one flat table, of the look or of the day.

``columns`` says what stands in the columns, ``model`` keeps the table, ``cells`` paints it, ``view`` puts it together.
"""

from ruvex.desktop.panels.view import ViewSpec
from ruvex.desktop.views.guest_list.view import ListView

SPEC = ViewSpec("list", "List", "Go to the flat table of all guests, the worst hit first", None, ListView)

__all__ = ["SPEC", "ListView"]
