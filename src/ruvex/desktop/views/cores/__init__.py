"""The Core by core view: which vCPU ran on which thread, turn by turn, who waited, and what another choice would do.

``strips`` puts the turns in order, ``pane`` keeps what both halves share, ``pixels`` makes rows of them, ``area`` is
what the halves ``threads`` and ``waits`` have in common, ``controls`` what can be turned, ``view`` puts it together.
"""

from ruvex.desktop.panels.view import ViewSpec
from ruvex.desktop.views.cores.view import CoresView

SPEC = ViewSpec("cores", "Core by core", "Go to the threads of a host, turn by turn, and who waits", None, CoresView)

__all__ = ["SPEC", "CoresView"]
