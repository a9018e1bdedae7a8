"""The Division view: the butterfly of bars whose rows are the tree."""

from ruvex.desktop.panels.view import ViewSpec
from ruvex.desktop.views.division.view import DivisionView

SPEC = ViewSpec("division", "Division", "Go to the rows of the division", None, DivisionView)

__all__ = ["SPEC", "DivisionView"]
