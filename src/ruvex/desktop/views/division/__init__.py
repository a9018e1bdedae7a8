"""The Division view: the butterfly of bars whose rows are the tree."""

from ruvex.desktop.views.division.view import DivisionView

__all__ = ["DivisionView"]
