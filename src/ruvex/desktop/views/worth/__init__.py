"""The Worth a look view: what is wrong or will be, its evidence, what would mend it, and who would gain and pay.

``evidence`` draws the small pictures, ``entry`` is one finding, ``view`` puts them together.
"""

from ruvex.desktop.panels.view import ViewSpec
from ruvex.desktop.views.worth.view import WorthView

SPEC = ViewSpec("worth", "Worth a look", "Go to what is wrong or will be, and what would mend it", None, WorthView)

__all__ = ["SPEC", "WorthView"]
