"""Ruvex for scripts: ``import ruvex`` gives the same few names."""

import sys
from types import ModuleType
from typing import Any

from ruvex.interface._figures import Figure, NoPandasError, RowFigures
from ruvex.interface._site import DividedSite, PlannedSite, Played, divide, play, read

__all__ = ["DividedSite", "Figure", "NoPandasError", "PlannedSite", "Played", "RowFigures", "divide", "play", "read"]


class _Dividing(ModuleType):
    """The package ``ruvex.divide``, which can be called: ``ruvex.divide(site, at="08:10")``."""

    def __call__(self, *words: Any, **named: Any) -> DividedSite:
        """Divide a site."""
        return divide(*words, **named)


class _Playing(ModuleType):
    """The package ``ruvex.play``, which can be called: ``ruvex.play(site)``."""

    def __call__(self, *words: Any, **named: Any) -> Played:
        """Play a site."""
        return play(*words, **named)


# A package and a function of one name cannot both be an attribute of ``ruvex``: the packages are made to be called.
sys.modules["ruvex.divide"].__class__ = _Dividing
sys.modules["ruvex.play"].__class__ = _Playing
