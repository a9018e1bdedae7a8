"""Ruvex for scripts: ``import ruvex`` gives the same few names."""

from ruvex.interface._figures import Figure, NoPandasError, RowFigures
from ruvex.interface._site import DividedSite, PlannedSite, Played, read

__all__ = ["DividedSite", "Figure", "NoPandasError", "PlannedSite", "Played", "RowFigures", "read"]
